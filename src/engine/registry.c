/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/registry.h"

#include "engine/mariadb/mariadb.h"
#include "engine/postgres/postgres.h"

#include <string.h>

static const HbEngine *const engines[] = {&hb_postgres_engine, &hb_mariadb_engine, NULL};

const HbEngine *const *hb_engine_list(void)
{
    return engines;
}

gboolean hb_engine_is_uri(const char *text)
{
    return strstr(text, "://") != NULL && !g_str_has_prefix(text, "s3://"); /* which is a dump's */
}

static gboolean has_scheme(const HbEngine *engine, const char *scheme)
{
    for (const char *const *known = engine->connector->schemes; *known != NULL; known++) {
        if (g_ascii_strcasecmp(*known, scheme) == 0)
            return TRUE;
    }
    return FALSE;
}

/* scheme NULL: there is none */
static void set_unknown(const char *scheme, GError **error)
{
    g_autoptr(GString) schemes = g_string_new(NULL), forms = g_string_new(NULL);
    g_autofree char *known = NULL, *named = NULL;

    for (gsize i = 0; engines[i] != NULL; i++) {
        const char *own = engines[i]->connector->schemes[0];
        g_string_append_printf(schemes, "%s%s://", i == 0 ? "" : " and ", own);
        g_string_append_printf(forms, "%s%s://user@host:port/database", i == 0 ? "" : " or ", own);
    }
    known = g_strdup_printf("the schemes that are known are %s", schemes->str);
    named = g_strdup_printf("name a server as %s", forms->str);
    if (scheme == NULL)
        hb_error_set(error, HB_ERROR_USAGE, named, "a server was expected here, as a URI with a scheme");
    else
        hb_error_set(error, HB_ERROR_USAGE, known, "no engine knows servers of the scheme “%s://”", scheme);
}

const HbEngine *hb_engine_find(const char *uri, GError **error)
{
    const char *colon = strstr(uri, "://");
    g_autofree char *scheme = g_strndup(uri, colon != NULL ? (gsize)(colon - uri) : 0);

    for (gsize i = 0; engines[i] != NULL; i++) {
        if (has_scheme(engines[i], scheme))
            return engines[i];
    }
    set_unknown(colon != NULL ? scheme : NULL, error);
    return NULL;
}

const HbEngine *hb_engine_get(const char *name, GError **error)
{
    for (gsize i = 0; engines[i] != NULL; i++) {
        if (strcmp(engines[i]->name, name) == 0)
            return engines[i];
    }
    hb_error_set(error, HB_ERROR_DAMAGED, "use a newer version of hornbeam", "no engine is called “%s”", name);
    return NULL;
}
