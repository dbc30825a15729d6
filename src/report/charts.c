/* SPDX-License-Identifier: Apache-2.0 */
#include "report/charts.h"

#include "report/html.h"
#include "report/text.h"

#define WIDTH        870
#define LEFT         240 /* of bars: their names stand before it */
#define ROW_HEIGHT   24
#define BARS_MAX     20
#define NAME_COLUMNS 32

#define LANE_LEFT   34
#define LANE_HEIGHT 22
#define LANES_MAX   32
#define NARROWEST   0.6

#define RATE_HEIGHT 150
#define RATE_LEFT   90

/* Begins a drawing of that height that is called so */
static void begin(GString *out, const char *title, guint height, const char *label)
{
    hb_html_append_text(out, "<h2>", title, "</h2>\n");
    g_string_append_printf(out, "<svg viewBox=\"0 0 %d %u\" role=\"img\" ", WIDTH, height);
    hb_html_append_text(out, "aria-label=\"", label, "\">\n");
}

static char *shorten(const char *name)
{
    g_autofree char *visible = hb_text_visible(name);

    if (g_utf8_strlen(visible, -1) <= NAME_COLUMNS)
        return g_steal_pointer(&visible);
    g_autofree char *end = g_utf8_substring(visible, g_utf8_strlen(visible, -1) - NAME_COLUMNS + 1, -1);
    return g_strconcat("…", end, NULL);
}

/* ---- Sizes ---- */

static gint compare_sizes(gconstpointer one, gconstpointer other)
{
    const HbSized *a = one, *b = other;

    return a->bytes < b->bytes ? 1 : a->bytes > b->bytes ? -1 : g_strcmp0(a->name, b->name);
}

static void append_bar(GString *out, guint row, const char *name, guint64 bytes, guint64 most)
{
    const double width = most > 0 ? (double)bytes / (double)most * (WIDTH - LEFT - 90) : 0;
    g_autofree char *size = hb_text_bytes(bytes), *shown = shorten(name);
    const guint top = row * ROW_HEIGHT;

    g_string_append_printf(out, "<g><text x=\"%d\" y=\"%u\" text-anchor=\"end\">", LEFT - 10, top + 16);
    hb_html_append_text(out, "", shown, "</text>");
    g_string_append_printf(out, "<rect class=\"step\" x=\"%d\" y=\"%u\" width=\"%.1f\" height=\"16\" rx=\"2\">", LEFT,
                           top + 3, MAX(width, 1.0));
    hb_html_append_text(out, "<title>", name, "</title></rect>");
    g_string_append_printf(out, "<text class=\"soft\" x=\"%.1f\" y=\"%u\">%s</text></g>\n", LEFT + MAX(width, 1.0) + 8,
                           top + 16, size);
}

void hb_chart_append_sizes(GString *out, const char *title, const GArray *sizes)
{
    g_autoptr(GArray) sorted = g_array_copy((GArray *)sizes);
    const guint shown = sorted->len > BARS_MAX ? BARS_MAX - 1 : sorted->len, more = sorted->len - shown;
    g_autofree char *label = NULL, *rest = g_strdup_printf("%u more", more);
    guint64 most, others = 0;

    g_array_sort(sorted, compare_sizes);
    if (sorted->len < 2 || g_array_index(sorted, HbSized, 0).bytes == 0)
        return;
    for (guint i = shown; i < sorted->len; i++)
        others += g_array_index(sorted, HbSized, i).bytes;
    most = MAX(g_array_index(sorted, HbSized, 0).bytes, others);
    label = g_strdup_printf("Bars of %u sizes; the table below has the numbers", sorted->len);
    begin(out, title, (shown + (more > 0)) * ROW_HEIGHT + 4, label);
    for (guint i = 0; i < shown; i++) {
        const HbSized *one = &g_array_index(sorted, HbSized, i);
        append_bar(out, i, one->name, one->bytes, most);
    }
    if (more > 0)
        append_bar(out, shown, rest, others, most);
    g_string_append(out, "</svg>\n");
}

/* ---- Time ---- */

static double place(const HbRecording *recording, gint64 us)
{
    return LANE_LEFT + (WIDTH - LANE_LEFT) * (double)us / (double)MAX(recording->ended_us, 1);
}

static void append_phases(GString *out, const HbRecording *recording, guint height)
{
    double last = -1000;

    for (guint i = 0; i < recording->phases->len; i++) {
        const HbRecordedPhase *phase = recording->phases->pdata[i];
        const double x = place(recording, phase->began_us);
        g_string_append_printf(out, "<line x1=\"%.1f\" x2=\"%.1f\" y1=\"20\" y2=\"%u\" opacity=\".4\"/>\n", x, x,
                               height);
        if (x - last < 150 || x > WIDTH - 60)
            continue;
        g_string_append_printf(out, "<text class=\"soft\" x=\"%.1f\" y=\"14\">", x + 3);
        hb_html_append_text(out, "", phase->what, "</text>\n");
        last = x;
    }
}

static void append_step(GString *out, const HbRecording *recording, const HbRecordedStep *step)
{
    const gint64 length = hb_recording_get_length(step, recording);
    const double width = place(recording, step->began_us + length) - place(recording, step->began_us);
    g_autofree char *title =
        g_strdup_printf("%s: %.2f s", step->what != NULL ? step->what : "", (double)length / G_USEC_PER_SEC);

    if (width < NARROWEST || step->worker >= LANES_MAX)
        return;
    g_string_append_printf(out, "<rect class=\"%s\" x=\"%.1f\" y=\"%u\" width=\"%.1f\" height=\"%d\">",
                           step->ended_us > 0 ? "step" : "failed", place(recording, step->began_us),
                           26 + step->worker * LANE_HEIGHT, MAX(width - 0.4, 0.4), LANE_HEIGHT - 6);
    hb_html_append_text(out, "<title>", title, "</title></rect>\n");
}

