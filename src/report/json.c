/* SPDX-License-Identifier: Apache-2.0 */
#include "report/json.h"

#include "report/origin.h"

#include "core/base/json_text.h"
#include "dump/json_writer.h"
#include "report/steps.h"
#include "report/text.h"
#include "work/verify/questions.h"

#include "core/graph/closure.h"

#include "version.h"

#include <jansson.h>
#include <stdlib.h>

/*
 * Each result as one JSON object, ended by a line end: for programs, so names and types of fields stay as docs/json.md
 * has them. Numbers that may pass 2^53 are still numbers (jansson keeps 64 bits). Texts from servers may be any bytes:
 * they go through core/base/json_text. Secrets never come here: statements were hidden where the result was made.
 */

json_t *hb_json_begin(const char *document)
{
    return json_pack("{s:s, s:s}", "hornbeam", HB_VERSION, "document", document);
}

char *hb_json_end(json_t *root)
{
    char *made = json_dumps(root, JSON_INDENT(2));
    GString *text = g_string_new(NULL);

    /* What a terminal would take for a command, or what turns the direction of writing, is escaped: it is in texts only
     */
    for (const char *at = made; *at != '\0'; at = g_utf8_next_char(at)) {
        const gunichar c = g_utf8_get_char(at);
        if (c != '\n' && hb_text_is_harmful(c))
            g_string_append_printf(text, "\\u%04x", c);
        else
            g_string_append_unichar(text, c);
    }
    free(made);
    json_decref(root);
    return g_string_free(text, FALSE);
}

static json_t *write_cell(const HbResultTable *table, guint row, guint column)
{
    const HbColumn *type = table->columns->pdata[column];
    const char *cell = hb_result_table_get(table, row, column);

    return cell != NULL && type->type != HB_COLUMN_TEXT ? hb_json_number(g_ascii_strtoull(cell, NULL, 10))
                                                        : hb_json_readable(cell);
}

static json_t *write_table(const HbResultTable *table)
{
    json_t *rows = json_array();

    for (guint r = 0; r < table->rows->len; r++) {
        json_t *row = json_object();
        for (guint c = 0; c < table->columns->len; c++)
            json_object_set_new(row, ((HbColumn *)table->columns->pdata[c])->key, write_cell(table, r, c));
        json_array_append_new(rows, row);
    }
    return rows;
}

static json_t *write_server(const HbServerInfo *server)
{
    return json_pack("{s:o, s:o, s:o, s:o, s:o, s:b}", "product", hb_json_readable(server->product), "version",
                     hb_json_readable(server->version), "address", hb_json_readable(server->address), "database",
                     hb_json_readable(server->database), "user", hb_json_readable(server->user), "superuser",
                     server->is_superuser);
}

char *hb_json_survey(const HbSurvey *survey)
{
    json_t *root = hb_json_begin("survey");

    json_object_set_new(root, "time", hb_json_readable(survey->time));
    json_object_set_new(root, "server", write_server(&survey->server));
    json_object_set_new(root, "scope", hb_json_readable(survey->whole_server ? "server" : "database"));
    json_object_set_new(root, "origin", hb_origin_json(survey->origin));
    for (guint i = 0; i < survey->tables->len; i++) {
        const HbResultTable *table = survey->tables->pdata[i];
        json_object_set_new(root, table->key, write_table(table));
    }
    return hb_json_end(root);
}

static void add_dump_head(json_t *root, const HbManifest *manifest, const char *path)
{
    g_autofree char *parts = hb_parts_write(manifest->parts);
    const GPtrArray *omissions = hb_catalog_get_omissions(manifest->catalog);
    json_t *left_out = json_array();

    for (guint i = 0; i < omissions->len; i++) {
        const HbOmission *omission = omissions->pdata[i];
        json_array_append_new(left_out, json_pack("{s:o, s:o}", "what", hb_json_readable(omission->what), "why",
                                                  hb_json_readable(omission->why)));
    }
    json_object_set_new(root, "path", hb_json_readable(path));
    json_object_set_new(root, "id", hb_json_readable(manifest->id));
    json_object_set_new(root, "source", hb_json_readable(manifest->address));
    json_object_set_new(root, "product", hb_json_readable(manifest->product));
    json_object_set_new(root, "server_version", hb_json_readable(manifest->server_version));
    json_object_set_new(root, "database", hb_json_readable(manifest->database));
    json_object_set_new(root, "snapshot_time", hb_json_readable(manifest->snapshot_time));
    json_object_set_new(root, "snapshot_position", hb_json_readable(manifest->snapshot_position));
    json_object_set_new(root, "parts", hb_json_readable(parts));
    json_object_set_new(root, "objects", hb_json_number(hb_catalog_count(manifest->catalog)));
    json_object_set_new(root, "tables_with_rows", hb_json_number(manifest->rows->len));
    json_object_set_new(root, "rows", hb_json_number(hb_manifest_count_rows(manifest)));
    json_object_set_new(root, "bytes", hb_json_number(hb_manifest_count_bytes(manifest)));
    json_object_set_new(root, "stored_bytes", hb_json_number(hb_manifest_count_stored(manifest)));
    json_object_set_new(root, "chunks", hb_json_number(hb_manifest_count_chunks(manifest)));
    json_object_set_new(root, "left_out", left_out);
}

