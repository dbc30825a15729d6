SELECT 'materialized-view' AS kind, 'pg_class'::regclass::oid AS classid, c.oid AS objid,
       c.oid::regclass::text AS name,
       'MATERIALIZED VIEW ' || c.oid::regclass AS designation,
       quote_ident(pg_get_userbyid(c.relowner)) AS owner,
       coalesce('SET default_tablespace = ' || quote_ident(ts.spcname) || E';\n', '')
           || format(E'CREATE MATERIALIZED VIEW %s%s%s AS\n%s\nWITH NO DATA;', c.oid::regclass,
              CASE WHEN m.amname <> 'heap' THEN ' USING ' || quote_ident(m.amname) ELSE '' END,
              coalesce(' WITH (' || array_to_string(c.reloptions, ', ') || ')', ''),
              rtrim(x.text, ';'))
           || CASE WHEN ts.oid IS NOT NULL THEN E'\nRESET default_tablespace;' ELSE '' END AS definition, f.since, f.since_why
FROM pg_class c
LEFT JOIN pg_am m ON m.oid = c.relam
LEFT JOIN pg_tablespace ts ON ts.oid = c.reltablespace
CROSS JOIN LATERAL (SELECT pg_get_viewdef(c.oid) AS text OFFSET 0) x
CROSS JOIN @first_version_of_x@ f
WHERE c.relkind = 'm' AND c.relnamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e')
