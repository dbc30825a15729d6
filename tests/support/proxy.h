/* SPDX-License-Identifier: Apache-2.0 */
/*
 * proxy - stands between the program and a private server, and behaves as networks do: forwards, then stands still.
 */
#pragma once

#include <glib.h>

typedef struct Proxy Proxy;

/* Listens on a port of its own of 127.0.0.1, for the server of that name */
Proxy *proxy_new(const char *server);
void proxy_free(Proxy *proxy);

/* The server's database through it; the caller's */
char *proxy_get_uri(const Proxy *proxy, const char *database);

/* After so many bytes from the server, over all connections, nothing is forwarded any more, new connections included */
void proxy_stall_after(Proxy *proxy, gint64 bytes);
/* The same after so many bytes to the server */
void proxy_stall_after_sending(Proxy *proxy, gint64 bytes);
gboolean proxy_is_stalled(Proxy *proxy);

/* After so many bytes to the server all connections that there are break, once; others can be made at once */
void proxy_break_after(Proxy *proxy, gint64 bytes);
/* From now on a break is one for the clients only: the server still has its ends */
void proxy_keep_servers_ends(Proxy *proxy);
gboolean proxy_is_broken(Proxy *proxy);
