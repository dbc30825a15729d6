/* SPDX-License-Identifier: Apache-2.0 */
#include "support/check.h"

#include "core/compare/column_compat.h"
#include "core/compare/conflicts_inner.h"
#include "core/graph/order.h"
#include "engine/mariadb/dialect/dialect.h"
#include "engine/postgres/dialect/dialect.h"

#include <string.h>

/* What arrives: a tree stands on a plot and was grown from a lot; a view shows the trees */
#define GARDEN                                                                                                         \
    "schema garden\ntype garden.mood: schema garden\n"                                                                 \
    "table garden.plot: schema garden\ntable garden.tree: schema garden, type garden.mood\n"                           \
    "sequence garden.tree_seq: schema garden\ndefault garden.tree.id: table garden.tree, sequence garden.tree_seq\n"   \
    "rows garden.plot: table garden.plot\nrows garden.tree: table garden.tree\n"                                       \
    "sequence-value garden.tree_seq: sequence garden.tree_seq\n"                                                       \
    "key garden.plot.pk: table garden.plot, rows garden.plot\n"                                                        \
    "foreign-key garden.tree.fk: table garden.tree, table garden.plot, key garden.plot.pk, rows garden.tree, "         \
    "rows garden.plot\n"                                                                                               \
    "view garden.standing: schema garden, table garden.tree\n"                                                         \
    "comment view garden.standing: view garden.standing\n"

/* Demands that never looked at old rows come after the rows */
#define LATE                                                                                                           \
    "domain d\ndomain e\ntype pair: domain e\ndomain unused\ncheck d.late: domain d\ncheck e.late: domain e\n"         \
    "check unused.late: domain unused\ntable old: domain d\nrows old: table old\ntable other\nrows other: table "      \
    "other\n"

#define ROWS "rows garden.plot\nrows garden.tree\nsequence-value garden.tree_seq\n"

typedef struct {
    const char *claim;
    const char *wanted, *there;
    HbExistingWish wish;
    const char *holding; /* identities, split at semicolons */
    const char *pulled_in;
    const char *changed; /* what is defined otherwise on the target */
    const char *result;  /* what arrives | is dropped | is emptied | is put back | findings */
} Case;

