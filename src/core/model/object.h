/* SPDX-License-Identifier: Apache-2.0 */
/*
 * object - one database object: identity, kind, definition, needs.
 *
 * An identity is the kind's name, a blank and the object's name as the engine quotes it: "table garden.plot",
 * "function garden.age(date)". It is stable from server to server and is how objects refer to each other.
 *
 * What can be created apart from its object is an object of its own (a default, a constraint, a comment, the rows).
 */
#pragma once

#include "core/model/wordings.h"

#include <glib.h>

/* Where in a dump an object stands, in this order: each has its SQL file, but for the rows, which have chunks */
typedef enum {
    HB_STAGE_USERS,
    HB_STAGE_STRUCTURE,
    HB_STAGE_ROWS,
    HB_STAGE_COMPLETION,
    HB_STAGE_SETTINGS,
    HB_STAGE_COUNT
} HbStage;

/* What the user chooses with --parts; a set of bits */
typedef enum { HB_PART_SCHEMA = 1, HB_PART_DATA = 2, HB_PART_USERS = 4, HB_PART_SETTINGS = 8, HB_PART_ALL = 15 } HbPart;

/* When a step may run, beyond what it needs by name */
typedef enum {
    HB_AFTER_NEEDS,     /* as soon as its needs are there */
    HB_AFTER_ROWS,      /* when all rows of the database are in: it may read any table */
    HB_AFTER_EVERYTHING /* when all else is done: it acts upon what is created after it */
} HbAfter;

/* In the order in which a stage lists them when their needs leave the choice */
typedef enum {
    HB_KIND_ROLE,
    HB_KIND_PASSWORD,
    HB_KIND_MEMBERSHIP,
    HB_KIND_ROLE_SETTING,
    HB_KIND_PARAMETER_GRANT,
    HB_KIND_GLOBAL_GRANT,
    HB_KIND_TABLESPACE,
    HB_KIND_LOADABLE_FUNCTION,
    HB_KIND_SPATIAL_REFERENCE,
    HB_KIND_SCHEMA,
    HB_KIND_EXTENSION,
    HB_KIND_COLLATION,
    HB_KIND_CONVERSION,
    HB_KIND_PLACEHOLDER,
    HB_KIND_TYPE,
    HB_KIND_DOMAIN,
    HB_KIND_LANGUAGE,
    HB_KIND_FUNCTION,
    HB_KIND_PROCEDURE,
    HB_KIND_PACKAGE,
    HB_KIND_PACKAGE_BODY,
    HB_KIND_AGGREGATE,
    HB_KIND_CAST,
    HB_KIND_TRANSFORM,
    HB_KIND_ACCESS_METHOD,
    HB_KIND_OPERATOR,
    HB_KIND_OPERATOR_FAMILY,
    HB_KIND_OPERATOR_CLASS,
    HB_KIND_OPERATOR_FAMILY_MEMBERS,
    HB_KIND_TEXT_SEARCH_PARSER,
    HB_KIND_TEXT_SEARCH_TEMPLATE,
    HB_KIND_TEXT_SEARCH_DICTIONARY,
    HB_KIND_TEXT_SEARCH_CONFIGURATION,
    HB_KIND_FOREIGN_DATA_WRAPPER,
    HB_KIND_FOREIGN_SERVER,
    HB_KIND_USER_MAPPING,
    HB_KIND_SEQUENCE,
    HB_KIND_TABLE,
    HB_KIND_FOREIGN_TABLE,
    HB_KIND_ATTACHMENT,
    HB_KIND_SEQUENCE_LINK,
    HB_KIND_DEFAULT,
    HB_KIND_CHECK,
    HB_KIND_VIEW,
    HB_KIND_MATERIALIZED_VIEW,
    HB_KIND_LARGE_OBJECTS,
    HB_KIND_ROWS,
    HB_KIND_SEQUENCE_VALUE,
    HB_KIND_KEY,
    HB_KIND_INDEX,
    HB_KIND_INDEX_ATTACHMENT,
    HB_KIND_EXTENSION_LINK,
    HB_KIND_STATISTICS,
    HB_KIND_REPLICA_IDENTITY,
    HB_KIND_FOREIGN_KEY,
    HB_KIND_RULE,
    HB_KIND_TRIGGER,
    HB_KIND_POLICY,
    HB_KIND_ROW_SECURITY,
    HB_KIND_GRANT,
    HB_KIND_COMMENT,
    HB_KIND_SECURITY_LABEL,
    HB_KIND_REFRESH,
    HB_KIND_DEFAULT_GRANT,
    HB_KIND_PUBLICATION,
    HB_KIND_SUBSCRIPTION,
    HB_KIND_EVENT_TRIGGER,
    HB_KIND_EVENT,
    HB_KIND_DATABASE_OWNER,
    HB_KIND_DATABASE_SETTING,
    HB_KIND_COUNT
} HbKind;

/* What holds for all objects of a kind */
typedef struct {
    const char *name;   /* as it stands in identities: "foreign-key" */
    const char *plural; /* for people: "foreign keys" */
    HbStage stage;      /* the earliest stage; an object's needs may move it to a later one */
    HbPart part;
    HbAfter after;
} HbKindTraits;

typedef struct {
    HbKind kind;
    char *identity;
    char *on;            /* identity of the object that this is a part of; NULL if it stands alone */
    char *owner;         /* role name, unquoted; NULL if the kind has no owner of its own */
    char *definition;    /* SQL that creates it, one or more statements, each ended by ';'; NULL for rows */
    GPtrArray *wordings; /* HbWording *: what the definition is on other versions; NULL: the same on all */
    char *owner_sql;     /* SQL that gives it its owner; NULL if none */
    char *stand_in;      /* SQL of a placeholder that breaks circles; the definition then replaces it; NULL if none */
    GPtrArray *needs;    /* char *: identities, each once */
    HbStage stage;
    HbAfter after;
    guint64 cost; /* estimated bytes that creating it must touch */
    gboolean
        is_translated; /* its definition was put into the words of another product: each has its own way to print it */
    guint rank;        /* its place among the parts of `on`, from 1, where their order matters; 0: it does not */
} HbObject;

const HbKindTraits *hb_kind_get_traits(HbKind kind);
gboolean hb_kind_is_relation(HbKind kind);             /* tables, views, sequences: names of one sort */
gboolean hb_kind_is_personal(HbKind kind);             /* what a user is, rather than what was granted to it */
gboolean hb_kind_find(const char *name, HbKind *kind); /* FALSE if no kind has this name */

const char *hb_stage_get_name(HbStage stage); /* "users", "structure", ... */
const char *hb_after_get_name(HbAfter after); /* "needs", "rows", "everything" */
gboolean hb_after_find(const char *name, HbAfter *after);

/* A new object with its kind's stage and nothing needed. name is the part of the identity that follows the kind */
HbObject *hb_object_new(HbKind kind, const char *name);
HbObject *hb_object_copy(const HbObject *object);
void hb_object_free(HbObject *object);

/* The identity without the kind, borrowed */
const char *hb_object_get_name(const HbObject *object);

/* Adds a need unless it is there already or is the object itself */
void hb_object_add_need(HbObject *object, const char *identity);
gboolean hb_object_has_need(const HbObject *object, const char *identity);

/* "table garden.plot" from its two halves; the caller's */
char *hb_identity_new(HbKind kind, const char *name);

/* "schema,data" to bits. FALSE with HB_ERROR_USAGE if a word is no part */
gboolean hb_parts_read(const char *text, guint *parts, GError **error);
char *hb_parts_write(guint parts); /* the caller's */
