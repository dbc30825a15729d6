/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/route.h"

#include "core/base/error.h"

#include <string.h>

/*
 * A route is a file of options under a name of its own choosing: what one would type each time. It is read as data,
 * never by a shell; keys are the options' own names, a key that no command has is an error that names the file and the
 * nearest key, and a password in it is refused.
 */

#define GROUP "route"

struct HbRoute {
    char *path;
    GKeyFile *keys;
};

static const char *const places[] = {"from", "to", "dump", NULL};

void hb_route_free(HbRoute *route)
{
    if (route == NULL)
        return;
    g_free(route->path);
    g_key_file_unref(route->keys);
    g_free(route);
}

/* ---- Checking ---- */

static const char **list_known(void)
{
    GPtrArray *known = g_ptr_array_new();

    for (gsize i = 0; places[i] != NULL; i++)
        g_ptr_array_add(known, (gpointer)places[i]);
    for (const HbOptionRow *row = hb_option_rows; row->name != NULL; row++) {
        if (strcmp(row->name, "route") != 0 && strcmp(row->name, "help") != 0)
            g_ptr_array_add(known, (gpointer)row->name);
    }
    g_ptr_array_add(known, NULL);
    return (const char **)g_ptr_array_free(known, FALSE);
}

static gboolean check_key(const HbRoute *route, const char *key, const char *const *known, GError **error)
{
    const char *nearest;
    g_autofree char *hint = NULL;

    if (g_strv_contains(known, key))
        return TRUE;
    nearest = hb_options_find_nearest(key, known);
    hint = nearest != NULL ? g_strdup_printf("did you mean %s?", nearest)
                           : g_strdup("keys are from, to, dump, and the names of options");
    return hb_error_set(error, HB_ERROR_USAGE, hint, "%s: a route has no key “%s”", route->path, key);
}

/* A file that is copied and kept is no place for a password */
static gboolean check_secrets(const HbRoute *route, const char *key, GError **error)
{
    g_autofree char *value = g_key_file_get_string(route->keys, GROUP, key, NULL);
    const char *user = value != NULL ? strstr(value, "://") : NULL;
    const char *end = user != NULL ? strpbrk(user + 3, "@/?") : NULL;

    if (user == NULL || !((end != NULL && *end == '@' && memchr(user + 3, ':', (gsize)(end - user) - 3) != NULL) ||
                          strstr(value, "password=") != NULL))
        return TRUE;
    return hb_error_set(error, HB_ERROR_USAGE, "leave it to the engine's own password file, or to the prompt",
                        "%s: “%s” holds a password, which has no place in a route", route->path, key);
}

static gboolean check(const HbRoute *route, GError **error)
{
    g_auto(GStrv) groups = g_key_file_get_groups(route->keys, NULL);
    g_auto(GStrv) keys = g_key_file_get_keys(route->keys, GROUP, NULL, NULL);
    g_autofree const char **known = list_known();

    if (keys == NULL || groups[1] != NULL)
        return hb_error_set(error, HB_ERROR_USAGE, "begin it with a line [" GROUP "]",
                            "%s: a route has one group, [" GROUP "]", route->path);
    for (char **key = keys; *key != NULL; key++) {
        if (!check_key(route, *key, known, error) || !check_secrets(route, *key, error))
            return FALSE;
    }
    return TRUE;
}

HbRoute *hb_route_open(const char *path, GError **error)
{
    g_autoptr(HbRoute) route = g_new0(HbRoute, 1);
    g_autoptr(GError) cause = NULL;

    route->path = g_strdup(path);
    route->keys = g_key_file_new();
    if (!g_key_file_load_from_file(route->keys, path, G_KEY_FILE_NONE, &cause)) {
        hb_error_set(error, cause->domain == G_KEY_FILE_ERROR ? HB_ERROR_USAGE : HB_ERROR_FILE,
                     "see whether the path is right, and each line KEY = VALUE below [" GROUP "]", "%s: %s", path,
                     cause->message);
        return NULL;
    }
    return check(route, error) ? g_steal_pointer(&route) : NULL;
}

/* ---- Options ---- */

static gboolean read_flag(const HbRoute *route, const HbOptionRow *row, gboolean *flag, GError **error)
{
    g_autofree char *text = g_key_file_get_string(route->keys, GROUP, row->name, NULL);
    gboolean yes = g_strcmp0(text, "yes") == 0;

    if (!yes && g_strcmp0(text, "no") != 0)
        return hb_error_set(error, HB_ERROR_USAGE, NULL, "%s: %s takes yes or no, not “%s”", route->path, row->name,
                            text != NULL ? text : "");
    *flag = *flag || yes;
    return TRUE;
}

static char **read_list(const HbRoute *route, const char *key)
{
    char **list = g_key_file_get_string_list(route->keys, GROUP, key, NULL, NULL);

    for (char **text = list; text != NULL && *text != NULL; text++)
        g_strstrip(*text);
    return list;
}

static gboolean fill(const HbRoute *route, const HbOptionRow *row, gpointer value, GError **error)
{
    if (!row->takes_value)
        return read_flag(route, row, value, error);
    if (row->repeats && *(char ***)value == NULL)
        *(char ***)value = read_list(route, row->name);
    else if (!row->repeats && *(char **)value == NULL)
        *(char **)value = g_key_file_get_string(route->keys, GROUP, row->name, NULL);
    return TRUE;
}

gboolean hb_route_fill_options(const HbRoute *route, HbOptions *options, guint command, GError **error)
{
    for (const HbOptionRow *row = hb_option_rows; row->name != NULL; row++) {
        if ((row->commands & command) && g_key_file_has_key(route->keys, GROUP, row->name, NULL) &&
            !fill(route, row, (char *)options + row->offset, error))
            return FALSE;
    }
    return TRUE;
}

/* ---- Arguments ---- */

static char *get_place(const HbRoute *route, const char *word)
{
    g_autofree char *key = g_ascii_strdown(word, -1);

    return g_key_file_get_string(route->keys, GROUP, strcmp(key, "server") == 0 ? "from" : key, NULL);
}

/* All words of one of the ways in which a command takes arguments; NULL if the route lacks one of them */
static char **make_way(const HbRoute *route, const char *way)
{
    g_auto(GStrv) words = g_strsplit(way, " ", -1);
    g_autoptr(GPtrArray) arguments = g_ptr_array_new_with_free_func(g_free);

    for (char **word = words; *word != NULL; word++) {
        char *value = **word != '\0' ? get_place(route, *word) : NULL;
        if (value == NULL && **word != '\0')
            return NULL;
        if (value != NULL)
            g_ptr_array_add(arguments, value);
    }
    g_ptr_array_add(arguments, NULL);
    g_ptr_array_set_free_func(arguments, NULL);
    return (char **)g_ptr_array_free(g_steal_pointer(&arguments), FALSE);
}

/* The way with the most arguments, because a route says where to, too; of equal ones the first */
char **hb_route_make_arguments(const HbRoute *route, const HbCommand *command)
{
    g_auto(GStrv) ways =
        g_strsplit(command->route_arguments != NULL ? command->route_arguments : command->arguments, "|", -1);
    char **best = g_new0(char *, 1);

    for (char **way = ways; *way != NULL; way++) {
        char **arguments = make_way(route, *way);
        if (arguments != NULL && g_strv_length(arguments) > g_strv_length(best)) {
            g_strfreev(best);
            best = arguments;
        } else {
            g_strfreev(arguments);
        }
    }
    return best;
}
