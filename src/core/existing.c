/* SPDX-License-Identifier: Apache-2.0 */
#include "core/existing.h"

#include "core/columns.h"

#include <string.h>

typedef struct {
    const HbMeeting *meeting;
    HbMeetingOutcome *outcome;
    GPtrArray *findings;
    GHashTable *wanted_sets; /* row sets' identities to HbRowSet * */
    GHashTable *there_sets;
    GHashTable *filled;  /* identities of tables on the target, parents of partitions among them, that get rows */
    GHashTable *aside;   /* the outcome's, as a set */
    GHashTable *feeding; /* identities of sequences that number the rows of filled tables */
    GHashTable *used;    /* of sequences that number the rows of any table */
    gboolean some_rows_stay;
    gboolean large_objects_stay;
} Judge;

/* ---- Kinds ---- */

/* Statements about something that is there; they can be given again */
static gboolean is_overlay(HbKind kind)
{
    return kind == HB_KIND_GRANT || kind == HB_KIND_COMMENT || kind == HB_KIND_SECURITY_LABEL ||
           kind == HB_KIND_DEFAULT_GRANT || kind == HB_KIND_ROW_SECURITY || kind == HB_KIND_REPLICA_IDENTITY ||
           kind == HB_KIND_DATABASE_OWNER || kind == HB_KIND_DATABASE_SETTING;
}

/* What goes when its table goes, and is nothing without it */
static gboolean is_link(HbKind kind)
{
    return kind == HB_KIND_ATTACHMENT || kind == HB_KIND_INDEX_ATTACHMENT || kind == HB_KIND_SEQUENCE_LINK ||
           kind == HB_KIND_SEQUENCE_VALUE || kind == HB_KIND_REFRESH || kind == HB_KIND_PLACEHOLDER;
}

/* What holds others, or belongs to the server, is not ours to drop */
static gboolean is_container(HbKind kind)
{
    return (hb_kind_get_traits(kind)->part & (HB_PART_USERS | HB_PART_SETTINGS)) != 0 || kind == HB_KIND_TABLESPACE ||
           kind == HB_KIND_SCHEMA || kind == HB_KIND_EXTENSION || kind == HB_KIND_LANGUAGE ||
           kind == HB_KIND_ACCESS_METHOD || kind == HB_KIND_SUBSCRIPTION || kind == HB_KIND_LOADABLE_FUNCTION;
}

static gboolean is_droppable(HbKind kind)
{
    return kind != HB_KIND_ROWS && !is_overlay(kind) && !is_link(kind) && !is_container(kind);
}

static gboolean is_part(const HbObject *object)
{
    return object->on != NULL || is_overlay(object->kind) || is_link(object->kind) || object->kind == HB_KIND_ROWS;
}

/* ---- Looking things up ---- */

static const HbObject *find_there(const Judge *judge, const char *identity)
{
    return hb_catalog_find(judge->meeting->there, identity);
}

static const HbObject *find_wanted(const Judge *judge, const char *identity)
{
    return hb_catalog_find(judge->meeting->wanted, identity);
}

static gboolean is_gone(const Judge *judge, const char *identity)
{
    static const char placeholder[] = "placeholder ";

    if (g_str_has_prefix(identity, placeholder))
        identity += strlen(placeholder);
    return g_hash_table_contains(judge->outcome->gone, identity);
}

static gboolean has_rows(const Judge *judge, const char *identity)
{
    return g_hash_table_contains(judge->meeting->holding, identity);
}

/* Nobody asked for it, nor for what it is a part of */
static gboolean is_along(const Judge *judge, const HbObject *object)
{
    GHashTable *along = judge->meeting->along;

    if (along == NULL)
        return FALSE;
    if (g_hash_table_contains(along, object->identity))
        return TRUE;
    if (object->on != NULL)
        return g_hash_table_contains(along, object->on);
    return is_part(object) && object->needs->len > 0 && g_hash_table_contains(along, object->needs->pdata[0]);
}

/* ---- What is dropped ---- */

static gboolean needs_gone(const Judge *judge, const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        if (is_gone(judge, object->needs->pdata[n]))
            return TRUE;
    }
    return FALSE;
}

static gboolean is_set_aside(const Judge *judge, const HbObject *object)
{
    return g_hash_table_contains(judge->aside, object);
}

