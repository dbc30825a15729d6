/* SPDX-License-Identifier: Apache-2.0 */
#include "report/html.h"

#include "report/text.h"

#include "version.h"

/*
 * One page, one file: no script, nothing from elsewhere, light and dark as the reader's system has it, and printable.
 */

void hb_html_append_text(GString *out, const char *begin, const char *text, const char *end)
{
    g_autofree char *visible = hb_text_visible(text);
    g_autofree char *escaped = g_markup_escape_text(visible, -1);

    g_string_append_printf(out, "%s%s%s", begin, escaped, end);
}

void hb_html_append_lines(GString *out, const char *begin, const char *text, const char *end)
{
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);

    g_string_append(out, begin);
    for (char **line = lines; *line != NULL; line++)
        hb_html_append_text(out, line == lines ? "" : "<br>", *line, "");
    g_string_append(out, end);
}

void hb_html_append_fact(GString *out, const char *label, const char *value)
{
    g_string_append_printf(out, "<dt>%s</dt>", label);
    hb_html_append_text(out, "<dd>", value, "</dd>\n");
}

void hb_html_append_verdict(GString *out, gboolean good, const char *text)
{
    g_string_append_printf(out, "<p class=\"verdict %s\">", good ? "fit" : "blocked");
    hb_html_append_text(out, "", text, "</p>\n");
}

void hb_html_begin(GString *out, const char *title)
{
    hb_html_append_text(out, "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<title>", title,
                        "</title>\n");
    g_string_append(
        out,
        "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<style>\n"
        ":root { --ink: #1d2a24; --soft: #5d6b64; --line: #d9e0dc; --ground: #fbfcfb; --code: #eef2ef;\n"
        "  --blocker: #b3261e; --warning: #8a5a00; --note: #2b5f8a; --good: #1f6b3a; }\n"
        "@media (prefers-color-scheme: dark) { :root { --ink: #e4ebe7; --soft: #9aa8a1; --line: #36423c;\n"
        "  --ground: #161c19; --code: #222b26; --blocker: #ff8a80; --warning: #e8b450; --note: #86bdea; --good: "
        "#7fd19b; } }\n"
        "body { font: 16px/1.5 system-ui, sans-serif; color: var(--ink); background: var(--ground); max-width: 60rem;\n"
        "  margin: 2.5rem auto; padding: 0 1.5rem; }\n"
        "h1 { font-size: 1.7rem; margin: 0 0 1rem; } h2 { font-size: 1.15rem; margin: 2rem 0 .25rem; }\n"
        "dl { display: grid; grid-template-columns: max-content 1fr; gap: .15rem 1.2rem; margin: 0; }\n"
        "dt { color: var(--soft); } dd { margin: 0; overflow-wrap: anywhere; }\n"
        ".verdict { font-weight: 600; margin: 1.2rem 0; padding: .6rem .9rem; border-left: .3rem solid; }\n"
        ".fit { color: var(--good); } .blocked { color: var(--blocker); }\n"
        ".blocker { color: var(--blocker); } .warning { color: var(--warning); } .note { color: var(--note); }\n"
        "ul { list-style: none; margin: 0; padding: 0; } li { border-top: 1px solid var(--line); padding: .7rem 0; }\n"
        "li p { margin: .15rem 0; overflow-wrap: anywhere; } .name { color: var(--soft); font-size: .85rem; float: "
        "right; margin-left: 1rem; }\n"
        ".todo { color: var(--soft); }\n"
        "pre { background: var(--code); padding: .5rem .8rem; margin: .4rem 0 0; white-space: pre-wrap; overflow-wrap: "
        "anywhere;\n"
        "  font: 14px/1.45 ui-monospace, monospace; }\n"
        "table { border-collapse: collapse; width: 100%; } th { text-align: left; color: var(--soft); font-weight: "
        "normal; }\n"
        "th, td { padding: .35rem .8rem .35rem 0; border-top: 1px solid var(--line); vertical-align: top; "
        "overflow-wrap: anywhere; }\n"
        "th, td:not(:last-child) { white-space: nowrap; }\n"
        "td p { margin: .15rem 0; } code { font: 14px/1.45 ui-monospace, monospace; } svg { width: 100%; height: auto; "
        "display: block; margin: "
        "1rem 0; }\n"
        "svg text { fill: var(--ink); font: 13px system-ui, sans-serif; } svg .soft { fill: var(--soft); }\n"
        "svg .step { fill: var(--note); } svg .failed { fill: var(--blocker); } svg .window { fill: var(--code); }\n"
        "svg line { stroke: var(--soft); } svg .area { fill: var(--note); opacity: .75; }\n"
        ".number { text-align: right; font-variant-numeric: tabular-nums; } .count { color: var(--soft); font-weight: "
        "normal; "
        "}\n"
        ".free td:not(:last-child), .free td { white-space: normal; overflow-wrap: break-word; }\n"
        ".free td.number { white-space: nowrap; }\n"
        ".wide { overflow-x: auto; } caption { text-align: left; color: var(--soft); padding: .4rem 0; }\n"
        "section + section { margin-top: 3.5rem; } footer { color: var(--soft); font-size: .85rem; margin-top: 3rem; "
        "}\n"
        "@media print { body { margin: 0; max-width: none; } li { break-inside: avoid; } }\n"
        "</style>\n</head>\n<body>\n");
}

void hb_html_end(GString *out)
{
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();
    g_autofree char *time = g_date_time_format(now, "%Y-%m-%d %H:%M UTC");

    g_string_append_printf(out, "<footer>hornbeam %s, %s</footer>\n</body>\n</html>\n", HB_VERSION, time);
}
