// SPDX-License-Identifier: GPL-3.0-or-later
#include <cammino_lab/advice.h>

#include <cammino_lab/floor.h>

#include <math.h>
#include <stdlib.h>
#include <string.h>

// ------------------------------------------------------------------------------- what is tried --

static lab_advice_tried *add(lab_advice *advice, char *text) {
    if (advice->count == LAB_ADVICE_MOST) {
        g_free(text);
        return NULL;
    }
    lab_advice_tried *tried = &advice->tried[advice->count++];
    *tried = (lab_advice_tried){.text = text};
    return tried;
}

static void change(lab_advice_tried *tried, char *field, double value) {
    if (tried == NULL || tried->changes == LAB_ADVICE_CHANGES) {
        g_free(field);
        return;
    }
    tried->field[tried->changes] = field;
    tried->value[tried->changes++] = value;
}

// As one would write it: three digits.
static double handy(double value) {
    char text[32];
    g_snprintf(text, sizeof text, "%.3g", value);
    return g_ascii_strtod(text, NULL);
}

static lab_advice_tried *add_number(lab_advice *advice, char *field, double now, double instead,
                                    const char *why) {
    double value = handy(instead);
    lab_advice_tried *tried = add(advice, g_strdup_printf("%s %g instead of %g%s%s", field, value,
                                                          now, *why != '\0' ? ": " : "", why));
    change(tried, field, value);
    return tried;
}

// Of what is not as it should be.
static void sets_right(lab_advice_tried *tried) {
    if (tried != NULL) {
        tried->sets_right = true;
    }
}

static char *field_of(unsigned leg, const lab_leg *of, const char *key) {
    return g_strdup_printf("legs[%u].%s.%s", leg + 1, cmo_routine_name(of->routine), key);
}

// The least way from a leg's start to its line, over trials that came to it.
static double least_way(const lab_results *results, unsigned leg) {
    double least = INFINITY;
    for (guint i = 0; i < results->trials->len; i++) {
        const lab_trial *trial = &g_array_index(results->trials, lab_trial, i);
        for (unsigned n = 0; n < trial->legs; n++) {
            double way, over;
            const lab_trial_leg *row = &trial->leg[n];
            if (row->leg == leg && row->outcome == CMO_OUTCOME_DONE &&
                lab_trial_figure(row, CMO_TRAVELLED_MM, true, &way) &&
                lab_trial_figure(row, CMO_REST_ERROR_MM, true, &over)) {
                least = fmin(least, way - fmax(over, 0.0));
            }
        }
    }
    return least;
}

static void add_leg(lab_advice *advice, const lab_route *route, const lab_results *results,
                    unsigned leg) {
    const lab_leg *of = &route->leg[leg];
    cmo_line_parameters line;
    if (of->file != NULL || !lab_leg_line(of, &line)) {
        return; // one of another file has another name there
    }
    double cruise = (double)line.cruise_mm_s;
    double creep = (double)line.creep_mm_s;
    double blind = (double)line.blind_mm;
    if (cruise > 0.0) {
        add_number(advice, field_of(leg, of, "cruise_mm_s"), cruise, 0.7 * cruise, "");
    }
    if (creep > 0.0) {
        add_number(advice, field_of(leg, of, "creep_mm_s"), creep, 0.7 * creep, "");
    }
    double later = 0.85 * least_way(results, leg);
    if (isfinite(later) && later > blind + 20.0) {
        add_number(advice, field_of(leg, of, "blind_mm"), blind, later, "looked for later");
    }
}

static const char *const sides[2] = {"left", "right"};

// One key of both sensors, where the simulated ones are off what is stated by more than a bound.
static void add_sensors(lab_advice *advice, const lab_robot *robot, const char *key,
                        double (*stated)(const cmo_light_description *),
                        double (*truly)(const cmo_sim_light *), double bound, const char *why) {
    unsigned lights = MIN(MIN(robot->description.lights, robot->plant.sensors), 2U);
    double most = 0.0;
    for (unsigned i = 0; i < lights; i++) {
        most =
            fmax(most, fabs(stated(&robot->description.light[i]) - truly(&robot->plant.sensor[i])));
    }
    if (most <= bound) {
        return;
    }
    lab_advice_tried *tried = add(
        advice, g_strdup_printf("the sensors' %s as it is, not off by %.3g: %s", key, most, why));
    for (unsigned i = 0; i < lights; i++) {
        change(tried, g_strdup_printf("robot.lights.%s.%s", sides[i], key),
               handy(truly(&robot->plant.sensor[i])));
    }
    sets_right(tried);
}

