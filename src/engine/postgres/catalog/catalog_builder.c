/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/catalog/catalog_builder.h"

#include "core/sql/lexer.h"
#include "engine/postgres/catalog/queries.h"
#include "engine/postgres/dialect/printing.h"
#include "sql.h"

#include <string.h>

/*
 * Rows of catalog queries become objects. All queries give the same columns, of which each uses some (see queries.h),
 * so one reader serves all kinds. Needs are kept as addresses (class and number, as the server's dependency records
 * have them) until all objects are there, and then looked up; what none of them meets is dropped.
 */

typedef struct {
    HbCatalogBuilder *builder;
    HbSession *session;
} Helper;

static void query_clear(gpointer data)
{
    HbQuery *query = data;

    PQclear(query->result);
    g_clear_error(&query->error);
}

void hb_catalog_builder_init(HbCatalogBuilder *builder, HbSession *session)
{
    builder->session = session;
    builder->queries = g_array_new(FALSE, TRUE, sizeof(HbQuery));
    g_array_set_clear_func(builder->queries, query_clear);
    builder->helpers = g_ptr_array_new();
    builder->over = FALSE;
    g_mutex_init(&builder->lock);
    g_cond_init(&builder->done);
    builder->catalog = hb_catalog_new();
    builder->by_address = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    builder->designations = g_hash_table_new_full(NULL, NULL, NULL, g_free);
    builder->pending = g_hash_table_new_full(NULL, NULL, NULL, g_free);
}

void hb_catalog_builder_clear(HbCatalogBuilder *builder)
{
    g_mutex_lock(&builder->lock);
    builder->over = TRUE;
    g_mutex_unlock(&builder->lock);
    for (guint i = 0; i < builder->helpers->len; i++)
        g_thread_join(builder->helpers->pdata[i]);
    g_ptr_array_unref(builder->helpers);
    g_array_unref(builder->queries);
    g_mutex_clear(&builder->lock);
    g_cond_clear(&builder->done);
    hb_catalog_free(builder->catalog);
    g_hash_table_unref(builder->by_address);
    g_hash_table_unref(builder->designations);
    g_hash_table_unref(builder->pending);
}

/* ---- Queries, several at a time if there are sessions for it ---- */

static void quote_new_words(PGresult *result, int column, gboolean is_name)
{
    for (int row = 0; column >= 0 && row < PQntuples(result); row++) {
        g_autofree char *text =
            PQgetisnull(result, row, column) ? NULL : hb_pg_quote_new_words(PQgetvalue(result, row, column), is_name);
        if (text != NULL)
            PQsetvalue(result, row, column, text, (int)strlen(text));
    }
}

/* Older servers print as a name what newer ones read as a key word */
static void write_as_newer(const HbSession *session, PGresult *result)
{
    static const char *const names[] = {"name", "on_identity", "designation"};
    static const char *const texts[] = {"definition", "stand_in", "owner_sql", "more_owner_sql"};

    if (session->version >= HB_PG_QUOTES_NEW_WORDS)
        return;
    for (gsize i = 0; i < G_N_ELEMENTS(names); i++)
        quote_new_words(result, PQfnumber(result, names[i]), TRUE);
    for (gsize i = 0; i < G_N_ELEMENTS(texts); i++)
        quote_new_words(result, PQfnumber(result, texts[i]), FALSE);
}

static HbResult *run_in(HbSession *session, const char *sql, GError **error)
{
    g_autofree char *fitted = hb_pg_fit_query(sql, session->version);
    HbResult *result = hb_pg_query(session, fitted, error);

    if (result == NULL) {
        const char *line_end = strchr(sql, '\n');
        g_autofree char *title = g_strndup(sql, (gsize)(line_end - sql));
        g_prefix_error(error, "reading the catalog of %s (%s): ", session->address,
                       g_str_has_prefix(title, "-- ") ? title + 3 : "objects");
        return NULL;
    }
    write_as_newer(session, result);
    return result;
}

