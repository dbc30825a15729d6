/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands/pass_run.h"

#include "cli/commands/restore_report.h"
#include "core/base/error.h"
#include "report/json.h"
#include "report/pass.h"
#include "work/run/database_pool.h"
#include "work/server/whole_server.h"

#include <string.h>

/* What passes of several databases, side by side, share: one at a time says something, or asks */
typedef struct {
    HbCli *cli;
    GMutex talk;
    GPtrArray *documents; /* char *: of a whole server they become one; NULL: each is printed */
    const HbPassOptions *whole;
    GArray *databases; /* HbDatabase; NULL: one pass alone */
    HbStatus worst;
} Talk;

static void show_plan(HbCli *cli, const HbPass *pass)
{
    g_autofree char *plan = hb_pass_plan_page(pass, hb_voice_has_color(cli->voice));

    hb_voice_show(cli->voice, plan, FALSE);
}

static HbStatus judge(const HbPass *pass, const HbRestoreResult *result, const HbVerification *rest)
{
    const HbFollowResult *follow = hb_pass_get_follow(pass);
    const HbStatus status = hb_cli_judge_restore(result);

    return status == HB_STATUS_DONE && (rest->differences->len > 0 || (follow != NULL && follow->drifts > 0))
               ? HB_STATUS_REMARKS
               : status;
}

static void print(Talk *talk, const HbPass *pass, const HbRestoreResult *result, const HbVerification *rest)
{
    HbCli *cli = talk->cli;

    char *page = NULL;

    if (result == NULL)
        page = hb_pass_plan_page(pass, cli->color);
    else if (!cli->options.quiet || judge(pass, result, rest) != HB_STATUS_DONE)
        page = hb_pass_page(pass, result, rest, cli->color);
    if (talk->documents == NULL) {
        hb_cli_conclude(cli, hb_pass_json(pass, result, rest), page);
        return;
    }
    g_ptr_array_add(talk->documents, hb_pass_json(pass, result, rest));
    if (page != NULL && !cli->options.json)
        hb_cli_print(cli, g_steal_pointer(&page));
    g_free(page);
}

/* What follows this pass: another one, with the same wishes or to end well; or nothing */
typedef enum { LAST_PASS, SAME_AGAIN, FINISHING_PASS } Next;

static Next find_next(const HbCli *cli, const HbPass *pass, const HbPassOptions *options, HbStatus status)
{
    const HbFollowResult *follow = hb_pass_get_follow(pass);

    if (status != HB_STATUS_DONE || cli->options.dry_run || hb_stop_is_handed_on(cli->stop))
        return LAST_PASS;
    if (hb_pass_leaves_log(pass) || (follow != NULL && follow->structure != NULL))
        return SAME_AGAIN;
    return options->keeps_up ? FINISHING_PASS : LAST_PASS;
}

static HbStatus report(Talk *talk, const HbPass *pass, const HbPassOptions *options, const HbRestoreResult *result,
                       const HbVerification *rest)
{
    const HbCli *cli = talk->cli;
    g_autofree char *plain = hb_pass_page(pass, result, rest, FALSE);
    const HbStatus status = judge(pass, result, rest);

    g_mutex_lock(&talk->talk);
    hb_voice_write_log(cli->voice, plain);
    if (find_next(cli, pass, options, status) == LAST_PASS)
        print(talk, pass, result, rest);
    g_mutex_unlock(&talk->talk);
    return status;
}

/* A pass that broke off says what it has brought, too */
static HbStatus bring(Talk *talk, HbPass *pass, const HbPassOptions *options, GError **error)
{
    HbRestoreResult result = {0};
    HbVerification rest = {0};
    const gboolean ok = hb_pass_run(pass, &result, error) && hb_pass_compare_rest(pass, &result, &rest, error);
    HbStatus status;

    if (rest.differences == NULL)
        hb_verification_init(&rest);
    result.open = MAX(result.open, !ok);
    status = report(talk, pass, options, &result, &rest);
    hb_verification_clear(&rest);
    hb_restore_result_clear(&result);
    return ok ? status : HB_STATUS_STATEMENT;
}

/* Does TO hold, in part at least, what came after FROM's moment? */
static gboolean goes_back(const HbPass *pass)
{
    const HbOrigin *origin = hb_pass_get_origin(pass);
    const char *moment = hb_pass_get_source(pass)->snapshot_time;

    return origin != NULL && ((origin->moment != NULL && strcmp(origin->moment, moment) > 0) ||
                              (origin->coming != NULL && strcmp(origin->coming, moment) > 0));
}

