-- Checks (of tables, and of domains those that types.sql leaves), keys, exclusions and foreign keys; of NOT NULL
-- constraints those that were never checked. What a parent hands down is left to the parent.
-- A check that calls a function may read other tables through it, and must wait for all rows; so must one that never
-- looked at the rows that were there.
WITH RECURSIVE descent(root, relation) AS (
    SELECT inhparent, inhrelid FROM pg_inherits
    UNION
    SELECT d.root, h.inhrelid FROM descent d JOIN pg_inherits h ON h.inhparent = d.relation
), trees AS (
    SELECT root, string_agg(format('%s:%s', CASE WHEN relation IN (@layered@) THEN 'pg_class'::regclass::oid
                                                 ELSE 'pg_inherits'::regclass::oid END, relation), ',') AS attachments
    FROM descent GROUP BY root
), clones(root, oid) AS (
    -- Foreign keys that partitions have from their parents, under names of their own
    SELECT k.oid, p.oid FROM pg_constraint k JOIN pg_constraint p ON p.conparentid = k.oid
    WHERE k.contype = 'f' AND k.conparentid = 0 AND p.conrelid <> k.conrelid
    UNION
    SELECT c.root, p.oid FROM clones c JOIN pg_constraint p ON p.conparentid = c.oid
    JOIN pg_constraint k ON k.oid = c.oid AND p.conrelid <> k.conrelid
), renames AS (
    SELECT l.root, string_agg(format(E'\nALTER TABLE %s RENAME CONSTRAINT %I TO %I;', p.conrelid::regclass, k.conname, p.conname),
                              '' ORDER BY p.conrelid::regclass::text) AS list
    FROM clones l JOIN pg_constraint p ON p.oid = l.oid JOIN pg_constraint k ON k.oid = l.root
    WHERE p.conname <> k.conname
      AND NOT EXISTS (SELECT FROM pg_constraint o WHERE o.conrelid = p.conrelid AND o.conname = k.conname)
    GROUP BY l.root
)
SELECT CASE k.contype WHEN 'c' THEN 'check' WHEN 'n' THEN 'check' WHEN 'f' THEN 'foreign-key' ELSE 'key' END AS kind,
       'pg_constraint'::regclass::oid AS classid, k.oid AS objid,
       format('%s.%I', c.oid::regclass, k.conname) AS name,
       format('CONSTRAINT %I ON %s', k.conname, c.oid::regclass) AS designation,
       @kind_of_c@ || ' ' || c.oid::regclass AS on_identity,
       @fitted_constraint@ AS definition,
       CASE WHEN k.contype IN ('c', 'n') AND NOT k.convalidated OR k.contype = 'c' AND EXISTS (
                SELECT FROM pg_depend d
                WHERE d.classid = 'pg_constraint'::regclass AND d.objid = k.oid
                  AND d.refclassid = 'pg_proc'::regclass AND d.refobjid >= 16384)
            THEN 'rows' END AS after,
       concat_ws(',',
           CASE WHEN k.contype IN ('p', 'u', 'x') THEN '1:' || k.conrelid END,
           CASE WHEN k.contype = 'f' THEN format('1:%s,1:%s', k.conrelid, k.confrelid) END,
           CASE WHEN k.contype = 'f' THEN t.attachments END,
           CASE WHEN k.contype IN ('c', 'n', 'f') THEN f.attachments END) AS needs
FROM pg_constraint k
JOIN pg_class c ON c.oid = k.conrelid AND c.relkind IN ('r', 'p', 'f')
LEFT JOIN pg_class x ON x.oid = k.conindid AND k.contype IN ('p', 'u', 'x')
LEFT JOIN pg_tablespace ts ON ts.oid = x.reltablespace
LEFT JOIN pg_index i ON i.indexrelid = x.oid
LEFT JOIN trees t ON t.root = k.conindid
LEFT JOIN trees f ON f.root = c.oid
LEFT JOIN renames r ON r.root = k.oid
CROSS JOIN LATERAL (
    SELECT coalesce('SET default_tablespace = ' || quote_ident(ts.spcname) || E';\n', '')
           || format('ALTER %s %s%s ADD CONSTRAINT %I ', @sql_kind_of_c@,
                     CASE WHEN k.contype IN ('c', 'n') OR (k.contype = 'f' AND c.relkind = 'p') THEN '' ELSE @only_of_c@ END,
                     c.oid::regclass, k.conname) AS head,
           pg_get_constraintdef(k.oid) AS body,
           ';' || coalesce((SELECT format(E'\nALTER INDEX %s SET (', x.oid::regclass) || string_agg(
                                   split_part(o, '=', 1) || '=' || quote_literal(substr(o, strpos(o, '=') + 1)), ', ')
                               || ');'
                        FROM unnest(x.reloptions) o), '')
           || CASE WHEN i.indisclustered
                   THEN format(E'\nALTER TABLE %s CLUSTER ON %I;', c.oid::regclass, x.relname) ELSE '' END
           || coalesce(r.list, '')
           || CASE WHEN ts.oid IS NOT NULL THEN E'\nRESET default_tablespace;' ELSE '' END AS tail
    OFFSET 0
) y
WHERE c.relnamespace IN (@namespaces@)
  AND (k.contype IN ('c', 'p', 'u', 'x', 'f') OR (k.contype = 'n' AND NOT k.convalidated))
  AND (k.contype NOT IN ('c', 'n') OR k.conislocal)
  AND (k.contype <> 'f' OR k.conparentid = 0)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e')
UNION ALL
SELECT 'check', 'pg_constraint'::regclass::oid, k.oid,
       format('%s.%I', format_type(t.oid, NULL), k.conname),
       format('CONSTRAINT %I ON DOMAIN %s', k.conname, format_type(t.oid, NULL)),
       'domain ' || format_type(t.oid, NULL),
       format('ALTER DOMAIN %s ADD CONSTRAINT %I %s;', format_type(t.oid, NULL), k.conname, pg_get_constraintdef(k.oid)),
       CASE WHEN NOT k.convalidated THEN 'rows' END, NULL
FROM pg_constraint k
JOIN pg_type t ON t.oid = k.contypid
WHERE t.typnamespace IN (@namespaces@) AND k.contype = 'c' AND k.oid NOT IN (@domain_checks@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_type'::regclass AND e.objid = t.oid AND e.deptype = 'e')
