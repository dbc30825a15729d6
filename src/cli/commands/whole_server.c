/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands/whole_server.h"

#include "cli/commands/restore_report.h"
#include "core/base/error.h"
#include "report/json.h"
#include "report/pages.h"
#include "work/run/database_pool.h"

#include <string.h>

/*
 * What dump, restore, carry and verify say of a whole server: one short report for each database as soon as it is
 * done, and a sum at the end. The exit status is the gravest of all of them.
 */

/* What was done, database by database */
typedef struct {
    HbCli *cli;
    HbStatus status;      /* the gravest so far */
    GPtrArray *documents; /* char *: JSON, one for each database */
    HbResultTable *table;
    HbCatalog *omissions; /* holds nothing but those of all databases */
    GString *loss;        /* what is about to be dropped or emptied; NULL: nothing */
    const char *path;
} ServerReport;

static void server_report_init(ServerReport *report, HbCli *cli, const char *path)
{
    cli->options.selection->lenient = TRUE;
    cli->options.wishes.lenient = TRUE;
    *report = (ServerReport){.cli = cli, .path = path};
    report->documents = g_ptr_array_new_with_free_func(g_free);
    report->omissions = hb_catalog_new();
}

static void server_report_clear(ServerReport *report)
{
    g_ptr_array_unref(report->documents);
    hb_catalog_free(report->omissions);
    if (report->loss != NULL)
        g_string_free(report->loss, TRUE);
    g_clear_pointer(&report->table, hb_result_table_free);
}

static void note_status(ServerReport *report, HbStatus status)
{
    report->status = MAX(report->status, status);
}

/* ---- Dump ---- */

static HbResultTable *new_dump_sheet(void)
{
    HbResultTable *table = hb_result_table_new("databases", "Databases");

    hb_result_table_add_column(table, "name", "database", HB_COLUMN_TEXT);
    hb_result_table_add_column(table, "objects", "objects", HB_COLUMN_COUNT);
    hb_result_table_add_column(table, "tables", "tables", HB_COLUMN_COUNT);
    hb_result_table_add_column(table, "rows", "rows", HB_COLUMN_COUNT);
    hb_result_table_add_column(table, "bytes", "text", HB_COLUMN_BYTES);
    hb_result_table_add_column(table, "stored", "stored", HB_COLUMN_BYTES);
    hb_result_table_add_column(table, "snapshot", "moment", HB_COLUMN_TEXT);
    return table;
}

static void add_dump_row(HbResultTable *table, const HbManifest *manifest)
{
    guint row = hb_result_table_add_row(table);

    hb_result_table_set(table, row, 0, manifest->database);
    hb_result_table_set_count(table, row, 1, hb_catalog_count(manifest->catalog));
    hb_result_table_set_count(table, row, 2, manifest->rows->len);
    hb_result_table_set_count(table, row, 3, hb_manifest_count_rows(manifest));
    hb_result_table_set_count(table, row, 4, hb_manifest_count_bytes(manifest));
    hb_result_table_set_count(table, row, 5, hb_manifest_count_stored(manifest));
    hb_result_table_set(table, row, 6, manifest->snapshot_time);
}

static void gather_omissions(ServerReport *report, const HbManifest *manifest, const char *prefix)
{
    const GPtrArray *omissions = hb_catalog_get_omissions(manifest->catalog);

    for (guint i = 0; i < omissions->len; i++) {
        const HbOmission *omission = omissions->pdata[i];
        g_autofree char *what =
            prefix != NULL ? g_strdup_printf("%s: %s", prefix, omission->what) : g_strdup(omission->what);
        hb_catalog_add_omission(report->omissions, what, omission->why);
    }
}

static void report_dumped(gpointer data, const HbManifest *manifest, const char *path, double seconds)
{
    ServerReport *report = data;

    add_dump_row(report->table, manifest);
    gather_omissions(report, manifest, manifest->database);
    g_ptr_array_add(report->documents, hb_json_dump(manifest, path, seconds));
}

