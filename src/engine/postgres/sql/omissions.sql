-- What stands in the database and is not carried: all objects that somebody made, of the kinds that no other query reads
WITH made AS (
    SELECT 'pg_cast'::regclass::oid AS classid, oid FROM pg_cast
    UNION ALL SELECT 'pg_conversion'::regclass, oid FROM pg_conversion
    UNION ALL SELECT 'pg_operator'::regclass, oid FROM pg_operator
    UNION ALL SELECT 'pg_opclass'::regclass, oid FROM pg_opclass
    UNION ALL SELECT 'pg_opfamily'::regclass, oid FROM pg_opfamily
    UNION ALL SELECT 'pg_am'::regclass, oid FROM pg_am
    UNION ALL SELECT 'pg_language'::regclass, oid FROM pg_language
    UNION ALL SELECT 'pg_transform'::regclass, oid FROM pg_transform
    UNION ALL SELECT 'pg_ts_parser'::regclass, oid FROM pg_ts_parser
    UNION ALL SELECT 'pg_ts_dict'::regclass, oid FROM pg_ts_dict
    UNION ALL SELECT 'pg_ts_template'::regclass, oid FROM pg_ts_template
    UNION ALL SELECT 'pg_ts_config'::regclass, oid FROM pg_ts_config
    UNION ALL SELECT 'pg_foreign_data_wrapper'::regclass, oid FROM pg_foreign_data_wrapper
    UNION ALL SELECT 'pg_foreign_server'::regclass, oid FROM pg_foreign_server
    UNION ALL SELECT 'pg_user_mapping'::regclass, umid FROM pg_user_mappings
    UNION ALL SELECT 'pg_publication'::regclass, oid FROM pg_publication
    UNION ALL SELECT 'pg_subscription'::regclass, s.oid FROM pg_subscription s
              JOIN pg_database b ON b.oid = s.subdbid WHERE b.datname = current_database()
    UNION ALL SELECT 'pg_class'::regclass, oid FROM pg_class WHERE relkind = 'f'
    UNION ALL SELECT 'pg_type'::regclass, t.oid FROM pg_type t LEFT JOIN pg_range r ON r.rngtypid = t.oid
              WHERE (t.typtype = 'p' OR (t.typtype = 'b' AND t.typelem = 0) OR r.rngcanonical::oid <> 0)
                AND t.typnamespace IN (@namespaces@)
    UNION ALL SELECT 'pg_statistic_ext'::regclass, s.oid FROM pg_statistic_ext s
              JOIN pg_class c ON c.oid = s.stxrelid WHERE c.relkind NOT IN ('r', 'p')
    UNION ALL SELECT 'pg_trigger'::regclass, t.oid FROM pg_trigger t JOIN pg_class c ON c.oid = t.tgrelid
              WHERE c.relkind = 'f' AND NOT t.tgisinternal
)
SELECT pg_describe_object(m.classid, m.oid, 0) AS what, 'this kind of object is not carried yet' AS why
FROM made m
WHERE m.oid >= 16384
  AND NOT EXISTS (SELECT FROM pg_depend e WHERE e.classid = m.classid AND e.objid = m.oid AND e.deptype IN ('e', 'i'))
UNION ALL
SELECT count(*) || ' large objects', 'large objects are not carried yet' FROM pg_largeobject_metadata HAVING count(*) > 0
UNION ALL
SELECT count(*) || ' security labels', 'security labels are not carried yet' FROM pg_seclabel HAVING count(*) > 0
UNION ALL
SELECT 'index ' || x.oid::regclass, 'it is invalid: its creation once failed, so there is nothing to copy'
FROM pg_index i JOIN pg_class x ON x.oid = i.indexrelid
WHERE NOT i.indisvalid AND x.relkind = 'i' AND x.relnamespace IN (@namespaces@)
UNION ALL
SELECT 'tablespace of ' || pg_describe_object('pg_class'::regclass, c.oid, 0),
       'tablespaces are not carried yet: the target''s default is used'
FROM pg_class c WHERE c.reltablespace <> 0 AND c.relnamespace IN (@namespaces@)
UNION ALL
SELECT 'rows of configuration table ' || t.oid::regclass, 'rows that belong to an extension are not carried yet'
FROM pg_extension x, unnest(x.extconfig) AS c(oid) JOIN pg_class t ON t.oid = c.oid AND t.relkind = 'r'
WHERE pg_relation_size(t.oid) > 0
UNION ALL
SELECT 'changed rights on ' || pg_describe_object(i.classoid, i.objoid, 0),
       'rights on an extension''s own objects are not carried yet'
FROM pg_init_privs i
LEFT JOIN pg_class c ON i.classoid = 'pg_class'::regclass AND c.oid = i.objoid AND i.objsubid = 0
LEFT JOIN pg_proc p ON i.classoid = 'pg_proc'::regclass AND p.oid = i.objoid
WHERE i.privtype = 'e' AND i.objsubid = 0 AND coalesce(c.relacl, p.proacl)::text IS DISTINCT FROM i.initprivs::text
  AND (c.oid IS NOT NULL OR p.oid IS NOT NULL)
ORDER BY 1
