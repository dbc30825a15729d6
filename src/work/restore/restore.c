/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore.h"

#include <string.h>

/*
 * Opens the parts of a restore one after the other, and hands out what each of them knows. It decides nothing itself.
 */

/* One after the other; each is only read once the next one is there */
typedef struct {
    HbManifest *manifest; /* a copy of that in the options, which the decision adapts to the target */
    HbRestoreTarget target;
    HbRestoreDecision decision;
    HbRestoreRun *run;
} Parts;

struct HbRestore {
    HbRestoreOptions options;
    Parts *parts;
};

/* Nothing of the target need be known for that */
static gboolean check_dump(const HbRestoreOptions *options, GError **error)
{
    if (strcmp(options->manifest->engine, options->engine->name) != 0)
        return hb_error_set(error, HB_ERROR_BLOCKED, "name a server of the kind that was dumped",
                            "the dump comes from %s; it cannot be restored on another kind of server",
                            options->manifest->product);
    if (!options->whole_server && options->manifest->members != NULL)
        return hb_error_set(error, HB_ERROR_USAGE, "name a server, without a database",
                            "this is the dump of a whole server");
    if (options->remember && options->manifest->selection != NULL && hb_selection_is_partial(options->selection))
        return hb_error_set(error, HB_ERROR_USAGE, "choose when the dump is made, or when it is restored",
                            "--remember cannot remember two choices, that of the dump and that of the restore");
    return TRUE;
}

static void parts_free(Parts *parts)
{
    if (parts == NULL)
        return;
    hb_restore_run_free(parts->run);
    hb_restore_decision_clear(&parts->decision);
    hb_restore_target_clear(&parts->target);
    hb_manifest_free(parts->manifest);
    g_free(parts);
}

static Parts *parts_new(const HbRestoreOptions *options, GError **error)
{
    Parts *parts = g_new0(Parts, 1);

    parts->manifest = hb_manifest_copy(options->manifest);
    if (hb_restore_target_inspect(&parts->target, options, error) &&
        hb_restore_decision_make(&parts->decision, options, &parts->target, parts->manifest, error))
        parts->run = hb_restore_run_new(options, parts->manifest, &parts->target, &parts->decision, error);
    if (parts->run == NULL)
        g_clear_pointer(&parts, parts_free);
    return parts;
}

HbRestore *hb_restore_open(const HbRestoreOptions *options, GError **error)
{
    HbRestore *restore;

    if (!check_dump(options, error))
        return NULL;
    restore = g_new0(HbRestore, 1);
    restore->options = *options;
    restore->options.parts &= options->manifest->parts;
    restore->parts = parts_new(&restore->options, error);
    if (restore->parts == NULL)
        g_clear_pointer(&restore, hb_restore_free);
    return restore;
}

void hb_restore_free(HbRestore *restore)
{
    if (restore == NULL)
        return;
    parts_free(restore->parts);
    g_free(restore);
}

/* ---- What it was opened to do ---- */

const HbServerInfo *hb_restore_get_target(const HbRestore *restore)
{
    return &restore->parts->target.info;
}

const char *hb_restore_get_database(const HbRestore *restore)
{
    return restore->parts->target.database;
}

gboolean hb_restore_is_new_database(const HbRestore *restore)
{
    return !restore->parts->target.exists;
}

gboolean hb_restore_is_carried(const HbRestore *restore)
{
    return restore->options.provider != NULL;
}

gboolean hb_restore_can_resume(const HbRestore *restore)
{
    return restore->options.provider == NULL || restore->options.source != NULL;
}

gboolean hb_restore_is_whole_server(const HbRestore *restore)
{
    return restore->options.whole_server;
}

gboolean hb_restore_is_resumed(const HbRestore *restore)
{
    return restore->parts->decision.is_resumed;
}

gboolean hb_restore_is_done_before(const HbRestore *restore)
{
    return restore->parts->decision.is_done;
}

const GPtrArray *hb_restore_get_findings(const HbRestore *restore)
{
    return restore->parts->decision.findings;
}

const HbTargetCleanup *hb_restore_get_cleanup(const HbRestore *restore)
{
    return restore->parts->decision.cleanup;
}

const HbManifest *hb_restore_get_manifest(const HbRestore *restore)
{
    return restore->parts->manifest;
}

const HbRestorePlan *hb_restore_get_steps(const HbRestore *restore)
{
    return hb_restore_run_get_plan(restore->parts->run);
}

gboolean hb_restore_is_blocked(const HbRestore *restore)
{
    return hb_findings_count_open(restore->parts->decision.findings) > 0;
}

gboolean hb_restore_set_blocked_error(const HbRestore *restore, GError **error)
{
    guint count = hb_findings_count_open(restore->parts->decision.findings);
    const HbFinding *first = restore->parts->decision.findings->pdata[0];

    for (guint i = 0; first->accepted; i++)
        first = restore->parts->decision.findings->pdata[i];
    return hb_error_set(error, HB_ERROR_BLOCKED, first->todo, "%s %s; %snothing was written", first->object,
                        first->what, count > 1 ? "there are more blockers; " : "");
}

/* ---- Doing it ---- */

/* Another host may be faster once in a while, not for ever */
#define LOOKS_MAX 100

/* With what is there by now */
static gboolean look_again(HbRestore *restore, HbRestoreResult *result, GError **error)
{
    Parts *parts = parts_new(&restore->options, error);

    if (parts == NULL)
        return FALSE;
    parts_free(restore->parts);
    restore->parts = parts;
    hb_restore_result_clear(result);
    hb_restore_result_init(result);
    return !hb_restore_is_blocked(restore) || hb_restore_set_blocked_error(restore, error);
}

gboolean hb_restore_run(HbRestore *restore, HbRestoreResult *result, GError **error)
{
    hb_restore_result_init(result);
    if (hb_restore_is_blocked(restore))
        return hb_restore_set_blocked_error(restore, error);
    for (guint look = 0; look < LOOKS_MAX; look++) {
        GError *ours = NULL;
        if (hb_restore_run_start(restore->parts->run, result, &ours))
            return TRUE;
        if (!hb_restore_run_looks_again(restore->parts->run)) {
            g_propagate_error(error, ours);
            return FALSE;
        }
        g_error_free(ours);
        if (!look_again(restore, result, error))
            return FALSE;
    }
    return hb_error_set(error, HB_ERROR_LOCKED, "begin again", "other hosts begin and end this restore all the time");
}

gboolean hb_restore_replaces_unfinished(const HbRestore *restore)
{
    return restore->parts->decision.replaces_unfinished;
}

gboolean hb_restore_renew_origin(HbRestore *restore, GError **error)
{
    return hb_restore_run_renew_origin(restore->parts->run, error);
}

gboolean hb_restore_go_on(HbRestore *restore, gboolean tentative, HbObservers *observers, HbRestoreResult *result,
                          GError **error)
{
    hb_restore_result_init(result);
    return hb_restore_run_go_on(restore->parts->run, tentative, observers, result, error);
}

gboolean hb_restore_is_finished(const HbRestore *restore)
{
    return hb_restore_run_is_finished(restore->parts->run);
}

gboolean hb_restore_is_noted(const HbRestore *restore, const char *key)
{
    return hb_restore_run_is_noted(restore->parts->run, key);
}

gboolean hb_restore_note(HbRestore *restore, const char *key, GError **error)
{
    return hb_restore_run_note(restore->parts->run, key, error);
}

gboolean hb_restore_close_journal(HbRestore *restore, GError **error)
{
    return hb_restore_run_end_journal(restore->parts->run, error);
}
