/* SPDX-License-Identifier: Apache-2.0 */
#include "core/model/object.h"

#include "core/base/error.h"

#include <string.h>

/*
 * What holds for all objects of a kind stands in one table, by kind: its name in identities, its name for people, the
 * earliest stage that it is made in, the part of a dump that it belongs to, and what it has to come after. A kind that
 * is added to the enum and not to the table has no name, which the tests notice.
 */

#define KIND(name, plural, stage, part)                                                                                \
    {                                                                                                                  \
        name, plural, HB_STAGE_##stage, HB_PART_##part, HB_AFTER_NEEDS                                                 \
    }
#define LATE_KIND(name, plural, stage, part, after)                                                                    \
    {                                                                                                                  \
        name, plural, HB_STAGE_##stage, HB_PART_##part, HB_AFTER_##after                                               \
    }

/* clang-format off */
static const HbKindTraits kinds[HB_KIND_COUNT] = {
    [HB_KIND_ROLE]              = KIND("role", "roles", USERS, USERS),
    [HB_KIND_PASSWORD]          = KIND("password", "passwords", USERS, USERS),
    [HB_KIND_MEMBERSHIP]        = KIND("membership", "memberships", USERS, USERS),
    [HB_KIND_ROLE_SETTING]      = KIND("role-setting", "role settings", USERS, USERS),
    [HB_KIND_PARAMETER_GRANT]   = KIND("parameter-grant", "grants on parameters", USERS, USERS),
    [HB_KIND_GLOBAL_GRANT]      = KIND("global-grant", "grants on the whole server", USERS, USERS),
    [HB_KIND_LOADABLE_FUNCTION] = KIND("loadable-function", "loadable functions", USERS, SETTINGS),
    [HB_KIND_SPATIAL_REFERENCE] = KIND("spatial-reference", "spatial reference systems", STRUCTURE, SCHEMA),
    [HB_KIND_TABLESPACE]        = KIND("tablespace", "tablespaces", USERS, SETTINGS),
    [HB_KIND_SCHEMA]            = KIND("schema", "schemas", STRUCTURE, SCHEMA),
    [HB_KIND_EXTENSION]         = KIND("extension", "extensions", STRUCTURE, SCHEMA),
    [HB_KIND_COLLATION]         = KIND("collation", "collations", STRUCTURE, SCHEMA),
    [HB_KIND_CONVERSION]        = KIND("conversion", "conversions", STRUCTURE, SCHEMA),
    [HB_KIND_PLACEHOLDER]       = KIND("placeholder", "placeholders", STRUCTURE, SCHEMA),
    [HB_KIND_TYPE]              = KIND("type", "types", STRUCTURE, SCHEMA),
    [HB_KIND_DOMAIN]            = KIND("domain", "domains", STRUCTURE, SCHEMA),
    [HB_KIND_LANGUAGE]          = KIND("language", "languages", STRUCTURE, SCHEMA),
    [HB_KIND_FUNCTION]          = KIND("function", "functions", STRUCTURE, SCHEMA),
    [HB_KIND_PROCEDURE]         = KIND("procedure", "procedures", STRUCTURE, SCHEMA),
    [HB_KIND_PACKAGE]           = KIND("package", "packages", STRUCTURE, SCHEMA),
    [HB_KIND_PACKAGE_BODY]      = KIND("package-body", "package bodies", STRUCTURE, SCHEMA),
    [HB_KIND_AGGREGATE]         = KIND("aggregate", "aggregates", STRUCTURE, SCHEMA),
    [HB_KIND_CAST]              = KIND("cast", "casts", STRUCTURE, SCHEMA),
    [HB_KIND_TRANSFORM]         = KIND("transform", "transforms", STRUCTURE, SCHEMA),
    [HB_KIND_ACCESS_METHOD]     = KIND("access-method", "access methods", STRUCTURE, SCHEMA),
    [HB_KIND_OPERATOR]          = KIND("operator", "operators", STRUCTURE, SCHEMA),
    [HB_KIND_OPERATOR_FAMILY]   = KIND("operator-family", "operator families", STRUCTURE, SCHEMA),
    [HB_KIND_OPERATOR_CLASS]    = KIND("operator-class", "operator classes", STRUCTURE, SCHEMA),
    [HB_KIND_OPERATOR_FAMILY_MEMBERS] =
        KIND("operator-family-members", "operator family members", STRUCTURE, SCHEMA),
    [HB_KIND_TEXT_SEARCH_PARSER]   = KIND("text-search-parser", "text search parsers", STRUCTURE, SCHEMA),
    [HB_KIND_TEXT_SEARCH_TEMPLATE] = KIND("text-search-template", "text search templates", STRUCTURE, SCHEMA),
    [HB_KIND_TEXT_SEARCH_DICTIONARY] =
        KIND("text-search-dictionary", "text search dictionaries", STRUCTURE, SCHEMA),
    [HB_KIND_TEXT_SEARCH_CONFIGURATION] =
        KIND("text-search-configuration", "text search configurations", STRUCTURE, SCHEMA),
    [HB_KIND_FOREIGN_DATA_WRAPPER] = KIND("foreign-data-wrapper", "foreign data wrappers", STRUCTURE, SCHEMA),
    [HB_KIND_FOREIGN_SERVER]    = KIND("foreign-server", "foreign servers", STRUCTURE, SCHEMA),
    [HB_KIND_USER_MAPPING]      = KIND("user-mapping", "user mappings", STRUCTURE, SCHEMA),
    [HB_KIND_SEQUENCE]          = KIND("sequence", "sequences", STRUCTURE, SCHEMA),
    [HB_KIND_TABLE]             = KIND("table", "tables", STRUCTURE, SCHEMA),
    [HB_KIND_FOREIGN_TABLE]     = KIND("foreign-table", "foreign tables", STRUCTURE, SCHEMA),
    [HB_KIND_ATTACHMENT]        = KIND("attachment", "attachments", STRUCTURE, SCHEMA),
    [HB_KIND_SEQUENCE_LINK]     = KIND("sequence-link", "sequence links", STRUCTURE, SCHEMA),
    [HB_KIND_DEFAULT]           = KIND("default", "column defaults", STRUCTURE, SCHEMA),
    [HB_KIND_CHECK]             = KIND("check", "check constraints", STRUCTURE, SCHEMA),
    [HB_KIND_VIEW]              = KIND("view", "views", STRUCTURE, SCHEMA),
    [HB_KIND_MATERIALIZED_VIEW] = KIND("materialized-view", "materialized views", STRUCTURE, SCHEMA),
    [HB_KIND_LARGE_OBJECTS]     = KIND("large-objects", "pages of large objects", STRUCTURE, DATA),
    [HB_KIND_ROWS]              = KIND("rows", "row sets", ROWS, DATA),
    [HB_KIND_SEQUENCE_VALUE]    = KIND("sequence-value", "sequence values", COMPLETION, DATA),
    [HB_KIND_KEY]               = KIND("key", "keys", COMPLETION, SCHEMA),
    [HB_KIND_INDEX]             = KIND("index", "indexes", COMPLETION, SCHEMA),
    [HB_KIND_INDEX_ATTACHMENT]  = KIND("index-attachment", "index attachments", COMPLETION, SCHEMA),
    [HB_KIND_EXTENSION_LINK]    = KIND("extension-link", "extension links", COMPLETION, SCHEMA),
    [HB_KIND_STATISTICS]        = KIND("statistics", "extended statistics", COMPLETION, SCHEMA),
    [HB_KIND_REPLICA_IDENTITY]  = KIND("replica-identity", "replica identities", COMPLETION, SCHEMA),
    [HB_KIND_FOREIGN_KEY]       = KIND("foreign-key", "foreign keys", COMPLETION, SCHEMA),
    [HB_KIND_RULE]              = KIND("rule", "rules", COMPLETION, SCHEMA),
    [HB_KIND_TRIGGER]           = KIND("trigger", "triggers", COMPLETION, SCHEMA),
    [HB_KIND_POLICY]            = KIND("policy", "policies", COMPLETION, SCHEMA),
    [HB_KIND_ROW_SECURITY]      = KIND("row-security", "row security switches", COMPLETION, SCHEMA),
    [HB_KIND_GRANT]             = KIND("grant", "grants", COMPLETION, SCHEMA),
    [HB_KIND_COMMENT]           = KIND("comment", "comments", COMPLETION, SCHEMA),
    [HB_KIND_SECURITY_LABEL]    = KIND("security-label", "security labels", COMPLETION, SCHEMA),
    [HB_KIND_REFRESH]           = LATE_KIND("refresh", "refreshes", COMPLETION, DATA, ROWS),
    [HB_KIND_DEFAULT_GRANT]     = LATE_KIND("default-grant", "default grants", COMPLETION, SCHEMA, EVERYTHING),
    [HB_KIND_PUBLICATION]       = LATE_KIND("publication", "publications", COMPLETION, SCHEMA, EVERYTHING),
    [HB_KIND_SUBSCRIPTION]      = LATE_KIND("subscription", "subscriptions", COMPLETION, SCHEMA, EVERYTHING),
    [HB_KIND_EVENT_TRIGGER]     = LATE_KIND("event-trigger", "event triggers", COMPLETION, SCHEMA, EVERYTHING),
    [HB_KIND_EVENT]             = LATE_KIND("event", "events", COMPLETION, SCHEMA, EVERYTHING),
    [HB_KIND_DATABASE_OWNER]    = LATE_KIND("database-owner", "database owners", SETTINGS, SETTINGS, EVERYTHING),
    [HB_KIND_DATABASE_SETTING]  = LATE_KIND("database-setting", "database settings", SETTINGS, SETTINGS, EVERYTHING),
};
/* clang-format on */

