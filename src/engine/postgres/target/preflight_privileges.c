/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/target/preflight_inner.h"

#include "core/graph/order.h"
#include "core/sql/lexer.h"
#include "engine/common/role_findings.h"
#include "engine/postgres/catalog/queries.h"
#include "engine/postgres/catalog/server.h"
#include "engine/postgres/dialect/dialect.h"
#include "engine/postgres/dialect/names.h"
#include "engine/postgres/dialect/printing.h"

#include <string.h>

/* The first version in which attributes and memberships can be granted only by a role that has them itself */
#define GIVEN_BY_HOLDERS 160000

/* The server as the role sees it; all but the catalog are sets of names */
typedef struct {
    HbPgPreflight *run;
    HbCatalog *there;       /* its users, arranged */
    GHashTable *roles;      /* all of them, unquoted */
    GHashTable *own;        /* of those, whose objects this role may give and take */
    GHashTable *grantable;  /* into which it may take members */
    GHashTable *superusers; /* of those */
    GHashTable *untrusted;  /* languages, quoted */
    GHashTable *settings;   /* that it may not set for others, in lower case */
    GHashTable *places;     /* tablespaces that it may not use, quoted */
    GHashTable *wrappers;   /* foreign data wrappers that it may not use, quoted */
} View;

static void lack(View *view, HbFindingLevel level, const char *object, const char *what, const char *todo, char *sql)
{
    hb_finding_advise(hb_findings_add(view->run->findings, level,
                                      level == HB_FINDING_BLOCKER ? "right-missing" : "refused", object, "%s", what),
                      todo, sql);
    g_free(sql);
}

/* ---- What the server says ---- */

static GHashTable *new_set(void)
{
    return g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
}

static gboolean read_names(View *view, const char *sql, GHashTable **names, GError **error)
{
    g_autofree char *fitted = hb_pg_fit_query(sql, view->run->session->version);

    *names = hb_pg_read_names(view->run->session, fitted, error);
    return *names != NULL;
}

static gboolean read_roles(View *view, GError **error)
{
    static const char sql[] =
        "SELECT r.rolname AS name, @may_act_as_r@ AS own, @may_grant_r@ AS grantable, r.rolsuper AS super"
        " FROM pg_roles r, pg_roles me WHERE me.rolname = current_user";
    g_autofree char *fitted = hb_pg_fit_query(sql, view->run->session->version);
    g_autoptr(HbResult) result = hb_pg_query(view->run->session, fitted, error);

    for (int row = 0; result != NULL && row < PQntuples(result); row++) {
        const char *name = hb_pg_get(result, row, "name");
        g_hash_table_add(view->roles, g_strdup(name));
        if (*hb_pg_get(result, row, "own") == 't')
            g_hash_table_add(view->own, g_strdup(name));
        if (*hb_pg_get(result, row, "grantable") == 't')
            g_hash_table_add(view->grantable, g_strdup(name));
        if (*hb_pg_get(result, row, "super") == 't')
            g_hash_table_add(view->superusers, g_strdup(name));
    }
    return result != NULL;
}

static gboolean read_view(View *view, GError **error)
{
    return read_roles(view, error) &&
           read_names(view, "SELECT quote_ident(lanname) FROM pg_language WHERE NOT lanpltrusted", &view->untrusted,
                      error) &&
           read_names(view,
                      "SELECT lower(s.name) FROM pg_settings s"
                      " WHERE s.context IN ('superuser', 'superuser-backend') AND NOT @may_set_s@",
                      &view->settings, error) &&
           read_names(
               view, "SELECT quote_ident(spcname) FROM pg_tablespace WHERE NOT has_tablespace_privilege(oid, 'CREATE')",
               &view->places, error) &&
           read_names(view,
                      "SELECT quote_ident(fdwname) FROM pg_foreign_data_wrapper"
                      " WHERE NOT has_foreign_data_wrapper_privilege(oid, 'USAGE')",
                      &view->wrappers, error);
}

/* ---- The database, its schemas and tablespaces ---- */

