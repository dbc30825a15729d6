/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_plan.h"

/* Costs are bytes of text loaded, or an equivalent in time */
#define COST_OF_DEFINITION 4096
#define ANALYZE_DIVISOR    20
#define INDEX_DIVISOR      2

typedef struct {
    const HbManifest *manifest;
    const HbEngine *engine;
    const HbRestorePlanOptions *wishes;
    HbRestorePlan *result;
    GHashTable *joining;                              /* identity of a table to the number of a step on it + 1 */
    GHashTable *by_identity;                          /* object's identity to step number + 1 */
    GHashTable *suspended;                            /* identities of what is put back */
    GHashTable *stored;                               /* row set's identity to HbStoredRows * */
    guint users, structure, rows, rights, everything; /* milestones */
} Builder;

static void step_free(gpointer data)
{
    HbStep *step = data;

    g_free(step->key);
    g_free(step->sql);
    if (step->joined != NULL)
        g_ptr_array_unref(step->joined);
    g_free(step);
}

void hb_restore_plan_free(HbRestorePlan *steps)
{
    if (steps == NULL)
        return;
    hb_plan_free(steps->plan);
    g_ptr_array_unref(steps->steps);
    g_free(steps);
}

static guint add(Builder *builder, HbStep step, guint64 cost)
{
    HbStep *copy = g_memdup2(&step, sizeof step);

    g_ptr_array_add(builder->result->steps, copy);
    builder->result->cost += cost;
    return hb_plan_add_step(builder->result->plan, copy, cost);
}

static guint add_milestone(Builder *builder)
{
    return add(builder, (HbStep){.type = HB_STEP_TYPE_MILESTONE}, 0);
}

static gboolean is_chosen(const Builder *builder, const HbObject *object)
{
    return !builder->wishes->before_rows || object->stage < HB_STAGE_ROWS;
}

static const HbStoredRows *stored_rows(const Builder *builder, const HbObject *object)
{
    return g_hash_table_lookup(builder->stored, object->identity);
}

/* ---- What a step works on; two that would wait for each other's locks in the server are never run together ---- */

static void claim_needed_tables(Builder *builder, guint step, const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        if (g_str_has_prefix(object->needs->pdata[n], "table "))
            hb_plan_add_claim(builder->result->plan, step, object->needs->pdata[n], TRUE);
    }
}

static gboolean is_about_rights(const HbObject *object)
{
    return object->stage == HB_STAGE_USERS || object->kind == HB_KIND_GRANT;
}

static void claim(Builder *builder, guint step, const HbObject *object)
{
    HbPlan *plan = builder->result->plan;

    if (builder->engine->traits.serialise_grants && is_about_rights(object)) {
        hb_plan_add_claim(plan, step, "users and rights", TRUE);
        return;
    }
    if (g_hash_table_contains(builder->suspended, object->identity)) {
        hb_plan_add_claim(plan, step, "what was taken off", TRUE);
        return;
    }

    switch (object->kind) {
    case HB_KIND_INDEX:
    case HB_KIND_STATISTICS:
        hb_plan_add_claim(plan, step, object->on, FALSE);
        break;
    case HB_KIND_FOREIGN_KEY:
    case HB_KIND_ATTACHMENT:
    case HB_KIND_SEQUENCE_LINK:
        claim_needed_tables(builder, step, object);
        break;
    case HB_KIND_PASSWORD:
    case HB_KIND_ROLE_SETTING:
    case HB_KIND_MEMBERSHIP:
    case HB_KIND_DATABASE_OWNER:
    case HB_KIND_DATABASE_SETTING:
    case HB_KIND_DEFAULT_GRANT:
        hb_plan_add_claim(plan, step, "rows of shared catalogs", TRUE);
        break;
    case HB_KIND_OPERATOR: /* one may bring its commutator's or negator's shell into being */
    case HB_KIND_OPERATOR_CLASS:
        hb_plan_add_claim(plan, step, "operators", TRUE);
        break;
    case HB_KIND_GRANT:
        if (object->needs->len > 0)
            hb_plan_add_claim(plan, step, object->needs->pdata[0], TRUE);
        break;
    default:
        if (object->on != NULL)
            hb_plan_add_claim(plan, step, object->on, TRUE);
    }
}

