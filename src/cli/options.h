/* SPDX-License-Identifier: Apache-2.0 */
/*
 * options - all options of all commands, as rows of one table: what an option is called, which commands take it, where
 * its value goes. Help texts are made from the same rows.
 */
#pragma once

#include "core/compare/conflicts.h"
#include "core/select/selection.h"
#include "work/source/adapt.h"

/* Which commands take an option */
enum {
    HB_FOR_SURVEY = 1,
    HB_FOR_DUMP = 2,
    HB_FOR_SHOW = 4,
    HB_FOR_RESTORE = 8,
    HB_FOR_VERIFY = 16,
    HB_FOR_PREFLIGHT = 32,
    HB_FOR_SQL = 64,
    HB_FOR_CARRY = 128,
    HB_FOR_FRESHEN = 256,
    HB_FOR_HANDOVER = 512,
    HB_FOR_ALL = 1023
};

/* Values as given; NULL or FALSE when not given */
typedef struct {
    gboolean help;
    gboolean json;
    gboolean quiet;
    gboolean verbose;
    gboolean resume;
    gboolean join;
    char *hosts;
    gboolean remember;
    gboolean keep_log;
    gboolean keep_up;
    gboolean release;
    char *by;
    char *until_lag;
    char *stop_writes;
    char *check;
    char *source;
    char **users;
    gboolean way_back;
    gboolean undo;
    gboolean dry_run;
    char **probes;
    gboolean no_analyze;
    gboolean hold_tables;
    char **take;
    char **skip;
    char *new_passwords;
    char **rename;
    char *ownership;
    char *grants;
    char *for_version;
    char *jobs;
    char *lock_wait;
    char *throttle;
    char *parts;
    char *compress;
    char *out;
    char *against;
    char *existing;
    gboolean yes;
    char *needs;
    char *company;
    char *report;
    char *graph;
    char *around;
    char *rows;
    char *rows_named;
    gboolean show_values;
    char *database;
    char **accept;
    char *log;
    char *route;
    char *color;
    char *progress;
    gboolean sweep;
    char **seal_for;
    char *unseal;
    char *keep;
    char *keep_for;
    char *then;
    char **legs;

    /* Made from the above by hb_options_check() */
    guint job_count;
    guint lock_wait_ms;
    guint part_bits;
    gboolean one_transaction;
    guint rows_each;      /* 0: the engine's bulk form */
    guint rows_named_max; /* of each table that differs */
    int compression;
    HbWishes wishes;
    HbExistingWish existing_wish;
    guint by_place;      /* of --by: auto, rows, log */
    double until_lag_s;  /* 0: none */
    guint stop_way;      /* of --stop-writes, --check and --source: see work/handover/handover.h */
    char **stop_command; /* NULL unless a route names one */
    guint check_place;
    guint source_place;
    HbSelection *selection;
    guint keep_count;  /* 0: none was given */
    guint hosts_count; /* likewise */
    gint64 keep_for_s; /* 0: none was given */
    char **then_words; /* NULL: nothing is to be run */
} HbOptions;

typedef struct {
    const char *name; /* without the dashes */
    char letter;      /* of the short form, or 0 */
    gboolean takes_value;
    gboolean repeats;  /* the value is a list */
    gsize offset;      /* of the value in HbOptions */
    const char *value; /* what help calls it: "N" */
    const char *words; /* all values that there are, with blanks between them; NULL: other ones are */
    const char *help;
    guint commands;
} HbOptionRow;

extern const HbOptionRow hb_option_rows[]; /* ended by a row without a name */

/*
 * Takes the options of a command out of the arguments (NULL-terminated, changed in place). HB_ERROR_USAGE names an
 * unknown option and the nearest one that there is.
 */
gboolean hb_options_parse(HbOptions *options, guint command, char ***arguments, GError **error);

/* Turns texts into numbers and bits, with defaults */
gboolean hb_options_check(HbOptions *options, GError **error);
void hb_options_clear(HbOptions *options);

/* The candidate that a mistyped word is nearest to, borrowed; NULL if none is near. candidates ends with NULL */
const char *hb_options_find_nearest(const char *word, const char *const *candidates);
