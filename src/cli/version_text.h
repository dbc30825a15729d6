/* SPDX-License-Identifier: Apache-2.0 */
/*
 * version_text - what the program is made of: its libraries as they are now, and the servers that it speaks to.
 */
#pragma once

/* Lines for people; the caller's */
char *hb_version_describe(void);
