// SPDX-License-Identifier: GPL-3.0-or-later
// The law of halts: how far a robot goes before it stands, by its speed.
#include "leg_runs.h"

#include <cammino_lab/law.h>
#include <math.h>
#include <string.h>

#define SWEEP "sweep data/ferry/first-round.yaml --field "

typedef struct law_terms {
    double c_mm, t_ms, b_ms, a_mm_s2, u_mm_s, rub_mm_s; // a of 0: a lag alone
} law_terms;

// From the answer on: at a steady rate down to u, then v' = -a (v + rub) / (u + rub).
static double braking_way(const law_terms *k, double v) {
    double way = 1e-3 * v * k->b_ms;
    if (k->a_mm_s2 > 0.0) {
        double low = fmin(v, k->u_mm_s);
        double rubbed = k->rub_mm_s > 0.0 ? k->rub_mm_s * log1p(low / k->rub_mm_s) : 0.0;
        way += (v * v - low * low) / (2.0 * k->a_mm_s2);
        way += (k->u_mm_s + k->rub_mm_s) / k->a_mm_s2 * (low - rubbed);
    }
    return way;
}

static double way_of(const law_terms *k, double v) {
    return k->c_mm + 1e-3 * v * k->t_ms + braking_way(k, v);
}

// Halts by that law, with looks that come up to 10 ms sooner or later, and brakes off by a fiftieth
// at most; by how much they are off it all together is `off_mm`, the standard deviation.
static bool fit(const law_terms *k, double from, double to, unsigned n, unsigned state,
                lab_law *law, double *off_mm) {
    lab_law_halt halts[400];
    double squares = 0.0;
    for (unsigned i = 0; i < n; i++) {
        double v = from + (to - from) * i / (n - 1);
        double reaction_ms = 1e3 * k->c_mm / v + k->t_ms + 20.0 * (drawn_evenly(&state) - 0.5);
        double braking = braking_way(k, v) * (1.0 + 0.04 * (drawn_evenly(&state) - 0.5));
        halts[i] = (lab_law_halt){v, 1e-3 * v * reaction_ms + braking, reaction_ms};
        double off = halts[i].distance_mm - way_of(k, v);
        squares += off * off;
    }
    *off_mm = sqrt(squares / n);
    return lab_law_fit_to(halts, n, law);
}

static bool within(const lab_known *known, double value) {
    return known->low <= value && value <= known->high && known->low < known->high;
}

static const law_terms robots[5] = {{0.0, 20.0, 15.0, 4500.0, 150.0, 15.0},
                                    {3.0, 60.0, 10.0, 3000.0, 120.0, 5.0},
                                    {12.0, 90.0, 40.0, 1500.0, 60.0, 20.0},
                                    {1.0, 35.0, 12.0, 2200.0, 260.0, 30.0},
                                    {12.0, 120.0, 20.0, 6000.0, 200.0, 40.0}};

START_TEST(the_law_of_halts_is_found) {
    for (unsigned i = 0; i < 5; i++) {
        const law_terms *k = &robots[i];
        lab_law law;
        double off_mm;
        ck_assert(fit(k, 100, 600, 400, 9, &law, &off_mm));
        ck_assert(law.brakes);
        ck_assert_uint_eq(law.halts, 400);
        ck_assert(within(&law.c_mm, k->c_mm));
        ck_assert(within(&law.reaction_ms, k->t_ms));
        ck_assert(within(&law.braking_ms, k->b_ms));
        ck_assert(within(&law.deceleration_mm_s2, k->a_mm_s2));
        ck_assert_double_eq_tol(law.reaction_ms.value, k->t_ms, 0.05 * k->t_ms);
        ck_assert_double_eq_tol(law.deceleration_mm_s2.value, k->a_mm_s2, 0.05 * k->a_mm_s2);
        ck_assert_double_eq_tol(law.off_mm, off_mm, 0.05 * off_mm);
        for (double v = 100.0; v <= 600.0; v += 50.0) {
            ck_assert_double_eq_tol(lab_law_way(&law, v), way_of(k, v), 0.01 * way_of(k, v) + 0.1);
        }
        double u = law.from_mm_s; // from there on it is the formula that is printed
        double v = 1e-3 * fmax(u, 400.0);
        ck_assert_double_eq_tol(lab_law_way(&law, 1e3 * v),
                                law.c_mm.value + law.end_mm +
                                    v * (law.reaction_ms.value + law.braking_ms.value) +
                                    5e5 * v * v / (1e-3 * law.deceleration_mm_s2.value) * 1e-3,
                                1e-6);
    }
}
END_TEST

