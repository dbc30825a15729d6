/* SPDX-License-Identifier: Apache-2.0 */
#include "core/compare/preflight.h"

#include "core/base/name_list.h"
#include "core/compare/compare.h"
#include "core/select/pattern.h"
#include "core/sql/role_mentions.h"

#include <string.h>

/* What a session loads at least, as measured on small machines; indexes and keys included */
#define BYTES_A_SECOND    ((guint64)12 * 1024 * 1024)
#define SESSIONS_THAT_PAY 4

#define NAMED_MAX 5

const char *const hb_finding_names[] = {
    /* The target itself */
    "same-database", "system-database", "target-not-empty", "unfinished-restore", "another-run", "journal-untrusted",
    "read-only", "other-sessions", "event-trigger", "standby-missing", "prepared-transaction", "locked",
    "publishes-all", "connections", "room", "duration",
    /* What it lacks */
    "extension-missing", "extension-differs", "storage-missing", "plugin-missing", "locale-missing",
    "collation-missing", "encoding-differs", "encryption-missing", "time-zone-missing", "password-refused",
    "history-refused", "name-case", "database-missing", "not-as-source", "left-out-of-dump",
    /* What is there already */
    "name-taken", "need-missing", "would-be-lost", "part-lost", "rows-there", "table-missing", "columns-differ",
    "exists-otherwise", "stays", "dropped", "emptied", "set-aside", "in-parts",
    /* Users and rights */
    "role-missing", "role-differs", "right-missing", "refused", "ownership",
    /* What means something else there, or leads elsewhere */
    "setting-differs", "collation-differs", "foreign-host", "other-database", "code-runs",
    /* What should be known of the source */
    "no-key", "no-transactions", NULL};

static const struct {
    const char *name, *plural;
} levels[HB_FINDING_LEVEL_COUNT] = {{"blocker", "Blockers"}, {"warning", "Warnings"}, {"note", "Notes"}};

const char *hb_finding_level_get_name(HbFindingLevel level)
{
    return levels[level].name;
}

const char *hb_finding_level_get_plural(HbFindingLevel level)
{
    return levels[level].plural;
}

/* ---- The list ---- */

static void finding_free(gpointer data)
{
    HbFinding *finding = data;

    g_free(finding->name);
    g_free(finding->object);
    g_free(finding->what);
    g_free(finding->todo);
    g_free(finding->sql);
    g_free(finding);
}

GPtrArray *hb_findings_new(void)
{
    return g_ptr_array_new_with_free_func(finding_free);
}

HbFinding *hb_findings_add(GPtrArray *findings, HbFindingLevel level, const char *name, const char *object,
                           const char *what, ...)
{
    HbFinding *finding = g_new0(HbFinding, 1);
    va_list arguments;

    g_assert(g_strv_contains(hb_finding_names, name));
    va_start(arguments, what);
    finding->level = level;
    finding->name = g_strdup(name);
    finding->object = g_strdup(object);
    finding->what = g_strdup_vprintf(what, arguments);
    va_end(arguments);
    g_ptr_array_add(findings, finding);
    return finding;
}

void hb_finding_advise(HbFinding *finding, const char *todo, const char *sql)
{
    g_free(finding->todo);
    g_free(finding->sql);
    finding->todo = g_strdup(todo);
    finding->sql = g_strdup(sql);
}

static gint compare_levels(gconstpointer one, gconstpointer other)
{
    const HbFinding *a = *(HbFinding *const *)one, *b = *(HbFinding *const *)other;

    return (gint)a->level - (gint)b->level;
}

/* g_ptr_array_sort() keeps the order of equals (it is a merge sort, by its manual) */
void hb_findings_sort(GPtrArray *findings)
{
    g_ptr_array_sort(findings, compare_levels);
}

guint hb_findings_count(const GPtrArray *findings, HbFindingLevel level)
{
    guint count = 0;

    for (guint i = 0; i < findings->len; i++)
        count += ((const HbFinding *)findings->pdata[i])->level == level;
    return count;
}

guint hb_findings_count_open(const GPtrArray *findings)
{
    guint count = 0;

    for (guint i = 0; i < findings->len; i++) {
        const HbFinding *finding = findings->pdata[i];
        count += finding->level == HB_FINDING_BLOCKER && !finding->accepted;
    }
    return count;
}

static gboolean is_accepted(const HbFinding *finding, const char *text)
{
    gsize length = strlen(finding->name);

    if (!g_str_has_prefix(text, finding->name))
        return FALSE;
    return text[length] == '\0' || (text[length] == ':' && hb_glob_fits(text + length + 1, finding->object));
}

