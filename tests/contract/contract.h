/* SPDX-License-Identifier: Apache-2.0 */
/*
 * contract - what every engine must do, as a suite of tests for each of its tables with sessions (the dialect has its
 * own in tests/engine/test_dialect.c). Each suite runs on any engine, alone or after another one: it makes the database
 * if it is not there, and leaves no journal behind.
 */
#pragma once

#include "support/check.h"

#include "engine/engine.h"

typedef struct {
    const HbEngine *engine;
    HbAddress address;      /* of a target whose database does not exist yet; with a database */
    GHashTable *properties; /* to create it with */
    const char *secret_uri; /* with the password "geheim"; no server need be there */
    const char *bad_uri;    /* with something in it that the engine does not know */
    const char *create;     /* SQL that makes the table of the row set */
    const char *drop;       /* and takes it away */
    const char *bad;        /* SQL that fails */
    const char *slow;       /* SQL that takes a minute; NULL: the engine has none */
    const char *question;   /* whose answer is one row, "7" in the column "seven"; NULL: it answers none */
    const char *table;      /* with two columns, n and label */
    const char *identity;   /* of the table's object; NULL: the engine has no catalog of it */
    guint64 split_extent;   /* of the row set; see HbRowSet */
    const char *split_column;
    const char *odd_user, *odd_password; /* of an account that may connect; see gate_keeps_its_contract() */
} Contract;

/* Each fails the test where the engine does not keep its contract */
void connector_keeps_its_contract(const Contract *contract);
void target_keeps_its_contract(const Contract *contract);
void journal_keeps_its_contract(const Contract *contract);
void journal_takes_back_what_broke_off(const Contract *contract); /* whose table has no transactions */
void source_keeps_its_contract(const Contract *contract);
void gate_keeps_its_contract(const Contract *contract); /* a server that asks odd_user for its password */

/* ---- For the suites ---- */

#define CONTRACT_ROWS 450

/* What connection strings have to quote */
#define CONTRACT_ODD_USER     "we\"ir'd@%[x]{y};:/ #ö\\"
#define CONTRACT_ODD_PASSWORD "p'a s\"s\\n@%[x]{y};:/#=ü "

HbSession *contract_open(const Contract *contract);
gboolean contract_is_noted(const Contract *contract, HbSession *session, const char *key);
HbRowSet *contract_add_row_set(const Contract *contract, HbCatalog *catalog);

/* Gives CONTRACT_ROWS rows in three blocks to write_rows(); with fails, two blocks and then an error */
typedef struct {
    guint blocks; /* still to give */
    guint row;
    gboolean fails; /* instead of ending */
    GString *block;
} ContractRows;

void contract_rows_init(ContractRows *rows, gboolean fails);
void contract_rows_clear(ContractRows *rows);
gboolean contract_rows_give(gpointer rows, const char **bytes, gsize *length, GError **error);

/* All rows, read in pieces of so many bytes at most */
HbDigest contract_read_all(const Contract *contract, HbSession *session, const HbRowSet *set, guint64 bytes);
