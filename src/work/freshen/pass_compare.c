/* SPDX-License-Identifier: Apache-2.0 */
#include "work/freshen/pass_inner.h"

#include "core/rows/key_condition.h"

#include <string.h>

/* Beyond this share of its rows a table is loaded anew */
#define ANEW_FROM_PERCENT 50

/* ---- Which tables ---- */

/* One of the source's row sets, and what it meets */
typedef struct {
    const HbRowSet *from, *wanted, *to; /* wanted: from, by the target's names; to: NULL, it is not there */
} Pair;

static char coding_of(const HbRowSet *set, guint column)
{
    return column < set->hex_columns->len ? set->hex_columns->str[column] : 't';
}

static gboolean has_same_columns(const HbRowSet *one, const HbRowSet *other)
{
    if (one->columns->len != other->columns->len)
        return FALSE;
    for (guint i = 0; i < one->columns->len; i++) {
        if (strcmp(one->columns->pdata[i], other->columns->pdata[i]) != 0 || coding_of(one, i) != coding_of(other, i))
            return FALSE;
    }
    return TRUE;
}

static HbPassTable *add_table(HbPass *pass, const Pair *pair)
{
    HbPassTable *table = g_new0(HbPassTable, 1);

    table->table = g_strdup(pair->wanted->table);
    table->from = pair->from;
    table->to = pair->to;
    g_ptr_array_add(pass->tables, table);
    return table;
}

static GArray *list_pairs(HbPass *pass)
{
    const GPtrArray *from = hb_catalog_get_row_sets(pass->manifest->catalog),
                    *wanted = hb_catalog_get_row_sets(pass->wanted);
    g_autoptr(GHashTable) there = hb_catalog_index_row_sets(pass->target->manifest->catalog);
    GArray *pairs = g_array_new(FALSE, FALSE, sizeof(Pair));

    for (guint i = 0; i < from->len; i++) {
        const HbRowSet *set = wanted->pdata[i];
        const Pair pair = {from->pdata[i], set, g_hash_table_lookup(there, set->identity)};
        g_array_append_val(pairs, pair);
    }
    return pairs;
}

/* The bytes of large objects are in no table that could be emptied */
static gboolean is_of_table(const HbPass *pass, const HbRowSet *set)
{
    const HbObject *rows = hb_catalog_find(pass->target->manifest->catalog, set->identity);

    return rows == NULL || rows->needs->len == 0 || !g_str_has_prefix(rows->needs->pdata[0], "large-objects ");
}

static void refuse(HbPass *pass, const Pair *pair)
{
    HbPassTable *table = add_table(pass, pair);

    table->bytes = pair->from->bytes;
    if (pair->to != NULL)
        table->refusal = g_strdup("it has other columns in TO");
}

/* Those that can be compared; of the others it is said why not */
static void choose_pairs(HbPass *pass, GArray *pairs)
{
    for (guint i = pairs->len; i-- > 0;) {
        const Pair pair = g_array_index(pairs, Pair, i);
        const gboolean is_alike = pair.to != NULL && has_same_columns(pair.wanted, pair.to);
        pass->has_large_objects |= pair.to != NULL && !is_of_table(pass, pair.to);
        if (!is_alike)
            refuse(pass, &pair);
        if (is_alike && hb_pass_takes_from_log(pass, pair.from, pair.to)) {
            g_array_remove_index(pairs, i);
            continue;
        }
        g_ptr_array_add(pass->unfollowed, pair.wanted->table);
        if (!is_alike)
            g_array_remove_index(pairs, i);
    }
}

/* ---- Reading both sides ---- */

typedef struct {
    HbSnapshotSource *side;
    HbRowSums *sums;
    GPtrArray *sets;
    guint first_worker;
    GError *error;
} Reading;

static gpointer read_side(gpointer data)
{
    Reading *side = data;
    const HbSnapshotSourceOptions *options = side->side->options;
    const HbSnapshotRows reading = {.engine = options->engine,
                                    .address = &options->from,
                                    .snapshot = &side->side->snapshot,
                                    .sets = side->sets,
                                    .sessions = side->side->readers,
                                    .keeps_sessions = TRUE,
                                    .jobs = side->side->readers->len,
                                    .first_worker = side->first_worker,
                                    .throttle = options->throttle,
                                    .stop = options->stop,
                                    .observers = options->observers,
                                    .phase = "comparing rows"};

    if (!hb_row_sums_read(side->sums, &reading, TRUE, &side->error))
        hb_stop_trigger(options->stop);
    return NULL;
}

/* A dump says what its rows come to; it is read only where they differ */
static void take_sums_of_dump(HbPass *pass, const GArray *pairs)
{
    for (guint i = 0; i < pairs->len; i++) {
        const HbRowSet *set = g_array_index(pairs, Pair, i).from;
        const HbStoredRows *stored = hb_pass_find_stored(pass, set);
        HbRowSum *sum = g_new0(HbRowSum, 1);
        *sum = (HbRowSum){.digest = stored->digest, .stored = stored};
        g_hash_table_insert(pass->from.table, set->identity, sum);
    }
}

