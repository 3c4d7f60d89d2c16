// SPDX-License-Identifier: GPL-3.0-or-later
#include "support.h"

#include <math.h>
#include <string.h>

const cmo_robot_description plain_robot = {
    .tick_us = 10000,
    .track_mm = 110,
    .left_step_mm = 0.5F,
    .right_step_mm = 0.5F,
    .encoder_bits = 16,
    .top_speed_mm_s = 700,
    .slowest_mm_s = 15,
    .acceleration_mm_s2 = 2000,
    .braking_mm_s2 = 3000,
    .lag_ms = 45,
    .lights = 2,
    .light = {{.ahead_mm = 70,
               .left_mm = 45,
               .spot_mm = 6,
               .delay_us = 10000,
               .interval_us = 10000,
               .counts_max = 1023},
              {.ahead_mm = 70,
               .left_mm = -45,
               .spot_mm = 6,
               .delay_us = 10000,
               .interval_us = 10000,
               .counts_max = 1023}},
};

cmo_robot_description robot_with(float side_mm) {
    cmo_robot_description d = plain_robot;
    d.tyre_mm = 8;
    d.rear_mm = 63;
    d.light[0].left_mm = side_mm;
    d.light[1].left_mm = -side_mm;
    return d;
}

const floor_plan one_line = {0.6, 1, {{.x_mm = 700, .width_mm = 20, .luminance = 0.05}}};

static double floor_light(void *data, double x_mm, double y_mm, unsigned *marks) {
    const floor_plan *plan = data;
    double light = plan->luminance;
    for (unsigned i = 0; i < plan->stripes; i++) {
        const stripe *s = &plan->stripe[i];
        double across = (x_mm - s->x_mm) * s->cosine + (y_mm - 500.0) * s->sine;
        if (across >= 0.0 && across < s->width_mm) {
            *marks |= 1U << (s->luminance < 0.0 ? CMO_SIM_VOID : s->mark);
            light = fmax(s->luminance, 0.0);
        }
    }
    return light;
}

cmo_sim_mat *make_fine_floor(const floor_plan *plan, double px_per_mm) {
    floor_plan copy = *plan;
    for (unsigned i = 0; i < copy.stripes; i++) {
        copy.stripe[i].cosine = cos(copy.stripe[i].angle_deg * G_PI / 180.0);
        copy.stripe[i].sine = sin(copy.stripe[i].angle_deg * G_PI / 180.0);
    }
    return cmo_sim_mat_from_function(2000, 1000, px_per_mm, floor_light, &copy);
}

cmo_sim_mat *make_floor(const floor_plan *plan) {
    return make_fine_floor(plan, 1.0);
}

cmo_sim_mat *make_strip_and_line(double x_mm, double width_mm) {
    floor_plan plan = {0.6,
                       2,
                       {STRIPE(x_mm, width_mm, 0, 0.05, CMO_SIM_DECORATION),
                        STRIPE(700, 20, 0, 0.05, CMO_SIM_LINE)}};
    return make_floor(&plan);
}

cmo_sim_setup plain_setup(const cmo_robot_description *description, uint16_t traits,
                          const cmo_sim_mat *mat) {
    cmo_sim_setup setup = {.traits = traits, .mat = mat, .x_mm = 200, .y_mm = 500, .seed = 1};
    cmo_sim_plant_default(&setup.plant, description);
    cmo_sim_faults_none(&setup.faults);
    setup.plant.wheel_spread = setup.plant.place_spread_mm = setup.plant.delay_spread_ms = 0.0;
    setup.plant.strength_spread = setup.plant.gain_spread = 0.0;
    return setup;
}

cmo_sim_setup lossless_setup(uint16_t traits, const cmo_sim_mat *mat) {
    cmo_sim_setup setup = plain_setup(&plain_robot, traits, mat);
    cmo_sim_plant *p = &setup.plant;
    p->tyre_creep = p->drag_m_s2 = p->caster_scrub_n = p->gear_play_mm = p->dead_mm_s = 0.0;
    p->battery_sag = p->command_delay_ms = p->caster_trail_mm = 0.0;
    p->regulator_slowest_mm_s = p->regulator_step_mm_s = 0.0;
    p->grip_m_s2 = 20.0;
    return setup;
}

double speed_of(const cmo_sim *sim) {
    return cmo_sim_truth_now(sim).speed_mm_s;
}

void drive_straight(cmo_sim *sim, double value, double ms) {
    const cmo_port *port = cmo_sim_port(sim);
    ck_assert_int_eq(port->drive(port->context, (float)value, (float)value, 60000000U), CMO_OK);
    cmo_sim_pass(sim, ms);
}

cmo_levels fitting_levels(const cmo_sim_setup *setup, double dark, double light) {
    const cmo_sim_light *sensor = &setup->plant.sensor[0];
    double ambient = 1.0 + sensor->ambient_share * setup->plant.ambient;
    double span = (sensor->white_counts - sensor->black_counts) * ambient;
    cmo_levels levels = {
        .dark = (uint16_t)(sensor->black_counts + span * dark + 0.5),
        .light = (uint16_t)(sensor->black_counts + span * light + 0.5),
        .void_counts = (uint16_t)sensor->black_counts,
        .noise = (uint16_t)(fabs(span) * sensor->noise + 0.5),
    };
    return levels;
}

