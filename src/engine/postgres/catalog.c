/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/catalog.h"

#include "engine/postgres/large_objects.h"
#include "engine/postgres/printing.h"
#include "engine/postgres/queries.h"
#include "sql.h"

#include <stdlib.h>
#include <string.h>

/* How many never-used sequences one statement asks for their state */
#define SEQUENCES_PER_STATEMENT 500

typedef struct {
    HbSession *session;
    HbCatalog *catalog;
    GHashTable *by_address;   /* "classid:objid" to HbObject *, borrowed from the catalog */
    GHashTable *designations; /* HbObject * to what SQL calls it: "TABLE garden.plot" */
    GHashTable *pending;      /* HbObject * to addresses that it needs, joined by commas */
} Reader;

static void reader_init(Reader *reader, HbSession *session)
{
    reader->session = session;
    reader->catalog = hb_catalog_new();
    reader->by_address = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    reader->designations = g_hash_table_new_full(NULL, NULL, NULL, g_free);
    reader->pending = g_hash_table_new_full(NULL, NULL, NULL, g_free);
}

static void reader_clear(Reader *reader)
{
    hb_catalog_free(reader->catalog);
    g_hash_table_unref(reader->by_address);
    g_hash_table_unref(reader->designations);
    g_hash_table_unref(reader->pending);
}

static HbResult *run(Reader *reader, const char *sql, GError **error)
{
    g_autofree char *fitted = hb_pg_fit_query(sql, reader->session->version);
    HbResult *result = hb_pg_query(reader->session, fitted, error);

    if (result == NULL) {
        const char *line_end = strchr(sql, '\n');
        g_autofree char *title = g_strndup(sql, (gsize)(line_end - sql));
        g_prefix_error(error, "reading the catalog of %s (%s): ", reader->session->address,
                       g_str_has_prefix(title, "-- ") ? title + 3 : "objects");
    }
    return result;
}

/* ---- Objects: the rows that most queries give ---- */

static void set_owner(HbObject *object, const PGresult *result, int row)
{
    const char *owner = hb_pg_get(result, row, "owner");
    const char *designation = hb_pg_get(result, row, "designation");
    const char *more = hb_pg_get(result, row, "more_owner_sql");

    object->owner_sql = g_strdup(hb_pg_get(result, row, "owner_sql"));
    if (owner == NULL || designation == NULL)
        return;
    object->owner = g_strdup(owner);
    object->owner_sql = g_strdup_printf("ALTER %s OWNER TO %s;%s%s", designation, owner, more != NULL ? "\n" : "",
                                        more != NULL ? more : "");
}

/* A definition that depends on the version of the server that will run it, resolved for the one it comes from */
static void set_definition(HbObject *object, const char *text, int version)
{
    g_autofree char *steady = text != NULL ? hb_pg_steady(text) : NULL;

    if (steady != NULL)
        text = steady;
    object->variants = hb_versions_read(text, hb_pg_get_mark());
    object->definition = g_strdup(
        object->variants != NULL ? hb_versions_find(object->variants, (guint)version)->definition : text);
}

/* What no server before a version can express at all */
static void set_first_version(HbObject *object, guint since, const char *why)
{
    if (object->variants == NULL) {
        object->variants = g_ptr_array_new_with_free_func((GDestroyNotify)hb_variant_free);
        g_ptr_array_add(object->variants, hb_variant_new(0, object->definition, NULL));
    }
    hb_versions_cut(object->variants, since, why);
}

static HbObject *object_from_row(const PGresult *result, int row, int version)
{
    const char *since = hb_pg_get(result, row, "since");
    const char *kind_name = hb_pg_get(result, row, "kind");
    const char *after = hb_pg_get(result, row, "after");
    const char *cost = hb_pg_get(result, row, "cost");
    HbKind kind;

    g_assert(hb_kind_find(kind_name, &kind));
    HbObject *object = hb_object_new(kind, hb_pg_get(result, row, "name"));
    if (since != NULL)
        set_first_version(object, (guint)g_ascii_strtoull(since, NULL, 10), hb_pg_get(result, row, "since_why"));
    object->on = g_strdup(hb_pg_get(result, row, "on_identity"));
    set_definition(object, hb_pg_get(result, row, "definition"), version);
    object->stand_in = g_strdup(hb_pg_get(result, row, "stand_in"));
    object->cost = cost != NULL ? g_ascii_strtoull(cost, NULL, 10) : 0;
    set_owner(object, result, row);
    if (object->on != NULL)
        hb_object_add_need(object, object->on);
    if (after != NULL) {
        g_assert(hb_after_find(after, &object->after));
        object->stage = HB_STAGE_COMPLETION;
    }
    return object;
}

