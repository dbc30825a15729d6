/* SPDX-License-Identifier: Apache-2.0 */
/* Rows as text become COPY's binary format: by the server's own word of each type's form, and whatever the blocks are
 */
#include "support/check.h"
#include "support/servers.h"

#include "engine/postgres/rows/binary_rows.h"
#include "engine/postgres/session/session.h"

/* ---- Values ---- */

#define SWEEP " FROM generate_series(1, 3000) i"

/* receiver; sender and type, for the server; its values */
static const struct {
    const char *receiver, *sender, *type, *values;
} types[] = {
    {"boolrecv", "boolsend", "boolean", "VALUES (true), (false)"},
    {"int2recv", "int2send", "smallint", "SELECT generate_series(-32768, 32767)"},
    {"int4recv", "int4send", "integer",
     "SELECT (random() * 4294967295 - 2147483648)::int4" SWEEP
     " UNION ALL VALUES (0), (-1), (2147483647), (-2147483648), (1000000000)"},
    {"int8recv", "int8send", "bigint",
     "SELECT ((random() - 0.5) * 1.8e19)::int8" SWEEP
     " UNION ALL VALUES (0), (9223372036854775807), (-9223372036854775808), (4294967296)"},
    {"oidrecv", "oidsend", "oid", "VALUES ('0'::oid), ('2147483648'), ('4294967295')"},
    {"float4recv", "float4send", "real",
     "SELECT ((random() - 0.5) * 10 ^ (i % 76 - 38))::float4" SWEEP
     " UNION ALL VALUES ('NaN'::real), ('Infinity'), ('-Infinity'), ('-0'), ('1e-45'), ('3.4028235e38'), ('16777217')"},
    {"float8recv", "float8send", "double precision",
     "SELECT (random() - 0.5) * 10 ^ (i % 600 - 300)" SWEEP
     " UNION ALL VALUES ('NaN'::double precision), ('Infinity'), ('-Infinity'), ('-0'), ('5e-324'), "
     "('1.7976931348623157e308'), (0.1)"},
    {"numeric_recv", "numeric_send", "numeric",
     "SELECT ((random() - 0.5)::numeric * 10::numeric ^ (i % 40 - 20))" SWEEP
     " UNION ALL SELECT round((random() * 1000000)::numeric, i % 9)" SWEEP
     " UNION ALL SELECT 10::numeric ^ (i % 60)" SWEEP
     " UNION ALL VALUES (0), (0.00), (-0.0500), (10000), (9999.9999), (100000000), (0.0001), (0.00001), ('NaN'),"
     " (1e400), (-1e-400), (12345678901234567890.10)"},
    {"textrecv", "textsend", "text", "VALUES (''), ('Größe 名前'), (E'a\\tb\\nc\\\\d'), ('\\N'), ('\\.')"},
    {"jsonb_recv", "jsonb_send", "jsonb", "VALUES ('{\"a\": [1, null, \"x\\\\ty\"]}'::jsonb), ('3')"},
    {"charrecv", "charsend", "\"char\"", "VALUES ('a'::\"char\"), ('\\')"},
    {"date_recv", "date_send", "date",
     "SELECT '4713-01-01 BC'::date + i * 1500" SWEEP " UNION ALL SELECT '1999-02-20'::date + i" SWEEP
     " UNION ALL VALUES ('infinity'::date), ('-infinity'), ('5874897-12-31'), ('4713-01-01 BC'), ('0001-01-01'),"
     " ('0001-12-31 BC'), ('2000-02-29'), ('1900-02-28'), ('0004-02-29'), ('0005-02-28 BC'), ('0005-02-29 BC')"},
    {"time_recv", "time_send", "time",
     "SELECT make_time(i % 24, i % 60, (i * 7 % 60) + random())" SWEEP
     " UNION ALL VALUES ('00:00'::time), ('24:00'), ('23:59:59.999999'), ('12:00:00.5')"},
    {"timetz_recv", "timetz_send", "timetz",
     "VALUES ('12:00+00'::timetz), ('23:59:59.1-11:30'), ('24:00:00+05:30:07'), ('00:00+15:59')"},
    {"timestamp_recv", "timestamp_send", "timestamp",
     "SELECT '4713-01-01 BC'::timestamp + i * 1003 * interval '1 day 01:02:03.000456'" SWEEP
     " UNION ALL VALUES ('infinity'::timestamp), ('-infinity'), ('294276-12-31 23:59:59.999999'), ('4713-01-01 "
     "00:00:00 BC'),"
     " ('1999-12-31 23:59:59.999999'), ('2000-01-01'), ('1969-12-31 23:59:59.9')"},
    {"timestamptz_recv", "timestamptz_send", "timestamptz",
     "SELECT '4713-01-01 BC'::timestamptz + i * 1003 * interval '1 day 01:02:03.000456'" SWEEP
     " UNION ALL VALUES ('infinity'::timestamptz), ('-infinity'), ('294276-12-31 23:59:59.999999+00'),"
     " ('0044-03-15 12:00:00.5+00 BC'), ('2024-02-29 00:00:00+00')"},
    {"interval_recv", "interval_send", "interval",
     "SELECT make_interval(i % 7 - 3, i % 11 - 5, 0, i % 5 - 2, i % 50 - 25, i % 60, random() - 0.5)" SWEEP
     " UNION ALL VALUES ('0'::interval), ('1 day'), ('-1 day'), ('-00:00:01'), ('178000000 years'), "
     "('999999999:00:00'),"
     " ('1 year -1 day'), ('-1 year +1 day')"},
    {"bytearecv", "byteasend", "bytea",
     "SELECT decode(repeat(to_hex(i % 255 + 16), i % 40), 'hex')" SWEEP " WHERE i % 255 < 240"},
    {"uuid_recv", "uuid_send", "uuid", "SELECT gen_random_uuid()" SWEEP},
    {"bit_recv", "bit_send", "bit(9)", "VALUES (B'000000001'), (B'101010101')"},
    {"varbit_recv", "varbit_send", "bit varying",
     "SELECT (i::bit(40) << (i % 8))::varbit" SWEEP " UNION ALL VALUES (B''), (B'1'), (B'11111111')"},
};

