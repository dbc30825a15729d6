/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/translate_inner.h"

#include "engine/mariadb/dialect/features.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/program_heads.h"

#include <string.h>

void hb_my_translate_omit(const HbMyTranslation *work, const char *what, const char *why)
{
    hb_catalog_add_omission(work->catalog, what, why);
}

void hb_my_translate_leave_out(const HbMyTranslation *work, HbObject *object, const char *why)
{
    hb_my_translate_omit(work, object->identity, why);
    g_hash_table_add(work->gone, object->identity);
}

void hb_my_translate_define(HbObject *object, char *definition_taken)
{
    g_free(object->definition);
    object->definition = definition_taken;
}

/* Replaces by a regular expression; TRUE if it was found */
gboolean hb_my_translate_replace(HbObject *object, const char *pattern, const char *by)
{
    g_autoptr(GRegex) regex = g_regex_new(pattern, G_REGEX_RAW | G_REGEX_MULTILINE, 0, NULL);

    if (!g_regex_match(regex, object->definition, 0, NULL))
        return FALSE;
    hb_my_translate_define(object, g_regex_replace(regex, object->definition, -1, 0, by, 0, NULL));
    return TRUE;
}

/* ---- Tables and keys ---- */

/* What stands in the parentheses that begin at `at`: where its only comma and its end are. FALSE: there are not two */
static gboolean find_both(const char *at, const char **comma, const char **end)
{
    HbToken token;
    int depth = 0;

    *comma = NULL;
    do {
        *end = at;
        token = hb_lexer_read_token(&hb_my_rules, &at);
        depth += hb_my_token_is_sign(&token, '(') - hb_my_token_is_sign(&token, ')');
        if (depth == 1 && hb_my_token_is_sign(&token, ',')) {
            if (*comma != NULL)
                return FALSE;
            *comma = token.start;
        }
    } while (depth > 0 && token.type != HB_TOKEN_END);
    return *comma != NULL && token.type != HB_TOKEN_END;
}

static char *write_part(const char *start, const char *end)
{
    g_autofree char *part = g_strndup(start, (gsize)(end - start));

    return hb_my_write_as_operators(part);
}

char *hb_my_write_as_operators(const char *sql)
{
    GString *result = g_string_new(NULL);
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_my_rules, &sql)).type != HB_TOKEN_END) {
        const char *comma, *end;
        if (!hb_token_is_word(&token, "regexp_like") || *sql != '(' || !find_both(sql, &comma, &end)) {
            g_string_append_len(result, token.start, (gssize)token.length);
            continue;
        }
        g_autofree char *text = write_part(sql + 1, comma), *pattern = write_part(comma + 1, end);
        g_string_append_printf(result, "(%s regexp %s)", text, pattern);
        sql = end + 1;
    }
    return g_string_free(result, FALSE);
}

static void write_as_operator(HbObject *object)
{
    hb_my_translate_define(object, hb_my_write_as_operators(object->definition));
}

static void translate_table_for_maria(const HbMyTranslation *work, HbObject *object)
{
    hb_my_translate_replace(object, "^(  `(?:[^`]|``)*` \\w+)([^\n]*?) SRID ([0-9]+)", "\\1 REF_SYSTEM_ID=\\3\\2");
    write_as_operator(object);
    hb_my_translate_replace(object, " ENCRYPTION='Y'", " ENCRYPTED=YES");
    hb_my_translate_replace(object, " ENCRYPTION='N'", "");
    hb_my_translate_replace(object, " (SECONDARY_ENGINE|ENGINE_ATTRIBUTE|SECONDARY_ENGINE_ATTRIBUTE)='?[^ ';]*'?", "");
    if (hb_my_translate_replace(object, ",\n  CONSTRAINT [^\n]* NOT ENFORCED(?=,\n|\n\\))", "")) {
        g_autofree char *what = g_strdup_printf("check that is not enforced of %s", object->identity);
        hb_my_translate_omit(work, what, "MariaDB enforces all of them: it is left out");
    }
    if (hb_my_translate_replace(object, "^(  `(?:[^`]|``)*`) json\\b",
                                "\\1 longtext CHARACTER SET utf8mb4 COLLATE utf8mb4_bin")) {
        g_autofree char *what = g_strdup_printf("JSON columns of %s", object->identity);
        hb_my_translate_omit(work, what, "to MariaDB they are texts, whose form it does not demand");
    }
}

static void translate_index_for_maria(const HbMyTranslation *work, HbObject *object)
{
    if (strstr(object->definition, "((") != NULL)
        hb_my_translate_leave_out(work, object,
                                  "MariaDB has no keys over expressions: add a generated column and a key over that");
    else
        hb_my_translate_replace(object, " INVISIBLE;$", " IGNORED;");
}

