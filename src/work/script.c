/* SPDX-License-Identifier: Apache-2.0 */
#include "work/script.h"

#include "core/rows/insert_writer.h"
#include "core/rows/row_counter.h"

#include <string.h>

/* Rows of an INSERT where that is the engine's bulk form */
#define ROWS_OF_BULK 500

#define WRITE_FROM_BYTES ((gsize)256 * 1024)

typedef struct {
    const HbScriptOptions *options;
    HbManifest *manifest;
    GHashTable *stored;       /* row set's identity to HbStoredRows * */
    GString *text;            /* not written yet */
    GHashTable *untransacted; /* row sets' identities, whose rows no transaction undoes, to why (borrowed) */
    gboolean strict;          /* the shell must change and run nothing itself */
} Script;

static gboolean flush(Script *script, gsize from_bytes, GError **error)
{
    gboolean ok = TRUE;

    if (script->text->len >= from_bytes && script->text->len > 0) {
        ok = script->options->write(script->options->data, script->text->str, script->text->len, error);
        g_string_truncate(script->text, 0);
    }
    return ok;
}

/* A comment ends with its line */
static void append_comment(GString *text, const char *format, ...) G_GNUC_PRINTF(2, 3);
static void append_comment(GString *text, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *comment = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    for (char *at = comment; *at != '\0'; at++) {
        if (g_ascii_iscntrl(*at))
            *at = ' ';
    }
    g_string_append_printf(text, "-- %s\n", comment);
}

static void append_all(GString *text, char *piece)
{
    if (piece != NULL)
        g_string_append(text, piece);
    g_free(piece);
}

/* ---- Rows ---- */

typedef struct {
    Script *script;
    HbInsertWriter *inserts; /* NULL: the rows pass as they are */
} RowWriter;

static void add_rows(const RowWriter *writer, const char *bytes, gsize length)
{
    if (writer->inserts != NULL)
        hb_insert_writer_add(writer->inserts, bytes, length, writer->script->text);
    else
        g_string_append_len(writer->script->text, bytes, (gssize)length);
}

static gboolean pass_chunk(const RowWriter *writer, HbUnpacker *unpacker, HbRowCounter *counter, GError **error)
{
    const HbScriptOptions *options = writer->script->options;
    const char *bytes;
    gsize length;

    do {
        if (hb_stop_is_set(options->stop))
            return hb_stop_set_error(error);
        if (!hb_unpacker_read(unpacker, &bytes, &length, error))
            return FALSE;
        hb_row_counter_add(counter, bytes, length);
        add_rows(writer, bytes, length);
        hb_observers_notify(options->observers, &(HbEvent){.type = HB_EVENT_ADVANCED, .cost = length, .bytes = length});
        if (!flush(writer->script, WRITE_FROM_BYTES, error))
            return FALSE;
    } while (length > 0);
    return TRUE;
}

static gboolean write_chunk(const RowWriter *writer, const HbChunk *chunk, GError **error)
{
    HbUnpacker *unpacker = hb_reader_open_chunk(writer->script->options->dump, chunk, error);
    HbRowCounter counter;
    gboolean ok;

    if (unpacker == NULL)
        return FALSE;
    hb_row_counter_init(&counter, 0);
    ok = pass_chunk(writer, unpacker, &counter, error);
    if (ok && !(hb_row_counter_is_whole(&counter) && hb_digest_is_equal(&counter.sum.digest, &chunk->digest)))
        ok = hb_error_set(error, HB_ERROR_DAMAGED, "copy the dump again from where it is whole",
                          "%s: its rows are not those that were dumped (count or digest differs)", chunk->file);
    hb_row_counter_clear(&counter);
    hb_unpacker_close(unpacker);
    return ok;
}