char *hb_json_dump(const HbManifest *manifest, const char *path, double seconds)
{
    json_t *root = hb_json_begin("dump");

    add_dump_head(root, manifest, path);
    json_object_set_new(root, "seconds", json_real(seconds));
    return hb_json_end(root);
}

static json_t *write_object(const HbObject *object)
{
    return json_pack("{s:o, s:o, s:o, s:o}", "identity", hb_json_readable(object->identity), "kind",
                     hb_json_readable(hb_kind_get_traits(object->kind)->name), "stage",
                     hb_json_readable(hb_stage_get_name(object->stage)), "owner", hb_json_readable(object->owner));
}

static json_t *write_stored(const HbStoredRows *rows)
{
    char digest[HB_DIGEST_TEXT_LENGTH + 1];

    hb_digest_write(&rows->digest, digest);
    return json_pack("{s:o, s:o, s:o, s:s, s:o}", "table", hb_json_readable(rows->set->table), "rows",
                     hb_json_number(rows->digest.rows), "bytes", hb_json_number(rows->bytes), "digest", digest,
                     "chunks", hb_json_number(rows->chunks->len));
}

char *hb_json_show(const HbManifest *manifest, const char *path)
{
    json_t *root = hb_json_begin("show");
    json_t *order = json_array(), *rows = json_array();

    add_dump_head(root, manifest, path);
    for (guint i = 0; i < hb_catalog_count(manifest->catalog); i++)
        json_array_append_new(order, write_object(hb_catalog_get(manifest->catalog, i)));
    for (guint i = 0; i < manifest->rows->len; i++)
        json_array_append_new(rows, write_stored(manifest->rows->pdata[i]));
    json_object_set_new(root, "order", order);
    json_object_set_new(root, "row_sets", rows);
    return hb_json_end(root);
}

static json_t *write_needs(GArray *needs)
{
    json_t *list = json_array();

    for (guint i = 0; i < needs->len; i++) {
        const HbClosureItem *need = &g_array_index(needs, HbClosureItem, i);
        json_array_append_new(list, json_pack("{s:o, s:i}", "identity", hb_json_readable(need->object->identity),
                                              "distance", (int)need->distance));
    }
    g_array_unref(needs);
    return list;
}

char *hb_json_needs(const HbCatalog *catalog, const HbObject *object)
{
    json_t *root = hb_json_begin("needs");

    json_object_set_new(root, "object", write_object(object));
    json_object_set_new(root, "needs", write_needs(hb_closure_find_needed(catalog, object)));
    json_object_set_new(root, "needed_by", write_needs(hb_closure_find_needing(catalog, object)));
    return hb_json_end(root);
}

static json_t *write_exceptions(const HbRestoreResult *result, HbOutcome outcome)
{
    json_t *list = json_array();

    for (guint i = 0; i < result->exceptions->len; i++) {
        const HbException *exception = result->exceptions->pdata[i];
        if (exception->outcome == outcome)
            json_array_append_new(list, json_pack("{s:o, s:o, s:o}", "what", hb_json_readable(exception->what),
                                                  "message", hb_json_readable(exception->message), "hint",
                                                  hb_json_readable(exception->hint)));
    }
    return list;
}

static json_t *write_findings(const GPtrArray *findings)
{
    json_t *list = json_array();

    for (guint i = 0; i < findings->len; i++) {
        const HbFinding *finding = findings->pdata[i];
        json_array_append_new(list,
                              json_pack("{s:s, s:s, s:o, s:o, s:o, s:o, s:b, s:b}", "level",
                                        hb_finding_level_get_name(finding->level), "name", finding->name, "object",
                                        hb_json_readable(finding->object), "what", hb_json_readable(finding->what),
                                        "todo", hb_json_readable(finding->todo), "sql", hb_json_readable(finding->sql),
                                        "accepted", finding->accepted, "final", finding->is_final));
    }
    return list;
}

