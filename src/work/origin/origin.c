/* SPDX-License-Identifier: Apache-2.0 */
#include "work/origin/origin.h"

#include "core/base/json_text.h"
#include "core/select/rename.h"
#include "dump/json_writer.h"
#include "dump/limits.h"

#include <stdlib.h>
#include <string.h>

#define LAYOUT 1

/* ---- Life ---- */

static GPtrArray *copy_renames(const GPtrArray *renames)
{
    GPtrArray *copies = g_ptr_array_new_with_free_func((GDestroyNotify)hb_rename_free);

    for (guint i = 0; renames != NULL && i < renames->len; i++) {
        const HbRename *rename = renames->pdata[i];
        const HbRename copy = {rename->kind, g_strdup(rename->old_name), g_strdup(rename->new_name), NULL, FALSE};
        g_ptr_array_add(copies, g_memdup2(&copy, sizeof copy));
    }
    return copies;
}

void hb_origin_set_log(HbOrigin *origin, const char *name, const char *position)
{
    char *new_name = g_strdup(name), *new_position = g_strdup(position);

    g_free(origin->log_name);
    g_free(origin->log_position);
    origin->log_name = new_name;
    origin->log_position = new_position;
    hb_origin_set_loose(origin, NULL, NULL);
    g_ptr_array_set_size(origin->unaligned, 0);
    g_ptr_array_set_size(origin->changed, 0);
}

void hb_origin_set_loose(HbOrigin *origin, const char *until, const GPtrArray *tables)
{
    GPtrArray *loose = tables != NULL ? g_ptr_array_new_with_free_func(g_free) : NULL;
    char *new_until = g_strdup(until);

    for (guint i = 0; tables != NULL && i < tables->len; i++)
        g_ptr_array_add(loose, g_strdup(tables->pdata[i]));
    g_free(origin->loose_until);
    g_clear_pointer(&origin->loose, g_ptr_array_unref);
    origin->loose_until = new_until;
    origin->loose = loose;
}

static gboolean is_among(const GPtrArray *tables, const char *table)
{
    return g_ptr_array_find_with_equal_func((GPtrArray *)tables, table, g_str_equal, NULL);
}

gboolean hb_origin_is_loose(const HbOrigin *origin, const char *table)
{
    return origin->loose_until != NULL && (origin->loose == NULL || is_among(origin->loose, table));
}

gboolean hb_origin_add_unaligned(HbOrigin *origin, const char *table)
{
    if (is_among(origin->unaligned, table))
        return FALSE;
    g_ptr_array_add(origin->unaligned, g_strdup(table));
    return TRUE;
}

void hb_origin_add_changed(HbOrigin *origin, const char *table)
{
    if (!is_among(origin->changed, table))
        g_ptr_array_add(origin->changed, g_strdup(table));
}

void hb_origin_forget_changed(HbOrigin *origin, const GPtrArray *tables)
{
    for (guint i = origin->changed->len; i-- > 0;) {
        if (tables == NULL || is_among(tables, origin->changed->pdata[i]))
            g_ptr_array_remove_index_fast(origin->changed, i);
    }
}

void hb_origin_copy_log(HbOrigin *origin, const HbOrigin *other)
{
    hb_origin_set_log(origin, other->log_name, other->log_position);
    hb_origin_set_loose(origin, other->loose_until, other->loose);
    for (guint i = 0; i < other->unaligned->len; i++)
        hb_origin_add_unaligned(origin, other->unaligned->pdata[i]);
    for (guint i = 0; i < other->changed->len; i++)
        hb_origin_add_changed(origin, other->changed->pdata[i]);
}

/* ---- Hand-overs ---- */

HbHandoverNote *hb_handover_note_copy(const HbHandoverNote *note)
{
    HbHandoverNote *copy = note != NULL ? g_memdup2(note, sizeof *note) : NULL;

    if (copy == NULL)
        return NULL;
    copy->began = g_strdup(note->began);
    copy->way = g_strdup(note->way);
    copy->gate = g_strdup(note->gate);
    copy->closed = g_strdup(note->closed);
    copy->source = g_strdup(note->source);
    return copy;
}

