/* SPDX-License-Identifier: Apache-2.0 */
#include "core/base/error.h"
#include "core/select/rename.h"
#include "work/handover/handover_inner.h"

#include <string.h>

/*
 * Before applications may write to TO, TO begins to keep its log, and FROM remembers that it is a copy of TO as it is
 * at this moment, in which both hold the same. From then on `freshen TO FROM` follows, and a hand-over from TO to FROM
 * is one like any other.
 */

static const HbSnapshotSourceOptions *from_of(const HbHandover *handover)
{
    return &handover->options.pass.from;
}

static const HbRestoreOptions *to_of(const HbHandover *handover)
{
    return &handover->options.pass.to;
}

/* ---- Looking ahead ---- */

/* To go on all the same would fail later, or cost FROM what it remembers */
static void block(HbHandover *handover, const char *todo, const char *what)
{
    HbFinding *finding = hb_findings_add(handover->report.findings, HB_FINDING_BLOCKER, "way-back",
                                         handover->report.to.database, "%s", what);

    finding->is_final = TRUE;
    hb_finding_advise(finding, todo, NULL);
}

static void look_at_log(HbHandover *handover)
{
    const HbEngine *engine = to_of(handover)->engine;
    HbSession *session = hb_handover_open_to(handover, NULL);
    g_autoptr(GError) cause = NULL;

    if (session != NULL && engine->log != NULL && !engine->log->check(session, &cause))
        block(handover, hb_error_hint(cause), cause->message);
    engine->connector->close(session);
}

/* One that names TO is of a hand-over of ours */
static gboolean is_ours(const HbHandover *handover, const HbOrigin *origin)
{
    return g_strcmp0(origin->source_id, handover->report.to.lasting) == 0 ||
           strcmp(origin->source, handover->report.to.address) == 0;
}

static void look_at_source(HbHandover *handover)
{
    g_autoptr(HbOrigin) origin = NULL;

    hb_origin_recall_in(hb_handover_get_engine(handover), handover->gate, &origin, NULL);
    if (origin != NULL && !is_ours(handover, origin))
        block(handover, "leave out --way-back", "FROM remembers that it is a copy itself, of another database");
}

void hb_handover_look_at_way_back(HbHandover *handover)
{
    const HbOrigin *origin = handover->origin;

    if (!handover->options.way_back)
        return;
    if (handover->options.fate == HB_SOURCE_RENAME || handover->options.fate == HB_SOURCE_DROP)
        block(handover, "use --source read-only", "there is no way back to a database that is renamed or dropped");
    if (origin->selection != NULL || origin->wishes.ownership_mine || origin->wishes.grants_drop ||
        origin->parts != HB_PART_ALL)
        block(handover, "leave out --way-back",
              "TO is a copy of a part of FROM, or with other owners and rights: FROM cannot be one of TO");
    if (handover->report.way == HB_WAY_READ_ONLY &&
        hb_handover_get_engine(handover)->gate->find_lasting(handover->gate, TRUE) == HB_GATE_SESSIONS)
        block(handover, "use --stop-writes sessions", "FROM could not become a copy while it may only be read");
    look_at_log(handover);
    look_at_source(handover);
}

/* ---- There ---- */

/* What was called otherwise on the way is called again as it was */
static GPtrArray *turn_names(const GPtrArray *renames)
{
    GPtrArray *turned = g_ptr_array_new_with_free_func((GDestroyNotify)hb_rename_free);

    for (guint i = 0; renames != NULL && i < renames->len; i++) {
        const HbRename *rename = renames->pdata[i];
        const HbRename other = {rename->kind, g_strdup(rename->new_name), g_strdup(rename->old_name), NULL, FALSE};
        g_ptr_array_add(turned, g_memdup2(&other, sizeof other));
    }
    return turned;
}

static gboolean remember_in_source(HbHandover *handover, const HbManifest *moment, GError **error)
{
    HbWishes wishes = {.renames = turn_names(handover->origin->wishes.renames)};
    g_autoptr(HbOrigin) origin = hb_origin_new(moment, HB_PART_ALL, NULL, &wishes, NULL, TRUE);

    g_ptr_array_unref(wishes.renames);
    return hb_origin_keep_in(hb_handover_get_engine(handover), handover->gate, origin, error);
}

static gboolean keep_log_and_remember(HbHandover *handover, HbSnapshotSource *source, GError **error)
{
    source->leaves_log =
        hb_snapshot_source_read(source, error) && remember_in_source(handover, source->manifest, error);
    return source->leaves_log;
}

gboolean hb_handover_prepare_way_back(HbHandover *handover, char **did, GError **error)
{
    HbSnapshotSourceOptions options = *from_of(handover);
    HbSnapshotSource *source;
    gboolean ok;

    hb_handover_forget_way_back(handover);
    options.engine = to_of(handover)->engine;
    options.from = to_of(handover)->to;
    options.selection = NULL;
    options.parts = HB_PART_ALL;
    options.is_copy = TRUE;
    options.keep_log = TRUE;
    options.jobs = 1;
    options.throttle = NULL;
    source = hb_snapshot_source_new(&options, error);
    ok = source != NULL && keep_log_and_remember(handover, source, error);
    hb_snapshot_source_free(source);
    *did = g_strdup("TO keeps its log for FROM, which is a copy of TO now");
    if (ok)
        g_ptr_array_add(
            handover->report.left_to_do,
            g_strdup("TO keeps its log for FROM: keep FROM up with `hornbeam freshen TO FROM --keep-up`, or "
                     "end that with `hornbeam freshen TO FROM --release`"));
    return ok;
}

/* ---- And not ---- */

void hb_handover_forget_way_back(HbHandover *handover)
{
    const HbEngine *engine = hb_handover_get_engine(handover);
    HbSession *from, *to;
    g_autoptr(HbOrigin) origin = NULL;

    if (!handover->note->way_back)
        return;
    from = hb_handover_open_from(handover, NULL);
    to = hb_handover_open_to(handover, NULL);
    if (from != NULL && hb_origin_recall_in(engine, from, &origin, NULL) && origin != NULL && origin->gate == NULL) {
        if (to != NULL && origin->log_name != NULL && engine->log != NULL)
            engine->log->release(to, origin->log_name, NULL);
        engine->target->drop_origin(from, NULL);
    }
    engine->connector->close(from);
    engine->connector->close(to);
}
