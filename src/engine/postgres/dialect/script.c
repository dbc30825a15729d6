/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/dialect/script.h"

#include "core/sql/lexer.h"
#include "engine/postgres/dialect/large_objects.h"
#include "engine/postgres/dialect/lexical.h"
#include "engine/postgres/dialect/names.h"
#include "engine/postgres/dialect/printing.h"

#include <string.h>

/* ---- The beginning ---- */

static const char *property(const HbCatalog *catalog, const char *name)
{
    return g_hash_table_lookup(hb_catalog_get_properties(catalog), name);
}

static void append_option(GString *sql, const char *keyword, const char *value)
{
    if (value == NULL)
        return;
    g_string_append_printf(sql, " %s ", keyword);
    hb_pg_append_literal(sql, value);
}

/* A name may hold line ends, which end a command of the shell's, or look like the address of another server */
static char *make_connection(const char *database)
{
    GString *text = g_string_new("dbname=");

    hb_pg_append_conninfo_value(text, database);
    return g_string_free(text, FALSE);
}

/* What only servers from a version on know; the script asks the one that runs it */
static void append_since(GString *sql, guint since, const char *option, const char *value, const char *before)
{
    g_autoptr(GString) text = g_string_new(before);

    if (value == NULL)
        return;
    append_option(text, option, value);
    g_string_append_printf(sql, "\n || CASE WHEN current_setting('server_version_num')::int >= %u THEN ", since);
    hb_pg_append_literal(sql, text->str);
    g_string_append(sql, " ELSE '' END");
}

static void append_provider(GString *sql, const HbCatalog *catalog)
{
    const char *provider = property(catalog, "provider"), *locale = property(catalog, "locale");

    if (g_strcmp0(provider, "icu") == 0) {
        append_since(sql, 150000, "ICU_LOCALE", locale, " LOCALE_PROVIDER icu");
        append_since(sql, 160000, "ICU_RULES", property(catalog, "icu-rules"), NULL);
    } else if (g_strcmp0(provider, "builtin") == 0) {
        append_since(sql, 170000, "BUILTIN_LOCALE", locale, " LOCALE_PROVIDER builtin");
    }
}

static void append_place(GString *sql, const HbCatalog *catalog)
{
    const char *place = property(catalog, "tablespace");
    g_autofree char *quoted = place != NULL ? hb_pg_quote_any_name(place) : NULL;
    g_autofree char *clause = g_strconcat(" TABLESPACE ", quoted, NULL);

    if (place == NULL)
        return;
    g_string_append(sql, "\n || CASE WHEN EXISTS (SELECT FROM pg_tablespace WHERE spcname = ");
    hb_pg_append_literal(sql, place);
    g_string_append(sql, ") THEN ");
    hb_pg_append_literal(sql, clause);
    g_string_append(sql, " ELSE '' END");
}

/* place: quoted or not, and column: what it is to be compared with */
static void append_lack(GString *sql, const char *place, const char *column)
{
    g_string_append(sql, "SELECT count(*) > 0 AS place_there, 'there is no tablespace ' || ");
    hb_pg_append_literal(sql, place);
    g_string_append_printf(sql,
                           "\n  || ': what stood in it goes into the default one' AS place_lack"
                           " FROM pg_tablespace WHERE %s = ",
                           column);
    hb_pg_append_literal(sql, place);
    g_string_append(sql, " \\gset\n\\if :place_there\n\\else\n\\warn :place_lack\n\\endif\n");
}

/* The server creates no database inside a block: the shell runs what the query gives */
static void append_creation(GString *sql, const HbCatalog *catalog, const char *database)
{
    const char *place = property(catalog, "tablespace");
    g_autofree char *quoted = hb_pg_quote_any_name(database), *connection = make_connection(database);
    g_autoptr(GString) creation = g_string_new(NULL);

    g_string_append_printf(creation, "CREATE DATABASE %s TEMPLATE template0", quoted);
    append_option(creation, "ENCODING", property(catalog, "encoding"));
    append_option(creation, "LC_COLLATE", property(catalog, "collate"));
    append_option(creation, "LC_CTYPE", property(catalog, "ctype"));
    if (place != NULL)
        append_lack(sql, place, "spcname");
    g_string_append(sql, "SELECT ");
    hb_pg_append_literal(sql, creation->str);
    append_provider(sql, catalog);
    append_place(sql, catalog);
    g_string_append(sql, "\n WHERE NOT EXISTS (SELECT FROM pg_database WHERE datname = ");
    hb_pg_append_literal(sql, database);
    g_string_append(sql, ") \\gexec\nSELECT ");
    hb_pg_append_literal(sql, connection);
    g_string_append(sql, " AS hornbeam_target \\gset\n\\connect -reuse-previous=on :\"hornbeam_target\"\n");
}

