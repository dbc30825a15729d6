/* SPDX-License-Identifier: Apache-2.0 */
/*
 * object_access - where a dump in an object store is, and what gives access to it.
 *
 *     s3://BUCKET/PATH/NAME.dump?endpoint=https://store.example:9000&region=eu-central-1&ca=FILE
 *
 * The path is taken as it stands. Without an endpoint it is the environment's AWS_ENDPOINT_URL_S3 or AWS_ENDPOINT_URL,
 * or Amazon's own of the region; without a region AWS_REGION or AWS_DEFAULT_REGION, or us-east-1. Credentials come from
 * AWS_ACCESS_KEY_ID, AWS_SECRET_ACCESS_KEY and AWS_SESSION_TOKEN, or from the file AWS_SHARED_CREDENTIALS_FILE
 * (~/.aws/credentials), in the group AWS_PROFILE (default): never from the URI.
 */
#pragma once

#include <glib.h>

typedef struct {
    char *bucket;
    char *path;     /* of the dump: "PATH/NAME.dump", without slashes around it */
    char *endpoint; /* "https://store.example:9000", without a slash behind it */
    char *host;     /* of it, with its port if there is one */
    char *region;
    char *ca;     /* a file; NULL: the system's */
    char *key_id; /* NULL with secret: it is asked without a signature */
    char *secret;
    char *token; /* NULL: there is none */
} HbObjectAccess;

/* Does the path name a dump in an object store? */
gboolean hb_object_is_uri(const char *path);

/* The last part of its path, as it stands there; the URI of what has another name beside it. The caller's */
char *hb_object_uri_get_name(const char *uri);
char *hb_object_uri_beside(const char *uri, const char *name);

/* HB_ERROR_USAGE names what is wrong in the URI; HB_ERROR_FILE: the file of credentials cannot be read. The caller's */
HbObjectAccess *hb_object_access_new(const char *uri, GError **error);
void hb_object_access_free(HbObjectAccess *access); /* accepts NULL; wipes the secrets */
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbObjectAccess, hb_object_access_free)
