// SPDX-License-Identifier: GPL-3.0-or-later
#include "advice_changes.h"

#include <cammino_lab/floor.h>

#include <math.h>

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

// Trials in which the leg ends so.
static bool any_ends(const lab_results *results, unsigned leg, cmo_outcome outcome) {
    bool any = false;
    for (guint i = 0; i < results->trials->len; i++) {
        const lab_trial *trial = &g_array_index(results->trials, lab_trial, i);
        for (unsigned n = 0; n < trial->legs; n++) {
            const lab_trial_leg *row = &trial->leg[n];
            any = any || (row->leg == leg && row->outcome == outcome);
        }
    }
    return any;
}

// A line is seldom wider than this many times what is stated as its least width.
#define WIDEST 1.6

// What is typed wrong where a line is not found that is there: as it was looked for, it was
// too wide or too far, too near, or at too much of a slant.
static void add_missed(lab_advice *advice, unsigned leg, const lab_leg *of,
                       const cmo_line_parameters *line) {
    double least = line->least_width_mm > 0.0F ? (double)line->least_width_mm : 10.0;
    double blind = (double)line->blind_mm;
    double longest = line->longest_mm > 0.0F ? (double)line->longest_mm : blind + 2000.0;
    double entry = line->largest_entry_deg > 0.0F ? (double)line->largest_entry_deg : 45.0;
    add_number(advice, field_of(leg, of, "least_width_mm"), least, 0.6 * least,
               "a line is no wider");
    add_number(advice, field_of(leg, of, "longest_mm"), longest, fmin(2.5 * longest, 20000.0),
               "looked for further");
    if (blind > 0.0) {
        add_number(advice, field_of(leg, of, "blind_mm"), blind, 0.3 * blind, "looked for sooner");
    }
    if (entry < 30.0) {
        add_number(advice, field_of(leg, of, "largest_entry_deg"), entry, 45.0,
                   "it comes at more of a slant");
    }
}

static void add_tone(lab_advice *advice, unsigned leg, const lab_leg *of,
                     const cmo_line_parameters *line) {
    static const char *const tones[] = {[CMO_TONE_DARK] = "dark", [CMO_TONE_LIGHT] = "light"};
    bool other = line->tone == CMO_TONE_DARK;
    if (line->tone == CMO_TONE_VOID || line->band.low != line->band.high || line->surface != 0) {
        return;
    }
    char *field = field_of(leg, of, "tone");
    lab_advice_tried *tried =
        add(advice, g_strdup_printf("%s %s instead of %s", field, tones[other], tones[!other]));
    change(tried, field, 0.0);
    if (tried != NULL) {
        tried->word[0] = tones[other];
    }
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
    double least = (double)line.least_width_mm;
    bool elsewhere = any_ends(results, leg, CMO_OUTCOME_WRONG_LINE);
    bool missed = any_ends(results, leg, CMO_OUTCOME_NO_LINE) ||
                  any_ends(results, leg, CMO_OUTCOME_ONE_SENSOR);
    if (missed) {
        add_missed(advice, leg, of, &line);
    }
    if (missed || elsewhere) {
        add_tone(advice, leg, of, &line);
    }
    if (line.most_width_mm == 0.0F && line.tone != CMO_TONE_VOID && least > 0.0 && elsewhere) {
        char *field = field_of(leg, of, "most_width_mm");
        double most = handy(WIDEST * least);
        lab_advice_tried *tried =
            add(advice, g_strdup_printf("%s %g: what is wider is no line", field, most));
        change(tried, field, most);
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
                              "what the tyres pass on; a leg measure_braking measures it"));
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

void labi_advice_changes(lab_advice *advice, const lab_route *route, const lab_results *results) {
    for (unsigned leg = 0; leg < route->legs; leg++) {
        add_leg(advice, route, results, leg);
    }
    if (route->fleet == NULL) {
        add_robot(advice, route->robot);
        add_levels(advice, route);
    }
}
