// SPDX-License-Identifier: GPL-3.0-or-later
// Edges of surfaces, look by look: a round spot over a floor that is known exactly.
#include "support.h"

#include <math.h>
#include <string.h>

#define SPOT_MM 6.0
#define EVENTS  8

enum { DECK = 1, RED, BLUE, GREY, SURFACES = GREY };
#define NONE 9 // of no surface that was taught

static const uint16_t colours[10][CMO_COLOURS] = {[DECK] = {480, 580, 500},
                                                  [RED] = {240, 110, 105},
                                                  [BLUE] = {100, 125, 210},
                                                  [GREY] = {360, 345, 302}, // from deck to red
                                                  [NONE] = {150, 420, 150}};

// What lies on the floor: from a place on, a surface.
typedef struct piece {
    double from_mm;
    int surface;
} piece;

typedef struct event {
    double way_mm;
    bool entering;
    int look;  // after which it was told
    double ms; // when it was crossed
} event;

typedef struct pass {
    paper_port paper;
    cmo_robot_description description;
    cmo_robot robot;
    cmo_line_state state;
    cmo_surfaces surfaces;
    const piece *floor;
    double brightness;
    int odd_look; // reads as nothing does; 0: none
    int looks;
    int events;
    event event[EVENTS];
} pass;

// Share of the spot that lies before a place, its middle so far beyond that.
static double before(double beyond_mm) {
    double u = -beyond_mm / (0.5 * SPOT_MM);
    return u <= -1.0 ? 0.0 : u >= 1.0 ? 1.0 : 0.5 + (u * sqrt(1.0 - u * u) + asin(u)) / acos(-1.0);
}

static double reading(const pass *p, double way_mm, int channel) {
    double sum = 0.0;
    for (int i = 0; p->floor[i].surface != 0; i++) {
        double from = i == 0 ? 0.0 : before(way_mm - p->floor[i].from_mm);
        double to = p->floor[i + 1].surface == 0 ? 1.0 : before(way_mm - p->floor[i + 1].from_mm);
        sum += (to - from) * colours[p->floor[i].surface][channel];
    }
    return p->brightness * sum;
}

static void begin(pass *p, const piece *floor, uint8_t target) {
    memset(p, 0, sizeof *p);
    p->floor = floor;
    p->brightness = 1.0;
    p->description = plain_robot;
    p->description.left_step_mm = p->description.right_step_mm = 0.01F;
    for (int i = 0; i < 2; i++) {
        p->description.light[i].delay_us = 0;
        p->description.light[i].colour = true;
    }
    start_paper(&p->paper, PLAIN_TRAITS);
    ck_assert_int_eq(cmo_robot_start(&p->robot, &p->description, &p->paper.port), CMO_OUTCOME_DONE);
    cmo_levels levels = {100, 600, CMO_LEVEL_UNKNOWN, 5, 0, 0};
    cmo_surfaces_clear(&p->surfaces);
    p->surfaces.count = SURFACES;
    for (int i = 0; i < SURFACES; i++) {
        for (int n = 0; n < 2; n++) {
            cmo_shade *shade = &p->surfaces.shade[i][n];
            *shade = (cmo_shade){.counts = colours[i + 1][1], .spread = 6};
            memcpy(shade->colour, colours[i + 1], sizeof shade->colour);
        }
    }
    for (uint8_t n = 0; n < 2; n++) {
        cmo_robot_set_levels(&p->robot, n, &levels);
    }
    ck_assert_int_eq(cmo_robot_set_surfaces(&p->robot, &p->surfaces), CMO_OUTCOME_DONE);
    cmo_line_parameters line = {
        .surface = target, .sensor = CMO_SENSOR_LEFT, .cruise_mm_s = 100, .longest_mm = 5000};
    ck_assert_int_eq(cmo_drive_until_line_start(&p->robot, &p->state, &line), CMO_RUNNING);
}

// One look, with the spot at a place.
static void look(pass *p, double way_mm) {
    cmo_look next = {.counts = (uint16_t)lrint(reading(p, way_mm, 1)),
                     .sequence = (uint8_t)++p->looks};
    for (int c = 0; c < CMO_COLOURS; c++) {
        next.colour[c] =
            (uint16_t)(p->looks == p->odd_look ? 900 - 400 * c : lrint(reading(p, way_mm, c)));
    }
    p->paper.clock_us += 10000;
    next.time_us = p->paper.clock_us;
    p->paper.sample.encoders.time_us = p->paper.clock_us;
    p->paper.sample.encoders.left = p->paper.sample.encoders.right =
        (uint32_t)(int32_t)lrint(100.0 * way_mm);
    for (int n = 0; n < 2; n++) {
        p->paper.sample.light[n].looks = 1;
        p->paper.sample.light[n].look[0] = next;
    }
    cmo_tick(&p->robot);
    const cmo_light *light = &p->robot.light[0];
    for (uint8_t i = 0; i < light->crossings && p->events < EVENTS; i++) {
        p->event[p->events++] =
            (event){(double)light->crossing[i].way_mm, light->crossing[i].entering, p->looks,
                    light->crossing[i].time_us / 1000.0};
    }
}

