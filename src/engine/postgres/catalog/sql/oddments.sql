-- Extended statistics (a NULL target counts as none), replica identities, event triggers
SELECT 'statistics' AS kind, 'pg_statistic_ext'::regclass::oid AS classid, s.oid AS objid,
       format('%I.%I', n.nspname, s.stxname) AS name,
       format('STATISTICS %I.%I', n.nspname, s.stxname) AS designation,
       @kind_of_c@ || ' ' || c.oid::regclass AS on_identity,
       quote_ident(pg_get_userbyid(s.stxowner)) AS owner,
       pg_get_statisticsobjdef(s.oid) || ';'
           || CASE WHEN s.stxstattarget >= 0
                   THEN format(E'\nALTER STATISTICS %I.%I SET STATISTICS %s;', n.nspname, s.stxname, s.stxstattarget)
                   ELSE '' END AS definition,
       CASE WHEN c.relkind = 'm' THEN '3:' ELSE '1:' END || c.oid AS needs,
       @statistics_since@ AS since, 'it is on an expression' AS since_why
FROM pg_statistic_ext s
JOIN pg_namespace n ON n.oid = s.stxnamespace
JOIN pg_class c ON c.oid = s.stxrelid
WHERE s.stxnamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_statistic_ext'::regclass AND e.objid = s.oid AND e.deptype = 'e')
UNION ALL
SELECT 'replica-identity', 0, c.oid, c.oid::regclass::text, NULL, 'table ' || c.oid::regclass, NULL,
       format('ALTER TABLE %s REPLICA IDENTITY %s;', c.oid::regclass,
              CASE c.relreplident WHEN 'f' THEN 'FULL' WHEN 'n' THEN 'NOTHING'
                   ELSE 'USING INDEX ' || quote_ident(x.relname) END),
       concat_ws(',', '1:' || c.oid, format('%s:%s', 'pg_class'::regclass::oid, x.oid)), NULL, NULL
FROM pg_class c
LEFT JOIN pg_index i ON i.indrelid = c.oid AND i.indisreplident
LEFT JOIN pg_class x ON x.oid = i.indexrelid
WHERE c.relnamespace IN (@namespaces@) AND c.relkind IN ('r', 'p')
  AND (c.relreplident IN ('f', 'n') OR (c.relreplident = 'i' AND x.oid IS NOT NULL))
UNION ALL
SELECT 'event-trigger', 'pg_event_trigger'::regclass::oid, t.oid, quote_ident(t.evtname),
       'EVENT TRIGGER ' || quote_ident(t.evtname), NULL, quote_ident(pg_get_userbyid(t.evtowner)),
       CASE t.evtevent WHEN 'login' THEN format(@since@, 170000, x.text, '', 'logins fire no event triggers') ELSE x.text END,
       NULL, NULL, NULL
FROM pg_event_trigger t
CROSS JOIN LATERAL (SELECT format('CREATE EVENT TRIGGER %I ON %s%s EXECUTE FUNCTION %s();', t.evtname, t.evtevent,
              coalesce(' WHEN TAG IN (' || (SELECT string_agg(quote_literal(g), ', ') FROM unnest(t.evttags) g) || ')', ''),
              t.evtfoid::regproc)
           || CASE t.evtenabled WHEN 'O' THEN ''
                   ELSE format(E'\nALTER EVENT TRIGGER %I %s;', t.evtname,
                               CASE t.evtenabled WHEN 'D' THEN 'DISABLE' WHEN 'A' THEN 'ENABLE ALWAYS'
                                    ELSE 'ENABLE REPLICA' END) END AS text) x
WHERE NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_event_trigger'::regclass AND e.objid = t.oid AND e.deptype = 'e')
