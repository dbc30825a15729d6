/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/catalog/queries.h"

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
     " AND ns.nspname NOT IN ('information_schema', 'hornbeam_journal', 'hornbeam_origin')"},
    {"meaning_settings", 0, /* that change what SQL means, or what may be written */
     "'TimeZone', 'DateStyle', 'IntervalStyle', 'search_path', 'default_text_search_config', 'lc_monetary', 'lc_numeric',"
     " 'lc_time', 'standard_conforming_strings', 'backslash_quote', 'transform_null_equals', 'array_nulls', 'xmloption',"
     " 'xmlbinary', 'default_transaction_isolation', 'default_transaction_read_only', 'default_table_access_method',"
     " 'max_identifier_length', 'gin_fuzzy_search_limit', 'session_replication_role'"},
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
    /* Children with columns of their own before inherited ones, which no statement of theirs says */
    {"layered", 0,
     "SELECT c.oid FROM pg_class c"
     " WHERE c.relkind = 'r' AND NOT c.relispartition"
     "   AND EXISTS (SELECT FROM pg_attribute own JOIN pg_attribute late ON late.attrelid = own.attrelid"
     "                    AND late.attnum > own.attnum AND late.attinhcount > 0 AND NOT late.attislocal"
     "                    AND NOT late.attisdropped"
     "               WHERE own.attrelid = c.oid AND own.attnum > 0 AND own.attinhcount = 0 AND NOT own.attisdropped)"},
    /* Generated columns of a child: with an expression of their own, or where the parent's column is an ordinary one */
    {"generation_of_h", 0,
     "LATERAL (SELECT ga.attislocal AS is_local, gp.attgenerated = '' AS alone, gp.attgenerated <> ''"
     "  AND pg_get_expr(gd.adbin, gd.adrelid) <> pg_get_expr(ge.adbin, ge.adrelid) AS own"
     " FROM pg_attribute ga JOIN pg_attribute gp ON gp.attrelid = h.inhparent AND gp.attname = ga.attname"
     " JOIN pg_attrdef gd ON gd.adrelid = ga.attrelid AND gd.adnum = ga.attnum"
     " LEFT JOIN pg_attrdef ge ON ge.adrelid = gp.attrelid AND ge.adnum = gp.attnum"
     " WHERE ga.attrelid = h.inhrelid AND ga.attgenerated <> '')"},
    {"generated_otherwise_than_parent_of_a", 0, "false"},
    {"generated_otherwise_than_parent_of_a", 170000,
     "EXISTS (SELECT FROM pg_inherits gh JOIN pg_attribute ga ON ga.attrelid = gh.inhparent AND ga.attname = a.attname"
     " JOIN pg_attrdef gd ON gd.adrelid = ga.attrelid AND gd.adnum = ga.attnum"
     " WHERE gh.inhrelid = a.attrelid AND gh.inhseqno = 1"
     "  AND pg_get_expr(gd.adbin, gd.adrelid) <> pg_get_expr(d.adbin, d.adrelid))"},
    {"domain_checks", 0, /* that can stand in CREATE DOMAIN: valid, and calling no function that needs the domain */
     "SELECT dk.oid FROM pg_constraint dk WHERE dk.contypid <> 0 AND dk.contype = 'c' AND dk.convalidated"
     " AND NOT EXISTS (SELECT FROM pg_depend dd WHERE dd.classid = 'pg_constraint'::regclass AND dd.objid = dk.oid"
     "                 AND dd.refclassid = 'pg_proc'::regclass AND dd.refobjid >= 16384"
     "                 AND EXISTS (SELECT FROM pg_depend df WHERE df.classid = 'pg_proc'::regclass AND df.objid = dd.refobjid"
     "                             AND df.refclassid = 'pg_type'::regclass AND df.refobjid = dk.contypid))"},
    {"settings_of_s", 0,
     "SELECT p.setting, CASE WHEN lower(p.setting) IN ('search_path', 'temp_tablespaces', 'session_preload_libraries',"
     "  'shared_preload_libraries', 'local_preload_libraries', 'unix_socket_directories')"
     "  THEN p.value ELSE quote_literal(p.value) END AS value"
     " FROM (SELECT split_part(x, '=', 1) AS setting, substr(x, strpos(x, '=') + 1) AS value"
     "       FROM unnest(s.setconfig) x) p"},
    {"may_read_c", 0, "has_schema_privilege(c.relnamespace, 'USAGE') AND has_table_privilege(c.oid, 'SELECT')"},
    {"may_read_m", 0,
     "(pg_has_role(m.lomowner, 'USAGE') OR EXISTS (SELECT FROM aclexplode(m.lomacl) x WHERE x.privilege_type = 'SELECT'"
     " AND (x.grantee = 0 OR pg_has_role(x.grantee, 'USAGE'))))"},
    {"parameter_grants", 0, ""},
    {"parameter_grants", 150000,
     "UNION ALL"
     " SELECT 'parameter-grant', 0, p.oid, format('%s to %s', p.parname, quote_ident(pg_get_userbyid(x.grantee))),"
     "  string_agg(format('GRANT %s ON PARAMETER %s TO %I%s;', x.privilege_type, p.parname,"
     "   pg_get_userbyid(x.grantee), CASE WHEN x.is_grantable THEN ' WITH GRANT OPTION' ELSE '' END), E'\\n'"
     "   ORDER BY x.privilege_type),"
     "  format('%s:%s', 'pg_authid'::regclass::oid, x.grantee), 150000, 'rights on parameters cannot be granted'"
     " FROM pg_parameter_acl p, aclexplode(p.paracl) x"
     " WHERE x.grantee IN (SELECT oid FROM wanted) AND x.grantee <> 10"
     " GROUP BY p.oid, p.parname, x.grantee"},
    {"dimensions_of_a", 0, "CASE WHEN a.attndims > 1 AND t.typelem <> 0 AND t.typlen = -1 THEN repeat('[]', a.attndims - 1) ELSE '' END"},
    {"kind_of_c", 0,
     "CASE c.relkind WHEN 'v' THEN 'view' WHEN 'm' THEN 'materialized-view' WHEN 'f' THEN 'foreign-table'"
     " WHEN 'S' THEN 'sequence' WHEN 'i' THEN 'index' WHEN 'I' THEN 'index' ELSE 'table' END"},
    {"sql_kind_of_c", 0,
     "CASE c.relkind WHEN 'v' THEN 'VIEW' WHEN 'm' THEN 'MATERIALIZED VIEW' WHEN 'f' THEN 'FOREIGN TABLE'"
     " WHEN 'S' THEN 'SEQUENCE' WHEN 'i' THEN 'INDEX' WHEN 'I' THEN 'INDEX' ELSE 'TABLE' END"},
    /* What is not known to be harmless may be a secret, and stays behind */
    {"harmless_names", 0,
     "'^(debug|host|hostaddr|port|dbname|database|db|user|username|server|servername|dbserver|service|address|schema|schema_name"
     "|table|table_name|column_name|sslmode|sslcompression|sslcert|sslkey|sslrootcert|sslcrl|passfile|gssencmode|krbsrvname"
     "|channel_binding|target_session_attrs|application_name|fallback_application_name|connect_timeout|keepalives"
     "|keepalives_idle|keepalives_interval|keepalives_count|tcp_user_timeout|client_encoding|options|updatable|truncatable"
     "|fetch_size|batch_size|use_remote_estimate|fdw_startup_cost|fdw_tuple_cost|extensions|async_capable|analyze_sampling"
     "|parallel_commit|parallel_abort|keep_connections|import_collate|import_default|import_generated|import_not_null"
     "|password_required|filename|format|header|delimiter|quote|escape|null|encoding|force_not_null|force_null|readonly"
     "|max_rows|charset|character_set|timeout)$'"},
    {"is_secret_x", 0, "split_part(x, '=', 1) !~* @harmless_names@"},
    {"options_of_s", 0,
     "LATERAL (SELECT string_agg(format('%I %L', split_part(x, '=', 1), substr(x, strpos(x, '=') + 1)), ', ') AS list"
     " FROM unnest(s.options) x WHERE NOT (@is_secret_x@))"},
    /* Where a statement about a table would go on to those below it, which have statements of their own */
    {"only_of_c", 0, "CASE WHEN c.relhassubclass OR c.relkind = 'p' THEN 'ONLY ' ELSE '' END"},
    {"is_usual_owner_of_n", 0, "n.nspowner = 10"},
    {"is_usual_owner_of_n", 150000, "pg_get_userbyid(n.nspowner) = 'pg_database_owner'"},
    {"signature_of_p", 0, "p.oid::regprocedure::text"},
    {"signature_of_p", 140000, /* which arguments come out may be all that tells two procedures from each other */
     "CASE WHEN p.prokind = 'p' AND EXISTS (SELECT FROM pg_proc po WHERE po.pronamespace = p.pronamespace"
     "  AND po.proname = p.proname AND po.prokind = 'p' AND po.oid <> p.oid)"
     " THEN (SELECT format('%I.%I(%s)', pn.nspname, p.proname, string_agg(CASE m.mode WHEN 'o' THEN 'OUT '"
     "  WHEN 'b' THEN 'INOUT ' WHEN 'v' THEN 'VARIADIC ' ELSE 'IN ' END || format_type(m.type, NULL), ', ' ORDER BY m.n))"
     "  FROM pg_namespace pn LEFT JOIN unnest(coalesce(p.proallargtypes, p.proargtypes::oid[]), p.proargmodes)"
     "   WITH ORDINALITY AS m (type, mode, n) ON m.type IS NOT NULL"
     "  WHERE pn.oid = p.pronamespace GROUP BY pn.nspname)"
     " ELSE p.oid::regprocedure::text END"},
    {"logging_of_q", 0, "''"}, /* of an identity's sequence, where it is not that of the table */
    {"logging_of_q", 150000,
     "coalesce((SELECT format(@since@, 150000, format(E'\\nALTER SEQUENCE %s SET %s;', qc.oid::regclass,"
     "  CASE qc.relpersistence WHEN 'u' THEN 'UNLOGGED' ELSE 'LOGGED' END), '', '')"
     " FROM pg_class qc WHERE qc.oid = q.seqrelid AND qc.relpersistence <> c.relpersistence), '')"},
    {"sqlbody_of_p", 0, "NULL::text"},
    {"sqlbody_of_p", 140000, "CASE WHEN p.prosqlbody IS NOT NULL THEN pg_get_function_sqlbody(p.oid) END"},
    {"typsubscript", 0, "''"},
    {"typsubscript", 140000,
     "CASE WHEN t.typsubscript::oid = 0 OR t.typsubscript::text ~ '^(pg_catalog[.])?(array|raw_array)_subscript_handler$' THEN ''"
     " ELSE format(@since@, 140000, format(E',\\n    SUBSCRIPT = %s', t.typsubscript::regproc), '', 'it cannot have subscripts') END"},
    {"domain_not_null_name", 0, "''"},
    {"domain_not_null_name", 170000,
     "coalesce((SELECT format(@since@, 170000, format(' CONSTRAINT %I', nn.conname), '', '') FROM pg_constraint nn"
     " WHERE nn.contypid = t.oid AND nn.contype = 'n' AND nn.conname <> t.typname || '_not_null'), '')"},
    {"not_null_of_a", 0, "CASE WHEN a.attnotnull THEN ' NOT NULL' ELSE '' END"},
    /* A name of its own, or what is more than a plain NOT NULL */
    {"not_null_of_a", 180000,
     "coalesce((SELECT CASE WHEN nn.conname = c.relname || '_' || a.attname || '_not_null' AND NOT nn.connoinherit"
     "  THEN ' NOT NULL'"
     "  ELSE format(@since@, 180000, format(' CONSTRAINT %I NOT NULL%s', nn.conname,"
     "   CASE WHEN nn.connoinherit THEN ' NO INHERIT' ELSE '' END), ' NOT NULL', '') END"
     " FROM pg_constraint nn WHERE nn.conrelid = a.attrelid AND nn.contype = 'n' AND nn.conkey[1] = a.attnum"
     "  AND nn.convalidated), '')"},
    /* Until 17 a child's column can be without what its parent's has, if it was there first; but it cannot come so */
    {"null_unlike_parent_of_a", 0,
     "(NOT a.attnotnull AND a.attinhcount > 0 AND EXISTS (SELECT FROM pg_inherits nh"
     " JOIN pg_attribute na ON na.attrelid = nh.inhparent AND na.attname = a.attname"
     " WHERE nh.inhrelid = a.attrelid AND na.attnotnull))"},
    {"own_not_null_of_a", 0,
     "NOT EXISTS (SELECT FROM pg_inherits nh JOIN pg_attribute na ON na.attrelid = nh.inhparent AND na.attname = a.attname"
     " AND na.attnotnull WHERE nh.inhrelid = a.attrelid)"},
    {"own_not_null_of_a", 180000,
     "NOT EXISTS (SELECT FROM pg_inherits nh JOIN pg_attribute na ON na.attrelid = nh.inhparent AND na.attname = a.attname"
     " AND na.attnotnull WHERE nh.inhrelid = a.attrelid) AND EXISTS (SELECT FROM pg_constraint nn WHERE nn.conrelid = a.attrelid AND nn.contype = 'n'"
     " AND nn.conkey[1] = a.attnum AND nn.conislocal AND nn.convalidated)"},
    {"fitted_constraint", 0, "y.head || y.body || y.tail"},
    {"key_or_constraint", 0,
     "CASE WHEN i.indnullsnotdistinct AND y.body ~ '^UNIQUE NULLS NOT DISTINCT'"
     " THEN y.head || 'UNIQUE' || format(@since@, 150000, ' NULLS NOT DISTINCT', '', 'NULLs are taken as different')"
     "  || substr(y.body, 26) || y.tail"
     " ELSE y.head || y.body || y.tail END"},
    {"fitted_constraint", 150000, "@key_or_constraint@"},
    {"fitted_constraint", 180000,
     "CASE WHEN NOT k.conenforced"
     " THEN format(@since@, 180000, y.head || y.body || y.tail, '', 'constraints are always enforced')"
     " WHEN k.contype = 'n' THEN format(@since@, 180000, y.head || y.body || y.tail, '',"
     "  'NOT NULL holds for all rows or for none')"
     " WHEN k.conperiod AND k.contype = 'f' THEN format(@since@, 180000, y.head || y.body || y.tail, '',"
     "  'no foreign keys over periods')"
     " WHEN k.conperiod THEN format(@since@, 180000, y.head || y.body || y.tail, y.head || 'EXCLUDE USING gist ('"
     "  || (SELECT string_agg(format('%I WITH %s', ka.attname, CASE WHEN kk.at = cardinality(k.conkey) THEN '&&'"
     "   ELSE '=' END), ', ' ORDER BY kk.at) FROM unnest(k.conkey) WITH ORDINALITY AS kk(num, at)"
     "   JOIN pg_attribute ka ON ka.attrelid = k.conrelid AND ka.attnum = kk.num)"
     "  || ')' || y.tail, 'a key over periods becomes an exclusion constraint')"
     " ELSE @key_or_constraint@ END"},
    {"indexdef", 0, "pg_get_indexdef(x.oid)"},
    {"indexdef", 150000,
     "CASE WHEN i.indnullsnotdistinct THEN replace(pg_get_indexdef(x.oid), ' NULLS NOT DISTINCT',"
     " format(@since@, 150000, ' NULLS NOT DISTINCT', '', 'NULLs are taken as different'))"
     " ELSE pg_get_indexdef(x.oid) END"},
    {"view_options", 0, "coalesce(' WITH (' || array_to_string(c.reloptions, ', ') || ')', '')"},
    {"view_options", 150000,
     "CASE WHEN array_to_string(c.reloptions, ',') ~ 'security_invoker'"
     " THEN format(@since@, 150000, ' WITH (' || array_to_string(c.reloptions, ', ') || ')',"
     "  coalesce(' WITH (' || nullif(array_to_string(ARRAY(SELECT o FROM unnest(c.reloptions) o"
     "   WHERE o !~ '^security_invoker'), ', '), '') || ')', ''), 'it reads with its owner''s rights')"
     " ELSE coalesce(' WITH (' || array_to_string(c.reloptions, ', ') || ')', '') END"},
    {"published_table", 0, "t.text || ';'"},
    {"published_table", 150000,
     "CASE WHEN r.prattrs IS NULL AND r.prqual IS NULL THEN t.text || ';'"
     " ELSE format(@since@, 150000, t.text || coalesce((SELECT ' (' || string_agg(quote_ident(ra.attname), ', '"
     "  ORDER BY ra.attnum) || ')' FROM pg_attribute ra WHERE ra.attrelid = r.prrelid"
     "  AND ra.attnum = ANY (r.prattrs::int2[])), '')"
     "  || coalesce(' WHERE (' || pg_get_expr(r.prqual, r.prrelid) || ')', '') || ';', '',"
     "  format('table %s is not published, as only some of its rows or columns were', r.prrelid::regclass)) END"},
    {"pubschemas", 0, "''"},
    {"pubschemas", 150000,
     "coalesce((SELECT string_agg(format(@since@, 150000, format(E'\\nALTER PUBLICATION %I ADD TABLES IN SCHEMA %I;',"
     " p.pubname, pn.nspname), '', format('the tables of schema %I are not published', pn.nspname)), '' ORDER BY pn.nspname)"
     " FROM pg_publication_namespace ps JOIN pg_namespace pn ON pn.oid = ps.pnnspid WHERE ps.pnpubid = p.oid), '')"},
    {"pubgencols", 0, "''"},
    {"pubgencols", 180000,
     "CASE p.pubgencols WHEN 's' THEN format(@since@, 180000, ', publish_generated_columns = stored', '',"
     " 'generated columns are not published') ELSE '' END"},
    {"publication_namespaces", 0, ""},
    {"publication_namespaces", 150000,
     "UNION ALL SELECT 'pg_publication_namespace'::regclass, s.oid, 'pg_publication'::regclass, s.pnpubid"
     " FROM pg_publication_namespace s"},
    /* From version 18 on, streaming is parallel unless it is said otherwise */
    {"suboptions", 0, "format(@since@, 180000, ', streaming = off', '', '')"},
    {"suboptions", 140000, "@suboptions_of_14@"},
    {"suboptions", 150000, "@suboptions_of_14@ || @suboptions_of_15@"},
    {"suboptions", 160000, "@suboptions_of_14@ || @suboptions_of_15@ || @suboptions_of_16@"},
    {"suboptions", 170000,
     "@suboptions_of_14@ || @suboptions_of_15@ || @suboptions_of_16@"
     " || CASE WHEN s.subfailover THEN format(@since@, 170000, ', failover = true', '', 'its slot does not fail over')"
     "  ELSE '' END"},
    {"suboptions_of_14", 0,
     "CASE WHEN s.subbinary THEN format(@since@, 140000, ', binary = true', '', '') ELSE '' END"
     " || CASE s.substream::text"
     "  WHEN 'p' THEN format(@since@, 160000, ', streaming = parallel', ', streaming = on',"
     "   'parallel streaming becomes plain streaming')"
     "  WHEN 't' THEN format(@since@, 140000, ', streaming = on', '', '')"
     "  WHEN 'true' THEN format(@since@, 140000, ', streaming = on', '', '')"
     "  ELSE format(@since@, 180000, ', streaming = off', '', '') END"},
    {"suboptions_of_15", 0,
     "CASE WHEN s.subtwophasestate <> 'd'"
     "  THEN format(@since@, 150000, ', two_phase = on', '', 'two-phase commits are dropped') ELSE '' END"
     " || CASE WHEN s.subdisableonerr"
     "  THEN format(@since@, 150000, ', disable_on_error = true', '', 'disable_on_error is dropped') ELSE '' END"},
    {"suboptions_of_16", 0,
     "CASE WHEN NOT s.subpasswordrequired THEN format(@since@, 160000, ', password_required = false', '', '') ELSE '' END"
     " || CASE WHEN s.subrunasowner THEN format(@since@, 160000, ', run_as_owner = true', '', '') ELSE '' END"
     " || CASE WHEN s.suborigin <> 'any'"
     "  THEN format(@since@, 160000, ', origin = ' || s.suborigin, '', 'its origin filter is dropped') ELSE '' END"},
    /* What a statement uses that came with a version, read from its text without literals and quoted names */
    {"first_version_of_x", 0, "LATERAL (SELECT NULL::int AS since, NULL::text AS since_why)"},
    {"first_version_of_x", 140000,
     "LATERAL (SELECT max(f.since) AS since, string_agg('it uses ' || f.what, ', ') AS since_why"
     " FROM (VALUES (140000, 'GROUP BY DISTINCT', 'GROUP BY (DISTINCT|ALL) '),"
     "  (140000, 'SEARCH or CYCLE', ' (SEARCH (DEPTH|BREADTH) FIRST BY|CYCLE .* SET .* USING) '),"
     "  (150000, 'MERGE', '^[[:space:]]*MERGE INTO '),"
     "  (160000, 'SQL/JSON', '(JSON_OBJECT|JSON_ARRAY|JSON_OBJECTAGG|JSON_ARRAYAGG)[(]| IS (NOT )?JSON'),"
     "  (160000, 'any_value', '[^_a-z]any_value[(]'),"
     "  (170000, 'SQL/JSON', '(JSON_TABLE|JSON_EXISTS|JSON_QUERY|JSON_VALUE|JSON_SCALAR|JSON_SERIALIZE)[(]| JSON[(]'),"
     "  (170000, 'MERGE', '(merge_action[(]|WHEN NOT MATCHED BY SOURCE)')) AS f(since, what, pattern)"
     " WHERE x.text ~ '(GROUP BY [DA]|SEARCH|CYCLE|MERGE|JSON|any_value)'"
     "  AND regexp_replace(x.text, '''([^'']|'''')*''|\"([^\"]|\"\")*\"', '', 'g') ~ f.pattern)"},
    {"statistics_since", 0, "NULL::int"},
    {"statistics_since", 140000, "CASE WHEN s.stxexprs IS NOT NULL THEN 140000 END"},
    {"attcompression", 0, "''::\"char\""},
    {"attcompression", 140000, "a.attcompression"},
    {"multirange", 0, "''"},
    {"multirange", 140000,
     "coalesce((SELECT format(@since@, 140000, format(E',\\n    multirange_type_name = %I.%I', mn.nspname, mt.typname), '', '')"
     " FROM pg_type mt JOIN pg_namespace mn ON mn.oid = mt.typnamespace WHERE mt.oid = r.rngmultitypid), '')"},
    {"multirange_owner", 0, "NULL"},
    /* Versions 14 to 17 do not pass a range type's owner on to its multirange type; newer ones do, and refuse this */
    {"multirange_owner", 140000,
     "(SELECT format(E'DO $do$ BEGIN ALTER TYPE %I.%I OWNER TO %I;\\n"
     "EXCEPTION WHEN feature_not_supported OR wrong_object_type OR undefined_object THEN NULL; END $do$;',"
     " mn.nspname, mt.typname, pg_get_userbyid(t.typowner))"
     " FROM pg_type mt JOIN pg_namespace mn ON mn.oid = mt.typnamespace WHERE mt.oid = r.rngmultitypid)"},
    {"colllocale", 0, "c.collcollate"},
    {"colllocale", 150000, "c.colliculocale"},
    {"colllocale", 170000, "c.colllocale"},
    /* What sorts text on the server's machine; ICU's version is the same for all of its locales but for tailoring */
    {"collation_versions", 0,
     "(SELECT 'order of texts by libc' AS name, max(pg_collation_actual_version(o.oid)) AS value"
     " FROM pg_collation o WHERE o.collprovider = 'c'"
     " UNION ALL SELECT 'order of texts by icu', max(pg_collation_actual_version(o.oid))"
     " FROM pg_collation o WHERE o.collprovider = 'i' AND o.collname = 'und-x-icu')"},
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
     "format(@since@, 160000,"
     " format(' WITH ADMIN %s, INHERIT %s, SET %s', m.admin_option::text, m.inherit_option::text, m.set_option::text),"
     " CASE WHEN m.admin_option THEN ' WITH ADMIN OPTION' ELSE '' END,"
     " CASE WHEN m.set_option AND m.inherit_option = b.rolinherit THEN ''"
     "  ELSE 'its options INHERIT and SET are dropped' END)"},
    /* From this version on only a role with the admin option may grant */
    {"granted_by", 0,
     "format(@since@, 160000, CASE WHEN EXISTS (SELECT FROM pg_auth_members a WHERE a.roleid = m.roleid"
     " AND a.member = m.grantor AND a.admin_option) THEN format(' GRANTED BY %I', pg_get_userbyid(m.grantor)) ELSE '' END,"
     " format(' GRANTED BY %I', pg_get_userbyid(m.grantor)), '')"},
    {"granted_by", 160000, "format(' GRANTED BY %I', pg_get_userbyid(m.grantor))"},
    {"may_act_as_r", 0, "pg_has_role(r.oid, 'MEMBER')"},
    {"may_act_as_r", 160000, "pg_has_role(r.oid, 'SET')"},
    {"may_grant_r", 0,
     "me.rolinherit AND NOT r.rolsuper AND (me.rolcreaterole OR pg_has_role(r.oid, 'MEMBER WITH ADMIN OPTION'))"},
    {"may_grant_r", 160000, "NOT r.rolsuper AND pg_has_role(r.oid, 'MEMBER WITH ADMIN OPTION')"},
    {"may_set_s", 0, "false"},
    {"may_set_s", 150000, "has_parameter_privilege(s.name, 'SET')"},
    {"membership_by", 0, "''"},
    {"membership_by", 160000,
     "CASE WHEN EXISTS (SELECT FROM pg_auth_members f WHERE f.roleid = m.roleid AND f.member = m.member"
     " AND f.grantor < m.grantor) THEN format(' by %I', pg_get_userbyid(m.grantor)) ELSE '' END"},
};
/* clang-format on */

