/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/charsets.h"

#include "engine/mariadb/dialect/features.h"

#include <string.h>

#define REMARK     "/* written in "
#define REMARK_END " */"

/* What iconv calls the server's character sets. Where a backslash would be lost, the vendor's variant keeps it */
static const char *const encodings[][2] = {
    {"latin1", "CP1252"},     {"latin2", "ISO-8859-2"}, {"latin5", "ISO-8859-9"}, {"latin7", "ISO-8859-13"},
    {"cp1250", "CP1250"},     {"cp1251", "CP1251"},     {"cp1256", "CP1256"},     {"cp1257", "CP1257"},
    {"cp850", "CP850"},       {"cp852", "CP852"},       {"cp866", "CP866"},       {"greek", "ISO-8859-7"},
    {"hebrew", "ISO-8859-8"}, {"koi8r", "KOI8-R"},      {"koi8u", "KOI8-U"},      {"tis620", "TIS-620"},
    {"sjis", "CP932"},        {"cp932", "CP932"},       {"ujis", "EUC-JP"},       {"eucjpms", "EUC-JP-MS"},
    {"gbk", "GBK"},           {"gb2312", "GB2312"},     {"big5", "BIG5"},         {"euckr", "CP949"},
};

char *hb_my_write_charset(const char *charset)
{
    return g_strdup_printf("utf8mb4 " REMARK "%s" REMARK_END, charset);
}

char *hb_my_read_charset(const char *statement)
{
    const char *start = g_str_has_prefix(statement, "SET ") ? strstr(statement, REMARK) : NULL;
    const char *end = start != NULL ? strstr(start, REMARK_END) : NULL;

    return end != NULL ? g_strndup(start + strlen(REMARK), (gsize)(end - start) - strlen(REMARK)) : NULL;
}

static const char *find_encoding(const char *charset)
{
    for (gsize i = 0; i < G_N_ELEMENTS(encodings); i++) {
        if (strcmp(encodings[i][0], charset) == 0)
            return encodings[i][1];
    }
    return NULL;
}

char *hb_my_encode(const char *text, const char *charset)
{
    const char *encoding = find_encoding(charset);
    g_autofree char *encoded = encoding != NULL ? g_convert(text, -1, encoding, "UTF-8", NULL, NULL, NULL) : NULL;
    g_autofree char *back = encoded != NULL ? g_convert(encoded, -1, "UTF-8", encoding, NULL, NULL, NULL) : NULL;

    return g_strcmp0(back, text) == 0 ? g_steal_pointer(&encoded) : NULL;
}

/* ---- Usual collations ---- */

/*
 * Where it is not the one that is called general. That of Unicode is another one from MySQL 8.0 on, and in MariaDB from
 * 11.6 on (character_set_collations). Sources: SHOW CHARACTER SET; both vendors' manuals
 */
static const struct {
    const char *charset, *collation;
} own_usual[] = {
    {"big5", "big5_chinese_ci"},        {"cp932", "cp932_japanese_ci"},  {"dec8", "dec8_swedish_ci"},
    {"eucjpms", "eucjpms_japanese_ci"}, {"euckr", "euckr_korean_ci"},    {"gb18030", "gb18030_chinese_ci"},
    {"gb2312", "gb2312_chinese_ci"},    {"gbk", "gbk_chinese_ci"},       {"hp8", "hp8_english_ci"},
    {"latin1", "latin1_swedish_ci"},    {"latin5", "latin5_turkish_ci"}, {"sjis", "sjis_japanese_ci"},
    {"swe7", "swe7_swedish_ci"},        {"tis620", "tis620_thai_ci"},    {"ujis", "ujis_japanese_ci"},
};
static const char *const unicode[] = {"utf8mb4", "utf8mb3", "utf8", "utf16", "utf32", "ucs2", NULL};

char *hb_my_get_usual_collation(const char *charset, guint version)
{
    g_autofree char *lower = g_ascii_strdown(charset, -1);
    const char *name = strcmp(lower, "utf8") == 0 ? "utf8mb3" : lower;

    if (strcmp(name, "binary") == 0)
        return NULL;
    if (strcmp(name, "utf8mb4") == 0 && !hb_my_version_is_maria(version) && version >= 80000)
        return g_strdup("utf8mb4_0900_ai_ci");
    if (hb_my_version_is_maria(version) && version >= 110600 && g_strv_contains(unicode, name))
        return g_strdup_printf("%s_uca1400_ai_ci", name);
    for (gsize i = 0; i < G_N_ELEMENTS(own_usual); i++) {
        if (strcmp(own_usual[i].charset, name) == 0)
            return g_strdup(own_usual[i].collation);
    }
    return g_strdup_printf("%s_general_ci", name);
}
