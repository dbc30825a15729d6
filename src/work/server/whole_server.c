/* SPDX-License-Identifier: Apache-2.0 */
#include "work/server/whole_server.h"

#include "core/graph/order.h"
#include "dump/writer.h"
#include "work/run/database_pool.h"
#include "work/source/adapt.h"

#include "version.h"

#include <string.h>

/* ---- Dump ---- */

typedef struct {
    const HbDumpOptions *options;
    const HbServerCallbacks *teller;
    HbManifest *manifest;
    HbWriter *writer;
    GArray *databases; /* HbDatabase: those that are taken */
    GMutex lock;       /* guards manifest, writer's members and teller */
    GHashTable *bytes; /* name of a database that is done, borrowed, to guint64 *: of its rows */
} ServerDump;

static gboolean select_for_server(const HbSelection *selection, const HbEngine *engine, HbCatalog *catalog,
                                  GError **error)
{
    g_autoptr(HbSelection) for_server = hb_selection_new_for_server(selection);

    return hb_selection_apply(for_server, catalog, engine->dialect, FALSE, NULL, error);
}

static gboolean read_databases(const HbSnapshotSourceOptions *options, HbSession *session, const char *address,
                               GArray **databases, GError **error)
{
    *databases = options->engine->source->list_databases(session, &options->from, error);
    if (*databases == NULL)
        return FALSE;
    for (guint i = (*databases)->len; i-- > 0;) {
        if (!hb_selection_takes_database(options->selection, g_array_index(*databases, HbDatabase, i).name))
            g_array_remove_index(*databases, i);
    }
    return (*databases)->len > 0 || hb_error_set(error, HB_ERROR_USAGE, "`hornbeam survey SERVER` lists the databases",
                                                 "no database of %s is taken", address);
}

static gboolean read_server(const HbSnapshotSourceOptions *options, HbSession *session, HbManifest *manifest,
                            GArray **databases, GError **error)
{
    GPtrArray *survey = options->engine->source->survey(session, TRUE, error);

    if (survey == NULL)
        return FALSE;
    g_ptr_array_unref(manifest->survey);
    manifest->survey = survey;
    manifest->snapshot_time = g_strdup(manifest->created);
    manifest->catalog = options->engine->source->read_server(session, options->parts, error);
    return manifest->catalog != NULL && hb_order_arrange(manifest->catalog, error) &&
           select_for_server(options->selection, options->engine, manifest->catalog, error) &&
           read_databases(options, session, manifest->address, databases, error);
}

gboolean hb_whole_server_read(const HbSnapshotSourceOptions *options, HbManifest *manifest, GArray **databases,
                              GError **error)
{
    HbSession *session = options->engine->connector->open(&options->from, error);
    gboolean ok;

    if (session == NULL)
        return FALSE;
    ok = hb_snapshot_source_describe(options, manifest, session, NULL, error) &&
         read_server(options, session, manifest, databases, error);
    options->engine->connector->close(session);
    return ok;
}

/* A database that does not let us in is named; the others go on */
static gboolean leave_out(ServerDump *job, const char *database, GError *cause, GError **error)
{
    g_autofree char *what = NULL;

    if (!hb_error_is(cause, HB_ERROR_CONNECT)) {
        g_propagate_prefixed_error(error, cause, "database %s: ", database);
        return FALSE;
    }
    what = g_strdup_printf("database %s", database);
    g_mutex_lock(&job->lock);
    hb_catalog_add_omission(job->manifest->catalog, what, cause->message);
    g_mutex_unlock(&job->lock);
    g_error_free(cause);
    return TRUE;
}

static void note_dumped(ServerDump *job, const char *database, const HbManifest *manifest, gint64 start)
{
    guint64 bytes = hb_manifest_count_bytes(manifest);

    g_mutex_lock(&job->lock);
    g_hash_table_insert(job->bytes, (gpointer)database, g_memdup2(&bytes, sizeof bytes));
    job->teller->dumped(job->teller->data, manifest, job->options->path,
                        (double)(g_get_monotonic_time() - start) / G_USEC_PER_SEC);
    g_mutex_unlock(&job->lock);
}

