/* SPDX-License-Identifier: Apache-2.0 */
/*
 * survey - what is on a server, or in one database, at this moment; each table is one query.
 */
#pragma once

#include "engine/postgres/session/session.h"

GPtrArray *hb_pg_survey(HbSession *session, gboolean whole_server, GError **error);

/* The answer to a question of the user's own */
HbResultTable *hb_pg_ask(HbSession *session, const char *question, GError **error);
