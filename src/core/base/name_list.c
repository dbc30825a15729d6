/* SPDX-License-Identifier: Apache-2.0 */
#include "core/base/name_list.h"

void hb_name_list_init(HbNameList *list, guint most)
{
    *list = (HbNameList){.most = most, .text = g_string_new(NULL)};
}

void hb_name_list_add(HbNameList *list, const char *name)
{
    if (list->count++ < list->most)
        g_string_append_printf(list->text, "%s%s", list->count > 1 ? ", " : "", name);
}

char *hb_name_list_end(HbNameList *list)
{
    if (list->count > list->most)
        g_string_append_printf(list->text, " and %u more", list->count - list->most);
    return g_string_free(g_steal_pointer(&list->text), FALSE);
}
