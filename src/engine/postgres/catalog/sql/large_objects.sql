-- Large objects, by the thousand: their numbers stay what they are, because rows refer to them
WITH pages AS (
    SELECT m.oid::bigint / 1000 AS page,
           string_agg(format('SELECT pg_catalog.lo_create(%s);', m.oid), E'\n' ORDER BY m.oid) AS creation,
           string_agg(format('ALTER LARGE OBJECT %s OWNER TO %I;', m.oid, pg_get_userbyid(m.lomowner)), E'\n'
                      ORDER BY m.oid) AS ownership,
           string_agg(format('COMMENT ON LARGE OBJECT %s IS %L;', m.oid, obj_description(m.oid, 'pg_largeobject')), E'\n'
                      ORDER BY m.oid) FILTER (WHERE obj_description(m.oid, 'pg_largeobject') IS NOT NULL) AS comments
    FROM pg_largeobject_metadata m
    WHERE @may_read_m@
    GROUP BY m.oid::bigint / 1000
)
SELECT 'large-objects' AS kind, 4 AS classid, p.page::text AS objid,
       format('%s to %s', p.page * 1000, p.page * 1000 + 999) AS name,
       p.creation AS definition, p.ownership AS owner_sql, NULL AS on_identity, NULL AS needs
FROM pages p
UNION ALL
SELECT 'comment', 0, p.page::text, format('large-objects %s to %s', p.page * 1000, p.page * 1000 + 999),
       p.comments, NULL, format('large-objects %s to %s', p.page * 1000, p.page * 1000 + 999), '4:' || p.page
FROM pages p
WHERE p.comments IS NOT NULL
