/* SPDX-License-Identifier: Apache-2.0 */
#include "core/rows/changes.h"

#include <string.h>
#include <xxhash.h>

/* What an entry costs beside its texts */
#define ENTRY_BYTES 160

typedef struct {
    HbChangedRow row; /* first: what is handed out */
    gboolean is_void; /* it came and went */
} Entry;

struct HbChanges {
    const HbRowSet *set;
    GArray *key;
    GStringChunk *texts;
    GHashTable *entries; /* Entry *, to themselves */
    GPtrArray *list;     /* of the same, in the order of their first change */
    GPtrArray *left;     /* made when it is asked for: those that are not void */
    gsize bytes;
    gboolean all_gone;
};

static guint hash_entry(gconstpointer data)
{
    const HbChangedRow *row = data;

    return (guint)XXH3_64bits(row->key, row->key_length);
}

static gboolean is_same_entry(gconstpointer one, gconstpointer other)
{
    const HbChangedRow *a = one, *b = other;

    return a->key_length == b->key_length && memcmp(a->key, b->key, a->key_length) == 0;
}

HbChanges *hb_changes_new(const HbRowSet *set, const GArray *key)
{
    HbChanges *changes = g_new0(HbChanges, 1);

    changes->set = set;
    changes->key = g_array_copy((GArray *)key);
    changes->texts = g_string_chunk_new(64 * 1024);
    changes->entries = g_hash_table_new(hash_entry, is_same_entry);
    changes->list = g_ptr_array_new_with_free_func(g_free);
    changes->left = g_ptr_array_new();
    return changes;
}

void hb_changes_free(HbChanges *changes)
{
    if (changes == NULL)
        return;
    g_array_unref(changes->key);
    g_ptr_array_unref(changes->left);
    g_hash_table_unref(changes->entries);
    g_ptr_array_unref(changes->list);
    g_string_chunk_free(changes->texts);
    g_free(changes);
}

static const char *keep_text(HbChanges *changes, const char *text, gsize length)
{
    changes->bytes += length;
    return g_string_chunk_insert_len(changes->texts, text, (gssize)length);
}

/* A new one was there before, until somebody says otherwise */
static Entry *find_entry(HbChanges *changes, const char *key, gsize key_length, gboolean *is_new)
{
    const HbChangedRow wanted = {.key = key, .key_length = key_length};
    Entry *entry = g_hash_table_lookup(changes->entries, &wanted);

    *is_new = entry == NULL;
    if (entry != NULL)
        return entry;
    entry = g_new0(Entry, 1);
    entry->row.key = keep_text(changes, key, key_length);
    entry->row.key_length = key_length;
    entry->row.was_there = !changes->all_gone;
    g_hash_table_add(changes->entries, entry);
    g_ptr_array_add(changes->list, entry);
    changes->bytes += ENTRY_BYTES;
    return entry;
}

static void set_row(HbChanges *changes, Entry *entry, const char *row, gsize row_length, const guint8 *kept)
{
    entry->row.row = row != NULL ? keep_text(changes, row, row_length) : NULL;
    entry->row.row_length = row_length;
    entry->row.kept =
        kept != NULL ? (const guint8 *)keep_text(changes, (const char *)kept, changes->set->columns->len) : NULL;
    entry->is_void = row == NULL && !entry->row.was_there;
}

void hb_changes_insert(HbChanges *changes, const char *key, gsize key_length, const char *row, gsize row_length)
{
    gboolean is_new;
    Entry *entry = find_entry(changes, key, key_length, &is_new);

    if (is_new)
        entry->row.was_there = FALSE;
    set_row(changes, entry, row, row_length, NULL);
}

void hb_changes_delete(HbChanges *changes, const char *key, gsize key_length)
{
    gboolean is_new;

    set_row(changes, find_entry(changes, key, key_length, &is_new), NULL, 0, NULL);
}

/* ---- Values that stay ---- */

/* The end of a field: its tab, or the row's line end */
static const char *end_of_field(const char *at, const char *end)
{
    while (at < end && *at != '\t' && *at != '\n')
        at++;
    return at;
}

/* A row in which the fields that are kept have the values of another one; *still: those that this one keeps itself, or
 * NULL. Both are the caller's */
