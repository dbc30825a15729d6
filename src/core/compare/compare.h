/* SPDX-License-Identifier: Apache-2.0 */
/*
 * compare - what differs between two catalogs and two sets of row digests.
 *
 * FROM is the one that is trusted, TO the one that is tested. Definitions are compared as tokens, or byte by byte if
 * the dialect says so, owners by name.
 * Objects of the parts users and settings that only TO has are no difference (a server may have users of its own), but
 * for what the database itself is: its comment, rights, connection limit.
 */
#pragma once

#include "core/model/catalog.h"
#include "core/rows/row_difference.h"
#include "core/sql/dialect.h"

typedef enum {
    HB_DIFFERENCE_MISSING, /* FROM has it, TO has not */
    HB_DIFFERENCE_EXTRA,   /* TO has it, FROM has not */
    HB_DIFFERENCE_DEFINITION,
    HB_DIFFERENCE_OWNER,
    HB_DIFFERENCE_ROWS, /* counts or digests differ */
    HB_DIFFERENCE_COUNT
} HbDifferenceType;

/* from and to show what differs: only the lines in which the two differ, passwords hidden; NULL where there is none */
typedef struct {
    HbDifferenceType type;
    char *identity;
    char *from;
    char *to;
    HbRowDifference *rows; /* which of them differ; NULL: it is no difference of rows, or they are not named yet */
} HbDifference;

const char *hb_difference_get_name(HbDifferenceType type); /* "missing", "extra", ... */

/* HbDifference *, in the order of FROM, extra objects last. The caller's; frees its elements */
GPtrArray *hb_compare_new(void);

/* Only objects of these parts; the dialect is that of their definitions */
void hb_compare_catalogs(const HbCatalog *from, const HbCatalog *to, const HbDialect *dialect, guint parts,
                         GPtrArray *differences);

/* Identities (char *) of memberships, settings of roles and of the database that only TO has: no difference, but told
 */
void hb_compare_list_own(const HbCatalog *from, const HbCatalog *to, const HbDialect *dialect, guint parts,
                         GPtrArray *identities);

/* Maps of row set identity to HbDigest *. Row sets that only one side has are left to hb_compare_catalogs() */
void hb_compare_digests(GHashTable *from, GHashTable *to, GPtrArray *differences);
