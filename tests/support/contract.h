/* SPDX-License-Identifier: Apache-2.0 */
/*
 * contract - what every engine must do, as tests that run on any of them.
 */
#pragma once

#include "engine/engine.h"

typedef struct {
    const HbEngine *engine;
    HbAddress address;      /* of a target whose database does not exist yet; with a database */
    GHashTable *properties; /* to create it with */
    const char *create;     /* SQL that makes the table of the row set */
    const char *bad;        /* SQL that fails */
    const char *table;      /* with two columns, n and label */
    guint64 split_extent;   /* of the row set; see HbRowSet */
    const char *split_column;
} Contract;

/* Runs all of it, in order; fails the test where the engine does not keep the contract */
void contract_check(const Contract *contract);