/* ---- Steps ---- */

static void add_chunks(Builder *builder, const HbObject *object, const HbStoredRows *rows, guint whole)
{
    for (guint c = 0; c < rows->chunks->len; c++) {
        const HbChunk *chunk = rows->chunks->pdata[c];
        char *key = g_strdup_printf("%s %s", object->identity, chunk->file);
        guint step = add(
            builder, (HbStep){.type = HB_STEP_TYPE_CHUNK, .key = key, .object = object, .rows = rows, .chunk = chunk},
            chunk->bytes);
        hb_plan_add_need(builder->result->plan, whole, step);
    }
}

static guint64 cost_of(const HbObject *object)
{
    return COST_OF_DEFINITION + object->cost / INDEX_DIVISOR;
}

/* Into the step of an earlier part of the same table, if one statement can make both. FALSE: it needs its own */
static gboolean merge(Builder *builder, const HbObject *object)
{
    guint found = object->on != NULL ? GPOINTER_TO_UINT(g_hash_table_lookup(builder->joining, object->on)) : 0;
    HbStep *step = found != 0 ? builder->result->steps->pdata[found - 1] : NULL;
    const HbDialect *dialect = builder->engine->dialect;
    char *joined;

    if ((object->kind != HB_KIND_INDEX && object->kind != HB_KIND_SEQUENCE_VALUE) || step == NULL ||
        dialect->join_definitions == NULL)
        return FALSE;
    joined = dialect->join_definitions(step->sql != NULL ? step->sql : step->object->definition, object->definition);
    if (joined == NULL)
        return FALSE;
    g_free(step->sql);
    step->sql = joined;
    if (step->joined == NULL)
        step->joined = g_ptr_array_new();
    g_ptr_array_add(step->joined, (gpointer)object);
    g_hash_table_insert(builder->by_identity, object->identity, GUINT_TO_POINTER(found));
    return TRUE;
}

/* The chunks get the lower numbers, so that in order they come before what stands for all of them */
static void add_object(Builder *builder, const HbObject *object)
{
    const HbStoredRows *rows = stored_rows(builder, object);
    guint step;

    if (merge(builder, object))
        return;
    if (object->kind == HB_KIND_ROWS)
        step = add_milestone(builder);
    else
        step = add(builder, (HbStep){.type = HB_STEP_TYPE_OBJECT, .key = g_strdup(object->identity), .object = object},
                   cost_of(object));
    g_hash_table_insert(builder->by_identity, object->identity, GUINT_TO_POINTER(step + 1));
    if (rows != NULL)
        add_chunks(builder, object, rows, step);
    if (builder->wishes->failed_rows != NULL && g_hash_table_contains(builder->wishes->failed_rows, object->identity))
        hb_plan_add_need(
            builder->result->plan, step,
            add(builder, (HbStep){.type = HB_STEP_TYPE_LOST_ROWS, .key = g_strdup(object->identity), .object = object},
                0));
    if (object->kind != HB_KIND_ROWS)
        claim(builder, step, object);
    if (object->on != NULL && (object->kind == HB_KIND_INDEX || object->kind == HB_KIND_SEQUENCE_VALUE))
        g_hash_table_insert(builder->joining, object->on, GUINT_TO_POINTER(step + 1));
}

/* Row sets that are part of another: refreshing the figures of a partitioned table does its partitions, too */
static GHashTable *find_partitions(const Builder *builder)
{
    GHashTable *partitions = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < hb_catalog_count(builder->manifest->catalog); i++) {
        const HbObject *object = hb_catalog_get(builder->manifest->catalog, i);
        for (guint n = 0; object->kind == HB_KIND_ROWS && n < object->needs->len; n++)
            g_hash_table_add(partitions, object->needs->pdata[n]);
    }
    return partitions;
}

