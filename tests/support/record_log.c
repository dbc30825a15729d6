/* SPDX-License-Identifier: Apache-2.0 */
/*
 * record_log ENGINE CONNECTION POSITION - prints what a server sends of its log from a position on, a line of
 * hexadecimal digits for each message, for the golden files of tests/engine/test_logs.c:
 *
 *     record_log postgres "host=... dbname=..." SLOT        the publication is called like the slot
 *     record_log mariadb SOCKET FILE:BYTE
 */
#include <libpq-fe.h>
#include <mysql.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static void print_message(const unsigned char *bytes, size_t length)
{
    printf("message ");
    for (size_t i = 0; i < length; i++)
        printf("%02x", bytes[i]);
    putchar('\n');
}

static int record_postgres(const char *connection, const char *slot)
{
    char sql[512];
    PGconn *conn = PQconnectdb(connection);
    char *buffer;
    int length, told = 0;

    snprintf(sql, sizeof sql, "START_REPLICATION SLOT %s LOGICAL 0/0 (proto_version '1', publication_names '%s')", slot,
             slot);
    if (PQresultStatus(PQexec(conn, sql)) != PGRES_COPY_BOTH) {
        fprintf(stderr, "%s", PQerrorMessage(conn));
        return 1;
    }
    while ((length = PQgetCopyData(conn, &buffer, 0)) > 0) {
        const int is_pause = *buffer == 'k';
        if (!is_pause)
            print_message((const unsigned char *)buffer + 25, (size_t)length - 25);
        PQfreemem(buffer);
        if (is_pause && told++ > 0) /* there may be one at the beginning */
            break;
    }
    PQfinish(conn);
    return 0;
}

static int record_mariadb(const char *socket, const char *position)
{
    MYSQL *mysql = mysql_init(NULL);
    const char *colon = strchr(position, ':');
    const unsigned long byte = strtoul(colon + 1, NULL, 10);
    unsigned char command[300] = {(unsigned char)byte,
                                  (unsigned char)(byte >> 8),
                                  (unsigned char)(byte >> 16),
                                  (unsigned char)(byte >> 24),
                                  1,
                                  0,
                                  77,
                                  0,
                                  0,
                                  64}; /* 1: ends where the log does */
    const size_t name = (size_t)(colon - position);
    unsigned long length;

    if (mysql_real_connect(mysql, NULL, "root", NULL, NULL, 0, socket, 0) == NULL ||
        mysql_query(mysql, "SET @master_binlog_checksum = 'NONE', @source_binlog_checksum = 'NONE'") != 0 ||
        mysql_query(mysql, "SET @mariadb_slave_capability = 4") != 0 || name + 10 > sizeof command) {
        fprintf(stderr, "%s\n", mysql_error(mysql));
        return 1;
    }
    memcpy(command + 10, position, name);
    mysql->methods->db_command(mysql, COM_BINLOG_DUMP, (const char *)command, 10 + name, 1, 0);
    while ((length = mysql_net_read_packet(mysql)) != packet_error && length > 0 && mysql->net.read_pos[0] == 0)
        print_message(mysql->net.read_pos + 1, length - 1);
    mysql_close(mysql);
    return 0;
}

int main(int argc, char **argv)
{
    if (argc != 4)
        return 2;
    return strcmp(argv[1], "postgres") == 0 ? record_postgres(argv[2], argv[3]) : record_mariadb(argv[2], argv[3]);
}
