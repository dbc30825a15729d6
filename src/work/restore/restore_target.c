/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_inner.h"

#include <string.h>

/* A blocker that cannot be accepted */
static void block(HbRestore *restore, const char *name, const char *what, const char *todo)
{
    HbFinding *finding =
        hb_findings_add(restore->decision.findings, HB_FINDING_BLOCKER, name, restore->target.database, "%s", what);

    hb_finding_advise(finding, todo, NULL);
    finding->is_final = TRUE;
}

void hb_restore_refuse_content(HbRestore *restore, const char *what)
{
    block(restore, "target-not-empty", what,
          "name a database in the URI that does not exist yet, or say what is to become of what is there: "
          "--existing keep, or --existing replace");
}

#define BEGIN_ANEW ", or begin anew over it: --existing replace --accept unfinished-restore"

static void check_journal(HbRestore *restore, const char *dump_id)
{
    const gboolean is_ours = strcmp(dump_id, restore->manifest->id) == 0;
    HbFinding *finding;

    if (is_ours && restore->options.resume) {
        restore->target.is_ours = TRUE;
        return;
    }
    if (is_ours)
        finding = hb_findings_add(restore->decision.findings, HB_FINDING_BLOCKER, "unfinished-restore",
                                  restore->target.database, "holds an unfinished restore of this dump");
    else
        finding = hb_findings_add(
            restore->decision.findings, HB_FINDING_BLOCKER, "unfinished-restore", restore->target.database,
            "holds the unfinished restore of another dump, or a carry that broke off (%s)", dump_id);
    hb_finding_advise(finding,
                      is_ours ? "go on with it: the same command with --resume" BEGIN_ANEW
                              : "name that dump, restore into a new database" BEGIN_ANEW,
                      NULL);
    hb_findings_accept(restore->decision.findings, restore->options.accept);
    restore->decision.replaces_unfinished = finding->accepted;
}

/* What is called like the journal, and may be a trap, blocks everything */
static gboolean find_journal(HbRestore *restore, HbSession *session, char **dump_id, GError **error)
{
    g_autoptr(GError) ours = NULL;

    if (restore->options.engine->journal->find(session, dump_id, &ours))
        return TRUE;
    if (!hb_error_is(ours, HB_ERROR_BLOCKED)) {
        g_propagate_error(error, g_steal_pointer(&ours));
        return FALSE;
    }
    block(restore, "journal-untrusted", ours->message, hb_error_hint(ours));
    return TRUE;
}

/* A resumed run learns when it takes the hold whether the other one is dead. Beside this finding no other matters */
static gboolean check_claim(HbRestore *restore, HbSession *session, gboolean *busy, GError **error)
{
    HbPeer holder = {0};

    if (!restore->options.engine->target->claim(session, restore->options.whole_server, &holder, error))
        return FALSE;
    *busy = holder.id != 0 && !hb_claim_is_dead(&holder) && !restore->options.resume;
    if (*busy) {
        g_autofree char *what = g_strdup_printf("is being restored into by another run now (%s)", holder.who);
        block(restore, "another-run", what, "wait until it has ended, or end it, then begin again");
    }
    hb_peer_clear(&holder);
    return TRUE;
}

static gboolean check_content(HbRestore *restore, HbSession *session, GError **error)
{
    g_autofree char *dump_id = NULL;
    g_autofree char *example = NULL;
    gboolean busy = FALSE;

    if (!check_claim(restore, session, &busy, error))
        return FALSE;
    if (busy)
        return TRUE;
    if (!find_journal(restore, session, &dump_id, error) ||
        !restore->options.engine->target->find_content(session, &example, error))
        return FALSE;
    if (dump_id != NULL)
        check_journal(restore, dump_id);
    restore->target.may_be_done = dump_id == NULL && example != NULL && restore->options.resume &&
                                  restore->options.dump != NULL && hb_restore_requires_empty(restore);
    if ((dump_id == NULL || restore->decision.replaces_unfinished) && example != NULL && !restore->target.may_be_done &&
        hb_restore_requires_empty(restore)) {
        g_autofree char *what = g_strdup_printf("is not empty (it holds %s, for example)", example);
        hb_restore_refuse_content(restore, what);
    }
    return !restore->target.is_ours || hb_restore_read_keys(restore, session, error);
}