void hb_handover_note_free(HbHandoverNote *note)
{
    if (note == NULL)
        return;
    g_free(note->began);
    g_free(note->way);
    g_free(note->gate);
    g_free(note->closed);
    g_free(note->source);
    g_free(note);
}

/* A source that keeps its log from the moment that is in; or what was known of it before */
static void find_log(HbOrigin *origin, const HbManifest *manifest, const HbOrigin *before, gboolean is_whole)
{
    if (manifest->kept_log != NULL && is_whole)
        hb_origin_set_log(origin, manifest->kept_log, manifest->snapshot_position);
    else if (before != NULL && before->log_name != NULL && g_strcmp0(before->source_id, origin->source_id) == 0)
        hb_origin_copy_log(origin, before);
}

HbOrigin *hb_origin_new_empty(void)
{
    HbOrigin *origin = g_new0(HbOrigin, 1);

    origin->unaligned = g_ptr_array_new_with_free_func(g_free);
    origin->changed = g_ptr_array_new_with_free_func(g_free);
    return origin;
}

HbOrigin *hb_origin_new(const HbManifest *manifest, guint parts, const HbSelection *selection, const HbWishes *wishes,
                        const HbOrigin *before, gboolean is_whole)
{
    HbOrigin *origin = hb_origin_new_empty();

    origin->engine = g_strdup(manifest->engine);
    origin->source_id = g_strdup(manifest->source_id);
    origin->source = g_strdup(manifest->address);
    origin->database = g_strdup(manifest->database);
    origin->dump_id = g_strdup(manifest->id);
    origin->moment = g_strdup(is_whole ? manifest->snapshot_time : before != NULL ? before->moment : NULL);
    origin->coming = is_whole ? NULL : g_strdup(manifest->snapshot_time);
    origin->parts = parts;
    origin->selection = hb_selection_is_partial(selection) ? hb_selection_copy(selection) : NULL;
    origin->wishes = *wishes;
    origin->wishes.lenient = FALSE;
    origin->wishes.renames = copy_renames(wishes->renames);
    find_log(origin, manifest, before, is_whole);
    if (before != NULL) {
        origin->gate = g_strdup(before->gate);
        origin->handover = hb_handover_note_copy(before->handover);
    }
    return origin;
}

void hb_origin_free(HbOrigin *origin)
{
    if (origin == NULL)
        return;
    g_free(origin->engine);
    g_free(origin->source_id);
    g_free(origin->source);
    g_free(origin->database);
    g_free(origin->dump_id);
    g_free(origin->moment);
    g_free(origin->coming);
    g_free(origin->log_name);
    g_free(origin->log_position);
    g_free(origin->loose_until);
    g_clear_pointer(&origin->loose, g_ptr_array_unref);
    g_ptr_array_unref(origin->unaligned);
    g_ptr_array_unref(origin->changed);
    g_free(origin->gate);
    hb_handover_note_free(origin->handover);
    hb_selection_free(origin->selection);
    g_clear_pointer(&origin->wishes.renames, g_ptr_array_unref);
    g_free(origin);
}

/* ---- Writing ---- */

static json_t *write_renames(const GPtrArray *renames)
{
    json_t *list = json_array();

    for (guint i = 0; renames != NULL && i < renames->len; i++) {
        const HbRename *rename = renames->pdata[i];
        json_array_append_new(list, json_pack("{s:s, s:o, s:o}", "kind", hb_rename_kind_get_name(rename->kind), "from",
                                              hb_json_text(rename->old_name), "to", hb_json_text(rename->new_name)));
    }
    return list;
}

static json_t *write_choice(guint parts, const HbSelection *selection, const HbWishes *wishes)
{
    g_autofree char *names = hb_parts_write(parts);
    json_t *choice =
        json_pack("{s:s, s:o, s:s, s:s}", "parts", names, "renamed", write_renames(wishes->renames), "ownership",
                  wishes->ownership_mine ? "mine" : "keep", "grants", wishes->grants_drop ? "drop" : "keep");

    if (selection != NULL)
        json_object_set_new(choice, "chosen", hb_json_selection(selection));
    return choice;
}

