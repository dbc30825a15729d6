/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/target/preflight_inner.h"

#include "engine/postgres/catalog/queries.h"
#include "engine/postgres/target/target_fit.h"

#include <string.h>

/* A query whose rows are findings: object, what, sql (NULL: no statement mends it) */
typedef struct {
    HbFindingLevel level;
    const char *name;
    const char *sql;
    const char *todo;
    gboolean in_database; /* about the database, and so only where there is one */
} Question;

static const Question questions[] = {
    /* The end of a restore waits until all commits are safe. Without the right to see the standbys none is counted */
    {HB_FINDING_BLOCKER, "standby-missing",
     "SELECT 'server' AS object, format('commits only when a synchronous standby confirms it"
     " (synchronous_standby_names is %L), and none is connected: the restore would wait for ever', s.names) AS what,"
     " 'ALTER SYSTEM SET synchronous_standby_names = ''''; SELECT pg_reload_conf();' AS sql"
     " FROM (SELECT current_setting('synchronous_standby_names') AS names) s"
     " WHERE s.names <> '' AND NOT pg_is_in_recovery()"
     "  AND NOT EXISTS (SELECT FROM pg_stat_replication r WHERE r.sync_state IN ('sync', 'quorum')"
     "                  OR r.sync_state IS NULL)",
     "have the standby started, or let the server commit without it for the time of the restore", FALSE},
    {HB_FINDING_WARNING, "prepared-transaction",
     "SELECT format('prepared transaction %L', p.gid) AS object,"
     " format('of user %s is open since %s: what it has locked stays locked until somebody ends it', p.owner,"
     "  to_char(p.prepared, 'YYYY-MM-DD HH24:MI:SS TZ')) AS what,"
     " format('ROLLBACK PREPARED %L;', p.gid) AS sql"
     " FROM pg_prepared_xacts p WHERE p.database = current_database() ORDER BY p.prepared",
     "have it committed or rolled back, as whoever prepared it decides", TRUE},
    {HB_FINDING_WARNING, "locked",
     "SELECT format('process %s', a.pid) AS object, format('of user %s (%s) has had a transaction open since %s, and"
     " holds locks on %s: what is dropped or emptied waits for it', a.usename,"
     "  concat_ws(', ', nullif(a.application_name, ''), a.state), to_char(a.xact_start, 'YYYY-MM-DD HH24:MI:SS TZ'),"
     "  l.names) AS what, format('SELECT pg_terminate_backend(%s);', a.pid) AS sql"
     " FROM pg_stat_activity a JOIN LATERAL ("
     "  SELECT string_agg(k.relation::regclass::text, ', ' ORDER BY k.relation) AS names"
     "  FROM (SELECT DISTINCT relation FROM pg_locks WHERE pid = a.pid AND relation >= 16384"
     "         AND database = (SELECT oid FROM pg_database WHERE datname = current_database()) LIMIT 5) k"
     " ) l ON l.names IS NOT NULL"
     " WHERE a.datname = current_database() AND a.pid <> pg_backend_pid() AND a.backend_type = 'client backend'"
     "  AND a.xact_start < clock_timestamp() - interval '1 second' ORDER BY a.xact_start LIMIT 5",
     "wait until it has ended, or have it ended", TRUE},
    {HB_FINDING_WARNING, "publishes-all",
     "SELECT format('publication %I', p.pubname) AS object, 'is on the target and publishes all tables: what is "
     "restored"
     " goes to its subscribers, and tables without a key take no changes there' AS what, NULL AS sql"
     " FROM pg_publication p WHERE p.puballtables ORDER BY 1",
     "see that its subscribers want that, or drop it for the time of the restore", TRUE},
};

static gboolean ask(HbPgPreflight *run, const Question *question, GError **error)
{
    g_autoptr(HbResult) result = hb_pg_query(run->session, question->sql, error);

    for (int row = 0; result != NULL && row < PQntuples(result); row++)
        hb_finding_advise(hb_findings_add(run->findings, question->level, question->name,
                                          hb_pg_get(result, row, "object"), "%s", hb_pg_get(result, row, "what")),
                          question->todo, hb_pg_get(result, row, "sql"));
    return result != NULL;
}

/* ---- What publications of the dump need ---- */

static const HbObject *find_first(const HbCatalog *catalog, HbKind kind)
{
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        if (hb_catalog_get(catalog, i)->kind == kind)
            return hb_catalog_get(catalog, i);
    }
    return NULL;
}

