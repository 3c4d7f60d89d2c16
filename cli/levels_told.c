// SPDX-License-Identifier: GPL-3.0-or-later
// How surely each sensor tells surfaces from each other.
#include "levels_told.h"

#include <math.h>

// Of 20,000 readings: less than this is none, for all that is known.
#define LEAST_SHARE (0.5 / LAB_TOLD_READINGS)
// From here on two surfaces are said not to be told apart.
#define ALIKE_SHARE 0.001

static void print_share(double share) {
    if (share < LEAST_SHARE) {
        printf("%10s", "-");
    } else {
        printf("%9.2f%%", 100.0 * share);
    }
}

void cli_print_told(const lab_told *told, unsigned lights, const cmo_robot_description *d,
                    double change) {
    bool colour = false;
    for (unsigned n = 0; n < lights; n++) {
        const lab_told *its = &told[n];
        colour = colour || d->light[n].colour;
        printf("\n%-6s%-15s", cli_side(n), "told to be");
        for (unsigned i = 0; i < its->surfaces; i++) {
            printf(" %9.9s", its->name[i]);
        }
        printf(" %9s\n", "none");
        for (unsigned i = 0; i < its->surfaces; i++) {
            printf("      %-15.15s", its->name[i]);
            for (unsigned k = 0; k < its->surfaces; k++) {
                print_share(its->share[i][k + 1]);
            }
            print_share(its->share[i][0]);
            printf("\n");
        }
    }
    printf("\n");
    cli_line("single readings, by %s, with light that changes them by up to %.0f %%; - is none of "
             "20,000",
             colour ? "colour" : "reflectance alone", 100.0 * change);
}

bool cli_print_alike(const lab_told *told, unsigned lights) {
    bool good = true;
    for (unsigned n = 0; n < lights; n++) {
        const lab_told *its = &told[n];
        for (unsigned i = 0; i < its->surfaces; i++) {
            for (unsigned k = i + 1; k < its->surfaces; k++) {
                double share = fmax(its->share[i][k + 1], its->share[k][i + 1]);
                if (share >= ALIKE_SHARE) {
                    good = false;
                    printf("%s: %s and %s are not told apart: %.2g %% are taken for the other\n",
                           cli_side(n), its->name[i], its->name[k], 100.0 * share);
                }
            }
        }
    }
    if (good) {
        cli_line("all of them are told apart, each but for less than 0.1 %% of its readings");
    }
    return good;
}

void cli_add_told(JsonBuilder *builder, const lab_told *told) {
    json_builder_set_member_name(builder, "told");
    json_builder_begin_object(builder);
    for (unsigned i = 0; i < told->surfaces; i++) {
        json_builder_set_member_name(builder, told->name[i]);
        json_builder_begin_object(builder);
        for (unsigned k = 0; k <= told->surfaces; k++) {
            if (told->share[i][k] >= LEAST_SHARE) {
                json_builder_set_member_name(builder, k == 0 ? "none" : told->name[k - 1]);
                json_builder_add_double_value(builder, told->share[i][k]);
            }
        }
        json_builder_end_object(builder);
    }
    json_builder_end_object(builder);
}
