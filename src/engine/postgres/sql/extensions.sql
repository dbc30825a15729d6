-- Extensions; what belongs to them is left to them
SELECT 'extension' AS kind, 'pg_extension'::regclass::oid AS classid, x.oid AS objid,
       quote_ident(x.extname) AS name,
       'EXTENSION ' || quote_ident(x.extname) AS designation,
       format('CREATE EXTENSION IF NOT EXISTS %I WITH SCHEMA %I;', x.extname, n.nspname) AS definition
FROM pg_extension x
JOIN pg_namespace n ON n.oid = x.extnamespace