static void go(pass *p, double from_mm, double to_mm, double step_mm) {
    double sign = to_mm < from_mm ? -1.0 : 1.0;
    for (double way = from_mm; sign * (to_mm - way) >= 0.0; way += sign * step_mm) {
        look(p, way);
    }
}

#define ASSERT_EVENT(p, i, place, goes_in, within)                                                 \
    do {                                                                                           \
        ck_assert_int_gt((p)->events, i);                                                          \
        ck_assert_int_eq((p)->event[i].entering, goes_in);                                         \
        ck_assert_double_eq_tol((p)->event[i].way_mm, place, within);                              \
    } while (0)

// Where the surface beside is not known, an edge lies by where readings begin to be of the next
// one, which is between two looks.
#define BY_RUN(step) (0.8 + 0.5 * (step))

static const piece red_line[] = {{0, DECK}, {100, RED}, {130, DECK}, {0, 0}};

START_TEST(an_edge_is_placed_by_how_much_the_spot_covers) {
    for (double step = 0.3; step < 5.0; step += 0.37) {
        pass p;
        begin(&p, red_line, RED);
        go(&p, 0, 170, step);
        ASSERT_EVENT(&p, 0, 100, true, 0.3);
        ASSERT_EVENT(&p, 1, 130, false, 0.3);
        ck_assert_int_eq(p.events, 2);
    }
}
END_TEST

START_TEST(another_light_moves_no_edge) {
    for (double brightness = 0.82; brightness < 1.2; brightness += 0.09) {
        for (double step = 0.4; step < 4.0; step += 0.7) {
            pass p;
            begin(&p, red_line, RED);
            p.brightness = brightness;
            p.surfaces.change = 0.2F;
            cmo_surfaces_weigh(&p.surfaces, 0, true, &p.robot.light[0].levels);
            go(&p, 0, 170, step);
            ASSERT_EVENT(&p, 0, 100, true, 0.4);
            ASSERT_EVENT(&p, 1, 130, false, 0.4);
        }
    }
}
END_TEST

START_TEST(one_look_that_tells_something_else_is_noise) {
    for (double step = 2.0; step < 4.6; step += 0.6) {
        for (int odd = (int)(104.0 / step) + 2; odd < (int)(126.0 / step); odd++) {
            pass p;
            begin(&p, red_line, RED);
            p.odd_look = odd;
            go(&p, 0, 170, step);
            ASSERT_EVENT(&p, 0, 100, true, 0.4);
            ASSERT_EVENT(&p, 1, 130, false, 0.4);
            ck_assert_int_eq(p.events, 2);
        }
    }
}
END_TEST

START_TEST(what_is_passed_on_the_way_to_another_surface_is_none) {
    // Grey lies just between deck and red: going over to red, the spot reads it for a while.
    for (double step = 0.2; step < 4.0; step += 0.31) {
        pass p;
        begin(&p, red_line, GREY);
        go(&p, 0, 170, step);
        ck_assert_int_eq(p.events, 0);
        begin(&p, red_line, RED);
        go(&p, 0, 170, step);
        ASSERT_EVENT(&p, 0, 100, true, 0.3);
    }
    // And where it is grey, it is.
    static const piece grey_line[] = {{0, DECK}, {100, GREY}, {130, DECK}, {0, 0}};
    pass p;
    begin(&p, grey_line, GREY);
    go(&p, 0, 170, 1.3);
    ASSERT_EVENT(&p, 0, 100, true, 0.4);
    ASSERT_EVENT(&p, 1, 130, false, 0.4);
}
END_TEST

START_TEST(surfaces_that_meet_have_an_edge_between_them) {
    static const piece flag[] = {{0, DECK}, {100, RED}, {130, BLUE}, {160, DECK}, {0, 0}};
    for (double step = 0.5; step < 4.0; step += 0.7) {
        pass p;
        begin(&p, flag, BLUE); // from red, which has lasted
        go(&p, 0, 200, step);
        ASSERT_EVENT(&p, 0, 130, true, 0.3);
        // What comes then is not what was before: a mixture with it is not quite off their line.
        ASSERT_EVENT(&p, 1, 160, false, BY_RUN(step) + 1.0);
        begin(&p, flag, RED);
        go(&p, 0, 200, step);
        ASSERT_EVENT(&p, 0, 100, true, 0.3);
        ASSERT_EVENT(&p, 1, 130, false, BY_RUN(step));
        ck_assert_int_eq(p.events, 2);
    }
}
END_TEST

