/* SPDX-License-Identifier: Apache-2.0 */
/*
 * conflicts_inner - what the files of conflicts share; no other file includes it.
 *
 *     existing          rows, what is set aside, what stays
 *     existing_dropped  what is dropped, and what would be lost with it
 *     existing_lookup   kinds of objects, and what is where
 */
#pragma once

#include "core/compare/conflicts.h"

typedef struct {
    const HbConflictInput *input;
    HbConflictDecision *outcome;
    GPtrArray *findings;
    GHashTable *wanted_sets; /* row sets' identities to HbRowSet * */
    GHashTable *there_sets;
    GHashTable *filled;    /* identities of tables on the target, parents of partitions among them, that get rows */
    GHashTable *demanding; /* identities of domains and types that rows which come have values of */
    GHashTable *suspended; /* the outcome's, as a set */
    GHashTable *feeding;   /* identities of sequences that number the rows of filled tables */
    GHashTable *used;      /* of sequences that number the rows of any table */
    gboolean some_rows_stay;
    gboolean large_objects_stay;
} HbConflicts;

/* Kinds: statements about something, which can be given again; what is nothing without its table; what can be dropped
 */
gboolean hb_conflicts_is_overlay(HbKind kind);
gboolean hb_conflicts_is_link(HbKind kind);
gboolean hb_conflicts_is_droppable(HbKind kind);
gboolean hb_conflicts_is_part(const HbObject *object);

/* NULL if it is not there, or is not wanted */
const HbObject *hb_conflicts_find_there(const HbConflicts *conflicts, const char *identity);
const HbObject *hb_conflicts_find_wanted(const HbConflicts *conflicts, const char *identity);
const HbObject *hb_conflicts_find_namesake(const HbConflicts *conflicts,
                                           const HbObject *wanted); /* of another kind, on the target */

gboolean hb_conflicts_has_rows(const HbConflicts *conflicts, const char *identity);
gboolean hb_conflicts_is_pulled_in(const HbConflicts *conflicts, const HbObject *object); /* not selected by name */
gboolean hb_conflicts_is_gone(const HbConflicts *conflicts, const char *identity);
gboolean hb_conflicts_needs_gone(const HbConflicts *conflicts, const HbObject *object);

/* Fills in what is dropped, and tells what is lost */
void hb_conflicts_drop(HbConflicts *conflicts);
