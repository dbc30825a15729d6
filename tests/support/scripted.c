/* SPDX-License-Identifier: Apache-2.0 */
#include "support/scripted.h"

#include "support/check.h"

#include <string.h>

#define PIECE_ROWS 100

struct HbSession {
    gboolean is_target;
    gboolean is_joined;
    gint interrupted; /* atomic */
};

typedef struct {
    guint at, times, passed;
    HbErrorCode code;
} Failure;

static struct {
    GMutex lock; /* guards everything */
    char *lines;
    guint rows_each;
    Failure failures[SCRIPTED_POINTS];
    char *bad_statement;
    HbErrorCode bad_code;
    GPtrArray *run;      /* char * */
    GPtrArray *keys;     /* char *: of run, same index */
    guint forgets;       /* steps that are undone when a connection is lost at a step: the server crashed */
    GHashTable *loaded;  /* table to row count */
    GHashTable *journal; /* key to note; NULL without one */
    char *dump_id;
    gboolean exists;
    char *content;
    char *role; /* that is there already */
    char *origin;
    guint sessions;
    const ScriptedHolder *holders; /* who are not seen yet */
    guint holder_count;
    GHashTable *names; /* of locks on steps: to the sessions that have them */
} it;

static const char *const schemes[] = {"scripted", NULL};

/* ---- Control ---- */

void scripted_reset(const char *lines, guint rows_each)
{
    g_free(it.lines);
    g_free(it.bad_statement);
    g_free(it.dump_id);
    g_free(it.content);
    g_free(it.role);
    g_free(it.origin);
    g_clear_pointer(&it.run, g_ptr_array_unref);
    g_clear_pointer(&it.keys, g_ptr_array_unref);
    g_clear_pointer(&it.loaded, g_hash_table_unref);
    g_clear_pointer(&it.journal, g_hash_table_unref);
    g_clear_pointer(&it.names, g_hash_table_unref);
    memset(&it, 0, sizeof it);
    g_mutex_init(&it.lock);
    it.lines = g_strdup(lines);
    it.rows_each = rows_each;
    it.run = g_ptr_array_new_with_free_func(g_free);
    it.keys = g_ptr_array_new_with_free_func(g_free);
    it.loaded = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
}

void scripted_fail(ScriptedPoint point, guint at, guint times, HbErrorCode code)
{
    it.failures[point] = (Failure){at, times, 0, code};
}

void scripted_fail_statement(const char *part, HbErrorCode code)
{
    g_free(it.bad_statement);
    it.bad_statement = g_strdup(part);
    it.bad_code = code;
}

void scripted_forget(guint steps)
{
    it.forgets = steps;
}

void scripted_set_role(const char *name)
{
    it.role = g_strdup(name);
}

void scripted_set_target(gboolean exists, const char *content)
{
    it.exists = exists;
    it.content = g_strdup(content);
}

void scripted_set_holders(const ScriptedHolder *holders, guint count)
{
    it.holders = holders;
    it.holder_count = count;
}

char *scripted_get_run(void)
{
    GString *text = g_string_new(NULL);

    for (guint i = 0; i < it.run->len; i++)
        g_string_append_printf(text, "%s\n", (char *)it.run->pdata[i]);
    return g_string_free(text, FALSE);
}

guint scripted_count_loaded(const char *table)
{
    return GPOINTER_TO_UINT(g_hash_table_lookup(it.loaded, table));
}

gboolean scripted_has_journal(void)
{
    return it.journal != NULL;
}

guint scripted_count_sessions(void)
{
    return it.sessions;
}

/* With the lock held */
static gboolean pass(ScriptedPoint point, GError **error)
{
    Failure *failure = &it.failures[point];

    failure->passed++;
    if (failure->at == 0 || failure->passed < failure->at || failure->passed >= failure->at + failure->times)
        return TRUE;
    return hb_error_set(error, failure->code, "as the script says", "scripted failure %d", point);
}

static gboolean pass_locked(ScriptedPoint point, GError **error)
{
    gboolean ok;

    g_mutex_lock(&it.lock);
    ok = pass(point, error);
    g_mutex_unlock(&it.lock);
    return ok;
}

/* ---- Sessions ---- */

