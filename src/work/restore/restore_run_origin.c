/* SPDX-License-Identifier: Apache-2.0 */
#include "work/origin/origin.h"
#include "work/restore/restore_run_inner.h"

#include <string.h>

static gboolean write(const HbRestoreRun *run, HbSession *session, const HbOrigin *before, gboolean is_whole,
                      GError **error)
{
    const HbRestoreOptions *options = run->options;
    const HbSelection *chosen = options->selection != NULL && hb_selection_is_partial(options->selection)
                                    ? options->selection
                                    : options->manifest->selection;
    g_autoptr(HbOrigin) origin =
        hb_origin_new(options->manifest, options->parts, chosen, &options->wishes, before, is_whole);

    if (before != NULL && options->freshens) /* a pass may have been for a part of what the copy has */
        origin->parts = before->parts;
    if (options->loose_until != NULL && origin->log_name != NULL)
        hb_origin_set_loose(origin, options->loose_until, options->loose);
    if (options->loose_until != NULL && is_whole) {
        g_ptr_array_set_size(origin->unaligned, 0);
        hb_origin_forget_changed(origin, options->loose);
    }
    return hb_origin_keep_in(options->engine, session, origin, error);
}

/* What arrives without being remembered makes what is remembered untrue */
static gboolean forget(const HbRestoreRun *run, HbSession *session, const HbOrigin *before, GError **error)
{
    hb_observers_note(run->observers, HB_SEVERITY_NOTE, "--remember keeps one",
                      "the target remembered that it was a copy of database %s at %s; it forgets that now",
                      before->database, before->source);
    return run->options->engine->target->drop_origin(session, error);
}

gboolean hb_restore_run_mark_origin(HbRestoreRun *run, HbSession *session, gboolean is_whole, GError **error)
{
    const HbRestoreOptions *options = run->options;
    g_autoptr(HbOrigin) before = NULL;

    if (options->whole_server)
        return TRUE;
    if (!hb_origin_recall_in(options->engine, session, &before, error))
        return FALSE;
    /* the run that is resumed wrote one for this dump, so it was asked for */
    if (options->remember ||
        (before != NULL && (options->freshens || strcmp(before->dump_id, options->manifest->id) == 0)))
        return write(run, session, before, is_whole, error);
    return before == NULL || is_whole || forget(run, session, before, error);
}

static gboolean mark_whole(HbRestoreRun *run, HbSession *session, GError **error)
{
    return hb_restore_run_mark_origin(run, session, TRUE, error);
}

gboolean hb_restore_run_renew_origin(HbRestoreRun *run, GError **error)
{
    return hb_restore_run_with_session(run, mark_whole, error);
}
