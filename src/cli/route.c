/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/route.h"

#include "core/base/error.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <sys/sysmacros.h>
#include <time.h>
#include <unistd.h>

/*
 * A route is a file of options under a name of its own choosing: what one would type each time. It is read as data,
 * never by a shell; keys are the options' own names, a key that no command has is an error that names the file and the
 * nearest key, and a password in it is refused.
 */

#define GROUP     "route"
#define LEG       "leg "
#define LEG_PLACE "{leg}"

struct HbRoute {
    char *path;
    GKeyFile *keys;
    char *leg; /* NULL: none was chosen */
};

static const char *const places[] = {"from", "to", "dump", NULL};

void hb_route_free(HbRoute *route)
{
    if (route == NULL)
        return;
    g_free(route->path);
    g_free(route->leg);
    g_key_file_unref(route->keys);
    g_free(route);
}

/* ---- Looking up ---- */

/* The group that has the key for the leg that was chosen; the caller's */
static char *find_group(const HbRoute *route, const char *key)
{
    g_autofree char *own = g_strconcat(LEG, route->leg, NULL);

    return route->leg != NULL && g_key_file_has_key(route->keys, own, key, NULL) ? g_steal_pointer(&own)
                                                                                 : g_strdup(GROUP);
}

static gboolean has_key(const HbRoute *route, const char *key)
{
    g_autofree char *group = find_group(route, key);

    return g_key_file_has_key(route->keys, group, key, NULL);
}

static char *name_leg(const HbRoute *route, char *value)
{
    g_auto(GStrv) parts = value != NULL && route->leg != NULL ? g_strsplit(value, LEG_PLACE, -1) : NULL;

    if (parts == NULL)
        return value;
    g_free(value);
    return g_strjoinv(route->leg, parts);
}

static char *get_text(const HbRoute *route, const char *key)
{
    g_autofree char *group = find_group(route, key);

    return name_leg(route, g_key_file_get_string(route->keys, group, key, NULL));
}

/* ---- Checking ---- */

