/* SPDX-License-Identifier: Apache-2.0 */
#include "core/rows/row_counter.h"
#include "work/verify/verify.h"

#include <string.h>

/*
 * Is a dump what was written? Every file against its sum, every chunk unpacked and its rows against their digest, by
 * several workers; a file that should not be there is told, too. Nothing of a server is asked.
 */

typedef struct {
    const HbReader *dump;
    HbStop *stop;
    HbObservers *observers;
    HbFileCheck *check;
    GHashTable *chunks;     /* file name to Expected * */
    const GPtrArray *names; /* of all files */
    gint next;              /* atomic: index of the next to read */
    GMutex lock;            /* guards check, and the error */
    GError *error;          /* the dump cannot be reached: no flaw of it; NULL: it can */
} Checker;

typedef struct {
    const HbChunk *chunk;
    gsize fields;
} Expected;

static void flaw_free(gpointer data)
{
    HbFlaw *flaw = data;

    g_free(flaw->file);
    g_free(flaw->problem);
    g_free(flaw);
}

void hb_file_check_clear(HbFileCheck *check)
{
    g_clear_pointer(&check->flaws, g_ptr_array_unref);
}

static void add_flaw(Checker *checker, const char *file, const char *problem)
{
    HbFlaw *flaw = g_new0(HbFlaw, 1);

    flaw->file = g_strdup(file);
    flaw->problem = g_strdup(problem);
    g_mutex_lock(&checker->lock);
    g_ptr_array_add(checker->check->flaws, flaw);
    g_mutex_unlock(&checker->lock);
}

static gboolean is_ended(Checker *checker)
{
    gboolean is_lost;

    g_mutex_lock(&checker->lock);
    is_lost = checker->error != NULL;
    g_mutex_unlock(&checker->lock);
    return is_lost || hb_stop_is_set(checker->stop);
}

/* What keeps a file from being read: a flaw of the dump's, or of the way to it */
static void note_cause(Checker *checker, const char *file, const GError *cause)
{
    if (hb_stop_is_set(checker->stop))
        return;
    if (!hb_error_is(cause, HB_ERROR_CONNECT)) {
        add_flaw(checker, file, cause->message);
        return;
    }
    g_mutex_lock(&checker->lock);
    if (checker->error == NULL)
        checker->error = g_error_copy(cause);
    g_mutex_unlock(&checker->lock);
}

/* ---- One file ---- */

static gboolean report_read(gpointer data, guint64 bytes)
{
    Checker *checker = data;

    hb_observers_notify(checker->observers, &(HbEvent){.type = HB_EVENT_ADVANCED, .cost = bytes, .bytes = bytes});
    return !hb_stop_is_set(checker->stop);
}

static gboolean check_sum(Checker *checker, const char *name, const HbStoreFile *file)
{
    const HbFileSum *wanted = g_hash_table_lookup(hb_reader_get_sums(checker->dump), name);
    g_autoptr(GError) cause = NULL;
    g_autoptr(HbFileSum) sum = hb_file_sum(file->fd, file->offset, file->bytes, name, report_read, checker, &cause);

    if (sum == NULL) {
        note_cause(checker, name, cause);
        return FALSE;
    }
    if (strcmp(sum->sum, wanted->sum) != 0)
        add_flaw(checker, name, "the file is not the one that was written (its sum differs)");
    g_mutex_lock(&checker->lock);
    checker->check->bytes += sum->bytes;
    g_mutex_unlock(&checker->lock);
    return TRUE;
}

static gboolean count_rows(HbUnpacker *unpacker, HbRowCounter *counter, HbStop *stop, GError **error)
{
    const char *bytes;
    gsize length;

    do {
        if (hb_stop_is_set(stop) || !hb_unpacker_read(unpacker, &bytes, &length, error))
            return FALSE;
        hb_row_counter_add(counter, bytes, length);
    } while (length > 0);
    return TRUE;
}

static void decide_rows(Checker *checker, const Expected *expected, const HbRowCounter *counter)
{
    g_autofree char *wrong_row = NULL;

    if (!hb_row_counter_is_whole(counter))
        add_flaw(checker, expected->chunk->file, "its last row has no end");
    if (counter->wrong_row > 0) {
        wrong_row = g_strdup_printf("row %" G_GUINT64_FORMAT " has not as many fields as the table has columns",
                                    counter->wrong_row);
        add_flaw(checker, expected->chunk->file, wrong_row);
    }
    if (!hb_digest_is_equal(&counter->sum.digest, &expected->chunk->digest))
        add_flaw(checker, expected->chunk->file, "its rows are not those that were dumped (count or digest differs)");
    g_mutex_lock(&checker->lock);
    checker->check->rows += counter->sum.digest.rows;
    g_mutex_unlock(&checker->lock);
}

/* Takes the file */
static void check_rows(Checker *checker, const Expected *expected, HbStoreFile *file)
{
    g_autoptr(GError) cause = NULL;
    HbUnpacker *unpacker = hb_reader_open_chunk_in(checker->dump, expected->chunk, file, &cause);
    HbRowCounter counter;

    hb_row_counter_init(&counter, expected->fields);
    if (unpacker != NULL && count_rows(unpacker, &counter, checker->stop, &cause))
        decide_rows(checker, expected, &counter);
    else if (cause != NULL)
        note_cause(checker, expected->chunk->file, cause);
    hb_row_counter_clear(&counter);
    hb_unpacker_close(unpacker);
}

