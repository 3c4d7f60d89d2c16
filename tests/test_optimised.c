// SPDX-License-Identifier: GPL-3.0-or-later
// The same program at several levels of optimisation.
#include "support.h"

#include <string.h>

START_TEST(no_level_of_optimisation_changes_a_bit) {
    static const char *const probes[] = {PROBES "/probe_O0", PROBES "/probe_O2",
                                         PROBES "/probe_O3"};
    char *first = NULL;
    for (size_t i = 0; i < G_N_ELEMENTS(probes); i++) {
        char *out = NULL;
        char *arguments[] = {(char *)(uintptr_t)probes[i], NULL};
        int status;
        ck_assert(g_spawn_sync(NULL, arguments, NULL, G_SPAWN_DEFAULT, NULL, NULL, &out, NULL,
                               &status, NULL));
        ck_assert_int_eq(status, 0);
        ck_assert_uint_gt(strlen(out), 200);
        if (first == NULL) {
            first = out;
        } else {
            ck_assert_str_eq(out, first);
            g_free(out);
        }
    }
    g_free(first);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {no_level_of_optimisation_changes_a_bit, NULL};
    return run_suite("optimised", tests);
}
