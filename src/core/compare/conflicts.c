/* SPDX-License-Identifier: Apache-2.0 */
#include "core/compare/column_compat.h"
#include "core/compare/conflicts_inner.h"

#include <string.h>

/* ---- Rows ---- */

static void keep(HbConflicts *conflicts, const HbObject *object)
{
    g_hash_table_add(conflicts->outcome->kept, object->identity);
}

static void fill(HbConflicts *conflicts, const HbObject *rows)
{
    if (rows->on != NULL)
        g_hash_table_add(conflicts->filled, rows->on);
}

/* What a domain demands, it demands of all values of tables that use it, or types that are made of it */
static void subject_to_domains(HbConflicts *conflicts, const HbObject *user)
{
    for (guint n = 0; user != NULL && n < user->needs->len; n++) {
        const char *need = user->needs->pdata[n];
        if ((g_str_has_prefix(need, "domain ") || g_str_has_prefix(need, "type ")) &&
            g_hash_table_add(conflicts->demanding, (gpointer)need))
            subject_to_domains(conflicts, hb_conflicts_find_there(conflicts, need));
    }
}

static void check_columns(HbConflicts *conflicts, const HbObject *rows, const HbRowSet *wanted, const HbRowSet *there)
{
    const HbObject *source = rows->on != NULL ? hb_conflicts_find_wanted(conflicts, rows->on) : NULL;
    HbColumnCompat input = {.dialect = conflicts->input->dialect,
                            .wanted = wanted,
                            .there = there,
                            .definition = source != NULL ? source->definition : NULL,
                            .target = conflicts->input->there,
                            .table = rows->on != NULL ? rows->on : rows->identity};

    if (input.definition == NULL && conflicts->input->definitions != NULL)
        input.definition = g_hash_table_lookup(conflicts->input->definitions, input.table);
    hb_column_compat_check(&input, conflicts->findings);
}

static void refuse_rows(HbConflicts *conflicts, const HbObject *rows)
{
    HbFinding *finding = hb_findings_add(conflicts->findings, HB_FINDING_BLOCKER, "rows-there", rows->on,
                                         "holds rows already, and would get more");

    finding->is_final = TRUE;
    hb_finding_advise(finding, "keep them with --existing keep, or have the table emptied with --existing replace",
                      NULL);
}

static void miss_table(HbConflicts *conflicts, const HbObject *rows)
{
    HbFinding *finding = hb_findings_add(conflicts->findings, HB_FINDING_BLOCKER, "table-missing",
                                         rows->on != NULL ? rows->on : rows->identity,
                                         "is not on the target: there is nothing that its rows could go into");

    finding->is_final = TRUE;
    hb_finding_advise(finding, "restore its structure, too (--parts schema,data), or leave it out with --skip", NULL);
}

/* The target has the table, and it stays */
static void judge_rows_of_table(HbConflicts *conflicts, const HbObject *rows, const HbRowSet *set)
{
    const HbRowSet *there = g_hash_table_lookup(conflicts->there_sets, rows->identity);
    const gboolean replace =
        conflicts->input->wish == HB_EXISTING_REPLACE && !hb_conflicts_is_pulled_in(conflicts, rows);
    /* The tables of an extension are not ours */
    const gboolean is_ours = rows->on != NULL && hb_conflicts_find_there(conflicts, rows->on) != NULL;

    if (hb_conflicts_has_rows(conflicts, rows->identity) && !(replace && is_ours)) {
        if (conflicts->input->wish == HB_EXISTING_STOP)
            refuse_rows(conflicts, rows);
        conflicts->some_rows_stay = TRUE;
        keep(conflicts, rows);
        return;
    }
    if (hb_conflicts_has_rows(conflicts, rows->identity))
        g_ptr_array_add(conflicts->outcome->emptied, (gpointer)there);
    check_columns(conflicts, rows, set, there);
    if (conflicts->input->empty == NULL || !g_hash_table_contains(conflicts->input->empty, rows->identity) ||
        hb_conflicts_has_rows(conflicts, rows->identity))
        fill(conflicts, rows);
}