/* Its table stays, and does not bring it: it is taken off for a while instead of being lost */
static gboolean may_be_set_aside(const Judge *judge, const HbObject *object)
{
    return (object->kind == HB_KIND_FOREIGN_KEY || object->kind == HB_KIND_TRIGGER) && !is_gone(judge, object->on) &&
           find_wanted(judge, object->identity) == NULL;
}

static void add_gone(Judge *judge, const char *identity)
{
    g_hash_table_add(judge->outcome->gone, (gpointer)identity);
}

/* One of another kind has the name that a wanted relation is to have */
static const HbObject *find_namesake(const Judge *judge, const HbObject *wanted)
{
    for (guint kind = 0; hb_kind_is_relation(wanted->kind) && kind < HB_KIND_COUNT; kind++) {
        if (kind == wanted->kind || !hb_kind_is_relation(kind))
            continue;
        g_autofree char *identity = hb_identity_new(kind, hb_object_get_name(wanted));
        const HbObject *found = find_there(judge, identity);
        if (found != NULL)
            return found;
    }
    return NULL;
}

/* What is the same already need not be dropped for its own sake; rows are what tables are replaced for */
static gboolean is_same(const HbObject *wanted, const HbObject *there)
{
    return wanted->kind != HB_KIND_TABLE && wanted->kind != HB_KIND_LARGE_OBJECTS &&
           g_strcmp0(wanted->definition, there->definition) == 0 && g_strcmp0(wanted->owner, there->owner) == 0;
}

static void seed(Judge *judge)
{
    for (guint i = 0; i < hb_catalog_count(judge->meeting->wanted); i++) {
        const HbObject *wanted = hb_catalog_get(judge->meeting->wanted, i);
        const HbObject *there = find_there(judge, wanted->identity);
        const HbObject *namesake = find_namesake(judge, wanted);
        if (there != NULL && is_droppable(there->kind) && !is_along(judge, wanted) && !is_same(wanted, there))
            add_gone(judge, there->identity);
        if (namesake != NULL)
            add_gone(judge, namesake->identity);
    }
}

static gboolean add_what_is_linked(Judge *judge, const char *identity)
{
    if (identity == NULL || is_gone(judge, identity) || find_there(judge, identity) == NULL)
        return FALSE;
    add_gone(judge, identity);
    return TRUE;
}

/* A partition goes with its parent, and a sequence with the table that it belongs to */
static gboolean take_linked(Judge *judge, const HbObject *link)
{
    gboolean found = link->kind == HB_KIND_ATTACHMENT && add_what_is_linked(judge, link->on);

    for (guint n = 0; link->kind == HB_KIND_SEQUENCE_LINK && n < link->needs->len; n++) {
        if (g_str_has_prefix(link->needs->pdata[n], "sequence "))
            found = add_what_is_linked(judge, link->needs->pdata[n]) || found;
    }
    return found;
}

/* What needs its placeholder came before it */
static gboolean has_placeholder(const Judge *judge, const HbObject *object)
{
    g_autofree char *placeholder = hb_identity_new(HB_KIND_PLACEHOLDER, object->identity);

    return find_there(judge, placeholder) != NULL;
}

/* All that needs what goes. TRUE if something was found that may be needed by what came before it */
static gboolean spread(Judge *judge)
{
    gboolean again = FALSE;

    for (guint i = 0; i < hb_catalog_count(judge->meeting->there); i++) {
        const HbObject *object = hb_catalog_get(judge->meeting->there, i);
        if (is_gone(judge, object->identity) || !needs_gone(judge, object))
            continue;
        if (may_be_set_aside(judge, object))
            continue;
        add_gone(judge, object->identity);
        again = take_linked(judge, object) || again || has_placeholder(judge, object);
    }
    return again;
}

/* Is it anything but a part of that, or the same table's? */
static gboolean is_foreign(const Judge *judge, const HbObject *object, const char *need)
{
    const HbObject *needed = find_there(judge, need);

    return g_strcmp0(need, object->on) != 0 && needed != NULL && needed->kind != HB_KIND_ROWS &&
           g_strcmp0(needed->on, object->on) != 0;
}

/* Most parts go with their tables; those that need another thing that goes would hold that back */
static gboolean needs_own_drop(const Judge *judge, const HbObject *object)
{
    if (!is_droppable(object->kind))
        return FALSE;
    if (object->on == NULL || !is_gone(judge, object->on))
        return TRUE;
    for (guint n = 0; n < object->needs->len; n++) {
        if (is_gone(judge, object->needs->pdata[n]) && is_foreign(judge, object, object->needs->pdata[n]))
            return TRUE;
    }
    return FALSE;
}

