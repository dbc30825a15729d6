/* SPDX-License-Identifier: Apache-2.0 */
/*
 * bare_mariadb - the least that a C program must do to move the same rows of a MariaDB database (see bare.c).
 *
 *   bare_mariadb read SOCKET DATABASE JOBS QUERIES [FOLDER]   run each line of QUERIES, a SELECT, unbuffered, with JOBS
 *                                sessions; sum XXH3 of every row as text; with FOLDER also write them as zstd level 1
 *   bare_mariadb load SOCKET DATABASE JOBS DUMP   insert the chunks of an uncompressed dump by arrays of about 1 MB,
 *                                then run the same statements for indexes and foreign keys
 *
 * No catalog is read, nothing is ordered, recorded or checked. Errors end the program.
 */
#include <jansson.h>
#include <mysql.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#define XXH_INLINE_ALL
#include <xxhash.h>

#include "bare.h"

#define MAX_COLUMNS 256
#define BATCH_BYTES (1024 * 1024)
#define BATCH_ROWS  20000

typedef struct {
    char *sql;
    char *file; /* for load */
    const char *hex_columns;
    int columns;
} Job;

static Job jobs[MAX_JOBS];
static const char *socket_path, *database, *folder;
static atomic_ulong sum_low, rows_seen;

static void run(MYSQL *mysql, const char *sql)
{
    if (mysql_real_query(mysql, sql, strlen(sql)) != 0)
        die(mysql_error(mysql));
    mysql_free_result(mysql_store_result(mysql));
}

static MYSQL *open_session(void)
{
    MYSQL *mysql = mysql_init(NULL);

    mysql_options(mysql, MYSQL_SET_CHARSET_NAME, "utf8mb4");
    if (mysql_real_connect(mysql, NULL, "root", NULL, database, 0, socket_path, 0) == NULL)
        die(mysql_error(mysql));
    run(mysql,
        "SET time_zone = '+00:00', sql_mode = 'NO_AUTO_VALUE_ON_ZERO,ALLOW_INVALID_DATES', foreign_key_checks = 0,"
        " unique_checks = 0");
    if (mariadb_connection(mysql))
        run(mysql, "SET check_constraint_checks = 0, system_versioning_insert_history = 1");
    return mysql;
}

static void add_job(Job job)
{
    if (job_count == MAX_JOBS)
        die("too many jobs");
    jobs[job_count++] = job;
}

/* ---- Reading ---- */

static void *read_rows(void *data)
{
    MYSQL *mysql = open_session();
    ZSTD_CCtx *compressor = ZSTD_createCCtx();
    char *text = malloc(64 * 1024 * 1024);
    int at;

    (void)data;
    run(mysql, "SET character_set_results = NULL");
    ZSTD_CCtx_setParameter(compressor, ZSTD_c_compressionLevel, 1);
    while ((at = atomic_fetch_add(&next_job, 1)) < job_count) {
        FILE *file = NULL;
        char path[4096];
        unsigned long sum = 0, rows = 0;
        MYSQL_RES *result;
        MYSQL_ROW row;

        if (mysql_real_query(mysql, jobs[at].sql, strlen(jobs[at].sql)) != 0)
            die(mysql_error(mysql));
        result = mysql_use_result(mysql);
        if (folder != NULL) {
            snprintf(path, sizeof path, "%s/%d.zst", folder, at);
            file = fopen(path, "w");
        }
        while ((row = mysql_fetch_row(result)) != NULL) {
            const unsigned long *lengths = mysql_fetch_lengths(result);
            size_t used = 0;
            for (unsigned c = 0; c < mysql_num_fields(result); c++) {
                if (row[c] != NULL)
                    memcpy(text + used, row[c], lengths[c]);
                used += lengths[c];
                text[used++] = '\t';
            }
            text[used - 1] = '\n';
            sum += XXH3_128bits(text, used - 1).low64;
            rows++;
            if (file != NULL)
                write_frame(file, compressor, text, used, ZSTD_e_continue);
        }
        mysql_free_result(result);
        if (file != NULL) {
            write_frame(file, compressor, NULL, 0, ZSTD_e_end);
            fclose(file);
        }
        atomic_fetch_add(&sum_low, sum);
        atomic_fetch_add(&rows_seen, rows);
    }
    ZSTD_freeCCtx(compressor);
    free(text);
    mysql_close(mysql);
    return NULL;
}

