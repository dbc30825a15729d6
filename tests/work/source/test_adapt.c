/* SPDX-License-Identifier: Apache-2.0 */
/* What users want otherwise on the way: names, ownership, grants; and a choice by names that are not there any more */
#include "support/check.h"

#include "core/graph/order.h"
#include "core/select/rename.h"
#include "engine/registry.h"
#include "work/source/adapt.h"

#include <string.h>

typedef struct {
    HbWishes wishes;
    const HbEngine *engine;
} Way;

static void way_init(Way *way, const char *uri, const char *const *renames)
{
    *way = (Way){.engine = hb_engine_find(uri, NULL)};
    way->wishes.renames = g_ptr_array_new_with_free_func((GDestroyNotify)hb_rename_free);
    for (; *renames != NULL; renames++)
        g_ptr_array_add(way->wishes.renames, hb_rename_read(*renames, NULL));
}

static void way_clear(Way *way)
{
    g_ptr_array_unref(way->wishes.renames);
}

static HbCatalog *read_arranged(const char *lines)
{
    HbCatalog *catalog = check_read_catalog(lines);

    assert_true(hb_order_arrange(catalog, NULL));
    return catalog;
}

static HbSelection *select_patterns(const char *const *patterns)
{
    HbSelection *selection = hb_selection_new();

    for (; *patterns != NULL; patterns++) {
        const gboolean takes = **patterns == '+';
        assert_true(hb_selection_add(selection, takes ? "take" : "skip", *patterns + 1, NULL));
    }
    return selection;
}

static const char there[] = "schema park:\nschema garden:\nschema loans:\n"
                            "table park.plot: schema park\nrows park.plot: table park.plot\n"
                            "table garden.plot: schema garden\nrows garden.plot: table garden.plot\n"
                            "table loans.desk: schema loans\nrows loans.desk: table loans.desk\n"
                            "role ida:\nrole mo:\n";

/* garden came as park, beside a garden that the target had before; ida came as mo */
static void a_choice_by_old_names_finds_the_new_ones(void **state)
{
    static const struct {
        const char *patterns[3];
        const char *renames[3];
        const char *left;
    } cases[] = {
        {{"+schema:garden"}, {"schema:garden=park"}, "schema park; table park.plot; rows park.plot"},
        {{"+schema:garden"}, {NULL}, "schema garden; table garden.plot; rows garden.plot"},
        {{"+table:garden.plot"}, {"schema:garden=park"}, "schema park; table park.plot; rows park.plot"},
        {{"+table:garden.*", "+table:loans.desk"},
         {"schema:garden=park"},
         "schema loans; schema park; table loans.desk; table park.plot; rows loans.desk; rows park.plot"},
        {{"-schema:garden"},
         {"schema:garden=park"},
         "role ida; role mo; schema loans; schema park; table loans.desk; table park.plot; rows loans.desk; rows "
         "park.plot"},
        {{"-schema:park"},
         {"schema:garden=park"},
         "role ida; role mo; schema loans; schema park; table loans.desk; table park.plot; rows loans.desk; rows "
         "park.plot"},
        {{"+user:ida"}, {"owner:ida=mo"}, "role ida; role mo"},
        {{"-user:*"},
         {"owner:ida=mo", "schema:garden=park"},
         "schema loans; schema park; table loans.desk; table park.plot; rows loans.desk; rows park.plot"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(HbCatalog) catalog = read_arranged(there);
        g_autoptr(HbSelection) selection = select_patterns(cases[i].patterns);
        g_autofree char *left = NULL;
        Way way;

        way_init(&way, "postgresql://h/d", cases[i].renames);
        assert_true(hb_adapt_choose(selection, catalog, way.engine, &way.wishes, NULL));
        left = check_list_identities(catalog);
        if (strcmp(left, cases[i].left) != 0)
            fail_msg("case %zu: %s", i, left);
        way_clear(&way);
    }
}

static void names_must_be_somebodys_and_free(void **state)
{
    static const struct {
        const char *rename, *refusal;
        gboolean lenient;
    } cases[] = {
        {"schema:loans=desk", NULL, FALSE},
        {"schema:gardn=desk", "schema:gardn=desk: nothing has the old name", FALSE},
        {"schema:gardn=desk", NULL, TRUE},
        {"schema:loans=park", "two objects would have this name", FALSE},
        {"owner:nobody=mo", "nothing has the old name", FALSE},
        {"tablespace:fast=quick", "nothing has the old name", FALSE},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        const char *const renames[] = {cases[i].rename, NULL};
        g_autoptr(HbCatalog) catalog = read_arranged(there);
        GError *error = NULL;
        Way way;

        way_init(&way, "postgresql://h/d", renames);
        way.wishes.lenient = cases[i].lenient;
        assert_int_equal(hb_adapt_wishes(catalog, way.engine, &way.wishes, &error), cases[i].refusal == NULL);
        if (cases[i].refusal != NULL)
            check_error(&error, HB_ERROR_USAGE, cases[i].refusal);
        check_no_error(error);
        way_clear(&way);
    }
}

/* Two users become one: what both were given is given once, and nobody is a member of itself */
static void a_user_can_become_another_that_arrives(void **state)
{
    const char *const renames[] = {"owner:ida=mo", NULL};
    g_autoptr(HbCatalog) catalog =
        read_arranged("role ida:\nrole mo:\nrole keepers:\nmembership ida in mo: role ida, role mo\n"
                      "membership ida in keepers: role ida, role keepers\npassword ida: role ida\n");
    g_autofree char *left = NULL;
    Way way;

    (void)state;
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        g_free(object->definition);
        object->definition = g_strdup_printf("-- %s", object->identity);
    }
    way_init(&way, "postgresql://h/d", renames);
    assert_true(hb_adapt_wishes(catalog, way.engine, &way.wishes, NULL));
    left = check_list_identities(catalog);
    assert_string_equal(left, "role keepers; role mo; membership mo in keepers");
    way_clear(&way);
}

static void a_database_has_the_name_that_was_wished(void **state)
{
    const char *const renames[] = {"database:vale=copy", "schema:a=b", NULL};
    Way way;

    (void)state;
    way_init(&way, "mariadb://h/d", renames);
    assert_string_equal(hb_adapt_database(&way.wishes, "vale"), "copy");
    assert_string_equal(hb_adapt_database(&way.wishes, "copy"), "copy");
    assert_string_equal(hb_adapt_database(&way.wishes, "a"), "a");
    assert_null(hb_adapt_database(&way.wishes, NULL));
    way_clear(&way);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_choice_by_old_names_finds_the_new_ones),
        cmocka_unit_test(names_must_be_somebodys_and_free),
        cmocka_unit_test(a_user_can_become_another_that_arrives),
        cmocka_unit_test(a_database_has_the_name_that_was_wished),
    };

    return cmocka_run_group_tests(tests, NULL, NULL);
}
