/* SPDX-License-Identifier: Apache-2.0 */
#include "work/freshen/pass_inner.h"

#include "work/source/snapshot_rows.h"

#include <string.h>

static void table_free(gpointer data)
{
    HbPassTable *table = data;

    g_free(table->table);
    g_free(table->refusal);
    g_clear_error(&table->failure);
    if (table->coming != NULL)
        g_array_unref(table->coming);
    if (table->going != NULL)
        g_array_unref(table->going);
    g_free(table);
}

/* The target is read like a source, all of it: what was chosen and renamed is known by other names there */
static HbSnapshotSourceOptions make_target_options(const HbPassOptions *options)
{
    HbSnapshotSourceOptions target = options->from;

    target.engine = options->to.engine;
    target.from = options->to.to;
    target.selection = NULL;
    target.is_copy = TRUE;
    target.parts |= HB_PART_SCHEMA; /* what acts when rows change must be known */
    target.hold_tables = FALSE;
    target.name_losses = FALSE;
    target.throttle = NULL;
    return target;
}

/* Before anything of it is read */
static gboolean check_source(const HbPass *pass, GError **error)
{
    const HbOrigin *origin = pass->options.origin;

    return origin == NULL || hb_origin_check_source(origin, pass->manifest, error);
}

static gboolean choose_from_dump(HbPass *pass, GError **error)
{
    const HbSnapshotSourceOptions *from = &pass->options.from;

    hb_catalog_keep_parts(pass->manifest->catalog, from->parts);
    if (!hb_selection_apply(from->selection, pass->manifest->catalog, from->engine->dialect, TRUE, NULL, error))
        return FALSE;
    hb_manifest_drop_rows(pass->manifest);
    pass->stored = hb_manifest_index_rows(pass->manifest);
    if (hb_selection_is_partial(from->selection)) {
        hb_selection_free(pass->manifest->selection);
        pass->manifest->selection = hb_selection_copy(from->selection);
    }
    return TRUE;
}

static gboolean open_source(HbPass *pass, GError **error)
{
    if (pass->options.dump != NULL) {
        pass->manifest = hb_manifest_copy(hb_reader_get_manifest(pass->options.dump));
        return check_source(pass, error) && choose_from_dump(pass, error);
    }
    pass->source = hb_snapshot_source_new(&pass->options.from, error);
    pass->manifest = pass->source != NULL ? pass->source->manifest : NULL;
    return pass->source != NULL && check_source(pass, error);
}

gboolean hb_pass_end_source(HbPass *pass, GError **error)
{
    return pass->source == NULL || hb_snapshot_source_end(pass->source, error);
}

static gpointer read_target(gpointer data)
{
    HbPass *pass = data;

    pass->target = hb_snapshot_source_new(&pass->target_options, &pass->target_error);
    if (pass->target != NULL)
        hb_snapshot_source_read(pass->target, &pass->target_error);
    return NULL;
}

/* Both at once: a catalog takes its time */
static gboolean read_both(HbPass *pass, GError **error)
{
    GThread *thread = g_thread_new("to", read_target, pass);
    GError *ours = NULL;

    if (pass->source != NULL)
        hb_snapshot_source_read(pass->source, &ours);
    g_thread_join(thread);
    if (pass->target_error != NULL)
        g_prefix_error(&pass->target_error, "looking at the copy: ");
    return !hb_error_propagate_cause(ours, g_steal_pointer(&pass->target_error), error);
}

static gboolean read_sides(HbPass *pass, GError **error)
{
    if (!open_source(pass, error) || !read_both(pass, error))
        return FALSE;
    if (pass->source != NULL && g_strcmp0(pass->source->identity, pass->target->identity) == 0)
        return hb_error_set(error, HB_ERROR_BLOCKED, "name another target",
                            "TO is FROM itself, under this or another address");
    pass->wanted = hb_catalog_copy(pass->manifest->catalog);
    return hb_adapt_wishes(pass->wanted, pass->options.to.engine, &pass->options.to.wishes, error);
}

/* What was compared is known; its locks would be in our own way */
static gboolean let_target_go(HbPass *pass, GError **error)
{
    hb_snapshot_sessions_close(pass->target_options.engine, pass->target->readers);
    return hb_snapshot_source_end(pass->target, error);
}

/* Rows come by the pass: those of a dump must not seem to be the restore's to load */
static const HbManifest *describe_work(HbPass *pass)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(pass->manifest->catalog);

    hb_snapshot_source_name_work(pass->manifest, HB_WORK_PASS);
    if (pass->source != NULL) {
        for (guint i = 0; i < sets->len; i++)
            hb_manifest_add_rows(pass->manifest, sets->pdata[i]);
        return pass->manifest;
    }
    pass->without_rows = hb_manifest_copy(pass->manifest);
    for (guint i = 0; i < pass->without_rows->rows->len; i++)
        g_ptr_array_set_size(((HbStoredRows *)pass->without_rows->rows->pdata[i])->chunks, 0);
    return pass->without_rows;
}

