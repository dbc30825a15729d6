/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/load_chunk.h"

#include "core/rows/row_counter.h"

typedef struct {
    HbWorker *worker;
    const HbChunk *chunk;
    HbUnpacker *unpacker;
    HbRowCounter counter;
} Load;

static gboolean check_load(const Load *load, GError **error)
{
    if (hb_row_counter_is_whole(&load->counter) && hb_digest_is_equal(&load->counter.sum.digest, &load->chunk->digest))
        return TRUE;
    return hb_error_set(error, HB_ERROR_DAMAGED, "copy the dump again from where it is whole, then use --resume",
                        "%s: its rows are not those that were dumped (count or digest differs)", load->chunk->file);
}

static gboolean give_rows(gpointer data, const char **bytes, gsize *length, GError **error)
{
    Load *load = data;

    if (hb_stop_is_set(load->worker->workers->stop))
        return hb_stop_set_error(error);
    if (!hb_unpacker_read(load->unpacker, bytes, length, error))
        return FALSE;
    if (*length == 0)
        return check_load(load, error);
    hb_row_counter_add(&load->counter, *bytes, *length);
    hb_worker_notify_advanced(load->worker, *length, *length);
    return TRUE;
}

gboolean hb_load_chunk(HbWorker *worker, const HbReader *dump, const HbRowSet *set, const HbChunk *chunk,
                       const HbJournalEntry *entry, GError **error)
{
    Load load = {.worker = worker, .chunk = chunk, .unpacker = hb_reader_open_chunk(dump, chunk, error)};
    gboolean ok;

    if (load.unpacker == NULL)
        return FALSE;
    hb_row_counter_init(&load.counter, 0);
    ok = worker->workers->engine->journal->write_rows(worker->session, set, give_rows, &load, entry, error);
    hb_row_counter_clear(&load.counter);
    hb_unpacker_close(load.unpacker);
    return ok;
}
