/* SPDX-License-Identifier: Apache-2.0 */
/* Changes of a table that follow each other, folded: brought over, they must leave what each of them alone would */
#include "support/check.h"

#include "core/rows/changes.h"
#include "core/rows/key_condition.h"
#include "engine/postgres/dialect/dialect.h"

#include <string.h>

/* A table "code, name, note" with the key code, as a map from keys to the two other fields */
typedef struct {
    HbRowSet *set;
    GArray *key;
    HbCatalog *catalog;
} Fixture;

static int set_up(void **state)
{
    static const char *const columns[] = {"code", "name", "note"};
    const guint first = 0;
    Fixture *fixture = g_new0(Fixture, 1);

    fixture->catalog = hb_catalog_new();
    fixture->set = hb_catalog_add_row_set(fixture->catalog, "rows plot", "plot");
    for (gsize i = 0; i < G_N_ELEMENTS(columns); i++)
        g_ptr_array_add(fixture->set->columns, g_strdup(columns[i]));
    fixture->key = g_array_new(FALSE, FALSE, sizeof(guint));
    g_array_append_val(fixture->key, first);
    *state = fixture;
    return 0;
}

static int tear_down(void **state)
{
    Fixture *fixture = *state;

    hb_catalog_free(fixture->catalog);
    g_array_unref(fixture->key);
    g_free(fixture);
    return 0;
}

/* ---- A table in memory ---- */

typedef GHashTable Table; /* key to "name\tnote" */

static Table *table_new(void)
{
    return g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
}

static void put(Table *table, const char *key, const char *rest)
{
    g_hash_table_insert(table, g_strdup(key), g_strdup(rest));
}

/* What stays of the old row, and what the new one says: kept is a field's number (1: name, 2: note), 0: none */
static char *blend(const char *old, const char *rest, int kept)
{
    g_auto(GStrv) before = g_strsplit(old, "\t", 2), now = g_strsplit(rest, "\t", 2);

    return g_strdup_printf("%s\t%s", kept == 1 ? before[0] : now[0], kept == 2 ? before[1] : now[1]);
}

/* Rows that are to go and are not there, and those that come and are there, are counted */
static guint bring(Table *table, const HbChanges *changes)
{
    const GPtrArray *list = hb_changes_list(changes);
    guint wrong = 0;

    if (hb_changes_are_all_gone(changes))
        g_hash_table_remove_all(table);
    for (guint i = 0; i < list->len; i++) {
        const HbChangedRow *row = list->pdata[i];
        if (row->was_there && row->kept == NULL)
            wrong += !g_hash_table_remove(table, row->key);
    }
    for (guint i = 0; i < list->len; i++) {
        const HbChangedRow *row = list->pdata[i];
        g_autofree char *rest = NULL, *blended = NULL;
        if (row->row == NULL)
            continue;
        assert_int_equal(row->row[row->row_length - 1], '\n');
        assert_memory_equal(row->row, row->key, row->key_length);
        rest = g_strndup(row->row + row->key_length + 1, row->row_length - row->key_length - 2);
        if (row->kept == NULL) {
            wrong += g_hash_table_contains(table, row->key);
            put(table, row->key, rest);
            continue;
        }
        assert_true(row->was_there);
        if (!g_hash_table_contains(table, row->key)) {
            wrong++;
            continue;
        }
        blended = blend(g_hash_table_lookup(table, row->key), rest, row->kept[1] ? (row->kept[2] ? 3 : 1) : 2);
        put(table, row->key,
            row->kept[1] && row->kept[2] ? (const char *)g_hash_table_lookup(table, row->key) : blended);
    }
    return wrong;
}

static gboolean is_same(Table *one, Table *other)
{
    GHashTableIter iter;
    gpointer key, rest;

    g_hash_table_iter_init(&iter, one);
    while (g_hash_table_iter_next(&iter, &key, &rest)) {
        if (g_strcmp0(g_hash_table_lookup(other, key), rest) != 0)
            return FALSE;
    }
    return g_hash_table_size(one) == g_hash_table_size(other);
}

/* ---- Random histories ---- */

typedef struct {
    const Fixture *fixture;
    GRand *random;
    Table *source, *copy;
    HbChanges *changes;
} History;

static void hand_over(History *history)
{
    assert_int_equal(bring(history->copy, history->changes), 0);
    hb_changes_free(history->changes);
    history->changes = hb_changes_new(history->fixture->set, history->fixture->key);
    assert_true(is_same(history->source, history->copy));
}

static void insert_one(History *history, const char *key, const char *rest)
{
    g_autofree char *row = g_strdup_printf("%s\t%s\n", key, rest);

    put(history->source, key, rest);
    hb_changes_insert(history->changes, key, strlen(key), row, strlen(row));
}

