-- Addresses that stand for another object: array and row types for what they are made of, the index behind a key for the
-- key, and so on. classid:objid means target_classid:target_objid.
SELECT 'pg_type'::regclass::oid AS classid, t.typarray AS objid,
       'pg_type'::regclass::oid AS target_classid, t.oid AS target_objid
FROM pg_type t WHERE t.typarray <> 0 AND t.oid >= 16384 AND t.typrelid = 0
UNION ALL
SELECT 'pg_type'::regclass, c.reltype, 'pg_class'::regclass, c.oid
FROM pg_class c WHERE c.reltype <> 0 AND c.oid >= 16384 AND c.relkind <> 'c'
UNION ALL
SELECT 'pg_type'::regclass, t.typarray, 'pg_class'::regclass, c.oid
FROM pg_class c JOIN pg_type t ON t.oid = c.reltype
WHERE t.typarray <> 0 AND c.oid >= 16384 AND c.relkind <> 'c'
UNION ALL
SELECT 'pg_type'::regclass, t.typarray, 'pg_type'::regclass, t.oid
FROM pg_class c JOIN pg_type t ON t.oid = c.reltype
WHERE t.typarray <> 0 AND c.oid >= 16384 AND c.relkind = 'c'
UNION ALL
SELECT 'pg_class'::regclass, c.oid, 'pg_type'::regclass, c.reltype
FROM pg_class c WHERE c.relkind = 'c' AND c.oid >= 16384
UNION ALL
SELECT 'pg_rewrite'::regclass, r.oid, 'pg_class'::regclass, r.ev_class
FROM pg_rewrite r WHERE r.rulename = '_RETURN' AND r.oid >= 16384
UNION ALL
SELECT 'pg_class'::regclass, k.conindid, 'pg_constraint'::regclass, k.oid
FROM pg_constraint k WHERE k.contype IN ('p', 'u', 'x') AND k.conindid <> 0
UNION ALL
SELECT d.classid, d.objid, d.refclassid, d.refobjid
FROM pg_depend d JOIN pg_class c ON c.oid = d.objid AND c.relkind = 'S'
WHERE d.classid = 'pg_class'::regclass AND d.deptype = 'i' AND d.refclassid = 'pg_class'::regclass
UNION ALL
SELECT 'pg_attrdef'::regclass, f.oid, 'pg_class'::regclass, f.adrelid
FROM pg_attrdef f JOIN pg_attribute a ON a.attrelid = f.adrelid AND a.attnum = f.adnum AND a.attgenerated <> ''
UNION ALL
SELECT d.classid, d.objid, d.refclassid, d.refobjid
FROM pg_depend d
WHERE d.classid IN ('pg_proc'::regclass, 'pg_type'::regclass) AND d.deptype = 'i' AND d.refclassid = 'pg_type'::regclass
UNION ALL
SELECT 'pg_type'::regclass, m.typarray, d.refclassid, d.refobjid
FROM pg_depend d JOIN pg_type m ON m.oid = d.objid AND m.typarray <> 0
WHERE d.classid = 'pg_type'::regclass AND d.deptype = 'i' AND d.refclassid = 'pg_type'::regclass
UNION ALL
SELECT d.classid, d.objid, d.refclassid, d.refobjid
FROM pg_depend d
WHERE d.deptype = 'e' AND d.refclassid = 'pg_extension'::regclass
UNION ALL
SELECT 'pg_constraint'::regclass, k.oid, 'pg_type'::regclass, k.contypid
FROM pg_constraint k WHERE k.contypid <> 0
UNION ALL
SELECT 'pg_constraint'::regclass, k.oid, 'pg_constraint'::regclass, k.conparentid
FROM pg_constraint k WHERE k.conparentid <> 0
UNION ALL
SELECT 'pg_constraint'::regclass, k.oid, 'pg_class'::regclass, k.conrelid
FROM pg_constraint k WHERE k.conrelid <> 0 AND k.conparentid = 0 AND k.contype IN ('c', 'n')
UNION ALL
SELECT d.classid, d.objid, d.refclassid, d.refobjid
FROM pg_depend d
WHERE d.classid IN ('pg_amop'::regclass, 'pg_amproc'::regclass) AND d.refclassid = 'pg_opclass'::regclass
  AND d.deptype IN ('i', 'a')
UNION ALL
SELECT d.classid, d.objid, 6, d.refobjid
FROM pg_depend d
WHERE d.classid IN ('pg_amop'::regclass, 'pg_amproc'::regclass) AND d.refclassid = 'pg_opfamily'::regclass
  AND d.deptype IN ('i', 'a')
UNION ALL
SELECT 'pg_publication_rel'::regclass, r.oid, 'pg_publication'::regclass, r.prpubid FROM pg_publication_rel r
@publication_namespaces@
