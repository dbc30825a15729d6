/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/charsets.h"

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
