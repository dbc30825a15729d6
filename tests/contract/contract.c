/* SPDX-License-Identifier: Apache-2.0 */
#include "contract/contract.h"

#include "core/base/digest.h"

HbSession *contract_open(const Contract *contract)
{
    GError *error = NULL;
    HbSession *session = contract->engine->connector->open(&contract->address, &error);

    check_no_error(error);
    assert_non_null(session);
    return session;
}

gboolean contract_is_noted(const Contract *contract, HbSession *session, const char *key)
{
    g_autoptr(GHashTable) steps = contract->engine->journal->read(session, NULL);

    return g_hash_table_contains(steps, key);
}

HbRowSet *contract_add_row_set(const Contract *contract, HbCatalog *catalog)
{
    HbRowSet *set = hb_catalog_add_row_set(catalog, "rows t", contract->table);

    g_ptr_array_add(set->columns, g_strdup("n"));
    g_ptr_array_add(set->columns, g_strdup("label"));
    return set;
}

void contract_rows_init(ContractRows *rows, gboolean fails)
{
    *rows = (ContractRows){.blocks = fails ? 2 : 3, .fails = fails, .block = g_string_new(NULL)};
}

void contract_rows_clear(ContractRows *rows)
{
    g_string_free(rows->block, TRUE);
}

gboolean contract_rows_give(gpointer data, const char **bytes, gsize *length, GError **error)
{
    ContractRows *source = data;

    g_string_truncate(source->block, 0);
    *bytes = source->block->str;
    *length = 0;
    if (source->blocks == 0)
        return !source->fails || hb_error_set(error, HB_ERROR_DAMAGED, NULL, "the source has had enough");
    source->blocks--;
    for (int i = 0; i < CONTRACT_ROWS / 3; i++, source->row++)
        g_string_append_printf(source->block, "%u\t%s row %u\n", source->row, "t", source->row);
    *bytes = source->block->str;
    *length = source->block->len;
    return TRUE;
}

static gboolean take(gpointer data, const char *row, gsize length, GError **error)
{
    (void)error;
    assert_int_equal(row[length - 1], '\n');
    hb_digest_add_row(data, row, length - 1);
    return TRUE;
}

HbDigest contract_read_all(const Contract *contract, HbSession *session, const HbRowSet *set, guint64 bytes)
{
    g_autoptr(GArray) ranges = contract->engine->source->split_rows(session, set, bytes);
    HbDigest digest = {0};
    GError *error = NULL;

    for (guint i = 0; i < ranges->len; i++) {
        contract->engine->source->read_rows(session, set, &g_array_index(ranges, HbRange, i), take, &digest, &error);
        check_no_error(error);
    }
    return digest;
}
