-- Materialized views that hold rows: filled again when all rows are in, those first that others read, however indirectly
WITH RECURSIVE uses(root, relation) AS (
    SELECT c.oid, c.oid FROM pg_class c WHERE c.relkind = 'm' AND c.relnamespace IN (@namespaces@)
    UNION
    SELECT u.root, d.refobjid
    FROM uses u
    JOIN pg_rewrite r ON r.ev_class = u.relation
    JOIN pg_depend d ON d.classid = 'pg_rewrite'::regclass AND d.objid = r.oid AND d.refclassid = 'pg_class'::regclass
    JOIN pg_class x ON x.oid = d.refobjid AND x.relkind IN ('v', 'm')
)
SELECT 'refresh' AS kind, 3 AS classid, c.oid AS objid,
       c.oid::regclass::text AS name,
       'materialized-view ' || c.oid::regclass AS on_identity,
       format('REFRESH MATERIALIZED VIEW %s;', c.oid::regclass) AS definition,
       (SELECT string_agg('3:' || u.relation, ',') FROM uses u WHERE u.root = c.oid AND u.relation <> c.oid) AS needs,
       pg_relation_size(c.oid) AS cost
FROM pg_class c
WHERE c.relkind = 'm' AND c.relispopulated AND c.relnamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e')
