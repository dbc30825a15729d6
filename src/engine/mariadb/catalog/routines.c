/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/catalog/routines.h"

#include "engine/mariadb/dialect/charsets.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/names.h"
#include "engine/mariadb/dialect/program_heads.h"
#include "engine/mariadb/dialect/split_statements.h"

#include <string.h>

/* The columns of a SHOW CREATE result, found by their titles: each statement has its own order */
typedef struct {
    const char *text;
    const char *sql_mode;
    const char *charset;
    const char *collation;
    const char *database_collation;
    const char *time_zone;
} Shown;

static const struct {
    const char *title;
    gsize offset;
} titles[] = {
    {"sql_mode", offsetof(Shown, sql_mode)},
    {"character_set_client", offsetof(Shown, charset)},
    {"collation_connection", offsetof(Shown, collation)},
    {"Database Collation", offsetof(Shown, database_collation)},
    {"time_zone", offsetof(Shown, time_zone)},
    {"Create View", offsetof(Shown, text)},
    {"Create Function", offsetof(Shown, text)},
    {"Create Procedure", offsetof(Shown, text)},
    {"Create Package", offsetof(Shown, text)},
    {"Create Package Body", offsetof(Shown, text)},
    {"SQL Original Statement", offsetof(Shown, text)},
    {"Create Event", offsetof(Shown, text)},
};

static void set_field(Shown *shown, const char *title, const char *value)
{
    for (gsize i = 0; i < G_N_ELEMENTS(titles); i++) {
        if (strcmp(titles[i].title, title) == 0)
            *(const char **)(void *)((char *)shown + titles[i].offset) = value;
    }
}

/* A program that is being read: its object, and what the server shows of it, which lasts as long as the result */
typedef struct {
    HbObject *object;
    HbMyResult *result;
    Shown shown;
} Program;

/* SHOW CREATE `what`. FALSE if the server does not show the text, which needs rights; then it is named as left out */
static gboolean show(HbMyCatalogBuilder *builder, Program *program, HbKind kind, const char *what, const char *name)
{
    g_autofree char *quoted = hb_my_quote_name(name);
    g_autoptr(GError) cause = NULL;
    MYSQL_ROW row;

    *program = (Program){.object = hb_object_new(kind, quoted)};
    program->result = hb_my_query_format(builder->session, &cause, "SHOW CREATE %s %s", what, quoted);
    row = program->result != NULL ? mysql_fetch_row(program->result) : NULL;
    for (guint c = 0; row != NULL && c < mysql_num_fields(program->result); c++)
        set_field(&program->shown, mysql_fetch_field_direct(program->result, c)->name, row[c]);
    if (program->shown.text != NULL)
        return TRUE;
    hb_catalog_add_omission(builder->catalog, program->object->identity,
                            cause != NULL ? cause->message
                                          : "its text is only for its definer and for those who may read all of them");
    return FALSE;
}

/* Whether or not its object was taken over by the catalog */
static void program_clear(Program *program)
{
    hb_object_free(program->object);
    mysql_free_result(program->result);
}

/* ---- Definitions ---- */

static gboolean is_ascii(const char *text)
{
    for (; *text != '\0'; text++) {
        if (*text & 0x80)
            return FALSE;
    }
    return TRUE;
}

/* The client's character set says how the text is encoded */
static char *fit_charset(const Shown *shown)
{
    return is_ascii(shown->text) || g_str_has_prefix(shown->charset, "utf8") ? g_strdup(shown->charset)
                                                                             : hb_my_write_charset(shown->charset);
}

static void append_setting(GString *sql, const char *name, const char *value, gboolean quoted)
{
    if (value == NULL)
        return;
    g_autofree char *literal = quoted ? hb_my_quote_literal(value) : g_strdup(value);
    g_string_append_printf(sql, "%s %s = %s", sql->len > strlen("SET") ? "," : "SET", name, literal);
}

