-- What goes when an extension goes, though it is no part of it: ALTER ... DEPENDS ON EXTENSION. A partition's trigger is
-- there as soon as the parent's is
WITH RECURSIVE clones(oid, root) AS (
    SELECT t.oid, t.oid FROM pg_trigger t WHERE t.tgparentid = 0 AND NOT t.tgisinternal
    UNION ALL
    SELECT t.oid, c.root FROM clones c JOIN pg_trigger t ON t.tgparentid = c.oid
)
SELECT 'extension-link' AS kind, 0 AS classid, d.objid,
       format('%s on %I', o.name, x.extname) AS name, o.on_identity,
       format('ALTER %s DEPENDS ON EXTENSION %I;', o.designation, x.extname) AS definition,
       format('%s,%s:%s', o.needs, d.refclassid, d.refobjid) AS needs
FROM pg_depend d
JOIN pg_extension x ON x.oid = d.refobjid
JOIN LATERAL (
    SELECT p.pronamespace AS namespace, p.oid::regprocedure::text AS name,
           CASE p.prokind WHEN 'p' THEN 'procedure ' WHEN 'a' THEN 'aggregate ' ELSE 'function ' END
               || p.oid::regprocedure AS on_identity,
           'ROUTINE ' || @signature_of_p@ AS designation, format('%s:%s', d.classid, p.oid) AS needs
    FROM pg_proc p WHERE d.classid = 'pg_proc'::regclass AND p.oid = d.objid
    UNION ALL
    SELECT c.relnamespace, format('%s.%I', c.oid::regclass, t.tgname), @kind_of_c@ || ' ' || c.oid::regclass,
           format('TRIGGER %I ON %s', t.tgname, c.oid::regclass), format('%s:%s', d.classid, clones.root)
    FROM clones
    JOIN pg_trigger t ON t.oid = clones.oid
    JOIN pg_class c ON c.oid = t.tgrelid
    WHERE d.classid = 'pg_trigger'::regclass AND t.oid = d.objid
    UNION ALL
    SELECT c.relnamespace, c.oid::regclass::text, 'materialized-view ' || c.oid::regclass,
           'MATERIALIZED VIEW ' || c.oid::regclass, format('%s:%s', d.classid, c.oid)
    FROM pg_class c WHERE d.classid = 'pg_class'::regclass AND c.oid = d.objid AND c.relkind = 'm'
    UNION ALL
    SELECT i.relnamespace, i.oid::regclass::text, @kind_of_c@ || ' ' || c.oid::regclass, 'INDEX ' || i.oid::regclass,
           format('%s:%s', d.classid, i.oid)
    FROM pg_index n
    JOIN pg_class i ON i.oid = n.indexrelid
    JOIN pg_class c ON c.oid = n.indrelid
    WHERE d.classid = 'pg_class'::regclass AND i.oid = d.objid
) o ON true
WHERE d.refclassid = 'pg_extension'::regclass AND d.deptype = 'x' AND o.namespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = d.classid AND e.objid = d.objid AND e.deptype = 'e')
