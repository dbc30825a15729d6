/* SPDX-License-Identifier: Apache-2.0 */
/*
 * servers - private servers for tests, and programs to run.
 */
#pragma once

#include "support/check.h"

/*
 * Starts private servers (names separated by blanks: PostgreSQL, NAME=17 for that version, NAME:mariadb,
 * NAME=11.8:mariadb) in a folder
 * that servers_end() removes. The demo's scripts do the work. Once in a program. Fails the test if they do not start.
 */
void servers_begin(const char *names);
void servers_end(void);

/* Was this version of MariaDB fetched? */
gboolean servers_has_family(const char *version);

/* The same with a folder for files, which is given back and is $FOLDER; $SOURCE is the source's */
char *servers_begin_with_folder(const char *names);
void servers_end_with_folder(char *path); /* removes it, and frees the path */

/*
 * The set-up of most tests of commands: servers and a folder, then a line of shell (NULL: none) that fills them, the
 * tests, and the end of it all. Returns what main() returns
 */
int servers_run_tests(const char *names, const char *line, const struct CMUnitTest *tests, size_t count);
const char *servers_get_folder(void);

/* The URI of a server's database (NULL: none is named); the caller's */
char *servers_get_uri(const char *name, const char *database);

/* Runs a line of shell, with the scripts' functions at hand: start_postgres, stop_server, server_uri */
void servers_run_shell(const char *line);

/*
 * Runs a line of shell in $FOLDER, traced, up to its first failure, and fails the test then, with all that was said. It
 * has not COMMAND; fails STATUS COMMAND, which leaves what it said in the files o and e; hb, which is the program
 */
void servers_run_traced(const char *line);

/* Output of SQL run by the engine's plain shell, bare values; the caller's. Fails the test if the SQL fails */
char *servers_query(const char *uri, const char *sql);

/* A program that has ended */
typedef struct {
    int status;
    char *out;
    char *err;
} Run;

void run_clear(Run *run);

/* Runs the built hornbeam with these arguments (NULL-terminated), standard input empty */
Run run_hornbeam(const char *first, ...) G_GNUC_NULL_TERMINATED;

/* A line of shell in which $HORNBEAM is the program, with the scripts' functions at hand, and the environment is the
 * test's; the status is the line's */
Run run_shell(const char *line);

/* Fails unless the program ended with this status, and its output and messages hold these parts (NULL: whatever) */
void run_expect(Run run, int status, const char *out, const char *err);

/*
 * Fails unless the server's own words about two databases (census.sql), line by line, are the same, and at least so
 * many lines. $SOURCE and $FOLDER must be set. Of MariaDB: mariadb_census.sh, without the lines that match `but`
 */
void compare_censuses(const char *one, const char *other, guint least);
void compare_mariadb_censuses(const char *one, const char *other, const char *database, const char *but, guint least);