static char *address_of(const PGresult *result, int row, const char *class_column, const char *object_column)
{
    return g_strdup_printf("%s:%s", hb_pg_get(result, row, class_column), hb_pg_get(result, row, object_column));
}

/* Without the data, large objects are not read, nor is what hangs on them */
static gboolean is_of_absent_large_object(Reader *reader, const char *needs)
{
    return needs != NULL && g_str_has_prefix(needs, "4:") && !g_hash_table_contains(reader->by_address, needs);
}

static gboolean add_object(Reader *reader, const PGresult *result, int row, GError **error)
{
    HbObject *object = object_from_row(result, row, reader->session->version);
    const char *designation = hb_pg_get(result, row, "designation");
    const char *needs = hb_pg_get(result, row, "needs");

    if (object->definition == NULL && object->kind != HB_KIND_ROWS) {
        hb_error_set(error, HB_ERROR_RETRY, "dump again, when no structure is being changed",
                     "%s went away, or changed, while it was read", object->identity);
        hb_object_free(object);
        return FALSE;
    }
    if (is_of_absent_large_object(reader, needs)) {
        hb_object_free(object);
        return TRUE;
    }
    if (!hb_catalog_add(reader->catalog, object, error))
        return FALSE;
    if (strcmp(hb_pg_get(result, row, "classid"), "0") != 0)
        g_hash_table_insert(reader->by_address, address_of(result, row, "classid", "objid"), object);
    if (designation != NULL)
        g_hash_table_insert(reader->designations, object, g_strdup(designation));
    if (needs != NULL && *needs != '\0')
        g_hash_table_insert(reader->pending, object, g_strdup(needs));
    return TRUE;
}

static gboolean read_objects(Reader *reader, const char *sql, GError **error)
{
    g_autoptr(HbResult) result = run(reader, sql, error);

    for (int row = 0; result != NULL && row < PQntuples(result); row++) {
        if (!add_object(reader, result, row, error))
            return FALSE;
    }
    return result != NULL;
}

/* ---- Rows ---- */

/* Columns come as length:name, one after the other, because a name may hold any separator */
static void read_columns(HbRowSet *set, const char *text)
{
    while (text != NULL && *text != '\0') {
        char *name;
        gsize length = strtoul(text, &name, 10);
        g_ptr_array_add(set->columns, g_strndup(name + 1, length));
        text = name + 1 + length;
    }
}

static gboolean read_rows(Reader *reader, GError **error)
{
    g_autoptr(HbResult) result = run(reader, hb_sql_rows, error);

    for (int row = 0; result != NULL && row < PQntuples(result); row++) {
        const char *extent = hb_pg_get(result, row, "extent");
        if (!add_object(reader, result, row, error))
            return FALSE;
        if (extent == NULL)
            continue;
        g_autofree char *identity = hb_identity_new(HB_KIND_ROWS, hb_pg_get(result, row, "name"));
        HbRowSet *set = hb_catalog_add_row_set(reader->catalog, identity, hb_pg_get(result, row, "name"));
        set->bytes = g_ascii_strtoull(hb_pg_get(result, row, "cost"), NULL, 10);
        set->extent = g_ascii_strtoull(extent, NULL, 10);
        set->condition = g_strdup(hb_pg_get(result, row, "condition"));
        read_columns(set, hb_pg_get(result, row, "columns"));
    }
    return result != NULL;
}

static gboolean add_sequence_value(Reader *reader, const PGresult *known, int row, const char *value, gboolean used,
                                   GError **error)
{
    HbObject *object = hb_object_new(HB_KIND_SEQUENCE_VALUE, hb_pg_get(known, row, "name"));
    g_autofree char *address = g_strdup_printf("1259:%s", hb_pg_get(known, row, "oid"));
    HbObject *sequence = g_hash_table_lookup(reader->by_address, address);

    object->definition = g_strdup_printf("SELECT pg_catalog.setval(%s, %s, %s);", hb_pg_get(known, row, "literal"),
                                         value, used ? "true" : "false");
    if (sequence != NULL)
        hb_object_add_need(object, sequence->identity);
    return hb_catalog_add(reader->catalog, object, error);
}

