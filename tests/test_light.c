// SPDX-License-Identifier: GPL-3.0-or-later
// Levels, reflectance, and crossings against edges whose place is known.
#include "support.h"

#include <math.h>

static const cmo_levels levels = {100, 700, 60, 6};

START_TEST(reflectance_is_0_at_dark_and_1_at_light_in_either_polarity) {
    static const cmo_levels inverted = {700, 100, CMO_LEVEL_UNKNOWN, 6};
    static const cmo_levels flat = {300, 300, CMO_LEVEL_UNKNOWN, 6};
    ck_assert_float_eq_tol(cmo_reflectance(&levels, 100), 0.0F, 1e-6F);
    ck_assert_float_eq_tol(cmo_reflectance(&levels, 700), 1.0F, 1e-6F);
    ck_assert_float_eq_tol(cmo_reflectance(&levels, 400), 0.5F, 1e-6F);
    ck_assert_float_eq_tol(cmo_reflectance(&inverted, 700), 0.0F, 1e-6F);
    ck_assert_float_eq_tol(cmo_reflectance(&inverted, 250), 0.75F, 1e-6F);
    ck_assert_float_eq(cmo_reflectance(&flat, 12345), 0.0F);
}
END_TEST

START_TEST(levels_too_near_or_too_noisy_are_not_usable) {
    static const struct {
        cmo_levels levels;
        bool usable;
    } cases[] = {
        {{100, 700, CMO_LEVEL_UNKNOWN, 6}, true},
        {{700, 100, CMO_LEVEL_UNKNOWN, 6}, true},
        {{100, 116, CMO_LEVEL_UNKNOWN, 1}, true},
        {{100, 115, CMO_LEVEL_UNKNOWN, 0}, false},
        {{100, 100, CMO_LEVEL_UNKNOWN, 0}, false},
        {{100, 200, CMO_LEVEL_UNKNOWN, 6}, true},
        {{100, 200, CMO_LEVEL_UNKNOWN, 7}, false}, // 4 sigma above 0.25
        {{CMO_LEVEL_UNKNOWN, 200, CMO_LEVEL_UNKNOWN, 1}, false},
        {{100, CMO_LEVEL_UNKNOWN, CMO_LEVEL_UNKNOWN, 1}, false},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        ck_assert_msg(cmo_levels_usable(&cases[i].levels) == cases[i].usable, "case %zu", i);
    }
}
END_TEST

START_TEST(void_has_a_threshold_only_with_a_level_of_its_own) {
    static const cmo_levels without = {100, 700, CMO_LEVEL_UNKNOWN, 6};
    ck_assert_float_eq(cmo_threshold(&levels, CMO_TONE_DARK), 0.5F);
    ck_assert_float_eq(cmo_threshold(&levels, CMO_TONE_LIGHT), 0.5F);
    ck_assert_float_eq_tol(cmo_threshold(&levels, CMO_TONE_VOID), -1.0F / 30.0F, 1e-6F);
    ck_assert(isnan(cmo_threshold(&without, CMO_TONE_VOID)));
}
END_TEST

// Covered share of a disc of diameter `spot` whose centre is `beyond` past a straight edge.
static double covered(double beyond, double spot) {
    double u = CLAMP(2.0 * beyond / spot, -1.0, 1.0);
    return 0.5 + (u * sqrt(1.0 - u * u) + asin(u)) / G_PI;
}

