/* SPDX-License-Identifier: Apache-2.0 */
#include "report/run_page.h"

#include "core/base/error.h"
#include "report/charts.h"
#include "report/html.h"
#include "report/text.h"

#include <jansson.h>
#include <string.h>

/*
 * The document is what programs read, so that the page cannot say less: plain fields become facts, lists of objects
 * become tables, and a list with sizes a drawing, too. What is empty is left out.
 */

#define TABLE_ROWS_MAX 200
#define NESTED_MAX     5

/* Lists whose rows have a size that is worth a drawing: by their name and, of a server's, the database before it */
static const struct {
    const char *list, *name, *bytes, *title;
} sized[] = {
    {"databases", "name", "bytes", "Databases by size"},
    {"schemas", "name", "bytes", "Schemas by size"},
    {"tables", "name", "bytes", "Tables by size"},
    {"tables", "table", "bytes", "What had to be brought, by table"},
    {"row_sets", "table", "bytes", "Rows by table"},
};

/* ---- Values ---- */

/* "stored_bytes" as "stored bytes" */
static char *name_field(const char *key)
{
    char *name = g_strdup(key);

    return g_strdelimit(name, "_", ' ');
}

static gboolean is_size(const char *key)
{
    return strcmp(key, "bytes") == 0 || g_str_has_suffix(key, "_bytes") || strcmp(key, "bytes_read") == 0;
}

static gboolean is_span(const char *key)
{
    return strcmp(key, "seconds") == 0 || g_str_has_prefix(key, "seconds_") || g_str_has_suffix(key, "_seconds");
}

static char *write_pairs(const json_t *object);

/* For people; NULL: there is nothing to say. The caller's */
static char *write_value(const char *key, const json_t *value)
{
    if (json_is_string(value))
        return *json_string_value(value) != '\0' ? g_strdup(json_string_value(value)) : NULL;
    if (json_is_boolean(value))
        return g_strdup(json_is_true(value) ? "yes" : "no");
    if (json_is_integer(value) && is_size(key))
        return hb_text_bytes((guint64)json_integer_value(value));
    if (json_is_integer(value))
        return hb_text_count((guint64)json_integer_value(value));
    if (json_is_real(value))
        return is_span(key) ? g_strdup_printf("%.1f s", json_real_value(value))
                            : g_strdup_printf("%.2f", json_real_value(value));
    if (json_is_object(value))
        return write_pairs(value);
    return NULL;
}

/* A list inside a row: a line for each of its first; NULL: there is nothing to say */
static char *write_nested(const json_t *list)
{
    g_autoptr(GString) text = g_string_new(NULL);

    for (gsize i = 0; i < MIN(json_array_size(list), NESTED_MAX); i++) {
        g_autofree char *shown = write_value("", json_array_get(list, i));
        if (shown != NULL)
            g_string_append_printf(text, "\n%s", shown);
    }
    if (json_array_size(list) > NESTED_MAX)
        g_string_append_printf(text, "\nand %zu more", json_array_size(list) - NESTED_MAX);
    return text->len > 0 ? g_string_free(g_steal_pointer(&text), FALSE) : NULL;
}

static gboolean is_nothing(const json_t *value)
{
    return json_is_false(value) || (json_is_integer(value) && json_integer_value(value) == 0);
}

/* What goes without saying of a row that differs: that it is one, and that all were looked at */
static gboolean is_usual(const char *key, const json_t *value)
{
    return (strcmp(key, "count") == 0 || strcmp(key, "one_in") == 0) && json_integer_value(value) == 1;
}

/* "missing 3, extra 2": an object inside a row or a fact, without what is 0 */
static char *write_pairs(const json_t *object)
{
    g_autoptr(GString) text = g_string_new(NULL);
    const char *key;
    json_t *value;

    json_object_foreach((json_t *)object, key, value)
    {
        g_autofree char *name = name_field(key), *shown = is_nothing(value) || is_usual(key, value) ? NULL
                                                          : json_is_array(value) ? write_nested(value)
                                                                                 : write_value(key, value);
        if (shown != NULL)
            g_string_append_printf(text, "%s%s%s%s", text->len > 0 ? ", " : "", strcmp(key, "fate") == 0 ? "" : name,
                                   strcmp(key, "fate") == 0 || *shown == '\n' ? "" : " ", shown);
    }
    return text->len > 0 ? g_string_free(g_steal_pointer(&text), FALSE) : NULL;
}

