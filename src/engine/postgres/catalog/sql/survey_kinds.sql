-- How many objects there are of each kind, for a survey
SELECT k.kind, k.count FROM (
SELECT CASE c.relkind WHEN 'r' THEN 'tables' WHEN 'p' THEN 'partitioned tables' WHEN 'v' THEN 'views'
  WHEN 'm' THEN 'materialized views' WHEN 'S' THEN 'sequences' WHEN 'f' THEN 'foreign tables'
  WHEN 'i' THEN 'indexes' WHEN 'I' THEN 'partitioned indexes' WHEN 'c' THEN 'composite types' END AS kind,
  count(*) AS count, 1 AS rank
FROM pg_class c WHERE c.relnamespace IN (@namespaces@) AND c.relpersistence <> 't' AND c.relkind <> 't'
  AND NOT EXISTS (SELECT FROM pg_depend e WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid
                  AND e.deptype = 'e')
GROUP BY c.relkind
UNION ALL SELECT CASE p.prokind WHEN 'p' THEN 'procedures' WHEN 'a' THEN 'aggregates'
  WHEN 'w' THEN 'window functions' ELSE 'functions' END, count(*), 2 FROM pg_proc p
  WHERE p.pronamespace IN (@namespaces@) AND NOT EXISTS (SELECT FROM pg_depend e
    WHERE e.classid = 'pg_proc'::regclass AND e.objid = p.oid AND e.deptype IN ('e', 'i')) GROUP BY p.prokind
UNION ALL SELECT CASE t.typtype WHEN 'd' THEN 'domains' WHEN 'e' THEN 'enum types' ELSE 'range types' END,
  count(*), 3 FROM pg_type t WHERE t.typnamespace IN (@namespaces@) AND t.typtype IN ('d', 'e', 'r')
  AND NOT EXISTS (SELECT FROM pg_depend e WHERE e.classid = 'pg_type'::regclass AND e.objid = t.oid
                  AND e.deptype = 'e') GROUP BY t.typtype
UNION ALL SELECT CASE k.contype WHEN 'c' THEN 'check constraints' WHEN 'p' THEN 'primary keys'
  WHEN 'u' THEN 'unique constraints' WHEN 'x' THEN 'exclusion constraints' ELSE 'foreign keys' END,
  count(*), 4 FROM pg_constraint k WHERE k.connamespace IN (@namespaces@)
  AND k.contype IN ('c', 'p', 'u', 'x', 'f') AND (k.contype <> 'f' OR k.conparentid = 0)
  AND (k.contype <> 'c' OR k.conislocal OR k.conrelid = 0) GROUP BY k.contype
UNION ALL SELECT 'triggers', count(*), 5 FROM pg_trigger t JOIN pg_class c ON c.oid = t.tgrelid
  WHERE NOT t.tgisinternal AND t.tgparentid = 0 AND c.relnamespace IN (@namespaces@)
UNION ALL SELECT 'rules', count(*), 5 FROM pg_rewrite r JOIN pg_class c ON c.oid = r.ev_class
  WHERE r.rulename <> '_RETURN' AND c.relnamespace IN (@namespaces@)
UNION ALL SELECT 'policies', count(*), 5 FROM pg_policy
UNION ALL SELECT 'event triggers', count(*), 5 FROM pg_event_trigger
UNION ALL SELECT 'schemas', count(*), 0 FROM pg_namespace n WHERE n.oid IN (@namespaces@)
UNION ALL SELECT 'large objects', count(*), 6 FROM pg_largeobject_metadata
UNION ALL SELECT CASE m.classid WHEN 'pg_operator'::regclass THEN 'operators' WHEN 'pg_opclass'::regclass
  THEN 'operator classes' WHEN 'pg_cast'::regclass THEN 'casts' WHEN 'pg_ts_config'::regclass
  THEN 'text search configurations' WHEN 'pg_ts_dict'::regclass THEN 'text search dictionaries'
  WHEN 'pg_foreign_server'::regclass THEN 'foreign servers' WHEN 'pg_publication'::regclass THEN 'publications'
  WHEN 'pg_subscription'::regclass THEN 'subscriptions' WHEN 'pg_language'::regclass THEN 'languages'
  WHEN 'pg_collation'::regclass THEN 'collations' ELSE 'extended statistics' END, count(*), 6
  FROM (SELECT 'pg_operator'::regclass AS classid, oid FROM pg_operator
    UNION ALL SELECT 'pg_opclass'::regclass, oid FROM pg_opclass UNION ALL SELECT 'pg_cast'::regclass, k.oid FROM pg_cast k
      WHERE NOT EXISTS (SELECT FROM pg_depend e WHERE e.classid = 'pg_cast'::regclass AND e.objid = k.oid AND e.deptype = 'i')
    UNION ALL SELECT 'pg_ts_config'::regclass, oid FROM pg_ts_config
    UNION ALL SELECT 'pg_ts_dict'::regclass, oid FROM pg_ts_dict
    UNION ALL SELECT 'pg_foreign_server'::regclass, oid FROM pg_foreign_server
    UNION ALL SELECT 'pg_publication'::regclass, oid FROM pg_publication
    UNION ALL SELECT 'pg_subscription'::regclass, b.oid FROM pg_subscription b JOIN pg_database d ON d.oid = b.subdbid
      WHERE d.datname = current_database()
    UNION ALL SELECT 'pg_language'::regclass, oid FROM pg_language
    UNION ALL SELECT 'pg_collation'::regclass, oid FROM pg_collation
    UNION ALL SELECT 'pg_statistic_ext'::regclass, oid FROM pg_statistic_ext) m
  WHERE m.oid >= 16384 AND NOT EXISTS (SELECT FROM pg_depend e WHERE e.classid = m.classid AND e.objid = m.oid
                                       AND e.deptype = 'e') GROUP BY m.classid
) k WHERE k.count > 0 AND k.kind IS NOT NULL ORDER BY k.rank, k.kind
