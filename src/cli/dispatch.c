/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/cli.h"

#include "cli/help.h"
#include "cli/outcome.h"
#include "cli/route.h"
#include "cli/run_command.h"
#include "cli/terminal.h"
#include "cli/version_text.h"
#include "core/base/error.h"
#include "report/json.h"
#include "report/text.h"
#include "version.h"

#include <errno.h>
#include <jansson.h>
#include <locale.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

/*
 * From words to a run: which command, its options by the rows, those of the route and its legs, help where it was asked
 * for. Afterwards, whether standard output was really written.
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

/* ---- Routes ---- */

/* Options that are not given, and arguments if none is given */
static gboolean follow_route(const HbRoute *route, HbOptions *options, const HbCommand *command, char ***arguments,
                             GError **error)
{
    if (!hb_route_fill_options(route, options, command->bit, error))
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

/* What commands that write, or that burden a source for long, do with a route is done by one process at a time. A pass
 * that keeps up goes on beside others: the hand-over ends it */
static gboolean is_alone(const HbCommand *command, const HbOptions *options)
{
    return (command->bit & (HB_FOR_DUMP | HB_FOR_RESTORE | HB_FOR_CARRY | HB_FOR_FRESHEN)) != 0 && !options->keep_up &&
           !options->dry_run;
}

/* ---- Several legs ---- */

typedef struct {
    const HbCommand *command;
    HbRoute *route;
    char **arguments; /* as given */
    char **names;     /* of the legs */
} Legs;

/* One leg's options and arguments, from the command line and the route; the arguments are the caller's */
static char **prepare_leg(const Legs *legs, const char *name, HbOptions *options, GError **error)
{
    char **arguments = g_strdupv(legs->arguments);

    hb_route_choose_leg(legs->route, name);
    if (hb_options_parse(options, legs->command->bit, &arguments, error) &&
        follow_route(legs->route, options, legs->command, &arguments, error) && hb_options_check(options, error))
        return arguments;
    g_prefix_error(error, "leg %s: ", name);
    g_strfreev(arguments);
    return NULL;
}

/* All of them before the first is run */
static gboolean check_legs(const Legs *legs, GError **error)
{
    for (char **name = legs->names; *name != NULL; name++) {
        HbOptions options = {0};
        g_auto(GStrv) arguments = prepare_leg(legs, *name, &options, error);
        hb_options_clear(&options);
        if (arguments == NULL)
            return FALSE;
    }
    return TRUE;
}

static HbStatus run_leg(const Legs *legs, const char *name, json_t *results)
{
    HbCli cli = {.leg = name};
    g_auto(GStrv) arguments = prepare_leg(legs, name, &cli.options, NULL);
    HbStatus status;

    if (!cli.options.quiet && g_strcmp0(cli.options.progress, "json") != 0)
        fprintf(stderr, "leg %s\n", name);
    status = hb_cli_run_prepared(&cli, legs->command, arguments, results);
    hb_options_clear(&cli.options);
    return status;
}

static void report_legs(const HbOptions *options, char **names, const HbStatus *statuses, json_t *results)
{
    g_autofree char *document = NULL;
    json_t *root = hb_json_begin("route");

    json_object_set_new(root, "legs", results);
    document = hb_json_end(root);
    if (options->json) {
        hb_cli_print_document(document);
        return;
    }
    for (guint i = 0; names[i] != NULL && !options->quiet; i++) {
        g_autofree char *name = hb_text_visible(names[i]);
        printf("%sleg %s: %s (status %d)\n", i == 0 ? "\n" : "", name, hb_outcome_describe(statuses[i]),
               (int)statuses[i]);
    }
}

/* One that fails stops no other; an interruption stops all */
static HbStatus run_legs(const Legs *legs, const HbOptions *options)
{
    g_autofree HbStatus *statuses = g_new0(HbStatus, g_strv_length(legs->names));
    json_t *results = json_array();
    HbStatus worst = HB_STATUS_DONE;
    guint count = 0;

    for (; legs->names[count] != NULL && worst != HB_STATUS_INTERRUPTED; count++) {
        statuses[count] = run_leg(legs, legs->names[count], results);
        worst = MAX(worst, statuses[count]);
    }
    for (; legs->names[count] != NULL; count++)
        statuses[count] = HB_STATUS_INTERRUPTED;
    report_legs(options, legs->names, statuses, results);
    return worst;
}

/* ---- One command ---- */

static HbStatus run_alone(HbCli *cli, const HbCommand *command, char ***arguments, GError **error)
{
    if (!(cli->options.help || hb_options_check(&cli->options, error)))
        return HB_STATUS_USAGE;
    if (cli->options.help) {
        g_autofree char *text = hb_help_command(command, hb_cli_wants_color(&cli->options, hb_terminal_is_output()));
        fputs(text, stdout);
        return HB_STATUS_DONE;
    }
    return hb_cli_run_prepared(cli, command, *arguments, NULL);
}

static HbStatus run_route(HbCli *cli, const HbCommand *command, char ***arguments, char **given, GError **error)
{
    g_autoptr(HbRoute) route = hb_route_open(cli->options.route, error);
    g_auto(GStrv) names = route != NULL ? hb_route_list_legs(route, cli->options.legs, error) : NULL;
    const Legs legs = {command, route, given, names};
    int hold = -1;
    HbStatus status = HB_STATUS_USAGE;

    if (names == NULL ||
        !(*names != NULL ? check_legs(&legs, error) : follow_route(route, &cli->options, command, arguments, error)))
        return HB_STATUS_USAGE;
    if (is_alone(command, &cli->options) && !cli->options.help && (hold = hb_route_hold(route, error)) < 0)
        return HB_STATUS_REMARKS;
    status = *names != NULL && !cli->options.help ? run_legs(&legs, &cli->options)
                                                  : run_alone(cli, command, arguments, error);
    if (hold >= 0)
        close(hold);
    return status;
}

static HbStatus run_command(const HbCommand *command, char ***arguments)
{
    HbCli cli = {0};
    g_auto(GStrv) given = g_strdupv(*arguments);
    g_autoptr(GError) error = NULL;
    HbStatus status = HB_STATUS_USAGE;

    if (hb_options_parse(&cli.options, command->bit, arguments, &error))
        status = cli.options.route != NULL ? run_route(&cli, command, arguments, given, &error)
                                           : run_alone(&cli, command, arguments, &error);
    if (error != NULL)
        status = hb_cli_fail_early(error);
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
    gboolean color = hb_cli_wants_color(&(HbOptions){0}, hb_terminal_is_output());
    g_autofree char *text = NULL;

    if (error != NULL)
        return hb_cli_fail_early(error);
    text = command != NULL ? hb_help_command(command, color) : hb_help_program(color);
    fputs(text, stdout);
    return HB_STATUS_DONE;
}

/* What a report of a mistake should begin with */
static void print_version(gboolean is_verbose)
{
    g_autofree char *text = is_verbose ? hb_version_describe() : NULL;

    printf("hornbeam %s\n%s", HB_VERSION, text != NULL ? text : "");
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
    static const char *const verbose[] = {"--verbose", "-v", NULL};
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
        print_version((*arguments)[2] != NULL && g_strv_contains(verbose, (*arguments)[2]));
        return HB_STATUS_DONE;
    }
    if (strcmp(name, "help") == 0 || strcmp(name, "--help") == 0 || strcmp(name, "-h") == 0)
        return show_help((*arguments)[2]);
    command = find_command(name, &error);
    if (command == NULL)
        return hb_cli_fail_early(error);
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
    return hb_cli_fail_early(error);
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
