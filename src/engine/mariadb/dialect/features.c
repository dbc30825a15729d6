/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/features.h"

#define NEVER G_MAXUINT

/* The first versions that have it, of MariaDB and of MySQL */
static const struct {
    guint maria, mysql;
} since[HB_MY_FEATURES] = {
    [HB_MY_DATABASE_COMMENTS] = {100500, NEVER},  [HB_MY_BOUND_ARRAYS] = {100207, NEVER},
    [HB_MY_DOMAIN_GTIDS] = {100002, NEVER},       [HB_MY_ROLES_WITHOUT_HOST] = {100005, NEVER},
    [HB_MY_BACKUP_STAGES] = {100401, NEVER},      [HB_MY_BACKUP_LOCK] = {NEVER, 80000},
    [HB_MY_ENCRYPTION_PLUGINS] = {100104, NEVER}, [HB_MY_SETTINGS_IN_SCHEMA] = {100101, NEVER},
    [HB_MY_GTID_CONSISTENCY] = {NEVER, 50609},    [HB_MY_SECOND_PASSWORDS] = {NEVER, 80014},
    [HB_MY_VERSION_COMMENTS] = {NEVER, 0},        [HB_MY_DROP_PARTS_IF_THERE] = {100002, NEVER},
    [HB_MY_DATABASE_OPTIONS] = {NEVER, 80022},    [HB_MY_SUPER_MEANS_LESS] = {110001, NEVER},
    [HB_MY_HISTOGRAMS] = {NEVER, 80003},          [HB_MY_TYPED_JSON] = {NEVER, 50708},
    [HB_MY_BINARY_LOG_STATUS] = {NEVER, 80200},   [HB_MY_ENABLED_ROLES] = {NEVER, 80019},
    [HB_MY_LOGGED_CASCADES] = {NEVER, 90600},     [HB_MY_CACHING_SHA2] = {NEVER, 80004},
    [HB_MY_PROCESSES_AS_TEXT] = {NEVER, 80022},   [HB_MY_SPATIAL_REFERENCES] = {NEVER, 80000},
    [HB_MY_LOCKS_BY_THREAD] = {NEVER, 80000},
};

/* From which version on who may define what in another's name; the last that fits holds */
static const struct {
    guint maria, mysql;
    const char *privilege;
} definer_privileges[] = {
    {0, 0, "SUPER"}, {100502, NEVER, "SET USER"}, {NEVER, 80000, "SET_USER_ID"}, {NEVER, 80200, "SET_ANY_DEFINER"}};

#define FIRST_OF_MARIADB 100000

gboolean hb_my_version_is_maria(guint version)
{
    return version >= FIRST_OF_MARIADB;
}

static guint version_for(guint version, guint maria, guint mysql)
{
    return hb_my_version_is_maria(version) ? maria : mysql;
}

gboolean hb_my_version_can(guint version, HbMyFeature feature)
{
    return version >= version_for(version, since[feature].maria, since[feature].mysql);
}

guint hb_my_version_get_oldest(guint version)
{
    return version_for(version, 100200, 50700);
}

const char *hb_my_version_get_product(guint version)
{
    return hb_my_version_is_maria(version) ? "MariaDB" : "MySQL";
}

const char *hb_my_version_get_definer_privilege(guint version)
{
    const char *privilege = NULL;

    for (gsize i = 0; i < G_N_ELEMENTS(definer_privileges); i++) {
        if (version >= version_for(version, definer_privileges[i].maria, definer_privileges[i].mysql))
            privilege = definer_privileges[i].privilege;
    }
    return privilege;
}

const char *hb_my_version_get_spatial_privilege(guint version)
{
    return version >= 90200 ? "CREATE_SPATIAL_REFERENCE_SYSTEM" : "SUPER";
}
