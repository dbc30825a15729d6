/* SPDX-License-Identifier: Apache-2.0 */
/* Sealing: what was sealed opens with a recipient's key, and with nothing else; the stock program opens it, too */
#include "support/check.h"
#include "support/servers.h"

#include "dump/seal.h"

#include <string.h>

static char *folder;

static char *in_folder(const char *name)
{
    return g_build_filename(folder, name, NULL);
}

static HbRecipients *read_recipients(const char *one, const char *other, GError **error)
{
    g_autofree char *first = in_folder(one), *second = other != NULL ? in_folder(other) : NULL;
    char *paths[] = {first, second, NULL};

    return hb_recipients_read(paths, error);
}

static char *passphrase; /* NULL: nobody knows it */

static char *tell_passphrase(const char *path)
{
    (void)path;
    return g_strdup(passphrase);
}

static HbUnsealer *unseal_with(const char *name, const HbRecipients *recipients, GError **error)
{
    g_autofree char *path = in_folder(name);
    const char *text = hb_recipients_get_text(recipients);
    HbSealKey *key = hb_seal_key_read(path, tell_passphrase, error);
    HbUnsealer *unsealer = key != NULL ? hb_unsealer_new(key, text, strlen(text), error) : NULL;

    hb_seal_key_free(key);
    return unsealer;
}

static int set_up(void **state)
{
    (void)state;
    folder = check_make_folder();
    g_setenv("KEYS", folder, TRUE);
    servers_run_shell(
        "cd $KEYS; make() { openssl req -x509 -newkey $2 $3 -nodes -keyout $1.key -out $1.pem -subj \"/CN=$1\" -days 9"
        " 2>/dev/null; }; make oak rsa:2048; make beech rsa:3072; make ash ec '-pkeyopt ec_paramgen_curve:P-256'; make "
        "elm"
        " ed25519; cat oak.pem beech.pem ash.pem >all.pem; openssl pkey -in oak.key -aes256 -passout pass:acorn -out"
        " locked.key; head -n 5 oak.pem >cut.pem; echo bark >bark.pem");
    /* One that has expired */
    servers_run_shell(
        "cd $KEYS; openssl req -new -key oak.key -subj /CN=fir -out fir.csr; : >index; echo 01 >serial; printf"
        " '[ca]\ndefault_ca=d\n[d]\ndatabase=index\nnew_certs_dir=.\nserial=serial\ndefault_md=sha256\npolicy=p\n"
        "[p]\ncommonName=supplied\n' >ca.cnf; openssl ca -selfsign -keyfile oak.key -in fir.csr -out fir.pem"
        " -startdate 20200101000000Z -enddate 20210101000000Z -batch -notext -config ca.cnf 2>/dev/null");
    return 0;
}

static int tear_down(void **state)
{
    (void)state;
    check_remove_folder(folder);
    return 0;
}

static void each_size_opens_with_each_key(void **state)
{
    static const gsize sizes[] = {0,    1,    15,    16,    17,    1023,    1024,
                                  1025, 4096, 65535, 65536, 65537, 1 << 20, (1 << 24) + 1};
    static const char *const keys[] = {"oak.key", "beech.key", "ash.key", "locked.key"};
    HbRecipients *recipients = read_recipients("all.pem", NULL, NULL);

    (void)state;
    passphrase = (char *)"acorn";
    assert_non_null(recipients);
    for (gsize i = 0; i < G_N_ELEMENTS(sizes); i++) {
        g_autofree char *plain = g_malloc(sizes[i] + 1);
        g_autoptr(GBytes) sealed = NULL;
        for (gsize at = 0; at < sizes[i]; at++)
            plain[at] = (char)(at % 26 + 'a');
        sealed = hb_recipients_seal(recipients, plain, sizes[i], "rows", NULL);
        assert_non_null(sealed);
        assert_null(g_strstr_len(g_bytes_get_data(sealed, NULL), (gssize)g_bytes_get_size(sealed), "abcdefgh"));
        for (gsize k = 0; k < G_N_ELEMENTS(keys); k++) {
            HbUnsealer *unsealer = unseal_with(keys[k], recipients, NULL);
            g_autoptr(GBytes) opened =
                hb_unsealer_open(unsealer, g_bytes_get_data(sealed, NULL), g_bytes_get_size(sealed), "rows", NULL);
            assert_non_null(opened);
            assert_int_equal(g_bytes_get_size(opened), sizes[i]);
            assert_true(sizes[i] == 0 || memcmp(g_bytes_get_data(opened, NULL), plain, sizes[i]) == 0);
            hb_unsealer_free(unsealer);
        }
    }
    hb_recipients_free(recipients);
}