static json_t *write_names(const GPtrArray *names)
{
    json_t *list = names != NULL ? json_array() : json_null();

    for (guint i = 0; names != NULL && i < names->len; i++)
        json_array_append_new(list, hb_json_text(names->pdata[i]));
    return list;
}

static json_t *write_log(const HbOrigin *origin)
{
    return json_pack("{s:o, s:o, s:o, s:o, s:o, s:o}", "name", hb_json_text(origin->log_name), "position",
                     hb_json_text(origin->log_position), "loose_until", hb_json_text(origin->loose_until), "loose",
                     write_names(origin->loose), "unaligned", write_names(origin->unaligned), "changed",
                     write_names(origin->changed));
}

static json_t *write_handover(const HbHandoverNote *note)
{
    return json_pack("{s:b, s:o, s:o, s:o, s:o, s:o, s:b}", "opened", note->is_opened, "began",
                     hb_json_text(note->began), "way", hb_json_text(note->way), "gate", hb_json_text(note->gate),
                     "closed", hb_json_text(note->closed), "source", hb_json_text(note->source), "way_back",
                     note->way_back);
}

char *hb_origin_write(const HbOrigin *origin)
{
    json_t *root = json_pack("{s:s, s:i, s:{s:o, s:o, s:o, s:o}, s:o, s:o, s:o}", "format", "hornbeam origin", "layout",
                             LAYOUT, "source", "engine", hb_json_text(origin->engine), "id",
                             hb_json_text(origin->source_id), "address", hb_json_text(origin->source), "database",
                             hb_json_text(origin->database), "dump", hb_json_text(origin->dump_id), "moment",
                             hb_json_text(origin->moment), "between_passes", hb_json_text(origin->coming));
    char *made, *text;

    json_object_set_new(root, "copy", write_choice(origin->parts, origin->selection, &origin->wishes));
    if (origin->log_name != NULL)
        json_object_set_new(root, "log", write_log(origin));
    if (origin->gate != NULL)
        json_object_set_new(root, "gate", hb_json_text(origin->gate));
    if (origin->handover != NULL)
        json_object_set_new(root, "handover", write_handover(origin->handover));
    made = json_dumps(root, JSON_COMPACT | JSON_ENSURE_ASCII);
    text = g_strdup(made);
    free(made);
    json_decref(root);
    return text;
}

/* ---- Reading ---- */

static gboolean wrong(const char *what, GError **error)
{
    return hb_error_set(error, HB_ERROR_BLOCKED,
                        "drop what stands there, and bring the copy up to date by comparing: it then knows no origin",
                        "the origin in the target cannot be read: %s", what);
}

static char *take_text(const json_t *object, const char *field)
{
    const json_t *value = json_object_get(object, field);

    return json_is_string(value) ? hb_json_text_read(json_string_value(value)) : NULL;
}

static gboolean read_patterns(HbSelection *selection, const json_t *chosen, const char *option, GError **error)
{
    const json_t *list = json_object_get(chosen, option);

    if (!json_is_array(list) || json_array_size(list) > HB_LIMIT_ENTRIES)
        return wrong(option, error);
    for (gsize i = 0; i < json_array_size(list); i++) {
        const char *json = json_string_value(json_array_get(list, i));
        g_autofree char *text = json != NULL ? hb_json_text_read(json) : NULL;
        if (text == NULL || !hb_selection_add(selection, option, text, NULL))
            return wrong(option, error);
    }
    return TRUE;
}

static gboolean read_selection(HbOrigin *origin, const json_t *chosen, GError **error)
{
    if (chosen == NULL)
        return TRUE;
    origin->selection = hb_selection_new();
    origin->selection->without_needs = json_is_true(json_object_get(chosen, "alone"));
    return read_patterns(origin->selection, chosen, "take", error) &&
           read_patterns(origin->selection, chosen, "skip", error);
}

