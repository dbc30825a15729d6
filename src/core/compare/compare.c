/* SPDX-License-Identifier: Apache-2.0 */
#include "core/compare/compare.h"

#include "core/sql/lexer.h"

#include <stdlib.h>
#include <string.h>

/*
 * Two catalogs, object by object, by identity. Texts are compared as tokens, and what still differs is shown line by
 * line, cut to the lines that only one side has (the longest common subsequence, for texts that are not too long for
 * its quadratic table). Secrets are hidden in what is shown.
 */

static const char *const names[HB_DIFFERENCE_COUNT] = {"missing", "extra", "definition", "owner", "rows"};

const char *hb_difference_get_name(HbDifferenceType type)
{
    g_assert(type < HB_DIFFERENCE_COUNT);
    return names[type];
}

static void difference_free(gpointer data)
{
    HbDifference *difference = data;

    g_free(difference->identity);
    g_free(difference->from);
    g_free(difference->to);
    hb_row_difference_free(difference->rows);
    g_free(difference);
}

GPtrArray *hb_compare_new(void)
{
    return g_ptr_array_new_with_free_func(difference_free);
}

/* Takes from and to */
static void add(GPtrArray *differences, HbDifferenceType type, const char *identity, char *from, char *to)
{
    HbDifference *difference = g_new0(HbDifference, 1);

    difference->type = type;
    difference->identity = g_strdup(identity);
    difference->from = from;
    difference->to = to;
    g_ptr_array_add(differences, difference);
}

/* ---- Definitions ---- */

/* Longer texts are cut at their common ends only: the table of common lines grows with both lengths */
#define LINES_LIMIT 500

static void append_line(GString *text, char *line)
{
    g_string_append_printf(text, "%s%s", text->len > 0 ? "\n" : "", g_strstrip(line));
}

/* lengths[i][j]: of the longest list of lines that a from i on and b from j on have in common, in order */
static guint16 *count_common(char **a, guint a_count, char **b, guint b_count)
{
    guint width = b_count + 1;
    guint16 *lengths = g_new0(guint16, (gsize)(a_count + 1) * width);

    for (guint i = a_count; i-- > 0;) {
        for (guint j = b_count; j-- > 0;) {
            gsize at = (gsize)i * width + j;
            lengths[at] = strcmp(a[i], b[j]) == 0 ? (guint16)(lengths[at + width + 1] + 1)
                                                  : MAX(lengths[at + width], lengths[at + 1]);
        }
    }
    return lengths;
}

/* The lines that only one of two texts has */
static void split_lines(char **a, guint a_count, char **b, guint b_count, GString *only_a, GString *only_b)
{
    g_autofree guint16 *lengths = count_common(a, a_count, b, b_count);
    guint width = b_count + 1, i = 0, j = 0;

    while (i < a_count || j < b_count) {
        if (i < a_count && j < b_count && strcmp(a[i], b[j]) == 0) {
            i++;
            j++;
        } else if (j == b_count ||
                   (i < a_count && lengths[(gsize)(i + 1) * width + j] >= lengths[(gsize)i * width + j + 1])) {
            append_line(only_a, a[i++]);
        } else {
            append_line(only_b, b[j++]);
        }
    }
}

/* What differs between two texts, line by line */
static void cut_to_difference(const char *from, const char *to, char **from_cut, char **to_cut)
{
    g_auto(GStrv) a = g_strsplit(from, "\n", -1);
    g_auto(GStrv) b = g_strsplit(to, "\n", -1);
    guint a_end = g_strv_length(a), b_end = g_strv_length(b), start = 0;
    GString *only_a = g_string_new(NULL), *only_b = g_string_new(NULL);

    while (start < a_end && start < b_end && strcmp(a[start], b[start]) == 0)
        start++;
    while (a_end > start && b_end > start && strcmp(a[a_end - 1], b[b_end - 1]) == 0) {
        a_end--;
        b_end--;
    }
    if (a_end - start <= LINES_LIMIT && b_end - start <= LINES_LIMIT) {
        split_lines(a + start, a_end - start, b + start, b_end - start, only_a, only_b);
    } else {
        for (guint i = start; i < a_end; i++)
            append_line(only_a, a[i]);
        for (guint i = start; i < b_end; i++)
            append_line(only_b, b[i]);
    }
    *from_cut = g_string_free(only_a, FALSE);
    *to_cut = g_string_free(only_b, FALSE);
}

static gboolean is_same_sql(const HbDialect *dialect, HbKind kind, const char *one, const char *other)
{
    if (strcmp(one, other) == 0)
        return TRUE;
    if (dialect->is_kept_as_written != NULL && dialect->is_kept_as_written(kind))
        return FALSE;
    g_autofree char *a = hb_lexer_normalise(dialect->rules, one);
    g_autofree char *b = hb_lexer_normalise(dialect->rules, other);
    return strcmp(a, b) == 0;
}

static void add_definition(const HbDialect *dialect, const HbObject *from, const HbObject *to, GPtrArray *differences)
{
    g_autofree char *a = dialect->hide_secrets(from->definition);
    g_autofree char *b = dialect->hide_secrets(to->definition);
    char *from_cut = NULL, *to_cut = NULL;

    if (strcmp(a, b) == 0) {
        from_cut = g_strdup("a password");
        to_cut = g_strdup("another password");
    } else {
        cut_to_difference(a, b, &from_cut, &to_cut);
    }
    add(differences, HB_DIFFERENCE_DEFINITION, from->identity, from_cut, to_cut);
}

