/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/outcome.h"

#include "core/base/error.h"
#include "report/json.h"

#include <errno.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#define PATIENCE_US   (600 * G_USEC_PER_SEC)
#define LOOK_EVERY_US (20 * 1000)

/* ---- The document ---- */

static char *add_error(const char *document, const GError *error, HbStatus status)
{
    json_t *root = json_loads(document, 0, NULL), *told = json_object_get(root, "error");

    if (told == NULL || json_is_null(told))
        json_object_set_new(root, "error", hb_json_error_fields(error, (int)status));
    return hb_json_end(root);
}

char *hb_outcome_make(const GPtrArray *documents, const GError *error, HbStatus status)
{
    g_autofree char *results = documents->len == 1  ? g_strdup(documents->pdata[0])
                               : documents->len > 1 ? hb_json_list("results", documents)
                                                    : NULL;

    if (error == NULL)
        return g_steal_pointer(&results);
    return results == NULL ? hb_json_error(error, (int)status) : add_error(results, error, status);
}

void hb_outcome_add_leg(json_t *legs, const char *leg, HbStatus status, char *document)
{
    json_t *result = document != NULL ? json_loads(document, 0, NULL) : json_null();

    json_array_append_new(legs, json_pack("{s:s, s:i, s:o}", "leg", leg, "status", (int)status, "result", result));
    g_free(document);
}

/* No default: the compiler tells of a status that has no words */
const char *hb_outcome_describe(HbStatus status)
{
    switch (status) {
    case HB_STATUS_DONE:
        return "done";
    case HB_STATUS_REMARKS:
        return "done, but something differs, is blocked, or was left out";
    case HB_STATUS_USAGE:
        return "wrong use of the program";
    case HB_STATUS_SERVER:
        return "a server could not be reached, or refused us";
    case HB_STATUS_STATEMENT:
        return "a server's statement failed";
    case HB_STATUS_DUMP:
        return "a dump is damaged, or not one of ours";
    case HB_STATUS_FILE:
        return "a local file or disk failed";
    case HB_STATUS_INTERRUPTED:
        return "interrupted";
    }
    g_assert_not_reached();
}

/* ---- The program that comes then ---- */

static char **make_environment(const HbCli *cli, HbStatus status)
{
    g_autofree char *number = g_strdup_printf("%d", (int)status);
    char **environment = g_environ_setenv(g_get_environ(), "HORNBEAM_STATUS", number, TRUE);

    return g_environ_setenv(environment, "HORNBEAM_LEG", cli->leg != NULL ? cli->leg : "", TRUE);
}

/* A file without a name, so that nobody has to write while the program reads; NULL with HB_ERROR_FILE */
static FILE *write_input(const char *document, GError **error)
{
    FILE *file = tmpfile();

    if (file != NULL && fputs(document != NULL ? document : "{}", file) >= 0 && fputc('\n', file) != EOF &&
        fflush(file) == 0 && fseek(file, 0, SEEK_SET) == 0)
        return file;
    hb_error_set(error, HB_ERROR_FILE, NULL, "--then: writing its input: %s", g_strerror(errno));
    if (file != NULL)
        fclose(file);
    return NULL;
}

/* FALSE: it was still at work after all that time, and was ended */
static gboolean wait_for(GPid pid, int *wait_status)
{
    const gint64 enough = g_get_monotonic_time() + PATIENCE_US;

    while (waitpid(pid, wait_status, WNOHANG) == 0) {
        if (g_get_monotonic_time() > enough) {
            kill(pid, SIGKILL);
            waitpid(pid, wait_status, 0);
            return FALSE;
        }
        g_usleep(LOOK_EVERY_US);
    }
    return TRUE;
}

static gboolean spawn(const HbCli *cli, int input, HbStatus status, GPid *pid, GError **error)
{
    g_auto(GStrv) environment = make_environment(cli, status);
    g_autoptr(GError) cause = NULL;

    return g_spawn_async_with_fds(NULL, cli->options.then_words, environment,
                                  G_SPAWN_SEARCH_PATH | G_SPAWN_DO_NOT_REAP_CHILD, NULL, NULL, pid, input,
                                  STDERR_FILENO, STDERR_FILENO, &cause) ||
           hb_error_set(error, HB_ERROR_FILE, "see that the program is there, and may be run", "--then: %s",
                        cause->message);
}

gboolean hb_outcome_hand_on(const HbCli *cli, const char *document, HbStatus status, GError **error)
{
    const char *program = cli->options.then_words[0];
    g_autoptr(GError) cause = NULL;
    FILE *input = write_input(document, error);
    int wait_status = 0;
    GPid pid = 0;
    gboolean ok = input != NULL && spawn(cli, fileno(input), status, &pid, error);

    if (input != NULL)
        fclose(input);
    if (!ok)
        return FALSE;
    if (!wait_for(pid, &wait_status))
        return hb_error_set(error, HB_ERROR_FILE, "see what it waits for", "--then: %s did not end within ten minutes",
                            program);
    return g_spawn_check_wait_status(wait_status, &cause) ||
           hb_error_set(error, HB_ERROR_FILE, "see what it has told, above", "--then: %s: %s", program, cause->message);
}