void hb_findings_accept(GPtrArray *findings, char *const *accepted)
{
    for (; accepted != NULL && *accepted != NULL; accepted++) {
        for (guint i = 0; i < findings->len; i++) {
            HbFinding *finding = findings->pdata[i];
            finding->accepted = finding->accepted || (!finding->is_final && is_accepted(finding, *accepted));
        }
    }
}

/* ---- Catalogs ---- */

/* A table that the target's version cannot have takes its rows with it; what else may be lacking is found before */
static void judge_omission(const HbCatalog *catalog, const HbOmission *omission, GPtrArray *findings)
{
    const gboolean is_table = g_str_has_prefix(omission->what, "table ") &&
                              g_str_has_prefix(omission->why, HB_LEFT_OUT_FOR) &&
                              hb_catalog_find(catalog, omission->what) == NULL;

    hb_finding_advise(
        hb_findings_add(findings, is_table ? HB_FINDING_BLOCKER : HB_FINDING_WARNING, "not-as-source", omission->what,
                        "%s%s", omission->why, is_table ? "; its rows stay behind" : ""),
        is_table ? "change the table in the source, or go on without it: --accept not-as-source:TABLE" : NULL, NULL);
}

void hb_preflight_look_at_omissions(const HbCatalog *catalog, guint first, GPtrArray *findings)
{
    const GPtrArray *omissions = hb_catalog_get_omissions(catalog);

    for (guint i = 0; i < omissions->len; i++) {
        const HbOmission *omission = omissions->pdata[i];
        if (i < first)
            hb_findings_add(findings, HB_FINDING_NOTE, "left-out-of-dump", omission->what, "is not in the dump: %s",
                            omission->why);
        else
            judge_omission(catalog, omission, findings);
    }
}

/* Does the text make a key of a table on its own? MariaDB has its primary keys within the table */
static gboolean holds_key(const char *sql)
{
    return sql != NULL && (strstr(sql, "PRIMARY KEY") != NULL || strstr(sql, "UNIQUE ") != NULL);
}

static GHashTable *find_tables_with_key(const HbCatalog *catalog)
{
    GHashTable *keyed = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (object->kind == HB_KIND_TABLE && holds_key(object->definition))
            g_hash_table_add(keyed, object->identity);
        else if ((object->kind == HB_KIND_KEY || object->kind == HB_KIND_INDEX) && object->on != NULL &&
                 holds_key(object->definition))
            g_hash_table_add(keyed, object->on);
    }
    return keyed;
}

static void look_for_keys(const HbCatalog *catalog, GPtrArray *findings)
{
    g_autoptr(GHashTable) keyed = find_tables_with_key(catalog);
    const GPtrArray *sets = hb_catalog_get_row_sets(catalog);
    HbNameList names;

    hb_name_list_init(&names, NAMED_MAX);
    for (guint i = 0; i < sets->len; i++) {
        const HbRowSet *set = sets->pdata[i];
        g_autofree char *table = hb_identity_new(HB_KIND_TABLE, set->table);
        if (hb_catalog_find(catalog, table) != NULL && !g_hash_table_contains(keyed, table))
            hb_name_list_add(&names, set->table);
    }
    g_autofree char *list = hb_name_list_end(&names);
    if (names.count == 0)
        return;
    hb_findings_add(findings, HB_FINDING_NOTE, "no-key", list,
                    names.count == 1 ? "has no primary or unique key: its rows can be compared as a whole only"
                                     : "have no primary or unique key: their rows can be compared as a whole only");
}

static void look_for_hosts(const HbCatalog *catalog, GPtrArray *findings)
{
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (object->kind == HB_KIND_FOREIGN_SERVER || object->kind == HB_KIND_SUBSCRIPTION)
            hb_finding_advise(hb_findings_add(findings, HB_FINDING_WARNING, "foreign-host", object->identity,
                                              "leads to another host, which the target must be able to reach; its "
                                              "passwords do not come along"),
                              "see to its address, its firewall and its passwords after the restore", NULL);
    }
}

/* What the server evaluates while rows load, or while keys and indexes are made */
static gboolean runs_while_loading(HbKind kind)
{
    return kind == HB_KIND_CHECK || kind == HB_KIND_DOMAIN || kind == HB_KIND_TABLE || kind == HB_KIND_DEFAULT ||
           kind == HB_KIND_INDEX || kind == HB_KIND_KEY || kind == HB_KIND_MATERIALIZED_VIEW;
}

