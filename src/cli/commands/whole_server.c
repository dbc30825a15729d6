/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands/whole_server.h"

#include "cli/commands/restore_report.h"
#include "core/base/error.h"
#include "report/json.h"
#include "report/pages.h"

#include <string.h>

/* What was done, database by database */
typedef struct {
    HbCli *cli;
    HbStatus status;      /* the gravest so far */
    GPtrArray *documents; /* char *: JSON, one for each database */
    HbResultTable *sheet;
    HbCatalog *omissions; /* holds nothing but those of all databases */
    GString *loss;        /* what is about to be dropped or emptied; NULL: nothing */
    const char *path;
} Telling;

static void telling_init(Telling *telling, HbCli *cli, const char *path)
{
    cli->options.choice->lenient = TRUE;
    cli->options.wishes.lenient = TRUE;
    *telling = (Telling){.cli = cli, .path = path};
    telling->documents = g_ptr_array_new_with_free_func(g_free);
    telling->omissions = hb_catalog_new();
}

static void telling_clear(Telling *telling)
{
    g_ptr_array_unref(telling->documents);
    hb_catalog_free(telling->omissions);
    if (telling->loss != NULL)
        g_string_free(telling->loss, TRUE);
    g_clear_pointer(&telling->sheet, hb_result_table_free);
}

static void note_status(Telling *telling, HbStatus status)
{
    telling->status = MAX(telling->status, status);
}

/* ---- Dump ---- */

static HbResultTable *new_dump_sheet(void)
{
    HbResultTable *sheet = hb_result_table_new("databases", "Databases");

    hb_result_table_add_column(sheet, "name", "database", HB_COLUMN_TEXT);
    hb_result_table_add_column(sheet, "objects", "objects", HB_COLUMN_COUNT);
    hb_result_table_add_column(sheet, "tables", "tables", HB_COLUMN_COUNT);
    hb_result_table_add_column(sheet, "rows", "rows", HB_COLUMN_COUNT);
    hb_result_table_add_column(sheet, "bytes", "text", HB_COLUMN_BYTES);
    hb_result_table_add_column(sheet, "stored", "stored", HB_COLUMN_BYTES);
    hb_result_table_add_column(sheet, "snapshot", "moment", HB_COLUMN_TEXT);
    return sheet;
}

static void add_dump_row(HbResultTable *sheet, const HbManifest *manifest)
{
    guint row = hb_result_table_add_row(sheet);

    hb_result_table_set(sheet, row, 0, manifest->database);
    hb_result_table_set_count(sheet, row, 1, hb_catalog_count(manifest->catalog));
    hb_result_table_set_count(sheet, row, 2, manifest->rows->len);
    hb_result_table_set_count(sheet, row, 3, hb_manifest_count_rows(manifest));
    hb_result_table_set_count(sheet, row, 4, hb_manifest_count_bytes(manifest));
    hb_result_table_set_count(sheet, row, 5, hb_manifest_count_stored(manifest));
    hb_result_table_set(sheet, row, 6, manifest->snapshot_time);
}

static void gather_omissions(Telling *telling, const HbManifest *manifest, const char *prefix)
{
    const GPtrArray *omissions = hb_catalog_get_omissions(manifest->catalog);

    for (guint i = 0; i < omissions->len; i++) {
        const HbOmission *omission = omissions->pdata[i];
        g_autofree char *what =
            prefix != NULL ? g_strdup_printf("%s: %s", prefix, omission->what) : g_strdup(omission->what);
        hb_catalog_add_omission(telling->omissions, what, omission->why);
    }
}

static void tell_dumped(gpointer data, const HbManifest *manifest, const char *path, double seconds)
{
    Telling *telling = data;

    add_dump_row(telling->sheet, manifest);
    gather_omissions(telling, manifest, manifest->database);
    g_ptr_array_add(telling->documents, hb_json_dump(manifest, path, seconds));
}

/* Standard output may be the dump's own */
static void report_dump(const Telling *telling, const HbManifest *manifest, const GPtrArray *omissions,
                        const char *path)
{
    HbCli *cli = telling->cli;
    const gboolean is_stream = strcmp(path, "-") == 0;
    const char *name = is_stream ? "standard output" : path;
    g_autofree char *plain = hb_page_whole_dump(manifest, telling->sheet, omissions, name, FALSE);

    if (is_stream) {
        g_autofree char *shown =
            hb_page_whole_dump(manifest, telling->sheet, omissions, name, hb_voice_has_color(cli->voice));
        hb_voice_show(cli->voice, shown, FALSE);
        return;
    }
    hb_voice_write_log(cli->voice, plain);
    hb_cli_print(cli, cli->options.json ? hb_json_list("server dump", telling->documents)
                                        : hb_page_whole_dump(manifest, telling->sheet, omissions, path, cli->color));
}