static gboolean check_uri(const char *uri, GError **error)
{
    return g_str_has_prefix(uri, "scripted://") || hb_error_set(error, HB_ERROR_USAGE, NULL, "not scripted");
}

static char *get_database(const char *uri)
{
    const char *slash = strrchr(uri, '/');

    return slash > uri + strlen("scripted://") && slash[1] != '\0' ? g_strdup(slash + 1) : NULL;
}

static char *describe_library(void)
{
    return g_strdup("none");
}

static char *display(const HbAddress *address)
{
    return g_strdup(address->uri);
}

static HbSession *open_session(const HbAddress *address, GError **error)
{
    HbSession *session;

    if (!pass_locked(SCRIPTED_OPEN, error))
        return NULL;
    session = g_new0(HbSession, 1);
    session->is_target = strstr(address->uri, "//target") != NULL;
    g_mutex_lock(&it.lock);
    it.sessions++;
    g_mutex_unlock(&it.lock);
    return session;
}

static gboolean has_name(gpointer name, gpointer owner, gpointer session)
{
    (void)name;
    return owner == session;
}

static void close_session(HbSession *session)
{
    if (session == NULL)
        return;
    g_mutex_lock(&it.lock);
    it.sessions--;
    if (it.names != NULL)
        g_hash_table_foreach_remove(it.names, has_name, session);
    g_mutex_unlock(&it.lock);
    g_free(session);
}

static void interrupt(HbSession *session)
{
    g_atomic_int_set(&session->interrupted, TRUE);
}

static gboolean needs_password(const HbAddress *address)
{
    (void)address;
    return FALSE;
}

static gboolean describe(HbSession *session, HbServerInfo *info, GError **error)
{
    (void)error;
    *info = (HbServerInfo){.product = g_strdup("Scripted"),
                           .version = g_strdup("1.0"),
                           .version_number = 1,
                           .address = g_strdup(session->is_target ? "target" : "source"),
                           .database = g_strdup("vale"),
                           .database_quoted = g_strdup("vale"),
                           .user = g_strdup("tester")};
    return TRUE;
}

/* ---- Looking ---- */

static GPtrArray *survey(HbSession *session, gboolean whole_server, GError **error)
{
    (void)session;
    (void)whole_server;
    (void)error;
    return g_ptr_array_new_with_free_func((GDestroyNotify)hb_result_table_free);
}

static void add_row_sets(HbCatalog *catalog, guint rows)
{
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        HbRowSet *set;
        if (object->kind != HB_KIND_ROWS)
            continue;
        set = hb_catalog_add_row_set(catalog, object->identity, hb_object_get_name(object));
        g_ptr_array_add(set->columns, g_strdup("n"));
        g_ptr_array_add(set->columns, g_strdup("label"));
        set->split_extent = rows;
        set->bytes = (guint64)rows * 1024 * 1024;
    }
}

static HbCatalog *read_catalog(GPtrArray *sessions, guint parts, GError **error)
{
    const HbSession *session = sessions->pdata[0];
    HbCatalog *catalog;

    if (!pass_locked(SCRIPTED_CATALOG, error))
        return NULL;
    catalog = check_read_catalog(session->is_target ? "" : it.lines);
    add_row_sets(catalog, it.rows_each);
    hb_catalog_set_property(catalog, "colour", "green");
    hb_catalog_keep_parts(catalog, parts);
    return catalog;
}

static gboolean begin_snapshot(HbSession *session, guint lock_wait_ms, HbSnapshot *snapshot, HbRemark remark,
                               gpointer data, GError **error)
{
    (void)session;
    (void)lock_wait_ms;
    (void)remark;
    (void)data;
    (void)error;
    snapshot->token = g_strdup("now");
    snapshot->time = g_strdup("2026-01-01T00:00:00Z");
    return TRUE;
}

static gboolean join_snapshot(HbSession *session, const HbSnapshot *snapshot, GError **error)
{
    session->is_joined = strcmp(snapshot->token, "now") == 0;
    return session->is_joined || hb_error_set(error, HB_ERROR_STATEMENT, NULL, "no such snapshot");
}

static gboolean seal_snapshot(HbSession *session, HbSnapshot *snapshot, GError **error)
{
    (void)session;
    (void)snapshot;
    (void)error;
    return TRUE;
}