/* With the lock held: the next query that no worker has begun; NULL if there is none */
static HbQuery *find_open(HbCatalogBuilder *builder)
{
    for (guint i = 0; i < builder->queries->len; i++) {
        HbQuery *query = &g_array_index(builder->queries, HbQuery, i);
        if (query->state == HB_QUERY_OPEN)
            return query;
    }
    return NULL;
}

/* With the lock held, which is let go while the server works */
static void run_query(HbCatalogBuilder *builder, HbSession *session, HbQuery *query)
{
    query->state = HB_QUERY_RUNNING;
    g_mutex_unlock(&builder->lock);
    query->result = run_in(session, query->sql, &query->error);
    g_mutex_lock(&builder->lock);
    query->state = HB_QUERY_DONE;
    g_cond_broadcast(&builder->done);
}

static gpointer help(gpointer data)
{
    Helper *helper = data;
    HbCatalogBuilder *builder = helper->builder;
    HbQuery *query;

    g_mutex_lock(&builder->lock);
    while (!builder->over && (query = find_open(builder)) != NULL)
        run_query(builder, helper->session, query);
    g_mutex_unlock(&builder->lock);
    g_free(helper);
    return NULL;
}

void hb_catalog_builder_begin(HbCatalogBuilder *builder, GPtrArray *sessions, const char *const *queries, guint count)
{
    for (guint i = 0; i < count; i++) {
        HbQuery query = {.sql = queries[i]};
        g_array_append_val(builder->queries, query);
    }
    for (guint i = 1; i < sessions->len; i++) {
        Helper *helper = g_new0(Helper, 1);
        *helper = (Helper){builder, sessions->pdata[i]};
        g_ptr_array_add(builder->helpers, g_thread_new("catalog", help, helper));
    }
}

static HbQuery *find_query(HbCatalogBuilder *builder, const char *sql)
{
    for (guint i = 0; i < builder->queries->len; i++) {
        if (g_array_index(builder->queries, HbQuery, i).sql == sql)
            return &g_array_index(builder->queries, HbQuery, i);
    }
    return NULL;
}

/* While another session answers this query, the own one answers another */
static HbResult *take(HbCatalogBuilder *builder, HbQuery *query, GError **error)
{
    g_mutex_lock(&builder->lock);
    if (query->state == HB_QUERY_OPEN)
        run_query(builder, builder->session, query);
    while (query->state != HB_QUERY_DONE) {
        HbQuery *other = find_open(builder);
        if (other != NULL)
            run_query(builder, builder->session, other);
        else
            g_cond_wait(&builder->done, &builder->lock);
    }
    g_mutex_unlock(&builder->lock);
    if (query->error != NULL)
        g_propagate_error(error, g_steal_pointer(&query->error));
    return g_steal_pointer(&query->result);
}

HbResult *hb_catalog_builder_run(HbCatalogBuilder *builder, const char *sql, GError **error)
{
    HbQuery *query = find_query(builder, sql);

    return query != NULL ? take(builder, query, error) : run_in(builder->session, sql, error);
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
    object->owner = hb_lexer_unquote_name(owner);
    object->owner_sql = g_strdup_printf("ALTER %s OWNER TO %s;%s%s", designation, owner, more != NULL ? "\n" : "",
                                        more != NULL ? more : "");
}

/* A definition that depends on the version of the server that will run it, resolved for the one it comes from */
static void set_definition(HbObject *object, const char *text, int version)
{
    g_autofree char *steady = text != NULL ? hb_pg_write_canonical(text) : NULL;

    if (steady != NULL)
        text = steady;
    object->wordings = hb_wordings_read(text, hb_pg_get_mark());
    object->definition =
        g_strdup(object->wordings != NULL ? hb_wordings_find(object->wordings, (guint)version)->definition : text);
}

/* What no server before a version, or from one on, can express at all */
static GPtrArray *need_variants(HbObject *object)
{
    if (object->wordings == NULL) {
        object->wordings = g_ptr_array_new_with_free_func((GDestroyNotify)hb_wording_free);
        g_ptr_array_add(object->wordings, hb_wording_new(0, object->definition, NULL));
    }
    return object->wordings;
}

