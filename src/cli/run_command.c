/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/run_command.h"

#include "cli/outcome.h"
#include "cli/terminal.h"
#include "core/base/dated_name.h"
#include "core/base/error.h"
#include "dump/folder.h"
#include "dump/object_access.h"
#include "engine/registry.h"
#include "report/run_page.h"
#include "work/dump/older_dumps.h"
#include "work/run/throttle.h"

#include <jansson.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

/* ---- Set-up ---- */

gboolean hb_cli_wants_color(const HbOptions *options, gboolean is_terminal)
{
    if (g_strcmp0(options->color, "always") == 0)
        return TRUE;
    if (g_strcmp0(options->color, "never") == 0 || g_getenv("NO_COLOR") != NULL)
        return FALSE;
    return is_terminal;
}

static HbVoice *new_voice(const HbOptions *options, GError **error)
{
    const gboolean is_json = g_strcmp0(options->progress, "json") == 0;
    const gboolean is_terminal = hb_terminal_is_error_live() && !is_json;
    const HbVoiceOptions wanted = {.quiet = options->quiet,
                                   .verbose = options->verbose,
                                   .live = is_terminal,
                                   .color = hb_cli_wants_color(options, is_terminal),
                                   .json = is_json,
                                   .log = options->log};

    return hb_voice_new(&wanted, error);
}

/* ---- Running ---- */

static void report_error(const HbCli *cli, const GError *error)
{
    fflush(stdout);
    hb_voice_say(cli->voice, HB_SEVERITY_ERROR, error->message, hb_error_hint(error));
}

void hb_cli_print_document(const char *document)
{
    fputs(document, stdout);
    if (!g_str_has_suffix(document, "\n"))
        fputc('\n', stdout);
}

/* An address may hold a password: where a dump is meant, it must not be shown as the path that it is not */
static gboolean check_dumps(const HbCommand *command, char **arguments, GError **error)
{
    g_auto(GStrv) names = g_strsplit(command->arguments, " ", -1);

    for (guint i = 0; arguments[i] != NULL; i++) {
        /* one argument alone, where there are several ways, is a dump */
        const gboolean is_dump =
            strchr(command->arguments, '|') != NULL ? arguments[1] == NULL : strcmp(names[i], "DUMP") == 0;
        if (is_dump && hb_engine_is_uri(arguments[i]))
            return hb_error_set(error, HB_ERROR_USAGE,
                                "name the folder or the .tar that the dump is, or - for a stream",
                                "argument %u is a server's address, and a dump is wanted", i + 1);
    }
    return TRUE;
}

static gboolean check_arguments(const HbCommand *command, char **arguments, GError **error)
{
    int count = (int)g_strv_length(arguments);
    g_autofree char *hint = g_strdup_printf("hornbeam %s [OPTIONS] %s", command->name, command->arguments);

    if (count >= command->arguments_min && count <= command->arguments_max)
        return check_dumps(command, arguments, error);
    return hb_error_set(error, HB_ERROR_USAGE, hint, "%s takes %s, and was given %s %d", command->name,
                        command->arguments, count < command->arguments_min ? "only" : "as many as", count);
}

static char *expand_name(const char *path, const char *name, GError **error)
{
    g_autoptr(GDateTime) now = g_date_time_new_now_local();
    g_autofree char *dated = hb_dated_name_expand(name, now, error);

    if (dated == NULL || strchr(path, '/') == NULL)
        return g_steal_pointer(&dated);
    return hb_folder_name_beside(path, dated);
}

/* A DUMP with a date in its name: the one to be written is of now; one to be read is the newest that there is */
static gboolean find_dated(HbCli *cli, const HbCommand *command, char **argument, GError **error)
{
    const gsize length = hb_object_is_uri(*argument) ? strcspn(*argument, "?") : strlen(*argument);
    g_autofree char *own = hb_folder_get_name(*argument), *path = g_strndup(*argument, length),
                    *folder = g_path_get_dirname(path);
    char *name;

    if (hb_engine_is_uri(*argument) || (!hb_dated_name_is_pattern(own) && !hb_dated_name_is_pattern(folder)))
        return TRUE;
    if (command->bit != HB_FOR_DUMP && g_file_test(*argument, G_FILE_TEST_EXISTS))
        return TRUE;
    if (hb_dated_name_is_pattern(folder))
        return hb_error_set(error, HB_ERROR_USAGE, "write a percent sign into the last part of the path only",
                            "%s: a date has its place in a dump's own name, and not in its folder's", *argument);
    name =
        command->bit == HB_FOR_DUMP ? expand_name(*argument, own, error) : hb_older_dumps_find_newest(*argument, error);
    if (name == NULL)
        return FALSE;
    cli->dump_pattern = *argument;
    *argument = name;
    hb_observers_note(cli->observers, HB_SEVERITY_NOTE, NULL, "the dump is %s", name);
    return TRUE;
}

