/* SPDX-License-Identifier: Apache-2.0 */
#include "work/source/snapshot_source.h"

#include "core/base/name_list.h"
#include "core/graph/order.h"
#include "work/source/adapt.h"
#include "work/source/snapshot_rows.h"

#include "version.h"

#include <string.h>

/* How long the structure is read again before it is given up because it keeps changing, and how often at least */
#define STRUCTURE_PATIENCE (60 * G_USEC_PER_SEC)
#define STRUCTURE_ATTEMPTS 6
#define RETRY_WAIT_MS      300
#define RETRY_WAIT_MS_MAX  3000

#define SOURCE_DIGITS  16
#define UNLOGGED_SHOWN 3

/* ---- Catalog ---- */

static void fit_version(HbSnapshotSource *source)
{
    HbManifest *manifest = source->manifest;
    guint version = source->options->for_version;
    g_autofree char *product = NULL;

    if (version == 0)
        return;
    product = g_strdup_printf("%s %s", manifest->product, source->options->for_version_text);
    hb_catalog_fit(manifest->catalog, version, product);
    manifest->written_for = version;
}

static gboolean read_catalog(HbSnapshotSource *source, GError **error)
{
    HbManifest *manifest = source->manifest;
    GPtrArray *survey;

    survey = source->options->engine->source->survey(source->readers->pdata[0], FALSE, error);
    if (survey == NULL)
        return FALSE;
    g_ptr_array_unref(manifest->survey);
    manifest->survey = survey;
    manifest->catalog = source->options->engine->source->read_catalog(
        source->readers, hb_selection_list_parts(source->options->selection, source->options->parts), error);
    g_ptr_array_set_size(source->pulled_in, 0);
    if (manifest->catalog == NULL || !hb_order_arrange(manifest->catalog, error) ||
        !hb_selection_apply(source->options->selection, manifest->catalog, source->options->engine->dialect, TRUE,
                            source->pulled_in, error))
        return FALSE;
    hb_catalog_keep_parts(manifest->catalog, source->options->parts);
    if (!hb_catalog_check_rows(manifest->catalog, error))
        return FALSE;
    hb_selection_apply_to_omissions(source->options->selection, source->options->parts, manifest->catalog);
    return TRUE;
}

static void pass_remark(gpointer data, const char *what, const char *hint)
{
    const HbSnapshotSourceOptions *options = ((const HbSnapshotSource *)data)->options;

    if (!options->is_copy)
        hb_observers_note(options->observers, HB_SEVERITY_WARNING, hint, "%s", what);
}

/* ---- The whole ---- */

/* What an identity says of a server need not stand in a dump; NULL of NULL */
static char *make_source_id(const char *identity)
{
    g_autofree char *sum = identity != NULL ? g_compute_checksum_for_string(G_CHECKSUM_SHA256, identity, -1) : NULL;

    return sum != NULL ? g_strndup(sum, SOURCE_DIGITS) : NULL;
}

gboolean hb_snapshot_source_describe(const HbSnapshotSourceOptions *options, HbManifest *manifest, HbSession *session,
                                     char **identity, GError **error)
{
    HbServerInfo info = {0};
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();

    if (!options->engine->connector->describe(session, &info, error))
        return FALSE;
    manifest->id = g_uuid_string_random();
    manifest->created = g_date_time_format(now, "%Y-%m-%dT%H:%M:%SZ");
    manifest->tool = g_strdup(HB_VERSION);
    manifest->engine = g_strdup(options->engine->name);
    manifest->parts = options->parts;
    manifest->selection = hb_selection_is_partial(options->selection) ? hb_selection_copy(options->selection) : NULL;
    manifest->product = g_steal_pointer(&info.product);
    manifest->server_version = g_steal_pointer(&info.version);
    manifest->version_number = info.version_number;
    manifest->written_for = info.version_number;
    manifest->source_id = make_source_id(info.lasting);
    manifest->address = g_steal_pointer(&info.address);
    manifest->database = g_steal_pointer(&info.database);
    manifest->database_quoted = g_steal_pointer(&info.database_quoted);
    if (identity != NULL)
        *identity = g_steal_pointer(&info.identity);
    hb_server_info_clear(&info);
    return TRUE;
}

