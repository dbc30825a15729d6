/* SPDX-License-Identifier: Apache-2.0 */
/*
 * throttle - how fast a server is read at most, by all sessions together; by the hour, if that is wanted.
 *
 * Thread-safe. What is taken is paid for afterwards: who takes many bytes waits before the next ones.
 */
#pragma once

#include "work/run/stop.h"

typedef struct HbThrottle HbThrottle;

/*
 * text: "50M", "800k", "none": bytes a second, with k, M, G (powers of 1000); then, after commas, what holds at certain
 * hours of the day, local time: "20M,22:00-06:00=none,12:00-13:00=5M". NULL gives NULL without an error.
 * HB_ERROR_USAGE
 */
HbThrottle *hb_throttle_new(const char *text, GError **error);
void hb_throttle_free(HbThrottle *throttle); /* accepts NULL */

/* Bytes a second at a minute of the day (0 to 1439); 0: as fast as can be */
guint64 hb_throttle_get_rate(const HbThrottle *throttle, guint minute);

/* Waits as long as so many bytes take; not beyond the stop. NULL never waits */
void hb_throttle_take(HbThrottle *throttle, guint64 bytes, HbStop *stop);

/* The same for one who takes many small pieces: *untold counts the bytes that are not taken yet */
void hb_throttle_meter(HbThrottle *throttle, guint64 *untold, guint64 bytes, HbStop *stop);
