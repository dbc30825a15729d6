/* SPDX-License-Identifier: Apache-2.0 */
/*
 * glob - a text with wildcards: * stands for any text, ? for one letter.
 */
#pragma once

#include <glib.h>

/* Does the text fit a glob of * and ?, which is one character, or one byte that is part of none? Bytes may be any */
gboolean hb_glob_fits(const char *glob, const char *text);
