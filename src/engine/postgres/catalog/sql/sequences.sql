-- Sequences that are not part of an identity column
SELECT 'sequence' AS kind, 'pg_class'::regclass::oid AS classid, c.oid AS objid,
       c.oid::regclass::text AS name,
       'SEQUENCE ' || c.oid::regclass AS designation,
       quote_ident(pg_get_userbyid(c.relowner)) AS owner,
       format('CREATE %sSEQUENCE %s AS %s START WITH %s INCREMENT BY %s MINVALUE %s MAXVALUE %s CACHE %s%s;',
              CASE c.relpersistence WHEN 'u' THEN format(@since@, 150000, 'UNLOGGED ', '', 'it is logged') ELSE '' END,
              c.oid::regclass, format_type(s.seqtypid, NULL), s.seqstart, s.seqincrement, s.seqmin, s.seqmax,
              s.seqcache, CASE WHEN s.seqcycle THEN ' CYCLE' ELSE '' END) AS definition
FROM pg_class c
JOIN pg_sequence s ON s.seqrelid = c.oid
WHERE c.relnamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype IN ('e', 'i'))