static const char *const stage_names[HB_STAGE_COUNT] = {"users", "structure", "rows", "completion", "settings"};
static const char *const after_names[] = {"needs", "rows", "everything"};
static const struct {
    const char *name;
    HbPart part;
} parts_by_name[] = {
    {"schema", HB_PART_SCHEMA}, {"data", HB_PART_DATA}, {"users", HB_PART_USERS}, {"settings", HB_PART_SETTINGS}};

const HbKindTraits *hb_kind_get_traits(HbKind kind)
{
    g_assert(kind < HB_KIND_COUNT);
    return &kinds[kind];
}

gboolean hb_kind_is_relation(HbKind kind)
{
    return kind == HB_KIND_TABLE || kind == HB_KIND_VIEW || kind == HB_KIND_MATERIALIZED_VIEW ||
           kind == HB_KIND_SEQUENCE || kind == HB_KIND_FOREIGN_TABLE;
}

gboolean hb_kind_is_personal(HbKind kind)
{
    return kind == HB_KIND_ROLE || kind == HB_KIND_PASSWORD || kind == HB_KIND_ROLE_SETTING;
}

gboolean hb_kind_find(const char *name, HbKind *kind)
{
    for (int k = 0; k < HB_KIND_COUNT; k++) {
        if (strcmp(kinds[k].name, name) == 0) {
            *kind = (HbKind)k;
            return TRUE;
        }
    }
    return FALSE;
}

