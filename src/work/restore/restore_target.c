/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_target.h"

#include "work/restore/claim.h"

/* What is called like the journal, and may be a trap, is a fact like others */
static gboolean find_journal(HbRestoreTarget *target, const HbEngine *engine, HbSession *session, GError **error)
{
    g_autoptr(GError) ours = NULL;

    if (engine->journal->find(session, &target->unfinished, &ours)) {
        target->journal = target->unfinished != NULL ? engine->journal->read(session, &ours) : NULL;
        if (hb_error_is(ours, HB_ERROR_ABSENT)) { /* another host has ended it between the two looks */
            g_clear_pointer(&target->unfinished, g_free);
            g_clear_error(&ours);
        }
        if (ours != NULL)
            g_propagate_error(error, g_steal_pointer(&ours));
        return target->unfinished == NULL || target->journal != NULL;
    }
    if (hb_error_is(ours, HB_ERROR_BLOCKED))
        target->untrusted = g_steal_pointer(&ours);
    else
        g_propagate_error(error, g_steal_pointer(&ours));
    return target->untrusted != NULL;
}

/* A run that resumes learns when it takes the hold whether the other one is dead */
static gboolean find_other_run(HbRestoreTarget *target, const HbRestoreOptions *options, HbSession *session,
                               GError **error)
{
    HbPeer holder = {0};

    if (!options->engine->target->claim(session, options->whole_server, &holder, error))
        return FALSE;
    if (holder.id != 0 && !hb_claim_is_dead(&holder) && !options->resume)
        target->other_run = g_strdup(holder.who);
    hb_peer_clear(&holder);
    return TRUE;
}

static gboolean find_content(HbRestoreTarget *target, const HbRestoreOptions *options, HbSession *session,
                             GError **error)
{
    if (!find_other_run(target, options, session, error))
        return FALSE;
    return target->other_run != NULL || (find_journal(target, options->engine, session, error) &&
                                         options->engine->target->find_content(session, &target->example, error));
}

static gboolean describe_server(HbRestoreTarget *target, const HbEngine *engine, HbSession *session, GError **error)
{
    if (!engine->connector->describe(session, &target->info, error))
        return FALSE;
    target->database = g_strdup(target->info.database);
    target->address.database = target->database;
    target->exists = TRUE;
    return TRUE;
}

/* The name in the address goes before the dump's */
static void pick_database(HbRestoreTarget *target, const HbRestoreOptions *options)
{
    target->database = options->to.database != NULL ? g_strdup(options->to.database)
                                                    : options->engine->connector->get_database(options->to.uri);
    if (target->database == NULL)
        target->database = g_strdup(hb_adapt_database(&options->wishes, options->manifest->database));
    target->address.database = target->database;
}

gboolean hb_restore_target_inspect(HbRestoreTarget *target, const HbRestoreOptions *options, GError **error)
{
    const HbEngine *engine = options->engine;
    HbSession *session;
    gboolean ok;

    *target = (HbRestoreTarget){.address = options->to};
    if (!options->whole_server) {
        pick_database(target, options);
        if (!engine->target->find(&target->address, &target->info, &target->exists, error))
            return FALSE;
        if (!target->exists)
            return TRUE;
    }
    session = engine->connector->open(&target->address, error);
    ok = session != NULL && (!options->whole_server || describe_server(target, engine, session, error)) &&
         find_content(target, options, session, error);
    engine->connector->close(session);
    return ok;
}

void hb_restore_target_clear(HbRestoreTarget *target)
{
    hb_server_info_clear(&target->info);
    g_clear_pointer(&target->database, g_free);
    g_clear_pointer(&target->other_run, g_free);
    g_clear_pointer(&target->unfinished, g_free);
    g_clear_pointer(&target->journal, g_hash_table_unref);
    g_clear_pointer(&target->example, g_free);
    g_clear_error(&target->untrusted);
}

gboolean hb_restore_target_is_source(const HbRestoreTarget *target, const HbRestoreOptions *options, gboolean *is,
                                     GError **error)
{
    HbServerInfo info = {0};
    HbSession *session = options->engine->connector->open(&target->address, error);
    gboolean ok = session != NULL && options->engine->connector->describe(session, &info, error);

    *is = ok && g_strcmp0(info.identity, options->source) == 0;
    hb_server_info_clear(&info);
    options->engine->connector->close(session);
    return ok;
}