static void look_for_code(const HbCatalog *catalog, GPtrArray *findings)
{
    g_autoptr(GHashTable) seen = g_hash_table_new(g_str_hash, g_str_equal);
    HbNameList names;

    hb_name_list_init(&names, NAMED_MAX);
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        for (guint n = 0; runs_while_loading(object->kind) && n < object->needs->len; n++) {
            const char *need = object->needs->pdata[n];
            if (g_str_has_prefix(need, "function ") && g_hash_table_add(seen, (gpointer)need))
                hb_name_list_add(&names, need + strlen("function "));
        }
    }
    g_autofree char *list = hb_name_list_end(&names);
    if (names.count == 0)
        return;
    hb_finding_advise(hb_findings_add(findings, HB_FINDING_NOTE, "code-runs", list,
                                      "will run with the rights of who restores, while rows load and indexes are made"),
                      "read them before, if whoever wrote them is not trusted: see docs/trust.md", NULL);
}

void hb_preflight_look_at_objects(const HbCatalog *catalog, GPtrArray *findings)
{
    look_for_code(catalog, findings);
    look_for_keys(catalog, findings);
    look_for_hosts(catalog, findings);
}

/* ---- Users ---- */

static void add_roles(GHashTable *names, const HbCatalog *catalog)
{
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (object->kind == HB_KIND_ROLE)
            g_hash_table_add(names, hb_role_mentions_get_name(object));
    }
}

static gboolean is_predefined(const char *name)
{
    return g_str_has_prefix(name, "pg_");
}

static void tell_missing(const HbObject *object, const char *name, GPtrArray *findings)
{
    g_autofree char *role = g_strdup_printf("role %s", name);
    gboolean is_plain = strspn(name, "abcdefghijklmnopqrstuvwxyz0123456789_") == strlen(name);
    g_autofree char *sql = is_plain ? g_strdup_printf("CREATE ROLE %s;", name) : NULL;

    hb_finding_advise(hb_findings_add(findings, HB_FINDING_BLOCKER, "role-missing", role,
                                      "is not on the target and does not come along: %s would fail, for example",
                                      object->identity),
                      "let it come along, create it there (WITH LOGIN if somebody logs in as it), or use --ownership "
                      "mine --grants drop",
                      sql);
}

static void look_for_missing(const HbCatalog *catalog, const HbCatalog *there, GPtrArray *findings)
{
    g_autoptr(GHashTable) known = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    add_roles(known, catalog);
    add_roles(known, there);
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        g_autoptr(GPtrArray) names = hb_role_mentions_list(object);
        for (guint n = 0; n < names->len; n++) {
            const char *name = names->pdata[n];
            /* A definer may be missing: fitting tells of it. Its names have an @ */
            if (is_predefined(name) || strchr(name, '@') != NULL || !g_hash_table_add(known, g_strdup(name)))
                continue;
            tell_missing(object, name, findings);
        }
    }
}

/* The role that a difference is about; NULL if it does not exist on both sides */
static const HbObject *find_subject(const HbCatalog *catalog, const HbCatalog *there, const char *identity)
{
    const HbObject *object = hb_catalog_find(catalog, identity);
    const char *role;

    if (object == NULL || hb_kind_get_traits(object->kind)->part != HB_PART_USERS)
        return NULL;
    if (object->kind == HB_KIND_ROLE)
        return hb_catalog_find(there, identity);
    for (guint n = 0; n < object->needs->len; n++) {
        if (hb_catalog_find(there, object->needs->pdata[n]) == NULL)
            return NULL;
    }
    role = object->needs->len > 0 ? object->needs->pdata[0] : "";
    return hb_catalog_find(there, role);
}

/* What the target's role has, and the source's has not, is not taken away by saying what the source's has */
static void append_lifting(GString *sql, const char *theirs, const char *ours)
{
    if (strstr(theirs, " CONNECTION LIMIT ") != NULL && strstr(ours, " CONNECTION LIMIT ") == NULL)
        g_string_append(sql, " CONNECTION LIMIT -1");
    if (strstr(theirs, " VALID UNTIL ") != NULL && strstr(ours, " VALID UNTIL ") == NULL)
        g_string_append(sql, " VALID UNTIL 'infinity'");
}