/* What is known to be FROM's copy may be brought up to date without asking */
static gboolean is_known_copy(const HbPass *pass)
{
    const HbOrigin *origin = hb_pass_get_origin(pass);

    return origin != NULL && origin->source_id != NULL && !goes_back(pass);
}

static char *describe_work(const HbPass *pass)
{
    const HbRestore *restore = hb_pass_get_restore(pass);
    g_autofree char *work = hb_pass_describe_work(pass);

    return work != NULL ? g_strdup_printf("database %s at %s%s: %s", hb_restore_get_database(restore),
                                          hb_restore_get_target(restore)->address,
                                          goes_back(pass) ? " goes back to an older moment" : "", work)
                        : NULL;
}

/* TRUE: it is to be brought. Otherwise *status says how it ended */
static gboolean agree(Talk *talk, const HbPass *pass, const HbPassOptions *options, HbStatus *status, GError **error)
{
    HbCli *cli = talk->cli;
    g_autofree char *work = describe_work(pass);

    *status = HB_STATUS_REMARKS;
    if (hb_pass_is_blocked(pass)) {
        hb_cli_show_refusal(cli, hb_pass_get_restore(pass), NULL);
        return hb_restore_set_blocked_error(hb_pass_get_restore(pass), error);
    }
    if (cli->options.dry_run) {
        print(talk, pass, NULL, NULL);
        *status = HB_STATUS_DONE;
        return FALSE;
    }
    show_plan(cli, pass);
    return options->to.resume || is_known_copy(pass) || hb_cli_agree(cli, work, error);
}

static HbStatus agree_and_bring(Talk *talk, HbPass *pass, const HbPassOptions *options, GError **error)
{
    HbStatus status;
    gboolean agreed;

    g_mutex_lock(&talk->talk);
    agreed = agree(talk, pass, options, &status, error);
    g_mutex_unlock(&talk->talk);
    return agreed ? bring(talk, pass, options, error) : status;
}

/* Passes that follow each other. What ends the reading of the log again and again, however often the tables are
 * compared, would go on for ever */
typedef struct {
    char *structure; /* that ended the last one; NULL: nothing has yet */
    guint times;     /* in a row, within a short while each */
} Series;

#define SHORT_WHILE_S 60
#define TIMES_MAX     5

static gboolean note_structure(Series *series, const HbFollowResult *follow, GError **error)
{
    const gboolean is_same = g_strcmp0(series->structure, follow->structure) == 0 && follow->seconds < SHORT_WHILE_S;

    series->times = is_same ? series->times + 1 : 1;
    g_free(series->structure);
    series->structure = g_strdup(follow->structure);
    return series->times < TIMES_MAX ||
           hb_error_set(error, HB_ERROR_BLOCKED, "bring the copy up to date by comparing: freshen --by rows",
                        "%s, %u times in a row: the log cannot be followed", follow->structure, series->times);
}

static gboolean go_on(const Talk *talk, Series *series, const HbPass *pass, GError **error)
{
    const HbFollowResult *follow = hb_pass_get_follow(pass);

    if (follow == NULL || follow->structure == NULL)
        return TRUE;
    hb_observers_note(talk->cli->observers, HB_SEVERITY_NOTE, NULL, "%s: another pass brings what is new",
                      follow->structure);
    return note_structure(series, follow, error);
}

static HbStatus run_once(Talk *talk, HbPassOptions *options, Series *series, Next *next, GError **error)
{
    g_autoptr(HbOrigin) origin = NULL;
    HbPass *pass;
    HbStatus status;

    *next = LAST_PASS;
    if (!hb_origin_recall(options->to.engine, &options->to.to, &origin, error) ||
        (origin != NULL && !hb_pass_adopt_origin(options, origin, error)))
        return HB_STATUS_SERVER;
    pass = hb_pass_open(options, error);
    status = pass != NULL ? agree_and_bring(talk, pass, options, error) : HB_STATUS_SERVER;
    if (pass != NULL)
        *next = find_next(talk->cli, pass, options, status);
    if (*next == SAME_AGAIN && !go_on(talk, series, pass, error)) {
        *next = LAST_PASS;
        status = HB_STATUS_SERVER;
    }
    hb_pass_free(pass);
    return status;
}

