/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/cli.h"
#include "cli/help.h"
#include "cli/route.h"
#include "cli/terminal.h"
#include "engine/registry.h"
#include "report/json.h"
#include "report/text.h"

#include "version.h"

#include <errno.h>
#include <locale.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

/*
 * From words to a run: which command, its options by the rows, help where it was asked for. Afterwards what every
 * command needs: the error in its voice, the hint, the exit status from the error's code, and whether standard output
 * was really written.
 */

const HbCommand *const hb_commands[] = {&hb_command_survey,
                                        &hb_command_preflight,
                                        &hb_command_dump,
                                        &hb_command_show,
                                        &hb_command_sql,
                                        &hb_command_restore,
                                        &hb_command_carry,
                                        &hb_command_freshen,
                                        &hb_command_verify,
                                        &hb_command_handover,
                                        NULL};

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

/* ---- Set-up ---- */

static gboolean want_color(const HbOptions *options, gboolean is_terminal)
{
    if (g_strcmp0(options->color, "always") == 0)
        return TRUE;
    if (g_strcmp0(options->color, "never") == 0 || g_getenv("NO_COLOR") != NULL)
        return FALSE;
    return is_terminal;
}

static HbVoice *new_voice(const HbOptions *options, GError **error)
{
    gboolean is_terminal = hb_terminal_is_error_live();
    const HbVoiceOptions wanted = {.quiet = options->quiet,
                                   .verbose = options->verbose,
                                   .live = is_terminal,
                                   .color = want_color(options, is_terminal),
                                   .log = options->log};

    return hb_voice_new(&wanted, error);
}

/* ---- Running ---- */