// Passes an edge at `edge_mm` and returns the crossing's place less the edge's.
static double pass_edge(double speed_mm_s, double interval_us, double phase, double angle_deg,
                        cmo_tone tone, float spot_mm, uint32_t clock_start, double *time_error_us) {
    double from = tone == CMO_TONE_LIGHT ? 0.0 : 1.0;
    double edge_mm = 40.0;
    cmo_edge edge;
    cmo_edge_start(&edge, &levels, tone, spot_mm);
    for (int i = 0; i < 4000; i++) {
        double us = (i + phase) * interval_us;
        double way = speed_mm_s * us * 1e-6;
        double share = covered((way - edge_mm) * cos(angle_deg * G_PI / 180.0), 6.0);
        cmo_light_point point = {clock_start + (uint32_t)us, (float)way,
                                 (float)(from + (1.0 - 2.0 * from) * share)};
        cmo_crossing crossing;
        if (cmo_edge_look(&edge, point, &crossing)) {
            ck_assert(crossing.entering);
            uint32_t us_at = crossing.time_us - clock_start;
            *time_error_us = us_at - edge_mm / speed_mm_s * 1e6;
            return (double)crossing.way_mm - edge_mm;
        }
    }
    ck_abort_msg("no crossing");
    return NAN;
}

START_TEST(crossing_is_placed_within_a_quarter_millimetre_at_any_speed_phase_and_angle) {
    for (double angle = 0; angle <= 45; angle += 15) {
        for (double speed = 20; speed <= 700; speed *= 1.3) {
            for (int phase = 0; phase < 20; phase++) {
                double time_error;
                uint32_t start = 0xFFFFFFFFU - 30000U; // the clock wraps before the edge
                cmo_tone tone = phase % 2 ? CMO_TONE_LIGHT : CMO_TONE_DARK;
                double error =
                    pass_edge(speed, 10000, phase / 20.0, angle, tone, 6.0F, start, &time_error);
                // Looks further apart than the spot is wide leave a gap without a look: half of
                // what the gap has more than the spot is then the error that no one can avoid.
                // Across a slanting edge the transition is longer than the spot, unknown to the
                // detector, which sees an edge and not its angle.
                double spot = 6.0 / cos(angle * G_PI / 180.0);
                double allowed = 0.25 + fmax(0.0, 0.5 * (speed * 0.01 - spot)) + 0.5 * (spot - 6.0);
                ck_assert_msg(fabs(error) <= allowed, "%g mm at %g mm/s, phase %d, %g degrees",
                              error, speed, phase, angle);
                ck_assert_double_le(fabs(time_error), allowed / speed * 1e6 + 2.0);
            }
        }
    }
}
END_TEST

// By how much the detector takes a line of 20 mm for wider than it is.
static double wider(double speed_mm_s, double interval_us, double phase, double spot_mm) {
    double near_mm = 40.0, far_mm = 60.0, entered = NAN;
    cmo_edge edge;
    cmo_edge_start(&edge, &levels, CMO_TONE_DARK, (float)spot_mm);
    for (int i = 0; i < 8000; i++) {
        double us = (i + phase) * interval_us;
        double way = speed_mm_s * us * 1e-6;
        double share = covered(way - near_mm, spot_mm) - covered(way - far_mm, spot_mm);
        cmo_light_point point = {(uint32_t)us, (float)way, (float)(1.0 - share)};
        cmo_crossing crossing;
        if (!cmo_edge_look(&edge, point, &crossing)) {
            continue;
        }
        if (!crossing.entering) {
            return (double)crossing.way_mm - entered - (far_mm - near_mm);
        }
        entered = (double)crossing.way_mm;
    }
    ck_abort_msg("no line");
    return NAN;
}

START_TEST(a_line_is_as_wide_as_it_is_however_slowly_it_is_crossed) {
    for (double spot = 3.0; spot <= 9.0; spot += 3.0) {
        for (double speed = 30; speed <= 240; speed *= 1.5) {
            for (int phase = 0; phase < 10; phase++) {
                double error = wider(speed, 5000, phase / 10.0, spot);
                ck_assert_msg(fabs(error) < 0.25, "%g mm at %g mm/s, phase %d, spot %g", error,
                              speed, phase, spot);
            }
        }
    }
}
END_TEST

START_TEST(without_a_known_spot_the_crossing_is_interpolated_in_a_straight_line) {
    for (int phase = 0; phase < 10; phase++) {
        double time_error;
        double error =
            pass_edge(300, 10000, phase / 10.0, 0.0, CMO_TONE_DARK, 0.0F, 0, &time_error);
        ck_assert_double_le(fabs(error), 0.6); // the disc's curve is no straight line
    }
}
END_TEST

