// SPDX-License-Identifier: GPL-3.0-or-later
#include "edges.h"

#include <cammino/budget.h>

#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define STRAIGHT(mm)                                                                               \
    { .length_mm = (mm) }
#define BEND(mm, radius)                                                                           \
    { .length_mm = (mm), .radius_mm = (radius) } // positive: to the left

static void lay(course *c) {
    double x = c->x;
    double y = c->y;
    double heading = 0.0;
    for (unsigned i = 0; i < c->pieces; i++) {
        piece *p = &c->piece[i];
        p->x = x;
        p->y = y;
        p->heading = heading;
        if (p->radius_mm == 0.0) {
            x += p->length_mm * cos(heading);
            y += p->length_mm * sin(heading);
        } else {
            double turn = p->length_mm / p->radius_mm;
            x += p->radius_mm * (sin(heading + turn) - sin(heading));
            y -= p->radius_mm * (cos(heading + turn) - cos(heading));
            heading += turn;
        }
    }
}

// How far to the left of a piece's middle a place lies; INFINITY: not beside it.
static double beside(const piece *p, double x, double y) {
    double dx = x - p->x;
    double dy = y - p->y;
    double c = cos(p->heading);
    double s = sin(p->heading);
    double along = dx * c + dy * s;
    double left = -dx * s + dy * c;
    if (p->radius_mm == 0.0) {
        return along >= -0.5 && along <= p->length_mm + 0.5 ? left : INFINITY;
    }
    double r = p->radius_mm;
    double out = hypot(along, left - r);
    double turned = r > 0.0 ? atan2(along, r - left) : atan2(along, left - r);
    return turned >= -0.005 && turned <= fabs(p->length_mm / r) + 0.005
               ? (r > 0.0 ? r - out : out + r)
               : INFINITY;
}

course course_of_bends(void) {
    course c = {.pieces = 7,
                .x = 200,
                .y = 300,
                .wide_mm = 1900,
                .high_mm = 1900,
                .tightest_mm = 250,
                .way_mm = 3000,
                .piece = {STRAIGHT(600), BEND(393, 250), STRAIGHT(300), BEND(393, -250),
                          STRAIGHT(200), BEND(785, 250), STRAIGHT(900)}};
    lay(&c);
    return c;
}

course course_straight(void) {
    course c = {.pieces = 1,
                .x = 200,
                .y = 500,
                .wide_mm = 2400,
                .high_mm = 1000,
                .tightest_mm = 250,
                .way_mm = 1000,
                .piece = {STRAIGHT(2000)}};
    lay(&c);
    return c;
}

course course_of_s_bends(double radius_mm, unsigned count) {
    double quarter = 0.5 * G_PI * radius_mm;
    double high = 2.0 * radius_mm;
    course c = {.x = 200, .y = 300, .tightest_mm = radius_mm, .way_mm = 200};
    for (unsigned i = 0; i < count; i++) { // up, down, up
        double side = i % 2 == 0 ? radius_mm : -radius_mm;
        c.piece[c.pieces++] = (piece)STRAIGHT(300);
        c.piece[c.pieces++] = (piece)BEND(quarter, side);
        c.piece[c.pieces++] = (piece)BEND(quarter, -side);
        c.way_mm += 300 + 2.0 * quarter;
    }
    c.piece[c.pieces++] = (piece)STRAIGHT(700);
    c.wide_mm = c.x + count * (300 + high) + 700 + 200;
    c.high_mm = c.y + high + 300;
    lay(&c);
    return c;
}

static double light_at(void *data, double x_mm, double y_mm, unsigned *marks) {
    const course *c = data;
    bool on = false;
    for (unsigned i = 0; i < c->pieces && !on; i++) {
        on = fabs(beside(&c->piece[i], x_mm, y_mm)) <= EDGE_HALF_MM;
    }
    *marks = on ? 1U << CMO_SIM_LINE : 0;
    return on ? 0.05 : 0.6;
}

cmo_sim_mat *course_mat(const course *c) {
    cmo_sim_mat *mat =
        cmo_sim_mat_from_function(c->wide_mm, c->high_mm, 1.0, light_at, (void *)(uintptr_t)c);
    cmo_sim_mat_measure(mat, CMO_SIM_LINE);
    return mat;
}

double course_off(const course *c, double x, double y) {
    double off = INFINITY;
    for (unsigned i = 0; i < c->pieces; i++) {
        double here = beside(&c->piece[i], x, y) - EDGE_HALF_MM;
        off = fabs(here) < fabs(off) ? here : off;
    }
    return off;
}

lab_start edge_start(double x, double y, double a, const cmo_light_description *spot) {
    double ahead = (double)spot->ahead_mm;
    double left = (double)spot->left_mm;
    return (lab_start){x - ahead * cos(a) + left * sin(a), y - ahead * sin(a) - left * cos(a),
                       a * 180.0 / G_PI};
}

void edge_take_outcome(const lab_leg_result *result, outcome *out) {
    out->outcome = result->outcome;
    out->tried = result->outcome != CMO_OUTCOME_BAD_PARAMETER &&
                 result->outcome != CMO_OUTCOME_TOO_FAST &&
                 result->outcome != CMO_OUTCOME_LOW_CONTRAST;
}

