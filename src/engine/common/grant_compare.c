/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/common/grant_compare.h"

#include "core/sql/lexer.h"

#include <string.h>

#define ALL     "ALL"
#define PASS_ON " WITH GRANT OPTION"

/* "SELECT" and "INSERT (a, b)" of "GRANT SELECT, INSERT (a, b) ON t TO x;", each with the rest behind it; other lines
 * whole */
static void add_line(GHashTable *rights, const char *line)
{
    g_autoptr(GPtrArray) list = g_ptr_array_new_with_free_func(g_free);
    const char *at = line, *start = NULL;
    int depth = 0;
    HbToken token = hb_lexer_read_token(&hb_lexer_plain, &at);

    if (!hb_token_is_word(&token, "GRANT")) {
        g_hash_table_add(rights, g_strdup(line));
        return;
    }
    for (start = at; token.type != HB_TOKEN_END && !(depth == 0 && hb_token_is_word(&token, "ON"));) {
        token = hb_lexer_read_token(&hb_lexer_plain, &at);
        depth += token.type == HB_TOKEN_SIGN ? (*token.start == '(') - (*token.start == ')') : 0;
        if (depth > 0 || !(hb_token_is_word(&token, "ON") || (token.type == HB_TOKEN_SIGN && *token.start == ',')))
            continue;
        g_ptr_array_add(list, g_strstrip(g_strndup(start, (gsize)(token.start - start))));
        start = at;
    }
    if (token.type == HB_TOKEN_END) /* of a role */
        g_hash_table_add(rights, g_strdup(line));
    for (guint i = 0; token.type != HB_TOKEN_END && i < list->len; i++)
        g_hash_table_add(rights, g_strdup_printf("%s ON%s", (char *)list->pdata[i], at));
}

/* Does another one of them say it, too: with the right to pass it on, or by granting everything? */
static gboolean is_said_by_another(GHashTable *rights, const char *right)
{
    const char *on = strstr(right, " ON ");
    const gboolean is_plain = !g_str_has_suffix(right, PASS_ON ";");
    g_autofree char *all = on != NULL ? g_strconcat(ALL, on, NULL) : NULL;
    g_autofree char *passing = g_strdup_printf("%.*s" PASS_ON ";", (int)strlen(right) - 1, right);
    g_autofree char *all_passing = all != NULL ? g_strdup_printf("%.*s" PASS_ON ";", (int)strlen(all) - 1, all) : NULL;

    if (all == NULL)
        return FALSE;
    return (strcmp(all, right) != 0 && g_hash_table_contains(rights, all)) ||
           (is_plain && (g_hash_table_contains(rights, passing) || g_hash_table_contains(rights, all_passing)));
}

static GHashTable *read_rights(const char *definition)
{
    g_auto(GStrv) lines = g_strsplit(definition, "\n", -1);
    GHashTable *rights = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    GHashTableIter iter;
    gpointer right;

    for (char **line = lines; *line != NULL; line++)
        add_line(rights, *line);
    g_hash_table_iter_init(&iter, rights);
    while (g_hash_table_iter_next(&iter, &right, NULL)) {
        if (is_said_by_another(rights, right))
            g_hash_table_iter_remove(&iter);
    }
    return rights;
}

gboolean hb_grant_compare_is_same(const char *one, const char *other)
{
    g_autoptr(GHashTable) a = read_rights(one), b = read_rights(other);
    GHashTableIter iter;
    gpointer right;

    if (g_hash_table_size(a) != g_hash_table_size(b))
        return FALSE;
    g_hash_table_iter_init(&iter, a);
    while (g_hash_table_iter_next(&iter, &right, NULL)) {
        if (!g_hash_table_contains(b, right))
            return FALSE;
    }
    return TRUE;
}

/* Of other kinds, everybody has rights, too */
static gboolean is_of_owners(const char *target)
{
    return g_str_has_prefix(target, "TABLE ") || g_str_has_prefix(target, "SEQUENCE ") ||
           g_str_has_prefix(target, "SCHEMA ");
}

gboolean hb_grant_compare_is_initial(const char *definition)
{
    static const char grant[] = "GRANT ALL ON ", to[] = " TO ";
    const char *target = strstr(definition, grant);
    const char *end = target != NULL ? strstr(target, to) : NULL;

    if (end == NULL)
        return FALSE;
    target += strlen(grant);
    g_autofree char *name = g_strndup(target, (gsize)(end - target));
    g_autofree char *role = g_strndup(end + strlen(to), strcspn(end + strlen(to), ";\n"));
    g_autofree char *initial = g_strdup_printf("REVOKE ALL ON %s FROM PUBLIC;\nREVOKE ALL ON %s FROM %s;\n%s%s%s%s;",
                                               name, name, role, grant, name, to, role);
    return is_of_owners(name) && hb_grant_compare_is_same(definition, initial);
}

/* The owner has all rights, and everybody may connect and make temporary tables */
gboolean hb_grant_compare_is_initial_of_database(const char *definition)
{
    g_autoptr(GHashTable) rights = read_rights(definition);
    guint everybodys = 0;
    GHashTableIter iter;
    gpointer line;

    g_hash_table_iter_init(&iter, rights);
    while (g_hash_table_iter_next(&iter, &line, NULL)) {
        const gboolean to_all = g_str_has_suffix(line, " TO PUBLIC;");
        if (g_str_has_prefix(line, "REVOKE "))
            continue;
        if (to_all && !g_str_has_prefix(line, "CONNECT ON ") && !g_str_has_prefix(line, "TEMPORARY ON "))
            return FALSE;
        everybodys += to_all;
    }
    return everybodys == 2 && g_hash_table_size(rights) == 2 + 2 + 3; /* both REVOKEs, and the owner's three */
}
