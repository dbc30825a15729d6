/* SPDX-License-Identifier: Apache-2.0 */
/*
 * handover_inner - what the files of a hand-over share; no other file includes it.
 *
 *     handover              the order of steps, and what becomes of them when one fails
 *     rehearsal             what can be known before
 *     copy_passes           the copy is brought up to date, and checked
 *     stop_writes           FROM's gate: stopped, proved to be still, let in again, left closed
 *     way_back              FROM becomes a copy of TO
 *     connection_strings    for applications, and tried
 */
#pragma once

#include "work/handover/handover.h"

struct HbHandover {
    HbHandoverOptions options;
    HbAddress from, to; /* without the watch of the options' stop */
    HbHandoverReport report;
    gboolean is_rehearsal;
    HbOrigin *origin;     /* TO's, as it was last read */
    HbPass *pass;         /* the last one; its origin is ours */
    HbHandoverNote *note; /* as it stands in TO; NULL: FROM is open to everybody */
    HbSession *gate;      /* at FROM, known to no stop: what must be put back is put back whatever else was stopped */
    gboolean is_unknown;  /* whether TO has noted the point of no return */
    gboolean is_gone;     /* FROM's database was dropped, or has another name, by the run that is resumed */
    char *state;          /* of FROM when it stood still */
    GHashTable *check_from, *check_to; /* tables whose rows the check reads, as each side calls them; NULL: all */
    GHashTable *accepted;              /* identities that may differ */
};

const HbEngine *hb_handover_get_engine(const HbHandover *handover);

/* A session of ours, which no stop ends */
HbSession *hb_handover_open_from(const HbHandover *handover, GError **error);
HbSession *hb_handover_open_to(const HbHandover *handover, GError **error);

/* ---- The note in TO ---- */

gboolean hb_handover_recall(HbHandover *handover, GError **error);     /* the origin; HB_ERROR_BLOCKED: there is none */
gboolean hb_handover_write_note(HbHandover *handover, GError **error); /* handover->note, or that there is none */

/* ---- Steps: FALSE with the error; *did: for people, the caller's ---- */

gboolean hb_handover_rehearse(HbHandover *handover, GError **error);
gboolean hb_handover_stop_writes(HbHandover *handover, char **did, GError **error);
gboolean hb_handover_last_pass(HbHandover *handover, char **did, GError **error);
gboolean hb_handover_check(HbHandover *handover, char **did, GError **error);
gboolean hb_handover_try_strings(HbHandover *handover, char **did, GError **error); /* what was accepted may fail */
void hb_handover_try_strings_at_the_end(HbHandover *handover);
gboolean hb_handover_prepare_way_back(HbHandover *handover, char **did, GError **error);
gboolean hb_handover_settle_source(HbHandover *handover, char **did, GError **error);
gboolean hb_handover_open_target(HbHandover *handover, char **did, GError **error);

/* ---- Of copy_passes ---- */

typedef enum { HB_BRING_NOTHING, HB_BRING_ONLY, HB_BRING_AND_COMPARE } HbBringing; /* what is not rows */

/* Parts of what the copy has: brings, until it is at rest, or only looks */
gboolean hb_handover_bring(HbHandover *handover, guint parts, HbBringing bringing, GError **error);

/* ---- Of stop_writes ---- */

gboolean hb_handover_choose_way(HbHandover *handover, GError **error);
gboolean hb_handover_look_at_gate(HbHandover *handover, GError **error);
/* Is FROM still as it was when it stood still? */
gboolean hb_handover_is_still(HbHandover *handover, GError **error);
/* How FROM is to be closed for good is in the note from then on */
gboolean hb_handover_plan_closing(HbHandover *handover, GError **error);
/* What was stopped is let in again */
gboolean hb_handover_let_in(HbHandover *handover, GError **error);

/* ---- Of connection_strings ---- */

#define HB_HANDOVER_STRING_FAILS "string-fails" /* the finding's name */

/* Writes and tries all of them. HB_ERROR_BLOCKED: one does not connect */
gboolean hb_handover_check_strings(HbHandover *handover, char **did, GError **error);

/* ---- Of way_back ---- */

void hb_handover_look_at_way_back(HbHandover *handover);
void hb_handover_forget_way_back(HbHandover *handover); /* nothing of it stays */
