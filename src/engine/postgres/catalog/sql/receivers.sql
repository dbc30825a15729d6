-- The columns of table $1 with the receive functions of their types, domains as what they stand on: where the input
-- function is the internal one that belongs to it, so that text and binary form mean the same
WITH RECURSIVE layer (name, type) AS (
    SELECT quote_ident(a.attname), a.atttypid
    FROM pg_attribute a
    WHERE a.attrelid = to_regclass($1) AND a.attnum > 0 AND NOT a.attisdropped
  UNION ALL
    SELECT l.name, t.typbasetype
    FROM layer l JOIN pg_type t ON t.oid = l.type
    WHERE t.typtype = 'd')
SELECT l.name, taker.prosrc AS receiver
FROM layer l
JOIN pg_type t ON t.oid = l.type
JOIN pg_proc reader ON reader.oid = t.typinput
JOIN pg_proc taker ON taker.oid = t.typreceive
JOIN pg_language internal ON internal.lanname = 'internal' AND internal.oid = reader.prolang AND internal.oid = taker.prolang
WHERE t.typtype <> 'd' AND regexp_replace(reader.prosrc, '_?in$', '') = regexp_replace(taker.prosrc, '_?recv$', '')
