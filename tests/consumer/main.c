// SPDX-License-Identifier: MIT
#include <cammino/cammino.h>
#include <cammino_lab/run.h>
#include <stdio.h>

int main(void) {
    cmo_levels levels = {100, 600, CMO_LEVEL_UNKNOWN, 5};
    printf("installed version %s, reflectance %.2f\n", CAMMINO_VERSION,
           (double)cmo_reflectance(&levels, 350));
    GError *error = NULL;
    lab_robot *robot = lab_robot_from_bytes("none", "", 0, &error);
    return robot == NULL && error != NULL ? 0 : 1;
}
