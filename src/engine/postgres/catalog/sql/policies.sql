-- Row security policies, and the switches that put them in force: only when the rows are in
SELECT 'policy' AS kind, 'pg_policy'::regclass::oid AS classid, p.oid AS objid,
       format('%s.%I', c.oid::regclass, p.polname) AS name,
       format('POLICY %I ON %s', p.polname, c.oid::regclass) AS designation,
       'table ' || c.oid::regclass AS on_identity,
       format('CREATE POLICY %I ON %s AS %s FOR %s TO %s', p.polname, c.oid::regclass,
              CASE WHEN p.polpermissive THEN 'PERMISSIVE' ELSE 'RESTRICTIVE' END,
              CASE p.polcmd WHEN 'r' THEN 'SELECT' WHEN 'a' THEN 'INSERT' WHEN 'w' THEN 'UPDATE' WHEN 'd' THEN 'DELETE'
                   ELSE 'ALL' END,
              (SELECT string_agg(CASE r WHEN 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(r)) END, ', ')
               FROM unnest(p.polroles) r))
           || coalesce(E'\n    USING (' || pg_get_expr(p.polqual, p.polrelid) || ')', '')
           || coalesce(E'\n    WITH CHECK (' || pg_get_expr(p.polwithcheck, p.polrelid) || ')', '') || ';' AS definition,
       '1:' || c.oid AS needs
FROM pg_policy p
JOIN pg_class c ON c.oid = p.polrelid
WHERE c.relnamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e')
UNION ALL
SELECT 'row-security', 2, c.oid, c.oid::regclass::text, NULL, 'table ' || c.oid::regclass,
       concat_ws(E'\n',
           CASE WHEN c.relrowsecurity THEN format('ALTER TABLE %s ENABLE ROW LEVEL SECURITY;', c.oid::regclass) END,
           CASE WHEN c.relforcerowsecurity THEN format('ALTER TABLE %s FORCE ROW LEVEL SECURITY;', c.oid::regclass) END),
       '1:' || c.oid
FROM pg_class c
WHERE c.relnamespace IN (@namespaces@) AND (c.relrowsecurity OR c.relforcerowsecurity)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e')
