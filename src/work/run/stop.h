/* SPDX-License-Identifier: Apache-2.0 */
/*
 * stop - the one way to end work early: because the user wants it, or because one worker failed.
 *
 * It knows every session of every address that has its watch. Triggering returns at once: a thread of its own asks the
 * servers to cancel what each session runs, and, where that is not enough within a few seconds, cuts the connections;
 * no lock is held meanwhile that others need. Workers look at hb_stop_is_set() between pieces of work; who waits for
 * something else than a session waits for hb_stop_get_fd(), too. Thread-safe.
 */
#pragma once

#include "engine/engine.h"

typedef struct HbStop HbStop;

HbStop *hb_stop_new(void);
void hb_stop_free(HbStop *stop); /* accepts NULL; all sessions must be closed */

/* One for a part of the work, such as one of many databases: who triggers the whole triggers each part, who triggers a
 * part ends nothing but that. The whole must outlive it */
HbStop *hb_stop_new_part(HbStop *whole);

/* For addresses: their sessions are known from then on until they are closed. Borrowed */
const HbSessionWatch *hb_stop_get_watch(HbStop *stop);

/* The servers' numbers (guint64) of the sessions that are open at an address, of all parts; the caller's */
GArray *hb_stop_list_ids(HbStop *stop, const char *uri);

void hb_stop_trigger(HbStop *stop);
/* FALSE: it was only asked, because hb_stop_set_patient() says that the work ends well when it is asked */
gboolean hb_stop_trigger_by_user(HbStop *stop);
void hb_stop_set_patient(HbStop *stop, gboolean is_patient);
void hb_stop_ask(HbStop *stop);              /* by another program: nothing, unless the work is patient */
gboolean hb_stop_is_handed_on(HbStop *stop); /* it was asked by another program, which goes on with the work */
gboolean hb_stop_is_asked(HbStop *stop);     /* to end when it is convenient */
gboolean hb_stop_is_set(HbStop *stop);
gboolean hb_stop_is_by_user(HbStop *stop);

/* Readable from the trigger on; for poll(), never to be read */
int hb_stop_get_fd(HbStop *stop);

/* Sleeps, but not beyond a trigger. TRUE if the time passed undisturbed */
gboolean hb_stop_sleep(HbStop *stop, guint milliseconds);

typedef gboolean (*HbAttempt)(gpointer data, GError **error);

/*
 * Tries again what failed because a connection broke, after waits that grow: a server that is being restarted needs
 * time. FALSE with the last attempt's error when patience is over (about 16 s) or it is HB_ERROR_BLOCKED, which no
 * waiting mends; or with that of a stop.
 */
gboolean hb_stop_retry(HbStop *stop, HbAttempt attempt, gpointer data, GError **error);

/* HB_ERROR_CANCELLED; returns FALSE */
gboolean hb_stop_set_error(GError **error);
