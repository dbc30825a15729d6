/* SPDX-License-Identifier: Apache-2.0 */
#include "work/dump/dump_hosts_inner.h"

#include <string.h>

#define WATCH_MS     1000
#define WATCH_FAR_MS 5000
#define NOTE_GROUP   "group-"

static char *make_group_name(const HbDumpHosts *hosts, guint group)
{
    return g_strdup_printf("%s group %u", hosts->plan_name, group);
}

static char *make_group_note(guint group)
{
    return g_strdup_printf(NOTE_GROUP "%u", group);
}

/* ---- Groups ---- */

/* Once for each group: counts what its host has done, and tells it */
static gboolean learn(HbDumpHosts *hosts, guint group, const char *text, GError **error)
{
    g_autoptr(HbGroupNote) note = NULL;
    gboolean is_news;
    HbEvent event = {.type = HB_EVENT_HOST};

    g_mutex_lock(&hosts->lock);
    is_news = g_hash_table_add(hosts->known, GUINT_TO_POINTER(group + 1));
    g_mutex_unlock(&hosts->lock);
    if (!is_news)
        return TRUE;
    note = hb_note_read_group(text, error);
    if (note == NULL)
        return FALSE;
    g_mutex_lock(&hosts->lock);
    g_hash_table_add(hosts->others, g_strdup(note->host));
    if (hosts->board != NULL)
        event.cost = hb_group_board_get_cost(hosts->board, group);
    g_mutex_unlock(&hosts->lock);
    event.what = note->host;
    event.bytes = note->bytes;
    hb_observers_notify(hosts->options.observers, &event);
    return TRUE;
}

/* *text NULL: it is not published; or the first host has all of them, and is about to remove the notes: then all are
 * done */
static gboolean look_at_group(HbDumpHosts *hosts, HbSession *session, guint group, HbGroupState *state, GError **error)
{
    g_autofree char *note = make_group_note(group), *text = NULL;
    gboolean goes_on = TRUE;

    if (!hb_shared_folder_read_note(hosts->folder, note, &text, error) ||
        (text == NULL && !hosts->options.engine->connector->is_name_locked(session, hosts->plan_name, &goes_on, error)))
        return FALSE;
    *state = text == NULL && goes_on ? HB_GROUP_OURS : HB_GROUP_DONE;
    return text == NULL || learn(hosts, group, text, error);
}

/* While the lock is ours, a group that is not published is nobody else's */
gboolean hb_dump_hosts_take(HbDumpHosts *hosts, HbSession *session, guint group, HbGroupState *state, GError **error)
{
    const HbConnector *connector = hosts->options.engine->connector;
    g_autofree char *name = make_group_name(hosts, group);
    gboolean taken;

    if (!connector->lock_name(session, name, &taken, error))
        return FALSE;
    *state = HB_GROUP_ELSEWHERE;
    if (!taken)
        return TRUE;
    if (!look_at_group(hosts, session, group, state, error))
        return FALSE;
    return *state == HB_GROUP_OURS || connector->unlock_name(session, name, error);
}

static void take_back(HbDumpHosts *hosts, const HbGroupNote *note)
{
    for (guint i = 0; i < note->chunks->len; i++)
        hb_writer_remove_chunk(hosts->writer, ((const HbWrittenChunk *)note->chunks->pdata[i])->chunk);
}

gboolean hb_dump_hosts_publish(HbDumpHosts *hosts, HbSession *session, const HbGroupNote *note, guint group,
                               GError **error)
{
    g_autofree char *file = make_group_note(group), *text = hb_note_write_group(note),
                    *name = make_group_name(hosts, group);
    gboolean written;

    if (!hb_shared_folder_write_note(hosts->folder, file, text, &written, error))
        return FALSE;
    hosts->options.engine->connector->unlock_name(session, name, NULL); /* one that is lost has it no more */
    if (!written) {
        take_back(hosts, note);
        return TRUE;
    }
    g_mutex_lock(&hosts->lock);
    g_hash_table_add(hosts->known, GUINT_TO_POINTER(group + 1));
    hosts->own.groups++;
    hosts->own.bytes += note->bytes;
    g_mutex_unlock(&hosts->lock);
    return TRUE;
}

HbGroupNote *hb_dump_hosts_new_note(const HbDumpHosts *hosts)
{
    return hb_group_note_new(hosts->label);
}

/* ---- Watching ---- */

static gboolean is_known(HbDumpHosts *hosts, guint group)
{
    gboolean known;

    g_mutex_lock(&hosts->lock);
    known = g_hash_table_contains(hosts->known, GUINT_TO_POINTER(group + 1));
    g_mutex_unlock(&hosts->lock);
    return known;
}

/* What cannot be read now is read by who needs it, and told there */
static void look_at_note(HbDumpHosts *hosts, const char *note)
{
    g_autofree char *text = NULL;
    guint64 group;

    if (!g_str_has_prefix(note, NOTE_GROUP) || hb_group_board_count(hosts->board) == 0 ||
        !g_ascii_string_to_unsigned(note + strlen(NOTE_GROUP), 10, 0, hb_group_board_count(hosts->board) - 1, &group,
                                    NULL) ||
        is_known(hosts, (guint)group))
        return;
    if (!hb_shared_folder_read_note(hosts->folder, note, &text, NULL) || text == NULL ||
        !learn(hosts, (guint)group, text, NULL))
        return;
    hb_group_board_settle(hosts->board, (guint)group);
}

