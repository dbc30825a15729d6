/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/target/fit_product.h"

#include "engine/mariadb/dialect/grants.h"
#include "engine/mariadb/dialect/renaming.h"
#include "engine/mariadb/session/features.h"

#include <string.h>

typedef struct {
    HbSession *session;
    HbCatalog *catalog;
    GHashTable *gone;
    gboolean to_maria;
} Fit;

static void omit(const Fit *fit, const char *what, const char *why)
{
    hb_catalog_add_omission(fit->catalog, what, why);
}

static void leave_out(const Fit *fit, HbObject *object, const char *why)
{
    omit(fit, object->identity, why);
    g_hash_table_add(fit->gone, object->identity);
}

static void define(HbObject *object, char *definition_taken)
{
    g_free(object->definition);
    object->definition = definition_taken;
}

/* Replaces by a regular expression; TRUE if it was found */
static gboolean replace(HbObject *object, const char *pattern, const char *by)
{
    g_autoptr(GRegex) regex = g_regex_new(pattern, G_REGEX_RAW | G_REGEX_MULTILINE, 0, NULL);

    if (!g_regex_match(regex, object->definition, 0, NULL))
        return FALSE;
    define(object, g_regex_replace(regex, object->definition, -1, 0, by, 0, NULL));
    return TRUE;
}

/* ---- Roles ---- */

/* "gardener@%" of 'gardener'@'%', as renames say it; NULL: it has another host, and cannot be a role. The caller's */
static char *plain_role(const char *account)
{
    const char *at = account;
    HbToken user = hb_my_next(&at), sign = hb_my_next(&at), host = hb_my_next(&at);
    g_autofree char *name = NULL;

    if (!hb_my_token_is_sign(&sign, '@') || host.length != 3 || strncmp(host.start + 1, "%", 1) != 0)
        return NULL;
    user.type = HB_TOKEN_NAME;
    name = hb_token_unquote(&user);
    return g_strconcat(name, "@%", NULL);
}

/* Nobody can log in to it: a role that has no members yet */
static gboolean looks_like_role(const HbObject *object)
{
    return object->kind == HB_KIND_ROLE && strstr(object->definition, " AS ") == NULL &&
           strstr(object->definition, "PASSWORD EXPIRE ACCOUNT LOCK") != NULL;
}

/* The plain names of accounts that are roles; the caller's */
static GHashTable *find_roles(const HbCatalog *catalog)
{
    GHashTable *roles = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        const char *in = object->kind == HB_KIND_MEMBERSHIP ? strstr(object->identity, " in ") : NULL;
        char *role = in != NULL                   ? plain_role(in + strlen(" in "))
                     : looks_like_role(object) ? plain_role(hb_object_get_name(object))
                                               : NULL;
        if (role != NULL)
            g_hash_table_add(roles, role);
    }
    return roles;
}

static char *rename_identity(gpointer data, const char *identity)
{
    return hb_my_rename_identity(identity, data);
}

static void rename_role(const Fit *fit, const char *old_name)
{
    g_autofree char *new_name = g_strndup(old_name, strlen(old_name) - strlen("@%"));
    HbRename rename = {.kind = HB_RENAME_OWNER, .old_name = (char *)old_name, .new_name = new_name};

    for (guint i = 0; i < hb_catalog_count(fit->catalog); i++) {
        HbObject *object = hb_catalog_get(fit->catalog, i);
        char *renamed = object->definition != NULL ? hb_my_rename(object, object->definition, &rename) : NULL;
        if (renamed != NULL)
            define(object, renamed);
    }
    hb_catalog_rename(fit->catalog, rename_identity, &rename, NULL);
}