START_TEST(from_a_floor_that_nobody_has_taught_it_is_met_all_the_same) {
    static const piece strange[] = {{0, NONE}, {100, RED}, {130, NONE}, {0, 0}};
    for (double step = 0.5; step < 4.0; step += 0.7) {
        pass p;
        begin(&p, strange, RED);
        go(&p, 0, 170, step);
        ASSERT_EVENT(&p, 0, 100, true, BY_RUN(step));
        ASSERT_EVENT(&p, 1, 130, false, BY_RUN(step));
        ck_assert_int_eq(p.events, 2);
    }
}
END_TEST

START_TEST(an_edge_that_is_known_tells_at_once) {
    for (double step = 0.2; step < 2.0; step += 0.3) {
        pass p;
        begin(&p, red_line, RED);
        go(&p, 0, 115, step);
        ASSERT_EVENT(&p, 0, 100, true, 0.3);
        ck_assert_int_gt(p.event[0].look, (int)(103.0 / step)); // it had to last
        // Back over it, as far as to stand on the deck with the edge still near, and in again.
        int turned = p.looks;
        go(&p, 115, 97, step);
        ASSERT_EVENT(&p, 1, 100, false, 0.3);
        ck_assert_int_le(p.event[1].look - turned, (int)(16.5 / step) + 2);
        turned = p.looks;
        go(&p, 97, 115, step);
        ASSERT_EVENT(&p, 2, 100, true, 0.3);
        ck_assert_int_le(p.event[2].look - turned, (int)(4.5 / step) + 2);
        ck_assert_int_eq(p.events, 3);
        // Far over the other edge it has to last anew: something else might lie there.
        go(&p, 115, 160, step);
        ASSERT_EVENT(&p, 3, 130, false, 0.3);
        turned = p.looks;
        go(&p, 160, 115, step);
        ASSERT_EVENT(&p, 4, 130, true, 0.3);
        ck_assert_int_ge(p.event[4].look - turned, (int)(33.0 / step));
    }
}
END_TEST

START_TEST(an_edge_that_is_met_again_has_its_own_time) {
    for (double step = 0.5; step < 3.0; step += 0.6) {
        pass p;
        begin(&p, red_line, RED);
        go(&p, 0, 115, step);
        go(&p, 115, 80, step); // the deck lasts
        double turned = p.paper.clock_us / 1000.0;
        go(&p, 80, 115, step);
        ASSERT_EVENT(&p, 0, 100, true, 0.3);
        ck_assert_double_eq_tol(p.event[0].ms, 10.0 * (100.0 / step + 1.0), 6.0);
        ASSERT_EVENT(&p, 2, 100, true, 0.3);
        ck_assert_double_eq_tol(p.event[2].ms - turned, 10.0 * (20.0 / step + 1.0), 6.0);
    }
}
END_TEST

START_TEST(it_knows_what_it_stands_on_from_the_start) {
    pass p;
    begin(&p, red_line, RED);
    for (int i = 0; i < 30; i++) {
        look(&p, 115);
    }
    ck_assert_uint_eq(cmo_surface_under(&p.robot, 0), RED);
    ck_assert_uint_eq(cmo_surface_under(&p.robot, CMO_LIGHTS_MAX), 0);
    begin(&p, red_line, RED); // it has not stood there before: that is how it comes onto it
    ck_assert_int_eq(p.events, 0);
    go(&p, 0, 60, 1.0);
    ck_assert_uint_eq(cmo_surface_under(&p.robot, 0), DECK);
    go(&p, 60, 115, 1.0);
    ck_assert_uint_eq(cmo_surface_under(&p.robot, 0), RED);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {an_edge_is_placed_by_how_much_the_spot_covers,
                                  another_light_moves_no_edge,
                                  one_look_that_tells_something_else_is_noise,
                                  what_is_passed_on_the_way_to_another_surface_is_none,
                                  surfaces_that_meet_have_an_edge_between_them,
                                  from_a_floor_that_nobody_has_taught_it_is_met_all_the_same,
                                  an_edge_that_is_known_tells_at_once,
                                  an_edge_that_is_met_again_has_its_own_time,
                                  it_knows_what_it_stands_on_from_the_start,
                                  NULL};
    return run_suite("surface_edges", tests);
}