/* The unused sequences among known, from row `from` on; *from moves behind those that were read */
static gboolean read_unused(Reader *reader, const PGresult *known, int *from, GError **error)
{
    g_autoptr(GString) sql = g_string_new(NULL);
    g_autoptr(HbResult) states = NULL;

    for (int asked = 0; *from < PQntuples(known) && asked < SEQUENCES_PER_STATEMENT; (*from)++) {
        if (hb_pg_get(known, *from, "value") != NULL)
            continue;
        g_string_append_printf(sql, "%sSELECT %d AS row, last_value, is_called FROM %s", asked > 0 ? " UNION ALL " : "",
                               *from, hb_pg_get(known, *from, "name"));
        asked++;
    }
    if (sql->len == 0)
        return TRUE;
    states = hb_pg_query(reader->session, sql->str, error);
    for (int i = 0; states != NULL && i < PQntuples(states); i++) {
        if (!add_sequence_value(reader, known, atoi(hb_pg_get(states, i, "row")), hb_pg_get(states, i, "last_value"),
                                *hb_pg_get(states, i, "is_called") == 't', error))
            return FALSE;
    }
    return states != NULL;
}

static gboolean read_sequence_values(Reader *reader, GError **error)
{
    g_autoptr(HbResult) known = run(reader, hb_sql_sequence_values, error);

    if (known == NULL)
        return FALSE;
    for (int row = 0; row < PQntuples(known); row++) {
        const char *value = hb_pg_get(known, row, "value");
        if (value != NULL && !add_sequence_value(reader, known, row, value, TRUE, error))
            return FALSE;
    }
    for (int from = 0; from < PQntuples(known);) {
        if (!read_unused(reader, known, &from, error))
            return FALSE;
    }
    return TRUE;
}

/* ---- Large objects: by the page, and their bytes as one row set ---- */

