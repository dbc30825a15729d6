/* SPDX-License-Identifier: Apache-2.0 */
/*
 * findings - what would go wrong, or otherwise than expected, if a database were restored on a target, each with what
 * to do about it.
 */
#pragma once

#include <glib.h>

typedef enum {
    HB_FINDING_BLOCKER, /* the restore would fail, or do harm: nothing is written, unless it is accepted */
    HB_FINDING_WARNING, /* it would go on, but something would be missing or otherwise */
    HB_FINDING_NOTE,    /* worth knowing */
    HB_FINDING_LEVEL_COUNT
} HbFindingLevel;

typedef struct {
    HbFindingLevel level;
    char *name;        /* of this sort of finding, as --accept takes it: "role-missing" */
    char *object;      /* what it is about */
    char *what;        /* what would happen */
    char *todo;        /* what to do; NULL: nothing need be done */
    char *sql;         /* a statement ready to be run on the target; NULL: none */
    gboolean is_final; /* it cannot be accepted */
    gboolean accepted;
} HbFinding;

GPtrArray *hb_findings_new(void); /* of HbFinding *, owned */

/* The names that findings may have, ended by NULL; what else is added is a mistake of ours */
extern const char *const hb_finding_names[];

const char *hb_finding_level_get_name(HbFindingLevel level);   /* "blocker" */
const char *hb_finding_level_get_plural(HbFindingLevel level); /* "Blockers" */

/* Texts are copied; the finding is the list's. todo and sql are set by hb_finding_advise() */
HbFinding *hb_findings_add(GPtrArray *findings, HbFindingLevel level, const char *name, const char *object,
                           const char *what, ...) G_GNUC_PRINTF(5, 6);
void hb_finding_advise(HbFinding *finding, const char *todo, const char *sql); /* either may be NULL */

/* Blockers first, then warnings, then notes; in the order of adding */
void hb_findings_sort(GPtrArray *findings);

guint hb_findings_count(const GPtrArray *findings, HbFindingLevel level);
guint hb_findings_count_open(const GPtrArray *findings); /* blockers that are not accepted */

/* accepted: "role-missing", or "role-missing:role ida" for one object only (a glob); a list ended by NULL, or NULL */
void hb_findings_accept(GPtrArray *findings, char *const *accepted);
