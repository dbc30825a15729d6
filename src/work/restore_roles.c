/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore_inner.h"

#include "core/compare.h"
#include "core/order.h"
#include "core/sqltext.h"

#include <errno.h>
#include <fcntl.h>
#include <string.h>
#include <sys/random.h>
#include <unistd.h>

#define PASSWORD_LETTERS "abcdefghijkmnopqrstuvwxyzABCDEFGHJKLMNPQRSTUVWXYZ23456789"
#define PASSWORD_LENGTH  24 /* of 56 letters: about 139 bits */

/* ---- Users who are there already ---- */

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
static char *tell_kept(const HbRestore *restore, const char *role)
{
    g_autoptr(GString) text = g_string_new(NULL);

    for (guint i = 0; restore->role_differences != NULL && i < restore->role_differences->len; i++) {
        const HbDifference *difference = restore->role_differences->pdata[i];
        if (is_about(hb_catalog_find(restore->manifest->catalog, difference->identity), role))
            append_difference(text, difference);
    }
    return text->len > 0 ? g_strdup_printf("was there already and stays as it is; unlike in the source, %s", text->str)
                         : g_strdup("was there already and stays as it is");
}

gboolean hb_roles_look(HbRestore *restore, HbSession *session, GError **error)
{
    g_autoptr(HbCatalog) users = restore->options.engine->read_server(session, HB_PART_USERS, error);

    if (users == NULL || !hb_order_arrange(users, error))
        return FALSE;
    restore->role_differences = hb_compare_new();
    hb_compare_catalogs(restore->manifest->catalog, users, HB_PART_USERS, restore->role_differences);
    return TRUE;
}

static gboolean is_about_kept_role(HbRestore *restore, const HbObject *object)
{
    gboolean kept = object->needs->len > 0;

    for (guint n = 0; n < object->needs->len; n++)
        kept = kept && g_hash_table_contains(restore->kept, object->needs->pdata[n]);
    return kept && (object->kind == HB_KIND_PASSWORD || object->kind == HB_KIND_MEMBERSHIP ||
                    object->kind == HB_KIND_ROLE_SETTING || object->kind == HB_KIND_GLOBAL_GRANT);
}

void hb_restore_note_kept(HbRestore *restore, const HbStep *step)
{
    g_autofree char *message = NULL;

    g_hash_table_add(restore->kept, step->object->identity);
    if (step->object->kind != HB_KIND_ROLE)
        return;
    message = tell_kept(restore, step->object->identity);
    hb_restore_add_exception(restore, HB_OUTCOME_KEPT, step->key, message, NULL);
}

gboolean hb_roles_keep(HbRestore *restore, HbWorker *worker, const HbStep *step, GError **error)
{
    if (!restore->options.engine->run_step(worker->session, NULL, step->key, NOTE_KEPT, error))
        return FALSE;
    g_mutex_lock(&restore->lock);
    hb_restore_note_kept(restore, step);
    g_mutex_unlock(&restore->lock);
    return TRUE;
}

gboolean hb_roles_is_kept(HbRestore *restore, HbWorker *worker, const HbStep *step, gboolean *kept, GError **error)
{
    *kept = FALSE;
    if (step->type != HB_STEP_TYPE_OBJECT)
        return TRUE;
    if (step->object->kind == HB_KIND_ROLE)
        return restore->options.engine->find_role(worker->session, hb_object_get_name(step->object), kept, error);
    g_mutex_lock(&restore->lock);
    *kept = is_about_kept_role(restore, step->object);
    g_mutex_unlock(&restore->lock);
    return TRUE;
}

/* ---- New passwords ---- */

static gboolean file_error(GError **error, const char *path)
{
    return hb_error_set(error, HB_ERROR_FILE, "name a file for --new-passwords that does not exist yet", "%s: %s", path,
                        g_strerror(errno));
}

gboolean hb_roles_open_passwords(HbRestore *restore, GError **error)
{
    const char *path = restore->options.new_passwords;
    int flags = O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC | (restore->resumed ? 0 : O_EXCL);

    if (path == NULL)
        return TRUE;
    restore->password_file = open(path, flags, 0600);
    return restore->password_file >= 0 || file_error(error, path);
}

void hb_roles_close_passwords(HbRestore *restore)
{
    if (restore->password_file >= 0)
        close(restore->password_file);
    restore->password_file = -1;
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

static gboolean note_password(HbRestore *restore, const char *role, const char *password, GError **error)
{
    g_autofree char *line = g_strdup_printf("%s\t%s\n", role, password);
    gssize length = (gssize)strlen(line);
    gboolean ok = write(restore->password_file, line, (gsize)length) == length && fsync(restore->password_file) == 0;

    memset(line, 0, (gsize)length);
    return ok || file_error(error, restore->options.new_passwords);
}

static gboolean has_password(const HbRestore *restore, const HbObject *role)
{
    g_autofree char *identity = hb_identity_new(HB_KIND_PASSWORD, hb_object_get_name(role));

    return hb_catalog_find(restore->manifest->catalog, identity) != NULL;
}

char *hb_roles_renew_password(HbRestore *restore, HbSession *session, const HbObject *role, GError **error)
{
    char password[PASSWORD_LENGTH + 1];
    char *sql = NULL;

    if (restore->password_file < 0 || role->kind != HB_KIND_ROLE || has_password(restore, role))
        return NULL;
    if (!draw_password(password, error))
        return NULL;
    sql = restore->options.engine->make_password_sql(session, role, password, error);
    if (sql != NULL && !note_password(restore, hb_object_get_name(role), password, error))
        g_clear_pointer(&sql, g_free);
    memset(password, 0, sizeof password);
    return sql;
}
