// SPDX-License-Identifier: GPL-3.0-or-later
// Two sensors tell a line from what only one of them meets.
#include "support.h"

#include <glib.h>
#include <math.h>

// A bar of dark print about a place, turned from the way; two dark fields side by side, from 560 mm
// on; and a line across at 900 mm, turned, which may end at a place.
typedef struct bar {
    double x_mm, y_mm, long_mm, wide_mm, angle_deg;
    double left_mm, right_mm, later_mm; // how long the fields are, and by how much one begins later
    double line_deg, line_from_y_mm;
    double cosine, sine, line_cosine, line_sine; // filled in by make_mat()
} bar;

#define LINE_X_MM 900.0
#define LINE_MM   22.0

static double light_at(void *data, double x_mm, double y_mm, unsigned *marks) {
    const bar *b = data;
    double across = (x_mm - LINE_X_MM) * b->line_cosine + (y_mm - 500.0) * b->line_sine;
    if (across >= 0.0 && across < LINE_MM && y_mm >= b->line_from_y_mm) {
        *marks = 1U << CMO_SIM_LINE;
        return 0.05;
    }
    double x = x_mm - b->x_mm;
    double y = y_mm - b->y_mm;
    bool on = fabs(x * b->cosine + y * b->sine) < 0.5 * b->long_mm &&
              fabs(y * b->cosine - x * b->sine) < 0.5 * b->wide_mm;
    double in = x_mm - 560.0 - (y_mm < 500.0 ? b->later_mm : 0.0);
    on = on || (in >= 0.0 && in < (y_mm < 500.0 ? b->right_mm : b->left_mm));
    *marks = on ? 1U << CMO_SIM_DECORATION : 0U;
    return on ? 0.05 : 0.6;
}

static cmo_sim_mat *make_mat(const bar *b) {
    bar copy = *b;
    double angle = b->angle_deg * G_PI / 180.0;
    double turn = b->line_deg * G_PI / 180.0;
    copy.cosine = cos(angle);
    copy.sine = sin(angle);
    copy.line_cosine = cos(turn);
    copy.line_sine = sin(turn);
    return cmo_sim_mat_from_function(1300, 700, 1, light_at, &copy);
}

typedef struct drive {
    cmo_sim_mat *mat;
    bench_robot bench;
    double off_mm; // middle of the spots beyond the near edge
} drive;

static const cmo_line_parameters usual = {
    .cruise_mm_s = 300, .least_width_mm = 20, .longest_mm = 900, .rest = CMO_REST_NEAR_EDGE};

static drive prepare(const bar *b, double grip_m_s2) {
    drive d = {.mat = make_mat(b)};
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, d.mat);
    setup.plant.grip_m_s2 = grip_m_s2 > 0.0 ? grip_m_s2 : setup.plant.grip_m_s2;
    start_bench(&d.bench, &setup, &plain_robot);
    return d;
}

static void end(drive *d) {
    end_bench(&d->bench);
    cmo_sim_mat_free(d->mat);
}

static void look_where_it_is(drive *d, const bar *b) {
    cmo_sim_truth now = cmo_sim_truth_now(d->bench.sim);
    double x[2], y[2];
    for (unsigned i = 0; i < 2; i++) {
        cmo_sim_spot(d->bench.sim, &now, i, &x[i], &y[i]);
    }
    double turn = b->line_deg * G_PI / 180.0;
    d->off_mm =
        (0.5 * (x[0] + x[1]) - LINE_X_MM) * cos(turn) + (0.5 * (y[0] + y[1]) - 500.0) * sin(turn);
}

static drive stop(const bar *b, const cmo_line_parameters *p, cmo_outcome expected) {
    drive d = prepare(b, 0.0);
    ck_assert_int_eq(cmo_stop_on_line(&d.bench.robot, p), expected);
    look_where_it_is(&d, b);
    return d;
}