/* Wherever rows come to, the table's types may be the target's own */
static void check_domains(HbConflicts *conflicts)
{
    for (guint i = 0; i < hb_catalog_count(conflicts->input->wanted); i++) {
        const HbObject *rows = hb_catalog_get(conflicts->input->wanted, i);
        if (rows->kind != HB_KIND_ROWS || rows->on == NULL ||
            g_hash_table_contains(conflicts->outcome->kept, rows->identity))
            continue;
        subject_to_domains(conflicts, hb_conflicts_find_there(conflicts, rows->on));
        subject_to_domains(conflicts, hb_conflicts_find_wanted(conflicts, rows->on));
    }
}

static gboolean is_of_large_objects(const HbObject *rows)
{
    return rows->needs->len > 0 && g_str_has_prefix(rows->needs->pdata[0], "large-objects ");
}

/* Rows of no table: bytes of large objects, which come into being with a number of their own */
static void judge_large_rows(HbConflicts *conflicts, const HbObject *rows)
{
    for (guint n = 0; n < rows->needs->len; n++) {
        const char *page = rows->needs->pdata[n];
        if (hb_conflicts_find_there(conflicts, page) == NULL || hb_conflicts_is_gone(conflicts, page))
            continue;
        conflicts->large_objects_stay = TRUE;
        conflicts->some_rows_stay = TRUE;
        keep(conflicts, rows);
        return;
    }
}

/* Of a partitioned table only its partitions have row sets */
static void decide_rows(HbConflicts *conflicts, const HbObject *rows)
{
    const HbRowSet *set = g_hash_table_lookup(conflicts->wanted_sets, rows->identity);
    const HbObject *there = hb_conflicts_find_there(conflicts, rows->identity);

    if (is_of_large_objects(rows)) {
        judge_large_rows(conflicts, rows);
    } else if (there != NULL && !hb_conflicts_is_gone(conflicts, rows->identity)) {
        if (set != NULL && g_hash_table_lookup(conflicts->there_sets, rows->identity) != NULL)
            judge_rows_of_table(conflicts, rows, set);
    } else if (conflicts->input->rows_only && set != NULL) {
        miss_table(conflicts, rows);
    }
}

/* A partition's rows are rows of its parents, too: what those demand and do concerns them */
static void fill_parents(HbConflicts *conflicts)
{
    const HbCatalog *there = conflicts->input->there;

    for (guint i = 0; i < hb_catalog_count(there); i++) {
        const HbObject *rows = hb_catalog_get(there, i);
        for (guint n = 0; rows->kind == HB_KIND_ROWS && n < rows->needs->len; n++) {
            const HbObject *need = hb_catalog_find(there, rows->needs->pdata[n]);
            if (need->kind == HB_KIND_ROWS && need->on != NULL && g_hash_table_contains(conflicts->filled, need->on))
                fill(conflicts, rows);
        }
    }
}

/* ---- What is taken off and put back ---- */

static gboolean is_suspended(const HbConflicts *conflicts, const HbObject *object)
{
    return g_hash_table_contains(conflicts->suspended, object);
}

static gboolean is_filled(const HbConflicts *conflicts, const char *identity)
{
    return identity != NULL && g_hash_table_contains(conflicts->filled, identity);
}

/* Rows that go, or come in any order, must not be held up by what asks other tables, nor make a trigger fire */
static gboolean is_in_the_way(const HbConflicts *conflicts, const HbObject *object)
{
    if (object->kind == HB_KIND_CHECK && object->after == HB_AFTER_ROWS)
        return is_filled(conflicts, object->on) ||
               (object->on != NULL && g_hash_table_contains(conflicts->demanding, object->on));
    if (object->kind != HB_KIND_FOREIGN_KEY && object->kind != HB_KIND_TRIGGER)
        return FALSE;
    if (is_filled(conflicts, object->on) || hb_conflicts_needs_gone(conflicts, object))
        return TRUE;
    for (guint n = 0; object->kind == HB_KIND_FOREIGN_KEY && n < object->needs->len; n++) {
        if (is_filled(conflicts, object->needs->pdata[n]) && conflicts->outcome->emptied->len > 0)
            return TRUE;
    }
    return FALSE;
}

static gboolean hangs_on_suspended(const HbConflicts *conflicts, const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        const HbObject *need = hb_conflicts_find_there(conflicts, object->needs->pdata[n]);
        if (need != NULL && need->kind != HB_KIND_ROWS && is_suspended(conflicts, need))
            return TRUE;
    }
    return FALSE;
}