static char *settings_of(const Shown *shown)
{
    g_autofree char *charset = fit_charset(shown);
    GString *sql = g_string_new(NULL);

    append_setting(sql, "sql_mode", shown->sql_mode, TRUE);
    append_setting(sql, "time_zone", shown->time_zone, TRUE);
    append_setting(sql, "character_set_client", charset, FALSE);
    append_setting(sql, "collation_connection", shown->collation, FALSE);
    return g_string_free(sql, FALSE);
}

static char *make_definition(const Shown *shown, const char *create)
{
    g_autofree char *settings = settings_of(shown);
    g_autofree char *delimited = hb_my_delimit(create);

    return g_strdup_printf("%s;\n%s\n" HB_MY_USUAL, settings, delimited);
}

/* What the text names is needed. The catalog takes the object over; without names nothing finds it by its own */
static gboolean add_program(HbMyCatalogBuilder *builder, HbNames names, const char *name, Program *program,
                            const char *text, GError **error)
{
    HbObject *object = g_steal_pointer(&program->object);

    if (object->definition == NULL)
        object->definition = make_definition(&program->shown, program->shown.text);
    hb_my_catalog_builder_add_text(builder, object, text);
    return names == HB_NAMES_COUNT ? hb_catalog_add(builder->catalog, object, error)
                                   : hb_my_catalog_builder_add(builder, names, name, object, error);
}

/* ---- Views ---- */

static gboolean calls_own(const HbMyCatalogBuilder *builder, const HbToken *token, const char *after)
{
    g_autofree char *name = token->type == HB_TOKEN_NAME && *after == '(' ? hb_token_unquote(token) : NULL;
    g_autofree char *lower = name != NULL ? g_utf8_strdown(name, -1) : NULL;

    return lower != NULL && g_hash_table_contains(builder->functions, lower);
}

/*
 * In FROM a table of this database stands after its name; a column never does, but for an alias of that name. A
 * function of the database stands after it only where the server has one of its own that is called so: after it
 * everywhere, since another version may have one. (Its own never stand in quotes)
 */
static char *settle_own_database(const HbMyCatalogBuilder *builder, const char *text)
{
    g_autofree char *database = hb_my_quote_any_name(builder->session->database);
    GString *result = g_string_new(NULL);
    const char *at = text;
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_my_rules, &at)).type != HB_TOKEN_END) {
        gboolean after_dot = result->len > 0 && result->str[result->len - 1] == '.';
        if (token.type == HB_TOKEN_NAME && *at == '.' && !after_dot) {
            g_autofree char *name = hb_token_unquote(&token);
            if (strcmp(name, builder->session->database) == 0) {
                at++;
                continue;
            }
        }
        if (!after_dot && calls_own(builder, &token, at))
            g_string_append_printf(result, "%s.", database);
        g_string_append_len(result, token.start, (gssize)token.length);
    }
    return g_string_free(result, FALSE);
}

static gboolean add_view(HbMyCatalogBuilder *builder, const char *name, Program *program, GError **error)
{
    g_autofree char *sql = settle_own_database(builder, program->shown.text);
    g_autofree char *settings = settings_of(&program->shown);

    program->object->definition = g_strdup_printf("%s;\n%s;\n" HB_MY_USUAL, settings, sql);
    return add_program(builder, HB_NAMES_RELATION, name, program, strstr(sql, " AS "), error);
}

/* A definer that is missing does not keep a view from being created; a table, column or function that is missing does
 */
static gboolean is_broken(HbMyCatalogBuilder *builder, const char *name)
{
    g_autofree char *quoted = hb_my_quote_name(name);
    g_autoptr(GError) complaint = NULL;
    g_autoptr(HbMyResult) result = hb_my_query_format(builder->session, &complaint, "SHOW FIELDS FROM %s", quoted);

    if (result != NULL || strstr(complaint->message, "references invalid") == NULL)
        return FALSE;
    g_autofree char *what = hb_identity_new(HB_KIND_VIEW, quoted);
    g_autofree char *why =
        g_strdup_printf("the server itself cannot use it any more (%s); mend or drop it there", complaint->message);
    hb_catalog_add_omission(builder->catalog, what, why);
    return TRUE;
}

