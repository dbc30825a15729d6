/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/target/same_definition.h"

#include "core/sql/lexer.h"
#include "engine/postgres/dialect/lexical.h"

#include <string.h>

/* Stands between what is said of a view and its query */
#define QUERY_BEGINS " AS\n"
#define UNFILLED     "\nWITH NO DATA;"

/* The query of a view's definition; NULL if it has none. *head is how much text stands before it. The caller's */
static char *cut_query(const char *definition, gsize *head)
{
    const char *query = strstr(definition, QUERY_BEGINS);
    const char *end = query != NULL ? strstr(query, UNFILLED) : NULL;

    if (query == NULL)
        return NULL;
    *head = (gsize)(query - definition);
    query += strlen(QUERY_BEGINS);
    return end != NULL ? g_strndup(query, (gsize)(end - query)) : g_strdup(query);
}

static gboolean is_printed_same(HbSession *session, const char *query, const char *name)
{
    g_autofree char *view = g_strdup_printf("CREATE TEMPORARY VIEW hornbeam_twin AS %s", query);
    g_autofree char *literal = hb_pg_quote_literal(session, name);
    g_autofree char *question = g_strdup_printf(
        "SELECT pg_get_viewdef('pg_temp.hornbeam_twin'::regclass) = pg_get_viewdef(%s::regclass)", literal);
    g_autoptr(HbResult) answer = hb_pg_execute(session, "BEGIN", NULL) && hb_pg_execute_one(session, view, NULL)
                                     ? hb_pg_query(session, question, NULL)
                                     : NULL;
    gboolean same = answer != NULL && strcmp(PQgetvalue(answer, 0, 0), "t") == 0;

    hb_pg_execute(session, "ROLLBACK", NULL);
    return same;
}

/* ---- Parts of tables: put on a temporary table of the same columns ---- */

#define TWIN            "pg_temp.hornbeam_twin"
#define TWIN_AS_PRINTED "format('%s.hornbeam_twin', pg_my_temp_schema()::regnamespace)"

/* $1 the table, $2 the part's name within it or, of an index, its whole name */
static const struct {
    HbKind kind;
    const char *question;
} parts[] = {
    {HB_KIND_CHECK, "SELECT (SELECT pg_get_constraintdef(oid) FROM pg_constraint WHERE conrelid = '" TWIN
                    "'::regclass AND contype = 'c')"
                    " = (SELECT pg_get_constraintdef(oid) FROM pg_constraint WHERE conrelid = $1::regclass AND "
                    "quote_ident(conname) = $2)"},
    {HB_KIND_DEFAULT,
     "SELECT (SELECT pg_get_expr(adbin, adrelid) FROM pg_attrdef WHERE adrelid = '" TWIN "'::regclass)"
     " = (SELECT pg_get_expr(d.adbin, d.adrelid) FROM pg_attrdef d JOIN pg_attribute a ON a.attrelid = d.adrelid"
     "    AND a.attnum = d.adnum WHERE d.adrelid = $1::regclass AND quote_ident(a.attname) = $2)"},
    {HB_KIND_INDEX, "SELECT (SELECT replace(pg_get_indexdef(indexrelid), " TWIN_AS_PRINTED ", $1) FROM pg_index"
                    "        WHERE indrelid = '" TWIN "'::regclass) = pg_get_indexdef($2::regclass)"},
    {HB_KIND_TRIGGER,
     "SELECT (SELECT replace(pg_get_triggerdef(oid), " TWIN_AS_PRINTED ", $1) FROM pg_trigger"
     "        WHERE tgrelid = '" TWIN "'::regclass)"
     " = (SELECT pg_get_triggerdef(oid) FROM pg_trigger WHERE tgrelid = $1::regclass AND quote_ident(tgname) = $2)"},
    {HB_KIND_POLICY,
     "SELECT (SELECT concat_ws(' | ', pg_get_expr(polqual, polrelid), pg_get_expr(polwithcheck, polrelid))"
     "        FROM pg_policy WHERE polrelid = '" TWIN "'::regclass)"
     " = (SELECT concat_ws(' | ', pg_get_expr(polqual, polrelid), pg_get_expr(polwithcheck, polrelid))"
     "    FROM pg_policy WHERE polrelid = $1::regclass AND quote_ident(polname) = $2)"},
};

