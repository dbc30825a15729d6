/* SPDX-License-Identifier: Apache-2.0 */
/*
 * differing_rows - which rows of one table differ between two sides whose sums are known: from the sketches, or, where
 * too much differs for them, from a second reading.
 */
#pragma once

#include "dump/reader.h"
#include "work/run/observer.h"
#include "work/run/stop.h"
#include "work/run/throttle.h"
#include "work/source/row_sums.h"

/* Where a side's rows can be read again, at the same moment: a session in its snapshot, or a dump */
typedef struct {
    const HbEngine *engine;
    HbSession *session;   /* NULL: a dump */
    const HbReader *dump; /* NULL: a server */
    HbThrottle *throttle; /* of the session; NULL: as fast as can be */
    HbStop *stop;
    HbObservers *observers;
} HbRowPlace;

/*
 * *sketched: HbSketchedRow, those with a count above 0 FROM's; the caller's. Of one key in *one_in, a power of two: 1
 * unless hundreds of thousands of rows differ. other is a server's, whose key is taken for a dump's; where the sides
 * have other keys, none is told
 */
gboolean hb_find_differing_rows(const HbRowPlace *from, const HbRowPlace *to, const HbRowSum *one,
                                const HbRowSum *other, GArray **sketched, guint *one_in, GError **error);

/* All rows of a dump's row set; the taker gets each whole, its line end included */
gboolean hb_read_dumped_rows(const HbRowPlace *place, const HbStoredRows *stored, HbRowSink take, gpointer data,
                             GError **error);