/* The length of a value and its form, in hexadecimal digits; NULL: it is refused */
static char *make_form(HbPgToBinary form, const char *text)
{
    g_autoptr(GString) hex = g_string_new(NULL);
    GString *binary = g_string_new(NULL);
    const gboolean ok = form(text, strlen(text), binary);

    for (gsize i = 0; ok && i < binary->len; i++)
        g_string_append_printf(hex, "%02x", (guchar)binary->str[i]);
    g_string_free(binary, TRUE);
    return ok ? g_string_free(g_steal_pointer(&hex), FALSE) : NULL;
}

static void each_form_is_what_the_server_itself_sends(void **state)
{
    g_autofree char *uri = servers_get_uri("one", NULL);
    const HbAddress address = {.uri = uri};
    HbSession *session = hb_pg_open(&address, NULL);

    (void)state;
    assert_non_null(session);
    for (gsize t = 0; t < G_N_ELEMENTS(types); t++) {
        g_autofree char *sql =
            g_strdup_printf("SELECT format('%%s', v::%s), encode(%s(v::%s), 'hex') FROM (%s) AS t(v)", types[t].type,
                            types[t].sender, types[t].type, types[t].values);
        g_autoptr(GError) error = NULL;
        g_autoptr(HbResult) rows = hb_pg_query(session, sql, &error);
        const HbPgToBinary form = hb_pg_find_value_form(types[t].receiver);

        if (rows == NULL)
            fail_msg("%s: %s", types[t].type, error->message);
        assert_true(form != NULL && PQntuples(rows) > 1);
        for (int i = 0; i < PQntuples(rows); i++) {
            g_autofree char *ours = make_form(form, PQgetvalue(rows, i, 0));
            if (g_strcmp0(ours, PQgetvalue(rows, i, 1)) != 0)
                fail_msg("%s %s: %s, not %s", types[t].type, PQgetvalue(rows, i, 0), ours, PQgetvalue(rows, i, 1));
        }
    }
    hb_pg_close(session);
}