static void add_analyze(Builder *builder)
{
    g_autoptr(GHashTable) partitions = find_partitions(builder);

    for (guint i = 0; i < hb_catalog_count(builder->manifest->catalog); i++) {
        const HbObject *object = hb_catalog_get(builder->manifest->catalog, i);
        const HbStoredRows *rows = stored_rows(builder, object);
        if (object->kind != HB_KIND_ROWS || g_hash_table_contains(partitions, object->identity) ||
            (rows != NULL && rows->digest.rows < builder->engine->traits.analyze_from_rows))
            continue;
        HbStep step = {.type = HB_STEP_TYPE_ANALYZE,
                       .key = g_strdup_printf("analyze %s", hb_object_get_name(object)),
                       .table = hb_object_get_name(object)};
        guint number = add(builder, step, rows != NULL ? rows->bytes / ANALYZE_DIVISOR : COST_OF_DEFINITION);
        hb_plan_add_soft_need(builder->result->plan, number, builder->everything);
        hb_plan_add_need(builder->result->plan, number,
                         GPOINTER_TO_UINT(g_hash_table_lookup(builder->by_identity, object->identity)) - 1);
    }
}

/* ---- Clearing ---- */

char *hb_restore_plan_get_cleanup_key(const HbEngine *engine, const HbCleanupItem *item)
{
    if (!engine->traits.transactional_ddl)
        return g_strdup_printf("clear %s", item->identity);
    return item->turn == 0 ? g_strdup("clear the target")
                           : g_strdup_printf("clear the target, part %u", item->turn + 1);
}

static guint add_cleanup_step(Builder *builder, const HbCleanupItem *item, char *sql, guint before)
{
    const HbStep step = {
        .type = HB_STEP_TYPE_CLEANUP, .key = hb_restore_plan_get_cleanup_key(builder->engine, item), .sql = sql};
    guint number = add(builder, step, COST_OF_DEFINITION);

    hb_plan_add_need(builder->result->plan, number, before);
    return number;
}

/* All or nothing, where the server can, or turn by turn; otherwise one after the other, until one fails. Returns the
 * last
 */
static guint add_cleanup(Builder *builder)
{
    g_autoptr(GPtrArray) items = hb_target_cleanup_list(builder->wishes->cleanup);
    g_autoptr(GString) all = g_string_new(NULL);
    guint last = add_milestone(builder);

    for (guint i = 0; i < items->len; i++) {
        const HbCleanupItem *item = items->pdata[i];
        const HbCleanupItem *next = i + 1 < items->len ? items->pdata[i + 1] : NULL;
        g_string_append_printf(all, "%s\n", item->sql);
        if (builder->engine->traits.transactional_ddl && next != NULL && next->turn == item->turn)
            continue;
        last = add_cleanup_step(builder, item, g_strdup(all->str), last);
        g_string_truncate(all, 0);
    }
    return last;
}

static void put_after(Builder *builder, guint last)
{
    const GPtrArray *steps = builder->result->steps;

    for (guint i = last + 1; i < steps->len; i++) {
        if (((const HbStep *)steps->pdata[i])->type != HB_STEP_TYPE_MILESTONE)
            hb_plan_add_need(builder->result->plan, i, last);
    }
}

/* ---- Needs ---- */

static gboolean decides_on_rights(const HbObject *object)
{
    return object->kind == HB_KIND_GRANT || object->kind == HB_KIND_POLICY || object->kind == HB_KIND_ROW_SECURITY;
}

static void add_milestones_of(Builder *builder, guint step, const HbObject *object)
{
    HbPlan *plan = builder->result->plan;

    if (object->kind == HB_KIND_ROWS) {
        hb_plan_add_soft_need(plan, step, builder->structure);
        hb_plan_add_soft_need(plan, builder->rows, step);
    } else if (object->stage == HB_STAGE_USERS) {
        hb_plan_add_soft_need(plan, builder->users, step);
    } else if (object->stage == HB_STAGE_STRUCTURE) {
        hb_plan_add_soft_need(plan, step, builder->users);
        hb_plan_add_soft_need(plan, builder->structure, step);
    } else {
        hb_plan_add_soft_need(plan, step, builder->structure);
    }
    /* The owner of a materialized view fills it, with the rights that he has by then */
    if (decides_on_rights(object) && object->after != HB_AFTER_EVERYTHING)
        hb_plan_add_soft_need(plan, builder->rights, step);
    if (object->kind == HB_KIND_REFRESH)
        hb_plan_add_soft_need(plan, step, builder->rights);
    if (object->after == HB_AFTER_ROWS)
        hb_plan_add_soft_need(plan, step, builder->rows);
    if (object->after == HB_AFTER_EVERYTHING)
        hb_plan_add_soft_need(plan, step, builder->everything);
    else
        hb_plan_add_soft_need(plan, builder->everything, step);
}

