/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/common/definitions.h"

#include <string.h>

gboolean hb_definition_makes_key(const char *definition)
{
    return definition != NULL && (strstr(definition, "PRIMARY KEY") != NULL || strstr(definition, "UNIQUE ") != NULL);
}

gboolean hb_definition_demands_value(const char *column)
{
    return column != NULL && strstr(column, "NOT NULL") != NULL && strstr(column, "DEFAULT") == NULL &&
           strstr(column, "GENERATED") == NULL;
}
