/* SPDX-License-Identifier: Apache-2.0 */
/* One target for libFuzzer: FUZZ_TARGET names it when this is compiled */
#include "fuzz/targets.h"

#include <stdint.h>

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t length);

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t length)
{
    fuzz_find_target(FUZZ_TARGET)->read((const char *)bytes, length);
    return 0;
}
