/* SPDX-License-Identifier: Apache-2.0 */
/*
 * translate_inner - what the parts of a translation share: translate_roles.c is about roles and accounts; no other file
 * includes it.
 */
#pragma once

#include "engine/mariadb/dialect/translate.h"

typedef struct {
    HbCatalog *catalog;
    GHashTable *gone; /* identities of what is left out; borrowed */
    gboolean to_maria;
} HbMyTranslation;

void hb_my_translate_omit(const HbMyTranslation *work, const char *what, const char *why);
void hb_my_translate_leave_out(const HbMyTranslation *work, HbObject *object, const char *why);
void hb_my_translate_define(HbObject *object, char *definition_taken);
gboolean hb_my_translate_replace(HbObject *object, const char *pattern, const char *by);
void hb_my_translate_make_roles(const HbMyTranslation *work);
void hb_my_translate_make_accounts_of_roles(const HbMyTranslation *work);
void hb_my_translate_default_role(const HbMyTranslation *work, HbObject *object);
void hb_my_translate_account(const HbMyTranslation *work, HbObject *object);
void hb_my_translate_lock_account(const HbMyTranslation *work, HbObject *object);
