/* SPDX-License-Identifier: Apache-2.0 */
/*
 * accounts_inner - accounts with what they are granted: accounts_list.c reads and chooses them, accounts.c makes
 * objects of them; no other file includes it.
 */
#pragma once

#include "engine/mariadb/catalog/accounts.h"
#include "engine/mariadb/dialect/grants.h"

/* One account or role with what it is granted */
typedef struct {
    char *name; /* as SQL writes it */
    char *create;
    char *default_roles; /* that its CREATE USER names; NULL: none */
    GPtrArray *grants;   /* HbGrant * */
    gboolean is_role, is_public;
    gboolean is_wanted;
} HbMyAccount;

void hb_my_accounts_account_free(gpointer data);
GPtrArray *hb_my_accounts_read_all(HbSession *session, HbCatalog *catalog, GError **error);
gboolean hb_my_accounts_is_about(const HbGrant *grant, const char *database);
HbMyAccount *hb_my_accounts_find_account(const GPtrArray *accounts, const char *name);
void hb_my_accounts_choose(GPtrArray *accounts, const HbCatalog *catalog, const char *database);
