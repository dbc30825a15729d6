/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/object_access.h"

#include "core/base/error.h"

#include <string.h>

#define SCHEME         "s3://"
#define REGION_DEFAULT "us-east-1"

gboolean hb_object_is_uri(const char *path)
{
    return g_str_has_prefix(path, SCHEME);
}

/* Where the last part of the path begins, and where it ends */
static const char *find_name(const char *uri, const char **end)
{
    const char *at = uri + strcspn(uri, "?");

    while (at > uri && at[-1] == '/')
        at--;
    *end = at;
    while (at > uri && at[-1] != '/')
        at--;
    return at;
}

char *hb_object_uri_get_name(const char *uri)
{
    const char *end, *begin = find_name(uri, &end);

    return g_strndup(begin, (gsize)(end - begin));
}

char *hb_object_uri_beside(const char *uri, const char *name)
{
    const char *end, *begin = find_name(uri, &end);

    return g_strdup_printf("%.*s%s%s", (int)(begin - uri), uri, name, uri + strcspn(uri, "?"));
}

static void wipe(char *secret)
{
    if (secret != NULL)
        memset(secret, 0, strlen(secret));
    g_free(secret);
}

void hb_object_access_free(HbObjectAccess *access)
{
    if (access == NULL)
        return;
    g_free(access->bucket);
    g_free(access->path);
    g_free(access->endpoint);
    g_free(access->host);
    g_free(access->region);
    g_free(access->ca);
    g_free(access->key_id);
    wipe(access->secret);
    wipe(access->token);
    g_free(access);
}

/* ---- The URI ---- */

static gboolean take_option(HbObjectAccess *access, const char *option, GError **error)
{
    const char *value = strchr(option, '=');
    g_autofree char *name = g_strndup(option, value != NULL ? (gsize)(value - option) : strlen(option));
    char **place = strcmp(name, "endpoint") == 0 ? &access->endpoint
                   : strcmp(name, "region") == 0 ? &access->region
                   : strcmp(name, "ca") == 0     ? &access->ca
                                                 : NULL;

    if (place == NULL || value == NULL || value[1] == '\0')
        return hb_error_set(error, HB_ERROR_USAGE, "it takes endpoint, region and ca",
                            "the address of the object store: “%s” is no option of it with a value", name);
    g_free(*place);
    *place = g_strdup(value + 1);
    return TRUE;
}

static gboolean take_options(HbObjectAccess *access, const char *query, GError **error)
{
    g_auto(GStrv) options = g_strsplit(query != NULL ? query : "", "&", -1);

    for (char **option = options; *option != NULL; option++) {
        if (**option != '\0' && !take_option(access, *option, error))
            return FALSE;
    }
    return TRUE;
}

/* A bucket's name is part of paths and signatures: letters, digits, dots and dashes, as services take them */
static gboolean check_bucket(const char *bucket, GError **error)
{
    for (const char *at = bucket; *at != '\0'; at++) {
        if (!g_ascii_isalnum(*at) && strchr(".-_", *at) == NULL)
            return hb_error_set(error, HB_ERROR_USAGE, "write it as s3://BUCKET/NAME.dump",
                                "the address of the object store: “%s” is no name of a bucket", bucket);
    }
    return *bucket != '\0' || hb_error_set(error, HB_ERROR_USAGE, "write it as s3://BUCKET/NAME.dump",
                                           "the address of the object store names no bucket");
}

static gboolean read_uri(HbObjectAccess *access, const char *uri, GError **error)
{
    const char *rest = uri + strlen(SCHEME), *query = strchr(rest, '?');
    g_autofree char *whole = g_strndup(rest, query != NULL ? (gsize)(query - rest) : strlen(rest));
    char *slash = strchr(whole, '/');
    gsize length;

    if (slash != NULL)
        *slash++ = '\0';
    if (!check_bucket(whole, error) || !take_options(access, query != NULL ? query + 1 : NULL, error))
        return FALSE;
    while (slash != NULL && *slash == '/')
        slash++;
    access->bucket = g_strdup(whole);
    access->path = g_strdup(slash != NULL ? slash : "");
    for (length = strlen(access->path); length > 0 && access->path[length - 1] == '/'; length--)
        access->path[length - 1] = '\0';
    return *access->path != '\0' || hb_error_set(error, HB_ERROR_USAGE, "write it as s3://BUCKET/NAME.dump",
                                                 "the address of the object store names no dump in its bucket");
}

