/* SPDX-License-Identifier: Apache-2.0 */
#include "support/check.h"

#include "core/base/json_text.h"

#include <string.h>

/* Each byte alone, beside letters, twice, and within a broken character; and characters of each length */
static void any_bytes_come_back(void **state)
{
    static const char *const around[][2] = {
        {"", ""}, {"a", "b"}, {"\xe6\x9c", "\xa8"}, {"木", "🌳"}, {"\xf4\x8f\xb8\x80", ""}};

    (void)state;
    for (int byte = 1; byte <= 0xff; byte++) {
        for (gsize i = 0; i < G_N_ELEMENTS(around); i++) {
            g_autofree char *text = g_strdup_printf("%s%c%s%c", around[i][0], byte, around[i][1], byte);
            g_autofree char *json = hb_json_text_write(text), *again = hb_json_text_read(json);
            if (!g_utf8_validate(json, -1, NULL) || strcmp(again, text) != 0)
                fail_msg("byte %02x in pair %zu", (unsigned)byte, i);
        }
    }
}

/* What stands for bytes in JSON is no text of its own: its bytes are written one by one */
static void characters_that_stand_for_bytes_come_back(void **state)
{
    (void)state;
    for (gunichar c = 0x10fdf0; c <= 0x10ff10; c++) {
        char text[7] = "";
        text[g_unichar_to_utf8(c, text)] = '\0';
        g_autofree char *json = hb_json_text_write(text), *again = hb_json_text_read(json);
        assert_string_equal(again, text);
        assert_true((strcmp(json, text) == 0) == (c < 0x10fe80 || c > 0x10feff));
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(any_bytes_come_back),
                                       cmocka_unit_test(characters_that_stand_for_bytes_come_back)};
    return cmocka_run_group_tests(tests, NULL, NULL);
}
