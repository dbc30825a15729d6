/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/target_cleanup.h"

#include "core/base/json_text.h"
#include "core/base/name_list.h"
#include "core/compare/compare.h"
#include "core/graph/order.h"

#include <string.h>

/*
 * The decision about what a target has, as statements in an order that works: foreign keys off before their tables go,
 * what needs another thing before that thing. It is written into the target's journal as one text, signed where others
 * could write there, and read back by a run that goes on: by then what is there is partly its own, and nothing is
 * decided twice.
 */

/* ---- Life ---- */

static void item_free(gpointer data)
{
    HbCleanupItem *item = data;

    g_free(item->identity);
    g_free(item->sql);
    g_free(item->definition);
    g_ptr_array_unref(item->needs);
    g_free(item);
}

/* Takes sql */
static HbCleanupItem *add_item(GPtrArray *items, const char *identity, char *sql, const char *definition)
{
    HbCleanupItem *item = g_new0(HbCleanupItem, 1);

    item->identity = g_strdup(identity);
    item->sql = sql;
    item->definition = g_strdup(definition);
    item->needs = g_ptr_array_new_with_free_func(g_free);
    g_ptr_array_add(items, item);
    return item;
}

static HbTargetCleanup *clearing_new(void)
{
    HbTargetCleanup *cleanup = g_new0(HbTargetCleanup, 1);

    cleanup->kept = g_ptr_array_new_with_free_func(g_free);
    cleanup->dropped = g_ptr_array_new_with_free_func(item_free);
    cleanup->emptied = g_ptr_array_new_with_free_func(item_free);
    cleanup->suspended = g_ptr_array_new_with_free_func(item_free);
    cleanup->rows = g_ptr_array_new_with_free_func(g_free);
    return cleanup;
}

void hb_target_cleanup_free(HbTargetCleanup *cleanup)
{
    if (cleanup == NULL)
        return;
    g_ptr_array_unref(cleanup->kept);
    g_ptr_array_unref(cleanup->dropped);
    g_ptr_array_unref(cleanup->emptied);
    g_ptr_array_unref(cleanup->suspended);
    g_ptr_array_unref(cleanup->rows);
    g_free(cleanup);
}

/* ---- Deciding ---- */

static void take_suspended(HbTargetCleanup *cleanup, const HbConflictInput *input, const HbEngine *engine,
                           const HbConflictDecision *outcome)
{
    g_autoptr(GHashTable) taken = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < outcome->suspended->len; i++) {
        const HbObject *object = outcome->suspended->pdata[i];
        HbCleanupItem *item = add_item(cleanup->suspended, object->identity,
                                       engine->dialect->make_drop_sql(input->there, object), object->definition);
        for (guint n = 0; n < object->needs->len; n++) {
            if (g_hash_table_contains(taken, object->needs->pdata[n]))
                g_ptr_array_add(item->needs, g_strdup(object->needs->pdata[n]));
        }
        g_hash_table_add(taken, object->identity);
    }
}

static void take_dropped(HbTargetCleanup *cleanup, const HbConflictInput *input, const HbEngine *engine,
                         const HbConflictDecision *outcome, GPtrArray *findings)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(input->there);

    for (guint i = 0; i < outcome->dropped->len; i++) {
        const HbObject *object = outcome->dropped->pdata[i];
        add_item(cleanup->dropped, object->identity, engine->dialect->make_drop_sql(input->there, object), NULL);
        if (object->on != NULL)
            continue;
        cleanup->objects++;
        if (hb_catalog_find(input->wanted, object->identity) != NULL)
            hb_findings_add(findings, HB_FINDING_WARNING, "dropped", object->identity,
                            "will be dropped, and come anew");
    }
    for (guint i = 0; i < sets->len; i++) {
        const HbRowSet *set = sets->pdata[i];
        if (g_hash_table_contains(outcome->gone, set->identity) && g_hash_table_contains(input->holding, set->identity))
            g_ptr_array_add(cleanup->rows, g_strdup(set->identity));
    }
}

