/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/gate/gate.h"
#include "engine/postgres/postgres.h"
#include "engine/postgres/target/journal.h"
#include "engine/postgres/target/origin.h"

#include "engine/postgres/catalog/catalog.h"
#include "engine/postgres/catalog/server.h"
#include "engine/postgres/catalog/snapshot.h"
#include "engine/postgres/catalog/survey.h"
#include "engine/postgres/dialect/dialect.h"
#include "engine/postgres/log/kept_log.h"
#include "engine/postgres/log/log_reader.h"
#include "engine/postgres/rows/change_rows.h"
#include "engine/postgres/rows/replay.h"
#include "engine/postgres/rows/rows.h"
#include "engine/postgres/session/address.h"
#include "engine/postgres/session/peers.h"
#include "engine/postgres/session/session.h"
#include "engine/postgres/target/preflight.h"
#include "engine/postgres/target/same_definition.h"
#include "engine/postgres/target/target.h"
#include "engine/postgres/target/target_fit.h"

static const char *const schemes[] = {"postgresql", "postgres", NULL};

static const HbConnector connector = {
    .schemes = schemes,
    .check_uri = hb_pg_check_uri,
    .describe_library = hb_pg_describe_library,
    .display = hb_pg_display,
    .get_database = hb_pg_get_database,
    .open = hb_pg_open,
    .close = hb_pg_close,
    .interrupt = hb_pg_interrupt,
    .cut = hb_pg_cut,
    .needs_password = hb_pg_needs_password,
    .describe = hb_pg_describe,
    .get_id = hb_pg_get_id,
    .find_wait = hb_pg_find_wait,
    .lock_name = hb_pg_lock_name,
    .unlock_name = hb_pg_unlock_name,
    .is_name_locked = hb_pg_is_name_locked,
};

static const HbSource source = {
    .survey = hb_pg_survey,
    .read_catalog = hb_pg_read_catalog,
    .read_server = hb_pg_read_server,
    .list_databases = hb_pg_list_databases,
    .begin_snapshot = hb_pg_begin_snapshot,
    .join_snapshot = hb_pg_join_snapshot,
    .is_joined_later = TRUE,
    .seal_snapshot = hb_pg_seal_snapshot,
    .check_structure = hb_pg_check_structure,
    .drop_snapshot = hb_pg_drop_snapshot,
    .end_snapshot = hb_pg_end_snapshot,
    .split_rows = hb_pg_split_rows,
    .read_rows = hb_pg_read_rows,
    .reads_same = hb_pg_reads_same,
    .ask = hb_pg_ask,
};

static const HbTarget target = {
    .claim = hb_pg_claim,
    .join = hb_pg_join,
    .leave = hb_pg_leave,
    .serve = hb_pg_serve,
    .end_lost = hb_pg_end_lost,
    .ask_holder = hb_pg_ask_holder,
    .is_asked = hb_pg_is_asked,
    .find = hb_pg_find_target,
    .fit = hb_pg_fit_target,
    .preflight = hb_pg_preflight,
    .create_database = hb_pg_create_database,
    .find_content = hb_pg_find_content,
    .find_rows = hb_pg_find_rows,
    .may_quiet = hb_pg_may_quiet,
    .change_rows = hb_pg_change_rows,
    .read_origin = hb_pg_read_origin,
    .write_origin = hb_pg_write_origin,
    .drop_origin = hb_pg_drop_origin,
    .find_role = hb_pg_find_role,
    .make_joining = hb_pg_make_joining,
    .read_privileges = hb_pg_read_privileges,
    .make_password_sql = hb_pg_make_password_sql,
};

static const HbJournal journal = {
    .find = hb_pg_find_journal,
    .begin = hb_pg_begin_journal,
    .read = hb_pg_read_journal,
    .take_steps = hb_pg_take_steps,
    .forget_steps = hb_pg_forget_steps,
    .settle = hb_pg_settle_journal,
    .end = hb_pg_end_journal,
    .run_step = hb_pg_run_step,
    .write_rows = hb_pg_write_rows,
};

static const HbLog kept_log = {
    .check = hb_pg_check_log,
    .narrow = hb_pg_narrow_log,
    .find_tables = hb_pg_find_logged,
    .release = hb_pg_release_log,
    .list = hb_pg_list_kept,
    .find_end = hb_pg_find_log_end,
    .compare = hb_pg_compare_lsn,
    .open = hb_pg_open_log,
    .close = hb_pg_close_log,
    .next = hb_pg_next_change,
    .confirm = hb_pg_confirm_log,
};

const HbEngine hb_postgres_engine = {
    .name = "postgresql",
    .traits = {.analyze_from_rows = 1,
               .binary_compatible_divisor = 10000,
               .keyless_changes = G_MAXUINT,
               .journal_guarded = TRUE,
               .transactional_ddl = TRUE},
    .dialect = &hb_pg_dialect,
    .connector = &connector,
    .source = &source,
    .target = &target,
    .journal = &journal,
    .log = &kept_log,
    .replay = &hb_pg_replay,
    .gate = &hb_pg_gate,
};