/* Standard output may be the dump's own */
static void report_dump(const ServerReport *report, const HbManifest *manifest, const GPtrArray *omissions,
                        const char *path)
{
    HbCli *cli = report->cli;
    const gboolean is_stream = strcmp(path, "-") == 0;
    const char *name = is_stream ? "standard output" : path;
    g_autofree char *plain = hb_page_whole_dump(manifest, report->table, omissions, name, FALSE);

    if (is_stream) {
        g_autofree char *shown =
            hb_page_whole_dump(manifest, report->table, omissions, name, hb_voice_has_color(cli->voice));
        hb_voice_show(cli->voice, shown, FALSE);
        return;
    }
    hb_voice_write_log(cli->voice, plain);
    hb_cli_conclude(cli, hb_json_list("server dump", report->documents),
                    hb_page_whole_dump(manifest, report->table, omissions, path, cli->color));
}

HbStatus hb_cli_dump_whole(HbCli *cli, const HbDumpOptions *options, GError **error)
{
    ServerReport report;
    const HbServerCallbacks callbacks = {.dumped = report_dumped, .data = &report};
    g_autoptr(HbManifest) manifest = NULL;
    HbStatus status = HB_STATUS_STATEMENT;

    server_report_init(&report, cli, options->path);
    report.table = new_dump_sheet();
    manifest = hb_whole_server_dump(options, &callbacks, error);
    if (manifest != NULL) {
        const GPtrArray *omissions = hb_catalog_get_omissions(report.omissions);
        gather_omissions(&report, manifest, NULL);
        hb_result_table_sort(report.table, 0);
        report_dump(&report, manifest, omissions, options->path);
        status = omissions->len > 0 ? HB_STATUS_REMARKS : HB_STATUS_DONE;
    }
    server_report_clear(&report);
    return status;
}

/* ---- Restore ---- */

static void report_looked(gpointer data, const HbRestore *restore)
{
    ServerReport *report = data;
    g_autofree char *loss = hb_cli_describe_loss(restore);

    if (hb_restore_is_blocked(restore) || loss != NULL)
        hb_cli_show_refusal(report->cli, restore, report->path);
    if (loss == NULL)
        return;
    if (report->loss == NULL)
        report->loss = g_string_new(loss);
    else
        g_string_append_printf(report->loss, "; %s", loss);
}

static gboolean agree(gpointer data, GError **error)
{
    const ServerReport *report = data;

    return hb_cli_agree(report->cli, report->loss != NULL ? report->loss->str : NULL, error);
}

static void report_about_to_restore(gpointer data, const HbRestore *restore, const HbReader *dump)
{
    hb_cli_show_plan(((ServerReport *)data)->cli, restore, dump != NULL ? hb_reader_get_path(dump) : NULL);
}

static void report_restored(gpointer data, const HbRestore *restore, const HbRestoreResult *result)
{
    ServerReport *report = data;
    g_autofree char *plain = hb_page_restore(restore, result, FALSE);

    hb_voice_write_log(report->cli->voice, plain);
    g_ptr_array_add(report->documents, hb_json_restore(restore, result));
    if (!report->cli->options.json && (!report->cli->options.quiet || hb_cli_judge_restore(result) != HB_STATUS_DONE))
        hb_cli_print(report->cli, hb_page_restore(restore, result, report->cli->color));
    note_status(report, hb_cli_judge_restore(result));
}

static gboolean is_for_real(const HbCli *cli, GError **error)
{
    return !cli->options.dry_run || hb_error_set(error, HB_ERROR_USAGE, "ask preflight, or name one database",
                                                 "--dry-run lists the steps of one database, not of a server");
}

HbStatus hb_cli_restore_whole(HbCli *cli, const HbRestoreOptions *options, GError **error)
{
    ServerReport report;
    const HbServerCallbacks callbacks = {.inspected = report_looked,
                                         .agree = agree,
                                         .about_to_restore = report_about_to_restore,
                                         .restored = report_restored,
                                         .data = &report};

    if (!is_for_real(cli, error))
        return HB_STATUS_USAGE;
    server_report_init(&report, cli, hb_reader_get_path(options->dump));
    if (!hb_whole_server_restore(options, &callbacks, error))
        note_status(&report, HB_STATUS_STATEMENT);
    hb_cli_conclude(cli, hb_json_list("server restore", report.documents), NULL);
    server_report_clear(&report);
    return report.status;
}

