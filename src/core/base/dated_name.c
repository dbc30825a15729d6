/* SPDX-License-Identifier: Apache-2.0 */
#include "core/base/dated_name.h"

#include "core/base/error.h"

#include <string.h>

static const struct {
    char letter;
    guint digits;
} conversions[] = {{'Y', 4}, {'m', 2}, {'d', 2}, {'H', 2}, {'M', 2}, {'S', 2}, {'j', 3}, {'G', 4}, {'V', 2}, {'u', 1}};

/* 0: there is no such conversion */
static guint count_digits(char letter)
{
    for (gsize i = 0; i < G_N_ELEMENTS(conversions); i++) {
        if (conversions[i].letter == letter)
            return conversions[i].digits;
    }
    return 0;
}

gboolean hb_dated_name_is_pattern(const char *text)
{
    return strchr(text, '%') != NULL;
}

static gboolean append_date(GString *name, char letter, GDateTime *when, GError **error)
{
    const char format[] = {'%', letter, '\0'};
    g_autofree char *date = NULL;

    if (letter == '%') {
        g_string_append_c(name, '%');
        return TRUE;
    }
    if (count_digits(letter) == 0)
        return hb_error_set(error, HB_ERROR_USAGE, "a percent sign itself is written %%",
                            "“%%%c” is no part of a date: there are %%Y %%m %%d %%H %%M %%S %%j %%G %%V %%u",
                            g_ascii_isprint(letter) ? letter : '?');
    date = g_date_time_format(when, format);
    g_string_append(name, date);
    return TRUE;
}

char *hb_dated_name_expand(const char *pattern, GDateTime *when, GError **error)
{
    g_autoptr(GString) name = g_string_new(NULL);

    for (const char *at = pattern; *at != '\0'; at++) {
        if (*at != '%')
            g_string_append_c(name, *at);
        else if (!append_date(name, *++at, when, error))
            return NULL;
    }
    return g_string_free(g_steal_pointer(&name), FALSE);
}

gboolean hb_dated_name_fits(const char *pattern, const char *name)
{
    for (; *pattern != '\0'; pattern++) {
        if (*pattern != '%' || pattern[1] == '%') {
            pattern += *pattern == '%';
            if (*name++ != *pattern)
                return FALSE;
            continue;
        }
        guint digits = count_digits(*++pattern);
        if (digits == 0)
            return FALSE;
        for (; digits > 0; digits--) {
            if (!g_ascii_isdigit(*name++))
                return FALSE;
        }
    }
    return *name == '\0';
}