/* ---- What it leaves open ---- */

static char *get_first(const char *const *names)
{
    for (; *names != NULL; names++) {
        const char *value = g_getenv(*names);
        if (value != NULL && *value != '\0')
            return g_strdup(value);
    }
    return NULL;
}

static gboolean fill_endpoint(HbObjectAccess *access, GError **error)
{
    static const char *const endpoints[] = {"AWS_ENDPOINT_URL_S3", "AWS_ENDPOINT_URL", NULL};
    static const char *const regions[] = {"AWS_REGION", "AWS_DEFAULT_REGION", NULL};
    static const char *const authorities[] = {"AWS_CA_BUNDLE", NULL};
    const char *host;

    if (access->region == NULL && (access->region = get_first(regions)) == NULL)
        access->region = g_strdup(REGION_DEFAULT);
    if (access->ca == NULL)
        access->ca = get_first(authorities);
    if (access->endpoint == NULL && (access->endpoint = get_first(endpoints)) == NULL)
        access->endpoint = g_strdup_printf("https://s3.%s.amazonaws.com", access->region);
    if (g_str_has_suffix(access->endpoint, "/"))
        access->endpoint[strlen(access->endpoint) - 1] = '\0';
    host = strstr(access->endpoint, "://");
    if (host == NULL || strpbrk(host + 3, "/@ \r\n") != NULL ||
        !(g_str_has_prefix(access->endpoint, "https://") || g_str_has_prefix(access->endpoint, "http://")))
        return hb_error_set(error, HB_ERROR_USAGE, "write it as https://HOST:PORT; credentials have no place in it",
                            "the endpoint of the object store is no address");
    access->host = g_strdup(host + 3);
    return TRUE;
}

/* ---- Credentials ---- */

static gboolean take_environment(HbObjectAccess *access)
{
    static const char *const ids[] = {"AWS_ACCESS_KEY_ID", NULL}, *const secrets[] = {"AWS_SECRET_ACCESS_KEY", NULL},
                             *const tokens[] = {"AWS_SESSION_TOKEN", NULL};

    access->key_id = get_first(ids);
    access->secret = get_first(secrets);
    if (access->key_id == NULL || access->secret == NULL) {
        g_clear_pointer(&access->key_id, g_free);
        wipe(g_steal_pointer(&access->secret));
        return FALSE;
    }
    access->token = get_first(tokens);
    return TRUE;
}

static char *find_file(void)
{
    static const char *const files[] = {"AWS_SHARED_CREDENTIALS_FILE", NULL};
    char *path = get_first(files);

    return path != NULL ? path : g_build_filename(g_get_home_dir(), ".aws", "credentials", NULL);
}

static gboolean take_file(HbObjectAccess *access, GError **error)
{
    static const char *const profiles[] = {"AWS_PROFILE", NULL};
    g_autofree char *path = find_file(), *profile = get_first(profiles);
    const char *group = profile != NULL ? profile : "default";
    g_autoptr(GKeyFile) keys = g_key_file_new();
    g_autoptr(GError) cause = NULL;

    if (!g_file_test(path, G_FILE_TEST_EXISTS) && profile == NULL)
        return TRUE;
    if (!g_key_file_load_from_file(keys, path, G_KEY_FILE_NONE, &cause))
        return hb_error_set(error, HB_ERROR_FILE, "see that it can be read, and each line is KEY = VALUE",
                            "the credentials in %s: %s", path, cause->message);
    access->key_id = g_key_file_get_string(keys, group, "aws_access_key_id", NULL);
    access->secret = g_key_file_get_string(keys, group, "aws_secret_access_key", NULL);
    access->token = g_key_file_get_string(keys, group, "aws_session_token", NULL);
    return (access->key_id != NULL && access->secret != NULL) ||
           hb_error_set(error, HB_ERROR_FILE, "name another one in AWS_PROFILE",
                        "the credentials in %s: the group [%s] has no key and secret", path, group);
}

HbObjectAccess *hb_object_access_new(const char *uri, GError **error)
{
    g_autoptr(HbObjectAccess) access = g_new0(HbObjectAccess, 1);

    if (read_uri(access, uri, error) && fill_endpoint(access, error) &&
        (take_environment(access) || take_file(access, error)))
        return g_steal_pointer(&access);
    return NULL;
}
