/* SPDX-License-Identifier: Apache-2.0 */
/*
 * Pieces are cut at values of the column: guesses spread between its least and its greatest value, each moved to the
 * next value that is there. The server itself puts them in order, by the column's own collation, so no row is read
 * twice or left out, however bad the guesses are.
 */
#include "engine/mariadb/rows/split_rows.h"

#include "engine/mariadb/dialect/show_create_parser.h"

#include <string.h>

#define PIECES_MAX 256

/* The greatest byte of a guess at text, so that it is valid UTF-8 */
#define TEXT_BYTE_MAX 0x7e

/* For each way of guessing: what to ask for the ends, and how a value becomes a literal. v stands for the column */
static const struct {
    const char *ends;
    const char *literal;
} ways[HB_SPLIT_COUNT] = {
    [HB_SPLIT_NUMBER] = {"MIN(v), MAX(v)", "v"},
    [HB_SPLIT_TIME] = {"MIN(v), MAX(v)", "QUOTE(v)"},
    [HB_SPLIT_TEXT] = {"HEX(CONVERT(MIN(v) USING utf8mb4)), HEX(CONVERT(MAX(v) USING utf8mb4))",
                       "QUOTE(CONVERT(v USING utf8mb4))"},
    [HB_SPLIT_BYTES] = {"HEX(MIN(v)), HEX(MAX(v))", "CONCAT('x''', HEX(v), '''')"},
};

/* The first two bytes of a value in hexadecimal digits; a byte that is not there is the filler */
static guint first_two_bytes(const char *digits, guint filler)
{
    guint value = 0;

    for (int i = 0; i < 4; i++) {
        gboolean is_there = *digits != '\0';
        value = value << 4 | (is_there ? (guint)g_ascii_xdigit_value(*digits) : filler >> (i % 2 == 0 ? 4 : 0) & 15);
        digits += is_there;
    }
    return value;
}

/* What the two ends have in common, then two bytes between theirs */
static char *guess_bytes(HbSplit way, const char *low, const char *high, guint at, guint of)
{
    gsize same = 0;
    guint from, to, value, first, second;

    while (low[same] != '\0' && low[same] == high[same])
        same++;
    same -= same % 2; /* whole bytes */
    from = first_two_bytes(low + same, 0);
    to = first_two_bytes(high + same, TEXT_BYTE_MAX);
    value = from + (MAX(to, from) - from) * at / of;
    first = way == HB_SPLIT_TEXT ? MIN(value >> 8, TEXT_BYTE_MAX) : value >> 8;
    second = way == HB_SPLIT_TEXT ? MIN(value & 0xff, TEXT_BYTE_MAX) : value & 0xff;
    return g_strdup_printf(way == HB_SPLIT_TEXT ? "CONVERT(x'%.*s%02x%02x' USING utf8mb4)" : "x'%.*s%02x%02x'",
                           (int)same, low, first, second);
}

static char *guess(HbSplit way, const char *low, const char *high, guint at, guint of)
{
    switch (way) {
    case HB_SPLIT_NUMBER:
        return g_strdup_printf("%s + (CAST(%s AS DECIMAL(30)) - %s) * %u DIV %u", low, high, low, at, of);
    case HB_SPLIT_TIME:
        return g_strdup_printf("'%s' + INTERVAL (TIMESTAMPDIFF(SECOND, '%s', '%s') * %u DIV %u) SECOND", low, low, high,
                               at, of);
    default:
        return guess_bytes(way, low, high, at, of);
    }
}

static const char *condition_of(const HbRowSet *set)
{
    return set->condition != NULL ? set->condition : "";
}

/* One query that gives the values to cut at, as literals, in order */
static char *cuts_query(const HbRowSet *set, const char *low, const char *high, guint pieces)
{
    HbSplit way = (HbSplit)set->split_extent;
    GString *sql = g_string_new(NULL);

    g_string_append_printf(sql, "SELECT %s FROM (", ways[way].literal);
    for (guint i = 1; i < pieces; i++) {
        g_autofree char *value = guess(way, low, high, i, pieces);
        g_string_append_printf(sql, "%s(SELECT %s AS v FROM %s %s WHERE %s >= %s ORDER BY %s LIMIT 1)",
                               i > 1 ? " UNION " : "", set->split_column, set->table, condition_of(set),
                               set->split_column, value, set->split_column);
    }
    g_string_append(sql, ") AS cuts ORDER BY v");
    return g_string_free(sql, FALSE);
}

/* FALSE if the table has no rows, or cannot be asked */
static gboolean find_ends(HbSession *session, const HbRowSet *set, char **low, char **high)
{
    g_autofree char *column = g_strdup_printf("(%s)", set->split_column);
    g_autoptr(GString) expressions = g_string_new(ways[set->split_extent].ends);
    g_autoptr(HbMyResult) result = NULL;
    MYSQL_ROW row;

    g_string_replace(expressions, "(v)", column, 0);
    result = hb_my_query_format(session, NULL, "SELECT %s FROM %s %s", expressions->str, set->table, condition_of(set));
    row = result != NULL ? mysql_fetch_row(result) : NULL;
    if (row == NULL || row[0] == NULL)
        return FALSE;
    *low = g_strdup(row[0]);
    *high = g_strdup(row[1]);
    return TRUE;
}

/* Literals, rising: char *; none if there is nothing to cut */
static GPtrArray *find_cuts(HbSession *session, const HbRowSet *set, guint pieces)
{
    GPtrArray *cuts = g_ptr_array_new_with_free_func(g_free);
    g_autofree char *low = NULL, *high = NULL;
    g_autoptr(HbMyResult) result = NULL;
    MYSQL_ROW row;

    if (set->split_column == NULL || pieces < 2 || !find_ends(session, set, &low, &high))
        return cuts;
    g_autofree char *sql = cuts_query(set, low, high, pieces);
    result = hb_my_query(session, sql, NULL);
    while (result != NULL && (row = mysql_fetch_row(result)) != NULL)
        g_ptr_array_add(cuts, g_strdup(row[0]));
    return cuts;
}

static char *between(const HbRowSet *set, const char *from, const char *to)
{
    if (from == NULL)
        return to != NULL ? g_strdup_printf("%s < %s", set->split_column, to) : NULL;
    return to != NULL ? g_strdup_printf("%s >= %s AND %s < %s", set->split_column, from, set->split_column, to)
                      : g_strdup_printf("%s >= %s", set->split_column, from);
}

GArray *hb_my_split_rows(HbSession *session, const HbRowSet *set, guint64 bytes)
{
    GArray *ranges = hb_ranges_new();
    g_autoptr(GPtrArray) cuts = find_cuts(session, set, (guint)CLAMP((set->bytes + bytes - 1) / bytes, 1, PIECES_MAX));

    for (guint i = 0; i <= cuts->len; i++) {
        const char *from = i > 0 ? cuts->pdata[i - 1] : NULL, *to = i < cuts->len ? cuts->pdata[i] : NULL;
        HbRange range = {
            .first = i, .end = i + 1, .bytes = set->bytes / (cuts->len + 1), .where = between(set, from, to)};
        g_array_append_val(ranges, range);
    }
    return ranges;
}
