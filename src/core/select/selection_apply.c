/* SPDX-License-Identifier: Apache-2.0 */
#include "core/select/selection_inner.h"

#include "core/base/error.h"
#include "core/sql/lexer.h"

#include <string.h>

/*
 * Patterns choose objects by kind and name; what a chosen object needs comes along, and what needs a skipped one goes
 * with it. Wishes are followed from need to need through a queue. Losses spread in one pass, because needs come before
 * what needs them in the catalog's order.
 */

typedef enum { OUT, SKIPPED, LOST, PULLED_IN, TAKEN } State;

typedef struct {
    const HbSelection *selection;
    HbCatalog *catalog;
    const HbDialect *dialect;
    State *states;     /* by place */
    GHashTable *roles; /* plain name to place + 1 */
    GArray *queue;     /* guint: places whose needs are still to be followed */
} Selecting;

/* ---- What belongs to what ---- */

static guint place_of(const Selecting *selecting, const char *identity)
{
    return hb_catalog_get_place(selecting->catalog, identity);
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

/* A grant on the whole database needs only its grantee */
static gboolean is_on_database(const HbObject *object)
{
    return object->kind == HB_KIND_GRANT && g_str_has_prefix(object->needs->pdata[0], "role ");
}

/* The object that this one is a part of, or comes with; FALSE: it stands for itself */
static gboolean find_subject(const Selecting *selecting, const HbObject *object, guint *place)
{
    const char *subject = object->on;

    if (subject == NULL && follows_its_need(object->kind) && object->needs->len > 0 && !is_on_database(object))
        subject = object->needs->pdata[0];
    if (subject == NULL || hb_catalog_find(selecting->catalog, subject) == NULL)
        return FALSE;
    *place = place_of(selecting, subject);
    return TRUE;
}

/* What a placeholder stands for; NULL: it is none */
static const HbObject *find_real(const Selecting *selecting, const HbObject *object)
{
    return object->kind == HB_KIND_PLACEHOLDER ? hb_catalog_find(selecting->catalog, hb_object_get_name(object)) : NULL;
}

gboolean hb_selection_fits_any(const GPtrArray *patterns, const HbObject *object)
{
    for (guint i = 0; i < patterns->len; i++) {
        if (hb_pattern_fits(patterns->pdata[i], object))
            return TRUE;
    }
    return FALSE;
}

/* Is a schema that it stands in meant by one of the patterns? */
static gboolean stands_in_any(const Selecting *selecting, const GPtrArray *patterns, const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        const char *need = object->needs->pdata[n];
        if (g_str_has_prefix(need, "schema ") &&
            hb_selection_fits_any(patterns, hb_catalog_find(selecting->catalog, need)))
            return TRUE;
    }
    return FALSE;
}

static gboolean is_meant(const Selecting *selecting, const GPtrArray *patterns, const HbObject *object)
{
    return hb_selection_fits_any(patterns, object) || stands_in_any(selecting, patterns, object);
}

/*
 * Keys, indexes and triggers come after the rows of their table but do without them. A foreign key does not: rows that
 * point to others need those.
 */
static gboolean is_real_need(const Selecting *selecting, const HbObject *object, const char *need)
{
    g_autofree char *own_rows = NULL;
    const HbObject *own;

    if (!g_str_has_prefix(need, "rows "))
        return TRUE;
    if (object->kind != HB_KIND_FOREIGN_KEY || object->on == NULL)
        return FALSE;
    own_rows = hb_identity_new(HB_KIND_ROWS, strchr(object->on, ' ') + 1);
    own = hb_catalog_find(selecting->catalog, own_rows);
    if (own == NULL || strcmp(need, own_rows) == 0)
        return FALSE;
    return selecting->states[place_of(selecting, own_rows)] >= PULLED_IN;
}

/* ---- Users that are named rather than needed ---- */

static void index_roles(Selecting *selecting)
{
    selecting->roles = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    for (guint i = 0; i < hb_catalog_count(selecting->catalog); i++) {
        const HbObject *object = hb_catalog_get(selecting->catalog, i);
        if (object->kind == HB_KIND_ROLE)
            g_hash_table_insert(selecting->roles, hb_lexer_unquote_name(hb_object_get_name(object)),
                                GUINT_TO_POINTER(i + 1));
    }
}

static void pull_in(Selecting *selecting, guint place)
{
    if (selecting->states[place] != OUT)
        return;
    selecting->states[place] = PULLED_IN;
    g_array_append_val(selecting->queue, place);
}

