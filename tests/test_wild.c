// SPDX-License-Identifier: GPL-3.0-or-later
// Every routine on ports from hell. With a number as its argument, so many runs instead of the
// usual.
#include "wild.h"

#include <check.h>
#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>

static uint64_t runs = 6000;
// And with one light these, whose wheels go to and fro about their place at rest, without being
// stalled.
static const uint64_t hunting[] = {26614, 27086, 33558, 38305};
#define HUNTING (sizeof hunting / sizeof *hunting)

START_TEST(whatever_the_port_does_motors_halt_and_routines_end) {
    unsigned failed = 0;
    for (uint64_t n = 1; n <= runs + HUNTING; n++) {
        uint64_t seed = n <= runs ? n : hunting[n - runs - 1];
        const char *wrong = wild_run(seed);
        if (wrong != NULL && failed++ < 20) {
            fprintf(stderr, "seed %" PRIu64 ": %s\n", seed, wrong);
        }
    }
    ck_assert_uint_eq(failed, 0);
}
END_TEST

int main(int count, char **arguments) {
    if (count > 1) {
        runs = strtoull(arguments[1], NULL, 10);
    }
    Suite *suite = suite_create("wild");
    TCase *test_case = tcase_create("wild");
    tcase_set_timeout(test_case, 0.0);
    tcase_add_test(test_case, whatever_the_port_does_motors_halt_and_routines_end);
    suite_add_tcase(suite, test_case);
    SRunner *runner = srunner_create(suite);
    srunner_run_all(runner, CK_NORMAL);
    int failed = srunner_ntests_failed(runner);
    srunner_free(runner);
    return failed == 0 ? 0 : 1;
}