static gboolean dump_database(gpointer data, guint item, const HbDatabaseWorker *worker, GError **error)
{
    ServerDump *job = data;
    const char *database = g_array_index(job->databases, HbDatabase, item).name;
    gint64 start = g_get_monotonic_time();
    HbDumpOptions options = *job->options;
    g_autoptr(HbManifest) manifest = NULL;
    GError *cause = NULL;

    hb_observers_note(job->options->source.observers, HB_SEVERITY_NOTE, NULL, "database %s (%u of %u)", database,
                      item + 1, job->databases->len);
    options.source.from.database = database;
    options.outer = job->writer;
    options.source.jobs = worker->jobs;
    options.source.observers = worker->observers;
    manifest = hb_dump_run(&options, &cause);
    if (manifest == NULL)
        return leave_out(job, database, cause, error);
    note_dumped(job, database, manifest, start);
    return TRUE;
}

static gboolean dump_side_by_side(ServerDump *job, GError **error)
{
    g_autofree guint64 *bytes = g_new(guint64, job->databases->len);

    for (guint i = 0; i < job->databases->len; i++)
        bytes[i] = g_array_index(job->databases, HbDatabase, i).bytes;
    return hb_database_pool_run(bytes, job->databases->len, job->options->source.jobs, job->options->source.observers,
                                dump_database, job, error);
}

static gboolean dump_one_by_one(ServerDump *job, GError **error)
{
    const HbDatabaseWorker worker = {job->options->source.jobs, job->options->source.observers};

    for (guint i = 0; i < job->databases->len; i++) {
        if (!dump_database(job, i, &worker, error))
            return FALSE;
    }
    return TRUE;
}

/* Who reads a stream reads one database after the other */
static gboolean dump_databases(ServerDump *job, GError **error)
{
    if (!(hb_folder_is_stream(job->options->path) ? dump_one_by_one(job, error) : dump_side_by_side(job, error)))
        return FALSE;
    for (guint i = 0; i < job->databases->len; i++) {
        const char *name = g_array_index(job->databases, HbDatabase, i).name;
        const guint64 *text = g_hash_table_lookup(job->bytes, name);
        if (text != NULL)
            hb_writer_add_member(job->writer, name, *text);
    }
    return TRUE;
}

static gboolean make(ServerDump *job, GError **error)
{
    const HbDumpOptions *options = job->options;

    if (!hb_whole_server_read(&options->source, job->manifest, &job->databases, error))
        return FALSE;
    job->writer = hb_writer_open(options->path, job->manifest, options->source.engine->dialect->preamble, error);
    return job->writer != NULL && hb_writer_begin_rows(job->writer, error) && dump_databases(job, error) &&
           hb_writer_finish(g_steal_pointer(&job->writer), error);
}

HbManifest *hb_whole_server_dump(const HbDumpOptions *options, const HbServerCallbacks *teller, GError **error)
{
    ServerDump job = {.options = options, .teller = teller, .manifest = hb_manifest_new()};
    gboolean ok;

    g_mutex_init(&job.lock);
    job.bytes = g_hash_table_new_full(g_str_hash, g_str_equal, NULL, g_free);
    hb_manifest_hold_members(job.manifest);
    ok = make(&job, error);
    hb_writer_discard(job.writer);
    g_hash_table_unref(job.bytes);
    g_clear_pointer(&job.databases, g_array_unref);
    g_mutex_clear(&job.lock);
    if (!ok)
        g_clear_pointer(&job.manifest, hb_manifest_free);
    return job.manifest;
}

/* ---- Restore ---- */

typedef struct {
    const HbRestoreOptions *options;
    const HbServerCallbacks *teller;
    const HbManifest *manifest;
    gboolean tentative; /* databases in which something fails get another turn: nothing is told of them yet */
    gboolean again;     /* this is another turn */
    HbRestore *server;  /* users and tablespaces; its journal also knows the databases that are finished */
    HbFailures failures;
    GMutex lock; /* guards the teller, and that journal */
} ServerRestore;

static char *key_of(const HbMember *member)
{
    return g_strdup_printf("database %s", member->name);
}

static gboolean is_finished(const ServerRestore *job, const HbMember *member)
{
    g_autofree char *key = key_of(member);

    return job->server != NULL && hb_restore_is_noted(job->server, key);
}

