/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/options.h"

#include "core/base/error.h"
#include "core/model/object.h"
#include "core/select/rename.h"
#include "work/dump/dump_hosts.h"
#include "work/handover/handover.h"
#include "work/run/throttle.h"

#include <string.h>

/*
 * Parsing by the rows of option_rows.c, and turning texts into numbers and bits, with defaults.
 */

#define JOBS_MAX           64
#define JOBS_DEFAULT_MAX   8
#define LOCK_WAIT_DEFAULT  5
#define LOCK_WAIT_MAX      86400
#define COMPRESSION_MAX    19
#define COMPRESSION_NORMAL 1
#define ROWS_EACH_MAX      1000000
#define ROWS_NAMED_DEFAULT 5
#define ROWS_NAMED_MAX     1000000
#define UNTIL_LAG_MAX_S    86400
#define KEEP_MAX           10000
#define KEEP_FOR_MAX       100000
#define COMMAND_PREFIX     "command:"

/* ---- The nearest word ---- */

/* Edits (insert, remove, change a letter, swap two that are neighbours) that lead from one word to the other: the
 * optimal string alignment distance */
static guint count_edits(const char *one, const char *other)
{
    const gsize length = strlen(other);
    g_autofree guint *rows = g_new(guint, 3 * (length + 1));
    guint *before = rows, *last = rows + length + 1, *row = last + length + 1;

    for (gsize j = 0; j <= length; j++)
        last[j] = (guint)j;
    for (gsize i = 1; one[i - 1] != '\0'; i++) {
        guint *free_row = before;
        row[0] = (guint)i;
        for (gsize j = 1; j <= length; j++) {
            row[j] = MIN(last[j - 1] + (one[i - 1] != other[j - 1]), MIN(last[j], row[j - 1]) + 1);
            if (i > 1 && j > 1 && one[i - 1] == other[j - 2] && one[i - 2] == other[j - 1])
                row[j] = MIN(row[j], before[j - 2] + 1);
        }
        before = last;
        last = row;
        row = free_row;
    }
    return last[length];
}

const char *hb_options_find_nearest(const char *word, const char *const *candidates)
{
    const char *nearest = NULL;
    guint least = MAX((guint)strlen(word) / 2, 2);

    for (; *candidates != NULL; candidates++) {
        guint edits = g_str_has_prefix(*candidates, word) ? 0 : count_edits(word, *candidates);
        if (edits < least || (nearest == NULL && edits == least)) {
            nearest = *candidates;
            least = edits;
        }
    }
    return nearest;
}

/* ---- Parsing ---- */

static GArray *entries_of(HbOptions *options, guint command)
{
    GArray *entries = g_array_new(TRUE, TRUE, sizeof(GOptionEntry));

    for (const HbOptionRow *row = hb_option_rows; row->name != NULL; row++) {
        GOptionEntry entry = {row->name,
                              row->letter,
                              0,
                              row->repeats       ? G_OPTION_ARG_STRING_ARRAY
                              : row->takes_value ? G_OPTION_ARG_STRING
                                                 : G_OPTION_ARG_NONE,
                              (char *)options + row->offset,
                              row->help,
                              row->value};
        if (row->commands & command)
            g_array_append_val(entries, entry);
    }
    return entries;
}

static const char *find_nearest_option(const char *word, guint command)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    for (const HbOptionRow *row = hb_option_rows; row->name != NULL; row++) {
        if (row->commands & command)
            g_ptr_array_add(names, (gpointer)row->name);
    }
    g_ptr_array_add(names, NULL);
    return hb_options_find_nearest(word, (const char *const *)names->pdata);
}

/* The first argument that looks like an option and is none of this command's */
static const char *find_unknown(char **arguments, guint command)
{
    for (; *arguments != NULL && strcmp(*arguments, "--") != 0; arguments++) {
        g_autofree char *name = NULL;
        gboolean known = FALSE;
        if (!g_str_has_prefix(*arguments, "--"))
            continue;
        name = g_strndup(*arguments + 2, strcspn(*arguments + 2, "="));
        for (const HbOptionRow *row = hb_option_rows; row->name != NULL; row++)
            known = known || ((row->commands & command) && strcmp(row->name, name) == 0);
        if (!known)
            return *arguments;
    }
    return NULL;
}