/* The library's own reading is the rule, also where digits end in or beside the middle of two floats */
static void check_float(const char *text)
{
    union {
        double value;
        guint64 bits;
    } wide = {.value = g_ascii_strtod(text, NULL)};
    union {
        float value;
        guint32 bits;
    } narrow = {.value = strtof(text, NULL)};
    g_autofree char *ours8 = make_form(hb_pg_find_value_form("float8recv"), text),
                    *ours4 = make_form(hb_pg_find_value_form("float4recv"), text),
                    *want8 = g_strdup_printf("%016" G_GINT64_MODIFIER "x", wide.bits),
                    *want4 = g_strdup_printf("%08x", narrow.bits);

    if (g_strcmp0(ours8, want8) != 0 || g_strcmp0(ours4, want4) != 0)
        fail_msg("%s: %s and %s, not %s and %s", text, ours8, ours4, want8, want4);
}

static void floats_are_those_that_the_library_reads(void **state)
{
    static const char *const texts[] = {"9007199254740993",
                                        "9007199254740993.0",
                                        "9007199254740992.5",
                                        "9007199254740993.001",
                                        "9007199254740992.99",
                                        "9007199254740995",
                                        "16777217",
                                        "16777217.5",
                                        "16777219",
                                        "0.1",
                                        "0.30000000000000004",
                                        "9999999999999999999",
                                        "18446744073709551615",
                                        "18446744073709551616",
                                        "1000000000000000000.5",
                                        "0.0000000000000000001",
                                        "0.000000000000000001",
                                        "4503599627370496.5",
                                        "4503599627370497.5",
                                        "1152921504606846976",
                                        "1152921504606847104"};
    g_autoptr(GRand) random = g_rand_new_with_seed(20261202);

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(texts); i++)
        check_float(texts[i]);
    for (guint i = 0; i < 300000; i++) {
        const guint64 whole = (guint64)g_rand_int(random) << 32 | g_rand_int(random);
        const guint digits = 1 + i % 19, point = (guint)g_rand_int_range(random, 0, 19);
        g_autofree char *all = g_strdup_printf("%020" G_GUINT64_FORMAT, whole);
        g_autofree char *text = g_strdup_printf("%s%.*s.%s", i % 2 ? "-" : "", (int)MAX(1, MIN(point, digits)), all + 1,
                                                all + 20 - MIN(digits, 19));
        check_float(text);
    }
    /* exactly in the middle of two doubles, and the least beside it */
    for (guint i = 0; i < 20000; i++) {
        const guint64 middle = (G_GUINT64_CONSTANT(1) << 53) + 2 * (guint64)g_rand_int(random) + 1;
        for (gint beside = -1; beside <= 1; beside++) {
            g_autofree char *text = g_strdup_printf("%" G_GUINT64_FORMAT ".%s", beside < 0 ? middle - 1 : middle,
                                                    beside < 0   ? "999"
                                                    : beside > 0 ? "001"
                                                                 : "000");
            check_float(text);
        }
    }
}

