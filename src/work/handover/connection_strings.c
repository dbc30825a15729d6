/* SPDX-License-Identifier: Apache-2.0 */
#include "core/base/error.h"
#include "work/handover/handover_inner.h"

#include <string.h>

/*
 * What is shown has a placeholder for the password. What is tried is the same text with the password that is known, or
 * without one, so that the client library looks for it in its own places.
 */

static const HbAddress *to_of(const HbHandover *handover)
{
    return &handover->options.pass.to.to;
}

/* A source that was handed over once, and to which it goes back */
static gboolean is_closed(const HbHandover *handover)
{
    return handover->origin->gate != NULL && handover->report.opened_us == 0;
}

static void try_one(HbHandover *handover, HbTriedString *string, const HbConnectionForm *trial)
{
    g_autoptr(GError) cause = NULL;
    gboolean unknown = FALSE;

    if (trial->text == NULL || !trial->is_read_here) {
        string->remark = g_strdup(trial->complaint != NULL ? trial->complaint : "read by a driver that is not here");
        return;
    }
    if (hb_handover_get_engine(handover)->gate->try_form(trial, to_of(handover), &unknown, &cause)) {
        string->outcome = HB_STRING_CONNECTS;
        return;
    }
    string->outcome = unknown || is_closed(handover) ? HB_STRING_NOT_TRIED : HB_STRING_FAILS;
    string->remark = g_strdup(unknown               ? "the server wants the user's password, which is not known here"
                              : is_closed(handover) ? "TO lets applications in at the end only, and it is tried then"
                                                    : cause->message);
}

static char *find_password(const HbHandover *handover, const char *user)
{
    return user == NULL ? g_strdup(to_of(handover)->password)
                        : hb_handover_get_engine(handover)->gate->find_password(to_of(handover), user);
}

static void wipe(GPtrArray *texts)
{
    for (guint i = 0; i < texts->len; i++) {
        char *text = ((HbConnectionForm *)texts->pdata[i])->text;
        if (text != NULL)
            memset(text, 0, strlen(text));
    }
}

static void add_user(HbHandover *handover, const char *user)
{
    const HbGate *gate = hb_handover_get_engine(handover)->gate;
    g_autofree char *password = find_password(handover, user);
    g_autoptr(GPtrArray) shown = gate->list_forms(to_of(handover), &handover->report.to, user, HB_FORM_PASSWORD),
                         tried = gate->list_forms(to_of(handover), &handover->report.to, user, password);

    for (guint i = 0; i < shown->len; i++) {
        const HbConnectionForm *form = shown->pdata[i];
        HbTriedString *string = g_new0(HbTriedString, 1);
        string->user = g_strdup(user);
        string->form = g_memdup2(form, sizeof *form);
        string->form->text = g_strdup(form->text);
        try_one(handover, string, tried->pdata[i]);
        g_ptr_array_add(handover->report.strings, string);
    }
    wipe(tried);
    if (password != NULL)
        memset(password, 0, strlen(password));
}

static const HbTriedString *find_failure(const HbHandover *handover)
{
    for (guint i = 0; i < handover->report.strings->len; i++) {
        const HbTriedString *string = handover->report.strings->pdata[i];
        if (string->outcome == HB_STRING_FAILS)
            return string;
    }
    return NULL;
}

static guint count_tried(const HbHandover *handover)
{
    guint tried = 0;

    for (guint i = 0; i < handover->report.strings->len; i++)
        tried += ((HbTriedString *)handover->report.strings->pdata[i])->outcome == HB_STRING_CONNECTS;
    return tried;
}

static char *describe_tries(const HbHandover *handover)
{
    const guint tried = count_tried(handover), forms = handover->report.strings->len;

    return tried == 0 ? g_strdup_printf("none could be tried here (%u forms): the report says why", forms)
                      : g_strdup_printf("%u tried, and all of them connect; %u forms in all", tried, forms);
}

gboolean hb_handover_check_strings(HbHandover *handover, char **did, GError **error)
{
    const HbTriedString *failure;

    g_ptr_array_set_size(handover->report.strings, 0);
    if (handover->options.users == NULL)
        add_user(handover, NULL);
    for (char *const *user = handover->options.users; user != NULL && *user != NULL; user++)
        add_user(handover, *user);
    failure = find_failure(handover);
    if (failure != NULL)
        return hb_error_set(
            error, HB_ERROR_BLOCKED, "see that the user exists in TO, and may connect to the database from here",
            "the connection string of user %s (%s) does not connect: %s",
            failure->user != NULL ? failure->user : handover->report.to.user, failure->form->form, failure->remark);
    *did = describe_tries(handover);
    return TRUE;
}

static gboolean is_failure_accepted(const HbHandover *handover)
{
    const GPtrArray *findings = handover->report.findings;

    for (guint i = 0; i < findings->len; i++) {
        const HbFinding *one = findings->pdata[i];
        if (one->accepted && strcmp(one->name, HB_HANDOVER_STRING_FAILS) == 0)
            return TRUE;
    }
    return FALSE;
}

gboolean hb_handover_try_strings(HbHandover *handover, char **did, GError **error)
{
    GError *ours = NULL;

    if (hb_handover_check_strings(handover, did, &ours))
        return TRUE;
    if (!is_failure_accepted(handover)) {
        g_propagate_error(error, ours);
        return FALSE;
    }
    *did = g_strdup_printf("accepted: %s", ours->message);
    g_error_free(ours);
    return TRUE;
}

/* The way is forward only: what fails is left to do */
void hb_handover_try_strings_at_the_end(HbHandover *handover)
{
    g_autoptr(GError) cause = NULL;
    g_autofree char *did = NULL;

    if (handover->origin->gate == NULL || hb_handover_check_strings(handover, &did, &cause))
        return;
    handover->report.is_incomplete = TRUE;
    g_ptr_array_add(handover->report.left_to_do, g_strdup(cause->message));
}
