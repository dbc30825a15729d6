/* SPDX-License-Identifier: Apache-2.0 */
/*
 * same_definition - whether two definitions that read differently mean the same to a server.
 *
 * Versions print the same view, check, default, index, trigger or policy differently. So the server is given the other
 * definition for a temporary view, or on a temporary table of the same columns, and asked what it prints for that one;
 * nothing of it stays.
 */
#pragma once

#include "engine/postgres/session/session.h"

gboolean hb_pg_reads_same(HbSession *session, const HbObject *other, const HbObject *own);