const char *hb_stage_get_name(HbStage stage)
{
    g_assert(stage < HB_STAGE_COUNT);
    return stage_names[stage];
}

const char *hb_after_get_name(HbAfter after)
{
    g_assert(after < G_N_ELEMENTS(after_names));
    return after_names[after];
}

gboolean hb_after_find(const char *name, HbAfter *after)
{
    for (gsize i = 0; i < G_N_ELEMENTS(after_names); i++) {
        if (strcmp(after_names[i], name) == 0) {
            *after = (HbAfter)i;
            return TRUE;
        }
    }
    return FALSE;
}

char *hb_identity_new(HbKind kind, const char *name)
{
    return g_strconcat(hb_kind_get_traits(kind)->name, " ", name, NULL);
}

HbObject *hb_object_new(HbKind kind, const char *name)
{
    HbObject *object = g_new0(HbObject, 1);

    object->kind = kind;
    object->identity = hb_identity_new(kind, name);
    object->stage = hb_kind_get_traits(kind)->stage;
    object->after = hb_kind_get_traits(kind)->after;
    object->needs = g_ptr_array_new_with_free_func(g_free);
    return object;
}

static gpointer copy_text(gconstpointer text, gpointer data)
{
    (void)data;
    return g_strdup(text);
}

HbObject *hb_object_copy(const HbObject *object)
{
    HbObject *copy = g_memdup2(object, sizeof *object);

    copy->identity = g_strdup(object->identity);
    copy->on = g_strdup(object->on);
    copy->owner = g_strdup(object->owner);
    copy->definition = g_strdup(object->definition);
    copy->wordings = object->wordings != NULL ? hb_wordings_copy(object->wordings) : NULL;
    copy->owner_sql = g_strdup(object->owner_sql);
    copy->stand_in = g_strdup(object->stand_in);
    copy->needs = g_ptr_array_copy(object->needs, copy_text, NULL);
    g_ptr_array_set_free_func(copy->needs, g_free);
    return copy;
}

