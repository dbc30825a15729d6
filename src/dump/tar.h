/* SPDX-License-Identifier: Apache-2.0 */
/*
 * tar - the files of a dump as members of one POSIX tar, written to a file or to a pipe, and read from either.
 *
 * Members are whole when they are written, because their size stands before them; so what is written is held in memory
 * until it is complete. A name may come twice: the later member is the one that counts, as when a tar is unpacked.
 */
#pragma once

#include <glib.h>

/* ---- Writing: thread-safe but for close and free ---- */

typedef struct HbTarWriter HbTarWriter;

/* fd stays the caller's */
HbTarWriter *hb_tar_writer_new(int fd);
gboolean hb_tar_writer_add(HbTarWriter *tar, const char *name, const void *bytes, gsize length, GError **error);
gboolean hb_tar_writer_close(HbTarWriter *tar, GError **error); /* the end of the tar; nothing can be added any more */
void hb_tar_writer_free(HbTarWriter *tar);                      /* accepts NULL; a tar that was not closed is cut off */

/* ---- Reading, in order ---- */

typedef struct HbTarReader HbTarReader;

typedef struct {
    char *name;
    guint64 offset; /* of its bytes, in the file */
    guint64 bytes;
} HbTarMember;

void hb_tar_member_clear(HbTarMember *member);

/*
 * HB_ERROR_DAMAGED; fd stays the caller's. stop_fd: what comes is waited for until this can be read, too, and reading
 * then ends with HB_ERROR_CANCELLED; -1: for ever
 */
HbTarReader *hb_tar_reader_new(int fd, int stop_fd, GError **error);
void hb_tar_reader_free(HbTarReader *tar); /* accepts NULL */

/* The next member; at the end its name is NULL. HB_ERROR_DAMAGED if the tar breaks off, or holds what no dump holds */
gboolean hb_tar_reader_next(HbTarReader *tar, HbTarMember *member, GError **error);

/* All bytes of the member that next() gave; refuses more than `limit`. The caller's */
GBytes *hb_tar_reader_read(HbTarReader *tar, const HbTarMember *member, guint64 limit, GError **error);
