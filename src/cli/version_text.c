/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/version_text.h"

#include "dump/manifest.h"
#include "engine/registry.h"

#include <archive.h>
#include <curl/curl.h>
#include <graphviz/gvc.h>
#include <jansson.h>
#include <openssl/crypto.h>
#include <xxhash.h>
#include <zstd.h>

static void append_engines(GString *out)
{
    for (const HbEngine *const *engine = hb_engine_list(); *engine != NULL; engine++) {
        g_autofree char *library = (*engine)->connector->describe_library();
        g_autofree char *schemes = g_strjoinv(", ", (char **)(*engine)->connector->schemes);
        g_string_append_printf(out, "  engine   %s (%s) by %s\n", (*engine)->name, schemes, library);
    }
}

char *hb_version_describe(void)
{
    GString *out = g_string_new(NULL);
    GVC_t *graphviz = gvContext();
    const unsigned hash = XXH_versionNumber();

    append_engines(out);
    g_string_append_printf(out, "  dumps    format version %d, and those before it\n", HB_MANIFEST_VERSION);
    g_string_append_printf(out, "  library  GLib %u.%u.%u\n", glib_major_version, glib_minor_version,
                           glib_micro_version);
    g_string_append_printf(out, "  library  zstd %s\n", ZSTD_versionString());
    g_string_append_printf(out, "  library  %s\n", archive_version_string());
    g_string_append_printf(out, "  library  %s\n", curl_version());
    g_string_append_printf(out, "  library  jansson %s\n", jansson_version_str());
    g_string_append_printf(out, "  library  xxHash %u.%u.%u\n", hash / 10000, hash / 100 % 100, hash % 100);
    g_string_append_printf(out, "  library  graphviz %s\n", gvcVersion(graphviz));
    g_string_append_printf(out, "  library  %s\n", OpenSSL_version(OPENSSL_VERSION));
    gvFreeContext(graphviz);
    return g_string_free(out, FALSE);
}
