/* SPDX-License-Identifier: Apache-2.0 */
/* Loaded before the client library: the server seems to be of the version in OLDER */
#include <stdlib.h>

const char *mysql_get_server_info(void *mysql);

const char *mysql_get_server_info(void *mysql)
{
    (void)mysql;
    return getenv("OLDER");
}