static const char **list_known(void)
{
    GPtrArray *known = g_ptr_array_new();

    for (gsize i = 0; places[i] != NULL; i++)
        g_ptr_array_add(known, (gpointer)places[i]);
    for (const HbOptionRow *row = hb_option_rows; row->name != NULL; row++) {
        if (strcmp(row->name, "route") != 0 && strcmp(row->name, "help") != 0 && strcmp(row->name, "leg") != 0)
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
static gboolean check_secrets(const HbRoute *route, const char *group, const char *key, GError **error)
{
    g_autofree char *value = g_key_file_get_string(route->keys, group, key, NULL);
    const char *user = value != NULL ? strstr(value, "://") : NULL;
    const char *end = user != NULL ? strpbrk(user + 3, "@/?") : NULL;

    if (user == NULL || !((end != NULL && *end == '@' && memchr(user + 3, ':', (gsize)(end - user) - 3) != NULL) ||
                          strstr(value, "password=") != NULL))
        return TRUE;
    return hb_error_set(error, HB_ERROR_USAGE, "leave it to the engine's own password file, or to the prompt",
                        "%s: “%s” holds a password, which has no place in a route", route->path, key);
}

static gboolean check_group(const HbRoute *route, const char *group, GError **error)
{
    g_auto(GStrv) keys = g_key_file_get_keys(route->keys, group, NULL, NULL);
    g_autofree const char **known = list_known();

    for (char **key = keys; key != NULL && *key != NULL; key++) {
        if (!check_key(route, *key, known, error) || !check_secrets(route, group, *key, error))
            return FALSE;
    }
    return TRUE;
}

/* It is part of paths */
static gboolean is_leg(const char *group)
{
    const char *name = g_str_has_prefix(group, LEG) ? group + strlen(LEG) : "";

    return *name != '\0' && *name != '.' && strpbrk(name, "/%{}") == NULL;
}

static gboolean check(const HbRoute *route, GError **error)
{
    g_auto(GStrv) groups = g_key_file_get_groups(route->keys, NULL);

    if (groups[0] == NULL || strcmp(groups[0], GROUP) != 0)
        return hb_error_set(error, HB_ERROR_USAGE, "begin it with a line [" GROUP "]",
                            "%s: a route begins with its group, [" GROUP "]", route->path);
    for (char **group = groups; *group != NULL; group++) {
        if (group != groups && !is_leg(*group))
            return hb_error_set(error, HB_ERROR_USAGE, "name legs in letters and digits: [" LEG "vale]",
                                "%s: a route has the groups [" GROUP "] and [" LEG "NAME], and no [%s]", route->path,
                                *group);
        if (!check_group(route, *group, error))
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

/* ---- Legs ---- */

char **hb_route_list_legs(const HbRoute *route, char *const *wanted, GError **error)
{
    g_auto(GStrv) groups = g_key_file_get_groups(route->keys, NULL);
    g_autoptr(GStrvBuilder) legs = g_strv_builder_new();

    for (char *const *name = wanted; name != NULL && *name != NULL; name++) {
        g_autofree char *group = g_strconcat(LEG, *name, NULL);
        if (!g_key_file_has_group(route->keys, group)) {
            hb_error_set(error, HB_ERROR_USAGE, "see the file's groups [" LEG "NAME]", "%s: the route has no leg “%s”",
                         route->path, *name);
            return NULL;
        }
    }
    for (char **group = groups + 1; *group != NULL; group++) {
        const char *name = *group + strlen(LEG);
        if (wanted == NULL || g_strv_contains((const char *const *)wanted, name))
            g_strv_builder_add(legs, name);
    }
    return g_strv_builder_end(legs);
}

void hb_route_choose_leg(HbRoute *route, const char *leg)
{
    g_free(route->leg);
    route->leg = g_strdup(leg);
}

/* ---- One run at a time ---- */

/* Of the process that has locked the file, by the kernel's list; 0: not known */
static guint find_holder(int fd)
{
    g_autofree char *list = NULL;
    g_auto(GStrv) lines = NULL;
    struct stat info;

    if (fstat(fd, &info) != 0 || !g_file_get_contents("/proc/locks", &list, NULL, NULL))
        return 0;
    lines = g_strsplit(list, "\n", -1);
    for (char **line = lines; *line != NULL; line++) {
        unsigned long long inode;
        unsigned pid, big, small;
        if (sscanf(*line, "%*s FLOCK %*s WRITE %u %x:%x:%llu", &pid, &big, &small, &inode) == 4 &&
            inode == info.st_ino && big == major(info.st_dev) && small == minor(info.st_dev))
            return pid;
    }
    return 0;
}

static gboolean set_held_error(const HbRoute *route, int fd, GError **error)
{
    const guint pid = find_holder(fd);
    g_autofree char *folder = g_strdup_printf("/proc/%u", pid);
    g_autoptr(GDateTime) began = NULL;
    g_autofree char *since = NULL;
    struct stat info;

    if (pid > 0 && stat(folder, &info) == 0)
        began = g_date_time_new_from_unix_local(info.st_mtime);
    since = began != NULL ? g_date_time_format(began, ", since %Y-%m-%d %H:%M:%S") : g_strdup("");
    if (pid == 0)
        return hb_error_set(error, HB_ERROR_BLOCKED, "wait until it has ended",
                            "%s: another run of this route is at work", route->path);
    return hb_error_set(error, HB_ERROR_BLOCKED, "wait until it has ended, or see with `ps` what it does",
                        "%s: another run of this route is at work: process %u%s", route->path, pid, since);
}

int hb_route_hold(const HbRoute *route, GError **error)
{
    int fd = open(route->path, O_RDWR | O_CLOEXEC); /* which some network file systems need for a lock */

    if (fd < 0)
        fd = open(route->path, O_RDONLY | O_CLOEXEC);
    if (fd >= 0 && flock(fd, LOCK_EX | LOCK_NB) == 0)
        return fd;
    if (fd >= 0 && errno == EWOULDBLOCK)
        set_held_error(route, fd, error);
    else
        hb_error_set(error, HB_ERROR_FILE, "keep the route on a file system that knows locks",
                     "locking the route %s: %s", route->path, g_strerror(errno));
    if (fd >= 0)
        close(fd);
    return -1;
}

/* ---- Options ---- */

static gboolean read_flag(const HbRoute *route, const HbOptionRow *row, gboolean *flag, GError **error)
{
    g_autofree char *text = get_text(route, row->name);
    gboolean yes = g_strcmp0(text, "yes") == 0;

    if (!yes && g_strcmp0(text, "no") != 0)
        return hb_error_set(error, HB_ERROR_USAGE, NULL, "%s: %s takes yes or no, not “%s”", route->path, row->name,
                            text != NULL ? text : "");
    *flag = *flag || yes;
    return TRUE;
}

static char **read_list(const HbRoute *route, const char *key)
{
    g_autofree char *group = find_group(route, key);
    char **list = g_key_file_get_string_list(route->keys, group, key, NULL, NULL);

    for (char **text = list; text != NULL && *text != NULL; text++)
        *text = name_leg(route, g_strstrip(*text));
    return list;
}

static gboolean fill(const HbRoute *route, const HbOptionRow *row, gpointer value, GError **error)
{
    if (!row->takes_value)
        return read_flag(route, row, value, error);
    if (row->repeats && *(char ***)value == NULL)
        *(char ***)value = read_list(route, row->name);
    else if (!row->repeats && *(char **)value == NULL)
        *(char **)value = get_text(route, row->name);
    return TRUE;
}

gboolean hb_route_fill_options(const HbRoute *route, HbOptions *options, guint command, GError **error)
{
    for (const HbOptionRow *row = hb_option_rows; row->name != NULL; row++) {
        if ((row->commands & command) && has_key(route, row->name) &&
            !fill(route, row, (char *)options + row->offset, error))
            return FALSE;
    }
    return TRUE;
}

/* ---- Arguments ---- */

static char *get_place(const HbRoute *route, const char *word)
{
    g_autofree char *key = g_ascii_strdown(word, -1);

    return get_text(route, strcmp(key, "server") == 0 ? "from" : key);
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
