/* SPDX-License-Identifier: Apache-2.0 */
/*
 * bare - the least that a C program must do to move the same rows; what bench/run.sh holds Hornbeam against.
 *
 *   bare read URI JOBS DUMP [FOLDER]   drain the same COPY streams with JOBS sessions, sum XXH3 of every row;
 *                                      with FOLDER also write them there as zstd level 1
 *   bare load URI JOBS DUMP            COPY the chunks of an uncompressed dump with JOBS sessions, then run the same
 *                                      statements for keys, indexes and foreign keys with JOBS sessions
 *   bare rows URI JOBS DUMP            only the first half of that
 *
 * DUMP is a dump of the same database; its manifest says which tables, columns, chunks and statements there are. No
 * catalog is read, nothing is ordered, recorded, synced or checked. Errors end the program.
 */
#include <jansson.h>
#include <libpq-fe.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#define XXH_INLINE_ALL
#include <xxhash.h>

#include "bare.h"

#define PIECE_BYTES (16L * 1024 * 1024)

typedef struct {
    char *sql;
    char *file; /* for load */
} Job;

static Job jobs[MAX_JOBS];
static const char *uri, *folder, *dump_path;
static atomic_ulong sum_low, rows_seen;

static PGconn *open_session(void)
{
    PGconn *conn = PQconnectdb(uri);
    PGresult *result;

    if (PQstatus(conn) != CONNECTION_OK)
        die(PQerrorMessage(conn));
    result =
        PQexec(conn, "SET search_path = ''; SET DateStyle = 'ISO, YMD'; SET TimeZone = 'UTC'; SET bytea_output = 'hex';"
                     " SET extra_float_digits = 3; SET synchronous_commit = off; SET synchronize_seqscans = off;"
                     " SET lc_monetary = 'C'");
    if (PQresultStatus(result) != PGRES_COMMAND_OK)
        die(PQerrorMessage(conn));
    PQclear(result);
    return conn;
}

static void add_job(char *sql, char *file)
{
    if (job_count == MAX_JOBS)
        die("too many jobs");
    jobs[job_count++] = (Job){sql, file};
}

/* ---- Reading ---- */

static void *read_rows(void *data)
{
    PGconn *conn = open_session();
    ZSTD_CCtx *compressor = ZSTD_createCCtx();
    int at;

    (void)data;
    ZSTD_CCtx_setParameter(compressor, ZSTD_c_compressionLevel, 1);
    while ((at = atomic_fetch_add(&next_job, 1)) < job_count) {
        PGresult *result = PQexec(conn, jobs[at].sql);
        FILE *file = NULL;
        char path[4096], *row;
        int length;
        unsigned long sum = 0, rows = 0;

        if (PQresultStatus(result) != PGRES_COPY_OUT)
            die(PQerrorMessage(conn));
        PQclear(result);
        if (folder != NULL) {
            snprintf(path, sizeof path, "%s/%d.zst", folder, at);
            file = fopen(path, "w");
        }
        while ((length = PQgetCopyData(conn, &row, 0)) > 0) {
            sum += XXH3_128bits(row, (size_t)length - 1).low64;
            rows++;
            if (file != NULL)
                write_frame(file, compressor, row, (size_t)length, ZSTD_e_continue);
            PQfreemem(row);
        }
        PQclear(PQgetResult(conn));
        PQclear(PQgetResult(conn));
        if (file != NULL) {
            write_frame(file, compressor, NULL, 0, ZSTD_e_end);
            fclose(file);
        }
        atomic_fetch_add(&sum_low, sum);
        atomic_fetch_add(&rows_seen, rows);
    }
    ZSTD_freeCCtx(compressor);
    PQfinish(conn);
    return NULL;
}

static char *column_list(const json_t *set)
{
    const json_t *columns = json_object_get(set, "columns");
    char *list = calloc(1, 65536);

    for (size_t i = 0; i < json_array_size(columns); i++) {
        strcat(list, i > 0 ? ", " : "");
        strcat(list, json_string_value(json_array_get(columns, i)));
    }
    return list;
}

static long count_blocks(PGconn *conn, const char *table)
{
    char sql[4096];
    PGresult *result;
    long blocks;

    snprintf(sql, sizeof sql, "SELECT pg_relation_size('%s') / 8192", table);
    result = PQexec(conn, sql);
    blocks = PQresultStatus(result) == PGRES_TUPLES_OK ? atol(PQgetvalue(result, 0, 0)) : 0;
    PQclear(result);
    return blocks;
}

