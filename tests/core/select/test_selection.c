/* SPDX-License-Identifier: Apache-2.0 */
#include "support/check.h"

#include "core/graph/order.h"
#include "core/select/selection.h"
#include "engine/postgres/dialect/dialect.h"

#include <string.h>

/* Two schemas; a tree stands on a plot, and a view in another schema shows both */
static const char garden[] = "role keeper\nrole owner\nschema garden\nschema loans\n"
                             "type garden.mood: schema garden\n"
                             "table garden.plot: schema garden\n"
                             "table garden.tree: schema garden, type garden.mood\n"
                             "table loans.loan: schema loans\n"
                             "rows garden.plot: table garden.plot\nrows garden.tree: table garden.tree\n"
                             "rows loans.loan: table loans.loan\n"
                             "key garden.plot.pk: table garden.plot, rows garden.plot\n"
                             "index garden.by_mood: table garden.tree, rows garden.tree\n"
                             "foreign-key garden.tree.fk: table garden.tree, table garden.plot, key garden.plot.pk, "
                             "rows garden.tree, rows garden.plot\n"
                             "view loans.desk: schema loans, table garden.tree, table loans.loan\n"
                             "comment view loans.desk: view loans.desk\n"
                             "function garden.age(date,date): schema garden\n"
                             "grant table garden.plot: table garden.plot\n"
                             "grant keeper on the database: role keeper";

typedef struct {
    const char *claim;
    const char *take; /* patterns, split at blanks */
    const char *skip;
    gboolean without_needs;
    const char *kept;      /* in order */
    const char *pulled_in; /* what came along, or would have */
    const char *lost;      /* identities of omissions */
} Case;

static const Case cases[] = {
    {"a table brings its parts, and what its foreign key points to with its rows", "table:tree", "", FALSE,
     "schema garden; type garden.mood; table garden.plot; table garden.tree; rows garden.plot; rows garden.tree; "
     "key garden.plot.pk; index garden.by_mood; foreign-key garden.tree.fk",
     "schema garden; type garden.mood; table garden.plot", ""},
    {"a view brings its tables without their rows, and only parts that bring nothing more", "view:loans.*", "", FALSE,
     "schema garden; schema loans; type garden.mood; table garden.tree; table loans.loan; view loans.desk; "
     "index garden.by_mood; comment view loans.desk",
     "schema garden; schema loans; type garden.mood; table garden.tree; table loans.loan", ""},
    {"a schema is all that stands in it", "schema:loans", "view", FALSE,
     "schema loans; table loans.loan; rows loans.loan", "", ""},
    {"structure without rows keeps its keys", "", "rows:garden.* schema:loans", FALSE,
     "role keeper; role owner; schema garden; type garden.mood; function garden.age(date,date); table garden.plot; "
     "table garden.tree; key garden.plot.pk; index garden.by_mood; foreign-key garden.tree.fk; "
     "grant keeper on the database; grant table garden.plot",
     "", ""},
    {"rows that point to skipped rows lose their foreign key", "table:tree", "rows:plot", FALSE,
     "schema garden; type garden.mood; table garden.plot; table garden.tree; rows garden.tree; key garden.plot.pk; "
     "index garden.by_mood",
     "schema garden; type garden.mood; table garden.plot", "foreign-key garden.tree.fk"},
    {"what needs a skipped table is lost by name, its comment without one; rights stay where users are skipped", "",
     "table:tree schema:garden user:*", FALSE,
     "schema loans; table loans.loan; rows loans.loan; grant keeper on the database", "", "view loans.desk"},
    {"alone: what is needed is named and left out", "table:tree", "", TRUE,
     "table garden.tree; rows garden.tree; index garden.by_mood; foreign-key garden.tree.fk",
     "schema garden; type garden.mood; table garden.plot", ""},
    {"kinds in the plural, globs, arguments", "functions:a?e", "", FALSE,
     "schema garden; function garden.age(date,date)", "schema garden", ""},
    {"arguments count when the pattern has a parenthesis", "function:age(date,*)", "", FALSE,
     "schema garden; function garden.age(date,date)", "schema garden", ""},
    {"any kind, by schema", "*:loans.loan", "", FALSE, "schema loans; table loans.loan; rows loans.loan",
     "schema loans", ""},
};

