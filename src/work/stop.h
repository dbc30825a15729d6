/* SPDX-License-Identifier: Apache-2.0 */
/*
 * stop - the one way to end work early: because the user wants it, or because one worker failed.
 *
 * Thread-safe. Triggering interrupts the statement that each registered session is running; workers look at
 * hb_stop_is_set() between pieces of work.
 */
#pragma once

#include "engine/engine.h"

typedef struct HbStop HbStop;

HbStop *hb_stop_new(void);
void hb_stop_free(HbStop *stop);

void hb_stop_trigger(HbStop *stop);
void hb_stop_trigger_by_user(HbStop *stop);
gboolean hb_stop_is_set(HbStop *stop);
gboolean hb_stop_is_by_user(HbStop *stop);

/* A session is interrupted only while it is registered; remove it before it is closed */
void hb_stop_add(HbStop *stop, const HbEngine *engine, HbSession *session);
void hb_stop_remove(HbStop *stop, HbSession *session);

/* Sleeps, but not beyond a trigger. TRUE if the time passed undisturbed */
gboolean hb_stop_sleep(HbStop *stop, guint milliseconds);

typedef gboolean (*HbAttempt)(gpointer data, GError **error);

/*
 * Tries again what failed because a connection broke, after waits that grow: a server that is being restarted needs
 * time. FALSE with the last attempt's error when patience is over (about 16 s), or with that of a stop.
 */
gboolean hb_stop_retry(HbStop *stop, HbAttempt attempt, gpointer data, GError **error);

/* HB_ERROR_CANCELLED; returns FALSE */
gboolean hb_stop_set_error(GError **error);
