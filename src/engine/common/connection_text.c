/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/common/connection_text.h"

#include <string.h>

void hb_connection_form_free(gpointer form)
{
    g_free(((HbConnectionForm *)form)->text);
    g_free(form);
}

GPtrArray *hb_connection_forms_new(void)
{
    return g_ptr_array_new_with_free_func(hb_connection_form_free);
}

void hb_connection_forms_add(GPtrArray *forms, const char *form, char *text, gboolean is_read_here)
{
    const HbConnectionForm one = {form, text, NULL, is_read_here};

    g_ptr_array_add(forms, g_memdup2(&one, sizeof one));
}

void hb_connection_forms_refuse(GPtrArray *forms, const char *form, const char *complaint)
{
    const HbConnectionForm one = {form, NULL, complaint, FALSE};

    g_ptr_array_add(forms, g_memdup2(&one, sizeof one));
}

void hb_connection_append_percent(GString *text, const char *value)
{
    for (; *value != '\0'; value++) {
        if (g_ascii_isalnum(*value) || strchr("-._~", *value) != NULL)
            g_string_append_c(text, *value);
        else
            g_string_append_printf(text, "%%%02X", (guint8)*value);
    }
}

void hb_connection_append_host(GString *text, const char *host)
{
    if (strchr(host, ':') != NULL)
        g_string_append_printf(text, "[%s]", host);
    else
        hb_connection_append_percent(text, host);
}

void hb_connection_append_parameter(GString *text, const char *name, const char *value)
{
    if (value == NULL)
        return;
    g_string_append_printf(text, "%c%s=", strchr(text->str, '?') != NULL ? '&' : '?', name);
    hb_connection_append_percent(text, value);
}

void hb_connection_append_login(GString *text, const HbConnectionPlace *place)
{
    if (place->user == NULL)
        return;
    hb_connection_append_percent(text, place->user);
    if (place->password != NULL) {
        g_string_append_c(text, ':');
        hb_connection_append_percent(text, place->password);
    }
    g_string_append_c(text, '@');
}

/* The value with this letter doubled, between marks */
static void append_doubled(GString *text, const char *value, char begin, char end)
{
    g_string_append_c(text, begin);
    for (; *value != '\0'; value++) {
        g_string_append_c(text, *value);
        if (*value == end)
            g_string_append_c(text, *value);
    }
    g_string_append_c(text, end);
}

static gboolean has_outer_blank(const char *value)
{
    return *value == '\0' || g_ascii_isspace(*value) || g_ascii_isspace(value[strlen(value) - 1]);
}

void hb_connection_append_odbc(GString *text, const char *name, const char *value)
{
    if (value == NULL)
        return;
    g_string_append_printf(text, "%s=", name);
    if (strpbrk(value, "[]{}(),;?*=!@") != NULL || has_outer_blank(value))
        append_doubled(text, value, '{', '}');
    else
        g_string_append(text, value);
    g_string_append_c(text, ';');
}

void hb_connection_append_net(GString *text, const char *name, const char *value)
{
    if (value == NULL)
        return;
    g_string_append_printf(text, "%s=", name);
    if (strpbrk(value, ";'\"=") != NULL || has_outer_blank(value))
        append_doubled(text, value, '"', '"');
    else
        g_string_append(text, value);
    g_string_append_c(text, ';');
}

void hb_connection_append_php(GString *text, const char *value)
{
    g_string_append_c(text, '\'');
    for (; *value != '\0'; value++) {
        if (*value == '\'' || *value == '\\')
            g_string_append_c(text, '\\');
        g_string_append_c(text, *value);
    }
    g_string_append_c(text, '\'');
}

gboolean hb_connection_is_plain(const char *value)
{
    for (; *value != '\0'; value++) {
        if (!g_ascii_isalnum(*value) && strchr("-._~", *value) == NULL)
            return FALSE;
    }
    return TRUE;
}
