/* SPDX-License-Identifier: Apache-2.0 */
/* How each kind of object is dropped, by each dialect, when it is in the way: a wrong word here drops something else */
#include "support/check.h"

#include "core/compare/conflicts_inner.h"
#include "engine/mariadb/dialect/dialect.h"
#include "engine/postgres/dialect/dialect.h"

#include <string.h>

/* A name as such an object has it, on the table garden.plot where it is a part of one; kinds that are not here are
 * called garden.thing */
static const struct {
    HbKind kind;
    const char *name, *on, *definition;
} samples[] = {
    {HB_KIND_FUNCTION, "garden.age(date)", NULL, "CREATE FUNCTION garden.age(date) RETURNS int"},
    {HB_KIND_PROCEDURE, "garden.water(integer)", NULL, "CREATE PROCEDURE garden.water(integer)"},
    {HB_KIND_AGGREGATE, "garden.product(double precision)", NULL, "CREATE AGGREGATE garden.product(float8)"},
    {HB_KIND_OPERATOR, "garden.+(garden.girth,garden.girth)", NULL, "CREATE OPERATOR garden.+ ()"},
    {HB_KIND_OPERATOR_CLASS, "garden.by_girth USING btree", NULL, "CREATE OPERATOR CLASS garden.by_girth"},
    {HB_KIND_OPERATOR_FAMILY, "garden.girths USING btree", NULL, "CREATE OPERATOR FAMILY garden.girths"},
    {HB_KIND_CAST, "(garden.girth AS integer)", NULL, "CREATE CAST (garden.girth AS integer)"},
    {HB_KIND_TRANSFORM, "FOR garden.girth LANGUAGE plpgsql", NULL, "CREATE TRANSFORM FOR garden.girth"},
    {HB_KIND_KEY, "garden.plot.plot_pkey", "table garden.plot",
     "ALTER TABLE garden.plot ADD CONSTRAINT plot_pkey"
     " PRIMARY KEY (plot_id);"},
    {HB_KIND_CHECK, "garden.plot.\"Größe\"", "table garden.plot",
     "ALTER TABLE garden.plot ADD CONSTRAINT \"Größe\""
     " CHECK (true);"},
    {HB_KIND_FOREIGN_KEY, "garden.plot.keeper", "table garden.plot", "ALTER TABLE garden.plot ADD CONSTRAINT keeper"},
    {HB_KIND_DEFAULT, "garden.plot.label", "table garden.plot", "ALTER TABLE garden.plot ALTER label SET DEFAULT 1;"},
    {HB_KIND_INDEX, "garden.plot_idx", "table garden.plot", "CREATE INDEX plot_idx ON garden.plot (label);"},
    {HB_KIND_TRIGGER, "garden.plot.grows", "table garden.plot", "CREATE TRIGGER grows BEFORE INSERT ON garden.plot"},
    {HB_KIND_RULE, "garden.plot.keeps", "table garden.plot", "CREATE RULE keeps AS ON DELETE TO garden.plot"},
    {HB_KIND_POLICY, "garden.plot.own", "table garden.plot", "CREATE POLICY own ON garden.plot"},
    {HB_KIND_STATISTICS, "garden.pairs", "table garden.plot",
     "CREATE STATISTICS garden.pairs ON a, b FROM garden.plot"},
    {HB_KIND_LARGE_OBJECTS, "424000 to 424999", NULL, "SELECT lo_create(424001);"},
    {HB_KIND_USER_MAPPING, "ida on desk", NULL, "CREATE USER MAPPING FOR ida SERVER desk"},
    {HB_KIND_TABLE, "garden.plot", NULL, "CREATE TABLE garden.plot (plot_id integer)"},
    {HB_KIND_EVENT, "garden.\"it's late\"", NULL, "CREATE EVENT"},
};

static HbObject *make_object(HbKind kind)
{
    for (gsize i = 0; i < G_N_ELEMENTS(samples); i++) {
        if (samples[i].kind == kind) {
            HbObject *object = hb_object_new(kind, samples[i].name);
            object->on = g_strdup(samples[i].on);
            object->definition = g_strdup(samples[i].definition);
            return object;
        }
    }
    HbObject *object = hb_object_new(kind, "garden.thing");
    object->definition = g_strdup("CREATE THING garden.thing;");
    return object;
}

static void append_drops(GString *out, const char *title, const HbDialect *dialect)
{
    g_string_append_printf(out, "# %s\n", title);
    for (int kind = 0; kind < HB_KIND_COUNT; kind++) {
        if (!hb_conflicts_is_droppable((HbKind)kind))
            continue;
        g_autoptr(HbCatalog) catalog = hb_catalog_new();
        HbObject *object = make_object((HbKind)kind);
        HbObject *table = make_object(HB_KIND_TABLE);
        g_autofree char *sql = NULL;
        if (kind == HB_KIND_TABLE)
            hb_object_free(table);
        else
            assert_true(hb_catalog_add(catalog, table, NULL));
        assert_true(hb_catalog_add(catalog, object, NULL));
        sql = dialect->make_drop_sql(catalog, object);
        g_string_append_printf(out, "%s: %s\n", object->identity, sql != NULL ? sql : "-");
    }
}

static void each_kind_is_dropped_by_its_own_words(void **state)
{
    g_autoptr(GString) out = g_string_new(NULL);

    (void)state;
    append_drops(out, "PostgreSQL", &hb_pg_dialect);
    append_drops(out, "MariaDB and MySQL", &hb_my_dialect);
    check_golden("drop-sql.txt", out->str);
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(each_kind_is_dropped_by_its_own_words)};

    return cmocka_run_group_tests(tests, NULL, NULL);
}