static void list_dropped(Judge *judge)
{
    for (guint i = hb_catalog_count(judge->meeting->there); i-- > 0;) {
        const HbObject *object = hb_catalog_get(judge->meeting->there, i);
        if (is_gone(judge, object->identity) && needs_own_drop(judge, object))
            g_ptr_array_add(judge->outcome->dropped, (gpointer)object);
    }
}

static const char *find_culprit(const Judge *judge, const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        if (is_gone(judge, object->needs->pdata[n]))
            return object->needs->pdata[n];
    }
    return NULL;
}

/* Nothing that it needs is dropped: it is a partition, or a table's own sequence, or has a name that is wanted */
static void tell_swept(Judge *judge, const HbObject *object)
{
    g_autofree char *attachment = hb_identity_new(HB_KIND_ATTACHMENT, hb_object_get_name(object));
    const gboolean is_partition = find_there(judge, attachment) != NULL;
    const gboolean is_sequence = object->kind == HB_KIND_SEQUENCE;
    HbFinding *finding =
        hb_findings_add(judge->findings, HB_FINDING_BLOCKER, "would-be-lost", object->identity,
                        "would be dropped %s, and does not arrive",
                        is_partition  ? "with the table that it is a partition of"
                        : is_sequence ? "with the table that it belongs to"
                                      : "for something else of its name");

    hb_finding_advise(finding,
                      is_partition  ? "detach it, if it is to stay"
                      : is_sequence ? "ALTER SEQUENCE ... OWNED BY NONE, if it is to stay"
                                    : "rename it, or drop it yourself",
                      NULL);
}

static void tell_lost(Judge *judge, const HbObject *object)
{
    const char *culprit = find_culprit(judge, object);
    HbFinding *finding;

    if (object->kind == HB_KIND_ROWS) {
        finding = hb_findings_add(judge->findings, HB_FINDING_BLOCKER, "would-be-lost", object->identity,
                                  "would go with %s, and do not arrive", object->on);
        hb_finding_advise(finding, "let the rows arrive, too, or keep the table with --existing keep", NULL);
    } else if (is_part(object) && (object->on == NULL || is_gone(judge, object->on))) {
        hb_findings_add(judge->findings, HB_FINDING_WARNING, "part-lost", object->identity,
                        "is on the target only; it goes with %s, and does not come back",
                        culprit != NULL ? culprit : object->on);
    } else if (culprit == NULL) {
        tell_swept(judge, object);
    } else {
        finding = hb_findings_add(judge->findings, HB_FINDING_BLOCKER, "would-be-lost", object->identity,
                                  "needs %s, would be dropped with it, and does not arrive", culprit);
        hb_finding_advise(finding,
                          "take it, too, if the dump has it; otherwise keep its definition and drop it yourself, or go "
                          "on without it by --accept would-be-lost:…",
                          NULL);
    }
}

static void tell_what_is_lost(Judge *judge)
{
    for (guint i = 0; i < hb_catalog_count(judge->meeting->there); i++) {
        const HbObject *object = hb_catalog_get(judge->meeting->there, i);
        if (!is_gone(judge, object->identity) || find_wanted(judge, object->identity) != NULL ||
            is_link(object->kind) || (object->kind == HB_KIND_ROWS && !has_rows(judge, object->identity)))
            continue;
        tell_lost(judge, object);
    }
}

static void drop(Judge *judge)
{
    seed(judge);
    while (spread(judge))
        ;
    list_dropped(judge);
    tell_what_is_lost(judge);
}

/* ---- Rows ---- */

static GHashTable *index_sets(const HbCatalog *catalog)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(catalog);
    GHashTable *index = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < sets->len; i++)
        g_hash_table_insert(index, ((HbRowSet *)sets->pdata[i])->identity, sets->pdata[i]);
    return index;
}

static void keep(Judge *judge, const HbObject *object)
{
    g_hash_table_add(judge->outcome->kept, object->identity);
}

static void fill(Judge *judge, const HbObject *rows)
{
    if (rows->on != NULL)
        g_hash_table_add(judge->filled, rows->on);
}

