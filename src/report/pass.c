/* SPDX-License-Identifier: Apache-2.0 */
#include "report/pass.h"

#include "dump/json_writer.h"
#include "report/exceptions.h"
#include "report/json.h"
#include "report/origin.h"
#include "report/pages.h"
#include "report/pieces.h"
#include "report/preflight.h"
#include "report/text.h"

#include <jansson.h>

/* In the order of counts: of rows that are missing, extra, changed */
static const char *const to_do[HB_ROW_FATES] = {"to insert", "to delete", "to update"};
static const char *const done[HB_ROW_FATES] = {"inserted", "deleted", "updated"};

/* ---- Counts ---- */

/* NULL: all are 0 */
static char *write_counts(const guint64 *counts, const char *const *words)
{
    static const HbRowFate order[HB_ROW_FATES] = {HB_ROW_MISSING, HB_ROW_CHANGED, HB_ROW_EXTRA};
    GString *text = g_string_new(NULL);

    for (int i = 0; i < HB_ROW_FATES; i++) {
        g_autofree char *count = hb_text_count(counts[order[i]]);
        if (counts[order[i]] > 0)
            g_string_append_printf(text, "%s%s %s", text->len > 0 ? ", " : "", count, words[order[i]]);
    }
    return g_string_free(text, text->len == 0);
}

static char *describe_table(const HbPassTable *table, const char *const *words)
{
    g_autofree char *counts = write_counts(table->counts, words), *bytes = hb_text_bytes(table->bytes);
    g_autofree char *rows = hb_text_plural(table->counts[HB_ROW_MISSING], "row", "rows");

    if (table->refusal != NULL)
        return g_strdup_printf("left as it is: %s", table->refusal);
    if (table->to == NULL)
        return g_strdup_printf("new, about %s", bytes);
    if (table->all_anew)
        return g_strdup_printf("all %s anew, about %s", rows, bytes);
    return g_strdup_printf("%s", counts != NULL ? counts : "nothing");
}

static void append_table(GString *out, const HbPassTable *table, const char *const *words)
{
    g_autofree char *name = hb_text_visible(table->table), *what = describe_table(table, words);

    g_string_append_printf(out, "  %s: %s\n", name, what);
}

static void append_tables(GString *out, gboolean color, const HbPass *pass, const char *title, const char *const *words,
                          gboolean only_done)
{
    const GPtrArray *tables = hb_pass_get_tables(pass);
    gboolean is_begun = FALSE;

    for (guint i = 0; i < tables->len; i++) {
        const HbPassTable *table = tables->pdata[i];
        if (only_done && !table->is_done)
            continue;
        if (!is_begun)
            hb_piece_append_heading(out, color, title);
        is_begun = TRUE;
        append_table(out, table, words);
    }
}

char *hb_pass_describe_work(const HbPass *pass)
{
    const GPtrArray *tables = hb_pass_get_tables(pass);
    guint64 counts[HB_ROW_FATES] = {0};
    guint anew = 0;
    GString *text = g_string_new(NULL);

    for (guint i = 0; i < tables->len; i++) {
        const HbPassTable *table = tables->pdata[i];
        anew += table->to != NULL && table->all_anew;
        for (int fate = 0; fate < HB_ROW_FATES && !table->all_anew; fate++)
            counts[fate] += table->counts[fate];
    }
    g_autofree char *rows = write_counts(counts, to_do), *whole = hb_text_plural(anew, "table", "tables");
    if (rows != NULL)
        g_string_append_printf(text, "rows: %s", rows);
    if (anew > 0)
        g_string_append_printf(text, "%s%s to be emptied and filled anew", text->len > 0 ? "; " : "", whole);
    return g_string_free(text, text->len == 0);
}

/* ---- Pages ---- */

static void append_compared(GString *out, gboolean color, const HbPass *pass)
{
    g_autofree char *rows = hb_text_plural(hb_pass_count_compared(pass), "row", "rows");
    g_autofree char *tables = hb_text_plural(hb_pass_count_compared_tables(pass), "table", "tables");
    g_autofree char *time = hb_text_duration(hb_pass_get_seconds_compared(pass));

    hb_piece_append_fact(out, color, "compared", "%s of %s in %s", rows, tables, time);
}