static void make_roles(const Fit *fit)
{
    g_autoptr(GHashTable) roles = find_roles(fit->catalog);
    g_autoptr(GList) names = g_list_sort(g_hash_table_get_keys(roles), (GCompareFunc)strcmp);

    for (GList *at = names; at != NULL; at = at->next)
        rename_role(fit, at->data);
    for (guint i = 0; i < hb_catalog_count(fit->catalog); i++) {
        HbObject *object = hb_catalog_get(fit->catalog, i);
        if (object->kind == HB_KIND_ROLE && strchr(hb_object_get_name(object), '@') == NULL)
            define(object, g_strdup_printf("CREATE ROLE %s;", hb_object_get_name(object)));
    }
}

/* MariaDB has one default role, and says FOR */
static void fit_default_role(const Fit *fit, HbObject *object)
{
    if (replace(object, "^SET DEFAULT ROLE ([^,;]*), .* TO ", "SET DEFAULT ROLE \\1 FOR "))
        omit(fit, object->identity, "there can be one default role: the first of them is");
    else
        replace(object, "^(SET DEFAULT ROLE .*) TO ", "\\1 FOR ");
}

/* ---- Accounts ---- */

/* Hexadecimal digits as a text; the caller's */
static char *read_digits(const char *digits)
{
    GString *text = g_string_new(NULL);

    for (; g_ascii_isxdigit(digits[0]) && g_ascii_isxdigit(digits[1]); digits += 2)
        g_string_append_c(text, (char)(g_ascii_xdigit_value(digits[0]) << 4 | g_ascii_xdigit_value(digits[1])));
    return g_string_free(text, FALSE);
}

/* The hash of an account that both products can check; NULL: it has another. The caller's */
static char *find_native_hash(const char *create)
{
    g_autoptr(GRegex) regex = g_regex_new("IDENTIFIED WITH '?mysql_native_password'? AS (?:'(\\*[0-9A-F]{40})'|0x([0-9A-F]+))",
                                          G_REGEX_RAW, 0, NULL);
    g_autoptr(GMatchInfo) match = NULL;
    g_autofree char *text = NULL, *digits = NULL;

    if (!g_regex_match(regex, create, 0, &match))
        return NULL;
    text = g_match_info_fetch(match, 1);
    digits = g_match_info_fetch(match, 2);
    return text != NULL && *text != '\0' ? g_steal_pointer(&text) : read_digits(digits);
}

/* REQUIRE, limits, expiry and lock, which both say alike; what follows only MySQL knows. The caller's */
static char *find_common_options(const char *create, gboolean *has_more)
{
    const char *start = strstr(create, " REQUIRE "), *end = strstr(create, " PASSWORD HISTORY ");

    *has_more = strstr(create, " FAILED_LOGIN_ATTEMPTS ") != NULL || strstr(create, " ATTRIBUTE ") != NULL ||
                strstr(create, " AND IDENTIFIED ") != NULL;
    if (start == NULL)
        return g_strdup("");
    return end != NULL && end > start ? g_strndup(start, (gsize)(end - start)) : g_strndup(start, strcspn(start, ";"));
}

static void fit_account(const Fit *fit, HbObject *object)
{
    gboolean has_more;
    g_autofree char *hash = find_native_hash(object->definition);
    g_autofree char *options = find_common_options(object->definition, &has_more);

    if (!g_str_has_prefix(object->definition, "CREATE USER "))
        return;
    if (hash == NULL) {
        g_autofree char *what = g_strdup_printf("password of %s", hb_object_get_name(object));
        omit(fit, what,
             "MariaDB cannot check its kind: the account arrives with one that nothing fits. Set a new one, or restore "
             "with --new-passwords FILE");
    }
    if (has_more)
        omit(fit, object->identity, "MariaDB knows no attributes, further factors, nor locks after failed logins");
    define(object, g_strdup_printf("CREATE USER %s IDENTIFIED VIA mysql_native_password USING '%s'%s;",
                                   hb_object_get_name(object), hash != NULL ? hash : "invalid", options));
}

