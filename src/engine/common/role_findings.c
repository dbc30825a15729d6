/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/common/role_findings.h"

#include "core/compare/compare.h"

#include <string.h>

/* ---- Users ---- */

static void add_roles(GHashTable *names, const HbCatalog *catalog)
{
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (object->kind == HB_KIND_ROLE)
            g_hash_table_add(names, hb_lexer_unquote_name(hb_object_get_name(object)));
    }
}

static gboolean is_predefined(const HbDialect *dialect, const char *name)
{
    g_autofree char *identity = hb_identity_new(HB_KIND_ROLE, name);

    return dialect->is_predefined != NULL && dialect->is_predefined(identity);
}

static void report_missing(const HbObject *object, const char *name, GPtrArray *findings)
{
    g_autofree char *role = g_strdup_printf("role %s", name);
    gboolean is_plain = strspn(name, "abcdefghijklmnopqrstuvwxyz0123456789_") == strlen(name);
    g_autofree char *sql = is_plain ? g_strdup_printf("CREATE ROLE %s;", name) : NULL;

    hb_finding_advise(hb_findings_add(findings, HB_FINDING_BLOCKER, "role-missing", role,
                                      "is not on the target and does not come along: %s would fail, for example",
                                      object->identity),
                      "let it come along, create it there (WITH LOGIN if somebody logs in as it), or use --ownership "
                      "mine --grants drop",
                      sql);
}

static void check_missing(const HbCatalog *catalog, const HbCatalog *there, const HbDialect *dialect,
                          GPtrArray *findings)
{
    g_autoptr(GHashTable) known = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    add_roles(known, catalog);
    add_roles(known, there);
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        g_autoptr(GPtrArray) names = dialect->list_role_mentions(object);
        for (guint n = 0; n < names->len; n++) {
            const char *name = names->pdata[n];
            /* A definer may be missing: fitting tells of it. Its names have an @ */
            if (is_predefined(dialect, name) || strchr(name, '@') != NULL || !g_hash_table_add(known, g_strdup(name)))
                continue;
            report_missing(object, name, findings);
        }
    }
}

/* The role that a difference is about; NULL if it does not exist on both sides */
static const HbObject *find_subject(const HbCatalog *catalog, const HbCatalog *there, const char *identity)
{
    const HbObject *object = hb_catalog_find(catalog, identity);
    const char *role;

    if (object == NULL || hb_kind_get_traits(object->kind)->part != HB_PART_USERS)
        return NULL;
    if (object->kind == HB_KIND_ROLE)
        return hb_catalog_find(there, identity);
    for (guint n = 0; n < object->needs->len; n++) {
        if (hb_catalog_find(there, object->needs->pdata[n]) == NULL)
            return NULL;
    }
    role = object->needs->len > 0 ? object->needs->pdata[0] : "";
    return hb_catalog_find(there, role);
}

/* What the target's role has, and the source's has not, is not taken away by saying what the source's has */
static void append_lifting(GString *sql, const char *theirs, const char *ours)
{
    if (strstr(theirs, " CONNECTION LIMIT ") != NULL && strstr(ours, " CONNECTION LIMIT ") == NULL)
        g_string_append(sql, " CONNECTION LIMIT -1");
    if (strstr(theirs, " VALID UNTIL ") != NULL && strstr(ours, " VALID UNTIL ") == NULL)
        g_string_append(sql, " VALID UNTIL 'infinity'");
}

/* "SUPERUSER", "CONNECTION LIMIT 12" of "CREATE ROLE ida WITH SUPERUSER CONNECTION LIMIT 12;": char *. The caller's */
static GPtrArray *list_attributes(const char *definition)
{
    GPtrArray *attributes = g_ptr_array_new_with_free_func(g_free);
    const char *at = g_strrstr(definition, " WITH ");

    at = at != NULL ? at + strlen(" WITH ") : "";
    while (*at != '\0' && *at != ';') {
        const gboolean has_value = g_str_has_prefix(at, "CONNECTION LIMIT ") || g_str_has_prefix(at, "VALID UNTIL ");
        const char *value = has_value ? strchr(strchr(at, ' ') + 1, ' ') + 1 : at;
        const char *end = *value == '\'' ? strchr(value + 1, '\'') : NULL;
        end = end != NULL ? end + 1 : value + strcspn(value, " ;");
        g_ptr_array_add(attributes, g_strndup(at, (gsize)(end - at)));
        at = end + strspn(end, " ");
    }
    return attributes;
}

