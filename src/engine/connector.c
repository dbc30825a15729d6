/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/connector.h"

void hb_server_info_clear(HbServerInfo *info)
{
    g_free(info->product);
    g_free(info->version);
    g_free(info->address);
    g_free(info->database);
    g_free(info->database_quoted);
    g_free(info->user);
    g_free(info->identity);
    g_free(info->lasting);
    *info = (HbServerInfo){0};
}

void hb_engine_notify_opened(const HbAddress *address, const HbEngine *engine, HbSession *session)
{
    if (address->watch != NULL)
        address->watch->opened(address->watch->data, engine, session, address->uri);
}

void hb_engine_notify_closed(const HbAddress *address, HbSession *session)
{
    if (address->watch != NULL)
        address->watch->closed(address->watch->data, session);
}