/* Rows that come once: from a server, or (if that is NULL) out of a stream */
static HbStatus take_or_carry(HbCli *cli, HbStream *stream, const HbSnapshotSourceOptions *from,
                              const HbRestoreOptions *to, GError **error)
{
    ServerReport report;
    const HbServerCallbacks callbacks = {.inspected = report_looked,
                                         .agree = agree,
                                         .about_to_restore = report_about_to_restore,
                                         .restored = report_restored,
                                         .data = &report};

    if (!is_for_real(cli, error))
        return HB_STATUS_USAGE;
    server_report_init(&report, cli, NULL);
    if (!(from != NULL ? hb_whole_server_carry(from, to, &callbacks, error)
                       : hb_whole_server_take(stream, to, &callbacks, error)))
        note_status(&report, HB_STATUS_STATEMENT);
    hb_cli_conclude(cli, hb_json_list(from != NULL ? "server carry" : "server restore", report.documents), NULL);
    server_report_clear(&report);
    return report.status;
}

HbStatus hb_cli_take_whole(HbCli *cli, HbStream *stream, const HbRestoreOptions *options, GError **error)
{
    return take_or_carry(cli, stream, NULL, options, error);
}

HbStatus hb_cli_carry_whole(HbCli *cli, const HbSnapshotSourceOptions *from, const HbRestoreOptions *to, GError **error)
{
    return take_or_carry(cli, NULL, from, to, error);
}

/* ---- Verify ---- */

static void report_verified(ServerReport *report, const char *title, const HbVerification *verification)
{
    g_autofree char *plain =
        hb_page_verification(verification, report->cli->options.rows_named_max, report->cli->options.verbose, FALSE);

    hb_voice_write_log(report->cli->voice, plain);
    g_ptr_array_add(report->documents, hb_json_verification(verification));
    if (!report->cli->options.json) {
        hb_cli_print(report->cli, hb_page_title(title, report->cli->color));
        hb_cli_print(report->cli, hb_page_verification(verification, report->cli->options.rows_named_max,
                                                       report->cli->options.verbose, report->cli->color));
    }
    note_status(report, hb_verification_is_equal(verification) ? HB_STATUS_DONE : HB_STATUS_REMARKS);
}

static gboolean verify_server(ServerReport *report, const HbVerifyOptions *options, GError **error)
{
    HbVerification verification = {0};
    gboolean ok = hb_whole_server_compare(options, &verification, error);

    if (ok)
        report_verified(report, "Users and tablespaces", &verification);
    hb_verification_clear(&verification);
    return ok;
}

/* A database that is compared: of a server, or a member of a dump */
typedef struct {
    const char *name;
    guint64 bytes;
    const HbMember *member; /* NULL: a server's */
} VerifiedDatabase;

typedef struct {
    ServerReport *report;
    const HbVerifyOptions *options;
    GArray *databases; /* VerifiedDatabase */
    GMutex talk;       /* guards the report */
} WholeVerify;

/* The database of one name on both sides */
static gboolean verify_database(WholeVerify *whole, const VerifiedDatabase *database, const HbDatabaseWorker *worker,
                                HbStop *stop, GError **error)
{
    HbVerifyOptions options = *whole->options;
    HbVerification verification = {0};
    g_autofree char *title = g_strdup_printf("Database %s", database->name);
    g_autoptr(HbReader) dump =
        database->member != NULL ? hb_reader_open_member(whole->options->from.dump, database->member, error) : NULL;
    gboolean ok = database->member == NULL || dump != NULL;

    options.from.dump = dump;
    options.stop = stop;
    options.from.address.watch = options.to.address.watch = hb_stop_get_watch(stop);
    options.from.address.database = database->name;
    options.to.address.database = hb_adapt_database(&options.wishes, database->name);
    options.parts &= ~(guint)HB_PART_USERS;
    options.wishes.lenient = TRUE; /* the others may have what it names */
    options.jobs = worker->jobs;
    options.observers = worker->observers;
    ok = ok && hb_verify_run(&options, &verification, error);
    if (ok) {
        g_mutex_lock(&whole->talk);
        report_verified(whole->report, title, &verification);
        g_mutex_unlock(&whole->talk);
    }
    hb_verification_clear(&verification);
    return ok;
}

