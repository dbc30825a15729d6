/* SPDX-License-Identifier: Apache-2.0 */
/*
 * handover_inner - what a hand-over's text and its page say alike; no other file includes it.
 */
#pragma once

#include "report/handover.h"

extern const char *const hb_handover_outcomes[]; /* of a connection string, by its outcome */

/* UTC; NULL of 0. Texts are the caller's */
double hb_handover_seconds_of(gint64 began_us, gint64 ended_us);
char *hb_handover_write_time(gint64 us, const char *format);
char *hb_handover_describe_side(const HbServerInfo *side);
char *hb_handover_describe_guess(const HbHandover *handover);
char *hb_handover_describe_window(const HbHandoverReport *report);
char *hb_handover_describe_moved(const HbHandoverReport *report);
char *hb_handover_describe_verdict(const HbHandover *handover, const GError *cause, gboolean is_rehearsal);
gboolean hb_handover_is_good(const HbHandover *handover, const GError *cause);