// 95 of 100 are said to.
START_TEST(intervals_hold_as_often_as_they_say) {
    unsigned held[4] = {0}, all = 0;
    for (unsigned series = 1; series <= SEEDS(40); series++) {
        for (unsigned i = 0; i < 5; i++, all++) {
            const law_terms *k = &robots[i];
            lab_law law;
            double off_mm;
            ck_assert(fit(k, 100, 600, 60, 5 * series + i, &law, &off_mm) && law.brakes);
            held[0] += within(&law.c_mm, k->c_mm);
            held[1] += within(&law.reaction_ms, k->t_ms);
            held[2] += within(&law.braking_ms, k->b_ms);
            held[3] += within(&law.deceleration_mm_s2, k->a_mm_s2);
        }
    }
    for (int i = 0; i < 4; i++) {
        ck_assert_msg(held[i] >= 0.9 * all - 1.0, "%d: %u of %u", i, held[i], all);
    }
}
END_TEST

START_TEST(where_it_cannot_be_told_there_is_none) {
    lab_law law;
    double off_mm;
    const law_terms lag = {2.0, 80.0, 30.0, 0.0, 0.0, 0.0};
    ck_assert(fit(&lag, 100, 600, 400, 9, &law, &off_mm));
    ck_assert(!law.brakes);
    ck_assert(within(&law.reaction_ms, 80.0));
    ck_assert(within(&law.braking_ms, 30.0));
    const law_terms slow = {0.0, 20.0, 15.0, 4500.0, 150.0, 0.0};
    ck_assert(fit(&slow, 100, 150, 20, 9, &law, &off_mm)); // never so fast that it slides
    ck_assert(!law.brakes);
    ck_assert(within(&law.braking_ms, 15.0 + 1e3 * 150.0 / 4500.0));
    ck_assert(!fit(&lag, 100, 140, 400, 9, &law, &off_mm));
    ck_assert(!fit(&lag, 100, 600, 9, 9, &law, &off_mm));
}
END_TEST

START_TEST(a_sweep_of_speed_tells_the_law) {
    ck_assert_int_eq(CALL(SWEEP "legs[4].drive_until_line.creep_mm_s --values 100,200,300 "
                                "--trials 8 --leg 4 --law --json"),
                     0);
    JsonNode *node = json_from_string(out, NULL);
    JsonObject *law = json_object_get_object_member(json_node_get_object(node), "law");
    ck_assert_int_eq(json_object_get_int_member(law, "halts"), 24);
    JsonObject *t = json_object_get_object_member(law, "reaction_ms");
    ck_assert(json_object_get_double_member(t, "low") < json_object_get_double_member(t, "high"));
    json_node_free(node);
    ck_assert_int_eq(CALL(SWEEP "legs[4].drive_until_line.creep_mm_s --values 100,200,300 "
                                "--trials 8 --leg 4 --law"),
                     0);
    ck_assert_ptr_nonnull(strstr(out, "\n24 halts of leg 4 at "));
    ck_assert_ptr_nonnull(strstr(out, "\n  t  time until it answers "));
    // An advance meets no line, and halts at one speed tell no law.
    ck_assert_int_eq(CALL(SWEEP "legs[1].stop_on_line.cruise_mm_s --values 300 --trials 2 "
                                "--leg 2 --law"),
                     0);
    ck_assert_ptr_nonnull(strstr(out, "\nno law by 0 halts of leg 2; it takes 10, "));
}
END_TEST

int main(void) {
    begin_runs();
    const TTest *const tests[] = {the_law_of_halts_is_found, intervals_hold_as_often_as_they_say,
                                  where_it_cannot_be_told_there_is_none,
                                  a_sweep_of_speed_tells_the_law, NULL};
    int failed = run_suite("law", tests);
    end_runs();
    return failed;
}
