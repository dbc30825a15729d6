/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/cli.h"

#include "cli/terminal.h"
#include "core/base/error.h"
#include "engine/registry.h"
#include "report/json.h"
#include "report/text.h"

#include <stdio.h>
#include <unistd.h>

/* ---- Exit status ---- */

/* No default: the compiler tells of a code that has no status */
HbStatus hb_cli_get_status(const GError *error)
{
    g_assert(error->domain == HB_ERROR);
    switch ((HbErrorCode)error->code) {
    case HB_ERROR_USAGE:
        return HB_STATUS_USAGE;
    case HB_ERROR_CONNECT:
    case HB_ERROR_LOST:
        return HB_STATUS_SERVER;
    case HB_ERROR_BLOCKED:
        return HB_STATUS_REMARKS;
    case HB_ERROR_DAMAGED:
        return HB_STATUS_DUMP;
    case HB_ERROR_FILE:
        return HB_STATUS_FILE;
    case HB_ERROR_CANCELLED:
        return HB_STATUS_INTERRUPTED;
    case HB_ERROR_RETRY:
    case HB_ERROR_LOCKED:
    case HB_ERROR_EXISTS:
    case HB_ERROR_ALREADY_DONE:
    case HB_ERROR_ABSENT:
    case HB_ERROR_RIGHTS:
    case HB_ERROR_STATEMENT:
    case HB_ERROR_LEFTOVER:
    case HB_ERROR_CONSTRAINT_VIOLATED:
    case HB_ERROR_DUPLICATE:
    case HB_ERROR_CIRCLE:
        return HB_STATUS_STATEMENT;
    }
    g_assert_not_reached();
}

/* ---- Servers ---- */

gboolean hb_cli_find_server(HbCli *cli, const char *uri, const HbEngine **engine, HbAddress *address, GError **error)
{
    *engine = hb_engine_find(uri, error);
    *address = (HbAddress){.uri = uri, .watch = hb_stop_get_watch(cli->stop)};
    if (*engine == NULL || !(*engine)->connector->check_uri(uri, error))
        return FALSE;
    if (hb_terminal_can_ask() && (*engine)->connector->needs_password(address)) {
        g_autofree char *name = (*engine)->connector->display(address);
        char *password = hb_terminal_ask_password(name);
        if (password != NULL)
            g_ptr_array_add(cli->secrets, password);
        address->password = password;
    }
    return TRUE;
}

gboolean hb_cli_find_database(HbCli *cli, const char *uri, const HbEngine **engine, HbAddress *address, GError **error)
{
    g_autofree char *database = NULL;

    if (!hb_cli_find_server(cli, uri, engine, address, error))
        return FALSE;
    database = (*engine)->connector->get_database(uri);
    return database != NULL || hb_error_set(error, HB_ERROR_USAGE, "add it to the URI: .../DATABASE",
                                            "the address of the server names no database");
}

gboolean hb_cli_read_version(const HbCli *cli, const HbEngine *engine, guint *version, const char **text,
                             GError **error)
{
    *text = cli->options.for_version;
    if (*text == NULL)
        return TRUE;
    *version = engine->dialect->read_version(*text);
    return *version != 0 ||
           hb_error_set(error, HB_ERROR_USAGE, "name a version of the server, such as 15",
                        "--for-version: “%s” is no version that definitions can be written for", *text);
}

gboolean hb_cli_check_same_kind(const HbEngine *from, const HbEngine *to, GError **error)
{
    return from == to || hb_error_set(error, HB_ERROR_USAGE, NULL, "FROM and TO are servers of different kinds");
}

gboolean hb_cli_set_half_named_error(const char *database, GError **error)
{
    return hb_error_set(error, HB_ERROR_USAGE, "name a database on both sides, or on neither",
                        "FROM is a whole server, and TO names database %s", database);
}

void hb_cli_default_database(const HbEngine *engine, HbAddress *to, const HbWishes *wishes, const char *name)
{
    g_autofree char *named = engine->connector->get_database(to->uri);

    if (named == NULL)
        to->database = hb_adapt_database(wishes, name);
}

HbSnapshotSourceOptions hb_cli_make_source(const HbCli *cli)
{
    return (HbSnapshotSourceOptions){.parts = cli->options.part_bits,
                                     .selection = cli->options.selection,
                                     .jobs = cli->options.job_count,
                                     .keep_log = cli->options.keep_log && !cli->options.dry_run,
                                     .hold_tables = cli->options.hold_tables,
                                     .lock_wait_ms = cli->options.lock_wait_ms,
                                     .throttle = cli->throttle,
                                     .stop = cli->stop,
                                     .observers = cli->observers};
}

void hb_cli_print(HbCli *cli, char *text)
{
    g_autofree char *folded = hb_terminal_is_output() && !cli->options.json
                                  ? hb_text_fold(text, hb_terminal_get_columns(STDOUT_FILENO))
                                  : NULL;

    hb_voice_end_view(cli->voice);
    fputs(folded != NULL ? folded : text, stdout);
    if (!g_str_has_suffix(text, "\n"))
        fputc('\n', stdout);
    g_free(text);
}

void hb_cli_add_to_document(HbCli *cli, const char *name, json_t *value)
{
    char **document = cli->documents->len > 0 ? (char **)&cli->documents->pdata[cli->documents->len - 1] : NULL;
    json_t *root = document != NULL ? json_loads(*document, 0, NULL) : NULL;

    if (root == NULL) {
        json_decref(value);
        return;
    }
    json_object_set_new(root, name, value);
    g_free(*document);
    *document = hb_json_end(root);
}

void hb_cli_conclude(HbCli *cli, char *document, char *page)
{
    g_ptr_array_add(cli->documents, document);
    if (page != NULL && !cli->options.json)
        hb_cli_print(cli, page);
    else
        g_free(page);
}