/* What no server writes, and what the form cannot hold */
static void other_texts_are_refused(void **state)
{
    static const struct {
        const char *receiver, *texts[12];
    } cases[] = {
        {"boolrecv", {"", "true", "T", "1"}},
        {"int2recv", {"", "-", "32768", "-32769", "1 ", " 1", "+1", "1.0", "0x1", "99999999999999999999999"}},
        {"int4recv", {"2147483648", "-2147483649"}},
        {"int8recv", {"9223372036854775808", "-9223372036854775809", "18446744073709551616"}},
        {"oidrecv", {"-1", "4294967296"}},
        {"float4recv", {"", " 1", "0x10", "inf", "nan(1)", "1e", "1e5x", "+1"}},
        {"float8recv", {"", "1 ", "0x1p3", "nan", "--1"}},
        {"numeric_recv", {"", ".5", "5.", "1e5", "-", "--1", "1 ", "nan", "1,5"}},
        {"date_recv",
         {"", "today", "2023-02-29", "1900-02-29", "2023-13-01", "2023-00-01", "2023-01-00", "2023-01-32", "0000-01-01",
          "23-01-01", "2023-01-01 AD", "9999-01-01 BC"}},
        {"time_recv", {"", "12:60:00", "12:00:60", "24:00:01", "12:00", "12:00:00.", "12:00:00.1234567"}},
        {"timetz_recv", {"12:00:00", "12:00:00 UTC"}},
        {"timestamp_recv", {"2023-01-01", "2023-01-01T00:00:00", "2023-01-01 24:00:00", "2023-01-01 00:00:00+00"}},
        {"timestamptz_recv", {"2023-01-01 00:00:00", "2023-01-01 00:00:00 UTC", "9999999-01-01 00:00:00+00"}},
        {"interval_recv", {"", "1", "1 week", "1 day ago", "P1D", "9999999999:00:00", "infinity", "3000000000 days"}},
        {"bytearecv", {"", "x", "\\x1", "\\xgg", "abc", "\\x 1"}},
        {"uuid_recv",
         {"", "a0eebc999c0b4ef8bb6d6bb9bd380a11", "a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a1",
          "{a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11}"}},
        {"bit_recv", {"2", "01x"}},
        {"charrecv", {"", "ab", "\xc3"}},
    };
    g_autofree char *long_number = g_strnfill(12001, '9');

    (void)state;
    for (gsize c = 0; c < G_N_ELEMENTS(cases); c++) {
        for (gsize i = 0; i < G_N_ELEMENTS(cases[c].texts) && cases[c].texts[i] != NULL; i++) {
            g_autofree char *form = make_form(hb_pg_find_value_form(cases[c].receiver), cases[c].texts[i]);
            if (form != NULL)
                fail_msg("%s took “%s”: %s", cases[c].receiver, cases[c].texts[i], form);
        }
    }
    assert_null(make_form(hb_pg_find_value_form("numeric_recv"), long_number));
    assert_true(hb_pg_find_value_form("record_recv") == NULL);
}

/* ---- Blocks ---- */

typedef struct {
    const char *text;
    gsize left, block;
    gboolean has_ended;
} Blocks;

static gboolean give(gpointer data, const char **bytes, gsize *length, GError **error)
{
    Blocks *blocks = data;

    (void)error;
    assert_false(blocks->has_ended);
    *bytes = blocks->text;
    *length = MIN(blocks->left, blocks->block);
    blocks->text += *length;
    blocks->left -= *length;
    blocks->has_ended = *length == 0;
    return TRUE;
}

static GString *collect(gboolean (*source)(gpointer, const char **, gsize *, GError **), HbPgBinaryRows *rows)
{
    GString *all = g_string_new(NULL);
    const char *bytes;
    gsize length;

    do {
        assert_true(source(rows, &bytes, &length, NULL));
        g_string_append_len(all, bytes, (gssize)length);
    } while (length > 0);
    return all;
}

/* An integer and a text */
static void convert(const char *text, gsize block, GString **binary, GString **rest)
{
    const HbPgToBinary columns[] = {hb_pg_find_value_form("int4recv"), hb_pg_find_value_form("textrecv")};
    g_autoptr(GArray) forms = g_array_new(FALSE, FALSE, sizeof(HbPgToBinary));
    Blocks blocks = {.text = text, .left = strlen(text), .block = block};
    g_autoptr(HbPgBinaryRows) rows = NULL;

    g_array_append_vals(forms, columns, G_N_ELEMENTS(columns));
    rows = hb_pg_binary_rows_new(forms, give, &blocks);
    *binary = collect(hb_pg_binary_rows_give, rows);
    *rest = hb_pg_binary_rows_has_rest(rows) ? collect(hb_pg_binary_rows_give_rest, rows) : g_string_new(NULL);
}

