/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/twin.h"

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
    g_autofree char *view = g_strdup_printf("BEGIN; CREATE TEMPORARY VIEW hornbeam_twin AS %s", query);
    g_autofree char *literal = hb_pg_quote_literal(session, name);
    g_autofree char *question = g_strdup_printf(
        "SELECT pg_get_viewdef('pg_temp.hornbeam_twin'::regclass) = pg_get_viewdef(%s::regclass)", literal);
    g_autoptr(HbResult) answer = hb_pg_execute(session, view, NULL) ? hb_pg_query(session, question, NULL) : NULL;
    gboolean same = answer != NULL && strcmp(PQgetvalue(answer, 0, 0), "t") == 0;

    hb_pg_execute(session, "ROLLBACK", NULL);
    return same;
}

gboolean hb_pg_reads_same(HbSession *session, const HbObject *other, const HbObject *own)
{
    gsize other_head, own_head;
    g_autofree char *other_query = NULL, *own_query = NULL;

    if (own->kind != HB_KIND_VIEW && own->kind != HB_KIND_MATERIALIZED_VIEW)
        return FALSE;
    other_query = cut_query(other->definition, &other_head);
    own_query = cut_query(own->definition, &own_head);
    return other_query != NULL && own_query != NULL && other_head == own_head &&
           strncmp(other->definition, own->definition, own_head) == 0 &&
           is_printed_same(session, other_query, hb_object_get_name(own));
}
