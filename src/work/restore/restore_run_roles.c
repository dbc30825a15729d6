/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_run_inner.h"

#include "core/compare/compare.h"
#include "core/graph/order.h"
#include "core/sql/lexer.h"

#include <errno.h>
#include <fcntl.h>
#include <string.h>
#include <sys/random.h>
#include <unistd.h>

/*
 * Users are the server's, and may be there before the database is: such a one is kept as it is, and what differs is
 * told once, with the role. The catalogs of both sides are compared for that, before anything is written. New
 * passwords go into the file before the server gets them: a password that nobody knows would be worse than one too
 * many in a file.
 */

#define PASSWORD_LETTERS "abcdefghijkmnopqrstuvwxyzABCDEFGHJKLMNPQRSTUVWXYZ23456789"
#define PASSWORD_LENGTH  24 /* of 56 letters: about 139 bits */

/* ---- Users that exist already ---- */

/* The role itself, its password and settings, and what it is a member of */
static gboolean is_about(const HbObject *object, const char *role)
{
    const char *name = strchr(role, ' ') + 1, *after;

    if (object == NULL || strcmp(object->identity, role) == 0)
        return object != NULL;
    after = g_str_has_prefix(hb_object_get_name(object), name) ? hb_object_get_name(object) + strlen(name) : NULL;
    return after != NULL && hb_object_has_need(object, role) &&
           (object->kind != HB_KIND_MEMBERSHIP || g_str_has_prefix(after, " in "));
}

static void append_difference(GString *text, const HbDifference *difference)
{
    g_string_append_printf(text, "%s%s", text->len > 0 ? "; " : "", difference->identity);
    if (difference->type == HB_DIFFERENCE_MISSING)
        g_string_append(text, " is missing");
    else if (difference->from != NULL && difference->to != NULL)
        g_string_append_printf(text, " is “%s”, not “%s”", difference->to, difference->from);
}

/* The message on a kept role: what the source's has otherwise */
static char *report_kept(const HbRestoreRun *run, const char *role)
{
    g_autoptr(GString) text = g_string_new(NULL);

    for (guint i = 0; run->role_differences != NULL && i < run->role_differences->len; i++) {
        const HbDifference *difference = run->role_differences->pdata[i];
        if (is_about(hb_catalog_find(run->manifest->catalog, difference->identity), role))
            append_difference(text, difference);
    }
    return text->len > 0 ? g_strdup_printf("was there already and stays as it is; unlike in the source, %s", text->str)
                         : g_strdup("was there already and stays as it is");
}

gboolean hb_restore_run_compare_roles(HbRestoreRun *run, HbSession *session, GError **error)
{
    g_autoptr(HbCatalog) users = run->options->engine->source->read_server(session, HB_PART_USERS, error);

    if (users == NULL || !hb_order_arrange(users, error))
        return FALSE;
    run->role_differences = hb_compare_new();
    hb_compare_catalogs(run->manifest->catalog, users, run->options->engine->dialect, HB_PART_USERS,
                        run->role_differences);
    return TRUE;
}

static gboolean is_about_kept_role(HbRestoreRun *run, const HbObject *object)
{
    gboolean kept = object->needs->len > 0;

    for (guint n = 0; n < object->needs->len; n++)
        kept = kept && g_hash_table_contains(run->kept, object->needs->pdata[n]);
    return kept && (object->kind == HB_KIND_PASSWORD || object->kind == HB_KIND_MEMBERSHIP ||
                    object->kind == HB_KIND_ROLE_SETTING || object->kind == HB_KIND_GLOBAL_GRANT);
}

void hb_restore_run_note_kept(HbRestoreRun *run, const HbStep *step)
{
    g_autofree char *message = NULL;

    g_hash_table_add(run->kept, step->object->identity);
    if (step->object->kind != HB_KIND_ROLE)
        return;
    message = report_kept(run, step->object->identity);
    hb_restore_result_add(run->result, HB_OUTCOME_KEPT, step->key, message, NULL);
}

gboolean hb_restore_run_keep_role(HbRestoreRun *run, HbWorker *worker, const HbStep *step, GError **error)
{
    if (!run->options->engine->journal->run_step(worker->session, NULL, step->key, NOTE_KEPT, error))
        return FALSE;
    g_mutex_lock(&run->lock);
    hb_restore_run_note_kept(run, step);
    g_mutex_unlock(&run->lock);
    return TRUE;
}

gboolean hb_restore_run_is_role_kept(HbRestoreRun *run, HbWorker *worker, const HbStep *step, gboolean *kept,
                                     GError **error)
{
    *kept = FALSE;
    if (step->type != HB_STEP_TYPE_OBJECT)
        return TRUE;
    if (step->object->kind == HB_KIND_ROLE)
        return run->options->engine->target->find_role(worker->session, hb_object_get_name(step->object), kept, error);
    g_mutex_lock(&run->lock);
    *kept = is_about_kept_role(run, step->object);
    g_mutex_unlock(&run->lock);
    return TRUE;
}

/* ---- Joining owners ---- */

#define JOINING "join role "

/* The role that the step's object belongs to or is about, unquoted; NULL: there is none. The caller's */
static char *find_owner(const HbStep *step)
{
    static const char begins[] = "for ";
    const HbObject *object = step->object;
    const char *name = hb_object_get_name(object);
    HbToken token;

    if (object->owner_sql != NULL && object->owner != NULL)
        return g_strdup(object->owner);
    if (object->kind == HB_KIND_DATABASE_OWNER)
        return hb_lexer_unquote_name(name);
    if (object->kind != HB_KIND_DEFAULT_GRANT || !g_str_has_prefix(name, begins))
        return NULL;
    name += strlen(begins);
    token = hb_lexer_read_token(&hb_lexer_plain, &name);
    return hb_token_unquote(&token);
}

