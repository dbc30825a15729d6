-- Rights on objects whose rights were ever changed. All that a fresh object would have is taken away first; then each
-- right is granted in the order in which the server lists it, by the one who granted it.
WITH acls AS (
    SELECT 'pg_class'::regclass::oid AS classid, c.oid AS objid, 0 AS subid,
           CASE c.relkind WHEN 'S' THEN 'SEQUENCE ' ELSE 'TABLE ' END || c.oid::regclass AS target,
           CASE c.relkind WHEN 'S' THEN 'sequence ' WHEN 'v' THEN 'view ' WHEN 'm' THEN 'materialized-view '
                ELSE 'table ' END || c.oid::regclass AS name,
           NULL::text AS column_name, c.relowner AS owner, c.relacl AS acl
    FROM pg_class c
    WHERE c.relacl IS NOT NULL AND c.relkind IN ('r', 'p', 'v', 'm', 'S') AND c.relnamespace IN (@namespaces@)
      AND NOT EXISTS (SELECT FROM pg_depend e WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid
                                                AND e.deptype = 'e')
    UNION ALL
    SELECT 'pg_class'::regclass::oid, c.oid, a.attnum, 'TABLE ' || c.oid::regclass,
           format('column %s.%I', c.oid::regclass, a.attname), quote_ident(a.attname), c.relowner, a.attacl
    FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid
    WHERE a.attacl IS NOT NULL AND NOT a.attisdropped AND c.relkind IN ('r', 'p', 'v', 'm')
      AND c.relnamespace IN (@namespaces@)
    UNION ALL
    SELECT 'pg_proc'::regclass::oid, p.oid, 0,
           CASE p.prokind WHEN 'p' THEN 'PROCEDURE ' ELSE 'FUNCTION ' END || p.oid::regprocedure,
           CASE p.prokind WHEN 'p' THEN 'procedure ' WHEN 'a' THEN 'aggregate ' ELSE 'function ' END
               || p.oid::regprocedure, NULL, p.proowner, p.proacl
    FROM pg_proc p
    WHERE p.proacl IS NOT NULL AND p.pronamespace IN (@namespaces@)
      AND NOT EXISTS (SELECT FROM pg_depend e WHERE e.classid = 'pg_proc'::regclass AND e.objid = p.oid
                                                AND e.deptype = 'e')
    UNION ALL
    SELECT 'pg_namespace'::regclass::oid, n.oid, 0, 'SCHEMA ' || quote_ident(n.nspname),
           'schema ' || quote_ident(n.nspname), NULL, n.nspowner, n.nspacl
    FROM pg_namespace n
    LEFT JOIN pg_init_privs i ON i.classoid = 'pg_namespace'::regclass AND i.objoid = n.oid
    WHERE n.nspacl IS NOT NULL AND n.oid IN (@namespaces@) AND n.nspacl::text IS DISTINCT FROM i.initprivs::text
    UNION ALL
    SELECT 'pg_type'::regclass::oid, t.oid, 0, 'TYPE ' || format_type(t.oid, NULL),
           CASE t.typtype WHEN 'd' THEN 'domain ' ELSE 'type ' END || format_type(t.oid, NULL), NULL, t.typowner, t.typacl
    FROM pg_type t
    WHERE t.typacl IS NOT NULL AND t.typnamespace IN (@namespaces@)
      AND NOT EXISTS (SELECT FROM pg_depend e WHERE e.classid = 'pg_type'::regclass AND e.objid = t.oid
                                                AND e.deptype = 'e')
), items AS (
    SELECT s.classid, s.objid, s.subid, s.target, s.owner, x.grantor, x.grantee, x.is_grantable, min(x.at) AS at,
           string_agg(x.privilege_type || coalesce(' (' || s.column_name || ')', ''), ', ' ORDER BY x.at) AS rights
    FROM acls s, aclexplode(s.acl) WITH ORDINALITY AS x(grantor, grantee, privilege_type, is_grantable, at)
    GROUP BY s.classid, s.objid, s.subid, s.target, s.owner, x.grantor, x.grantee, x.is_grantable
), statements AS (
    SELECT classid, objid, subid,
           string_agg(CASE WHEN grantor <> owner THEN format(E'SET ROLE %I;\n', pg_get_userbyid(grantor)) ELSE '' END
                      || format('GRANT %s ON %s TO %s%s;', rights, target,
                                CASE grantee WHEN 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(grantee)) END,
                                CASE WHEN is_grantable THEN ' WITH GRANT OPTION' ELSE '' END)
                      || CASE WHEN grantor <> owner THEN E'\nRESET ROLE;' ELSE '' END,
                      E'\n' ORDER BY grantor <> owner, at) AS text
    FROM items GROUP BY classid, objid, subid
)
SELECT 'grant' AS kind, 0 AS classid, s.objid, s.name, s.classid || ':' || s.objid AS needs,
       CASE WHEN s.subid > 0 THEN ''
            ELSE format(E'REVOKE ALL ON %s FROM PUBLIC;\nREVOKE ALL ON %s FROM %I;', s.target, s.target,
                        pg_get_userbyid(s.owner)) END
           || CASE WHEN s.subid = 0 AND t.text IS NOT NULL THEN E'\n' ELSE '' END || coalesce(t.text, '') AS definition
FROM acls s
LEFT JOIN statements t ON t.classid = s.classid AND t.objid = s.objid AND t.subid = s.subid