static HbCatalog *make_garden(void)
{
    HbCatalog *catalog = check_read_catalog(garden);
    HbObject *plot = hb_catalog_find(catalog, "table garden.plot");
    HbObject *grant = hb_catalog_find(catalog, "grant table garden.plot");

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        if (object->stage >= HB_STAGE_ROWS && object->needs->len > 0 && object->kind != HB_KIND_GRANT) {
            g_free(object->on);
            object->on = g_strdup(object->needs->pdata[0]);
        }
    }
    g_free(grant->definition);
    grant->definition = g_strdup("GRANT SELECT ON TABLE garden.plot TO keeper;");
    g_assert(plot->owner == NULL);
    assert_true(hb_order_arrange(catalog, NULL));
    return catalog;
}

static void add_patterns(HbSelection *selection, const char *option, const char *texts)
{
    g_auto(GStrv) words = g_strsplit(texts, " ", -1);

    for (char **word = words; *word != NULL && **word != '\0'; word++)
        assert_true(hb_selection_add(selection, option, *word, NULL));
}

static HbSelection *make_choice(const char *take, const char *skip)
{
    HbSelection *selection = hb_selection_new();

    add_patterns(selection, "take", take);
    add_patterns(selection, "skip", skip);
    return selection;
}

static char *join_lost(const HbCatalog *catalog)
{
    const GPtrArray *omissions = hb_catalog_get_omissions(catalog);
    GString *list = g_string_new(NULL);

    for (guint i = 0; i < omissions->len; i++)
        g_string_append_printf(list, "%s%s", i > 0 ? "; " : "", ((HbOmission *)omissions->pdata[i])->what);
    return g_string_free(list, FALSE);
}

static void what_is_chosen_comes_with_what_it_needs(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(HbCatalog) catalog = make_garden();
        g_autoptr(HbSelection) selection = make_choice(cases[i].take, cases[i].skip);
        g_autoptr(GPtrArray) pulled_in = g_ptr_array_new_with_free_func(g_free);
        GError *error = NULL;

        selection->without_needs = cases[i].without_needs;
        hb_selection_apply(selection, catalog, &hb_pg_dialect, TRUE, pulled_in, &error);
        check_no_error(error);
        g_ptr_array_add(pulled_in, NULL);
        g_autofree char *kept = check_list_identities(catalog);
        g_autofree char *company = g_strjoinv("; ", (char **)pulled_in->pdata);
        g_autofree char *lost = join_lost(catalog);
        if (g_strcmp0(kept, cases[i].kept) != 0 || g_strcmp0(company, cases[i].pulled_in) != 0 ||
            g_strcmp0(lost, cases[i].lost) != 0)
            fail_msg("%s:\n kept %s\n along %s\n lost %s", cases[i].claim, kept, company, lost);
    }
}

