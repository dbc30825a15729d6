/* SPDX-License-Identifier: Apache-2.0 */
/*
 * role_findings - what would become of the users of a catalog on a target that has users of its own.
 */
#pragma once

#include "core/base/findings.h"
#include "core/sql/dialect.h"

/* Users that are named but exist on neither side; users that exist on the target with other attributes or passwords.
 * there: the target's users, arranged */
void hb_role_findings_add(const HbCatalog *catalog, const HbCatalog *there, const HbDialect *dialect,
                          GPtrArray *findings);