/* Users are the server's: a database's own list of them is needed only before those are there */
static HbRestore *open_member(ServerRestore *job, const HbMember *member, const HbDatabaseWorker *worker,
                              gboolean with_users, HbReader **dump, GError **error)
{
    HbRestoreOptions options = *job->options;

    *dump = hb_reader_open_member(options.dump, member, error);
    if (*dump == NULL)
        return NULL;
    options.dump = *dump;
    options.manifest = hb_reader_get_manifest(*dump);
    options.part_of_server = TRUE;
    options.wishes.lenient = TRUE;
    options.parts &= with_users ? HB_PART_ALL : ~(guint)HB_PART_USERS;
    options.to.database = hb_adapt_database(&options.wishes, member->name);
    options.jobs = worker->jobs;
    options.observers = worker->observers;
    options.tentative = job->tentative;
    options.resume = options.resume || job->again;
    return hb_restore_open(&options, error);
}

static gboolean run(ServerRestore *job, HbRestore *restore, const HbReader *dump, GError **error)
{
    HbRestoreResult result = {0};
    gboolean ok;

    g_mutex_lock(&job->lock);
    if (!job->again)
        job->teller->about_to_restore(job->teller->data, restore, dump);
    g_mutex_unlock(&job->lock);
    ok = hb_restore_run(restore, &result, error);
    g_mutex_lock(&job->lock);
    if (!job->tentative || hb_restore_is_finished(restore) || !ok)
        job->teller->restored(job->teller->data, restore, &result);
    g_mutex_unlock(&job->lock);
    hb_restore_result_clear(&result);
    return ok;
}

static gboolean note_finished(ServerRestore *job, const HbMember *member, GError **error)
{
    g_autofree char *key = key_of(member);
    gboolean ok;

    g_mutex_lock(&job->lock);
    ok = hb_restore_note(job->server, key, error);
    g_mutex_unlock(&job->lock);
    return ok;
}

/* FALSE only if the work cannot go on; what failed in this database alone keeps it unfinished */
static gboolean restore_member(ServerRestore *job, const HbMember *member, const HbDatabaseWorker *worker,
                               gboolean noted, GError **error)
{
    HbReader *dump = NULL;
    HbRestore *restore = open_member(job, member, worker, FALSE, &dump, error);
    gboolean ok = restore != NULL && run(job, restore, dump, error);

    if (ok && noted && hb_restore_is_finished(restore))
        ok = note_finished(job, member, error);
    hb_restore_free(restore);
    hb_reader_close(dump);
    return ok;
}

static gboolean holds_journal(const ServerRestore *job, const HbMember *member)
{
    const char *name = hb_adapt_database(&job->options->wishes, member->name);

    return strcmp(name, hb_restore_get_database(job->server)) == 0;
}

/* Those that are taken and not finished: HbMember *, the caller's. The one that holds the journal only if asked for */
static GPtrArray *list_open(const ServerRestore *job, gboolean with_journals_own)
{
    GPtrArray *open = g_ptr_array_new();

    for (guint i = 0; i < job->manifest->members->len; i++) {
        HbMember *member = job->manifest->members->pdata[i];
        if (hb_selection_takes_database(job->options->selection, member->name) && !is_finished(job, member) &&
            (with_journals_own || !holds_journal(job, member)))
            g_ptr_array_add(open, member);
    }
    return open;
}

static void name_database(GError **error, const HbMember *member)
{
    if (error != NULL && !hb_error_is(*error, HB_ERROR_BLOCKED)) /* which names it */
        g_prefix_error(error, "database %s: ", member->name);
}

/* Those that speak against it are told together; *blocked then names the first */
static gboolean look_at_all(ServerRestore *job, GError **blocked, GError **error)
{
    g_autoptr(GPtrArray) open = list_open(job, !hb_restore_is_resumed(job->server));
    const HbDatabaseWorker worker = {.jobs = job->options->jobs};

    job->teller->looked(job->teller->data, job->server);
    if (hb_restore_is_blocked(job->server))
        hb_restore_set_blocked_error(job->server, blocked);
    for (guint i = 0; i < open->len; i++) {
        HbReader *dump = NULL;
        HbRestore *restore = open_member(job, open->pdata[i], &worker, TRUE, &dump, error);
        gboolean ok = restore != NULL;
        if (ok)
            job->teller->looked(job->teller->data, restore);
        if (ok && hb_restore_is_blocked(restore) && *blocked == NULL)
            hb_restore_set_blocked_error(restore, blocked);
        hb_restore_free(restore);
        hb_reader_close(dump);
        if (!ok) {
            name_database(error, open->pdata[i]);
            return FALSE;
        }
    }
    return TRUE;
}