static const HbCatalog *catalog_of(const View *view)
{
    return view->run->preview->catalog;
}

static gboolean needs_public(const View *view)
{
    for (guint i = 0; i < hb_catalog_count(catalog_of(view)); i++) {
        if (hb_object_has_need(hb_catalog_get(catalog_of(view), i), "schema public"))
            return TRUE;
    }
    return FALSE;
}

static void check_creation(View *view)
{
    const HbPgPreflight *run = view->run;
    const char *me = hb_pg_preflight_get_me(run);
    g_autofree char *quoted = hb_pg_quote_any_name(run->database);

    if (!hb_pg_preflight_has_database(run) && !hb_pg_preflight_is_true(run, "createdb"))
        lack(view, HB_FINDING_BLOCKER, run->database, "does not exist, and this role may not create databases",
             "have it created, or have the right given to the role", g_strdup_printf("ALTER ROLE %s CREATEDB;", me));
    if (hb_pg_preflight_has_database(run) && !hb_pg_preflight_is_true(run, "may_create"))
        lack(view, HB_FINDING_BLOCKER, run->database,
             "does not let this role create schemas (the restore keeps its journal in one)", "have the right granted",
             g_strdup_printf("GRANT CREATE ON DATABASE %s TO %s;", quoted, me));
    if (hb_pg_preflight_has_database(run) && !hb_pg_preflight_is_true(run, "may_public") && needs_public(view))
        lack(view, HB_FINDING_BLOCKER, "schema public", "does not let this role create anything in it",
             "have the right granted", g_strdup_printf("GRANT CREATE ON SCHEMA public TO %s;", me));
}

/* Takes the name */
static void require_place(View *view, char *place, const char *example)
{
    g_autofree char *name = place;
    g_autofree char *object = name != NULL ? hb_identity_new(HB_KIND_TABLESPACE, name) : NULL;
    g_autofree char *what = NULL;

    if (name == NULL || !g_hash_table_remove(view->places, name))
        return;
    what = g_strdup_printf("does not let this role put anything into it (%s, for example)", example);
    lack(view, HB_FINDING_BLOCKER, object, what,
         "have the right granted, or name another one: --rename tablespace:OLD=NEW",
         g_strdup_printf("GRANT CREATE ON TABLESPACE %s TO %s;", name, hb_pg_preflight_get_me(view->run)));
}

static void check_places(View *view)
{
    const char *of_database = g_hash_table_lookup(hb_catalog_get_properties(catalog_of(view)), "tablespace");

    if (of_database != NULL && !hb_pg_preflight_has_database(view->run))
        require_place(view, g_strdup(of_database), "the database");
    for (guint i = 0; i < hb_catalog_count(catalog_of(view)); i++) {
        const HbObject *object = hb_catalog_get(catalog_of(view), i);
        require_place(view, hb_pg_word_after(object->definition, HB_PG_SETS_PLACE), object->identity);
    }
}

/* ---- Users ---- */

static gboolean is_new_role(const View *view, const HbObject *object)
{
    return object->kind == HB_KIND_ROLE && hb_catalog_find(view->there, object->identity) == NULL;
}

/* Does the dump bring a role of this name (unquoted) that the target has not? */
static gboolean arrives(const View *view, const char *name)
{
    g_autofree char *quoted = hb_pg_quote_any_name(name);
    g_autofree char *identity = hb_identity_new(HB_KIND_ROLE, name), *other = hb_identity_new(HB_KIND_ROLE, quoted);

    return !g_hash_table_contains(view->roles, name) &&
           (hb_catalog_find(catalog_of(view), identity) != NULL || hb_catalog_find(catalog_of(view), other) != NULL);
}

/* The role that creates another may also add members to it */
static gboolean may_take_members(const View *view, const char *role)
{
    return g_hash_table_contains(view->grantable, role) ||
           (arrives(view, role) && hb_pg_preflight_is_true(view->run, "createrole"));
}

