/* SPDX-License-Identifier: Apache-2.0 */
/*
 * registry - the engines that this program has. It alone knows all of them; everybody else asks it.
 */
#pragma once

#include "engine/engine.h"

/* The engine of a URI's scheme; NULL with HB_ERROR_USAGE if none knows it */
const HbEngine *hb_engine_find(const char *uri, GError **error);

/* The engine that a manifest names; NULL with HB_ERROR_DAMAGED if there is none of that name */
const HbEngine *hb_engine_get(const char *name, GError **error);

/* All of them, ended by NULL; borrowed */
const HbEngine *const *hb_engine_list(void);

/* Does the text look like a URI (scheme://...) rather than a path? */
gboolean hb_engine_is_uri(const char *text);