static void cut_versions(HbObject *object, guint since, const char *why)
{
    hb_wordings_cut(need_variants(object), since, why);
}

void hb_catalog_builder_set_versions(HbObject *object, const PGresult *result, int row)
{
    const char *since = hb_pg_get(result, row, "since"), *until = hb_pg_get(result, row, "until");

    if (until != NULL)
        hb_wordings_end(need_variants(object), (guint)g_ascii_strtoull(until, NULL, 10),
                        hb_pg_get(result, row, "until_why"));
    if (since != NULL)
        cut_versions(object, (guint)g_ascii_strtoull(since, NULL, 10), hb_pg_get(result, row, "since_why"));
}

/* Where the query has not said it */
static void find_first_version(HbObject *object, const PGresult *result, int row)
{
    const char *what = NULL;
    const guint since = object->definition != NULL && hb_pg_get(result, row, "since") == NULL
                            ? hb_pg_find_first_version(object->definition, &what)
                            : 0;
    g_autofree char *why = since != 0 ? g_strdup_printf("it uses %s", what) : NULL;

    if (since != 0)
        cut_versions(object, since, why);
}

/* What answers us may be anything */
static gboolean is_row_of_object(const PGresult *result, int row, HbKind *kind)
{
    static const char *const needed[] = {"kind", "name", "classid", "objid"};
    const char *after = hb_pg_get(result, row, "after");
    HbAfter stage;

    for (gsize i = 0; i < G_N_ELEMENTS(needed); i++) {
        if (hb_pg_get(result, row, needed[i]) == NULL)
            return FALSE;
    }
    return hb_kind_find(hb_pg_get(result, row, "kind"), kind) && (after == NULL || hb_after_find(after, &stage));
}

/* NULL if it is no row of an object */
static HbObject *object_from_row(const PGresult *result, int row, int version)
{
    const char *after = hb_pg_get(result, row, "after");
    const char *cost = hb_pg_get(result, row, "cost");
    HbObject *object;
    HbKind kind;

    if (!is_row_of_object(result, row, &kind))
        return NULL;
    object = hb_object_new(kind, hb_pg_get(result, row, "name"));
    object->on = g_strdup(hb_pg_get(result, row, "on_identity"));
    set_definition(object, hb_pg_get(result, row, "definition"), version);
    hb_catalog_builder_set_versions(object, result, row);
    find_first_version(object, result, row);
    object->stand_in = g_strdup(hb_pg_get(result, row, "stand_in"));
    object->cost = cost != NULL ? g_ascii_strtoull(cost, NULL, 10) : 0;
    set_owner(object, result, row);
    if (object->on != NULL)
        hb_object_add_need(object, object->on);
    if (after != NULL) {
        hb_after_find(after, &object->after);
        object->stage = HB_STAGE_COMPLETION;
    }
    return object;
}

char *hb_catalog_builder_address(const PGresult *result, int row, const char *class_column, const char *object_column)
{
    return g_strdup_printf("%s:%s", hb_pg_get(result, row, class_column), hb_pg_get(result, row, object_column));
}

/* Without the data, large objects are not read, nor is what hangs on them */
static gboolean is_of_absent_large_object(HbCatalogBuilder *builder, const char *needs)
{
    return needs != NULL && g_str_has_prefix(needs, "4:") && !g_hash_table_contains(builder->by_address, needs);
}

