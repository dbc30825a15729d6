/* SPDX-License-Identifier: Apache-2.0 */
#include "work/server/whole_carry.h"

#include "work/restore/carry.h"
#include "work/rows_from/stream_rows.h"
#include "work/run/database_pool.h"

/* A database on its way */
typedef struct {
    const char *name;
    HbSnapshotSourceOptions from;
    HbSnapshotSource *source; /* of a carry */
    HbCarry *carry;
    HbStream *stream; /* within that of the whole server */
    HbStreamRows *inflow;
    HbRestore *restore;
    HbRestoreResult result;
} Passage;

typedef struct {
    const HbSnapshotSourceOptions *from;
    const HbRestoreOptions *to;
    const HbServerCallbacks *teller;
    const HbManifest *manifest; /* of the server */
    GArray *databases;          /* HbDatabase: those that are taken */
    gboolean tentative;         /* what fails in a database gets another turn */
    HbFailures failures;
    GMutex lock;     /* guards the teller and what follows */
    GPtrArray *open; /* Passage *: something failed that may only have come too early */
} Carrying;

/* ---- A passage ---- */

static void passage_free(gpointer data)
{
    Passage *passage = data;

    hb_restore_result_clear(&passage->result);
    hb_restore_free(passage->restore);
    hb_carry_free(passage->carry);
    hb_snapshot_source_free(passage->source);
    hb_stream_rows_free(passage->inflow);
    hb_stream_close(passage->stream);
    g_free(passage);
}

static HbRestore *open_restore(const Carrying *carrying, Passage *passage, const HbDatabaseWorker *lane,
                               gboolean with_users, GError **error)
{
    HbRestoreOptions options = *carrying->to;

    if (passage->source != NULL) {
        options.manifest = passage->source->manifest;
        options.source = passage->source->identity;
        options.along = passage->source->along;
        options.supply = hb_carry_get_supply(passage->carry);
    } else {
        options.manifest = hb_stream_get_manifest(passage->stream);
        options.supply = hb_stream_rows_get_supply(passage->inflow);
    }
    options.part_of_server = TRUE;
    options.wishes.lenient = TRUE;
    options.parts &= with_users ? HB_PART_ALL : ~(guint)HB_PART_USERS;
    options.to.database = hb_adapt_database(&options.wishes, passage->name);
    options.jobs = lane->jobs;
    options.observers = lane->observers;
    options.tentative = carrying->tentative;
    return hb_restore_open(&options, error);
}

/* NULL on error. Users are the server's: a database's own list of them is needed only before those are there */
static Passage *passage_new(const Carrying *carrying, const char *name, const HbDatabaseWorker *lane,
                            gboolean with_users, GError **error)
{
    Passage *passage = g_new0(Passage, 1);

    passage->name = name;
    passage->from = *carrying->from;
    passage->from.from.database = name;
    passage->from.jobs = lane->jobs;
    passage->from.observers = lane->observers;
    passage->source = hb_snapshot_source_new(&passage->from, error);
    if (passage->source != NULL && hb_snapshot_source_read(passage->source, error)) {
        passage->carry = hb_carry_new(passage->source);
        passage->restore = open_restore(carrying, passage, lane, with_users, error);
    }
    if (passage->restore == NULL) {
        g_prefix_error(error, "database %s: ", name);
        g_clear_pointer(&passage, passage_free);
    }
    return passage;
}

/* ---- Looking ---- */

static gboolean look_at_database(const Carrying *carrying, const char *name, GError **blocked, GError **error)
{
    const HbDatabaseWorker lane = {carrying->to->jobs, carrying->to->observers};
    Passage *passage = passage_new(carrying, name, &lane, TRUE, error);

    if (passage == NULL)
        return FALSE;
    carrying->teller->looked(carrying->teller->data, passage->restore);
    if (hb_restore_is_blocked(passage->restore) && *blocked == NULL)
        hb_restore_set_blocked_error(passage->restore, blocked);
    passage_free(passage);
    return TRUE;
}

static gboolean look_and_refuse(const Carrying *carrying, const HbRestore *server, GError **error)
{
    GError *blocked = NULL;

    carrying->teller->looked(carrying->teller->data, server);
    if (hb_restore_is_blocked(server))
        hb_restore_set_blocked_error(server, &blocked);
    for (guint i = 0; i < carrying->databases->len; i++) {
        if (!look_at_database(carrying, g_array_index(carrying->databases, HbDatabase, i).name, &blocked, error)) {
            g_clear_error(&blocked);
            return FALSE;
        }
    }
    if (blocked != NULL)
        g_propagate_error(error, blocked);
    return blocked == NULL && carrying->teller->agree(carrying->teller->data, error);
}

/* ---- Carrying ---- */