/* What it needs must come back, too */
static void check_suspended(HbConflicts *conflicts, const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        const char *need = object->needs->pdata[n];
        if (!hb_conflicts_is_gone(conflicts, need) || hb_conflicts_find_wanted(conflicts, need) != NULL ||
            hb_conflicts_find_there(conflicts, need)->kind == HB_KIND_ROWS)
            continue;
        hb_finding_advise(hb_findings_add(conflicts->findings, HB_FINDING_BLOCKER, "would-be-lost", object->identity,
                                          "could not be put back: %s, which it needs, goes and does not arrive", need),
                          "drop it yourself, or go on without it by --accept would-be-lost:…", NULL);
        return;
    }
}

static void suspend(HbConflicts *conflicts)
{
    for (guint i = 0; i < hb_catalog_count(conflicts->input->there); i++) {
        const HbObject *object = hb_catalog_get(conflicts->input->there, i);
        if (!hb_conflicts_is_gone(conflicts, object->identity) &&
            (is_in_the_way(conflicts, object) || hangs_on_suspended(conflicts, object))) {
            g_ptr_array_add(conflicts->outcome->suspended, (gpointer)object);
            g_hash_table_add(conflicts->suspended, (gpointer)object);
            check_suspended(conflicts, object);
        }
    }
}

/* ---- What stays ---- */

/* Which sequences give numbers to rows: by a default, by belonging to a column */
static void check_sequences(HbConflicts *conflicts)
{
    for (guint i = 0; i < hb_catalog_count(conflicts->input->there); i++) {
        const HbObject *object = hb_catalog_get(conflicts->input->there, i);
        gboolean feeds = is_filled(conflicts, object->on) || is_filled(conflicts, object->identity);
        if (object->kind == HB_KIND_SEQUENCE_VALUE || hb_conflicts_is_overlay(object->kind))
            continue;
        for (guint n = 0; object->kind == HB_KIND_SEQUENCE_LINK && n < object->needs->len; n++)
            feeds = feeds || is_filled(conflicts, object->needs->pdata[n]);
        for (guint n = 0; n < object->needs->len; n++) {
            if (!g_str_has_prefix(object->needs->pdata[n], "sequence "))
                continue;
            g_hash_table_add(conflicts->used, object->needs->pdata[n]);
            if (feeds)
                g_hash_table_add(conflicts->feeding, object->needs->pdata[n]);
        }
    }
}

/* A sequence goes on where the rows that it has numbered end. One that numbers no rows goes with all of them */
static gboolean value_stays(const HbConflicts *conflicts, const HbObject *value)
{
    const char *counter = value->needs->len > 0 ? value->needs->pdata[0] : "";

    if (conflicts->input->wish == HB_EXISTING_REPLACE)
        return hb_conflicts_is_pulled_in(conflicts, value);
    if (is_filled(conflicts, counter) || g_hash_table_contains(conflicts->feeding, counter))
        return FALSE;
    return g_hash_table_contains(conflicts->used, counter) || g_str_has_prefix(counter, "table ") ||
           conflicts->some_rows_stay;
}

static gboolean overlay_stays(const HbConflicts *conflicts, const HbObject *wanted, const HbObject *there)
{
    return conflicts->input->wish != HB_EXISTING_REPLACE || hb_conflicts_is_pulled_in(conflicts, wanted) ||
           g_strcmp0(wanted->definition, there->definition) == 0;
}

static gboolean stays(HbConflicts *conflicts, const HbObject *wanted)
{
    const HbObject *there;

    if (wanted->kind == HB_KIND_PLACEHOLDER) /* of what is there, or is dropped: then it is needed again */
        return hb_conflicts_find_there(conflicts, hb_object_get_name(wanted)) != NULL &&
               !hb_conflicts_is_gone(conflicts, hb_object_get_name(wanted));
    if (wanted->kind == HB_KIND_LARGE_OBJECTS && conflicts->large_objects_stay)
        return TRUE;
    there = hb_conflicts_find_there(conflicts, wanted->identity);
    if (there == NULL || hb_conflicts_is_gone(conflicts, wanted->identity) || wanted->kind == HB_KIND_ROWS ||
        hb_kind_get_traits(wanted->kind)->part == HB_PART_USERS)
        return FALSE;
    if (wanted->kind == HB_KIND_SEQUENCE_VALUE)
        return value_stays(conflicts, wanted);
    if (wanted->kind == HB_KIND_REFRESH)
        return g_hash_table_size(conflicts->filled) == 0 && !hb_conflicts_needs_gone(conflicts, wanted);
    if (hb_conflicts_is_overlay(wanted->kind))
        return overlay_stays(conflicts, wanted, there);
    return TRUE;
}

