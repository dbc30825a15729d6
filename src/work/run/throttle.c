/* SPDX-License-Identifier: Apache-2.0 */
#include "work/run/throttle.h"

#include "core/base/error.h"

#include <string.h>

#define MINUTES_OF_DAY 1440

/* Who takes small pieces waits once for so many bytes */
#define METER_BYTES (256 * 1024)

/* A schedule's turns, and a stop, are noticed as soon as this */
#define WAIT_AT_ONCE_US (200 * 1000)

/* Rates that begin and end at minutes of the day; an end before the beginning is on the next day */
typedef struct {
    guint begin, end;
    guint64 rate; /* 0: as fast as can be */
} Hours;

struct HbThrottle {
    guint64 rate; /* at all other times */
    GArray *hours;
    GMutex lock;
    gint64 paid_until; /* monotonic, us */
};

/* ---- Reading ---- */

static gboolean read_rate(const char *text, guint64 *rate)
{
    static const struct {
        char letter;
        guint64 factor;
    } units[] = {{'k', 1000}, {'M', 1000 * 1000}, {'G', 1000 * 1000 * 1000}, {'\0', 1}};
    const char *end = text + strspn(text, "0123456789.");
    const double number = g_ascii_strtod(text, NULL);

    *rate = 0;
    if (strcmp(text, "none") == 0)
        return TRUE;
    for (gsize i = 0; i < G_N_ELEMENTS(units) && g_ascii_isdigit(*text); i++) {
        if (*end == units[i].letter && (*end == '\0' || end[1] == '\0') && number * (double)units[i].factor >= 1 &&
            number < 1e12) {
            *rate = (guint64)(number * (double)units[i].factor);
            return TRUE;
        }
    }
    return FALSE;
}

static gboolean read_minute(const char *text, guint *minute, const char **end)
{
    const gboolean is_time = g_ascii_isdigit(text[0]) && g_ascii_isdigit(text[1]) && text[2] == ':' &&
                             g_ascii_isdigit(text[3]) && g_ascii_isdigit(text[4]);

    if (!is_time)
        return FALSE;
    *minute = (guint)(g_ascii_digit_value(text[0]) * 10 + g_ascii_digit_value(text[1])) * 60 +
              (guint)(g_ascii_digit_value(text[3]) * 10 + g_ascii_digit_value(text[4]));
    *end = text + 5;
    return *minute <= MINUTES_OF_DAY && g_ascii_digit_value(text[3]) < 6;
}

static gboolean read_hours(const char *text, Hours *hours)
{
    return read_minute(text, &hours->begin, &text) && *text == '-' && read_minute(text + 1, &hours->end, &text) &&
           *text == '=' && read_rate(text + 1, &hours->rate);
}

HbThrottle *hb_throttle_new(const char *text, GError **error)
{
    g_auto(GStrv) parts = text != NULL ? g_strsplit(text, ",", -1) : NULL;
    HbThrottle *throttle;
    gboolean ok;

    if (text == NULL)
        return NULL;
    throttle = g_new0(HbThrottle, 1);
    throttle->hours = g_array_new(FALSE, FALSE, sizeof(Hours));
    g_mutex_init(&throttle->lock);
    ok = parts[0] != NULL && read_rate(parts[0], &throttle->rate);
    for (guint i = 1; ok && parts[i] != NULL; i++) {
        Hours hours;
        ok = read_hours(parts[i], &hours);
        g_array_append_val(throttle->hours, hours);
    }
    if (ok)
        return throttle;
    hb_throttle_free(throttle);
    hb_error_set(error, HB_ERROR_USAGE, NULL,
                 "--throttle takes bytes a second, by the hour if that is wanted (50M, or 20M,22:00-06:00=none), not "
                 "“%s”",
                 text);
    return NULL;
}

void hb_throttle_free(HbThrottle *throttle)
{
    if (throttle == NULL)
        return;
    g_array_unref(throttle->hours);
    g_mutex_clear(&throttle->lock);
    g_free(throttle);
}

/* ---- Waiting ---- */

static gboolean holds_at(const Hours *hours, guint minute)
{
    if (hours->begin <= hours->end)
        return hours->begin <= minute && minute < hours->end;
    return minute >= hours->begin || minute < hours->end;
}

guint64 hb_throttle_get_rate(const HbThrottle *throttle, guint minute)
{
    for (guint i = 0; i < throttle->hours->len; i++) {
        const Hours *hours = &g_array_index(throttle->hours, Hours, i);
        if (holds_at(hours, minute))
            return hours->rate;
    }
    return throttle->rate;
}

static guint64 get_rate_now(const HbThrottle *throttle)
{
    g_autoptr(GDateTime) now = g_date_time_new_now_local();

    return hb_throttle_get_rate(throttle, (guint)(g_date_time_get_hour(now) * 60 + g_date_time_get_minute(now)));
}

/* Until when what is taken now is paid; it begins where what was taken before ends */
static gint64 pay(HbThrottle *throttle, guint64 bytes)
{
    const gint64 now = g_get_monotonic_time();
    const guint64 rate = get_rate_now(throttle);
    gint64 until;

    g_mutex_lock(&throttle->lock);
    if (rate == 0)
        throttle->paid_until = now;
    else
        throttle->paid_until = MAX(throttle->paid_until, now) + (gint64)((double)bytes / (double)rate * G_USEC_PER_SEC);
    until = throttle->paid_until;
    g_mutex_unlock(&throttle->lock);
    return until;
}

void hb_throttle_take(HbThrottle *throttle, guint64 bytes, HbStop *stop)
{
    gint64 until, now;

    if (throttle == NULL || bytes == 0)
        return;
    until = pay(throttle, bytes);
    while ((now = g_get_monotonic_time()) < until && get_rate_now(throttle) > 0) {
        if (!hb_stop_sleep(stop, (guint)(MIN(until - now, WAIT_AT_ONCE_US) / 1000 + 1)))
            return;
    }
}

void hb_throttle_meter(HbThrottle *throttle, guint64 *untold, guint64 bytes, HbStop *stop)
{
    *untold += bytes;
    if (*untold < METER_BYTES)
        return;
    hb_throttle_take(throttle, *untold, stop);
    *untold = 0;
}