static gboolean end_snapshot(HbSession *session, GError **error)
{
    (void)session;
    (void)error;
    return TRUE;
}

/* ---- Rows: "N<tab>TABLE row N" ---- */

static GArray *split_rows(HbSession *session, const HbRowSet *set, guint64 bytes)
{
    GArray *ranges = hb_ranges_new();

    (void)session;
    (void)bytes;
    for (guint64 first = 0; first == 0 || first < set->split_extent; first += PIECE_ROWS) {
        HbRange range = {.first = first,
                         .end = first + PIECE_ROWS < set->split_extent ? first + PIECE_ROWS : G_MAXUINT64,
                         .bytes = 1000};
        g_array_append_val(ranges, range);
    }
    return ranges;
}

static gboolean read_rows(HbSession *session, const HbRowSet *set, const HbRange *range, HbRowSink sink, gpointer data,
                          GError **error)
{
    guint64 count = session->is_target ? scripted_count_loaded(set->table) : it.rows_each;

    for (guint64 n = range->first; n < MIN(range->end, count); n++) {
        g_autofree char *row =
            g_strdup_printf("%" G_GUINT64_FORMAT "\t%s row %" G_GUINT64_FORMAT "\n", n, set->table, n);
        if (g_atomic_int_get(&session->interrupted))
            return hb_error_set(error, HB_ERROR_CANCELLED, NULL, "interrupted");
        if (!pass_locked(SCRIPTED_READ, error) || !sink(data, row, strlen(row), error))
            return FALSE;
    }
    return TRUE;
}

/* ---- The target ---- */

static gboolean find_target(const HbAddress *address, HbServerInfo *info, gboolean *exists, GError **error)
{
    HbSession *session = open_session(address, error);

    if (session == NULL)
        return FALSE;
    *exists = it.exists;
    describe(session, info, error);
    close_session(session);
    return TRUE;
}

static gboolean create_database(const HbAddress *address, GHashTable *properties, gboolean *created, GError **error)
{
    (void)address;
    (void)error;
    assert_string_equal(g_hash_table_lookup(properties, "colour"), "green");
    *created = !it.exists;
    it.exists = TRUE;
    return TRUE;
}

static gboolean find_content(HbSession *session, char **example, GError **error)
{
    (void)session;
    (void)error;
    *example = g_strdup(it.content);
    return TRUE;
}

static gboolean find_journal(HbSession *session, char **dump_id, GError **error)
{
    (void)session;
    (void)error;
    *dump_id = it.journal != NULL ? g_strdup(it.dump_id) : NULL;
    return TRUE;
}

static gboolean begin_journal(HbSession *session, const char *dump_id, GError **error)
{
    (void)session;
    (void)error;
    it.journal = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    it.dump_id = g_strdup(dump_id);
    return TRUE;
}

static GHashTable *read_journal(HbSession *session, GError **error)
{
    GHashTable *copy = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    GHashTableIter iter;
    gpointer key, note;

    (void)session;
    (void)error;
    g_mutex_lock(&it.lock);
    g_hash_table_iter_init(&iter, it.journal);
    while (g_hash_table_iter_next(&iter, &key, &note))
        g_hash_table_insert(copy, g_strdup(key), g_strdup(note));
    g_mutex_unlock(&it.lock);
    return copy;
}

static gboolean read_origin(HbSession *session, char **text, GError **error)
{
    (void)session;
    (void)error;
    *text = g_strdup(it.origin);
    return TRUE;
}

static gboolean write_origin(HbSession *session, const char *text, GError **error)
{
    (void)session;
    (void)error;
    g_free(it.origin);
    it.origin = g_strdup(text);
    return TRUE;
}

static gboolean drop_origin(HbSession *session, GError **error)
{
    return write_origin(session, NULL, error);
}

static gboolean find_role(HbSession *session, const char *name, gboolean *found, GError **error)
{
    (void)session;
    (void)error;
    *found = g_strcmp0(name, it.role) == 0;
    return TRUE;
}

static gboolean is_unlogged(const HbObject *table)
{
    return strstr(table->identity, "volatile") != NULL;
}

