-- Languages, casts, conversions, transforms, access methods: what belongs to no schema, or to the server's inner parts
SELECT 'language' AS kind, 'pg_language'::regclass::oid AS classid, l.oid AS objid, quote_ident(l.lanname) AS name,
       'LANGUAGE ' || quote_ident(l.lanname) AS designation,
       quote_ident(pg_get_userbyid(l.lanowner)) AS owner,
       format('CREATE %sLANGUAGE %I HANDLER %s%s%s;', CASE WHEN l.lanpltrusted THEN 'TRUSTED ' ELSE '' END, l.lanname,
              l.lanplcallfoid::regproc,
              CASE WHEN l.laninline <> 0 THEN ' INLINE ' || l.laninline::regproc ELSE '' END,
              CASE WHEN l.lanvalidator <> 0 THEN ' VALIDATOR ' || l.lanvalidator::regproc ELSE '' END) AS definition
FROM pg_language l
WHERE l.lanispl AND l.oid >= 16384
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_language'::regclass AND e.objid = l.oid AND e.deptype = 'e')
UNION ALL
SELECT 'cast', 'pg_cast'::regclass::oid, k.oid,
       format('(%s AS %s)', format_type(k.castsource, NULL), format_type(k.casttarget, NULL)),
       format('CAST (%s AS %s)', format_type(k.castsource, NULL), format_type(k.casttarget, NULL)), NULL,
       format('CREATE CAST (%s AS %s) %s%s;', format_type(k.castsource, NULL), format_type(k.casttarget, NULL),
              CASE k.castmethod WHEN 'f' THEN 'WITH FUNCTION ' || k.castfunc::regprocedure
                   WHEN 'i' THEN 'WITH INOUT' ELSE 'WITHOUT FUNCTION' END,
              CASE k.castcontext WHEN 'a' THEN ' AS ASSIGNMENT' WHEN 'i' THEN ' AS IMPLICIT' ELSE '' END)
FROM pg_cast k
WHERE k.oid >= 16384
  AND NOT EXISTS (SELECT FROM pg_depend e WHERE e.classid = 'pg_cast'::regclass AND e.objid = k.oid
                                            AND e.deptype IN ('e', 'i'))
UNION ALL
SELECT 'conversion', 'pg_conversion'::regclass::oid, k.oid, format('%I.%I', n.nspname, k.conname),
       format('CONVERSION %I.%I', n.nspname, k.conname), quote_ident(pg_get_userbyid(k.conowner)),
       format('CREATE %sCONVERSION %I.%I FOR %L TO %L FROM %s;', CASE WHEN k.condefault THEN 'DEFAULT ' ELSE '' END,
              n.nspname, k.conname, pg_encoding_to_char(k.conforencoding), pg_encoding_to_char(k.contoencoding),
              k.conproc::regproc)
FROM pg_conversion k
JOIN pg_namespace n ON n.oid = k.connamespace
WHERE k.connamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_conversion'::regclass AND e.objid = k.oid AND e.deptype = 'e')
UNION ALL
SELECT 'transform', 'pg_transform'::regclass::oid, t.oid,
       format('for %s language %I', format_type(t.trftype, NULL), l.lanname),
       format('TRANSFORM FOR %s LANGUAGE %I', format_type(t.trftype, NULL), l.lanname), NULL,
       format('CREATE TRANSFORM FOR %s LANGUAGE %I (%s);', format_type(t.trftype, NULL), l.lanname,
              concat_ws(', ', 'FROM SQL WITH FUNCTION ' || nullif(t.trffromsql, 0)::regprocedure,
                              'TO SQL WITH FUNCTION ' || nullif(t.trftosql, 0)::regprocedure))
FROM pg_transform t
JOIN pg_language l ON l.oid = t.trflang
WHERE NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_transform'::regclass AND e.objid = t.oid AND e.deptype = 'e')
UNION ALL
SELECT 'access-method', 'pg_am'::regclass::oid, m.oid, quote_ident(m.amname),
       'ACCESS METHOD ' || quote_ident(m.amname), NULL,
       format('CREATE ACCESS METHOD %I TYPE %s HANDLER %s;', m.amname,
              CASE m.amtype WHEN 't' THEN 'TABLE' ELSE 'INDEX' END, m.amhandler::regproc)
FROM pg_am m
WHERE m.oid >= 16384
  AND NOT EXISTS (SELECT FROM pg_depend e WHERE e.classid = 'pg_am'::regclass AND e.objid = m.oid AND e.deptype = 'e')