static gboolean find_all_dated(HbCli *cli, const HbCommand *command, char **arguments, GError **error)
{
    for (; *arguments != NULL; arguments++) {
        if (!find_dated(cli, command, arguments, error))
            return FALSE;
    }
    return TRUE;
}

/* What hung was cut off from its server because the user wanted an end: that is the cause, and not the network */
static void name_interruption(HbCli *cli, GError **error)
{
    if (!hb_stop_is_by_user(cli->stop) ||
        !(hb_error_is(*error, HB_ERROR_LOST) || hb_error_is(*error, HB_ERROR_CONNECT) ||
          hb_error_is(*error, HB_ERROR_CANCELLED)))
        return;
    g_clear_error(error);
    hb_stop_set_error(error);
}

/* For people: an address without its password, a path as it is */
static char *name_arguments(const HbCommand *command, char **arguments)
{
    GString *text = g_string_new("hornbeam ");

    g_string_append(text, command->name);
    for (; *arguments != NULL; arguments++) {
        const HbAddress address = {.uri = *arguments};
        const HbEngine *engine = hb_engine_is_uri(*arguments) ? hb_engine_find(*arguments, NULL) : NULL;
        g_autofree char *shown = engine != NULL && engine->connector->check_uri(*arguments, NULL)
                                     ? engine->connector->display(&address)
                                 : hb_engine_is_uri(*arguments) ? g_strdup("(an address)")
                                                                : g_strdup(*arguments);
        g_string_append_printf(text, " %s", shown);
    }
    return g_string_free(text, FALSE);
}

/* Before hours of work, whose report could not be written */
static gboolean check_report(const HbCli *cli, GError **error)
{
    g_autofree char *folder = cli->options.report != NULL ? g_path_get_dirname(cli->options.report) : NULL;

    return folder == NULL || (access(folder, W_OK) == 0 && !g_file_test(cli->options.report, G_FILE_TEST_IS_DIR)) ||
           hb_error_set(error, HB_ERROR_FILE, "name a file that can be written", "--report: %s cannot be written",
                        cli->options.report);
}

/* preflight and handover write pages of their own, but for what went wrong before */
static gboolean write_report(HbCli *cli, const HbCommand *command, char **arguments, const char *document,
                             const GError *error, HbStatus status)
{
    const gboolean has_own = (command->bit & (HB_FOR_PREFLIGHT | HB_FOR_HANDOVER)) != 0;
    g_autofree char *shown = NULL, *page = NULL;
    g_autoptr(GError) cause = NULL;

    if (cli->recording == NULL || (error != NULL && !check_report(cli, NULL)) || (has_own && cli->documents->len > 0))
        return TRUE;
    shown = name_arguments(command, arguments);
    page = hb_run_page(&(HbRun){command->name, shown, document, hb_outcome_describe(status), status == HB_STATUS_DONE,
                                error, cli->recording});
    if (g_file_set_contents_full(cli->options.report, page, -1, G_FILE_SET_CONTENTS_CONSISTENT, 0600, &cause))
        return TRUE;
    hb_voice_say(cli->voice, HB_SEVERITY_ERROR, cause->message, "--report: name a file that can be written");
    return FALSE;
}

/* The result goes to whom it is for: to the program of --then, and on standard output unless a leg's is one of several
 */
static HbStatus deliver(HbCli *cli, const HbCommand *command, char **arguments, const GError *error, HbStatus status,
                        json_t *legs)
{
    g_autofree char *document = hb_outcome_make(cli->documents, error, status);
    g_autoptr(GError) failure = NULL;

    if (cli->options.json && legs == NULL && document != NULL)
        hb_cli_print_document(document);
    if (error != NULL)
        report_error(cli, error);
    if (!write_report(cli, command, arguments, document, error, status))
        status = MAX(status, HB_STATUS_FILE);
    if (cli->options.then_words != NULL) {
        fflush(stdout);
        if (!hb_outcome_hand_on(cli, document, status, &failure)) {
            hb_voice_say(cli->voice, HB_SEVERITY_ERROR, failure->message, hb_error_hint(failure));
            status = MAX(status, HB_STATUS_REMARKS);
        }
    }
    if (legs != NULL)
        hb_outcome_add_leg(legs, cli->leg, status, g_steal_pointer(&document));
    return status;
}