static void report_namesake(HbConflicts *conflicts, const HbObject *wanted)
{
    const HbObject *namesake = hb_conflicts_find_namesake(conflicts, wanted);
    HbFinding *finding;

    if (namesake == NULL || hb_conflicts_is_gone(conflicts, namesake->identity))
        return;
    finding = hb_findings_add(conflicts->findings, HB_FINDING_BLOCKER, "name-taken", wanted->identity,
                              "cannot be created: %s has its name", namesake->identity);
    hb_finding_advise(finding, "rename that one, or leave this one out with --skip", NULL);
}

static void keep_what_stays(HbConflicts *conflicts)
{
    for (guint i = 0; i < hb_catalog_count(conflicts->input->wanted); i++) {
        const HbObject *wanted = hb_catalog_get(conflicts->input->wanted, i);
        if (stays(conflicts, wanted))
            keep(conflicts, wanted);
        else
            report_namesake(conflicts, wanted);
    }
}

/* ---- The whole ---- */

static void conflicts_init(HbConflicts *conflicts, const HbConflictInput *input, HbConflictDecision *outcome,
                           GPtrArray *findings)
{
    *conflicts = (HbConflicts){.input = input, .outcome = outcome, .findings = findings};
    conflicts->wanted_sets = hb_catalog_index_row_sets(input->wanted);
    conflicts->there_sets = hb_catalog_index_row_sets(input->there);
    conflicts->filled = g_hash_table_new(g_str_hash, g_str_equal);
    conflicts->demanding = g_hash_table_new(g_str_hash, g_str_equal);
    conflicts->suspended = g_hash_table_new(NULL, NULL);
    conflicts->feeding = g_hash_table_new(g_str_hash, g_str_equal);
    conflicts->used = g_hash_table_new(g_str_hash, g_str_equal);
    *outcome = (HbConflictDecision){.kept = g_hash_table_new(g_str_hash, g_str_equal),
                                    .dropped = g_ptr_array_new(),
                                    .emptied = g_ptr_array_new(),
                                    .suspended = g_ptr_array_new(),
                                    .gone = g_hash_table_new(g_str_hash, g_str_equal)};
}

static void conflicts_clear(HbConflicts *conflicts)
{
    g_hash_table_unref(conflicts->wanted_sets);
    g_hash_table_unref(conflicts->there_sets);
    g_hash_table_unref(conflicts->filled);
    g_hash_table_unref(conflicts->demanding);
    g_hash_table_unref(conflicts->suspended);
    g_hash_table_unref(conflicts->feeding);
    g_hash_table_unref(conflicts->used);
}

void hb_conflicts_decide(const HbConflictInput *input, HbConflictDecision *outcome, GPtrArray *findings)
{
    HbConflicts conflicts;

    conflicts_init(&conflicts, input, outcome, findings);
    if (input->wish == HB_EXISTING_REPLACE && !input->rows_only)
        hb_conflicts_drop(&conflicts);
    for (guint i = 0; i < hb_catalog_count(input->wanted); i++) {
        if (hb_catalog_get(input->wanted, i)->kind == HB_KIND_ROWS)
            decide_rows(&conflicts, hb_catalog_get(input->wanted, i));
    }
    fill_parents(&conflicts);
    check_domains(&conflicts);
    suspend(&conflicts);
    check_sequences(&conflicts);
    keep_what_stays(&conflicts);
    conflicts_clear(&conflicts);
}

void hb_conflict_decision_clear(HbConflictDecision *outcome)
{
    g_clear_pointer(&outcome->kept, g_hash_table_unref);
    g_clear_pointer(&outcome->dropped, g_ptr_array_unref);
    g_clear_pointer(&outcome->emptied, g_ptr_array_unref);
    g_clear_pointer(&outcome->suspended, g_ptr_array_unref);
    g_clear_pointer(&outcome->gone, g_hash_table_unref);
}
