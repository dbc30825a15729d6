#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# MySQL's own words about a database, line by line, and a hash of each row made by the server; then all accounts that it
# did not come with. Independent of Hornbeam, to compare two databases by.
# A view may name its own database before functions, or not.
# Usage: mysql_census.sh SOCKET DATABASE
set -euo pipefail
socket=$1 database=$2
ask() { mariadb --no-defaults --default-character-set=utf8mb4 --raw -N -u root -S "$socket" -e "$1" "$database" </dev/null; }
each() { while IFS= read -r sql; do echo "$sql"; ask "SET print_identified_with_as_hex = 1; $sql" | sed "s/ \\?\`$database\`\.//g"; done; }

ask "SELECT 'database', default_character_set_name, default_collation_name, default_encryption FROM information_schema.schemata WHERE schema_name = database()"
ask "SELECT CONCAT('SHOW CREATE ', IF(table_type = 'VIEW', 'VIEW', 'TABLE'), ' \`', REPLACE(table_name, '\`', '\`\`'), '\`')
     FROM information_schema.tables WHERE table_schema = database() ORDER BY BINARY table_name" | each
ask "SELECT CONCAT('SHOW CREATE ', routine_type, ' \`', routine_name, '\`') FROM information_schema.routines WHERE routine_schema = database() ORDER BY 1" | each
ask "SELECT 'trigger', trigger_name, event_manipulation, event_object_table, action_order, action_statement, action_timing,
            sql_mode, definer, character_set_client, collation_connection, database_collation
     FROM information_schema.triggers WHERE trigger_schema = database() ORDER BY 2"
ask "SELECT 'event', event_name, definer, time_zone, event_definition, event_type, execute_at, interval_value, interval_field,
            sql_mode, starts, ends, status, on_completion, event_comment, character_set_client, collation_connection, database_collation
     FROM information_schema.events WHERE event_schema = database() ORDER BY 2"
ask "SELECT DISTINCT 'spatial', r.* FROM information_schema.st_spatial_reference_systems r
     JOIN information_schema.st_geometry_columns USING (srs_id) WHERE table_schema = database() ORDER BY 2, 3"
ask "SELECT 'histogram', table_name, column_name, histogram->'$.\"number-of-buckets-specified\"', histogram->'$.buckets'
     FROM information_schema.column_statistics WHERE schema_name = database() ORDER BY 2, 3"
ask "SET group_concat_max_len = 10000000; SELECT CONCAT('SELECT ', QUOTE(table_name), ', SHA2(CONCAT_WS(''|'', ',
    GROUP_CONCAT(CONCAT('COALESCE(', IF(data_type IN ('float', 'double'), CONCAT('\`', REPLACE(column_name, '\`', '\`\`'), '\` * 1e0'),
        CONCAT('HEX(CAST(\`', REPLACE(column_name, '\`', '\`\`'), '\` AS BINARY))')), ', ''-'')') ORDER BY ordinal_position SEPARATOR ', '),
    '), 256) FROM \`', REPLACE(table_name, '\`', '\`\`'), '\` ORDER BY 2')
  FROM information_schema.columns JOIN information_schema.tables USING (table_schema, table_name)
  WHERE table_schema = database() AND table_type = 'BASE TABLE' GROUP BY table_name ORDER BY BINARY table_name" | each
ask "SELECT CONCAT(s.show, QUOTE(user), '@', QUOTE(host)) FROM mysql.user, (SELECT 'SHOW CREATE USER ' AS \`show\` UNION ALL SELECT 'SHOW GRANTS FOR ') s
     WHERE user NOT LIKE 'mysql.%' AND user <> 'root' ORDER BY 1" | each
