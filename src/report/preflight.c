/* SPDX-License-Identifier: Apache-2.0 */
#include "report/preflight.h"

#include "report/findings.h"
#include "report/html.h"
#include "report/pieces.h"
#include "report/text.h"

/* The verdict counts what is open: what was accepted is shown, and does not count */

/* ---- Text ---- */

void hb_preflight_append_target(GString *out, gboolean color, const HbRestore *restore)
{
    const HbServerInfo *target = hb_restore_get_target(restore);

    if (hb_restore_is_whole_server(restore))
        hb_piece_append_fact(out, color, "to", "%s, %s %s", target->address, target->product, target->version);
    else
        hb_piece_append_fact(out, color, "to", "database %s (%s) at %s, %s %s", hb_restore_get_database(restore),
                             hb_restore_is_new_database(restore) ? "to be created"
                             : hb_restore_is_resumed(restore)    ? "its restore was begun before"
                                                                 : "there already",
                             target->address, target->product, target->version);
    hb_piece_append_fact(out, color, "as", "%s%s", target->user, target->is_superuser ? " (superuser)" : "");
}

char *hb_preflight_describe_source(const HbManifest *manifest, const char *path)
{
    g_autofree char *dump = path != NULL ? g_strdup_printf("dump %s of ", path) : g_strdup("");

    if (manifest->members != NULL)
        return g_strdup_printf("%sthe server %s, %s %s: users and tablespaces", dump, manifest->address,
                               manifest->product, manifest->server_version);
    return g_strdup_printf("%sdatabase %s at %s, %s %s", dump, manifest->database, manifest->address, manifest->product,
                           manifest->server_version);
}

static char *describe_contents(const HbManifest *manifest)
{
    g_autofree char *objects = hb_text_plural(hb_catalog_count(manifest->catalog), "object", "objects");
    g_autofree char *tables = hb_text_plural(hb_catalog_get_row_sets(manifest->catalog)->len, "table", "tables");
    guint64 known = hb_manifest_count_bytes(manifest);
    g_autofree char *bytes = hb_text_bytes(known > 0 ? known : hb_catalog_count_bytes(manifest->catalog));

    return g_strdup_printf("%s; about %s of rows in %s", objects, bytes, tables);
}

void hb_preflight_append_contents(GString *out, gboolean color, const HbManifest *manifest)
{
    g_autofree char *contents = describe_contents(manifest);

    hb_piece_append_fact(out, color, "holds", "%s", contents);
}

static gboolean is_all_final(const GPtrArray *findings)
{
    for (guint i = 0; i < findings->len; i++) {
        const HbFinding *finding = findings->pdata[i];
        if (finding->level == HB_FINDING_BLOCKER && !finding->is_final)
            return FALSE;
    }
    return TRUE;
}

char *hb_preflight_page(const HbRestore *restore, const char *path, gboolean color)
{
    GString *out = g_string_new(NULL);
    const GPtrArray *findings = hb_restore_get_findings(restore);
    const HbManifest *manifest = hb_restore_get_manifest(restore);
    g_autofree char *from = hb_preflight_describe_source(manifest, path);
    g_autofree char *counts = hb_findings_describe_counts(findings);

    hb_piece_append_heading(out, color, "Preflight");
    hb_piece_append_fact(out, color, "from", "%s", from);
    hb_preflight_append_contents(out, color, manifest);
    hb_preflight_append_target(out, color, restore);
    hb_findings_append(out, color, findings);
    g_string_append_c(out, '\n');
    if (hb_restore_is_blocked(restore))
        hb_piece_append_verdict(out, color, FALSE, "Blocked: %s. Mend the blockers%s", counts,
                                is_all_final(findings) ? "" : ", or go on knowingly with --accept NAME");
    else
        hb_piece_append_verdict(out, color, TRUE, "The target can take it: %s", counts);
    return g_string_free(out, FALSE);
}

/* ---- HTML ---- */

void hb_preflight_append_html(GString *out, const HbRestore *restore, const char *path)
{
    const GPtrArray *findings = hb_restore_get_findings(restore);
    const HbServerInfo *target = hb_restore_get_target(restore);
    g_autofree char *from = hb_preflight_describe_source(hb_restore_get_manifest(restore), path);
    g_autofree char *contents = describe_contents(hb_restore_get_manifest(restore));
    g_autofree char *counts = hb_findings_describe_counts(findings);
    g_autofree char *to =
        hb_restore_is_whole_server(restore)
            ? g_strdup_printf("%s, %s %s", target->address, target->product, target->version)
            : g_strdup_printf("database %s (%s) at %s, %s %s, as %s", hb_restore_get_database(restore),
                              hb_restore_is_new_database(restore) ? "to be created" : "there already", target->address,
                              target->product, target->version, target->user);

    hb_html_append_text(out, "<section>\n<h1>Preflight of ",
                        hb_restore_is_whole_server(restore) ? "users and tablespaces"
                                                            : hb_restore_get_database(restore),
                        "</h1>\n<dl>\n");
    hb_html_append_fact(out, "from", from);
    hb_html_append_fact(out, "holds", contents);
    hb_html_append_fact(out, "to", to);
    g_string_append(out, "</dl>\n");
    if (hb_restore_is_blocked(restore))
        g_string_append_printf(out, "<p class=\"verdict blocked\">Blocked: %s</p>\n", counts);
    else
        g_string_append_printf(out, "<p class=\"verdict fit\">The target can take it: %s</p>\n", counts);
    hb_findings_append_html(out, findings);
    g_string_append(out, "</section>\n");
}
