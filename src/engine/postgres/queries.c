/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/queries.h"

#include <string.h>

typedef struct {
    const char *name;
    int since; /* the first version that this text is for; of several rows the last that fits holds */
    const char *text;
} Fragment;

/* clang-format off */
static const Fragment fragments[] = {
    {"namespaces", 0,
     "SELECT ns.oid FROM pg_namespace ns WHERE ns.nspname !~ '^pg_'"
     " AND ns.nspname NOT IN ('information_schema', 'hornbeam_journal')"},
    {"inlined", 0,
     "SELECT c.oid FROM pg_class c"
     " WHERE c.relkind = 'r' AND NOT c.relispartition"
     "   AND EXISTS (SELECT FROM pg_inherits h WHERE h.inhrelid = c.oid)"
     "   AND NOT EXISTS (SELECT FROM pg_attribute own"
     "                   JOIN pg_attribute inherited ON inherited.attrelid = own.attrelid"
     "                        AND inherited.attnum > own.attnum AND inherited.attinhcount > 0"
     "                        AND NOT inherited.attisdropped"
     "                   WHERE own.attrelid = c.oid AND own.attnum > 0 AND own.attinhcount = 0"
     "                     AND NOT own.attisdropped)"},
    {"domain_checks", 0, /* that can stand in CREATE DOMAIN: valid, and calling no function that is yet to come */
     "SELECT dk.oid FROM pg_constraint dk WHERE dk.contypid <> 0 AND dk.contype = 'c' AND dk.convalidated"
     " AND NOT EXISTS (SELECT FROM pg_depend dd WHERE dd.classid = 'pg_constraint'::regclass AND dd.objid = dk.oid"
     "                 AND dd.refclassid = 'pg_proc'::regclass AND dd.refobjid >= 16384)"},
    {"settings_of_s", 0,
     "SELECT p.setting, CASE WHEN lower(p.setting) IN ('search_path', 'temp_tablespaces', 'session_preload_libraries',"
     "  'shared_preload_libraries', 'local_preload_libraries', 'unix_socket_directories')"
     "  THEN p.value ELSE quote_literal(p.value) END AS value"
     " FROM (SELECT split_part(x, '=', 1) AS setting, substr(x, strpos(x, '=') + 1) AS value"
     "       FROM unnest(s.setconfig) x) p"},
    {"attcompression", 0, "''::\"char\""},
    {"attcompression", 140000, "a.attcompression"},
    {"multirange", 0, "''"},
    {"multirange", 140000,
     "coalesce((SELECT format(E',\\n    multirange_type_name = %I.%I', mn.nspname, mt.typname)"
     " FROM pg_type mt JOIN pg_namespace mn ON mn.oid = mt.typnamespace WHERE mt.oid = r.rngmultitypid), '')"},
    {"multirange_owner", 0, "NULL"},
    /* Versions 14 to 17 do not pass a range type's owner on to its multirange type; newer ones do, and refuse this */
    {"multirange_owner", 140000,
     "(SELECT format(E'DO $do$ BEGIN ALTER TYPE %I.%I OWNER TO %I;\\n"
     "EXCEPTION WHEN feature_not_supported OR wrong_object_type THEN NULL; END $do$;',"
     " mn.nspname, mt.typname, pg_get_userbyid(t.typowner))"
     " FROM pg_type mt JOIN pg_namespace mn ON mn.oid = mt.typnamespace WHERE mt.oid = r.rngmultitypid)"},
    {"colllocale", 0, "c.collcollate"},
    {"colllocale", 150000, "c.colliculocale"},
    {"colllocale", 170000, "c.colllocale"},
    {"collrules", 0, "NULL::text"},
    {"collrules", 160000, "c.collicurules"},
    {"datlocprovider", 0, "'libc'"},
    {"datlocprovider", 150000,
     "CASE d.datlocprovider WHEN 'i' THEN 'icu' WHEN 'b' THEN 'builtin' ELSE 'libc' END"},
    {"datlocale", 0, "NULL::text"},
    {"datlocale", 150000, "d.daticulocale"},
    {"datlocale", 170000, "d.datlocale"},
    {"daticurules", 0, "NULL::text"},
    {"daticurules", 160000, "d.daticurules"},
    {"membership_options", 0, "CASE WHEN m.admin_option THEN ' WITH ADMIN OPTION' ELSE '' END"},
    {"membership_options", 160000,
     "format(' WITH ADMIN %s, INHERIT %s, SET %s', m.admin_option, m.inherit_option, m.set_option)"},
    {"membership_by", 0, "''"},
    {"membership_by", 160000,
     "CASE WHEN m.grantor = 10 THEN '' ELSE format(' by %I', pg_get_userbyid(m.grantor)) END"},
};
/* clang-format on */

static const char *find_fragment(const char *name, gsize length, int version)
{
    const char *text = NULL;

    for (gsize i = 0; i < G_N_ELEMENTS(fragments); i++) {
        if (strlen(fragments[i].name) == length && strncmp(fragments[i].name, name, length) == 0 &&
            version >= fragments[i].since)
            text = fragments[i].text;
    }
    return text;
}

char *hb_pg_fit_query(const char *sql, int version)
{
    GString *result = g_string_new(NULL);
    const char *mark;

    while ((mark = strchr(sql, '@')) != NULL) {
        const char *end = strchr(mark + 1, '@');
        g_assert(end != NULL);
        const char *text = find_fragment(mark + 1, (gsize)(end - mark) - 1, version);
        g_assert(text != NULL);
        g_string_append_len(result, sql, mark - sql);
        g_string_append(result, text);
        sql = end + 1;
    }
    g_string_append(result, sql);
    return g_string_free(result, FALSE);
}