static void check_columns(Judge *judge, const HbObject *rows, const HbRowSet *wanted, const HbRowSet *there)
{
    const HbObject *source = rows->on != NULL ? find_wanted(judge, rows->on) : NULL;
    HbColumnMeeting meeting = {.wanted = wanted,
                               .there = there,
                               .definition = source != NULL ? source->definition : NULL,
                               .target = judge->meeting->there,
                               .table = rows->on != NULL ? rows->on : rows->identity};

    if (meeting.definition == NULL && judge->meeting->definitions != NULL)
        meeting.definition = g_hash_table_lookup(judge->meeting->definitions, meeting.table);
    hb_columns_compare(&meeting, judge->findings);
}

static void refuse_rows(Judge *judge, const HbObject *rows)
{
    HbFinding *finding = hb_findings_add(judge->findings, HB_FINDING_BLOCKER, "rows-there", rows->on,
                                         "holds rows already, and would get more");

    finding->is_final = TRUE;
    hb_finding_advise(finding, "keep them with --existing keep, or have the table emptied with --existing replace", NULL);
}

static void miss_table(Judge *judge, const HbObject *rows)
{
    HbFinding *finding = hb_findings_add(judge->findings, HB_FINDING_BLOCKER, "table-missing",
                                         rows->on != NULL ? rows->on : rows->identity,
                                         "is not on the target: there is nothing that its rows could go into");

    finding->is_final = TRUE;
    hb_finding_advise(finding, "restore its structure, too (--parts schema,data), or leave it out with --skip", NULL);
}

/* The target has the table, and it stays */
static void judge_rows_of_table(Judge *judge, const HbObject *rows, const HbRowSet *set)
{
    const HbRowSet *there = g_hash_table_lookup(judge->there_sets, rows->identity);
    const gboolean replace = judge->meeting->wish == HB_EXISTING_REPLACE && !is_along(judge, rows);
    /* The tables of an extension are not ours */
    const gboolean is_ours = rows->on != NULL && find_there(judge, rows->on) != NULL;

    if (has_rows(judge, rows->identity) && !(replace && is_ours)) {
        if (judge->meeting->wish == HB_EXISTING_STOP)
            refuse_rows(judge, rows);
        judge->some_rows_stay = TRUE;
        keep(judge, rows);
        return;
    }
    if (has_rows(judge, rows->identity))
        g_ptr_array_add(judge->outcome->emptied, (gpointer)there);
    check_columns(judge, rows, set, there);
    if (judge->meeting->empty == NULL || !g_hash_table_contains(judge->meeting->empty, rows->identity) ||
        has_rows(judge, rows->identity))
        fill(judge, rows);
}

static gboolean is_of_large_objects(const HbObject *rows)
{
    return rows->needs->len > 0 && g_str_has_prefix(rows->needs->pdata[0], "large-objects ");
}

/* Rows of no table: bytes of large objects, which come into being with a number of their own */
static void judge_large_rows(Judge *judge, const HbObject *rows)
{
    for (guint n = 0; n < rows->needs->len; n++) {
        const char *page = rows->needs->pdata[n];
        if (find_there(judge, page) == NULL || is_gone(judge, page))
            continue;
        judge->large_objects_stay = TRUE;
        judge->some_rows_stay = TRUE;
        keep(judge, rows);
        return;
    }
}

/* Of a partitioned table only its partitions have row sets */
static void judge_rows(Judge *judge, const HbObject *rows)
{
    const HbRowSet *set = g_hash_table_lookup(judge->wanted_sets, rows->identity);
    const HbObject *there = find_there(judge, rows->identity);

    if (is_of_large_objects(rows)) {
        judge_large_rows(judge, rows);
    } else if (there != NULL && !is_gone(judge, rows->identity)) {
        if (set != NULL && g_hash_table_lookup(judge->there_sets, rows->identity) != NULL)
            judge_rows_of_table(judge, rows, set);
    } else if (judge->meeting->rows_only && set != NULL) {
        miss_table(judge, rows);
    }
}

/* A partition's rows are rows of its parents, too: what those demand and do concerns them */
static void fill_parents(Judge *judge)
{
    const HbCatalog *there = judge->meeting->there;

    for (guint i = 0; i < hb_catalog_count(there); i++) {
        const HbObject *rows = hb_catalog_get(there, i);
        for (guint n = 0; rows->kind == HB_KIND_ROWS && n < rows->needs->len; n++) {
            const HbObject *need = hb_catalog_find(there, rows->needs->pdata[n]);
            if (need->kind == HB_KIND_ROWS && need->on != NULL && g_hash_table_contains(judge->filled, need->on))
                fill(judge, rows);
        }
    }
}

/* ---- What is taken off and put back ---- */