/* To MySQL: the account cannot be logged in to before it is given a password there */
static void lock_account(const Fit *fit, HbObject *object)
{
    if (g_str_has_prefix(object->definition, "CREATE ROLE "))
        return;
    omit(fit, object->identity,
         "MySQL cannot check its password: the account arrives locked. Give it one there: ALTER USER ... IDENTIFIED BY "
         "... ACCOUNT UNLOCK");
    define(object, g_strdup_printf("CREATE USER %s ACCOUNT LOCK;", hb_object_get_name(object)));
}

/* ---- Tables and keys ---- */

/* MySQL writes the operator REGEXP as a function, which MariaDB does not know */
static void write_as_operator(HbObject *object)
{
    replace(object, "\\bregexp_like\\(((?:`[^`]*`\\.)*`[^`]*`),((?:_\\w+)?'(?:[^'\\\\]|\\\\.|'')*')\\)", "(\\1 regexp \\2)");
}

static void fit_table_for_maria(const Fit *fit, HbObject *object)
{
    replace(object, "^(  `(?:[^`]|``)*` \\w+)([^\n]*?) SRID ([0-9]+)", "\\1 REF_SYSTEM_ID=\\3\\2");
    write_as_operator(object);
    replace(object, " ENCRYPTION='Y'", " ENCRYPTED=YES");
    replace(object, " ENCRYPTION='N'", "");
    replace(object, " (SECONDARY_ENGINE|ENGINE_ATTRIBUTE|SECONDARY_ENGINE_ATTRIBUTE)='?[^ ';]*'?", "");
    if (replace(object, ",\n  CONSTRAINT [^\n]* NOT ENFORCED(?=,\n|\n\\))", "")) {
        g_autofree char *what = g_strdup_printf("check that is not enforced of %s", object->identity);
        omit(fit, what, "MariaDB enforces all of them: it is left out");
    }
    if (replace(object, "^(  `(?:[^`]|``)*`) json\\b", "\\1 longtext CHARACTER SET utf8mb4 COLLATE utf8mb4_bin")) {
        g_autofree char *what = g_strdup_printf("JSON columns of %s", object->identity);
        omit(fit, what, "to MariaDB they are texts, whose form it does not demand");
    }
}

static void fit_index_for_maria(const Fit *fit, HbObject *object)
{
    if (strstr(object->definition, "((") != NULL)
        leave_out(fit, object, "MariaDB has no keys over expressions: add a generated column and a key over that");
    else
        replace(object, " INVISIBLE;$", " IGNORED;");
}

static void fit_for_maria(const Fit *fit, HbObject *object)
{
    switch (object->kind) {
    case HB_KIND_ROLE:
        fit_account(fit, object);
        break;
    case HB_KIND_ROLE_SETTING:
        fit_default_role(fit, object);
        break;
    case HB_KIND_TABLE:
        fit_table_for_maria(fit, object);
        break;
    case HB_KIND_INDEX:
        fit_index_for_maria(fit, object);
        break;
    case HB_KIND_VIEW:
        write_as_operator(object);
        break;
    case HB_KIND_STATISTICS:
        leave_out(fit, object, "MariaDB gathers histograms in another way: ANALYZE TABLE ... PERSISTENT FOR ALL there");
        break;
    case HB_KIND_DATABASE_SETTING:
        if (strcmp(hb_object_get_name(object), "encryption") == 0)
            leave_out(fit, object, "MariaDB encrypts by table, or all");
        break;
    default:
        break;
    }
}

