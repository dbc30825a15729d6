/* SPDX-License-Identifier: Apache-2.0 */
#include "fuzz/targets.h"

#include "cli/route.h"
#include "core/base/dated_name.h"
#include "core/base/json_text.h"
#include "core/model/wordings.h"
#include "core/rows/insert_writer.h"
#include "core/rows/row_counter.h"
#include "core/select/pattern.h"
#include "core/select/rename.h"
#include "dump/reader.h"
#include "dump/stream.h"
#include "engine/common/grant_compare.h"
#include "engine/mariadb/dialect/dialect.h"
#include "engine/mariadb/dialect/grants.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/script.h"
#include "engine/mariadb/dialect/show_create_parser.h"
#include "engine/mariadb/dialect/split_statements.h"
#include "engine/mariadb/rows/encoding.h"
#include "engine/postgres/dialect/dialect.h"
#include "engine/postgres/dialect/lexical.h"
#include "engine/postgres/dialect/printing.h"
#include "engine/registry.h"
#include "report/table.h"
#include "work/origin/origin.h"
#include "work/restore/target_cleanup.h"

#include <fcntl.h>
#include <glib/gstdio.h>
#include <string.h>
#include <unistd.h>

/* A file of these bytes whose name ends so; the caller's, to be removed and freed */
static char *make_file(const char *bytes, gsize length, const char *ending)
{
    g_autofree char *template = g_strdup_printf("hornbeam-fuzz-XXXXXX%s", ending);
    char *path = NULL;
    int fd = g_file_open_tmp(template, &path, NULL);

    g_assert(fd >= 0 && write(fd, bytes, length) == (gssize)length);
    close(fd);
    return path;
}

static void remove_file(char *path)
{
    unlink(path);
    g_free(path);
}

/* ---- Dumps ---- */

static gboolean read_manifest(const char *bytes, gsize length)
{
    HbManifest *manifest = hb_manifest_read(bytes, length, NULL);
    const gboolean taken = manifest != NULL;

    hb_manifest_free(manifest);
    return taken;
}

static gboolean unpack(HbUnpacker *unpacker)
{
    const char *bytes;
    gsize length = 1;
    gboolean ok = unpacker != NULL;

    while (ok && length > 0)
        ok = hb_unpacker_read(unpacker, &bytes, &length, NULL);
    hb_unpacker_close(unpacker);
    return ok;
}

static gboolean read_chunks(const HbReader *reader)
{
    const GPtrArray *rows = hb_reader_get_manifest(reader)->rows;
    gboolean ok = TRUE;

    for (guint i = 0; i < rows->len; i++) {
        const HbStoredRows *stored = rows->pdata[i];
        for (guint c = 0; c < stored->chunks->len; c++)
            ok = unpack(hb_reader_open_chunk(reader, stored->chunks->pdata[c], NULL)) && ok;
    }
    return ok;
}

static gboolean read_tar(const char *bytes, gsize length)
{
    char *path = make_file(bytes, length, ".tar");
    HbReader *reader = hb_reader_open(path, NULL, NULL);
    const gboolean taken = reader != NULL && read_chunks(reader);

    hb_reader_close(reader);
    remove_file(path);
    return taken;
}

static gboolean read_stream(const char *bytes, gsize length)
{
    char *path = make_file(bytes, length, ".stream");
    int fd = open(path, O_RDONLY | O_CLOEXEC);
    HbStream *stream = hb_stream_open(fd, -1, NULL, NULL);
    HbStreamChunk chunk = {0};
    gboolean taken = stream != NULL;

    do {
        taken = taken && hb_stream_next(stream, &chunk, NULL);
        if (taken && chunk.file != NULL)
            unpack(hb_unpacker_open_bytes(chunk.bytes, chunk.file));
    } while (taken && chunk.file != NULL);
    hb_stream_chunk_clear(&chunk);
    hb_stream_close(stream);
    close(fd);
    remove_file(path);
    return taken;
}

/* Rows as they are counted, and as INSERTs, in blocks of two sizes: the text must not depend on where a block ends */
static char *write_rows(const HbRowSet *set, const char *bytes, gsize length, gsize block)
{
    HbInsertWriter *rows = hb_insert_writer_new(set, NULL, &hb_my_dialect, 3);
    GString *sql = g_string_new(NULL);

    for (gsize at = 0; at < length; at += block)
        hb_insert_writer_add(rows, bytes + at, MIN(block, length - at), sql);
    hb_insert_writer_end(rows, sql);
    hb_insert_writer_free(rows);
    return g_string_free(sql, FALSE);
}

