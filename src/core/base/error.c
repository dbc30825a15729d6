/* SPDX-License-Identifier: Apache-2.0 */
#include "core/base/error.h"

typedef struct {
    char *hint;
} HbErrorPrivate;

static void hb_error_private_init(HbErrorPrivate *private)
{
    private->hint = NULL;
}

static void hb_error_private_copy(const HbErrorPrivate *from, HbErrorPrivate *to)
{
    to->hint = g_strdup(from->hint);
}

static void hb_error_private_clear(HbErrorPrivate *private)
{
    g_free(private->hint);
}

G_DEFINE_EXTENDED_ERROR(HbError, hb_error)

gboolean hb_error_set(GError **error, HbErrorCode code, const char *hint, const char *format, ...)
{
    va_list arguments;

    if (error == NULL)
        return FALSE;
    va_start(arguments, format);
    *error = g_error_new_valist(HB_ERROR, (int)code, format, arguments);
    va_end(arguments);
    hb_error_get_private(*error)->hint = g_strdup(hint);
    return FALSE;
}

const char *hb_error_hint(const GError *error)
{
    return error != NULL && error->domain == HB_ERROR ? hb_error_get_private(error)->hint : NULL;
}

gboolean hb_error_is(const GError *error, HbErrorCode code)
{
    return error != NULL && g_error_matches(error, HB_ERROR, (int)code);
}

gboolean hb_error_propagate_cause(GError *one, GError *other, GError **error)
{
    const gboolean is_first = one != NULL && (other == NULL || !hb_error_is(one, HB_ERROR_CANCELLED));
    GError *cause = is_first ? one : other, *echo = is_first ? other : one;

    g_clear_error(&echo);
    if (cause != NULL)
        g_propagate_error(error, cause);
    return cause != NULL;
}
