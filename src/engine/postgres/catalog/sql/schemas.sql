-- The schemas that an administrator can create, public among them, whose usual owner depends on the version
SELECT 'schema' AS kind, 'pg_namespace'::regclass::oid AS classid, n.oid AS objid,
       quote_ident(n.nspname) AS name,
       'SCHEMA ' || quote_ident(n.nspname) AS designation,
       CASE WHEN n.nspname = 'public' AND @is_usual_owner_of_n@ THEN NULL
            ELSE quote_ident(pg_get_userbyid(n.nspowner)) END AS owner,
       'CREATE SCHEMA ' || CASE WHEN n.nspname = 'public' THEN 'IF NOT EXISTS ' ELSE '' END
           || quote_ident(n.nspname) || ';' AS definition
FROM pg_namespace n
WHERE n.oid IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_namespace'::regclass AND e.objid = n.oid AND e.deptype = 'e')