/* What stays, and is not what would have come */
static void report_differences(const HbEngine *engine, const HbConflictInput *input, const HbConflictDecision *outcome,
                               GPtrArray *findings)
{
    g_autoptr(GPtrArray) differences = hb_compare_new();

    hb_compare_catalogs(input->wanted, input->there, engine->dialect, HB_PART_SCHEMA | HB_PART_SETTINGS, differences);
    for (guint i = 0; i < differences->len; i++) {
        const HbDifference *difference = differences->pdata[i];
        const char *what = difference->type == HB_DIFFERENCE_OWNER ? "belongs to" : "is";
        if ((difference->type != HB_DIFFERENCE_DEFINITION && difference->type != HB_DIFFERENCE_OWNER) ||
            !g_hash_table_contains(outcome->kept, difference->identity))
            continue;
        hb_findings_add(findings, HB_FINDING_WARNING, "exists-otherwise", difference->identity,
                        "is there already and stays; it %s “%s” there, and “%s” in the source", what,
                        difference->to != NULL ? difference->to : "", difference->from != NULL ? difference->from : "");
    }
}

#define NAMED_MAX 8

static void report_rows_that_stay(const HbConflictInput *input, const HbConflictDecision *outcome, GPtrArray *findings)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(input->wanted);
    HbNameList names;

    hb_name_list_init(&names, NAMED_MAX);
    for (guint i = 0; input->wish != HB_EXISTING_STOP && i < sets->len; i++) {
        const HbRowSet *set = sets->pdata[i];
        if (g_hash_table_contains(outcome->kept, set->identity))
            hb_name_list_add(&names, set->table);
    }
    g_autofree char *list = hb_name_list_end(&names);
    if (names.count > 0)
        hb_findings_add(findings, HB_FINDING_WARNING, "stays", list, "%s rows already: none are loaded into %s",
                        names.count == 1 ? "holds" : "hold", names.count == 1 ? "it" : "them");
}

static void report_items(const GPtrArray *items, const char *name, const char *what, GPtrArray *findings)
{
    for (guint i = 0; i < items->len; i++) {
        const HbCleanupItem *item = items->pdata[i];
        if (item->sql != NULL)
            hb_findings_add(findings, HB_FINDING_WARNING, name, item->identity, "%s", what);
    }
}

HbTargetCleanup *hb_target_cleanup_new(const HbConflictInput *input, const HbEngine *engine, GPtrArray *findings)
{
    HbTargetCleanup *cleanup = clearing_new();
    HbConflictDecision outcome;
    GHashTableIter iter;
    gpointer identity;

    hb_conflicts_decide(input, &outcome, findings);
    g_hash_table_iter_init(&iter, outcome.kept);
    while (g_hash_table_iter_next(&iter, &identity, NULL))
        g_ptr_array_add(cleanup->kept, g_strdup(identity));
    for (guint i = 0; i < outcome.emptied->len; i++) {
        const HbRowSet *set = outcome.emptied->pdata[i];
        add_item(cleanup->emptied, set->identity, engine->dialect->make_empty_sql(set), NULL);
    }
    take_dropped(cleanup, input, engine, &outcome, findings);
    take_suspended(cleanup, input, engine, &outcome);
    report_items(cleanup->emptied, "emptied", "will be deleted, and others loaded", findings);
    report_items(cleanup->suspended, "set-aside",
                 "will be taken off while rows come, and put back as the target has it", findings);
    report_differences(engine, input, &outcome, findings);
    report_rows_that_stay(input, &outcome, findings);
    hb_conflict_decision_clear(&outcome);
    return cleanup;
}

/* ---- The journal's note: (kept, rows, dropped, emptied, aside), as GLib writes such values ---- */

#define NOTE_ITEMS "a(smsmsasu)"
#define NOTE_FORM  "(asas" NOTE_ITEMS NOTE_ITEMS NOTE_ITEMS ")"

/* Such values hold UTF-8 only, which names and statements need not be. NULL stays NULL */
static GVariant *write_text(const char *text)
{
    return text != NULL ? g_variant_new_take_string(hb_json_text_write(text)) : NULL;
}

