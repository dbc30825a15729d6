/* SPDX-License-Identifier: Apache-2.0 */
/*
 * handover - a hand-over, rehearsed and done, as text for people, as JSON and as a page of HTML. Texts are the
 * caller's.
 */
#pragma once

#include "work/handover/handover.h"

char *hb_handover_rehearsal_page(const HbHandover *handover, gboolean with_strings, gboolean color);
/* cause: why it did not end; NULL: it did */
char *hb_handover_page(const HbHandover *handover, const GError *cause, gboolean color);
/* is_rehearsal: nothing but that was wanted */
char *hb_handover_json(const HbHandover *handover, const GError *cause, gboolean is_rehearsal);
char *hb_handover_html(const HbHandover *handover, const GError *cause, gboolean is_rehearsal);
