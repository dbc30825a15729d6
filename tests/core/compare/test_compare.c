/* SPDX-License-Identifier: Apache-2.0 */
#include "support/check.h"

#include "core/compare/compare.h"
#include "engine/mariadb/dialect/dialect.h"
#include "engine/postgres/dialect/dialect.h"

static HbObject *object(const char *name, const char *definition, const char *owner)
{
    HbObject *made = hb_object_new(HB_KIND_TABLE, name);

    made->definition = g_strdup(definition);
    made->owner = g_strdup(owner);
    return made;
}

typedef struct {
    const char *claim;
    const char *from;
    const char *to;
    const char *shown; /* "type from|to", or "" for equal */
} Case;

static const Case cases[] = {
    {"equal text", "create t (a);", "create t (a);", ""},
    {"white space and comments are no difference", "create t (a);", "create  t\n(a); -- same", ""},
    {"blanks inside a literal are", "check 'a b';", "check 'a  b';", "definition check 'a b';|check 'a  b';"},
    {"only the lines that differ are shown", "create t (\na int,\nb int,\nc int);",
     "create t (\na int,\nb text,\nc int);", "definition b int,|b text,"},
    {"a line more", "t (\na,\nb)", "t (\na,\nx,\nb)", "definition |x,"},
    {"lines that are the same are not shown, wherever they stand", "set place;\nt (a);\nreset;", "t (a);",
     "definition set place;\nreset;|"},
    {"the longest list of common lines stays hidden", "t (\nq,\na,\nb,\nc,\nz)", "t (\na,\nb,\nx,\nc,\nq,\nz)",
     "definition q,|x,\nq,"},
    {"and so it does from the other side", "t (\na,\nb,\nc,\nq,\nz)", "t (\nq,\na,\nb,\nc,\nz)", "definition q,|q,"},
    {"hashes are never shown", "alter role r password 'md5one';", "alter role r password 'md5two';",
     "definition a password|another password"},
};

static void definitions_are_compared_as_tokens(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(HbCatalog) from = hb_catalog_new(), to = hb_catalog_new();
        g_autoptr(GPtrArray) differences = hb_compare_new();
        g_autoptr(GString) shown = g_string_new(NULL);
        hb_catalog_add(from, object("t", cases[i].from, NULL), NULL);
        hb_catalog_add(to, object("t", cases[i].to, NULL), NULL);
        hb_compare_catalogs(from, to, &hb_pg_dialect, HB_PART_ALL, differences);
        for (guint d = 0; d < differences->len; d++) {
            const HbDifference *one = differences->pdata[d];
            g_string_append_printf(shown, "%s %s|%s", hb_difference_get_name(one->type), one->from, one->to);
        }
        assert_string_equal(shown->str, cases[i].shown);
    }
}

/* Too long for a table of common lines: what is alike at both ends is cut, and the rest is shown */
static void long_texts_are_cut_at_their_common_ends(void **state)
{
    g_autoptr(GString) from = g_string_new("t (\n"), to = g_string_new("t (\n");
    g_autoptr(HbCatalog) one = hb_catalog_new(), other = hb_catalog_new();
    g_autoptr(GPtrArray) differences = hb_compare_new();
    const HbDifference *difference;

    (void)state;
    for (int i = 0; i < 600; i++) {
        g_string_append_printf(from, "a%d int,\n", i);
        g_string_append_printf(to, "%c%d int,\n", i % 2 == 0 ? 'a' : 'b', i);
    }
    g_string_append(from, "z)");
    g_string_append(to, "z)");
    hb_catalog_add(one, object("t", from->str, NULL), NULL);
    hb_catalog_add(other, object("t", to->str, NULL), NULL);
    hb_compare_catalogs(one, other, &hb_pg_dialect, HB_PART_ALL, differences);
    assert_int_equal(differences->len, 1);
    difference = differences->pdata[0];
    assert_true(g_str_has_prefix(difference->from, "a1 int,\na2 int,"));
    assert_true(g_str_has_suffix(difference->from, "a599 int,"));
    assert_true(g_str_has_prefix(difference->to, "b1 int,\na2 int,"));
    assert_true(g_str_has_suffix(difference->to, "b599 int,"));
}