static gboolean look_and_refuse(ServerRestore *job, GError **error)
{
    GError *blocked = NULL;

    if (!look_at_all(job, &blocked, error)) {
        g_clear_error(&blocked);
        return FALSE;
    }
    if (blocked != NULL)
        g_propagate_error(error, blocked);
    return blocked == NULL;
}

typedef struct {
    ServerRestore *job;
    GPtrArray *open; /* HbMember * */
} OpenMembers;

static gboolean restore_item(gpointer data, guint item, const HbDatabaseWorker *worker, GError **error)
{
    const OpenMembers *members = data;
    GError *failure = NULL;

    if (restore_member(members->job, members->open->pdata[item], worker, TRUE, &failure))
        return TRUE;
    name_database(&failure, members->open->pdata[item]);
    return hb_failures_add(&members->job->failures, failure, error);
}

static gboolean restore_open(ServerRestore *job, GPtrArray *open, GError **error)
{
    g_autofree guint64 *bytes = g_new(guint64, open->len + 1);
    OpenMembers members = {job, open};

    for (guint i = 0; i < open->len; i++)
        bytes[i] = ((HbMember *)open->pdata[i])->bytes;
    return hb_database_pool_run(bytes, open->len, job->options->jobs, job->options->observers, restore_item, &members,
                                error);
}

/*
 * Where databases refer to each other, what fails in the first turn may only come too early. There are further turns
 * as long as each of them finishes a database; then what still fails is told.
 */
static gboolean restore_databases(ServerRestore *job, GError **error)
{
    guint left = G_MAXUINT;

    job->tentative = job->options->engine->traits.cross_database_needs;
    for (;;) {
        g_autoptr(GPtrArray) open = list_open(job, FALSE);
        gboolean last = open->len == left || !job->tentative;
        if (open->len == 0)
            return TRUE;
        job->tentative = job->tentative && !last;
        if (!restore_open(job, open, error))
            return FALSE;
        if (!hb_failures_tell(&job->failures, error))
            return FALSE;
        if (last)
            return TRUE;
        left = open->len;
        job->again = TRUE;
    }
}

/* The database in which the server's journal stands comes when that is gone */
static gboolean restore_last(ServerRestore *job, GError **error)
{
    const HbDatabaseWorker worker = {.jobs = job->options->jobs, .observers = job->options->observers};

    for (guint i = 0; i < job->manifest->members->len; i++) {
        const HbMember *member = job->manifest->members->pdata[i];
        if (hb_selection_takes_database(job->options->selection, member->name) && holds_journal(job, member))
            return restore_member(job, member, &worker, FALSE, error);
    }
    return TRUE;
}

static gboolean is_everything_finished(const ServerRestore *job)
{
    g_autoptr(GPtrArray) open = list_open(job, FALSE);

    return open->len == 0 && hb_restore_is_finished(job->server);
}

static gboolean restore_all(ServerRestore *job, GError **error)
{
    if (!look_and_refuse(job, error) || !job->teller->agree(job->teller->data, error) ||
        !run(job, job->server, job->options->dump, error) || !restore_databases(job, error))
        return FALSE;
    if (!is_everything_finished(job))
        return TRUE; /* the journal stays for --resume */
    return hb_restore_close_journal(job->server, error) && restore_last(job, error);
}

static gboolean look_only(ServerRestore *job, GError **error)
{
    g_autoptr(GError) blocked = NULL;

    return look_at_all(job, &blocked, error);
}