HbStatus hb_cli_dump_whole(HbCli *cli, const HbDumpOptions *options, GError **error)
{
    Telling telling;
    const HbServerCallbacks teller = {.dumped = tell_dumped, .data = &telling};
    g_autoptr(HbManifest) manifest = NULL;
    HbStatus status = HB_STATUS_STATEMENT;

    telling_init(&telling, cli, options->path);
    telling.sheet = new_dump_sheet();
    manifest = hb_whole_server_dump(options, &teller, error);
    if (manifest != NULL) {
        const GPtrArray *omissions = hb_catalog_get_omissions(telling.omissions);
        gather_omissions(&telling, manifest, NULL);
        hb_result_table_sort(telling.sheet, 0);
        report_dump(&telling, manifest, omissions, options->path);
        status = omissions->len > 0 ? HB_STATUS_REMARKS : HB_STATUS_DONE;
    }
    telling_clear(&telling);
    return status;
}

/* ---- Restore ---- */

static void tell_looked(gpointer data, const HbRestore *restore)
{
    Telling *telling = data;
    g_autofree char *loss = hb_cli_describe_loss(restore);

    if (hb_restore_is_blocked(restore) || loss != NULL)
        hb_cli_show_refusal(telling->cli, restore, telling->path);
    if (loss == NULL)
        return;
    if (telling->loss == NULL)
        telling->loss = g_string_new(loss);
    else
        g_string_append_printf(telling->loss, "; %s", loss);
}

static gboolean agree(gpointer data, GError **error)
{
    const Telling *telling = data;

    return hb_cli_agree(telling->cli, telling->loss != NULL ? telling->loss->str : NULL, error);
}

static void tell_about_to_restore(gpointer data, const HbRestore *restore, const HbReader *dump)
{
    hb_cli_show_plan(((Telling *)data)->cli, restore, dump != NULL ? hb_reader_get_path(dump) : NULL);
}

static void tell_restored(gpointer data, const HbRestore *restore, const HbRestoreResult *result)
{
    Telling *telling = data;
    g_autofree char *plain = hb_page_restore(restore, result, FALSE);

    hb_voice_write_log(telling->cli->voice, plain);
    g_ptr_array_add(telling->documents, hb_json_restore(restore, result));
    if (!telling->cli->options.json && (!telling->cli->options.quiet || hb_cli_judge_restore(result) != HB_STATUS_DONE))
        hb_cli_print(telling->cli, hb_page_restore(restore, result, telling->cli->color));
    note_status(telling, hb_cli_judge_restore(result));
}

static gboolean is_for_real(const HbCli *cli, GError **error)
{
    return !cli->options.dry_run || hb_error_set(error, HB_ERROR_USAGE, "ask preflight, or name one database",
                                                 "--dry-run lists the steps of one database, not of a server");
}

HbStatus hb_cli_restore_whole(HbCli *cli, const HbRestoreOptions *options, GError **error)
{
    Telling telling;
    const HbServerCallbacks teller = {.looked = tell_looked,
                                      .agree = agree,
                                      .about_to_restore = tell_about_to_restore,
                                      .restored = tell_restored,
                                      .data = &telling};

    if (!is_for_real(cli, error))
        return HB_STATUS_USAGE;
    telling_init(&telling, cli, hb_reader_get_path(options->dump));
    if (!hb_whole_server_restore(options, &teller, error))
        note_status(&telling, HB_STATUS_STATEMENT);
    if (cli->options.json)
        hb_cli_print(cli, hb_json_list("server restore", telling.documents));
    telling_clear(&telling);
    return telling.status;
}

