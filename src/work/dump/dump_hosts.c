/* SPDX-License-Identifier: Apache-2.0 */
#include "work/dump/dump_hosts_inner.h"

#include "dump/reader.h"

#include <string.h>
#include <unistd.h>

#define GATHER_S 600 /* how long the first host waits for the others */

/* ---- Names ---- */

static char *make_name(const char *path)
{
    g_autofree char *clean = g_strndup(path, hb_object_is_uri(path) ? strcspn(path, "?") : strlen(path));
    g_autofree char *base = g_path_get_basename(clean);

    return g_strdup_printf("dump %s", base);
}

static char *make_host_name(const HbDumpHosts *hosts, guint number)
{
    return g_strdup_printf("%s host %u", hosts->name, number);
}

char *hb_dump_hosts_make_note_name(const char *what, const char *text)
{
    g_autofree char *sum = g_compute_checksum_for_string(G_CHECKSUM_SHA256, text, -1);

    return g_strdup_printf("%s %s", what, sum);
}

gboolean hb_dump_hosts_lock(const HbDumpHosts *hosts, const char *name, gboolean *taken, GError **error)
{
    return hosts->options.engine->connector->lock_name(hosts->session, name, taken, error);
}

gboolean hb_dump_hosts_is_locked(const HbDumpHosts *hosts, const char *name, gboolean *locked, GError **error)
{
    return hosts->options.engine->connector->is_name_locked(hosts->session, name, locked, error);
}

void hb_dump_hosts_unlock(const HbDumpHosts *hosts, char **name)
{
    if (*name != NULL)
        hosts->options.engine->connector->unlock_name(hosts->session, *name, NULL);
    g_clear_pointer(name, g_free);
}

/* ---- Waiting ---- */

gboolean hb_dump_hosts_sleep(const HbDumpHosts *hosts, guint milliseconds, GError **error)
{
    return hb_stop_sleep(hosts->options.stop, milliseconds) || hb_stop_set_error(error);
}

/* id: NULL, or that of the dump. There was none when we came: see take_number() */
static gboolean is_whole(const HbDumpHosts *hosts, const char *id)
{
    g_autoptr(HbReader) reader = hb_reader_open_outside(hosts->options.path, NULL);

    return reader != NULL && (id == NULL || strcmp(hb_reader_get_manifest(reader)->id, id) == 0);
}

/* The dump has its name before the lock ends. HB_ERROR_ALREADY_DONE: it has it by now */
gboolean hb_dump_hosts_check_first(const HbDumpHosts *hosts, GError **error)
{
    gboolean locked;

    if (!hb_dump_hosts_is_locked(hosts, hosts->name, &locked, error))
        return FALSE;
    if (locked)
        return TRUE;
    if (is_whole(hosts, hosts->dump_id))
        return hb_error_set(error, HB_ERROR_ALREADY_DONE, NULL, "other hosts have written this dump");
    return hb_error_set(error, HB_ERROR_BLOCKED, "let all hosts begin again",
                        "the host that began this dump is gone: there is no dump");
}

/* ---- Meeting ---- */

static guint count_places(const HbDumpHosts *hosts)
{
    return hosts->options.hosts > 0 ? hosts->options.hosts - 1 : HB_DUMP_HOSTS_MAX;
}

static gboolean take_number(HbDumpHosts *hosts, GError **error)
{
    gboolean taken = FALSE;

    if (is_whole(hosts, NULL))
        return hb_error_set(error, HB_ERROR_FILE,
                            "name one that is not there yet; a date in the name makes it a new one",
                            "%s exists already; a dump never overwrites anything", hosts->options.path);
    for (hosts->number = 1; hosts->number <= count_places(hosts); hosts->number++) {
        g_autofree char *name = make_host_name(hosts, hosts->number);
        if (!hb_dump_hosts_lock(hosts, name, &taken, error))
            return FALSE;
        if (taken)
            return TRUE;
    }
    return hb_error_set(error, HB_ERROR_BLOCKED, "start no more hosts than --hosts says",
                        "%u hosts work on this dump already", count_places(hosts) + 1);
}

/* names: given the number of a host */
static gboolean count_locked(const HbDumpHosts *hosts, char *(*make)(const HbDumpHosts *, guint), guint *count,
                             GError **error)
{
    *count = 0;
    for (guint number = 1; number < hosts->options.hosts; number++) {
        g_autofree char *name = make(hosts, number);
        gboolean locked;
        if (!hb_dump_hosts_is_locked(hosts, name, &locked, error))
            return FALSE;
        *count += locked;
    }
    return TRUE;
}