static gboolean act(const HbRestoreOptions *options, const HbServerCallbacks *teller,
                    gboolean (*do_it)(ServerRestore *, GError **), GError **error)
{
    ServerRestore job = {.options = options, .teller = teller, .manifest = options->manifest};
    HbRestoreOptions server = *options;
    gboolean ok;

    server.whole_server = TRUE;
    server.wishes.lenient = TRUE;
    server.analyze = FALSE;
    g_mutex_init(&job.lock);
    hb_failures_init(&job.failures);
    job.server = hb_restore_open(&server, error);
    ok = job.server != NULL && do_it(&job, error);
    hb_restore_free(job.server);
    hb_failures_clear(&job.failures);
    g_mutex_clear(&job.lock);
    return ok;
}

gboolean hb_whole_server_look(const HbRestoreOptions *options, const HbServerCallbacks *teller, GError **error)
{
    return act(options, teller, look_only, error);
}

gboolean hb_whole_server_restore(const HbRestoreOptions *options, const HbServerCallbacks *teller, GError **error)
{
    return act(options, teller, restore_all, error);
}

/* ---- Verify ---- */

GArray *hb_whole_server_list(const HbSide *side, GError **error)
{
    HbSession *session = side->engine->connector->open(&side->address, error);
    GArray *databases = session != NULL ? side->engine->source->list_databases(session, &side->address, error) : NULL;

    side->engine->connector->close(session);
    return databases;
}

/* What a server has that belongs to no database; NULL on error */
static HbCatalog *read_side(const HbVerifyOptions *options, const HbSide *side, guint *version, GError **error)
{
    HbSession *session = side->engine->connector->open(&side->address, error);
    HbServerInfo info = {0};
    HbCatalog *catalog = NULL;

    if (session != NULL && side->engine->connector->describe(session, &info, error))
        catalog = side->engine->source->read_server(session, options->parts, error);
    *version = info.version_number;
    hb_server_info_clear(&info);
    side->engine->connector->close(session);
    if (catalog != NULL &&
        !(hb_order_arrange(catalog, error) && select_for_server(options->selection, side->engine, catalog, error)))
        g_clear_pointer(&catalog, hb_catalog_free);
    return catalog;
}

static GHashTable *list_places(const HbCatalog *catalog)
{
    GHashTable *places = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (object->kind == HB_KIND_TABLESPACE)
            g_hash_table_add(places, g_strdup(object->identity));
    }
    return places;
}

/* A tablespace that another one is renamed to is the target's own: where it is, and whose, is not the source's matter
 */
static gboolean adapt(HbCatalog *from, HbCatalog *to, const HbVerifyOptions *options, GError **error)
{
    g_autoptr(GHashTable) before = list_places(from);
    HbWishes wishes = options->wishes;

    wishes.lenient = TRUE;
    if (!hb_adapt_wishes(from, options->to.engine, &wishes, error))
        return FALSE;
    for (guint i = 0; i < hb_catalog_count(from); i++) {
        HbObject *object = hb_catalog_get(from, i);
        HbObject *own = object->kind == HB_KIND_TABLESPACE && !g_hash_table_contains(before, object->identity)
                            ? hb_catalog_find(to, object->identity)
                            : NULL;
        if (own == NULL)
            continue;
        g_free(object->definition);
        object->definition = g_strdup(own->definition);
        g_free(object->owner);
        object->owner = g_strdup(own->owner);
    }
    return TRUE;
}

gboolean hb_whole_server_compare(const HbVerifyOptions *options, HbVerification *result, GError **error)
{
    g_autoptr(HbCatalog) to = NULL, own = NULL;
    HbCatalog *from = NULL;
    guint from_version, to_version;

    hb_verification_init(result);
    to = read_side(options, &options->to, &to_version, error);
    if (to == NULL)
        return FALSE;
    if (options->from.dump != NULL) {
        from = hb_reader_get_manifest(options->from.dump)->catalog;
        from_version = hb_reader_get_manifest(options->from.dump)->version_number;
    } else if ((own = read_side(options, &options->from, &from_version, error)) == NULL) {
        return FALSE;
    } else {
        from = own;
    }
    if (!adapt(from, to, options, error))
        return FALSE;
    result->objects = hb_catalog_count(from);
    hb_verify_catalogs(from, from_version, to, to_version, options->to.engine->dialect, options->parts, result);
    return TRUE;
}