static gboolean read_rows(const char *bytes, gsize length)
{
    HbCatalog *catalog = hb_catalog_new();
    HbRowSet *set = hb_catalog_add_row_set(catalog, "rows garden.plot", "garden.plot");
    HbRowCounter counter;
    gboolean taken;

    for (guint i = 0; i < 3; i++)
        g_ptr_array_add(set->columns, g_strdup_printf("c%u", i));
    hb_row_counter_init(&counter, 3);
    for (gsize at = 0; at < length; at += 7)
        hb_row_counter_add(&counter, bytes + at, MIN(7, length - at));
    taken = hb_row_counter_is_whole(&counter) && counter.wrong_row == 0;
    hb_row_counter_clear(&counter);
    if (taken) {
        g_autofree char *one = write_rows(set, bytes, length, 5), *other = write_rows(set, bytes, length, length + 1);
        g_assert_cmpstr(one, ==, other);
    }
    hb_catalog_free(catalog);
    return taken;
}

/* Rows to values, in blocks of two sizes, and back to text: what comes back is the same row */

static gboolean add_to_value(gpointer data, const char *bytes, gsize length, GError **error)
{
    (void)error;
    g_string_append_len(data, bytes, (gssize)length);
    return TRUE;
}

static gboolean end_value(gpointer data, gboolean is_null, GError **error)
{
    (void)error;
    g_string_append(data, is_null ? "<null>" : "<end>");
    return TRUE;
}

static gboolean end_values(gpointer data, GError **error)
{
    (void)error;
    g_string_append_c(data, '\n');
    return TRUE;
}

static char *decode(const char *bytes, gsize length, gsize block)
{
    static const HbDecoderEvents events = {add_to_value, end_value, end_values};
    GString *text = g_string_new(NULL);
    HbDecoder decoder;
    gboolean ok = TRUE;

    hb_decoder_init(&decoder, "txd", 3, &events, text);
    for (gsize at = 0; at < length && ok; at += block)
        ok = hb_decoder_add(&decoder, bytes + at, MIN(block, length - at), NULL);
    return g_string_free(text, !ok);
}

static gboolean read_values(const char *bytes, gsize length)
{
    g_autofree char *one = decode(bytes, length, 3), *other = decode(bytes, length, length + 1);

    g_assert((one == NULL) == (other == NULL));
    if (one != NULL)
        g_assert_cmpstr(one, ==, other);
    return one != NULL;
}

/* ---- Texts ---- */

static gboolean read_tokens(const HbLexicalRules *dialect, const char *text)
{
    const char *at = text, *end = text + strlen(text);
    HbToken token;

    while ((token = hb_lexer_read_token(dialect, &at)).type != HB_TOKEN_END) {
        g_assert(token.length > 0 && token.start + token.length == at && at <= end);
        g_free(hb_token_unquote(&token));
    }
    return at == end;
}

static void rename_in(const char *text)
{
    HbObject *object = hb_object_new(HB_KIND_VIEW, "garden.alarming");
    const HbRenameKind kinds[] = {HB_RENAME_SCHEMA, HB_RENAME_OWNER, HB_RENAME_TABLESPACE};
    const HbDialect *const dialects[] = {&hb_pg_dialect, &hb_my_dialect};

    object->definition = g_strdup(text);
    for (gsize k = 0; k < G_N_ELEMENTS(kinds) * G_N_ELEMENTS(dialects); k++) {
        HbRename rename = {
            .kind = kinds[k % G_N_ELEMENTS(kinds)], .old_name = (char *)"garden", .new_name = (char *)"Park"};
        g_free(dialects[k / G_N_ELEMENTS(kinds)]->rename(object, text, &rename));
    }
    hb_object_free(object);
}

static gboolean read_sql(const char *bytes, gsize length)
{
    g_autofree char *text = g_strndup(bytes, length);
    const gboolean whole = read_tokens(&hb_pg_rules, text) && read_tokens(&hb_my_rules, text);

    g_free(hb_lexer_normalise(&hb_pg_rules, text));
    g_free(hb_my_dialect.hide_secrets(text));
    g_free(hb_lexer_rename_after(&hb_pg_rules, "DATABASE", text, "garden", "\"Park\""));
    g_assert(hb_grant_compare_is_same(text, text));
    hb_grant_compare_is_initial(text);
    hb_show_create_free(hb_show_create_read(text, "garden", NULL));
    hb_grant_free(hb_grant_read(text, "'ida'@'%'"));
    g_free(hb_my_read_definer(text));
    g_free(hb_my_forget_definer(text));
    rename_in(text);
    return whole;
}

/* What the server shows of accounts: each line in the place of a grant, of an account's own line, of a definition */
static gboolean read_grant(const char *bytes, gsize length)
{
    g_autofree char *line = g_strndup(bytes, length);
    g_autofree char *role = hb_grant_find_role(line), *definer = hb_my_read_definer(line);
    g_autofree char *forgotten = hb_my_forget_definer(line);
    HbGrant *grant = hb_grant_read(line, "'ida'@'%'");
    const gboolean taken = grant != NULL;

    if (taken && grant->database != NULL)
        hb_grant_names(grant->database, "garden_1");
    hb_grant_free(grant);
    return taken;
}