static gboolean run(Carrying *carrying, HbRestore *restore, HbRestoreResult *result, GError **error)
{
    g_mutex_lock(&carrying->lock);
    carrying->teller->about_to_restore(carrying->teller->data, restore, NULL);
    g_mutex_unlock(&carrying->lock);
    return hb_restore_run(restore, result, error);
}

static void tell(Carrying *carrying, const HbRestore *restore, const HbRestoreResult *result)
{
    g_mutex_lock(&carrying->lock);
    carrying->teller->restored(carrying->teller->data, restore, result);
    g_mutex_unlock(&carrying->lock);
}

/* The server's journal knows nothing that a carry could go on from */
static gboolean carry_users(Carrying *carrying, HbRestore *server, GError **error)
{
    HbRestoreResult result = {0};
    gboolean ok = run(carrying, server, &result, error);

    tell(carrying, server, &result);
    hb_restore_result_clear(&result);
    return ok && hb_restore_close_journal(server, error);
}

/* What is left of a database in a stream goes by, so that the next one can be read; unless all ends anyway */
static void pass_by(const Carrying *carrying, Passage *passage, GError **error)
{
    g_autoptr(GError) broken = NULL;

    if (passage->stream == NULL || hb_stop_is_set(carrying->to->stop) || hb_stream_skip(passage->stream, &broken))
        return;
    g_clear_error(error);
    g_propagate_error(error, g_steal_pointer(&broken));
}

/* Takes the passage */
static gboolean bring(Carrying *carrying, Passage *passage, GError **error)
{
    gboolean ok = !hb_restore_is_blocked(passage->restore) || hb_restore_set_blocked_error(passage->restore, error);
    if (ok && !run(carrying, passage->restore, &passage->result, error)) {
        g_prefix_error(error, "database %s: ", passage->name);
        tell(carrying, passage->restore, &passage->result);
        ok = FALSE;
    }
    if (!ok) {
        pass_by(carrying, passage, error);
    } else if (hb_restore_is_finished(passage->restore) || !carrying->tentative) {
        tell(carrying, passage->restore, &passage->result);
    } else {
        g_mutex_lock(&carrying->lock);
        g_ptr_array_add(carrying->open, g_steal_pointer(&passage));
        g_mutex_unlock(&carrying->lock);
    }
    if (passage != NULL)
        passage_free(passage);
    return ok;
}

static gboolean carry_database(gpointer data, guint item, const HbDatabaseWorker *lane, GError **error)
{
    Carrying *carrying = data;
    GError *failure = NULL;
    Passage *passage =
        passage_new(carrying, g_array_index(carrying->databases, HbDatabase, item).name, lane, FALSE, &failure);

    return (passage != NULL && bring(carrying, passage, &failure)) ||
           hb_failures_add(&carrying->failures, failure, error);
}

static gboolean carry_databases(Carrying *carrying, GError **error)
{
    g_autofree guint64 *bytes = g_new(guint64, carrying->databases->len);

    for (guint i = 0; i < carrying->databases->len; i++)
        bytes[i] = g_array_index(carrying->databases, HbDatabase, i).bytes;
    return hb_database_pool_run(bytes, carrying->databases->len, carrying->to->jobs, carrying->to->observers,
                                carry_database, carrying, error);
}

/* Another turn for one database; in the last one, what still fails is told */
static gboolean go_on(Carrying *carrying, Passage *passage, gboolean last, GError **error)
{
    gboolean ok;

    hb_restore_result_clear(&passage->result);
    /* Those of the lane are gone */
    ok = hb_restore_go_on(passage->restore, !last, carrying->to->observers, &passage->result, error);
    if (!ok)
        g_prefix_error(error, "database %s: ", passage->name);
    if (last || !ok || hb_restore_is_finished(passage->restore))
        tell(carrying, passage->restore, &passage->result);
    return ok;
}

/*
 * Where databases refer to each other, what fails in the first turn may only come too early. There are further turns
 * as long as each of them finishes a database.
 */
static gboolean take_turns(Carrying *carrying, GError **error)
{
    guint before = G_MAXUINT;

    while (carrying->open->len > 0) {
        const gboolean last = carrying->open->len == before;
        before = carrying->open->len;
        for (guint i = carrying->open->len; i-- > 0;) {
            Passage *passage = carrying->open->pdata[i];
            GError *failure = NULL;
            const gboolean ok = go_on(carrying, passage, last, &failure);
            if (!ok && !hb_failures_add(&carrying->failures, failure, error))
                return FALSE;
            if (!ok || last || hb_restore_is_finished(passage->restore))
                g_ptr_array_remove_index(carrying->open, i);
        }
    }
    return hb_failures_tell(&carrying->failures, error);
}

