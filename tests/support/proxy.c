/* SPDX-License-Identifier: Apache-2.0 */
#include "support/proxy.h"

#include "support/check.h"
#include "support/servers.h"

#include <arpa/inet.h>
#include <poll.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#define POLL_MS 50

struct Proxy {
    int listener;
    guint port;
    gboolean is_mariadb;
    char *socket; /* the server's */
    GThread *thread;
    GMutex lock;         /* guards what follows */
    GPtrArray *threads;  /* GThread * of connections */
    gint64 left;         /* bytes from the server until it stalls */
    gint64 left_to_send; /* bytes of the clients until it stalls */
    gint64 sent;         /* bytes that the clients may still send until all break */
    guint breaks;        /* how often all have broken */
    GArray *kept;        /* int: servers' ends of broken links that stay open; NULL: none does */
    gboolean is_ended;
};

typedef struct {
    Proxy *proxy;
    int client, server;
} Link;

static gboolean is_ended(Proxy *proxy)
{
    gboolean ended;

    g_mutex_lock(&proxy->lock);
    ended = proxy->is_ended;
    g_mutex_unlock(&proxy->lock);
    return ended;
}

gboolean proxy_is_stalled(Proxy *proxy)
{
    gboolean stalled;

    g_mutex_lock(&proxy->lock);
    stalled = proxy->left <= 0 || proxy->left_to_send <= 0;
    g_mutex_unlock(&proxy->lock);
    return stalled;
}

void proxy_stall_after(Proxy *proxy, gint64 bytes)
{
    g_mutex_lock(&proxy->lock);
    proxy->left = bytes;
    g_mutex_unlock(&proxy->lock);
}

void proxy_stall_after_sending(Proxy *proxy, gint64 bytes)
{
    g_mutex_lock(&proxy->lock);
    proxy->left_to_send = bytes;
    g_mutex_unlock(&proxy->lock);
}

/* FALSE at the end of the connection */
static gboolean pass(Proxy *proxy, int from, int to, gboolean counts)
{
    char block[8192];
    ssize_t count = read(from, block, sizeof block);

    if (count <= 0)
        return FALSE;
    g_mutex_lock(&proxy->lock);
    proxy->left -= counts ? count : 0;
    proxy->sent -= counts ? 0 : count;
    proxy->left_to_send -= counts ? 0 : count;
    if (proxy->sent <= 0) {
        proxy->sent = G_MAXINT64;
        proxy->breaks++;
    }
    g_mutex_unlock(&proxy->lock);
    for (ssize_t at = 0, sent; at < count; at += sent) {
        sent = send(to, block + at, (size_t)(count - at), MSG_NOSIGNAL);
        if (sent <= 0)
            return FALSE;
    }
    return TRUE;
}

void proxy_break_after(Proxy *proxy, gint64 bytes)
{
    g_mutex_lock(&proxy->lock);
    proxy->sent = bytes;
    g_mutex_unlock(&proxy->lock);
}

void proxy_keep_servers_ends(Proxy *proxy)
{
    g_mutex_lock(&proxy->lock);
    proxy->kept = g_array_new(FALSE, FALSE, sizeof(int));
    g_mutex_unlock(&proxy->lock);
}

/* A server does not hear of a break, if it is to be kept from that */
static void close_server(Proxy *proxy, int server, gboolean is_broken)
{
    g_mutex_lock(&proxy->lock);
    if (is_broken && proxy->kept != NULL)
        g_array_append_val(proxy->kept, server);
    else
        close(server);
    g_mutex_unlock(&proxy->lock);
}

static guint count_breaks(Proxy *proxy)
{
    guint breaks;

    g_mutex_lock(&proxy->lock);
    breaks = proxy->breaks;
    g_mutex_unlock(&proxy->lock);
    return breaks;
}

gboolean proxy_is_broken(Proxy *proxy)
{
    return count_breaks(proxy) > 0;
}