char *hb_json_preflight(const HbRestore *restore)
{
    json_t *root = hb_json_begin("preflight");

    json_object_set_new(root, "target", write_server(hb_restore_get_target(restore)));
    json_object_set_new(root, "database",
                        hb_restore_is_whole_server(restore) ? json_null()
                                                            : hb_json_readable(hb_restore_get_database(restore)));
    json_object_set_new(root, "new_database", json_boolean(hb_restore_is_new_database(restore)));
    json_object_set_new(root, "blocked", json_boolean(hb_restore_is_blocked(restore)));
    json_object_set_new(root, "findings", write_findings(hb_restore_get_findings(restore)));
    return hb_json_end(root);
}

char *hb_json_steps(const HbRestore *restore)
{
    g_autoptr(GPtrArray) names = hb_restore_plan_list(restore);
    json_t *root = hb_json_begin("steps"), *list = json_array();

    for (guint i = 0; i < names->len; i++)
        json_array_append_new(list, hb_json_readable(names->pdata[i]));
    json_object_set_new(root, "target", write_server(hb_restore_get_target(restore)));
    json_object_set_new(root, "database", hb_json_readable(hb_restore_get_database(restore)));
    json_object_set_new(root, "steps", list);
    return hb_json_end(root);
}

char *hb_json_restore(const HbRestore *restore, const HbRestoreResult *result)
{
    json_t *root = hb_json_begin("restore");

    json_object_set_new(root, "target", write_server(hb_restore_get_target(restore)));
    json_object_set_new(root, "database", hb_json_readable(hb_restore_get_database(restore)));
    json_object_set_new(root, "new_database", json_boolean(hb_restore_is_new_database(restore)));
    json_object_set_new(root, "resumed", json_boolean(hb_restore_is_resumed(restore)));
    json_object_set_new(root, "finished_before", json_boolean(hb_restore_is_done_before(restore)));
    json_object_set_new(root, "steps_done", hb_json_number(result->done));
    json_object_set_new(root, "steps_done_elsewhere", hb_json_number(result->elsewhere));
    json_object_set_new(root, "steps_done_before", hb_json_number(result->done_before));
    json_object_set_new(root, "steps_open", hb_json_number(result->open));
    json_object_set_new(root, "rows", hb_json_number(result->rows));
    json_object_set_new(root, "bytes", hb_json_number(result->bytes));
    json_object_set_new(root, "seconds", json_real(result->seconds));
    for (int outcome = 0; outcome < HB_OUTCOME_COUNT; outcome++)
        json_object_set_new(root, hb_outcome_get_name((HbOutcome)outcome),
                            write_exceptions(result, (HbOutcome)outcome));
    return hb_json_end(root);
}

char *hb_json_files(const HbFileCheck *check, const char *path)
{
    json_t *root = hb_json_begin("files");
    json_t *flaws = json_array();

    for (guint i = 0; i < check->flaws->len; i++) {
        const HbFlaw *flaw = check->flaws->pdata[i];
        json_array_append_new(flaws, json_pack("{s:o, s:o}", "file", hb_json_readable(flaw->file), "problem",
                                               hb_json_readable(flaw->problem)));
    }
    json_object_set_new(root, "path", hb_json_readable(path));
    json_object_set_new(root, "whole", json_boolean(check->flaws->len == 0));
    json_object_set_new(root, "files", hb_json_number(check->files));
    json_object_set_new(root, "bytes", hb_json_number(check->bytes));
    json_object_set_new(root, "rows", hb_json_number(check->rows));
    json_object_set_new(root, "flaws", flaws);
    return hb_json_end(root);
}

static json_t *write_answer(const HbResultTable *answer)
{
    json_t *rows = answer != NULL ? json_array() : json_null();

    for (guint r = 0; answer != NULL && r < answer->rows->len; r++) {
        json_t *cells = json_array();
        for (guint c = 0; c < answer->columns->len; c++)
            json_array_append_new(cells, hb_json_readable(hb_result_table_get(answer, r, c)));
        json_array_append_new(rows, cells);
    }
    return rows;
}

static json_t *write_probes(const GPtrArray *probes)
{
    json_t *list = json_array();

    for (guint i = 0; i < probes->len; i++) {
        const HbAnswer *probe = probes->pdata[i];
        json_array_append_new(list,
                              json_pack("{s:o, s:b, s:o, s:o, s:o, s:o}", "question", hb_json_readable(probe->question),
                                        "same", (int)probe->same, "from", write_answer(probe->from), "to",
                                        write_answer(probe->to), "from_refusal", hb_json_readable(probe->from_refusal),
                                        "to_refusal", hb_json_readable(probe->to_refusal)));
    }
    return list;
}

