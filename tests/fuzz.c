// SPDX-License-Identifier: GPL-3.0-or-later
// Fuzzing of the readers, and of core on ports from hell: one program each, chosen by a definition.
#if defined(FUZZ_wild)
#include "wild.h"

#include <stddef.h>
#include <stdio.h>
#include <stdlib.h>
#else
#include <cammino_lab/fleet.h>
#include <cammino_lab/limits.h>
#include <cammino_lab/run.h>
#endif

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

#if defined(FUZZ_wild)
int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    const char *wrong = wild_run_bytes(data, size);
    if (wrong != NULL) {
        fprintf(stderr, "%s\n", wrong);
        abort();
    }
    return 0;
}
#else
int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    GError *error = NULL;
#if defined(FUZZ_robot)
    lab_robot *object = lab_robot_from_bytes("fuzz", (const char *)data, size, &error);
    lab_robot_free(object);
#elif defined(FUZZ_fleet)
    lab_fleet *object = lab_fleet_from_bytes("fuzz", (const char *)data, size, &error);
    lab_fleet_free(object);
#elif defined(FUZZ_route)
    lab_route *object = lab_route_from_bytes("fuzz", (const char *)data, size, &error);
    lab_route_free(object);
#elif defined(FUZZ_limits)
    lab_limits *object = lab_limits_from_bytes("fuzz", (const char *)data, size, &error);
    lab_limits_free(object);
#elif defined(FUZZ_results)
    lab_results *object = lab_results_from_bytes("fuzz", (const char *)data, size, &error);
    lab_results_free(object);
#elif defined(FUZZ_trace)
    GArray *object = lab_trace_from_bytes("fuzz", (const char *)data, size, &error);
    if (object != NULL) {
        g_array_free(object, TRUE);
    }
#else
    cmo_sim_mat_options options = {.px_per_mm = 0.25};
    cmo_sim_mat *object = cmo_sim_mat_from_bytes("fuzz", data, size, &options, &error);
    if (object != NULL) {
        cmo_sim_mat_light(object, 5, 5, 6);
        cmo_sim_mat_inside(object, 5, 5);
    }
    cmo_sim_mat_free(object);
#endif
    if ((object == NULL) != (error != NULL)) {
        g_error("an error without a message, or a message without an error");
    }
    g_clear_error(&error);
    return 0;
}
#endif
