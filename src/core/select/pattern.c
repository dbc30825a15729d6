/* SPDX-License-Identifier: Apache-2.0 */
#include "core/select/pattern.h"

#include "core/base/error.h"
#include "core/base/glob.h"
#include "core/sql/lexer.h"

#include <string.h>

static const char hint[] = "for example: table:garden.*, view, schema:loans, rows:photograph, user:*, database:garden";

/* ---- Reading ---- */

static gboolean is_plural_of(const char *word, HbKind kind)
{
    g_autofree char *plural = g_strdelimit(g_strdup(hb_kind_get_traits(kind)->plural), " ", '-');

    return strcmp(word, plural) == 0;
}

static gboolean find_kind(const char *word, HbKind *kind)
{
    if (hb_kind_find(word, kind))
        return TRUE;
    for (*kind = 0; *kind < HB_KIND_COUNT; (*kind)++) {
        if (is_plural_of(word, *kind))
            return TRUE;
    }
    *kind = HB_KIND_ROLE;
    return strcmp(word, "user") == 0 || strcmp(word, "users") == 0;
}

HbPattern *hb_pattern_read(const char *text, const char *option, GError **error)
{
    const char *colon = strchr(text, ':');
    g_autofree char *word = colon != NULL ? g_strndup(text, (gsize)(colon - text)) : g_strdup(text);
    HbPattern pattern = {.any_kind = strcmp(word, "*") == 0, .database = strcmp(word, "database") == 0};

    if (!pattern.any_kind && !pattern.database && !find_kind(word, &pattern.kind)) {
        hb_error_set(error, HB_ERROR_USAGE, hint, "--%s: there is no kind of objects called “%s”", option, word);
        return NULL;
    }
    if ((colon != NULL && colon[1] == '\0') || (colon == NULL && (pattern.any_kind || pattern.database))) {
        hb_error_set(error, HB_ERROR_USAGE, hint, "--%s: “%s” says no name after the colon", option, text);
        return NULL;
    }
    pattern.text = g_strdup(text);
    pattern.glob = colon != NULL ? g_strdup(colon + 1) : NULL;
    return g_memdup2(&pattern, sizeof pattern);
}

void hb_pattern_free(HbPattern *pattern)
{
    if (pattern == NULL)
        return;
    g_free(pattern->text);
    g_free(pattern->glob);
    g_free(pattern);
}

/* ---- Matching ---- */

static void append_unquoted(GString *text, const HbToken *token)
{
    HbToken name = *token;

    if (token->type == HB_TOKEN_TEXT)
        name.type = HB_TOKEN_NAME;
    g_autofree char *plain = hb_token_unquote(&name);
    g_string_append(text, plain);
}

/* The name, or its last component, as it is quoted and as it is meant; without arguments unless they are wanted */
static void take_apart(const char *name, gboolean last_only, gboolean with_arguments, GString *quoted, GString *plain)
{
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_lexer_plain, &name)).type != HB_TOKEN_END) {
        if (*token.start == '(' && !with_arguments)
            return;
        if (*token.start == '.' && last_only) {
            g_string_truncate(quoted, 0);
            g_string_truncate(plain, 0);
            continue;
        }
        g_string_append_len(quoted, token.start, (gssize)token.length);
        append_unquoted(plain, &token);
    }
}

static gboolean fits_name(const char *glob, const char *name)
{
    gboolean last_only = strchr(glob, '.') == NULL;
    g_autoptr(GString) quoted = g_string_new(NULL);
    g_autoptr(GString) plain = g_string_new(NULL);

    take_apart(name, last_only, strchr(glob, '(') != NULL, quoted, plain);
    return hb_glob_fits(glob, quoted->str) || hb_glob_fits(glob, plain->str);
}

gboolean hb_pattern_fits(const HbPattern *pattern, const HbObject *object)
{
    if (pattern->database || (!pattern->any_kind && pattern->kind != object->kind))
        return FALSE;
    return pattern->glob == NULL || fits_name(pattern->glob, hb_object_get_name(object));
}

gboolean hb_pattern_is_open(const HbPattern *pattern)
{
    return pattern->glob == NULL || strpbrk(pattern->glob, "*?") != NULL;
}

gboolean hb_pattern_fits_database(const HbPattern *pattern, const char *database)
{
    return pattern->database && hb_glob_fits(pattern->glob, database);
}
