/* SPDX-License-Identifier: Apache-2.0 */
#include "core/compare/conflicts_inner.h"

#include <string.h>

/* Its table stays, and does not bring it: it is taken off for a while instead of being lost */
static gboolean may_be_suspended(const HbConflicts *conflicts, const HbObject *object)
{
    return (object->kind == HB_KIND_FOREIGN_KEY || object->kind == HB_KIND_TRIGGER) &&
           !hb_conflicts_is_gone(conflicts, object->on) &&
           hb_conflicts_find_wanted(conflicts, object->identity) == NULL;
}

static void add_gone(HbConflicts *conflicts, const char *identity)
{
    g_hash_table_add(conflicts->outcome->gone, (gpointer)identity);
}

/* What is the same already need not be dropped for its own sake; rows are what tables are replaced for */
static gboolean is_same(const HbObject *wanted, const HbObject *there)
{
    return wanted->kind != HB_KIND_TABLE && wanted->kind != HB_KIND_LARGE_OBJECTS &&
           g_strcmp0(wanted->definition, there->definition) == 0 && g_strcmp0(wanted->owner, there->owner) == 0;
}

static void seed(HbConflicts *conflicts)
{
    for (guint i = 0; i < hb_catalog_count(conflicts->input->wanted); i++) {
        const HbObject *wanted = hb_catalog_get(conflicts->input->wanted, i);
        const HbObject *there = hb_conflicts_find_there(conflicts, wanted->identity);
        const HbObject *namesake = hb_conflicts_find_namesake(conflicts, wanted);
        if (there != NULL && hb_conflicts_is_droppable(there->kind) && !hb_conflicts_is_pulled_in(conflicts, wanted) &&
            !is_same(wanted, there))
            add_gone(conflicts, there->identity);
        if (namesake != NULL)
            add_gone(conflicts, namesake->identity);
    }
}

static gboolean add_what_is_linked(HbConflicts *conflicts, const char *identity)
{
    if (identity == NULL || hb_conflicts_is_gone(conflicts, identity) ||
        hb_conflicts_find_there(conflicts, identity) == NULL)
        return FALSE;
    add_gone(conflicts, identity);
    return TRUE;
}

/* A partition goes with its parent, and a sequence with the table that it belongs to */
static gboolean take_linked(HbConflicts *conflicts, const HbObject *link)
{
    gboolean found = link->kind == HB_KIND_ATTACHMENT && add_what_is_linked(conflicts, link->on);

    for (guint n = 0; link->kind == HB_KIND_SEQUENCE_LINK && n < link->needs->len; n++) {
        if (g_str_has_prefix(link->needs->pdata[n], "sequence "))
            found = add_what_is_linked(conflicts, link->needs->pdata[n]) || found;
    }
    return found;
}

/* What needs its placeholder came before it */
static gboolean has_placeholder(const HbConflicts *conflicts, const HbObject *object)
{
    g_autofree char *placeholder = hb_identity_new(HB_KIND_PLACEHOLDER, object->identity);

    return hb_conflicts_find_there(conflicts, placeholder) != NULL;
}

/* All that needs what goes. TRUE if something was found that may be needed by what came before it */
static gboolean spread(HbConflicts *conflicts)
{
    gboolean again = FALSE;

    for (guint i = 0; i < hb_catalog_count(conflicts->input->there); i++) {
        const HbObject *object = hb_catalog_get(conflicts->input->there, i);
        if (hb_conflicts_is_gone(conflicts, object->identity) || !hb_conflicts_needs_gone(conflicts, object))
            continue;
        if (may_be_suspended(conflicts, object))
            continue;
        add_gone(conflicts, object->identity);
        again = take_linked(conflicts, object) || again || has_placeholder(conflicts, object);
    }
    return again;
}

/* Is it anything but a part of that, or the same table's? */
static gboolean is_foreign(const HbConflicts *conflicts, const HbObject *object, const char *need)
{
    const HbObject *needed = hb_conflicts_find_there(conflicts, need);

    return g_strcmp0(need, object->on) != 0 && needed != NULL && needed->kind != HB_KIND_ROWS &&
           g_strcmp0(needed->on, object->on) != 0;
}