static gboolean is_filled(const Judge *judge, const char *identity)
{
    return identity != NULL && g_hash_table_contains(judge->filled, identity);
}

/* Rows that go, or come in any order, must not be held up by what asks other tables, nor make a trigger fire */
static gboolean is_in_the_way(const Judge *judge, const HbObject *object)
{
    if (object->kind == HB_KIND_CHECK && object->after == HB_AFTER_ROWS)
        return is_filled(judge, object->on);
    if (object->kind != HB_KIND_FOREIGN_KEY && object->kind != HB_KIND_TRIGGER)
        return FALSE;
    if (is_filled(judge, object->on) || needs_gone(judge, object))
        return TRUE;
    for (guint n = 0; object->kind == HB_KIND_FOREIGN_KEY && n < object->needs->len; n++) {
        if (is_filled(judge, object->needs->pdata[n]) && judge->outcome->emptied->len > 0)
            return TRUE;
    }
    return FALSE;
}

static gboolean hangs_on_aside(const Judge *judge, const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        const HbObject *need = find_there(judge, object->needs->pdata[n]);
        if (need != NULL && need->kind != HB_KIND_ROWS && is_set_aside(judge, need))
            return TRUE;
    }
    return FALSE;
}

/* What it needs must come back, too */
static void look_at_aside(Judge *judge, const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        const char *need = object->needs->pdata[n];
        if (!is_gone(judge, need) || find_wanted(judge, need) != NULL || find_there(judge, need)->kind == HB_KIND_ROWS)
            continue;
        hb_finding_advise(hb_findings_add(judge->findings, HB_FINDING_BLOCKER, "would-be-lost", object->identity,
                                          "could not be put back: %s, which it needs, goes and does not arrive", need),
                          "drop it yourself, or go on without it by --accept would-be-lost:…", NULL);
        return;
    }
}

static void set_aside(Judge *judge)
{
    for (guint i = 0; i < hb_catalog_count(judge->meeting->there); i++) {
        const HbObject *object = hb_catalog_get(judge->meeting->there, i);
        if (!is_gone(judge, object->identity) && (is_in_the_way(judge, object) || hangs_on_aside(judge, object))) {
            g_ptr_array_add(judge->outcome->aside, (gpointer)object);
            g_hash_table_add(judge->aside, (gpointer)object);
            look_at_aside(judge, object);
        }
    }
}

/* ---- What stays ---- */

/* Which sequences give numbers to rows: by a default, by belonging to a column */
static void look_at_sequences(Judge *judge)
{
    for (guint i = 0; i < hb_catalog_count(judge->meeting->there); i++) {
        const HbObject *object = hb_catalog_get(judge->meeting->there, i);
        gboolean feeds = is_filled(judge, object->on) || is_filled(judge, object->identity);
        if (object->kind == HB_KIND_SEQUENCE_VALUE || is_overlay(object->kind))
            continue;
        for (guint n = 0; object->kind == HB_KIND_SEQUENCE_LINK && n < object->needs->len; n++)
            feeds = feeds || is_filled(judge, object->needs->pdata[n]);
        for (guint n = 0; n < object->needs->len; n++) {
            if (!g_str_has_prefix(object->needs->pdata[n], "sequence "))
                continue;
            g_hash_table_add(judge->used, object->needs->pdata[n]);
            if (feeds)
                g_hash_table_add(judge->feeding, object->needs->pdata[n]);
        }
    }
}

/* A sequence goes on where the rows that it has numbered end. One that numbers no rows goes with all of them */
static gboolean value_stays(const Judge *judge, const HbObject *value)
{
    const char *counter = value->needs->len > 0 ? value->needs->pdata[0] : "";

    if (judge->meeting->wish == HB_EXISTING_REPLACE)
        return is_along(judge, value);
    if (is_filled(judge, counter) || g_hash_table_contains(judge->feeding, counter))
        return FALSE;
    return g_hash_table_contains(judge->used, counter) || g_str_has_prefix(counter, "table ") || judge->some_rows_stay;
}

static gboolean overlay_stays(const Judge *judge, const HbObject *wanted, const HbObject *there)
{
    return judge->meeting->wish != HB_EXISTING_REPLACE || is_along(judge, wanted) ||
           g_strcmp0(wanted->definition, there->definition) == 0;
}