static const Case cases[] = {
    {"what is missing comes, into empty tables come rows, and what would hold them up is taken off", GARDEN,
     "schema garden\ntable garden.plot: schema garden\ntable garden.tree: schema garden\n"
     "rows garden.plot: table garden.plot\nrows garden.tree: table garden.tree\n"
     "foreign-key garden.tree.other: table garden.tree, table garden.plot\n"
     "comment foreign-key garden.tree.other: foreign-key garden.tree.other\n"
     "trigger garden.tree.watch: table garden.tree\n",
     HB_EXISTING_KEEP, "rows garden.plot", "", "",
     "type garden.mood; sequence garden.tree_seq; default garden.tree.id; view garden.standing; rows garden.tree; "
     "sequence-value garden.tree_seq; key garden.plot.pk; foreign-key garden.tree.fk; comment view garden.standing | "
     " |  | foreign-key garden.tree.other; trigger garden.tree.watch; comment foreign-key garden.tree.other | "},
    {"where everything is there, nothing comes, and a sequence goes on from where it is", GARDEN, GARDEN,
     HB_EXISTING_KEEP, "rows garden.plot; rows garden.tree", "", "", " |  |  |  | "},
    {"a sequence whose rows come is set", GARDEN, GARDEN, HB_EXISTING_KEEP, "rows garden.plot", "", "",
     "rows garden.tree; sequence-value garden.tree_seq |  |  | foreign-key garden.tree.fk | "},
    {"what has the name of something else is told", "schema garden\nview garden.plot: schema garden\n",
     "schema garden\ntable garden.plot: schema garden\n", HB_EXISTING_KEEP, "", "", "",
     "view garden.plot |  |  |  | name-taken view garden.plot"},
    {"tables are replaced with all that needs them, what is the same stays", GARDEN, GARDEN, HB_EXISTING_REPLACE,
     "rows garden.plot; rows garden.tree", "", "",
     "table garden.plot; table garden.tree; default garden.tree.id; view garden.standing; rows garden.plot; "
     "rows garden.tree; sequence-value garden.tree_seq; key garden.plot.pk; foreign-key garden.tree.fk; "
     "comment view garden.standing | foreign-key garden.tree.fk; view garden.standing; table garden.tree; "
     "table garden.plot |  |  | "},
    {"what is not the same goes, with what needs it", GARDEN, GARDEN, HB_EXISTING_REPLACE, "", "table garden.plot",
     "type garden.mood",
     "type garden.mood; table garden.tree; default garden.tree.id; view garden.standing; rows garden.plot; "
     "rows garden.tree; sequence-value garden.tree_seq; foreign-key garden.tree.fk; comment view garden.standing | "
     "view garden.standing; table garden.tree; type garden.mood |  |  | "},
    {"what does not come back is named: a view blocks, an index is a warning, a foreign key is put back",
     "schema garden\ntable garden.plot: schema garden\nrows garden.plot: table garden.plot\n",
     GARDEN "index garden.own: table garden.plot\nview garden.own: table garden.plot\n", HB_EXISTING_REPLACE,
     "rows garden.plot", "", "",
     "table garden.plot; rows garden.plot | view garden.own; table garden.plot |  | foreign-key garden.tree.fk | "
     "would-be-lost view garden.own; part-lost key garden.plot.pk; part-lost index garden.own; "
     "would-be-lost foreign-key garden.tree.fk"},
    {"rows that do not arrive hold their table back", "schema garden\ntable garden.plot: schema garden\n", GARDEN,
     HB_EXISTING_REPLACE, "rows garden.plot", "", "",
     "table garden.plot | table garden.plot |  | foreign-key garden.tree.fk | would-be-lost rows garden.plot; "
     "part-lost key garden.plot.pk; would-be-lost foreign-key garden.tree.fk"},
    {"a partition and a sequence go with their tables",
     "table top\ntable part\nattachment part: table part, table top\nrows part: table part\nrows top: table top, rows "
     "part\nsequence s\nsequence-link s: sequence s, table top\n",
     "table top\ntable part\ntable own\nattachment own: table own, table top\nattachment part: table part, table top\n"
     "rows part: table part\nrows own: table own\nrows top: table top, rows part, rows own\n"
     "sequence s\nsequence-link s: sequence s, table top\n",
     HB_EXISTING_REPLACE, "rows own", "", "",
     "sequence s; table part; table top; attachment part; sequence-link s; rows part; rows top | "
     "table top; table part; table own; sequence s |  |  | would-be-lost table own; would-be-lost rows own"},
    {"rows alone: tables that hold some refuse, others must exist", ROWS,
     "table garden.plot\nrows garden.plot: table "
     "garden.plot\n",
     HB_EXISTING_STOP, "rows garden.plot", "", "",
     "rows garden.tree; sequence-value garden.tree_seq |  |  |  | rows-there table garden.plot; "
     "table-missing table garden.tree"},
    {"rows alone: tables are emptied, and whatever points to them is taken off", "rows garden.plot\n", GARDEN,
     HB_EXISTING_REPLACE, "rows garden.plot; rows garden.tree", "", "",
     "rows garden.plot |  | rows garden.plot | foreign-key garden.tree.fk | "},
    {"a domain's late demands are taken off for a table that is replaced, for a new one, and through a type of it",
     LATE "table new: type pair\nrows new: table new\n", LATE, HB_EXISTING_REPLACE, "", "", "",
     "table new; table old; table other; rows new; rows old; rows other | table other; table old |  | check d.late; "
     "check e.late | "},
    {"a comment that says the same stays, another is replaced",
     "view v\ncomment view v: view v\ncomment view w: view w\nview w\n",
     "view v\ncomment view v: view v\nview w\ncomment view w: view w\n", HB_EXISTING_REPLACE, "", "", "comment view v",
     "comment view v |  |  |  | "},
    {"a materialized view is refreshed when rows come",
     "table t\nrows t: table t\nmaterialized-view m: table t\n"
     "refresh m: materialized-view m, rows t\n",
     "table t\nrows t: table t\nmaterialized-view m: table t\nrefresh m: materialized-view m, rows t\n",
     HB_EXISTING_KEEP, "", "", "", "rows t; refresh m |  |  |  | "},
    {"and left alone when none do",
     "table t\nrows t: table t\nmaterialized-view m: table t\n"
     "refresh m: materialized-view m, rows t\n",
     "table t\nrows t: table t\nmaterialized-view m: table t\nrefresh m: materialized-view m, rows t\n",
     HB_EXISTING_KEEP, "rows t", "", "", " |  |  |  | "},
    {"where no rows come, they stay", LATE, LATE, HB_EXISTING_KEEP, "rows old; rows other", "", "", " |  |  |  | "},
};

static gboolean is_part(HbKind kind)
{
    return kind == HB_KIND_ROWS || kind == HB_KIND_KEY || kind == HB_KIND_INDEX || kind == HB_KIND_FOREIGN_KEY ||
           kind == HB_KIND_DEFAULT || kind == HB_KIND_TRIGGER || kind == HB_KIND_CHECK || kind == HB_KIND_ATTACHMENT;
}

