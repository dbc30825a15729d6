#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# The server's own words about a database, line by line: definitions, attributes, accounts, grants, and a hash of each
# row made by the server. Independent of Hornbeam, to compare two databases by.
# Usage: mariadb_census.sh SOCKET DATABASE
set -euo pipefail
run() { mariadb --no-defaults --default-character-set=utf8mb4 --raw -N -u root -S "$1" "${@:3}" -e "$2"; }
ask() { run "$socket" "$1" "$database"; }
socket=$1 database=$2

ask "SELECT 'database', default_character_set_name, default_collation_name, schema_comment FROM information_schema.schemata WHERE schema_name = database()"
ask "SELECT 'table', table_name, table_type, engine, row_format, table_collation, create_options, table_comment,
            IF(engine = 'InnoDB', auto_increment, NULL) FROM information_schema.tables WHERE table_schema = database() ORDER BY BINARY table_name"
ask "SELECT 'column', table_name, ordinal_position, column_name, column_type, is_nullable, column_default, extra,
            character_set_name, collation_name, column_comment, generation_expression, is_generated
     FROM information_schema.columns WHERE table_schema = database() ORDER BY BINARY table_name, ordinal_position"
ask "SELECT 'index', table_name, index_name, seq_in_index, column_name, non_unique, sub_part, index_type, index_comment, ignored, collation
     FROM information_schema.statistics WHERE table_schema = database() ORDER BY BINARY table_name, index_name, seq_in_index"
ask "SELECT 'constraint', table_name, constraint_name, constraint_type FROM information_schema.table_constraints
     WHERE table_schema = database() ORDER BY BINARY table_name, constraint_name, constraint_type"
ask "SELECT 'foreign key', constraint_name, table_name, referenced_table_name, match_option, update_rule, delete_rule
     FROM information_schema.referential_constraints WHERE constraint_schema = database() ORDER BY 2, 3"
ask "SELECT 'check', table_name, constraint_name, check_clause FROM information_schema.check_constraints
     WHERE constraint_schema = database() ORDER BY table_name, constraint_name"
ask "SELECT 'partition', table_name, partition_name, subpartition_name, partition_method, subpartition_method,
            partition_expression, partition_description, partition_comment FROM information_schema.partitions
     WHERE table_schema = database() AND partition_name IS NOT NULL ORDER BY 2, 3, 4"
ask "SELECT 'view', table_name, REPLACE(REPLACE(REPLACE(view_definition, CONCAT('\`', database(), '\`.'), ''), '(', ''), ')', ''), check_option, definer, security_type,
            character_set_client, collation_connection, algorithm FROM information_schema.views WHERE table_schema = database() ORDER BY 2"
ask "SELECT 'routine', routine_type, routine_name, dtd_identifier, routine_definition, is_deterministic, sql_data_access,
            security_type, sql_mode, routine_comment, definer, character_set_client, collation_connection, database_collation
     FROM information_schema.routines WHERE routine_schema = database() ORDER BY 2, 3"
ask "SELECT 'parameter', specific_name, ordinal_position, parameter_mode, parameter_name, dtd_identifier
     FROM information_schema.parameters WHERE specific_schema = database() ORDER BY 2, 3, 5"
ask "SELECT 'trigger', trigger_name, event_manipulation, event_object_table, action_order, action_statement, action_timing,
            sql_mode, definer, character_set_client, collation_connection, database_collation
     FROM information_schema.triggers WHERE trigger_schema = database() ORDER BY 2"
ask "SELECT 'event', event_name, definer, time_zone, event_definition, event_type, execute_at, interval_value, interval_field,
            sql_mode, starts, ends, status, on_completion, event_comment, character_set_client, collation_connection, database_collation
     FROM information_schema.events WHERE event_schema = database() ORDER BY 2"
ask "SELECT table_name FROM information_schema.tables WHERE table_schema = database() AND table_type = 'SEQUENCE' ORDER BY 1" |
    while read -r sequence; do
        ask "SELECT 'sequence', '$sequence', s.* FROM \`$sequence\` s" </dev/null
    done

# Rows: each value as the hexadecimal digits of its bytes, and a history with its times
run "$socket" "SET group_concat_max_len = 10000000; SELECT CONCAT('SELECT ', QUOTE(table_name), ', MD5(CONCAT_WS(''|'', ',
    GROUP_CONCAT(CONCAT('COALESCE(', IF(data_type IN ('float', 'double'), CONCAT('\`', REPLACE(column_name, '\`', '\`\`'), '\` * 1e0'),
        CONCAT('HEX(CAST(\`', REPLACE(column_name, '\`', '\`\`'), '\` AS BINARY))')), ', ''-'')') ORDER BY ordinal_position),
    IF(table_type = 'SYSTEM VERSIONED' AND SUM(generation_expression = 'ROW START') IS NOT TRUE, ', row_start, row_end', ''), ')) FROM \`',
    REPLACE(table_name, '\`', '\`\`'), '\`', IF(table_type = 'SYSTEM VERSIONED', ' FOR SYSTEM_TIME ALL', ''), ' ORDER BY 2;')
  FROM information_schema.columns JOIN information_schema.tables USING (table_schema, table_name)
  WHERE table_schema = database() AND table_type IN ('BASE TABLE', 'SYSTEM VERSIONED')
    AND engine NOT IN ('MRG_MyISAM', 'BLACKHOLE', 'FEDERATED') GROUP BY BINARY table_name ORDER BY BINARY table_name" "$database" |
    { echo "SET time_zone = '+00:00';"; cat; } |
    mariadb --no-defaults --default-character-set=utf8mb4 -N -u root -S "$socket" "$database"

# Accounts: all of the server but those that it came with
run "$socket" "SELECT IF(is_role = 'Y', QUOTE(user), CONCAT(QUOTE(user), '@', QUOTE(host))) FROM mysql.user
    WHERE user NOT IN ('root', 'mariadb.sys', 'mysql', 'PUBLIC') ORDER BY 1" | while read -r account; do
    run "$socket" "SHOW CREATE USER $account" 2>/dev/null </dev/null || echo "role $account"
    run "$socket" "SHOW GRANTS FOR $account" </dev/null | sort
done
run "$socket" "SHOW GRANTS FOR PUBLIC" 2>/dev/null | sort || true