static gboolean read_view(HbMyCatalogBuilder *builder, MYSQL_ROW row, GError **error)
{
    Program program;
    gboolean ok;

    if (is_broken(builder, row[0]))
        return TRUE;
    ok = !show(builder, &program, HB_KIND_VIEW, "VIEW", row[0]) || add_view(builder, row[0], &program, error);
    program_clear(&program);
    return ok;
}

/* ---- Routines ---- */

static const struct {
    const char *type; /* as ROUTINE_TYPE calls it, and SHOW CREATE */
    HbKind kind;
    HbNames names;
} routine_types[] = {
    {"FUNCTION", HB_KIND_FUNCTION, HB_NAMES_FUNCTION},
    {"PROCEDURE", HB_KIND_PROCEDURE, HB_NAMES_PROCEDURE},
    {"PACKAGE", HB_KIND_PACKAGE, HB_NAMES_PACKAGE},
    {"PACKAGE BODY", HB_KIND_PACKAGE_BODY, HB_NAMES_COUNT},
};

/* A routine's text was read with the collation that the database had by then, unless that is still the same */
static char *with_database_collation(HbMyCatalogBuilder *builder, const Shown *shown, const char *definition)
{
    const char *own = g_hash_table_lookup(hb_catalog_get_properties(builder->catalog), "collation");
    const char *charset = g_hash_table_lookup(hb_catalog_get_properties(builder->catalog), "character-set");

    if (shown->database_collation == NULL || g_strcmp0(own, shown->database_collation) == 0)
        return g_strdup(definition);
    return g_strdup_printf("ALTER DATABASE COLLATE %s;\n%s\nALTER DATABASE CHARACTER SET %s COLLATE %s;",
                           shown->database_collation, definition, charset, own);
}

static gboolean add_routine(HbMyCatalogBuilder *builder, HbNames names, const char *name, Program *program,
                            GError **error)
{
    g_autofree char *create = program->object->kind == HB_KIND_FUNCTION && !builder->session->is_maria
                                  ? hb_my_say_result_collation(program->shown.text, builder->session->version)
                                  : g_strdup(program->shown.text);
    g_autofree char *plain = make_definition(&program->shown, create);

    program->object->definition = with_database_collation(builder, &program->shown, plain);
    if (program->object->kind == HB_KIND_PACKAGE_BODY) {
        g_autofree char *package = hb_identity_new(HB_KIND_PACKAGE, hb_object_get_name(program->object));
        hb_object_add_need(program->object, package);
    }
    return add_program(builder, names, name, program, program->shown.text, error);
}

/* Type, name */
static gboolean read_routine(HbMyCatalogBuilder *builder, MYSQL_ROW row, GError **error)
{
    for (guint t = 0; t < G_N_ELEMENTS(routine_types); t++) {
        Program program;
        gboolean ok;
        if (strcmp(row[0], routine_types[t].type) != 0)
            continue;
        ok = !show(builder, &program, routine_types[t].kind, routine_types[t].type, row[1]) ||
             add_routine(builder, routine_types[t].names, row[1], &program, error);
        program_clear(&program);
        return ok;
    }
    return TRUE;
}

/* ---- Triggers: those of one table, event and moment in their order ---- */

static gboolean add_trigger(HbMyCatalogBuilder *builder, MYSQL_ROW row, Program *program, GError **error)
{
    HbObject *trigger = program->object;
    const char *table = hb_my_catalog_builder_find(builder, HB_NAMES_RELATION, row[1]);

    trigger->on = g_strdup(table);
    if (table != NULL) {
        g_autofree char *rows = hb_identity_new(HB_KIND_ROWS, strchr(table, ' ') + 1);
        hb_object_add_need(trigger, table);
        hb_object_add_need(trigger, rows);
    }
    if (strcmp(row[2], "1") != 0 && builder->previous_trigger != NULL)
        hb_object_add_need(trigger, builder->previous_trigger);
    g_free(builder->previous_trigger);
    builder->previous_trigger = g_strdup(trigger->identity);
    return add_program(builder, HB_NAMES_COUNT, NULL, program, program->shown.text, error);
}

