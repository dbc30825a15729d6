/* SPDX-License-Identifier: Apache-2.0 */
/* Moves between servers of different versions, and of rare kinds of objects between servers of the same */
#include "support/check.h"
#include "support/servers.h"

#include <string.h>

/* Takes the database and all roles away again; a subscription would hold the database fast */
static void forget(const char *server, const char *database)
{
    g_setenv("SERVER", server, TRUE);
    g_setenv("BASE", database, TRUE);
    servers_run_shell("P=\"$(server_uri $SERVER postgres)\"; D=\"$(server_uri $SERVER $BASE)\";"
                      " psql -qX \"$D\" -c 'ALTER SUBSCRIPTION hears SET (slot_name = NONE)' -c 'DROP SUBSCRIPTION "
                      "hears' 2>/dev/null || true;"
                      " psql -qX \"$P\" -c \"DROP DATABASE IF EXISTS $BASE WITH (FORCE)\" 2>/dev/null;"
                      " psql -qXAt \"$P\" -c \"SELECT format('DROP ROLE %I;', rolname) FROM pg_roles WHERE oid >= "
                      "16384\" | psql -qX \"$P\"");
}

static void create(const char *server, const char *database)
{
    g_setenv("SERVER", server, TRUE);
    g_setenv("BASE", database, TRUE);
    servers_run_shell("psql -qX \"$(server_uri $SERVER postgres)\" -c \"CREATE DATABASE $BASE\";"
                      " psql -qX -v ON_ERROR_STOP=1 \"$(server_uri $SERVER $BASE)\""
                      " -f $SOURCE/tests/support/$BASE.sql >/dev/null 2>&1");
}

typedef struct {
    const char *from, *to, *database;
    int status;         /* of the restore */
    const char *out;    /* what it says */
    guint census_lines; /* at least so many, all equal; 0: the versions print them differently */
} MoveCase;

static void move(const MoveCase *c)
{
    g_autofree char *from = servers_get_uri(c->from, c->database), *to = servers_get_uri(c->to, c->database);
    g_autofree char *dump = g_strdup_printf("%s/%s-%s-%s", servers_get_folder(), c->from, c->to, c->database);

    print_message("%s: %s to %s\n", c->database, c->from, c->to);
    create(c->from, c->database);
    run_expect(run_hornbeam("dump", from, dump, NULL), strcmp(c->database, "kinds") == 0 ? 1 : 0, "Written", NULL);
    run_expect(run_hornbeam("restore", dump, to, "--accept", "not-as-source:table *", NULL), c->status, c->out, NULL);
    run_expect(run_hornbeam("verify", from, to, NULL), 0, "Equal: TO holds what FROM holds", NULL);
    run_expect(run_hornbeam("verify", dump, to, NULL), 0, "Equal: TO holds what FROM holds", NULL);
    if (c->census_lines > 0)
        compare_censuses(from, to, c->census_lines);
    forget(c->from, c->database);
    forget(c->to, c->database);
}

/* The restores of kinds.sql end with 1, because nobody answers behind its foreign tables when figures are refreshed */
static void every_kind_arrives_on_every_version(void **state)
{
    static const MoveCase cases[] = {
        {"old", "new", "kinds", 1, "Restored: database kinds, but 1 thing is not", 1200},
        {"v18", "w18", "modern", 0, "Restored whole", 800},
        {"v13", "v18", "kinds", 1, "Restored: database kinds, but 1 thing is not", 0},
        {"old", "v17", "kinds", 1, "Restored: database kinds, but 1 thing is not", 0},
        {"old", "v17", "odd", 0, "Restored whole", 0},
        {"old", "v18", "odd", 0, "Restored whole", 0},
        {"v18", "old", "odd", 0, "Restored whole", 0},
        {"v17", "old", "kinds", 1, "Restored: database kinds, but 1 thing is not", 0},
        {"v18", "old", "kinds", 1, "streaming becomes plain streaming", 0},
        {"v17", "v13", "kinds", 1, "Restored: database kinds, but 1 thing is not", 0},
        {"v18", "old", "modern", 1, "24 things are not as in the source", 0},
        {"v18", "v17", "modern", 1, "things are not as in the source", 0},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++)
        move(&cases[i]);
}