static void report_error(const HbCli *cli, const GError *error, HbStatus status)
{
    if (cli->options.json) {
        g_autofree char *json = hb_json_error(error, (int)status);
        fprintf(stdout, "%s\n", json);
    }
    fflush(stdout);
    hb_voice_say(cli->voice, HB_SEVERITY_ERROR, error->message, hb_error_hint(error));
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

static HbStatus run(HbCli *cli, const HbCommand *command, char **arguments)
{
    g_autoptr(GError) error = NULL;
    HbStatus status = HB_STATUS_DONE;

    if (check_arguments(command, arguments, &error))
        status = command->run(cli, arguments, &error);
    hb_voice_end_view(cli->voice);
    name_interruption(cli, &error);
    if (error != NULL) {
        status = hb_cli_get_status(error);
        report_error(cli, error, status);
    }
    return status;
}

static void wipe(gpointer data)
{
    char *secret = data;

    memset(secret, 0, strlen(secret));
    g_free(secret);
}

static HbStatus run_with_services(HbCli *cli, const HbCommand *command, char **arguments)
{
    HbStatus status;

    cli->stop = hb_stop_new();
    cli->observers = hb_observers_new();
    cli->throttle = hb_throttle_new(cli->options.throttle, NULL); /* which was checked */
    cli->throttle_to = hb_throttle_new(cli->options.throttle, NULL);
    cli->secrets = g_ptr_array_new_with_free_func(wipe);
    cli->color = want_color(&cli->options, hb_terminal_is_output());
    hb_observers_add(cli->observers, hb_voice_observe, cli->voice);
    hb_terminal_watch_signals(cli->stop);
    status = run(cli, command, arguments);
    hb_terminal_forget_signals();
    g_ptr_array_unref(cli->secrets);
    hb_observers_free(cli->observers);
    hb_throttle_free(cli->throttle);
    hb_throttle_free(cli->throttle_to);
    hb_stop_free(cli->stop);
    return status;
}

/* Before there is a voice that knows how the user wants to be spoken to */
static HbStatus fail_early(const GError *error)
{
    HbVoice *voice = hb_voice_new(&(HbVoiceOptions){0}, NULL);

    hb_voice_say(voice, HB_SEVERITY_ERROR, error->message, hb_error_hint(error));
    hb_voice_free(voice);
    return hb_cli_get_status(error);
}

/* Options that are not given, and arguments if none is given */
static gboolean follow_route(HbOptions *options, const HbCommand *command, char ***arguments, GError **error)
{
    g_autoptr(HbRoute) route = options->route != NULL ? hb_route_open(options->route, error) : NULL;

    if (options->route == NULL)
        return TRUE;
    if (route == NULL || !hb_route_fill_options(route, options, command->bit, error))
        return FALSE;
    if ((*arguments)[1] != NULL)
        return TRUE;
    g_auto(GStrv) found = hb_route_make_arguments(route, command);
    g_autoptr(GPtrArray) all = g_ptr_array_new();
    g_ptr_array_add(all, (*arguments)[0]);
    for (char **argument = found; *argument != NULL; argument++)
        g_ptr_array_add(all, g_strdup(*argument));
    g_ptr_array_add(all, NULL);
    g_free(*arguments);
    *arguments = (char **)g_ptr_array_free(g_steal_pointer(&all), FALSE);
    return TRUE;
}

static HbStatus run_command(const HbCommand *command, char ***arguments)
{
    HbCli cli = {0};
    g_autoptr(GError) error = NULL;
    HbStatus status = HB_STATUS_DONE;

    if (!hb_options_parse(&cli.options, command->bit, arguments, &error) ||
        !follow_route(&cli.options, command, arguments, &error) ||
        !(cli.options.help || hb_options_check(&cli.options, &error))) {
        status = fail_early(error);
    } else if (cli.options.help) {
        g_autofree char *text = hb_help_command(command, want_color(&cli.options, hb_terminal_is_output()));
        fputs(text, stdout);
    } else if ((cli.voice = new_voice(&cli.options, &error)) == NULL) {
        status = fail_early(error);
    } else {
        status = run_with_services(&cli, command, *arguments + 1);
        if (!hb_voice_is_log_whole(cli.voice) && status <= HB_STATUS_REMARKS)
            status = HB_STATUS_FILE;
        hb_voice_free(cli.voice);
    }
    hb_options_clear(&cli.options);
    return status;
}

/* ---- Finding the command ---- */

static const HbCommand *find_command(const char *name, GError **error)
{
    const char *names[G_N_ELEMENTS(hb_commands) + 1] = {"help"};
    const char *nearest;
    g_autofree char *hint = NULL;

    for (guint i = 0; hb_commands[i] != NULL; i++) {
        if (strcmp(hb_commands[i]->name, name) == 0)
            return hb_commands[i];
        names[i + 1] = hb_commands[i]->name;
    }
    nearest = hb_options_find_nearest(name, names);
    hint = nearest != NULL ? g_strdup_printf("did you mean %s? `hornbeam help` lists the commands", nearest)
                           : g_strdup("`hornbeam help` lists the commands");
    hb_error_set(error, HB_ERROR_USAGE, hint, "there is no command “%s”", name);
    return NULL;
}

static HbStatus show_help(const char *name)
{
    g_autoptr(GError) error = NULL;
    const HbCommand *command = name != NULL ? find_command(name, &error) : NULL;
    gboolean color = want_color(&(HbOptions){0}, hb_terminal_is_output());
    g_autofree char *text = NULL;

    if (error != NULL)
        return fail_early(error);
    text = command != NULL ? hb_help_command(command, color) : hb_help_program(color);
    fputs(text, stdout);
    return HB_STATUS_DONE;
}

/* "--route FILE COMMAND" becomes "COMMAND --route FILE": all other options follow the command */
static void put_route_behind(char **arguments)
{
    gsize words =
        strcmp(arguments[1], "--route") == 0 && arguments[2] != NULL ? 2 : g_str_has_prefix(arguments[1], "--route=");
    char *command = arguments[words + 1];

    if (words == 0 || command == NULL)
        return;
    memmove(arguments + 2, arguments + 1, words * sizeof *arguments);
    arguments[1] = command;
}

static HbStatus dispatch(char ***arguments)
{
    const char *name = (*arguments)[0] != NULL ? (*arguments)[1] : NULL;
    g_autoptr(GError) error = NULL;
    const HbCommand *command;

    if (name == NULL) {
        show_help(NULL);
        return HB_STATUS_USAGE;
    }
    put_route_behind(*arguments);
    name = (*arguments)[1];
    if (strcmp(name, "--version") == 0) {
        printf("hornbeam %s\n", HB_VERSION);
        return HB_STATUS_DONE;
    }
    if (strcmp(name, "help") == 0 || strcmp(name, "--help") == 0 || strcmp(name, "-h") == 0)
        return show_help((*arguments)[2]);
    command = find_command(name, &error);
    if (command == NULL)
        return fail_early(error);
    g_free((*arguments)[1]);
    for (char **at = *arguments + 1; (*at = at[1]) != NULL; at++)
        continue;
    return run_command(command, arguments);
}

/*
 * What was printed must have arrived: a full disk behind a redirection is an error like any other. A reader who closed
 * the pipe has seen what he wanted.
 */
static HbStatus check_output(HbStatus status)
{
    g_autoptr(GError) error = NULL;

    if ((fflush(stdout) == 0 && !ferror(stdout)) || errno == EPIPE)
        return status;
    hb_error_set(&error, HB_ERROR_FILE, NULL, "writing to standard output: %s", g_strerror(errno));
    return fail_early(error);
}

int hb_cli_run(int argc, char **argv)
{
    char **arguments;
    HbStatus status;

    setlocale(LC_CTYPE, "");
    arguments = g_new0(char *, (gsize)argc + 1);
    for (int i = 0; i < argc; i++)
        arguments[i] = g_strdup(argv[i]);
    hb_terminal_hide_passwords(argc, argv);
    status = dispatch(&arguments);
    g_strfreev(arguments);
    return (int)check_output(status);
}
