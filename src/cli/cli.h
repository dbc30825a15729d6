/* SPDX-License-Identifier: Apache-2.0 */
/*
 * cli - what the commands share: options, voices, observers, the stop signal.
 *
 * A command is one file and one constant row. Its run function wires modules; it parses nothing and computes nothing.
 * Set-up, error printing, exit status and "was standard output really written" are the dispatcher's (dispatch.c).
 */
#pragma once

#include "cli/options.h"
#include "cli/status.h"
#include "cli/voice.h"
#include "dump/seal.h"
#include "engine/engine.h"
#include "report/recording.h"
#include "work/run/observer.h"
#include "work/source/snapshot_source.h"

#include <jansson.h>

typedef struct {
    HbOptions options;
    HbVoice *voice;
    HbObservers *observers;
    HbStop *stop;
    gboolean color;           /* on standard output */
    HbThrottle *throttle;     /* of what is read; NULL: none was asked for */
    HbThrottle *throttle_to;  /* of the other side, where both are read to be compared */
    GPtrArray *secrets;       /* char *: passwords asked for, wiped at the end */
    const char *leg;          /* of the route that is run; NULL: it has none */
    char *dump_pattern;       /* of the DUMP, if its name was given with a date in it; NULL: it was not */
    HbRecipients *recipients; /* of --seal-for; NULL: the dump is not sealed */
    HbSealKey *key;           /* of --unseal; NULL: none was given */
    HbRecording *recording;   /* for --report; NULL: nobody wants it */
    GPtrArray *documents;     /* char *: the results as JSON, printed at the end where that is wanted */
} HbCli;

typedef struct {
    const char *name;
    const char *summary;
    const char *arguments;       /* "FROM DUMP"; ways are parted by | */
    const char *route_arguments; /* the same as a route fills them in, where that differs; NULL: it does not */
    const char *description;     /* for help */
    int arguments_min;
    int arguments_max;
    guint bit; /* this command's bit in the option rows */
    HbStatus (*run)(HbCli *cli, char **arguments, GError **error);
} HbCommand;

/* The commands, in the order of an administrator's work, ended by NULL */
extern const HbCommand *const hb_commands[];
extern const HbCommand hb_command_survey, hb_command_preflight, hb_command_dump, hb_command_show, hb_command_sql,
    hb_command_restore, hb_command_carry, hb_command_freshen, hb_command_handover, hb_command_verify;

/* The whole program but for main(): returns the exit status. May change argv: passwords in it are wiped */
int hb_cli_run(int argc, char **argv);

/* The status that an error ends the program with */
HbStatus hb_cli_get_status(const GError *error);

/* ---- For commands ---- */

/* The engine and address of a URI, checked; asks for a password if one is needed and there is a terminal */
gboolean hb_cli_find_server(HbCli *cli, const char *uri, const HbEngine **engine, HbAddress *address, GError **error);

/* The same for a URI that must name a database */
gboolean hb_cli_find_database(HbCli *cli, const char *uri, const HbEngine **engine, HbAddress *address, GError **error);

/* HB_ERROR_USAGE unless both are of one kind; returns FALSE then */
gboolean hb_cli_check_same_kind(const HbEngine *from, const HbEngine *to, GError **error);

/* HB_ERROR_USAGE: FROM is a whole server, and TO names this database. Returns FALSE */
gboolean hb_cli_set_half_named_error(const char *database, GError **error);

/* An address TO without a database in its URI is that of the one of FROM's name, as the wishes call it. Both are
 * borrowed as long as the address */
void hb_cli_default_database(const HbEngine *engine, HbAddress *to, const HbWishes *wishes, const char *name);

/* How a database is to be read, as far as the options say; engine and address are still to be filled in */
HbSnapshotSourceOptions hb_cli_make_source(const HbCli *cli);

/* --for-version as a number of the engine's; 0: none was given */
gboolean hb_cli_read_version(const HbCli *cli, const HbEngine *engine, guint *version, const char **text,
                             GError **error);

/* Prints a text for a person on standard output. Takes it */
void hb_cli_print(HbCli *cli, char *text);

/* A result: the document is kept for whoever wants JSON, and the page is printed unless JSON is to be printed (NULL:
 * there is nothing to print for a person). Takes both */
void hb_cli_conclude(HbCli *cli, char *document, char *page);

/* Another field of the result that was told last; takes the value */
void hb_cli_add_to_document(HbCli *cli, const char *name, json_t *value);
