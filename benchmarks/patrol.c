// SPDX-License-Identifier: GPL-3.0-or-later
// Stay inside: departures in ten thousand rebounds, on six robots in eight arenas.
#include "arenas.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

typedef struct tally {
    unsigned rebounds, both, departures, failed;
    double margin_mm, worst_deg;
    GArray *errors;
    GArray *singles;
} tally;

static double p95(GArray *values) {
    if (values->len == 0) {
        return NAN;
    }
    double *v = (double *)(void *)values->data;
    for (guint i = 1; i < values->len; i++) { // insertion: they are few
        double x = v[i];
        guint n = i;
        for (; n > 0 && v[n - 1] > x; n--) {
            v[n] = v[n - 1];
        }
        v[n] = x;
    }
    return v[(guint)(0.95 * (values->len - 1))];
}

static void add(tally *t, const lab_leg_result *leg, unsigned asked) {
    if (leg->outcome != CMO_OUTCOME_DONE && leg->outcome != CMO_OUTCOME_DEPARTED) {
        t->failed++;
        printf("      %s %s\n", cmo_outcome_name(leg->outcome), leg->field ? leg->field : "");
        return;
    }
    (void)asked;
    t->rebounds += leg->rebounds->len;
    t->departures += (unsigned)leg->truth.value[CMO_DEPARTURES];
    t->margin_mm = fmin(t->margin_mm, leg->truth.value[CMO_MARGIN_MM]);
    for (guint i = 0; i < leg->rebounds->len; i++) {
        const lab_rebound *r = &g_array_index(leg->rebounds, lab_rebound, i);
        double error = fabs(r->turn_error_deg);
        if (getenv("DBG")) printf("      %u%s met %d known %d both %d entry %.1f/%.1f exit asked %.1f true %.1f err %.2f turned %.1f asked %.1f back %.0f margin %.1f/%.1f at %.0f %.0f t %.0f-%.0f\n", i, r->robot.answered?"A":"", r->robot.crossed, r->robot.known, r->both, (double)r->robot.entry_deg, remainder(r->entry_rad-r->normal_rad,2*G_PI)*180/G_PI, (double)r->robot.exit_deg, remainder(r->exit_rad-r->normal_rad,2*G_PI)*180/G_PI, r->turn_error_deg, (double)r->robot.turned_deg,(double)r->robot.asked_deg,(double)r->robot.back_mm,(double)r->robot.margin_mm,r->margin_mm,r->x_mm,r->y_mm,r->start_ms,r->end_ms);
        if (isfinite(error) && !r->robot.answered) {
            g_array_append_val(r->both ? t->errors : t->singles, error);
        }
    }
}

int main(int count, char **arguments) {
    unsigned each = count > 1 ? (unsigned)atoi(arguments[1]) : 53;
    int only_robot = count > 2 ? atoi(arguments[2]) : -1;
    int only_arena = count > 3 ? atoi(arguments[3]) : -1;
    double factor = count > 4 ? atof(arguments[4]) : 1.0;
    for (unsigned r = 0; r < ROBOTS; r++) {
        if (only_robot >= 0 && (unsigned)only_robot != r) {
            continue;
        }
        for (unsigned a = 0; a < ARENAS; a++) {
            if (only_arena >= 0 && (unsigned)only_arena != a) {
                continue;
            }
            lab_route *route = make_patrol(r, a);
            tally t = {.margin_mm = INFINITY,
                       .errors = g_array_new(FALSE, FALSE, sizeof(double)),
                       .singles = g_array_new(FALSE, FALSE, sizeof(double))};
            double speed = NAN, share = 0;
            for (unsigned corner = 0; corner < 4; corner++) {
                lab_robot robot = *route->robot;
                set_corner(&robot, route->robot, corner);
                cmo_stay_parameters *p = &route->leg[0].parameters.stay;
                p->rebounds = (uint16_t)each;
                p->longest_ms = CMO_NO_END; p->convex = a != 4 && getenv("CVX"); p->guess = getenv("GUESS") != NULL; if (getenv("FOR")) { p->rebounds=0; p->longest_ms=(uint32_t)(1000*atof(getenv("FOR"))); } p->turn = getenv("TURN") ? atoi(getenv("TURN")) : 0;
                lab_start start = {route->x_mm, route->y_mm, 37.0 * (corner + 1)};
                if (factor != 1.0) { cmo_patrol_budget b; cmo_budget_patrol(&robot.description, p->grazing, p->convex, 3, 0, &b); p->cruise_mm_s = b.speed_mm_s * factor; p->too_fast=CMO_TOO_FAST_ACCEPT; }
                lab_run *run = lab_drive_from(route, &robot, &start, corner + 1, false);
                const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, 0);
                add(&t, leg, each);
                speed = leg->cruise_mm_s;
                share = leg->truth.value[CMO_COVERED_PER_MIN];
                lab_run_free(run);
            }
            printf("%-32s%-20s%6.0f%7u%7u%7u%9.2f%8.2f%8.1f %4u %u %.2f\n", robot_kinds[r].name,
                   arenas[a].name, speed, t.rebounds, t.errors->len, t.departures, t.margin_mm,
                   p95(t.errors), p95(t.singles), t.singles->len, t.failed, share);
            lab_route_free(route);
        }
    }
    return 0;
}
