/* SPDX-License-Identifier: Apache-2.0 */
/* A folder into which several hosts write: what one leaves and removes, others look for at the same time */
#include "support/check.h"

#include "dump/shared_folder.h"

#include <unistd.h>

#define ROUNDS 30000
#define TEXT   "a note of one host to another"

typedef struct {
    char *path;  /* of the dump */
    char *place; /* where it is in the making */
    HbFolder *first;
    gint is_ended; /* atomic */
    gint failures; /* atomic: of threads, in which no assertion can be made */
} Group;

static void begin_group(Group *group, const char *folder)
{
    g_autoptr(GPtrArray) places = NULL;
    g_autoptr(GError) error = NULL;

    *group = (Group){.path = g_build_filename(folder, "vale.dump", NULL)};
    group->first = hb_folder_create(group->path, &error);
    check_no_error(error);
    places = hb_shared_folder_list_places(group->path, &error);
    check_no_error(error);
    assert_int_equal(places->len, 1);
    group->place = g_strdup(places->pdata[0]);
}

static void end_group(Group *group)
{
    hb_folder_discard(group->first);
    g_free(group->place);
    g_free(group->path);
}

static void count_failure(Group *group, gboolean ok, GError *error)
{
    if (ok)
        return;
    g_atomic_int_inc(&group->failures);
    g_printerr("%s\n", error != NULL ? error->message : "no error is set");
}

/* The first host: leaves a note, and removes all that is left */
static gpointer leave_and_clear(gpointer data)
{
    Group *group = data;

    while (!g_atomic_int_get(&group->is_ended)) {
        g_autoptr(GError) error = NULL;
        gboolean written;
        count_failure(group,
                      hb_shared_folder_write_note(group->first, "group-1", TEXT, &written, &error) &&
                          hb_shared_folder_clear(group->first, &error),
                      error);
    }
    return NULL;
}

/* Another one, which removes the note, too */
static gpointer remove_notes(gpointer data)
{
    Group *group = data;
    HbFolder *joined = hb_shared_folder_join(group->path, group->place, NULL);

    while (!g_atomic_int_get(&group->is_ended)) {
        g_autoptr(GError) error = NULL;
        count_failure(group, hb_shared_folder_remove_note(joined, "group-1", &error), error);
        g_usleep(20);
    }
    hb_shared_folder_leave(joined);
    return NULL;
}

static void a_note_is_whole_or_not_there_whoever_removes_it(void **state)
{
    char *folder = check_make_folder();
    guint found = 0;
    Group group;
    GThread *threads[2];
    HbFolder *joined;

    (void)state;
    begin_group(&group, folder);
    joined = hb_shared_folder_join(group.path, group.place, NULL);
    threads[0] = g_thread_new("first", leave_and_clear, &group);
    threads[1] = g_thread_new("other", remove_notes, &group);
    for (guint i = 0; i < ROUNDS || (found == 0 && i < 100 * ROUNDS); i++) {
        g_autoptr(GError) error = NULL;
        g_autofree char *text = NULL;
        count_failure(&group, hb_shared_folder_read_note(joined, "group-1", &text, &error), error);
        count_failure(&group, text == NULL || g_str_equal(text, TEXT), error);
        found += text != NULL;
    }
    g_atomic_int_set(&group.is_ended, 1);
    g_thread_join(threads[0]);
    g_thread_join(threads[1]);
    hb_shared_folder_leave(joined);
    assert_int_equal(g_atomic_int_get(&group.failures), 0);
    assert_true(found > 0);
    end_group(&group);
    check_remove_folder(folder);
}

static void a_link_in_place_of_a_note_is_not_followed(void **state)
{
    char *folder = check_make_folder();
    g_autofree char *text = NULL, *notes = NULL, *link = NULL;
    g_autoptr(GError) error = NULL;
    gboolean written;
    Group group;

    (void)state;
    begin_group(&group, folder);
    assert_true(hb_shared_folder_write_note(group.first, "plan", TEXT, &written, &error));
    assert_true(written);
    assert_true(hb_shared_folder_write_note(group.first, "plan", "another", &written, &error));
    assert_false(written);
    assert_true(hb_shared_folder_read_note(group.first, "plan", &text, &error));
    assert_string_equal(text, TEXT);
    g_clear_pointer(&text, g_free);
    notes = g_build_filename(group.place, "hosts", NULL);
    link = g_build_filename(notes, "group-2", NULL);
    assert_int_equal(symlink("plan", link), 0);
    assert_false(hb_shared_folder_read_note(group.first, "group-2", &text, &error));
    check_error(&error, HB_ERROR_DAMAGED, "no regular file");
    assert_int_equal(unlink(link), 0);
    assert_true(hb_shared_folder_clear(group.first, &error));
    assert_false(g_file_test(notes, G_FILE_TEST_EXISTS));
    end_group(&group);
    check_remove_folder(folder);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_note_is_whole_or_not_there_whoever_removes_it),
        cmocka_unit_test(a_link_in_place_of_a_note_is_not_followed),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
