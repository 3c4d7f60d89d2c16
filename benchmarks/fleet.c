// SPDX-License-Identifier: GPL-3.0-or-later
// A fleet at everything: stops, squares, turns, decorations, patrols, geometry, wiring, drive,
// braking and tables' edges, each robot of another kind and described as its user would, with
// common practice on the same robots beside.
//
//     bench_fleet [ROBOTS [SUBJECT [FLEET.yaml]]]
#include "fleet.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static const struct {
    const char *name;
    void (*run)(const char *fleet, unsigned robots);
} subjects[] = {{"stop", fleet_stop},     {"square", fleet_square}, {"moves", fleet_moves},
                {"marks", fleet_marks},   {"patrol", fleet_patrol}, {"geometry", fleet_geometry},
                {"wiring", fleet_wiring}, {"drive", fleet_drive},   {"braking", fleet_braking},
                {"table", fleet_table}};

int main(int count, char **arguments) {
    unsigned robots =
        count > 1 ? (unsigned)CLAMP(atoi(arguments[1]), 20, (int)POPULATION_MOST) : 200U;
    const char *subject = count > 2 ? arguments[2] : "all";
    const char *path = count > 3 ? arguments[3] : SOURCE_DIR "/data/ferry/fleet.yaml";
    bool any = false;
    for (size_t i = 0; i < G_N_ELEMENTS(subjects); i++) {
        if (strcmp(subject, "all") == 0 || strcmp(subject, subjects[i].name) == 0) {
            subjects[i].run(path, robots);
            any = true;
        }
    }
    if (!any) {
        fprintf(stderr,
                "%s is no subject; all, stop, square, moves, marks, patrol, geometry, "
                "wiring, drive, braking or table would do\n",
                subject);
    }
    return any ? 0 : 2;
}
