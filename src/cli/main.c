/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/cli.h"

int main(int argc, char **argv)
{
    return hb_cli_run(argc, argv);
}
