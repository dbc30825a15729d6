/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/target.h"

void hb_restore_privileges_clear(HbRestorePrivileges *privileges)
{
    g_clear_pointer(&privileges->owners, g_hash_table_unref);
    g_clear_pointer(&privileges->closed, g_hash_table_unref);
}

void hb_peer_clear(HbPeer *peer)
{
    g_free(peer->who);
    *peer = (HbPeer){0};
}