static double stated_delay(const cmo_light_description *light) {
    return 1e-3 * light->delay_us;
}

static double true_delay(const cmo_sim_light *light) {
    return light->delay_ms;
}

static double stated_ahead(const cmo_light_description *light) {
    return (double)light->ahead_mm;
}

static double true_ahead(const cmo_sim_light *light) {
    return light->ahead_mm;
}

static double stated_left(const cmo_light_description *light) {
    return (double)light->left_mm;
}

static double true_left(const cmo_sim_light *light) {
    return light->left_mm;
}

// Tyres let go bit by bit: of what they pass on, so much can be counted on.
#define TYRES_PASS 0.9

static void add_robot(lab_advice *advice, const lab_robot *robot) {
    const cmo_robot_description *d = &robot->description;
    const cmo_sim_plant *p = &robot->plant;
    double braking = (double)d->braking_mm_s2;
    double passes = TYRES_PASS * 1e3 * p->grip_m_s2;
    if (braking > 1e3 * p->grip_m_s2) {
        sets_right(add_number(advice, g_strdup("robot.drive.braking_mm_s2"), braking, passes,
                              "what the tyres pass on; a leg measure_drive measures it"));
    } else if (braking > 0.0) {
        add_number(advice, g_strdup("robot.drive.braking_mm_s2"), braking, 0.6 * braking,
                   "braked more gently");
    }
    add_sensors(advice, robot, "delay_ms", stated_delay, true_delay, 1.5,
                "cammino wiring measures it");
    add_sensors(advice, robot, "ahead_mm", stated_ahead, true_ahead, 1.5,
                "cammino wiring measures it");
    add_sensors(advice, robot, "left_mm", stated_left, true_left, 1.5,
                "cammino wiring measures it");
    if (fabs((double)d->gear_play_mm - p->gear_play_mm) > 0.2 && p->encoder_step_mm > 0.0) {
        sets_right(add_number(advice, g_strdup("robot.encoders.play_mm"), (double)d->gear_play_mm,
                              p->gear_play_mm, "the gears' play as it is"));
    }
    if (p->battery < 0.95) {
        sets_right(add_number(advice, g_strdup("robot.plant.battery"), p->battery, 1.0,
                              "a charged battery"));
    }
    if (robot->faults.late_share > 0.0) {
        sets_right(add_number(advice, g_strdup("robot.plant.faults.late_share"),
                              robot->faults.late_share, 0.0, "ticks in time"));
    }
    if (robot->faults.look_missing_share > 0.0) {
        sets_right(add_number(advice, g_strdup("robot.plant.faults.look_missing_share"),
                              robot->faults.look_missing_share, 0.0, "no look lost"));
    }
    double interval = p->sensors > 0 ? p->sensor[0].interval_ms : 0.0;
    if (interval > 12.0) {
        lab_advice_tried *tried =
            add(advice,
                g_strdup_printf("looks each %.3g ms instead of %.3g: a faster sensor, or another "
                                "setting of it",
                                handy(0.5 * interval), interval));
        for (unsigned i = 0; i < MIN(p->sensors, 2U); i++) {
            change(tried, g_strdup_printf("robot.lights.%s.interval_ms", sides[i]),
                   handy(0.5 * interval));
        }
    }
}

// Levels that are off by more than this of the contrast are of another floor or another day.
#define LEVELS_OFF 0.08
// A robot that hardly stays on a line shows too little of it in one run, and enough in another.
#define LEVELS_RUNS 5U

static double off_by(const cmo_levels *stated, const cmo_levels *found) {
    double most =
        fmax(fabs((double)found->dark - stated->dark), fabs((double)found->light - stated->light));
    return most / fmax(fabs((double)found->light - found->dark), 1.0);
}

// By what a run has read, sensor by sensor: the floor's and the line's readings part by themselves.
// False: it has seen too little of one of them.
static bool read_levels(const lab_route *route, uint64_t seed, unsigned lights,
                        cmo_levels found[2]) {
    const lab_robot *robot = route->robot;
    lab_run *run = lab_drive(route, seed);
    lab_floor *floor = lab_floor_from_run(run, CMO_ROUTINE_NONE);
    bool known = true;
    for (unsigned i = 0; i < lights && known; i++) {
        lab_sensor_levels judged;
        lab_floor_judge(floor, &robot->description, i, "line", 0.0, &judged);
        known = robot->has_levels[i] && judged.fault == CMO_LEVELS_GOOD;
        found[i] = judged.levels;
        lab_sensor_levels_clear(&judged);
    }
    lab_floor_free(floor);
    lab_run_free(run);
    return known;
}