/* Rows that come once: from a server, or (if that is NULL) out of a stream */
static HbStatus take_or_carry(HbCli *cli, HbStream *stream, const HbSnapshotSourceOptions *from,
                              const HbRestoreOptions *to, GError **error)
{
    Telling telling;
    const HbServerCallbacks teller = {.looked = tell_looked,
                                      .agree = agree,
                                      .about_to_restore = tell_about_to_restore,
                                      .restored = tell_restored,
                                      .data = &telling};

    if (!is_for_real(cli, error))
        return HB_STATUS_USAGE;
    telling_init(&telling, cli, NULL);
    if (!(from != NULL ? hb_whole_server_carry(from, to, &teller, error)
                       : hb_whole_server_take(stream, to, &teller, error)))
        note_status(&telling, HB_STATUS_STATEMENT);
    if (cli->options.json)
        hb_cli_print(cli, hb_json_list(from != NULL ? "server carry" : "server restore", telling.documents));
    telling_clear(&telling);
    return telling.status;
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

static void tell_verified(Telling *telling, const char *title, const HbVerification *verification)
{
    g_autofree char *plain = hb_page_verification(verification, FALSE);

    hb_voice_write_log(telling->cli->voice, plain);
    g_ptr_array_add(telling->documents, hb_json_verification(verification));
    if (!telling->cli->options.json) {
        hb_cli_print(telling->cli, hb_page_title(title, telling->cli->color));
        hb_cli_print(telling->cli, hb_page_verification(verification, telling->cli->color));
    }
    note_status(telling, hb_verification_is_equal(verification) ? HB_STATUS_DONE : HB_STATUS_REMARKS);
}

static gboolean verify_server(Telling *telling, const HbVerifyOptions *options, GError **error)
{
    HbVerification verification = {0};
    gboolean ok = hb_whole_server_compare(options, &verification, error);

    if (ok)
        tell_verified(telling, "Users and tablespaces", &verification);
    hb_verification_clear(&verification);
    return ok;
}

/* The database of one name on both sides */
static gboolean verify_database(Telling *telling, const HbVerifyOptions *whole, const char *name,
                                const HbMember *member, GError **error)
{
    HbVerifyOptions options = *whole;
    HbVerification verification = {0};
    g_autofree char *title = g_strdup_printf("Database %s", name);
    g_autoptr(HbReader) dump = member != NULL ? hb_reader_open_member(whole->from.dump, member, error) : NULL;
    gboolean ok = member == NULL || dump != NULL;

    options.from.dump = dump;
    options.from.address.database = name;
    options.to.address.database = hb_adapt_database(&options.wishes, name);
    options.parts &= ~(guint)HB_PART_USERS;
    options.wishes.lenient = TRUE; /* the others may have what it names */
    ok = ok && hb_verify_run(&options, &verification, error);
    if (ok)
        tell_verified(telling, title, &verification);
    hb_verification_clear(&verification);
    return ok;
}

static gboolean verify_members(Telling *telling, const HbVerifyOptions *options, GError **error)
{
    const HbManifest *manifest = hb_reader_get_manifest(options->from.dump);

    for (guint i = 0; i < manifest->members->len; i++) {
        const HbMember *member = manifest->members->pdata[i];
        if (hb_selection_takes_database(options->choice, member->name) &&
            !verify_database(telling, options, member->name, member, error))
            return FALSE;
    }
    return TRUE;
}

static gboolean verify_databases(Telling *telling, const HbVerifyOptions *options, GError **error)
{
    g_autoptr(GArray) databases = NULL;

    if (options->from.dump != NULL)
        return verify_members(telling, options, error);
    databases = hb_whole_server_list(&options->from, error);
    for (guint i = 0; databases != NULL && i < databases->len; i++) {
        const char *name = g_array_index(databases, HbDatabase, i).name;
        if (hb_selection_takes_database(options->choice, name) && !verify_database(telling, options, name, NULL, error))
            return FALSE;
    }
    return databases != NULL;
}

HbStatus hb_cli_verify_whole(HbCli *cli, const HbVerifyOptions *options, GError **error)
{
    Telling telling;

    if (options->probes != NULL) {
        hb_error_set(error, HB_ERROR_USAGE, "name a database on both sides", "questions are asked in one database");
        return HB_STATUS_USAGE;
    }
    telling_init(&telling, cli, options->from.dump != NULL ? hb_reader_get_path(options->from.dump) : NULL);
    if (!verify_server(&telling, options, error) || !verify_databases(&telling, options, error))
        note_status(&telling, HB_STATUS_STATEMENT);
    if (cli->options.json)
        hb_cli_print(cli, hb_json_list("server verify", telling.documents));
    telling_clear(&telling);
    return telling.status;
}
