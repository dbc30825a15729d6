-- The schemas that an administrator can create, public among them
SELECT 'schema' AS kind, 'pg_namespace'::regclass::oid AS classid, n.oid AS objid,
       quote_ident(n.nspname) AS name,
       'SCHEMA ' || quote_ident(n.nspname) AS designation,
       quote_ident(pg_get_userbyid(n.nspowner)) AS owner,
       'CREATE SCHEMA ' || CASE WHEN n.nspname = 'public' THEN 'IF NOT EXISTS ' ELSE '' END
           || quote_ident(n.nspname) || ';' AS definition
FROM pg_namespace n
WHERE n.oid IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_namespace'::regclass AND e.objid = n.oid AND e.deptype = 'e')
