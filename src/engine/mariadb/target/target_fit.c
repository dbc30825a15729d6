/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/target/target_fit.h"

#include "engine/mariadb/catalog/catalog_builder.h"
#include "engine/mariadb/catalog/spatial_references.h"
#include "engine/mariadb/dialect/grants.h"
#include "engine/mariadb/dialect/show_create_parser.h"
#include "engine/mariadb/dialect/translate.h"
#include "engine/mariadb/target/fit_privileges.h"
#include "engine/mariadb/target/roles.h"

#include <string.h>

/* What is known of the target while a catalog is adapted to it */
typedef struct {
    HbSession *session;
    HbCatalog *catalog;
    GHashTable *gone; /* identities of objects to take out; borrowed */
} Fit;

/* ---- Definers: what they define can be created without them, but not used ---- */

static gboolean is_there(Fit *fit, const char *account)
{
    g_autofree char *identity = hb_identity_new(HB_KIND_ROLE, account);

    return hb_catalog_find(fit->catalog, identity) != NULL || hb_my_may_be_there(fit->session, account);
}

static void report_missing_definers(Fit *fit)
{
    g_autoptr(GHashTable) asked = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < hb_catalog_count(fit->catalog); i++) {
        const HbObject *object = hb_catalog_get(fit->catalog, i);
        g_autofree char *definer = object->definition != NULL ? hb_my_read_definer(object->definition) : NULL;
        if (definer == NULL || g_hash_table_contains(asked, definer))
            continue;
        if (!is_there(fit, definer)) {
            g_autofree char *what = g_strdup_printf("definer %s", definer);
            g_autofree char *why = g_strdup_printf("is not on the target: what it defines (%s, for example) cannot be "
                                                   "used before it is created there",
                                                   object->identity);
            hb_catalog_add_omission(fit->catalog, what, why);
        }
        g_hash_table_add(asked, g_steal_pointer(&definer));
    }
}

/* Grants to accounts that neither exist nor arrive are left out, rather than refused one by one */
static void drop_grants_of_strangers(Fit *fit)
{
    g_autoptr(GHashTable) known = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < hb_catalog_count(fit->catalog); i++) {
        const HbObject *object = hb_catalog_get(fit->catalog, i);
        g_autofree char *account = hb_grant_get_grantee(object);
        gpointer there;
        if (account == NULL)
            continue;
        if (!g_hash_table_lookup_extended(known, account, NULL, &there)) {
            there = GINT_TO_POINTER(is_there(fit, account));
            g_hash_table_insert(known, g_steal_pointer(&account), there);
        }
        if (GPOINTER_TO_INT(there))
            continue;
        hb_catalog_add_omission(fit->catalog, object->identity,
                                "that account is not on the target, nor among what is restored");
        g_hash_table_add(fit->gone, object->identity);
    }
}

/* ---- Storage engines ---- */

static GHashTable *read_engines(HbSession *session, GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_query(
        session, "SELECT ENGINE FROM information_schema.ENGINES WHERE SUPPORT IN ('YES', 'DEFAULT')", error);
    GHashTable *engines;
    MYSQL_ROW row;

    if (result == NULL)
        return NULL;
    engines = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    while ((row = mysql_fetch_row(result)) != NULL)
        g_hash_table_add(engines, g_ascii_strdown(row[0], -1));
    return engines;
}

static gboolean drop_foreign_engines(Fit *fit, GError **error)
{
    g_autoptr(GHashTable) engines = read_engines(fit->session, error);

    for (guint i = 0; engines != NULL && i < hb_catalog_count(fit->catalog); i++) {
        const HbObject *object = hb_catalog_get(fit->catalog, i);
        if (object->kind != HB_KIND_TABLE)
            continue;
        g_autoptr(HbShowCreate) text = hb_show_create_read(object->definition, "", NULL);
        g_autofree char *engine = text->engine != NULL ? g_ascii_strdown(text->engine, -1) : NULL;
        if (engine == NULL || g_hash_table_contains(engines, engine))
            continue;
        g_autofree char *why = g_strdup_printf("the target has no storage engine %s: install its plugin there, or "
                                               "dump with another engine",
                                               text->engine);
        hb_catalog_add_omission(fit->catalog, object->identity, why);
        g_hash_table_add(fit->gone, object->identity);
    }
    return engines != NULL;
}

/* ---- Row formats ---- */

/* Behind DEFAULT CHARSET and COLLATE, if they stand there: the server prints a row format after them */
static char *behind_charset(char *at)
{
    static const char *const words[] = {" DEFAULT CHARSET=", " COLLATE="};

    for (gsize w = 0; w < G_N_ELEMENTS(words); w++) {
        if (g_str_has_prefix(at, words[w])) {
            at += strlen(words[w]);
            at += strcspn(at, " ;\n");
        }
    }
    return at;
}

