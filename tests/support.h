// SPDX-License-Identifier: GPL-3.0-or-later
// What the tests share: a robot, mats made of stripes, and a port without any physics.
#ifndef SUPPORT_H
#define SUPPORT_H

#include <cammino/cammino.h>
#include <cammino_lab/run.h>
#include <cammino_simulator/simulator.h>

#include <check.h>

// A robot like the demo's.
extern const cmo_robot_description plain_robot;
// The same with its spots so far to the side, tyres of 8 mm and a caster; 64 is further out than
// the tyres.
cmo_robot_description robot_with(float side_mm);
#define PLAIN_TRAITS                                                                               \
    (CMO_TRAIT_ENCODERS | CMO_TRAIT_LOOK_TIMES | CMO_TRAIT_SPEED | CMO_TRAIT_COAST |               \
     CMO_TRAIT_BRAKE | CMO_TRAIT_HOLD)

// A stripe across a plain mat of 2000 x 1000 mm: from x_mm on, turned about (x_mm, 500).
typedef struct stripe {
    double x_mm, width_mm, angle_deg;
    double luminance; // of the stripe; below 0: void
    cmo_sim_mark mark;
    double cosine, sine; // filled in by make_floor()
} stripe;

#define STRIPE(x, width, angle, light, kind)                                                       \
    { .x_mm = x, .width_mm = width, .angle_deg = angle, .luminance = light, .mark = kind }

typedef struct floor_plan {
    double luminance; // of the floor
    unsigned stripes;
    stripe stripe[4];
} floor_plan;

// At one pixel a millimetre, or as many as told.
cmo_sim_mat *make_floor(const floor_plan *plan);
cmo_sim_mat *make_fine_floor(const floor_plan *plan, double px_per_mm);

// A dark line of 20 mm, marked, at 700 mm.
extern const floor_plan one_line;

// The same with a dark strip before it, which is no line.
cmo_sim_mat *make_strip_and_line(double x_mm, double width_mm);

// A setup on that mat: start at (200, 500), no spreads, no faults, seed 1.
cmo_sim_setup plain_setup(const cmo_robot_description *description, uint16_t traits,
                          const cmo_sim_mat *mat);

// The same without losses: no friction, no drag, no play, no caster, no creep, a stiff battery.
cmo_sim_setup lossless_setup(uint16_t traits, const cmo_sim_mat *mat);

// The traits of a robot whose wheels take duty.
#define DUTY_TRAITS ((uint16_t)(PLAIN_TRAITS & ~CMO_TRAIT_SPEED))

// True speed now.
double speed_of(const cmo_sim *sim);

// Drives both wheels by this, for so long.
void drive_straight(cmo_sim *sim, double value, double ms);

// Levels that fit a setup's first sensor on a floor with these luminances.
cmo_levels fitting_levels(const cmo_sim_setup *setup, double dark, double light);

// A robot on a simulator, with levels for luminances 0.05 and 0.6.
typedef struct bench_robot {
    cmo_sim *sim;
    cmo_robot robot;
} bench_robot;

void start_bench(bench_robot *bench, const cmo_sim_setup *setup,
                 const cmo_robot_description *description);
void end_bench(bench_robot *bench);

// How far along x it truly goes from where it stands, by its trace from now on; below 0 is back.
typedef struct way_reached {
    cmo_sim *sim;
    double start_mm, least_mm, most_mm;
} way_reached;
void follow_reach(bench_robot *bench, way_reached *went);

// The first true crossing into a mark by a sensor; NULL: none.
const cmo_sim_crossing *find_crossing(const cmo_sim *sim, unsigned sensor, cmo_sim_mark mark);

double figure(const cmo_robot *robot, cmo_figure figure);

// A port whose inputs the test writes. Drive and halt are noted.
typedef struct paper_port {
    cmo_port port;
    uint32_t clock_us;
    cmo_sample sample;
    cmo_status answer; // of sample
    cmo_status drive_answer;
    cmo_status halt_answer;
    float left, right;
    unsigned drives, halts;
    cmo_halt last_halt;
    bool halted; // the last call that moves or halts was a halt that answered OK
} paper_port;

void start_paper(paper_port *paper, uint16_t traits);

// So many seeds, and each so manyth of a list of cases: under the sanitizers a few of them come by
// all that those can find.
#ifdef __SANITIZE_ADDRESS__
#define SEEDS(n) MIN(n, 1U)
#define EACH     3U
#else
#define SEEDS(n) (n)
#define EACH     1U
#endif

// Loads a route and its robot anew, with the mat of the last one that was loaded so where that is
// the same.
lab_route *load_like_last(const char *path, GError **error);
// One that has to be sound; and drives it, with what came of its first leg.
lab_route *load_sound(const char *path);
lab_run *drive_first(const lab_route *route, uint64_t seed, lab_leg_result *leg);

// Evenly from 0 to 1, the next of a series that begins with `state`; and the order of doubles.
double drawn_evenly(unsigned *state);
int by_value(const void *a, const void *b);

// Runs a test case's functions and returns the exit status.
int run_suite(const char *name, const TTest *const *tests);

#endif
