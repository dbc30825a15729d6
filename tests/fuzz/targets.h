/* SPDX-License-Identifier: Apache-2.0 */
/*
 * targets - the readers of bytes that come from outside, each as a function that may be given anything.
 *
 * The plain test (test_outside_bytes.c) gives them seeds, and what becomes of these when they are cut and bent; a
 * fuzzer
 * (`make fuzz`) goes on from there.
 */
#pragma once

#include <glib.h>

typedef struct {
    const char *name;
    gboolean (*read)(const char *bytes, gsize length); /* was it taken? It must not crash, hang or leak either way */
} FuzzTarget;

/* Ended by a row without a name */
extern const FuzzTarget fuzz_targets[];

/* NULL if there is none of this name */
const FuzzTarget *fuzz_find_target(const char *name);

/* In postgres.c: rows of catalog queries, messages of COPY */
gboolean fuzz_read_answer(const char *bytes, gsize length);
gboolean fuzz_read_copy(const char *bytes, gsize length);

/* In logs.c: what servers send of their logs */
gboolean fuzz_read_pgoutput(const char *bytes, gsize length);
gboolean fuzz_read_binlog(const char *bytes, gsize length);
gboolean fuzz_read_log_value(const char *bytes, gsize length);
