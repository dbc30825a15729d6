/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/mariadb.h"

#include "engine/mariadb/catalog/accounts.h"
#include "engine/mariadb/catalog/catalog.h"
#include "engine/mariadb/catalog/snapshot.h"
#include "engine/mariadb/catalog/survey.h"
#include "engine/mariadb/dialect/drop_sql.h"
#include "engine/mariadb/dialect/grants.h"
#include "engine/mariadb/dialect/renaming.h"
#include "engine/mariadb/dialect/script.h"
#include "engine/mariadb/dialect/split_statements.h"
#include "engine/mariadb/rows/insert_rows.h"
#include "engine/mariadb/rows/rows.h"
#include "engine/mariadb/session/address.h"
#include "engine/mariadb/session/peers.h"
#include "engine/mariadb/session/session.h"
#include "engine/mariadb/target/journal.h"
#include "engine/mariadb/target/preflight.h"
#include "engine/mariadb/target/target.h"
#include "engine/mariadb/target/target_fit.h"

static const char *const schemes[] = {"mariadb", "mysql", NULL};

const HbEngine hb_mariadb_engine = {
    .name = "mariadb",
    .schemes = schemes,
    .script = {.read = hb_my_shell_reads,
               .demand_strict = hb_my_demand_strict_shell,
               .dialect = HB_DIALECT_MARIADB,
               .refuse_in_transaction = hb_my_refuse_in_transaction,
               .find_untransacted = hb_my_find_untransacted,
               .begin = hb_my_begin_script,
               .write_object = hb_my_script_object,
               .get_table = hb_my_script_table,
               .begin_rows = hb_my_begin_script_rows,
               .end_rows = hb_my_end_script_rows},
    .traits = {.analyze_from_rows = 1000, .cross_database_needs = TRUE, .serialise_grants = TRUE},
    .preamble = HB_MY_PREAMBLE,
    .check_uri = hb_my_check_uri,
    .display = hb_my_display,
    .get_database = hb_my_get_database,
    .read_version = hb_my_read_version,
    .open = hb_my_open,
    .close = hb_my_close,
    .interrupt = hb_my_interrupt,
    .cut = hb_my_cut,
    .needs_password = hb_my_needs_password,
    .describe = hb_my_describe,
    .get_id = hb_my_get_id,
    .claim = hb_my_claim,
    .serve = hb_my_serve,
    .end_lost = hb_my_end_lost,
    .find_wait = hb_my_find_wait,
    .survey = hb_my_survey,
    .read_catalog = hb_my_read_catalog,
    .read_server = hb_my_read_server,
    .list_databases = hb_my_list_databases,
    .begin_snapshot = hb_my_begin_snapshot,
    .join_snapshot = hb_my_join_snapshot,
    .seal_snapshot = hb_my_seal_snapshot,
    .check_structure = hb_my_check_structure,
    .drop_snapshot = hb_my_drop_snapshot,
    .end_snapshot = hb_my_end_snapshot,
    .split_rows = hb_my_split_rows,
    .read_rows = hb_my_read_rows,
    .find_target = hb_my_find_target,
    .fit_target = hb_my_fit_target,
    .preflight = hb_my_preflight,
    .create_database = hb_my_create_database,
    .find_content = hb_my_find_content,
    .find_journal = hb_my_find_journal,
    .find_rows = hb_my_find_rows,
    .make_drop_sql = hb_my_make_removal,
    .make_empty_sql = hb_my_make_emptying,
    .begin_journal = hb_my_begin_journal,
    .read_journal = hb_my_read_journal,
    .forget_steps = hb_my_forget_steps,
    .settle_journal = hb_my_settle_journal,
    .end_journal = hb_my_end_journal,
    .reads_same = hb_my_reads_same,
    .find_role = hb_my_find_role,
    .ask = hb_my_ask,
    .disown = hb_my_forget_definer,
    .make_password_sql = hb_my_make_password_sql,
    .run_step = hb_my_run_step,
    .write_rows = hb_my_write_rows,
    .join_definitions = hb_my_join_definitions,
    .rename = hb_my_rename,
    .rename_identity = hb_my_rename_identity,
    .is_unlogged = hb_my_is_volatile,
    .get_analyze_sql = hb_my_get_analyze_sql,
};