static gboolean describe_server(HbRestore *restore, HbSession *session, GError **error)
{
    if (!restore->options.engine->connector->describe(session, &restore->target.info, error))
        return FALSE;
    restore->target.database = g_strdup(restore->target.info.database);
    restore->target.address.database = restore->target.database;
    restore->target.exists = TRUE;
    return TRUE;
}

gboolean hb_restore_inspect_target(HbRestore *restore, GError **error)
{
    if (restore->options.whole_server && !hb_restore_with_session(restore, describe_server, error))
        return FALSE;
    if (restore->options.whole_server)
        return hb_restore_with_session(restore, check_content, error);
    if (!restore->options.engine->target->find(&restore->target.address, &restore->target.info, &restore->target.exists,
                                               error))
        return FALSE;
    return !restore->target.exists || hb_restore_with_session(restore, check_content, error);
}

gboolean hb_restore_check_dump(const HbRestore *restore, GError **error)
{
    if (strcmp(restore->manifest->engine, restore->options.engine->name) != 0)
        return hb_error_set(error, HB_ERROR_BLOCKED, "name a server of the kind that was dumped",
                            "the dump comes from %s; it cannot be restored on another kind of server",
                            restore->manifest->product);
    if (!restore->options.whole_server && restore->manifest->members != NULL)
        return hb_error_set(error, HB_ERROR_USAGE, "name a server, without a database",
                            "this is the dump of a whole server");
    return TRUE;
}

void hb_restore_pick_database(HbRestore *restore)
{
    if (restore->options.whole_server)
        return;
    if (restore->options.to.database != NULL) {
        restore->target.database = g_strdup(restore->options.to.database);
        restore->target.address.database = restore->target.database;
        return;
    }
    restore->target.database = restore->options.engine->connector->get_database(restore->options.to.uri);
    if (restore->target.database == NULL)
        restore->target.database = g_strdup(hb_adapt_database(&restore->options.wishes, restore->manifest->database));
    restore->target.address.database = restore->target.database;
}

/* The source itself can never be the target, whatever its address looks like */
static gboolean check_identity(HbRestore *restore, HbSession *session, GError **error)
{
    HbServerInfo info = {0};

    if (!restore->options.engine->connector->describe(session, &info, error))
        return FALSE;
    if (g_strcmp0(info.identity, restore->options.source) == 0)
        block(restore, "same-database", "is the source itself, under this or another address", "name another target");
    hb_server_info_clear(&info);
    return TRUE;
}

/* "new.example:5432" of "keeper@new.example:5432" */
static const char *place_of(const char *address)
{
    const char *at = strchr(address, '@');

    return at != NULL ? at + 1 : address;
}

/* By its name only: what a dump was made from may have moved since. A carry knows better */
static void look_at_origin(HbRestore *restore)
{
    const HbManifest *manifest = restore->manifest;
    HbFinding *finding;

    /* A socket without a path is the same everywhere */
    if (restore->options.source != NULL || strpbrk(place_of(manifest->address), ":/") == NULL ||
        !restore->target.exists || manifest->database == NULL ||
        strcmp(manifest->database, restore->target.database) != 0 ||
        strcmp(place_of(manifest->address), place_of(restore->target.info.address)) != 0)
        return;
    finding = hb_findings_add(restore->decision.findings, HB_FINDING_WARNING, "same-database", restore->target.database,
                              "is where the dump comes from, by its address");
    hb_finding_advise(finding, "see that this is the server that you mean", NULL);
}