/* ---- Loading ---- */

typedef struct {
    char *values[MAX_COLUMNS][BATCH_ROWS];
    unsigned long lengths[MAX_COLUMNS][BATCH_ROWS];
    char indicators[MAX_COLUMNS][BATCH_ROWS];
} Batch;

static int digit(char c)
{
    return c <= '9' ? c - '0' : c - 'a' + 10;
}

/* Decodes the field at `at` in place; returns where the next one begins */
static char *decode(char *at, char hex_columns, Batch *batch, int column, int row)
{
    static const char letters[] = "bfnrtv", bytes[] = "\b\f\n\r\t\v";
    char *to = at, *start = at;
    int is_null = at[0] == '\\' && at[1] == 'N';

    for (; *at != '\t' && *at != '\n'; at++) {
        if (hex_columns == 'x' && !is_null) {
            *to++ = (char)(digit(at[0]) << 4 | digit(at[1]));
            at++;
        } else if (*at == '\\') {
            const char *letter = strchr(letters, *++at);
            *to++ = letter != NULL ? bytes[letter - letters] : *at;
        } else {
            *to++ = *at;
        }
    }
    batch->values[column][row] = start;
    batch->lengths[column][row] = (unsigned long)(to - start);
    batch->indicators[column][row] = is_null ? STMT_INDICATOR_NULL : STMT_INDICATOR_NONE;
    return at + 1;
}

static void send(MYSQL_STMT *statement, const Job *job, Batch *batch, unsigned rows)
{
    MYSQL_BIND binds[MAX_COLUMNS];

    memset(binds, 0, sizeof binds);
    for (int c = 0; c < job->columns; c++) {
        binds[c].buffer_type = job->hex_columns[c] == 'x' ? MYSQL_TYPE_BLOB : MYSQL_TYPE_STRING;
        binds[c].buffer = batch->values[c];
        binds[c].length = batch->lengths[c];
        binds[c].u.indicator = batch->indicators[c];
    }
    mysql_stmt_attr_set(statement, STMT_ATTR_ARRAY_SIZE, &rows);
    if (mysql_stmt_bind_param(statement, binds) != 0 || mysql_stmt_execute(statement) != 0)
        die(mysql_stmt_error(statement));
}

/* MySQL takes no arrays: one statement of many rows */
static void send_text(MYSQL *mysql, const Job *job, const Batch *batch, unsigned rows)
{
    static _Thread_local char sql[4 * BATCH_BYTES + 131072];
    char *to = stpncpy(sql, job->sql, (size_t)(strstr(job->sql, " VALUES (") + strlen(" VALUES ") - job->sql));

    for (unsigned row = 0; row < rows; row++) {
        for (int c = 0; c < job->columns; c++) {
            to = stpcpy(to, c > 0 ? "," : row > 0 ? ",(" : "(");
            if (batch->indicators[c][row] == STMT_INDICATOR_NULL) {
                to = stpcpy(to, "NULL");
                continue;
            }
            to = stpcpy(to, job->hex_columns[c] == 'x' ? "_binary'" : "'");
            to += mysql_real_escape_string(mysql, to, batch->values[c][row], batch->lengths[c][row]);
            *to++ = '\'';
        }
        *to++ = ')';
    }
    if (mysql_real_query(mysql, sql, (unsigned long)(to - sql)) != 0)
        die(mysql_error(mysql));
}

static void load_file(MYSQL *mysql, const Job *job, Batch *batch)
{
    char *text = read_file(job->file), *at = text, *sent = text;
    MYSQL_STMT *statement = mysql_stmt_init(mysql);
    const int takes_arrays = mariadb_connection(mysql);
    unsigned rows = 0;

    if (takes_arrays && mysql_stmt_prepare(statement, job->sql, strlen(job->sql)) != 0)
        die(mysql_stmt_error(statement));
    run(mysql, "START TRANSACTION");
    while (*at != '\0') {
        for (int c = 0; c < job->columns; c++)
            at = decode(at, job->hex_columns[c], batch, c, (int)rows);
        rows++;
        if (rows == BATCH_ROWS || at - sent > BATCH_BYTES || *at == '\0') {
            if (takes_arrays)
                send(statement, job, batch, rows);
            else
                send_text(mysql, job, batch, rows);
            rows = 0;
            sent = at;
        }
    }
    run(mysql, "COMMIT");
    mysql_stmt_close(statement);
    free(text);
}