static gboolean report_unknown(const char *argument, guint command, GError **error)
{
    g_autofree char *name = g_strndup(argument + 2, strcspn(argument + 2, "="));
    const char *nearest = find_nearest_option(name, command);
    g_autofree char *hint = nearest != NULL
                                ? g_strdup_printf("did you mean --%s? `hornbeam help COMMAND` lists them all", nearest)
                                : g_strdup("`hornbeam help COMMAND` lists the options");

    return hb_error_set(error, HB_ERROR_USAGE, hint, "there is no option --%s here", name);
}

gboolean hb_options_parse(HbOptions *options, guint command, char ***arguments, GError **error)
{
    GOptionContext *context = g_option_context_new(NULL);
    g_autoptr(GArray) entries = entries_of(options, command);
    g_autoptr(GError) cause = NULL;
    const char *unknown = find_unknown(*arguments, command);
    gboolean ok = TRUE;

    g_option_context_set_help_enabled(context, FALSE);
    g_option_context_add_main_entries(context, (GOptionEntry *)(gpointer)entries->data, NULL);
    if (unknown != NULL)
        ok = report_unknown(unknown, command, error);
    else if (!g_option_context_parse_strv(context, arguments, &cause))
        ok = hb_error_set(error, HB_ERROR_USAGE, "`hornbeam help COMMAND` lists the options", "%s", cause->message);
    else if (options->stop_writes != NULL && g_str_has_prefix(options->stop_writes, COMMAND_PREFIX))
        ok = hb_error_set(error, HB_ERROR_USAGE, "write it into a file, and name that with --route",
                          "--stop-writes takes a command from a route only");
    g_option_context_free(context);
    return ok;
}

/* ---- Checking ---- */

static gboolean read_number(const char *text, const char *option, guint least, guint most, guint *number,
                            GError **error)
{
    guint64 value;

    if (!g_ascii_string_to_unsigned(text, 10, least, most, &value, NULL))
        return hb_error_set(error, HB_ERROR_USAGE, NULL, "--%s takes a whole number from %u to %u, not “%s”", option,
                            least, most, text);
    *number = (guint)value;
    return TRUE;
}

static gboolean check_jobs(HbOptions *options, GError **error)
{
    options->job_count = CLAMP(g_get_num_processors(), 1, JOBS_DEFAULT_MAX);
    return options->jobs == NULL || read_number(options->jobs, "jobs", 1, JOBS_MAX, &options->job_count, error);
}

static gboolean check_lock_wait(HbOptions *options, GError **error)
{
    guint seconds = LOCK_WAIT_DEFAULT;

    if (options->lock_wait != NULL && !read_number(options->lock_wait, "lock-wait", 1, LOCK_WAIT_MAX, &seconds, error))
        return FALSE;
    options->lock_wait_ms = seconds * 1000;
    return TRUE;
}

static gboolean check_throttle(const HbOptions *options, GError **error)
{
    HbThrottle *throttle = hb_throttle_new(options->throttle, error);
    const gboolean ok = throttle != NULL || options->throttle == NULL;

    hb_throttle_free(throttle);
    return ok;
}

static gboolean check_compression(HbOptions *options, GError **error)
{
    guint level = COMPRESSION_NORMAL;

    if (g_strcmp0(options->compress, "none") == 0)
        level = 0;
    else if (options->compress != NULL &&
             !read_number(options->compress, "compress", 1, COMPRESSION_MAX, &level, error))
        return FALSE;
    options->compression = (int)level;
    return TRUE;
}

static gboolean check_rows_named(HbOptions *options, GError **error)
{
    options->rows_named_max = ROWS_NAMED_DEFAULT;
    return options->rows_named == NULL ||
           read_number(options->rows_named, "rows", 0, ROWS_NAMED_MAX, &options->rows_named_max, error);
}

static gboolean check_rows(HbOptions *options, GError **error)
{
    return options->rows == NULL || read_number(options->rows, "rows", 1, ROWS_EACH_MAX, &options->rows_each, error);
}

