-- Text search: parsers, templates, dictionaries, configurations
SELECT 'text-search-parser' AS kind, 'pg_ts_parser'::regclass::oid AS classid, p.oid AS objid,
       format('%I.%I', n.nspname, p.prsname) AS name,
       format('TEXT SEARCH PARSER %I.%I', n.nspname, p.prsname) AS designation, NULL AS owner,
       format('CREATE TEXT SEARCH PARSER %I.%I (START = %s, GETTOKEN = %s, END = %s, LEXTYPES = %s%s);', n.nspname,
              p.prsname, p.prsstart::regproc, p.prstoken::regproc, p.prsend::regproc, p.prslextype::regproc,
              CASE WHEN p.prsheadline::oid <> 0 THEN ', HEADLINE = ' || p.prsheadline::regproc ELSE '' END)
           AS definition
FROM pg_ts_parser p
JOIN pg_namespace n ON n.oid = p.prsnamespace
WHERE p.prsnamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_ts_parser'::regclass AND e.objid = p.oid AND e.deptype = 'e')
UNION ALL
SELECT 'text-search-template', 'pg_ts_template'::regclass::oid, t.oid, format('%I.%I', n.nspname, t.tmplname),
       format('TEXT SEARCH TEMPLATE %I.%I', n.nspname, t.tmplname), NULL,
       format('CREATE TEXT SEARCH TEMPLATE %I.%I (%sLEXIZE = %s);', n.nspname, t.tmplname,
              CASE WHEN t.tmplinit::oid <> 0 THEN format('INIT = %s, ', t.tmplinit::regproc) ELSE '' END,
              t.tmpllexize::regproc)
FROM pg_ts_template t
JOIN pg_namespace n ON n.oid = t.tmplnamespace
WHERE t.tmplnamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_ts_template'::regclass AND e.objid = t.oid AND e.deptype = 'e')
UNION ALL
SELECT 'text-search-dictionary', 'pg_ts_dict'::regclass::oid, d.oid, format('%I.%I', n.nspname, d.dictname),
       format('TEXT SEARCH DICTIONARY %I.%I', n.nspname, d.dictname), quote_ident(pg_get_userbyid(d.dictowner)),
       format('CREATE TEXT SEARCH DICTIONARY %I.%I (TEMPLATE = %I.%I%s);', n.nspname, d.dictname, tn.nspname, t.tmplname,
              coalesce(', ' || d.dictinitoption, ''))
FROM pg_ts_dict d
JOIN pg_namespace n ON n.oid = d.dictnamespace
JOIN pg_ts_template t ON t.oid = d.dicttemplate
JOIN pg_namespace tn ON tn.oid = t.tmplnamespace
WHERE d.dictnamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_ts_dict'::regclass AND e.objid = d.oid AND e.deptype = 'e')
UNION ALL
SELECT 'text-search-configuration', 'pg_ts_config'::regclass::oid, c.oid, format('%I.%I', n.nspname, c.cfgname),
       format('TEXT SEARCH CONFIGURATION %I.%I', n.nspname, c.cfgname), quote_ident(pg_get_userbyid(c.cfgowner)),
       format('CREATE TEXT SEARCH CONFIGURATION %I.%I (PARSER = %I.%I);', n.nspname, c.cfgname, pn.nspname, p.prsname)
           || coalesce((
               SELECT string_agg(format(E'\nALTER TEXT SEARCH CONFIGURATION %I.%I ADD MAPPING FOR %I WITH %s;', n.nspname,
                                        c.cfgname, x.alias, x.list), '' ORDER BY x.alias)
               FROM (SELECT y.alias,
                            string_agg(format('%I.%I', dn.nspname, d.dictname), ', ' ORDER BY m.mapseqno) AS list
                     FROM pg_ts_config_map m
                     JOIN ts_token_type(c.cfgparser) y ON y.tokid = m.maptokentype
                     JOIN pg_ts_dict d ON d.oid = m.mapdict
                     JOIN pg_namespace dn ON dn.oid = d.dictnamespace
                     WHERE m.mapcfg = c.oid
                     GROUP BY y.alias) x), '')
FROM pg_ts_config c
JOIN pg_namespace n ON n.oid = c.cfgnamespace
JOIN pg_ts_parser p ON p.oid = c.cfgparser
JOIN pg_namespace pn ON pn.oid = p.prsnamespace
WHERE c.cfgnamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_ts_config'::regclass AND e.objid = c.oid AND e.deptype = 'e')
