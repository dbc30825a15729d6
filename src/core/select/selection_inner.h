/* SPDX-License-Identifier: Apache-2.0 */
/*
 * selection_inner - what life and application of a selection share; no other file includes it.
 */
#pragma once

#include "core/select/selection.h"

gboolean hb_selection_has_objects(const GPtrArray *patterns);
gboolean hb_selection_fits_any(const GPtrArray *patterns, const HbObject *object);
