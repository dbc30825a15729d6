-- A partition's index joined to the index of the partitioned table
SELECT 'index-attachment' AS kind, 'pg_inherits'::regclass::oid AS classid, h.inhrelid AS objid,
       h.inhrelid::regclass::text AS name,
       'table ' || i.indrelid::regclass AS on_identity,
       format('ALTER INDEX %s ATTACH PARTITION %s;', h.inhparent::regclass, h.inhrelid::regclass) AS definition,
       format('%s:%s,%s:%s', 'pg_class'::regclass::oid, h.inhrelid, 'pg_class'::regclass::oid, h.inhparent)
           || coalesce((SELECT string_agg(format(',%s:%s', 'pg_inherits'::regclass::oid, below.inhrelid), '')
                        FROM pg_inherits below WHERE below.inhparent = h.inhrelid), '') AS needs
FROM pg_inherits h
JOIN pg_class x ON x.oid = h.inhrelid AND x.relkind IN ('i', 'I')
JOIN pg_index i ON i.indexrelid = x.oid
WHERE x.relnamespace IN (@namespaces@)
