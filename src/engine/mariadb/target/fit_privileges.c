/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/target/fit_privileges.h"

#include "engine/mariadb/dialect/split_statements.h"

#include <string.h>

typedef struct {
    HbSession *session;
    HbCatalog *catalog;
    GHashTable *known; /* privileges that the target has, in capitals */
    GHashTable *gone;
    guint written_for;
} Fit;

/* The server's own list, in capitals; NULL on error */
static GHashTable *read_known(HbSession *session, GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_query(session, "SHOW PRIVILEGES", error);
    GHashTable *known;
    MYSQL_ROW row;

    if (result == NULL)
        return NULL;
    known = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    g_hash_table_add(known, g_strdup("ALL"));
    g_hash_table_add(known, g_strdup("ALL PRIVILEGES"));
    while ((row = mysql_fetch_row(result)) != NULL)
        g_hash_table_add(known, g_ascii_strup(row[0], -1));
    return known;
}

/* The privilege of "SELECT (a, b)", in capitals; the caller's */
static char *name_of(const char *privilege)
{
    char *name = g_ascii_strup(privilege, (gssize)strcspn(privilege, "("));

    return g_strstrip(name);
}

/* Up to the comma that parts two privileges; columns are parted by commas, too, in parentheses */
static const char *end_of_privilege(const char *at)
{
    HbToken token;
    int depth = 0;

    for (const char *next = at; (token = hb_my_next(&next)).type != HB_TOKEN_END; at = next) {
        depth += hb_my_token_is_sign(&token, '(') - hb_my_token_is_sign(&token, ')');
        if (depth == 0 && hb_my_token_is_sign(&token, ','))
            return token.start;
    }
    return at + strlen(at);
}

static void append_word(GString *list, const char *word)
{
    g_string_append_printf(list, "%s%s", list->len > 0 ? ", " : "", word);
}

/* What is the same by another name, where the target has only that; NULL: there is none */
static const char *find_synonym(const Fit *fit, const char *name)
{
    static const char *const pairs[][2] = {{"REPLICATION CLIENT", "BINLOG MONITOR"},
                                           {"SET USER", "SET_ANY_DEFINER"},
                                           {"CONNECTION ADMIN", "CONNECTION_ADMIN"},
                                           {"BINLOG ADMIN", "BINLOG_ADMIN"},
                                           {"REPLICATION SLAVE ADMIN", "REPLICATION_SLAVE_ADMIN"}};

    for (gsize i = 0; i < G_N_ELEMENTS(pairs) && !g_hash_table_contains(fit->known, name); i++) {
        for (int side = 0; side < 2; side++) {
            if (strcmp(pairs[i][side], name) == 0 && g_hash_table_contains(fit->known, pairs[i][1 - side]))
                return pairs[i][1 - side];
        }
    }
    return NULL;
}

/* The privileges of a list that the target knows; the others are added to lost. The caller's */
static char *keep_known(const Fit *fit, const char *privileges, GString *lost)
{
    GString *kept = g_string_new(NULL);

    while (*privileges != '\0') {
        const char *end = end_of_privilege(privileges);
        g_autofree char *privilege = g_strstrip(g_strndup(privileges, (gsize)(end - privileges)));
        g_autofree char *name = name_of(privilege);
        const char *synonym = find_synonym(fit, name);
        append_word(g_hash_table_contains(fit->known, name) || synonym != NULL ? kept : lost,
                    synonym != NULL ? synonym : privilege);
        privileges = end + (*end == ',');
    }
    return g_string_free(kept, FALSE);
}

/* What SUPER included before MariaDB 11.0, and has to be granted by name since then */
static const char once_of_super[] =
    "BINLOG ADMIN, BINLOG MONITOR, BINLOG REPLAY, CONNECTION ADMIN, FEDERATED ADMIN, READ_ONLY ADMIN, "
    "REPLICATION MASTER ADMIN, REPLICATION SLAVE ADMIN, SET USER, SLAVE MONITOR";