/* ---- The kept log ---- */

/* Something like hornbeam_0f3a6b0d4c21: what a server lets be the name of a slot */
static char *make_log_name(void)
{
    g_autofree char *uuid = g_uuid_string_random();

    return g_strdup_printf("hornbeam_%.8s%.4s", uuid, uuid + 9);
}

static void release_log(HbSnapshotSource *source)
{
    const HbSnapshotSourceOptions *options = source->options;
    HbAddress from = options->from;
    HbSession *session;
    g_autoptr(GError) error = NULL;

    if (source->manifest == NULL || source->manifest->kept_log == NULL || source->leaves_log)
        return;
    from.watch = NULL; /* also after everything else was told to stop */
    session = options->engine->connector->open(&from, &error);
    if (session == NULL || !options->engine->log->release(session, source->manifest->kept_log, &error))
        hb_observers_note(options->observers, HB_SEVERITY_WARNING,
                          "release it: hornbeam freshen FROM --release; it would fill the server's disk",
                          "the source still keeps its log under the name %s: %s", source->manifest->kept_log,
                          error->message);
    options->engine->connector->close(session);
    g_clear_pointer(&source->manifest->kept_log, g_free);
}

static void tell_unlogged(const HbSnapshotSource *source, const GPtrArray *unlogged)
{
    HbNameList names;
    g_autofree char *list = NULL;

    if (unlogged->len == 0)
        return;
    hb_name_list_init(&names, UNLOGGED_SHOWN);
    for (guint i = 0; i < unlogged->len; i++) {
        const HbOmission *one = unlogged->pdata[i];
        g_autofree char *text = g_strdup_printf("%s (%s)", one->what, one->why);
        hb_name_list_add(&names, text);
    }
    list = hb_name_list_end(&names);
    hb_observers_note(source->options->observers, HB_SEVERITY_NOTE, NULL,
                      "freshen will compare what the log cannot tell the changes of: %s", list);
}

/* What a kept log costs, and how it ends, is said before anything is read */
static void tell_danger(const HbSnapshotSource *source, const GArray *kept)
{
    if (kept->len > 0)
        hb_observers_note(source->options->observers, HB_SEVERITY_WARNING,
                          "make a pass soon, and again; hornbeam freshen FROM TO --release ends it",
                          "%s keeps its log for the copy from now on: %s", source->manifest->address,
                          g_array_index(kept, HbKeptLog, 0).limit);
}

static gboolean narrow_in(const HbSnapshotSource *source, HbSession *session, GError **error)
{
    const HbLog *log = source->options->engine->log;
    const HbManifest *manifest = source->manifest;
    g_autoptr(GHashTable) logged = g_hash_table_new(NULL, NULL);
    g_autoptr(GPtrArray) unlogged = g_ptr_array_new_with_free_func(hb_omission_free);
    g_autoptr(GArray) kept = log->list(session, manifest->kept_log, error);

    if (kept == NULL)
        return FALSE;
    tell_danger(source, kept);
    if (!log->narrow(session, manifest->kept_log, manifest->catalog, error) ||
        !log->find_tables(session, manifest->kept_log, manifest->catalog, logged, unlogged, error))
        return FALSE;
    tell_unlogged(source, unlogged);
    return TRUE;
}

/* Of what is kept, only what was chosen matters */
static gboolean narrow_log(const HbSnapshotSource *source, GError **error)
{
    const HbSnapshotSourceOptions *options = source->options;
    HbSession *session;
    gboolean ok;

    if (source->manifest->kept_log == NULL)
        return TRUE;
    session = options->engine->connector->open(&options->from, error);
    ok = session != NULL && narrow_in(source, session, error);
    options->engine->connector->close(session);
    return ok;
}

static gboolean check_log(const HbSnapshotSource *source, HbSession *keeper, GError **error)
{
    const HbSnapshotSourceOptions *options = source->options;

    if (!options->keep_log)
        return TRUE;
    if (options->engine->log == NULL)
        return hb_error_set(error, HB_ERROR_USAGE, "leave out --keep-log: freshen then compares rows",
                            "the logs of these servers are not read yet");
    return options->engine->log->check(keeper, error);
}