/* MariaDB cannot take a part back: without that more would be granted than here */
static void translate_global_grant(const HbMyTranslation *work, HbObject *object)
{
    if (g_str_has_prefix(object->definition, "REVOKE ") || strstr(object->definition, "\nREVOKE ") != NULL)
        hb_my_translate_leave_out(work, object,
                                  "parts of it are revoked, which MariaDB does not do: it would be granted more");
}

static void translate_for_maria(const HbMyTranslation *work, HbObject *object)
{
    switch (object->kind) {
    case HB_KIND_GLOBAL_GRANT:
        translate_global_grant(work, object);
        break;
    case HB_KIND_ROLE:
        hb_my_translate_account(work, object);
        break;
    case HB_KIND_ROLE_SETTING:
        hb_my_translate_default_role(work, object);
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
        hb_my_translate_leave_out(
            work, object, "MariaDB gathers histograms in another way: ANALYZE TABLE ... PERSISTENT FOR ALL there");
        break;
    case HB_KIND_SPATIAL_REFERENCE:
        hb_my_translate_leave_out(work, object, "MariaDB has no spatial reference systems; columns keep its number");
        break;
    case HB_KIND_DATABASE_SETTING:
        if (strcmp(hb_object_get_name(object), "encryption") == 0)
            hb_my_translate_leave_out(work, object, "MariaDB encrypts by table, or all");
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

static void translate_table_for_mysql(const HbMyTranslation *work, HbObject *object)
{
    for (gsize i = 0; i < G_N_ELEMENTS(to_mysql); i++) {
        g_autofree char *what = g_strdup_printf("in %s", object->identity);
        if (hb_my_translate_replace(object, to_mysql[i].pattern, to_mysql[i].by) && to_mysql[i].why != NULL)
            hb_my_translate_omit(work, what, to_mysql[i].why);
    }
    if (strstr(object->definition, " WITHOUT OVERLAPS") != NULL)
        hb_my_translate_leave_out(work, object, "a key of it is over a period, which MySQL has not");
    if (strstr(object->definition, " WITH SYSTEM VERSIONING") != NULL)
        hb_my_translate_leave_out(
            work, object, "MySQL keeps no histories, and its rows hold one: drop the versioning in the source first");
    if (strstr(object->definition, "nextval(") != NULL || strstr(object->definition, "lastval(") != NULL)
        hb_my_translate_leave_out(work, object,
                                  "a default of it takes the next value of a sequence, which MySQL has not");
}

static void translate_for_mysql(const HbMyTranslation *work, HbObject *object)
{
    if (object->kind == HB_KIND_FUNCTION && strstr(object->definition, " AGGREGATE FUNCTION ") != NULL) {
        hb_my_translate_leave_out(work, object, "MySQL has no aggregate functions of users");
        return;
    }
    if ((object->kind == HB_KIND_GRANT || object->kind == HB_KIND_GLOBAL_GRANT) &&
        g_str_has_prefix(hb_object_get_name(object), "PUBLIC on ")) {
        hb_my_translate_leave_out(work, object, "MySQL grants nothing to everybody at once");
        return;
    }
    switch (object->kind) {
    case HB_KIND_ROLE:
        hb_my_translate_lock_account(work, object);
        break;
    case HB_KIND_ROLE_SETTING:
        hb_my_translate_replace(object, "^(SET DEFAULT ROLE .*) FOR ", "\\1 TO ");
        break;
    case HB_KIND_TABLE:
        translate_table_for_mysql(work, object);
        break;
    case HB_KIND_INDEX:
        hb_my_translate_replace(object, " IGNORED;$", " INVISIBLE;");
        break;
    case HB_KIND_SEQUENCE:
    case HB_KIND_PACKAGE:
    case HB_KIND_PACKAGE_BODY:
    case HB_KIND_AGGREGATE:
        hb_my_translate_leave_out(work, object, "MySQL has nothing like it");
        break;
    case HB_KIND_DATABASE_SETTING:
        if (strcmp(hb_object_get_name(object), "comment") == 0)
            hb_my_translate_leave_out(work, object, "MySQL keeps no comments on databases");
        break;
    default:
        break;
    }
}

/* ---- What hangs on what is left out ---- */

/* A foreign key comes after all indexes of its table, and needs none of them by name; a column, without the spatial
 * reference system that it had, has its number still */
static gboolean can_do_without(const HbObject *object, const char *need)
{
    return (object->kind == HB_KIND_FOREIGN_KEY && g_str_has_prefix(need, "index ")) ||
           g_str_has_prefix(need, "spatial-reference ");
}

static void leave_out_dependents(const HbMyTranslation *work)
{
    for (guint i = 0; i < hb_catalog_count(work->catalog); i++) {
        HbObject *object = hb_catalog_get(work->catalog, i);
        for (guint n = 0; n < object->needs->len && !g_hash_table_contains(work->gone, object->identity); n++) {
            g_autofree char *why = g_strdup_printf("it needs %s, which is left out", (char *)object->needs->pdata[n]);
            if (!g_hash_table_contains(work->gone, object->needs->pdata[n]) ||
                can_do_without(object, object->needs->pdata[n]))
                continue;
            if (object->kind == HB_KIND_ROWS)
                g_hash_table_add(work->gone, object->identity);
            else
                hb_my_translate_leave_out(work, object, why);
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
        hb_my_translate_define(object, g_strdup_printf("%s%s%s", begin, kept->str, end));
    g_string_free(kept, TRUE);
}

/* A part of a key, in a table's text or in that of the key alone; no quoted text stands before it on its line */
#define DESCENDING "^((?:  |ALTER TABLE [^\n']* ADD )(?:PRIMARY |UNIQUE )?KEY [^\n']*?) DESC(?=[,)])"

/* What the servers have learnt, each product by itself, and how versions before that are told */
static const struct {
    gboolean of_maria;
    guint since;
    const char *pattern, *by, *why;
} learnt[] = {
    {TRUE, 100600, "(COLLATE[ =])utf8mb3_", "\\1utf8_", NULL},
    {TRUE, 100600, "(KEY [^\n]*\\)) IGNORED", "\\1", "a key is not ignored there"},
    {TRUE, 100700, "^(  `(?:[^`]|``)*`) uuid\\b", "\\1 char(36) CHARACTER SET ascii COLLATE ascii_general_ci",
     "a UUID is a text there"},
    {TRUE, 100800, DESCENDING, "\\1", "a key does not descend there"},
    {TRUE, 101000, "^(  `(?:[^`]|``)*`) inet4\\b", "\\1 varchar(15) CHARACTER SET ascii COLLATE ascii_general_ci",
     "an address is a text there"},
    {TRUE, 110700, "^(  `(?:[^`]|``)*`) vector\\(\\d+\\)", "\\1 blob", "a vector is bytes there"},
    {FALSE, 80000, DESCENDING, "\\1", "a key does not descend there"},
};

static void translate_for_older(const HbMyTranslation *work, HbObject *object, guint to)
{
    g_autofree char *what = g_strdup_printf("in %s", object->identity);

    for (gsize i = 0; i < G_N_ELEMENTS(learnt); i++) {
        gboolean found = FALSE;
        if (learnt[i].of_maria != work->to_maria || to >= learnt[i].since)
            continue;
        while (hb_my_translate_replace(object, learnt[i].pattern, learnt[i].by)) /* one of a line at a time */
            found = TRUE;
        if (found && learnt[i].why != NULL)
            hb_my_translate_omit(work, what, learnt[i].why);
    }
}

static void translate_head(const HbMyTranslation *work, HbObject *object, guint from, guint to)
{
    g_autofree char *collation = hb_my_find_unsaid_collation(object, from, to);
    char *other = object->is_translated ? hb_my_replace_types(object, work->to_maria) : NULL;
    g_autofree char *what = g_strdup_printf("in %s", object->identity),
                    *why = g_strdup_printf("a parameter names a character set only: it is compared as the target does, "
                                           "and no more by %s",
                                           collation);

    if (collation != NULL)
        hb_my_translate_omit(work, what, why);
    if (other == NULL)
        return;
    hb_my_translate_omit(work, what, "what is a type of its own here is a text there");
    hb_my_translate_define(object, other);
}

void hb_my_translate(HbCatalog *catalog, guint from, guint to)
{
    g_autoptr(GHashTable) gone = g_hash_table_new(g_str_hash, g_str_equal);
    const HbMyTranslation work = {catalog, gone, hb_my_version_is_maria(to)};
    const gboolean is_other = work.to_maria != hb_my_version_is_maria(from);

    if (is_other)
        (work.to_maria ? hb_my_translate_make_roles : hb_my_translate_make_accounts_of_roles)(&work);
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        object->is_translated = is_other;
        forget_modes(object, to);
        if (object->kind == HB_KIND_FUNCTION || object->kind == HB_KIND_PROCEDURE)
            translate_head(&work, object, from, to);
        if (is_other && object->definition != NULL)
            (work.to_maria ? translate_for_maria : translate_for_mysql)(&work, object);
        if (object->kind == HB_KIND_TABLE || object->kind == HB_KIND_INDEX)
            translate_for_older(&work, object, to);
    }
    if (!is_other)
        return;
    leave_out_dependents(&work);
    hb_catalog_remove(catalog, gone);
}
