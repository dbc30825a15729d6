/* SPDX-License-Identifier: Apache-2.0 */
/*
 * show DUMP - what is in a dump.
 */
#include "cli/cli.h"
#include "core/base/error.h"
#include "core/graph/closure.h"
#include "dump/reader.h"
#include "report/graph.h"
#include "report/json.h"
#include "report/pages.h"

static gboolean refuse_many(const GPtrArray *meant, const char *text, GError **error)
{
    g_autoptr(GString) list = g_string_new(NULL);

    for (guint i = 0; i < meant->len; i++)
        g_string_append_printf(list, "%s“%s”", i > 0 ? ", " : "", ((HbObject *)meant->pdata[i])->identity);
    g_autofree char *hint = g_strdup_printf("name one of %s", list->str);
    return hb_error_set(error, HB_ERROR_USAGE, hint, "several objects have the name “%s”", text);
}

/* Of a table and its parts of the same name, such as its rows, the table is meant */
static void drop_parts(GPtrArray *meant)
{
    for (guint i = meant->len; meant->len > 1 && i-- > 0;) {
        if (((const HbObject *)meant->pdata[i])->on != NULL)
            g_ptr_array_remove_index(meant, i);
    }
}

static const HbObject *find_object(const HbCatalog *catalog, const char *text, GError **error)
{
    g_autoptr(GPtrArray) meant = hb_closure_find_meant(catalog, text);

    drop_parts(meant);
    if (meant->len == 1)
        return meant->pdata[0];
    if (meant->len == 0)
        hb_error_set(error, HB_ERROR_USAGE, "`hornbeam show DUMP` lists the objects, with kind and name",
                     "the dump holds no object “%s”", text);
    else
        refuse_many(meant, text, error);
    return NULL;
}

static HbStatus show_needs(HbCli *cli, const HbCatalog *catalog, GError **error)
{
    const HbObject *object = find_object(catalog, cli->options.needs, error);

    if (object == NULL)
        return HB_STATUS_USAGE;
    hb_cli_conclude(cli, hb_json_needs(catalog, object), hb_page_needs(catalog, object, cli->color));
    return HB_STATUS_DONE;
}

static HbStatus draw(HbCli *cli, const HbCatalog *catalog, GError **error)
{
    const char *name = cli->options.around;
    const HbObject *around = name != NULL ? find_object(catalog, name, error) : NULL;
    g_autofree char *dot = NULL;

    if (name != NULL && around == NULL)
        return HB_STATUS_USAGE;
    dot = hb_graph_write_dot(catalog, around);
    return hb_graph_write_file(dot, cli->options.graph, error) ? HB_STATUS_DONE : HB_STATUS_FILE;
}

static HbStatus run(HbCli *cli, char **arguments, GError **error)
{
    g_autoptr(HbReader) dump = hb_reader_open(arguments[0], cli->key, error);
    const HbManifest *manifest;

    if (dump == NULL)
        return HB_STATUS_DUMP;
    manifest = hb_reader_get_manifest(dump);
    if (cli->options.around != NULL && cli->options.graph == NULL) {
        hb_error_set(error, HB_ERROR_USAGE, "name it with --graph FILE.svg", "--around chooses what --graph draws");
        return HB_STATUS_USAGE;
    }
    if (cli->options.graph != NULL)
        return draw(cli, manifest->catalog, error);
    if (cli->options.needs != NULL)
        return show_needs(cli, manifest->catalog, error);
    hb_cli_conclude(cli, hb_json_show(manifest, arguments[0]), hb_page_show(manifest, arguments[0], cli->color));
    return HB_STATUS_DONE;
}

const HbCommand hb_command_show = {
    .name = "show",
    .summary = "what is in a dump, in the order of restoring",
    .arguments = "DUMP",
    .description = "Lists the objects of a dump in the order of restoring, with owners, rows and sizes.",
    .arguments_min = 1,
    .arguments_max = 1,
    .bit = HB_FOR_SHOW,
    .run = run,
};
