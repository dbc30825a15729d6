/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/terminal.h"

#include "cli/status.h"
#include "dump/http.h"

#include <poll.h>
#include <pthread.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <sys/ioctl.h>
#include <termios.h>
#include <unistd.h>

/*
 * Signals come in a thread of its own, so that no code of ours runs inside a handler: the first one asks all sessions
 * to end what they do, the second ends the program at once. Prompts read from the terminal itself, never from standard
 * input, which may be a dump.
 */

#define PASSWORD_LIMIT 1024
#define POLL_MS        200

/* By Ctrl-T, where systems know it */
#ifdef SIGINFO
#define SIG_INFORM SIGINFO
#else
#define SIG_INFORM SIGUSR1
#endif

#define COLUMNS_DEFAULT 80
#define ROWS_DEFAULT    24

/* The thread that waits for signals, so that what they cause may take locks */
static struct {
    pthread_t thread;
    HbStop *stop;
    sigset_t signals;
    void (*answer)(gpointer data);
    gpointer answer_data;
    struct termios before; /* while a password is typed: how the terminal was */
    gboolean is_silent;
} watch;

gboolean hb_terminal_is_output(void)
{
    return isatty(STDOUT_FILENO);
}

gboolean hb_terminal_is_error_live(void)
{
    return isatty(STDERR_FILENO) && g_strcmp0(g_getenv("TERM"), "dumb") != 0;
}

guint hb_terminal_get_columns(int fd)
{
    struct winsize size;

    return ioctl(fd, TIOCGWINSZ, &size) == 0 && size.ws_col > 0 ? size.ws_col : COLUMNS_DEFAULT;
}

guint hb_terminal_get_rows(int fd)
{
    struct winsize size;

    return ioctl(fd, TIOCGWINSZ, &size) == 0 && size.ws_row > 0 ? size.ws_row : ROWS_DEFAULT;
}

gboolean hb_terminal_can_ask(void)
{
    return isatty(STDIN_FILENO) && isatty(STDERR_FILENO);
}

/* FALSE if a signal asked for the end meanwhile */
static gboolean wait_for_answer(void)
{
    struct pollfd input = {.fd = STDIN_FILENO, .events = POLLIN};

    while (watch.stop == NULL || !hb_stop_is_set(watch.stop)) {
        if (poll(&input, 1, POLL_MS) != 0)
            return TRUE;
    }
    return FALSE;
}

static char *read_line(void)
{
    char line[PASSWORD_LIMIT];
    char *answer = NULL;

    if (wait_for_answer() && fgets(line, sizeof line, stdin) != NULL) {
        line[strcspn(line, "\n")] = '\0';
        answer = g_strdup(line);
    }
    memset(line, 0, sizeof line);
    return answer;
}

char *hb_terminal_ask_password(const char *server)
{
    struct termios silent;
    char *answer;

    if (tcgetattr(STDIN_FILENO, &watch.before) != 0)
        return NULL;
    silent = watch.before;
    watch.is_silent = TRUE;
    silent.c_lflag &= ~(tcflag_t)ECHO;
    fprintf(stderr, "Password for %s: ", server);
    fflush(stderr);
    tcsetattr(STDIN_FILENO, TCSAFLUSH, &silent);
    answer = read_line();
    tcsetattr(STDIN_FILENO, TCSAFLUSH, &watch.before);
    watch.is_silent = FALSE;
    fputc('\n', stderr);
    return answer;
}

char *hb_terminal_ask_line(const char *question)
{
    fprintf(stderr, "%s ", question);
    fflush(stderr);
    return read_line();
}

gboolean hb_terminal_ask_yes(const char *question)
{
    g_autofree char *answer = hb_terminal_ask_line(question);

    return answer != NULL && g_ascii_strcasecmp(g_strstrip(answer), "yes") == 0;
}

/* The next one that is no question of how far it is */
static int take_signal(void)
{
    int number = 0;

    for (;;) {
        sigwait(&watch.signals, &number);
        if (number != SIGUSR1 && number != SIG_INFORM)
            return number;
        watch.answer(watch.answer_data);
    }
}

/* The first signal asks for an orderly end, of patient work with a question first; another one is the end, whatever
 * hangs */
static void *wait_for_signal(void *data)
{
    (void)data;
    do {
        if (take_signal() == SIGUSR2)
            return NULL;
    } while (!hb_stop_trigger_by_user(watch.stop));
    hb_http_give_up();
    for (;;) {
        if (take_signal() == SIGUSR2)
            return NULL;
        if (watch.is_silent)
            tcsetattr(STDIN_FILENO, TCSAFLUSH, &watch.before);
        _exit(HB_STATUS_INTERRUPTED);
    }
}

void hb_terminal_watch_signals(HbStop *stop, void (*answer)(gpointer data), gpointer data)
{
    signal(SIGPIPE, SIG_IGN);
    signal(SIGXFSZ, SIG_IGN); /* a limit on file sizes is then an error of write(), like a full disk */
    watch.stop = stop;
    watch.answer = answer;
    watch.answer_data = data;
    sigemptyset(&watch.signals);
    sigaddset(&watch.signals, SIGINT);
    sigaddset(&watch.signals, SIGTERM);
    sigaddset(&watch.signals, SIGHUP);
    sigaddset(&watch.signals, SIGUSR2);
    sigaddset(&watch.signals, SIGUSR1);
    sigaddset(&watch.signals, SIG_INFORM);
    pthread_sigmask(SIG_BLOCK, &watch.signals, NULL);
    g_assert(pthread_create(&watch.thread, NULL, wait_for_signal, NULL) == 0);
}

void hb_terminal_forget_signals(void)
{
    pthread_kill(watch.thread, SIGUSR2);
    pthread_join(watch.thread, NULL);
}

static void hide_password(char *uri)
{
    char *start = strstr(uri, "://");
    char *at, *colon;

    if (start == NULL)
        return;
    start += 3;
    at = start + strcspn(start, "@/");
    colon = memchr(start, ':', (size_t)(at - start));
    if (*at == '@' && colon != NULL)
        memset(colon + 1, '*', (size_t)(at - colon) - 1);
    for (at = strstr(uri, "password="); at != NULL; at = strstr(at + 1, "password="))
        memset(at + strlen("password="), '*', strcspn(at, "&") - strlen("password="));
}

void hb_terminal_hide_passwords(int argc, char **argv)
{
    for (int i = 1; i < argc; i++)
        hide_password(argv[i]);
}