static void check_role_rights(View *view)
{
    guint count = 0;
    const char *example = NULL;

    for (guint i = 0; i < hb_catalog_count(catalog_of(view)); i++) {
        const HbObject *object = hb_catalog_get(catalog_of(view), i);
        if (is_new_role(view, object)) {
            count++;
            example = object->identity;
        }
    }
    if (count == 0 || hb_pg_preflight_is_true(view->run, "createrole"))
        return;
    g_autofree char *what =
        g_strdup_printf("%u users are not there (%s, for example), and this role may not create any", count, example);
    lack(view, HB_FINDING_BLOCKER, "users", what,
         "have the right given to the role, or have users.sql of the dump run by someone else, then use --skip user:*",
         g_strdup_printf("ALTER ROLE %s CREATEROLE;", hb_pg_preflight_get_me(view->run)));
}

static const char *judge_role(const View *view, const HbObject *role)
{
    static const struct {
        const char *attribute, *fact, *refusal;
    } attributes[] = {
        {" REPLICATION", "replication", "has the attribute REPLICATION, which only a role that has it may grant"},
        {" BYPASSRLS", "bypassrls", "has the attribute BYPASSRLS, which only a role that has it may grant"},
        {" CREATEDB", "createdb", "has the attribute CREATEDB, which only a role that has it may grant"},
    };
    const gboolean by_holders = view->run->session->version >= GIVEN_BY_HOLDERS;

    if (strstr(role->definition, " SUPERUSER") != NULL)
        return "can be created by a superuser only";
    for (gsize i = 0; i < G_N_ELEMENTS(attributes); i++) {
        if (strstr(role->definition, attributes[i].attribute) == NULL)
            continue;
        if (by_holders && !hb_pg_preflight_is_true(view->run, attributes[i].fact))
            return attributes[i].refusal;
        if (!by_holders && strcmp(attributes[i].fact, "createdb") != 0)
            return "can be created by a superuser only";
    }
    return NULL;
}

static const char *judge_membership(const View *view, const HbObject *membership)
{
    g_autofree char *quoted = hb_pg_word_after(membership->definition, "GRANT ");
    g_autofree char *group = quoted != NULL ? hb_lexer_unquote_name(quoted) : NULL;

    return group == NULL || hb_catalog_has_needs(view->there, membership) || may_take_members(view, group)
               ? NULL
               : "cannot be granted by this role, which has no admin option on the one it is for";
}

/* ---- What is refused to all but superusers ---- */

static const HbKind kinds_of_superusers[] = {HB_KIND_LANGUAGE,
                                             HB_KIND_TRANSFORM,
                                             HB_KIND_ACCESS_METHOD,
                                             HB_KIND_OPERATOR_FAMILY,
                                             HB_KIND_OPERATOR_CLASS,
                                             HB_KIND_OPERATOR_FAMILY_MEMBERS,
                                             HB_KIND_TEXT_SEARCH_PARSER,
                                             HB_KIND_TEXT_SEARCH_TEMPLATE,
                                             HB_KIND_FOREIGN_DATA_WRAPPER,
                                             HB_KIND_TABLESPACE,
                                             HB_KIND_EVENT_TRIGGER,
                                             HB_KIND_SUBSCRIPTION,
                                             HB_KIND_PARAMETER_GRANT};

/* Of other kinds, those whose definition says this */
static const struct {
    HbKind kind;
    const char *mark;
} forms_of_superusers[] = {
    {HB_KIND_PUBLICATION, " FOR ALL TABLES"}, {HB_KIND_PUBLICATION, " TABLES IN SCHEMA "},
    {HB_KIND_CAST, " WITHOUT FUNCTION"},      {HB_KIND_TYPE, "\n    INPUT = "},
    {HB_KIND_AGGREGATE, "STYPE = internal"},
};

/* In what a function's definition says before its body; only superusers may say that */
static gboolean is_function_of_superusers(const HbObject *function)
{
    static const char *const options[] = {" LEAKPROOF", " SUPPORT "};
    const char *body = strstr(function->definition, "\nAS ");
    g_autofree char *head = g_strndup(function->definition, body != NULL ? (gsize)(body - function->definition)
                                                                         : strlen(function->definition));

    for (gsize o = 0; o < G_N_ELEMENTS(options); o++) {
        if (strstr(head, options[o]) != NULL)
            return TRUE;
    }
    return FALSE;
}