/* *count: so many have come by then */
gboolean hb_dump_hosts_await_others(const HbDumpHosts *hosts, char *(*make)(const HbDumpHosts *, guint), guint seconds,
                                    guint *count, GError **error)
{
    const gint64 enough = g_get_monotonic_time() + seconds * G_USEC_PER_SEC;

    for (;;) {
        if (!count_locked(hosts, make, count, error))
            return FALSE;
        if (*count + 1 >= hosts->options.hosts || g_get_monotonic_time() > enough)
            return TRUE;
        if (!hb_dump_hosts_sleep(hosts, HB_HOSTS_LOOK_MS, error))
            return FALSE;
    }
}

gboolean hb_dump_hosts_gather(HbDumpHosts *hosts, GError **error)
{
    guint count;

    if (hosts->options.hosts < 2)
        return TRUE;
    hb_observers_begin_phase(hosts->options.observers, "waiting for hosts", 0);
    if (!hb_dump_hosts_await_others(hosts, make_host_name, GATHER_S, &count, error))
        return FALSE;
    return count + 1 == hosts->options.hosts ||
           hb_error_set(error, HB_ERROR_BLOCKED, "start them within that time, or give a smaller number as --hosts",
                        "after %d minutes %u of %u hosts are there", GATHER_S / 60, count + 1, hosts->options.hosts);
}

static gboolean meet(HbDumpHosts *hosts, GError **error)
{
    gboolean taken;

    if (hosts->session == NULL || !hb_dump_hosts_lock(hosts, hosts->name, &taken, error))
        return FALSE;
    hosts->joins = !taken;
    return taken || take_number(hosts, error);
}

/* ---- The end ---- */

gboolean hb_dump_hosts_await_end(HbDumpHosts *hosts, GError **error)
{
    hb_observers_begin_phase(hosts->options.observers, "waiting for the first host", 0);
    while (hb_dump_hosts_check_first(hosts, error)) {
        if (!hb_dump_hosts_sleep(hosts, HB_HOSTS_LOOK_FAR_MS, error))
            return FALSE;
    }
    return FALSE;
}

/* ---- Life ---- */

HbDumpHosts *hb_dump_hosts_meet(const HbDumpHostsOptions *options, GError **error)
{
    HbDumpHosts *hosts = g_new0(HbDumpHosts, 1);

    hosts->options = *options;
    hosts->name = make_name(options->path);
    hosts->label = hb_observers_name_host();
    g_snprintf(hosts->tag, sizeof hosts->tag, "%06x", g_random_int() & 0xffffff);
    hosts->known = g_hash_table_new(NULL, NULL);
    hosts->others = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    g_mutex_init(&hosts->lock);
    g_cond_init(&hosts->ended);
    hosts->session = options->engine->connector->open(options->from, error);
    if (!meet(hosts, error)) {
        hb_dump_hosts_free(hosts);
        return NULL;
    }
    hosts->moment = hb_dump_hosts_make_moment(hosts);
    return hosts;
}

void hb_dump_hosts_free(HbDumpHosts *hosts)
{
    if (hosts == NULL)
        return;
    hosts->options.engine->connector->close(hosts->session);
    g_hash_table_unref(hosts->known);
    g_hash_table_unref(hosts->others);
    g_mutex_clear(&hosts->lock);
    g_cond_clear(&hosts->ended);
    g_free(hosts->name);
    g_free(hosts->label);
    g_free(hosts->place);
    g_free(hosts->dump_id);
    g_free(hosts->moment_name);
    g_free(hosts->plan_name);
    g_free(hosts);
}

gboolean hb_dump_hosts_joins(const HbDumpHosts *hosts)
{
    return hosts->joins;
}

const HbSharedMoment *hb_dump_hosts_get_moment(HbDumpHosts *hosts)
{
    return &hosts->moment;
}

const char *hb_dump_hosts_get_tag(const HbDumpHosts *hosts)
{
    return hosts->tag;
}

void hb_dump_hosts_set_writer(HbDumpHosts *hosts, HbWriter *writer, const char *dump_id)
{
    hosts->writer = writer;
    hosts->folder = writer != NULL ? hb_writer_get_folder(writer) : NULL;
    if (!hosts->joins && dump_id != NULL) {
        g_free(hosts->dump_id);
        hosts->dump_id = g_strdup(dump_id);
    }
}

const char *hb_dump_hosts_get_place(const HbDumpHosts *hosts)
{
    return hosts->place;
}

HbDumpShare hb_dump_hosts_get_share(HbDumpHosts *hosts)
{
    HbDumpShare share;

    g_mutex_lock(&hosts->lock);
    share = hosts->own;
    share.hosts = g_hash_table_size(hosts->others) + 1;
    g_mutex_unlock(&hosts->lock);
    return share;
}