/* Values of the key as the row's text has them: escaped as in a dump */
static json_t *write_key(const HbRowDifference *difference, const HbNamedRow *row)
{
    g_auto(GStrv) values = hb_row_difference_split_key(difference, row);
    json_t *key = values != NULL ? json_object() : json_null();

    for (guint i = 0; values != NULL && i < difference->columns->len; i++) {
        g_autofree char *column = hb_json_text_write(difference->columns->pdata[i]);
        json_object_set_new(key, column, hb_json_readable(values[i]));
    }
    return key;
}

/* null: the difference is none of rows */
static json_t *write_row_difference(const HbRowDifference *difference)
{
    json_t *root, *rows;

    if (difference == NULL)
        return json_null();
    root = json_object();
    rows = json_array();
    for (int fate = 0; fate < HB_ROW_FATES; fate++)
        json_object_set_new(root, hb_row_fate_get_name((HbRowFate)fate), hb_json_number(difference->counts[fate]));
    for (guint i = 0; i < difference->rows->len; i++) {
        const HbNamedRow *row = difference->rows->pdata[i];
        json_array_append_new(rows, json_pack("{s:s, s:o, s:o, s:o, s:o}", "fate", hb_row_fate_get_name(row->fate),
                                              "count", hb_json_number(row->count), "key", write_key(difference, row),
                                              "from", hb_json_readable(row->from), "to", hb_json_readable(row->to)));
    }
    json_object_set_new(root, "one_in", hb_json_number(difference->one_in));
    json_object_set_new(root, "named", rows);
    return root;
}

json_t *hb_json_differences(const GPtrArray *differences)
{
    json_t *list = json_array();

    for (guint i = 0; i < differences->len; i++) {
        const HbDifference *difference = differences->pdata[i];
        json_array_append_new(
            list, json_pack("{s:s, s:o, s:o, s:o, s:o}", "type", hb_difference_get_name(difference->type), "identity",
                            hb_json_readable(difference->identity), "from", hb_json_readable(difference->from), "to",
                            hb_json_readable(difference->to), "rows", write_row_difference(difference->rows)));
    }
    return list;
}

char *hb_json_verification(const HbVerification *verification)
{
    json_t *root = hb_json_begin("verify");
    json_t *unread = json_array(), *only_in_to = json_array();

    json_object_set_new(root, "database", hb_json_readable(verification->database));
    for (guint i = 0; i < verification->unread->len; i++)
        json_array_append_new(unread, hb_json_readable(verification->unread->pdata[i]));
    for (guint i = 0; i < verification->only_in_to->len; i++)
        json_array_append_new(only_in_to, hb_json_readable(verification->only_in_to->pdata[i]));
    for (guint i = 0; i < verification->ignored->len; i++)
        json_array_append_new(unread, hb_json_readable(verification->ignored->pdata[i]));
    for (guint i = 0; i < verification->translated->len; i++)
        json_array_append_new(unread, hb_json_readable(verification->translated->pdata[i]));
    json_object_set_new(root, "unfinished",
                        verification->unfinished == NULL
                            ? json_null()
                            : json_pack("{s:o, s:o}", "work", hb_json_readable(verification->unfinished), "steps_done",
                                        hb_json_number(verification->steps_done)));
    json_object_set_new(root, "equal", json_boolean(hb_verification_is_equal(verification)));
    json_object_set_new(root, "objects", hb_json_number(verification->objects));
    json_object_set_new(root, "tables", hb_json_number(verification->tables));
    json_object_set_new(root, "rows", hb_json_number(verification->rows));
    json_object_set_new(root, "bytes_read", hb_json_number(verification->bytes));
    json_object_set_new(root, "not_compared", unread);
    json_object_set_new(root, "only_in_to", only_in_to);
    json_object_set_new(root, "differences", hb_json_differences(verification->differences));
    json_object_set_new(root, "questions", write_probes(verification->probes));
    return hb_json_end(root);
}

char *hb_json_list(const char *document, const GPtrArray *texts)
{
    json_t *root = hb_json_begin(document);
    json_t *list = json_array();

    for (guint i = 0; i < texts->len; i++)
        json_array_append_new(list, json_loads(texts->pdata[i], 0, NULL));
    json_object_set_new(root, "parts", list);
    return hb_json_end(root);
}

json_t *hb_json_error_fields(const GError *error, int status)
{
    return json_pack("{s:o, s:o, s:o}", "message", hb_json_readable(error->message), "hint",
                     hb_json_readable(hb_error_hint(error)), "status", hb_json_number((guint64)status));
}

char *hb_json_error(const GError *error, int status)
{
    json_t *root = hb_json_begin("error"), *fields = hb_json_error_fields(error, status);

    json_object_update(root, fields);
    json_decref(fields);
    return hb_json_end(root);
}
