/* SPDX-License-Identifier: Apache-2.0 */
#include "work/freshen/pass_inner.h"

/*
 * What a pass has to do with a copy beside its rows: what the copy remembers, and what else of it differs.
 */

/* What was chosen and renamed when the copy was made need not be said again, and cannot become something else */
gboolean hb_pass_adopt_origin(HbPassOptions *options, const HbOrigin *origin, GError **error)
{
    const HbOrigin given = {
        .parts = options->to.parts,
        .selection = hb_selection_is_partial(options->from.selection) ? (HbSelection *)options->from.selection : NULL,
        .wishes = options->to.wishes};

    if (!hb_origin_is_same_choice(&given, NULL) && !hb_origin_is_same_choice(&given, origin))
        return hb_error_set(error, HB_ERROR_USAGE,
                            "leave out --parts, --take, --skip, --rename, --ownership and --grants",
                            "TO remembers another choice or other names than those that are given here");
    options->origin = origin;
    options->from.parts = options->to.parts = origin->parts;
    options->to.wishes = origin->wishes;
    options->to.wishes.lenient = TRUE; /* what it names may be gone from the source by now */
    if (origin->selection != NULL) {
        origin->selection->lenient = TRUE;
        options->from.selection = origin->selection;
    }
    return TRUE;
}

/* A copy that applications are kept out of differs by that */
static void drop_explained(const HbPass *pass, GPtrArray *differences)
{
    const char *gate = pass->options.origin != NULL ? pass->options.origin->gate : NULL;

    for (guint i = differences->len; gate != NULL && i-- > 0;) {
        const HbDifference *one = differences->pdata[i];
        if (pass->options.to.engine->gate->explains(gate, one->identity))
            g_ptr_array_remove_index(differences, i);
    }
}

/*
 * What is not rows is compared when all is done: it says what a pass does not change. FROM is as it was in the
 * snapshot, and TO, too, unless something of it was made
 */
gboolean hb_pass_compare_rest(const HbPass *pass, const HbRestoreResult *result, HbVerification *rest, GError **error)
{
    const HbPassOptions *options = &pass->options;
    const HbManifest *source = hb_pass_get_source(pass),
                     *copy = result->done == 0 && source->selection == NULL ? hb_pass_get_copy(pass) : NULL;
    const HbVerifyOptions verify = {.from = {NULL, options->from.engine, options->from.from, source},
                                    .to = {NULL, options->to.engine, options->to.to, copy},
                                    .parts = options->from.parts & ~(guint)HB_PART_DATA,
                                    .selection = source->selection,
                                    .wishes = options->to.wishes,
                                    .jobs = 1,
                                    .lock_wait_ms = options->from.lock_wait_ms,
                                    .stop = options->from.stop,
                                    .observers = options->from.observers};

    if (verify.parts == 0) {
        hb_verification_init(rest);
        return TRUE;
    }
    if (!hb_verify_run(&verify, rest, error))
        return FALSE;
    drop_explained(pass, rest->differences);
    return TRUE;
}

void hb_pass_list_changed(const HbPass *pass, const GPtrArray *changed, GHashTable *from, GHashTable *to)
{
    GHashTableIter iter;
    gpointer one, other;

    for (guint i = 0; i < pass->tables->len; i++) {
        const HbPassTable *table = pass->tables->pdata[i];
        g_hash_table_add(from, g_strdup(table->from->table));
        g_hash_table_add(to, g_strdup(table->table));
    }
    g_hash_table_iter_init(&iter, pass->followed);
    while (g_hash_table_iter_next(&iter, &one, &other)) {
        const char *name = ((const HbRowSet *)other)->table;
        if (!g_ptr_array_find_with_equal_func((GPtrArray *)changed, name, g_str_equal, NULL))
            continue;
        g_hash_table_add(from, g_strdup(((const HbRowSet *)one)->table));
        g_hash_table_add(to, g_strdup(name));
    }
}
