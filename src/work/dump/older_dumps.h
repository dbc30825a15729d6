/* SPDX-License-Identifier: Apache-2.0 */
/*
 * older_dumps - the dumps of a dated name that are there beside the newest one, and which of them are kept.
 *
 * Only what is certainly an older dump of the same database goes: its name fits, it can be read, it is of the same
 * source, and its moment is not after the newest one's. Everything else is passed over, and named. A dump goes by being
 * renamed first, so that half of one is never taken for a dump.
 */
#pragma once

#include "dump/reader.h"

/* A dump is kept if one of them keeps it */
typedef struct {
    guint count;    /* so many of the newest, the very newest counted; 0: this keeps none */
    gint64 seconds; /* those whose moment is no longer ago than this, seen from the newest; 0: this keeps none */
} HbKeepRule;

typedef struct {
    char *path;
    char *why;
} HbPassedOver;

typedef struct {
    guint kept;             /* the newest one counted */
    GPtrArray *removed;     /* char *: paths */
    GPtrArray *passed_over; /* HbPassedOver *: what fits the name, and stays, or could not be removed */
    gboolean is_incomplete; /* something was to go, and could not be removed */
} HbOlderDumps;

/*
 * pattern: a path, whose last part has a date in it (see core/base/dated_name.h); newest: the dump that was just
 * written for it, and is whole. HB_ERROR_FILE if its folder cannot be read. result is filled in any case
 */
gboolean hb_older_dumps_clear_away(const char *pattern, const HbReader *newest, const HbKeepRule *rule,
                                   HbOlderDumps *result, GError **error);
void hb_older_dumps_clear(HbOlderDumps *result);

/* The newest dump that the pattern stands for, by its name and then its moment; NULL with HB_ERROR_FILE if there is
 * none. The caller's */
char *hb_older_dumps_find_newest(const char *pattern, GError **error);