static GVariant *write_names(const GPtrArray *names)
{
    GVariantBuilder builder;

    g_variant_builder_init(&builder, G_VARIANT_TYPE_STRING_ARRAY);
    for (guint i = 0; i < names->len; i++)
        g_variant_builder_add_value(&builder, write_text(names->pdata[i]));
    return g_variant_builder_end(&builder);
}

static GVariant *write_items(const GPtrArray *items)
{
    GVariantBuilder builder;

    g_variant_builder_init(&builder, G_VARIANT_TYPE(NOTE_ITEMS));
    for (guint i = 0; i < items->len; i++) {
        const HbCleanupItem *item = items->pdata[i];
        g_variant_builder_add(&builder, "(@s@ms@ms@asu)", write_text(item->identity),
                              g_variant_new_maybe(G_VARIANT_TYPE_STRING, write_text(item->sql)),
                              g_variant_new_maybe(G_VARIANT_TYPE_STRING, write_text(item->definition)),
                              write_names(item->needs), item->turn);
    }
    return g_variant_builder_end(&builder);
}

static char *sign(const char *text, const char *key)
{
    return key != NULL ? g_compute_hmac_for_string(G_CHECKSUM_SHA256, (const guchar *)key, strlen(key), text, -1)
                       : g_strdup("unsigned");
}

char *hb_target_cleanup_write(const HbTargetCleanup *cleanup, const char *key)
{
    g_autofree char *text = NULL, *signature = NULL;

    g_autoptr(GVariant) note = g_variant_ref_sink(g_variant_new(
        "(@as@as@" NOTE_ITEMS "@" NOTE_ITEMS "@" NOTE_ITEMS ")", write_names(cleanup->kept), write_names(cleanup->rows),
        write_items(cleanup->dropped), write_items(cleanup->emptied), write_items(cleanup->suspended)));

    text = g_variant_print(note, FALSE);
    signature = sign(text, key);
    return g_strdup_printf("%s\n%s", signature, text);
}

static char *read_text(const char *text)
{
    return text != NULL ? hb_json_text_read(text) : NULL;
}

/* Takes the list */
static void read_names(GVariant *list, GPtrArray *names)
{
    GVariantIter iter;
    const char *name;

    g_variant_iter_init(&iter, list);
    while (g_variant_iter_next(&iter, "&s", &name))
        g_ptr_array_add(names, read_text(name));
    g_variant_unref(list);
}

/* Likewise */
static void read_items(GVariant *list, GPtrArray *items)
{
    GVariantIter iter;
    GVariant *needs;
    const char *identity, *sql, *definition;
    guint32 turn;

    g_variant_iter_init(&iter, list);
    while (g_variant_iter_next(&iter, "(&sm&sm&s@asu)", &identity, &sql, &definition, &needs, &turn)) {
        g_autofree char *name = read_text(identity), *again = read_text(definition);
        HbCleanupItem *item = add_item(items, name, read_text(sql), again);
        item->turn = turn;
        read_names(needs, item->needs);
    }
    g_variant_unref(list);
}

static HbTargetCleanup *read_note(const char *text, GError **error)
{
    g_autoptr(GVariant) note =
        g_utf8_validate(text, -1, NULL) ? g_variant_parse(G_VARIANT_TYPE(NOTE_FORM), text, NULL, NULL, NULL) : NULL;
    HbTargetCleanup *cleanup;

    if (note == NULL) {
        hb_error_set(error, HB_ERROR_DAMAGED, "restore into a new database",
                     "the journal in the target does not say what was to become of what is there");
        return NULL;
    }
    cleanup = clearing_new();
    read_names(g_variant_get_child_value(note, 0), cleanup->kept);
    read_names(g_variant_get_child_value(note, 1), cleanup->rows);
    read_items(g_variant_get_child_value(note, 2), cleanup->dropped);
    read_items(g_variant_get_child_value(note, 3), cleanup->emptied);
    read_items(g_variant_get_child_value(note, 4), cleanup->suspended);
    return cleanup;
}

