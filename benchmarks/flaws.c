// SPDX-License-Identifier: GPL-3.0-or-later
// Robots and routes with one planted flaw each: what the advice names first, and what a series with
// that change on four times as many other trials comes to, beside what was promised.
//
//     bench_flaws [TRIALS]
#include <cammino_lab/advice.h>

#include <glib/gstdio.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define CHANGES 6U
#define ROBOT   SOURCE_DIR "/data/ferry/mozzo.yaml"
#define QUICK                                                                                      \
    "stop_on_line: {blind_mm: 300, cruise_mm_s: 400, creep_mm_s: 200, least_width_mm: 15, "        \
    "effort: quick, rest: near_edge}"
#define STOP                                                                                       \
    "stop_on_line: {blind_mm: 300, cruise_mm_s: 400, creep_mm_s: 200, least_width_mm: 15, "        \
    "rest: near_edge}"
#define FAST                                                                                       \
    "stop_on_line: {blind_mm: 300, cruise_mm_s: 600, creep_mm_s: 600, least_width_mm: 15, "        \
    "rest: near_edge}"

typedef struct flaw {
    const char *name, *leg;
    const char *field[CHANGES]; // and what is planted
    double value[CHANGES];
    const char *named; // a piece of what is to be named
} flaw;

static const flaw flaws[] = {
    {"too fast",
     "drive_until_line: {blind_mm: 300, cruise_mm_s: 350, creep_mm_s: 350, least_width_mm: 15}",
     {NULL},
     {0},
     "_mm_s "},
    {"late ticks",
     QUICK,
     {"robot.plant.faults.late_share", "robot.plant.faults.late_ms"},
     {0.4, 40},
     "late_share 0"},
    {"looks lost", QUICK, {"robot.plant.faults.look_missing_share"}, {0.7}, "look_missing"},
    {"slow sensor",
     QUICK,
     {"robot.lights.left.interval_ms", "robot.lights.right.interval_ms"},
     {45, 45},
     "a faster sensor"},
    {"wrong delay",
     FAST,
     {"robot.plant.lights.left.delay_ms", "robot.plant.lights.right.delay_ms"},
     {25, 25},
     "delay_ms as it is"},
    {"sliding braking limit",
     FAST,
     {"robot.drive.braking_mm_s2", "robot.plant.grip_m_s2"},
     {9000, 2.5},
     "braking_mm_s2"},
    {"tired battery",
     "advance: {distance_mm: 1200, speed_mm_s: 650}",
     {"robot.plant.battery"},
     {0.6},
     "a charged battery"},
    {"levels of another day",
     STOP,
     {"robot.lights.left.levels.light", "robot.lights.right.levels.light",
      "robot.lights.left.levels.dark", "robot.lights.right.levels.dark"},
     {740, 710, 84, 87},
     "levels taken anew"},
    {"play not stated",
     STOP,
     {"robot.plant.gear_play_mm", "robot.encoders.play_mm"},
     {2.5, 0},
     "play_mm 2.5"},
    {"spot misplaced ahead",
     "square_on_line: {blind_mm: 250, cruise_mm_s: 300, creep_mm_s: 150}",
     {"robot.plant.lights.left.ahead_mm"},
     {78},
     "ahead_mm as it is"},
    {"spot misplaced aside",
     "stay_inside: {for_s: 8, cruise_mm_s: 200, convex: true}",
     {"robot.plant.lights.left.left_mm", "start.heading_deg"},
     {55, 20},
     "left_mm as it is"},
    {"blind too short",
     "stop_on_line: {blind_mm: 5, cruise_mm_s: 400, creep_mm_s: 200, rest: near_edge}",
     {NULL},
     {0},
     "blind_mm"},
};

static lab_route *load(const char *path, const lab_change *changes) {
    GError *error = NULL;
    lab_route *route = lab_route_load_changed(path, ROBOT, 1, changes, NULL, &error);
    if (route == NULL || !lab_check(route, &error)) {
        fprintf(stderr, "%s\n", error->message);
        exit(2);
    }
    return route;
}

static lab_results *drive(const char *path, const lab_change *changes, uint64_t seed,
                          unsigned trials) {
    lab_series_call call = {
        .route = path, .robot = ROBOT, .changes = changes, .trials = trials, .seed = seed};
    return lab_results_of(&call, NULL);
}

