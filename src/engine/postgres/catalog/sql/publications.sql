-- Publications: what is published of which tables and schemas
SELECT 'publication' AS kind, 'pg_publication'::regclass::oid AS classid, p.oid AS objid, quote_ident(p.pubname) AS name,
       'PUBLICATION ' || quote_ident(p.pubname) AS designation,
       quote_ident(pg_get_userbyid(p.pubowner)) AS owner,
       format('CREATE PUBLICATION %I%s WITH (publish = %L', p.pubname,
              CASE WHEN p.puballtables THEN ' FOR ALL TABLES' ELSE '' END,
              concat_ws(', ', CASE WHEN p.pubinsert THEN 'insert' END, CASE WHEN p.pubupdate THEN 'update' END,
                        CASE WHEN p.pubdelete THEN 'delete' END, CASE WHEN p.pubtruncate THEN 'truncate' END))
           || CASE WHEN p.pubviaroot THEN ', publish_via_partition_root = true' ELSE '' END
           || @pubgencols@ || ');'
           || coalesce((SELECT string_agg(@published_table@, '' ORDER BY r.prrelid::regclass::text)
                        FROM pg_publication_rel r
                        CROSS JOIN LATERAL (
                            SELECT format(E'\nALTER PUBLICATION %I ADD TABLE %s%s', p.pubname, @only_of_c@, c.oid::regclass) AS text
                            FROM pg_class c WHERE c.oid = r.prrelid
                        ) t
                        WHERE r.prpubid = p.oid), '')
           || @pubschemas@ AS definition
FROM pg_publication p
WHERE p.pubname !~ '^hornbeam_[0-9a-f]{12}$' -- what the log is kept with is no content
  AND NOT EXISTS (SELECT FROM pg_depend e WHERE e.classid = 'pg_publication'::regclass AND e.objid = p.oid
                                            AND e.deptype = 'e')
