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

/* HB_ERROR_CANCELLED; returns FALSE */
gboolean hb_stop_set_error(GError **error);