static gboolean means_the_same(const HbDialect *dialect, const HbObject *from, const HbObject *to)
{
    return is_same_sql(dialect, from->kind, from->definition, to->definition) ||
           (dialect->means_same != NULL && dialect->means_same(from, to));
}

/* Of many together, as large objects are: those whose owner differs */
static void add_owners(const HbObject *from, const HbObject *to, GPtrArray *differences)
{
    char *from_cut = NULL, *to_cut = NULL;

    cut_to_difference(from->owner_sql != NULL ? from->owner_sql : "", to->owner_sql != NULL ? to->owner_sql : "",
                      &from_cut, &to_cut);
    add(differences, HB_DIFFERENCE_OWNER, from->identity, from_cut, to_cut);
}

static void compare_objects(const HbDialect *dialect, const HbObject *from, const HbObject *to, GPtrArray *differences)
{
    if (from->definition != NULL && to->definition != NULL && !means_the_same(dialect, from, to))
        add_definition(dialect, from, to, differences);
    if (g_strcmp0(from->owner, to->owner) != 0)
        add(differences, HB_DIFFERENCE_OWNER, from->identity, g_strdup(from->owner), g_strdup(to->owner));
    else if (from->owner == NULL && g_strcmp0(from->owner_sql, to->owner_sql) != 0)
        add_owners(from, to, differences);
}

static gboolean is_initial(const HbDialect *dialect, const HbObject *object)
{
    return dialect->is_initial != NULL && dialect->is_initial(object);
}

/* A server may have users and settings of its own; what the database is, is no such setting */
static gboolean counts_as_extra(const HbDialect *dialect, const HbObject *object)
{
    if (object->kind == HB_KIND_DATABASE_SETTING && dialect->describes_database(object))
        return !is_initial(dialect, object);
    return !(hb_kind_get_traits(object->kind)->part & (HB_PART_USERS | HB_PART_SETTINGS));
}

void hb_compare_list_own(const HbCatalog *from, const HbCatalog *to, const HbDialect *dialect, guint parts,
                         GPtrArray *identities)
{
    for (guint i = 0; i < hb_catalog_count(to); i++) {
        const HbObject *object = hb_catalog_get(to, i);
        if ((object->kind == HB_KIND_MEMBERSHIP || object->kind == HB_KIND_ROLE_SETTING ||
             object->kind == HB_KIND_DATABASE_SETTING) &&
            !counts_as_extra(dialect, object) && !hb_catalog_is_unread(from, object->kind) &&
            (hb_kind_get_traits(object->kind)->part & parts) != 0 && hb_catalog_find(from, object->identity) == NULL)
            g_ptr_array_add(identities, g_strdup(object->identity));
    }
}

/* The placeholder in a circle is no object of the server's; rights that any object has are there without being said */
static gboolean is_compared(const HbDialect *dialect, const HbObject *object, guint parts, const HbCatalog *other)
{
    if (object->kind == HB_KIND_GRANT && hb_catalog_find(other, object->identity) == NULL &&
        is_initial(dialect, object))
        return FALSE;
    return object->kind != HB_KIND_PLACEHOLDER && !hb_catalog_is_unread(other, object->kind) &&
           (hb_kind_get_traits(object->kind)->part & parts) != 0;
}

void hb_compare_catalogs(const HbCatalog *from, const HbCatalog *to, const HbDialect *dialect, guint parts,
                         GPtrArray *differences)
{
    for (guint i = 0; i < hb_catalog_count(from); i++) {
        const HbObject *object = hb_catalog_get(from, i);
        const HbObject *twin = hb_catalog_find(to, object->identity);
        if (!is_compared(dialect, object, parts, to))
            continue;
        if (twin == NULL)
            add(differences, HB_DIFFERENCE_MISSING, object->identity, NULL, NULL);
        else
            compare_objects(dialect, object, twin, differences);
    }
    for (guint i = 0; i < hb_catalog_count(to); i++) {
        const HbObject *object = hb_catalog_get(to, i);
        if (counts_as_extra(dialect, object) && is_compared(dialect, object, parts, from) &&
            hb_catalog_find(from, object->identity) == NULL)
            add(differences, HB_DIFFERENCE_EXTRA, object->identity, NULL, NULL);
    }
}

/* ---- Rows ---- */

static char *describe(const HbDigest *digest)
{
    char sum[HB_DIGEST_TEXT_LENGTH + 1];

    hb_digest_write(digest, sum);
    return g_strdup_printf("%" G_GUINT64_FORMAT " rows, digest %s", digest->rows, sum);
}

void hb_compare_digests(GHashTable *from, GHashTable *to, GPtrArray *differences)
{
    g_autoptr(GList) identities = g_list_sort(g_hash_table_get_keys(from), (GCompareFunc)strcmp);

    for (GList *at = identities; at != NULL; at = at->next) {
        const HbDigest *a = g_hash_table_lookup(from, at->data);
        const HbDigest *b = g_hash_table_lookup(to, at->data);
        if (b != NULL && !hb_digest_is_equal(a, b))
            add(differences, HB_DIFFERENCE_ROWS, at->data, describe(a), describe(b));
    }
}