static void *load_rows(void *data)
{
    MYSQL *mysql = open_session();
    Batch *batch = malloc(sizeof(Batch));
    int at;

    (void)data;
    while ((at = atomic_fetch_add(&next_job, 1)) < job_count) {
        if (jobs[at].file != NULL)
            load_file(mysql, &jobs[at], batch);
        else
            run(mysql, jobs[at].sql);
    }
    free(batch);
    mysql_close(mysql);
    return NULL;
}

static void add_loads(const char *dump, const json_t *set)
{
    const json_t *chunks = json_object_get(set, "chunks"), *columns = json_object_get(set, "columns");
    const char *hex_columns = json_string_value(json_object_get(set, "coding"));
    int count = (int)json_array_size(columns);
    char *all_text = malloc(MAX_COLUMNS + 1);

    memset(all_text, 't', MAX_COLUMNS);
    for (size_t i = 0; i < json_array_size(chunks); i++) {
        char *sql = calloc(1, 131072), *file = malloc(4096);
        snprintf(sql, 131072, "INSERT INTO %s (", json_string_value(json_object_get(set, "table")));
        for (int c = 0; c < count; c++) {
            strcat(sql, c > 0 ? ", " : "");
            strcat(sql, json_string_value(json_array_get(columns, (size_t)c)));
        }
        strcat(sql, ") VALUES (");
        for (int c = 0; c < count; c++)
            strcat(sql, c > 0 ? ", ?" : "?");
        strcat(sql, ")");
        snprintf(file, 4096, "%s/%s", dump, json_string_value(json_object_get(json_array_get(chunks, i), "file")));
        add_job((Job){sql, file, hex_columns != NULL ? hex_columns : all_text, count});
    }
}

/* Each statement of the objects of one kind */
static void run_kind(const json_t *objects, const char *text, const char *kind)
{
    for (size_t i = 0; i < json_array_size(objects); i++) {
        const json_t *object = json_array_get(objects, i);
        char *sql, *next;
        if (strcmp(json_string_value(json_object_get(object, "kind")), kind) != 0)
            continue;
        sql = strndup(text + json_integer_value(json_object_get(object, "at")),
                      (size_t)json_integer_value(json_object_get(object, "bytes")));
        while ((next = strstr(sql, ";\n")) != NULL) {
            add_job((Job){.sql = strndup(sql, (size_t)(next - sql))});
            sql = next + 2;
        }
        add_job((Job){.sql = sql});
    }
    run_workers(load_rows);
}

static void load(const char *dump)
{
    char path[4096];
    json_t *manifest;
    const json_t *sets;

    snprintf(path, sizeof path, "%s/manifest.json", dump);
    manifest = json_loads(read_file(path), 0, NULL);
    snprintf(path, sizeof path, "%s/completion.sql", dump);
    sets = json_object_get(manifest, "rows");
    for (size_t i = 0; i < json_array_size(sets); i++)
        add_loads(dump, json_array_get(sets, i));
    run_workers(load_rows);
    run_kind(json_object_get(manifest, "objects"), read_file(path), "index");
    workers = 1;
    run_kind(json_object_get(manifest, "objects"), read_file(path), "foreign-key");
}

int main(int argc, char **argv)
{
    if (argc < 6)
        die("usage: bare_mariadb read|load SOCKET DATABASE JOBS QUERIES|DUMP [FOLDER]");
    socket_path = argv[2];
    database = argv[3];
    workers = atoi(argv[4]);
    folder = argc > 6 ? argv[6] : NULL;
    if (strcmp(argv[1], "load") == 0) {
        load(argv[5]);
        return 0;
    }
    for (char *line = strtok(read_file(argv[5]), "\n"); line != NULL; line = strtok(NULL, "\n"))
        add_job((Job){.sql = line});
    run_workers(read_rows);
    printf("%lu rows, sum %016lx\n", (unsigned long)rows_seen, (unsigned long)sum_low);
    return 0;
}