static gboolean loses_super(const Fit *fit, const char *privileges)
{
    g_auto(GStrv) words = g_strsplit(privileges, ", ", -1);

    return g_strv_contains((const char *const *)words, "SUPER") && hb_my_can(fit->session, HB_MY_SUPER_MEANS_LESS) &&
           !hb_my_version_can(fit->written_for, HB_MY_SUPER_MEANS_LESS);
}

/* Those that stand there already are granted twice, which is no harm */
static char *widen_super(const Fit *fit, char *privileges)
{
    g_autoptr(GString) ignored = g_string_new(NULL);
    g_autofree char *named = NULL;
    char *wide;

    if (!loses_super(fit, privileges))
        return privileges;
    named = keep_known(fit, once_of_super, ignored);
    wide = g_strdup_printf("%s, %s", privileges, named);
    g_free(privileges);
    return wide;
}

/* "GRANT SELECT, NEW ONE ON *.* TO ida" as the target takes it; NULL if nothing is left of it. The caller's */
static char *fit_statement(const Fit *fit, const char *statement, GString *lost)
{
    static const char grant[] = "GRANT ";
    const char *at = statement, *privileges = statement + strlen(grant);
    HbToken token;

    if (!g_str_has_prefix(statement, grant))
        return g_strdup(statement);
    while ((token = hb_my_next(&at)).type != HB_TOKEN_END && !hb_token_is_word(&token, "ON"))
        ;
    if (token.type == HB_TOKEN_END || g_str_has_prefix(privileges, "PROXY "))
        return g_strdup(statement); /* of a role, or an account */
    g_autofree char *list = g_strstrip(g_strndup(privileges, (gsize)(token.start - privileges)));
    g_autofree char *kept = widen_super(fit, keep_known(fit, list, lost));
    return *kept != '\0' ? g_strconcat(grant, kept, " ", token.start, NULL) : NULL;
}

static void fit_object(Fit *fit, HbObject *object)
{
    g_autoptr(GPtrArray) statements = hb_my_split_statements(object->definition);
    g_autoptr(GString) lost = g_string_new(NULL), sql = g_string_new(NULL);

    for (guint i = 0; i < statements->len; i++) {
        g_autofree char *fitted = fit_statement(fit, statements->pdata[i], lost);
        if (fitted != NULL)
            g_string_append_printf(sql, "%s%s;", sql->len > 0 ? "\n" : "", fitted);
    }
    if (lost->len > 0) {
        g_autofree char *why =
            g_strdup_printf("the target does not know %s%s", lost->str, sql->len > 0 ? "; the rest is granted" : "");
        hb_catalog_add_omission(fit->catalog, object->identity, why);
    }
    if (sql->len == 0) {
        g_hash_table_add(fit->gone, object->identity);
        return;
    }
    g_free(object->definition);
    object->definition = g_strdup(sql->str);
}

/* Without what is taken away again, an account would be granted more than it has */
static gboolean is_revoked_in_vain(HbSession *session, const HbObject *object)
{
    g_autofree char *allowed = NULL;

    return strstr(object->definition, "\nREVOKE ") != NULL &&
           (!hb_my_read_text(session, "SELECT @@global.partial_revokes", &allowed, NULL) ||
            g_strcmp0(allowed, "1") != 0);
}

gboolean hb_my_fit_privileges(HbSession *session, guint written_for, HbCatalog *catalog, GHashTable *gone,
                              GError **error)
{
    Fit fit = {.session = session,
               .catalog = catalog,
               .known = read_known(session, error),
               .gone = gone,
               .written_for = written_for};

    for (guint i = 0; fit.known != NULL && i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        if (object->kind != HB_KIND_GRANT && object->kind != HB_KIND_GLOBAL_GRANT)
            continue;
        if (is_revoked_in_vain(session, object)) {
            hb_catalog_add_omission(catalog, object->identity,
                                    "parts of it are revoked, which the target does not do: it would be granted more. "
                                    "On MySQL, run SET GLOBAL partial_revokes = ON there, and restore the users again");
            g_hash_table_add(gone, object->identity);
        } else {
            fit_object(&fit, object);
        }
    }
    if (fit.known == NULL)
        return FALSE;
    g_hash_table_unref(fit.known);
    return TRUE;
}