/* Rows alone do not need their table; they are on it all the same */
static HbCatalog *read(const char *lines)
{
    HbCatalog *catalog = check_read_catalog(lines);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        g_free(object->definition);
        object->definition = g_strdup(object->identity);
        g_clear_pointer(&object->on, g_free);
        if (object->kind == HB_KIND_ROWS) {
            hb_catalog_add_row_set(catalog, object->identity, hb_object_get_name(object));
            object->on = hb_identity_new(HB_KIND_TABLE, hb_object_get_name(object));
        } else if (is_part(object->kind)) {
            object->on = g_strdup(object->needs->pdata[0]);
            object->after = object->kind == HB_KIND_CHECK ? HB_AFTER_ROWS : object->after;
        }
    }
    assert_true(hb_order_arrange(catalog, NULL));
    return catalog;
}

static GHashTable *read_set(const char *names, GStrv *list)
{
    GHashTable *set = g_hash_table_new(g_str_hash, g_str_equal);

    *list = g_strsplit(names, "; ", -1);
    for (char **name = *list; *name != NULL; name++)
        g_hash_table_add(set, *name);
    return set;
}

static void change(HbCatalog *catalog, const char *names)
{
    g_auto(GStrv) list = g_strsplit(names, "; ", -1);

    for (char **name = list; *name != NULL; name++) {
        HbObject *object = hb_catalog_find(catalog, *name);
        g_free(object->definition);
        object->definition = g_strdup("otherwise");
    }
}

static void append(GString *text, const char *one, const char *two)
{
    g_string_append_printf(text, "%s%s%s%s", text->len > 0 && text->str[text->len - 1] != ' ' ? "; " : "", one,
                           two != NULL ? " " : "", two != NULL ? two : "");
}

static void append_objects(GString *text, const GPtrArray *objects)
{
    g_string_append(text, " | ");
    for (guint i = 0; i < objects->len; i++)
        append(text, ((const HbObject *)objects->pdata[i])->identity, NULL);
}

static char *tell(const HbConflictInput *input, const HbConflictDecision *outcome, const GPtrArray *findings)
{
    GString *text = g_string_new(NULL);

    for (guint i = 0; i < hb_catalog_count(input->wanted); i++) {
        const HbObject *object = hb_catalog_get(input->wanted, i);
        if (!g_hash_table_contains(outcome->kept, object->identity) && object->kind != HB_KIND_SCHEMA)
            append(text, object->identity, NULL);
    }
    append_objects(text, outcome->dropped);
    g_string_append(text, " | ");
    for (guint i = 0; i < outcome->emptied->len; i++)
        append(text, ((const HbRowSet *)outcome->emptied->pdata[i])->identity, NULL);
    append_objects(text, outcome->suspended);
    g_string_append(text, " | ");
    for (guint i = 0; i < findings->len; i++)
        append(text, ((HbFinding *)findings->pdata[i])->name, ((HbFinding *)findings->pdata[i])->object);
    return g_string_free(text, FALSE);
}

static void what_arrives_meets_what_is_there(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        const Case *it = &cases[i];
        g_autoptr(HbCatalog) wanted = read(it->wanted), there = read(it->there);
        g_auto(GStrv) holding = NULL, pulled_in = NULL;
        g_autoptr(GHashTable) holding_set = read_set(it->holding, &holding),
                              along_set = read_set(it->pulled_in, &pulled_in);
        g_autoptr(GPtrArray) findings = hb_findings_new();
        const HbConflictInput input = {.dialect = &hb_pg_dialect,
                                       .wanted = wanted,
                                       .there = there,
                                       .holding = holding_set,
                                       .pulled_in = along_set,
                                       .wish = it->wish,
                                       .rows_only = g_str_has_prefix(it->wanted, "rows ")};
        HbConflictDecision outcome;
        change(there, it->changed);
        hb_conflicts_decide(&input, &outcome, findings);
        g_autofree char *told = tell(&input, &outcome, findings);
        if (strcmp(told, it->result) != 0)
            fail_msg("%s:\n%s\n%s", it->claim, told, it->result);
        hb_conflict_decision_clear(&outcome);
    }
}