/* With the rights' lock held: one of all workers does it */
static gboolean join(HbRestoreRun *run, HbWorker *worker, const char *owner, const char *key)
{
    char *leaving = NULL;
    g_autofree char *sql = run->options->engine->target->make_joining(worker->session, owner, &leaving);
    g_autoptr(GError) refusal = NULL;

    if (!run->options->engine->journal->run_step(worker->session, sql, key, leaving, &refusal) &&
        !hb_error_is(refusal, HB_ERROR_ALREADY_DONE))
        g_clear_pointer(&leaving, g_free);
    g_hash_table_insert(run->joined, g_strdup(key), leaving);
    return leaving != NULL;
}

gboolean hb_restore_run_join_owner(HbRestoreRun *run, HbWorker *worker, const HbStep *step)
{
    g_autofree char *owner = run->options->engine->target->make_joining != NULL ? find_owner(step) : NULL;
    g_autofree char *key = owner != NULL ? g_strconcat(JOINING, owner, NULL) : NULL;
    gpointer leaving;
    gboolean joined;

    if (owner == NULL || run->target->info.is_superuser || strcmp(owner, run->target->info.user) == 0)
        return FALSE;
    g_mutex_lock(&run->privileges);
    if (g_hash_table_lookup_extended(run->joined, key, NULL, &leaving))
        joined = leaving != NULL;
    else
        joined = join(run, worker, owner, key);
    g_mutex_unlock(&run->privileges);
    return joined;
}

static void add_joined_before(HbRestoreRun *run)
{
    GHashTableIter iter;
    gpointer key, note;

    g_hash_table_iter_init(&iter, run->journal);
    while (g_hash_table_iter_next(&iter, &key, &note)) {
        if (g_str_has_prefix(key, JOINING))
            g_hash_table_replace(run->joined, g_strdup(key), g_strdup(note));
    }
}

void hb_restore_run_list_joined(HbRestoreRun *run)
{
    g_autoptr(GList) keys = NULL;

    if (run->journal != NULL)
        add_joined_before(run);
    keys = g_list_sort(g_hash_table_get_keys(run->joined), (GCompareFunc)strcmp);
    for (GList *at = keys; at != NULL; at = at->next) {
        const char *leaving = g_hash_table_lookup(run->joined, at->data);
        g_autofree char *message =
            g_strdup_printf("%s is a member of it now, so that it could give it what it owns", run->target->info.user);
        g_autofree char *hint = leaving != NULL ? g_strdup_printf("when all is verified, leave it: %s", leaving) : NULL;
        if (leaving != NULL)
            hb_restore_result_add(run->result, HB_OUTCOME_KEPT, (const char *)at->data + strlen("join "), message,
                                  hint);
    }
}

/* ---- New passwords ---- */

static gboolean file_error(GError **error, const char *path)
{
    return hb_error_set(error, HB_ERROR_FILE, "name a file for --new-passwords that does not exist yet", "%s: %s", path,
                        g_strerror(errno));
}

gboolean hb_restore_run_open_passwords(HbRestoreRun *run, GError **error)
{
    const char *path = run->options->new_passwords;
    int flags = O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC | (run->decision->is_resumed ? 0 : O_EXCL);

    if (path == NULL)
        return TRUE;
    run->password_file = open(path, flags, 0600);
    return run->password_file >= 0 || file_error(error, path);
}

void hb_restore_run_close_passwords(HbRestoreRun *run)
{
    if (run->password_file >= 0)
        close(run->password_file);
    run->password_file = -1;
}

/* Letters drawn evenly: random bytes beyond the last full round of the alphabet are thrown away */
static gboolean draw_password(char password[PASSWORD_LENGTH + 1], GError **error)
{
    const guint letters = sizeof PASSWORD_LETTERS - 1;
    guint length = 0;

    while (length < PASSWORD_LENGTH) {
        unsigned char byte;
        if (getrandom(&byte, 1, 0) != 1)
            return hb_error_set(error, HB_ERROR_FILE, NULL, "no random bytes: %s", g_strerror(errno));
        if (byte < 256 / letters * letters)
            password[length++] = PASSWORD_LETTERS[byte % letters];
    }
    password[length] = '\0';
    return TRUE;
}

static gboolean note_password(HbRestoreRun *run, const char *role, const char *password, GError **error)
{
    g_autofree char *line = g_strdup_printf("%s\t%s\n", role, password);
    gssize length = (gssize)strlen(line);
    gboolean ok = write(run->password_file, line, (gsize)length) == length && fsync(run->password_file) == 0;

    memset(line, 0, (gsize)length);
    return ok || file_error(error, run->options->new_passwords);
}

static gboolean has_password(const HbRestoreRun *run, const HbObject *role)
{
    g_autofree char *identity = hb_identity_new(HB_KIND_PASSWORD, hb_object_get_name(role));

    return hb_catalog_find(run->manifest->catalog, identity) != NULL;
}

char *hb_restore_run_renew_password(HbRestoreRun *run, HbSession *session, const HbObject *role, GError **error)
{
    char password[PASSWORD_LENGTH + 1];
    char *sql = NULL;

    if (run->password_file < 0 || role->kind != HB_KIND_ROLE || has_password(run, role))
        return NULL;
    if (!draw_password(password, error))
        return NULL;
    sql = run->options->engine->target->make_password_sql(session, role, password, error);
    if (sql != NULL && !note_password(run, hb_object_get_name(role), password, error))
        g_clear_pointer(&sql, g_free);
    memset(password, 0, sizeof password);
    return sql;
}