/* What decided the end, in words */
static void append_longest(GString *out, const HbRecording *recording)
{
    g_autoptr(GPtrArray) steps = g_ptr_array_new();

    g_ptr_array_extend(steps, recording->steps, NULL, NULL);
    g_ptr_array_sort_with_data(steps, hb_recording_compare_lengths, (gpointer)recording);
    g_string_append(out,
                    "<table>\n<caption>What took longest</caption>\n<tr><th scope=\"col\">what</th><th scope=\"col\">"
                    "session</th><th scope=\"col\">began at</th><th scope=\"col\">took</th></tr>\n");
    for (guint i = 0; i < MIN(steps->len, 10); i++) {
        const HbRecordedStep *step = steps->pdata[i];
        hb_html_append_text(out, "<tr><td>", step->what != NULL ? step->what : "", "</td>");
        g_string_append_printf(out, "<td>%u</td><td>%.1f s</td><td>%.1f s%s</td></tr>\n", step->worker + 1,
                               (double)step->began_us / G_USEC_PER_SEC,
                               (double)hb_recording_get_length(step, recording) / G_USEC_PER_SEC,
                               step->ended_us > 0 ? "" : ", not ended");
    }
    g_string_append(out, "</table>\n");
}

void hb_chart_append_time_line(GString *out, const HbRecording *recording)
{
    const guint lanes = MIN(recording->workers, LANES_MAX), height = 26 + lanes * LANE_HEIGHT;
    g_autofree char *length = NULL;

    if (recording->steps->len == 0 || recording->ended_us == 0)
        return;
    begin(out, "Time line", height + 20, "What each session did when; what took longest stands below in a table");
    append_phases(out, recording, height);
    for (guint i = 0; i < lanes; i++)
        g_string_append_printf(out, "<text class=\"soft\" x=\"0\" y=\"%u\">%u</text>\n", 40 + i * LANE_HEIGHT, i + 1);
    for (guint i = 0; i < recording->steps->len; i++)
        append_step(out, recording, recording->steps->pdata[i]);
    length = hb_text_duration((double)recording->ended_us / G_USEC_PER_SEC);
    g_string_append_printf(out,
                           "<text class=\"soft\" x=\"%d\" y=\"%u\">0</text><text class=\"soft\" x=\"%d\" y=\"%u\" "
                           "text-anchor=\"end\">%s</text>\n</svg>\n",
                           LANE_LEFT, height + 15, WIDTH, height + 15, length);
    append_longest(out, recording);
}

/* ---- Rate ---- */

typedef struct {
    gint64 at_us;
    double rate; /* bytes a second, until then */
} Speed;

/* Over spans of a sixtieth of the whole, so that single blocks do not make a saw of it */
static GArray *find_speeds(const HbRecording *recording, double *most)
{
    const gint64 span = MAX(recording->ended_us / 60, 1);
    GArray *speeds = g_array_new(FALSE, FALSE, sizeof(Speed));
    HbRecordedMoment last = {0, 0};

    *most = 0;
    for (guint i = 0; i < recording->moments->len; i++) {
        const HbRecordedMoment *now = &g_array_index(recording->moments, HbRecordedMoment, i);
        if (now->at_us - last.at_us < span && i + 1 < recording->moments->len)
            continue;
        const Speed speed = {now->at_us, (double)(now->bytes - last.bytes) * G_USEC_PER_SEC /
                                             (double)MAX(now->at_us - last.at_us, 1)};
        *most = MAX(*most, speed.rate);
        g_array_append_val(speeds, speed);
        last = *now;
    }
    return speeds;
}

void hb_chart_append_rate(GString *out, const HbRecording *recording)
{
    double most;
    g_autoptr(GArray) speeds = find_speeds(recording, &most);
    g_autofree char *top = hb_text_bytes((guint64)most), *all = hb_text_bytes(recording->bytes), *label = NULL;

    if (speeds->len < 3 || most <= 0)
        return;
    label = g_strdup_printf("Bytes a second over time: %s in all, %s a second at most", all, top);
    begin(out, "Bytes a second", RATE_HEIGHT + 24, label);
    g_string_append_printf(
        out,
        "<line x1=\"%d\" x2=\"%d\" y1=\"%d\" y2=\"%d\"/>\n<text class=\"soft\" x=\"0\" y=\"20\">%s/s"
        "</text>\n<text class=\"soft\" x=\"0\" y=\"%d\">0</text>\n<polygon class=\"area\" points=\"%d,%d",
        RATE_LEFT, WIDTH, RATE_HEIGHT, RATE_HEIGHT, top, RATE_HEIGHT, RATE_LEFT, RATE_HEIGHT);
    double x = RATE_LEFT;
    for (guint i = 0; i < speeds->len; i++) {
        const Speed *speed = &g_array_index(speeds, Speed, i);
        const double y = RATE_HEIGHT - (RATE_HEIGHT - 10) * speed->rate / most;
        g_string_append_printf(out, " %.1f,%.1f", x, y);
        x = RATE_LEFT + (WIDTH - RATE_LEFT) * (double)speed->at_us / (double)MAX(recording->ended_us, 1);
        g_string_append_printf(out, " %.1f,%.1f", x, y);
    }
    g_string_append_printf(out, " %.1f,%d\"/>\n</svg>\n", x, RATE_HEIGHT);
}