static void add_needs(Builder *builder, guint step, const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        guint need = GPOINTER_TO_UINT(g_hash_table_lookup(builder->by_identity, object->needs->pdata[n]));
        if (need != 0)
            hb_plan_add_need(builder->result->plan, step, need - 1);
    }
    add_milestones_of(builder, step, object);
}

/* The milestone of a row set takes over the needs of its chunks, too: an empty set has none */
static void connect(Builder *builder)
{
    GPtrArray *steps = builder->result->steps;

    for (guint i = 0; i < steps->len; i++) {
        const HbStep *step = steps->pdata[i];
        if (step->object != NULL)
            add_needs(builder, i, step->object);
    }
    for (guint i = 0; i < hb_catalog_count(builder->manifest->catalog); i++) {
        const HbObject *object = hb_catalog_get(builder->manifest->catalog, i);
        if (!is_chosen(builder, object))
            continue;
        guint step = GPOINTER_TO_UINT(g_hash_table_lookup(builder->by_identity, object->identity)) - 1;
        gboolean is_joined = ((const HbStep *)steps->pdata[step])->joined != NULL;
        if (object->kind == HB_KIND_ROWS || is_joined)
            add_needs(builder, step, object);
    }
}

static void index_suspended(Builder *builder)
{
    const HbTargetCleanup *cleanup = builder->wishes->cleanup;

    for (guint i = 0; cleanup != NULL && i < cleanup->suspended->len; i++)
        g_hash_table_add(builder->suspended, ((HbCleanupItem *)cleanup->suspended->pdata[i])->identity);
}

static void make(Builder *builder)
{
    guint cleared = builder->wishes->cleanup != NULL ? add_cleanup(builder) : 0;

    index_suspended(builder);
    builder->users = add_milestone(builder);
    builder->structure = add_milestone(builder);
    builder->rows = add_milestone(builder);
    builder->rights = add_milestone(builder);
    builder->everything = add_milestone(builder);
    hb_plan_add_soft_need(builder->result->plan, builder->structure, builder->users);
    for (guint i = 0; i < hb_catalog_count(builder->manifest->catalog); i++) {
        if (is_chosen(builder, hb_catalog_get(builder->manifest->catalog, i)))
            add_object(builder, hb_catalog_get(builder->manifest->catalog, i));
    }
    if (builder->wishes->analyze && !builder->wishes->before_rows)
        add_analyze(builder);
    connect(builder);
    if (builder->wishes->cleanup != NULL)
        put_after(builder, cleared);
}

HbRestorePlan *hb_restore_plan_new(const HbManifest *manifest, const HbEngine *engine,
                                   const HbRestorePlanOptions *wishes, GError **error)
{
    Builder builder = {.manifest = manifest, .engine = engine, .wishes = wishes, .result = g_new0(HbRestorePlan, 1)};

    builder.result->plan = hb_plan_new();
    builder.result->steps = g_ptr_array_new_with_free_func(step_free);
    builder.by_identity = g_hash_table_new(g_str_hash, g_str_equal);
    builder.suspended = g_hash_table_new(g_str_hash, g_str_equal);
    builder.stored = hb_manifest_index_rows(manifest);
    builder.joining = g_hash_table_new(g_str_hash, g_str_equal);
    make(&builder);
    g_hash_table_unref(builder.suspended);
    g_hash_table_unref(builder.by_identity);
    g_hash_table_unref(builder.stored);
    g_hash_table_unref(builder.joining);
    if (!hb_plan_seal(builder.result->plan, wishes->in_order, error))
        g_clear_pointer(&builder.result, hb_restore_plan_free);
    return builder.result;
}

const char *hb_step_get_name(const HbStep *step)
{
    return step->type == HB_STEP_TYPE_CHUNK ? step->object->identity : step->key;
}
