/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/catalog/catalog.h"

#include "engine/postgres/catalog/catalog_builder.h"
#include "engine/postgres/catalog/users.h"
#include "engine/postgres/dialect/large_objects.h"
#include "engine/postgres/dialect/names.h"
#include "engine/postgres/dialect/printing.h"
#include "engine/postgres/session/copy_data.h"
#include "sql.h"

#include <stdlib.h>
#include <string.h>

/* How many never-used sequences one statement asks for their state */
#define SEQUENCES_PER_STATEMENT 500

/* ---- Rows ---- */

/* A name that holds a line end or anything else comes with its length */
static gboolean read_columns(const HbRowSet *set, GPtrArray *columns, const char *text, GError **error)
{
    if (text != NULL && !hb_pg_read_list(text, columns))
        return hb_error_set(error, HB_ERROR_STATEMENT, "see whether this is a PostgreSQL server",
                            "%s: the server's list of its columns cannot be read", set->identity);
    for (guint c = 0; c < columns->len; c++) {
        char *quoted = hb_pg_quote_new_words(columns->pdata[c], TRUE);
        if (quoted == NULL)
            continue;
        g_free(columns->pdata[c]);
        columns->pdata[c] = quoted;
    }
    return TRUE;
}

static gboolean read_key(HbRowSet *set, const char *text, GError **error)
{
    g_autoptr(GPtrArray) columns = g_ptr_array_new_with_free_func(g_free);

    if (!read_columns(set, columns, text, error))
        return FALSE;
    hb_row_set_set_key(set, columns);
    return TRUE;
}

static gboolean read_rows(HbCatalogBuilder *builder, GError **error)
{
    g_autoptr(HbResult) result = hb_catalog_builder_run(builder, hb_sql_rows, error);

    for (int row = 0; result != NULL && row < PQntuples(result); row++) {
        const char *extent = hb_pg_get(result, row, "extent");
        if (!hb_catalog_builder_add(builder, result, row, error))
            return FALSE;
        if (extent == NULL)
            continue;
        g_autofree char *identity = hb_identity_new(HB_KIND_ROWS, hb_pg_get(result, row, "name"));
        HbRowSet *set = hb_catalog_add_row_set(builder->catalog, identity, hb_pg_get(result, row, "name"));
        set->bytes = g_ascii_strtoull(hb_pg_get(result, row, "cost"), NULL, 10);
        set->split_extent = g_ascii_strtoull(extent, NULL, 10);
        set->number = g_ascii_strtoull(hb_pg_get(result, row, "objid"), NULL, 10);
        set->condition = g_strdup(hb_pg_get(result, row, "condition"));
        if (hb_pg_get(result, row, "barrier") != NULL) {
            set->barrier = g_strdup("row security may hide rows of it from this role");
            set->way_past = g_strdup_printf("read as its owner or as a superuser, or have one run: %s;",
                                            hb_pg_get(result, row, "barrier"));
        }
        set->has_binary = *hb_pg_get(result, row, "has_binary") == 't';
        if (!read_columns(set, set->columns, hb_pg_get(result, row, "columns"), error) ||
            !read_key(set, hb_pg_get(result, row, "key"), error))
            return FALSE;
    }
    return result != NULL;
}

/* It becomes part of a statement, and may come from an object that only looks like a sequence */
static gboolean is_number(const char *value)
{
    const char *digits = value + (*value == '-');

    return *digits != '\0' && digits[strspn(digits, "0123456789")] == '\0';
}

static gboolean add_sequence_value(HbCatalogBuilder *builder, const PGresult *known, int row, const char *value,
                                   gboolean used, GError **error)
{
    g_autofree char *address = g_strdup_printf("1259:%s", hb_pg_get(known, row, "oid"));
    HbObject *sequence = g_hash_table_lookup(builder->by_address, address);
    HbObject *object;

    if (!is_number(value))
        return hb_error_set(error, HB_ERROR_RETRY, "see who changes the schema meanwhile",
                            "sequence %s: what it says is no number", hb_pg_get(known, row, "name"));
    object = hb_object_new(HB_KIND_SEQUENCE_VALUE, hb_pg_get(known, row, "name"));
    object->definition =
        used ? g_strdup_printf("SELECT setval(%s, %s);", hb_pg_get(known, row, "literal"), value)
             : g_strdup_printf("ALTER SEQUENCE %s RESTART WITH %s;", hb_pg_get(known, row, "name"), value);
    if (sequence != NULL)
        hb_object_add_need(object, sequence->identity);
    return hb_catalog_add(builder->catalog, object, error);
}