static gboolean stays(Judge *judge, const HbObject *wanted)
{
    const HbObject *there;

    if (wanted->kind == HB_KIND_PLACEHOLDER) /* of what is there, or is dropped: then it is needed again */
        return find_there(judge, hb_object_get_name(wanted)) != NULL &&
               !is_gone(judge, hb_object_get_name(wanted));
    if (wanted->kind == HB_KIND_LARGE_OBJECTS && judge->large_objects_stay)
        return TRUE;
    there = find_there(judge, wanted->identity);
    if (there == NULL || is_gone(judge, wanted->identity) || wanted->kind == HB_KIND_ROWS ||
        hb_kind_get_traits(wanted->kind)->part == HB_PART_USERS)
        return FALSE;
    if (wanted->kind == HB_KIND_SEQUENCE_VALUE)
        return value_stays(judge, wanted);
    if (wanted->kind == HB_KIND_REFRESH)
        return g_hash_table_size(judge->filled) == 0 && !needs_gone(judge, wanted);
    if (is_overlay(wanted->kind))
        return overlay_stays(judge, wanted, there);
    return TRUE;
}

static void tell_namesake(Judge *judge, const HbObject *wanted)
{
    const HbObject *namesake = find_namesake(judge, wanted);
    HbFinding *finding;

    if (namesake == NULL || is_gone(judge, namesake->identity))
        return;
    finding = hb_findings_add(judge->findings, HB_FINDING_BLOCKER, "name-taken", wanted->identity,
                              "cannot be created: %s has its name", namesake->identity);
    hb_finding_advise(finding, "rename that one, or leave this one out with --skip", NULL);
}

static void keep_what_stays(Judge *judge)
{
    for (guint i = 0; i < hb_catalog_count(judge->meeting->wanted); i++) {
        const HbObject *wanted = hb_catalog_get(judge->meeting->wanted, i);
        if (stays(judge, wanted))
            keep(judge, wanted);
        else
            tell_namesake(judge, wanted);
    }
}

/* ---- The whole ---- */

static void judge_init(Judge *judge, const HbMeeting *meeting, HbMeetingOutcome *outcome, GPtrArray *findings)
{
    *judge = (Judge){.meeting = meeting, .outcome = outcome, .findings = findings};
    judge->wanted_sets = index_sets(meeting->wanted);
    judge->there_sets = index_sets(meeting->there);
    judge->filled = g_hash_table_new(g_str_hash, g_str_equal);
    judge->aside = g_hash_table_new(NULL, NULL);
    judge->feeding = g_hash_table_new(g_str_hash, g_str_equal);
    judge->used = g_hash_table_new(g_str_hash, g_str_equal);
    *outcome = (HbMeetingOutcome){.kept = g_hash_table_new(g_str_hash, g_str_equal),
                                  .dropped = g_ptr_array_new(),
                                  .emptied = g_ptr_array_new(),
                                  .aside = g_ptr_array_new(),
                                  .gone = g_hash_table_new(g_str_hash, g_str_equal)};
}

static void judge_clear(Judge *judge)
{
    g_hash_table_unref(judge->wanted_sets);
    g_hash_table_unref(judge->there_sets);
    g_hash_table_unref(judge->filled);
    g_hash_table_unref(judge->aside);
    g_hash_table_unref(judge->feeding);
    g_hash_table_unref(judge->used);
}

void hb_meeting_judge(const HbMeeting *meeting, HbMeetingOutcome *outcome, GPtrArray *findings)
{
    Judge judge;

    judge_init(&judge, meeting, outcome, findings);
    if (meeting->wish == HB_EXISTING_REPLACE && !meeting->rows_only)
        drop(&judge);
    for (guint i = 0; i < hb_catalog_count(meeting->wanted); i++) {
        if (hb_catalog_get(meeting->wanted, i)->kind == HB_KIND_ROWS)
            judge_rows(&judge, hb_catalog_get(meeting->wanted, i));
    }
    fill_parents(&judge);
    set_aside(&judge);
    look_at_sequences(&judge);
    keep_what_stays(&judge);
    judge_clear(&judge);
}

void hb_meeting_outcome_clear(HbMeetingOutcome *outcome)
{
    g_clear_pointer(&outcome->kept, g_hash_table_unref);
    g_clear_pointer(&outcome->dropped, g_ptr_array_unref);
    g_clear_pointer(&outcome->emptied, g_ptr_array_unref);
    g_clear_pointer(&outcome->aside, g_ptr_array_unref);
    g_clear_pointer(&outcome->gone, g_hash_table_unref);
}
