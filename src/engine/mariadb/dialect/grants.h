/* SPDX-License-Identifier: Apache-2.0 */
/*
 * grants - the lines of SHOW GRANTS taken apart.
 */
#pragma once

#include "core/model/object.h"

typedef enum {
    HB_GRANT_SERVER,   /* on *.* */
    HB_GRANT_DATABASE, /* on garden.* */
    HB_GRANT_OBJECT,   /* on garden.loan, on FUNCTION garden.age */
    HB_GRANT_PROXY,
    HB_GRANT_ROLE,
    HB_GRANT_DEFAULT_ROLE,
    HB_GRANT_REVOKE /* on a database or object, of what is granted on everything (MySQL) */
} HbGrantType;

typedef struct {
    HbGrantType type;
    char *privileges;   /* as they stand in the line */
    char *database;     /* unquoted; of a database it may be a pattern */
    char *object;       /* unquoted */
    char *object_type;  /* "FUNCTION", ...; NULL for tables */
    char *other;        /* the role, or the account that is proxied, as SQL writes it */
    gboolean passes_on; /* with grant option, or with admin option */
} HbGrant;

/* NULL if the line is not about the account, or says nothing; account as hb_my_write_account() gives it. Of a line with
 * several roles it is the first
 */
HbGrant *hb_grant_read(const char *line, const char *account);

/* Adds what the line says, one for each role */
void hb_grant_read_line(const char *line, const char *account, GPtrArray *grants);
void hb_grant_free(HbGrant *grant);

/* 'user'@'host', or the quoted name of a role, which has no host (NULL or ""). The caller's */
char *hb_my_write_account(const char *user, const char *host);

/* Is the pattern of a grant this name itself, with its underscores escaped or not? */
gboolean hb_grant_names(const char *pattern, const char *name);

/* The account that a definition says defines it, as above; NULL if it says none. The caller's */
char *hb_my_read_definer(const char *definition);

/*
 * The role, as SQL writes it, that a GRANT names as its receiver, or that a definition says defines it; NULL if that is
 * an account, or none is named. The caller's
 */
char *hb_grant_find_role(const char *statement);

/* The definition without its definer: the user that runs it becomes its definer. NULL if it names none. The caller's */
char *hb_my_forget_definer(const char *definition);

/*
 * "CREATE USER ... DEFAULT ROLE `a`@`%`,`b`@`%` REQUIRE ..." without the default roles, which are not there yet when
 * accounts are made; *roles gets them as SQL writes them, NULL: there are none. Both are the caller's
 */
char *hb_grant_cut_default_roles(const char *create, char **roles);

/* Whom a grant of a catalog is for, as SQL writes it; NULL if the object is no grant. The caller's */
char *hb_grant_get_grantee(const HbObject *object);