static gboolean tell_others(const HbSnapshotSource *source, GError **error)
{
    const HbSharedMoment *shared = source->options->shared;

    if (shared == NULL)
        return TRUE;
    if (shared->hosts > 1 && source->snapshot.sessions == 1)
        return hb_error_set(error, HB_ERROR_RIGHTS, "grant it RELOAD, or let one host dump alone",
                            "several hosts cannot read one moment: this account may not hold commits back");
    return shared->tell(shared->data, &source->snapshot, error);
}

/* All readers join before the catalog is read, so that their locks stand before anybody can ask for stronger ones */
static gboolean begin_moment(HbSnapshotSource *source, HbSession *keeper, const HbSnapshotSessions *readers,
                             GError **error)
{
    const HbSnapshotSourceOptions *options = source->options;

    hb_observers_begin_phase(options->observers, "locking tables", 0);
    source->snapshot.sessions = options->jobs * (options->shared != NULL ? MAX(options->shared->hosts, 2) : 1);
    source->snapshot.hold_tables = options->hold_tables;
    if (options->keep_log)
        source->snapshot.keep_log = source->manifest->kept_log = make_log_name();
    return hb_snapshot_sessions_open(readers, source->readers, error) &&
           options->engine->source->begin_snapshot(keeper, options->lock_wait_ms, &source->snapshot, pass_remark,
                                                   source, error) &&
           hb_snapshot_sessions_join(readers, source->readers, error) && tell_others(source, error) &&
           options->engine->source->seal_snapshot(keeper, &source->snapshot, error);
}

/* The sessions are open before there is anything to join: others are held up as long as they join */
static gboolean join_moment(HbSnapshotSource *source, const HbSnapshotSessions *readers, GError **error)
{
    const HbSharedMoment *shared = source->options->shared;

    if (!hb_snapshot_sessions_open(readers, source->readers, error) ||
        !shared->find(shared->data, &source->snapshot, error))
        return FALSE;
    source->snapshot.sessions = source->options->jobs;
    return hb_snapshot_sessions_join(readers, source->readers, error) && shared->check(shared->data, error);
}

/* Before any row is read: whoever loses something knows it beforehand */
static gboolean name_losses(const HbSnapshotSource *source, GError **error)
{
    const HbSource *from = source->options->engine->source;

    if (!source->options->name_losses || from->name_text_losses == NULL)
        return TRUE;
    hb_observers_begin_phase(source->options->observers, "checking values", 0);
    return from->name_text_losses(source->readers, source->manifest->catalog, error);
}

static gboolean joins(const HbSnapshotSource *source)
{
    return source->options->shared != NULL && source->options->shared->joins;
}

/* Who begins the moment looks whether the structure has changed, for all */
static gboolean read_structure(HbSnapshotSource *source, HbSession *keeper, GError **error)
{
    const HbSnapshotSourceOptions *options = source->options;
    const HbSnapshotSessions readers = {options->engine, &options->from, &source->snapshot, options->jobs,
                                        options->stop};

    if (!(joins(source) ? join_moment(source, &readers, error) : begin_moment(source, keeper, &readers, error)))
        return FALSE;
    hb_observers_begin_phase(options->observers, "reading the catalog", 0);
    return read_catalog(source, error) &&
           (joins(source) || (narrow_log(source, error) && options->engine->source->check_structure(keeper, error) &&
                              name_losses(source, error)));
}

/* Gives others time to finish what they do before the structure is read again */
static gboolean let_go(HbSnapshotSource *source, HbSession *keeper, guint attempt, GError **error)
{
    const HbSnapshotSourceOptions *options = source->options;

    hb_snapshot_sessions_close(options->engine, source->readers);
    if (options->shared != NULL && !joins(source) && !options->shared->withdraw(options->shared->data, error))
        return FALSE;
    options->engine->source->drop_snapshot(keeper);
    release_log(source);
    hb_snapshot_clear(&source->snapshot);
    g_clear_pointer(&source->manifest->catalog, hb_catalog_free);
    source->again = TRUE;
    return hb_stop_sleep(options->stop, MIN(RETRY_WAIT_MS * attempt, RETRY_WAIT_MS_MAX)) || hb_stop_set_error(error);
}