static gboolean read_both(HbPass *pass, const GArray *pairs, GError **error)
{
    Reading from = {pass->source, &pass->from, g_ptr_array_new(), pass->target->readers->len, NULL};
    Reading to = {pass->target, &pass->to, g_ptr_array_new(), 0, NULL};
    GThread *thread = NULL;

    for (guint i = 0; i < pairs->len; i++) {
        const Pair *pair = &g_array_index(pairs, Pair, i);
        g_ptr_array_add(from.sets, (gpointer)pair->from);
        g_ptr_array_add(to.sets, (gpointer)pair->to);
    }
    if (pass->source != NULL)
        thread = g_thread_new("from", read_side, &from);
    else
        take_sums_of_dump(pass, pairs);
    read_side(&to);
    if (thread != NULL)
        g_thread_join(thread);
    g_ptr_array_unref(from.sets);
    g_ptr_array_unref(to.sets);
    return !hb_error_propagate_cause(from.error, to.error, error);
}

/* ---- What differs ---- */

/* Only readers are in the snapshot, with every engine; that of the keeper may be for locks only */
static HbRowPlace place_of(const HbSnapshotSource *side)
{
    return (HbRowPlace){.engine = side->options->engine,
                        .session = side->readers->pdata[0],
                        .throttle = side->options->throttle,
                        .stop = side->options->stop,
                        .observers = side->options->observers};
}

static HbRowPlace place_of_dump(const HbPass *pass)
{
    return (HbRowPlace){.engine = pass->options.from.engine,
                        .dump = pass->options.dump,
                        .stop = pass->options.from.stop,
                        .observers = pass->options.from.observers};
}

static void share_out(HbPassTable *table, const GArray *sketched)
{
    table->coming = g_array_new(FALSE, FALSE, sizeof(HbSketchedRow));
    table->going = g_array_new(FALSE, FALSE, sizeof(HbSketchedRow));
    for (guint i = 0; i < sketched->len; i++) {
        const HbSketchedRow *row = &g_array_index(sketched, HbSketchedRow, i);
        g_array_append_vals(row->count > 0 ? table->coming : table->going, row, 1);
    }
}

static void load_anew(HbPassTable *table, const HbRowSum *from, const HbRowSum *to)
{
    table->all_anew = TRUE;
    table->bytes = table->from->bytes;
    table->counts[HB_ROW_MISSING] = from->digest.rows;
    table->counts[HB_ROW_EXTRA] = to->digest.rows;
    table->counts[HB_ROW_CHANGED] = 0;
}

static gboolean is_large_share(const HbPassTable *table, const HbRowSum *from, const HbRowSum *to)
{
    const guint64 touched = (guint64)table->coming->len + table->going->len;

    return touched * 100 > (from->digest.rows + to->digest.rows) * ANEW_FROM_PERCENT;
}

/* Can the rows be changed one by one? They have keys, or few enough of them have none */
static gboolean can_be_told(const HbPass *pass, const HbPassTable *table, const GArray *sketched, guint one_in)
{
    return one_in == 1 && (hb_key_condition_is_possible(table->to, sketched) ||
                           table->going->len <= pass->options.to.engine->traits.keyless_changes);
}

static void describe(const HbPass *pass, HbPassTable *table, const GArray *sketched, guint one_in, const HbRowSum *from,
                     const HbRowSum *to)
{
    HbRowDifference *difference = hb_row_difference_new(sketched, to->set, one_in);
    const gboolean is_of_no_table = !is_of_table(pass, table->to);

    memcpy(table->counts, difference->counts, sizeof table->counts);
    hb_row_difference_free(difference);
    share_out(table, sketched);
    table->bytes = from->digest.rows > 0 ? table->from->bytes / from->digest.rows * table->coming->len : 0;
    if (can_be_told(pass, table, sketched, one_in) &&
        (is_of_no_table || (to->digest.rows > 0 && !is_large_share(table, from, to))))
        return;
    if (is_of_no_table) {
        table->refusal = g_strdup("too much of them differs for a pass: carry them anew");
        return;
    }
    g_clear_pointer(&table->coming, g_array_unref);
    g_clear_pointer(&table->going, g_array_unref);
    load_anew(table, from, to);
}

static gboolean compare_pair(HbPass *pass, const Pair *pair, GError **error)
{
    const HbRowSum *from = g_hash_table_lookup(pass->from.table, pair->from->identity),
                   *to = g_hash_table_lookup(pass->to.table, pair->to->identity);
    const HbRowPlace from_place = pass->source != NULL ? place_of(pass->source) : place_of_dump(pass),
                     to_place = place_of(pass->target);
    g_autoptr(GArray) sketched = NULL;
    guint one_in;

    pass->rows += from->digest.rows;
    if (hb_digest_is_equal(&from->digest, &to->digest))
        return TRUE;
    if (!hb_find_differing_rows(&from_place, &to_place, from, to, &sketched, &one_in, error))
        return FALSE;
    describe(pass, add_table(pass, pair), sketched, one_in, from, to);
    return TRUE;
}

/* The largest work first */
static gint compare_work(gconstpointer one, gconstpointer other)
{
    const HbPassTable *a = *(HbPassTable *const *)one, *b = *(HbPassTable *const *)other;

    return a->bytes != b->bytes ? (a->bytes > b->bytes ? -1 : 1) : strcmp(a->table, b->table);
}

gboolean hb_pass_compare(HbPass *pass, GError **error)
{
    g_autoptr(GArray) pairs = list_pairs(pass);
    gboolean ok;

    choose_pairs(pass, pairs);
    pass->compared = pairs->len;
    ok = read_both(pass, pairs, error);
    for (guint i = 0; i < pairs->len && ok; i++) {
        const Pair *pair = &g_array_index(pairs, Pair, i);
        ok = compare_pair(pass, pair, error);
    }
    g_ptr_array_sort(pass->tables, compare_work);
    return ok;
}