static gboolean check_progress(const HbOptions *options, GError **error)
{
    static const char *const words[] = {"auto", "json", NULL};

    return options->progress == NULL || g_strv_contains(words, options->progress) ||
           hb_error_set(error, HB_ERROR_USAGE, NULL, "--progress takes auto or json, not “%s”", options->progress);
}

static gboolean check_color(const HbOptions *options, GError **error)
{
    static const char *const words[] = {"auto", "always", "never", NULL};

    return options->color == NULL || g_strv_contains(words, options->color) ||
           hb_error_set(error, HB_ERROR_USAGE, NULL, "--color takes auto, always or never, not “%s”", options->color);
}

static gboolean read_choice(const char *text, const char *option, const char *usual, const char *other,
                            gboolean *chosen, GError **error)
{
    *chosen = g_strcmp0(text, other) == 0;
    return text == NULL || *chosen || strcmp(text, usual) == 0 ||
           hb_error_set(error, HB_ERROR_USAGE, NULL, "--%s takes %s or %s, not “%s”", option, usual, other, text);
}

static gboolean add_patterns(HbSelection *selection, const char *option, char **texts, GError **error)
{
    for (; texts != NULL && *texts != NULL; texts++) {
        if (!hb_selection_add(selection, option, *texts, error))
            return FALSE;
    }
    return TRUE;
}

static gboolean check_choice(HbOptions *options, GError **error)
{
    options->selection = hb_selection_new();
    return add_patterns(options->selection, "take", options->take, error) &&
           add_patterns(options->selection, "skip", options->skip, error) &&
           read_choice(options->company, "needs", "yes", "no", &options->selection->without_needs, error);
}

static gboolean check_accept(const HbOptions *options, GError **error)
{
    for (char **text = options->accept; text != NULL && *text != NULL; text++) {
        g_autofree char *name = g_strndup(*text, strcspn(*text, ":"));
        const char *nearest = hb_options_find_nearest(name, hb_finding_names);
        g_autofree char *hint = nearest != NULL ? g_strdup_printf("did you mean %s?", nearest) : NULL;
        if (!g_strv_contains(hb_finding_names, name))
            return hb_error_set(error, HB_ERROR_USAGE, hint, "--accept: there is no finding “%s”", name);
    }
    return TRUE;
}

static gboolean check_rights(HbOptions *options, GError **error)
{
    return read_choice(options->ownership, "ownership", "keep", "mine", &options->wishes.ownership_mine, error) &&
           read_choice(options->grants, "grants", "keep", "drop", &options->wishes.grants_drop, error);
}

static gboolean check_renames(HbOptions *options, GError **error)
{
    options->wishes.renames = g_ptr_array_new_with_free_func((GDestroyNotify)hb_rename_free);
    for (char **text = options->rename; text != NULL && *text != NULL; text++) {
        HbRename *rename = hb_rename_read(*text, error);
        if (rename == NULL)
            return FALSE;
        g_ptr_array_add(options->wishes.renames, rename);
    }
    return TRUE;
}

static gboolean check_existing(HbOptions *options, GError **error)
{
    static const char *const words[] = {[HB_EXISTING_STOP] = "stop", "keep", "replace", NULL};

    options->existing_wish = HB_EXISTING_STOP;
    for (int wish = 0; options->existing != NULL && words[wish] != NULL; wish++) {
        if (strcmp(options->existing, words[wish]) == 0)
            options->existing_wish = (HbExistingWish)wish;
    }
    return options->existing == NULL || g_strv_contains(words, options->existing) ||
           hb_error_set(error, HB_ERROR_USAGE, NULL, "--existing takes stop, keep or replace, not “%s”",
                        options->existing);
}