static gboolean forget_steps(HbSession *session, const char *prefix, GError **error)
{
    GHashTableIter iter;
    gpointer key;

    (void)session, (void)error;
    g_mutex_lock(&it.lock);
    g_hash_table_iter_init(&iter, it.journal);
    while (g_hash_table_iter_next(&iter, &key, NULL)) {
        if (g_str_has_prefix(key, prefix))
            g_hash_table_iter_remove(&iter);
    }
    g_mutex_unlock(&it.lock);
    return TRUE;
}

static gboolean settle_journal(HbSession *session, GError **error)
{
    (void)session, (void)error;
    return TRUE;
}

static gboolean end_journal(HbSession *session, GError **error)
{
    (void)session;
    (void)error;
    g_clear_pointer(&it.journal, g_hash_table_unref);
    return TRUE;
}

/* With the lock held. Nothing may be done twice: that is what the journal is for */
static gboolean is_new(const char *key, GError **error)
{
    return !g_hash_table_contains(it.journal, key) || hb_error_set(error, HB_ERROR_ALREADY_DONE, NULL, "it is done");
}

static gboolean commit(const char *key, const char *note, GError **error)
{
    g_hash_table_insert(it.journal, g_strdup(key), g_strdup(note));
    return pass(SCRIPTED_COMMIT, error);
}

static gboolean crash(void)
{
    for (; it.forgets > 0 && it.run->len > 0; it.forgets--) {
        g_hash_table_remove(it.journal, it.keys->pdata[it.keys->len - 1]);
        g_ptr_array_set_size(it.run, (int)it.run->len - 1);
        g_ptr_array_set_size(it.keys, (int)it.keys->len - 1);
    }
    return FALSE;
}

static gboolean run_locked(const char *sql, const char *key, const char *note, GError **error)
{
    if (!pass(SCRIPTED_STEP, error))
        return crash();
    if (!is_new(key, error))
        return FALSE;
    if (sql != NULL && it.bad_statement != NULL && strstr(sql, it.bad_statement) != NULL)
        return hb_error_set(error, it.bad_code, NULL, "the statement is bad");
    if (sql != NULL && g_str_has_prefix(sql, "create ") &&
        g_ptr_array_find_with_equal_func(it.run, sql, g_str_equal, NULL))
        return hb_error_set(error, HB_ERROR_EXISTS, NULL, "it is there already");
    if (sql != NULL) {
        g_ptr_array_add(it.run, g_strdup(sql));
        g_ptr_array_add(it.keys, g_strdup(key));
    }
    return commit(key, note != NULL ? note : "", error);
}

static gboolean run_step(HbSession *session, const char *sql, const char *key, const char *note, GError **error)
{
    gboolean ok;

    if (g_atomic_int_get(&session->interrupted))
        return hb_error_set(error, HB_ERROR_CANCELLED, NULL, "interrupted");
    g_mutex_lock(&it.lock);
    ok = run_locked(sql, key, note, error);
    g_mutex_unlock(&it.lock);
    return ok;
}

static gboolean write_rows(HbSession *session, const HbRowSet *set, HbRowSource source, gpointer data,
                           const HbJournalEntry *entry, GError **error)
{
    const char *bytes;
    guint rows = 0;
    gsize length;
    gboolean ok;

    do {
        if (g_atomic_int_get(&session->interrupted))
            return hb_error_set(error, HB_ERROR_CANCELLED, NULL, "interrupted");
        if (!pass_locked(SCRIPTED_WRITE, error) || !source(data, &bytes, &length, error))
            return FALSE;
        for (gsize i = 0; i < length; i++)
            rows += bytes[i] == '\n';
    } while (length > 0);
    g_mutex_lock(&it.lock);
    ok = is_new(entry->key, error);
    if (ok) {
        rows += scripted_count_loaded(set->table);
        g_hash_table_insert(it.loaded, g_strdup(set->table), GUINT_TO_POINTER(rows));
        ok = commit(entry->key, entry->note != NULL ? entry->note : "", error);
    }
    g_mutex_unlock(&it.lock);
    return ok;
}

static guint read_version(const char *text)
{
    return (guint)strtoul(text, NULL, 10);
}