/* What cannot be compared in one database is told, and the others go on */
static gboolean try_database(gpointer data, guint item, const HbDatabaseWorker *worker, GError **error)
{
    WholeVerify *whole = data;
    g_autoptr(GError) ours = NULL;
    HbStop *stop;

    if (hb_stop_is_set(whole->options->stop))
        return hb_stop_set_error(error);
    stop = hb_stop_new_part(whole->options->stop);
    verify_database(whole, &g_array_index(whole->databases, VerifiedDatabase, item), worker, stop, &ours);
    hb_stop_free(stop);
    if (hb_stop_is_set(whole->options->stop))
        return hb_stop_set_error(error);
    if (ours == NULL)
        return TRUE;
    g_mutex_lock(&whole->talk);
    hb_voice_say(whole->report->cli->voice, HB_SEVERITY_ERROR, ours->message, hb_error_hint(ours));
    note_status(whole->report, hb_cli_get_status(ours));
    g_mutex_unlock(&whole->talk);
    return TRUE;
}

static void add_database(WholeVerify *whole, const char *name, guint64 bytes, const HbMember *member)
{
    const VerifiedDatabase database = {name, bytes, member};

    if (hb_selection_takes_database(whole->options->selection, name))
        g_array_append_val(whole->databases, database);
}

static gboolean run_databases(WholeVerify *whole, GError **error)
{
    HbDatabasePool *pool = hb_database_pool_new(whole->options->jobs, whole->options->observers);
    g_autofree guint64 *bytes = g_new0(guint64, whole->databases->len + 1);
    gboolean ok;

    for (guint i = 0; i < whole->databases->len; i++)
        bytes[i] = g_array_index(whole->databases, VerifiedDatabase, i).bytes;
    ok = hb_database_pool_run(pool, bytes, whole->databases->len, try_database, whole, error);
    hb_database_pool_free(pool);
    return ok;
}

static gboolean list_databases(WholeVerify *whole, GArray **listed, GError **error)
{
    const HbVerifyOptions *options = whole->options;
    const GPtrArray *members = options->from.dump != NULL ? hb_reader_get_manifest(options->from.dump)->members : NULL;

    for (guint i = 0; members != NULL && i < members->len; i++) {
        const HbMember *member = members->pdata[i];
        add_database(whole, member->name, member->bytes, member);
    }
    if (members != NULL)
        return TRUE;
    *listed = hb_whole_server_list(&options->from, error);
    for (guint i = 0; *listed != NULL && i < (*listed)->len; i++) {
        const HbDatabase *database = &g_array_index(*listed, HbDatabase, i);
        add_database(whole, database->name, database->bytes, NULL);
    }
    return *listed != NULL;
}

static gboolean verify_databases(ServerReport *report, const HbVerifyOptions *options, GError **error)
{
    WholeVerify whole = {
        .report = report, .options = options, .databases = g_array_new(FALSE, FALSE, sizeof(VerifiedDatabase))};
    g_autoptr(GArray) listed = NULL;
    gboolean ok;

    g_mutex_init(&whole.talk);
    ok = list_databases(&whole, &listed, error) && run_databases(&whole, error);
    g_mutex_clear(&whole.talk);
    g_array_unref(whole.databases);
    return ok;
}

HbStatus hb_cli_verify_whole(HbCli *cli, const HbVerifyOptions *options, GError **error)
{
    ServerReport report;

    if (options->probes != NULL) {
        hb_error_set(error, HB_ERROR_USAGE, "name a database on both sides", "questions are asked in one database");
        return HB_STATUS_USAGE;
    }
    server_report_init(&report, cli, options->from.dump != NULL ? hb_reader_get_path(options->from.dump) : NULL);
    if (!verify_server(&report, options, error) || !verify_databases(&report, options, error))
        note_status(&report, HB_STATUS_STATEMENT);
    hb_cli_conclude(cli, hb_json_list("server verify", report.documents), NULL);
    server_report_clear(&report);
    return report.status;
}