/* Any text between lines that say how it ends is one statement, and this text */
static gboolean read_statements(const char *bytes, gsize length)
{
    g_autofree char *text = g_strstrip(g_strndup(bytes, length)), *delimited = hb_my_delimit(text);
    g_autoptr(GPtrArray) statements = hb_my_split_statements(text), again = hb_my_split_statements(delimited);
    HbObject *object = hb_object_new(HB_KIND_PROCEDURE, "garden.water");

    for (guint i = 0; i < statements->len; i++)
        g_assert_cmpuint(strlen(statements->pdata[i]), <=, length);
    if (*text != '\0' && !g_str_has_prefix(text, "DELIMITER ")) {
        g_assert_cmpuint(again->len, ==, 1);
        g_assert_cmpstr(again->pdata[0], ==, text);
    }
    object->definition = g_strdup(text);
    hb_my_shell_reads(object);
    hb_object_free(object);
    g_free(hb_pg_write_canonical(text));
    return statements->len > 0;
}

static gboolean read_pattern(const char *bytes, gsize length)
{
    g_autofree char *text = g_strndup(bytes, length);
    HbPattern *pattern = hb_pattern_read(text, "take", NULL);
    HbObject *object = hb_object_new(HB_KIND_FUNCTION, "garden.\"a.b\"(integer, gr\366\303\237e)");
    const gboolean taken = pattern != NULL;

    if (taken)
        hb_pattern_fits(pattern, object);
    if (taken && pattern->database)
        hb_pattern_fits_database(pattern, text);
    hb_object_free(object);
    hb_pattern_free(pattern);
    return taken;
}

/* Is a text what a note must be: a signature of what follows the first line? A fuzzer finds that out by what is
 * compared */
static gboolean is_signed(const char *text, const char *key)
{
    const char *line_end = strchr(text, '\n');
    g_autofree char *hmac = line_end == NULL ? NULL
                                             : g_compute_hmac_for_string(G_CHECKSUM_SHA256, (const guchar *)key,
                                                                         strlen(key), line_end + 1, -1);

    return hmac != NULL && (gsize)(line_end - text) == strlen(hmac) && g_str_has_prefix(text, hmac);
}

/* A note as a journal keeps it, signed with a key that the enemy is given: what is taken reads the same when written */
static gboolean read_note(const char *bytes, gsize length)
{
    static const char key[] = "key";
    g_autofree char *text = g_strndup(bytes, length);
    g_autofree char *hmac = g_compute_hmac_for_string(G_CHECKSUM_SHA256, (const guchar *)key, strlen(key), text, -1);
    g_autofree char *note = g_strdup_printf("%s\n%s", hmac, text);
    g_autoptr(HbTargetCleanup) cleanup = hb_target_cleanup_read(note, key, NULL);
    g_autoptr(HbTargetCleanup) unsigned_one = hb_target_cleanup_read(text, key, NULL);

    g_assert(unsigned_one == NULL || is_signed(text, key));
    if (cleanup == NULL)
        return FALSE;
    g_autofree char *written = hb_target_cleanup_write(cleanup, key);
    g_autoptr(HbTargetCleanup) again = hb_target_cleanup_read(written, key, NULL);
    g_autofree char *twice = hb_target_cleanup_write(again, key);
    g_assert_cmpstr(written, ==, twice);
    return TRUE;
}

/* What stands in a target: what is taken reads the same when written */
static gboolean read_origin(const char *bytes, gsize length)
{
    g_autofree char *text = g_strndup(bytes, length);
    g_autoptr(HbOrigin) origin = hb_origin_read(text, NULL);

    if (origin == NULL)
        return FALSE;
    g_autofree char *written = hb_origin_write(origin);
    g_autoptr(HbOrigin) again = hb_origin_read(written, NULL);
    g_assert_nonnull(again);
    g_autofree char *twice = hb_origin_write(again);
    g_assert_cmpstr(written, ==, twice);
    return TRUE;
}

/* Any text comes back from JSON as it was, and stands there as UTF-8 */
static gboolean read_name(const char *bytes, gsize length)
{
    g_autofree char *text = g_strndup(bytes, length), *json = hb_json_text_write(text);
    g_autofree char *back = hb_json_text_read(json), *direct = hb_json_text_read(text);

    g_assert(g_utf8_validate(json, -1, NULL));
    g_assert_cmpstr(back, ==, text);
    return strcmp(json, text) == 0;
}