/* The unused sequences among known, from row `from` on; *from moves behind those that were read */
static gboolean read_unused(HbCatalogBuilder *builder, const PGresult *known, int *from, GError **error)
{
    g_autoptr(GString) sql = g_string_new(NULL), guards = g_string_new(NULL);
    g_autoptr(HbResult) states = NULL;

    for (int asked = 0; *from < PQntuples(known) && asked < SEQUENCES_PER_STATEMENT; (*from)++) {
        if (hb_pg_get(known, *from, "value") != NULL)
            continue;
        g_string_append_printf(sql, "%sSELECT %d AS row, last_value, is_called FROM %s", asked > 0 ? " UNION ALL " : "",
                               *from, hb_pg_get(known, *from, "name"));
        g_string_append_printf(guards, "%s;\n", hb_pg_get(known, *from, "guard"));
        asked++;
    }
    if (sql->len == 0)
        return TRUE;
    g_string_prepend(sql, guards->str);
    states = hb_pg_query_guarded(builder->session, sql->str, "a sequence", error);
    for (int i = 0; states != NULL && i < PQntuples(states); i++) {
        const char *number = hb_pg_get(states, i, "row"), *value = hb_pg_get(states, i, "last_value");
        const char *is_called = hb_pg_get(states, i, "is_called");
        const guint64 row = number != NULL ? g_ascii_strtoull(number, NULL, 10) : G_MAXUINT64;
        if (row >= (guint64)PQntuples(known) || value == NULL || is_called == NULL)
            return hb_error_set(error, HB_ERROR_STATEMENT, "see whether this is a PostgreSQL server",
                                "what the server says of its sequences cannot be read");
        if (!add_sequence_value(builder, known, (int)row, value, *is_called == 't', error))
            return FALSE;
    }
    return states != NULL;
}

static gboolean read_sequence_values(HbCatalogBuilder *builder, GError **error)
{
    g_autoptr(HbResult) known = hb_catalog_builder_run(builder, hb_sql_sequence_values, error);

    if (known == NULL)
        return FALSE;
    for (int row = 0; row < PQntuples(known); row++) {
        const char *value = hb_pg_get(known, row, "value");
        if (value != NULL && !add_sequence_value(builder, known, row, value, TRUE, error))
            return FALSE;
    }
    for (int from = 0; from < PQntuples(known);) {
        if (!read_unused(builder, known, &from, error))
            return FALSE;
    }
    return TRUE;
}

/* ---- Large objects: by the page, and their bytes as one row set ---- */

static gboolean read_large_objects(HbCatalogBuilder *builder, GError **error)
{
    g_autoptr(HbResult) size = NULL;
    HbObject *rows;
    HbRowSet *set;
    guint before = hb_catalog_count(builder->catalog);

    if (!hb_catalog_builder_read(builder, hb_sql_large_objects, error))
        return FALSE;
    if (hb_catalog_count(builder->catalog) == before)
        return TRUE;
    size = hb_pg_query(builder->session, "SELECT pg_relation_size('pg_catalog.pg_largeobject') AS bytes", error);
    if (size == NULL)
        return FALSE;
    rows = hb_object_new(HB_KIND_ROWS, HB_PG_LARGE_OBJECTS);
    rows->cost = g_ascii_strtoull(hb_pg_get(size, 0, "bytes"), NULL, 10);
    for (guint i = before; i < hb_catalog_count(builder->catalog); i++) {
        if (hb_catalog_get(builder->catalog, i)->kind == HB_KIND_LARGE_OBJECTS)
            hb_object_add_need(rows, hb_catalog_get(builder->catalog, i)->identity);
    }
    set = hb_catalog_add_row_set(builder->catalog, rows->identity, HB_PG_LARGE_OBJECTS);
    hb_pg_describe_large_objects(set, rows->cost);
    return hb_catalog_add(builder->catalog, rows, error);
}

