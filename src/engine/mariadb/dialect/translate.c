/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/translate.h"

#include "engine/mariadb/dialect/features.h"
#include "engine/mariadb/dialect/grants.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/names.h"
#include "engine/mariadb/dialect/renaming.h"

#include <string.h>

typedef struct {
    HbCatalog *catalog;
    GHashTable *gone; /* identities of what is left out; borrowed */
    gboolean to_maria;
} Translation;

static void omit(const Translation *work, const char *what, const char *why)
{
    hb_catalog_add_omission(work->catalog, what, why);
}

static void leave_out(const Translation *work, HbObject *object, const char *why)
{
    omit(work, object->identity, why);
    g_hash_table_add(work->gone, object->identity);
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
        char *role = in != NULL                ? plain_role(in + strlen(" in "))
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

/* An account is written like a text, a role like a name */
static void write_as_name(HbObject *object, const char *role)
{
    g_autofree char *text = hb_my_quote_literal(role), *name = hb_my_quote_name(role);
    GString *sql = g_string_new(object->definition);

    g_string_replace(sql, text, name, 0);
    define(object, g_string_free(sql, FALSE));
}

static void rename_role(const Translation *work, const char *old_name)
{
    g_autofree char *new_name = g_strndup(old_name, strlen(old_name) - strlen("@%"));
    HbRename rename = {.kind = HB_RENAME_OWNER, .old_name = (char *)old_name, .new_name = new_name};

    for (guint i = 0; i < hb_catalog_count(work->catalog); i++) {
        HbObject *object = hb_catalog_get(work->catalog, i);
        char *renamed = object->definition != NULL ? hb_my_rename(object, object->definition, &rename) : NULL;
        if (renamed == NULL)
            continue;
        define(object, renamed);
        write_as_name(object, new_name);
    }
    hb_catalog_rename(work->catalog, rename_identity, &rename, NULL);
}

static void make_roles(const Translation *work)
{
    g_autoptr(GHashTable) roles = find_roles(work->catalog);
    g_autoptr(GList) names = g_list_sort(g_hash_table_get_keys(roles), (GCompareFunc)strcmp);

    for (GList *at = names; at != NULL; at = at->next)
        rename_role(work, at->data);
    for (guint i = 0; i < hb_catalog_count(work->catalog); i++) {
        HbObject *object = hb_catalog_get(work->catalog, i);
        if (object->kind == HB_KIND_ROLE && strchr(hb_object_get_name(object), '@') == NULL)
            define(object, g_strdup_printf("CREATE ROLE %s;", hb_object_get_name(object)));
    }
}

static void give_host(const Translation *work, const char *old_name, const char *new_name)
{
    HbRename rename = {.kind = HB_RENAME_OWNER, .old_name = (char *)old_name, .new_name = (char *)new_name};

    for (guint i = 0; i < hb_catalog_count(work->catalog); i++) {
        HbObject *object = hb_catalog_get(work->catalog, i);
        char *renamed = object->definition != NULL ? hb_my_rename(object, object->definition, &rename) : NULL;
        if (renamed != NULL)
            define(object, renamed);
    }
    hb_catalog_rename(work->catalog, rename_identity, &rename, NULL);
}

/* MySQL keeps accounts and roles under one name; no account may lose its to a role */
static void make_accounts_of_roles(const Translation *work)
{
    for (guint i = 0; i < hb_catalog_count(work->catalog); i++) {
        HbObject *role = hb_catalog_get(work->catalog, i);
        if (role->kind != HB_KIND_ROLE || !g_str_has_prefix(role->definition, "CREATE ROLE "))
            continue;
        HbToken token = {HB_TOKEN_NAME, hb_object_get_name(role), strlen(hb_object_get_name(role))};
        token.type = *token.start == '`' ? HB_TOKEN_NAME : HB_TOKEN_WORD;
        g_autofree char *old_name = hb_token_unquote(&token), *new_name = g_strconcat(old_name, "@%", NULL);
        g_autofree char *account = hb_my_write_account(old_name, "%");
        g_autofree char *identity = hb_identity_new(HB_KIND_ROLE, account);
        if (hb_catalog_find(work->catalog, identity) != NULL)
            leave_out(work, role, "an account has its name, and MySQL keeps both under one");
        else
            give_host(work, old_name, new_name);
    }
}

/* MariaDB has one default role, and says FOR */
static void translate_default_role(const Translation *work, HbObject *object)
{
    if (replace(object, "^SET DEFAULT ROLE ([^,;]*), .* TO ", "SET DEFAULT ROLE \\1 FOR "))
        omit(work, object->identity, "there can be one default role: the first of them is");
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
    g_autoptr(GRegex) regex = g_regex_new(
        "IDENTIFIED WITH '?mysql_native_password'? AS (?:'(\\*[0-9A-F]{40})'|0x([0-9A-F]+))", G_REGEX_RAW, 0, NULL);
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

static void translate_account(const Translation *work, HbObject *object)
{
    gboolean has_more;
    g_autofree char *hash = find_native_hash(object->definition);
    g_autofree char *options = find_common_options(object->definition, &has_more);
    g_autofree char *before = g_strdup(object->definition);
    const char *name = before + strlen("CREATE USER "), *end = strstr(before, " IDENTIFIED ");

    if (!g_str_has_prefix(before, "CREATE USER ") || end == NULL)
        return;
    if (hash == NULL) {
        g_autofree char *what = g_strdup_printf("password of %s", hb_object_get_name(object));
        omit(work, what,
             "MariaDB cannot check its kind: the account arrives with one that nothing fits. Set a new one, or restore "
             "with --new-passwords FILE");
    }
    if (has_more)
        omit(work, object->identity, "MariaDB knows no attributes, further factors, nor locks after failed logins");
    define(object, g_strdup_printf("CREATE USER %.*s IDENTIFIED BY PASSWORD '%s'%s;", (int)(end - name), name,
                                   hash != NULL ? hash : "invalid", options));
    replace(object, " (REQUIRE NONE|PASSWORD EXPIRE DEFAULT|ACCOUNT UNLOCK)(?=[ ;])", "");
}

/* To MySQL: the account cannot be logged in to before it is given a password there. One that was locked stays so then
 */
static void lock_account(const Translation *work, HbObject *object)
{
    const gboolean was_locked = strstr(object->definition, " ACCOUNT LOCK") != NULL;

    if (g_str_has_prefix(object->definition, "CREATE ROLE "))
        return;
    omit(work, object->identity,
         "MySQL cannot check its password: the account arrives locked. Give it one there: ALTER USER ... IDENTIFIED BY "
         "... ACCOUNT UNLOCK; or restore with --new-passwords FILE");
    define(object, g_strdup_printf("CREATE USER %s%s;", hb_object_get_name(object),
                                   was_locked ? " ACCOUNT LOCK" : HB_MY_LOCKED_FOR_NOW));
}

/* ---- Tables and keys ---- */

#define REGEXP_LIKE "\\bregexp_like\\(((?:`[^`]*`\\.)*`[^`]*`),((?:_\\w+)?'(?:[^'\\\\]|\\\\.|'')*')\\)"

char *hb_my_write_as_operators(const char *sql)
{
    g_autoptr(GRegex) regex = g_regex_new(REGEXP_LIKE, G_REGEX_RAW, 0, NULL);

    return g_regex_replace(regex, sql, -1, 0, "(\\1 regexp \\2)", 0, NULL);
}

static void write_as_operator(HbObject *object)
{
    define(object, hb_my_write_as_operators(object->definition));
}

static void translate_table_for_maria(const Translation *work, HbObject *object)
{
    replace(object, "^(  `(?:[^`]|``)*` \\w+)([^\n]*?) SRID ([0-9]+)", "\\1 REF_SYSTEM_ID=\\3\\2");
    write_as_operator(object);
    replace(object, " ENCRYPTION='Y'", " ENCRYPTED=YES");
    replace(object, " ENCRYPTION='N'", "");
    replace(object, " (SECONDARY_ENGINE|ENGINE_ATTRIBUTE|SECONDARY_ENGINE_ATTRIBUTE)='?[^ ';]*'?", "");
    if (replace(object, ",\n  CONSTRAINT [^\n]* NOT ENFORCED(?=,\n|\n\\))", "")) {
        g_autofree char *what = g_strdup_printf("check that is not enforced of %s", object->identity);
        omit(work, what, "MariaDB enforces all of them: it is left out");
    }
    if (replace(object, "^(  `(?:[^`]|``)*`) json\\b", "\\1 longtext CHARACTER SET utf8mb4 COLLATE utf8mb4_bin")) {
        g_autofree char *what = g_strdup_printf("JSON columns of %s", object->identity);
        omit(work, what, "to MariaDB they are texts, whose form it does not demand");
    }
}

static void translate_index_for_maria(const Translation *work, HbObject *object)
{
    if (strstr(object->definition, "((") != NULL)
        leave_out(work, object, "MariaDB has no keys over expressions: add a generated column and a key over that");
    else
        replace(object, " INVISIBLE;$", " IGNORED;");
}

/* MariaDB cannot take a part back: without that more would be granted than here */
static void translate_global_grant(const Translation *work, HbObject *object)
{
    if (g_str_has_prefix(object->definition, "REVOKE ") || strstr(object->definition, "\nREVOKE ") != NULL)
        leave_out(work, object, "parts of it are revoked, which MariaDB does not do: it would be granted more");
}

static void translate_for_maria(const Translation *work, HbObject *object)
{
    switch (object->kind) {
    case HB_KIND_GLOBAL_GRANT:
        translate_global_grant(work, object);
        break;
    case HB_KIND_ROLE:
        translate_account(work, object);
        break;
    case HB_KIND_ROLE_SETTING:
        translate_default_role(work, object);
        break;
    case HB_KIND_TABLE:
        translate_table_for_maria(work, object);
        break;
    case HB_KIND_INDEX:
        translate_index_for_maria(work, object);
        break;
    case HB_KIND_VIEW:
        write_as_operator(object);
        break;
    case HB_KIND_STATISTICS:
        leave_out(work, object,
                  "MariaDB gathers histograms in another way: ANALYZE TABLE ... PERSISTENT FOR ALL there");
        break;
    case HB_KIND_DATABASE_SETTING:
        if (strcmp(hb_object_get_name(object), "encryption") == 0)
            leave_out(work, object, "MariaDB encrypts by table, or all");
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
    {",\n  PERIOD FOR [^\n]*(?=,\n|\n\\))", "", "there are no periods"},
    {" REF_SYSTEM_ID=([0-9]+)", " SRID \\1", NULL},
    {" DEFAULT ((?!current_timestamp)\\w+\\([^()\n]*(?:\\([^()\n]*\\)[^()\n]*)*\\))", " DEFAULT (\\1)", NULL},
    {"^(  `(?:[^`]|``)*` (?:tiny|medium|long)?(?:text|blob)\\b[^\n]*?) DEFAULT ('(?:[^'\\\\\n]|\\\\.|'')*')",
     "\\1 DEFAULT (\\2)", NULL},
    {" (PAGE_CHECKSUM|TRANSACTIONAL)=[01]", "", NULL},
    {"`?PAGE_COMPRESSED`?='?(ON|1|YES)'?", "", "pages are compressed in another way"},
};

static void translate_table_for_mysql(const Translation *work, HbObject *object)
{
    for (gsize i = 0; i < G_N_ELEMENTS(to_mysql); i++) {
        g_autofree char *what = g_strdup_printf("in %s", object->identity);
        if (replace(object, to_mysql[i].pattern, to_mysql[i].by) && to_mysql[i].why != NULL)
            omit(work, what, to_mysql[i].why);
    }
    if (strstr(object->definition, " WITHOUT OVERLAPS") != NULL)
        leave_out(work, object, "a key of it is over a period, which MySQL has not");
    if (strstr(object->definition, " WITH SYSTEM VERSIONING") != NULL)
        leave_out(work, object,
                  "MySQL keeps no histories, and its rows hold one: drop the versioning in the source first");
    if (strstr(object->definition, "nextval(") != NULL || strstr(object->definition, "lastval(") != NULL)
        leave_out(work, object, "a default of it takes the next value of a sequence, which MySQL has not");
}

static void translate_for_mysql(const Translation *work, HbObject *object)
{
    if (object->kind == HB_KIND_FUNCTION && strstr(object->definition, " AGGREGATE FUNCTION ") != NULL) {
        leave_out(work, object, "MySQL has no aggregate functions of users");
        return;
    }
    if ((object->kind == HB_KIND_GRANT || object->kind == HB_KIND_GLOBAL_GRANT) &&
        g_str_has_prefix(hb_object_get_name(object), "PUBLIC on ")) {
        leave_out(work, object, "MySQL grants nothing to everybody at once");
        return;
    }
    switch (object->kind) {
    case HB_KIND_ROLE:
        lock_account(work, object);
        break;
    case HB_KIND_ROLE_SETTING:
        replace(object, "^(SET DEFAULT ROLE .*) FOR ", "\\1 TO ");
        break;
    case HB_KIND_TABLE:
        translate_table_for_mysql(work, object);
        break;
    case HB_KIND_INDEX:
        replace(object, " IGNORED;$", " INVISIBLE;");
        break;
    case HB_KIND_SEQUENCE:
    case HB_KIND_PACKAGE:
    case HB_KIND_PACKAGE_BODY:
    case HB_KIND_AGGREGATE:
        leave_out(work, object, "MySQL has nothing like it");
        break;
    case HB_KIND_DATABASE_SETTING:
        if (strcmp(hb_object_get_name(object), "comment") == 0)
            leave_out(work, object, "MySQL keeps no comments on databases");
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

static void leave_out_dependents(const Translation *work)
{
    for (guint i = 0; i < hb_catalog_count(work->catalog); i++) {
        HbObject *object = hb_catalog_get(work->catalog, i);
        for (guint n = 0; n < object->needs->len && !g_hash_table_contains(work->gone, object->identity); n++) {
            g_autofree char *why = g_strdup_printf("it needs %s, which is left out", (char *)object->needs->pdata[n]);
            if (!g_hash_table_contains(work->gone, object->needs->pdata[n]) ||
                is_index_below(object, object->needs->pdata[n]))
                continue;
            if (object->kind == HB_KIND_ROWS)
                g_hash_table_add(work->gone, object->identity);
            else
                leave_out(work, object, why);
        }
    }
}

/* ---- Modes that programs were written in ---- */

/* What no version of a product knows, or no version any more; those are refused when they are set */
static const struct {
    const char *mode;
    gboolean of_maria; /* MariaDB knows it */
    guint mysql_until; /* MySQL knew it before this version; 0: it never did; G_MAXUINT: it does */
} modes[] = {
    {"NO_AUTO_CREATE_USER", TRUE, 80000},
    {"NO_KEY_OPTIONS", TRUE, 80000},
    {"NO_TABLE_OPTIONS", TRUE, 80000},
    {"NO_FIELD_OPTIONS", TRUE, 80000},
    {"ORACLE", TRUE, 80000},
    {"MSSQL", TRUE, 80000},
    {"DB2", TRUE, 80000},
    {"POSTGRESQL", TRUE, 80000},
    {"MAXDB", TRUE, 80000},
    {"MYSQL323", TRUE, 80000},
    {"MYSQL40", TRUE, 80000},
    {"IGNORE_BAD_TABLE_OPTIONS", TRUE, 0},
    {"EMPTY_STRING_IS_NULL", TRUE, 0},
    {"SIMULTANEOUS_ASSIGNMENT", TRUE, 0},
    {"TIME_ROUND_FRACTIONAL", TRUE, 0},
    {"TIME_TRUNCATE_FRACTIONAL", FALSE, G_MAXUINT},
};

static gboolean knows_mode(const char *mode, guint version)
{
    for (gsize i = 0; i < G_N_ELEMENTS(modes); i++) {
        if (strcmp(modes[i].mode, mode) == 0)
            return hb_my_version_is_maria(version) ? modes[i].of_maria : version < modes[i].mysql_until;
    }
    return TRUE;
}

/* They say nothing to what is run: of those that do, a program is left out as a whole */
static void forget_modes(HbObject *object, guint version)
{
    static const char begin[] = "SET sql_mode = '";
    const char *list = object->definition != NULL && g_str_has_prefix(object->definition, begin)
                           ? object->definition + strlen(begin)
                           : NULL;
    const char *end = list != NULL ? strchr(list, '\'') : NULL;
    g_autofree char *text = end != NULL ? g_strndup(list, (gsize)(end - list)) : g_strdup("");
    g_auto(GStrv) names = g_strsplit(text, ",", -1);
    GString *kept = g_string_new(NULL);

    for (char **name = names; *name != NULL; name++) {
        if (knows_mode(*name, version))
            g_string_append_printf(kept, "%s%s", kept->len > 0 ? "," : "", *name);
    }
    if (end != NULL && strcmp(kept->str, text) != 0)
        define(object, g_strdup_printf("%s%s%s", begin, kept->str, end));
    g_string_free(kept, TRUE);
}

/* What MariaDB has learnt, and how versions before that are told */
static const struct {
    guint since;
    const char *pattern, *by, *why;
} learnt[] = {
    {100600, "(COLLATE[ =])utf8mb3_", "\\1utf8_", NULL},
    {100600, "(KEY [^\n]*\\)) IGNORED", "\\1", "a key is not ignored there"},
    {100700, "^(  `(?:[^`]|``)*`) uuid\\b", "\\1 char(36) CHARACTER SET ascii", "a UUID is a text there"},
    {101000, "^(  `(?:[^`]|``)*`) inet4\\b", "\\1 varchar(15) CHARACTER SET ascii", "an address is a text there"},
    {110700, "^(  `(?:[^`]|``)*`) vector\\(\\d+\\)", "\\1 blob", "a vector is bytes there"},
};

static void translate_for_older(const Translation *work, HbObject *object, guint to)
{
    g_autofree char *what = g_strdup_printf("in %s", object->identity);

    for (gsize i = 0; i < G_N_ELEMENTS(learnt); i++) {
        if (to < learnt[i].since && replace(object, learnt[i].pattern, learnt[i].by) && learnt[i].why != NULL)
            omit(work, what, learnt[i].why);
    }
}

void hb_my_translate(HbCatalog *catalog, guint from, guint to)
{
    g_autoptr(GHashTable) gone = g_hash_table_new(g_str_hash, g_str_equal);
    const Translation work = {catalog, gone, hb_my_version_is_maria(to)};
    const gboolean is_other = work.to_maria != hb_my_version_is_maria(from);

    if (is_other)
        (work.to_maria ? make_roles : make_accounts_of_roles)(&work);
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        object->is_translated = is_other;
        forget_modes(object, to);
        if (is_other && object->definition != NULL)
            (work.to_maria ? translate_for_maria : translate_for_mysql)(&work, object);
        if (work.to_maria && (object->kind == HB_KIND_TABLE || object->kind == HB_KIND_INDEX))
            translate_for_older(&work, object, to);
    }
    if (!is_other)
        return;
    leave_out_dependents(&work);
    hb_catalog_remove(catalog, gone);
}