// Under the left sensor, which runs at y = 545: a rim of 4.5 mm that lies nearly along the way
// lasts as long as a line does.
START_TEST(a_rim_that_one_sensor_drives_along_is_no_line) {
    for (int angle = 3; angle <= 15; angle += 3) {
        bar rim = {.x_mm = 550, .y_mm = 545, .long_mm = 220, .wide_mm = 4.5, .angle_deg = angle};
        for (int speed = 100; speed <= 500; speed += 200) {
            cmo_line_parameters p = usual;
            p.cruise_mm_s = (float)speed;
            drive d = stop(&rim, &p, CMO_OUTCOME_DONE);
            const cmo_report *report = &d.bench.robot.report;
            ck_assert_msg(fabs(d.off_mm) < 1.5, "%d degrees, %d mm/s: %g", angle, speed, d.off_mm);
            ck_assert_float_ge(report->figure[CMO_PASSED_OVER], 1.0F);
            ck_assert_int_eq(report->passed_sensor, 0);
            if (4.5 / sin(angle * G_PI / 180.0) > 30.0) { // longer than a line is wide
                ck_assert_int_eq(report->passed_reason, CMO_PASSED_ONE_SIDED);
            }
            end(&d);
        }
    }
}
END_TEST

START_TEST(a_patch_under_one_sensor_is_no_line) {
    bar patch = {.x_mm = 560, .y_mm = 460, .long_mm = 60, .wide_mm = 60};
    for (int kind = 0; kind < 3; kind++) {
        drive d = prepare(&patch, 0.0);
        cmo_robot *robot = &d.bench.robot;
        cmo_square_on_line_parameters square = {CMO_LINE_PARAMETERS(CMO_AS_IN, &usual)};
        cmo_line_parameters seek = usual;
        seek.rest = CMO_REST_HALTED;
        cmo_outcome outcome = kind == 0   ? cmo_square_on_line(robot, &square)
                              : kind == 1 ? cmo_drive_until_line(robot, &seek)
                                          : cmo_stop_on_line(robot, &seek);
        ck_assert_int_eq(outcome, CMO_OUTCOME_DONE);
        ck_assert_float_eq(robot->report.figure[CMO_PASSED_OVER], 1.0F);
        ck_assert_int_eq(robot->report.passed_reason, CMO_PASSED_ONE_SIDED);
        ck_assert_int_eq(robot->report.passed_sensor, 1);
        ck_assert_float_eq_tol(robot->report.passed_at_mm, 530.0F - 270.0F, 2.0F);
        ck_assert_float_eq_tol(robot->report.passed_width_mm, 60.0F, 6.0F);
        ck_assert_float_eq_tol(robot->report.crossing_mm, (float)LINE_X_MM - 270.0F, 3.0F);
        end(&d);
    }
}
END_TEST

START_TEST(a_line_is_met_at_any_angle_up_to_the_stated_one) {
    double squares = 0;
    for (int angle = -44; angle <= 44; angle += 11) {
        bar none = {.line_deg = angle};
        drive d = stop(&none, &usual, CMO_OUTCOME_DONE);
        squares += d.off_mm * d.off_mm;
        ck_assert_msg(fabs(d.off_mm) < 1.0, "%d degrees: %g", angle, d.off_mm);
        ck_assert_float_eq(d.bench.robot.report.figure[CMO_PASSED_OVER], 0.0F);
        end(&d);
    }
    ck_assert_double_lt(sqrt(squares / 9.0), 0.7);
    bar steep = {.line_deg = 60};
    drive d = stop(&steep, &usual, CMO_OUTCOME_NO_LINE);
    ck_assert_int_eq(d.bench.robot.report.passed_reason, CMO_PASSED_ONE_SIDED);
    end(&d);
    cmo_line_parameters p = usual;
    p.largest_entry_deg = 65;
    d = stop(&steep, &p, CMO_OUTCOME_DONE);
    end(&d);
    bar slight = {.line_deg = 25};
    p.largest_entry_deg = 10;
    d = stop(&slight, &p, CMO_OUTCOME_NO_LINE);
    end(&d);
}
END_TEST

