/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/postgres.h"
#include "engine/postgres/target/journal.h"

#include "engine/postgres/catalog/catalog.h"
#include "engine/postgres/catalog/snapshot.h"
#include "engine/postgres/catalog/survey.h"
#include "engine/postgres/dialect/drop_sql.h"
#include "engine/postgres/dialect/renaming.h"
#include "engine/postgres/dialect/script.h"
#include "engine/postgres/rows/rows.h"
#include "engine/postgres/session/peers.h"
#include "engine/postgres/session/server.h"
#include "engine/postgres/session/session.h"
#include "engine/postgres/target/preflight.h"
#include "engine/postgres/target/same_definition.h"
#include "engine/postgres/target/target.h"
#include "engine/postgres/target/target_fit.h"

static const char *const schemes[] = {"postgresql", "postgres", NULL};

const HbEngine hb_postgres_engine = {
    .name = "postgresql",
    .schemes = schemes,
    .script = {.dialect = HB_DIALECT_POSTGRES,
               .has_bulk = TRUE,
               .refuse_in_transaction = hb_pg_refuse_in_transaction,
               .begin = hb_pg_begin_script,
               .write_object = hb_pg_script_object,
               .get_table = hb_pg_script_table,
               .begin_rows = hb_pg_begin_script_rows,
               .end_rows = hb_pg_end_script_rows},
    .traits = {.analyze_from_rows = 1,
               .binary_compatible_divisor = 10000,
               .journal_guarded = TRUE,
               .transactional_ddl = TRUE},
    .preamble = "SET client_encoding = 'UTF8';\n"
                "SET standard_conforming_strings = on;\n"
                "SET check_function_bodies = off;\n"
                "SET search_path = '';\n",
    .check_uri = hb_pg_check_uri,
    .display = hb_pg_display,
    .get_database = hb_pg_get_database,
    .read_version = hb_pg_read_version,
    .open = hb_pg_open,
    .close = hb_pg_close,
    .interrupt = hb_pg_interrupt,
    .cut = hb_pg_cut,
    .needs_password = hb_pg_needs_password,
    .describe = hb_pg_describe,
    .get_id = hb_pg_get_id,
    .claim = hb_pg_claim,
    .serve = hb_pg_serve,
    .end_lost = hb_pg_end_lost,
    .find_wait = hb_pg_find_wait,
    .survey = hb_pg_survey,
    .read_catalog = hb_pg_read_catalog,
    .read_server = hb_pg_read_server,
    .list_databases = hb_pg_list_databases,
    .begin_snapshot = hb_pg_begin_snapshot,
    .join_snapshot = hb_pg_join_snapshot,
    .seal_snapshot = hb_pg_seal_snapshot,
    .check_structure = hb_pg_check_structure,
    .drop_snapshot = hb_pg_drop_snapshot,
    .end_snapshot = hb_pg_end_snapshot,
    .split_rows = hb_pg_split_rows,
    .read_rows = hb_pg_read_rows,
    .find_target = hb_pg_find_target,
    .fit_target = hb_pg_fit_target,
    .preflight = hb_pg_preflight,
    .create_database = hb_pg_create_database,
    .find_content = hb_pg_find_content,
    .find_journal = hb_pg_find_journal,
    .find_rows = hb_pg_find_rows,
    .make_drop_sql = hb_pg_make_removal,
    .make_empty_sql = hb_pg_make_emptying,
    .clearing_preamble = "SET LOCAL lock_timeout = '10s';\n",
    .begin_journal = hb_pg_begin_journal,
    .read_journal = hb_pg_read_journal,
    .forget_steps = hb_pg_forget_steps,
    .settle_journal = hb_pg_settle_journal,
    .end_journal = hb_pg_end_journal,
    .reads_same = hb_pg_reads_same,
    .find_role = hb_pg_find_role,
    .make_joining = hb_pg_make_joining,
    .make_lending = hb_pg_make_lending,
    .ask = hb_pg_ask,
    .read_privileges = hb_pg_read_reach,
    .make_password_sql = hb_pg_make_password_sql,
    .run_step = hb_pg_run_step,
    .write_rows = hb_pg_write_rows,
    .join_definitions = hb_pg_join_definitions,
    .rename = hb_pg_rename,
    .rename_identity = hb_pg_rename_identity,
    .is_unlogged = hb_pg_is_volatile,
    .get_analyze_sql = hb_pg_get_analyze_sql,
};
