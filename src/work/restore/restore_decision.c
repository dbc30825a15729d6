/* SPDX-License-Identifier: Apache-2.0 */
#include "core/compare/preflight.h"
#include "work/restore/restore_decision_inner.h"
#include "work/source/snapshot_source.h"

#include <string.h>

gboolean hb_decision_is_rows_only(const HbDecisionInput *input)
{
    return !(input->options->parts & HB_PART_SCHEMA) && (input->options->parts & HB_PART_DATA);
}

gboolean hb_decision_requires_empty(const HbDecisionInput *input)
{
    return input->options->existing == HB_EXISTING_STOP && (input->options->parts & HB_PART_SCHEMA) != 0 &&
           !input->options->whole_server;
}

/* A blocker that cannot be accepted */
void hb_decision_block(const HbDecisionInput *input, const char *name, const char *what, const char *todo)
{
    HbFinding *finding =
        hb_findings_add(input->decision->findings, HB_FINDING_BLOCKER, name, input->target->database, "%s", what);

    hb_finding_advise(finding, todo, NULL);
    finding->is_final = TRUE;
}

void hb_decision_refuse_content(const HbDecisionInput *input, const char *what)
{
    hb_decision_block(input, "target-not-empty", what,
                      "name a database in the URI that does not exist yet, or say what is to become of what is there: "
                      "--existing keep, or --existing replace");
}

#define BEGIN_ANEW ", or begin anew over it: --existing replace --accept unfinished-restore"

static void check_unfinished(const HbDecisionInput *input)
{
    const gboolean is_ours = strcmp(input->target->unfinished, input->manifest->id) == 0;
    const gboolean is_from_here = hb_snapshot_source_is_same_source(input->target->unfinished, input->manifest->id);
    HbFinding *finding;

    if (is_ours && input->options->resume) {
        input->decision->is_resumed = TRUE;
        return;
    }
    if (input->options->freshens && is_from_here &&
        (input->options->resume || g_str_has_prefix(input->target->unfinished, HB_WORK_PASS " "))) {
        input->decision->replaces_unfinished = TRUE;
        return;
    }
    if (is_ours)
        finding = hb_findings_add(input->decision->findings, HB_FINDING_BLOCKER, "unfinished-restore",
                                  input->target->database, "holds an unfinished restore of this dump");
    else if (is_from_here)
        finding =
            hb_findings_add(input->decision->findings, HB_FINDING_BLOCKER, "unfinished-restore",
                            input->target->database, "holds what a carry from this source left when it broke off");
    else
        finding = hb_findings_add(
            input->decision->findings, HB_FINDING_BLOCKER, "unfinished-restore", input->target->database,
            "holds the unfinished restore of another dump, or a carry that broke off (%s)", input->target->unfinished);
    hb_finding_advise(finding,
                      is_ours || is_from_here ? "go on with it: the same command with --resume" BEGIN_ANEW
                                              : "name that dump, restore into a new database" BEGIN_ANEW,
                      NULL);
    hb_findings_accept(input->decision->findings, input->options->accept);
    input->decision->replaces_unfinished = finding->accepted;
}

/* Beside another run no other fact matters */
static void check_target(HbDecisionInput *input)
{
    const HbRestoreTarget *target = input->target;

    if (target->other_run != NULL) {
        g_autofree char *what = g_strdup_printf("is being restored into by another run now (%s)", target->other_run);
        hb_decision_block(input, "another-run", what, "wait until it has ended, or end it, then begin again");
        return;
    }
    if (target->untrusted != NULL)
        hb_decision_block(input, "journal-untrusted", target->untrusted->message, hb_error_hint(target->untrusted));
    if (target->unfinished != NULL)
        check_unfinished(input);
    else if (input->options->freshens && input->options->resume)
        hb_decision_block(input, "nothing-unfinished", "holds nothing that a carry left unfinished",
                          "bring it up to date with freshen, or begin a carry without --resume");
    if (target->example == NULL || !hb_decision_requires_empty(input))
        return;
    input->may_be_done = target->unfinished == NULL && input->options->resume && input->options->dump != NULL;
    if ((target->unfinished == NULL || input->decision->replaces_unfinished) && !input->may_be_done) {
        g_autofree char *what = g_strdup_printf("is not empty (it holds %s, for example)", target->example);
        hb_decision_refuse_content(input, what);
    }
}

/* The source itself can never be the target, whatever its address looks like */
static gboolean check_source(const HbDecisionInput *input, GError **error)
{
    gboolean is_source = FALSE;

    if (!input->target->exists || input->options->source == NULL)
        return TRUE;
    if (!hb_restore_target_is_source(input->target, input->options, &is_source, error))
        return FALSE;
    if (is_source)
        hb_decision_block(input, "same-database", "is the source itself, under this or another address",
                          "name another target");
    return TRUE;
}

/* "new.example:5432" of "keeper@new.example:5432" */
static const char *place_of(const char *address)
{
    const char *at = strchr(address, '@');

    return at != NULL ? at + 1 : address;
}

/* By its name only: what a dump was made from may have moved since. A carry knows better */
static void check_origin(const HbDecisionInput *input)
{
    const HbManifest *manifest = input->manifest;
    HbFinding *finding;

    /* A socket without a path is the same everywhere */
    if (input->options->source != NULL || strpbrk(place_of(manifest->address), ":/") == NULL ||
        !input->target->exists || manifest->database == NULL ||
        strcmp(manifest->database, input->target->database) != 0 ||
        strcmp(place_of(manifest->address), place_of(input->target->info.address)) != 0)
        return;
    finding = hb_findings_add(input->decision->findings, HB_FINDING_WARNING, "same-database", input->target->database,
                              "is where the dump comes from, by its address");
    hb_finding_advise(finding, "see that this is the server that you mean", NULL);
}

