SELECT 'materialized-view' AS kind, 'pg_class'::regclass::oid AS classid, c.oid AS objid,
       c.oid::regclass::text AS name,
       'MATERIALIZED VIEW ' || c.oid::regclass AS designation,
       quote_ident(pg_get_userbyid(c.relowner)) AS owner,
       coalesce('SET default_tablespace = ' || quote_ident(ts.spcname) || E';\n', '')
           || format(E'CREATE MATERIALIZED VIEW %s%s%s AS\n%s\nWITH NO DATA;', c.oid::regclass,
              CASE WHEN m.amname <> 'heap' THEN ' USING ' || quote_ident(m.amname) ELSE '' END,
              coalesce(' WITH (' || array_to_string(c.reloptions, ', ') || ')', ''),
              rtrim(x.text, ';'))
           || coalesce((
               SELECT string_agg(format(E'\nALTER MATERIALIZED VIEW %s ALTER COLUMN %I %s;', c.oid::regclass, a.attname, k.change),
                                 '' ORDER BY a.attnum, k.change)
               FROM pg_attribute a
               JOIN pg_type t ON t.oid = a.atttypid
               CROSS JOIN LATERAL (
                   SELECT 'SET STATISTICS ' || a.attstattarget AS change WHERE a.attstattarget >= 0
                   UNION ALL
                   SELECT 'SET STORAGE ' || CASE a.attstorage WHEN 'p' THEN 'PLAIN' WHEN 'e' THEN 'EXTERNAL'
                                                 WHEN 'm' THEN 'MAIN' ELSE 'EXTENDED' END
                   WHERE a.attstorage <> t.typstorage
                   UNION ALL
                   SELECT 'SET (' || o || ')' FROM unnest(a.attoptions) o WHERE o ~ '^n_distinct(_inherited)?='
               ) k
               WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped), '')
           || CASE WHEN ts.oid IS NOT NULL THEN E'\nRESET default_tablespace;' ELSE '' END AS definition, f.since, f.since_why
FROM pg_class c
LEFT JOIN pg_am m ON m.oid = c.relam
LEFT JOIN pg_tablespace ts ON ts.oid = c.reltablespace
CROSS JOIN LATERAL (SELECT pg_get_viewdef(c.oid) AS text OFFSET 0) x
CROSS JOIN @first_version_of_x@ f
WHERE c.relkind = 'm' AND c.relnamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e')