/* ---- Comments and labels: their statement needs what SQL calls the object ---- */

static char *note_statement(const PGresult *result, int row, const char *designation)
{
    const char *provider = hb_pg_get(result, row, "provider");
    const char *literal = hb_pg_get(result, row, "literal");

    if (provider != NULL)
        return g_strdup_printf("SECURITY LABEL FOR %s ON %s IS %s;", provider, designation, literal);
    return g_strdup_printf("COMMENT ON %s IS %s;", designation, literal);
}

static HbObject *comment_from_row(HbCatalogBuilder *builder, const PGresult *result, int row, HbObject *subject)
{
    const char *designation = hb_pg_get(result, row, "designation");
    const char *kind = hb_pg_get(result, row, "kind");
    g_autofree char *name =
        kind != NULL ? g_strdup_printf("%s %s", kind, hb_pg_get(result, row, "name")) : g_strdup(subject->identity);
    HbObject *comment =
        hb_object_new(hb_pg_get(result, row, "provider") != NULL ? HB_KIND_SECURITY_LABEL : HB_KIND_COMMENT, name);

    if (designation == NULL)
        designation = g_hash_table_lookup(builder->designations, subject);
    comment->definition = note_statement(result, row, designation);
    hb_catalog_builder_set_versions(comment, result, row);
    comment->on = g_strdup(subject->identity);
    hb_object_add_need(comment, subject->identity);
    return comment;
}

static gboolean read_comments(HbCatalogBuilder *builder, GError **error)
{
    g_autoptr(HbResult) result = hb_catalog_builder_run(builder, hb_sql_comments, error);

    for (int row = 0; result != NULL && row < PQntuples(result); row++) {
        g_autofree char *address = hb_catalog_builder_address(result, row, "classid", "objid");
        HbObject *subject = g_hash_table_lookup(builder->by_address, address);
        if (subject == NULL ||
            (hb_pg_get(result, row, "designation") == NULL && !g_hash_table_contains(builder->designations, subject)))
            continue; /* on something that is not carried, and is named as such */
        if (!hb_catalog_add(builder->catalog, comment_from_row(builder, result, row, subject), error))
            return FALSE;
    }
    return result != NULL;
}

/* ---- Needs that no query gives ---- */

/*
 * A role must have privileges in the schema before an ordinary user can give it objects there: so a schema's grants
 * come with the structure, before what another than the schema's owner owns there.
 */
static void put_schema_grants_first(HbCatalogBuilder *builder)
{
    for (guint i = 0; i < hb_catalog_count(builder->catalog); i++) {
        HbObject *object = hb_catalog_get(builder->catalog, i);
        if (object->kind == HB_KIND_GRANT && g_str_has_prefix(hb_object_get_name(object), "schema "))
            object->stage = HB_STAGE_STRUCTURE;
    }
    for (guint i = 0; i < hb_catalog_count(builder->catalog); i++) {
        HbObject *object = hb_catalog_get(builder->catalog, i);
        for (guint n = 0; object->owner != NULL && n < object->needs->len; n++) {
            const HbObject *schema = hb_catalog_find(builder->catalog, object->needs->pdata[n]);
            if (schema == NULL || schema->kind != HB_KIND_SCHEMA || g_strcmp0(schema->owner, object->owner) == 0)
                continue;
            g_autofree char *grant = hb_identity_new(HB_KIND_GRANT, schema->identity);
            if (hb_catalog_find(builder->catalog, grant) != NULL)
                hb_object_add_need(object, grant);
        }
    }
}

