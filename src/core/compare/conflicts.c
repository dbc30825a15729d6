/* SPDX-License-Identifier: Apache-2.0 */
#include "core/compare/column_compat.h"
#include "core/compare/conflicts_inner.h"

#include <string.h>

/* ---- Rows ---- */

static GHashTable *index_sets(const HbCatalog *catalog)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(catalog);
    GHashTable *index = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < sets->len; i++)
        g_hash_table_insert(index, ((HbRowSet *)sets->pdata[i])->identity, sets->pdata[i]);
    return index;
}

static void keep(HbConflicts *judge, const HbObject *object)
{
    g_hash_table_add(judge->outcome->kept, object->identity);
}

static void fill(HbConflicts *judge, const HbObject *rows)
{
    if (rows->on != NULL)
        g_hash_table_add(judge->filled, rows->on);
}

/* What a domain demands, it demands of all values of tables that use it, or types that are made of it */
static void subject_to_domains(HbConflicts *judge, const HbObject *user)
{
    for (guint n = 0; user != NULL && n < user->needs->len; n++) {
        const char *need = user->needs->pdata[n];
        if ((g_str_has_prefix(need, "domain ") || g_str_has_prefix(need, "type ")) &&
            g_hash_table_add(judge->demanding, (gpointer)need))
            subject_to_domains(judge, hb_conflicts_find_there(judge, need));
    }
}

static void check_columns(HbConflicts *judge, const HbObject *rows, const HbRowSet *wanted, const HbRowSet *there)
{
    const HbObject *source = rows->on != NULL ? hb_conflicts_find_wanted(judge, rows->on) : NULL;
    HbColumnCompat meeting = {.dialect = judge->meeting->dialect,
                              .wanted = wanted,
                              .there = there,
                              .definition = source != NULL ? source->definition : NULL,
                              .target = judge->meeting->there,
                              .table = rows->on != NULL ? rows->on : rows->identity};

    if (meeting.definition == NULL && judge->meeting->definitions != NULL)
        meeting.definition = g_hash_table_lookup(judge->meeting->definitions, meeting.table);
    hb_column_compat_check(&meeting, judge->findings);
}

static void refuse_rows(HbConflicts *judge, const HbObject *rows)
{
    HbFinding *finding = hb_findings_add(judge->findings, HB_FINDING_BLOCKER, "rows-there", rows->on,
                                         "holds rows already, and would get more");

    finding->is_final = TRUE;
    hb_finding_advise(finding, "keep them with --existing keep, or have the table emptied with --existing replace",
                      NULL);
}

static void miss_table(HbConflicts *judge, const HbObject *rows)
{
    HbFinding *finding = hb_findings_add(judge->findings, HB_FINDING_BLOCKER, "table-missing",
                                         rows->on != NULL ? rows->on : rows->identity,
                                         "is not on the target: there is nothing that its rows could go into");

    finding->is_final = TRUE;
    hb_finding_advise(finding, "restore its structure, too (--parts schema,data), or leave it out with --skip", NULL);
}

/* The target has the table, and it stays */
static void judge_rows_of_table(HbConflicts *judge, const HbObject *rows, const HbRowSet *set)
{
    const HbRowSet *there = g_hash_table_lookup(judge->there_sets, rows->identity);
    const gboolean replace = judge->meeting->wish == HB_EXISTING_REPLACE && !hb_conflicts_is_along(judge, rows);
    /* The tables of an extension are not ours */
    const gboolean is_ours = rows->on != NULL && hb_conflicts_find_there(judge, rows->on) != NULL;

    if (hb_conflicts_has_rows(judge, rows->identity) && !(replace && is_ours)) {
        if (judge->meeting->wish == HB_EXISTING_STOP)
            refuse_rows(judge, rows);
        judge->some_rows_stay = TRUE;
        keep(judge, rows);
        return;
    }
    if (hb_conflicts_has_rows(judge, rows->identity))
        g_ptr_array_add(judge->outcome->emptied, (gpointer)there);
    check_columns(judge, rows, set, there);
    if (judge->meeting->empty == NULL || !g_hash_table_contains(judge->meeting->empty, rows->identity) ||
        hb_conflicts_has_rows(judge, rows->identity))
        fill(judge, rows);
}

/* Wherever rows come to, the table's types may be the target's own */
static void look_at_domains(HbConflicts *judge)
{
    for (guint i = 0; i < hb_catalog_count(judge->meeting->wanted); i++) {
        const HbObject *rows = hb_catalog_get(judge->meeting->wanted, i);
        if (rows->kind != HB_KIND_ROWS || rows->on == NULL ||
            g_hash_table_contains(judge->outcome->kept, rows->identity))
            continue;
        subject_to_domains(judge, hb_conflicts_find_there(judge, rows->on));
        subject_to_domains(judge, hb_conflicts_find_wanted(judge, rows->on));
    }
}

static gboolean is_of_large_objects(const HbObject *rows)
{
    return rows->needs->len > 0 && g_str_has_prefix(rows->needs->pdata[0], "large-objects ");
}

