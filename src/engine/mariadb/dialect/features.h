/* SPDX-License-Identifier: Apache-2.0 */
/*
 * features - what the servers of the family differ in, by product and version. It stands here, as data, and nowhere
 * else: other files ask for a feature by name. Sources: the vendors' manuals; docs/engines-tested.md says which
 * versions were run.
 */
#pragma once

#include <glib.h>

typedef enum {
    HB_MY_DATABASE_COMMENTS,   /* CREATE DATABASE ... COMMENT */
    HB_MY_BOUND_ARRAYS,        /* many rows in one execution of a prepared statement */
    HB_MY_DOMAIN_GTIDS,        /* @@gtid_binlog_pos rather than @@gtid_executed */
    HB_MY_ROLES_WITHOUT_HOST,  /* a role is something else than an account, and has a name only */
    HB_MY_BACKUP_STAGES,       /* BACKUP STAGE, which holds commits back */
    HB_MY_BACKUP_LOCK,         /* LOCK INSTANCE FOR BACKUP, which holds definitions back */
    HB_MY_ENCRYPTION_PLUGINS,  /* tables are encrypted by a plugin's keys */
    HB_MY_SETTINGS_IN_SCHEMA,  /* information_schema has variables, their defaults and where they were set */
    HB_MY_GTID_CONSISTENCY,    /* may demand that tables without transactions are changed by statements of their own */
    HB_MY_SECOND_PASSWORDS,    /* an account may keep an old password beside the new one */
    HB_MY_HISTOGRAMS,          /* ANALYZE TABLE ... UPDATE HISTOGRAM */
    HB_MY_VERSION_COMMENTS,    /* SHOW CREATE puts what is new into comments that newer versions run */
    HB_MY_DROP_PARTS_IF_THERE, /* ALTER TABLE ... DROP INDEX IF EXISTS, and its like */
    HB_MY_DATABASE_OPTIONS,    /* ALTER DATABASE ... READ ONLY, ... DEFAULT ENCRYPTION */
    HB_MY_SUPER_MEANS_LESS,    /* what SUPER included has to be granted by name */
    HB_MY_TYPED_JSON,          /* JSON values may hold types that JSON has not */
    HB_MY_BINARY_LOG_STATUS,   /* SHOW BINARY LOG STATUS, formerly MASTER STATUS */
    HB_MY_ENABLED_ROLES,       /* information_schema.ENABLED_ROLES has their hosts */
    HB_MY_LOGGED_CASCADES,     /* what a foreign key changes by itself is in the binary log */
    HB_MY_CACHING_SHA2,        /* caching_sha2_password, which accounts have unless another plugin is named */
    HB_MY_LOCKS_BY_THREAD,     /* performance_schema.data_lock_waits, formerly information_schema.INNODB_LOCK_WAITS */
    HB_MY_SPATIAL_REFERENCES,  /* CREATE SPATIAL REFERENCE SYSTEM */
    HB_MY_PROCESSES_AS_TEXT,   /* performance_schema.processlist, whose texts are utf8mb4 */
    HB_MY_FEATURES
} HbMyFeature;

/* A version alone says the product, too: MySQL's are below 10.0.0. See hb_my_can() for a session's */
gboolean hb_my_version_can(guint version, HbMyFeature feature);
gboolean hb_my_version_is_maria(guint version);

/* The oldest version of the same product whose statements are known here */
guint hb_my_version_get_oldest(guint version);
const char *hb_my_version_get_product(guint version); /* "MariaDB", "MySQL" */

/* The privilege to define something in another account's name, as GRANT has it */
const char *hb_my_version_get_definer_privilege(guint version);

/* The privilege to make a spatial reference system, likewise */
const char *hb_my_version_get_spatial_privilege(guint version);
