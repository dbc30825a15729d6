/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/bucket_inner.h"

#include "core/base/error.h"
#include "dump/file.h"
#include "dump/signature.h"

#include <string.h>

#define LISTS_MAX 100000 /* of a thousand names each */

typedef struct {
    const char *prefix;
    gboolean beside; /* only what is in one folder, folders included */
    GHashTable *sizes;
    char *element;
    gboolean in_common; /* what stands for all of a folder */
    char *key;
    char *next; /* where the list goes on; NULL: it ends */
    guint64 bytes;
} List;

static void begin_element(GMarkupParseContext *context, const char *name, const char **names, const char **values,
                          gpointer data, GError **error)
{
    List *list = data;

    (void)context, (void)names, (void)values, (void)error;
    g_free(list->element);
    list->element = g_strdup(name);
    list->in_common = list->in_common || strcmp(name, "CommonPrefixes") == 0;
}

static void take_text(GMarkupParseContext *context, const char *text, gsize length, gpointer data, GError **error)
{
    List *list = data;
    g_autofree char *value = g_strndup(text, length);
    const char *key = list->in_common ? "Prefix" : "Key";
    char **place = g_strcmp0(list->element, key) == 0                       ? &list->key
                   : g_strcmp0(list->element, "NextContinuationToken") == 0 ? &list->next
                                                                            : NULL;

    (void)context, (void)error;
    if (place != NULL) {
        g_free(*place);
        *place = g_steal_pointer(&value);
    } else if (g_strcmp0(list->element, "Size") == 0) {
        list->bytes = g_ascii_strtoull(value, NULL, 10);
    }
}

static void end_element(GMarkupParseContext *context, const char *name, gpointer data, GError **error)
{
    List *list = data;

    (void)context, (void)error;
    g_clear_pointer(&list->element, g_free);
    if (list->key == NULL || strcmp(name, list->in_common ? "CommonPrefixes" : "Contents") != 0)
        return;
    if (list->in_common && g_str_has_suffix(list->key, "/"))
        list->key[strlen(list->key) - 1] = '\0';
    list->in_common = FALSE;
    if (g_str_has_prefix(list->key, list->prefix) && hb_file_is_safe_name(list->key + strlen(list->prefix)))
        g_hash_table_replace(list->sizes, g_strdup(list->key + strlen(list->prefix)),
                             g_memdup2(&list->bytes, sizeof list->bytes));
    g_clear_pointer(&list->key, g_free);
}

static gboolean read_list(List *list, const GString *text, GError **error)
{
    static const GMarkupParser parser = {begin_element, end_element, take_text, NULL, NULL};
    GMarkupParseContext *context = g_markup_parse_context_new(&parser, 0, list, NULL);
    g_autoptr(GError) cause = NULL;
    const gboolean ok = g_markup_parse_context_parse(context, text->str, (gssize)text->len, &cause) &&
                        g_markup_parse_context_end_parse(context, &cause);

    g_markup_parse_context_free(context);
    return ok || hb_error_set(error, HB_ERROR_FILE, "see whether the endpoint is that of an object store",
                              "the list of a bucket cannot be read: %s", cause->message);
}

/* One answer's names; *token (NULL: the first) becomes that of the next answer, or NULL */
static gboolean ask_list(HbBucket *bucket, List *list, guint most, char **token, GError **error)
{
    g_autofree char *path = g_strconcat("/", bucket->access->bucket, NULL), *query = NULL,
                    *prefix = hb_signature_escape(list->prefix, FALSE),
                    *from = *token != NULL ? hb_signature_escape(*token, FALSE) : NULL;
    HbHttpAnswer answer;
    gboolean ok;

    query = g_strdup_printf("%s%s%s%slist-type=2&max-keys=%u&prefix=%s", from != NULL ? "continuation-token=" : "",
                            from != NULL ? from : "", from != NULL ? "&" : "", list->beside ? "delimiter=%2F&" : "",
                            most > 0 ? MIN(most, 1000) : 1000, prefix);
    const HbHttpRequest request = {.verb = "GET", .path = path, .query = query, .body = -1, .into = -1};
    ok = hb_http_perform(bucket->http, &request, &answer, error) &&
         (answer.status == 200 || hb_bucket_set_refusal(bucket, "listing the dump", &answer, error)) &&
         read_list(list, answer.text, error);
    hb_http_answer_clear(&answer);
    g_free(*token);
    *token = g_steal_pointer(&list->next);
    return ok;
}

GHashTable *hb_bucket_list_prefix(HbBucket *bucket, const char *prefix, gboolean beside, guint most, GError **error)
{
    g_autofree char *token = NULL;
    g_autoptr(GHashTable) sizes = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    List list = {.prefix = prefix, .beside = beside, .sizes = sizes};
    gboolean ok = TRUE;

    for (guint count = 0; ok && (count == 0 || token != NULL); count++) {
        ok = count < LISTS_MAX ? ask_list(bucket, &list, most, &token, error)
                               : hb_error_set(error, HB_ERROR_FILE, NULL, "the list of a bucket has no end");
        if (most > 0)
            break;
    }
    g_free(list.element);
    g_free(list.key);
    g_free(list.next);
    return ok ? g_steal_pointer(&sizes) : NULL;
}

GHashTable *hb_bucket_list(HbBucket *bucket, guint most, GError **error)
{
    g_autofree char *prefix = g_strconcat(bucket->access->path, "/", NULL);

    return hb_bucket_list_prefix(bucket, prefix, FALSE, most, error);
}