/* Rows of no table: bytes of large objects, which come into being with a number of their own */
static void judge_large_rows(HbConflicts *judge, const HbObject *rows)
{
    for (guint n = 0; n < rows->needs->len; n++) {
        const char *page = rows->needs->pdata[n];
        if (hb_conflicts_find_there(judge, page) == NULL || hb_conflicts_is_gone(judge, page))
            continue;
        judge->large_objects_stay = TRUE;
        judge->some_rows_stay = TRUE;
        keep(judge, rows);
        return;
    }
}

/* Of a partitioned table only its partitions have row sets */
static void judge_rows(HbConflicts *judge, const HbObject *rows)
{
    const HbRowSet *set = g_hash_table_lookup(judge->wanted_sets, rows->identity);
    const HbObject *there = hb_conflicts_find_there(judge, rows->identity);

    if (is_of_large_objects(rows)) {
        judge_large_rows(judge, rows);
    } else if (there != NULL && !hb_conflicts_is_gone(judge, rows->identity)) {
        if (set != NULL && g_hash_table_lookup(judge->there_sets, rows->identity) != NULL)
            judge_rows_of_table(judge, rows, set);
    } else if (judge->meeting->rows_only && set != NULL) {
        miss_table(judge, rows);
    }
}

/* A partition's rows are rows of its parents, too: what those demand and do concerns them */
static void fill_parents(HbConflicts *judge)
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

static gboolean is_set_aside(const HbConflicts *judge, const HbObject *object)
{
    return g_hash_table_contains(judge->aside, object);
}

static gboolean is_filled(const HbConflicts *judge, const char *identity)
{
    return identity != NULL && g_hash_table_contains(judge->filled, identity);
}

/* Rows that go, or come in any order, must not be held up by what asks other tables, nor make a trigger fire */
static gboolean is_in_the_way(const HbConflicts *judge, const HbObject *object)
{
    if (object->kind == HB_KIND_CHECK && object->after == HB_AFTER_ROWS)
        return is_filled(judge, object->on) ||
               (object->on != NULL && g_hash_table_contains(judge->demanding, object->on));
    if (object->kind != HB_KIND_FOREIGN_KEY && object->kind != HB_KIND_TRIGGER)
        return FALSE;
    if (is_filled(judge, object->on) || hb_conflicts_needs_gone(judge, object))
        return TRUE;
    for (guint n = 0; object->kind == HB_KIND_FOREIGN_KEY && n < object->needs->len; n++) {
        if (is_filled(judge, object->needs->pdata[n]) && judge->outcome->emptied->len > 0)
            return TRUE;
    }
    return FALSE;
}

static gboolean hangs_on_aside(const HbConflicts *judge, const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        const HbObject *need = hb_conflicts_find_there(judge, object->needs->pdata[n]);
        if (need != NULL && need->kind != HB_KIND_ROWS && is_set_aside(judge, need))
            return TRUE;
    }
    return FALSE;
}

/* What it needs must come back, too */
static void look_at_aside(HbConflicts *judge, const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        const char *need = object->needs->pdata[n];
        if (!hb_conflicts_is_gone(judge, need) || hb_conflicts_find_wanted(judge, need) != NULL ||
            hb_conflicts_find_there(judge, need)->kind == HB_KIND_ROWS)
            continue;
        hb_finding_advise(hb_findings_add(judge->findings, HB_FINDING_BLOCKER, "would-be-lost", object->identity,
                                          "could not be put back: %s, which it needs, goes and does not arrive", need),
                          "drop it yourself, or go on without it by --accept would-be-lost:…", NULL);
        return;
    }
}

static void set_aside(HbConflicts *judge)
{
    for (guint i = 0; i < hb_catalog_count(judge->meeting->there); i++) {
        const HbObject *object = hb_catalog_get(judge->meeting->there, i);
        if (!hb_conflicts_is_gone(judge, object->identity) &&
            (is_in_the_way(judge, object) || hangs_on_aside(judge, object))) {
            g_ptr_array_add(judge->outcome->aside, (gpointer)object);
            g_hash_table_add(judge->aside, (gpointer)object);
            look_at_aside(judge, object);
        }
    }
}

/* ---- What stays ---- */

