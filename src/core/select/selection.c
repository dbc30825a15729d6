/* SPDX-License-Identifier: Apache-2.0 */
#include "core/select/selection.h"

#include "core/base/error.h"

#include <string.h>

typedef enum { OUT, SKIPPED, LOST, ALONG, TAKEN } State;

typedef struct {
    const HbSelection *choice;
    HbCatalog *catalog;
    const HbDialect *dialect;
    State *states;     /* by place */
    GHashTable *roles; /* plain name to place + 1 */
    GArray *queue;     /* guint: places whose needs are still to be followed */
} Choosing;

/* ---- Life ---- */

HbSelection *hb_selection_new(void)
{
    HbSelection *choice = g_new0(HbSelection, 1);

    choice->take = g_ptr_array_new_with_free_func((GDestroyNotify)hb_pattern_free);
    choice->skip = g_ptr_array_new_with_free_func((GDestroyNotify)hb_pattern_free);
    return choice;
}

void hb_selection_free(HbSelection *choice)
{
    if (choice == NULL)
        return;
    g_ptr_array_unref(choice->take);
    g_ptr_array_unref(choice->skip);
    g_free(choice);
}

static void copy_patterns(HbSelection *copy, const char *option, const GPtrArray *patterns)
{
    for (guint i = 0; i < patterns->len; i++)
        hb_selection_add(copy, option, ((const HbPattern *)patterns->pdata[i])->text, NULL);
}

HbSelection *hb_selection_copy(const HbSelection *choice)
{
    HbSelection *copy;

    if (choice == NULL)
        return NULL;
    copy = hb_selection_new();
    copy_patterns(copy, "take", choice->take);
    copy_patterns(copy, "skip", choice->skip);
    copy->alone = choice->alone;
    copy->lenient = choice->lenient;
    return copy;
}

HbSelection *hb_selection_new_for_server(const HbSelection *choice)
{
    HbSelection *copy = hb_selection_copy(choice);

    if (copy == NULL)
        return NULL;
    g_ptr_array_set_size(copy->take, 0);
    copy->lenient = TRUE;
    return copy;
}

gboolean hb_selection_add(HbSelection *choice, const char *option, const char *text, GError **error)
{
    HbPattern *pattern = hb_pattern_read(text, option, error);

    if (pattern == NULL)
        return FALSE;
    g_ptr_array_add(strcmp(option, "take") == 0 ? choice->take : choice->skip, pattern);
    return TRUE;
}

static gboolean has_objects(const GPtrArray *patterns)
{
    for (guint i = 0; i < patterns->len; i++) {
        if (!((const HbPattern *)patterns->pdata[i])->database)
            return TRUE;
    }
    return FALSE;
}

guint hb_selection_list_parts(const HbSelection *choice, guint parts)
{
    return hb_selection_is_partial(choice) && (parts & HB_PART_DATA) ? parts | HB_PART_SCHEMA : parts;
}

gboolean hb_selection_is_partial(const HbSelection *choice)
{
    return choice != NULL && (has_objects(choice->take) || has_objects(choice->skip));
}

/* chooses: does any of them speak of databases at all? */
static gboolean fits_database(const GPtrArray *patterns, const char *database, gboolean *chooses)
{
    gboolean fits = FALSE;

    *chooses = FALSE;
    for (guint i = 0; i < patterns->len; i++) {
        *chooses = *chooses || ((const HbPattern *)patterns->pdata[i])->database;
        fits = fits || hb_pattern_fits_database(patterns->pdata[i], database);
    }
    return fits;
}

gboolean hb_selection_takes_database(const HbSelection *choice, const char *database)
{
    gboolean chooses, taken;

    if (choice == NULL)
        return TRUE;
    taken = fits_database(choice->take, database, &chooses) || !chooses;
    return taken && !fits_database(choice->skip, database, &chooses);
}

/* ---- What belongs to what ---- */

static guint place_of(const Choosing *choosing, const char *identity)
{
    return hb_catalog_get_place(choosing->catalog, identity);
}

/* Kinds that are never there for their own sake, though what they say is no part of one object */
static gboolean follows_its_need(HbKind kind)
{
    switch (kind) {
    case HB_KIND_PLACEHOLDER:
    case HB_KIND_PASSWORD:
    case HB_KIND_MEMBERSHIP:
    case HB_KIND_ROLE_SETTING:
    case HB_KIND_PARAMETER_GRANT:
    case HB_KIND_GLOBAL_GRANT:
    case HB_KIND_SEQUENCE_LINK:
    case HB_KIND_SEQUENCE_VALUE:
    case HB_KIND_GRANT:
    case HB_KIND_REFRESH:
    case HB_KIND_PACKAGE_BODY:
        return TRUE;
    default:
        return FALSE;
    }
}