static gboolean check_log_level(HbPgPreflight *run, GError **error)
{
    const HbObject *publication = find_first(run->preview->catalog, HB_KIND_PUBLICATION);
    g_autoptr(HbResult) result = NULL;

    if (publication == NULL)
        return TRUE;
    result = hb_pg_query(run->session, "SELECT current_setting('wal_level')", error);
    if (result != NULL && strcmp(PQgetvalue(result, 0, 0), "logical") != 0)
        hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_WARNING, "setting-differs", "wal_level",
                                          "of the target is %s: nobody can subscribe to %s there",
                                          PQgetvalue(result, 0, 0), publication->identity),
                          "have it changed, and the server restarted, before anybody subscribes",
                          "ALTER SYSTEM SET wal_level = 'logical';");
    return result != NULL;
}

/* ---- Extensions that are there already ---- */

static void report_elsewhere(HbPgPreflight *run, const HbPgExtension *extension)
{
    static const char what[] =
        "is in schema %s on the target, and in %s in the source: what uses it there could not be "
        "created";
    g_autofree char *move =
        g_strdup_printf("ALTER EXTENSION %s SET SCHEMA %s;", extension->name, extension->wanted_schema);

    if (extension->will_move)
        hb_findings_add(run->findings, HB_FINDING_NOTE, "extension-differs", extension->object->identity,
                        "is in schema %s on the target: the restore moves it to %s", extension->schema,
                        extension->wanted_schema);
    else
        hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_BLOCKER, "extension-differs",
                                          extension->object->identity, what, extension->schema,
                                          extension->wanted_schema),
                          extension->can_move ? "have its owner move it"
                                              : "have its owner drop it: the restore creates it where it belongs",
                          extension->can_move ? move : NULL);
}

static void report_version(HbPgPreflight *run, const HbPgExtension *extension)
{
    g_autofree char *update =
        g_strdup_printf("ALTER EXTENSION %s UPDATE TO '%s';", extension->name, extension->wanted_version);

    if (extension->will_update)
        hb_findings_add(run->findings, HB_FINDING_NOTE, "extension-differs", extension->object->identity,
                        "is of version %s on the target: the restore updates it to %s", extension->version,
                        extension->wanted_version);
    else
        hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_WARNING, "extension-differs",
                                          extension->object->identity,
                                          "is of version %s on the target, and %s in the source: what only one of them "
                                          "has may be missed",
                                          extension->version, extension->wanted_version),
                          extension->can_update ? "have its owner update it" : "see what differs between both versions",
                          extension->can_update ? update : NULL);
}

static gboolean check_extensions(HbPgPreflight *run, GError **error)
{
    g_autoptr(GArray) there = hb_pg_read_extensions(run->session, run->preview->state, run->preview->catalog, error);

    for (guint i = 0; there != NULL && i < there->len; i++) {
        const HbPgExtension *extension = &g_array_index(there, HbPgExtension, i);
        if (extension->is_elsewhere)
            report_elsewhere(run, extension);
        if (extension->is_otherwise)
            report_version(run, extension);
    }
    return there != NULL;
}

/* ---- Collations ---- */

/* Indexes are made anew, and so in the target's order; what an older order has decided is not */
static gboolean check_collations(HbPgPreflight *run, GError **error)
{
    g_autofree char *sql = hb_pg_fit_query("SELECT v.name, v.value FROM @collation_versions@ v", run->session->version);
    g_autoptr(HbResult) result = hb_pg_query(run->session, sql, error);
    GHashTable *properties = hb_catalog_get_properties(run->preview->catalog);

    for (int row = 0; result != NULL && row < PQntuples(result); row++) {
        const char *name = hb_pg_get(result, row, "name"), *there = hb_pg_get(result, row, "value");
        const char *here = g_hash_table_lookup(properties, name);
        if (here == NULL || there == NULL || strcmp(here, there) == 0)
            continue;
        hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_WARNING, "collation-differs", name,
                                          "is %s on the target, and %s in the source: some texts may sort otherwise, "
                                          "and rows then not fit partitions or checks that compare texts",
                                          there, here),
                          "see to partitions by ranges of text, and to queries whose order matters", NULL);
    }
    return result != NULL;
}

/* ---- The whole ---- */

gboolean hb_pg_preflight_check_content(HbPgPreflight *run, GError **error)
{
    for (gsize q = 0; q < G_N_ELEMENTS(questions); q++) {
        if ((hb_pg_preflight_has_database(run) || !questions[q].in_database) && !ask(run, &questions[q], error))
            return FALSE;
    }
    return check_log_level(run, error) && check_extensions(run, error) && check_collations(run, error);
}