static void add_reads(PGconn *conn, const json_t *set)
{
    const char *table = json_string_value(json_object_get(set, "table"));
    char *list = column_list(set);
    long blocks = count_blocks(conn, table), pieces = blocks * 8192 / PIECE_BYTES + 1;

    for (long i = 0; i < pieces; i++) {
        char *sql = malloc(131072);
        if (pieces == 1)
            snprintf(sql, 131072, *list != '\0' ? "COPY %s (%s) TO STDOUT" : "COPY %s TO STDOUT", table, list);
        else
            snprintf(sql, 131072,
                     "COPY (SELECT %s FROM ONLY %s WHERE ctid >= '(%ld,0)' AND ctid < '(%ld,0)') TO STDOUT", list,
                     table, blocks * i / pieces, i + 1 < pieces ? blocks * (i + 1) / pieces : 4294967295);
        add_job(sql, NULL);
    }
    free(list);
}

/* ---- Loading ---- */

static void *load_rows(void *data)
{
    PGconn *conn = open_session();
    static _Thread_local char block[1024 * 1024];
    int at;

    (void)data;
    while ((at = atomic_fetch_add(&next_job, 1)) < job_count) {
        PGresult *result = PQexec(conn, jobs[at].sql);
        size_t length;
        if (jobs[at].file != NULL) {
            FILE *file = fopen(jobs[at].file, "r");
            if (PQresultStatus(result) != PGRES_COPY_IN || file == NULL)
                die(PQerrorMessage(conn));
            while ((length = fread(block, 1, sizeof block, file)) > 0)
                PQputCopyData(conn, block, (int)length);
            fclose(file);
            PQputCopyEnd(conn, NULL);
            PQclear(result);
            result = PQgetResult(conn);
        }
        if (PQresultStatus(result) != PGRES_COMMAND_OK && PQresultStatus(result) != PGRES_TUPLES_OK)
            die(PQerrorMessage(conn));
        PQclear(result);
        while ((result = PQgetResult(conn)) != NULL)
            PQclear(result);
    }
    PQfinish(conn);
    return NULL;
}

static void add_loads(const json_t *set)
{
    const json_t *chunks = json_object_get(set, "chunks");
    char *list = column_list(set);

    for (size_t i = 0; i < json_array_size(chunks); i++) {
        char *sql = malloc(131072), *file = malloc(4096);
        snprintf(sql, 131072, *list != '\0' ? "COPY %s (%s) FROM STDIN" : "COPY %s FROM STDIN",
                 json_string_value(json_object_get(set, "table")), list);
        snprintf(file, 4096, "%s/%s", dump_path, json_string_value(json_object_get(json_array_get(chunks, i), "file")));
        add_job(sql, file);
    }
    free(list);
}

static char *read_dump_file(const char *name)
{
    char path[4096];

    snprintf(path, sizeof path, "%s/%s", dump_path, name);
    return read_file(path);
}

/* The statements of one kind, run by all sessions */
static void run_kind(const json_t *objects, const char *text, const char *kind)
{
    for (size_t i = 0; i < json_array_size(objects); i++) {
        const json_t *object = json_array_get(objects, i);
        if (strcmp(json_string_value(json_object_get(object, "kind")), kind) != 0)
            continue;
        add_job(strndup(text + json_integer_value(json_object_get(object, "at")),
                        (size_t)json_integer_value(json_object_get(object, "bytes"))),
                NULL);
    }
    run_workers(load_rows);
}

static void load(const json_t *manifest, int rows_only)
{
    const json_t *sets = json_object_get(manifest, "rows"), *objects = json_object_get(manifest, "objects");
    char *completion = read_dump_file("completion.sql");

    for (size_t i = 0; i < json_array_size(sets); i++)
        add_loads(json_array_get(sets, i));
    run_workers(load_rows);
    if (rows_only)
        return;
    run_kind(objects, completion, "key");
    run_kind(objects, completion, "index");
    workers = 1;
    run_kind(objects, completion, "index-attachment");
    run_kind(objects, completion, "foreign-key");
}

int main(int argc, char **argv)
{
    json_t *manifest;

    if (argc < 5)
        die("usage: bare read|load|rows URI JOBS DUMP [FOLDER]");
    uri = argv[2];
    workers = atoi(argv[3]);
    dump_path = argv[4];
    folder = argc > 5 ? argv[5] : NULL;
    manifest = json_loads(read_dump_file("manifest.json"), 0, NULL);
    if (strcmp(argv[1], "read") != 0) {
        load(manifest, strcmp(argv[1], "rows") == 0);
        return 0;
    }
    PGconn *conn = open_session();
    const json_t *sets = json_object_get(manifest, "rows");
    for (size_t i = 0; i < json_array_size(sets); i++)
        add_reads(conn, json_array_get(sets, i));
    PQfinish(conn);
    run_workers(read_rows);
    printf("%lu rows, sum %016lx\n", (unsigned long)rows_seen, (unsigned long)sum_low);
    return 0;
}
