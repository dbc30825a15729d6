/* SPDX-License-Identifier: Apache-2.0 */
/*
 * origin - what a copy remembers of where it came from, for people and programs.
 */
#pragma once

#include "work/origin/origin.h"

#include <jansson.h>

/* "a copy of database garden at keeper@old, as it was at 2026-11-29T03:20:00Z"; the caller's */
char *hb_origin_describe(const HbOrigin *origin);
json_t *hb_origin_json(const HbOrigin *origin); /* null of NULL */
