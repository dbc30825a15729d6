/* SPDX-License-Identifier: Apache-2.0 */
#include "report/recording.h"

#define STEPS_MAX       4096
#define MOMENTS_MAX     600
#define MOMENT_EVERY_US 50000

static void step_free(gpointer data)
{
    HbRecordedStep *step = data;

    g_free(step->what);
    g_free(step);
}

static void phase_free(gpointer data)
{
    HbRecordedPhase *phase = data;

    g_free(phase->what);
    g_free(phase);
}

HbRecording *hb_recording_new(void)
{
    HbRecording *recording = g_new0(HbRecording, 1);

    recording->steps = g_ptr_array_new_with_free_func(step_free);
    recording->phases = g_ptr_array_new_with_free_func(phase_free);
    recording->moments = g_array_new(FALSE, FALSE, sizeof(HbRecordedMoment));
    recording->at_work = g_ptr_array_new();
    recording->start_us = g_get_monotonic_time();
    recording->moment_every_us = MOMENT_EVERY_US;
    return recording;
}

void hb_recording_free(HbRecording *recording)
{
    if (recording == NULL)
        return;
    g_ptr_array_unref(recording->steps);
    g_ptr_array_unref(recording->phases);
    g_array_unref(recording->moments);
    g_ptr_array_unref(recording->at_work);
    g_free(recording);
}

gint64 hb_recording_get_length(const HbRecordedStep *step, const HbRecording *recording)
{
    return (step->ended_us > 0 ? step->ended_us : recording->ended_us) - step->began_us;
}

/* ---- Steps ---- */

gint hb_recording_compare_lengths(gconstpointer one, gconstpointer other, gpointer recording)
{
    const gint64 a = hb_recording_get_length(*(HbRecordedStep *const *)one, recording);
    const gint64 b = hb_recording_get_length(*(HbRecordedStep *const *)other, recording);

    return a < b ? 1 : a > b ? -1 : 0;
}

static gboolean is_at_work(const HbRecording *recording, const HbRecordedStep *step)
{
    return step->worker < recording->at_work->len && recording->at_work->pdata[step->worker] == step;
}

/* The shorter half goes, but for those that are at work */
static void forget_short_steps(HbRecording *recording)
{
    g_ptr_array_sort_with_data(recording->steps, hb_recording_compare_lengths, recording);
    for (guint i = recording->steps->len; i-- > STEPS_MAX / 2;) {
        if (!is_at_work(recording, recording->steps->pdata[i])) {
            g_ptr_array_remove_index(recording->steps, i);
            recording->dropped++;
        }
    }
}

static void end_step(HbRecording *recording, guint worker, gint64 now_us)
{
    HbRecordedStep *step = worker < recording->at_work->len ? recording->at_work->pdata[worker] : NULL;

    if (step == NULL)
        return;
    step->ended_us = MAX(now_us, 1);
    recording->at_work->pdata[worker] = NULL;
}

static void begin_step(HbRecording *recording, const HbEvent *event, gint64 now_us)
{
    HbRecordedStep *step = g_new0(HbRecordedStep, 1);

    end_step(recording, event->worker, now_us);
    if (event->worker >= recording->at_work->len)
        g_ptr_array_set_size(recording->at_work, (int)event->worker + 1);
    *step = (HbRecordedStep){g_strdup(event->what), event->worker, now_us, 0};
    g_ptr_array_add(recording->steps, step);
    recording->at_work->pdata[event->worker] = step;
    recording->workers = MAX(recording->workers, event->worker + 1);
    if (recording->steps->len > STEPS_MAX)
        forget_short_steps(recording);
}

/* ---- Phases and bytes ---- */

static void begin_phase(HbRecording *recording, const HbEvent *event, gint64 now_us)
{
    const HbRecordedPhase *last =
        recording->phases->len > 0 ? recording->phases->pdata[recording->phases->len - 1] : NULL;
    HbRecordedPhase *phase;

    if (last != NULL && g_strcmp0(last->what, event->what) == 0)
        return;
    phase = g_new0(HbRecordedPhase, 1);
    *phase = (HbRecordedPhase){g_strdup(event->what), now_us};
    g_ptr_array_add(recording->phases, phase);
}

/* Every other moment, so that the next ones are as far apart */
static void thin_out(HbRecording *recording)
{
    guint kept = 0;

    for (guint i = 1; i < recording->moments->len; i += 2)
        g_array_index(recording->moments, HbRecordedMoment, kept++) =
            g_array_index(recording->moments, HbRecordedMoment, i);
    g_array_set_size(recording->moments, kept);
    recording->moment_every_us *= 2;
}

static void advance(HbRecording *recording, const HbEvent *event, gint64 now_us)
{
    GArray *moments = recording->moments;
    HbRecordedMoment now = {now_us, recording->bytes += event->bytes};

    if (moments->len == 0 ||
        now_us - g_array_index(moments, HbRecordedMoment, moments->len - 1).at_us >= recording->moment_every_us)
        g_array_append_val(moments, now);
    else
        g_array_index(moments, HbRecordedMoment, moments->len - 1).bytes = now.bytes;
    if (moments->len > MOMENTS_MAX)
        thin_out(recording);
}

void hb_recording_follow(HbRecording *recording, const HbEvent *event, gint64 now_us)
{
    recording->ended_us = MAX(recording->ended_us, now_us);
    switch (event->type) {
    case HB_EVENT_PHASE:
        begin_phase(recording, event, now_us);
        break;
    case HB_EVENT_STARTED:
        begin_step(recording, event, now_us);
        break;
    case HB_EVENT_ADVANCED:
        advance(recording, event, now_us);
        break;
    case HB_EVENT_FINISHED:
        end_step(recording, event->worker, now_us);
        break;
    case HB_EVENT_HOST: /* its time line is its own */
    case HB_EVENT_WAITING:
    case HB_EVENT_NOTED:
        break;
    }
}

void hb_recording_observe(gpointer recording, const HbEvent *event)
{
    HbRecording *own = recording;

    hb_recording_follow(own, event, g_get_monotonic_time() - own->start_us);
}
