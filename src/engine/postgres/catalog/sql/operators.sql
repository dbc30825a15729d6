-- Operators, their families and classes. An extension's family keeps those members that somebody added to it. Members that a class must have are written with the class; those that the server
-- records as loosely joined to the family come as an object of their own, after their operators and functions.
WITH items AS (
    SELECT 'pg_amop'::regclass::oid AS classid, o.oid, 'pg_operator'::regclass::oid AS usedclass, o.amopopr AS used, 1 AS part, o.amopstrategy AS number,
           o.amoplefttype AS lefttype, o.amoprighttype AS righttype,
           format('OPERATOR %s %s', o.amopstrategy, o.amopopr::regoperator)
               || CASE WHEN o.amopsortfamily <> 0
                       THEN (SELECT format(' FOR ORDER BY %I.%I', sn.nspname, sf.opfname)
                             FROM pg_opfamily sf JOIN pg_namespace sn ON sn.oid = sf.opfnamespace
                             WHERE sf.oid = o.amopsortfamily)
                       ELSE '' END AS text
    FROM pg_amop o
    UNION ALL
    SELECT 'pg_amproc'::regclass::oid, p.oid, 'pg_proc'::regclass::oid, p.amproc::oid, 2, p.amprocnum, p.amproclefttype, p.amprocrighttype,
           format('FUNCTION %s (%s, %s) %s', p.amprocnum, format_type(p.amproclefttype, NULL),
                  format_type(p.amprocrighttype, NULL), p.amproc::regprocedure)
    FROM pg_amproc p
), members AS (
    SELECT d.refclassid, d.refobjid,
           string_agg('    ' || i.text, E',\n'
                      ORDER BY i.part, format_type(i.lefttype, NULL), format_type(i.righttype, NULL), i.number) AS list
    FROM items i
    JOIN pg_depend d ON d.classid = i.classid AND d.objid = i.oid AND d.deptype IN ('i', 'a')
         AND d.refclassid IN ('pg_opclass'::regclass, 'pg_opfamily'::regclass)
    WHERE i.oid >= 16384
      AND (NOT EXISTS (SELECT FROM pg_depend e
                       WHERE e.classid = d.refclassid AND e.objid = d.refobjid AND e.deptype = 'e')
           OR (i.used >= 16384
               AND NOT EXISTS (SELECT FROM pg_depend e
                               WHERE e.classid = i.usedclass AND e.objid = i.used AND e.deptype = 'e')))
      AND NOT (d.refclassid = 'pg_opfamily'::regclass AND EXISTS (
               SELECT FROM pg_depend f WHERE f.classid = i.classid AND f.objid = i.oid
                                         AND f.refclassid = 'pg_opclass'::regclass AND f.deptype IN ('i', 'a')))
    GROUP BY d.refclassid, d.refobjid
)
SELECT 'operator' AS kind, 'pg_operator'::regclass::oid AS classid, o.oid AS objid,
       o.oid::regoperator::text AS name,
       'OPERATOR ' || o.oid::regoperator AS designation,
       quote_ident(pg_get_userbyid(o.oprowner)) AS owner,
       format(E'CREATE OPERATOR %I.%s (\n    FUNCTION = %s', n.nspname, o.oprname, o.oprcode::regproc)
           || CASE WHEN o.oprleft <> 0 THEN E',\n    LEFTARG = ' || format_type(o.oprleft, NULL) ELSE '' END
           || CASE WHEN o.oprright <> 0 THEN E',\n    RIGHTARG = ' || format_type(o.oprright, NULL) ELSE '' END
           || coalesce((SELECT format(E',\n    COMMUTATOR = OPERATOR(%I.%s)', xn.nspname, x.oprname)
                        FROM pg_operator x JOIN pg_namespace xn ON xn.oid = x.oprnamespace WHERE x.oid = o.oprcom), '')
           || coalesce((SELECT format(E',\n    NEGATOR = OPERATOR(%I.%s)', xn.nspname, x.oprname)
                        FROM pg_operator x JOIN pg_namespace xn ON xn.oid = x.oprnamespace WHERE x.oid = o.oprnegate), '')
           || CASE WHEN o.oprrest::oid <> 0 THEN E',\n    RESTRICT = ' || o.oprrest::regproc ELSE '' END
           || CASE WHEN o.oprjoin::oid <> 0 THEN E',\n    JOIN = ' || o.oprjoin::regproc ELSE '' END
           || CASE WHEN o.oprcanhash THEN E',\n    HASHES' ELSE '' END
           || CASE WHEN o.oprcanmerge THEN E',\n    MERGES' ELSE '' END || E'\n);' AS definition
