/* SPDX-License-Identifier: Apache-2.0 */
/*
 * numbers - numbers out of their text, exactly, for columns that take them as numbers: reading text is a good part of
 * what a load costs the server.
 */
#pragma once

#include <glib.h>

/* FALSE: it is no whole number, or has more digits than are sure to fit; then it goes as text */
gboolean hb_number_read_whole(const char *text, gsize length, gint64 *number);

/* The nearest double, as every correct reader gives it. FALSE: it is not all of a number */
gboolean hb_number_read_real(const char *text, gsize length, double *number);