/* What was not carried is told as long as it is wanted, whether it is called by itself or within a phrase */
static void what_is_not_wanted_is_not_missed(void **state)
{
    static const struct {
        const char *take, *skip, *parts, *told;
    } omitted[] = {
        {"", "", "schema", "table lost; secret options of index lost.i; cast"},
        {"", "", "data", "cast"},
        {"table:lost", "", "schema", "table lost; secret options of index lost.i; cast"},
        {"table:other", "", "schema", "secret options of index lost.i; cast"},
        {"", "table:lost", "schema", "secret options of index lost.i; cast"},
        {"", "index:*", "schema", "table lost; cast"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(omitted); i++) {
        g_autoptr(HbCatalog) catalog = hb_catalog_new();
        g_autoptr(HbSelection) selection = make_choice(omitted[i].take, omitted[i].skip);
        g_autofree char *told = NULL;
        guint parts;
        hb_catalog_add_omission(catalog, "table lost", "why");
        hb_catalog_add_omission(catalog, "secret options of index lost.i", "why");
        hb_catalog_add_omission(catalog, "cast", "why");
        assert_true(hb_parts_read(omitted[i].parts, &parts, NULL));
        hb_selection_apply_to_omissions(selection, parts, catalog);
        told = join_lost(catalog);
        if (strcmp(told, omitted[i].told) != 0)
            fail_msg("case %zu: “%s”, expected “%s”", i, told, omitted[i].told);
    }
}

static void owners_and_those_who_are_granted_something_come_along(void **state)
{
    g_autoptr(HbCatalog) catalog = make_garden();
    g_autoptr(HbSelection) selection = make_choice("table:plot", "");
    g_autofree char *kept = NULL;

    (void)state;
    hb_catalog_find(catalog, "table garden.plot")->owner = g_strdup("owner");
    assert_true(hb_selection_apply(selection, catalog, &hb_pg_dialect, TRUE, NULL, NULL));
    kept = check_list_identities(catalog);
    check_contains(kept, "role keeper; role owner; schema garden; table garden.plot;");
}

static void patterns_that_fit_nothing_are_told(void **state)
{
    static const struct {
        const char *take, *skip, *part;
    } wrong[] = {{"table:three", "", "--take table:three: there is no such object"},
                 {"table:zz*", "", "--take table:zz*"},
                 {"", "rows:three", "--skip rows:three"}};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(wrong); i++) {
        g_autoptr(HbCatalog) catalog = make_garden();
        g_autoptr(HbSelection) selection = make_choice(wrong[i].take, wrong[i].skip);
        GError *error = NULL;
        assert_false(hb_selection_apply(selection, catalog, &hb_pg_dialect, TRUE, NULL, &error));
        check_error(&error, HB_ERROR_USAGE, wrong[i].part);
        selection->lenient = TRUE;
        assert_true(hb_selection_apply(selection, catalog, &hb_pg_dialect, TRUE, NULL, NULL));
    }
}

static void words_that_choose_nothing_are_refused(void **state)
{
    static const char *const wrong[] = {"tabel:x", "table:", "*", "database", ":x", ""};
    g_autoptr(HbSelection) selection = hb_selection_new();

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(wrong); i++) {
        GError *error = NULL;
        assert_false(hb_selection_add(selection, "take", wrong[i], &error));
        check_error(&error, HB_ERROR_USAGE, "--take");
    }
}

static void databases_are_chosen_apart_from_objects(void **state)
{
    g_autoptr(HbSelection) selection = make_choice("database:gar* table:tree", "database:garage");
    g_autoptr(HbSelection) copy = hb_selection_copy(selection);

    (void)state;
    assert_true(hb_selection_takes_database(copy, "garden"));
    assert_false(hb_selection_takes_database(copy, "garage"));
    assert_false(hb_selection_takes_database(copy, "loans"));
    assert_true(hb_selection_takes_database(NULL, "loans"));
    assert_true(hb_selection_is_partial(copy));
    g_autoptr(HbSelection) databases = make_choice("database:garden", "");
    assert_false(hb_selection_is_partial(databases));
}

/* A view and a function that need each other, and a view that only the first of them keeps from being made */
static void a_placeholder_never_stays_for_what_does_not_come(void **state)
{
    static const struct {
        const char *take, *skip, *kept, *lost;
    } rows[] = {
        {"", "view:card", "schema garden; view garden.hall", "function garden.card_of()"},
        {"", "view:hall", "schema garden", "function garden.card_of(); view garden.card"},
        {"function", "",
         "schema garden; view garden.hall; placeholder view garden.card; function garden.card_of(); view garden.card",
         ""},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(rows); i++) {
        g_autoptr(HbCatalog) catalog =
            check_read_catalog("schema garden\nview garden.hall: schema garden\n"
                               "function garden.card_of(): schema garden, view garden.card\n"
                               "view garden.card: schema garden, function garden.card_of(), view garden.hall");

        g_autoptr(HbSelection) selection = make_choice(rows[i].take, rows[i].skip);
        g_autofree char *kept = NULL, *omitted = NULL;
        GError *error = NULL;

        hb_catalog_find(catalog, "view garden.card")->stand_in = g_strdup("stand in");
        assert_true(hb_order_arrange(catalog, &error));
        hb_selection_apply(selection, catalog, &hb_pg_dialect, TRUE, NULL, &error);
        check_no_error(error);
        kept = check_list_identities(catalog);
        omitted = join_lost(catalog);
        assert_string_equal(kept, rows[i].kept);
        assert_string_equal(omitted, rows[i].lost);
    }
}

