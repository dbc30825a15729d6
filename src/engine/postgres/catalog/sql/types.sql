-- Enum, composite, range, domain, base and shell types. Base types, and ranges with a canonical function, have a shell
-- as their stand-in: their functions need it, and they need their functions.
WITH labels AS (
    SELECT enumtypid, string_agg('    ' || quote_literal(enumlabel), E',\n' ORDER BY enumsortorder) AS list
    FROM pg_enum GROUP BY enumtypid
), fields AS (
    SELECT a.attrelid,
           string_agg(format('    %I %s', a.attname, format_type(a.atttypid, a.atttypmod) || @dimensions_of_a@)
                      || CASE WHEN a.attcollation <> t.typcollation
                              THEN (SELECT format(' COLLATE %I.%I', cn.nspname, co.collname)
                                    FROM pg_collation co JOIN pg_namespace cn ON cn.oid = co.collnamespace
                                    WHERE co.oid = a.attcollation)
                              ELSE '' END,
                      E',\n' ORDER BY a.attnum) AS list
    FROM pg_attribute a
    JOIN pg_class c ON c.oid = a.attrelid AND c.relkind = 'c'
    JOIN pg_type t ON t.oid = a.atttypid
    WHERE a.attnum > 0 AND NOT a.attisdropped
    GROUP BY a.attrelid
)
SELECT CASE t.typtype WHEN 'd' THEN 'domain' ELSE 'type' END AS kind,
       'pg_type'::regclass::oid AS classid, t.oid AS objid,
       format('%I.%I', n.nspname, t.typname) AS name,
       CASE t.typtype WHEN 'd' THEN 'DOMAIN ' ELSE 'TYPE ' END || format('%I.%I', n.nspname, t.typname) AS designation,
       quote_ident(pg_get_userbyid(t.typowner)) AS owner,
       @multirange_owner@ AS more_owner_sql,
       CASE t.typtype
       WHEN 'e' THEN format(E'CREATE TYPE %I.%I AS ENUM (\n', n.nspname, t.typname) || coalesce(l.list, '') || E'\n);'
       WHEN 'c' THEN format(E'CREATE TYPE %I.%I AS (\n', n.nspname, t.typname) || coalesce(f.list, '') || E'\n);'
       WHEN 'r' THEN format(E'CREATE TYPE %I.%I AS RANGE (\n    subtype = %s', n.nspname, t.typname,
                            format_type(r.rngsubtype, NULL))
           || coalesce((SELECT format(E',\n    subtype_opclass = %I.%I', on_.nspname, o.opcname)
                        FROM pg_opclass o JOIN pg_namespace on_ ON on_.oid = o.opcnamespace
                        WHERE o.oid = r.rngsubopc AND NOT o.opcdefault), '')
           || coalesce((SELECT format(E',\n    collation = %I.%I', cn.nspname, co.collname)
                        FROM pg_collation co JOIN pg_namespace cn ON cn.oid = co.collnamespace
                        JOIN pg_type st ON st.oid = r.rngsubtype
                        WHERE co.oid = r.rngcollation AND r.rngcollation <> st.typcollation), '')
           || CASE WHEN r.rngcanonical::oid <> 0 THEN E',\n    canonical = ' || r.rngcanonical::regproc ELSE '' END
           || CASE WHEN r.rngsubdiff::oid <> 0 THEN E',\n    subtype_diff = ' || r.rngsubdiff::regproc ELSE '' END
           || @multirange@
           || E'\n);'
       WHEN 'd' THEN format('CREATE DOMAIN %I.%I AS %s', n.nspname, t.typname,
                            format_type(t.typbasetype, t.typtypmod)
                                || CASE WHEN t.typndims > 1 THEN repeat('[]', t.typndims - 1) ELSE '' END)
           || CASE WHEN t.typcollation <> b.typcollation
                   THEN (SELECT format(' COLLATE %I.%I', cn.nspname, co.collname)
                         FROM pg_collation co JOIN pg_namespace cn ON cn.oid = co.collnamespace
                         WHERE co.oid = t.typcollation)
                   ELSE '' END
           || coalesce(' DEFAULT ' || pg_get_expr(t.typdefaultbin, 0),
                       CASE WHEN t.typdefault IS DISTINCT FROM b.typdefault THEN ' DEFAULT ' || quote_literal(t.typdefault) END, '')
           || CASE WHEN t.typnotnull THEN @domain_not_null_name@ || ' NOT NULL' ELSE '' END
           || coalesce((SELECT string_agg(format(E'\n    CONSTRAINT %I %s', k.conname, pg_get_constraintdef(k.oid)), ''
                                          ORDER BY k.conname)
                        FROM pg_constraint k WHERE k.contypid = t.oid AND k.oid IN (@domain_checks@)), '') || ';'
       WHEN 'p' THEN format('CREATE TYPE %I.%I;', n.nspname, t.typname)
       WHEN 'b' THEN format(E'CREATE TYPE %I.%I (\n    INPUT = %s,\n    OUTPUT = %s', n.nspname, t.typname,
                            t.typinput::regproc, t.typoutput::regproc)
           || CASE WHEN t.typreceive::oid <> 0 THEN E',\n    RECEIVE = ' || t.typreceive::regproc ELSE '' END
           || CASE WHEN t.typsend::oid <> 0 THEN E',\n    SEND = ' || t.typsend::regproc ELSE '' END
           || CASE WHEN t.typmodin::oid <> 0 THEN E',\n    TYPMOD_IN = ' || t.typmodin::regproc ELSE '' END
           || CASE WHEN t.typmodout::oid <> 0 THEN E',\n    TYPMOD_OUT = ' || t.typmodout::regproc ELSE '' END
           || CASE WHEN t.typanalyze::oid <> 0 THEN E',\n    ANALYZE = ' || t.typanalyze::regproc ELSE '' END
           || @typsubscript@
           || E',\n    INTERNALLENGTH = ' || CASE t.typlen WHEN -1 THEN 'VARIABLE' ELSE t.typlen::text END
           || CASE WHEN t.typbyval THEN E',\n    PASSEDBYVALUE' ELSE '' END
           || E',\n    ALIGNMENT = ' || CASE t.typalign WHEN 'c' THEN 'char' WHEN 's' THEN 'int2' WHEN 'i' THEN 'int4'
                                             ELSE 'double' END
           || E',\n    STORAGE = ' || CASE t.typstorage WHEN 'p' THEN 'plain' WHEN 'e' THEN 'external'
                                           WHEN 'm' THEN 'main' ELSE 'extended' END
           || E',\n    CATEGORY = ' || quote_literal(t.typcategory::text)
           || CASE WHEN t.typispreferred THEN E',\n    PREFERRED = true' ELSE '' END
           || coalesce(E',\n    DEFAULT = ' || quote_literal(t.typdefault), '')
           || CASE WHEN t.typelem <> 0 THEN E',\n    ELEMENT = ' || format_type(t.typelem, NULL) ELSE '' END
           || CASE WHEN t.typdelim <> ',' THEN E',\n    DELIMITER = ' || quote_literal(t.typdelim::text) ELSE '' END
           || CASE WHEN t.typcollation <> 0 THEN E',\n    COLLATABLE = true' ELSE '' END
           || E'\n);'
       END AS definition,
       CASE WHEN t.typtype = 'b' OR r.rngcanonical::oid <> 0 THEN format('CREATE TYPE %I.%I;', n.nspname, t.typname)
       END AS stand_in
FROM pg_type t
JOIN pg_namespace n ON n.oid = t.typnamespace
LEFT JOIN labels l ON l.enumtypid = t.oid
LEFT JOIN pg_class c ON c.oid = t.typrelid
LEFT JOIN fields f ON f.attrelid = t.typrelid
LEFT JOIN pg_range r ON r.rngtypid = t.oid
LEFT JOIN pg_type b ON b.oid = t.typbasetype
WHERE t.typnamespace IN (@namespaces@)
  AND (t.typtype IN ('e', 'd', 'r') OR (t.typtype = 'c' AND c.relkind = 'c') OR (t.typtype = 'p' AND NOT t.typisdefined)
       OR (t.typtype = 'b' AND NOT EXISTS (SELECT FROM pg_type el WHERE el.typarray = t.oid)))
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_type'::regclass AND e.objid = t.oid AND e.deptype = 'e')
