-- Indexes that are not behind a key. One whose expression calls a function waits for all rows, as checks do
SELECT 'index' AS kind, 'pg_class'::regclass::oid AS classid, x.oid AS objid,
       x.oid::regclass::text AS name,
       'INDEX ' || x.oid::regclass AS designation,
       CASE c.relkind WHEN 'm' THEN 'materialized-view ' ELSE 'table ' END || c.oid::regclass AS on_identity,
       coalesce('SET default_tablespace = ' || quote_ident(ts.spcname) || E';\n', '') || @indexdef@ || ';'
           || CASE WHEN i.indisclustered
                   THEN format(E'\nALTER TABLE %s CLUSTER ON %I;', c.oid::regclass, x.relname) ELSE '' END
           || coalesce((SELECT string_agg(format(E'\nALTER INDEX %s ALTER COLUMN %s SET STATISTICS %s;', x.oid::regclass,
                                                 a.attnum, a.attstattarget), '' ORDER BY a.attnum)
                        FROM pg_attribute a WHERE a.attrelid = x.oid AND a.attstattarget >= 0), '')
           || CASE WHEN ts.oid IS NOT NULL THEN E'\nRESET default_tablespace;' ELSE '' END AS definition,
       CASE WHEN EXISTS (SELECT FROM pg_depend d
                         WHERE d.classid = 'pg_class'::regclass AND d.objid = x.oid
                           AND d.refclassid = 'pg_proc'::regclass AND d.refobjid >= 16384)
            THEN 'rows' END AS after,
       CASE c.relkind WHEN 'm' THEN '3:' ELSE '1:' END || c.oid AS needs
FROM pg_index i
JOIN pg_class x ON x.oid = i.indexrelid
LEFT JOIN pg_tablespace ts ON ts.oid = x.reltablespace
JOIN pg_class c ON c.oid = i.indrelid AND c.relkind IN ('r', 'p', 'm')
WHERE c.relnamespace IN (@namespaces@)
  AND (i.indisvalid OR x.relkind = 'I')
  AND NOT EXISTS (SELECT FROM pg_constraint k
                  WHERE k.conindid = x.oid AND k.conrelid = c.oid AND k.contype IN ('p', 'u', 'x'))
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid IN (c.oid, x.oid) AND e.deptype = 'e')