static gboolean write_rows(Script *script, const HbObject *object, GError **error)
{
    const HbScriptOptions *options = script->options;
    const HbStoredRows *rows = g_hash_table_lookup(script->stored, object->identity);
    const gboolean bulk = options->rows_each == 0 && options->engine->dialect->script.has_bulk;
    const guint rows_each = options->rows_each > 0 ? options->rows_each : ROWS_OF_BULK;
    RowWriter writer = {.script = script};
    gboolean ok = TRUE;

    if (rows == NULL || rows->digest.rows == 0)
        return TRUE;
    append_comment(script->text, "%s (%" G_GUINT64_FORMAT ")", object->identity, rows->digest.rows);
    g_autofree char *table = options->engine->dialect->script.get_table(rows->set);
    append_all(script->text, options->engine->dialect->script.begin_rows(rows->set, bulk));
    if (!bulk)
        writer.inserts = hb_insert_writer_new(rows->set, table, options->engine->dialect, rows_each);
    for (guint c = 0; ok && c < rows->chunks->len; c++)
        ok = write_chunk(&writer, rows->chunks->pdata[c], error);
    if (writer.inserts != NULL)
        hb_insert_writer_end(writer.inserts, script->text);
    append_all(script->text, options->engine->dialect->script.end_rows(rows->set, bulk));
    g_string_append_c(script->text, '\n');
    hb_insert_writer_free(writer.inserts);
    return ok;
}

/* ---- The whole ---- */

/* What the shell would read otherwise than the server is refused; how the others are read is how the shell must be */
static gboolean check_shell(Script *script, GError **error)
{
    g_autoptr(GString) never = g_string_new(NULL);
    const HbCatalog *catalog = script->manifest->catalog;
    const HbScriptForm *scripting = &script->options->engine->dialect->script;

    for (guint i = 0; scripting->read != NULL && i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        const HbShellReading reading = object->definition != NULL ? scripting->read(object) : HB_SHELL_PLAIN;
        script->strict = script->strict || reading == HB_SHELL_STRICT;
        if (reading == HB_SHELL_NEVER)
            g_string_append_printf(never, "%s%s", never->len > 0 ? ", " : "", object->identity);
    }
    return never->len == 0 ||
           hb_error_set(error, HB_ERROR_BLOCKED,
                        "restore the dump itself, or leave them out with --skip, and create them by hand",
                        "the stock shell would read something else than the server does in: %s", never->str);
}

/* HB_ERROR_BLOCKED where something could not be undone with the rest, naming it */
static gboolean check_transaction(const Script *script, GError **error)
{
    const HbCatalog *catalog = script->manifest->catalog;

    for (guint i = 0; script->options->one_transaction && i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        const char *why = script->options->engine->dialect->script.refuse_in_transaction(object);
        if (object->kind == HB_KIND_SEQUENCE_VALUE)
            continue; /* comes after it, if need be */
        if (why == NULL)
            why = g_hash_table_lookup(script->untransacted, object->identity);
        if (why != NULL)
            return hb_error_set(error, HB_ERROR_BLOCKED,
                                "without --one-transaction, or with the rows alone: --parts data",
                                "%s cannot be part of one transaction: %s", object->identity, why);
    }
    return TRUE;
}

static void write_head(Script *script)
{
    const HbManifest *manifest = script->manifest;
    const HbScriptOptions *options = script->options;
    g_autofree char *parts = hb_parts_write(options->parts & manifest->parts);

    append_comment(script->text, "Database %s at %s, %s %s, as it was at %s", manifest->database, manifest->address,
                   manifest->product, manifest->server_version, manifest->snapshot_time);
    append_comment(script->text, "Parts: %s. %u objects, %" G_GUINT64_FORMAT " rows", parts,
                   hb_catalog_count(manifest->catalog), hb_manifest_count_rows(manifest));
    if (options->for_version_text != NULL)
        append_comment(script->text, "Written for %s %s", manifest->product, options->for_version_text);
    append_comment(script->text, "To be run by the engine's stock shell; it stops at the first error.");
    append_comment(script->text, "The script is whole if its last line says so.");
    g_string_append_c(script->text, '\n');
    if (script->strict)
        append_all(script->text, options->engine->dialect->script.demand_strict());
    append_all(script->text,
               options->engine->dialect->script.begin(manifest->catalog, options->database,
                                                      (options->parts & manifest->parts & HB_PART_SCHEMA) != 0));
    if (options->one_transaction)
        g_string_append(script->text, "START TRANSACTION;\n");
    g_string_append_printf(script->text, "%s\n", options->engine->dialect->preamble);
}

