/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/log/kept_log.h"

#include <string.h>

#define BY_COMPARING "or leave it: freshen then compares rows"

/* ---- Positions ---- */

gboolean hb_my_split_position(const char *position, char **file, guint64 *byte)
{
    const char *comma = position + strcspn(position, ",");
    const char *colon = g_strrstr_len(position, comma - position, ":");
    char *end;

    if (colon == NULL || colon == position)
        return FALSE;
    *byte = g_ascii_strtoull(colon + 1, &end, 10);
    if (end == colon + 1 || end != comma)
        return FALSE;
    *file = g_strndup(position, (gsize)(colon - position));
    return TRUE;
}

/* Files are numbered, and get more digits when those run out */
static guint64 get_number(const char *file)
{
    const char *dot = strrchr(file, '.');

    return dot != NULL ? g_ascii_strtoull(dot + 1, NULL, 10) : 0;
}

int hb_my_compare_positions(const char *position, const char *other)
{
    g_autofree char *file = NULL, *other_file = NULL;
    guint64 byte = 0, other_byte = 0, number, other_number;

    if (!hb_my_split_position(position, &file, &byte) || !hb_my_split_position(other, &other_file, &other_byte))
        return g_strcmp0(position, other);
    number = get_number(file);
    other_number = get_number(other_file);
    if (number != other_number)
        return number < other_number ? -1 : 1;
    return byte < other_byte ? -1 : byte > other_byte;
}

static HbMyResult *query_status(HbSession *session, GError **error)
{
    return hb_my_query(
        session, hb_my_can(session, HB_MY_BINARY_LOG_STATUS) ? "SHOW BINARY LOG STATUS" : "SHOW MASTER STATUS", error);
}

char *hb_my_read_position(HbSession *session)
{
    g_autoptr(HbMyResult) status = query_status(session, NULL);
    g_autofree char *gtid = NULL;
    MYSQL_ROW row;

    row = status != NULL ? mysql_fetch_row(status) : NULL;
    hb_my_read_text(
        session, hb_my_can(session, HB_MY_DOMAIN_GTIDS) ? "SELECT @@gtid_binlog_pos" : "SELECT @@global.gtid_executed",
        &gtid, NULL);
    if (row == NULL)
        return NULL;
    return gtid != NULL && *gtid != '\0' ? g_strdup_printf("%s:%s, GTID %s", row[0], row[1], gtid)
                                         : g_strdup_printf("%s:%s", row[0], row[1]);
}

char *hb_my_find_log_end(HbSession *session, GError **error)
{
    char *position = hb_my_read_position(session);

    if (position == NULL)
        hb_error_set(error, HB_ERROR_RIGHTS, "an administrator can run: GRANT REPLICATION CLIENT ON *.* TO ...",
                     "%s does not say where its binary log ends", session->address);
    return position;
}

/* ---- May we? ---- */

/* What the log must be like; a server that does not know a variable is as it must be */
static const struct {
    const char *variable, *wanted, *todo;
} demands[] = {
    {"log_bin", "1", "start the server with log_bin"},
    {"binlog_format", "ROW", "SET GLOBAL binlog_format = 'ROW', and let all sessions begin anew"},
    {"binlog_row_image", "FULL", "SET GLOBAL binlog_row_image = 'FULL', and let all sessions begin anew"},
    {"binlog_row_value_options", "", "SET GLOBAL binlog_row_value_options = ''"},
    {"binlog_transaction_compression", "0", "SET GLOBAL binlog_transaction_compression = OFF"},
    {"log_bin_compress", "0", "SET GLOBAL log_bin_compress = OFF"},
};