static void pull_in_role(Selecting *selecting, const char *name)
{
    guint found = GPOINTER_TO_UINT(g_hash_table_lookup(selecting->roles, name));

    if (found != 0)
        pull_in(selecting, found - 1);
}

static void take_named_users(Selecting *selecting, const HbObject *object)
{
    g_autoptr(GPtrArray) names = selecting->dialect->list_role_mentions(object);

    for (guint i = 0; i < names->len; i++)
        pull_in_role(selecting, names->pdata[i]);
}

static gboolean names_absent_users(const Selecting *selecting, const HbObject *object)
{
    g_autoptr(GPtrArray) names = selecting->dialect->list_role_mentions(object);

    for (guint i = 0; i < names->len; i++) {
        guint found = GPOINTER_TO_UINT(g_hash_table_lookup(selecting->roles, names->pdata[i]));
        if (found != 0 && selecting->states[found - 1] == OUT)
            return TRUE;
    }
    return FALSE;
}

/* ---- Choosing ---- */

/* Skipped users are expected on the target: what is granted to them, or needs their privileges, is not lost */
static gboolean is_about_users(const HbObject *object, const HbObject *need)
{
    gboolean is_user = hb_kind_get_traits(object->kind)->part == HB_PART_USERS;

    return need->kind == HB_KIND_GRANT || (hb_kind_get_traits(need->kind)->part == HB_PART_USERS && !is_user);
}

static gboolean has_lost_need(const Selecting *selecting, const HbObject *object, const char **lost)
{
    for (guint n = 0; n < object->needs->len; n++) {
        const HbObject *need = hb_catalog_find(selecting->catalog, object->needs->pdata[n]);
        State state = selecting->states[place_of(selecting, need->identity)];
        *lost = need->identity;
        if ((state == SKIPPED || state == LOST) && need->kind != HB_KIND_ROWS && !is_about_users(object, need))
            return TRUE;
    }
    return FALSE;
}

/* Does it need, however far, what is to be skipped? seen: HbObject * */
static gboolean has_skipped_below(const Selecting *selecting, const HbObject *object, GHashTable *seen)
{
    if (is_meant(selecting, selecting->selection->skip, object))
        return TRUE;
    for (guint n = 0; n < object->needs->len; n++) {
        const HbObject *need = hb_catalog_find(selecting->catalog, object->needs->pdata[n]);
        if (need->kind != HB_KIND_ROWS && !is_about_users(object, need) && g_hash_table_add(seen, (gpointer)need) &&
            has_skipped_below(selecting, need, seen))
            return TRUE;
    }
    return FALSE;
}

/* A placeholder that nothing would replace must not stay for the object itself */
static gboolean stays_empty(const Selecting *selecting, const HbObject *object)
{
    const HbObject *real = find_real(selecting, object);
    g_autoptr(GHashTable) seen = g_hash_table_new(NULL, NULL);

    return real != NULL && has_skipped_below(selecting, real, seen);
}

static void name_lost(Selecting *selecting, const HbObject *object, const char *need)
{
    const HbObject *real = find_real(selecting, hb_catalog_find(selecting->catalog, need));
    g_autofree char *why = g_strdup_printf("it needs %s, which is skipped", real != NULL ? real->identity : need);

    hb_catalog_add_omission(selecting->catalog, object->identity, why);
}

static gboolean is_taken(const Selecting *selecting, const HbObject *object, gboolean has_subject, guint subject)
{
    return !hb_selection_has_objects(selecting->selection->take) ||
           is_meant(selecting, selecting->selection->take, object) ||
           (has_subject && selecting->states[subject] == TAKEN);
}

/* In the catalog's order, so that what an object needs, and what it is a part of, has its state already */
static void conflicts(Selecting *selecting, guint place)
{
    const HbObject *object = hb_catalog_get(selecting->catalog, place);
    guint subject = 0;
    gboolean has_subject = find_subject(selecting, object, &subject);
    State above = has_subject ? selecting->states[subject] : OUT;
    const char *need;

    if (above == SKIPPED || is_meant(selecting, selecting->selection->skip, object) || stays_empty(selecting, object)) {
        selecting->states[place] = SKIPPED;
    } else if (above == LOST || has_lost_need(selecting, object, &need)) {
        selecting->states[place] = LOST;
        if (above != LOST && object->kind != HB_KIND_PLACEHOLDER && is_taken(selecting, object, has_subject, subject))
            name_lost(selecting, object, need);
    } else if (is_taken(selecting, object, has_subject, subject)) {
        selecting->states[place] = TAKEN;
        g_array_append_val(selecting->queue, place);
    }
}