static HbTargetState get_state(const HbDecisionInput *input)
{
    if (!input->target->exists)
        return HB_TARGET_ABSENT;
    return hb_decision_requires_empty(input) ? HB_TARGET_EMPTY : HB_TARGET_IN_USE;
}

static gboolean preflight(const HbDecisionInput *input, GError **error)
{
    const HbRestoreOptions *options = input->options;
    const guint64 bytes = options->dump != NULL ? hb_manifest_count_bytes(input->manifest)
                                                : hb_catalog_count_bytes(input->manifest->catalog);
    const HbRestorePreview preview = {.catalog = input->manifest->catalog,
                                      .version = input->manifest->written_for,
                                      .state = get_state(input),
                                      .ownership_mine = options->wishes.ownership_mine,
                                      .part_of_server = options->part_of_server,
                                      .sessions = options->jobs,
                                      .bytes = (options->parts & HB_PART_DATA) ? bytes : 0};

    if (options->whole_server || input->decision->is_resumed || input->may_be_done)
        return TRUE;
    if (!check_source(input, error))
        return FALSE;
    check_origin(input);
    hb_preflight_check_objects(preview.catalog, options->engine->dialect, input->decision->findings);
    hb_preflight_guess_duration(preview.bytes, preview.sessions, input->decision->findings);
    return options->engine->target->preflight(&input->target->address, &preview, input->decision->findings, error);
}

/* Statements about the database name it; the target's name may be another */
static gboolean adapt_database(const HbDecisionInput *input, GError **error)
{
    HbRename rename = {.kind = HB_RENAME_DATABASE,
                       .old_name = (char *)hb_adapt_database(&input->options->wishes, input->manifest->database),
                       .new_name = input->target->database};

    if (input->options->whole_server || strcmp(rename.old_name, rename.new_name) == 0)
        return TRUE;
    return hb_adapt_name(input->manifest->catalog, input->options->engine, &rename, error);
}

/* The parts, the selection and the names that were asked for */
static gboolean choose(const HbDecisionInput *input, GError **error)
{
    HbCatalog *catalog = input->manifest->catalog;
    const gboolean rows_only = hb_decision_is_rows_only(input);
    const HbSelection *wanted = input->options->selection;
    g_autoptr(HbSelection) of_server =
        input->options->whole_server ? hb_selection_new_for_server(input->options->selection) : NULL;

    hb_catalog_keep_parts(catalog, input->options->parts | (rows_only ? HB_PART_SCHEMA : 0));
    if (!hb_selection_apply(of_server != NULL ? of_server : wanted, catalog, input->options->engine->dialect, TRUE,
                            input->decision->pulled_in, error))
        return FALSE;
    if (wanted != NULL)
        hb_adapt_report_pulled_in(input->options->observers, wanted, input->decision->pulled_in);
    if (!hb_adapt_wishes(catalog, input->options->engine, &input->options->wishes, error) ||
        !adapt_database(input, error))
        return FALSE;
    if (rows_only) {
        hb_decision_keep_definitions(input);
        hb_catalog_keep_parts(catalog, input->options->parts);
    }
    hb_manifest_drop_rows(input->manifest);
    return TRUE;
}

/* What the target's version, and what the target has, make of it */
static gboolean fit(const HbDecisionInput *input, GError **error)
{
    HbManifest *manifest = input->manifest;

    if (!hb_adapt_to_target(manifest->catalog, manifest->written_for, input->options->engine, &input->target->address,
                            &input->target->info, get_state(input), error) ||
        !hb_decision_meet_target(input, error))
        return FALSE;
    hb_manifest_drop_rows(manifest);
    return TRUE;
}

static void decision_init(HbRestoreDecision *decision, const HbRestoreOptions *options, const HbManifest *manifest)
{
    *decision = (HbRestoreDecision){.findings = hb_findings_new(),
                                    .pulled_in = g_ptr_array_new_with_free_func(g_free),
                                    .absent = hb_catalog_get_omissions(manifest->catalog)->len};
    for (guint i = 0; options->pulled_in != NULL && i < options->pulled_in->len; i++)
        g_ptr_array_add(decision->pulled_in, g_strdup(options->pulled_in->pdata[i]));
}

/* Everything that will not arrive as it was is known before anything is written */
gboolean hb_restore_decision_make(HbRestoreDecision *decision, const HbRestoreOptions *options,
                                  const HbRestoreTarget *target, HbManifest *manifest, GError **error)
{
    HbDecisionInput input = {.options = options, .target = target, .manifest = manifest, .decision = decision};

    decision_init(decision, options, manifest);
    check_target(&input);
    if (!choose(&input, error) || !preflight(&input, error) || !fit(&input, error))
        return FALSE;
    hb_preflight_check_omissions(manifest->catalog, decision->absent, decision->findings);
    hb_findings_accept(decision->findings, options->accept);
    hb_findings_sort(decision->findings);
    return TRUE;
}

void hb_restore_decision_clear(HbRestoreDecision *decision)
{
    g_clear_pointer(&decision->findings, g_ptr_array_unref);
    g_clear_pointer(&decision->pulled_in, g_ptr_array_unref);
    g_clear_pointer(&decision->definitions, g_hash_table_unref);
    g_clear_pointer(&decision->cleanup, hb_target_cleanup_free);
}

gboolean hb_restore_decision_note(const HbRestoreDecision *decision, const HbRestoreOptions *options,
                                  const HbManifest *manifest, HbSession *session, GError **error)
{
    g_autofree char *note =
        decision->cleanup != NULL ? hb_target_cleanup_write(decision->cleanup, manifest->seal) : NULL;

    return note == NULL || options->engine->journal->run_step(session, NULL, HB_RESTORE_DECISION, note, error);
}