/* "SUPERUSER", "CONNECTION LIMIT 12" of "CREATE ROLE ida WITH SUPERUSER CONNECTION LIMIT 12;": char *. The caller's */
static GPtrArray *list_attributes(const char *definition)
{
    GPtrArray *attributes = g_ptr_array_new_with_free_func(g_free);
    const char *at = g_strrstr(definition, " WITH ");

    at = at != NULL ? at + strlen(" WITH ") : "";
    while (*at != '\0' && *at != ';') {
        const gboolean has_value = g_str_has_prefix(at, "CONNECTION LIMIT ") || g_str_has_prefix(at, "VALID UNTIL ");
        const char *value = has_value ? strchr(strchr(at, ' ') + 1, ' ') + 1 : at;
        const char *end = *value == '\'' ? strchr(value + 1, '\'') : NULL;
        end = end != NULL ? end + 1 : value + strcspn(value, " ;");
        g_ptr_array_add(attributes, g_strndup(at, (gsize)(end - at)));
        at = end + strspn(end, " ");
    }
    return attributes;
}

/* Those of one that the other has not; NULL: there are none. The caller's */
static char *tell_attributes(const char *one, const char *other)
{
    g_autoptr(GPtrArray) own = list_attributes(one), others = list_attributes(other);
    GString *text = g_string_new(NULL);

    for (guint i = 0; i < own->len; i++) {
        if (!g_ptr_array_find_with_equal_func(others, own->pdata[i], g_str_equal, NULL))
            g_string_append_printf(text, "%s%s", text->len > 0 ? " " : "", (const char *)own->pdata[i]);
    }
    return g_string_free(text, text->len == 0);
}

/* Says only what differs: naming an attribute may need more rights than changing another. Both have their WITH */
static char *make_altering(const char *definition, const char *theirs)
{
    g_autofree char *wanted = tell_attributes(definition, theirs);
    const char *with = g_strrstr(definition, " WITH ");
    GString *sql = g_string_new("ALTER ROLE ");

    g_string_append_len(sql, definition, with - definition);
    g_string_append_printf(sql, " WITH%s%s", wanted != NULL ? " " : "", wanted != NULL ? wanted : "");
    append_lifting(sql, theirs, definition);
    g_string_append_c(sql, ';');
    return g_string_free(sql, FALSE);
}

/* Nothing with a password's hash in it is shown. theirs: the definition on the target; NULL: it has none */
static char *make_role_sql(const HbObject *object, const char *theirs)
{
    static const char create[] = "CREATE ROLE ";

    if (object->kind == HB_KIND_PASSWORD || strstr(object->definition, "IDENTIFIED") != NULL)
        return NULL;
    if (object->kind != HB_KIND_ROLE)
        return g_strdup(object->definition);
    return g_str_has_prefix(object->definition, create) && strstr(object->definition, " WITH ") != NULL
               ? make_altering(object->definition + strlen(create), theirs != NULL ? theirs : "")
               : NULL;
}

static HbFinding *tell_other_definition(const HbDifference *difference, GPtrArray *findings)
{
    const char *to = difference->to != NULL ? difference->to : "",
               *from = difference->from != NULL ? difference->from : "";
    g_autofree char *there = tell_attributes(to, from), *here = tell_attributes(from, to);

    if (!g_str_has_prefix(from, "CREATE ROLE ") || (there == NULL && here == NULL))
        return hb_findings_add(findings, HB_FINDING_WARNING, "role-differs", difference->identity,
                               "exists on the target as “%s”, and stays so; in the source it is “%s”", to, from);
    if (there == NULL)
        return hb_findings_add(findings, HB_FINDING_WARNING, "role-differs", difference->identity,
                               "exists on the target without %s, and stays as it is", here);
    if (here == NULL)
        return hb_findings_add(findings, HB_FINDING_WARNING, "role-differs", difference->identity,
                               "exists on the target with %s, unlike in the source, and stays as it is", there);
    return hb_findings_add(findings, HB_FINDING_WARNING, "role-differs", difference->identity,
                           "exists on the target and stays as it is: %s there, %s in the source", there, here);
}

