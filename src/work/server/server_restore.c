/* SPDX-License-Identifier: Apache-2.0 */
#include "work/run/database_pool.h"
#include "work/server/whole_server.h"
#include "work/source/adapt.h"
#include <string.h>

typedef struct {
    const HbRestoreOptions *options;
    const HbServerCallbacks *callbacks;
    const HbManifest *manifest;
    gboolean tentative; /* databases in which something fails get another turn: nothing is told of them yet */
    gboolean again;     /* this is another turn */
    HbRestore *server;  /* users and tablespaces; its journal also knows the databases that are finished */
    GHashTable *dumps;  /* HbMember * to HbReader *: each is read once, when its target is looked at */
    HbFailures failures;
    GMutex lock; /* guards the teller, that journal, and the dumps */
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

/* NULL on error; the job's */
static HbReader *get_dump(ServerRestore *job, const HbMember *member, GError **error)
{
    HbReader *dump;

    g_mutex_lock(&job->lock);
    dump = g_hash_table_lookup(job->dumps, member);
    g_mutex_unlock(&job->lock);
    if (dump != NULL)
        return dump;
    dump = hb_reader_open_member(job->options->dump, member, error);
    if (dump == NULL)
        return NULL;
    g_mutex_lock(&job->lock);
    g_hash_table_insert(job->dumps, (gpointer)member, dump);
    g_mutex_unlock(&job->lock);
    return dump;
}

/* Users are the server's: a database's own list of them is needed only before those are there */
static HbRestore *open_member(ServerRestore *job, const HbMember *member, const HbDatabaseWorker *worker,
                              gboolean with_users, GError **error)
{
    HbRestoreOptions options = *job->options;

    options.dump = get_dump(job, member, error);
    if (options.dump == NULL)
        return NULL;
    options.manifest = hb_reader_get_manifest(options.dump);
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
        job->callbacks->about_to_restore(job->callbacks->data, restore, dump);
    g_mutex_unlock(&job->lock);
    ok = hb_restore_run(restore, &result, error);
    g_mutex_lock(&job->lock);
    if (!job->tentative || hb_restore_is_finished(restore) || !ok)
        job->callbacks->restored(job->callbacks->data, restore, &result);
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
    HbRestore *restore = open_member(job, member, worker, FALSE, error);
    gboolean ok = restore != NULL && run(job, restore, get_dump(job, member, NULL), error);

    if (ok && noted && hb_restore_is_finished(restore))
        ok = note_finished(job, member, error);
    hb_restore_free(restore);
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
static gboolean run_all_checks(ServerRestore *job, GError **blocked, GError **error)
{
    g_autoptr(GPtrArray) open = list_open(job, !hb_restore_is_resumed(job->server));
    const HbDatabaseWorker worker = {.jobs = job->options->jobs};

    job->callbacks->inspected(job->callbacks->data, job->server);
    if (hb_restore_is_blocked(job->server))
        hb_restore_set_blocked_error(job->server, blocked);
    for (guint i = 0; i < open->len; i++) {
        HbRestore *restore = open_member(job, open->pdata[i], &worker, TRUE, error);
        gboolean ok = restore != NULL;
        if (ok)
            job->callbacks->inspected(job->callbacks->data, restore);
        if (ok && hb_restore_is_blocked(restore) && *blocked == NULL)
            hb_restore_set_blocked_error(restore, blocked);
        hb_restore_free(restore);
        if (!ok) {
            name_database(error, open->pdata[i]);
            return FALSE;
        }
    }
    return TRUE;
}

static gboolean inspect_and_refuse(ServerRestore *job, GError **error)
{
    GError *blocked = NULL;

    if (!run_all_checks(job, &blocked, error)) {
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
    HbDatabasePool *pool;
    gboolean ok;

    for (guint i = 0; i < open->len; i++)
        bytes[i] = ((HbMember *)open->pdata[i])->bytes;
    pool = hb_database_pool_new(job->options->jobs, job->options->observers);
    ok = hb_database_pool_run(pool, bytes, open->len, restore_item, &members, error);
    hb_database_pool_free(pool);
    return ok;
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
        if (!hb_failures_report(&job->failures, error))
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
    if (!inspect_and_refuse(job, error) || !job->callbacks->agree(job->callbacks->data, error) ||
        !run(job, job->server, job->options->dump, error) || !restore_databases(job, error))
        return FALSE;
    if (!is_everything_finished(job))
        return TRUE; /* the journal stays for --resume */
    return hb_restore_close_journal(job->server, error) && restore_last(job, error);
}

static gboolean inspect_only(ServerRestore *job, GError **error)
{
    g_autoptr(GError) blocked = NULL;

    return run_all_checks(job, &blocked, error);
}

static gboolean act(const HbRestoreOptions *options, const HbServerCallbacks *callbacks,
                    gboolean (*do_it)(ServerRestore *, GError **), GError **error)
{
    ServerRestore job = {.options = options, .callbacks = callbacks, .manifest = options->manifest};
    HbRestoreOptions server = *options;
    gboolean ok;

    server.whole_server = TRUE;
    server.wishes.lenient = TRUE;
    server.analyze = FALSE;
    job.dumps = g_hash_table_new_full(NULL, NULL, NULL, (GDestroyNotify)hb_reader_close);
    g_mutex_init(&job.lock);
    hb_failures_init(&job.failures);
    job.server = hb_restore_open(&server, error);
    ok = job.server != NULL && do_it(&job, error);
    hb_restore_free(job.server);
    g_hash_table_unref(job.dumps);
    hb_failures_clear(&job.failures);
    g_mutex_clear(&job.lock);
    return ok;
}

gboolean hb_whole_server_preview(const HbRestoreOptions *options, const HbServerCallbacks *callbacks, GError **error)
{
    return act(options, callbacks, inspect_only, error);
}

gboolean hb_whole_server_restore(const HbRestoreOptions *options, const HbServerCallbacks *callbacks, GError **error)
{
    return act(options, callbacks, restore_all, error);
}