START_TEST(a_lines_end_needs_one_sensor_where_that_is_said) {
    bar half = {.line_from_y_mm = 500};
    drive d = stop(&half, &usual, CMO_OUTCOME_NO_LINE);
    ck_assert_int_eq(d.bench.robot.report.passed_reason, CMO_PASSED_ONE_SIDED);
    ck_assert_int_eq(d.bench.robot.report.passed_sensor, 0);
    end(&d);
    cmo_line_parameters p = usual;
    p.largest_entry_deg = 90;
    d = stop(&half, &p, CMO_OUTCOME_DONE);
    ck_assert_double_lt(fabs(d.off_mm), 1.0);
    end(&d);
    p = usual;
    p.sensor = CMO_SENSOR_LEFT; // nobody else is asked
    d = stop(&half, &p, CMO_OUTCOME_DONE);
    ck_assert_double_lt(fabs(d.off_mm), 1.0);
    end(&d);
}
END_TEST

// At 25 degrees the right sensor comes to the line 38 mm before the left one.
START_TEST(what_one_sensor_met_within_the_blind_distance_counts_for_the_other) {
    bar turned = {.line_deg = -25};
    for (int blind = 615; blind <= 645; blind += 10) {
        cmo_line_parameters p = usual;
        p.blind_mm = (float)blind;
        p.longest_mm = 1200;
        drive d = stop(&turned, &p, CMO_OUTCOME_DONE);
        ck_assert_float_gt(d.bench.robot.report.crossing_mm, (float)blind - 3.0F);
        end(&d);
    }
}
END_TEST

START_TEST(a_sensor_that_stands_on_the_line_from_the_start_counts_for_the_other) {
    bar turned = {.line_deg = -10};
    drive d = {.mat = make_mat(&turned)};
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, d.mat);
    // The right spot within the line, the left one before it.
    setup.x_mm = LINE_X_MM + (500.0 - 455.0) * tan(-10.0 * G_PI / 180.0) + 1.0 - 70.0;
    start_bench(&d.bench, &setup, &plain_robot);
    ck_assert_int_eq(cmo_stop_on_line(&d.bench.robot, &usual), CMO_OUTCOME_DONE);
    ck_assert_int_eq(d.bench.robot.report.sensor, 0);
    ck_assert_float_lt(d.bench.robot.report.crossing_mm, 20.0F);
    end(&d);
}
END_TEST

// A hatch's corner: both meet its front rim, and one goes on along its side. And two things that
// are met one after the other.
START_TEST(what_is_wide_under_one_sensor_alone_is_no_line) {
    static const struct {
        bar fields;
        bool line;
    } cases[] = {{{.left_mm = 60, .right_mm = 10}, false},
                 {{.left_mm = 60, .right_mm = 22}, true},
                 {{.left_mm = 60, .right_mm = 15, .later_mm = 40}, false},
                 {{.left_mm = 25, .right_mm = 25, .later_mm = 40}, true}};
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        drive d = stop(&cases[i].fields, &usual, CMO_OUTCOME_DONE);
        ck_assert_msg((d.off_mm < -50.0) == cases[i].line, "case %zu: %g", i, d.off_mm);
        end(&d);
    }
}
END_TEST

// What a routine that looks for the line has crossed; it is done.
static const cmo_report *find(drive *d, int kind, const cmo_line_parameters *p) {
    cmo_robot *robot = &d->bench.robot;
    cmo_square_on_line_parameters square = {CMO_LINE_PARAMETERS(CMO_AS_IN, p)};
    cmo_count_lines_parameters count = {CMO_LINE_PARAMETERS(CMO_AS_IN, p).number = 1,
                                        .sensor = p->sensor};
    cmo_line_parameters seek = *p;
    seek.rest = CMO_REST_HALTED;
    cmo_outcome outcome = kind == 0   ? cmo_stop_on_line(robot, p)
                          : kind == 1 ? cmo_stop_on_line(robot, &seek)
                          : kind == 2 ? cmo_drive_until_line(robot, &seek)
                          : kind == 3 ? cmo_count_lines(robot, &count)
                                      : cmo_square_on_line(robot, &square);
    ck_assert_msg(outcome == CMO_OUTCOME_DONE, "%d: %s", kind, cmo_outcome_name(outcome));
    return &robot->report;
}