/* Each byte of a message matters, and so does its end */
static void a_message_that_was_changed_is_refused(void **state)
{
    static const char text[] = "the oldest oak stands in the vale";
    HbRecipients *recipients = read_recipients("ash.pem", NULL, NULL);
    HbUnsealer *unsealer = unseal_with("ash.key", recipients, NULL);
    g_autoptr(GBytes) sealed = hb_recipients_seal(recipients, text, sizeof text, "rows", NULL);
    g_autofree guchar *copy = g_memdup2(g_bytes_get_data(sealed, NULL), g_bytes_get_size(sealed));
    const gsize length = g_bytes_get_size(sealed);
    guint taken = 0;

    (void)state;
    for (gsize at = 0; at < length; at++) {
        g_autoptr(GBytes) opened = NULL;
        copy[at] ^= 0x40;
        opened = hb_unsealer_open(unsealer, copy, length, "rows", NULL);
        copy[at] ^= 0x40;
        taken += opened != NULL;
        assert_true(opened == NULL || memcmp(g_bytes_get_data(opened, NULL), text, sizeof text) == 0);
    }
    assert_true(taken < 60); /* of what only describes it: whose certificate, which version */
    for (gsize cut = 0; cut < length; cut++)
        assert_null(hb_unsealer_open(unsealer, copy, cut, "rows", NULL));
    hb_unsealer_free(unsealer);
    hb_recipients_free(recipients);
}

/* Encrypted, but without a proof that it is whole: another type of message, made by the stock program for the same key
 */
static void a_message_without_proof_is_refused(void **state)
{
    HbRecipients *recipients = read_recipients("oak.pem", NULL, NULL);
    HbUnsealer *unsealer = unseal_with("oak.key", recipients, NULL);
    g_autofree char *path = in_folder("weak.cms"), *bytes = NULL;
    g_autoptr(GError) error = NULL;
    gsize length;

    (void)state;
    servers_run_shell(
        "cd $KEYS; echo bark | openssl cms -encrypt -binary -aes-256-cbc -outform DER -out weak.cms oak.pem");
    assert_true(g_file_get_contents(path, &bytes, &length, NULL));
    assert_null(hb_unsealer_open(unsealer, bytes, length, "weak.cms", &error));
    check_error(&error, HB_ERROR_DAMAGED, "weak.cms");
    hb_unsealer_free(unsealer);
    hb_recipients_free(recipients);
}

static void the_stock_program_opens_it(void **state)
{
    HbRecipients *recipients = read_recipients("oak.pem", "ash.pem", NULL);
    g_autofree char *path = in_folder("m.cms");
    g_autoptr(GBytes) sealed = hb_recipients_seal(recipients, "acorns\n", 7, "rows", NULL);

    (void)state;
    assert_true(g_file_set_contents(path, g_bytes_get_data(sealed, NULL), (gssize)g_bytes_get_size(sealed), NULL));
    servers_run_shell(
        "cd $KEYS; for k in oak ash; do [ \"$(openssl cms -decrypt -binary -inform DER -in m.cms -inkey $k.key"
        " -recip $k.pem)\" = acorns ]; done; openssl cms -decrypt -inform DER -in m.cms -inkey beech.key -recip"
        " beech.pem >/dev/null 2>&1 && exit 9 || true");
    hb_recipients_free(recipients);
}

static void what_cannot_be_sealed_for_is_named(void **state)
{
    static const struct {
        const char *file;
        HbErrorCode code;
        const char *part;
    } cases[] = {
        {"none.pem", HB_ERROR_FILE, "none.pem"},   {"bark.pem", HB_ERROR_USAGE, "no certificate"},
        {"cut.pem", HB_ERROR_USAGE, "broken one"}, {"oak.key", HB_ERROR_USAGE, "no certificate"},
        {"elm.pem", HB_ERROR_USAGE, "CN=elm"},     {"fir.pem", HB_ERROR_USAGE, "expired"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(GError) error = NULL;
        assert_null(read_recipients("oak.pem", cases[i].file, &error));
        check_error(&error, cases[i].code, cases[i].part);
    }
}

static void a_key_that_does_not_open_is_named(void **state)
{
    static const struct {
        const char *file, *passphrase;
        HbErrorCode code;
        const char *part;
    } cases[] = {
        {"none.key", NULL, HB_ERROR_FILE, "none.key"},
        {"oak.pem", NULL, HB_ERROR_USAGE, "no private key"},
        {"locked.key", NULL, HB_ERROR_USAGE, "passphrase is missing"},
        {"locked.key", "beechnut", HB_ERROR_USAGE, "or wrong"},
        {"ash.key", NULL, HB_ERROR_USAGE, "sealed for CN=oak; CN=beech"},
    };
    HbRecipients *recipients = read_recipients("oak.pem", "beech.pem", NULL);
    g_autoptr(GError) error = NULL;

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        passphrase = (char *)cases[i].passphrase;
        assert_null(unseal_with(cases[i].file, recipients, &error));
        check_error(&error, cases[i].code, cases[i].part);
    }
    assert_null(
        hb_unsealer_new(NULL, hb_recipients_get_text(recipients), strlen(hb_recipients_get_text(recipients)), &error));
    check_error(&error, HB_ERROR_USAGE, "sealed for CN=oak; CN=beech");
    assert_null(hb_unsealer_new(NULL, "bark", 4, &error));
    check_error(&error, HB_ERROR_DAMAGED, "recipients.pem");
    hb_recipients_free(recipients);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(each_size_opens_with_each_key),      cmocka_unit_test(a_message_that_was_changed_is_refused),
        cmocka_unit_test(a_message_without_proof_is_refused), cmocka_unit_test(the_stock_program_opens_it),
        cmocka_unit_test(what_cannot_be_sealed_for_is_named), cmocka_unit_test(a_key_that_does_not_open_is_named),
    };

    return cmocka_run_group_tests(tests, set_up, tear_down);
}
