/* SPDX-License-Identifier: Apache-2.0 */
/*
 * survey - what is on a server, or in a database, as tables.
 */
#pragma once

#include "engine/mariadb/session/session.h"

GPtrArray *hb_my_survey(HbSession *session, gboolean whole_server, GError **error);

/* The answer to a question of the user's own */
HbResultTable *hb_my_ask(HbSession *session, const char *question, GError **error);