/* ---- Marks: what differs by the version of the server that will run the SQL ---- */

const char *hb_pg_get_mark(void)
{
    static gsize ready;
    static char mark[64];

    if (g_once_init_enter(&ready)) {
        g_autofree char *word = g_uuid_string_random();
        g_snprintf(mark, sizeof mark, "\x1d%s\x1d", word);
        g_once_init_leave(&ready, 1);
    }
    return mark;
}

/* Formats for SQL's format(): @since@ takes five pieces; @within_major@ wraps one in the source's own major version */
static char *make_format(const char *name, int version)
{
    const char *m = hb_pg_get_mark();
    int major = version / 10000 * 10000;

    if (strcmp(name, "since") == 0)
        return g_strdup_printf("'%s%%s%s0%s%%s%s%%s%s%%s%s'", m, m, m, m, m, m);
    if (strcmp(name, "within_major") == 0)
        return g_strdup_printf("'%s%d%s%d%s%%s%s%s%s'", m, major, m, major + 10000, m, m, m, m);
    return NULL;
}

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

/* A fragment may name others */
static void append_fragment(GString *result, const char *name, gsize length, int version)
{
    g_autofree char *word = g_strndup(name, length);
    g_autofree char *made = make_format(word, version);
    const char *text = find_fragment(name, length, version);

    g_assert(made != NULL || text != NULL);
    if (made != NULL) {
        g_string_append(result, made);
        return;
    }
    g_autofree char *fitted = hb_pg_fit_query(text, version);
    g_string_append(result, fitted);
}

char *hb_pg_fit_query(const char *sql, int version)
{
    GString *result = g_string_new(NULL);
    const char *mark;

    while ((mark = strchr(sql, '@')) != NULL) {
        const char *end = strchr(mark + 1, '@');
        g_assert(end != NULL);
        g_string_append_len(result, sql, mark - sql);
        append_fragment(result, mark + 1, (gsize)(end - mark) - 1, version);
        sql = end + 1;
    }
    g_string_append(result, sql);
    return g_string_free(result, FALSE);
}