static void add_levels(lab_advice *advice, const lab_route *route) {
    const lab_robot *robot = route->robot;
    unsigned lights = MIN(MIN(robot->description.lights, robot->plant.sensors), 2U);
    cmo_levels found[2];
    bool known = false;
    for (uint64_t seed = 1; seed <= LEVELS_RUNS && !known && lights > 0; seed++) {
        known = read_levels(route, seed, lights, found);
    }
    double off = 0.0;
    for (unsigned i = 0; i < lights && known; i++) {
        off = fmax(off, off_by(&robot->levels[i], &found[i]));
    }
    if (known && off > LEVELS_OFF) {
        lab_advice_tried *tried =
            add(advice, g_strdup_printf("levels taken anew, which are off by %.0f %% of the "
                                        "contrast: cammino levels",
                                        100.0 * off));
        for (unsigned i = 0; i < lights; i++) {
            change(tried, g_strdup_printf("robot.lights.%s.levels.dark", sides[i]), found[i].dark);
            change(tried, g_strdup_printf("robot.lights.%s.levels.light", sides[i]),
                   found[i].light);
        }
        sets_right(tried);
    }
}

// ---------------------------------------------------------------------------------- what helps --

#define CHAIN_MOST 24U // changes at once

// Legs are judged by an error, or by how far they overrun their line.
static bool is_error(const lab_results *results, const lab_difference *d) {
    if (d->leg == LAB_RUN || !d->truth) {
        return false;
    }
    const lab_results_leg *leg = &results->leg[d->leg];
    return d->figure == (unsigned)leg->judged ||
           (leg->routine == CMO_ROUTINE_DRIVE_UNTIL_LINE && d->figure == CMO_OVERSHOOT_MM);
}

double lab_advice_gain(const lab_results *results, const lab_difference *d) {
    bool more_than_chance = d->low > 0.0 || d->high < 0.0;
    if (!is_error(results, d) || !more_than_chance || d->median[0] <= 0.0) {
        return NAN;
    }
    return -d->shift / d->median[0];
}

// Millimetres, or degrees: what is less off than this is hardly worth a change.
#define SMALL_ERROR 0.5

double lab_advice_rank(const lab_results *results, const lab_difference *d) {
    double gain = lab_advice_gain(results, d);
    if (isfinite(gain)) {
        return CLAMP(gain, -1.0, 1.0) * fmin(d->median[0] / SMALL_ERROR, 1.0);
    }
    if (d->leg == LAB_RUN && d->figure == CMO_ELAPSED_MS && (d->low > 0.0 || d->high < 0.0)) {
        return -d->shift / d->median[0];
    }
    bool completes = d->leg == LAB_RUN && d->figure == LAB_COMPLETED && d->chance < 0.5;
    return completes ? 10.0 * d->shift : 0.0;
}

static double gain_of(const lab_results *results, const lab_comparison *c) {
    double sum = 0.0;
    for (guint i = 0; i < c->differences->len; i++) {
        sum += lab_advice_rank(results, &g_array_index(c->differences, lab_difference, i));
    }
    return sum;
}

// Those that were made before, and those that are tried, which come last and so hold.
static bool chain(lab_change *changes, const lab_change *made, const lab_advice_tried *tried) {
    unsigned count = 0;
    for (; made != NULL && count < CHAIN_MOST - LAB_ADVICE_CHANGES; made = made->next) {
        changes[count++] = (lab_change){.field = made->field, .value = made->value};
    }
    for (unsigned i = 0; i < tried->changes; i++) {
        changes[count++] = (lab_change){.field = tried->field[i], .value = tried->value[i]};
    }
    for (unsigned i = 0; i + 1 < count; i++) {
        changes[i].next = &changes[i + 1];
    }
    return made == NULL;
}

// What changes are tried on.
typedef struct trial_of {
    lab_series_call as;
    const lab_results *results;
    const lab_limits *limits;
    unsigned kept; // of them without a change
} trial_of;