/* What builds on a table's rows must read them: its cost is their size */
static void pass_on_costs(HbCatalogBuilder *builder)
{
    for (guint i = 0; i < hb_catalog_count(builder->catalog); i++) {
        HbObject *object = hb_catalog_get(builder->catalog, i);
        const char *table = object->on != NULL ? strchr(object->on, ' ') : NULL;
        const HbObject *rows;
        if (table == NULL ||
            (object->kind != HB_KIND_KEY && object->kind != HB_KIND_INDEX && object->kind != HB_KIND_FOREIGN_KEY))
            continue;
        g_autofree char *identity = hb_identity_new(HB_KIND_ROWS, table + 1);
        rows = hb_catalog_find(builder->catalog, identity);
        object->cost = rows != NULL ? rows->cost : 0;
    }
}

/* ---- Properties, what is left out ---- */

static gboolean read_properties(HbCatalogBuilder *builder, GError **error)
{
    g_autoptr(HbResult) result = hb_catalog_builder_run(builder, hb_sql_database, error);

    for (int row = 0; result != NULL && row < PQntuples(result); row++)
        hb_catalog_set_property(builder->catalog, hb_pg_get(result, row, "name"), hb_pg_get(result, row, "value"));
    return result != NULL;
}

/* ---- The whole ---- */