gboolean hb_catalog_builder_add(HbCatalogBuilder *builder, const PGresult *result, int row, GError **error)
{
    HbObject *object = object_from_row(result, row, builder->session->version);
    const char *designation = hb_pg_get(result, row, "designation");
    const char *needs = hb_pg_get(result, row, "needs");

    if (object == NULL)
        return hb_error_set(error, HB_ERROR_STATEMENT, "see whether this is a PostgreSQL server",
                            "what the server says of its objects cannot be read");
    if (object->definition == NULL && object->kind != HB_KIND_ROWS) {
        hb_error_set(error, HB_ERROR_RETRY, "dump again, when no structure is being changed",
                     "%s went away, or changed, while it was read", object->identity);
        hb_object_free(object);
        return FALSE;
    }
    if (is_of_absent_large_object(builder, needs)) {
        hb_object_free(object);
        return TRUE;
    }
    if (!hb_catalog_add(builder->catalog, object, error))
        return FALSE;
    if (strcmp(hb_pg_get(result, row, "classid"), "0") != 0)
        g_hash_table_insert(builder->by_address, hb_catalog_builder_address(result, row, "classid", "objid"), object);
    if (designation != NULL)
        g_hash_table_insert(builder->designations, object, g_strdup(designation));
    if (needs != NULL && *needs != '\0')
        g_hash_table_insert(builder->pending, object, g_strdup(needs));
    return TRUE;
}

gboolean hb_catalog_builder_read(HbCatalogBuilder *builder, const char *sql, GError **error)
{
    g_autoptr(HbResult) result = hb_catalog_builder_run(builder, sql, error);

    for (int row = 0; result != NULL && row < PQntuples(result); row++) {
        if (!hb_catalog_builder_add(builder, result, row, error))
            return FALSE;
    }
    return result != NULL;
}

/* ---- Needs ---- */

gboolean hb_catalog_builder_read_aliases(HbCatalogBuilder *builder, GError **error)
{
    g_autoptr(HbResult) result = hb_catalog_builder_run(builder, hb_sql_aliases, error);
    gboolean found = result != NULL;

    /* An alias may stand for another alias, which then resolves in a later round */
    for (int round = 0; found && round < 3; round++) {
        found = FALSE;
        for (int row = 0; row < PQntuples(result); row++) {
            g_autofree char *address = hb_catalog_builder_address(result, row, "classid", "objid");
            g_autofree char *target = hb_catalog_builder_address(result, row, "target_classid", "target_objid");
            HbObject *object = g_hash_table_lookup(builder->by_address, target);
            if (object != NULL && !g_hash_table_contains(builder->by_address, address)) {
                g_hash_table_insert(builder->by_address, g_steal_pointer(&address), object);
                found = TRUE;
            }
        }
    }
    return result != NULL;
}

gboolean hb_catalog_builder_read_dependencies(HbCatalogBuilder *builder, GError **error)
{
    g_autoptr(HbResult) result = hb_catalog_builder_run(builder, hb_sql_dependencies, error);

    for (int row = 0; result != NULL && row < PQntuples(result); row++) {
        g_autofree char *from = hb_catalog_builder_address(result, row, "classid", "objid");
        g_autofree char *to = hb_catalog_builder_address(result, row, "refclassid", "refobjid");
        HbObject *object = g_hash_table_lookup(builder->by_address, from);
        HbObject *need = g_hash_table_lookup(builder->by_address, to);
        if (object != NULL && need != NULL)
            hb_object_add_need(object, need->identity);
    }
    return result != NULL;
}

void hb_catalog_builder_resolve(HbCatalogBuilder *builder)
{
    GHashTableIter iter;
    gpointer object, text;

    g_hash_table_iter_init(&iter, builder->pending);
    while (g_hash_table_iter_next(&iter, &object, &text)) {
        g_auto(GStrv) addresses = g_strsplit(text, ",", -1);
        for (char **address = addresses; *address != NULL; address++) {
            HbObject *need = g_hash_table_lookup(builder->by_address, *address);
            if (need != NULL)
                hb_object_add_need(object, need->identity);
        }
    }
}

gboolean hb_catalog_builder_read_omissions(HbCatalogBuilder *builder, const char *sql, GError **error)
{
    g_autoptr(HbResult) result = hb_catalog_builder_run(builder, sql, error);

    for (int row = 0; result != NULL && row < PQntuples(result); row++)
        hb_catalog_add_omission(builder->catalog, hb_pg_get(result, row, "what"), hb_pg_get(result, row, "why"));
    return result != NULL;
}