/* To ask something also keeps the session from being taken for dead */
static void look_around(HbDumpHosts *hosts)
{
    g_autoptr(GHashTable) notes = hb_shared_folder_list_notes(hosts->folder, NULL);
    GHashTableIter iter;
    gpointer note;
    gboolean locked;

    hb_dump_hosts_is_locked(hosts, hosts->name, &locked, NULL);
    if (notes == NULL)
        return;
    g_hash_table_iter_init(&iter, notes);
    while (g_hash_table_iter_next(&iter, &note, NULL))
        look_at_note(hosts, note);
}

static gpointer watch(gpointer data)
{
    HbDumpHosts *hosts = data;
    const guint wait_ms = hb_object_is_uri(hosts->options.path) ? WATCH_FAR_MS : WATCH_MS;

    g_mutex_lock(&hosts->lock);
    while (!hosts->is_ended) {
        const gint64 until = g_get_monotonic_time() + wait_ms * G_TIME_SPAN_MILLISECOND;
        while (!hosts->is_ended && g_cond_wait_until(&hosts->ended, &hosts->lock, until))
            continue;
        if (hosts->is_ended)
            break;
        g_mutex_unlock(&hosts->lock);
        look_around(hosts);
        g_mutex_lock(&hosts->lock);
    }
    g_mutex_unlock(&hosts->lock);
    return NULL;
}

void hb_dump_hosts_watch(HbDumpHosts *hosts, HbGroupBoard *board)
{
    hosts->board = board;
    hosts->is_ended = FALSE;
    hosts->watcher = g_thread_new("watcher", watch, hosts);
}

void hb_dump_hosts_unwatch(HbDumpHosts *hosts)
{
    if (hosts->watcher == NULL)
        return;
    g_mutex_lock(&hosts->lock);
    hosts->is_ended = TRUE;
    g_cond_broadcast(&hosts->ended);
    g_mutex_unlock(&hosts->lock);
    g_thread_join(g_steal_pointer(&hosts->watcher));
    hosts->board = NULL;
}

/* ---- The end ---- */

static gboolean add_chunk(const HbWrittenChunk *written, GHashTable *by_identity, GHashTable *files, GPtrArray *sums,
                          GError **error)
{
    HbStoredRows *rows = g_hash_table_lookup(by_identity, written->rows);

    if (rows == NULL || !g_hash_table_add(files, written->chunk->file))
        return hb_error_set(error, HB_ERROR_DAMAGED, "see who else writes to the folder of the dump",
                            "a note of another host cannot be right: %s of %s", written->chunk->file, written->rows);
    g_ptr_array_add(rows->chunks, hb_chunk_copy(written->chunk));
    g_ptr_array_add(sums, hb_file_sum_copy(written->sum));
    return TRUE;
}

static gboolean read_group(HbDumpHosts *hosts, guint group, HbGroupNote **note, GError **error)
{
    g_autofree char *file = make_group_note(group), *text = NULL;

    if (!hb_shared_folder_read_note(hosts->folder, file, &text, error))
        return FALSE;
    if (text == NULL)
        return hb_error_set(error, HB_ERROR_DAMAGED, "see who else writes to the folder of the dump",
                            "the note of what was written of part %u is gone", group);
    *note = hb_note_read_group(text, error);
    return *note != NULL;
}

gboolean hb_dump_hosts_collect(HbDumpHosts *hosts, HbManifest *manifest, guint groups, GError **error)
{
    g_autoptr(GHashTable) by_identity = hb_manifest_index_rows(manifest),
                          files = g_hash_table_new(g_str_hash, g_str_equal);
    g_autoptr(GPtrArray) sums = g_ptr_array_new_with_free_func((GDestroyNotify)hb_file_sum_free),
                         notes = g_ptr_array_new_with_free_func((GDestroyNotify)hb_group_note_free);

    hb_dump_hosts_unlock(hosts, &hosts->plan_name); /* before the notes go: see look_at_group() */
    for (guint group = 0; group < groups; group++) {
        HbGroupNote *note = NULL;
        if (!read_group(hosts, group, &note, error))
            return FALSE;
        g_ptr_array_add(notes, note); /* the table of files borrows their names */
        for (guint i = 0; i < note->chunks->len; i++) {
            if (!add_chunk(note->chunks->pdata[i], by_identity, files, sums, error))
                return FALSE;
        }
    }
    return hb_shared_folder_adopt(hosts->folder, sums, error) && hb_shared_folder_clear(hosts->folder, error);
}

void hb_dump_hosts_give_up(HbDumpHosts *hosts)
{
    hb_dump_hosts_unlock(hosts, &hosts->plan_name);
    if (hosts->folder != NULL && !hosts->joins)
        hb_shared_folder_clear(hosts->folder, NULL);
}
