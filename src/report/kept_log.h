/* SPDX-License-Identifier: Apache-2.0 */
/*
 * kept_log - what a server keeps of its log for copies, for people and as JSON. Texts are the caller's.
 */
#pragma once

#include "engine/log.h"

/* is_gone: they were kept until now */
char *hb_kept_logs_page(const GArray *kept, gboolean is_gone, gboolean color);
char *hb_kept_logs_json(const GArray *kept);