/* Locked out while reading: to let go of everything lets the other one finish. The first locks have waited already */
static gboolean is_held_up(const HbSnapshotSource *source, const GError *error)
{
    return hb_error_is(error, HB_ERROR_LOCKED) && (source->snapshot.token != NULL || source->again);
}

/*
 * Tables are locked, but views, functions and types can be changed while they are read, and the server prints some
 * definitions as they are now rather than as they were in the snapshot: then all of it is read again.
 */
static gboolean read_structure_stubbornly(HbSnapshotSource *source, HbSession *keeper, GError **error)
{
    const gint64 enough = g_get_monotonic_time() + STRUCTURE_PATIENCE;

    for (guint attempt = 1;; attempt++) {
        g_autoptr(GError) ours = NULL;

        if (read_structure(source, keeper, &ours))
            return TRUE;
        if ((attempt >= STRUCTURE_ATTEMPTS && g_get_monotonic_time() > enough) ||
            !(hb_error_is(ours, HB_ERROR_RETRY) || is_held_up(source, ours))) {
            g_propagate_error(error, g_steal_pointer(&ours));
            return FALSE;
        }
        hb_observers_note(source->options->observers, HB_SEVERITY_NOTE, NULL, "%s; reading it again", ours->message);
        if (!let_go(source, keeper, attempt, error))
            return FALSE;
    }
}

/* ---- Life ---- */

HbSnapshotSource *hb_snapshot_source_new(const HbSnapshotSourceOptions *options, GError **error)
{
    HbSnapshotSource *source = g_new0(HbSnapshotSource, 1);

    source->options = options;
    source->manifest = hb_manifest_new();
    source->readers = g_ptr_array_new();
    source->pulled_in = g_ptr_array_new_with_free_func(g_free);
    source->keeper = options->engine->connector->open(&options->from, error);
    source->lookout =
        hb_lookout_start(options->engine, &options->from, "the source", options->stop, options->observers);
    if (source->keeper == NULL ||
        !hb_snapshot_source_describe(options, source->manifest, source->keeper, &source->identity, error) ||
        !check_log(source, source->keeper, error))
        g_clear_pointer(&source, hb_snapshot_source_free);
    return source;
}

gboolean hb_snapshot_source_read(HbSnapshotSource *source, GError **error)
{
    if (!read_structure_stubbornly(source, source->keeper, error))
        return FALSE;
    source->manifest->snapshot_time = g_strdup(source->snapshot.time);
    source->manifest->snapshot_position = g_strdup(source->snapshot.position);
    hb_adapt_report_pulled_in(source->options->observers, source->options->selection, source->pulled_in);
    fit_version(source);
    return TRUE;
}

gboolean hb_snapshot_source_end(HbSnapshotSource *source, GError **error)
{
    return source->options->engine->source->end_snapshot(source->keeper, error);
}

void hb_snapshot_source_name_work(HbManifest *manifest, const char *work)
{
    char *id =
        g_strdup_printf("%s %s %s", work, manifest->source_id != NULL ? manifest->source_id : "unknown", manifest->id);

    g_free(manifest->id);
    manifest->id = id;
}

gboolean hb_snapshot_source_is_same_source(const char *one, const char *other)
{
    const char *a = strchr(one, ' '), *b = strchr(other, ' ');

    return a != NULL && b != NULL && strlen(a) > SOURCE_DIGITS && strncmp(a, b, SOURCE_DIGITS + 1) == 0;
}

void hb_snapshot_source_free(HbSnapshotSource *source)
{
    if (source == NULL)
        return;
    hb_lookout_end(source->lookout);
    hb_snapshot_sessions_close(source->options->engine, source->readers);
    source->options->engine->connector->close(source->keeper);
    release_log(source);
    g_ptr_array_unref(source->readers);
    g_ptr_array_unref(source->pulled_in);
    hb_snapshot_clear(&source->snapshot);
    hb_manifest_free(source->manifest);
    g_free(source->identity);
    g_free(source);
}

HbManifest *hb_snapshot_source_take_manifest(HbSnapshotSource *source)
{
    HbManifest *manifest = source != NULL ? g_steal_pointer(&source->manifest) : NULL;

    hb_snapshot_source_free(source);
    return manifest;
}