static void prepare_restore(HbPass *pass)
{
    pass->provider = (HbRowProvider){hb_pass_apply, pass};
    pass->options.to.manifest = describe_work(pass);
    pass->options.to.source = pass->source != NULL ? pass->source->identity : NULL;
    pass->options.to.there = pass->target->manifest->catalog;
    pass->options.to.pulled_in = pass->source != NULL ? pass->source->pulled_in : NULL;
    pass->options.to.provider = &pass->provider;
    pass->options.to.selection = NULL; /* made by the source */
    pass->options.to.existing = HB_EXISTING_KEEP;
    pass->options.to.freshens = TRUE;
    pass->options.to.loose_until = pass->compares_logged ? pass->manifest->snapshot_position : NULL;
    pass->options.to.loose = pass->leaves_log ? pass->options.origin->unaligned : NULL;
}

typedef struct {
    HbPass *pass;
    GThread *thread;
    GError *error;
} Opening;

static gpointer open_restore(gpointer data)
{
    Opening *opening = data;

    opening->pass->restore = hb_restore_open(&opening->pass->options.to, &opening->error);
    return NULL;
}

/* What a restore looks at ahead is looked at while rows are compared */
static gboolean compare_and_open(HbPass *pass, GError **error)
{
    Opening opening = {.pass = pass};
    GError *ours = NULL;

    if (!hb_pass_choose_logged(pass, error))
        return FALSE;
    prepare_restore(pass);
    opening.thread = g_thread_new("ahead", open_restore, &opening);
    hb_pass_compare(pass, &ours);
    g_thread_join(opening.thread);
    return !hb_error_propagate_cause(ours, opening.error, error);
}

HbPass *hb_pass_open(const HbPassOptions *options, GError **error)
{
    HbPass *pass = g_new0(HbPass, 1);
    const gint64 start = g_get_monotonic_time();

    pass->options = *options;
    pass->target_options = make_target_options(options);
    pass->tables = g_ptr_array_new_with_free_func(table_free);
    pass->off = g_ptr_array_new();
    pass->followed = g_hash_table_new(NULL, NULL);
    pass->unfollowed = g_ptr_array_new();
    pass->not_back = g_hash_table_new_full(g_str_hash, g_str_equal, NULL, (GDestroyNotify)g_error_free);
    hb_row_sums_init(&pass->from);
    hb_row_sums_init(&pass->to);
    if (!read_sides(pass, error) || !compare_and_open(pass, error) || !let_target_go(pass, error)) {
        hb_pass_free(pass);
        return NULL;
    }
    pass->seconds = (double)(g_get_monotonic_time() - start) / G_USEC_PER_SEC;
    return pass;
}

void hb_pass_free(HbPass *pass)
{
    if (pass == NULL)
        return;
    hb_restore_free(pass->restore);
    g_hash_table_unref(pass->followed);
    g_ptr_array_unref(pass->unfollowed);
    g_clear_pointer(&pass->logged, g_hash_table_unref);
    hb_follow_result_clear(&pass->follow);
    g_ptr_array_unref(pass->off);
    g_hash_table_unref(pass->not_back);
    hb_row_sums_clear(&pass->from);
    hb_row_sums_clear(&pass->to);
    hb_catalog_free(pass->wanted);
    hb_manifest_free(pass->without_rows);
    g_clear_pointer(&pass->stored, g_hash_table_unref);
    if (pass->options.dump != NULL)
        hb_manifest_free(pass->manifest);
    hb_snapshot_source_free(pass->source);
    hb_snapshot_source_free(pass->target);
    g_ptr_array_unref(pass->tables);
    g_free(pass);
}

const HbStoredRows *hb_pass_find_stored(const HbPass *pass, const HbRowSet *from)
{
    return pass->stored != NULL ? g_hash_table_lookup(pass->stored, from->identity) : NULL;
}

const GPtrArray *hb_pass_get_tables(const HbPass *pass)
{
    return pass->tables;
}

const HbRestore *hb_pass_get_restore(const HbPass *pass)
{
    return pass->restore;
}

const HbManifest *hb_pass_get_source(const HbPass *pass)
{
    return pass->manifest;
}

const HbManifest *hb_pass_get_copy(const HbPass *pass)
{
    return pass->is_aligned ? NULL : pass->target->manifest;
}

const HbOrigin *hb_pass_get_origin(const HbPass *pass)
{
    return pass->options.origin;
}

const HbFollowResult *hb_pass_get_follow(const HbPass *pass)
{
    return pass->follows ? &pass->follow : NULL;
}

guint hb_pass_count_followed(const HbPass *pass)
{
    return g_hash_table_size(pass->followed);
}

gboolean hb_pass_leaves_log(const HbPass *pass)
{
    return pass->leaves_log;
}