/* ---- Facts ---- */

/* What is said elsewhere on the page, or goes without saying */
static gboolean is_passed_over(const char *key, const json_t *value)
{
    static const char *const said[] = {"hornbeam", "document", "error", "equal", "whole", NULL};

    return g_strv_contains(said, key) || (is_nothing(value) && strcmp(key, "rows") != 0);
}

static void append_facts(GString *out, const json_t *document)
{
    const char *key;
    json_t *value;

    g_string_append(out, "<dl>\n");
    json_object_foreach((json_t *)document, key, value)
    {
        g_autofree char *name = name_field(key), *shown = is_passed_over(key, value) ? NULL : write_value(key, value);
        if (shown != NULL)
            hb_html_append_fact(out, name, shown);
    }
    g_string_append(out, "</dl>\n");
}

/* ---- Tables ---- */

/* The columns of which some row has something, in order; borrowed */
static GPtrArray *find_columns(const json_t *list)
{
    GPtrArray *columns = g_ptr_array_new();
    const char *key;
    json_t *value;

    json_object_foreach(json_array_get(list, 0), key, value)
    {
        gboolean is_used = FALSE;
        for (gsize i = 0; i < json_array_size(list) && !is_used; i++) {
            g_autofree char *shown = write_value(key, json_object_get(json_array_get(list, i), key));
            is_used = shown != NULL;
        }
        if (is_used)
            g_ptr_array_add(columns, (gpointer)key);
    }
    return columns;
}

static void append_row(GString *out, const json_t *row, const GPtrArray *columns)
{
    g_string_append(out, "<tr>");
    for (guint i = 0; i < columns->len; i++) {
        const json_t *value = json_object_get(row, columns->pdata[i]);
        g_autofree char *shown = write_value(columns->pdata[i], value);
        hb_html_append_lines(out, json_is_number(value) ? "<td class=\"number\">" : "<td>", shown != NULL ? shown : "",
                             "</td>");
    }
    g_string_append(out, "</tr>\n");
}

static void append_rest(GString *out, gsize count)
{
    g_autofree char *rest = count > TABLE_ROWS_MAX ? hb_text_count(count - TABLE_ROWS_MAX) : NULL;

    if (rest != NULL)
        g_string_append_printf(out, "<p class=\"todo\">and %s more, which --json lists</p>\n", rest);
}

static void append_table(GString *out, const char *title, const json_t *list)
{
    g_autoptr(GPtrArray) columns = find_columns(list);
    g_autofree char *count = hb_text_count(json_array_size(list));

    if (columns->len == 0)
        return;
    hb_html_append_text(out, "<h2>", title, " ");
    g_string_append_printf(
        out, "<span class=\"count\">%s</span></h2>\n<div class=\"wide\"><table class=\"free\">\n<tr>", count);
    for (guint i = 0; i < columns->len; i++) {
        g_autofree char *name = name_field(columns->pdata[i]);
        const gboolean is_number = json_is_number(json_object_get(json_array_get(list, 0), columns->pdata[i]));
        hb_html_append_text(out, is_number ? "<th scope=\"col\" class=\"number\">" : "<th scope=\"col\">", name,
                            "</th>");
    }
    g_string_append(out, "</tr>\n");
    for (gsize i = 0; i < MIN(json_array_size(list), TABLE_ROWS_MAX); i++)
        append_row(out, json_array_get(list, i), columns);
    g_string_append(out, "</table></div>\n");
    append_rest(out, json_array_size(list));
}