/* Those of one that the other has not; NULL: there are none. The caller's */
static char *report_attributes(const char *one, const char *other)
{
    g_autoptr(GPtrArray) own = list_attributes(one), others = list_attributes(other);
    GString *text = g_string_new(NULL);

    for (guint i = 0; i < own->len; i++) {
        if (!g_ptr_array_find_with_equal_func(others, own->pdata[i], g_str_equal, NULL))
            g_string_append_printf(text, "%s%s", text->len > 0 ? " " : "", (const char *)own->pdata[i]);
    }
    return g_string_free(text, text->len == 0);
}

/* Says only what differs: naming an attribute may need more rights than changing another. Both have their WITH */
static char *make_altering(const char *definition, const char *theirs)
{
    g_autofree char *wanted = report_attributes(definition, theirs);
    const char *with = g_strrstr(definition, " WITH ");
    GString *sql = g_string_new("ALTER ROLE ");

    g_string_append_len(sql, definition, with - definition);
    g_string_append_printf(sql, " WITH%s%s", wanted != NULL ? " " : "", wanted != NULL ? wanted : "");
    append_lifting(sql, theirs, definition);
    g_string_append_c(sql, ';');
    return g_string_free(sql, FALSE);
}

/* Nothing with a password's hash in it is shown. theirs: the definition on the target; NULL: it has none */
static char *make_role_sql(const HbObject *object, const char *theirs)
{
    static const char create[] = "CREATE ROLE ";

    if (object->kind == HB_KIND_PASSWORD || strstr(object->definition, "IDENTIFIED") != NULL)
        return NULL;
    if (object->kind != HB_KIND_ROLE)
        return g_strdup(object->definition);
    return g_str_has_prefix(object->definition, create) && strstr(object->definition, " WITH ") != NULL
               ? make_altering(object->definition + strlen(create), theirs != NULL ? theirs : "")
               : NULL;
}

static HbFinding *report_other_definition(const HbDifference *difference, GPtrArray *findings)
{
    const char *to = difference->to != NULL ? difference->to : "",
               *from = difference->from != NULL ? difference->from : "";
    g_autofree char *there = report_attributes(to, from), *here = report_attributes(from, to);

    if (!g_str_has_prefix(from, "CREATE ROLE ") || (there == NULL && here == NULL))
        return hb_findings_add(findings, HB_FINDING_WARNING, "role-differs", difference->identity,
                               "exists on the target as “%s”, and stays so; in the source it is “%s”", to, from);
    if (there == NULL)
        return hb_findings_add(findings, HB_FINDING_WARNING, "role-differs", difference->identity,
                               "exists on the target without %s, and stays as it is", here);
    if (here == NULL)
        return hb_findings_add(findings, HB_FINDING_WARNING, "role-differs", difference->identity,
                               "exists on the target with %s, unlike in the source, and stays as it is", there);
    return hb_findings_add(findings, HB_FINDING_WARNING, "role-differs", difference->identity,
                           "exists on the target and stays as it is: %s there, %s in the source", there, here);
}

static void report_difference(const HbCatalog *catalog, const HbCatalog *there, const HbDifference *difference,
                              GPtrArray *findings)
{
    const HbObject *object = hb_catalog_find(catalog, difference->identity);
    const HbObject *theirs = hb_catalog_find(there, difference->identity);
    g_autofree char *sql = make_role_sql(object, theirs != NULL ? theirs->definition : NULL);
    HbFinding *finding;

    if (object->kind == HB_KIND_PASSWORD)
        finding = hb_findings_add(findings, HB_FINDING_WARNING, "role-differs", difference->identity,
                                  "exists on the target with another password, which it keeps");
    else if (difference->type == HB_DIFFERENCE_MISSING)
        finding = hb_findings_add(findings, HB_FINDING_WARNING, "role-differs", difference->identity,
                                  "the user exists on the target without it, and stays as it is");
    else
        finding = report_other_definition(difference, findings);
    if (sql != NULL && strstr(sql, " SUPERUSER") != NULL)
        hb_finding_advise(finding, "see whether it has to be a superuser on the target, too", NULL);
    else
        hb_finding_advise(finding, sql != NULL ? "if it should be as in the source" : NULL, sql);
}

static void check_differences(const HbCatalog *catalog, const HbCatalog *there, const HbDialect *dialect,
                              GPtrArray *findings)
{
    g_autoptr(GPtrArray) differences = hb_compare_new();

    hb_compare_catalogs(catalog, there, dialect, HB_PART_USERS, differences);
    for (guint i = 0; i < differences->len; i++) {
        const HbDifference *difference = differences->pdata[i];
        if (find_subject(catalog, there, difference->identity) != NULL)
            report_difference(catalog, there, difference, findings);
    }
}

void hb_role_findings_add(const HbCatalog *catalog, const HbCatalog *there, const HbDialect *dialect,
                          GPtrArray *findings)
{
    check_missing(catalog, there, dialect, findings);
    check_differences(catalog, there, dialect, findings);
}
