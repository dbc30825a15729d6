/* SPDX-License-Identifier: Apache-2.0 */
/*
 * json_writer - values of JSON documents.
 */
#pragma once

#include "core/select/selection.h"

#include <glib.h>
#include <jansson.h>

json_t *hb_json_number(guint64 value); /* up to 2^63 - 1 */

/* Any bytes, without loss (see core/base/json_text.h); NULL becomes null */
json_t *hb_json_text(const char *text);
json_t *hb_json_readable(const char *text);    /* for people: bytes that are no UTF-8 are replaced by U+FFFD */
json_t *hb_json_texts(const GPtrArray *texts); /* char * */
json_t *hb_json_selection(const HbSelection *selection);