guint64 hb_pass_count_compared(const HbPass *pass)
{
    return pass->rows;
}

guint hb_pass_count_compared_tables(const HbPass *pass)
{
    return pass->compared;
}

guint hb_pass_count_missing(const HbPass *pass)
{
    const HbCatalog *there = pass->target->manifest->catalog;
    guint missing = 0;

    for (guint i = 0; i < hb_catalog_count(pass->wanted); i++) {
        const HbObject *object = hb_catalog_get(pass->wanted, i);
        missing += hb_catalog_find(there, object->identity) == NULL;
    }
    return missing;
}

gboolean hb_pass_is_blocked(const HbPass *pass)
{
    return hb_restore_is_blocked(pass->restore);
}

/* The restore does not report on tables that the target had already */
static void tell_failure(const HbPassTable *table, gboolean is_over, HbRestoreResult *result)
{
    g_autofree char *what = hb_identity_new(HB_KIND_ROWS, table->table);

    if (table->refusal != NULL)
        hb_restore_result_add(result, HB_OUTCOME_LEFT_OUT, what, table->refusal, NULL);
    if (table->is_done || table->refusal != NULL || table->to == NULL || (table->failure == NULL && !is_over))
        return;
    if (table->failure != NULL)
        hb_restore_result_add(result, HB_OUTCOME_FAILED, what, table->failure->message, hb_error_hint(table->failure));
    else
        hb_restore_result_add(result, HB_OUTCOME_FAILED, what, "their turn did not come", NULL);
}

double hb_pass_get_seconds_compared(const HbPass *pass)
{
    return pass->seconds;
}

/* Measured on a small machine: rows that are asked for and deleted by their keys, and bytes that a new table takes */
#define ROWS_A_SECOND  10000.0
#define BYTES_A_SECOND (15.0 * 1024 * 1024)

static double guess_table(const HbPassTable *table)
{
    guint64 touched = 0;

    for (int fate = 0; fate < HB_ROW_FATES && !table->all_anew; fate++)
        touched += table->counts[fate];
    return table->refusal != NULL ? 0 : (double)touched / ROWS_A_SECOND + (double)table->bytes / BYTES_A_SECOND;
}

/* Tables come side by side, but one of them in one piece */
double hb_pass_guess_seconds(const HbPass *pass)
{
    double all = 0, longest = 0;

    for (guint i = 0; i < pass->tables->len; i++) {
        const double one = guess_table(pass->tables->pdata[i]);
        all += one;
        longest = MAX(longest, one);
    }
    return MAX(longest, all / MAX(pass->options.from.jobs, 1));
}

static void tell_not_back(const HbPass *pass, HbRestoreResult *result)
{
    GHashTableIter iter;
    gpointer identity, failure;

    g_hash_table_iter_init(&iter, pass->not_back);
    while (g_hash_table_iter_next(&iter, &identity, &failure)) {
        g_autofree char *what =
            g_strdup_printf("was taken off, and cannot be put back: %s", ((GError *)failure)->message);
        hb_restore_result_add(result, HB_OUTCOME_FAILED, identity, what, "mend the cause, and make another pass");
    }
}

/* What is kept from this moment on is remembered, and what was kept before is not needed any more */
static void settle_log(HbPass *pass)
{
    const HbEngine *engine = pass->options.from.engine;
    const char *name = pass->manifest->kept_log,
               *old = pass->options.origin != NULL ? pass->options.origin->log_name : NULL;
    HbAddress to = pass->options.to.to;
    HbSession *session;

    if (pass->source == NULL || name == NULL)
        return;
    to.database = hb_restore_get_database(pass->restore);
    pass->source->leaves_log = hb_origin_remembers_log(engine, &to, name);
    if (!pass->source->leaves_log || old == NULL || strcmp(old, name) == 0)
        return;
    session = engine->connector->open(&pass->options.from.from, NULL);
    if (session != NULL)
        engine->log->release(session, old, NULL);
    engine->connector->close(session);
}

static gboolean run(HbPass *pass, HbRestoreResult *result, GError **error)
{
    gboolean ok;

    /* nothing differs: the target gets no journal */
    if (pass->tables->len == 0 && !pass->follows && hb_pass_count_missing(pass) == 0 && !hb_pass_has_followers(pass) &&
        !hb_pass_is_blocked(pass) && !hb_restore_replaces_unfinished(pass->restore)) {
        hb_restore_result_init(result);
        return hb_pass_end_source(pass, error) && hb_restore_renew_origin(pass->restore, error);
    }
    ok = hb_restore_run(pass->restore, result, error);
    for (guint i = 0; i < pass->tables->len; i++)
        tell_failure(pass->tables->pdata[i], ok, result);
    tell_not_back(pass, result);
    return ok;
}

gboolean hb_pass_run(HbPass *pass, HbRestoreResult *result, GError **error)
{
    const gboolean ok = run(pass, result, error);

    settle_log(pass);
    return ok;
}