/* Statements about what is there; all other kinds are things, or go with them */
static void statements_about_things_are_told_from_things(void **state)
{
    static const HbKind overlays[] = {HB_KIND_GRANT,          HB_KIND_COMMENT,         HB_KIND_SECURITY_LABEL,
                                      HB_KIND_DEFAULT_GRANT,  HB_KIND_ROW_SECURITY,    HB_KIND_REPLICA_IDENTITY,
                                      HB_KIND_DATABASE_OWNER, HB_KIND_DATABASE_SETTING};

    (void)state;
    for (int kind = 0; kind < HB_KIND_COUNT; kind++) {
        gboolean expected = FALSE;
        for (gsize i = 0; i < G_N_ELEMENTS(overlays); i++)
            expected = expected || kind == (int)overlays[i];
        if (hb_conflicts_is_overlay((HbKind)kind) != expected)
            fail_msg("%s", hb_kind_get_traits((HbKind)kind)->name);
    }
}

/* What a lost part goes with is named: its table, or what else it needs */
static void a_lost_part_names_what_it_goes_with(void **state)
{
    static const char garden[] = "table plot\nrows plot: table plot\n";
    g_autoptr(HbCatalog) wanted = read(garden),
                         there = read("table plot\nrows plot: table plot\nindex plot.own: table plot\n");
    g_autoptr(GHashTable) none = g_hash_table_new(g_str_hash, g_str_equal);
    g_autoptr(GPtrArray) findings = hb_findings_new();
    const HbConflictInput input = {.dialect = &hb_pg_dialect,
                                   .wanted = wanted,
                                   .there = there,
                                   .holding = none,
                                   .pulled_in = none,
                                   .wish = HB_EXISTING_REPLACE};
    HbConflictDecision outcome;

    (void)state;
    hb_conflicts_decide(&input, &outcome, findings);
    assert_int_equal(findings->len, 1);
    check_contains(((const HbFinding *)findings->pdata[0])->what, "it goes with table plot, and does not come back");
    hb_conflict_decision_clear(&outcome);
}

/* ---- Columns ---- */

typedef struct {
    const char *source, *target; /* columns, one a line: "name definition" */
    const char *result;          /* findings: level and what */
} ColumnCase;

static const ColumnCase column_cases[] = {
    {"id integer\nnote text", "note text\nid integer", ""},
    {"id integer\nnote text\nage integer", "id integer",
     "blocker has no such columns, or none that can be written: "
     "note, age"},
    {"id integer", "id bigint",
     "warning has columns that are defined otherwise: id is bigint there, and integer in "
     "the source"},
    {"id integer", "id integer\nnote text NOT NULL", "blocker demands values that the rows do not have, in: note"},
    {"id integer", "id integer\nnote text NOT NULL DEFAULT 'x'\nage integer",
     "warning has more columns; they get their defaults: note, age"},
};

static HbCatalog *read_table(const char *columns)
{
    HbCatalog *catalog = hb_catalog_new();
    HbObject *table = hb_object_new(HB_KIND_TABLE, "t");
    HbRowSet *set = hb_catalog_add_row_set(catalog, "rows t", "t");
    g_auto(GStrv) lines = g_strsplit(columns, "\n", -1);
    g_autofree char *list = g_strjoinv(",\n    ", lines);

    table->definition = g_strdup_printf("CREATE TABLE t (\n    %s\n);", list);
    for (char **line = lines; *line != NULL; line++)
        g_ptr_array_add(set->columns, g_strndup(*line, strcspn(*line, " ")));
    hb_catalog_add(catalog, table, NULL);
    return catalog;
}

static void columns_must_fit_before_rows_come(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(column_cases); i++) {
        g_autoptr(HbCatalog) source = read_table(column_cases[i].source), target = read_table(column_cases[i].target);
        g_autoptr(GPtrArray) findings = hb_findings_new();
        g_autoptr(GString) told = g_string_new(NULL);
        const HbColumnCompat input = {.dialect = &hb_my_dialect,
                                      .wanted = hb_catalog_get_row_sets(source)->pdata[0],
                                      .there = hb_catalog_get_row_sets(target)->pdata[0],
                                      .definition = hb_catalog_find(source, "table t")->definition,
                                      .target = target,
                                      .table = "table t"};
        hb_column_compat_check(&input, findings);
        for (guint f = 0; f < findings->len; f++)
            append(told, hb_finding_level_get_name(((HbFinding *)findings->pdata[f])->level),
                   ((HbFinding *)findings->pdata[f])->what);
        assert_string_equal(told->str, column_cases[i].result);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_arrives_meets_what_is_there),
        cmocka_unit_test(statements_about_things_are_told_from_things),
        cmocka_unit_test(a_lost_part_names_what_it_goes_with),
        cmocka_unit_test(columns_must_fit_before_rows_come),
    };

    return cmocka_run_group_tests(tests, NULL, NULL);
}
