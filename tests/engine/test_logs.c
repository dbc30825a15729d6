/* SPDX-License-Identifier: Apache-2.0 */
/*
 * Recorded streams of servers' logs (support/record_log.c, golden/log-*.sql), read without a server: what each message
 * tells is written behind it. With HB_WRITE_GOLDEN set, the files are written anew, to be read by somebody.
 */
#include "support/check.h"

#include "engine/mariadb/log/log_reader.h"
#include "engine/mariadb/log/logged_statements.h"
#include "engine/mariadb/log/table_layouts.h"
#include "engine/postgres/log/log_reader.h"

#include <string.h>

typedef struct {
    HbLogReader *reader;
    gboolean (*take)(HbLogReader *, const guint8 *, gsize, gboolean *, HbLogEvent *, GError **);
    gboolean (*tell)(HbLogReader *, gboolean *, HbLogEvent *, GError **);
    void (*close)(HbLogReader *);
} Side;

/* ---- Streams ---- */

static GByteArray *read_hex(const char *text)
{
    GByteArray *bytes = g_byte_array_new();

    for (; g_ascii_isxdigit(text[0]) && g_ascii_isxdigit(text[1]); text += 2) {
        const guint8 byte = (guint8)(g_ascii_xdigit_value(text[0]) << 4 | g_ascii_xdigit_value(text[1]));
        g_byte_array_append(bytes, &byte, 1);
    }
    return bytes;
}

static void append_text(GString *out, const char *name, const char *text, gsize length)
{
    g_autofree char *copy = text != NULL ? g_strndup(text, length) : NULL;
    g_autofree char *escaped = copy != NULL ? g_strescape(copy, NULL) : NULL;

    if (escaped != NULL && strlen(escaped) > 2000)
        g_string_append_printf(out, " %s=%.20s...%zu bytes", name, escaped, length);
    else if (escaped != NULL)
        g_string_append_printf(out, " %s=%s", name, escaped);
}

static void describe(GString *out, const HbLogEvent *event)
{
    static const char *const names[] = {"nothing", "inserted", "updated", "deleted", "emptied", "commit", "structure"};

    g_string_append_printf(out, "tells %s", names[event->kind]);
    if (event->set != NULL)
        g_string_append_printf(out, " %s", event->set->table);
    append_text(out, "key", event->key, event->key_length);
    append_text(out, "old", event->old_key, event->old_key_length);
    append_text(out, "row", event->row, event->row_length);
    for (guint i = 0; event->kept != NULL && i < event->set->columns->len; i++) {
        if (event->kept[i])
            g_string_append_printf(out, " kept=%u", i);
    }
    append_text(out, "what", event->what, event->what != NULL ? strlen(event->what) : 0);
    append_text(out, "position", event->position, event->position != NULL ? strlen(event->position) : 0);
    g_string_append_c(out, '\n');
}

static void take_message(const Side *side, const char *hex, GString *out)
{
    g_autoptr(GByteArray) bytes = read_hex(hex);
    g_autoptr(GError) error = NULL;
    gboolean has_event;
    HbLogEvent event;
    gboolean ok = side->take(side->reader, bytes->data, bytes->len, &has_event, &event, &error);

    while (ok) {
        if (has_event)
            describe(out, &event);
        ok = side->tell(side->reader, &has_event, &event, &error);
        if (!has_event)
            break;
    }
    if (error != NULL)
        g_string_append_printf(out, "refused: %s\n", error->message);
}

/* The file's own lines, and after each message what it tells; of a part of each message only that nothing breaks */
static char *read_stream(const Side *side, char *const *lines)
{
    GString *out = g_string_new(NULL);

    for (; *lines != NULL; lines++) {
        if (**lines == '\0' || g_str_has_prefix(*lines, "tells ") || g_str_has_prefix(*lines, "refused: "))
            continue;
        g_string_append_printf(out, "%s\n", *lines);
        if (g_str_has_prefix(*lines, "message "))
            take_message(side, *lines + strlen("message "), out);
    }
    return g_string_free(out, FALSE);
}