static void check_file(Checker *checker, const char *name)
{
    const Expected *expected = g_hash_table_lookup(checker->chunks, name);
    g_autoptr(GError) cause = NULL;
    HbStoreFile file;

    if (!g_hash_table_contains(hb_reader_get_sums(checker->dump), name)) {
        add_flaw(checker, name, "the file is not part of the dump: " HB_SUMS_FILE " does not list it");
        return;
    }
    if (!hb_store_open_file(hb_reader_get_store(checker->dump), name, &file, &cause)) {
        note_cause(checker, name, cause);
        return;
    }
    if (check_sum(checker, name, &file) && expected != NULL)
        check_rows(checker, expected, &file);
    hb_store_close_file(&file);
}

static gpointer check_files(gpointer data)
{
    Checker *checker = data;
    guint at;

    while ((at = (guint)g_atomic_int_add(&checker->next, 1)) < checker->names->len && !is_ended(checker)) {
        if (strcmp(checker->names->pdata[at], HB_SUMS_FILE) != 0)
            check_file(checker, checker->names->pdata[at]);
    }
    return NULL;
}

/* ---- All of them ---- */

/* By the names that they have where the dump lies */
static GHashTable *expect_chunks(const HbReader *dump)
{
    const HbManifest *manifest = hb_reader_get_manifest(dump);
    GHashTable *chunks = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);

    for (guint i = 0; i < manifest->rows->len; i++) {
        const HbStoredRows *rows = manifest->rows->pdata[i];
        for (guint c = 0; c < rows->chunks->len; c++) {
            HbChunk *chunk = rows->chunks->pdata[c];
            Expected expected = {chunk, MAX(rows->set->columns->len, 1)};
            g_hash_table_insert(chunks, hb_reader_name_stored(dump, chunk->file),
                                g_memdup2(&expected, sizeof expected));
        }
    }
    return chunks;
}

static void check_listed(Checker *checker, const GPtrArray *there)
{
    g_autoptr(GHashTable) names = g_hash_table_new(g_str_hash, g_str_equal);
    GHashTableIter iter;
    gpointer name;

    for (guint i = 0; i < there->len; i++)
        g_hash_table_add(names, there->pdata[i]);
    g_hash_table_iter_init(&iter, hb_reader_get_sums(checker->dump));
    while (g_hash_table_iter_next(&iter, &name, NULL)) {
        if (!g_hash_table_contains(names, name))
            add_flaw(checker, name, "the file is missing from the dump");
    }
}

static gint compare_flaws(gconstpointer one, gconstpointer other)
{
    return strcmp((*(HbFlaw *const *)one)->file, (*(HbFlaw *const *)other)->file);
}

static void check_all(Checker *checker, const GPtrArray *names, guint jobs)
{
    g_autofree GThread **threads = g_new(GThread *, jobs);

    checker->names = names;
    for (guint i = 0; i < names->len; i++)
        checker->check->files += strcmp(names->pdata[i], HB_SUMS_FILE) != 0;
    for (guint i = 0; i < jobs; i++)
        threads[i] = g_thread_new("files", check_files, checker);
    for (guint i = 0; i < jobs; i++)
        g_thread_join(threads[i]);
    check_listed(checker, names);
    g_ptr_array_sort(checker->check->flaws, compare_flaws);
}

/* Each database of a whole server has a dump of its own inside, with sums of its own */
static void drop_members(GPtrArray *names)
{
    for (guint i = names->len; i-- > 0;) {
        if (g_str_has_prefix(names->pdata[i], HB_MEMBERS_FOLDER "/"))
            g_ptr_array_remove_index(names, i);
    }
}

gboolean hb_verify_files(const HbReader *dump, guint jobs, HbStop *stop, HbObservers *observers, HbFileCheck *check,
                         GError **error)
{
    Checker checker = {.dump = dump, .stop = stop, .observers = observers, .check = check};
    g_autoptr(GPtrArray) names = NULL;

    check->flaws = g_ptr_array_new_with_free_func(flaw_free);
    names = hb_store_list(hb_reader_get_store(dump), error);
    if (names == NULL)
        return FALSE;
    if (hb_reader_get_manifest(dump)->members != NULL)
        drop_members(names);
    g_mutex_init(&checker.lock);
    checker.chunks = expect_chunks(dump);
    hb_observers_begin_phase(observers, "reading the dump's files",
                             hb_manifest_count_stored(hb_reader_get_manifest(dump)));
    check_all(&checker, names, jobs);
    g_hash_table_unref(checker.chunks);
    g_mutex_clear(&checker.lock);
    if (!hb_stop_is_set(stop) && checker.error == NULL)
        return TRUE;
    if (!hb_stop_is_set(stop)) {
        g_propagate_error(error, checker.error);
        return FALSE;
    }
    g_clear_error(&checker.error);
    return hb_stop_set_error(error);
}