/* What only one of several hosts could do, or all of them would do */
static gboolean check_join(HbOptions *options, GError **error)
{
    const char *other = options->existing_wish != HB_EXISTING_STOP ? "--existing"
                        : options->new_passwords != NULL           ? "--new-passwords"
                        : options->seal_for != NULL                ? "--seal-for"
                        : options->sweep                           ? "--sweep"
                        : options->keep_log                        ? "--keep-log"
                        : options->keep_count > 0                  ? "--keep"
                        : options->keep_for_s > 0                  ? "--keep-for"
                                                                   : NULL;

    if (options->hosts != NULL &&
        !read_number(options->hosts, "hosts", 2, HB_DUMP_HOSTS_MAX, &options->hosts_count, error))
        return FALSE;
    if (options->hosts != NULL && !options->join)
        return hb_error_set(error, HB_ERROR_USAGE, NULL, "--hosts goes with --join");
    return !options->join || other == NULL ||
           hb_error_set(error, HB_ERROR_USAGE,
                        options->existing_wish != HB_EXISTING_STOP || options->new_passwords != NULL
                            ? "several hosts restore into a new or empty database"
                            : "one host alone can do that",
                        "%s does not go with --join", other);
}

/* "5", "5s", "500ms", "2m" */
static gboolean read_seconds(const char *text, const char *option, double *seconds, GError **error)
{
    char *unit;
    const double number = g_ascii_strtod(text, &unit);
    const double scale = *unit == '\0' || strcmp(unit, "s") == 0 ? 1
                         : strcmp(unit, "ms") == 0               ? 0.001
                         : strcmp(unit, "m") == 0                ? 60
                                                                 : 0;

    *seconds = number * scale;
    return (unit != text && g_ascii_isdigit(*text) && *seconds > 0 && *seconds <= UNTIL_LAG_MAX_S) ||
           hb_error_set(error, HB_ERROR_USAGE, NULL, "--%s takes seconds above 0, as 5, 500ms or 2m, not “%s”", option,
                        text);
}

static gboolean check_following(HbOptions *options, GError **error)
{
    static const char *const words[] = {"auto", "rows", "log", NULL};

    for (guint i = 0; options->by != NULL && words[i] != NULL; i++)
        options->by_place = strcmp(options->by, words[i]) == 0 ? i : options->by_place;
    if (options->by != NULL && !g_strv_contains(words, options->by))
        return hb_error_set(error, HB_ERROR_USAGE, NULL, "--by takes auto, rows or log, not “%s”", options->by);
    if (options->until_lag != NULL && !options->keep_up)
        return hb_error_set(error, HB_ERROR_USAGE, NULL, "--until-lag goes with --keep-up");
    if (options->keep_up && options->by_place == 1)
        return hb_error_set(error, HB_ERROR_USAGE, NULL, "--keep-up reads the log: it does not go with --by rows");
    return options->until_lag == NULL || read_seconds(options->until_lag, "until-lag", &options->until_lag_s, error);
}

/* text: NULL for the first of the words */
static gboolean read_word(const char *text, const char *option, const char *const *words, guint *place, GError **error)
{
    g_autofree char *known = g_strjoinv(", ", (char **)words);

    *place = 0;
    for (guint i = 0; text != NULL && words[i] != NULL; i++)
        *place = strcmp(text, words[i]) == 0 ? i : *place;
    return text == NULL || g_strv_contains(words, text) ||
           hb_error_set(error, HB_ERROR_USAGE, NULL, "--%s takes %s, not “%s”", option, known, text);
}

/* "command:PROGRAM ARGUMENT...", in words as a shell would have them, but no shell reads it */
static gboolean read_stop_way(HbOptions *options, GError **error)
{
    const char *text = options->stop_writes;
    g_autoptr(GError) cause = NULL;

    if (text == NULL || !g_str_has_prefix(text, COMMAND_PREFIX))
        return (g_strcmp0(text, hb_stop_way_words[HB_WAY_COMMAND]) != 0 ||
                hb_error_set(error, HB_ERROR_USAGE, NULL,
                             "--stop-writes: the command is missing: " COMMAND_PREFIX "PROGRAM")) &&
               read_word(text, "stop-writes", hb_stop_way_words, &options->stop_way, error);
    options->stop_way = HB_WAY_COMMAND;
    return g_shell_parse_argv(text + strlen(COMMAND_PREFIX), NULL, &options->stop_command, &cause) ||
           hb_error_set(error, HB_ERROR_USAGE, NULL, "--stop-writes: %s", cause->message);
}

