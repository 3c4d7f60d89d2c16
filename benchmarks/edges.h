// SPDX-License-Identifier: GPL-3.0-or-later
// Courses along a line of 20 mm, straights and bends end to end, and runs along its left edge.
#ifndef EDGES_H
#define EDGES_H

#include "rounds.h"

#define EDGE_HALF_MM 10.0 // of the line
#define EDGE_PIECES  12

typedef struct piece {
    double x, y, heading; // where it begins
    double length_mm, radius_mm;
} piece;

typedef struct course {
    unsigned pieces;
    double x, y;
    double wide_mm, high_mm, tightest_mm;
    double way_mm; // to drive along it
    piece piece[EDGE_PIECES];
} course;

// Bends of 250 mm between straights, for three metres.
course course_of_bends(void);
course course_straight(void);
// S-bends, from one bend into its opposite.
course course_of_s_bends(double radius_mm, unsigned count);

// Of a course that stays where it is. The mat is the caller's to free.
cmo_sim_mat *course_mat(const course *c);

// How far to the left of the left edge a place lies.
double course_off(const course *c, double x, double y);

// The right spot at a place, at an angle.
lab_start edge_start(double x, double y, double angle_rad, const cmo_light_description *spot);

// What became of a leg. A robot that cannot do it at all has not tried.
void edge_take_outcome(const lab_leg_result *result, outcome *out);

typedef struct edge_trial {
    unsigned round;
    const course *course;
    const cmo_sim_mat *mat;
    double way_mm, cruise_mm_s;
    double budgets; // not 0: its cruise is so many times what each robot's own budget says
    cmo_too_fast too_fast;
    double off_mm[2], heading_deg[2]; // of the spot to the left of the edge; of the robot to it
    bool beyond; // off_mm is how far the other spot is from the line, on its other side
    double
        apart_mm; // not 0: astride, with the sensors so far apart, and the middle between them off
} edge_trial;

// A trial's values, all true.
enum { EDGE_RMS, EDGE_WORST, EDGE_SPEED, EDGE_JOINED };
void edge_follow(const population *c, unsigned i, const void *context, outcome *out);

// So many of them, in one line of a table; `trial` is an edge_trial.
void edge_run_all(const population *c, const void *trial, unsigned runs, const char *name);
// [RUNS [ROBOTS]] of a call: runs, and of how many robots the fleet is. Without that each run is
// one of its own; what fewer drive a second time, they drive by the levels of another one of their
// kind.
unsigned edge_asked(int arguments, char **argument, unsigned *robots);
void edge_print_head(const char *name, const char *how);

#endif
