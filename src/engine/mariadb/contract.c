/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/gate/gate.h"
#include "engine/mariadb/mariadb.h"

#include "engine/mariadb/catalog/catalog.h"
#include "engine/mariadb/catalog/server.h"
#include "engine/mariadb/catalog/snapshot.h"
#include "engine/mariadb/catalog/survey.h"
#include "engine/mariadb/dialect/dialect.h"
#include "engine/mariadb/dialect/grants.h"
#include "engine/mariadb/log/kept_log.h"
#include "engine/mariadb/log/log_reader.h"
#include "engine/mariadb/log/table_layouts.h"
#include "engine/mariadb/rows/insert_rows.h"
#include "engine/mariadb/rows/json_types.h"
#include "engine/mariadb/rows/replay.h"
#include "engine/mariadb/rows/rows.h"
#include "engine/mariadb/rows/split_rows.h"
#include "engine/mariadb/session/address.h"
#include "engine/mariadb/session/peers.h"
#include "engine/mariadb/session/session.h"
#include "engine/mariadb/target/journal.h"
#include "engine/mariadb/target/origin.h"
#include "engine/mariadb/target/preflight.h"
#include "engine/mariadb/target/roles.h"
#include "engine/mariadb/target/target.h"
#include "engine/mariadb/target/target_fit.h"

static const char *const schemes[] = {"mariadb", "mysql", NULL};

static const HbConnector connector = {
    .schemes = schemes,
    .check_uri = hb_my_check_uri,
    .describe_library = hb_my_describe_library,
    .display = hb_my_display,
    .get_database = hb_my_get_database,
    .open = hb_my_open,
    .close = hb_my_close,
    .interrupt = hb_my_interrupt,
    .cut = hb_my_cut,
    .needs_password = hb_my_needs_password,
    .describe = hb_my_describe,
    .get_id = hb_my_get_id,
    .find_wait = hb_my_find_wait,
    .lock_name = hb_my_lock_name,
    .unlock_name = hb_my_unlock_name,
    .is_name_locked = hb_my_is_name_locked,
};

static const HbSource source = {
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
    .reads_same = hb_my_reads_same,
    .name_text_losses = hb_my_name_text_losses,
    .ask = hb_my_ask,
};

static const HbTarget target = {
    .claim = hb_my_claim,
    .join = hb_my_join,
    .leave = hb_my_leave,
    .serve = hb_my_serve,
    .end_lost = hb_my_end_lost,
    .ask_holder = hb_my_ask_holder,
    .is_asked = hb_my_is_asked,
    .find = hb_my_find_target,
    .fit = hb_my_fit_target,
    .preflight = hb_my_preflight,
    .create_database = hb_my_create_database,
    .find_content = hb_my_find_content,
    .find_rows = hb_my_find_rows,
    .read_origin = hb_my_read_origin,
    .write_origin = hb_my_write_origin,
    .drop_origin = hb_my_drop_origin,
    .find_role = hb_my_find_role,
    .change_rows = hb_my_change_rows,
    .make_password_sql = hb_my_make_password_sql,
};

static const HbJournal journal = {
    .find = hb_my_find_journal,
    .begin = hb_my_begin_journal,
    .read = hb_my_read_journal,
    .take_steps = hb_my_take_steps,
    .empty_broken = hb_my_empty_broken,
    .forget_steps = hb_my_forget_steps,
    .settle = hb_my_settle_journal,
    .end = hb_my_end_journal,
    .run_step = hb_my_run_step,
    .write_rows = hb_my_write_rows,
};

static const HbLog binary_log = {
    .check = hb_my_check_log,
    .narrow = hb_my_narrow_log,
    .find_tables = hb_my_find_logged,
    .release = hb_my_release_log,
    .list = hb_my_list_kept,
    .find_end = hb_my_find_log_end,
    .compare = hb_my_compare_positions,
    .open = hb_my_open_log,
    .close = hb_my_close_log,
    .next = hb_my_next_change,
    .confirm = hb_my_confirm_log,
};

const HbEngine hb_mariadb_engine = {
    .name = "mariadb",
    .traits = {.analyze_from_rows = 1000,
               .cross_database_needs = TRUE,
               .serialise_grants = TRUE,
               .keyless_changes = 32,
               .triggers_act = TRUE},
    .dialect = &hb_my_dialect,
    .connector = &connector,
    .source = &source,
    .target = &target,
    .journal = &journal,
    .log = &binary_log,
    .replay = &hb_my_replay,
    .gate = &hb_my_gate,
};