START_TEST(a_field_is_no_line_where_a_lines_most_width_is_known) {
    static const bar fields[] = {{.left_mm = 60, .right_mm = 60},
                                 {.left_mm = 120, .right_mm = 60, .later_mm = 20},
                                 {.left_mm = 90, .right_mm = 24},
                                 {.left_mm = 160, .right_mm = 24, .later_mm = 115}};
    for (size_t i = 0; i < G_N_ELEMENTS(fields); i++) {
        for (int kind = 0; kind < 5; kind++) {
            if (i == 0) { // both meet it as they would a line
                drive d = prepare(&fields[i], 0.0);
                ck_assert_float_lt(find(&d, kind, &usual)->crossing_mm, 400.0F);
                end(&d);
            }
            int speed = ((int)i + kind) % 2 == 0 ? 100 : 500;
            cmo_line_parameters p = usual;
            p.cruise_mm_s = (float)speed;
            p.most_width_mm = 24;
            p.longest_ms = 20000;
            drive d = prepare(&fields[i], 0.0);
            const cmo_report *report = find(&d, kind, &p);
            look_where_it_is(&d, &fields[i]);
            ck_assert_msg(d.off_mm > -2.0 && d.off_mm < 120.0, "field %zu, routine %d, %d mm/s: %g",
                          i, kind, speed, d.off_mm);
            ck_assert_float_ge(report->figure[CMO_PASSED_OVER], 1.0F);
            if (i == 0) {
                ck_assert_int_eq(report->passed_reason, CMO_PASSED_TOO_WIDE);
                ck_assert_float_gt(report->passed_width_mm, 30.0F);
            }
            end(&d);
        }
    }
}
END_TEST

START_TEST(a_line_that_is_as_wide_as_it_may_be_is_found_at_any_angle_and_speed) {
    for (int angle = -44; angle <= 44; angle += 22) {
        for (int speed = 100; speed <= 700; speed += 300) {
            bar none = {.line_deg = angle};
            cmo_line_parameters p = usual;
            p.cruise_mm_s = (float)speed;
            p.most_width_mm = (float)LINE_MM;
            drive d = stop(&none, &p, CMO_OUTCOME_DONE);
            ck_assert_msg(fabs(d.off_mm) < 1.5, "%d degrees, %d mm/s: %g", angle, speed, d.off_mm);
            ck_assert_float_eq(d.bench.robot.report.figure[CMO_PASSED_OVER], 0.0F);
            end(&d);
        }
    }
}
END_TEST

START_TEST(fields_are_not_counted_where_a_lines_most_width_is_known) {
    static const bar fields[] = {{.left_mm = 60, .right_mm = 60},
                                 {.left_mm = 120, .right_mm = 60, .later_mm = 20},
                                 {.left_mm = 120, .right_mm = 28}};
    for (size_t i = 0; i < G_N_ELEMENTS(fields); i++) {
        for (int most = 0; most < 2; most++) {
            for (int angle = -30 * most; angle <= 30 * most; angle += 15) {
                bar b = fields[i];
                b.line_deg = angle;
                cmo_count_lines_parameters p = {.cruise_mm_s = 300, .least_width_mm = 20};
                p.sensor = i == 0 && angle == 0 ? CMO_SENSOR_RIGHT : CMO_SENSOR_EITHER;
                p.most_width_mm = most > 0 ? 24.0F : 0.0F;
                p.longest_mm = most > 0 ? 750.0F : 360.0F; // from one to the next one
                drive d = prepare(&b, 0.0);
                ck_assert_int_eq(cmo_count_lines(&d.bench.robot, &p), CMO_OUTCOME_DONE);
                float seen = d.bench.robot.report.figure[CMO_LINES_SEEN];
                ck_assert_msg(seen == (most > 0 ? 1.0F : 2.0F),
                              "field %zu, most %d, %d degrees: %g", i, most, angle, (double)seen);
                end(&d);
            }
        }
    }
}
END_TEST

