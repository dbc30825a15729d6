/* SPDX-License-Identifier: Apache-2.0 */
/*
 * bare_follow FROM TO SLOT UNTIL - the least that a program does to bring over the changes of one table that a slot has
 * kept: each is a prepared statement in a pipeline, as many as wait in one transaction. FROM and TO are connection
 * strings, that of FROM for replication; the table is reading (id bigint, tree, height, taken), with the primary key
 * id; UNTIL is a position of the log. What a change does not find is passed over; nothing is noted. Errors end the
 * program.
 */
#include <libpq-fe.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define COLUMNS               4
#define CHANGES_A_TRANSACTION 5000

static PGconn *from, *to;
static unsigned long changes, waiting;

static void die(PGconn *conn)
{
    fprintf(stderr, "%s", PQerrorMessage(conn));
    exit(1);
}

static PGconn *open_session(const char *connection)
{
    PGconn *conn = PQconnectdb(connection);

    if (PQstatus(conn) != CONNECTION_OK)
        die(conn);
    return conn;
}

static void run(PGconn *conn, const char *sql)
{
    PGresult *result = PQexec(conn, sql);

    if (PQresultStatus(result) > PGRES_TUPLES_OK && PQresultStatus(result) != PGRES_COPY_BOTH)
        die(conn);
    PQclear(result);
}

static uint64_t take_number(const unsigned char **at, int size)
{
    uint64_t number = 0;

    while (size-- > 0)
        number = number << 8 | *(*at)++;
    return number;
}

/* The values of a row as texts that end with a zero; those that are NULL, or not sent, are NULL */
static void take_row(const unsigned char **at, char *values[COLUMNS], char texts[COLUMNS][256])
{
    int count = (int)take_number(at, 2);

    for (int i = 0; i < count; i++) {
        char kind = (char)take_number(at, 1);
        int length = kind == 't' ? (int)take_number(at, 4) : 0;
        values[i] = NULL;
        if (kind != 't')
            continue;
        memcpy(texts[i], *at, (size_t)length);
        texts[i][length] = '\0';
        values[i] = texts[i];
        *at += length;
    }
}

static void send(const char *statement, int count, char *const *values)
{
    if (PQsendQueryPrepared(to, statement, count, (const char *const *)values, NULL, NULL, 0) != 1)
        die(to);
    waiting++;
    changes++;
}

static void settle(void)
{
    PGresult *result;

    if (waiting == 0)
        return;
    PQsendQueryPrepared(to, "commit", 0, NULL, NULL, NULL, 0);
    PQpipelineSync(to);
    for (;;) {
        result = PQgetResult(to);
        if (result == NULL)
            continue;
        if (PQresultStatus(result) == PGRES_FATAL_ERROR)
            die(to);
        if (PQresultStatus(result) == PGRES_PIPELINE_SYNC)
            break;
        PQclear(result);
    }
    PQclear(result);
    PQsendQueryPrepared(to, "begin", 0, NULL, NULL, NULL, 0);
    waiting = 0;
}

static void take_change(const unsigned char *at)
{
    char texts[COLUMNS][256], *values[COLUMNS];
    char kind = (char)take_number(&at, 1);

    if (strchr("IUD", kind) == NULL)
        return;
    take_number(&at, 4 + 1);
    take_row(&at, values, texts);
    send(kind == 'I' ? "insert" : kind == 'U' ? "update" : "delete", kind == 'D' ? 1 : COLUMNS, values);
    if (waiting >= CHANGES_A_TRANSACTION)
        settle();
}

int main(int argc, char **argv)
{
    char sql[256];
    unsigned int high, low;
    uint64_t until;
    char *buffer;

    if (argc != 5 || sscanf(argv[4], "%X/%X", &high, &low) != 2)
        return 2;
    until = (uint64_t)high << 32 | low;
    from = open_session(argv[1]);
    to = open_session(argv[2]);
    run(to, "PREPARE \"insert\" AS INSERT INTO reading VALUES ($1, $2, $3, $4)");
    run(to, "PREPARE \"update\" AS UPDATE reading SET tree = $2, height = $3, taken = $4 WHERE id = $1");
    run(to, "PREPARE \"delete\" AS DELETE FROM reading WHERE id = $1");
    PQclear(PQprepare(to, "begin", "BEGIN", 0, NULL));
    PQclear(PQprepare(to, "commit", "COMMIT", 0, NULL));
    PQenterPipelineMode(to);
    PQsendQueryPrepared(to, "begin", 0, NULL, NULL, NULL, 0);
    snprintf(sql, sizeof sql, "START_REPLICATION SLOT %s LOGICAL 0/0 (proto_version '1', publication_names '%s')",
             argv[3], argv[3]);
    run(from, sql);
    while (PQgetCopyData(from, &buffer, 0) > 0) {
        const unsigned char *at = (const unsigned char *)buffer + 1;
        if (*buffer == 'k' && take_number(&at, 8) >= until)
            break;
        if (*buffer == 'w')
            take_change((const unsigned char *)buffer + 25);
        PQfreemem(buffer);
    }
    settle();
    printf("%lu changes\n", changes);
    PQfinish(from);
    PQfinish(to);
    return 0;
}