static unsigned kept_of(const lab_limits *limits, const lab_results *results) {
    unsigned kept = 0;
    for (unsigned i = 0; limits != NULL && i < limits->count; i++) {
        lab_verdict verdict;
        kept += lab_judge(limits, i, results, &verdict, NULL) && verdict.pass;
    }
    return kept;
}

// False: it was stopped. What the route refuses with it is left without a comparison.
static bool try_one(lab_advice *advice, lab_advice_tried *tried, const trial_of *on) {
    lab_change changes[CHAIN_MOST];
    if (!chain(changes, on->as.changes, tried)) {
        return true;
    }
    lab_series_call call = on->as;
    call.changes = changes;
    lab_results *with = lab_results_of(&call, NULL);
    advice->stopped = with != NULL && !lab_results_ended(with);
    lab_comparison_free(tried->comparison);
    tried->comparison = NULL;
    tried->gain = 0.0;
    if (with != NULL && with->trials->len == with->asked) {
        tried->comparison = lab_compare(on->results, with, true);
        tried->gain = gain_of(on->results, tried->comparison);
        tried->kept = on->limits != NULL ? kept_of(on->limits, with) : tried->kept;
    }
    lab_results_free(with);
    return !advice->stopped;
}

// What is wrong is set right before it is driven around.
static int by_gain(const void *a, const void *b) {
    const lab_advice_tried *first = a;
    const lab_advice_tried *second = b;
    int order = (first->kept < second->kept) - (first->kept > second->kept);
    double gains = (first->sets_right ? 2.0 : 1.0) * first->gain;
    double others = (second->sets_right ? 2.0 : 1.0) * second->gain;
    return order != 0 ? order : (gains < others) - (gains > others);
}

// Whether it is worth a word: by its gain, or by limits that are kept with it only.
static bool helps(const lab_advice_tried *tried, const trial_of *on) {
    return tried->comparison != NULL && (tried->gain >= LAB_ADVICE_LEAST || tried->kept > on->kept);
}

// So many times the trials say by how much it helps.
#define OTHERS 2U

// What comes out best of many has had luck, too: the first ones are driven again on other trials,
// and what helps there as well is told by what it comes to there.
static void confirm(lab_advice *advice, const trial_of *on) {
    trial_of other = {.as = on->as};
    other.as.seed += on->as.trials;
    other.as.trials *= OTHERS;
    advice->others = other.as.trials;
    lab_results *results = lab_results_of(&other.as, NULL);
    advice->stopped = results != NULL && !lab_results_ended(results);
    bool driven = results != NULL && !advice->stopped;
    other.results = results;
    for (unsigned i = 0; i < advice->count && advice->told < LAB_ADVICE_TOLD && driven; i++) {
        lab_advice_tried tried = advice->tried[i];
        if (!helps(&tried, on)) {
            break;
        }
        driven = try_one(advice, &tried, &other);
        advice->tried[i] = advice->tried[advice->told];
        advice->tried[advice->told] = tried;
        advice->told += driven && helps(&tried, on);
    }
    lab_results_free(results);
    qsort(advice->tried, advice->told, sizeof *advice->tried, by_gain);
}

lab_advice *lab_advise(const lab_route *route, const lab_series_call *as,
                       const lab_results *results, const lab_limits *limits) {
    lab_route *like = (lab_route *)(uintptr_t)route;
    trial_of on = {*as, results, limits, kept_of(limits, results)};
    on.as.like = &like;
    lab_advice *advice = g_new0(lab_advice, 1);
    advice->trials = results->trials->len;
    for (unsigned leg = 0; leg < route->legs; leg++) {
        add_leg(advice, route, results, leg);
    }
    if (route->fleet == NULL) {
        add_robot(advice, route->robot);
        add_levels(advice, route);
    }
    for (unsigned i = 0; i < advice->count && try_one(advice, &advice->tried[i], &on); i++) {
    }
    qsort(advice->tried, advice->count, sizeof *advice->tried, by_gain);
    if (advice->count > 0 && !advice->stopped && helps(&advice->tried[0], &on)) {
        confirm(advice, &on);
    }
    return advice;
}

void lab_advice_free(lab_advice *advice) {
    for (unsigned i = 0; advice != NULL && i < advice->count; i++) {
        lab_advice_tried *tried = &advice->tried[i];
        for (unsigned n = 0; n < tried->changes; n++) {
            g_free(tried->field[n]);
        }
        g_free(tried->text);
        lab_comparison_free(tried->comparison);
    }
    g_free(advice);
}
