/* SPDX-License-Identifier: Apache-2.0 */
/*
 * error_classes - what the errors of servers and of the client library mean to us. Pure; the numbers are those of
 * MariaDB's and MySQL's manuals ("Error Codes").
 */
#pragma once

#include "core/base/error.h"

#define HB_MY_SAY_WHETHER_IT_RUNS "see whether the server runs and can be reached"

typedef struct {
    guint number;
    HbErrorCode code;
    const char *hint; /* NULL: none */
} HbMyErrorClass;

/* NULL: it is a failed statement like others */
const HbMyErrorClass *hb_my_classify_error(guint number);