static gboolean stands_in_a_name(const HbCatalog *catalog, const char *text)
{
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        if (strstr(hb_object_get_name(hb_catalog_get(catalog, i)), text) != NULL)
            return TRUE;
    }
    return FALSE;
}

/* A tag for a dollar quote that stands in no name */
static char *make_tag(const HbCatalog *catalog)
{
    char *tag = g_strdup("$guard$");

    for (guint number = 1; stands_in_a_name(catalog, tag); number++) {
        g_free(tag);
        tag = g_strdup_printf("$guard%u$", number);
    }
    return tag;
}

static void append_guard(GString *sql, const HbCatalog *catalog)
{
    g_autofree char *tag = make_tag(catalog);
    guint count = 0;

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (!hb_kind_is_relation(object->kind))
            continue;
        if (count++ == 0)
            g_string_append_printf(sql, "DO %s DECLARE there text; BEGIN\n SELECT name INTO there FROM unnest(ARRAY[",
                                   tag);
        else
            g_string_append(sql, ",\n  ");
        hb_pg_append_literal(sql, hb_object_get_name(object));
    }
    if (count > 0)
        g_string_append_printf(
            sql,
            "]) AS name\n WHERE to_regclass(name) IS NOT NULL LIMIT 1;\n"
            " IF there IS NOT NULL THEN RAISE EXCEPTION 'database %% holds %% already; nothing was changed',\n"
            "  current_database(), there; END IF;\nEND %s;\n",
            tag);
}

/* Users that exist stay as they are: the script asks which, before it creates any */
static void append_users(GString *sql, const HbCatalog *catalog)
{
    guint count = 0;

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (object->kind != HB_KIND_ROLE)
            continue;
        g_string_append(sql, count++ == 0 ? "SELECT" : ",");
        g_string_append(sql, " NOT EXISTS (SELECT FROM pg_roles WHERE quote_ident(rolname) = ");
        hb_pg_append_literal(sql, hb_object_get_name(object));
        g_string_append_printf(sql, ") AS new_user_%u\n", i);
    }
    if (count > 0)
        g_string_append(sql, "\\gset\n");
}

/* ---- Tablespaces that may be missing ---- */

/* The name, quoted, of the tablespace that a definition asks for; NULL: for none. The caller's */
static char *find_place(const HbObject *object)
{
    return object->definition != NULL && g_str_has_prefix(object->definition, HB_PG_SETS_PLACE)
               ? hb_pg_word_after(object->definition, HB_PG_SETS_PLACE)
               : NULL;
}

/* The first object in it, by whose number the script's variable is called */
static guint find_first_in(const HbCatalog *catalog, const char *place)
{
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        g_autofree char *other = find_place(hb_catalog_get(catalog, i));
        if (g_strcmp0(other, place) == 0)
            return i;
    }
    g_assert_not_reached();
}

/* Which of them the server has is asked once; what stood in the others goes into the default one, and that is said */
static void append_places(GString *sql, const HbCatalog *catalog)
{
    g_autoptr(GHashTable) seen = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        char *place = find_place(hb_catalog_get(catalog, i));
        if (place == NULL || !g_hash_table_add(seen, place))
            continue;
        append_lack(sql, place, "quote_ident(spcname)");
        g_string_append_printf(sql, "\\set place_%u :place_there\n", i);
    }
}

char *hb_pg_begin_script(const HbCatalog *catalog, const char *database, gboolean guarded)
{
    GString *sql = g_string_new("\\set ON_ERROR_STOP on\nSET standard_conforming_strings = on;\n");

    if (database != NULL)
        append_creation(sql, catalog, database);
    if (guarded)
        append_guard(sql, catalog);
    append_users(sql, catalog);
    append_places(sql, catalog);
    return g_string_free(sql, FALSE);
}

