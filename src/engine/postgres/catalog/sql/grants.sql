-- Rights on objects whose rights were ever changed (what the usual owner of the schema public has is understood): those of the database's own objects, and those of the server's and of
-- extensions' objects that differ from what they were when installed. All that a fresh object would have is taken away
-- first; then each right is granted in the order in which the server lists it, by the one who granted it. Whoever holds all
-- rights that this version knows is granted ALL, so that an owner has those of a newer version, too.
WITH relations AS (
    SELECT c.oid, c.relkind, c.relowner, c.relacl, @kind_of_c@ AS kind, c.oid::regclass::text AS name, c.relnamespace
    FROM pg_class c
    WHERE c.relkind IN ('r', 'p', 'v', 'm', 'S', 'f') AND c.relpersistence <> 't'
), acls AS (
    SELECT 'pg_class'::regclass::oid AS classid, c.oid AS objid, 0 AS subid,
           CASE c.relkind WHEN 'S' THEN 'SEQUENCE ' ELSE 'TABLE ' END || c.name AS target, c.kind || ' ' || c.name AS name,
           NULL::text AS column_name, c.relowner AS owner, c.relacl AS acl,
           CASE c.relkind WHEN 'S' THEN 's' ELSE 'r' END::"char" AS objtype, c.relnamespace AS namespace, FALSE AS is_usual
    FROM relations c WHERE c.relacl IS NOT NULL
    UNION ALL
    SELECT 'pg_class'::regclass::oid, c.oid, a.attnum, 'TABLE ' || c.name, format('column %s.%I', c.name, a.attname),
           quote_ident(a.attname), c.relowner, a.attacl, 'c', c.relnamespace, FALSE
    FROM pg_attribute a JOIN relations c ON c.oid = a.attrelid
    WHERE a.attacl IS NOT NULL AND NOT a.attisdropped
    UNION ALL
    SELECT 'pg_proc'::regclass::oid, p.oid, 0,
           CASE p.prokind WHEN 'p' THEN 'PROCEDURE ' ELSE 'FUNCTION ' END || @signature_of_p@,
           CASE p.prokind WHEN 'p' THEN 'procedure ' WHEN 'a' THEN 'aggregate ' ELSE 'function ' END
               || p.oid::regprocedure, NULL, p.proowner, p.proacl, 'f', p.pronamespace, FALSE
    FROM pg_proc p WHERE p.proacl IS NOT NULL
    UNION ALL
    SELECT 'pg_namespace'::regclass::oid, n.oid, 0, 'SCHEMA ' || quote_ident(n.nspname),
           'schema ' || quote_ident(n.nspname), NULL, n.nspowner, n.nspacl, 'n', n.oid,
           n.nspname = 'public' AND @is_usual_owner_of_n@
    FROM pg_namespace n WHERE n.nspacl IS NOT NULL AND n.nspname !~ '^pg_(toast|temp)'
    UNION ALL
    SELECT 'pg_type'::regclass::oid, t.oid, 0, 'TYPE ' || format_type(t.oid, NULL),
           CASE t.typtype WHEN 'd' THEN 'domain ' ELSE 'type ' END || format_type(t.oid, NULL), NULL, t.typowner, t.typacl,
           'T', t.typnamespace, FALSE
    FROM pg_type t WHERE t.typacl IS NOT NULL
    UNION ALL
    SELECT 'pg_language'::regclass::oid, l.oid, 0, 'LANGUAGE ' || quote_ident(l.lanname),
           'language ' || quote_ident(l.lanname), NULL, l.lanowner, l.lanacl, 'l', NULL, FALSE
    FROM pg_language l WHERE l.lanacl IS NOT NULL
    UNION ALL
    SELECT 'pg_foreign_data_wrapper'::regclass::oid, w.oid, 0, 'FOREIGN DATA WRAPPER ' || quote_ident(w.fdwname),
           'foreign-data-wrapper ' || quote_ident(w.fdwname), NULL, w.fdwowner, w.fdwacl, 'F', NULL, FALSE
    FROM pg_foreign_data_wrapper w WHERE w.fdwacl IS NOT NULL
    UNION ALL
    SELECT 'pg_foreign_server'::regclass::oid, f.oid, 0, 'FOREIGN SERVER ' || quote_ident(f.srvname),
           'foreign-server ' || quote_ident(f.srvname), NULL, f.srvowner, f.srvacl, 'S', NULL, FALSE
    FROM pg_foreign_server f WHERE f.srvacl IS NOT NULL
    UNION ALL
    SELECT 4::oid, m.oid, 0, 'LARGE OBJECT ' || m.oid, 'large object ' || m.oid, NULL, m.lomowner, m.lomacl, 'L', NULL, FALSE
    FROM pg_largeobject_metadata m WHERE m.lomacl IS NOT NULL
), changed AS (
    SELECT s.*
    FROM acls s
    LEFT JOIN pg_init_privs i ON i.classoid = s.classid AND i.objoid = s.objid AND i.objsubid = s.subid
    /* The first rights in information_schema are not noted by all versions: everybody may read */
    LEFT JOIN pg_class w ON s.classid = 'pg_class'::regclass AND w.oid = s.objid AND i.objoid IS NULL AND s.objid < 16384
         AND w.relnamespace = 'information_schema'::regnamespace
         AND s.acl::text ~ '^{[^,]+,=r/[^,]+}$'
    WHERE s.objid >= 16384 AND s.namespace IN (@namespaces@) AND i.objoid IS NULL
       OR s.namespace IS NULL AND s.objid >= 16384 AND i.objoid IS NULL
       OR ((i.objoid IS NOT NULL OR s.objid < 16384)
           AND w.oid IS NULL
           AND NOT (s.target = 'SCHEMA information_schema' AND i.objoid IS NULL AND s.acl::text ~ '^{[^,]+,=U/[^,]+}$')
           AND ARRAY(SELECT x::text FROM unnest(s.acl) x ORDER BY 1)
               IS DISTINCT FROM ARRAY(SELECT x::text FROM unnest(i.initprivs) x ORDER BY 1))
), singles AS (
    SELECT s.classid, s.objid, s.subid, s.target, s.owner, s.is_usual, s.column_name, x.grantor, x.grantee, x.is_grantable, x.at,
           x.privilege_type,
           count(*) OVER (PARTITION BY s.classid, s.objid, s.subid, x.grantor, x.grantee, x.is_grantable)
               = (SELECT count(*) FROM aclexplode(acldefault(s.objtype, s.owner)) f WHERE f.grantee = s.owner) AS is_full
    FROM changed s, aclexplode(s.acl) WITH ORDINALITY AS x(grantor, grantee, privilege_type, is_grantable, at)
), items AS (
    SELECT classid, objid, subid, target, owner, grantor, grantee, is_grantable, min(at) AS at,
           is_usual AND is_full AND grantee = owner AS is_understood,
           NOT is_full AND privilege_type = 'MAINTAIN' AS is_modern,
           CASE WHEN is_full THEN 'ALL'
                ELSE string_agg(privilege_type || coalesce(' (' || column_name || ')', ''), ', ' ORDER BY at) END AS rights
    FROM singles
    GROUP BY classid, objid, subid, target, owner, is_usual, grantor, grantee, is_grantable, is_full,
             NOT is_full AND privilege_type = 'MAINTAIN'
), texts AS (
    SELECT classid, objid, subid, at, is_modern, grantor <> owner AS is_passed_on,
           CASE WHEN grantor <> owner THEN format(E'\nSET ROLE %I;', pg_get_userbyid(grantor)) ELSE '' END
               || format(E'\nGRANT %s ON %s TO %s%s;', rights, target,
                         CASE grantee WHEN 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(grantee)) END,
                         CASE WHEN is_grantable THEN ' WITH GRANT OPTION' ELSE '' END)
               || CASE WHEN grantor <> owner THEN E'\nRESET ROLE;' ELSE '' END AS text
    FROM items WHERE NOT is_understood
), statements AS (
    SELECT classid, objid, subid,
           string_agg(CASE WHEN is_modern THEN format(@since@, 170000, text, '', 'the right MAINTAIN is dropped') ELSE text END, ''
                      ORDER BY is_passed_on, at, is_modern) AS text
    FROM texts GROUP BY classid, objid, subid
)
SELECT 'grant' AS kind, 0 AS classid, s.objid, s.name,
       CASE WHEN s.classid = 4 THEN '4:' || s.objid::bigint / 1000 ELSE s.classid || ':' || s.objid END AS needs,
       CASE WHEN s.subid > 0 THEN ltrim(t.text, E'\n')
            ELSE format('REVOKE ALL ON %s FROM PUBLIC;', s.target)
                 || CASE WHEN s.is_usual AND EXISTS (SELECT FROM items i WHERE i.classid = s.classid AND i.objid = s.objid
                                                            AND i.is_understood) THEN ''
                         ELSE format(E'\nREVOKE ALL ON %s FROM %I;', s.target, pg_get_userbyid(s.owner)) END
                 || coalesce(t.text, '') END AS definition
FROM changed s
LEFT JOIN statements t ON t.classid = s.classid AND t.objid = s.objid AND t.subid = s.subid
WHERE s.subid = 0 OR t.text IS NOT NULL
