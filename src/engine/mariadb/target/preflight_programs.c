/* SPDX-License-Identifier: Apache-2.0 */
/*
 * What the texts of views, programs and tables say that the target does not know. The server is asked for each function
 * once, by a statement that is prepared and not run.
 */
#include "engine/mariadb/target/preflight_inner.h"

#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/native_functions.h"
#include "engine/mariadb/dialect/phrases.h"
#include "engine/mariadb/dialect/translate.h"

#include <mysqld_error.h>
#include <string.h>

typedef enum { ABSENT, NATIVE, UNCLEAR } Answer;

typedef struct {
    HbMyPreflight *run;
    GHashTable *own;     /* functions of the catalog, in lower case */
    GHashTable *answers; /* names to Answer */
} Look;

/* ---- The server ---- */

/* Without a database, what is not the server's own is looked for nowhere */
static Answer probe(HbSession *session, const char *function)
{
    g_autofree char *sql = g_strdup_printf("PREPARE hornbeam_probe FROM 'DO %s()'", function);
    const gboolean is_prepared = hb_my_execute(session, sql, NULL);
    const unsigned int code = is_prepared ? 0 : mysql_errno(session->mysql);

    if (is_prepared)
        hb_my_execute(session, "DEALLOCATE PREPARE hornbeam_probe", NULL);
    if (code == ER_SP_DOES_NOT_EXIST || code == ER_NO_DB_ERROR)
        return ABSENT;
    return code == ER_PARSE_ERROR ? UNCLEAR : NATIVE; /* a word of the grammar, with other arguments */
}

static gboolean is_plain(const char *name)
{
    return *name != '\0' && !g_ascii_isdigit(*name) &&
           strspn(name, "abcdefghijklmnopqrstuvwxyz0123456789_") == strlen(name);
}

static Answer ask(Look *look, const char *lower)
{
    gpointer answer;

    if (!is_plain(lower))
        return UNCLEAR;
    if (!g_hash_table_lookup_extended(look->answers, lower, NULL, &answer)) {
        answer = GINT_TO_POINTER((int)probe(look->run->session, lower));
        g_hash_table_insert(look->answers, g_strdup(lower), answer);
    }
    return (Answer)GPOINTER_TO_INT(answer);
}

/* ---- Functions ---- */

static gboolean fails_when_made(const HbObject *object)
{
    return object->kind == HB_KIND_VIEW || object->kind == HB_KIND_TABLE || object->kind == HB_KIND_INDEX;
}

static void report_function(Look *look, const HbObject *object, const char *function)
{
    const gboolean at_once = fails_when_made(object);

    hb_finding_advise(
        hb_findings_add(look->run->findings, at_once ? HB_FINDING_BLOCKER : HB_FINDING_WARNING, "function-missing",
                        object->identity, "calls %s(), which the target does not have: it %s", function,
                        at_once ? "could not be created" : "could be created, and would fail when it is run"),
        at_once ? "have the source say it otherwise, make a function of that name there, or leave it out with --skip"
                : "have it say it otherwise, or make a function of that name there",
        NULL);
}

/* Behind these a name in front of a parenthesis is no function */
static gboolean names_something(const HbToken *before)
{
    static const char *const words[] = {"INTO",      "TABLE", "JOIN",  "UPDATE", "WITH",       "RECURSIVE", "FUNCTION",
                                        "PROCEDURE", "VIEW",  "INDEX", "KEY",    "REFERENCES", "CALL",      "AS"};

    for (gsize i = 0; i < G_N_ELEMENTS(words); i++) {
        if (hb_token_is_word(before, words[i]))
            return TRUE;
    }
    return hb_my_token_is_sign(before, '.');
}

static void check_functions(Look *look, const HbObject *object)
{
    g_autoptr(GHashTable) told = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    const char *sql = object->definition;
    HbToken token = {.type = HB_TOKEN_END}, before;

    for (before = token; (token = hb_my_next(&sql)).type != HB_TOKEN_END; before = token) {
        const char *after = sql;
        const HbToken next = hb_my_next(&after);
        if (token.type != HB_TOKEN_WORD || !hb_my_token_is_sign(&next, '(') || names_something(&before))
            continue;
        g_autofree char *lower = g_ascii_strdown(token.start, (gssize)token.length);
        if (hb_my_is_native_somewhere(lower) && !g_hash_table_contains(look->own, lower) &&
            ask(look, lower) == ABSENT && g_hash_table_add(told, g_strdup(lower)))
            report_function(look, object, lower);
    }
}

static void check_namesake(Look *look, const HbObject *object)
{
    g_autofree char *name = hb_lexer_unquote_name(hb_object_get_name(object));
    g_autofree char *lower = g_utf8_strdown(name, -1);

    if (ask(look, lower) != NATIVE)
        return;
    hb_finding_advise(hb_findings_add(look->run->findings, HB_FINDING_WARNING, "function-native", object->identity,
                                      "is called like a function of the target's own: where the database's name does "
                                      "not stand before it, that one is called"),
                      "write the database's name before it where it is called, or call it otherwise", NULL);
}

/* ---- Phrases ---- */

static void check_phrases(Look *look, const HbObject *object)
{
    const char *phrase = hb_my_find_foreign_phrase(object->definition, look->run->session->version);

    if (phrase != NULL)
        hb_finding_advise(hb_findings_add(look->run->findings, HB_FINDING_BLOCKER, "phrase-missing", object->identity,
                                          "says %s, which the target does not read: it could not be created", phrase),
                          "have the source say it otherwise, or leave it out with --skip", NULL);
}

/* ---- The whole ---- */

static gboolean is_program(const HbObject *object)
{
    switch (object->kind) {
    case HB_KIND_VIEW:
    case HB_KIND_FUNCTION:
    case HB_KIND_AGGREGATE:
    case HB_KIND_PROCEDURE:
    case HB_KIND_PACKAGE:
    case HB_KIND_PACKAGE_BODY:
    case HB_KIND_TRIGGER:
    case HB_KIND_EVENT:
        return TRUE;
    default:
        return FALSE;
    }
}

static GHashTable *list_own(const HbCatalog *catalog)
{
    GHashTable *own = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (object->kind != HB_KIND_FUNCTION && object->kind != HB_KIND_AGGREGATE)
            continue;
        g_autofree char *name = hb_lexer_unquote_name(hb_object_get_name(object));
        g_hash_table_add(own, g_utf8_strdown(name, -1));
    }
    return own;
}

/* As it would arrive: what the other product cannot have is left out, and told elsewhere; NULL: as it is. The caller's
 */
static HbCatalog *translate(const HbMyPreflight *run)
{
    HbCatalog *copy;

    if (hb_my_version_is_maria(run->preview->version) == run->session->is_maria)
        return NULL;
    copy = hb_catalog_copy(run->preview->catalog);
    hb_my_translate(copy, run->preview->version, run->session->version);
    return copy;
}

void hb_my_preflight_check_programs(HbMyPreflight *run)
{
    g_autoptr(HbCatalog) translated = translate(run);
    const HbCatalog *catalog = translated != NULL ? translated : run->preview->catalog;
    g_autoptr(GHashTable) own = list_own(catalog),
                          answers = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    Look look = {run, own, answers};

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (object->definition == NULL)
            continue;
        if (is_program(object) || object->kind == HB_KIND_TABLE || object->kind == HB_KIND_INDEX)
            check_functions(&look, object);
        if (is_program(object))
            check_phrases(&look, object);
        if (object->kind == HB_KIND_FUNCTION)
            check_namesake(&look, object);
    }
}
