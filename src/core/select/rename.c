/* SPDX-License-Identifier: Apache-2.0 */
#include "core/select/rename.h"

#include "core/base/error.h"
#include "core/sql/lexer.h"

#include <string.h>

static const struct {
    const char *word;
    HbRenameKind kind;
} kinds[] = {{"database:", HB_RENAME_DATABASE}, {"schema:", HB_RENAME_SCHEMA},
             {"owner:", HB_RENAME_OWNER},       {"tablespace:", HB_RENAME_TABLESPACE},
             {"storage:", HB_RENAME_STORAGE},   {"collation:", HB_RENAME_COLLATION},
             {"user:", HB_RENAME_OWNER}};

const char *hb_rename_kind_get_name(HbRenameKind kind)
{
    static const char *const names[] = {"database", "schema", "owner", "tablespace", "storage", "collation"};

    g_assert(kind < G_N_ELEMENTS(names));
    return names[kind];
}

HbRename *hb_rename_read(const char *text, GError **error)
{
    const char *equals = strchr(text, '=');

    for (gsize i = 0; i < G_N_ELEMENTS(kinds); i++) {
        const char *old_name = text + strlen(kinds[i].word);
        HbRename rename = {.kind = kinds[i].kind};
        if (!g_str_has_prefix(text, kinds[i].word) || equals == NULL || equals <= old_name || equals[1] == '\0')
            continue;
        rename.old_name = g_strndup(old_name, (gsize)(equals - old_name));
        rename.new_name = g_strdup(equals + 1);
        return g_memdup2(&rename, sizeof rename);
    }
    hb_error_set(
        error, HB_ERROR_USAGE, "for example: --rename schema:garden=park",
        "--rename takes KIND:OLD=NEW with the kind database, schema, owner, tablespace, storage or collation, not “%s”",
        text);
    return NULL;
}

void hb_rename_free(HbRename *rename)
{
    if (rename == NULL)
        return;
    g_free(rename->old_name);
    g_free(rename->new_name);
    g_clear_pointer(&rename->inside, g_hash_table_unref);
    g_free(rename);
}

/* "garden.age(date)": the second component, if the first one is the schema. NULL: it does not stand there */
static char *read_inside(const char *name, const char *schema)
{
    const HbToken first = hb_lexer_read_token(&hb_lexer_plain, &name);
    HbToken second;
    g_autofree char *plain = hb_token_unquote(&first);

    if (strcmp(plain, schema) != 0 || *name != '.')
        return NULL;
    name++;
    second = hb_lexer_read_token(&hb_lexer_plain, &name);
    return second.type == HB_TOKEN_WORD || second.type == HB_TOKEN_NAME ? hb_token_unquote(&second) : NULL;
}

GHashTable *hb_rename_list_inside(const HbCatalog *catalog, const char *schema)
{
    GHashTable *inside = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        char *name = read_inside(hb_object_get_name(hb_catalog_get(catalog, i)), schema);
        if (name != NULL)
            g_hash_table_add(inside, name);
    }
    return inside;
}