/* What protects a private key: from the environment, or typed */
static char *ask_passphrase(const char *path)
{
    const char *given = g_getenv("HORNBEAM_KEY_PASSPHRASE");

    return given != NULL ? g_strdup(given) : hb_terminal_can_ask() ? hb_terminal_ask_password(path) : NULL;
}

static gboolean names_dump(char **arguments)
{
    while (*arguments != NULL && hb_engine_is_uri(*arguments))
        arguments++;
    return *arguments != NULL;
}

static gboolean read_seals(HbCli *cli, char **arguments, GError **error)
{
    g_autofree char *names = NULL;

    if (cli->options.seal_for != NULL && (cli->recipients = hb_recipients_read(cli->options.seal_for, error)) == NULL)
        return FALSE;
    if (cli->recipients != NULL) {
        names = hb_recipients_name_all(cli->recipients);
        hb_observers_note(cli->observers, HB_SEVERITY_NOTE, NULL, "the dump is sealed for %s", names);
    }
    if (cli->options.unseal != NULL && !names_dump(arguments))
        return hb_error_set(error, HB_ERROR_USAGE, "leave it out", "--unseal opens a dump, and only servers are named");
    return cli->options.unseal == NULL ||
           (cli->key = hb_seal_key_read(cli->options.unseal, ask_passphrase, error)) != NULL;
}

static HbStatus run(HbCli *cli, const HbCommand *command, char **arguments, json_t *legs)
{
    g_autoptr(GError) error = NULL;
    HbStatus status = HB_STATUS_DONE;

    if (check_report(cli, &error) && check_arguments(command, arguments, &error) &&
        read_seals(cli, arguments, &error) && find_all_dated(cli, command, arguments, &error))
        status = command->run(cli, arguments, &error);
    hb_voice_end_view(cli->voice);
    name_interruption(cli, &error);
    if (error != NULL)
        status = hb_cli_get_status(error);
    return deliver(cli, command, arguments, error, status, legs);
}

static void wipe(gpointer data)
{
    char *secret = data;

    memset(secret, 0, strlen(secret));
    g_free(secret);
}

static HbStatus run_with_services(HbCli *cli, const HbCommand *command, char **arguments, json_t *legs)
{
    HbStatus status;

    cli->stop = hb_stop_new();
    cli->observers = hb_observers_new();
    cli->throttle = hb_throttle_new(cli->options.throttle, NULL); /* which was checked */
    cli->throttle_to = hb_throttle_new(cli->options.throttle, NULL);
    cli->secrets = g_ptr_array_new_with_free_func(wipe);
    cli->documents = g_ptr_array_new_with_free_func(g_free);
    cli->color = hb_cli_wants_color(&cli->options, hb_terminal_is_output());
    hb_observers_add(cli->observers, hb_voice_observe, cli->voice);
    cli->recording = cli->options.report != NULL ? hb_recording_new() : NULL;
    if (cli->recording != NULL)
        hb_observers_add(cli->observers, hb_recording_observe, cli->recording);
    hb_voice_set_throttle(cli->voice, cli->throttle);
    hb_terminal_watch_signals(cli->stop, hb_voice_answer, cli->voice);
    status = run(cli, command, arguments, legs);
    hb_terminal_forget_signals();
    hb_voice_set_throttle(cli->voice, NULL);
    g_ptr_array_unref(cli->secrets);
    g_ptr_array_unref(cli->documents);
    hb_recording_free(cli->recording);
    g_free(cli->dump_pattern);
    hb_recipients_free(cli->recipients);
    hb_seal_key_free(cli->key);
    hb_observers_free(cli->observers);
    hb_throttle_free(cli->throttle);
    hb_throttle_free(cli->throttle_to);
    hb_stop_free(cli->stop);
    return status;
}

/* Before there is a voice that knows how the user wants to be spoken to */
HbStatus hb_cli_fail_early(const GError *error)
{
    HbVoice *voice = hb_voice_new(&(HbVoiceOptions){0}, NULL);

    hb_voice_say(voice, HB_SEVERITY_ERROR, error->message, hb_error_hint(error));
    hb_voice_free(voice);
    return hb_cli_get_status(error);
}

HbStatus hb_cli_run_prepared(HbCli *cli, const HbCommand *command, char **arguments, json_t *legs)
{
    g_autoptr(GError) error = NULL;
    HbStatus status;

    if ((cli->voice = new_voice(&cli->options, &error)) == NULL)
        return hb_cli_fail_early(error);
    status = run_with_services(cli, command, arguments + 1, legs);
    if (!hb_voice_is_log_whole(cli->voice) && status <= HB_STATUS_REMARKS)
        status = HB_STATUS_FILE;
    hb_voice_free(cli->voice);
    return status;
}
