// SPDX-License-Identifier: GPL-3.0-or-later
// Robots of another make than the simulator's do what the simulator's do.
//
//     bench_foreign [ROBOTS] [moves | patrol | follow | count | check | measure]
#include "foreign.h"

#include <glib.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static const struct {
    const char *name;
    void (*work)(const foreign_robots *robots);
} jobs[] = {{"moves", foreign_moves},  {"patrol", foreign_patrols}, {"follow", foreign_follows},
            {"count", foreign_counts}, {"check", foreign_checks},   {"measure", foreign_measures}};

int main(int argc, char **argv) {
    static foreign_robots robots;
    unsigned long asked = argc > 1 ? strtoul(argv[1], NULL, 10) : 300;
    robots.n = (unsigned)CLAMP(asked, 1UL, FOREIGN_MOST);
    unsigned steady = 0;
    for (unsigned n = 0; n < robots.n; n++) {
        foreign_draw(&robots.made[n], n + 1);
        robots.steady[n] = foreign_describe(&robots.made[n], n + 1, &robots.described[n]);
        steady += robots.steady[n];
    }
    printf("%u robots of another make, %u of them steady, as their users state them; true errors\n",
           robots.n, steady);
    for (size_t k = 0; k < G_N_ELEMENTS(jobs); k++) {
        if (argc <= 2 || strcmp(argv[2], jobs[k].name) == 0) {
            jobs[k].work(&robots);
            printf("\n");
        }
    }
    return 0;
}