/* A right on the whole database needs nobody but who gets it */
static gboolean is_on_database(const HbObject *object)
{
    return object->kind == HB_KIND_GRANT && g_str_has_prefix(object->needs->pdata[0], "role ");
}

/* The object that this one is a part of, or comes with; FALSE: it stands for itself */
static gboolean find_subject(const Choosing *choosing, const HbObject *object, guint *place)
{
    const char *subject = object->on;

    if (subject == NULL && follows_its_need(object->kind) && object->needs->len > 0 && !is_on_database(object))
        subject = object->needs->pdata[0];
    if (subject == NULL || hb_catalog_find(choosing->catalog, subject) == NULL)
        return FALSE;
    *place = place_of(choosing, subject);
    return TRUE;
}

static gboolean fits_any(const GPtrArray *patterns, const HbObject *object)
{
    for (guint i = 0; i < patterns->len; i++) {
        if (hb_pattern_fits(patterns->pdata[i], object))
            return TRUE;
    }
    return FALSE;
}

/* Is a schema that it stands in meant by one of the patterns? */
static gboolean stands_in_any(const Choosing *choosing, const GPtrArray *patterns, const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        const char *need = object->needs->pdata[n];
        if (g_str_has_prefix(need, "schema ") && fits_any(patterns, hb_catalog_find(choosing->catalog, need)))
            return TRUE;
    }
    return FALSE;
}

static gboolean is_meant(const Choosing *choosing, const GPtrArray *patterns, const HbObject *object)
{
    return fits_any(patterns, object) || stands_in_any(choosing, patterns, object);
}

/*
 * Keys, indexes and triggers come after the rows of their table but do without them. A foreign key does not: rows that
 * point to others need those.
 */
static gboolean is_real_need(const Choosing *choosing, const HbObject *object, const char *need)
{
    g_autofree char *own_rows = NULL;
    const HbObject *own;

    if (!g_str_has_prefix(need, "rows "))
        return TRUE;
    if (object->kind != HB_KIND_FOREIGN_KEY || object->on == NULL)
        return FALSE;
    own_rows = hb_identity_new(HB_KIND_ROWS, strchr(object->on, ' ') + 1);
    own = hb_catalog_find(choosing->catalog, own_rows);
    if (own == NULL || strcmp(need, own_rows) == 0)
        return FALSE;
    return choosing->states[place_of(choosing, own_rows)] >= ALONG;
}

/* ---- Users who are named rather than needed ---- */

static void index_roles(Choosing *choosing)
{
    choosing->roles = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    for (guint i = 0; i < hb_catalog_count(choosing->catalog); i++) {
        const HbObject *object = hb_catalog_get(choosing->catalog, i);
        if (object->kind == HB_KIND_ROLE)
            g_hash_table_insert(choosing->roles, hb_lexer_unquote_name(hb_object_get_name(object)),
                                GUINT_TO_POINTER(i + 1));
    }
}

static void take_along(Choosing *choosing, guint place)
{
    if (choosing->states[place] != OUT)
        return;
    choosing->states[place] = ALONG;
    g_array_append_val(choosing->queue, place);
}

static void take_role_along(Choosing *choosing, const char *name)
{
    guint found = GPOINTER_TO_UINT(g_hash_table_lookup(choosing->roles, name));

    if (found != 0)
        take_along(choosing, found - 1);
}

static void take_named_users(Choosing *choosing, const HbObject *object)
{
    g_autoptr(GPtrArray) names = choosing->dialect->list_role_mentions(object);

    for (guint i = 0; i < names->len; i++)
        take_role_along(choosing, names->pdata[i]);
}

static gboolean names_absent_users(const Choosing *choosing, const HbObject *object)
{
    g_autoptr(GPtrArray) names = choosing->dialect->list_role_mentions(object);

    for (guint i = 0; i < names->len; i++) {
        guint found = GPOINTER_TO_UINT(g_hash_table_lookup(choosing->roles, names->pdata[i]));
        if (found != 0 && choosing->states[found - 1] == OUT)
            return TRUE;
    }
    return FALSE;
}

/* ---- Choosing ---- */

/* Who skips users has them on the target already: what is for them, or needs their rights, is not lost */
static gboolean is_about_users(const HbObject *object, const HbObject *need)
{
    gboolean is_user = hb_kind_get_traits(object->kind)->part == HB_PART_USERS;

    return need->kind == HB_KIND_GRANT || (hb_kind_get_traits(need->kind)->part == HB_PART_USERS && !is_user);
}