#define HEAD "PGCOPY\n\377\r\n\0\0\0\0\0\0\0\0\0"
#define ROW1 "\0\2\0\0\0\4\0\0\0\1\0\0\0\3oak"
#define ROW2 "\0\2\377\377\377\377\0\0\0\4a\tb\\"
#define ROW3 "\0\2\0\0\0\4\377\377\377\376\377\377\377\377"
#define ROW4 "\0\2\0\0\0\4\0\0\0\4\0\0\0\0"
#define TAIL "\377\377"
#define ALL  "1\toak\n\\N\ta\\tb\\\\\n-2\t\\N\n4\t\n"

static void blocks_may_end_anywhere(void **state)
{
    static const struct {
        const char *text;
        const char *binary;
        gsize length;
        const char *rest;
    } cases[] = {
        {"", HEAD TAIL, sizeof HEAD TAIL - 1, ""},
        {ALL, HEAD ROW1 ROW2 ROW3 ROW4 TAIL, sizeof HEAD ROW1 ROW2 ROW3 ROW4 TAIL - 1, ""},
        {"x\ty\n" ALL, HEAD TAIL, sizeof HEAD TAIL - 1, "x\ty\n" ALL},
        {"1\toak\nx\ty\n" ALL, HEAD ROW1 TAIL, sizeof HEAD ROW1 TAIL - 1, "x\ty\n" ALL},
        {ALL "5\ta\\q\n" ALL, HEAD ROW1 ROW2 ROW3 ROW4 TAIL, sizeof HEAD ROW1 ROW2 ROW3 ROW4 TAIL - 1, "5\ta\\q\n" ALL},
        {"1\toak\n5\n6\ta\n", HEAD ROW1 TAIL, sizeof HEAD ROW1 TAIL - 1, "5\n6\ta\n"},     /* a column short */
        {"1\toak\n5\ta\tb\n", HEAD ROW1 TAIL, sizeof HEAD ROW1 TAIL - 1, "5\ta\tb\n"},     /* one too many */
        {"1\toak\n\\.\n1\tb\n", HEAD ROW1 TAIL, sizeof HEAD ROW1 TAIL - 1, "\\.\n1\tb\n"}, /* the old end */
        {"1\toak\n1\toa", HEAD ROW1 TAIL, sizeof HEAD ROW1 TAIL - 1, "1\toa"},             /* broke off */
    };

    (void)state;
    for (gsize c = 0; c < G_N_ELEMENTS(cases); c++) {
        for (gsize block = 1; block <= strlen(cases[c].text) + 1; block++) {
            GString *binary, *rest;
            convert(cases[c].text, block, &binary, &rest);
            assert_int_equal(binary->len, cases[c].length);
            assert_memory_equal(binary->str, cases[c].binary, cases[c].length);
            assert_string_equal(rest->str, cases[c].rest);
            g_string_free(binary, TRUE);
            g_string_free(rest, TRUE);
        }
    }
}

/* ---- Tables ---- */

#define DIGEST_OF(table) "SELECT md5(string_agg(t::text, '/' ORDER BY n)) FROM " table " t"

