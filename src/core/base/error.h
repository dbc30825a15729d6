/* SPDX-License-Identifier: Apache-2.0 */
/*
 * error - what can go wrong, in the kinds that decide the exit status and whether to try again.
 *
 * Errors are GErrors of one domain. The message says what was attempted, on which object, and what happened; the hint,
 * if any, says what to do next. The code that detects the error writes both, because it knows the cause.
 */
#pragma once

#include <glib.h>

typedef enum {
    HB_ERROR_USAGE,        /* wrong use of the program */
    HB_ERROR_CONNECT,      /* a server could not be reached, or refused us */
    HB_ERROR_LOST,         /* an open connection broke; opening it again may help */
    HB_ERROR_RETRY,        /* a statement failed for a passing reason (deadlock, serialization) */
    HB_ERROR_LOCKED,       /* a lock was not to be had in time */
    HB_ERROR_EXISTS,       /* what was to be created is there already */
    HB_ERROR_ALREADY_DONE, /* the journal has this step already: it is done, and was not done again */
    HB_ERROR_ABSENT,       /* what a statement names is not there */
    HB_ERROR_RIGHTS,       /* the server's statement failed for lack of rights */
    HB_ERROR_STATEMENT,    /* a server's statement failed */
    HB_ERROR_LEFTOVER,     /* a part of what broke off is in the way, which only a run that is alone takes away */
    HB_ERROR_CONSTRAINT_VIOLATED, /* it was done, but what is there does not meet it */
    HB_ERROR_BLOCKED,             /* we refuse to go on: the target is not fit */
    HB_ERROR_DAMAGED,             /* a dump is damaged, or not ours */
    HB_ERROR_FILE,                /* a local file or disk failed */
    HB_ERROR_CANCELLED,           /* interrupted by the user */
    HB_ERROR_DUPLICATE,           /* an identity is taken already */
    HB_ERROR_CIRCLE               /* objects need each other and nothing breaks the circle */
} HbErrorCode;

#define HB_ERROR hb_error_quark()
GQuark hb_error_quark(void);

/* Sets *error (if error is not NULL). hint may be NULL; it is copied. Returns FALSE, so that callers can return it. */
gboolean hb_error_set(GError **error, HbErrorCode code, const char *hint, const char *format, ...) G_GNUC_PRINTF(4, 5);

/*
 * Of two sides that worked together, takes both errors (NULL: none) and gives on the cause rather than its echo: an
 * error that is no interruption, if there is one. FALSE: there was no error
 */
gboolean hb_error_propagate_cause(GError *one, GError *other, GError **error);

/* The hint of an error of our domain, borrowed from it; NULL if it has none */
const char *hb_error_hint(const GError *error);

/* Is it an error of our domain with this code? NULL is none */
gboolean hb_error_is(const GError *error, HbErrorCode code);