static gboolean has_lost_need(const Choosing *choosing, const HbObject *object, const char **lost)
{
    for (guint n = 0; n < object->needs->len; n++) {
        const HbObject *need = hb_catalog_find(choosing->catalog, object->needs->pdata[n]);
        State state = choosing->states[place_of(choosing, need->identity)];
        *lost = need->identity;
        if ((state == SKIPPED || state == LOST) && need->kind != HB_KIND_ROWS && !is_about_users(object, need))
            return TRUE;
    }
    return FALSE;
}

static void name_lost(Choosing *choosing, const HbObject *object, const char *need)
{
    g_autofree char *why = g_strdup_printf("it needs %s, which is skipped", need);

    hb_catalog_add_omission(choosing->catalog, object->identity, why);
}

static gboolean is_taken(const Choosing *choosing, const HbObject *object, gboolean has_subject, guint subject)
{
    return !has_objects(choosing->choice->take) || is_meant(choosing, choosing->choice->take, object) ||
           (has_subject && choosing->states[subject] == TAKEN);
}

/* In the catalog's order, so that what an object needs, and what it is a part of, has its state already */
static void judge(Choosing *choosing, guint place)
{
    const HbObject *object = hb_catalog_get(choosing->catalog, place);
    guint subject = 0;
    gboolean has_subject = find_subject(choosing, object, &subject);
    State above = has_subject ? choosing->states[subject] : OUT;
    const char *need;

    if (above == SKIPPED || is_meant(choosing, choosing->choice->skip, object)) {
        choosing->states[place] = SKIPPED;
    } else if (above == LOST || has_lost_need(choosing, object, &need)) {
        choosing->states[place] = LOST;
        if (above != LOST && object->kind != HB_KIND_PLACEHOLDER && is_taken(choosing, object, has_subject, subject))
            name_lost(choosing, object, need);
    } else if (is_taken(choosing, object, has_subject, subject)) {
        choosing->states[place] = TAKEN;
        g_array_append_val(choosing->queue, place);
    }
}

static void follow_needs(Choosing *choosing)
{
    for (guint at = 0; at < choosing->queue->len; at++) {
        const HbObject *object = hb_catalog_get(choosing->catalog, g_array_index(choosing->queue, guint, at));
        for (guint n = 0; n < object->needs->len; n++) {
            if (is_real_need(choosing, object, object->needs->pdata[n]))
                take_along(choosing, place_of(choosing, object->needs->pdata[n]));
        }
        take_named_users(choosing, object);
    }
    g_array_set_size(choosing->queue, 0);
}

static gboolean is_complete(const Choosing *choosing, const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        const char *need = object->needs->pdata[n];
        gboolean counts = object->kind == HB_KIND_FOREIGN_KEY || !g_str_has_prefix(need, "rows ");
        if (counts && choosing->states[place_of(choosing, need)] < ALONG)
            return FALSE;
    }
    return !names_absent_users(choosing, object);
}

/* What comes along is as whole as it can be without bringing more */
static void take_parts_along(Choosing *choosing)
{
    guint subject;

    for (guint i = 0; i < hb_catalog_count(choosing->catalog); i++) {
        const HbObject *object = hb_catalog_get(choosing->catalog, i);
        if (choosing->states[i] == OUT && object->kind != HB_KIND_ROWS && find_subject(choosing, object, &subject) &&
            choosing->states[subject] == ALONG && is_complete(choosing, object))
            choosing->states[i] = ALONG;
    }
}

/* A foreign key whose table has its rows, while those that it points to are skipped */
static void lose_dangling_keys(Choosing *choosing)
{
    for (guint i = 0; i < hb_catalog_count(choosing->catalog); i++) {
        const HbObject *object = hb_catalog_get(choosing->catalog, i);
        for (guint n = 0; object->kind == HB_KIND_FOREIGN_KEY && n < object->needs->len; n++) {
            const char *need = object->needs->pdata[n];
            State state = choosing->states[place_of(choosing, need)];
            if (choosing->states[i] < ALONG || !is_real_need(choosing, object, need) || state >= ALONG)
                continue;
            choosing->states[i] = LOST;
            name_lost(choosing, object, need);
        }
    }
}

static void finish(Choosing *choosing, GPtrArray *along)
{
    g_autoptr(GHashTable) gone = g_hash_table_new(g_str_hash, g_str_equal);
    gboolean alone = choosing->choice->alone;

    for (guint i = 0; i < hb_catalog_count(choosing->catalog); i++) {
        const HbObject *object = hb_catalog_get(choosing->catalog, i);
        guint subject;
        if (choosing->states[i] == ALONG && along != NULL && object->kind != HB_KIND_PLACEHOLDER &&
            !find_subject(choosing, object, &subject))
            g_ptr_array_add(along, g_strdup(object->identity));
        if (choosing->states[i] < (alone ? TAKEN : ALONG))
            g_hash_table_add(gone, object->identity);
    }
    if (g_hash_table_size(gone) > 0)
        hb_catalog_remove(choosing->catalog, gone);
}