static void append_texts(GString *out, const char *title, const json_t *list)
{
    hb_html_append_text(out, "<h2>", title, "</h2>\n<ul>\n");
    for (gsize i = 0; i < MIN(json_array_size(list), TABLE_ROWS_MAX); i++) {
        const char *text = json_string_value(json_array_get(list, i));
        hb_html_append_text(out, "<li>", text != NULL ? text : "", "</li>\n");
    }
    g_string_append(out, "</ul>\n");
    append_rest(out, json_array_size(list));
}

/* ---- Differences ---- */

static void append_side(GString *out, const char *label, const json_t *text)
{
    if (json_is_string(text)) {
        g_string_append_printf(out, "<pre><span class=\"count\">%s</span> ", label);
        hb_html_append_lines(out, "", json_string_value(text), "</pre>\n");
    }
}

/* One below the other, for definitions are wide */
static void append_differences(GString *out, const json_t *list)
{
    g_autofree char *count = hb_text_count(json_array_size(list));

    g_string_append_printf(out, "<h2>Differences <span class=\"count\">%s</span></h2>\n<ul>\n", count);
    for (gsize i = 0; i < MIN(json_array_size(list), TABLE_ROWS_MAX); i++) {
        const json_t *one = json_array_get(list, i), *rows = json_object_get(one, "rows");
        g_autofree char *named = write_value("rows", rows);
        hb_html_append_text(out, "<li><p>", json_string_value(json_object_get(one, "identity")), "");
        hb_html_append_text(out, "<span class=\"name\">", json_string_value(json_object_get(one, "type")),
                            "</span></p>\n");
        append_side(out, "FROM", json_object_get(one, "from"));
        append_side(out, "TO  ", json_object_get(one, "to"));
        if (named != NULL)
            hb_html_append_lines(out, "<p class=\"todo\">", named, "</p>\n");
        g_string_append(out, "</li>\n");
    }
    g_string_append(out, "</ul>\n");
    append_rest(out, json_array_size(list));
}

static void append_lists(GString *out, const json_t *document)
{
    const char *key;
    json_t *value;

    json_object_foreach((json_t *)document, key, value)
    {
        g_autofree char *name = name_field(key);
        *name = g_ascii_toupper(*name);
        if (strcmp(key, "parts") == 0 || json_array_size(value) == 0)
            continue;
        if (strcmp(key, "differences") == 0)
            append_differences(out, value);
        else if (json_is_object(json_array_get(value, 0)))
            append_table(out, name, value);
        else if (json_is_string(json_array_get(value, 0)))
            append_texts(out, name, value);
    }
}

/* ---- Sizes ---- */

static void size_clear(gpointer data)
{
    g_free(((HbSized *)data)->name);
}

static char *name_row(const json_t *row, const char *key)
{
    const char *database = json_string_value(json_object_get(row, "database")),
               *name = json_string_value(json_object_get(row, key));

    if (name == NULL)
        return NULL;
    return database != NULL ? g_strdup_printf("%s: %s", database, name) : g_strdup(name);
}

/* Of a table the indexes count, too */
static guint64 read_size(const json_t *row, const char *key)
{
    return (guint64)MAX(json_integer_value(json_object_get(row, key)), 0) +
           (guint64)MAX(json_integer_value(json_object_get(row, "index_bytes")), 0);
}

static void append_sizes(GString *out, const json_t *document)
{
    for (gsize i = 0; i < G_N_ELEMENTS(sized); i++) {
        const json_t *list = json_object_get(document, sized[i].list);
        g_autoptr(GArray) sizes = g_array_new(FALSE, FALSE, sizeof(HbSized));
        g_array_set_clear_func(sizes, size_clear);
        for (gsize row = 0; row < json_array_size(list); row++) {
            const json_t *one = json_array_get(list, row);
            HbSized size = {name_row(one, sized[i].name), read_size(one, sized[i].bytes)};
            if (size.name != NULL)
                g_array_append_val(sizes, size);
        }
        hb_chart_append_sizes(out, sized[i].title, sizes);
    }
}

/* ---- The whole ---- */