// Slow, too, it stands beyond the line at once, and not within it to creep on from there.
START_TEST(where_a_lines_most_width_is_known_it_brakes_for_its_far_edge) {
    bar none = {.line_deg = 0};
    double took_ms[2];
    for (int most = 0; most < 2; most++) {
        cmo_line_parameters p = usual;
        p.cruise_mm_s = 150;
        p.most_width_mm = most > 0 ? 24.0F : 0.0F;
        drive d = stop(&none, &p, CMO_OUTCOME_DONE);
        took_ms[most] = figure(&d.bench.robot, CMO_ELAPSED_MS);
        end(&d);
    }
    ck_assert_msg(took_ms[1] - took_ms[0] < 100.0, "%g, %g ms", took_ms[0], took_ms[1]);
}
END_TEST

// By itself, a sensor counts by its own way.
START_TEST(one_sensor_knows_a_field_by_itself) {
    bar field = {.left_mm = 70, .right_mm = 70};
    cmo_line_parameters p = usual;
    p.most_width_mm = 24;
    for (int kind = 0; kind < 4; kind++) {
        p.sensor = CMO_SENSOR_RIGHT;
        drive d = prepare(&field, 0.0);
        const cmo_report *report = find(&d, kind, &p);
        ck_assert_float_eq_tol(report->crossing_mm, (float)LINE_X_MM - 270.0F, 6.0F);
        ck_assert_float_eq(report->figure[CMO_PASSED_OVER], 1.0F);
        ck_assert_int_eq(report->passed_reason, CMO_PASSED_TOO_WIDE);
        end(&d);
    }
}
END_TEST

// What both have met is too narrow for the slant that this would be, though not for a line square
// on.
START_TEST(what_can_be_no_line_at_its_slant_is_not_waited_for) {
    bar fields = {.left_mm = 26, .right_mm = 17, .later_mm = 60};
    for (int kind = 2; kind < 5; kind += 2) { // that do not brake on it, and might have slid
        drive d = prepare(&fields, 0.0);
        const cmo_report *report = find(&d, kind, &usual);
        look_where_it_is(&d, &fields);
        ck_assert_msg(d.off_mm > -2.0, "routine %d: %g", kind, d.off_mm);
        ck_assert_float_ge(report->figure[CMO_PASSED_OVER], 1.0F);
        end(&d);
    }
}
END_TEST

// A strip at which it stands, creeps on and looks again must not spoil the braking for the line.
START_TEST(it_brakes_as_hard_after_a_strip_as_before_one) {
    for (int angle = 20; angle <= 90; angle += 10) {
        for (double wide = 5.0; wide <= 13.0; wide += 4.0) {
            bar strip = {
                .x_mm = 600, .y_mm = 500, .long_mm = 300, .wide_mm = wide, .angle_deg = angle};
            drive d = prepare(&strip, 1.5); // less than it is stated to brake with
            ck_assert_int_eq(cmo_stop_on_line(&d.bench.robot, &usual), CMO_OUTCOME_DONE);
            ck_assert_float_ge(d.bench.robot.report.figure[CMO_PASSED_OVER], 1.0F);
            double stopping = figure(&d.bench.robot, CMO_STOPPING_DISTANCE_MM);
            ck_assert_msg(stopping < 60.0, "%d degrees, %g mm: %g", angle, wide, stopping);
            end(&d);
        }
    }
}
END_TEST

int main(void) {
    const TTest *const tests[] = {
        a_rim_that_one_sensor_drives_along_is_no_line,
        a_patch_under_one_sensor_is_no_line,
        a_line_is_met_at_any_angle_up_to_the_stated_one,
        a_lines_end_needs_one_sensor_where_that_is_said,
        what_one_sensor_met_within_the_blind_distance_counts_for_the_other,
        a_sensor_that_stands_on_the_line_from_the_start_counts_for_the_other,
        what_is_wide_under_one_sensor_alone_is_no_line,
        a_field_is_no_line_where_a_lines_most_width_is_known,
        a_line_that_is_as_wide_as_it_may_be_is_found_at_any_angle_and_speed,
        fields_are_not_counted_where_a_lines_most_width_is_known,
        where_a_lines_most_width_is_known_it_brakes_for_its_far_edge,
        one_sensor_knows_a_field_by_itself,
        what_can_be_no_line_at_its_slant_is_not_waited_for,
        it_brakes_as_hard_after_a_strip_as_before_one,
        NULL};
    return run_suite("pairs", tests);
}
