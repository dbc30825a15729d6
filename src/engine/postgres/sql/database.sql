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
SELECT 'setting ' || s.name, s.reset_val FROM pg_settings s WHERE s.name IN (@meaning_settings@)
