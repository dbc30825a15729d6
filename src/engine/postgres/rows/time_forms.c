/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/rows/value_forms_inner.h"

#include <string.h>

#define SECOND (gint64)1000000 /* microseconds */
#define DAY    (24 * 3600 * SECOND)

/* Days from 4801-03-01 BC, the beginning of an era of 400 years, to 2000-01-01 */
#define DAYS_TO_2000  2483589
#define YEARS_TO_ZERO 4800
#define YEAR_DIGITS   7

static gboolean is_leap_year(gint64 year)
{
    return year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
}

static gint64 count_days_of_month(gint64 year, gint64 month)
{
    static const gint8 days[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};

    return days[month - 1] + (month == 2 && is_leap_year(year) ? 1 : 0);
}

/* Since 2000-01-01. Years are counted from March on, so that a leap day is the last of its year */
static gint64 count_days(gint64 year, gint64 month, gint64 day)
{
    const gint64 years = year + YEARS_TO_ZERO - (month > 2 ? 0 : 1), months = (month + 9) % 12;

    return 365 * years + years / 4 - years / 100 + years / 400 + (153 * months + 2) / 5 + day - 1 - DAYS_TO_2000;
}

typedef struct {
    gint64 year, month, day;
} Date;

static gboolean take_date(HbPgValueReader *reader, Date *date)
{
    return hb_pg_value_take_digits(reader, 4, YEAR_DIGITS, &date->year) && hb_pg_value_take(reader, '-') &&
           hb_pg_value_take_digits(reader, 2, 2, &date->month) && hb_pg_value_take(reader, '-') &&
           hb_pg_value_take_digits(reader, 2, 2, &date->day);
}

/* What follows a date or a time of it: nothing, or that it was before our era, in which there was no year 0 */
static gboolean end_date(HbPgValueReader *reader, Date *date, gint64 *days)
{
    if (date->year == 0)
        return FALSE;
    if (hb_pg_value_equals(reader->at, (gsize)(reader->end - reader->at), " BC"))
        date->year = 1 - date->year;
    else if (reader->at != reader->end)
        return FALSE;
    if (date->year < -YEARS_TO_ZERO + 1 || date->month < 1 || date->month > 12 || date->day < 1 ||
        date->day > count_days_of_month(date->year, date->month))
        return FALSE;
    *days = count_days(date->year, date->month, date->day);
    return TRUE;
}

/* Hours (so many digits at most), minutes, seconds, perhaps with a fraction: microseconds */
static gboolean take_time(HbPgValueReader *reader, guint hour_digits, gint64 *time)
{
    gint64 hours, minutes, seconds, fraction = 0;
    const char *start;

    if (!hb_pg_value_take_digits(reader, 2, hour_digits, &hours) || !hb_pg_value_take(reader, ':') ||
        !hb_pg_value_take_digits(reader, 2, 2, &minutes) || !hb_pg_value_take(reader, ':') ||
        !hb_pg_value_take_digits(reader, 2, 2, &seconds) || minutes > 59 || seconds > 59)
        return FALSE;
    if (hb_pg_value_take(reader, '.')) {
        start = reader->at;
        if (!hb_pg_value_take_digits(reader, 1, 6, &fraction))
            return FALSE;
        for (gssize digits = reader->at - start; digits < 6; digits++)
            fraction *= 10;
    }
    *time = ((hours * 60 + minutes) * 60 + seconds) * SECOND + fraction;
    return TRUE;
}

/* "+05:30": seconds east of UTC */
static gboolean take_offset(HbPgValueReader *reader, gint64 *offset)
{
    const gboolean west = hb_pg_value_take(reader, '-');
    gint64 hours, minutes = 0, seconds = 0;

    if ((!west && !hb_pg_value_take(reader, '+')) || !hb_pg_value_take_digits(reader, 2, 2, &hours) ||
        (hb_pg_value_take(reader, ':') && !hb_pg_value_take_digits(reader, 2, 2, &minutes)) ||
        (hb_pg_value_take(reader, ':') && !hb_pg_value_take_digits(reader, 2, 2, &seconds)))
        return FALSE;
    *offset = ((hours * 60 + minutes) * 60 + seconds) * (west ? -1 : 1);
    return TRUE;
}

static gboolean put_endless(const char *text, gsize length, GString *binary, guint bytes)
{
    if (hb_pg_value_equals(text, length, "infinity"))
        hb_pg_append_number(binary, bytes == 4 ? G_MAXINT32 : G_MAXINT64, bytes);
    else if (hb_pg_value_equals(text, length, "-infinity"))
        hb_pg_append_number(binary, bytes == 4 ? G_MININT32 : G_MININT64, bytes);
    else
        return FALSE;
    return TRUE;
}