static gboolean read_rename(HbOrigin *origin, const json_t *json, GError **error)
{
    g_autofree char *kind = take_text(json, "kind"), *from = take_text(json, "from"), *to = take_text(json, "to");

    for (int k = 0; kind != NULL && from != NULL && to != NULL && k <= HB_RENAME_COLLATION; k++) {
        const HbRename rename = {(HbRenameKind)k, from, to, NULL, FALSE};
        if (strcmp(kind, hb_rename_kind_get_name(rename.kind)) != 0)
            continue;
        g_ptr_array_add(origin->wishes.renames, g_memdup2(&rename, sizeof rename));
        from = to = NULL;
        return TRUE;
    }
    return wrong("renamed", error);
}

static gboolean read_choice(HbOrigin *origin, const json_t *copy, GError **error)
{
    const json_t *renames = json_object_get(copy, "renamed");
    g_autofree char *parts = take_text(copy, "parts"), *ownership = take_text(copy, "ownership"),
                    *grants = take_text(copy, "grants");

    if (parts == NULL || !hb_parts_read(parts, &origin->parts, NULL))
        return wrong("parts", error);
    origin->wishes.ownership_mine = g_strcmp0(ownership, "mine") == 0;
    origin->wishes.grants_drop = g_strcmp0(grants, "drop") == 0;
    origin->wishes.renames = g_ptr_array_new_with_free_func((GDestroyNotify)hb_rename_free);
    if (!json_is_array(renames) || json_array_size(renames) > HB_LIMIT_ENTRIES)
        return wrong("renamed", error);
    for (gsize i = 0; i < json_array_size(renames); i++) {
        if (!read_rename(origin, json_array_get(renames, i), error))
            return FALSE;
    }
    return read_selection(origin, json_object_get(copy, "chosen"), error);
}

static gboolean read_names(const json_t *list, GPtrArray *names)
{
    if (!json_is_array(list) || json_array_size(list) > HB_LIMIT_ENTRIES)
        return FALSE;
    for (gsize i = 0; i < json_array_size(list); i++) {
        const char *json = json_string_value(json_array_get(list, i));
        char *name = json != NULL ? hb_json_text_read(json) : NULL;
        if (name == NULL)
            return FALSE;
        g_ptr_array_add(names, name);
    }
    return TRUE;
}

static gboolean read_log(HbOrigin *origin, const json_t *log, GError **error)
{
    const json_t *loose = json_object_get(log, "loose");

    if (log == NULL)
        return TRUE;
    origin->log_name = take_text(log, "name");
    origin->log_position = take_text(log, "position");
    origin->loose_until = take_text(log, "loose_until");
    if (origin->log_name == NULL || origin->log_position == NULL)
        return wrong("log", error);
    if (json_is_array(loose))
        origin->loose = g_ptr_array_new_with_free_func(g_free);
    return (origin->loose == NULL || read_names(loose, origin->loose) || wrong("loose", error)) &&
           (read_names(json_object_get(log, "unaligned"), origin->unaligned) || wrong("unaligned", error)) &&
           (json_object_get(log, "changed") == NULL || read_names(json_object_get(log, "changed"), origin->changed) ||
            wrong("changed", error));
}

static gboolean read_handover(HbOrigin *origin, const json_t *json, GError **error)
{
    HbHandoverNote *note;

    if (json == NULL)
        return TRUE;
    note = origin->handover = g_new0(HbHandoverNote, 1);
    note->is_opened = json_is_true(json_object_get(json, "opened"));
    note->began = take_text(json, "began");
    note->way = take_text(json, "way");
    note->gate = take_text(json, "gate");
    note->closed = take_text(json, "closed");
    note->source = take_text(json, "source");
    note->way_back = json_is_true(json_object_get(json, "way_back"));
    return (note->began != NULL && note->way != NULL && note->source != NULL) || wrong("handover", error);
}

