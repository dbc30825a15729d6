SELECT 'collation' AS kind, 'pg_collation'::regclass::oid AS classid, c.oid AS objid,
       format('%I.%I', n.nspname, c.collname) AS name,
       format('COLLATION %I.%I', n.nspname, c.collname) AS designation,
       quote_ident(pg_get_userbyid(c.collowner)) AS owner,
       format('CREATE COLLATION %I.%I (provider = ', n.nspname, c.collname)
           || CASE c.collprovider
              WHEN 'i' THEN 'icu, locale = ' || quote_literal(@colllocale@)
              WHEN 'b' THEN format(@since@, 170000, 'builtin, locale = ' || quote_literal(@colllocale@),
                                   format('libc, lc_collate = %L, lc_ctype = %L', @colllocale@, @colllocale@),
                                   'its built-in provider becomes libc')
              ELSE format('libc, lc_collate = %L, lc_ctype = %L', c.collcollate, c.collctype) END
           || CASE WHEN c.collisdeterministic THEN '' ELSE ', deterministic = false' END
           || CASE WHEN @collrules@ IS NULL THEN ''
                   ELSE format(@since@, 160000, ', rules = ' || quote_literal(@collrules@), '', 'its tailoring rules') END
           || ');' AS definition
FROM pg_collation c
JOIN pg_namespace n ON n.oid = c.collnamespace
WHERE c.collnamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_collation'::regclass AND e.objid = c.oid AND e.deptype = 'e')
