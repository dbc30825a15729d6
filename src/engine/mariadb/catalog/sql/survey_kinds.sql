-- How many objects there are of each kind, for a survey
SELECT k.kind, k.count FROM (
SELECT CASE TABLE_TYPE WHEN 'BASE TABLE' THEN 'tables' WHEN 'SYSTEM VERSIONED' THEN 'tables with history'
  WHEN 'VIEW' THEN 'views' WHEN 'SEQUENCE' THEN 'sequences' ELSE LOWER(TABLE_TYPE) END AS kind, COUNT(*) AS count, 1 AS place
FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE()
  AND TABLE_NAME NOT IN ('hornbeam_journal', 'hornbeam_journal_step', 'hornbeam_origin') GROUP BY TABLE_TYPE
UNION ALL SELECT CASE ROUTINE_TYPE WHEN 'FUNCTION' THEN 'functions' WHEN 'PROCEDURE' THEN 'procedures'
  WHEN 'PACKAGE' THEN 'packages' ELSE 'package bodies' END, COUNT(*), 2
FROM information_schema.ROUTINES WHERE ROUTINE_SCHEMA = DATABASE() GROUP BY ROUTINE_TYPE
UNION ALL SELECT CASE CONSTRAINT_TYPE WHEN 'PRIMARY KEY' THEN 'primary keys' WHEN 'UNIQUE' THEN 'unique keys'
  WHEN 'FOREIGN KEY' THEN 'foreign keys' ELSE 'check constraints' END, COUNT(*), 3
FROM information_schema.TABLE_CONSTRAINTS WHERE TABLE_SCHEMA = DATABASE()
  AND TABLE_NAME NOT IN ('hornbeam_journal', 'hornbeam_journal_step', 'hornbeam_origin') GROUP BY CONSTRAINT_TYPE
UNION ALL SELECT 'other indexes', COUNT(DISTINCT TABLE_NAME, INDEX_NAME), 4
FROM information_schema.STATISTICS WHERE TABLE_SCHEMA = DATABASE() AND NON_UNIQUE HAVING COUNT(*) > 0
UNION ALL SELECT 'partitions', COUNT(*), 5
FROM information_schema.PARTITIONS WHERE TABLE_SCHEMA = DATABASE() AND PARTITION_NAME IS NOT NULL HAVING COUNT(*) > 0
UNION ALL SELECT 'triggers', COUNT(*), 6
FROM information_schema.TRIGGERS WHERE TRIGGER_SCHEMA = DATABASE() HAVING COUNT(*) > 0
UNION ALL SELECT 'events', COUNT(*), 7
FROM information_schema.EVENTS WHERE EVENT_SCHEMA = DATABASE() HAVING COUNT(*) > 0
) k ORDER BY k.place, k.kind
