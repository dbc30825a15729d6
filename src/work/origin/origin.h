/* SPDX-License-Identifier: Apache-2.0 */
/*
 * origin - what a copy remembers of where it came from, so that it can be brought up to date without being told again.
 *
 * It is one JSON text in the target (see HbTarget), described in docs/origin.md. It is there only if it was asked for.
 * What stands in the target may have been written by anybody who may write there: it is checked like a dump.
 */
#pragma once

#include "dump/manifest.h"
#include "work/source/adapt.h"

/* What a hand-over needs to know in order to go on, or to be undone, after whatever broke it off */
typedef struct {
    gboolean is_opened; /* the point of no return is behind it: applications may write to the copy */
    char *began;        /* ISO 8601, UTC */
    char *way;          /* in which writing to the source was stopped: a word of --stop-writes */
    char *gate;         /* as the source's engine noted it; NULL: the engine did nothing */
    char *closed;       /* likewise of how the source is closed for good; NULL: it is not, or not yet */
    char *source;       /* what is to become of the source: a word of --source */
    gboolean way_back;
} HbHandoverNote;

HbHandoverNote *hb_handover_note_copy(const HbHandoverNote *note); /* NULL of NULL */
void hb_handover_note_free(HbHandoverNote *note);                  /* accepts NULL */

typedef struct {
    char *engine;
    char *source_id; /* of the source's database (see HbManifest); NULL: a dump that does not know it */
    char *source;    /* for people: its address */
    char *database;  /* its name there */
    char *dump_id;   /* of the dump, the carry or the pass that was last brought over */
    char *moment; /* ISO 8601, UTC: what the source held then, the target holds; NULL: none yet, it is being filled */
    char *coming; /* likewise of what is being brought over; NULL: the target is at rest */
    guint parts;
    HbSelection *selection; /* NULL: everything was taken */
    HbWishes wishes;        /* renames, owned; ownership, grants */

    /* Of the source's log, see engine/log.h: NULL, and what follows too, where it is not kept for this copy, or the
     * copy is not whole */
    char *log_name;
    char *log_position;   /* up to here its changes are in */
    char *loose_until;    /* up to here some of them may be in: rows were compared meanwhile; NULL: none are */
    GPtrArray *loose;     /* char *: of these tables; NULL: of all */
    GPtrArray *unaligned; /* char *: tables that are not as they were at that position: they did not hold what the log
                           * said of them, or were compared while it went on. They are compared before it is read */
    GPtrArray *changed;   /* char *: tables that got changes from it since they were last compared */

    /* How writing to this copy is stopped, as its engine noted it (see engine/gate.h), until the copy is handed over;
     * NULL: it is not stopped */
    char *gate;
    HbHandoverNote *handover; /* one that has begun, and has not ended; NULL: none has */
} HbOrigin;

/* The source's log is read from this position on, or not at all (both NULL) */
void hb_origin_set_log(HbOrigin *origin, const char *name, const char *position);
void hb_origin_copy_log(HbOrigin *origin, const HbOrigin *other); /* all that it knows of the log */
/* tables: char *, borrowed; NULL: all */
void hb_origin_set_loose(HbOrigin *origin, const char *until, const GPtrArray *tables);
gboolean hb_origin_is_loose(const HbOrigin *origin, const char *table);
/* Returns FALSE if it was known */
gboolean hb_origin_add_unaligned(HbOrigin *origin, const char *table);
void hb_origin_add_changed(HbOrigin *origin, const char *table);
void hb_origin_forget_changed(HbOrigin *origin, const GPtrArray *tables); /* char *; NULL: of all */

/* What a copy of the manifest will remember; before: what it remembers now, or NULL. is_whole: all of it is in */
HbOrigin *hb_origin_new(const HbManifest *manifest, guint parts, const HbSelection *selection, const HbWishes *wishes,
                        const HbOrigin *before, gboolean is_whole);
HbOrigin *hb_origin_new_empty(void);   /* for what is known of a log */
void hb_origin_free(HbOrigin *origin); /* accepts NULL */
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbOrigin, hb_origin_free)

char *hb_origin_write(const HbOrigin *origin); /* the caller's */
/* HB_ERROR_BLOCKED, naming the field */
HbOrigin *hb_origin_read(const char *text, GError **error);

/* Is the same chosen, and called the same? Both may be NULL, which is everything by its own name */
gboolean hb_origin_is_same_choice(const HbOrigin *one, const HbOrigin *other);

/* Of a database: *origin NULL: it remembers none, or cannot be opened, which is for others to tell. The caller's */
gboolean hb_origin_recall(const HbEngine *engine, const HbAddress *address, HbOrigin **origin, GError **error);
/* The same in a session */
gboolean hb_origin_recall_in(const HbEngine *engine, HbSession *session, HbOrigin **origin, GError **error);

/* Replaces what the database remembers; on its disk when this returns */
gboolean hb_origin_keep_in(const HbEngine *engine, HbSession *session, const HbOrigin *origin, GError **error);

/* Does the database remember this kept log? */
gboolean hb_origin_remembers_log(const HbEngine *engine, const HbAddress *address, const char *name);

/* HB_ERROR_BLOCKED unless the copy may be one of this source */
gboolean hb_origin_check_source(const HbOrigin *origin, const HbManifest *source, GError **error);