gboolean hb_pg_put_date(const char *text, gsize length, GString *binary)
{
    HbPgValueReader reader = {text, text + length};
    gint64 days;
    Date date;

    if (!take_date(&reader, &date))
        return put_endless(text, length, binary, 4);
    if (!end_date(&reader, &date, &days))
        return FALSE;
    hb_pg_append_number(binary, days, 4);
    return TRUE;
}

static gboolean put_moment(const char *text, gsize length, GString *binary, gboolean has_offset)
{
    HbPgValueReader reader = {text, text + length};
    gint64 days, time, offset = 0, moment;
    Date date;

    if (!take_date(&reader, &date))
        return put_endless(text, length, binary, 8);
    if (!hb_pg_value_take(&reader, ' ') || !take_time(&reader, 2, &time) || time >= DAY ||
        (has_offset && !take_offset(&reader, &offset)) || !end_date(&reader, &date, &days) ||
        __builtin_mul_overflow(days, DAY, &moment) || __builtin_add_overflow(moment, time - offset * SECOND, &moment))
        return FALSE;
    hb_pg_append_number(binary, moment, 8);
    return TRUE;
}

gboolean hb_pg_put_timestamp(const char *text, gsize length, GString *binary)
{
    return put_moment(text, length, binary, FALSE);
}

gboolean hb_pg_put_timestamptz(const char *text, gsize length, GString *binary)
{
    return put_moment(text, length, binary, TRUE);
}

gboolean hb_pg_put_time(const char *text, gsize length, GString *binary)
{
    HbPgValueReader reader = {text, text + length};
    gint64 time;

    if (!take_time(&reader, 2, &time) || time > DAY || reader.at != reader.end)
        return FALSE;
    hb_pg_append_number(binary, time, 8);
    return TRUE;
}

/* The server counts the seconds to the west */
gboolean hb_pg_put_timetz(const char *text, gsize length, GString *binary)
{
    HbPgValueReader reader = {text, text + length};
    gint64 time, offset;

    if (!take_time(&reader, 2, &time) || time > DAY || !take_offset(&reader, &offset) || reader.at != reader.end)
        return FALSE;
    hb_pg_append_number(binary, time, 8);
    hb_pg_append_number(binary, -offset, 4);
    return TRUE;
}

typedef struct {
    gint64 time, days, months;
} Interval;

/* "-3 days": a number, a blank, a unit. FALSE: something else stands here */
static gboolean take_part(HbPgValueReader *reader, Interval *interval)
{
    static const struct {
        const char *name;
        gint64 months, days;
    } units[] = {{"years", 12, 0}, {"year", 12, 0}, {"mons", 1, 0}, {"mon", 1, 0}, {"days", 0, 1}, {"day", 0, 1}};
    const gint64 sign = hb_pg_value_take(reader, '-') ? -1 : 1;
    gint64 number;

    if (sign > 0)
        hb_pg_value_take(reader, '+');
    if (!hb_pg_value_take_digits(reader, 1, 10, &number) || !hb_pg_value_take(reader, ' '))
        return FALSE;
    for (gsize i = 0; i < G_N_ELEMENTS(units); i++) {
        const gsize length = strlen(units[i].name);
        if ((gsize)(reader->end - reader->at) < length || memcmp(reader->at, units[i].name, length) != 0)
            continue;
        reader->at += length;
        interval->months += sign * number * units[i].months;
        interval->days += sign * number * units[i].days;
        return reader->at == reader->end || hb_pg_value_take(reader, ' ');
    }
    return FALSE;
}

#define HOUR_DIGITS 9 /* as many as 64 bits hold for certain in microseconds */

static gboolean take_interval(HbPgValueReader *reader, Interval *interval)
{
    gint64 sign;

    for (HbPgValueReader ahead = *reader; take_part(&ahead, interval); *reader = ahead)
        ;
    if (reader->at == reader->end)
        return TRUE;
    sign = hb_pg_value_take(reader, '-') ? -1 : 1;
    if (sign > 0)
        hb_pg_value_take(reader, '+');
    if (!take_time(reader, HOUR_DIGITS, &interval->time))
        return FALSE;
    interval->time *= sign;
    return reader->at == reader->end;
}

gboolean hb_pg_put_interval(const char *text, gsize length, GString *binary)
{
    HbPgValueReader reader = {text, text + length};
    Interval interval = {0, 0, 0};

    if (length == 0 || !take_interval(&reader, &interval) || ABS(interval.days) > G_MAXINT32 ||
        ABS(interval.months) > G_MAXINT32)
        return FALSE;
    hb_pg_append_number(binary, interval.time, 8);
    hb_pg_append_number(binary, interval.days, 4);
    hb_pg_append_number(binary, interval.months, 4);
    return TRUE;
}