/* ---- Out of a stream ---- */

/* Takes the stream */
static gboolean take_database(Carrying *carrying, HbStream *stream, GError **error)
{
    const HbDatabaseWorker lane = {carrying->to->jobs, carrying->to->observers};
    Passage *passage = g_new0(Passage, 1);

    passage->name = hb_stream_get_manifest(stream)->database;
    passage->stream = stream;
    if (!hb_selection_takes_database(carrying->to->choice, passage->name)) {
        gboolean skipped = hb_stream_skip(stream, error);
        passage_free(passage);
        return skipped;
    }
    passage->inflow = hb_stream_rows_new(stream, carrying->to);
    passage->restore = open_restore(carrying, passage, &lane, FALSE, error);
    if (passage->restore != NULL) {
        carrying->teller->looked(carrying->teller->data, passage->restore);
        if (hb_restore_is_blocked(passage->restore) || carrying->teller->agree(carrying->teller->data, error))
            return bring(carrying, passage, error);
    }
    g_prefix_error(error, "database %s: ", passage->name);
    pass_by(carrying, passage, error);
    passage_free(passage);
    return FALSE;
}

static gboolean take_databases(Carrying *carrying, HbStream *stream, GError **error)
{
    HbStream *inner;

    for (;;) {
        GError *failure = NULL;
        if (!hb_stream_open_next(stream, &inner, error))
            return FALSE;
        if (inner == NULL)
            return TRUE;
        if (take_database(carrying, inner, &failure))
            continue;
        if (hb_stop_is_set(carrying->to->stop)) {
            g_propagate_error(error, failure);
            return FALSE;
        }
        if (!hb_failures_add(&carrying->failures, failure, error))
            return FALSE;
    }
}

/* ---- The whole ---- */

static HbRestore *open_server(const Carrying *carrying, GError **error)
{
    HbRestoreOptions options = *carrying->to;

    options.manifest = carrying->manifest;
    options.whole_server = TRUE;
    options.wishes.lenient = TRUE;
    options.analyze = FALSE;
    return hb_restore_open(&options, error);
}

static gboolean carry(Carrying *carrying, GError **error)
{
    HbRestore *server = NULL;
    HbManifest *manifest = hb_manifest_new();
    gboolean ok;

    hb_manifest_hold_members(manifest);
    carrying->manifest = manifest;
    ok = hb_whole_server_read(carrying->from, manifest, &carrying->databases, error) &&
         (server = open_server(carrying, error)) != NULL && look_and_refuse(carrying, server, error) &&
         carry_users(carrying, server, error) && carry_databases(carrying, error) && take_turns(carrying, error);

    hb_restore_free(server);
    hb_manifest_free(manifest);
    return ok;
}

static gboolean take(Carrying *carrying, HbStream *stream, GError **error)
{
    HbRestore *server;
    gboolean ok;

    carrying->manifest = hb_stream_get_manifest(stream);
    server = open_server(carrying, error);
    if (server == NULL)
        return FALSE;
    carrying->teller->looked(carrying->teller->data, server);
    ok = !hb_restore_is_blocked(server) || hb_restore_set_blocked_error(server, error);
    ok = ok && carry_users(carrying, server, error) && take_databases(carrying, stream, error) &&
         take_turns(carrying, error);
    hb_restore_free(server);
    return ok;
}

static void carrying_init(Carrying *carrying, const HbRestoreOptions *to, const HbServerCallbacks *teller)
{
    *carrying = (Carrying){.to = to,
                           .teller = teller,
                           .tentative = to->engine->traits.cross_database_needs,
                           .open = g_ptr_array_new_with_free_func(passage_free)};
    g_mutex_init(&carrying->lock);
    hb_failures_init(&carrying->failures);
}

static void carrying_clear(Carrying *carrying)
{
    g_ptr_array_unref(carrying->open);
    g_clear_pointer(&carrying->databases, g_array_unref);
    hb_failures_clear(&carrying->failures);
    g_mutex_clear(&carrying->lock);
}

gboolean hb_whole_server_carry(const HbSnapshotSourceOptions *from, const HbRestoreOptions *to,
                               const HbServerCallbacks *teller, GError **error)
{
    Carrying carrying;
    gboolean ok;

    carrying_init(&carrying, to, teller);
    carrying.from = from;
    ok = carry(&carrying, error);
    carrying_clear(&carrying);
    return ok;
}

gboolean hb_whole_server_take(HbStream *stream, const HbRestoreOptions *to, const HbServerCallbacks *teller,
                              GError **error)
{
    Carrying carrying;
    gboolean ok;

    carrying_init(&carrying, to, teller);
    ok = take(&carrying, stream, error);
    carrying_clear(&carrying);
    return ok;
}