/* Most parts go with their tables; those that need another thing that goes would hold that back */
static gboolean needs_own_drop(const HbConflicts *conflicts, const HbObject *object)
{
    if (!hb_conflicts_is_droppable(object->kind))
        return FALSE;
    if (object->on == NULL || !hb_conflicts_is_gone(conflicts, object->on))
        return TRUE;
    for (guint n = 0; n < object->needs->len; n++) {
        if (hb_conflicts_is_gone(conflicts, object->needs->pdata[n]) &&
            is_foreign(conflicts, object, object->needs->pdata[n]))
            return TRUE;
    }
    return FALSE;
}

static void list_dropped(HbConflicts *conflicts)
{
    for (guint i = hb_catalog_count(conflicts->input->there); i-- > 0;) {
        const HbObject *object = hb_catalog_get(conflicts->input->there, i);
        if (hb_conflicts_is_gone(conflicts, object->identity) && needs_own_drop(conflicts, object))
            g_ptr_array_add(conflicts->outcome->dropped, (gpointer)object);
    }
}

static const char *find_culprit(const HbConflicts *conflicts, const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        if (hb_conflicts_is_gone(conflicts, object->needs->pdata[n]))
            return object->needs->pdata[n];
    }
    return NULL;
}

/* Nothing that it needs is dropped: it is a partition, or a table's own sequence, or has a name that is wanted */
static void report_swept(HbConflicts *conflicts, const HbObject *object)
{
    g_autofree char *attachment = hb_identity_new(HB_KIND_ATTACHMENT, hb_object_get_name(object));
    const gboolean is_partition = hb_conflicts_find_there(conflicts, attachment) != NULL;
    const gboolean is_sequence = object->kind == HB_KIND_SEQUENCE;
    HbFinding *finding = hb_findings_add(conflicts->findings, HB_FINDING_BLOCKER, "would-be-lost", object->identity,
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

static void report_lost(HbConflicts *conflicts, const HbObject *object)
{
    const char *culprit = find_culprit(conflicts, object);
    HbFinding *finding;

    if (object->kind == HB_KIND_ROWS) {
        finding = hb_findings_add(conflicts->findings, HB_FINDING_BLOCKER, "would-be-lost", object->identity,
                                  "would go with %s, and do not arrive", object->on);
        hb_finding_advise(finding, "let the rows arrive, too, or keep the table with --existing keep", NULL);
    } else if (hb_conflicts_is_part(object) && (object->on == NULL || hb_conflicts_is_gone(conflicts, object->on))) {
        hb_findings_add(conflicts->findings, HB_FINDING_WARNING, "part-lost", object->identity,
                        "is on the target only; it goes with %s, and does not come back",
                        culprit != NULL ? culprit : object->on);
    } else if (culprit == NULL) {
        report_swept(conflicts, object);
    } else {
        finding = hb_findings_add(conflicts->findings, HB_FINDING_BLOCKER, "would-be-lost", object->identity,
                                  "needs %s, would be dropped with it, and does not arrive", culprit);
        hb_finding_advise(finding,
                          "take it, too, if the dump has it; otherwise keep its definition and drop it yourself, or go "
                          "on without it by --accept would-be-lost:…",
                          NULL);
    }
}

static void report_what_is_lost(HbConflicts *conflicts)
{
    for (guint i = 0; i < hb_catalog_count(conflicts->input->there); i++) {
        const HbObject *object = hb_catalog_get(conflicts->input->there, i);
        if (!hb_conflicts_is_gone(conflicts, object->identity) ||
            hb_conflicts_find_wanted(conflicts, object->identity) != NULL || hb_conflicts_is_link(object->kind) ||
            (object->kind == HB_KIND_ROWS && !hb_conflicts_has_rows(conflicts, object->identity)))
            continue;
        report_lost(conflicts, object);
    }
}

void hb_conflicts_drop(HbConflicts *conflicts)
{
    seed(conflicts);
    while (spread(conflicts))
        ;
    list_dropped(conflicts);
    report_what_is_lost(conflicts);
}