void hb_object_free(HbObject *object)
{
    if (object == NULL)
        return;
    g_free(object->identity);
    g_free(object->on);
    g_free(object->owner);
    g_free(object->definition);
    g_clear_pointer(&object->wordings, g_ptr_array_unref);
    g_free(object->owner_sql);
    g_free(object->stand_in);
    g_ptr_array_unref(object->needs);
    g_free(object);
}

const char *hb_object_get_name(const HbObject *object)
{
    return object->identity + strlen(hb_kind_get_traits(object->kind)->name) + 1;
}

gboolean hb_object_has_need(const HbObject *object, const char *identity)
{
    return g_ptr_array_find_with_equal_func(object->needs, identity, g_str_equal, NULL);
}

void hb_object_add_need(HbObject *object, const char *identity)
{
    if (strcmp(object->identity, identity) != 0 && !hb_object_has_need(object, identity))
        g_ptr_array_add(object->needs, g_strdup(identity));
}

static gboolean read_part(const char *word, guint *parts, GError **error)
{
    for (gsize i = 0; i < G_N_ELEMENTS(parts_by_name); i++) {
        if (strcmp(parts_by_name[i].name, word) == 0) {
            *parts |= parts_by_name[i].part;
            return TRUE;
        }
    }
    return hb_error_set(error, HB_ERROR_USAGE, "the parts are schema, data, users and settings, joined by commas",
                        "“%s” is no part of a dump", word);
}

gboolean hb_parts_read(const char *text, guint *parts, GError **error)
{
    g_auto(GStrv) words = g_strsplit(text, ",", -1);

    *parts = 0;
    for (char **word = words; *word != NULL; word++) {
        if (!read_part(g_strstrip(*word), parts, error))
            return FALSE;
    }
    return *parts != 0 || hb_error_set(error, HB_ERROR_USAGE, "name at least one of schema, data, users, settings",
                                       "no part was chosen");
}

char *hb_parts_write(guint parts)
{
    GString *text = g_string_new(NULL);

    for (gsize i = 0; i < G_N_ELEMENTS(parts_by_name); i++) {
        if (parts & parts_by_name[i].part)
            g_string_append_printf(text, "%s%s", text->len > 0 ? "," : "", parts_by_name[i].name);
    }
    return g_string_free(text, FALSE);
}