/* All is said before anything is written: nothing fails on the way */
static void what_an_older_version_cannot_express_is_named_first(void **state)
{
    static const char *const named[] = {
        "membership modern_group in pg_maintain: left out for PostgreSQL 13.",
        "membership modern_taker in modern_group: changed for PostgreSQL 13.",
        "collation modern.plain: changed for PostgreSQL 13.",
        "function modern.twice(integer): changed for PostgreSQL 13.",
        "table modern.grown: changed for PostgreSQL 13.",
        "table modern.many_ranges: left out for PostgreSQL 13.",
        "sequence modern.light: changed for PostgreSQL 13.",
        "check modern.loose.never: left out for PostgreSQL 13.",
        "check modern.papers.proper: left out for PostgreSQL 13.",
        "check modern.papers.titled: left out for PostgreSQL 13.",
        "default modern.papers.paper: left out for PostgreSQL 13.",
        "index modern.papers_of: left out for PostgreSQL 13.",
        "table modern.other_expression: left out for PostgreSQL 13.",
        "table modern.changed_expression: changed for PostgreSQL 13.",
        "table modern.drawn: left out for PostgreSQL 13.",
        "view modern.any_of: left out for PostgreSQL 13.",
        "view modern.over_json: it needs view modern.from_json, which is left out",
        "key modern.held.held_once: changed for PostgreSQL 13.",
        "foreign-key modern.visited.while_held: left out for PostgreSQL 13.",
        "grant table modern.grown: changed for PostgreSQL 13.",
        "publication some_rows: changed for PostgreSQL 13.",
        "event-trigger greets: left out for PostgreSQL 13.",
    };
    g_autofree char *from = servers_get_uri("v18", "modern"), *to = servers_get_uri("v13", "modern");
    g_autofree char *dump = g_build_filename(servers_get_folder(), "modern.dump", NULL);
    g_autofree char *for_13 = g_build_filename(servers_get_folder(), "modern-13.dump", NULL), *sql = NULL;
    g_autofree char *file = g_build_filename(for_13, "structure.sql", NULL), *rows = NULL;
    Run run;

    (void)state;
    create("v18", "modern");
    run_expect(run_hornbeam("dump", from, dump, NULL), 0, "Written whole", NULL);
    run_expect(run_hornbeam("restore", dump, to, NULL), 1, NULL, "its rows stay behind");
    run = run_hornbeam("restore", dump, to, "--accept", "not-as-source:table modern.*", NULL);
    assert_int_equal(run.status, 1);
    check_lacks(run.out, "Failed");
    for (gsize i = 0; i < G_N_ELEMENTS(named); i++)
        check_contains(run.out, named[i]);
    check_contains(run.err, "check modern.loose.never"); /* beforehand, with others of the same reason */
    check_lacks(run.err, "says_json");
    run_clear(&run);
    rows = servers_query(to, "SELECT twice, kept FROM modern.grown ORDER BY 1 NULLS LAST LIMIT 1");
    assert_string_equal(rows, "8|12");

    /* The same words in a dump that is written for the older version, whoever reads it */
    run_expect(run_hornbeam("dump", from, for_13, "--for-version", "13", NULL), 1, "changed for PostgreSQL 13", NULL);
    assert_true(g_file_get_contents(file, &sql, NULL, NULL));
    check_contains(sql, "(n * 2)) STORED");
    check_lacks(sql, "BEGIN ATOMIC");
    forget("v13", "modern");
    run_expect(run_hornbeam("restore", for_13, to, NULL), 0, "Restored whole", NULL);
    run_expect(run_hornbeam("verify", for_13, to, NULL), 0, "Equal", NULL);
    run_expect(run_hornbeam("dump", from, for_13, "--for-version", "8", NULL), 2, NULL, "no version");
    forget("v13", "modern");
    forget("v18", "modern");
}