void start_bench(bench_robot *bench, const cmo_sim_setup *setup,
                 const cmo_robot_description *description) {
    bench->sim = cmo_sim_new(setup);
    ck_assert_int_eq(cmo_robot_start(&bench->robot, description, cmo_sim_port(bench->sim)),
                     CMO_OUTCOME_DONE);
    cmo_levels levels = fitting_levels(setup, 0.05, 0.6);
    for (uint8_t i = 0; i < description->lights; i++) {
        ck_assert_int_eq(cmo_robot_set_levels(&bench->robot, i, &levels), CMO_OUTCOME_DONE);
    }
}

void end_bench(bench_robot *bench) {
    cmo_sim_free(bench->sim);
}

static void reach_on(void *context, const cmo_trace_row *row) {
    (void)row;
    way_reached *went = context;
    double x = cmo_sim_truth_now(went->sim).x_mm - went->start_mm;
    went->least_mm = fmin(went->least_mm, x);
    went->most_mm = fmax(went->most_mm, x);
}

void follow_reach(bench_robot *bench, way_reached *went) {
    *went = (way_reached){.sim = bench->sim, .start_mm = cmo_sim_truth_now(bench->sim).x_mm};
    cmo_robot_set_trace(&bench->robot, reach_on, went);
}

const cmo_sim_crossing *find_crossing(const cmo_sim *sim, unsigned sensor, cmo_sim_mark mark) {
    size_t count;
    const cmo_sim_crossing *crossings = cmo_sim_crossings(sim, &count);
    for (size_t i = 0; i < count; i++) {
        if (crossings[i].sensor == sensor && crossings[i].mark == mark && crossings[i].entering) {
            return &crossings[i];
        }
    }
    return NULL;
}

double figure(const cmo_robot *robot, cmo_figure wanted) {
    ck_assert_msg(robot->report.present & CMO_FIGURE_BIT(wanted), "%s is missing",
                  cmo_figure_name(wanted));
    return (double)robot->report.figure[wanted];
}

// ---------------------------------------------------------------------------------- paper port --

static uint32_t paper_clock(void *context) {
    return ((paper_port *)context)->clock_us;
}

static void paper_wait(void *context, uint32_t until_us) {
    ((paper_port *)context)->clock_us = until_us;
}

static cmo_status paper_sample(void *context, cmo_sample *sample) {
    paper_port *paper = context;
    *sample = paper->sample;
    sample->encoders.time_us = paper->clock_us;
    return paper->answer;
}

static cmo_status paper_drive(void *context, float left, float right, uint32_t lifetime_us) {
    paper_port *paper = context;
    ck_assert_uint_gt(lifetime_us, 0);
    paper->left = left;
    paper->right = right;
    paper->drives++;
    paper->halted = false;
    return paper->drive_answer;
}

static cmo_status paper_halt(void *context, cmo_halt how) {
    paper_port *paper = context;
    paper->halts++;
    paper->last_halt = how;
    paper->halted = paper->halt_answer == CMO_OK;
    return paper->halt_answer;
}

void start_paper(paper_port *paper, uint16_t traits) {
    memset(paper, 0, sizeof *paper);
    paper->port = (cmo_port){.context = paper,
                             .traits = traits,
                             .clock = paper_clock,
                             .wait = paper_wait,
                             .sample = paper_sample,
                             .drive = paper_drive,
                             .halt = paper_halt};
    paper->sample.have = CMO_HAVE_ENCODERS;
}

int run_suite(const char *name, const TTest *const *tests) {
    Suite *suite = suite_create(name);
    TCase *test_case = tcase_create(name);
    for (; *tests != NULL; tests++) {
        tcase_add_test(test_case, *tests);
    }
    suite_add_tcase(suite, test_case);
    SRunner *runner = srunner_create(suite);
    srunner_run_all(runner, CK_NORMAL);
    int failed = srunner_ntests_failed(runner);
    srunner_free(runner);
    return failed == 0 ? 0 : 1;
}

lab_route *load_like_last(const char *path, GError **error) {
    static lab_route *last;
    lab_route *route = lab_route_load_changed(path, NULL, 1, NULL, last, error);
    if (route != NULL && (last == NULL || strcmp(path, last->path) != 0)) {
        lab_route_free(last);
        last = lab_route_load_changed(path, NULL, 1, NULL, route, error);
    }
    return route;
}

lab_route *load_sound(const char *path) {
    GError *error = NULL;
    lab_route *route = load_like_last(path, &error);
    ck_assert_msg(route != NULL, "%s", error != NULL ? error->message : "");
    ck_assert(lab_check(route, &error));
    return route;
}

lab_run *drive_first(const lab_route *route, uint64_t seed, lab_leg_result *leg) {
    lab_run *run = lab_drive(route, seed);
    *leg = g_array_index(run->legs, lab_leg_result, 0);
    return run;
}

double drawn_evenly(unsigned *state) {
    *state = *state * 1664525U + 1013904223U;
    return (double)(*state >> 8) / 16777216.0;
}

int by_value(const void *a, const void *b) {
    double first = *(const double *)a;
    double second = *(const double *)b;
    return (first > second) - (first < second);
}