static gboolean write_object(Script *script, const HbObject *object, GError **error)
{
    if (object->kind == HB_KIND_ROWS)
        return write_rows(script, object, error);
    if (object->definition == NULL)
        return TRUE;
    append_comment(script->text, "%s", object->identity);
    append_all(script->text, script->options->engine->dialect->script.write_object(script->manifest->catalog, object));
    g_string_append(script->text, "\n");
    /* Large objects are made by one step and filled by another, whose rows hang on it */
    if (g_hash_table_contains(script->stored, object->identity) && !write_rows(script, object, error))
        return FALSE;
    return flush(script, WRITE_FROM_BYTES, error);
}

/* Counters that the server sets outside of transactions only follow it */
static gboolean comes_after(const Script *script, const HbObject *object)
{
    return script->options->one_transaction && object->kind == HB_KIND_SEQUENCE_VALUE &&
           script->options->engine->dialect->script.refuse_in_transaction(object) != NULL;
}

static gboolean write_objects(Script *script, gboolean after, GError **error)
{
    const HbCatalog *catalog = script->manifest->catalog;

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (comes_after(script, object) == after && !write_object(script, object, error))
            return FALSE;
    }
    return TRUE;
}

static gboolean write_all(Script *script, GError **error)
{
    hb_observers_begin_phase(script->options->observers, "writing the script",
                             hb_manifest_count_bytes(script->manifest));
    write_head(script);
    if (!write_objects(script, FALSE, error))
        return FALSE;
    if (script->options->one_transaction) {
        g_string_append(script->text, "COMMIT;\n");
        if (!write_objects(script, TRUE, error))
            return FALSE;
    }
    append_comment(script->text, "The script is whole.");
    return flush(script, 0, error);
}

/* While the tables' definitions are there */
static GHashTable *find_untransacted(const HbScriptOptions *options, const HbCatalog *catalog)
{
    GHashTable *found = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; options->engine->dialect->script.find_untransacted != NULL && i < hb_catalog_count(catalog);
         i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        const char *why =
            object->kind == HB_KIND_TABLE ? options->engine->dialect->script.find_untransacted(object) : NULL;
        if (why != NULL)
            g_hash_table_insert(found, hb_identity_new(HB_KIND_ROWS, hb_object_get_name(object)), (gpointer)why);
    }
    return found;
}

static gboolean adapt(const HbScriptOptions *options, HbManifest *manifest, GError **error)
{
    g_autoptr(GPtrArray) pulled_in = g_ptr_array_new_with_free_func(g_free);
    g_autofree char *product = g_strdup_printf("%s %s", manifest->product, options->for_version_text);

    /* Rows are chosen by their tables */
    hb_catalog_keep_parts(manifest->catalog, options->parts | ((options->parts & HB_PART_DATA) ? HB_PART_SCHEMA : 0));
    if (!hb_selection_apply(options->selection, manifest->catalog, options->engine->dialect, TRUE, pulled_in, error))
        return FALSE;
    hb_catalog_keep_parts(manifest->catalog, options->parts);
    hb_adapt_report_pulled_in(options->observers, options->selection, pulled_in);
    if (!hb_adapt_wishes(manifest->catalog, options->engine, &options->wishes, error))
        return FALSE;
    if (options->database != NULL && strcmp(options->database, manifest->database) != 0) {
        HbRename rename = {
            .kind = HB_RENAME_DATABASE, .old_name = manifest->database, .new_name = (char *)options->database};
        if (!hb_adapt_name(manifest->catalog, options->engine, &rename, error))
            return FALSE;
    }
    if (options->for_version != 0)
        hb_catalog_fit(manifest->catalog, options->for_version, product);
    hb_manifest_drop_rows(manifest);
    return TRUE;
}

static gboolean write_script(Script *script, GError **error)
{
    return adapt(script->options, script->manifest, error) && check_shell(script, error) &&
           check_transaction(script, error) && (script->stored = hb_manifest_index_rows(script->manifest)) != NULL &&
           write_all(script, error);
}

gboolean hb_script_write(const HbScriptOptions *options, GError **error)
{
    Script script = {.options = options, .manifest = hb_manifest_copy(hb_reader_get_manifest(options->dump))};
    gboolean ok;

    script.untransacted = find_untransacted(options, script.manifest->catalog);
    script.text = g_string_new(NULL);
    ok = write_script(&script, error);
    g_clear_pointer(&script.stored, g_hash_table_unref);
    g_hash_table_unref(script.untransacted);
    hb_manifest_free(script.manifest);
    g_string_free(script.text, TRUE);
    return ok;
}