static gboolean fit_target(const HbAddress *address, HbTargetState state, guint written_for, HbCatalog *catalog,
                           GError **error)
{
    (void)written_for;
    (void)address, (void)state, (void)catalog, (void)error;
    return TRUE;
}

static gboolean preflight(const HbAddress *address, const HbRestorePreview *preview, GPtrArray *findings,
                          GError **error)
{
    (void)address, (void)preview, (void)findings, (void)error;
    return TRUE;
}

static HbCatalog *read_server(HbSession *session, guint parts, GError **error)
{
    (void)session, (void)parts, (void)error;
    return hb_catalog_new();
}

static char *make_password_sql(HbSession *session, const HbObject *role, const char *password, GError **error)
{
    (void)session, (void)error;
    return g_strdup_printf("password %s %s", role->identity, password);
}

static void drop_snapshot(HbSession *session)
{
    (void)session;
}

static gboolean check_structure(HbSession *session, GError **error)
{
    (void)session, (void)error;
    return TRUE;
}

static gboolean reads_same(HbSession *session, const HbObject *other, const HbObject *own)
{
    (void)session, (void)other, (void)own;
    return FALSE;
}

static char *join_definitions(const char *one, const char *other)
{
    if (!g_str_has_prefix(one, "create index ") || !g_str_has_prefix(other, "create index "))
        return NULL;
    return g_strdup_printf("%s %s", one, other);
}

static char *rename_nothing(const HbObject *object, const char *sql, HbRename *rename)
{
    (void)object;
    (void)sql;
    (void)rename;
    return NULL;
}

static char *rename_identity(const char *identity, const HbRename *rename)
{
    (void)identity, (void)rename;
    return NULL;
}

static char *get_analyze_sql(const char *table)
{
    return g_strdup_printf("analyze %s;", table);
}

static guint64 get_id(const HbSession *session)
{
    return (guint64)(gsize)session;
}

static gboolean claim(HbSession *session, gboolean of_server, HbPeer *holder, GError **error)
{
    (void)session;
    (void)of_server;
    (void)error;
    *holder = (HbPeer){0};
    g_mutex_lock(&it.lock);
    if (it.holder_count > 0) {
        *holder = (HbPeer){it.holders->id, g_strdup("somebody"), it.holders->silent_s};
        it.holders++;
        it.holder_count--;
    }
    g_mutex_unlock(&it.lock);
    return TRUE;
}

static gboolean join_hold(HbSession *session, HbPeer *holder, GError **error)
{
    return claim(session, FALSE, holder, error);
}

static gboolean leave_hold(HbSession *session, GError **error)
{
    (void)session;
    (void)error;
    return TRUE;
}

static gboolean serve(HbSession *session, GError **error)
{
    (void)session;
    return pass(SCRIPTED_SERVE, error);
}

static gboolean ask_holder(HbSession *session, GError **error)
{
    (void)session;
    (void)error;
    return TRUE;
}

static gboolean is_asked(HbSession *session, gboolean *asked, GError **error)
{
    (void)session;
    (void)error;
    *asked = FALSE;
    return TRUE;
}

static gboolean end_lost(HbSession *session, const GArray *alive, guint *ended, GError **error)
{
    (void)session;
    (void)alive;
    (void)error;
    *ended = 0;
    return TRUE;
}

static gboolean lock_name(HbSession *session, const char *name, gboolean *taken, GError **error)
{
    (void)error;
    g_mutex_lock(&it.lock);
    if (it.names == NULL)
        it.names = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    *taken = !g_hash_table_contains(it.names, name) || g_hash_table_lookup(it.names, name) == session;
    if (*taken)
        g_hash_table_insert(it.names, g_strdup(name), session);
    g_mutex_unlock(&it.lock);
    return TRUE;
}

static gboolean unlock_name(HbSession *session, const char *name, GError **error)
{
    (void)session;
    (void)error;
    g_mutex_lock(&it.lock);
    g_hash_table_remove(it.names, name);
    g_mutex_unlock(&it.lock);
    return TRUE;
}

static gboolean is_name_locked(HbSession *session, const char *name, gboolean *locked, GError **error)
{
    (void)session;
    (void)error;
    g_mutex_lock(&it.lock);
    *locked = it.names != NULL && g_hash_table_contains(it.names, name);
    g_mutex_unlock(&it.lock);
    return TRUE;
}

