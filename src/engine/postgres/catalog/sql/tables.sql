-- Ordinary, partitioned and foreign tables. A partition is created as a table of its own and attached afterwards, so that its
-- columns may have an order of their own; so is a child whose inherited columns do not come first.
WITH inlined AS (
    @inlined@
), column_texts AS (
    SELECT a.attrelid, a.attnum, a.attislocal AS is_local, a.attinhcount > 0 AS is_inherited, i.oid IS NOT NULL AS is_inlined,
           format('%I %s', a.attname, format_type(a.atttypid, a.atttypmod) || @dimensions_of_a@)
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
           || @not_null_of_a@ || CASE WHEN @null_unlike_parent_of_a@ THEN ' NOT NULL' ELSE '' END AS text,
           CASE WHEN a.attnotnull AND NOT a.attislocal AND i.oid IS NOT NULL AND @own_not_null_of_a@
                THEN format(E'\nALTER TABLE %s ALTER COLUMN %I SET NOT NULL;', c.oid::regclass, a.attname)
                ELSE '' END
           || CASE WHEN a.attstorage <> t.typstorage
                   THEN format(E'\nALTER TABLE %s ALTER COLUMN %I SET STORAGE %s;', c.oid::regclass, a.attname,
                               CASE a.attstorage WHEN 'p' THEN 'PLAIN' WHEN 'e' THEN 'EXTERNAL'
                                    WHEN 'm' THEN 'MAIN' ELSE 'EXTENDED' END)
                   ELSE '' END
           || CASE WHEN a.attstattarget >= 0
                   THEN format(E'\nALTER TABLE %s ALTER COLUMN %I SET STATISTICS %s;', c.oid::regclass,
                               a.attname, a.attstattarget)
                   ELSE '' END
           || coalesce((SELECT format(E'\nALTER TABLE %s ALTER COLUMN %I SET (', c.oid::regclass, a.attname)
                               || string_agg(o, ', ') || ');'
                        FROM unnest(a.attoptions) o WHERE o ~ '^n_distinct(_inherited)?='), '')
           || @logging_of_q@
           || CASE WHEN NOT c.relispartition AND @null_unlike_parent_of_a@
                   THEN format(@since@, 180000, '', format(E'\nALTER TABLE %s ALTER COLUMN %I DROP NOT NULL;',
                                                           c.oid::regclass, a.attname), '')
                   ELSE '' END
           || CASE WHEN a.attgenerated <> '' AND NOT a.attislocal AND NOT c.relispartition
                        AND @generated_otherwise_than_parent_of_a@
                   THEN format(@since@, 170000, format(E'\nALTER TABLE %s ALTER COLUMN %I SET EXPRESSION AS (%s);',
                                                       c.oid::regclass, a.attname, pg_get_expr(d.adbin, d.adrelid)),
                               '', format('the generated column %I gets the expression of its parent', a.attname))
                   ELSE '' END AS extra
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
), columns AS (
    SELECT attrelid,
           string_agg('    ' || text, E',\n' ORDER BY attnum) FILTER (WHERE is_local OR NOT is_inlined) AS list,
           string_agg(extra, '' ORDER BY attnum) AS extras
    FROM column_texts
    GROUP BY attrelid
), layers AS (
    -- Of a child that got columns of its own before its parent got some: each column in its turn, those of parents through
    -- a stand-in for all of them, so that they come as inherited ones
    SELECT l.attrelid,
           string_agg('    ' || l.text, E',\n' ORDER BY l.attnum) FILTER (WHERE l.is_early) AS of_stand_in,
           string_agg('    ' || l.text, E',\n' ORDER BY l.attnum) FILTER (WHERE l.is_early AND l.is_local) AS of_child,
           string_agg(CASE WHEN l.is_local OR NOT l.is_inherited
                           THEN format(E'\nALTER TABLE %s ADD COLUMN %s;', l.attrelid::regclass, l.text) ELSE '' END
                      || CASE WHEN l.is_inherited
                              THEN format(E'\nALTER TABLE %s ADD COLUMN %s;', l.stand_in, l.text) ELSE '' END,
                      '' ORDER BY l.attnum) FILTER (WHERE NOT l.is_early) AS later,
           min(l.stand_in) AS stand_in
    FROM (SELECT t.*, format('%I.%I', n.nspname, 'stand-in of ' || c.relname) AS stand_in,
                 t.attnum < min(t.attnum) FILTER (WHERE NOT t.is_inherited) OVER (PARTITION BY t.attrelid) AS is_early
          FROM column_texts t
          JOIN pg_class c ON c.oid = t.attrelid
          JOIN pg_namespace n ON n.oid = c.relnamespace
          WHERE t.attrelid IN (@layered@)) l
    GROUP BY l.attrelid
), parents AS (
    SELECT h.inhrelid, string_agg(h.inhparent::regclass::text, ', ' ORDER BY h.inhseqno) AS list,
           string_agg(format(E'\nALTER TABLE %s INHERIT %s;', h.inhrelid::regclass, h.inhparent::regclass), ''
                      ORDER BY h.inhseqno) AS attachments
    FROM pg_inherits h
    WHERE h.inhrelid IN (@inlined@) OR h.inhrelid IN (@layered@)
    GROUP BY h.inhrelid
)
SELECT @kind_of_c@ AS kind, 'pg_class'::regclass::oid AS classid, c.oid AS objid,
       c.oid::regclass::text AS name,
       @sql_kind_of_c@ || ' ' || c.oid::regclass AS designation,
       quote_ident(pg_get_userbyid(c.relowner)) AS owner,
       CASE WHEN g.own THEN 160000
            WHEN EXISTS (SELECT FROM pg_attribute v JOIN pg_type vt ON vt.oid = v.atttypid
                         LEFT JOIN pg_type ve ON ve.oid = vt.typelem
                         WHERE v.attrelid = c.oid AND v.attnum > 0 AND NOT v.attisdropped AND v.atttypid < 16384
                           AND 'm' IN (vt.typtype, ve.typtype))
            THEN 140000 END AS since,
       CASE WHEN g.own THEN 'a generated column of it has another expression than its parent''s'
            ELSE 'it has a column of a multirange type' END AS since_why,
       CASE WHEN g.alone THEN 160000 END AS until,
       'a column of it is generated, and that of its parent is not' AS until_why,
       coalesce('SET default_tablespace = ' || quote_ident(ts.spcname) || E';\n', '')
           || coalesce('CREATE TABLE ' || y.stand_in || ' (' || coalesce(E'\n' || y.of_stand_in || E'\n', '') || E');\n', '')
           || 'CREATE ' || CASE c.relpersistence WHEN 'u' THEN 'UNLOGGED ' ELSE '' END || @sql_kind_of_c@ || ' ' || c.oid::regclass || ' ('
           || coalesce(E'\n' || CASE WHEN y.attrelid IS NULL THEN k.list ELSE y.of_child END || E'\n', '') || ')'
           || coalesce(E'\nINHERITS (' || coalesce(y.stand_in, p.list) || ')', '')
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
                   THEN format(E'\nALTER TABLE %s OF %s;', c.oid::regclass, format_type(c.reloftype, NULL))
                   ELSE '' END
           || coalesce(y.later || p.attachments
                       || format(E'\nALTER TABLE %s NO INHERIT %s;\nDROP TABLE %2$s;', c.oid::regclass, y.stand_in), '')
           || coalesce(k.extras, '')
           || CASE WHEN ts.oid IS NOT NULL THEN E'\nRESET default_tablespace;' ELSE '' END AS definition
FROM pg_class c
LEFT JOIN columns k ON k.attrelid = c.oid
LEFT JOIN layers y ON y.attrelid = c.oid
LEFT JOIN parents p ON p.inhrelid = c.oid
LEFT JOIN pg_am m ON m.oid = c.relam
LEFT JOIN (SELECT h.inhrelid, bool_or(x.own AND x.is_local) AS own, bool_or(x.alone) AS alone
           FROM pg_inherits h, @generation_of_h@ x
           WHERE h.inhrelid IN (@inlined@) OR h.inhrelid IN (@layered@)
           GROUP BY h.inhrelid) g ON g.inhrelid = c.oid
LEFT JOIN pg_tablespace ts ON ts.oid = c.reltablespace
LEFT JOIN pg_foreign_table ft ON ft.ftrelid = c.oid
LEFT JOIN pg_foreign_server fs ON fs.oid = ft.ftserver
LEFT JOIN pg_class toast ON toast.oid = c.reltoastrelid
WHERE c.relkind IN ('r', 'p', 'f') AND c.relnamespace IN (@namespaces@) AND c.relpersistence <> 't'
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e')
