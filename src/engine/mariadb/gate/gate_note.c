/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/gate/gate_note.h"

#include "core/base/error.h"

#include <string.h>

static const char *const how_names[] = {"sessions", "read-only database", "read-only server", NULL};

void hb_my_gate_note_clear(HbMyGateNote *note)
{
    g_clear_pointer(&note->accounts, g_ptr_array_unref);
}

gboolean hb_my_gate_note_read(const char *text, HbMyGateNote *note, GError **error)
{
    GVariant *value = g_variant_parse(G_VARIANT_TYPE("(sbas)"), text, NULL, NULL, NULL);
    const char *how = "", *name;
    g_autoptr(GVariantIter) names = NULL;
    gboolean ok = FALSE;

    *note = (HbMyGateNote){.accounts = g_ptr_array_new_with_free_func(g_free)};
    if (value != NULL) {
        g_variant_get(value, "(&sbas)", &how, &note->was_read_only, &names);
        while (g_variant_iter_next(names, "&s", &name))
            g_ptr_array_add(note->accounts, g_strdup(name));
        for (int i = 0; how_names[i] != NULL; i++)
            note->how = strcmp(how, how_names[i]) == 0 ? (HbMyGateHow)i : note->how;
        ok = strcmp(how, how_names[note->how]) == 0 && note->accounts->len % 2 == 0;
        g_variant_unref(value);
    }
    return ok || hb_error_set(error, HB_ERROR_BLOCKED,
                              "see which accounts are locked, and whether the server or the database is read only, and "
                              "mend that by hand",
                              "the note of how writing was stopped cannot be read");
}

char *hb_my_gate_note_write(HbMyGateHow how, gboolean was_read_only, const GPtrArray *accounts)
{
    GVariantBuilder names;
    GVariant *note;
    char *text;

    g_variant_builder_init(&names, G_VARIANT_TYPE("as"));
    for (guint i = 0; i < accounts->len; i++)
        g_variant_builder_add(&names, "s", accounts->pdata[i]);
    note = g_variant_ref_sink(g_variant_new("(sbas)", how_names[how], was_read_only, &names));
    text = g_variant_print(note, FALSE);
    g_variant_unref(note);
    return text;
}