static void check_stream(const char *name, Side (*open)(char *const *lines, HbCatalog *catalog))
{
    g_autofree char *path = g_strdup_printf(HB_SOURCE_DIR "/tests/golden/log-%s.txt", name), *text = NULL;
    g_autoptr(HbCatalog) catalog = hb_catalog_new();
    g_auto(GStrv) lines = NULL;
    g_autofree char *found = NULL;
    Side side;

    assert_true(g_file_get_contents(path, &text, NULL, NULL));
    lines = g_strsplit(text, "\n", -1);
    side = open(lines, catalog);
    found = read_stream(&side, lines);
    side.close(side.reader);
    if (g_getenv("HB_WRITE_GOLDEN") != NULL)
        assert_true(g_file_set_contents(path, found, -1, NULL));
    else
        assert_string_equal(found, text);
}

/* Every message, cut at every place: an error, or less is told, but nothing is read that is not there */
static void cut_stream(const char *name, Side (*open)(char *const *lines, HbCatalog *catalog))
{
    g_autofree char *path = g_strdup_printf(HB_SOURCE_DIR "/tests/golden/log-%s.txt", name), *text = NULL;
    g_autoptr(HbCatalog) catalog = hb_catalog_new();
    g_auto(GStrv) lines = NULL;
    Side side;

    assert_true(g_file_get_contents(path, &text, NULL, NULL));
    lines = g_strsplit(text, "\n", -1);
    side = open(lines, catalog);
    for (char **line = lines; *line != NULL; line++) {
        g_autoptr(GString) out = g_string_new(NULL);
        const gsize length = strlen(*line);
        if (!g_str_has_prefix(*line, "message "))
            continue;
        for (gsize cut = strlen("message "); cut < MIN(length, 600); cut += 2) {
            g_autofree char *part = g_strndup(*line + strlen("message "), cut - strlen("message "));
            take_message(&side, part, out);
        }
        take_message(&side, *line + strlen("message "), out);
        assert_true(strlen(out->str) == out->len);
    }
    side.close(side.reader);
}

/* ---- PostgreSQL ---- */

static gboolean take_postgres(HbLogReader *reader, const guint8 *bytes, gsize length, gboolean *has_event,
                              HbLogEvent *event, GError **error)
{
    return hb_pg_log_reader_take(reader, (const char *)bytes, length, has_event, event, error);
}

static gboolean tell_postgres(HbLogReader *reader, gboolean *has_event, HbLogEvent *event, GError **error)
{
    (void)error;
    hb_pg_log_reader_tell(reader, has_event, event);
    return TRUE;
}

/* "set 16385 plot code,n,tags" */
static void add_set(HbCatalog *catalog, const char *line)
{
    g_auto(GStrv) words = g_strsplit(line, " ", 3);
    char *columns = g_strrstr(words[2], " ");
    g_autofree char *table = g_strndup(words[2], (gsize)(columns - words[2])),
                    *identity = g_strdup_printf("rows %s", table);
    g_auto(GStrv) names = NULL;
    HbRowSet *set = hb_catalog_add_row_set(catalog, identity, table);

    if (g_str_has_prefix(words[2], "\"Größter Baum\""))
        columns = words[2] + strlen("\"Größter Baum\"");
    g_free(set->table);
    set->table = g_strndup(words[2], (gsize)(columns - words[2]));
    set->number = g_ascii_strtoull(words[1], NULL, 10);
    names = g_strsplit(columns + 1, ",", -1);
    for (char **name = names; *name != NULL; name++)
        g_ptr_array_add(set->columns, g_strdup(*name));
}

static Side open_postgres(char *const *lines, HbCatalog *catalog)
{
    for (; *lines != NULL; lines++) {
        if (g_str_has_prefix(*lines, "set "))
            add_set(catalog, *lines);
    }
    return (Side){hb_pg_log_reader_new(hb_catalog_get_row_sets(catalog)), take_postgres, tell_postgres,
                  hb_pg_close_log};
}

/* ---- MariaDB and MySQL ---- */