FROM pg_operator o
JOIN pg_namespace n ON n.oid = o.oprnamespace
WHERE o.oprnamespace IN (@namespaces@) AND o.oprcode::oid <> 0
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_operator'::regclass AND e.objid = o.oid AND e.deptype = 'e')
UNION ALL
SELECT 'operator-family', 'pg_opfamily'::regclass::oid, f.oid, format('%I.%I using %I', n.nspname, f.opfname, m.amname),
       format('OPERATOR FAMILY %I.%I USING %I', n.nspname, f.opfname, m.amname),
       quote_ident(pg_get_userbyid(f.opfowner)),
       format('CREATE OPERATOR FAMILY %I.%I USING %I;', n.nspname, f.opfname, m.amname)
FROM pg_opfamily f
JOIN pg_namespace n ON n.oid = f.opfnamespace
JOIN pg_am m ON m.oid = f.opfmethod
WHERE f.opfnamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_opfamily'::regclass AND e.objid = f.oid AND e.deptype = 'e')
UNION ALL
SELECT 'operator-class', 'pg_opclass'::regclass::oid, k.oid, format('%I.%I using %I', n.nspname, k.opcname, m.amname),
       format('OPERATOR CLASS %I.%I USING %I', n.nspname, k.opcname, m.amname),
       quote_ident(pg_get_userbyid(k.opcowner)),
       format(E'CREATE OPERATOR CLASS %I.%I%s FOR TYPE %s USING %I FAMILY %I.%I AS\n', n.nspname, k.opcname,
              CASE WHEN k.opcdefault THEN ' DEFAULT' ELSE '' END, format_type(k.opcintype, NULL), m.amname, fn.nspname,
              f.opfname)
           || concat_ws(E',\n', b.list,
                        CASE WHEN k.opckeytype <> 0 THEN '    STORAGE ' || format_type(k.opckeytype, NULL)
                             WHEN b.list IS NULL THEN '    STORAGE ' || format_type(k.opcintype, NULL) END) || ';'
FROM pg_opclass k
JOIN pg_namespace n ON n.oid = k.opcnamespace
JOIN pg_am m ON m.oid = k.opcmethod
JOIN pg_opfamily f ON f.oid = k.opcfamily
JOIN pg_namespace fn ON fn.oid = f.opfnamespace
LEFT JOIN members b ON b.refclassid = 'pg_opclass'::regclass AND b.refobjid = k.oid
WHERE k.opcnamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_opclass'::regclass AND e.objid = k.oid AND e.deptype = 'e')
UNION ALL
SELECT 'operator-family-members', 6, f.oid, format('%I.%I using %I', n.nspname, f.opfname, m.amname), NULL, NULL,
       format(E'ALTER OPERATOR FAMILY %I.%I USING %I ADD\n%s;', n.nspname, f.opfname, m.amname, b.list)
FROM members b
JOIN pg_opfamily f ON f.oid = b.refobjid AND b.refclassid = 'pg_opfamily'::regclass
JOIN pg_namespace n ON n.oid = f.opfnamespace
JOIN pg_am m ON m.oid = f.opfmethod