static gboolean fits_something(const HbPattern *pattern, const HbCatalog *catalog)
{
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        if (hb_pattern_fits(pattern, hb_catalog_get(catalog, i)))
            return TRUE;
    }
    return pattern->database;
}

static gboolean check_patterns(const GPtrArray *patterns, const char *option, gboolean open_may_miss,
                               const HbCatalog *catalog, GError **error)
{
    for (guint i = 0; i < patterns->len; i++) {
        const HbPattern *pattern = patterns->pdata[i];
        if (!(open_may_miss && hb_pattern_is_open(pattern)) && !fits_something(pattern, catalog))
            return hb_error_set(error, HB_ERROR_USAGE, "see the names: `hornbeam show DUMP`, or `hornbeam survey`",
                                "--%s %s: there is no such object", option, pattern->text);
    }
    return TRUE;
}

gboolean hb_selection_apply(const HbSelection *choice, HbCatalog *catalog, const HbDialect *dialect, gboolean strict,
                            GPtrArray *along, GError **error)
{
    guint count = hb_catalog_count(catalog);
    Choosing choosing = {.choice = choice, .catalog = catalog, .dialect = dialect};

    if (!hb_selection_is_partial(choice))
        return TRUE;
    if (strict && !choice->lenient &&
        (!check_patterns(choice->take, "take", FALSE, catalog, error) ||
         !check_patterns(choice->skip, "skip", TRUE, catalog, error)))
        return FALSE;
    choosing.states = g_new0(State, count);
    choosing.queue = g_array_new(FALSE, FALSE, sizeof(guint));
    index_roles(&choosing);
    for (guint i = 0; i < count; i++)
        judge(&choosing, i);
    follow_needs(&choosing);
    take_parts_along(&choosing);
    lose_dangling_keys(&choosing);
    finish(&choosing, along);
    g_hash_table_unref(choosing.roles);
    g_array_unref(choosing.queue);
    g_free(choosing.states);
    return TRUE;
}

/* ---- What is left out ---- */

/* "index garden.plot_idx" in "secret options of index garden.plot_idx": a kind's name at the beginning, or after a
 * blank. NULL: it names no object; the caller's */
static HbObject *find_named(const char *what)
{
    for (const char *word = what; word != NULL; word = strchr(word, ' ') != NULL ? strchr(word, ' ') + 1 : NULL) {
        const char *blank = strchr(word, ' ');
        g_autofree char *kind_name = blank != NULL ? g_strndup(word, (gsize)(blank - word)) : NULL;
        HbKind kind;
        if (kind_name != NULL && hb_kind_find(kind_name, &kind))
            return hb_object_new(kind, blank + 1);
    }
    return NULL;
}

/* Patterns speak of these by their own names; what hangs on a table, say, is taken with that */
static gboolean is_of_its_own(const HbObject *object)
{
    return hb_kind_is_relation(object->kind) || object->kind == HB_KIND_FUNCTION || object->kind == HB_KIND_PROCEDURE ||
           object->kind == HB_KIND_TYPE || object->kind == HB_KIND_FOREIGN_SERVER ||
           object->kind == HB_KIND_USER_MAPPING || object->kind == HB_KIND_FOREIGN_DATA_WRAPPER ||
           object->kind == HB_KIND_SUBSCRIPTION || object->kind == HB_KIND_PUBLICATION ||
           object->kind == HB_KIND_EVENT || object->kind == HB_KIND_ROLE;
}

static gboolean is_missed(const HbSelection *choice, guint parts, const HbCatalog *catalog, const HbObject *object)
{
    if ((hb_kind_get_traits(object->kind)->part & parts) == 0)
        return FALSE;
    if (choice == NULL || hb_catalog_find(catalog, object->identity) != NULL)
        return TRUE;
    if (fits_any(choice->skip, object))
        return FALSE;
    return choice->take->len == 0 || !is_of_its_own(object) || fits_any(choice->take, object);
}

void hb_selection_apply_to_omissions(const HbSelection *choice, guint parts, HbCatalog *catalog)
{
    const GPtrArray *omissions = hb_catalog_get_omissions(catalog);

    for (guint i = omissions->len; i-- > 0;) {
        HbObject *object = find_named(((const HbOmission *)omissions->pdata[i])->what);
        if (object != NULL && !is_missed(choice, parts, catalog, object))
            hb_catalog_remove_omission(catalog, i);
        hb_object_free(object);
    }
}