static void update_one(History *history, const char *old_key, const char *key, const char *rest, int kept)
{
    const guint8 bits[] = {FALSE, kept == 1, kept == 2};
    g_autofree char *shown = blend("\\N\t\\N", rest, kept), *row = g_strdup_printf("%s\t%s\n", key, shown);
    g_autofree char *blended = blend(g_hash_table_lookup(history->source, old_key), rest, kept);
    const gboolean moves = strcmp(old_key, key) != 0;

    while (!hb_changes_update(history->changes, moves ? old_key : NULL, strlen(old_key), key, strlen(key), row,
                              strlen(row), kept > 0 ? bits : NULL)) {
        assert_true(moves && kept > 0);
        hand_over(history); /* and what cannot be folded is brought alone */
        g_hash_table_remove(history->source, old_key);
        g_hash_table_remove(history->copy, old_key);
        put(history->source, key, blended);
        put(history->copy, key, blended);
        return;
    }
    g_hash_table_remove(history->source, old_key);
    put(history->source, key, blended);
}

static void step(History *history)
{
    g_autofree char *key = g_strdup_printf("%c", 'A' + g_rand_int_range(history->random, 0, 8)),
                    *other = g_strdup_printf("%c", 'A' + g_rand_int_range(history->random, 0, 8)),
                    *rest = g_strdup_printf("n%u\tt%u", g_rand_int(history->random) % 100,
                                            g_rand_int(history->random) % 100);
    const int kept = MAX(g_rand_int_range(history->random, -2, 3), 0);

    if (g_rand_int_range(history->random, 0, 60) == 0) {
        g_hash_table_remove_all(history->source);
        hb_changes_empty(history->changes);
    } else if (!g_hash_table_contains(history->source, key)) {
        insert_one(history, key, rest);
    } else if (g_rand_boolean(history->random) && strcmp(key, other) != 0 &&
               !g_hash_table_contains(history->source, other)) {
        update_one(history, key, other, rest, kept);
    } else if (g_rand_int_range(history->random, 0, 3) == 0) {
        g_hash_table_remove(history->source, key);
        hb_changes_delete(history->changes, key, strlen(key));
    } else {
        update_one(history, key, key, rest, kept);
    }
}

static void folded_changes_leave_what_each_alone_would(void **state)
{
    for (guint32 seed = 1; seed <= 400; seed++) {
        History history = {
            .fixture = *state, .random = g_rand_new_with_seed(seed), .source = table_new(), .copy = table_new()};
        history.changes = hb_changes_new(history.fixture->set, history.fixture->key);
        for (guint i = 0; i < 200; i++) {
            step(&history);
            if (g_rand_int_range(history.random, 0, 25) == 0)
                hand_over(&history);
        }
        hand_over(&history);
        hb_changes_free(history.changes);
        g_hash_table_unref(history.source);
        g_hash_table_unref(history.copy);
        g_rand_free(history.random);
    }
}

static void what_comes_and_goes_costs_no_statement(void **state)
{
    const Fixture *fixture = *state;
    HbChanges *changes = hb_changes_new(fixture->set, fixture->key);
    const HbChangedRow *row;

    hb_changes_insert(changes, "A", 1, "A\tx\ty\n", 6);
    hb_changes_delete(changes, "A", 1);
    assert_int_equal(hb_changes_list(changes)->len, 0);
    hb_changes_insert(changes, "A", 1, "A\tx\tz\n", 6);
    row = hb_changes_list(changes)->pdata[0];
    assert_false(row->was_there);
    assert_string_equal(row->row, "A\tx\tz\n");
    assert_true(hb_changes_get_bytes(changes) > 12);
    hb_changes_free(changes);
}

/* Rows are named by their keys, so many as are asked for */
static void changed_rows_become_a_condition(void **state)
{
    static const char *const conditions[] = {"(code) IN ()", "(code) IN (('a'))", "(code) IN (('a'), ('it''s'))"};
    Fixture *fixture = *state;
    HbChanges *changes = hb_changes_new(fixture->set, fixture->key);
    const GPtrArray *list;

    hb_changes_insert(changes, "a", 1, "a\tx\ty\n", 6);
    hb_changes_delete(changes, "it's", 4);
    hb_changes_delete(changes, "c", 1);
    list = hb_changes_list(changes);
    assert_int_equal(list->len, 3);
    for (guint count = 0; count < G_N_ELEMENTS(conditions); count++) {
        g_autofree char *sql = hb_key_condition_of_changed(changes, fixture->set, &hb_pg_dialect,
                                                           (HbChangedRow *const *)list->pdata, count);
        assert_string_equal(sql, conditions[count]);
    }
    hb_changes_free(changes);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup_teardown(folded_changes_leave_what_each_alone_would, set_up, tear_down),
        cmocka_unit_test_setup_teardown(what_comes_and_goes_costs_no_statement, set_up, tear_down),
        cmocka_unit_test_setup_teardown(changed_rows_become_a_condition, set_up, tear_down),
    };

    return cmocka_run_group_tests(tests, NULL, NULL);
}