/* What a table of MariaDB says that MySQL does not understand */
static const struct {
    const char *pattern, *by, *why;
} to_mysql[] = {
    {" /\\*M?!100301 COMPRESSED\\*/", "", "columns are not compressed one by one"},
    {"^(  `(?:[^`]|``)*`) uuid\\b", "\\1 char(36) CHARACTER SET ascii", "a UUID is a text there"},
    {"^(  `(?:[^`]|``)*`) inet[46]\\b", "\\1 varchar(45) CHARACTER SET ascii", "an address is a text there"},
    {" WITH SYSTEM VERSIONING", "", "there are no histories: only current rows arrive"},
    {",\n  PERIOD FOR [^\n]*(?=,\n|\n\\))", "", "there are no periods"},
    {" REF_SYSTEM_ID=([0-9]+)", " SRID \\1", NULL},
    {" (PAGE_CHECKSUM|TRANSACTIONAL)=[01]", "", NULL},
    {"`?PAGE_COMPRESSED`?='?(ON|1|YES)'?", "", "pages are compressed in another way"},
};

static void fit_table_for_mysql(const Fit *fit, HbObject *object)
{
    for (gsize i = 0; i < G_N_ELEMENTS(to_mysql); i++) {
        g_autofree char *what = g_strdup_printf("in %s", object->identity);
        if (replace(object, to_mysql[i].pattern, to_mysql[i].by) && to_mysql[i].why != NULL)
            omit(fit, what, to_mysql[i].why);
    }
    if (strstr(object->definition, "nextval(") != NULL || strstr(object->definition, "lastval(") != NULL)
        leave_out(fit, object, "a default of it takes the next value of a sequence, which MySQL has not");
}

static void fit_for_mysql(const Fit *fit, HbObject *object)
{
    switch (object->kind) {
    case HB_KIND_ROLE:
        lock_account(fit, object);
        break;
    case HB_KIND_ROLE_SETTING:
        replace(object, "^(SET DEFAULT ROLE .*) FOR ", "\\1 TO ");
        break;
    case HB_KIND_TABLE:
        fit_table_for_mysql(fit, object);
        break;
    case HB_KIND_INDEX:
        replace(object, " IGNORED;$", " INVISIBLE;");
        break;
    case HB_KIND_SEQUENCE:
    case HB_KIND_PACKAGE:
    case HB_KIND_PACKAGE_BODY:
    case HB_KIND_AGGREGATE:
        leave_out(fit, object, "MySQL has nothing like it");
        break;
    case HB_KIND_DATABASE_SETTING:
        if (strcmp(hb_object_get_name(object), "comment") == 0)
            leave_out(fit, object, "MySQL keeps no comments on databases");
        break;
    default:
        break;
    }
}

/* ---- What hangs on what is left out ---- */

/* A foreign key comes after all indexes of its table, and needs none of them by name */
static gboolean is_index_below(const HbObject *object, const char *need)
{
    return object->kind == HB_KIND_FOREIGN_KEY && g_str_has_prefix(need, "index ");
}

static void leave_out_dependents(const Fit *fit)
{
    for (guint i = 0; i < hb_catalog_count(fit->catalog); i++) {
        HbObject *object = hb_catalog_get(fit->catalog, i);
        for (guint n = 0; n < object->needs->len && !g_hash_table_contains(fit->gone, object->identity); n++) {
            g_autofree char *why = g_strdup_printf("it needs %s, which is left out", (char *)object->needs->pdata[n]);
            if (!g_hash_table_contains(fit->gone, object->needs->pdata[n]) || is_index_below(object, object->needs->pdata[n]))
                continue;
            if (object->kind == HB_KIND_ROWS)
                g_hash_table_add(fit->gone, object->identity);
            else
                leave_out(fit, object, why);
        }
    }
}

void hb_my_fit_product(HbSession *session, guint written_for, HbCatalog *catalog, GHashTable *gone)
{
    const Fit fit = {session, catalog, gone, hb_my_version_is_maria(session->version)};

    if (fit.to_maria == hb_my_version_is_maria(written_for))
        return;
    if (fit.to_maria)
        make_roles(&fit);
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        if (object->definition == NULL)
            continue;
        if (fit.to_maria)
            fit_for_maria(&fit, object);
        else
            fit_for_mysql(&fit, object);
    }
    leave_out_dependents(&fit);
}
