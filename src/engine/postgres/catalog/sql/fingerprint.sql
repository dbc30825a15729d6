-- Changes when the structure of the database changes
SELECT md5(string_agg(f.part, ',' ORDER BY f.part))
FROM (
    SELECT 'c' || count(*) || ':' || coalesce(sum(hashint8extended(c.xmin::text::bigint, c.oid::bigint)), 0) AS part
    FROM pg_class c
    WHERE c.relnamespace IN (@namespaces@) AND c.relkind <> 'S' AND c.relpersistence <> 't'
    UNION ALL
    SELECT 'n' || count(*) || ':' || coalesce(sum(hashint8extended(xmin::text::bigint, oid::bigint)), 0)
    FROM pg_namespace WHERE oid IN (@namespaces@)
    UNION ALL
    SELECT 'a' || count(*) || ':' || coalesce(sum(hashint8extended(a.xmin::text::bigint, a.attrelid::bigint * 2048 + a.attnum)), 0)
    FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid
    WHERE c.relnamespace IN (@namespaces@) AND a.attnum > 0 AND c.relpersistence <> 't'
    UNION ALL
    SELECT 'k' || count(*) || ':' || coalesce(sum(hashint8extended(xmin::text::bigint, oid::bigint)), 0) FROM pg_constraint
    UNION ALL
    SELECT 't' || count(*) || ':' || coalesce(sum(hashint8extended(xmin::text::bigint, oid::bigint)), 0) FROM pg_type
    UNION ALL
    SELECT 'r' || count(*) || ':' || coalesce(sum(hashint8extended(xmin::text::bigint, oid::bigint)), 0) FROM pg_rewrite
    UNION ALL
    SELECT 'g' || count(*) || ':' || coalesce(sum(hashint8extended(xmin::text::bigint, oid::bigint)), 0) FROM pg_trigger
    UNION ALL
    SELECT 'p' || count(*) || ':' || coalesce(sum(hashint8extended(xmin::text::bigint, oid::bigint)), 0) FROM pg_proc
) f