/* ---- Objects ---- */

/* The user whose being new decides whether this is run; NULL: it is run anyway */
static const HbObject *find_user(const HbCatalog *catalog, const HbObject *object)
{
    if (object->kind == HB_KIND_ROLE)
        return object;
    if (hb_kind_get_traits(object->kind)->part != HB_PART_USERS)
        return NULL;
    for (guint n = 0; n < object->needs->len; n++) {
        const HbObject *need = hb_catalog_find(catalog, object->needs->pdata[n]);
        if (need->kind == HB_KIND_ROLE && g_str_has_prefix(hb_object_get_name(object), hb_object_get_name(need)))
            return need;
    }
    return NULL;
}

/* Outside of quotes the shell puts a variable's value where a colon stands before its name, as in a slice of an array
 */
static void append_for_shell(GString *sql, const char *definition)
{
    gboolean after_colon = FALSE, after_two = FALSE;
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_pg_rules, &definition)).type != HB_TOKEN_END) {
        const gboolean is_colon = token.type == HB_TOKEN_SIGN && *token.start == ':';
        if (after_colon && !after_two && !is_colon && token.type != HB_TOKEN_SPACE && *token.start != '=')
            g_string_append_c(sql, ' ');
        g_string_append_len(sql, token.start, (gssize)token.length);
        after_two = is_colon && after_colon && !after_two;
        after_colon = is_colon && !after_two;
    }
}

char *hb_pg_script_object(const HbCatalog *catalog, const HbObject *object)
{
    const HbObject *user = find_user(catalog, object);
    g_autofree char *place = find_place(object);
    const char *definition = object->definition;
    GString *sql = g_string_new(NULL);

    if (user != NULL)
        g_string_append_printf(sql, "\\if :new_user_%u\n", hb_catalog_get_place(catalog, user->identity));
    if (place != NULL) {
        g_string_append_printf(sql, "\\if :place_%u\n" HB_PG_SETS_PLACE "%s;\n\\endif\n", find_first_in(catalog, place),
                               place);
        definition += strlen(HB_PG_SETS_PLACE) + strlen(place) + strlen(";\n");
    }
    append_for_shell(sql, definition);
    g_string_append_c(sql, '\n');
    if (object->owner_sql != NULL)
        g_string_append_printf(sql, "%s\n", object->owner_sql);
    if (user != NULL)
        g_string_append(sql, "\\endif\n");
    return g_string_free(sql, FALSE);
}

/* ---- Rows ---- */

#define PIECES "pg_temp.hornbeam_piece"

char *hb_pg_script_table(const HbRowSet *set)
{
    return g_strdup(hb_pg_is_large_objects(set) ? PIECES : set->table);
}

char *hb_pg_begin_script_rows(const HbRowSet *set, gboolean bulk)
{
    GString *sql = g_string_new(NULL);

    if (hb_pg_is_large_objects(set))
        g_string_append(sql, "CREATE TEMPORARY TABLE hornbeam_piece (number oid, at bigint, bytes bytea);\n");
    if (!bulk)
        return g_string_free(sql, FALSE);
    g_string_append_printf(sql, "COPY %s", hb_pg_is_large_objects(set) ? PIECES : set->table);
    for (guint c = 0; c < set->columns->len; c++)
        g_string_append_printf(sql, "%s%s", c == 0 ? " (" : ", ", (const char *)set->columns->pdata[c]);
    g_string_append(sql, set->columns->len > 0 ? ") FROM stdin;\n" : " FROM stdin;\n");
    return g_string_free(sql, FALSE);
}

char *hb_pg_end_script_rows(const HbRowSet *set, gboolean bulk)
{
    const char *end = bulk ? "\\.\n" : "";

    return hb_pg_is_large_objects(set)
               ? g_strdup_printf("%s%s;\nDROP TABLE " PIECES ";\n", end, hb_pg_take_large_objects_sql)
               : g_strdup(end);
}

const char *hb_pg_refuse_in_transaction(const HbObject *object)
{
    return object->kind == HB_KIND_TABLESPACE ? "the server makes a tablespace outside of any transaction only" : NULL;
}