static void append_value(GString *text, const char *value)
{
    static const char plain[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_./:,-";

    if (*value != '\0' && value[strspn(value, plain)] == '\0') {
        g_string_append(text, value);
        return;
    }
    hb_pg_append_conninfo_value(text, value);
}

/* What libpq reads in it, but for passwords. NULL: it cannot be read; the caller's */
static char *without_passwords(const char *conninfo, gboolean *had_password)
{
    PQconninfoOption *options = PQconninfoParse(conninfo, NULL);
    GString *text = options != NULL ? g_string_new(NULL) : NULL;

    *had_password = options == NULL;
    for (const PQconninfoOption *option = options; option != NULL && option->keyword != NULL; option++) {
        if (option->val == NULL)
            continue;
        if (*option->dispchar == '*') {
            *had_password = TRUE;
            continue;
        }
        g_string_append_printf(text, "%s%s=", text->len > 0 ? " " : "", option->keyword);
        append_value(text, option->val);
    }
    PQconninfoFree(options);
    return text != NULL ? g_string_free(text, FALSE) : NULL;
}

#define NO_CONNECTION "CONNECTION ''"

static void put_connection(char **definition, gsize after, const char *literal)
{
    const char *at = *definition != NULL ? strstr(*definition + after, NO_CONNECTION) : NULL;
    char *text;

    if (at == NULL)
        return;
    text = g_strdup_printf("%.*sCONNECTION %s%s", (int)(at - *definition), *definition, literal,
                           at + strlen(NO_CONNECTION));
    g_free(*definition);
    *definition = text;
}

static gboolean add_subscription(HbCatalogBuilder *builder, const PGresult *result, int row, GError **error)
{
    gboolean had_password;
    g_autofree char *connection = without_passwords(hb_pg_get(result, row, "conninfo"), &had_password);
    g_autofree char *literal = hb_pg_quote_literal(builder->session, connection != NULL ? connection : "");
    g_autofree char *identity = hb_identity_new(HB_KIND_SUBSCRIPTION, hb_pg_get(result, row, "name"));
    const gsize after = strlen("CREATE SUBSCRIPTION ") + strlen(hb_pg_get(result, row, "name"));
    HbObject *object;

    if (!hb_catalog_builder_add(builder, result, row, error))
        return FALSE;
    object = hb_catalog_find(builder->catalog, identity);
    put_connection(&object->definition, after, literal);
    for (guint i = 0; object->wordings != NULL && i < object->wordings->len; i++)
        put_connection(&((HbWording *)object->wordings->pdata[i])->definition, after, literal);
    if (!had_password)
        return TRUE;
    g_autofree char *what = g_strdup_printf("password of %s", identity);
    hb_catalog_add_omission(builder->catalog, what,
                            "secrets do not leave the server; on the target: ALTER SUBSCRIPTION ... CONNECTION '...';");
    return TRUE;
}

/* How a subscription connects is for superusers only; others are told in omissions.sql */
static gboolean read_subscriptions(HbCatalogBuilder *builder, GError **error)
{
    g_autoptr(HbResult) result =
        hb_pg_query(builder->session,
                    "SELECT has_column_privilege('pg_catalog.pg_subscription', 'subconninfo', 'SELECT') AS may", error);

    if (result == NULL || *hb_pg_get(result, 0, "may") == 'f')
        return result != NULL;
    g_autoptr(HbResult) subscriptions = hb_catalog_builder_run(builder, hb_sql_subscriptions, error);
    for (int row = 0; subscriptions != NULL && row < PQntuples(subscriptions); row++) {
        if (!add_subscription(builder, subscriptions, row, error))
            return FALSE;
    }
    return subscriptions != NULL;
}

/* One query for each kind, or for a few that belong together, in the order in which their objects are added */
static const char *const queries_of_schema[] = {hb_sql_schemas,       hb_sql_extensions,
                                                hb_sql_collations,    hb_sql_types,
                                                hb_sql_languages,     hb_sql_functions,
                                                hb_sql_aggregates,    hb_sql_operators,
                                                hb_sql_text_search,   hb_sql_foreign_data,
                                                hb_sql_sequences,     hb_sql_sequence_links,
                                                hb_sql_tables,        hb_sql_attachments,
                                                hb_sql_defaults,      hb_sql_constraints,
                                                hb_sql_indexes,       hb_sql_index_attachments,
                                                hb_sql_views,         hb_sql_materialized_views,
                                                hb_sql_refreshes,     hb_sql_rules,
                                                hb_sql_triggers,      hb_sql_policies,
                                                hb_sql_oddments,      hb_sql_extension_links,
                                                hb_sql_publications,  hb_sql_grants,
                                                hb_sql_default_grants};

/* Those that are always run, the longest first, so that several sessions end at about the same time */
static const char *const queries_of_all[] = {
    hb_sql_constraints, hb_sql_indexes,      hb_sql_views,          hb_sql_grants,
    hb_sql_tables,      hb_sql_dependencies, hb_sql_defaults,       hb_sql_rows,
    hb_sql_aliases,     hb_sql_comments,     hb_sql_functions,      hb_sql_triggers,
    hb_sql_types,       hb_sql_sequences,    hb_sql_sequence_links, hb_sql_materialized_views};

static gboolean read_schema(HbCatalogBuilder *builder, GError **error)
{
    for (gsize i = 0; i < G_N_ELEMENTS(queries_of_schema); i++) {
        if (!hb_catalog_builder_read(builder, queries_of_schema[i], error))
            return FALSE;
    }
    return read_subscriptions(builder, error);
}

static gboolean read_all(HbCatalogBuilder *builder, guint parts, GError **error)
{
    if ((parts & HB_PART_DATA) && !read_large_objects(builder, error))
        return FALSE;
    if (!read_properties(builder, error) || !read_schema(builder, error) || !read_rows(builder, error) ||
        !hb_catalog_builder_read_aliases(builder, error) || !read_comments(builder, error) ||
        !hb_catalog_builder_read_dependencies(builder, error))
        return FALSE;
    if ((parts & HB_PART_DATA) && !read_sequence_values(builder, error))
        return FALSE;
    if ((parts & HB_PART_USERS) && !hb_pg_read_users(builder, error))
        return FALSE;
    if ((parts & HB_PART_SETTINGS) && !hb_catalog_builder_read(builder, hb_sql_database_settings, error))
        return FALSE;
    hb_catalog_builder_resolve(builder);
    put_schema_grants_first(builder);
    pass_on_costs(builder);
    if ((parts & HB_PART_SCHEMA) && !hb_catalog_builder_read_omissions(builder, hb_sql_omissions, error))
        return FALSE;
    hb_catalog_keep_parts(builder->catalog, parts);
    return TRUE;
}

HbCatalog *hb_pg_read_catalog(GPtrArray *sessions, guint parts, GError **error)
{
    HbCatalogBuilder builder;
    HbCatalog *catalog = NULL;

    hb_catalog_builder_init(&builder, sessions->pdata[0]);
    hb_catalog_builder_begin(&builder, sessions, queries_of_all, G_N_ELEMENTS(queries_of_all));
    if (read_all(&builder, parts, error))
        catalog = g_steal_pointer(&builder.catalog);
    hb_catalog_builder_clear(&builder);
    return catalog;
}