static const char *const columns[][5] = {
    {"plot", "id", "int", "int(11)", NULL},
    {"plot", "small", "tinyint", "tinyint(4)", NULL},
    {"plot", "big", "bigint", "bigint(20) unsigned", NULL},
    {"plot", "d", "decimal", "decimal(20,6)", NULL},
    {"plot", "f", "float", "float", NULL},
    {"plot", "g", "double", "double", NULL},
    {"plot", "da", "date", "date", NULL},
    {"plot", "t", "time", "time(2)", NULL},
    {"plot", "dt", "datetime", "datetime(6)", NULL},
    {"plot", "ts", "timestamp", "timestamp", NULL},
    {"plot", "y", "year", "year(4)", NULL},
    {"plot", "kind", "enum", "enum('rain','it''s wind')", "latin1"},
    {"plot", "flags", "set", "set('a','b','c')", "utf8mb4"},
    {"plot", "raw", "blob", "blob", NULL},
    {"plot", "bits", "bit", "bit(11)", NULL},
    {"plot", "latin", "varchar", "varchar(50)", "latin1"},
    {"plot", "bin", "binary", "binary(8)", NULL},
    {"plot", "m", "mediumint", "mediumint(9)", NULL},
    {"plot", "p", "point", "point", NULL},
    {"plot", "note", "text", "text", "utf8mb4"},
};

static const char codings[] = "tttttttttttttxxtxtxt";

static Side open_mariadb(char *const *lines, HbCatalog *catalog)
{
    HbRowSet *set = hb_catalog_add_row_set(catalog, "rows plot", "plot");
    const guint first = 0;
    GHashTable *layouts;

    for (gsize i = 0; i < G_N_ELEMENTS(columns); i++) {
        g_ptr_array_add(set->columns, g_strdup(columns[i][1]));
        g_ptr_array_add(set->select_expressions, strcmp(columns[i][1], "latin") == 0 ? g_strdup("CONVERT(...)") : NULL);
    }
    g_string_assign(set->hex_columns, codings);
    g_array_append_val(set->key, first);
    layouts = hb_my_layouts_new(hb_catalog_get_row_sets(catalog));
    for (gsize i = 0; i < G_N_ELEMENTS(columns); i++)
        hb_my_layouts_add(layouts, columns[i]);
    assert_true(g_str_has_prefix(lines[0], "file "));
    return (Side){hb_my_log_reader_new("trace", lines[0] + strlen("file "), layouts), hb_my_log_reader_take,
                  hb_my_log_reader_tell, hb_my_close_log};
}

static const struct {
    const char *name;
    Side (*open)(char *const *lines, HbCatalog *catalog);
} streams[] = {{"postgres-13", open_postgres}, {"postgres-15", open_postgres},  {"postgres-18", open_postgres},
               {"mariadb-10.5", open_mariadb}, {"mariadb-10.11", open_mariadb}, {"mariadb-11.8", open_mariadb},
               {"mysql-9.7", open_mariadb}};

static void recorded_streams_tell_what_they_told(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(streams); i++)
        check_stream(streams[i].name, streams[i].open);
}

static void cut_messages_are_refused(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(streams); i++)
        cut_stream(streams[i].name, streams[i].open);
}

/* Which table of the database vane a statement empties */
static void truncations_name_their_table(void **state)
{
    static const struct {
        const char *text;
        gboolean runs_in_it;
        const char *table;
    } cases[] = {
        {"TRUNCATE TABLE mast", TRUE, "mast"},
        {"truncate mast", TRUE, "mast"},
        {"/* nightly */ TRUNCATE TABLE `ma``st`", TRUE, "ma`st"},
        {"TRUNCATE `vane.mast`", TRUE, "vane.mast"},
        {"TRUNCATE TABLE mast", FALSE, NULL},
        {"TRUNCATE TABLE vane.mast", FALSE, "mast"},
        {"TRUNCATE `vane` . /* of it */ `mast`", FALSE, "mast"},
        {"TRUNCATE TABLE other.mast", TRUE, NULL},
        {"TRUNCATE TABLE vanes.mast", TRUE, NULL},
        {"TRUNCATE TABLE mast.vane", TRUE, NULL},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *table = hb_my_find_truncated(cases[i].text, cases[i].runs_in_it, "vane");

        assert_int_equal(hb_my_judge_statement(cases[i].text), HB_MY_STATEMENT_EMPTIES);
        if (cases[i].table == NULL)
            assert_null(table);
        else
            assert_string_equal(table, cases[i].table);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(recorded_streams_tell_what_they_told),
        cmocka_unit_test(cut_messages_are_refused),
        cmocka_unit_test(truncations_name_their_table),
    };

    return cmocka_run_group_tests(tests, NULL, NULL);
}
