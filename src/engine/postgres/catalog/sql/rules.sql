-- Rewrite rules, but for the one that makes a view a view
SELECT 'rule' AS kind, 'pg_rewrite'::regclass::oid AS classid, r.oid AS objid,
       format('%s.%I', c.oid::regclass, r.rulename) AS name,
       format('RULE %I ON %s', r.rulename, c.oid::regclass) AS designation,
       CASE c.relkind WHEN 'v' THEN 'view ' ELSE 'table ' END || c.oid::regclass AS on_identity,
       pg_get_ruledef(r.oid)
           || CASE r.ev_enabled WHEN 'O' THEN ''
                   ELSE format(E'\nALTER TABLE %s %s RULE %I;', c.oid::regclass,
                               CASE r.ev_enabled WHEN 'D' THEN 'DISABLE' WHEN 'A' THEN 'ENABLE ALWAYS'
                                    ELSE 'ENABLE REPLICA' END, r.rulename) END AS definition,
       CASE WHEN c.relkind = 'v' THEN '' ELSE '1:' || c.oid END AS needs
FROM pg_rewrite r
JOIN pg_class c ON c.oid = r.ev_class
WHERE c.relnamespace IN (@namespaces@) AND r.rulename <> '_RETURN'
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e')
