-- Enum, composite, range and domain types
WITH labels AS (
    SELECT enumtypid, string_agg('    ' || quote_literal(enumlabel), E',\n' ORDER BY enumsortorder) AS list
    FROM pg_enum GROUP BY enumtypid
), fields AS (
    SELECT a.attrelid,
           string_agg(format('    %I %s', a.attname, format_type(a.atttypid, a.atttypmod))
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
           || CASE WHEN r.rngsubdiff::oid <> 0 THEN E',\n    subtype_diff = ' || r.rngsubdiff::regproc ELSE '' END
           || @multirange@
           || E'\n);'
       WHEN 'd' THEN format('CREATE DOMAIN %I.%I AS %s', n.nspname, t.typname,
                            format_type(t.typbasetype, t.typtypmod))
           || CASE WHEN t.typcollation <> b.typcollation
                   THEN (SELECT format(' COLLATE %I.%I', cn.nspname, co.collname)
                         FROM pg_collation co JOIN pg_namespace cn ON cn.oid = co.collnamespace
                         WHERE co.oid = t.typcollation)
                   ELSE '' END
           || coalesce(' DEFAULT ' || pg_get_expr(t.typdefaultbin, 0), ' DEFAULT ' || t.typdefault, '')
           || CASE WHEN t.typnotnull THEN ' NOT NULL' ELSE '' END
           || coalesce((SELECT string_agg(format(E'\n    CONSTRAINT %I %s', k.conname, pg_get_constraintdef(k.oid)), ''
                                          ORDER BY k.conname)
                        FROM pg_constraint k WHERE k.contypid = t.oid AND k.oid IN (@domain_checks@)), '') || ';'
       END AS definition
FROM pg_type t
JOIN pg_namespace n ON n.oid = t.typnamespace
LEFT JOIN labels l ON l.enumtypid = t.oid
LEFT JOIN pg_class c ON c.oid = t.typrelid
LEFT JOIN fields f ON f.attrelid = t.typrelid
LEFT JOIN pg_range r ON r.rngtypid = t.oid
LEFT JOIN pg_type b ON b.oid = t.typbasetype
WHERE t.typnamespace IN (@namespaces@)
  AND (t.typtype IN ('e', 'd') OR (t.typtype = 'c' AND c.relkind = 'c')
       OR (t.typtype = 'r' AND r.rngcanonical::oid = 0))
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_type'::regclass AND e.objid = t.oid AND e.deptype = 'e')
