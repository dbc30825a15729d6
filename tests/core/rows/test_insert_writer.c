/* SPDX-License-Identifier: Apache-2.0 */
#include "support/check.h"

#include "core/rows/insert_writer.h"
#include "engine/mariadb/dialect/dialect.h"
#include "engine/postgres/dialect/dialect.h"

#include <string.h>

typedef struct {
    const char *claim;
    const char *columns; /* split at blanks */
    const char *hex_columns;
    const HbDialect *dialect;
    guint rows_each;
    const char *rows;
    const char *sql;
} Case;

static const Case cases[] = {
    {"two rows a statement", "a b", "", &hb_my_dialect, 2, "1\tx\n2\ty\n3\tz\n",
     "INSERT INTO t (a, b) VALUES\n('1', 'x'),\n('2', 'y');\nINSERT INTO t (a, b) VALUES\n('3', 'z');\n"},
    {"NULL, nothing, and what only looks like NULL", "a", "", &hb_my_dialect, 9, "\\N\n\n\\Nope\n\\\\N\nN\n",
     "INSERT INTO t (a) VALUES\n(NULL),\n(''),\n('Nope'),\n('\\\\N'),\n('N');\n"},
    {"PostgreSQL's literals hold bytes as they are", "a b", "", &hb_pg_dialect, 9, "it's\\ta\\\\b\tc\\nd\n",
     "INSERT INTO t (a, b) OVERRIDING SYSTEM VALUE VALUES\n('it''s\ta\\b', 'c\nd');\n"},
    {"MariaDB's are escaped as its shell needs it", "a", "", &hb_my_dialect, 9, "it's\\ta\\\\b\\nc\\r\\f\n",
     "INSERT INTO t (a) VALUES\n('it\\'s\ta\\\\b\\nc\\r\f');\n"},
    {"bytes are hexadecimal", "a b", "tx", &hb_my_dialect, 9, "x\t00ff\n\\N\t\\N\n\t\n",
     "INSERT INTO t (a, b) VALUES\n('x', x'00ff'),\n(NULL, NULL),\n('', '');\n"},
    {"a table without columns", "", "", &hb_pg_dialect, 9, "\n\n",
     "INSERT INTO t DEFAULT VALUES;\nINSERT INTO t DEFAULT VALUES;\n"},
    {"no rows, no statement", "a", "", &hb_pg_dialect, 9, "", ""},
};

/* However the rows are cut into blocks */
static void rows_become_inserts(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        for (gsize block = 1; block <= MAX(strlen(cases[i].rows), 1); block++) {
            g_autoptr(HbCatalog) catalog = hb_catalog_new();
            HbRowSet *set = hb_catalog_add_row_set(catalog, "rows t", "t");
            g_auto(GStrv) columns = g_strsplit(cases[i].columns, " ", -1);
            g_autoptr(GString) sql = g_string_new(NULL);
            HbInsertWriter *rows;

            for (char **column = columns; *column != NULL && **column != '\0'; column++)
                g_ptr_array_add(set->columns, g_strdup(*column));
            g_string_assign(set->hex_columns, cases[i].hex_columns);
            rows = hb_insert_writer_new(set, NULL, cases[i].dialect, cases[i].rows_each);
            for (gsize at = 0; at < strlen(cases[i].rows); at += block)
                hb_insert_writer_add(rows, cases[i].rows + at, MIN(block, strlen(cases[i].rows) - at), sql);
            hb_insert_writer_end(rows, sql);
            hb_insert_writer_free(rows);
            if (strcmp(sql->str, cases[i].sql) != 0)
                fail_msg("%s, in blocks of %zu: %s", cases[i].claim, block, sql->str);
        }
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(rows_become_inserts)};

    return cmocka_run_group_tests(tests, NULL, NULL);
}
