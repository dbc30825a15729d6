/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_result.h"

static void exception_free(gpointer data)
{
    HbException *exception = data;

    g_free(exception->what);
    g_free(exception->message);
    g_free(exception->hint);
    g_free(exception);
}

const char *hb_outcome_get_name(HbOutcome outcome)
{
    static const char *const names[HB_OUTCOME_COUNT] = {"failed", "refused", "left_out", "changed",
                                                        "absent", "kept",    "gone"};

    g_assert(outcome < HB_OUTCOME_COUNT);
    return names[outcome];
}

void hb_restore_result_clear(HbRestoreResult *result)
{
    g_clear_pointer(&result->exceptions, g_ptr_array_unref);
}

guint hb_restore_result_count(const HbRestoreResult *result, HbOutcome outcome)
{
    guint count = 0;

    for (guint i = 0; i < result->exceptions->len; i++)
        count += ((HbException *)result->exceptions->pdata[i])->outcome == outcome;
    return count;
}

void hb_restore_result_init(HbRestoreResult *result)
{
    *result = (HbRestoreResult){.exceptions = g_ptr_array_new_with_free_func(exception_free)};
}

HbException *hb_restore_result_add(HbRestoreResult *result, HbOutcome outcome, const char *what, const char *message,
                                   const char *hint)
{
    HbException *exception = g_new0(HbException, 1);

    exception->outcome = outcome;
    exception->what = g_strdup(what);
    exception->message = g_strdup(message);
    exception->hint = g_strdup(hint);
    g_ptr_array_add(result->exceptions, exception);
    return exception;
}