/* InnoDB tables that do not say theirs have the server's default, which the target may have set otherwise */
static gboolean say_row_formats(Fit *fit, GError **error)
{
    static const char mark[] = ") ENGINE=InnoDB";
    const char *here = g_hash_table_lookup(hb_catalog_get_properties(fit->catalog),
                                           HB_SEMANTIC_SETTING_PREFIX "innodb_default_row_format");
    g_autofree char *there = NULL;
    g_autofree char *clause = here != NULL ? g_ascii_strup(here, -1) : NULL;

    if (here == NULL)
        return TRUE;
    if (!hb_my_read_text(fit->session, "SELECT @@innodb_default_row_format", &there, error))
        return FALSE;
    for (guint i = 0; g_strcmp0(here, there) != 0 && i < hb_catalog_count(fit->catalog); i++) {
        HbObject *object = hb_catalog_get(fit->catalog, i);
        char *at = object->kind == HB_KIND_TABLE ? g_strrstr(object->definition, mark) : NULL;
        char *definition;
        if (at == NULL || strstr(at, " ROW_FORMAT=") != NULL)
            continue;
        at = behind_charset(at + strlen(mark));
        definition =
            g_strdup_printf("%.*s ROW_FORMAT=%s%s", (int)(at - object->definition), object->definition, clause, at);
        g_free(object->definition);
        object->definition = definition;
    }
    return TRUE;
}

/* ---- Spatial reference systems ---- */

/* What the server has already needs no privilege to make it */
static gboolean drop_systems_that_are_there(Fit *fit, GError **error)
{
    g_autoptr(HbCatalog) there = hb_catalog_new();

    if (!hb_my_add_spatial_references(fit->session, there, error))
        return FALSE;
    for (guint i = 0; i < hb_catalog_count(fit->catalog); i++) {
        const HbObject *object = hb_catalog_get(fit->catalog, i), *same = hb_catalog_find(there, object->identity);
        if (same == NULL)
            continue;
        g_hash_table_add(fit->gone, object->identity);
        if (strcmp(same->definition, object->definition) != 0)
            hb_catalog_add_omission(fit->catalog, object->identity,
                                    "the target has another one of this number, which stays as it is: check that the "
                                    "values mean the same under it");
    }
    return TRUE;
}

/* ---- Functions and the binary log ---- */

static gboolean report_untrusted_functions(Fit *fit, GError **error)
{
    g_autofree char *refused = NULL;

    if (!hb_my_read_text(fit->session, "SELECT @@log_bin AND NOT @@log_bin_trust_function_creators", &refused, error))
        return FALSE;
    for (guint i = 0; g_strcmp0(refused, "1") == 0 && i < hb_catalog_count(fit->catalog); i++) {
        const HbObject *object = hb_catalog_get(fit->catalog, i);
        if (object->kind != HB_KIND_FUNCTION || strstr(object->definition, "DETERMINISTIC") != NULL ||
            strstr(object->definition, "READS SQL DATA") != NULL || strstr(object->definition, "NO SQL") != NULL)
            continue;
        hb_catalog_add_omission(fit->catalog, object->identity,
                                "the target's binary log refuses functions that do not say what they do to data: run "
                                "SET GLOBAL log_bin_trust_function_creators = ON there first");
    }
    return TRUE;
}

gboolean hb_my_fit_target(const HbAddress *address, HbTargetState state, guint written_for, HbCatalog *catalog,
                          GError **error)
{
    const HbAddress server = {address->uri, state != HB_TARGET_ABSENT ? address->database : "", address->password,
                              address->watch};
    g_autoptr(GHashTable) gone = g_hash_table_new(g_str_hash, g_str_equal);
    Fit fit = {.session = hb_my_open(&server, error), .catalog = catalog, .gone = gone};
    gboolean ok;

    if (fit.session != NULL)
        hb_my_translate(catalog, written_for, fit.session->version);
    ok = fit.session != NULL && drop_foreign_engines(&fit, error) && say_row_formats(&fit, error) &&
         drop_systems_that_are_there(&fit, error) && report_untrusted_functions(&fit, error) &&
         hb_my_fit_privileges(fit.session, written_for, catalog, gone, error);

    if (ok) {
        report_missing_definers(&fit);
        drop_grants_of_strangers(&fit);
        hb_catalog_remove(catalog, gone);
    }
    hb_my_close(fit.session);
    return ok;
}