/* Name, table, place among those of its event and moment */
static gboolean read_trigger(HbMyCatalogBuilder *builder, MYSQL_ROW row, GError **error)
{
    Program program;
    gboolean ok =
        !show(builder, &program, HB_KIND_TRIGGER, "TRIGGER", row[0]) || add_trigger(builder, row, &program, error);

    program_clear(&program);
    return ok;
}

/* ---- Events ---- */

/* Where a client with another character set made it, the server shows its name converted once too often */
static char *with_true_name(const char *create, const char *name)
{
    const char *at = create;
    HbToken token;

    while ((token = hb_my_next(&at)).type != HB_TOKEN_END && !hb_token_is_word(&token, "EVENT"))
        continue;
    token = hb_my_next(&at);
    if (token.type != HB_TOKEN_NAME)
        return g_strdup(create);
    g_autofree char *quoted = hb_my_quote_any_name(name);
    return g_strdup_printf("%.*s%s%s", (int)(token.start - create), create, quoted, at);
}

static gboolean read_event(HbMyCatalogBuilder *builder, MYSQL_ROW row, GError **error)
{
    g_autofree char *text = NULL;
    Program program;
    gboolean ok = TRUE;

    if (show(builder, &program, HB_KIND_EVENT, "EVENT", row[0])) {
        program.shown.text = text = with_true_name(program.shown.text, row[0]);
        ok = add_program(builder, HB_NAMES_COUNT, NULL, &program, text, error);
    }
    program_clear(&program);
    return ok;
}

/* ---- All of them: views first, as they need what they name in order to be created (see catalog_builder.c) ---- */

static const struct {
    const char *sql;
    HbMyRead read;
} lists[] = {
    {"SELECT TABLE_NAME FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() AND TABLE_TYPE = 'VIEW'"
     " ORDER BY TABLE_NAME",
     read_view},
    {"SELECT ROUTINE_TYPE, ROUTINE_NAME FROM information_schema.ROUTINES WHERE ROUTINE_SCHEMA = DATABASE()"
     " ORDER BY ROUTINE_TYPE, ROUTINE_NAME",
     read_routine},
    {"SELECT TRIGGER_NAME, EVENT_OBJECT_TABLE, ACTION_ORDER FROM information_schema.TRIGGERS"
     " WHERE TRIGGER_SCHEMA = DATABASE()"
     " ORDER BY EVENT_OBJECT_TABLE, ACTION_TIMING, EVENT_MANIPULATION, ACTION_ORDER",
     read_trigger},
    {"SELECT EVENT_NAME FROM information_schema.EVENTS WHERE EVENT_SCHEMA = DATABASE() ORDER BY EVENT_NAME",
     read_event},
};

static gboolean add_function_name(HbMyCatalogBuilder *builder, MYSQL_ROW row, GError **error)
{
    (void)error;
    g_hash_table_add(builder->functions, g_utf8_strdown(row[0], -1));
    return TRUE;
}

gboolean hb_my_read_programs(HbMyCatalogBuilder *builder, GError **error)
{
    if (!hb_my_catalog_builder_each(
            builder,
            "SELECT ROUTINE_NAME FROM information_schema.ROUTINES WHERE ROUTINE_SCHEMA = DATABASE()"
            " AND ROUTINE_TYPE = 'FUNCTION'",
            add_function_name, error))
        return FALSE;
    for (gsize i = 0; i < G_N_ELEMENTS(lists); i++) {
        if (!hb_my_catalog_builder_each(builder, lists[i].sql, lists[i].read, error))
            return FALSE;
    }
    return TRUE;
}