static void append_followed(GString *out, gboolean color, const HbPass *pass)
{
    const HbFollowResult *follow = hb_pass_get_follow(pass);

    if (follow == NULL)
        return;
    g_autofree char *changes = hb_text_plural(follow->rows, "change", "changes"),
                    *transactions = hb_text_plural(follow->transactions, "transaction", "transactions"),
                    *tables = hb_text_plural(hb_pass_count_followed(pass), "table that it tells about",
                                             "tables that it tells about");
    hb_piece_append_fact(out, color, "from log", "%s of %s, in %s", changes, transactions, tables);
}

#define SURELY_LESS_S 10.0

static void append_guess(GString *out, gboolean color, const HbPass *pass)
{
    const double seconds = hb_pass_guess_seconds(pass);
    g_autofree char *time = hb_text_duration(seconds);

    if (hb_pass_get_tables(pass)->len > 0 && seconds < SURELY_LESS_S)
        hb_piece_append_fact(out, color, "to bring", "a few seconds");
    else if (hb_pass_get_tables(pass)->len > 0)
        hb_piece_append_fact(out, color, "to bring", "about %s on a small machine", time);
}

static void append_origin(GString *out, gboolean color, const HbPass *pass)
{
    g_autofree char *origin = hb_pass_get_origin(pass) != NULL ? hb_origin_describe(hb_pass_get_origin(pass)) : NULL;

    if (origin != NULL)
        hb_piece_append_fact(out, color, "origin", "%s", origin);
}

char *hb_pass_plan_page(const HbPass *pass, gboolean color)
{
    const HbManifest *source = hb_pass_get_source(pass);
    g_autofree char *missing = hb_text_plural(hb_pass_count_missing(pass), "object", "objects");
    GString *out = g_string_new(NULL);
    g_autofree char *from = hb_preflight_describe_source(source, NULL);

    hb_piece_append_heading(out, color, "About to freshen");
    hb_piece_append_fact(out, color, "from", "%s, %s", from, source->snapshot_time);
    hb_preflight_append_target(out, color, hb_pass_get_restore(pass));
    append_origin(out, color, pass);
    if (hb_pass_get_follow(pass) != NULL)
        hb_piece_append_fact(out, color, "log", "the changes of %u tables are read from %s on",
                             hb_pass_count_followed(pass), hb_pass_get_origin(pass)->log_position);
    append_compared(out, color, pass);
    if (hb_pass_count_missing(pass) > 0)
        hb_piece_append_fact(out, color, "new", "%s that TO has not yet", missing);
    append_guess(out, color, pass);
    append_tables(out, color, pass, "Rows", to_do, FALSE);
    g_string_append_c(out, '\n');
    return g_string_free(out, FALSE);
}

static void append_rest(GString *out, gboolean color, const HbVerification *rest)
{
    if (rest->differences->len > 0)
        hb_piece_append_heading(out, color, "Not the same");
    hb_page_append_differences(out, color, rest->differences, 0, FALSE);
}

char *hb_pass_page(const HbPass *pass, const HbRestoreResult *result, const HbVerification *rest, gboolean color)
{
    const HbManifest *source = hb_pass_get_source(pass);
    GString *out = g_string_new(NULL);
    guint failed;

    hb_piece_append_heading(out, color, "Pass");
    hb_piece_append_fact(out, color, "database", "%s", hb_restore_get_database(hb_pass_get_restore(pass)));
    append_followed(out, color, pass);
    append_compared(out, color, pass);
    hb_piece_append_fact(out, color, "time", "%.1f s to bring it over", result->seconds);
    append_tables(out, color, pass, "Brought", done, TRUE);
    hb_exceptions_append(out, color, result, HB_OUTCOME_CHANGED, "Changed for this target");
    failed = hb_exceptions_append(out, color, result, HB_OUTCOME_FAILED, "Failed");
    failed += hb_exceptions_append(out, color, result, HB_OUTCOME_REFUSED, "Refused by the server");
    failed += hb_exceptions_append(out, color, result, HB_OUTCOME_LEFT_OUT, "Left out");
    append_rest(out, color, rest);
    const HbFollowResult *follow = hb_pass_get_follow(pass);
    g_autofree char *drifts = hb_text_plural(follow != NULL ? follow->drifts : 0, "row was", "rows were");
    g_autofree char *failures = hb_text_plural(failed, "thing", "things"),
                    *others = hb_text_plural(rest->differences->len, "object differs", "objects differ");
    if (failed > 0)
        hb_piece_append_verdict(out, color, FALSE, "Not fresh: %s failed, or left as they are, as listed above",
                                failures);
    else if (result->open > 0)
        hb_piece_append_verdict(out, color, FALSE, "Not fresh: the pass broke off; the next one brings what is left");
    else if (follow != NULL && follow->drifts > 0)
        hb_piece_append_verdict(out, color, FALSE,
                                "Not fresh: %s not what the log said; the next pass compares these "
                                "tables: freshen again",
                                drifts);
    else if (rest->differences->len > 0)
        hb_piece_append_verdict(out, color, FALSE, "Rows are as in FROM at %s, but %s", source->snapshot_time, others);
    else
        hb_piece_append_verdict(out, color, TRUE, "Fresh: TO holds what FROM held at %s", source->snapshot_time);
    return g_string_free(out, FALSE);
}

