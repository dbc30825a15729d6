/* SPDX-License-Identifier: Apache-2.0 */
#include "work/verify/questions.h"

#include <string.h>

static void probe_free(gpointer data)
{
    HbAnswer *probe = data;

    g_free(probe->question);
    hb_result_table_free(probe->from);
    hb_result_table_free(probe->to);
    g_free(probe->from_refusal);
    g_free(probe->to_refusal);
    g_free(probe);
}

/* The caller's; NULL: none is named */
static char *find_database(const HbSide *side)
{
    if (side->dump != NULL)
        return g_strdup(hb_reader_get_manifest(side->dump)->database);
    return side->address.database != NULL ? g_strdup(side->address.database)
                                          : side->engine->connector->get_database(side->address.uri);
}

/* Takes the question. As in a view's definition */
static char *rename_in(const HbEngine *engine, char *question, HbRename *rename)
{
    HbObject *view = hb_object_new(HB_KIND_VIEW, "question");
    char *renamed = engine->dialect->rename(view, question, rename);

    hb_object_free(view);
    if (renamed == NULL)
        return question;
    g_free(question);
    return renamed;
}

static char *rename_question(const HbQuestions *questions, const char *question)
{
    const HbEngine *engine = questions->to->engine;
    const GPtrArray *renames = questions->wishes->renames;
    g_autofree char *from = find_database(questions->from), *to = find_database(questions->to);
    char *sql = g_strdup(question);

    for (guint i = 0; renames != NULL && i < renames->len; i++)
        sql = rename_in(engine, sql, renames->pdata[i]);
    if (from != NULL && to != NULL && strcmp(from, to) != 0)
        sql = rename_in(engine, sql, &(HbRename){.kind = HB_RENAME_DATABASE, .old_name = from, .new_name = to});
    return sql;
}

static HbResultTable *ask(const HbSide *side, HbSession *session, const char *question, char **refusal)
{
    g_autoptr(GError) cause = NULL;
    HbResultTable *answer = session != NULL ? side->engine->source->ask(session, question, &cause) : NULL;

    if (cause != NULL)
        *refusal = g_strdup(cause->message);
    return answer;
}

static gboolean is_same(const HbResultTable *one, const HbResultTable *other)
{
    if (one->columns->len != other->columns->len || one->rows->len != other->rows->len)
        return FALSE;
    for (guint r = 0; r < one->rows->len; r++) {
        for (guint c = 0; c < one->columns->len; c++) {
            if (g_strcmp0(hb_result_table_get(one, r, c), hb_result_table_get(other, r, c)) != 0)
                return FALSE;
        }
    }
    return TRUE;
}

static HbAnswer *probe(const HbQuestions *questions, HbSession *from, HbSession *to, const char *question)
{
    HbAnswer *made = g_new0(HbAnswer, 1);
    g_autofree char *renamed = rename_question(questions, question);

    made->question = g_strdup(question);
    made->from = ask(questions->from, from, question, &made->from_refusal);
    made->to = ask(questions->to, to, renamed, &made->to_refusal);
    made->same = made->to != NULL && (from == NULL || (made->from != NULL && is_same(made->from, made->to)));
    return made;
}

GPtrArray *hb_questions_ask(const HbQuestions *questions, GError **error)
{
    const HbEngine *engine = questions->to->engine;
    const gboolean is_dump = questions->from->dump != NULL;
    HbSession *from = is_dump ? NULL : engine->connector->open(&questions->from->address, error);
    HbSession *to = is_dump || from != NULL ? engine->connector->open(&questions->to->address, error) : NULL;
    GPtrArray *probes = to != NULL ? g_ptr_array_new_with_free_func(probe_free) : NULL;

    for (char *const *text = questions->texts; probes != NULL && *text != NULL; text++)
        g_ptr_array_add(probes, probe(questions, from, to, *text));
    engine->connector->close(to);
    engine->connector->close(from);
    return probes;
}