static void follow_needs(Selecting *selecting)
{
    for (guint at = 0; at < selecting->queue->len; at++) {
        const HbObject *object = hb_catalog_get(selecting->catalog, g_array_index(selecting->queue, guint, at));
        for (guint n = 0; n < object->needs->len; n++) {
            if (is_real_need(selecting, object, object->needs->pdata[n]))
                pull_in(selecting, place_of(selecting, object->needs->pdata[n]));
        }
        if (find_real(selecting, object) != NULL)
            pull_in(selecting, place_of(selecting, hb_object_get_name(object)));
        take_named_users(selecting, object);
    }
    g_array_set_size(selecting->queue, 0);
}

static gboolean is_complete(const Selecting *selecting, const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        const char *need = object->needs->pdata[n];
        gboolean counts = object->kind == HB_KIND_FOREIGN_KEY || !g_str_has_prefix(need, "rows ");
        if (counts && selecting->states[place_of(selecting, need)] < PULLED_IN)
            return FALSE;
    }
    return !names_absent_users(selecting, object);
}

/* What comes along is as whole as it can be without bringing more */
static void take_parts_along(Selecting *selecting)
{
    guint subject;

    for (guint i = 0; i < hb_catalog_count(selecting->catalog); i++) {
        const HbObject *object = hb_catalog_get(selecting->catalog, i);
        if (selecting->states[i] == OUT && object->kind != HB_KIND_ROWS && find_subject(selecting, object, &subject) &&
            selecting->states[subject] == PULLED_IN && is_complete(selecting, object))
            selecting->states[i] = PULLED_IN;
    }
}

/* A foreign key whose table has its rows, while those that it points to are skipped */
static void lose_dangling_keys(Selecting *selecting)
{
    for (guint i = 0; i < hb_catalog_count(selecting->catalog); i++) {
        const HbObject *object = hb_catalog_get(selecting->catalog, i);
        for (guint n = 0; object->kind == HB_KIND_FOREIGN_KEY && n < object->needs->len; n++) {
            const char *need = object->needs->pdata[n];
            State state = selecting->states[place_of(selecting, need)];
            if (selecting->states[i] < PULLED_IN || !is_real_need(selecting, object, need) || state >= PULLED_IN)
                continue;
            selecting->states[i] = LOST;
            name_lost(selecting, object, need);
        }
    }
}

static void finish(Selecting *selecting, GPtrArray *pulled_in)
{
    g_autoptr(GHashTable) gone = g_hash_table_new(g_str_hash, g_str_equal);
    gboolean without_needs = selecting->selection->without_needs;

    for (guint i = 0; i < hb_catalog_count(selecting->catalog); i++) {
        const HbObject *object = hb_catalog_get(selecting->catalog, i);
        guint subject;
        if (selecting->states[i] == PULLED_IN && pulled_in != NULL && object->kind != HB_KIND_PLACEHOLDER &&
            !find_subject(selecting, object, &subject))
            g_ptr_array_add(pulled_in, g_strdup(object->identity));
        if (selecting->states[i] < (without_needs ? TAKEN : PULLED_IN))
            g_hash_table_add(gone, object->identity);
    }
    if (g_hash_table_size(gone) > 0)
        hb_catalog_remove(selecting->catalog, gone);
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

gboolean hb_selection_apply(const HbSelection *selection, HbCatalog *catalog, const HbDialect *dialect, gboolean strict,
                            GPtrArray *pulled_in, GError **error)
{
    guint count = hb_catalog_count(catalog);
    Selecting selecting = {.selection = selection, .catalog = catalog, .dialect = dialect};

    if (!hb_selection_is_partial(selection))
        return TRUE;
    if (strict && !selection->lenient &&
        (!check_patterns(selection->take, "take", FALSE, catalog, error) ||
         !check_patterns(selection->skip, "skip", TRUE, catalog, error)))
        return FALSE;
    selecting.states = g_new0(State, count);
    selecting.queue = g_array_new(FALSE, FALSE, sizeof(guint));
    index_roles(&selecting);
    for (guint i = 0; i < count; i++)
        conflicts(&selecting, i);
    follow_needs(&selecting);
    take_parts_along(&selecting);
    lose_dangling_keys(&selecting);
    finish(&selecting, pulled_in);
    g_hash_table_unref(selecting.roles);
    g_array_unref(selecting.queue);
    g_free(selecting.states);
    return TRUE;
}
