/* SPDX-License-Identifier: Apache-2.0 */
/*
 * name_list - "garden.plot, garden.tree and 7 more": a list of names for people, of which only the first are written
 * out.
 */
#pragma once

#include <glib.h>

typedef struct {
    guint count; /* names that were added */

    /* Its own */
    guint most;
    GString *text;
} HbNameList;

void hb_name_list_init(HbNameList *list, guint most); /* so many are written out */
void hb_name_list_add(HbNameList *list, const char *name);
char *hb_name_list_end(HbNameList *list); /* the text, the caller's; "" if none was added. Once */