static void append_document(GString *out, const json_t *document)
{
    const json_t *parts = json_object_get(document, "parts");

    append_facts(out, document);
    append_sizes(out, document);
    append_lists(out, document);
    for (gsize i = 0; json_is_array(parts) && i < json_array_size(parts); i++) {
        const json_t *part = json_array_get(parts, i);
        const char *database = json_string_value(json_object_get(part, "database"));
        hb_html_append_text(out, "<section>\n<h2>",
                            database != NULL ? database : "users, and what belongs to no database", "</h2>\n");
        append_document(out, part);
        g_string_append(out, "</section>\n");
    }
}

static void append_error(GString *out, const GError *error)
{
    if (error == NULL)
        return;
    hb_html_append_text(out, "<p class=\"blocker\">", error->message, "</p>\n");
    if (hb_error_hint(error) != NULL)
        hb_html_append_text(out, "<p class=\"todo\">what to do: ", hb_error_hint(error), "</p>\n");
}

static char *make_title(const HbRun *run, const json_t *document)
{
    const char *database = json_string_value(json_object_get(document, "database"));
    g_autofree char *command = g_strdup(run->command);

    *command = g_ascii_toupper(*command);
    if (database == NULL)
        database = json_string_value(json_object_get(
            json_object_get(document, "server"),
            g_strcmp0(json_string_value(json_object_get(document, "scope")), "server") == 0 ? "address" : "database"));
    return database != NULL ? g_strdup_printf("%s of %s", command, database) : g_steal_pointer(&command);
}

/* What a good end means, in the words of the result's text */
static const struct {
    const char *document, *words;
} good_ends[] = {
    {"survey", "What is there"},
    {"survey changes", "What has changed"},
    {"dump", "Written whole"},
    {"restore", "Restored whole"},
    {"pass", "Fresh: TO holds what FROM held"},
    {"verify", "Equal: TO holds what FROM holds"},
    {"files", "Whole"},
};

static char *describe_differences(gsize differences, guint others)
{
    g_autofree char *count = hb_text_plural(differences, "difference", "differences"),
                    *answers = hb_text_plural(others, "other answer", "other answers");

    return g_strdup_printf("Different: %s%s%s", count, others > 0 ? ", " : "", others > 0 ? answers : "");
}

static char *make_verdict(const HbRun *run, const json_t *document)
{
    const char *sort = json_string_value(json_object_get(document, "document"));
    const gsize differences = json_array_size(json_object_get(document, "differences"));
    const json_t *questions = json_object_get(document, "questions");
    guint others = 0;
    char *verdict;

    for (gsize i = 0; run->is_good && i < G_N_ELEMENTS(good_ends); i++) {
        if (g_strcmp0(sort, good_ends[i].document) == 0)
            return g_strdup(good_ends[i].words);
    }
    for (gsize i = 0; i < json_array_size(questions); i++)
        others += !json_is_true(json_object_get(json_array_get(questions, i), "same"));
    if (g_strcmp0(sort, "verify") == 0 && run->error == NULL)
        return describe_differences(differences, others);
    verdict = g_strdup(run->ending);
    *verdict = g_ascii_toupper(*verdict);
    return verdict;
}

char *hb_run_page(const HbRun *run)
{
    json_t *document = run->document != NULL ? json_loads(run->document, 0, NULL) : NULL;
    g_autofree char *title = make_title(run, document);
    g_autofree char *verdict = make_verdict(run, document);
    GString *out = g_string_new(NULL);

    hb_html_begin(out, title);
    hb_html_append_text(out, "<h1>", title, "</h1>\n");
    hb_html_append_verdict(out, run->is_good, verdict);
    append_error(out, run->error);
    hb_html_append_text(out, "<p class=\"todo\">", run->arguments, "</p>\n");
    if (g_strcmp0(json_string_value(json_object_get(document, "document")), "error") != 0)
        append_document(out, document);
    hb_chart_append_time_line(out, run->recording);
    hb_chart_append_rate(out, run->recording);
    hb_html_end(out);
    json_decref(document);
    return g_string_free(out, FALSE);
}
