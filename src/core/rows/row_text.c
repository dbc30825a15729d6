/* SPDX-License-Identifier: Apache-2.0 */
#include "core/rows/row_text.h"

#include <string.h>

char hb_row_text_unescape(char letter)
{
    static const char letters[] = "bfnrtv0", bytes[] = "\b\f\n\r\t\v";
    const char *at = letter != '\0' ? strchr(letters, letter) : NULL;

    return at != NULL ? bytes[at - letters] : letter;
}
