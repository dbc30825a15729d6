/* SPDX-License-Identifier: Apache-2.0 */
/* Connection strings of all forms, also those that no server here can try, as a golden file has them */
#include "support/check.h"

#include "engine/mariadb/mariadb.h"
#include "engine/postgres/postgres.h"

#define ODD "a%20b%3B%27%22%7B%7D%5B%5D%40%25%5C%3D%C3%A4"

static void append_all(GString *out, const HbEngine *engine, const char *uri, const char *product, const char *user)
{
    HbServerInfo server = {.product = (char *)product};
    const HbAddress address = {.uri = uri};
    g_autoptr(GPtrArray) forms = engine->gate->list_forms(&address, &server, user, HB_FORM_PASSWORD);

    g_string_append_printf(out, "# %s, %s\n", uri, user != NULL ? user : "its own user");
    for (guint i = 0; i < forms->len; i++) {
        const HbConnectionForm *form = forms->pdata[i];
        g_string_append_printf(out, "%s: %s\n", form->form, form->text != NULL ? form->text : form->complaint);
    }
}

static void all_forms_are_as_their_readers_want_them(void **state)
{
    static const struct {
        const HbEngine *engine;
        const char *uri, *product, *user;
    } cases[] = {
        {&hb_postgres_engine, "postgresql://keeper@new.example:5433/fennick_vale", "PostgreSQL", NULL},
        {&hb_postgres_engine, "postgresql://[2001:db8::7]/vale?sslmode=verify-full&sslrootcert=/etc/ca.pem",
         "PostgreSQL", "app"},
        {&hb_postgres_engine, "postgresql://one.example:5432,two.example:5433/vale", "PostgreSQL", "app"},
        {&hb_postgres_engine, "postgresql://new.example/" ODD, "PostgreSQL", "i;d'a\"{}[]@:/% \\ö"},
        {&hb_postgres_engine, "postgresql:///vale?host=/run/pg%20sql&port=5433", "PostgreSQL", "app"},
        {&hb_mariadb_engine, "mariadb://keeper@new.example:3307/fennick_vale?tls=verify&tls-ca=/etc/ca.pem", "MariaDB",
         NULL},
        {&hb_mariadb_engine, "mariadb://[2001:db8::7]/" ODD, "MariaDB", "i;d'a\"{}[]@:/% \\ö"},
        {&hb_mariadb_engine, "mysql://localhost/vale?socket=/run/my%20sql;d", "MySQL", "app"},
    };
    g_autoptr(GString) out = g_string_new(NULL);
    g_autofree char *golden = NULL;

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++)
        append_all(out, cases[i].engine, cases[i].uri, cases[i].product, cases[i].user);
    assert_true(g_file_get_contents(HB_SOURCE_DIR "/tests/golden/connection-forms.txt", &golden, NULL, NULL));
    assert_string_equal(out->str, golden);
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(all_forms_are_as_their_readers_want_them)};

    return cmocka_run_group_tests(tests, NULL, NULL);
}
