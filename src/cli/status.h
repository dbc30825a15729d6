/* SPDX-License-Identifier: Apache-2.0 */
/*
 * status - the exit statuses of the program.
 */
#pragma once

/* Exit statuses; docs/man/hornbeam.1.scd lists them for users */
typedef enum {
    HB_STATUS_DONE = 0,
    HB_STATUS_REMARKS = 1, /* done, but something differs, is blocked or was left out */
    HB_STATUS_USAGE = 2,
    HB_STATUS_SERVER = 3,    /* could not be reached, or refused us */
    HB_STATUS_STATEMENT = 4, /* a server's statement failed */
    HB_STATUS_DUMP = 5,      /* a dump is damaged, or not ours */
    HB_STATUS_FILE = 6,      /* a local file or disk failed */
    HB_STATUS_INTERRUPTED = 130
} HbStatus;
