/* SPDX-License-Identifier: Apache-2.0 */
/*
 * invariants - what is true of every manifest that has been read, so that no other code need ask. Checked here, and
 * before anybody sees the manifest; what breaks one of them is refused (HB_ERROR_DAMAGED), naming the object.
 *
 *  1. An identity stands there once, and begins with its kind (while reading, as the next two).
 *  2. The row sets are those of objects of the kind "rows", each once; their chunks add up to their count, digest,
 * bytes.
 *  3. Every name of a file lies inside the dump.
 *  4. What an object needs stands before it; so there are no circles.
 *  5. Stages follow each other: users, structure, rows, completion, settings.
 *  6. What an object is on is named as an identity is: a kind, a blank, a name.
 *  7. Every object but rows has a definition, and its text lies in its stage's file.
 *  8. The definitions of a stage are together not longer than its file: none is there twice.
 */
#pragma once

#include "dump/manifest.h"

/* 4 to 6: of a manifest without its definitions */
gboolean hb_invariants_check(const HbManifest *manifest, GError **error);

/* 7 and 8, of one stage, before its definitions are cut out of a file of this length */
gboolean hb_invariants_check_stage(const HbManifest *manifest, HbStage stage, guint64 length, GError **error);