HbTargetCleanup *hb_target_cleanup_read(const char *text, const char *key, GError **error)
{
    const char *line_end = strchr(text, '\n');
    g_autofree char *signature = line_end != NULL ? sign(line_end + 1, key) : NULL;

    if (signature != NULL && strncmp(text, signature, strlen(signature)) == 0 && text + strlen(signature) == line_end)
        return read_note(line_end + 1, error);
    hb_error_set(error, HB_ERROR_BLOCKED, "see who wrote to the journal, and restore into a new database",
                 "what the journal in the target says was not written by a restore of this dump");
    return NULL;
}

static gboolean is_missing(const HbConflictInput *input, GHashTable *journal, const char *identity)
{
    return !g_hash_table_contains(journal, identity) && hb_catalog_find(input->there, identity) == NULL &&
           hb_catalog_find(input->wanted, identity) == NULL;
}

/* A user who can write to the journal could have statements run with the privileges of the restoring role: a person
 * must agree
 */
static void report_taken_off(const HbCleanupItem *item, gboolean guarded, GPtrArray *findings)
{
    HbFinding *finding;

    if (guarded) {
        hb_findings_add(findings, HB_FINDING_WARNING, "set-aside", item->identity,
                        "was taken off by the restore that broke off, and will be put back");
        return;
    }
    finding = hb_findings_add(findings, HB_FINDING_BLOCKER, "set-aside", item->identity,
                              "was taken off by the restore that broke off, and is to be put back; but others may have "
                              "written what its journal says of it");
    hb_finding_advise(finding, "if this is what was there, --accept set-aside runs it", item->definition);
}

gboolean hb_target_cleanup_inherit(HbTargetCleanup *cleanup, GHashTable *journal, const char *note, gboolean guarded,
                                   const HbConflictInput *input, GPtrArray *findings, GError **error)
{
    const char *line_end = strchr(note, '\n');
    g_autoptr(HbTargetCleanup) earlier = read_note(line_end != NULL ? line_end + 1 : "", error);

    for (guint i = 0; earlier != NULL && i < earlier->suspended->len; i++) {
        const HbCleanupItem *item = earlier->suspended->pdata[i];
        if (!is_missing(input, journal, item->identity))
            continue;
        HbCleanupItem *own = add_item(cleanup->suspended, item->identity, NULL, item->definition);
        for (guint n = 0; n < item->needs->len; n++)
            g_ptr_array_add(own->needs, g_strdup(item->needs->pdata[n]));
        report_taken_off(item, guarded, findings);
    }
    return earlier != NULL;
}

/* ---- Turns ---- */

/* What one transaction has locked */
typedef struct {
    const HbLockCosts *costs;
    const HbCatalog *there;
    GHashTable *parts;  /* of tables: identities to GPtrArray of the identities of what is locked with them */
    GHashTable *locked; /* identities */
    guint64 beside;
} LockCount;

static GHashTable *index_parts(const HbCatalog *there)
{
    GHashTable *parts =
        g_hash_table_new_full(g_str_hash, g_str_equal, NULL, (GDestroyNotify)(void (*)(void))g_ptr_array_unref);

    for (guint i = 0; i < hb_catalog_count(there); i++) {
        const HbObject *object = hb_catalog_get(there, i);
        GPtrArray *list;
        if (object->on == NULL || (object->kind != HB_KIND_KEY && object->kind != HB_KIND_INDEX))
            continue;
        list = g_hash_table_lookup(parts, object->on);
        if (list == NULL)
            g_hash_table_insert(parts, object->on, list = g_ptr_array_new());
        g_ptr_array_add(list, object->identity);
    }
    return parts;
}

static void lock_table(LockCount *turn, const char *table, gboolean with_parts)
{
    const GPtrArray *parts = with_parts ? g_hash_table_lookup(turn->parts, table) : NULL;

    g_hash_table_add(turn->locked, (gpointer)table);
    turn->beside += with_parts ? turn->costs->beside_table : turn->costs->beside_others;
    for (guint i = 0; parts != NULL && i < parts->len; i++) {
        g_hash_table_add(turn->locked, parts->pdata[i]);
        turn->beside += turn->costs->beside_others;
    }
}