/* Defaults that differ by version are no differences; rights that somebody changed are carried */
static void the_public_schema_keeps_what_was_changed(void **state)
{
    static const struct {
        const char *from, *to, *change, *acl;
    } cases[] = {
        {"v13", "v18", "SELECT 1", "{pg_database_owner=UC/pg_database_owner,=U/pg_database_owner}"},
        {"v18", "v13", "SELECT 1", "{postgres=UC/postgres,=UC/postgres}"},
        {"v13", "v18", "REVOKE ALL ON SCHEMA public FROM PUBLIC", "{pg_database_owner=UC/pg_database_owner}"},
        {"old", "v13", "REVOKE ALL ON SCHEMA public FROM PUBLIC", "{postgres=UC/postgres}"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *postgres = servers_get_uri(cases[i].from, "postgres"), *acl = NULL;
        g_autofree char *from = servers_get_uri(cases[i].from, "plain"), *to = servers_get_uri(cases[i].to, "plain");
        g_autofree char *dump = g_strdup_printf("%s/plain-%u", servers_get_folder(), (guint)i);
        g_free(servers_query(postgres, "CREATE DATABASE plain"));
        g_free(servers_query(from, cases[i].change));
        run_expect(run_hornbeam("dump", from, dump, NULL), 0, "Written whole", NULL);
        run_expect(run_hornbeam("restore", dump, to, NULL), 0, "Restored whole", NULL);
        run_expect(run_hornbeam("verify", from, to, NULL), 0, "Equal", NULL);
        acl = servers_query(to, "SELECT nspacl FROM pg_namespace WHERE nspname = 'public'");
        assert_string_equal(acl, cases[i].acl);
        forget(cases[i].from, "plain");
        forget(cases[i].to, "plain");
    }
}

/* What only reads differently is no difference; what means something else is */
static void a_definition_is_known_again_however_it_is_printed(void **state)
{
    static const struct {
        const char *from, *to;
    } pairs[] = {{"v18", "v13"}, {"old", "v17"}, {"v13", "v18"}};
    static const struct {
        const char *change, *named;
    } changes[] = {
        {"ALTER TABLE plot DROP CONSTRAINT tidy, ADD CONSTRAINT tidy CHECK (trim(both from name) = upper(name))",
         "check public.plot.tidy: defined differently"},
        {"CREATE OR REPLACE VIEW recent AS SELECT name, extract(year from seen)::int AS y FROM plot WHERE size > 4",
         "view public.recent: defined differently"},
        {"ALTER TABLE plot ALTER label SET DEFAULT overlay('plot' placing 'X' from 2)",
         "default public.plot.label: defined differently"},
        {"DROP INDEX by_start; CREATE INDEX by_start ON plot (substring(name from 1 for 2))",
         "index public.by_start: defined differently"},
        {"DROP TRIGGER on_name ON plot; CREATE TRIGGER on_name BEFORE UPDATE ON plot FOR EACH ROW"
         " WHEN (trim(both from new.name) <> 'y') EXECUTE FUNCTION touch()",
         "trigger public.plot.on_name: defined differently"},
        {"ALTER POLICY of_name ON plot USING (position('z' in name) = 0)",
         "policy public.plot.of_name: defined differently"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(pairs); i++) {
        g_autofree char *postgres = servers_get_uri(pairs[i].from, "postgres");
        g_autofree char *from = servers_get_uri(pairs[i].from, "printed"),
                        *to = servers_get_uri(pairs[i].to, "printed");
        g_autofree char *dump = g_strdup_printf("%s/printed-%u", servers_get_folder(), (guint)i);
        Run run;
        g_free(servers_query(postgres, "CREATE DATABASE printed"));
        g_free(servers_query(
            from, "CREATE TABLE plot (name varchar(9), size int, seen timestamp, label text DEFAULT overlay('plot' "
                  "placing 'x' from 2),"
                  " CONSTRAINT tidy CHECK (trim(both from name) = name AND name IN ('a', 'b')));"
                  "CREATE VIEW recent AS SELECT name, extract(year from seen)::int AS y FROM plot WHERE size > 3;"
                  "CREATE INDEX by_start ON plot (substring(name from 1 for 1)) WHERE name NOT IN ('x', 'y');"
                  "CREATE FUNCTION touch() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RETURN NEW; END $$;"
                  "CREATE TRIGGER on_name BEFORE UPDATE ON plot FOR EACH ROW WHEN (trim(both from new.name) <> 'x')"
                  " EXECUTE FUNCTION touch();"
                  "CREATE POLICY of_name ON plot USING (position('x' in name) = 0);"));
        run_expect(run_hornbeam("dump", from, dump, NULL), 0, "Written whole", NULL);
        run_expect(run_hornbeam("restore", dump, to, NULL), 0, "Restored whole", NULL);
        run_expect(run_hornbeam("verify", dump, to, NULL), 0, "Equal", NULL);
        for (gsize c = 0; c < G_N_ELEMENTS(changes); c++)
            g_free(servers_query(to, changes[c].change));
        run = run_hornbeam("verify", from, to, NULL);
        assert_int_equal(run.status, 1);
        for (gsize c = 0; c < G_N_ELEMENTS(changes); c++)
            check_contains(run.out, changes[c].named);
        check_contains(run.out, "Different: 6 differences");
        run_clear(&run);
        forget(pairs[i].from, "printed");
        forget(pairs[i].to, "printed");
    }
}

/* A new version's new column is something that no query of ours asks for: somebody must look at it */
static void every_column_of_the_catalogs_is_accounted_for(void **state)
{
    static const char *const servers[] = {"v13", "old", "v17", "v18"};
    g_autofree char *path = g_build_filename(HB_SOURCE_DIR, "tests/support/catalog_columns.txt", NULL), *text = NULL;
    g_autoptr(GHashTable) known = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    g_auto(GStrv) lines = NULL;

    (void)state;
    assert_true(g_file_get_contents(path, &text, NULL, NULL));
    lines = g_strsplit(text, "\n", -1);
    for (char **line = lines; *line != NULL; line++) {
        g_auto(GStrv) words = g_strsplit(*line, " ", -1);
        if (**line == '#' || **line == '\0')
            continue;
        for (char **word = words + 2; *word != NULL; word++)
            g_hash_table_add(known, g_strdup_printf("%s.%s", words[0], *word));
    }
    for (gsize i = 0; i < G_N_ELEMENTS(servers); i++) {
        g_autofree char *uri = servers_get_uri(servers[i], "postgres");
        g_autofree char *list = servers_query(
            uri, "SELECT c.relname || '.' || a.attname FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid"
                 " WHERE a.attnum > 0 AND NOT a.attisdropped AND c.relkind = 'r'"
                 "   AND c.relnamespace = 'pg_catalog'::regnamespace");
        g_auto(GStrv) columns = g_strsplit(list, "\n", -1);
        assert_true(g_strv_length(columns) > 500);
        for (char **column = columns; *column != NULL; column++) {
            g_autofree char *all = g_strdup_printf("%.*s.*", (int)strcspn(*column, "."), *column);
            if (!g_hash_table_contains(known, *column) && !g_hash_table_contains(known, all))
                fail_msg("%s has %s, of which tests/support/catalog_columns.txt does not say what becomes of it",
                         servers[i], *column);
        }
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(every_kind_arrives_on_every_version),
        cmocka_unit_test(what_an_older_version_cannot_express_is_named_first),
        cmocka_unit_test(the_public_schema_keeps_what_was_changed),
        cmocka_unit_test(a_definition_is_known_again_however_it_is_printed),
        cmocka_unit_test(every_column_of_the_catalogs_is_accounted_for),
    };

    return servers_run_tests("old new v13=13 v17=17 v18=18 w18=18", NULL, tests, G_N_ELEMENTS(tests));
}