static gboolean check_demand(HbSession *session, gsize place, GError **error)
{
    g_autofree char *sql = g_strdup_printf("SELECT @@global.%s", demands[place].variable), *value = NULL;

    if (!hb_my_read_text(session, sql, &value, NULL) || value == NULL || strcmp(value, demands[place].wanted) == 0)
        return TRUE;
    g_autofree char *todo = g_strdup_printf("an administrator can run: %s; " BY_COMPARING, demands[place].todo);
    return hb_error_set(error, HB_ERROR_BLOCKED, todo, "changes cannot be read from the server's binary log: %s is %s",
                        demands[place].variable, *value != '\0' ? value : "empty");
}

/* What is not logged of some databases may be of ours */
static gboolean check_status(HbSession *session, GError **error)
{
    g_autoptr(GError) ours = NULL;
    g_autoptr(HbMyResult) status = query_status(session, &ours);
    MYSQL_ROW row = status != NULL ? mysql_fetch_row(status) : NULL;

    if (row == NULL)
        return hb_error_set(
            error, HB_ERROR_RIGHTS,
            "an administrator can run: GRANT REPLICATION SLAVE, REPLICATION CLIENT ON *.* TO ...; " BY_COMPARING,
            "%s does not say where its binary log ends%s%s", session->address, ours != NULL ? ": " : "",
            ours != NULL ? ours->message : "");
    return mysql_num_fields(status) < 4 ||
           ((row[2] == NULL || *row[2] == '\0') && (row[3] == NULL || *row[3] == '\0')) ||
           hb_error_set(error, HB_ERROR_BLOCKED,
                        "take binlog-do-db and binlog-ignore-db out of its configuration; " BY_COMPARING,
                        "the server leaves databases out of its binary log");
}

gboolean hb_my_check_log(HbSession *session, GError **error)
{
    for (gsize i = 0; i < G_N_ELEMENTS(demands); i++) {
        if (!check_demand(session, i, error))
            return FALSE;
    }
    return check_status(session, error);
}

/* ---- What is kept ---- */

gboolean hb_my_narrow_log(HbSession *session, const char *name, const HbCatalog *catalog, GError **error)
{
    (void)session;
    (void)name;
    (void)catalog;
    (void)error;
    return TRUE;
}

gboolean hb_my_release_log(HbSession *session, const char *name, GError **error)
{
    (void)session;
    (void)name;
    (void)error;
    return TRUE;
}

static char *describe_limit(HbSession *session)
{
    g_autofree char *seconds = NULL, *days = NULL;
    double kept = 0;

    if (hb_my_read_text(session, "SELECT @@global.binlog_expire_logs_seconds", &seconds, NULL) && seconds != NULL)
        kept = g_ascii_strtod(seconds, NULL) / 86400;
    if (kept == 0 && hb_my_read_text(session, "SELECT @@global.expire_logs_days", &days, NULL) && days != NULL)
        kept = g_ascii_strtod(days, NULL);
    return kept > 0 ? g_strdup_printf("the server deletes what is older than %.3g days", kept)
                    : g_strdup("the server deletes nothing by itself");
}

static void describe(HbSession *session, HbMyResult *files, const char *name, HbKeptLog *log)
{
    MYSQL_ROW row;

    while ((row = mysql_fetch_row(files)) != NULL) {
        if (log->position == NULL)
            log->position = g_strdup_printf("%s:4", row[0]);
        log->bytes += g_ascii_strtoull(row[1], NULL, 10);
    }
    log->name = g_strdup(name);
    log->limit = describe_limit(session);
    if (log->position == NULL)
        log->complaint = g_strdup("it has no binary log");
}

/* Under whatever name, it is the same log. NULL for all: none of it is ours to release */
GArray *hb_my_list_kept(HbSession *session, const char *name, GError **error)
{
    GArray *kept = hb_kept_logs_new();
    g_autoptr(HbMyResult) files = NULL;

    if (name == NULL)
        return kept;
    files = hb_my_query(session, "SHOW BINARY LOGS", error);
    if (files == NULL) {
        g_array_unref(kept);
        return NULL;
    }
    g_array_set_size(kept, 1);
    describe(session, files, name, &g_array_index(kept, HbKeptLog, 0));
    return kept;
}