static GString *merge(const HbChanges *changes, const char *row, gsize row_length, const guint8 *kept,
                      const HbChangedRow *before, guint8 **still)
{
    const guint fields = changes->set->columns->len;
    GString *merged = g_string_sized_new(row_length + before->row_length);
    const char *at = row, *end = row + row_length, *old = before->row, *old_end = before->row + before->row_length;

    *still = NULL;
    for (guint field = 0; field < fields; field++) {
        const char *stop = end_of_field(at, end), *old_stop = end_of_field(old, old_end);
        if (!kept[field])
            g_string_append_len(merged, at, stop - at);
        else
            g_string_append_len(merged, old, old_stop - old);
        if (kept[field] && before->kept != NULL && before->kept[field]) {
            *still = *still != NULL ? *still : g_new0(guint8, fields);
            (*still)[field] = TRUE;
        }
        g_string_append_c(merged, field + 1 < fields ? '\t' : '\n');
        at = MIN(stop + 1, end);
        old = MIN(old_stop + 1, old_end);
    }
    return merged;
}

static void put_row(HbChanges *changes, Entry *into, const char *row, gsize row_length, const guint8 *kept,
                    const HbChangedRow *before)
{
    g_autoptr(GString) merged = NULL;
    g_autofree guint8 *still = NULL;

    if (kept == NULL || before == NULL || before->row == NULL) {
        set_row(changes, into, row, row_length, kept);
        return;
    }
    merged = merge(changes, row, row_length, kept, before, &still);
    set_row(changes, into, merged->str, merged->len, still);
}

static gboolean change_key(HbChanges *changes, const char *old_key, gsize old_key_length, const char *key,
                           gsize key_length, const char *row, gsize row_length, const guint8 *kept)
{
    const HbChangedRow wanted = {.key = old_key, .key_length = old_key_length};
    const Entry *known = g_hash_table_lookup(changes->entries, &wanted);
    gboolean is_new;

    if (kept != NULL && (known == NULL || known->row.row == NULL || known->row.kept != NULL))
        return FALSE;
    Entry *from = find_entry(changes, old_key, old_key_length, &is_new);
    const HbChangedRow before = from->row;
    set_row(changes, from, NULL, 0, NULL);
    Entry *into = find_entry(changes, key, key_length, &is_new);
    if (is_new)
        into->row.was_there = FALSE;
    put_row(changes, into, row, row_length, kept, &before);
    return TRUE;
}

gboolean hb_changes_update(HbChanges *changes, const char *old_key, gsize old_key_length, const char *key,
                           gsize key_length, const char *row, gsize row_length, const guint8 *kept)
{
    gboolean is_new;
    Entry *entry;

    if (old_key != NULL && (old_key_length != key_length || memcmp(old_key, key, key_length) != 0))
        return change_key(changes, old_key, old_key_length, key, key_length, row, row_length, kept);
    entry = find_entry(changes, key, key_length, &is_new);
    const HbChangedRow before = entry->row;
    put_row(changes, entry, row, row_length, kept, is_new ? NULL : &before);
    return TRUE;
}

void hb_changes_empty(HbChanges *changes)
{
    g_ptr_array_set_size(changes->left, 0);
    g_hash_table_remove_all(changes->entries);
    g_ptr_array_set_size(changes->list, 0);
    g_string_chunk_clear(changes->texts);
    changes->bytes = 0;
    changes->all_gone = TRUE;
}

/* ---- What became of it ---- */

const HbRowSet *hb_changes_get_set(const HbChanges *changes)
{
    return changes->set;
}

const GArray *hb_changes_get_key(const HbChanges *changes)
{
    return changes->key;
}

gboolean hb_changes_are_all_gone(const HbChanges *changes)
{
    return changes->all_gone;
}

const GPtrArray *hb_changes_list(const HbChanges *changes)
{
    g_ptr_array_set_size(changes->left, 0);
    for (guint i = 0; i < changes->list->len; i++) {
        Entry *entry = changes->list->pdata[i];
        if (!entry->is_void)
            g_ptr_array_add(changes->left, entry);
    }
    return changes->left;
}

gsize hb_changes_get_bytes(const HbChanges *changes)
{
    return changes->bytes;
}