/* Which sequences give numbers to rows: by a default, by belonging to a column */
static void look_at_sequences(HbConflicts *judge)
{
    for (guint i = 0; i < hb_catalog_count(judge->meeting->there); i++) {
        const HbObject *object = hb_catalog_get(judge->meeting->there, i);
        gboolean feeds = is_filled(judge, object->on) || is_filled(judge, object->identity);
        if (object->kind == HB_KIND_SEQUENCE_VALUE || hb_conflicts_is_overlay(object->kind))
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
static gboolean value_stays(const HbConflicts *judge, const HbObject *value)
{
    const char *counter = value->needs->len > 0 ? value->needs->pdata[0] : "";

    if (judge->meeting->wish == HB_EXISTING_REPLACE)
        return hb_conflicts_is_along(judge, value);
    if (is_filled(judge, counter) || g_hash_table_contains(judge->feeding, counter))
        return FALSE;
    return g_hash_table_contains(judge->used, counter) || g_str_has_prefix(counter, "table ") || judge->some_rows_stay;
}

static gboolean overlay_stays(const HbConflicts *judge, const HbObject *wanted, const HbObject *there)
{
    return judge->meeting->wish != HB_EXISTING_REPLACE || hb_conflicts_is_along(judge, wanted) ||
           g_strcmp0(wanted->definition, there->definition) == 0;
}

static gboolean stays(HbConflicts *judge, const HbObject *wanted)
{
    const HbObject *there;

    if (wanted->kind == HB_KIND_PLACEHOLDER) /* of what is there, or is dropped: then it is needed again */
        return hb_conflicts_find_there(judge, hb_object_get_name(wanted)) != NULL &&
               !hb_conflicts_is_gone(judge, hb_object_get_name(wanted));
    if (wanted->kind == HB_KIND_LARGE_OBJECTS && judge->large_objects_stay)
        return TRUE;
    there = hb_conflicts_find_there(judge, wanted->identity);
    if (there == NULL || hb_conflicts_is_gone(judge, wanted->identity) || wanted->kind == HB_KIND_ROWS ||
        hb_kind_get_traits(wanted->kind)->part == HB_PART_USERS)
        return FALSE;
    if (wanted->kind == HB_KIND_SEQUENCE_VALUE)
        return value_stays(judge, wanted);
    if (wanted->kind == HB_KIND_REFRESH)
        return g_hash_table_size(judge->filled) == 0 && !hb_conflicts_needs_gone(judge, wanted);
    if (hb_conflicts_is_overlay(wanted->kind))
        return overlay_stays(judge, wanted, there);
    return TRUE;
}

static void tell_namesake(HbConflicts *judge, const HbObject *wanted)
{
    const HbObject *namesake = hb_conflicts_find_namesake(judge, wanted);
    HbFinding *finding;

    if (namesake == NULL || hb_conflicts_is_gone(judge, namesake->identity))
        return;
    finding = hb_findings_add(judge->findings, HB_FINDING_BLOCKER, "name-taken", wanted->identity,
                              "cannot be created: %s has its name", namesake->identity);
    hb_finding_advise(finding, "rename that one, or leave this one out with --skip", NULL);
}

static void keep_what_stays(HbConflicts *judge)
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

static void judge_init(HbConflicts *judge, const HbConflictInput *meeting, HbConflictDecision *outcome,
                       GPtrArray *findings)
{
    *judge = (HbConflicts){.meeting = meeting, .outcome = outcome, .findings = findings};
    judge->wanted_sets = index_sets(meeting->wanted);
    judge->there_sets = index_sets(meeting->there);
    judge->filled = g_hash_table_new(g_str_hash, g_str_equal);
    judge->demanding = g_hash_table_new(g_str_hash, g_str_equal);
    judge->aside = g_hash_table_new(NULL, NULL);
    judge->feeding = g_hash_table_new(g_str_hash, g_str_equal);
    judge->used = g_hash_table_new(g_str_hash, g_str_equal);
    *outcome = (HbConflictDecision){.kept = g_hash_table_new(g_str_hash, g_str_equal),
                                    .dropped = g_ptr_array_new(),
                                    .emptied = g_ptr_array_new(),
                                    .aside = g_ptr_array_new(),
                                    .gone = g_hash_table_new(g_str_hash, g_str_equal)};
}

static void judge_clear(HbConflicts *judge)
{
    g_hash_table_unref(judge->wanted_sets);
    g_hash_table_unref(judge->there_sets);
    g_hash_table_unref(judge->filled);
    g_hash_table_unref(judge->demanding);
    g_hash_table_unref(judge->aside);
    g_hash_table_unref(judge->feeding);
    g_hash_table_unref(judge->used);
}

void hb_conflicts_decide(const HbConflictInput *meeting, HbConflictDecision *outcome, GPtrArray *findings)
{
    HbConflicts judge;

    judge_init(&judge, meeting, outcome, findings);
    if (meeting->wish == HB_EXISTING_REPLACE && !meeting->rows_only)
        hb_conflicts_drop(&judge);
    for (guint i = 0; i < hb_catalog_count(meeting->wanted); i++) {
        if (hb_catalog_get(meeting->wanted, i)->kind == HB_KIND_ROWS)
            judge_rows(&judge, hb_catalog_get(meeting->wanted, i));
    }
    fill_parents(&judge);
    look_at_domains(&judge);
    set_aside(&judge);
    look_at_sequences(&judge);
    keep_what_stays(&judge);
    judge_clear(&judge);
}

void hb_conflict_decision_clear(HbConflictDecision *outcome)
{
    g_clear_pointer(&outcome->kept, g_hash_table_unref);
    g_clear_pointer(&outcome->dropped, g_ptr_array_unref);
    g_clear_pointer(&outcome->emptied, g_ptr_array_unref);
    g_clear_pointer(&outcome->aside, g_ptr_array_unref);
    g_clear_pointer(&outcome->gone, g_hash_table_unref);
}
