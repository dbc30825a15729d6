/* SPDX-License-Identifier: Apache-2.0 */
/*
 * log_reader - the changes of published tables, as a server decodes them from its log (see HbLog).
 *
 * A session of replication has the settings that all our sessions have, so that its values are the texts which COPY
 * would give. The stream begins behind the position; whole transactions come in the order of their commits.
 */
#pragma once

#include "engine/log.h"

HbLogReader *hb_pg_open_log(const HbAddress *address, const char *name, const char *position, const GPtrArray *tables,
                            GError **error);
void hb_pg_close_log(HbLogReader *reader);
gboolean hb_pg_next_change(HbLogReader *reader, guint wait_ms, HbLogEvent *event, GError **error);
gboolean hb_pg_confirm_log(HbLogReader *reader, const char *position, GError **error);

/* For tests: a reader without a session, which is given the messages of a stream as they came, and asked for what is to
 * be told of one after its first event */
HbLogReader *hb_pg_log_reader_new(const GPtrArray *tables);
gboolean hb_pg_log_reader_take(HbLogReader *reader, const char *bytes, gsize length, gboolean *has_event,
                               HbLogEvent *event, GError **error);
void hb_pg_log_reader_tell(HbLogReader *reader, gboolean *has_event, HbLogEvent *event);