/* MariaDB keeps a program as it was written, and runs what others take for comments */
static void definitions_of_mariadb_are_read_as_it_reads_them(void **state)
{
    static const struct {
        HbKind kind;
        const char *from, *to;
        guint differences;
    } texts[] = {
        {HB_KIND_FUNCTION, "RETURN 5--1", "RETURN 5--2", 1},
        {HB_KIND_FUNCTION, "RETURN 5 -- 1", "RETURN 5 -- 2", 1},
        {HB_KIND_FUNCTION, "RETURN 5", "RETURN  5", 1},
        {HB_KIND_PROCEDURE, "/*!50100 DROP TABLE a */;", "/*!50100 DROP TABLE b */;", 1},
        {HB_KIND_TRIGGER, "SET sql_mode = 'NO_BACKSLASH_ESCAPES';\nSET @a = '\\', @b = 'c  d'",
         "SET sql_mode = 'NO_BACKSLASH_ESCAPES';\nSET @a = '\\', @b = 'c d'", 1},
        {HB_KIND_VIEW, "select 5--1", "select 5--2", 1},
        {HB_KIND_VIEW, "select /*!50100 1 */", "select /*!50100 2 */", 1},
        {HB_KIND_VIEW, "select  1", "select 1", 0},
        {HB_KIND_TABLE, "a int /*!100100 INVISIBLE */", "a int /*!100100  INVISIBLE  */", 0},
        {HB_KIND_TABLE, "a int /*!100100 INVISIBLE */", "a int", 1},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(texts); i++) {
        g_autoptr(HbCatalog) from = hb_catalog_new(), to = hb_catalog_new();
        g_autoptr(GPtrArray) differences = hb_compare_new();
        HbObject *one = hb_object_new(texts[i].kind, "x"), *other = hb_object_new(texts[i].kind, "x");
        one->definition = g_strdup(texts[i].from);
        other->definition = g_strdup(texts[i].to);
        hb_catalog_add(from, one, NULL);
        hb_catalog_add(to, other, NULL);
        hb_compare_catalogs(from, to, &hb_my_dialect, HB_PART_ALL, differences);
        if (differences->len != texts[i].differences)
            fail_msg("“%s” and “%s”: %u differences", texts[i].from, texts[i].to, differences->len);
    }
}

/* NULL: none */
static HbCatalog *grant(const char *definition)
{
    HbCatalog *catalog = check_read_catalog(definition != NULL ? "grant table t" : "");

    if (definition != NULL) {
        g_free(hb_catalog_get(catalog, 0)->definition);
        hb_catalog_get(catalog, 0)->definition = g_strdup(definition);
    }
    return catalog;
}

static void grants_are_sets(void **state)
{
    static const struct {
        const char *from, *to;
        guint differences;
    } cases_of_grants[] = {
        {"revoke all;\ngrant a to x;\ngrant b to y;", "revoke all;\ngrant b to y;\ngrant a to x;", 0},
        {"revoke all;\ngrant a to x;\ngrant b to y;", "revoke all;\ngrant b to y;\ngrant a to z;", 1},
        {"grant a on t to x;", "grant a on t to x;\ngrant a on t to x;", 0},
        {"GRANT a, b (c, d) ON t TO x;\nREVOKE z;", "REVOKE z;\nGRANT b (c, d) ON t TO x;\nGRANT a ON t TO x;", 0},
        {"GRANT a, b (c) ON t TO x;", "GRANT a, b (c, d) ON t TO x;", 1},
        {"GRANT a ON t TO x;", "GRANT a ON t TO x;\nGRANT a ON u TO x;", 1},
        {"GRANT ALL ON t TO x WITH GRANT OPTION;\nGRANT a ON t TO x;", "GRANT ALL ON t TO x WITH GRANT OPTION;", 0},
        {"GRANT a ON t TO x WITH GRANT OPTION;\nGRANT a ON t TO x;", "GRANT a ON t TO x;", 1},
        {"GRANT r TO x, y;", "GRANT r TO x;", 1},
        {"REVOKE ALL ON TABLE t FROM PUBLIC;\nREVOKE ALL ON TABLE t FROM x;\nGRANT ALL ON TABLE t TO x;", NULL, 0},
        {"REVOKE ALL ON TABLE t FROM PUBLIC;\nREVOKE ALL ON TABLE t FROM x;\nGRANT a ON TABLE t TO x;", NULL, 1},
        {NULL, "REVOKE ALL ON TYPE t FROM PUBLIC;\nREVOKE ALL ON TYPE t FROM x;\nGRANT ALL ON TYPE t TO x;", 1},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases_of_grants); i++) {
        g_autoptr(HbCatalog) from = grant(cases_of_grants[i].from), to = grant(cases_of_grants[i].to);
        g_autoptr(GPtrArray) differences = hb_compare_new();
        hb_compare_catalogs(from, to, &hb_pg_dialect, HB_PART_ALL, differences);
        assert_int_equal(differences->len, cases_of_grants[i].differences);
    }
}

