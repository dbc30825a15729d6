/* SPDX-License-Identifier: Apache-2.0 */
/*
 * bare - what the bare programs share: jobs that threads take one after the other, files, compressed frames.
 */
#pragma once

#include <pthread.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <zstd.h>

#define MAX_JOBS 100000

static int job_count;
static atomic_int next_job;
static int workers;

static void die(const char *what)
{
    fprintf(stderr, "bare: %s\n", what);
    exit(1);
}

static void run_workers(void *(*work)(void *))
{
    pthread_t threads[64];

    atomic_store(&next_job, 0);
    for (int i = 0; i < workers; i++)
        pthread_create(&threads[i], NULL, work, NULL);
    for (int i = 0; i < workers; i++)
        pthread_join(threads[i], NULL);
    job_count = 0;
}

static char *read_file(const char *path)
{
    FILE *file = fopen(path, "r");
    char *text;
    long length;

    if (file == NULL)
        die(path);
    fseek(file, 0, SEEK_END);
    length = ftell(file);
    rewind(file);
    text = calloc(1, (size_t)length + 1);
    if (fread(text, 1, (size_t)length, file) != (size_t)length)
        die(path);
    fclose(file);
    return text;
}

static void write_frame(FILE *file, ZSTD_CCtx *compressor, const char *bytes, size_t length, ZSTD_EndDirective mode)
{
    static _Thread_local char out[128 * 1024 + 4096];
    ZSTD_inBuffer in = {bytes, length, 0};
    size_t left;

    do {
        ZSTD_outBuffer buffer = {out, sizeof out, 0};
        left = ZSTD_compressStream2(compressor, &buffer, &in, mode);
        fwrite(out, 1, buffer.pos, file);
    } while (mode == ZSTD_e_end ? left > 0 : in.pos < in.size);
}
