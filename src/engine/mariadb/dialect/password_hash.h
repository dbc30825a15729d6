/* SPDX-License-Identifier: Apache-2.0 */
/*
 * password_hash - what a server keeps of a password, computed here, so that a new password never travels in clear, nor
 * stands in a server's logs.
 */
#pragma once

#include <glib.h>

/* Of mysql_native_password: "*" and SHA-1 of the SHA-1, in hexadecimal. The caller's */
char *hb_my_hash_native(const char *password);

#define HB_MY_SALT_LENGTH 20

/* HB_ERROR_FILE if the system gives no random bytes */
gboolean hb_my_draw_salt(char salt[HB_MY_SALT_LENGTH + 1], GError **error);

/*
 * Of caching_sha2_password: "$A$005$", the salt and SHA-crypt of 5 times 1000 rounds of SHA-256 (5 is thousands, in
 * hexadecimal; U. Drepper's description of 2008, but with a salt of 20 bytes). The caller's
 */
char *hb_my_hash_caching_sha2(const char *password, const char *salt, guint thousands);