static gboolean read_uri(const char *bytes, gsize length)
{
    g_autofree char *uri = g_strndup(bytes, length);
    const HbEngine *engine = hb_engine_find(uri, NULL);
    const HbAddress address = {.uri = uri};

    if (engine == NULL || !engine->connector->check_uri(uri, NULL))
        return FALSE;
    g_free(engine->connector->display(&address));
    g_free(engine->connector->get_database(uri));
    return TRUE;
}

static gboolean read_route(const char *bytes, gsize length)
{
    char *path = make_file(bytes, length, ".route");
    HbRoute *route = hb_route_open(path, NULL);
    HbOptions options = {0};
    const gboolean taken = route != NULL && hb_route_fill_options(route, &options, HB_FOR_RESTORE, NULL) &&
                           hb_options_check(&options, NULL);

    hb_options_clear(&options);
    hb_route_free(route);
    remove_file(path);
    return taken;
}

/* How writing was stopped, as a copy remembers it: what is run because of it quotes all that it says */
static gboolean read_gate(const char *bytes, gsize length)
{
    static const char *const engines[] = {"postgresql", "mariadb"};
    g_autofree char *text = g_strndup(bytes, length);
    gboolean is_taken = FALSE;

    for (gsize i = 0; i < G_N_ELEMENTS(engines); i++) {
        const HbGate *gate = hb_engine_get(engines[i], NULL)->gate;
        g_autoptr(GPtrArray) opening = gate->list_opening("t", text, NULL);
        g_autofree char *described = gate->describe(text);
        g_assert_true((opening != NULL) == (described != NULL));
        g_assert_true(gate->is_same_way(text, text) == (described != NULL));
        g_assert_false(gate->explains(text, "table t"));
        is_taken |= opening != NULL;
    }
    return is_taken;
}

/* ---- What is shown ---- */

/* A survey's cells, which a server gives: what is shown of them steers no terminal */
static gboolean read_sheet(const char *bytes, gsize length)
{
    g_autofree char *text = g_strndup(bytes, length);
    g_auto(GStrv) cells = g_strsplit(text, "|", -1);
    HbResultTable *table = hb_result_table_new("cells", "Cells");
    g_autoptr(GString) out = g_string_new(NULL);

    hb_result_table_add_column(table, "text", "text", HB_COLUMN_TEXT);
    hb_result_table_add_column(table, "bytes", "bytes", HB_COLUMN_BYTES);
    for (guint i = 0; cells[i] != NULL; i++) {
        if (i % 2 == 0)
            hb_result_table_add_row(table);
        hb_result_table_set(table, i / 2, i % 2, *cells[i] != '\0' ? cells[i] : NULL);
    }
    hb_table_append(out, table, FALSE);
    hb_result_table_free(table);
    g_assert(g_utf8_validate(out->str, (gssize)out->len, NULL));
    for (const char *at = out->str; *at != '\0'; at++)
        g_assert(*at == '\n' || !g_ascii_iscntrl(*at));
    return cells[0] != NULL;
}

/* A pattern with a date, and a name out of a folder: what a pattern stands for fits it */
static gboolean read_dated(const char *bytes, gsize length)
{
    g_autofree char *text = g_strndup(bytes, length);
    g_auto(GStrv) halves = g_strsplit(text, "|", 2);
    g_autoptr(GDateTime) when = g_date_time_new_utc(2026, 11, 29, 23, 59, 58);
    g_autofree char *name = halves[0] != NULL ? hb_dated_name_expand(halves[0], when, NULL) : NULL;

    if (name != NULL)
        g_assert(hb_dated_name_fits(halves[0], name));
    return name != NULL && halves[1] != NULL && hb_dated_name_fits(halves[0], halves[1]);
}

const FuzzTarget fuzz_targets[] = {
    {"manifest", read_manifest},
    {"tar", read_tar},
    {"stream", read_stream},
    {"rows", read_rows},
    {"values", read_values},
    {"sql", read_sql},
    {"grant", read_grant},
    {"uri", read_uri},
    {"route", read_route},
    {"pattern", read_pattern},
    {"statements", read_statements},
    {"note", read_note},
    {"origin", read_origin},
    {"gate", read_gate},
    {"name", read_name},
    {"answer", fuzz_read_answer},
    {"copy", fuzz_read_copy},
    {"sheet", read_sheet},
    {"dated", read_dated},
    {"pgoutput", fuzz_read_pgoutput},
    {"binlog", fuzz_read_binlog},
    {"logvalue", fuzz_read_log_value},
    {NULL, NULL},
};

const FuzzTarget *fuzz_find_target(const char *name)
{
    const FuzzTarget *target = fuzz_targets;

    while (target->name != NULL && strcmp(target->name, name) != 0)
        target++;
    return target->name != NULL ? target : NULL;
}