static void lock(LockCount *turn, const HbCleanupItem *item)
{
    const HbObject *object = hb_catalog_find(turn->there, item->identity);

    if (object == NULL)
        return;
    if (object->on != NULL)
        lock_table(turn, object->on, object->kind == HB_KIND_ROWS);
    else
        lock_table(turn, object->identity, object->kind == HB_KIND_TABLE);
    turn->beside += object->kind == HB_KIND_FOREIGN_KEY ? turn->costs->beside_foreign_key : 0;
    for (guint n = 0; object->kind == HB_KIND_FOREIGN_KEY && n < object->needs->len; n++) {
        if (g_str_has_prefix(object->needs->pdata[n], "table "))
            lock_table(turn, object->needs->pdata[n], FALSE);
    }
}

guint hb_target_cleanup_take_turns(HbTargetCleanup *cleanup, const HbLockCosts *costs, const HbCatalog *there,
                                   guint64 locks)
{
    g_autoptr(GPtrArray) list = hb_target_cleanup_list(cleanup);
    g_autoptr(GHashTable) parts = index_parts(there), locked = g_hash_table_new(g_str_hash, g_str_equal);
    LockCount turn = {costs, there, parts, locked, 0};
    guint number = 0;

    for (guint i = 0; i < list->len; i++) {
        HbCleanupItem *item = list->pdata[i];
        item->turn = number;
        lock(&turn, item);
        if (g_hash_table_size(locked) + turn.beside < locks || i + 1 == list->len)
            continue;
        g_hash_table_remove_all(locked);
        turn.beside = 0;
        number++;
    }
    return number + 1;
}

/* ---- Use ---- */

static gboolean put_back(HbCatalog *catalog, const HbCleanupItem *item, GError **error)
{
    const char *blank = strchr(item->identity, ' ');
    g_autofree char *kind_name = g_strndup(item->identity, (gsize)(blank - item->identity));
    HbObject *object;
    HbKind kind;

    if (!hb_kind_find(kind_name, &kind))
        return hb_error_set(error, HB_ERROR_DAMAGED, NULL, "%s: there is no such kind of object", item->identity);
    object = hb_object_new(kind, blank + 1);
    object->definition = g_strdup(item->definition);
    object->stage = HB_STAGE_COMPLETION;
    object->after = HB_AFTER_EVERYTHING;
    for (guint n = 0; n < item->needs->len; n++)
        hb_object_add_need(object, item->needs->pdata[n]);
    return hb_catalog_add(catalog, object, error);
}

gboolean hb_target_cleanup_apply(const HbTargetCleanup *cleanup, HbCatalog *catalog, GError **error)
{
    g_autoptr(GHashTable) kept = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < cleanup->kept->len; i++)
        g_hash_table_add(kept, cleanup->kept->pdata[i]);
    if (g_hash_table_size(kept) > 0)
        hb_catalog_remove(catalog, kept);
    for (guint i = 0; i < cleanup->suspended->len; i++) {
        if (!put_back(catalog, cleanup->suspended->pdata[i], error))
            return FALSE;
    }
    return cleanup->suspended->len == 0 || hb_order_arrange(catalog, error);
}

gboolean hb_target_cleanup_is_destructive(const HbTargetCleanup *cleanup)
{
    return cleanup->dropped->len + cleanup->emptied->len > 0;
}

static void add_all(GPtrArray *list, const GPtrArray *items)
{
    for (guint i = 0; i < items->len; i++) {
        if (((HbCleanupItem *)items->pdata[i])->sql != NULL)
            g_ptr_array_add(list, items->pdata[i]);
    }
}

GPtrArray *hb_target_cleanup_list(const HbTargetCleanup *cleanup)
{
    GPtrArray *list = g_ptr_array_new();

    /* What hangs on another of them comes before it */
    for (guint i = cleanup->suspended->len; i-- > 0;) {
        if (((HbCleanupItem *)cleanup->suspended->pdata[i])->sql != NULL)
            g_ptr_array_add(list, cleanup->suspended->pdata[i]);
    }
    add_all(list, cleanup->dropped);
    add_all(list, cleanup->emptied);
    return list;
}
