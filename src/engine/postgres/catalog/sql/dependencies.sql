-- What the server itself records: the one at the left needs the one at the right. A sequence does not need the column
-- that it goes with, and a partition's index does not need the parent's: those are joined afterwards.
SELECT DISTINCT d.classid, d.objid, d.refclassid, d.refobjid
FROM pg_depend d
WHERE d.deptype IN ('n', 'a', 'i')
  AND d.objid >= 16384
  AND (d.refobjid >= 16384 OR d.refclassid = 'pg_namespace'::regclass OR d.refclassid = 'pg_extension'::regclass)
  AND NOT (d.deptype = 'a' AND d.classid = 'pg_class'::regclass AND d.refclassid = 'pg_class'::regclass
           AND EXISTS (SELECT FROM pg_class s WHERE s.oid = d.objid AND s.relkind = 'S'))
  AND NOT (d.classid = d.refclassid AND d.objid = d.refobjid)