// The difference that the advice is about: the one that most of its rank comes from.
static lab_difference main_one(const lab_results *results, const lab_comparison *c) {
    lab_difference found = {.median = {NAN, NAN}};
    double most = 0.0;
    for (guint i = 0; i < c->differences->len; i++) {
        const lab_difference *d = &g_array_index(c->differences, lab_difference, i);
        double gain = lab_advice_rank(results, d);
        if (gain > most) {
            most = gain;
            found = *d;
        }
    }
    return found;
}

static lab_difference same_one(const lab_comparison *c, const lab_difference *of) {
    for (guint i = 0; i < c->differences->len; i++) {
        const lab_difference *d = &g_array_index(c->differences, lab_difference, i);
        if (d->leg == of->leg && d->figure == of->figure) {
            return *d;
        }
    }
    return (lab_difference){.median = {NAN, NAN}};
}

// False: it names something else, or nothing.
static bool advise(const flaw *f, const char *path, unsigned trials, bool *holds) {
    lab_change changes[CHANGES + LAB_ADVICE_CHANGES];
    unsigned count = 0;
    for (; count < CHANGES && f->field[count] != NULL; count++) {
        changes[count] = (lab_change){.field = f->field[count], .value = f->value[count]};
        changes[count > 0 ? count - 1 : 0].next = count > 0 ? &changes[count] : NULL;
    }
    const lab_change *planted = count > 0 ? changes : NULL;
    lab_route *route = load(path, planted);
    lab_results *results = drive(path, planted, 1, trials);
    lab_results *before = drive(path, planted, 100001, 4 * trials);
    lab_series_call as = {
        .route = path, .robot = ROBOT, .changes = planted, .trials = trials, .seed = 1};
    lab_advice *advice = lab_advise(route, &as, results, NULL);
    const lab_advice_tried *first = &advice->tried[0];
    bool named = advice->told > 0 && strstr(first->text, f->named) != NULL;
    printf("%-22s %s\n", f->name, advice->told > 0 ? first->text : "nothing helps by a tenth");
    *holds = false;
    if (named) {
        lab_difference promised = main_one(results, first->comparison);
        for (unsigned i = 0; i < first->changes; i++, count++) {
            changes[count] = (lab_change){.field = first->field[i], .value = first->value[i]};
        }
        for (unsigned i = 0; i + 1 < count; i++) {
            changes[i].next = &changes[i + 1];
        }
        lab_results *after = drive(path, changes, 100001, 4 * trials);
        lab_comparison *c = lab_compare(before, after, true);
        lab_difference came = same_one(c, &promised);
        *holds = fabs(came.shift - promised.shift) <= fabs(promised.shift) / 3.0;
        bool share = promised.figure == LAB_COMPLETED;
        printf("%-22s promised %s %.3f to %.3f; on other trials %.3f to %.3f%s\n", "",
               share ? "completed" : cmo_figure_name((cmo_figure)promised.figure),
               promised.median[0], promised.median[1], came.median[0], came.median[1],
               *holds ? "" : ": not within a third");
        lab_comparison_free(c);
        lab_results_free(after);
    }
    lab_advice_free(advice);
    lab_results_free(before);
    lab_results_free(results);
    lab_route_free(route);
    return named;
}

int main(int count, char **arguments) {
    unsigned trials = count > 1 ? (unsigned)atoi(arguments[1]) : 100;
    unsigned named = 0;
    unsigned held = 0;
    char *path = g_build_filename(g_get_tmp_dir(), "cammino-flaw.yaml", NULL);
    for (size_t i = 0; i < G_N_ELEMENTS(flaws); i++) {
        char *text =
            g_strdup_printf("robot: " ROBOT "\nmat: " SOURCE_DIR "/data/ferry/car-deck.svg\n"
                            "start: {x_mm: 150, y_mm: 500, heading_deg: 0}\nlegs:\n"
                            "  - %s\n",
                            flaws[i].leg);
        g_file_set_contents(path, text, -1, NULL);
        g_free(text);
        bool holds;
        named += advise(&flaws[i], path, trials, &holds);
        held += holds;
    }
    g_unlink(path);
    g_free(path);
    printf("named first: %u of %zu; the gain holds within a third in %u\n", named,
           G_N_ELEMENTS(flaws), held);
    return 0;
}
