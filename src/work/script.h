/* SPDX-License-Identifier: Apache-2.0 */
/*
 * script - the use case: a dump becomes one SQL script that the engine's stock shell can run. It streams: neither the
 * script nor a row set is ever whole in memory.
 */
#pragma once

#include "dump/reader.h"
#include "work/run/observer.h"
#include "work/run/stop.h"
#include "work/source/adapt.h"

typedef struct {
    const HbReader *dump; /* its catalog is adapted */
    const HbEngine *engine;
    guint parts;
    const HbSelection *selection; /* NULL: everything */
    HbWishes wishes;
    guint for_version; /* 0: as the dump is written */
    const char *for_version_text;
    const char *database;     /* begin with lines that create and select it; NULL: none of that */
    gboolean one_transaction; /* all of it or nothing */
    guint rows_each;          /* rows of an INSERT; 0: the engine's bulk form */
    HbStop *stop;
    HbObservers *observers;

    gboolean (*write)(gpointer data, const char *bytes, gsize length, GError **error);
    gpointer data;
} HbScriptOptions;

/* HB_ERROR_DAMAGED if a chunk's rows are not those that were dumped: the script then lacks its last line */
gboolean hb_script_write(const HbScriptOptions *options, GError **error);