static const char *find_question(HbKind kind)
{
    for (gsize i = 0; i < G_N_ELEMENTS(parts); i++) {
        if (parts[i].kind == kind)
            return parts[i].question;
    }
    return NULL;
}

/* Behind the first statement */
static const char *skip_statement(const char *sql)
{
    HbToken token;

    do
        token = hb_lexer_read_token(&hb_pg_rules, &sql);
    while (token.type != HB_TOKEN_END && !(token.type == HB_TOKEN_SIGN && *token.start == ';'));
    return sql;
}

/* The first statement, on the temporary table; NULL if it does not name the table. The caller's */
static char *retarget(const char *definition, const char *table)
{
    const char *name = strstr(definition, table), *end = skip_statement(definition);

    if (name == NULL || name >= end)
        return NULL;
    return g_strdup_printf("%.*s" TWIN "%.*s", (int)(name - definition), definition,
                           (int)(end - name - (gssize)strlen(table)), name + strlen(table));
}

/*
 * To plan an expression the server runs what functions in it have nothing but constants before them, with our rights:
 * those of the server's own are written without a schema, as all paths are empty
 */
static gboolean names_other_schemas(const char *statement, const char *table)
{
    const char *at = strstr(statement, table);
    HbToken token;

    at = at != NULL ? at + strlen(table) : statement;
    while ((token = hb_lexer_read_token(&hb_pg_rules, &at)).type != HB_TOKEN_END) {
        if (token.type == HB_TOKEN_SIGN && *token.start == '.')
            return TRUE;
    }
    return FALSE;
}

static gboolean answers_yes(HbSession *session, const char *question, const char *table, const char *part)
{
    const char *const values[] = {table, part};
    g_autoptr(HbResult) answer = hb_pg_query_with(session, question, 2, values, NULL);

    return answer != NULL && strcmp(PQgetvalue(answer, 0, 0), "t") == 0;
}

static gboolean part_reads_same(HbSession *session, const HbObject *other, const HbObject *own)
{
    const char *question = find_question(own->kind);
    const char *table = own->on != NULL && g_str_has_prefix(own->on, "table ") ? own->on + strlen("table ") : NULL;
    const char *part = hb_object_get_name(own);
    g_autofree char *statement = question != NULL && table != NULL ? retarget(other->definition, table) : NULL;
    g_autofree char *begin = NULL;
    gboolean same;

    if (statement == NULL ||
        ((own->kind == HB_KIND_INDEX || own->kind == HB_KIND_CHECK) && names_other_schemas(statement, TWIN)))
        return FALSE;
    if (strcmp(skip_statement(other->definition), skip_statement(own->definition)) != 0)
        return FALSE;
    if (own->kind != HB_KIND_INDEX)
        part += strlen(table) + 1;
    begin = g_strdup_printf("CREATE TEMPORARY TABLE hornbeam_twin (LIKE %s)", table);
    same = hb_pg_execute(session, "BEGIN", NULL) && hb_pg_execute_one(session, begin, NULL) &&
           hb_pg_execute_one(session, statement, NULL) && answers_yes(session, question, table, part);
    hb_pg_execute(session, "ROLLBACK", NULL);
    return same;
}

static gboolean view_reads_same(HbSession *session, const HbObject *other, const HbObject *own)
{
    gsize other_head, own_head;
    g_autofree char *other_query = cut_query(other->definition, &other_head);
    g_autofree char *own_query = cut_query(own->definition, &own_head);

    return other_query != NULL && own_query != NULL && other_head == own_head &&
           strncmp(other->definition, own->definition, own_head) == 0 &&
           is_printed_same(session, other_query, hb_object_get_name(own));
}

gboolean hb_pg_reads_same(HbSession *session, const HbObject *other, const HbObject *own)
{
    if (own->kind == HB_KIND_VIEW || own->kind == HB_KIND_MATERIALIZED_VIEW)
        return view_reads_same(session, other, own);
    return part_reads_same(session, other, own);
}
