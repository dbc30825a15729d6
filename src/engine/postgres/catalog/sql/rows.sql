-- The rows of each table, and of extensions' tables those that the extension calls configuration. A partitioned table holds none, but what waits for its rows waits for those of its partitions
WITH RECURSIVE configured AS (
    SELECT DISTINCT u.oid FROM pg_extension e, unnest(e.extconfig) AS u(oid)
), refers(from_oid, to_oid) AS (
    SELECT k.conrelid, k.confrelid FROM pg_constraint k
    WHERE k.contype = 'f' AND k.conrelid IN (SELECT oid FROM configured) AND k.confrelid IN (SELECT oid FROM configured)
    UNION
    SELECT r.from_oid, k.confrelid FROM refers r JOIN pg_constraint k ON k.conrelid = r.to_oid AND k.contype = 'f'
    WHERE k.confrelid IN (SELECT oid FROM configured)
)
SELECT 'rows' AS kind, 1 AS classid, c.oid AS objid,
       c.oid::regclass::text AS name,
       CASE WHEN x.oid IS NULL THEN 'table ' || c.oid::regclass END AS on_identity,
       CASE WHEN c.relkind = 'p'
            THEN (SELECT string_agg('1:' || h.inhrelid, ',') FROM pg_inherits h WHERE h.inhparent = c.oid)
            ELSE format('%s:%s', 'pg_class'::regclass::oid, c.oid)
                 || coalesce((SELECT string_agg(',1:' || r.to_oid, '') FROM refers r
                              WHERE r.from_oid = c.oid
                                AND NOT EXISTS (SELECT FROM refers b WHERE b.from_oid = r.to_oid AND b.to_oid = c.oid)), '')
            END AS needs,
       CASE WHEN c.relkind = 'r' THEN pg_relation_size(c.oid) + coalesce(pg_relation_size(nullif(c.reltoastrelid, 0)), 0)
            ELSE 0 END AS cost,
       CASE WHEN c.relkind = 'r' THEN pg_relation_size(c.oid) / current_setting('block_size')::int END AS extent,
       (SELECT string_agg(octet_length(quote_ident(a.attname)) || ':' || quote_ident(a.attname), '' ORDER BY a.attnum)
        FROM pg_attribute a
        WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped AND a.attgenerated = '') AS columns,
       (SELECT string_agg(octet_length(quote_ident(a.attname)) || ':' || quote_ident(a.attname), '' ORDER BY a.attnum)
        FROM pg_attribute a
        WHERE a.attrelid = c.oid AND a.attnum = ANY (
            (SELECT (i.indkey::int2[])[0:i.indnkeyatts - 1]
             FROM pg_index i JOIN pg_class n ON n.oid = i.indexrelid
             WHERE i.indrelid = c.oid AND i.indisunique AND i.indisvalid AND i.indpred IS NULL AND i.indexprs IS NULL
               AND NOT EXISTS (SELECT FROM pg_attribute k
                               WHERE k.attrelid = c.oid AND k.attnum = ANY ((i.indkey::int2[])[0:i.indnkeyatts - 1])
                                 AND NOT (k.attnotnull AND k.attgenerated = ''))
             ORDER BY i.indisprimary DESC, i.indnkeyatts, n.relname LIMIT 1)::int2[])) AS key,
       -- Types that the server brings have the same numbers everywhere; names of objects are sent as numbers that have not
       NOT EXISTS (SELECT FROM pg_attribute a JOIN pg_type t ON t.oid = a.atttypid
                   LEFT JOIN pg_type b ON b.oid = t.typbasetype AND t.typtype = 'd'
                   WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
                     AND NOT (t.typtype = 'e'
                              OR (coalesce(b.oid, t.oid) < 10000 AND coalesce(b.typtype, t.typtype) IN ('b', 'r', 'm')
                                  AND coalesce(b.typname, t.typname) !~ '^_?reg'
                                  AND coalesce(b.typsend, t.typsend) <> 0 AND coalesce(b.typreceive, t.typreceive) <> 0)))
       AND x.oid IS NULL AS has_binary,
       x.condition,
       CASE WHEN c.relkind = 'r' AND c.relrowsecurity AND row_security_active(c.oid)
            THEN format('ALTER ROLE %I BYPASSRLS', current_user) END AS barrier
FROM pg_class c
LEFT JOIN (
    SELECT u.oid, min(u.condition) AS condition
    FROM pg_extension e, unnest(e.extconfig, e.extcondition) AS u(oid, condition)
    GROUP BY u.oid
) x ON x.oid = c.oid
WHERE c.relkind IN ('r', 'p') AND c.relnamespace IN (@namespaces@) AND c.relpersistence <> 't'
  AND @may_read_c@
  AND (x.oid IS NOT NULL
       OR NOT EXISTS (SELECT FROM pg_depend e
                      WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e'))