START_TEST(backing_over_an_edge_finds_the_same_place) {
    cmo_edge edge;
    cmo_crossing crossing;
    cmo_edge_start(&edge, &levels, CMO_TONE_DARK, 6.0F);
    bool found = false;
    for (int i = 0; i < 100 && !found; i++) {
        double way = 60.0 - 1.7 * i;
        cmo_light_point point = {(uint32_t)(10000 * i), (float)way,
                                 (float)covered(way - 20.0, 6.0)};
        found = cmo_edge_look(&edge, point, &crossing);
    }
    ck_assert(found && crossing.entering);
    ck_assert_float_eq_tol(crossing.way_mm, 20.0F, 0.25F);
}
END_TEST

START_TEST(noise_within_the_hysteresis_makes_no_crossing) {
    cmo_edge edge;
    cmo_crossing crossing;
    cmo_edge_start(&edge, &levels, CMO_TONE_DARK, 6.0F);
    for (int i = 0; i < 1000; i++) {
        float reading = 0.5F + (i % 2 ? 0.045F : -0.045F);
        cmo_light_point point = {(uint32_t)(10000 * i), (float)i, i < 5 ? 1.0F : reading};
        ck_assert(!cmo_edge_look(&edge, point, &crossing));
    }
}
END_TEST

START_TEST(near_a_level_a_noisy_sensor_leaves_the_line_again) {
    // Half of the way from the threshold to what lies around it, whatever its noise is worth.
    static const cmo_levels noisy = {.dark = 100, .light = 700, .noise = 20};
    for (int light = 0; light < 2; light++) {
        cmo_edge edge;
        cmo_band band = light ? (cmo_band){0.2F, INFINITY} : (cmo_band){-INFINITY, 0.8F};
        cmo_edge_start_band(&edge, &noisy, band, 5.0F);
        static const float readings[] = {1.0F, 1.0F, 0.72F, 0.68F, 0.1F, 0.88F, 0.92F};
        static const bool inside[] = {false, false, false, true, true, true, false};
        for (unsigned n = 0; n < G_N_ELEMENTS(readings); n++) {
            float reading = light ? 1.0F - readings[n] : readings[n];
            cmo_light_point look = {.time_us = 10000 * n, .way_mm = n, .reflectance = reading};
            cmo_crossing crossing;
            cmo_edge_look(&edge, look, &crossing);
            ck_assert_msg(edge.inside == inside[n], "reading %u", n);
        }
    }
}
END_TEST

START_TEST(a_start_on_the_line_is_not_a_crossing_into_it) {
    cmo_edge edge;
    cmo_crossing crossing;
    cmo_edge_start(&edge, &levels, CMO_TONE_DARK, 6.0F);
    for (int i = 0; i < 20; i++) {
        cmo_light_point point = {(uint32_t)(10000 * i), (float)i, i < 10 ? 0.0F : 1.0F};
        if (cmo_edge_look(&edge, point, &crossing)) {
            ck_assert(!crossing.entering);
            return;
        }
    }
    ck_abort_msg("leaving it was not seen");
}
END_TEST

int main(void) {
    const TTest *const tests[] = {
        reflectance_is_0_at_dark_and_1_at_light_in_either_polarity,
        levels_too_near_or_too_noisy_are_not_usable,
        void_has_a_threshold_only_with_a_level_of_its_own,
        crossing_is_placed_within_a_quarter_millimetre_at_any_speed_phase_and_angle,
        a_line_is_as_wide_as_it_is_however_slowly_it_is_crossed,
        without_a_known_spot_the_crossing_is_interpolated_in_a_straight_line,
        backing_over_an_edge_finds_the_same_place,
        noise_within_the_hysteresis_makes_no_crossing,
        near_a_level_a_noisy_sensor_leaves_the_line_again,
        a_start_on_the_line_is_not_a_crossing_into_it,
        NULL};
    return run_suite("light", tests);
}
