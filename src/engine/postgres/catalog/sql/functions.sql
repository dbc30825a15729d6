-- Functions, window functions and procedures
SELECT CASE p.prokind WHEN 'p' THEN 'procedure' ELSE 'function' END AS kind,
       'pg_proc'::regclass::oid AS classid, p.oid AS objid,
       p.oid::regprocedure::text AS name,
       CASE p.prokind WHEN 'p' THEN 'PROCEDURE ' ELSE 'FUNCTION ' END || @signature_of_p@ AS designation,
       quote_ident(pg_get_userbyid(p.proowner)) AS owner,
       CASE WHEN f.body IS NULL THEN f.head || ';'
            ELSE f.head || format(@since@, 140000, f.body,
                     'AS ' || CASE WHEN strpos(f.body, '$function$') > 0 THEN quote_literal(f.text)
                                   ELSE '$function$' || f.text || '$function$' END,
                     'its body becomes text, which is parsed when it runs') || ';' END AS definition, v.since, v.since_why
FROM pg_proc p
CROSS JOIN LATERAL (
    SELECT x.body,
           CASE WHEN x.body ~ '^RETURN ' THEN 'SELECT ' || substr(x.body, 8)
                ELSE regexp_replace(x.body, '^BEGIN ATOMIC(.*)END$', '\1') END AS text,
           CASE WHEN x.body IS NULL THEN x.text ELSE left(x.text, length(x.text) - length(x.body)) END AS head
    FROM (SELECT regexp_replace(rtrim(pg_get_functiondef(p.oid), E'\n'), '^CREATE OR REPLACE ', 'CREATE ') AS text,
                 @sqlbody_of_p@ AS body OFFSET 0) x
    OFFSET 0
) f
CROSS JOIN LATERAL (SELECT CASE WHEN f.body IS NOT NULL THEN f.text ELSE '' END AS text OFFSET 0) x
CROSS JOIN @first_version_of_x@ v
WHERE p.prokind IN ('f', 'w', 'p')
  AND p.pronamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_proc'::regclass AND e.objid = p.oid AND e.deptype IN ('e', 'i'))
