/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/options.h"

#include <stddef.h>

/*
 * The options that several commands have, as rows: name, what it takes, where it is stored, one line of help. A
 * command's row says which of them it knows. Parsing, help, completions and the check that the manual names each one
 * all read these rows.
 */

#define FLAG(name, letter, field, help, commands)                                                                      \
    {                                                                                                                  \
        name, letter, FALSE, FALSE, offsetof(HbOptions, field), NULL, NULL, help, commands                             \
    }
#define VALUE(name, field, value, help, commands)                                                                      \
    {                                                                                                                  \
        name, 0, TRUE, FALSE, offsetof(HbOptions, field), value, NULL, help, commands                                  \
    }
#define LIST(name, field, value, help, commands)                                                                       \
    {                                                                                                                  \
        name, 0, TRUE, TRUE, offsetof(HbOptions, field), value, NULL, help, commands                                   \
    }

#define WORDS(name, field, value, words, help, commands)                                                               \
    {                                                                                                                  \
        name, 0, TRUE, FALSE, offsetof(HbOptions, field), value, words, help, commands                                 \
    }

/* clang-format off */
const HbOptionRow hb_option_rows[] = {
    VALUE("parts", parts, "PARTS", "which parts: schema,data,users,settings (default: all)",
          HB_FOR_FRESHEN | HB_FOR_CARRY | HB_FOR_SQL | HB_FOR_PREFLIGHT | HB_FOR_DUMP | HB_FOR_RESTORE | HB_FOR_VERIFY),
    VALUE("jobs", jobs, "N", "sessions that work at the same time (default: one for each core, at most 8)",
          HB_FOR_HANDOVER | HB_FOR_FRESHEN | HB_FOR_CARRY | HB_FOR_PREFLIGHT | HB_FOR_DUMP | HB_FOR_RESTORE | HB_FOR_VERIFY),
    VALUE("compress", compress, "LEVEL", "compression of rows: 1 (default) to 19, or none", HB_FOR_DUMP),
    VALUE("lock-wait", lock_wait, "SECONDS", "how long to wait for a read lock on a table (default: 5)",
          HB_FOR_HANDOVER | HB_FOR_FRESHEN | HB_FOR_CARRY | HB_FOR_PREFLIGHT | HB_FOR_DUMP | HB_FOR_VERIFY),
    VALUE("throttle", throttle, "RATE", "read at most so many bytes a second: 50M; by the hour: 20M,22:00-06:00=none",
          HB_FOR_HANDOVER | HB_FOR_FRESHEN | HB_FOR_CARRY | HB_FOR_DUMP | HB_FOR_VERIFY),
    FLAG("hold-tables", 0, hold_tables, "keep tables that no snapshot holds from changing until the end (MariaDB)", HB_FOR_CARRY | HB_FOR_DUMP),
    LIST("accept", accept, "FINDING", "go on in spite of this: role-missing, extension-missing:*trgm; left-out-of-dump:GLOB (repeatable)",
         HB_FOR_HANDOVER | HB_FOR_FRESHEN | HB_FOR_CARRY | HB_FOR_DUMP | HB_FOR_PREFLIGHT | HB_FOR_RESTORE),
    VALUE("report", report, "FILE", "also write what was found and done as a page of HTML", HB_FOR_ALL & ~HB_FOR_SQL),
    FLAG("one-transaction", 0, one_transaction, "all of the script comes, or nothing does", HB_FOR_SQL),
    VALUE("rows", rows, "N", "INSERT statements of N rows each instead of the engine's bulk form", HB_FOR_SQL),
    VALUE("rows", rows_named, "N", "name at most N of a table's rows that differ (default: 5; JSON names all)", HB_FOR_VERIFY),
    FLAG("show-values", 0, show_values, "also show all values of the rows that are named", HB_FOR_VERIFY),
    VALUE("database", database, "NAME", "begin with lines that create this database if it is missing, and select it", HB_FOR_SQL),
    FLAG("dry-run", 0, dry_run, "print the steps, and do nothing", HB_FOR_HANDOVER | HB_FOR_FRESHEN | HB_FOR_CARRY | HB_FOR_RESTORE),
    FLAG("join", 0, join, "be one of several hosts on this work, which are all given this; see hornbeam-hosts(7)", HB_FOR_DUMP | HB_FOR_RESTORE),
    VALUE("hosts", hosts, "N", "with --join: begin when N hosts are there (MariaDB and MySQL need it)", HB_FOR_DUMP),
    FLAG("resume", 0, resume, "go on with what was begun before, and broke off", HB_FOR_HANDOVER | HB_FOR_CARRY | HB_FOR_RESTORE),
    FLAG("remember", 0, remember, "leave in TO where it came from, so that freshen need not be told", HB_FOR_FRESHEN | HB_FOR_CARRY | HB_FOR_RESTORE),
    FLAG("keep-log", 0, keep_log, "have FROM keep its log from this moment on, for freshen --by log; a log that nobody reads fills its disk",
         HB_FOR_FRESHEN | HB_FOR_CARRY | HB_FOR_DUMP),
    WORDS("by", by, "HOW", "auto log rows", "how changes are found: log, rows (by comparing), auto (default): the log, and rows where it cannot tell", HB_FOR_FRESHEN | HB_FOR_HANDOVER),
    FLAG("keep-up", 0, keep_up, "go on with FROM's log until Ctrl-C, or --until-lag", HB_FOR_FRESHEN),
    VALUE("until-lag", until_lag, "SECONDS", "with --keep-up: end when TO is no further behind than this", HB_FOR_FRESHEN),
    FLAG("release", 0, release, "let FROM forget the log that it keeps for TO, or, without TO, all that it keeps for copies", HB_FOR_FRESHEN),
    WORDS("stop-writes", stop_writes, "HOW", "auto sessions read-only ask", "how writing to FROM is stopped: sessions, read-only, ask (a person does it), auto (default): what suits the server",
          HB_FOR_HANDOVER),
    WORDS("check", check, "WHAT", "changed all none", "what is compared while nobody writes: changed (default: structure, and the tables that have changed), all, none",
          HB_FOR_HANDOVER),
    LIST("for", users, "USER", "a user of the application, whose connection strings are written and tried (repeatable; default: TO's own)",
         HB_FOR_HANDOVER),
    WORDS("source", source, "FATE", "read-only open rename drop", "what becomes of FROM: read-only (default), open (TO was a copy), rename, drop (asks for its name; with --check all)",
          HB_FOR_HANDOVER),
    FLAG("way-back", 0, way_back, "TO keeps its log from the beginning, and FROM becomes a copy of TO", HB_FOR_HANDOVER),
    FLAG("undo", 0, undo, "let applications into FROM again, after a hand-over that broke off before its point of no return", HB_FOR_HANDOVER),
    FLAG("no-analyze", 0, no_analyze, "do not refresh the planner's statistics at the end", HB_FOR_FRESHEN | HB_FOR_CARRY | HB_FOR_RESTORE),
    LIST("take", take, "KIND[:PATTERN]", "only these, with what they need: table:garden.*, schema:loans, database:a* (repeatable)",
         HB_FOR_FRESHEN | HB_FOR_CARRY | HB_FOR_SQL | HB_FOR_PREFLIGHT | HB_FOR_DUMP | HB_FOR_RESTORE | HB_FOR_VERIFY),
    LIST("skip", skip, "KIND[:PATTERN]", "all but these: view, rows:photograph, extension:*, user:ida (repeatable)",
         HB_FOR_FRESHEN | HB_FOR_CARRY | HB_FOR_SQL | HB_FOR_PREFLIGHT | HB_FOR_DUMP | HB_FOR_RESTORE | HB_FOR_VERIFY),
    VALUE("needs", company, "no", "leave out what is needed by what --take takes, because the target has it (default: yes)",
          HB_FOR_FRESHEN | HB_FOR_CARRY | HB_FOR_SQL | HB_FOR_PREFLIGHT | HB_FOR_DUMP | HB_FOR_RESTORE | HB_FOR_VERIFY),
    WORDS("existing", existing, "HOW", "stop keep replace",
          "what becomes of what the target has: stop (default), keep it, or replace it by what arrives",
          HB_FOR_CARRY | HB_FOR_PREFLIGHT | HB_FOR_RESTORE),
    FLAG("yes", 'y', yes, "do not ask before something is dropped or emptied, or writes are stopped", HB_FOR_HANDOVER | HB_FOR_FRESHEN | HB_FOR_CARRY | HB_FOR_RESTORE),
    VALUE("new-passwords", new_passwords, "FILE",
          "give users that arrive without a password a new one, and write it to FILE", HB_FOR_FRESHEN | HB_FOR_CARRY | HB_FOR_RESTORE),
    WORDS("ownership", ownership, "HOW", "keep mine", "keep (default), or mine: everything belongs to the restoring role",
          HB_FOR_FRESHEN | HB_FOR_CARRY | HB_FOR_SQL | HB_FOR_PREFLIGHT | HB_FOR_RESTORE | HB_FOR_VERIFY),
    WORDS("grants", grants, "HOW", "keep drop", "keep (default), or drop: no rights are granted", HB_FOR_FRESHEN | HB_FOR_CARRY | HB_FOR_SQL | HB_FOR_PREFLIGHT | HB_FOR_RESTORE | HB_FOR_VERIFY),
    LIST("rename", rename, "KIND:OLD=NEW", "another name on the way: database, schema, owner, tablespace, storage (repeatable)",
         HB_FOR_FRESHEN | HB_FOR_CARRY | HB_FOR_SQL | HB_FOR_PREFLIGHT | HB_FOR_RESTORE | HB_FOR_VERIFY),
    LIST("probe", probes, "SQL", "a question for both sides, whose answers are held against each other (repeatable)", HB_FOR_VERIFY),
    VALUE("for-version", for_version, "V", "write definitions for servers of version V (default: the source's)",
          HB_FOR_SQL | HB_FOR_DUMP),
    VALUE("needs", needs, "OBJECT", "what OBJECT needs, and what needs it (\"table garden.plot\")", HB_FOR_SHOW),
    VALUE("graph", graph, "FILE", "draw what needs what, as FILE.svg, FILE.png or FILE.dot", HB_FOR_SHOW),
    VALUE("around", around, "OBJECT", "draw only what OBJECT needs, and what needs it", HB_FOR_SHOW),
    VALUE("out", out, "FILE", "also keep the result as JSON in FILE", HB_FOR_SURVEY),
    VALUE("against", against, "FILE", "show what has changed since the survey that was kept in FILE", HB_FOR_SURVEY),
    LIST("seal-for", seal_for, "FILE", "only who has the private key of the certificate in FILE can read the dump (repeatable)", HB_FOR_DUMP),
    VALUE("unseal", unseal, "FILE", "open a sealed dump with the private key in FILE",
          HB_FOR_FRESHEN | HB_FOR_SQL | HB_FOR_SHOW | HB_FOR_PREFLIGHT | HB_FOR_RESTORE | HB_FOR_VERIFY),
    FLAG("sweep", 0, sweep, "first remove what a dump to this name that was killed has left in the object store", HB_FOR_DUMP),
    VALUE("keep", keep, "N", "of the dumps of this dated name keep the newest N; older ones go when the new one has been verified", HB_FOR_DUMP),
    VALUE("keep-for", keep_for, "TIME", "likewise those of the last TIME: 30d, 8w, 12h; with --keep, what one of them keeps stays", HB_FOR_DUMP),
    VALUE("then", then, "PROGRAM", "at the end run this; the result stands on its standard input as JSON, the status in HORNBEAM_STATUS",
          HB_FOR_ALL),
    LIST("leg", legs, "NAME", "of a route that has several, only this one (repeatable)", HB_FOR_ALL),
    VALUE("route", route, "FILE", "take what is not given here from a file; see hornbeam(1)", HB_FOR_ALL),
    FLAG("json", 0, json, "print the result as one JSON document", HB_FOR_ALL),
    VALUE("log", log, "FILE", "append what happens, with times, to FILE", HB_FOR_ALL),
    FLAG("quiet", 'q', quiet, "print results and errors only", HB_FOR_ALL),
    FLAG("verbose", 'v', verbose, "tell more", HB_FOR_ALL),
    WORDS("progress", progress, "HOW", "auto json", "auto (default): for people; json: a line of JSON each second, on standard error", HB_FOR_ALL),
    WORDS("color", color, "WHEN", "auto always never", "auto (default), always or never", HB_FOR_ALL),
    FLAG("help", 'h', help, "show this help", HB_FOR_ALL),
    {NULL, 0, FALSE, FALSE, 0, NULL, NULL, NULL, 0},
};
/* clang-format on */