static HbTargetState get_state(const HbRestore *restore)
{
    if (!restore->target.exists)
        return HB_TARGET_ABSENT;
    return hb_restore_requires_empty(restore) ? HB_TARGET_EMPTY : HB_TARGET_IN_USE;
}

static gboolean preflight(HbRestore *restore, GError **error)
{
    const HbRestoreOptions *options = &restore->options;
    const guint64 bytes = options->dump != NULL ? hb_manifest_count_bytes(restore->manifest)
                                                : hb_catalog_count_bytes(restore->manifest->catalog);
    const HbRestorePreview preview = {.catalog = restore->manifest->catalog,
                                      .version = restore->manifest->written_for,
                                      .state = get_state(restore),
                                      .ownership_mine = options->wishes.ownership_mine,
                                      .part_of_server = options->part_of_server,
                                      .sessions = options->jobs,
                                      .bytes = (options->parts & HB_PART_DATA) ? bytes : 0};

    if (options->whole_server || restore->target.is_ours || restore->target.may_be_done)
        return TRUE;
    if (restore->target.exists && options->source != NULL && !hb_restore_with_session(restore, check_identity, error))
        return FALSE;
    look_at_origin(restore);
    hb_preflight_look_at_objects(preview.catalog, options->engine->dialect, restore->decision.findings);
    hb_preflight_guess_duration(preview.bytes, preview.sessions, restore->decision.findings);
    return options->engine->target->preflight(&restore->target.address, &preview, restore->decision.findings, error);
}

/* Statements about the database name it; the target's name may be another */
static gboolean adapt_database(HbRestore *restore, GError **error)
{
    HbRename rename = {.kind = HB_RENAME_DATABASE,
                       .old_name = (char *)hb_adapt_database(&restore->options.wishes, restore->manifest->database),
                       .new_name = restore->target.database};

    if (restore->options.whole_server || strcmp(rename.old_name, rename.new_name) == 0)
        return TRUE;
    return hb_adapt_name(restore->manifest->catalog, restore->options.engine, &rename, error);
}

/* Everything that will not arrive as it was is known before anything is written */
gboolean hb_restore_adapt(HbRestore *restore, GError **error)
{
    HbCatalog *catalog = restore->manifest->catalog;
    const gboolean rows_only = hb_restore_is_rows_only(restore);
    g_autoptr(HbSelection) selection = NULL;

    restore->decision.absent = hb_catalog_get_omissions(catalog)->len;
    hb_catalog_keep_parts(catalog, restore->options.parts | (rows_only ? HB_PART_SCHEMA : 0));
    if (restore->options.whole_server)
        selection = hb_selection_new_for_server(restore->options.selection);
    if (!hb_selection_apply(selection != NULL ? selection : restore->options.selection, catalog,
                            restore->options.engine->dialect, TRUE, restore->decision.pulled_in, error))
        return FALSE;
    if (restore->options.selection != NULL)
        hb_adapt_tell_pulled_in(restore->options.observers, restore->options.selection, restore->decision.pulled_in);
    if (!hb_adapt_wishes(catalog, restore->options.engine, &restore->options.wishes, error) ||
        !adapt_database(restore, error))
        return FALSE;
    if (rows_only) {
        hb_restore_keep_definitions(restore);
        hb_catalog_keep_parts(catalog, restore->options.parts);
    }
    hb_manifest_drop_rows(restore->manifest);
    if (!preflight(restore, error))
        return FALSE;
    if (!hb_adapt_to_target(catalog, restore->manifest->written_for, restore->options.engine, &restore->target.address,
                            &restore->target.info, get_state(restore), error) ||
        !hb_restore_decide(restore, error))
        return FALSE;
    hb_manifest_drop_rows(restore->manifest);
    hb_preflight_look_at_omissions(catalog, restore->decision.absent, restore->decision.findings);
    hb_findings_accept(restore->decision.findings, restore->options.accept);
    hb_findings_sort(restore->decision.findings);
    return TRUE;
}
