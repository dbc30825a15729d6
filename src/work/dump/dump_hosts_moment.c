/* SPDX-License-Identifier: Apache-2.0 */
#include "work/dump/dump_hosts_inner.h"

#include <string.h>

#define JOIN_S      15 /* and, while it keeps others from committing, for their sessions */
#define WONDER_S    30 /* then it is worth a word that nothing is found */
#define NOTE_MOMENT "moment"
#define NOTE_PLAN   "plan"

static char *make_joined_name(const HbDumpHosts *hosts, guint number)
{
    return g_strdup_printf("%s host %u", hosts->moment_name, number);
}

static gboolean sleep_between_looks(const HbDumpHosts *hosts, GError **error)
{
    const gboolean is_far = hb_object_is_uri(hosts->options.path);

    return hb_dump_hosts_sleep(hosts, is_far ? HB_HOSTS_LOOK_FAR_MS : HB_HOSTS_LOOK_MS, error);
}

/* ---- The moment: told ---- */

static gboolean leave_note(HbDumpHosts *hosts, const char *note, const char *text, char **name, GError **error)
{
    gboolean taken, written;

    *name = hb_dump_hosts_make_note_name(note, text);
    if (!hb_dump_hosts_lock(hosts, *name, &taken, error) ||
        !hb_shared_folder_write_note(hosts->folder, note, text, &written, error))
        return FALSE;
    return written || hb_error_set(error, HB_ERROR_FILE, "dump again, under another name",
                                   "somebody else writes to the folder of this dump");
}

/* Who is late does without: others must not be kept from committing for long */
static gboolean await_joins(HbDumpHosts *hosts, GError **error)
{
    guint count;

    if (hosts->options.engine->source->is_joined_later)
        return TRUE;
    if (!hb_dump_hosts_await_others(hosts, make_joined_name, JOIN_S, &count, error))
        return FALSE;
    if (count + 1 < hosts->options.hosts)
        hb_observers_note(hosts->options.observers, HB_SEVERITY_WARNING, NULL,
                          "only %u of %u hosts have joined in %d seconds; the dump goes on without the others",
                          count + 1, hosts->options.hosts, JOIN_S);
    hb_dump_hosts_unlock(hosts, &hosts->moment_name); /* before it is over: who finds it unlocked came too late */
    return TRUE;
}

static gboolean tell_moment(gpointer data, const HbSnapshot *snapshot, GError **error)
{
    HbDumpHosts *hosts = data;
    g_autofree char *text = hb_note_write_moment(hosts->dump_id, snapshot);

    return leave_note(hosts, NOTE_MOMENT, text, &hosts->moment_name, error) && await_joins(hosts, error);
}

static gboolean withdraw_moment(gpointer data, GError **error)
{
    HbDumpHosts *hosts = data;

    hb_dump_hosts_unlock(hosts, &hosts->moment_name);
    return hb_shared_folder_remove_note(hosts->folder, NOTE_MOMENT, error);
}

/* ---- The moment: found ---- */

/* A note that nobody answers for is of a dump that was killed, or no note of ours: *text is NULL then, too */
static gboolean read_told(const HbDumpHosts *hosts, HbFolder *folder, const char *note, char **text, char **name,
                          GError **error)
{
    gboolean locked = FALSE, ok;

    g_clear_pointer(name, g_free);
    if (!hb_shared_folder_read_note(folder, note, text, error))
        return FALSE;
    if (*text == NULL)
        return TRUE;
    *name = hb_dump_hosts_make_note_name(note, *text);
    ok = hb_dump_hosts_is_locked(hosts, *name, &locked, error);
    if (!ok || !locked)
        g_clear_pointer(text, g_free);
    return ok;
}

/* In all places where such a dump is in the making; *text NULL: it is not there */
static gboolean look_for_told(HbDumpHosts *hosts, const char *note, char **text, char **name, GError **error)
{
    g_autoptr(GPtrArray) places = hb_shared_folder_list_places(hosts->options.path, error);

    for (guint i = 0; places != NULL && *text == NULL && i < places->len; i++) {
        HbFolder *folder = hb_shared_folder_join(hosts->options.path, places->pdata[i], error);
        const gboolean ok = folder != NULL && read_told(hosts, folder, note, text, name, error);
        hb_shared_folder_leave(folder);
        if (!ok)
            return FALSE;
        if (*text != NULL) {
            g_free(hosts->place);
            hosts->place = g_strdup(places->pdata[i]);
        }
    }
    return places != NULL;
}

static gboolean set_late(GError **error)
{
    return hb_error_set(error, HB_ERROR_BLOCKED, "start all hosts at the same time",
                        "this host came too late: the others go on without it");
}