static HbStatus run_one(Talk *talk, const HbPassOptions *given, GError **error)
{
    gboolean keeps_up = given->keeps_up;
    Series series = {0};
    HbStatus status;
    Next next;

    do {
        HbPassOptions options = *given;
        options.keeps_up = keeps_up;
        hb_stop_set_patient(talk->cli->stop, keeps_up);
        status = run_once(talk, &options, &series, &next, error);
        keeps_up = keeps_up && next != FINISHING_PASS;
    } while (next != LAST_PASS && !hb_stop_is_set(talk->cli->stop));
    g_free(series.structure);
    return next == LAST_PASS || hb_stop_set_error(error) ? status : HB_STATUS_INTERRUPTED;
}

HbStatus hb_cli_run_pass(HbCli *cli, const HbPassOptions *options, GError **error)
{
    Talk talk = {.cli = cli};
    HbStatus status;

    g_mutex_init(&talk.talk);
    status = run_one(&talk, options, error);
    g_mutex_clear(&talk.talk);
    return status;
}

/* ---- All databases of a server ---- */

static HbPassOptions make_member(const Talk *talk, const HbDatabase *database, const HbDatabaseWorker *worker,
                                 HbStop *stop)
{
    HbPassOptions options = *talk->whole;

    options.from.stop = options.to.stop = stop;
    options.from.from.watch = options.to.to.watch = hb_stop_get_watch(stop);
    options.from.from.database = database->name;
    options.from.jobs = options.to.jobs = worker->jobs;
    options.from.observers = options.to.observers = worker->observers;
    options.to.to.database = hb_adapt_database(&options.to.wishes, database->name);
    options.to.wishes.lenient = TRUE; /* the others may have what it names */
    options.to.part_of_server = TRUE;
    return options;
}

/* What goes wrong in one database is told, and the others go on; the worst status counts */
static gboolean run_database(gpointer data, guint item, const HbDatabaseWorker *worker, GError **error)
{
    Talk *talk = data;
    const HbDatabase *database = &g_array_index(talk->databases, HbDatabase, item);
    HbStop *stop;
    g_autoptr(GError) ours = NULL;
    HbStatus status;

    if (hb_stop_is_set(talk->cli->stop))
        return hb_stop_set_error(error);
    hb_observers_note(worker->observers, HB_SEVERITY_NOTE, NULL, "database %s", database->name);
    stop = hb_stop_new_part(talk->cli->stop);
    const HbPassOptions options = make_member(talk, database, worker, stop);
    status = run_one(talk, &options, &ours);
    hb_stop_free(stop);
    if (hb_stop_is_set(talk->cli->stop))
        return hb_stop_set_error(error);
    g_mutex_lock(&talk->talk);
    if (ours != NULL) {
        hb_voice_say(talk->cli->voice, HB_SEVERITY_ERROR, ours->message, hb_error_hint(ours));
        status = hb_cli_get_status(ours);
    }
    talk->worst = MAX(talk->worst, status);
    g_mutex_unlock(&talk->talk);
    return TRUE;
}

static gboolean run_databases(Talk *talk, GError **error)
{
    HbDatabasePool *pool = hb_database_pool_new(talk->whole->from.jobs, talk->cli->observers);
    g_autofree guint64 *bytes = g_new0(guint64, talk->databases->len + 1);
    gboolean ok;

    for (guint i = 0; i < talk->databases->len; i++)
        bytes[i] = g_array_index(talk->databases, HbDatabase, i).bytes;
    ok = hb_database_pool_run(pool, bytes, talk->databases->len, run_database, talk, error);
    hb_database_pool_free(pool);
    return ok;
}

HbStatus hb_cli_run_passes(HbCli *cli, const HbPassOptions *options, GError **error)
{
    const HbSide from = {.engine = options->from.engine, .address = options->from.from};
    g_autoptr(GArray) databases = hb_whole_server_list(&from, error);
    g_autoptr(GPtrArray) documents = g_ptr_array_new_with_free_func(g_free);
    Talk talk = {.cli = cli, .documents = documents, .whole = options, .databases = databases};

    if (databases == NULL)
        return HB_STATUS_SERVER;
    for (guint i = databases->len; i-- > 0;) {
        if (!hb_selection_takes_database(options->from.selection, g_array_index(databases, HbDatabase, i).name))
            g_array_remove_index(databases, i);
    }
    g_mutex_init(&talk.talk);
    if (!run_databases(&talk, error))
        talk.worst = HB_STATUS_INTERRUPTED;
    else
        hb_cli_conclude(cli, hb_json_list("server freshen", documents),
                        databases->len == 0 && !cli->options.quiet
                            ? g_strdup("FROM has no database to bring over (or none that was chosen).")
                            : NULL);
    g_mutex_clear(&talk.talk);
    return talk.worst;
}
