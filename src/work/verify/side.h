/* SPDX-License-Identifier: Apache-2.0 */
/*
 * side - one of the two that are compared.
 */
#pragma once

#include "dump/reader.h"
#include "engine/engine.h"

/* Where the truth comes from, or what is held against it: a dump, or a server */
typedef struct {
    const HbReader *dump; /* NULL: a server */
    const HbEngine *engine;
    HbAddress address;
    const HbManifest
        *known; /* a server whose catalog was read and chosen from already, rows aside; NULL: it is to be */
} HbSide;
