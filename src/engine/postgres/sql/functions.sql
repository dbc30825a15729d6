-- Functions, window functions and procedures
SELECT CASE p.prokind WHEN 'p' THEN 'procedure' ELSE 'function' END AS kind,
       'pg_proc'::regclass::oid AS classid, p.oid AS objid,
       p.oid::regprocedure::text AS name,
       CASE p.prokind WHEN 'p' THEN 'PROCEDURE ' ELSE 'FUNCTION ' END || p.oid::regprocedure::text AS designation,
       quote_ident(pg_get_userbyid(p.proowner)) AS owner,
       regexp_replace(rtrim(pg_get_functiondef(p.oid), E'\n'), '^CREATE OR REPLACE ', 'CREATE ') || ';' AS definition
FROM pg_proc p
WHERE p.prokind IN ('f', 'w', 'p')
  AND p.pronamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_proc'::regclass AND e.objid = p.oid AND e.deptype IN ('e', 'i'))