/* One of its types must be one's own; none is where both are the server's */
static const char *judge_cast(const HbObject *cast)
{
    for (guint n = 0; n < cast->needs->len; n++) {
        const char *need = cast->needs->pdata[n];
        if (g_str_has_prefix(need, "type ") || g_str_has_prefix(need, "domain ") || g_str_has_prefix(need, "table "))
            return NULL;
    }
    return "is between types of the server's own: it can be created by a superuser only";
}

static gboolean is_superusers(const View *view, const HbObject *object)
{
    g_autofree char *language = object->kind == HB_KIND_FUNCTION || object->kind == HB_KIND_PROCEDURE
                                    ? hb_pg_word_after(object->definition, "\n LANGUAGE ")
                                    : NULL;

    for (gsize k = 0; k < G_N_ELEMENTS(kinds_of_superusers); k++) {
        if (object->kind == kinds_of_superusers[k])
            return TRUE;
    }
    for (gsize f = 0; f < G_N_ELEMENTS(forms_of_superusers); f++) {
        if (object->kind == forms_of_superusers[f].kind &&
            strstr(object->definition, forms_of_superusers[f].mark) != NULL)
            return TRUE;
    }
    return language != NULL && (g_hash_table_contains(view->untrusted, language) || is_function_of_superusers(object));
}

static const char *judge_database_owner(const View *view)
{
    return hb_pg_preflight_has_database(view->run) && !hb_pg_preflight_is_true(view->run, "owns_database")
               ? "can be given by the database's owner only"
               : NULL;
}

static const char *judge_setting(const View *view, const HbObject *object)
{
    g_autofree char *name = hb_pg_word_after(object->definition, " SET ");
    g_autofree char *lower = name != NULL ? g_ascii_strdown(name, -1) : NULL;

    if (object->kind == HB_KIND_DATABASE_SETTING && hb_pg_preflight_has_database(view->run) &&
        !hb_pg_preflight_is_true(view->run, "owns_database"))
        return "can be said by the database's owner only";
    if (object->kind == HB_KIND_ROLE_SETTING && hb_catalog_has_needs(view->there, object))
        return NULL;
    return lower != NULL && g_hash_table_contains(view->settings, lower) ? "can be set by a superuser only" : NULL;
}

static const char *judge_server(const View *view, const HbObject *server)
{
    g_autofree char *wrapper = hb_pg_word_after(server->definition, "FOREIGN DATA WRAPPER ");

    return wrapper != NULL && hb_pg_preflight_has_database(view->run) && g_hash_table_contains(view->wrappers, wrapper)
               ? "needs the right to use its foreign data wrapper, which this role lacks"
               : NULL;
}

/* Why the server would refuse it; NULL: it would not */
static const char *conflicts(const View *view, const HbObject *object)
{
    if (object->definition == NULL)
        return NULL;
    switch (object->kind) {
    case HB_KIND_ROLE:
        return is_new_role(view, object) ? judge_role(view, object) : NULL;
    case HB_KIND_MEMBERSHIP:
        return judge_membership(view, object);
    case HB_KIND_ROLE_SETTING:
    case HB_KIND_DATABASE_SETTING:
        return judge_setting(view, object);
    case HB_KIND_FOREIGN_SERVER:
        return judge_server(view, object);
    case HB_KIND_DATABASE_OWNER:
        return judge_database_owner(view);
    case HB_KIND_CAST:
        return is_superusers(view, object) ? "can be created by a superuser only" : judge_cast(object);
    default:
        return is_superusers(view, object) ? "can be created by a superuser only" : NULL;
    }
}

static void check_refusals(View *view)
{
    for (guint i = 0; i < hb_catalog_count(catalog_of(view)); i++) {
        const HbObject *object = hb_catalog_get(catalog_of(view), i);
        const char *refusal = conflicts(view, object);
        if (refusal != NULL)
            lack(view, HB_FINDING_WARNING, object->identity, refusal,
                 "have a role with the rights run its statement afterwards; the restore will list it", NULL);
    }
}