/* All types, a domain, an enum; a row that is refused among others, and one that is too long to be held */
static void a_table_is_the_same_in_either_form(void **state)
{
    static const char *const tables[] = {"tree", "label"};
    static const char fill[] =
        "CREATE TYPE leaf AS ENUM ('needle', 'Größe'); CREATE DOMAIN girth AS numeric(9,3) CHECK (VALUE >= 0);"
        " CREATE DOMAIN trunk AS girth NOT NULL;"
        " CREATE TABLE tree (n int PRIMARY KEY, b boolean, f4 real, f8 float8, num numeric, d trunk, t text, c char(5),"
        "  v varchar(9), j json, jb jsonb, day date, at timestamptz, span interval, tag uuid, raw bytea, l leaf, o oid,"
        "  bits bit varying);"
        " INSERT INTO tree SELECT i, i % 2 = 0, i / 7.0, i / 3.0, CASE i WHEN 1500 THEN 10::numeric ^ 12500 WHEN 7 THEN"
        "  'Infinity' WHEN 8 THEN '-Infinity' WHEN 9 THEN 'NaN' ELSE i / 9.0 END, i / 1000.0, E'a\\t\\\\\\n' || i, 'x',"
        "  'v' || i, '[1,  2]', '[1,  2]', '2020-01-01'::date + i, now() + i * interval '1 hour', i * interval"
        "  '1 day 1 second', gen_random_uuid(), decode(lpad(to_hex(i), 8, '0'), 'hex'), 'Größe', i, i::bit(20)"
        " FROM generate_series(1, 3000) i;"
        " INSERT INTO tree (n, d) SELECT -i, 0 FROM generate_series(1, 1000) i;"
        " CREATE TABLE label (n int PRIMARY KEY, t text);"
        " INSERT INTO label SELECT i, repeat('leaf ', CASE i WHEN 2500 THEN 1000000 ELSE 20 END)"
        " FROM generate_series(1, 3000) i";
    g_autofree char *shell = servers_get_uri("one", NULL), *from = servers_get_uri("one", "vale");
    g_autofree char *to = servers_get_uri("one", "dale");

    (void)state;
    g_free(servers_query(shell, "CREATE DATABASE vale"));
    g_free(servers_query(from, fill));
    g_free(servers_query(shell, "ALTER SYSTEM SET log_statement = 'all'"));
    g_free(servers_query(shell, "SELECT pg_reload_conf()"));
    /* each table comes in binary form first, and from what is refused on as text */
    run_expect(run_shell("d=$FOLDER; $HORNBEAM dump -q \"$(server_uri one vale)\" $d/dump && $HORNBEAM restore -q "
                         "$d/dump \"$(server_uri one dale)\" >$d/o; grep -o 'COPY public.* FROM STDIN.*' "
                         "$SERVERS/one/data/server.log | sed 's/(n[^)]*)/()/' | sort"),
               0,
               "COPY public.label () FROM STDIN\nCOPY public.label () FROM STDIN (FORMAT binary)\n"
               "COPY public.tree () FROM STDIN\nCOPY public.tree () FROM STDIN (FORMAT binary)\n",
               NULL);
    for (gsize i = 0; i < G_N_ELEMENTS(tables); i++) {
        g_autofree char *sql = g_strdup_printf(DIGEST_OF("%s"), tables[i]);
        g_autofree char *one = servers_query(from, sql), *other = servers_query(to, sql);
        assert_string_equal(one, other);
    }
}

/* Bytes that are no UTF-8, where the database takes them */
static void a_database_without_an_encoding_keeps_its_bytes(void **state)
{
    (void)state;
    run_expect(
        run_shell(
            "set -e; d=$FOLDER/raw; mkdir $d; psql -qX \"$(server_uri one postgres)\" -c \"CREATE DATABASE raw "
            "ENCODING "
            "'SQL_ASCII' LC_COLLATE 'C' LC_CTYPE 'C' TEMPLATE template0\"; psql -qX \"$(server_uri one raw)\" -c "
            "\"CREATE TABLE leaf (n int, t text)\" -c \"INSERT INTO leaf SELECT i, E'\\xe9\\xff, no letter' FROM "
            "generate_series(1, 9000) i\"; $HORNBEAM dump -q \"$(server_uri one raw)\" $d/dump; $HORNBEAM restore "
            "-q $d/dump \"$(server_uri one rawer)\" >$d/o; psql -qXAt \"$(server_uri one rawer)\" -c \"SELECT "
            "count(*), count(DISTINCT t), max(encode(t::bytea, 'hex')) FROM leaf\""),
        0, "9000|1|e9ff", NULL);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(each_form_is_what_the_server_itself_sends),
        cmocka_unit_test(floats_are_those_that_the_library_reads),
        cmocka_unit_test(other_texts_are_refused),
        cmocka_unit_test(blocks_may_end_anywhere),
        cmocka_unit_test(a_table_is_the_same_in_either_form),
        cmocka_unit_test(a_database_without_an_encoding_keeps_its_bytes),
    };
    return servers_run_tests("one", NULL, tests, G_N_ELEMENTS(tests));
}