static void who_granted_a_membership_counts_where_both_sides_say_so(void **state)
{
    static const struct {
        const char *from, *to;
        guint differences;
    } memberships[] = {
        {"GRANT a TO b;", "GRANT a TO b GRANTED BY c;", 0},
        {"GRANT a TO b GRANTED BY c;", "GRANT a TO b;", 0},
        {"GRANT a TO b GRANTED BY c;", "GRANT a TO b GRANTED BY d;", 1},
        {"GRANT a TO b WITH ADMIN OPTION;", "GRANT a TO b GRANTED BY c;", 1},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(memberships); i++) {
        g_autoptr(HbCatalog) from = check_read_catalog("membership b in a"),
                             to = check_read_catalog("membership b in a");
        g_autoptr(GPtrArray) differences = hb_compare_new();
        g_free(hb_catalog_get(from, 0)->definition);
        g_free(hb_catalog_get(to, 0)->definition);
        hb_catalog_get(from, 0)->definition = g_strdup(memberships[i].from);
        hb_catalog_get(to, 0)->definition = g_strdup(memberships[i].to);
        hb_compare_catalogs(from, to, &hb_pg_dialect, HB_PART_ALL, differences);
        assert_int_equal(differences->len, memberships[i].differences);
    }
}

static char *list(const GPtrArray *differences)
{
    GString *text = g_string_new(NULL);

    for (guint i = 0; i < differences->len; i++) {
        const HbDifference *one = differences->pdata[i];
        g_string_append_printf(text, "%s %s; ", hb_difference_get_name(one->type), one->identity);
    }
    return g_string_free(text, FALSE);
}

static void missing_extra_and_owner_are_found(void **state)
{
    g_autoptr(HbCatalog) from = check_read_catalog("role gone\nrole both\nview only_from\nplaceholder view x");
    g_autoptr(HbCatalog) to = check_read_catalog("role new\nrole both\nview only_to");
    g_autoptr(GPtrArray) differences = hb_compare_new();
    g_autofree char *text = NULL;

    (void)state;
    hb_catalog_add(from, object("t", "x", "one"), NULL);
    hb_catalog_add(to, object("t", "x", "two"), NULL);
    hb_compare_catalogs(from, to, &hb_pg_dialect, HB_PART_ALL, differences);
    text = list(differences);
    assert_string_equal(text, "missing role gone; missing view only_from; owner table t; extra view only_to; ");
}

static HbObject *with_text(HbKind kind, const char *name, const char *definition, const char *owner_sql)
{
    HbObject *made = hb_object_new(kind, name);

    made->definition = g_strdup(definition);
    made->owner_sql = g_strdup(owner_sql);
    return made;
}

#define DATABASE_GRANTS                                                                                                \
    "REVOKE ALL ON DATABASE d FROM PUBLIC;\nREVOKE ALL ON DATABASE d FROM o;\nGRANT CREATE, CONNECT, TEMPORARY ON "    \
    "DATABASE "                                                                                                        \
    "d TO o;"

/* What only TO has: a change of the database itself, or something of the server's own, which is told */
static void what_only_to_has_is_a_difference_or_told(void **state)
{
    static const struct {
        HbKind kind;
        const char *name, *definition;
        const char *differences, *told;
    } extras[] = {
        {HB_KIND_DATABASE_SETTING, "connection limit", "x", "extra database-setting connection limit; ", ""},
        {HB_KIND_DATABASE_SETTING, "comment", "x", "extra database-setting comment; ", ""},
        {HB_KIND_DATABASE_SETTING, "label of selinux", "x", "extra database-setting label of selinux; ", ""},
        {HB_KIND_DATABASE_SETTING, "grants", DATABASE_GRANTS, "extra database-setting grants; ", ""},
        {HB_KIND_DATABASE_SETTING, "grants", DATABASE_GRANTS "\nGRANT TEMPORARY ON DATABASE d TO PUBLIC;",
         "extra database-setting grants; ", ""},
        {HB_KIND_DATABASE_SETTING, "grants", DATABASE_GRANTS "\nGRANT CONNECT, TEMPORARY ON DATABASE d TO PUBLIC;", "",
         "database-setting grants"},
        {HB_KIND_DATABASE_SETTING, "work_mem", "x", "", "database-setting work_mem"},
        {HB_KIND_MEMBERSHIP, "ida in keepers", "x", "", "membership ida in keepers"},
        {HB_KIND_ROLE_SETTING, "ida.work_mem", "x", "", "role-setting ida.work_mem"},
        {HB_KIND_ROLE, "ida", "x", "", ""},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(extras); i++) {
        g_autoptr(HbCatalog) from = hb_catalog_new(), to = hb_catalog_new();
        g_autoptr(GPtrArray) differences = hb_compare_new(), own = g_ptr_array_new_with_free_func(g_free);
        g_autofree char *text = NULL;
        hb_catalog_add(to, with_text(extras[i].kind, extras[i].name, extras[i].definition, NULL), NULL);
        hb_compare_catalogs(from, to, &hb_pg_dialect, HB_PART_ALL, differences);
        hb_compare_list_own(from, to, &hb_pg_dialect, HB_PART_ALL, own);
        text = list(differences);
        assert_string_equal(text, extras[i].differences);
        assert_string_equal(own->len > 0 ? own->pdata[0] : "", extras[i].told);
    }
}

