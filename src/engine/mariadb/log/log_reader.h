/* SPDX-License-Identifier: Apache-2.0 */
/*
 * log_reader - the changes of a database's tables, from the binary log (see HbLog), over the packets of the client
 * library.
 */
#pragma once

#include "engine/log.h"

HbLogReader *hb_my_open_log(const HbAddress *address, const char *name, const char *position, const GPtrArray *tables,
                            GError **error);
void hb_my_close_log(HbLogReader *reader);
gboolean hb_my_next_change(HbLogReader *reader, guint wait_ms, HbLogEvent *event, GError **error);
gboolean hb_my_confirm_log(HbLogReader *reader, const char *position, GError **error);

/* For tests: a reader without a session, which is given the events of a stream as they came, and asked for what is to
 * be told of one after its first event. layouts: its own then */
HbLogReader *hb_my_log_reader_new(const char *database, const char *file, GHashTable *layouts);
gboolean hb_my_log_reader_take(HbLogReader *reader, const guint8 *bytes, gsize length, gboolean *has_event,
                               HbLogEvent *event, GError **error);
gboolean hb_my_log_reader_tell(HbLogReader *reader, gboolean *has_event, HbLogEvent *event, GError **error);