static gboolean read_large_objects(Reader *reader, GError **error)
{
    g_autoptr(HbResult) size = NULL;
    HbObject *rows;
    HbRowSet *set;
    guint before = hb_catalog_count(reader->catalog);

    if (!read_objects(reader, hb_sql_large_objects, error))
        return FALSE;
    if (hb_catalog_count(reader->catalog) == before)
        return TRUE;
    size = hb_pg_query(reader->session, "SELECT pg_relation_size('pg_catalog.pg_largeobject') AS bytes", error);
    if (size == NULL)
        return FALSE;
    rows = hb_object_new(HB_KIND_ROWS, HB_PG_LARGE_OBJECTS);
    rows->cost = g_ascii_strtoull(hb_pg_get(size, 0, "bytes"), NULL, 10);
    for (guint i = before; i < hb_catalog_count(reader->catalog); i++) {
        if (hb_catalog_get(reader->catalog, i)->kind == HB_KIND_LARGE_OBJECTS)
            hb_object_add_need(rows, hb_catalog_get(reader->catalog, i)->identity);
    }
    set = hb_catalog_add_row_set(reader->catalog, rows->identity, HB_PG_LARGE_OBJECTS);
    hb_pg_describe_large_objects(set, rows->cost);
    return hb_catalog_add(reader->catalog, rows, error);
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

static HbObject *comment_from_row(Reader *reader, const PGresult *result, int row, HbObject *subject)
{
    const char *designation = hb_pg_get(result, row, "designation");
    const char *kind = hb_pg_get(result, row, "kind");
    g_autofree char *name =
        kind != NULL ? g_strdup_printf("%s %s", kind, hb_pg_get(result, row, "name")) : g_strdup(subject->identity);
    HbObject *comment =
        hb_object_new(hb_pg_get(result, row, "provider") != NULL ? HB_KIND_SECURITY_LABEL : HB_KIND_COMMENT, name);

    if (designation == NULL)
        designation = g_hash_table_lookup(reader->designations, subject);
    comment->definition = note_statement(result, row, designation);
    comment->on = g_strdup(subject->identity);
    hb_object_add_need(comment, subject->identity);
    return comment;
}

static gboolean read_comments(Reader *reader, GError **error)
{
    g_autoptr(HbResult) result = run(reader, hb_sql_comments, error);

    for (int row = 0; result != NULL && row < PQntuples(result); row++) {
        g_autofree char *address = address_of(result, row, "classid", "objid");
        HbObject *subject = g_hash_table_lookup(reader->by_address, address);
        if (subject == NULL ||
            (hb_pg_get(result, row, "designation") == NULL && !g_hash_table_contains(reader->designations, subject)))
            continue; /* on something that is not carried, and is named as such */
        if (!hb_catalog_add(reader->catalog, comment_from_row(reader, result, row, subject), error))
            return FALSE;
    }
    return result != NULL;
}

/* ---- Needs ---- */

static gboolean read_aliases(Reader *reader, GError **error)
{
    g_autoptr(HbResult) result = run(reader, hb_sql_aliases, error);
    gboolean found = result != NULL;

    /* An alias may stand for another alias, which then resolves in a later round */
    for (int round = 0; found && round < 3; round++) {
        found = FALSE;
        for (int row = 0; row < PQntuples(result); row++) {
            g_autofree char *address = address_of(result, row, "classid", "objid");
            g_autofree char *target = address_of(result, row, "target_classid", "target_objid");
            HbObject *object = g_hash_table_lookup(reader->by_address, target);
            if (object != NULL && !g_hash_table_contains(reader->by_address, address)) {
                g_hash_table_insert(reader->by_address, g_steal_pointer(&address), object);
                found = TRUE;
            }
        }
    }
    return result != NULL;
}

static gboolean read_dependencies(Reader *reader, GError **error)
{
    g_autoptr(HbResult) result = run(reader, hb_sql_dependencies, error);

    for (int row = 0; result != NULL && row < PQntuples(result); row++) {
        g_autofree char *from = address_of(result, row, "classid", "objid");
        g_autofree char *to = address_of(result, row, "refclassid", "refobjid");
        HbObject *object = g_hash_table_lookup(reader->by_address, from);
        HbObject *need = g_hash_table_lookup(reader->by_address, to);
        if (object != NULL && need != NULL)
            hb_object_add_need(object, need->identity);
    }
    return result != NULL;
}

static void resolve_pending(Reader *reader)
{
    GHashTableIter iter;
    gpointer object, text;

    g_hash_table_iter_init(&iter, reader->pending);
    while (g_hash_table_iter_next(&iter, &object, &text)) {
        g_auto(GStrv) addresses = g_strsplit(text, ",", -1);
        for (char **address = addresses; *address != NULL; address++) {
            HbObject *need = g_hash_table_lookup(reader->by_address, *address);
            if (need != NULL)
                hb_object_add_need(object, need->identity);
        }
    }
}

/*
 * An owner must have rights in the schema before an ordinary user can give him anything in it: so a schema's rights come
 * with the structure, before what another than the schema's owner owns there.
 */
static void put_schema_grants_first(Reader *reader)
{
    for (guint i = 0; i < hb_catalog_count(reader->catalog); i++) {
        HbObject *object = hb_catalog_get(reader->catalog, i);
        if (object->kind == HB_KIND_GRANT && g_str_has_prefix(hb_object_get_name(object), "schema "))
            object->stage = HB_STAGE_STRUCTURE;
    }
    for (guint i = 0; i < hb_catalog_count(reader->catalog); i++) {
        HbObject *object = hb_catalog_get(reader->catalog, i);
        for (guint n = 0; object->owner != NULL && n < object->needs->len; n++) {
            const HbObject *schema = hb_catalog_find(reader->catalog, object->needs->pdata[n]);
            if (schema == NULL || schema->kind != HB_KIND_SCHEMA || g_strcmp0(schema->owner, object->owner) == 0)
                continue;
            g_autofree char *grant = hb_identity_new(HB_KIND_GRANT, schema->identity);
            if (hb_catalog_find(reader->catalog, grant) != NULL)
                hb_object_add_need(object, grant);
        }
    }
}

/* What builds on a table's rows must read them: its cost is their size */
static void pass_on_costs(Reader *reader)
{
    for (guint i = 0; i < hb_catalog_count(reader->catalog); i++) {
        HbObject *object = hb_catalog_get(reader->catalog, i);
        const char *table = object->on != NULL ? strchr(object->on, ' ') : NULL;
        const HbObject *rows;
        if (table == NULL ||
            (object->kind != HB_KIND_KEY && object->kind != HB_KIND_INDEX && object->kind != HB_KIND_FOREIGN_KEY))
            continue;
        g_autofree char *identity = hb_identity_new(HB_KIND_ROWS, table + 1);
        rows = hb_catalog_find(reader->catalog, identity);
        object->cost = rows != NULL ? rows->cost : 0;
    }
}

/* ---- Users, settings, what is left out ---- */

static gboolean may_read_passwords(Reader *reader, gboolean *may, GError **error)
{
    g_autoptr(HbResult) result =
        hb_pg_query(reader->session, "SELECT has_table_privilege('pg_catalog.pg_authid', 'SELECT') AS may", error);

    *may = result != NULL && *hb_pg_get(result, 0, "may") == 't';
    return result != NULL;
}

/* Passwords of roles that the database does not need are passed over */
static gboolean add_password(Reader *reader, const PGresult *result, int row, GError **error)
{
    const char *role = hb_pg_get(result, row, "needs");

    return !g_hash_table_contains(reader->by_address, role) || add_object(reader, result, row, error);
}

static gboolean read_users(Reader *reader, GError **error)
{
    g_autoptr(HbResult) result = NULL;
    gboolean may;

    if (!read_objects(reader, hb_sql_roles, error) || !may_read_passwords(reader, &may, error))
        return FALSE;
    if (!may) {
        hb_catalog_set_unread(reader->catalog, HB_KIND_PASSWORD);
        hb_catalog_add_omission(reader->catalog, "passwords of roles",
                                "only a superuser may read their hashes; set new passwords on the target");
        return TRUE;
    }
    result = run(reader, hb_sql_passwords, error);
    for (int row = 0; result != NULL && row < PQntuples(result); row++) {
        if (!add_password(reader, result, row, error))
            return FALSE;
    }
    return result != NULL;
}

static gboolean read_properties(Reader *reader, GError **error)
{
    g_autoptr(HbResult) result = run(reader, hb_sql_database, error);

    for (int row = 0; result != NULL && row < PQntuples(result); row++)
        hb_catalog_set_property(reader->catalog, hb_pg_get(result, row, "name"), hb_pg_get(result, row, "value"));
    return result != NULL;
}

static gboolean read_omissions(Reader *reader, GError **error)
{
    g_autoptr(HbResult) result = run(reader, hb_sql_omissions, error);

    for (int row = 0; result != NULL && row < PQntuples(result); row++)
        hb_catalog_add_omission(reader->catalog, hb_pg_get(result, row, "what"), hb_pg_get(result, row, "why"));
    return result != NULL;
}

/* ---- The whole ---- */

/* How a subscription connects is for superusers only; others are told in omissions.sql */
static gboolean read_subscriptions(Reader *reader, GError **error)
{
    g_autoptr(HbResult) result = hb_pg_query(
        reader->session,
        "SELECT has_column_privilege('pg_catalog.pg_subscription', 'subconninfo', 'SELECT') AS may", error);

    return result != NULL &&
           (*hb_pg_get(result, 0, "may") == 'f' || read_objects(reader, hb_sql_subscriptions, error));
}

static gboolean read_schema(Reader *reader, GError **error)
{
    const char *const queries[] = {hb_sql_schemas, hb_sql_extensions, hb_sql_collations, hb_sql_types, hb_sql_languages, hb_sql_functions, hb_sql_aggregates, hb_sql_operators, hb_sql_text_search, hb_sql_foreign_data, hb_sql_sequences, hb_sql_sequence_links, hb_sql_tables, hb_sql_attachments, hb_sql_defaults, hb_sql_constraints, hb_sql_indexes, hb_sql_index_attachments, hb_sql_views, hb_sql_materialized_views, hb_sql_refreshes, hb_sql_rules, hb_sql_triggers, hb_sql_policies, hb_sql_oddments, hb_sql_publications, hb_sql_grants, hb_sql_default_grants};

    for (gsize i = 0; i < G_N_ELEMENTS(queries); i++) {
        if (!read_objects(reader, queries[i], error))
            return FALSE;
    }
    return read_subscriptions(reader, error);
}

static gboolean read_all(Reader *reader, guint parts, GError **error)
{
    if ((parts & HB_PART_DATA) && !read_large_objects(reader, error))
        return FALSE;
    if (!read_properties(reader, error) || !read_schema(reader, error) || !read_rows(reader, error) ||
        !read_aliases(reader, error) || !read_comments(reader, error) || !read_dependencies(reader, error))
        return FALSE;
    if ((parts & HB_PART_DATA) && !read_sequence_values(reader, error))
        return FALSE;
    if ((parts & HB_PART_USERS) && !read_users(reader, error))
        return FALSE;
    if ((parts & HB_PART_SETTINGS) && !read_objects(reader, hb_sql_database_settings, error))
        return FALSE;
    resolve_pending(reader);
    put_schema_grants_first(reader);
    pass_on_costs(reader);
    if ((parts & HB_PART_SCHEMA) && !read_omissions(reader, error))
        return FALSE;
    hb_catalog_keep_parts(reader->catalog, parts);
    return TRUE;
}

HbCatalog *hb_pg_read_catalog(HbSession *session, guint parts, GError **error)
{
    Reader reader;
    HbCatalog *catalog = NULL;

    reader_init(&reader, session);
    if (read_all(&reader, parts, error))
        catalog = g_steal_pointer(&reader.catalog);
    reader_clear(&reader);
    return catalog;
}

/* ---- A whole server: its users and tablespaces, and which databases it has ---- */

static gboolean read_server(Reader *reader, guint parts, GError **error)
{
    if (!hb_pg_execute(reader->session, "SET hornbeam.scope = 'server'", error))
        return FALSE;
    if ((parts & HB_PART_USERS) && !read_users(reader, error))
        return FALSE;
    if ((parts & HB_PART_SETTINGS) && !read_objects(reader, hb_sql_tablespaces, error))
        return FALSE;
    resolve_pending(reader);
    hb_catalog_keep_parts(reader->catalog, parts);
    return TRUE;
}

HbCatalog *hb_pg_read_server(HbSession *session, guint parts, GError **error)
{
    Reader reader;
    HbCatalog *catalog = NULL;

    reader_init(&reader, session);
    if (read_server(&reader, parts, error))
        catalog = g_steal_pointer(&reader.catalog);
    reader_clear(&reader);
    return catalog;
}

/* What a fresh server's database has, too */
static gboolean is_usual(const HbObject *object)
{
    static const char *const usual[] = {"schema public",           "extension plpgsql",
                                        "database-setting comment", "database-setting grants",
                                        "database-setting template", NULL};

    return object->kind == HB_KIND_DATABASE_OWNER || g_strv_contains(usual, object->identity);
}

/* Every server has these databases; they are of interest if somebody put something into them */
static gboolean is_used(const HbAddress *address, const char *name)
{
    HbAddress here = {address->uri, name, address->password};
    HbSession *session = hb_pg_open(&here, NULL);
    g_autoptr(HbCatalog) catalog =
        session != NULL ? hb_pg_read_catalog(session, HB_PART_SCHEMA | HB_PART_SETTINGS, NULL) : NULL;
    gboolean used = FALSE;

    for (guint i = 0; catalog != NULL && i < hb_catalog_count(catalog); i++)
        used = used || !is_usual(hb_catalog_get(catalog, i));
    hb_pg_close(session);
    return used;
}

GPtrArray *hb_pg_list_databases(HbSession *session, const HbAddress *address, GError **error)
{
    g_autoptr(HbResult) result = hb_pg_query(session,
                                             "SELECT datname, datname IN ('postgres', 'template1') FROM pg_database"
                                             " WHERE datallowconn AND datname <> 'template0'"
                                             " ORDER BY pg_database_size(oid) DESC, 1",
                                             error);
    GPtrArray *names;

    if (result == NULL)
        return NULL;
    names = g_ptr_array_new_with_free_func(g_free);
    for (int row = 0; row < PQntuples(result); row++) {
        const char *name = PQgetvalue(result, row, 0);
        if (*PQgetvalue(result, row, 1) == 'f' || is_used(address, name))
            g_ptr_array_add(names, g_strdup(name));
    }
    return names;
}
