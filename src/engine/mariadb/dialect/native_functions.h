/* SPDX-License-Identifier: Apache-2.0 */
/*
 * native_functions - names of functions that some servers of the family have of their own, and others have not. A
 * server is asked itself which of them it has: this says only what is worth asking.
 */
#pragma once

#include <glib.h>

/* lower: in lower case */
gboolean hb_my_is_native_somewhere(const char *lower);
