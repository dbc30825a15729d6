-- Partitions joined to their parent, and children to theirs where tables.sql could not write INHERITS
WITH inlined AS (
    @inlined@
)
SELECT 'attachment' AS kind, 'pg_inherits'::regclass::oid AS classid, h.inhrelid AS objid,
       h.inhrelid::regclass || CASE WHEN c.relispartition THEN '' ELSE ' to ' || h.inhparent::regclass END AS name,
       @kind_of_c@ || ' ' || h.inhrelid::regclass AS on_identity,
       CASE WHEN c.relispartition
            THEN format('ALTER TABLE %s ATTACH PARTITION %s %s;', h.inhparent::regclass, h.inhrelid::regclass,
                        pg_get_expr(c.relpartbound, c.oid))
            ELSE format('ALTER TABLE %s INHERIT %s;', h.inhrelid::regclass, h.inhparent::regclass) END
           AS definition,
       CASE WHEN g.own THEN 160000 END AS since,
       'a generated column has another expression than the parent''s' AS since_why,
       CASE WHEN g.alone THEN 160000 END AS until,
       'a column is generated, and the parent''s is not' AS until_why,
       format('%s:%s,%s:%s', 'pg_class'::regclass::oid, h.inhrelid, 'pg_class'::regclass::oid, h.inhparent) AS needs
FROM pg_inherits h
JOIN pg_class c ON c.oid = h.inhrelid
CROSS JOIN LATERAL (SELECT bool_or(x.own) AS own, bool_or(x.alone) AS alone FROM @generation_of_h@ x) g
WHERE c.relkind IN ('r', 'p', 'f') AND c.relnamespace IN (@namespaces@)
  AND h.inhrelid NOT IN (SELECT oid FROM inlined)
  AND h.inhrelid NOT IN (@layered@)
