/* SPDX-License-Identifier: Apache-2.0 */
/*
 * digest - an order-independent fingerprint of a set of rows.
 *
 * Each row's bytes (canonical text, without the line end) are hashed with XXH3-128; the hashes are summed modulo 2^128.
 * Count and sum together identify the set whatever the order of its rows, and digests of disjoint pieces add up to the
 * digest of the whole. Hash: XXH3 as specified by xxHash 0.8, seed 0.
 */
#pragma once

#include <glib.h>

typedef struct {
    guint64 rows;
    guint64 low;  /* the sum's low 64 bits */
    guint64 high; /* the sum's high 64 bits */
} HbDigest;

#define HB_DIGEST_TEXT_LENGTH 32

void hb_digest_add_row(HbDigest *digest, const char *bytes, gsize length);
void hb_digest_add_hash(HbDigest *digest, guint64 low, guint64 high); /* of a row that was hashed elsewhere */
void hb_digest_add(HbDigest *digest, const HbDigest *other);

/*
 * The same for rows that come in pieces: the piece that ends with a line end is its row's last. Zeroed, it is ready;
 * clear it afterwards.
 */
typedef struct {
    HbDigest digest; /* of the rows that have ended */
    gpointer state;  /* of the row that has not; NULL until there is one */
    gboolean is_open;
} HbPieceDigest;

void hb_piece_digest_add(HbPieceDigest *digest, const char *piece, gsize length);
void hb_piece_digest_clear(HbPieceDigest *digest);

gboolean hb_digest_is_equal(const HbDigest *one, const HbDigest *other);

/* The sum as 32 lower-case hexadecimal digits, high half first; text must hold HB_DIGEST_TEXT_LENGTH + 1 bytes */
void hb_digest_write(const HbDigest *digest, char *text);
gboolean hb_digest_read(HbDigest *digest, const char *text); /* leaves rows alone; FALSE if text is no sum */