static void tell_difference(const HbCatalog *catalog, const HbCatalog *there, const HbDifference *difference,
                            GPtrArray *findings)
{
    const HbObject *object = hb_catalog_find(catalog, difference->identity);
    const HbObject *theirs = hb_catalog_find(there, difference->identity);
    g_autofree char *sql = make_role_sql(object, theirs != NULL ? theirs->definition : NULL);
    HbFinding *finding;

    if (object->kind == HB_KIND_PASSWORD)
        finding = hb_findings_add(findings, HB_FINDING_WARNING, "role-differs", difference->identity,
                                  "exists on the target with another password, which it keeps");
    else if (difference->type == HB_DIFFERENCE_MISSING)
        finding = hb_findings_add(findings, HB_FINDING_WARNING, "role-differs", difference->identity,
                                  "the user exists on the target without it, and stays as it is");
    else
        finding = tell_other_definition(difference, findings);
    if (sql != NULL && strstr(sql, " SUPERUSER") != NULL)
        hb_finding_advise(finding, "see whether it has to be a superuser on the target, too", NULL);
    else
        hb_finding_advise(finding, sql != NULL ? "if it should be as in the source" : NULL, sql);
}

static void look_for_differences(const HbCatalog *catalog, const HbCatalog *there, HbDialect dialect,
                                 GPtrArray *findings)
{
    g_autoptr(GPtrArray) differences = hb_compare_new();

    hb_compare_catalogs(catalog, there, dialect, HB_PART_USERS, differences);
    for (guint i = 0; i < differences->len; i++) {
        const HbDifference *difference = differences->pdata[i];
        if (find_subject(catalog, there, difference->identity) != NULL)
            tell_difference(catalog, there, difference, findings);
    }
}

void hb_preflight_look_at_users(const HbCatalog *catalog, const HbCatalog *there, HbDialect dialect,
                                GPtrArray *findings)
{
    look_for_missing(catalog, there, findings);
    look_for_differences(catalog, there, dialect, findings);
}

/* ---- Settings, room, time ---- */

void hb_preflight_look_at_settings(const HbCatalog *catalog, GHashTable *own, const char *prefix, GPtrArray *findings)
{
    GHashTable *properties = hb_catalog_get_properties(catalog);
    g_autoptr(GList) names = g_list_sort(g_hash_table_get_keys(own), (GCompareFunc)strcmp);

    for (GList *at = names; at != NULL; at = at->next) {
        g_autofree char *property = g_strconcat(prefix, at->data, NULL);
        g_autofree char *carried = hb_identity_new(HB_KIND_DATABASE_SETTING, at->data);
        const char *there = g_hash_table_lookup(own, at->data);
        const char *here = g_hash_table_lookup(properties, property);
        if (here == NULL || g_strcmp0(here, there) == 0 || hb_catalog_find(catalog, carried) != NULL)
            continue;
        hb_finding_advise(hb_findings_add(findings, HB_FINDING_WARNING, "setting-differs", at->data,
                                          "is “%s” on the target, and “%s” in the source: what relies on it will mean "
                                          "something else",
                                          there, here),
                          "set it there as in the source, or see that nothing relies on it", NULL);
    }
}

#define ROOM_NEEDED  2 /* rows as text, times this: with indexes, on average */
#define ROOM_CAREFUL 4

void hb_preflight_judge_room(guint64 bytes, guint64 free, GPtrArray *findings)
{
    g_autofree char *rows = g_format_size(bytes);
    g_autofree char *needed = g_format_size(bytes * ROOM_NEEDED);
    g_autofree char *there = g_format_size(free);

    if (free == G_MAXUINT64)
        hb_findings_add(findings, HB_FINDING_NOTE, "room", "disk of the target",
                        "cannot be seen from here: %s of rows will need about %s with their indexes", rows, needed);
    else if (free < bytes)
        hb_finding_advise(hb_findings_add(findings, HB_FINDING_BLOCKER, "room", "disk of the target",
                                          "has %s free, and there are %s of rows", there, rows),
                          "make room there", NULL);
    else if (free < bytes * ROOM_CAREFUL)
        hb_finding_advise(hb_findings_add(findings, HB_FINDING_WARNING, "room", "disk of the target",
                                          "has %s free: %s of rows will need about %s with their indexes, and more "
                                          "while these are built",
                                          there, rows, needed),
                          "make room there", NULL);
}

void hb_preflight_guess_duration(guint64 bytes, guint sessions, GPtrArray *findings)
{
    guint64 seconds = bytes / BYTES_A_SECOND / CLAMP(sessions, 1, SESSIONS_THAT_PAY);

    if (seconds < 60)
        hb_findings_add(findings, HB_FINDING_NOTE, "duration", "rows", "should take less than a minute to load");
    else
        hb_findings_add(findings, HB_FINDING_NOTE, "duration", "rows",
                        "may take about %" G_GUINT64_FORMAT " minutes to load and index on a small machine",
                        (seconds + 59) / 60);
}