static gboolean read_root(HbOrigin *origin, const json_t *root, GError **error)
{
    const json_t *source = json_object_get(root, "source");
    g_autofree char *format = take_text(root, "format");

    if (g_strcmp0(format, "hornbeam origin") != 0)
        return wrong("it is none", error);
    if (json_integer_value(json_object_get(root, "layout")) != LAYOUT)
        return hb_error_set(error, HB_ERROR_BLOCKED, "use the version of Hornbeam that made the copy, or a newer one",
                            "the origin in the target has a layout that this program does not know");
    origin->engine = take_text(source, "engine");
    origin->source_id = take_text(source, "id");
    origin->source = take_text(source, "address");
    origin->database = take_text(source, "database");
    origin->dump_id = take_text(root, "dump");
    origin->moment = take_text(root, "moment");
    origin->coming = take_text(root, "between_passes");
    if (origin->engine == NULL || origin->source == NULL || origin->database == NULL || origin->dump_id == NULL)
        return wrong("source", error);
    origin->gate = take_text(root, "gate");
    return read_log(origin, json_object_get(root, "log"), error) &&
           read_handover(origin, json_object_get(root, "handover"), error) &&
           read_choice(origin, json_object_get(root, "copy"), error);
}

HbOrigin *hb_origin_read(const char *text, GError **error)
{
    json_t *root = json_loads(text, JSON_REJECT_DUPLICATES, NULL);
    HbOrigin *origin = hb_origin_new_empty();

    if (!json_is_object(root) ? !wrong("it is no JSON", error) : !read_root(origin, root, error))
        g_clear_pointer(&origin, hb_origin_free);
    json_decref(root);
    return origin;
}

/* ---- Comparing ---- */

static json_t *write_choice_of(const HbOrigin *origin)
{
    const HbWishes none = {0};

    return origin != NULL ? write_choice(origin->parts, origin->selection, &origin->wishes)
                          : write_choice(HB_PART_ALL, NULL, &none);
}

gboolean hb_origin_is_same_choice(const HbOrigin *one, const HbOrigin *other)
{
    json_t *a = write_choice_of(one), *b = write_choice_of(other);
    const gboolean is_same = json_equal(a, b);

    json_decref(a);
    json_decref(b);
    return is_same;
}

gboolean hb_origin_check_source(const HbOrigin *origin, const HbManifest *source, GError **error)
{
    if (strcmp(origin->engine, source->engine) == 0 &&
        (origin->source_id == NULL || source->source_id == NULL || strcmp(origin->source_id, source->source_id) == 0))
        return TRUE;
    return hb_error_set(error, HB_ERROR_BLOCKED,
                        "name that source; or bring this one over by a restore or carry, which has --existing",
                        "TO remembers that it is a copy of database %s at %s; FROM is another database, %s at %s",
                        origin->database, origin->source, source->database, source->address);
}

/* ---- In a database ---- */

gboolean hb_origin_recall_in(const HbEngine *engine, HbSession *session, HbOrigin **origin, GError **error)
{
    g_autofree char *text = NULL;

    *origin = NULL;
    if (!engine->target->read_origin(session, &text, error))
        return FALSE;
    *origin = text != NULL ? hb_origin_read(text, error) : NULL;
    return text == NULL || *origin != NULL;
}

gboolean hb_origin_recall(const HbEngine *engine, const HbAddress *address, HbOrigin **origin, GError **error)
{
    HbSession *session = engine->connector->open(address, NULL);
    gboolean ok;

    *origin = NULL;
    if (session == NULL)
        return TRUE;
    ok = hb_origin_recall_in(engine, session, origin, error);
    engine->connector->close(session);
    return ok;
}

gboolean hb_origin_keep_in(const HbEngine *engine, HbSession *session, const HbOrigin *origin, GError **error)
{
    g_autofree char *text = hb_origin_write(origin);

    return engine->target->write_origin(session, text, error);
}

gboolean hb_origin_remembers_log(const HbEngine *engine, const HbAddress *address, const char *name)
{
    g_autoptr(HbOrigin) origin = NULL;
    HbAddress there = *address;

    there.watch = NULL; /* also after everything else was told to stop */
    hb_origin_recall(engine, &there, &origin, NULL);
    return origin != NULL && g_strcmp0(origin->log_name, name) == 0;
}
