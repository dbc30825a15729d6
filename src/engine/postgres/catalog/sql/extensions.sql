-- Extensions; what belongs to them is left to them. Another major version of the server has versions of its own
SELECT 'extension' AS kind, 'pg_extension'::regclass::oid AS classid, x.oid AS objid,
       quote_ident(x.extname) AS name,
       'EXTENSION ' || quote_ident(x.extname) AS designation,
       format('CREATE EXTENSION IF NOT EXISTS %I WITH SCHEMA %I%s;', x.extname, n.nspname,
              format(@within_major@, ' VERSION ' || quote_literal(x.extversion))) AS definition
FROM pg_extension x
JOIN pg_namespace n ON n.oid = x.extnamespace
