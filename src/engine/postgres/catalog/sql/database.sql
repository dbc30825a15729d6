-- How to create a database like this one: names and values
SELECT v.name, v.value
FROM pg_database d, LATERAL (VALUES
    ('name', d.datname),
    ('encoding', pg_encoding_to_char(d.encoding)),
    ('provider', @datlocprovider@),
    ('collate', d.datcollate),
    ('ctype', d.datctype),
    ('locale', @datlocale@),
    ('icu-rules', @daticurules@),
    ('tablespace', (SELECT t.spcname FROM pg_tablespace t WHERE t.oid = d.dattablespace AND t.spcname <> 'pg_default')),
    ('schema-public', CASE WHEN EXISTS (SELECT FROM pg_namespace WHERE nspname = 'public') THEN 'present' ELSE 'absent' END),
    ('language-plpgsql', CASE WHEN EXISTS (SELECT FROM pg_extension WHERE extname = 'plpgsql') THEN 'present'
                              ELSE 'absent' END)
) AS v(name, value)
WHERE d.datname = current_database() AND v.value IS NOT NULL
UNION ALL
-- Where texts of this database are sorted by it
SELECT v.name, v.value
FROM pg_database d, @collation_versions@ v
WHERE d.datname = current_database() AND v.value IS NOT NULL
  AND (@datlocprovider@ = 'libc' AND d.datcollate NOT IN ('C', 'POSIX', 'C.UTF-8', 'C.utf8') AND v.name LIKE '%libc'
       OR @datlocprovider@ = 'icu' AND v.name LIKE '%icu'
       OR EXISTS (SELECT FROM pg_attribute a JOIN pg_collation o ON o.oid = a.attcollation
                  WHERE a.attrelid >= 16384 AND o.collname NOT IN ('C', 'POSIX', 'ucs_basic', 'default')
                    AND (o.collprovider = 'c' AND v.name LIKE '%libc' OR o.collprovider = 'i' AND v.name LIKE '%icu')))
UNION ALL
SELECT 'setting ' || s.name, s.reset_val FROM pg_settings s WHERE s.name IN (@meaning_settings@)
