/* SPDX-License-Identifier: Apache-2.0 */
/*
 * gate_note - how writing to a database was stopped, as a text: (how, was read only, accounts).
 */
#pragma once

#include <glib.h>

typedef enum { HB_MY_GATE_ACCOUNTS, HB_MY_GATE_DATABASE, HB_MY_GATE_SERVER } HbMyGateHow;

typedef struct {
    HbMyGateHow how;
    gboolean was_read_only;
    GPtrArray *accounts; /* char *: user, host, user, host... */
} HbMyGateNote;

void hb_my_gate_note_clear(HbMyGateNote *note);

/* Clears nothing of what the note was before; to be cleared also on failure. HB_ERROR_BLOCKED: it is none */
gboolean hb_my_gate_note_read(const char *text, HbMyGateNote *note, GError **error);
char *hb_my_gate_note_write(HbMyGateHow how, gboolean was_read_only, const GPtrArray *accounts); /* the caller's */
