-- Where sequences stand. One that was never used shows no value here; its state is read from itself
SELECT c.oid, c.oid::regclass::text AS name, quote_literal(c.oid::regclass::text) AS literal,
       CASE WHEN @may_read_c@ THEN pg_sequence_last_value(c.oid) END AS value,
       EXISTS (SELECT FROM pg_depend i WHERE i.classid = 'pg_class'::regclass AND i.objid = c.oid AND i.deptype = 'i')
           AS is_identity,
       format('SELECT 1 / count(*) FROM pg_catalog.pg_class'
              ' WHERE oid = pg_catalog.to_regclass(%L) AND oid = %s AND relkind = ''S''', c.oid::regclass, c.oid) AS guard
FROM pg_class c
WHERE c.relkind = 'S' AND c.relnamespace IN (@namespaces@) AND c.relpersistence <> 't'
  AND @may_read_c@
  AND (EXISTS (SELECT FROM pg_extension x WHERE c.oid = ANY (x.extconfig))
       OR NOT EXISTS (SELECT FROM pg_depend e
                      WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e'))
ORDER BY c.oid