// Its sensors' places are as far off what it believes of them as they were.
static lab_robot set_apart(const lab_robot *robot, double apart_mm) {
    lab_robot other = *robot;
    for (int n = 0; n < 2; n++) {
        double left = (n == 0 ? 0.5 : -0.5) * apart_mm;
        other.plant.sensor[n].left_mm += left - (double)other.description.light[n].left_mm;
        other.description.light[n].left_mm = (float)left;
    }
    return other;
}

void edge_follow(const population *c, unsigned i, const void *context, outcome *out) {
    const edge_trial *t = context;
    unsigned seed = t->round * c->n + i;
    lab_robot robot = *c->robot[i];
    if (t->apart_mm > 0.0) {
        robot = set_apart(&robot, t->apart_mm);
    }
    cmo_light_description place = robot.description.light[1];
    place.left_mm = t->apart_mm > 0.0 ? 0.0F : place.left_mm;
    lab_leg leg = {.routine = CMO_ROUTINE_FOLLOW_EDGE,
                   .parameters.follow_edge = {.edge = CMO_LINE_LEFT,
                                              .distance_mm = (float)t->way_mm,
                                              .cruise_mm_s = (float)t->cruise_mm_s,
                                              .least_width_mm = 15.0F,
                                              .tightest_mm = (float)t->course->tightest_mm,
                                              .too_fast = t->too_fast}};
    if (t->budgets > 0.0) {
        float tightest = (float)t->course->tightest_mm;
        float speed = (float)t->budgets * cmo_budget_follow(&robot.description, 1, tightest, false);
        if (speed <= robot.description.slowest_mm_s) { // no bend for this robot
            return;
        }
        leg.parameters.follow_edge.cruise_mm_s = fminf(speed, robot.description.top_speed_mm_s);
    }
    if (t->apart_mm > 0.0) {
        leg.parameters.follow_edge.edge = CMO_LINE_BOTH;
        leg.parameters.follow_edge.width_mm = (float)(2.0 * EDGE_HALF_MM);
    }
    lab_route *route = population_route(t->mat, &leg);
    double off = population_even(seed, "off", t->off_mm[0], t->off_mm[1]);
    double a =
        population_even(seed, "heading", t->heading_deg[0], t->heading_deg[1]) * G_PI / 180.0;
    if (t->beyond) {
        const cmo_light_description *light = robot.description.light;
        off = -off - 2.0 * EDGE_HALF_MM - (double)(light[0].left_mm - light[1].left_mm) * cos(a);
    }
    double edge = t->apart_mm > 0.0 ? 0.0 : EDGE_HALF_MM;
    // From beyond it steeply, the other spot is far behind, and is to go over the line all the
    // same.
    double along = t->beyond ? 200.0 : 60.0;
    lab_start start = edge_start(t->course->x + along, t->course->y + edge + off, a, &place);
    lab_run *run = lab_drive_from(route, &robot, &start, seed + 1, false);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    edge_take_outcome(result, out);
    const lab_figures *truth = &result->truth;
    if (result->outcome == CMO_OUTCOME_DONE) {
        out->value[EDGE_RMS] = truth->value[CMO_EDGE_RMS_MM];
        out->value[EDGE_WORST] = truth->value[CMO_EDGE_WORST_MM];
        out->value[EDGE_SPEED] = truth->value[CMO_MEAN_SPEED_MM_S];
    }
    if (truth->known & LAB_FIGURE_BIT(CMO_JOINED_MM)) {
        out->value[EDGE_JOINED] = truth->value[CMO_JOINED_MM];
    }
    lab_run_free(run);
    population_route_free(route);
}

void edge_run_all(const population *c, const void *given, unsigned runs, const char *name) {
    edge_trial t = *(const edge_trial *)given;
    rounds_sum *sum = rounds_run(c, edge_follow, &t, &t.round, runs);
    rounds_print_name(sum, name);
    printf("%8.1f%8.1f%8.1f%8.1f%8.1f", rounds_within(sum, EDGE_RMS, 0.95),
           rounds_within(sum, EDGE_WORST, 0.95), rounds_within(sum, EDGE_WORST, 1.0),
           rounds_within(sum, EDGE_SPEED, 0.5), rounds_within(sum, EDGE_JOINED, 0.95));
    rounds_print_outcomes(sum);
    rounds_free(sum);
}

unsigned edge_asked(int arguments, char **argument, unsigned *robots) {
    unsigned runs = arguments > 1 ? (unsigned)CLAMP(atoi(argument[1]), 10, 100000) : 1000U;
    *robots = arguments > 2 ? (unsigned)CLAMP(atoi(argument[2]), 20, 2000) : MIN(runs, 2000U);
    return runs;
}

void edge_print_head(const char *name, const char *how) {
    printf("%s%s\n%-34s%6s%6s%8s%8s%8s%8s%8s\n", name, how, "mm, 95 % within", "runs", "done",
           "rms", "worst", "of all", "mm/s", "joined");
}
