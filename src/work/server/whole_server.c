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
} Making;

static gboolean choose_for_server(const HbSelection *choice, const HbEngine *engine, HbCatalog *catalog, GError **error)
{
    g_autoptr(HbSelection) for_server = hb_selection_new_for_server(choice);

    return hb_selection_apply(for_server, catalog, engine->dialect, FALSE, NULL, error);
}

static gboolean read_databases(const HbSnapshotSourceOptions *options, HbSession *session, const char *address,
                               GArray **databases, GError **error)
{
    *databases = options->engine->source->list_databases(session, &options->from, error);
    if (*databases == NULL)
        return FALSE;
    for (guint i = (*databases)->len; i-- > 0;) {
        if (!hb_selection_takes_database(options->choice, g_array_index(*databases, HbDatabase, i).name))
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
           choose_for_server(options->choice, options->engine, manifest->catalog, error) &&
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
static gboolean leave_out(Making *making, const char *database, GError *cause, GError **error)
{
    g_autofree char *what = NULL;

    if (!hb_error_is(cause, HB_ERROR_CONNECT)) {
        g_propagate_prefixed_error(error, cause, "database %s: ", database);
        return FALSE;
    }
    what = g_strdup_printf("database %s", database);
    g_mutex_lock(&making->lock);
    hb_catalog_add_omission(making->manifest->catalog, what, cause->message);
    g_mutex_unlock(&making->lock);
    g_error_free(cause);
    return TRUE;
}

static void note_dumped(Making *making, const char *database, const HbManifest *manifest, gint64 start)
{
    guint64 bytes = hb_manifest_count_bytes(manifest);

    g_mutex_lock(&making->lock);
    g_hash_table_insert(making->bytes, (gpointer)database, g_memdup2(&bytes, sizeof bytes));
    making->teller->dumped(making->teller->data, manifest, making->options->path,
                           (double)(g_get_monotonic_time() - start) / G_USEC_PER_SEC);
    g_mutex_unlock(&making->lock);
}

static gboolean dump_database(gpointer data, guint item, const HbDatabaseWorker *lane, GError **error)
{
    Making *making = data;
    const char *database = g_array_index(making->databases, HbDatabase, item).name;
    gint64 start = g_get_monotonic_time();
    HbDumpOptions options = *making->options;
    g_autoptr(HbManifest) manifest = NULL;
    GError *cause = NULL;

    hb_observers_note(making->options->source.observers, HB_SEVERITY_NOTE, NULL, "database %s (%u of %u)", database,
                      item + 1, making->databases->len);
    options.source.from.database = database;
    options.outer = making->writer;
    options.source.jobs = lane->jobs;
    options.source.observers = lane->observers;
    manifest = hb_dump_run(&options, &cause);
    if (manifest == NULL)
        return leave_out(making, database, cause, error);
    note_dumped(making, database, manifest, start);
    return TRUE;
}

static gboolean dump_side_by_side(Making *making, GError **error)
{
    g_autofree guint64 *bytes = g_new(guint64, making->databases->len);

    for (guint i = 0; i < making->databases->len; i++)
        bytes[i] = g_array_index(making->databases, HbDatabase, i).bytes;
    return hb_database_pool_run(bytes, making->databases->len, making->options->source.jobs,
                                making->options->source.observers, dump_database, making, error);
}

static gboolean dump_one_by_one(Making *making, GError **error)
{
    const HbDatabaseWorker lane = {making->options->source.jobs, making->options->source.observers};

    for (guint i = 0; i < making->databases->len; i++) {
        if (!dump_database(making, i, &lane, error))
            return FALSE;
    }
    return TRUE;
}

/* Who reads a stream reads one database after the other */
static gboolean dump_databases(Making *making, GError **error)
{
    if (!(hb_folder_is_stream(making->options->path) ? dump_one_by_one(making, error)
                                                     : dump_side_by_side(making, error)))
        return FALSE;
    for (guint i = 0; i < making->databases->len; i++) {
        const char *name = g_array_index(making->databases, HbDatabase, i).name;
        const guint64 *text = g_hash_table_lookup(making->bytes, name);
        if (text != NULL)
            hb_writer_add_member(making->writer, name, *text);
    }
    return TRUE;
}

static gboolean make(Making *making, GError **error)
{
    const HbDumpOptions *options = making->options;

    if (!hb_whole_server_read(&options->source, making->manifest, &making->databases, error))
        return FALSE;
    making->writer = hb_writer_open(options->path, making->manifest, options->source.engine->dialect->preamble, error);
    return making->writer != NULL && hb_writer_begin_rows(making->writer, error) && dump_databases(making, error) &&
           hb_writer_finish(g_steal_pointer(&making->writer), error);
}

HbManifest *hb_whole_server_dump(const HbDumpOptions *options, const HbServerCallbacks *teller, GError **error)
{
    Making making = {.options = options, .teller = teller, .manifest = hb_manifest_new()};
    gboolean ok;

    g_mutex_init(&making.lock);
    making.bytes = g_hash_table_new_full(g_str_hash, g_str_equal, NULL, g_free);
    hb_manifest_hold_members(making.manifest);
    ok = make(&making, error);
    hb_writer_discard(making.writer);
    g_hash_table_unref(making.bytes);
    g_clear_pointer(&making.databases, g_array_unref);
    g_mutex_clear(&making.lock);
    if (!ok)
        g_clear_pointer(&making.manifest, hb_manifest_free);
    return making.manifest;
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
} Restoring;

static char *key_of(const HbMember *member)
{
    return g_strdup_printf("database %s", member->name);
}

static gboolean is_finished(const Restoring *restoring, const HbMember *member)
{
    g_autofree char *key = key_of(member);

    return restoring->server != NULL && hb_restore_is_noted(restoring->server, key);
}

/* Users are the server's: a database's own list of them is needed only before those are there */
static HbRestore *open_member(Restoring *restoring, const HbMember *member, const HbDatabaseWorker *lane,
                              gboolean with_users, HbReader **dump, GError **error)
{
    HbRestoreOptions options = *restoring->options;

    *dump = hb_reader_open_member(options.dump, member, error);
    if (*dump == NULL)
        return NULL;
    options.dump = *dump;
    options.manifest = hb_reader_get_manifest(*dump);
    options.part_of_server = TRUE;
    options.wishes.lenient = TRUE;
    options.parts &= with_users ? HB_PART_ALL : ~(guint)HB_PART_USERS;
    options.to.database = hb_adapt_database(&options.wishes, member->name);
    options.jobs = lane->jobs;
    options.observers = lane->observers;
    options.tentative = restoring->tentative;
    options.resume = options.resume || restoring->again;
    return hb_restore_open(&options, error);
}

static gboolean run(Restoring *restoring, HbRestore *restore, const HbReader *dump, GError **error)
{
    HbRestoreResult result = {0};
    gboolean ok;

    g_mutex_lock(&restoring->lock);
    if (!restoring->again)
        restoring->teller->about_to_restore(restoring->teller->data, restore, dump);
    g_mutex_unlock(&restoring->lock);
    ok = hb_restore_run(restore, &result, error);
    g_mutex_lock(&restoring->lock);
    if (!restoring->tentative || hb_restore_is_finished(restore) || !ok)
        restoring->teller->restored(restoring->teller->data, restore, &result);
    g_mutex_unlock(&restoring->lock);
    hb_restore_result_clear(&result);
    return ok;
}

static gboolean note_finished(Restoring *restoring, const HbMember *member, GError **error)
{
    g_autofree char *key = key_of(member);
    gboolean ok;

    g_mutex_lock(&restoring->lock);
    ok = hb_restore_note(restoring->server, key, error);
    g_mutex_unlock(&restoring->lock);
    return ok;
}

/* FALSE only if the work cannot go on; what failed in this database alone keeps it unfinished */
static gboolean restore_member(Restoring *restoring, const HbMember *member, const HbDatabaseWorker *lane,
                               gboolean noted, GError **error)
{
    HbReader *dump = NULL;
    HbRestore *restore = open_member(restoring, member, lane, FALSE, &dump, error);
    gboolean ok = restore != NULL && run(restoring, restore, dump, error);

    if (ok && noted && hb_restore_is_finished(restore))
        ok = note_finished(restoring, member, error);
    hb_restore_free(restore);
    hb_reader_close(dump);
    return ok;
}

static gboolean holds_journal(const Restoring *restoring, const HbMember *member)
{
    const char *name = hb_adapt_database(&restoring->options->wishes, member->name);

    return strcmp(name, hb_restore_get_database(restoring->server)) == 0;
}

/* Those that are taken and not finished: HbMember *, the caller's. The one that holds the journal only if asked for */
static GPtrArray *list_open(const Restoring *restoring, gboolean with_journals_own)
{
    GPtrArray *open = g_ptr_array_new();

    for (guint i = 0; i < restoring->manifest->members->len; i++) {
        HbMember *member = restoring->manifest->members->pdata[i];
        if (hb_selection_takes_database(restoring->options->choice, member->name) && !is_finished(restoring, member) &&
            (with_journals_own || !holds_journal(restoring, member)))
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
static gboolean look_at_all(Restoring *restoring, GError **blocked, GError **error)
{
    g_autoptr(GPtrArray) open = list_open(restoring, !hb_restore_is_resumed(restoring->server));
    const HbDatabaseWorker lane = {.jobs = restoring->options->jobs};

    restoring->teller->looked(restoring->teller->data, restoring->server);
    if (hb_restore_is_blocked(restoring->server))
        hb_restore_set_blocked_error(restoring->server, blocked);
    for (guint i = 0; i < open->len; i++) {
        HbReader *dump = NULL;
        HbRestore *restore = open_member(restoring, open->pdata[i], &lane, TRUE, &dump, error);
        gboolean ok = restore != NULL;
        if (ok)
            restoring->teller->looked(restoring->teller->data, restore);
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

static gboolean look_and_refuse(Restoring *restoring, GError **error)
{
    GError *blocked = NULL;

    if (!look_at_all(restoring, &blocked, error)) {
        g_clear_error(&blocked);
        return FALSE;
    }
    if (blocked != NULL)
        g_propagate_error(error, blocked);
    return blocked == NULL;
}

typedef struct {
    Restoring *restoring;
    GPtrArray *open; /* HbMember * */
} OpenMembers;

static gboolean restore_item(gpointer data, guint item, const HbDatabaseWorker *lane, GError **error)
{
    const OpenMembers *members = data;
    GError *failure = NULL;

    if (restore_member(members->restoring, members->open->pdata[item], lane, TRUE, &failure))
        return TRUE;
    name_database(&failure, members->open->pdata[item]);
    return hb_failures_add(&members->restoring->failures, failure, error);
}

static gboolean restore_open(Restoring *restoring, GPtrArray *open, GError **error)
{
    g_autofree guint64 *bytes = g_new(guint64, open->len + 1);
    OpenMembers members = {restoring, open};

    for (guint i = 0; i < open->len; i++)
        bytes[i] = ((HbMember *)open->pdata[i])->bytes;
    return hb_database_pool_run(bytes, open->len, restoring->options->jobs, restoring->options->observers, restore_item,
                                &members, error);
}

/*
 * Where databases refer to each other, what fails in the first turn may only come too early. There are further turns
 * as long as each of them finishes a database; then what still fails is told.
 */
static gboolean restore_databases(Restoring *restoring, GError **error)
{
    guint left = G_MAXUINT;

    restoring->tentative = restoring->options->engine->traits.cross_database_needs;
    for (;;) {
        g_autoptr(GPtrArray) open = list_open(restoring, FALSE);
        gboolean last = open->len == left || !restoring->tentative;
        if (open->len == 0)
            return TRUE;
        restoring->tentative = restoring->tentative && !last;
        if (!restore_open(restoring, open, error))
            return FALSE;
        if (!hb_failures_tell(&restoring->failures, error))
            return FALSE;
        if (last)
            return TRUE;
        left = open->len;
        restoring->again = TRUE;
    }
}

/* The database in which the server's journal stands comes when that is gone */
static gboolean restore_last(Restoring *restoring, GError **error)
{
    const HbDatabaseWorker lane = {.jobs = restoring->options->jobs, .observers = restoring->options->observers};

    for (guint i = 0; i < restoring->manifest->members->len; i++) {
        const HbMember *member = restoring->manifest->members->pdata[i];
        if (hb_selection_takes_database(restoring->options->choice, member->name) && holds_journal(restoring, member))
            return restore_member(restoring, member, &lane, FALSE, error);
    }
    return TRUE;
}

static gboolean is_everything_finished(const Restoring *restoring)
{
    g_autoptr(GPtrArray) open = list_open(restoring, FALSE);

    return open->len == 0 && hb_restore_is_finished(restoring->server);
}

static gboolean restore_all(Restoring *restoring, GError **error)
{
    if (!look_and_refuse(restoring, error) || !restoring->teller->agree(restoring->teller->data, error) ||
        !run(restoring, restoring->server, restoring->options->dump, error) || !restore_databases(restoring, error))
        return FALSE;
    if (!is_everything_finished(restoring))
        return TRUE; /* the journal stays for --resume */
    return hb_restore_close_journal(restoring->server, error) && restore_last(restoring, error);
}

static gboolean look_only(Restoring *restoring, GError **error)
{
    g_autoptr(GError) blocked = NULL;

    return look_at_all(restoring, &blocked, error);
}

static gboolean act(const HbRestoreOptions *options, const HbServerCallbacks *teller,
                    gboolean (*do_it)(Restoring *, GError **), GError **error)
{
    Restoring restoring = {.options = options, .teller = teller, .manifest = options->manifest};
    HbRestoreOptions server = *options;
    gboolean ok;

    server.whole_server = TRUE;
    server.wishes.lenient = TRUE;
    server.analyze = FALSE;
    g_mutex_init(&restoring.lock);
    hb_failures_init(&restoring.failures);
    restoring.server = hb_restore_open(&server, error);
    ok = restoring.server != NULL && do_it(&restoring, error);
    hb_restore_free(restoring.server);
    hb_failures_clear(&restoring.failures);
    g_mutex_clear(&restoring.lock);
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
        !(hb_order_arrange(catalog, error) && choose_for_server(options->choice, side->engine, catalog, error)))
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
