-- Ordinary, partitioned and foreign tables. A partition is created as a table of its own and attached afterwards, so that its
-- columns may have an order of their own; so is a child whose inherited columns do not come first.
WITH inlined AS (
    @inlined@
), columns AS (
    SELECT a.attrelid,
           string_agg(
               format('    %I %s', a.attname, format_type(a.atttypid, a.atttypmod) || @dimensions_of_a@)
               || coalesce((SELECT format(' OPTIONS (%s)', o.list)
                            FROM (SELECT a.attfdwoptions AS options) s, @options_of_s@ o WHERE o.list IS NOT NULL), '')
               || CASE WHEN a.attcollation <> t.typcollation
                       THEN (SELECT format(' COLLATE %I.%I', cn.nspname, co.collname)
                             FROM pg_collation co JOIN pg_namespace cn ON cn.oid = co.collnamespace
                             WHERE co.oid = a.attcollation)
                       ELSE '' END
               || CASE @attcompression@
                  WHEN 'p' THEN format(@since@, 140000, ' COMPRESSION pglz', '', '')
                  WHEN 'l' THEN format(@since@, 140000, ' COMPRESSION lz4', '', format('compression lz4 of column %I', a.attname))
                  ELSE '' END
               || CASE a.attgenerated
                  WHEN 's' THEN format(' GENERATED ALWAYS AS (%s) STORED', pg_get_expr(d.adbin, d.adrelid))
                  WHEN 'v' THEN format(' GENERATED ALWAYS AS (%s) ', pg_get_expr(d.adbin, d.adrelid))
                       || format(@since@, 180000, 'VIRTUAL', 'STORED',
                                 format('the generated column %I is stored instead of virtual', a.attname))
                  ELSE '' END
               || CASE WHEN a.attidentity <> '' AND NOT c.relispartition
                  THEN format(' GENERATED %s AS IDENTITY (SEQUENCE NAME %s START WITH %s INCREMENT BY %s'
                              ' MINVALUE %s MAXVALUE %s CACHE %s%s)',
                              CASE a.attidentity WHEN 'a' THEN 'ALWAYS' ELSE 'BY DEFAULT' END, q.seqrelid::regclass,
                              q.seqstart, q.seqincrement, q.seqmin, q.seqmax, q.seqcache,
                              CASE WHEN q.seqcycle THEN ' CYCLE' ELSE '' END)
                  ELSE '' END
               || @not_null_of_a@,
               E',\n' ORDER BY a.attnum) FILTER (WHERE a.attislocal OR i.oid IS NULL) AS list,
           string_agg(
               CASE WHEN a.attnotnull AND NOT a.attislocal AND i.oid IS NOT NULL AND @own_not_null_of_a@
                    THEN format(E'\nALTER TABLE ONLY %s ALTER COLUMN %I SET NOT NULL;', c.oid::regclass, a.attname)
                    ELSE '' END
               || CASE WHEN a.attstorage <> t.typstorage
                       THEN format(E'\nALTER TABLE ONLY %s ALTER COLUMN %I SET STORAGE %s;', c.oid::regclass, a.attname,
                                   CASE a.attstorage WHEN 'p' THEN 'PLAIN' WHEN 'e' THEN 'EXTERNAL'
                                        WHEN 'm' THEN 'MAIN' ELSE 'EXTENDED' END)
                       ELSE '' END
               || CASE WHEN a.attstattarget >= 0
                       THEN format(E'\nALTER TABLE ONLY %s ALTER COLUMN %I SET STATISTICS %s;', c.oid::regclass,
                                   a.attname, a.attstattarget)
                       ELSE '' END
               || coalesce((SELECT format(E'\nALTER TABLE ONLY %s ALTER COLUMN %I SET (', c.oid::regclass, a.attname)
                                   || string_agg(o, ', ') || ');'
                            FROM unnest(a.attoptions) o WHERE o ~ '^n_distinct(_inherited)?='), '')
               || @logging_of_q@,
               '' ORDER BY a.attnum) AS extras
    FROM pg_attribute a
    JOIN pg_class c ON c.oid = a.attrelid AND c.relkind IN ('r', 'p', 'f') AND c.relnamespace IN (@namespaces@)
    JOIN pg_type t ON t.oid = a.atttypid
    LEFT JOIN inlined i ON i.oid = a.attrelid
    LEFT JOIN pg_attrdef d ON a.attgenerated <> '' AND d.adrelid = a.attrelid AND d.adnum = a.attnum
    LEFT JOIN pg_depend dq ON a.attidentity <> '' AND dq.refclassid = 'pg_class'::regclass
         AND dq.refobjid = a.attrelid AND dq.refobjsubid = a.attnum AND dq.deptype = 'i'
         AND dq.classid = 'pg_class'::regclass
    LEFT JOIN pg_sequence q ON q.seqrelid = dq.objid
    WHERE a.attnum > 0 AND NOT a.attisdropped
    GROUP BY a.attrelid
), parents AS (
    SELECT h.inhrelid, string_agg(h.inhparent::regclass::text, ', ' ORDER BY h.inhseqno) AS list
    FROM pg_inherits h JOIN inlined i ON i.oid = h.inhrelid
    GROUP BY h.inhrelid
)
SELECT @kind_of_c@ AS kind, 'pg_class'::regclass::oid AS classid, c.oid AS objid,
       c.oid::regclass::text AS name,
       @sql_kind_of_c@ || ' ' || c.oid::regclass AS designation,
       quote_ident(pg_get_userbyid(c.relowner)) AS owner,
       CASE WHEN EXISTS (SELECT FROM pg_attribute v JOIN pg_type vt ON vt.oid = v.atttypid
                         LEFT JOIN pg_type ve ON ve.oid = vt.typelem
                         WHERE v.attrelid = c.oid AND v.attnum > 0 AND NOT v.attisdropped AND v.atttypid < 16384
                           AND 'm' IN (vt.typtype, ve.typtype))
            THEN 140000 END AS since, 'it has a column of a multirange type' AS since_why,
       coalesce('SET default_tablespace = ' || quote_ident(ts.spcname) || E';\n', '')
           || 'CREATE ' || CASE c.relpersistence WHEN 'u' THEN 'UNLOGGED ' ELSE '' END || @sql_kind_of_c@ || ' ' || c.oid::regclass || ' ('
           || coalesce(E'\n' || k.list || E'\n', '') || ')'
           || coalesce(E'\nINHERITS (' || p.list || ')', '')
           || CASE WHEN c.relkind = 'p' THEN E'\nPARTITION BY ' || pg_get_partkeydef(c.oid) ELSE '' END
           || coalesce(E'\nSERVER ' || quote_ident(fs.srvname), '')
           || coalesce((SELECT format(E'\nOPTIONS (%s)', o.list)
                        FROM (SELECT ft.ftoptions AS options) s, @options_of_s@ o WHERE o.list IS NOT NULL), '')
           || CASE WHEN m.amname <> 'heap' THEN E'\nUSING ' || quote_ident(m.amname) ELSE '' END
           || coalesce(E'\nWITH (' || (
                  SELECT string_agg(o.prefix || split_part(o.text, '=', 1) || '='
                                    || quote_literal(substr(o.text, strpos(o.text, '=') + 1)), ', ' ORDER BY o.at)
                  FROM (SELECT '' AS prefix, x.text, x.at FROM unnest(c.reloptions) WITH ORDINALITY AS x(text, at)
                        UNION ALL
                        SELECT 'toast.', x.text, 1000 + x.at FROM unnest(toast.reloptions) WITH ORDINALITY AS x(text, at)
                       ) o) || ')', '')
           || ';'
           || CASE WHEN c.reloftype <> 0
                   THEN format(E'\nALTER TABLE ONLY %s OF %s;', c.oid::regclass, format_type(c.reloftype, NULL))
                   ELSE '' END
           || coalesce(k.extras, '')
           || CASE WHEN ts.oid IS NOT NULL THEN E'\nRESET default_tablespace;' ELSE '' END AS definition
FROM pg_class c
LEFT JOIN columns k ON k.attrelid = c.oid
LEFT JOIN parents p ON p.inhrelid = c.oid
LEFT JOIN pg_am m ON m.oid = c.relam
LEFT JOIN pg_tablespace ts ON ts.oid = c.reltablespace
LEFT JOIN pg_foreign_table ft ON ft.ftrelid = c.oid
LEFT JOIN pg_foreign_server fs ON fs.oid = ft.ftserver
LEFT JOIN pg_class toast ON toast.oid = c.reltoastrelid
WHERE c.relkind IN ('r', 'p', 'f') AND c.relnamespace IN (@namespaces@) AND c.relpersistence <> 't'
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e')
