/* SPDX-License-Identifier: Apache-2.0 */
#include "work/follow/follow_inner.h"

static void free_changes(gpointer changes)
{
    hb_changes_free(changes);
}

static void free_part(gpointer data)
{
    HbBatchPart *part = data;

    g_hash_table_unref(part->by_set);
    g_ptr_array_unref(part->changes);
    g_free(part);
}

HbBatch *hb_batch_new(void)
{
    HbBatch *batch = g_new0(HbBatch, 1);

    batch->parts = g_ptr_array_new_with_free_func(free_part);
    return batch;
}

void hb_batch_free(HbBatch *batch)
{
    if (batch == NULL)
        return;
    g_ptr_array_unref(batch->parts);
    g_free(batch->position);
    g_free(batch);
}

gboolean hb_batch_is_empty(const HbBatch *batch)
{
    return batch->rows == 0;
}

static HbBatchPart *begin_part(HbBatch *batch)
{
    HbBatchPart *part = g_new0(HbBatchPart, 1);

    part->by_set = g_hash_table_new(NULL, NULL);
    part->changes = g_ptr_array_new_with_free_func(free_changes);
    g_ptr_array_add(batch->parts, part);
    return part;
}

static gboolean is_same_key(const GArray *one, const GArray *other)
{
    if (one->len != other->len)
        return FALSE;
    for (guint i = 0; i < one->len; i++) {
        if (g_array_index(one, guint, i) != g_array_index(other, guint, i))
            return FALSE;
    }
    return TRUE;
}

static HbChanges *add_changes(HbBatchPart *part, const HbLogEvent *event)
{
    HbChanges *changes = hb_changes_new(event->set, event->key_places);

    g_hash_table_insert(part->by_set, (gpointer)event->set, changes);
    g_ptr_array_add(part->changes, changes);
    return changes;
}

/* Those of the event's table; rows that are told apart by other columns than before begin a part of their own */
static HbChanges *find_changes(HbBatch *batch, const HbLogEvent *event)
{
    HbBatchPart *part = batch->parts->len > 0 ? batch->parts->pdata[batch->parts->len - 1] : begin_part(batch);
    HbChanges *changes = g_hash_table_lookup(part->by_set, event->set);

    if (changes != NULL && event->kind != HB_LOG_EMPTIED &&
        !is_same_key(hb_changes_get_key(changes), event->key_places)) {
        part = begin_part(batch);
        changes = NULL;
    }
    return changes != NULL ? changes : add_changes(part, event);
}

/* It is changed where it stands, by the key that it had, between what came before and what comes after */
static void update_alone(HbBatch *batch, const HbLogEvent *event)
{
    HbChanges *changes = add_changes(begin_part(batch), event);

    hb_changes_update(changes, NULL, 0, event->old_key, event->old_key_length, event->row, event->row_length,
                      event->kept);
    batch->bytes += hb_changes_get_bytes(changes);
    begin_part(batch);
}

void hb_batch_add(HbBatch *batch, const HbLogEvent *event)
{
    HbChanges *changes = find_changes(batch, event);
    const gsize before = hb_changes_get_bytes(changes);

    batch->rows++;
    if (event->kind == HB_LOG_INSERTED)
        hb_changes_insert(changes, event->key, event->key_length, event->row, event->row_length);
    else if (event->kind == HB_LOG_DELETED)
        hb_changes_delete(changes, event->key, event->key_length);
    else if (event->kind == HB_LOG_EMPTIED)
        hb_changes_empty(changes);
    else if (!hb_changes_update(changes, event->old_key, event->old_key_length, event->key, event->key_length,
                                event->row, event->row_length, event->kept)) {
        update_alone(batch, event);
        return;
    }
    batch->bytes += hb_changes_get_bytes(changes) - before;
}