static void owners_of_many_are_compared(void **state)
{
    g_autoptr(HbCatalog) from = hb_catalog_new(), to = hb_catalog_new();
    g_autoptr(GPtrArray) differences = hb_compare_new();
    const HbDifference *one;

    (void)state;
    hb_catalog_add(from, with_text(HB_KIND_LARGE_OBJECTS, "0 to 999", "x", "1 OWNER TO a;\n2 OWNER TO b;"), NULL);
    hb_catalog_add(to, with_text(HB_KIND_LARGE_OBJECTS, "0 to 999", "x", "1 OWNER TO a;\n2 OWNER TO c;"), NULL);
    hb_compare_catalogs(from, to, &hb_pg_dialect, HB_PART_ALL, differences);
    assert_int_equal(differences->len, 1);
    one = differences->pdata[0];
    assert_int_equal(one->type, HB_DIFFERENCE_OWNER);
    assert_string_equal(one->from, "2 OWNER TO b;");
    assert_string_equal(one->to, "2 OWNER TO c;");
}

static void only_the_chosen_parts_are_compared(void **state)
{
    g_autoptr(HbCatalog) from = check_read_catalog("role gone\nview gone"), to = hb_catalog_new();
    g_autoptr(GPtrArray) differences = hb_compare_new();
    g_autofree char *text = NULL;

    (void)state;
    hb_compare_catalogs(from, to, &hb_pg_dialect, HB_PART_SCHEMA | HB_PART_DATA, differences);
    text = list(differences);
    assert_string_equal(text, "missing view gone; ");
}

static void kinds_that_one_side_could_not_read_are_not_compared(void **state)
{
    g_autoptr(HbCatalog) from = check_read_catalog("password r"), to = check_read_catalog("role r");
    g_autoptr(GPtrArray) differences = hb_compare_new();

    (void)state;
    hb_catalog_set_unread(to, HB_KIND_PASSWORD);
    hb_compare_catalogs(from, to, &hb_pg_dialect, HB_PART_ALL, differences);
    assert_int_equal(differences->len, 0);
}

static void put(GHashTable *digests, const char *identity, HbDigest *digest)
{
    g_hash_table_insert(digests, (gpointer)identity, digest);
}

static void row_sets_with_another_count_or_digest_are_found(void **state)
{
    HbDigest a = {10, 1, 2}, b = {10, 1, 3}, c = {11, 1, 2};
    g_autoptr(GHashTable) from = g_hash_table_new(g_str_hash, g_str_equal);
    g_autoptr(GHashTable) to = g_hash_table_new(g_str_hash, g_str_equal);
    g_autoptr(GPtrArray) differences = hb_compare_new();
    g_autofree char *text = NULL;

    (void)state;
    put(from, "rows same", &a);
    put(to, "rows same", &a);
    put(from, "rows digest", &a);
    put(to, "rows digest", &b);
    put(from, "rows count", &a);
    put(to, "rows count", &c);
    put(from, "rows missing", &a);
    hb_compare_digests(from, to, differences);
    text = list(differences);
    assert_string_equal(text, "rows rows count; rows rows digest; ");
    check_contains(((HbDifference *)differences->pdata[0])->to, "11 rows");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(definitions_are_compared_as_tokens),
        cmocka_unit_test(long_texts_are_cut_at_their_common_ends),
        cmocka_unit_test(definitions_of_mariadb_are_read_as_it_reads_them),
        cmocka_unit_test(grants_are_sets),
        cmocka_unit_test(missing_extra_and_owner_are_found),
        cmocka_unit_test(only_the_chosen_parts_are_compared),
        cmocka_unit_test(what_only_to_has_is_a_difference_or_told),
        cmocka_unit_test(owners_of_many_are_compared),
        cmocka_unit_test(kinds_that_one_side_could_not_read_are_not_compared),
        cmocka_unit_test(who_granted_a_membership_counts_where_both_sides_say_so),
        cmocka_unit_test(row_sets_with_another_count_or_digest_are_found),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