/* ---- JSON ---- */

static json_t *write_table(const HbPassTable *table)
{
    return json_pack("{s:o, s:o, s:o, s:o, s:b, s:b, s:o, s:o, s:b}", "table", hb_json_readable(table->table), "insert",
                     hb_json_number(table->counts[HB_ROW_MISSING]), "update",
                     hb_json_number(table->counts[HB_ROW_CHANGED]), "delete",
                     hb_json_number(table->counts[HB_ROW_EXTRA]), "new", (int)(table->to == NULL), "anew",
                     (int)table->all_anew, "bytes", hb_json_number(table->bytes), "refusal",
                     hb_json_readable(table->refusal), "done", (int)table->is_done);
}

static json_t *write_exceptions(const HbRestoreResult *result)
{
    json_t *list = json_array();

    for (guint i = 0; i < result->exceptions->len; i++) {
        const HbException *one = result->exceptions->pdata[i];
        if (one->outcome != HB_OUTCOME_KEPT)
            json_array_append_new(list, json_pack("{s:s, s:o, s:o, s:o}", "outcome", hb_outcome_get_name(one->outcome),
                                                  "object", hb_json_readable(one->what), "message",
                                                  hb_json_readable(one->message), "hint", hb_json_readable(one->hint)));
    }
    return list;
}

static json_t *write_follow(const HbPass *pass)
{
    const HbFollowResult *follow = hb_pass_get_follow(pass);

    if (follow == NULL)
        return json_null();
    return json_pack("{s:o, s:o, s:o, s:i, s:o, s:f, s:f}", "transactions", hb_json_number(follow->transactions),
                     "changes", hb_json_number(follow->rows), "drifted", hb_json_number(follow->drifts), "tables",
                     (int)hb_pass_count_followed(pass), "structure", hb_json_readable(follow->structure), "lag_seconds",
                     follow->lag_s < G_MAXDOUBLE ? follow->lag_s : -1, "seconds", follow->seconds);
}

char *hb_pass_json(const HbPass *pass, const HbRestoreResult *result, const HbVerification *rest)
{
    const GPtrArray *tables = hb_pass_get_tables(pass);
    json_t *root = hb_json_begin("pass"), *list = json_array();

    for (guint i = 0; i < tables->len; i++)
        json_array_append_new(list, write_table(tables->pdata[i]));
    json_object_set_new(root, "database", hb_json_readable(hb_restore_get_database(hb_pass_get_restore(pass))));
    json_object_set_new(root, "moment", hb_json_readable(hb_pass_get_source(pass)->snapshot_time));
    json_object_set_new(root, "position", hb_json_readable(hb_pass_get_source(pass)->snapshot_position));
    json_object_set_new(root, "origin", hb_origin_json(hb_pass_get_origin(pass)));
    json_object_set_new(root, "rows", hb_json_number(hb_pass_count_compared(pass)));
    json_object_set_new(root, "tables", list);
    json_object_set_new(root, "log", write_follow(pass));
    json_object_set_new(root, "seconds_compared", json_real(hb_pass_get_seconds_compared(pass)));
    json_object_set_new(root, "seconds_guessed", json_real(hb_pass_guess_seconds(pass)));
    if (result != NULL) {
        json_object_set_new(root, "seconds", json_real(result->seconds));
        json_object_set_new(root, "exceptions", write_exceptions(result));
    }
    if (rest != NULL)
        json_object_set_new(root, "differences", hb_json_differences(rest->differences));
    return hb_json_end(root);
}