static gpointer run_link(gpointer data)
{
    Link *link = data;
    const guint breaks = count_breaks(link->proxy);
    gboolean open = TRUE;

    while (open && !is_ended(link->proxy) && count_breaks(link->proxy) == breaks) {
        struct pollfd both[] = {{.fd = link->client, .events = POLLIN}, {.fd = link->server, .events = POLLIN}};
        if (proxy_is_stalled(link->proxy)) {
            g_usleep(POLL_MS * 1000);
            continue;
        }
        poll(both, 2, POLL_MS);
        if (both[0].revents != 0)
            open = pass(link->proxy, link->client, link->server, FALSE);
        if (open && both[1].revents != 0)
            open = pass(link->proxy, link->server, link->client, TRUE);
    }
    close(link->client);
    close_server(link->proxy, link->server, count_breaks(link->proxy) != breaks);
    g_free(link);
    return NULL;
}

static int connect_to_server(const Proxy *proxy)
{
    struct sockaddr_un address = {.sun_family = AF_UNIX};
    int fd = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);

    g_strlcpy(address.sun_path, proxy->socket, sizeof address.sun_path);
    if (connect(fd, (struct sockaddr *)&address, sizeof address) == 0)
        return fd;
    close(fd);
    return -1;
}

static gpointer run_listener(gpointer data)
{
    Proxy *proxy = data;

    while (!is_ended(proxy)) {
        struct pollfd one = {.fd = proxy->listener, .events = POLLIN};
        Link *link;
        if (poll(&one, 1, POLL_MS) <= 0)
            continue;
        link = g_new0(Link, 1);
        *link = (Link){proxy, accept(proxy->listener, NULL, NULL), connect_to_server(proxy)};
        g_mutex_lock(&proxy->lock);
        g_ptr_array_add(proxy->threads, g_thread_new("link", run_link, link));
        g_mutex_unlock(&proxy->lock);
    }
    return NULL;
}

Proxy *proxy_new(const char *server)
{
    Proxy *proxy = g_new0(Proxy, 1);
    struct sockaddr_in address = {.sin_family = AF_INET, .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};
    socklen_t length = sizeof address;
    g_autofree char *uri = servers_get_uri(server, NULL);

    g_mutex_init(&proxy->lock);
    proxy->threads = g_ptr_array_new();
    proxy->left = proxy->left_to_send = proxy->sent = G_MAXINT64;
    proxy->is_mariadb = g_str_has_prefix(uri, "mariadb");
    proxy->socket = proxy->is_mariadb ? g_strdup(strstr(uri, "socket=") + 7)
                                      : g_build_filename(strstr(uri, "host=") + 5, ".s.PGSQL.5432", NULL);
    proxy->listener = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
    assert_int_equal(bind(proxy->listener, (struct sockaddr *)&address, length), 0);
    assert_int_equal(listen(proxy->listener, 64), 0);
    assert_int_equal(getsockname(proxy->listener, (struct sockaddr *)&address, &length), 0);
    proxy->port = ntohs(address.sin_port);
    proxy->thread = g_thread_new("proxy", run_listener, proxy);
    return proxy;
}

void proxy_free(Proxy *proxy)
{
    g_mutex_lock(&proxy->lock);
    proxy->is_ended = TRUE;
    g_mutex_unlock(&proxy->lock);
    g_thread_join(proxy->thread);
    for (guint i = 0; i < proxy->threads->len; i++)
        g_thread_join(proxy->threads->pdata[i]);
    g_ptr_array_unref(proxy->threads);
    for (guint i = 0; proxy->kept != NULL && i < proxy->kept->len; i++)
        close(g_array_index(proxy->kept, int, i));
    g_clear_pointer(&proxy->kept, g_array_unref);
    close(proxy->listener);
    g_free(proxy->socket);
    g_mutex_clear(&proxy->lock);
    g_free(proxy);
}

char *proxy_get_uri(const Proxy *proxy, const char *database)
{
    return proxy->is_mariadb
               ? g_strdup_printf("mariadb://root@127.0.0.1:%u/%s", proxy->port, database)
               : g_strdup_printf("postgresql://postgres@127.0.0.1:%u/%s?sslmode=disable&gssencmode=disable",
                                 proxy->port, database);
}
