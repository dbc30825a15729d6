/* SPDX-License-Identifier: Apache-2.0 */
/*
 * program_heads - the parameters and the result of functions and procedures, which servers of the family do not all
 * read, or read otherwise. Bodies stay as they are.
 */
#pragma once

#include "core/model/object.h"

/* CREATE FUNCTION as MySQL shows it, whose result has a character set: says the collation, too, where it is the usual
 * one and not shown. version: of that server. The caller's */
char *hb_my_say_result_collation(const char *create, guint version);

/* A function's or procedure's definition with types that the other product reads; NULL: all are read there. The
 * caller's */
char *hb_my_replace_types(const HbObject *program, gboolean to_maria);

/* The usual collation that a parameter has, as it names a character set only, where it would be another one in the
 * version `to`; NULL: all are the same there. The caller's */
char *hb_my_find_unsaid_collation(const HbObject *program, guint from, guint to);