/* What is skipped may be further down than the first need; and rows that are skipped are no object's end */
static void a_placeholder_does_not_stay_for_what_is_skipped_far_below(void **state)
{
    static const struct {
        const char *skip;
        gboolean stays;
    } rows[] = {{"table:t", FALSE}, {"rows:t", TRUE}, {"view:middle", FALSE}, {"table:other", TRUE}};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(rows); i++) {
        g_autoptr(HbCatalog) catalog =
            check_read_catalog("schema s\ntable s.t: schema s\nrows s.t: table s.t\ntable s.other: schema s\n"
                               "view s.middle: schema s, table s.t, rows s.t\nfunction s.f(): schema s, view s.card\n"
                               "view s.card: schema s, function s.f(), view s.middle");
        g_autoptr(HbSelection) selection = make_choice("", rows[i].skip);
        g_autofree char *kept = NULL;
        GError *error = NULL;

        hb_catalog_find(catalog, "view s.card")->stand_in = g_strdup("stand in");
        assert_true(hb_order_arrange(catalog, &error));
        hb_selection_apply(selection, catalog, &hb_pg_dialect, TRUE, NULL, &error);
        check_no_error(error);
        kept = check_list_identities(catalog);
        if ((strstr(kept, "placeholder view s.card") != NULL) != rows[i].stays)
            fail_msg("--skip %s: %s", rows[i].skip, kept);
    }
}

/* What comes along brings no part that would bring more; a foreign key is a part only with the rows that it checks */
static void what_comes_along_is_as_whole_as_it_can_be(void **state)
{
    g_autoptr(HbCatalog) catalog = check_read_catalog(
        "schema s\nfunction s.f(int): schema s\ntable s.a: schema s\ntable s.b: schema s\nrows s.a: table s.a\n"
        "rows s.b: table s.b\nkey s.b.pk: table s.b, rows s.b\nindex s.plain: table s.a, rows s.a\n"
        "index s.by_f: table s.a, rows s.a, function s.f(int)\n"
        "foreign-key s.a.fk: table s.a, table s.b, key s.b.pk, rows s.a, rows s.b\nview s.v: schema s, table s.a, "
        "table s.b");
    g_autoptr(HbSelection) selection = hb_selection_new();
    g_autofree char *kept = NULL;

    (void)state;
    assert_true(hb_order_arrange(catalog, NULL));
    assert_true(hb_selection_add(selection, "take", "view:s.v", NULL));
    assert_true(hb_selection_apply(selection, catalog, &hb_pg_dialect, TRUE, NULL, NULL));
    kept = check_list_identities(catalog);
    check_contains(kept, "index s.plain");
    check_contains(kept, "key s.b.pk");
    check_lacks(kept, "by_f");
    check_lacks(kept, "s.a.fk");
    check_lacks(kept, "rows ");
}

/* Of what belongs to no database only the skipping counts, and a pattern may fit nothing */
static void a_server_is_chosen_from_by_skipping_only(void **state)
{
    g_autoptr(HbSelection) selection = hb_selection_new(), server = NULL;

    (void)state;
    assert_null(hb_selection_new_for_server(NULL));
    assert_null(hb_selection_copy(NULL));
    assert_true(hb_selection_add(selection, "take", "table:t", NULL));
    assert_true(hb_selection_add(selection, "skip", "user:ida", NULL));
    server = hb_selection_new_for_server(selection);
    assert_int_equal(server->take->len, 0);
    assert_int_equal(server->skip->len, 1);
    assert_true(server->lenient);
    assert_false(selection->lenient);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_is_chosen_comes_with_what_it_needs),
        cmocka_unit_test(a_placeholder_never_stays_for_what_does_not_come),
        cmocka_unit_test(a_placeholder_does_not_stay_for_what_is_skipped_far_below),
        cmocka_unit_test(what_is_not_wanted_is_not_missed),
        cmocka_unit_test(owners_and_those_who_are_granted_something_come_along),
        cmocka_unit_test(patterns_that_fit_nothing_are_told),
        cmocka_unit_test(words_that_choose_nothing_are_refused),
        cmocka_unit_test(databases_are_chosen_apart_from_objects),
        cmocka_unit_test(what_comes_along_is_as_whole_as_it_can_be),
        cmocka_unit_test(a_server_is_chosen_from_by_skipping_only),
    };

    return cmocka_run_group_tests(tests, NULL, NULL);
}