/* ---- Owners ---- */

/* As the server writes it: in quotes where it must be. The caller's */
static char *write_name(View *view, const char *name)
{
    const char *const values[] = {name};
    g_autoptr(HbResult) result = hb_pg_query_with(view->run->session, "SELECT quote_ident($1)", 1, values, NULL);

    return result != NULL ? g_strdup(PQgetvalue(result, 0, 0)) : hb_pg_quote_any_name(name);
}

static void report_owner(View *view, const char *owner, const char *example)
{
    g_autofree char *quoted = write_name(view, owner);
    g_autofree char *role = hb_identity_new(HB_KIND_ROLE, quoted);
    g_autofree char *sql = g_strdup_printf("GRANT %s TO %s;", quoted, hb_pg_preflight_get_me(view->run));
    const gboolean is_superuser = g_hash_table_contains(view->superusers, owner);
    HbFinding *finding;

    if (may_take_members(view, owner)) {
        hb_findings_add(
            view->run->findings, HB_FINDING_NOTE, "ownership", role,
            "owns objects of the source (%s, for example): to give it these, %s becomes a member of it, and "
            "says at the end how to leave",
            example, hb_pg_preflight_get_me(view->run));
        return;
    }
    finding = hb_findings_add(view->run->findings, HB_FINDING_WARNING, "ownership", role,
                              "owns objects of the source (%s, for example) that this role may not give it: they stay "
                              "its own",
                              example);
    if (is_superuser)
        hb_finding_advise(finding, "name another owner (--rename owner:OLD=NEW), or use --ownership mine", NULL);
    else
        hb_finding_advise(finding, "have this role made a member, or use --ownership mine", sql);
}

/* Whose objects this role may not give away as it is now */
static void check_owners(View *view)
{
    g_autoptr(GHashTable) seen = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < hb_catalog_count(catalog_of(view)); i++) {
        const HbObject *object = hb_catalog_get(catalog_of(view), i);
        if (object->owner == NULL || g_hash_table_contains(view->own, object->owner) ||
            !g_hash_table_add(seen, object->owner))
            continue;
        if (g_hash_table_contains(view->roles, object->owner) || arrives(view, object->owner))
            report_owner(view, object->owner, object->identity);
    }
}

/* ---- The whole ---- */

static void check_view(View *view)
{
    check_creation(view);
    check_places(view);
    check_role_rights(view);
    check_refusals(view);
    if (!view->run->preview->ownership_mine)
        check_owners(view);
}

static void view_init(View *view, HbPgPreflight *run, HbCatalog *there)
{
    GHashTable **const sets[] = {&view->roles, &view->own, &view->grantable, &view->superusers};

    *view = (View){.run = run, .there = there};
    for (gsize i = 0; i < G_N_ELEMENTS(sets); i++)
        *sets[i] = new_set();
}

static void view_clear(View *view)
{
    GHashTable **const sets[] = {&view->roles,     &view->own,      &view->grantable, &view->superusers,
                                 &view->untrusted, &view->settings, &view->places,    &view->wrappers};

    for (gsize i = 0; i < G_N_ELEMENTS(sets); i++)
        g_clear_pointer(sets[i], g_hash_table_unref);
}

gboolean hb_pg_preflight_check_privileges(HbPgPreflight *run, GError **error)
{
    g_autoptr(HbCatalog) there = hb_pg_read_server(run->session, HB_PART_USERS, error);
    View view;
    gboolean ok;

    if (there == NULL || !hb_order_arrange(there, error))
        return FALSE;
    hb_catalog_fit(there, run->preview->version, ""); /* both sides in the words of one version */
    hb_role_findings_add(run->preview->catalog, there, &hb_pg_dialect, run->findings);
    if (hb_pg_preflight_is_true(run, "super"))
        return TRUE;
    view_init(&view, run, there);
    ok = read_view(&view, error);
    if (ok)
        check_view(&view);
    view_clear(&view);
    return ok;
}