static gboolean check_handover(HbOptions *options, GError **error)
{
    if (!read_stop_way(options, error) ||
        !read_word(options->check, "check", hb_handover_check_words, &options->check_place, error) ||
        !read_word(options->source, "source", hb_source_fate_words, &options->source_place, error))
        return FALSE;
    if (options->source_place == HB_SOURCE_DROP && options->check_place != HB_CHECK_ALL)
        return hb_error_set(error, HB_ERROR_USAGE, NULL, "--source drop goes with --check all");
    return !(options->undo && (options->resume || options->dry_run)) ||
           hb_error_set(error, HB_ERROR_USAGE, NULL, "--undo goes with neither --resume nor --dry-run");
}

/* "30d", "8w", "12h" */
static gboolean read_days(const char *text, gint64 *seconds, GError **error)
{
    static const struct {
        char unit;
        gint64 seconds;
    } units[] = {{'h', 3600}, {'d', 86400}, {'w', 7 * 86400}};
    char *end;
    const guint64 number = g_ascii_strtoull(text, &end, 10);

    *seconds = 0;
    for (gsize i = 0; i < G_N_ELEMENTS(units); i++) {
        if (*end == units[i].unit && end[1] == '\0' && g_ascii_isdigit(*text) && number <= KEEP_FOR_MAX)
            *seconds = (gint64)number * units[i].seconds;
    }
    return *seconds > 0 || hb_error_set(error, HB_ERROR_USAGE, NULL,
                                        "--keep-for takes hours, days or weeks, as 12h, 30d or 8w, not “%s”", text);
}

static gboolean check_nightly(HbOptions *options, GError **error)
{
    g_autoptr(GError) cause = NULL;

    if ((options->keep != NULL && !read_number(options->keep, "keep", 1, KEEP_MAX, &options->keep_count, error)) ||
        (options->keep_for != NULL && !read_days(options->keep_for, &options->keep_for_s, error)))
        return FALSE;
    if (options->legs != NULL && options->route == NULL)
        return hb_error_set(error, HB_ERROR_USAGE, NULL, "--leg goes with --route");
    return options->then == NULL || g_shell_parse_argv(options->then, NULL, &options->then_words, &cause) ||
           hb_error_set(error, HB_ERROR_USAGE, "name a program, and its arguments as a shell would have them",
                        "--then: %s", cause->message);
}

gboolean hb_options_check(HbOptions *options, GError **error)
{
    options->part_bits = HB_PART_ALL;
    if (options->quiet && options->verbose)
        return hb_error_set(error, HB_ERROR_USAGE, NULL, "--quiet and --verbose exclude each other");
    if (!check_jobs(options, error) || !check_rows(options, error) || !check_throttle(options, error) ||
        !check_rows_named(options, error) || !check_lock_wait(options, error) || !check_compression(options, error) ||
        !check_color(options, error) || !check_progress(options, error) || !check_rights(options, error) ||
        !check_choice(options, error) || !check_accept(options, error) || !check_following(options, error) ||
        !check_handover(options, error) || !check_nightly(options, error) || !check_renames(options, error) ||
        !check_existing(options, error) || !check_join(options, error) ||
        (options->parts != NULL && !hb_parts_read(options->parts, &options->part_bits, error)))
        return FALSE;
    options->wishes.lenient = hb_selection_is_partial(options->selection) || options->part_bits != HB_PART_ALL;
    return TRUE;
}

void hb_options_clear(HbOptions *options)
{
    for (const HbOptionRow *row = hb_option_rows; row->name != NULL; row++) {
        if (row->repeats)
            g_strfreev(*(char ***)(gpointer)((char *)options + row->offset));
        else if (row->takes_value)
            g_free(*(char **)(gpointer)((char *)options + row->offset));
    }
    g_strfreev(options->stop_command);
    g_strfreev(options->then_words);
    g_clear_pointer(&options->wishes.renames, g_ptr_array_unref);
    hb_selection_free(options->selection);
    *options = (HbOptions){0};
}