/* From time to time: is there anything to wait for? */
static gboolean check_wait(HbDumpHosts *hosts, GError **error)
{
    g_autofree char *plan = NULL, *name = NULL;

    if (!hb_dump_hosts_check_first(hosts, error))
        return FALSE;
    return hosts->options.engine->source->is_joined_later ||
           (look_for_told(hosts, NOTE_PLAN, &plan, &name, error) && (plan == NULL || set_late(error)));
}

static gboolean find_moment(gpointer data, HbSnapshot *snapshot, GError **error)
{
    HbDumpHosts *hosts = data;
    const gint64 start = g_get_monotonic_time();
    gboolean wondered = FALSE;
    g_autofree char *text = NULL;

    hb_observers_begin_phase(hosts->options.observers, "waiting for the first host", 0);
    for (guint look = 1; look_for_told(hosts, NOTE_MOMENT, &text, &hosts->moment_name, error); look++) {
        if (text != NULL) {
            g_clear_pointer(&hosts->dump_id, g_free);
            return hb_note_read_moment(text, &hosts->dump_id, snapshot, error);
        }
        if (look % 10 == 0 && !check_wait(hosts, error))
            return FALSE;
        if (!wondered && g_get_monotonic_time() - start > WONDER_S * G_USEC_PER_SEC) {
            wondered = TRUE;
            hb_observers_note(hosts->options.observers, HB_SEVERITY_NOTE, "all hosts must write to the same place",
                              "another host has begun this dump, and nothing of it is found at %s",
                              hosts->options.path);
        }
        if (!sleep_between_looks(hosts, error))
            return FALSE;
    }
    return FALSE;
}

/* The note is there as long as the moment was not given up */
static gboolean is_withdrawn(HbDumpHosts *hosts, gboolean *withdrawn, GError **error)
{
    HbFolder *folder = hb_shared_folder_join(hosts->options.path, hosts->place, error);
    g_autofree char *text = NULL, *name = NULL;
    const gboolean ok = folder != NULL && hb_shared_folder_read_note(folder, NOTE_MOMENT, &text, error);

    hb_shared_folder_leave(folder);
    name = text != NULL ? hb_dump_hosts_make_note_name(NOTE_MOMENT, text) : NULL;
    *withdrawn = g_strcmp0(name, hosts->moment_name) != 0;
    return ok;
}

static gboolean set_withdrawn(GError **error)
{
    return hb_error_set(error, HB_ERROR_RETRY, NULL, "the first host begins anew, for the structure has changed");
}

/* What was joined while the first host still had its lock is the moment that it meant */
static gboolean check_joined(gpointer data, GError **error)
{
    HbDumpHosts *hosts = data;
    g_autofree char *joined = make_joined_name(hosts, hosts->number);
    gboolean locked, withdrawn;

    if (!hb_dump_hosts_lock(hosts, joined, &locked, error) ||
        !hb_dump_hosts_is_locked(hosts, hosts->moment_name, &locked, error))
        return FALSE;
    if (locked)
        return TRUE;
    if (!is_withdrawn(hosts, &withdrawn, error))
        return FALSE;
    return withdrawn ? set_withdrawn(error) : set_late(error);
}

HbSharedMoment hb_dump_hosts_make_moment(HbDumpHosts *hosts)
{
    return (HbSharedMoment){.joins = hosts->joins,
                            .hosts = hosts->options.hosts,
                            .tell = tell_moment,
                            .withdraw = withdraw_moment,
                            .find = find_moment,
                            .check = check_joined,
                            .data = hosts};
}

/* ---- The plan ---- */

gboolean hb_dump_hosts_tell_plan(HbDumpHosts *hosts, const HbManifest *manifest, const GArray *pieces, GError **error)
{
    g_autofree char *text = hb_note_write_plan(manifest, pieces);

    return leave_note(hosts, NOTE_PLAN, text, &hosts->plan_name, error);
}

GArray *hb_dump_hosts_find_plan(HbDumpHosts *hosts, const HbManifest *manifest, GError **error)
{
    g_autofree char *text = NULL;
    gboolean withdrawn;

    for (guint look = 1; read_told(hosts, hosts->folder, NOTE_PLAN, &text, &hosts->plan_name, error); look++) {
        if (text != NULL)
            return hb_note_read_plan(text, manifest, error);
        if (!is_withdrawn(hosts, &withdrawn, error) || (withdrawn && !set_withdrawn(error)) ||
            (look % 10 == 0 && !hb_dump_hosts_check_first(hosts, error)) || !sleep_between_looks(hosts, error))
            return NULL;
    }
    return NULL;
}
