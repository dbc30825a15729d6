/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands/kept_logs.h"

#include "cli/commands/restore_report.h"
#include "cli/commands/whole_server.h"
#include "core/base/error.h"
#include "report/json.h"
#include "report/kept_log.h"
#include "report/text.h"
#include "work/origin/origin.h"

typedef struct {
    HbCli *cli;
    const HbEngine *engine;
    HbAddress from, to;
    HbSession *session; /* of the source */
    GArray *kept;       /* HbKeptLog */
} Releasing;

static gboolean is_anything_kept(const Releasing *releasing)
{
    if (releasing->kept->len > 0)
        return TRUE;
    hb_cli_conclude(releasing->cli, hb_kept_logs_json(releasing->kept),
                    releasing->cli->options.quiet ? NULL : g_strdup("Nothing is kept there for copies."));
    return FALSE;
}

static gboolean release_all(const Releasing *releasing, GError **error)
{
    for (guint i = 0; i < releasing->kept->len; i++) {
        const HbKeptLog *one = &g_array_index(releasing->kept, HbKeptLog, i);
        if (!releasing->engine->log->release(releasing->session, one->name, error))
            return FALSE;
    }
    hb_cli_conclude(releasing->cli, hb_kept_logs_json(releasing->kept),
                    releasing->cli->options.quiet ? NULL
                                                  : hb_kept_logs_page(releasing->kept, TRUE, releasing->cli->color));
    return TRUE;
}

static gboolean forget_in_copy(const Releasing *releasing, HbOrigin *origin, GError **error)
{
    HbSession *session = releasing->engine->connector->open(&releasing->to, error);
    g_autofree char *text = NULL;
    gboolean ok;

    hb_origin_set_log(origin, NULL, NULL);
    text = hb_origin_write(origin);
    ok = session != NULL && releasing->engine->target->write_origin(session, text, error);
    releasing->engine->connector->close(session);
    return ok;
}

/* What TO remembers; its own note goes first: a note of what is gone would be worse than a log that nobody reads */
static HbStatus release_for(Releasing *releasing, GError **error)
{
    g_autoptr(HbOrigin) origin = NULL;
    g_autofree char *name = NULL;

    if (!hb_origin_recall(releasing->engine, &releasing->to, &origin, error))
        return HB_STATUS_SERVER;
    if (origin == NULL || origin->log_name == NULL) {
        hb_error_set(error, HB_ERROR_BLOCKED, "hornbeam freshen FROM --release lists all that FROM keeps, and asks",
                     "TO remembers no log that is kept for it");
        return HB_STATUS_SERVER;
    }
    name = g_strdup(origin->log_name);
    releasing->kept = releasing->engine->log->list(releasing->session, name, error);
    if (releasing->kept == NULL || !forget_in_copy(releasing, origin, error))
        return HB_STATUS_SERVER;
    return !is_anything_kept(releasing) || release_all(releasing, error) ? HB_STATUS_DONE : HB_STATUS_STATEMENT;
}

static HbStatus release_each(Releasing *releasing, GError **error)
{
    g_autofree char *page = NULL, *question = NULL;

    releasing->kept = releasing->engine->log->list(releasing->session, NULL, error);
    if (releasing->kept == NULL)
        return HB_STATUS_SERVER;
    if (!is_anything_kept(releasing))
        return HB_STATUS_DONE;
    page = hb_kept_logs_page(releasing->kept, FALSE, hb_voice_has_color(releasing->cli->voice));
    hb_voice_show(releasing->cli->voice, page, FALSE);
    question =
        g_strdup_printf("the copies that need these %u can then only be freshened by comparing", releasing->kept->len);
    if (!hb_cli_agree(releasing->cli, question, error))
        return HB_STATUS_REMARKS;
    return release_all(releasing, error) ? HB_STATUS_DONE : HB_STATUS_STATEMENT;
}

static HbStatus release(Releasing *releasing, GError **error)
{
    HbStatus status;

    if (releasing->engine->log == NULL) {
        hb_error_set(error, HB_ERROR_USAGE, NULL, "servers of this kind keep no log for copies");
        return HB_STATUS_USAGE;
    }
    releasing->session = releasing->engine->connector->open(&releasing->from, error);
    if (releasing->session == NULL)
        return HB_STATUS_SERVER;
    status = releasing->to.uri != NULL ? release_for(releasing, error) : release_each(releasing, error);
    if (releasing->kept != NULL)
        g_array_unref(releasing->kept);
    releasing->engine->connector->close(releasing->session);
    return status;
}

HbStatus hb_cli_release_log(HbCli *cli, const char *from, const char *to, GError **error)
{
    Releasing releasing = {.cli = cli};
    const HbEngine *other = NULL;
    g_autofree char *database = NULL;

    if (!hb_cli_find_server(cli, from, &releasing.engine, &releasing.from, error) ||
        (to != NULL && (!hb_cli_find_server(cli, to, &other, &releasing.to, error) ||
                        !hb_cli_check_same_kind(releasing.engine, other, error))))
        return HB_STATUS_USAGE;
    database = releasing.engine->connector->get_database(from);
    if (database == NULL) {
        hb_error_set(error, HB_ERROR_USAGE, "name it in the URI", "a log is kept for the copies of one database");
        return HB_STATUS_USAGE;
    }
    if (to != NULL)
        hb_cli_default_database(releasing.engine, &releasing.to, &cli->options.wishes, database);
    return release(&releasing, error);
}

static void tell_one(HbCli *cli, const HbKeptLog *one, const char *address)
{
    g_autofree char *bytes = hb_text_bytes(one->bytes);

    hb_observers_note(cli->observers, HB_SEVERITY_WARNING,
                      "the copy needs it for freshen --by log; hornbeam freshen SERVER/DATABASE --release ends it",
                      "%s keeps its log for a copy (%s): %s, %s; %s", address, one->name,
                      one->complaint != NULL ? "lost" : bytes,
                      one->is_read ? "a session reads it" : "nobody reads it now",
                      one->complaint != NULL ? one->complaint : one->limit);
}

static void tell_all(HbCli *cli, const HbEngine *engine, const HbAddress *address, const char *log)
{
    HbSession *session = engine->log != NULL ? engine->connector->open(address, NULL) : NULL;
    g_autoptr(GArray) kept = session != NULL ? engine->log->list(session, log, NULL) : NULL;
    g_autofree char *name = engine->connector->display(address);

    for (guint i = 0; kept != NULL && i < kept->len; i++)
        tell_one(cli, &g_array_index(kept, HbKeptLog, i), name);
    engine->connector->close(session);
}

void hb_cli_tell_kept_logs(HbCli *cli, const HbEngine *engine, const HbAddress *address)
{
    tell_all(cli, engine, address, NULL);
}

/* A server that keeps its log for nobody in particular can only be asked about what a copy remembers */
void hb_cli_tell_log_of(HbCli *cli, const HbEngine *engine, const HbAddress *from, const HbAddress *copy)
{
    g_autoptr(HbOrigin) origin = NULL;

    hb_origin_recall(engine, copy, &origin, NULL);
    if (origin != NULL && origin->log_name != NULL)
        tell_all(cli, engine, from, origin->log_name);
    else
        tell_all(cli, engine, from, NULL);
}