static gboolean find_wait(HbSession *session, const GArray *ids, char **wait, GError **error)
{
    (void)session;
    (void)ids;
    (void)error;
    *wait = NULL;
    return TRUE;
}

static char *hide_nothing(const char *sql)
{
    return g_strdup(sql);
}

static gboolean answer_no(const char *text)
{
    (void)text;
    return FALSE;
}

static gboolean describes_database(const HbObject *setting)
{
    (void)setting;
    return FALSE;
}

static GPtrArray *list_owner(const HbObject *object)
{
    GPtrArray *names = g_ptr_array_new_with_free_func(g_free);

    if (object->owner != NULL)
        g_ptr_array_add(names, g_strdup(object->owner));
    return names;
}

static const HbDialect dialect = {
    .rules = &hb_lexer_plain,
    .insert_override = "",
    .preamble = "",
    .read_version = read_version,
    .is_unlogged = is_unlogged,
    .join_definitions = join_definitions,
    .rename = rename_nothing,
    .rename_identity = rename_identity,
    .make_analyze_sql = get_analyze_sql,
    .hide_secrets = hide_nothing,
    .demands_value = answer_no,
    .makes_key = answer_no,
    .list_role_mentions = list_owner,
    .describes_database = describes_database,
};

static const HbConnector connector = {
    .schemes = schemes,
    .check_uri = check_uri,
    .describe_library = describe_library,
    .display = display,
    .get_database = get_database,
    .open = open_session,
    .close = close_session,
    .interrupt = interrupt,
    .cut = interrupt,
    .needs_password = needs_password,
    .describe = describe,
    .get_id = get_id,
    .find_wait = find_wait,
    .lock_name = lock_name,
    .unlock_name = unlock_name,
    .is_name_locked = is_name_locked,
};

static const HbSource source = {
    .survey = survey,
    .read_catalog = read_catalog,
    .begin_snapshot = begin_snapshot,
    .drop_snapshot = drop_snapshot,
    .check_structure = check_structure,
    .join_snapshot = join_snapshot,
    .seal_snapshot = seal_snapshot,
    .end_snapshot = end_snapshot,
    .split_rows = split_rows,
    .read_rows = read_rows,
    .read_server = read_server,
    .reads_same = reads_same,
};

static const HbTarget target = {
    .claim = claim,
    .join = join_hold,
    .leave = leave_hold,
    .serve = serve,
    .end_lost = end_lost,
    .ask_holder = ask_holder,
    .is_asked = is_asked,
    .find = find_target,
    .create_database = create_database,
    .find_content = find_content,
    .make_password_sql = make_password_sql,
    .fit = fit_target,
    .preflight = preflight,
    .read_origin = read_origin,
    .write_origin = write_origin,
    .drop_origin = drop_origin,
    .find_role = find_role,
};

static gboolean take_steps(HbSession *session, const GPtrArray *held, const GPtrArray *keys, HbStepClaim *states,
                           GError **error)
{
    for (guint i = 0; i < held->len; i++)
        unlock_name(session, held->pdata[i], error);
    for (guint i = 0; i < keys->len; i++) {
        gboolean taken;
        lock_name(session, keys->pdata[i], &taken, error);
        g_mutex_lock(&it.lock);
        states[i] = !taken                                              ? HB_CLAIM_ELSEWHERE
                    : g_hash_table_contains(it.journal, keys->pdata[i]) ? HB_CLAIM_NOTED
                                                                        : HB_CLAIM_OURS;
        g_mutex_unlock(&it.lock);
    }
    return TRUE;
}

static const HbJournal journal = {
    .find = find_journal,
    .begin = begin_journal,
    .read = read_journal,
    .take_steps = take_steps,
    .forget_steps = forget_steps,
    .settle = settle_journal,
    .end = end_journal,
    .run_step = run_step,
    .write_rows = write_rows,
};

const HbEngine scripted_engine = {
    .name = "scripted",
    .traits = {.analyze_from_rows = 1},
    .dialect = &dialect,
    .connector = &connector,
    .source = &source,
    .target = &target,
    .journal = &journal,
};
