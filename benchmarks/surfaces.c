// SPDX-License-Identifier: GPL-3.0-or-later
// Drives over stripes of six taught surfaces, of others that nobody has taught, and over print in
// narrow bars, and asks under each sensor what it is: by colour, in light that differs by up to
// 20 %, and by reflectance alone. Common practice beside: the nearest of the means, once two looks
// agree. And how well the error rates agree that `cammino levels` predicts.
//
//     bench_surfaces [PASSES]
#include "kinds.h"
#include "population.h"

#include <cammino_lab/floor.h>

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define FLOORS   24U
#define STRIPES  9U
#define FIRST_MM 320.0
#define WIDE_MM  1600.0
#define NOBODYS  200 // numbers of what was not taught, from here on

static const char *const taught_colours[] = {"#c9d2c6", "#a8322b", "#e8b92e",
                                             "#8b938e", "#24468c", "#1f6b40"};
static const char *const taught_greys[] = {"#dddddd", "#c8c8c8", "#b1b1b1",
                                           "#959595", "#6f6f6f", "#272727"};
#define TAUGHT G_N_ELEMENTS(taught_colours)
static const char *const other_colours[] = {"#7a3f86", "#d9702c", "#3aa0b4", "#8a9a3a"};
static const char *const other_greys[] = {"#bdbdbd", "#a4a4a4", "#848484", "#555555"};

typedef struct stripe {
    double from_mm, to_mm;
    unsigned kind; // a surface from 0; from NOBODYS on none; print: NOBODYS + 100
} stripe;
#define PRINT (NOBODYS + 100)

typedef struct floor_of {
    stripe stripe[STRIPES];
    cmo_sim_mat *mat;
} floor_of;

static void lay(floor_of *f, unsigned number, bool colour) {
    const char *const *taught = colour ? taught_colours : taught_greys;
    const char *const *others = colour ? other_colours : other_greys;
    GString *svg = g_string_new(NULL);
    g_string_printf(svg,
                    "<svg xmlns='http://www.w3.org/2000/svg' width='%gmm' height='400mm' "
                    "viewBox='0 0 %g 400'><rect width='%g' height='400' fill='%s'/>",
                    WIDE_MM, WIDE_MM, WIDE_MM, taught[0]);
    double x = FIRST_MM;
    for (unsigned i = 0; i < STRIPES; i++) {
        unsigned seed = number * STRIPES + i;
        double width = population_even(seed, "width", 22, 40);
        unsigned what = (unsigned)population_even(seed, "what", 0, 8);
        unsigned which = (unsigned)population_even(seed, "which", 0, 3.999);
        f->stripe[i] = (stripe){x, x + width, what < 5 ? 1 + what : NOBODYS + which};
        if (what < 7) {
            g_string_append_printf(svg, "<rect x='%.3f' width='%.3f' height='400' fill='%s'/>", x,
                                   width, what < 5 ? taught[1 + what] : others[which]);
        } else { // bars of two taught ones
            f->stripe[i].kind = PRINT;
            double bar = population_even(seed, "bar", 1.5, 3);
            for (double at = x; at + bar < x + width; at += 2.0 * bar) {
                g_string_append_printf(svg, "<rect x='%.3f' width='%.3f' height='400' fill='%s'/>",
                                       at, bar, taught[1 + which]);
                g_string_append_printf(svg, "<rect x='%.3f' width='%.3f' height='400' fill='%s'/>",
                                       at + bar, bar, taught[2 + which]);
            }
        }
        x += width + population_even(seed, "gap", 60, 90);
    }
    g_string_append(svg, "</svg>");
    GError *error = NULL;
    cmo_sim_mat_options options = {.colour = true};
    f->mat = cmo_sim_mat_from_bytes("floor", svg->str, svg->len, &options, &error);
    if (f->mat == NULL) {
        fprintf(stderr, "%s\n", error->message);
        exit(2);
    }
    g_string_free(svg, TRUE);
}

// A sheet of all taught surfaces, 100 mm each.
static cmo_sim_mat *taught_sheet(bool colour) {
    const char *const *taught = colour ? taught_colours : taught_greys;
    GString *svg = g_string_new("<svg xmlns='http://www.w3.org/2000/svg' width='600mm' "
                                "height='200mm' viewBox='0 0 600 200'>");
    for (unsigned i = 0; i < TAUGHT; i++) {
        g_string_append_printf(svg, "<rect x='%u' width='100' height='200' fill='%s'/>", 100 * i,
                               taught[i]);
    }
    g_string_append(svg, "</svg>");
    cmo_sim_mat_options options = {.colour = true};
    cmo_sim_mat *mat = cmo_sim_mat_from_bytes("sheet", svg->str, svg->len, &options, NULL);
    g_string_free(svg, TRUE);
    return mat;
}

// ------------------------------------------------------------------------------------- teaching --

// As `cammino levels` would, from 40 readings of each: the robot's levels and surfaces.
static lab_floor *teach(lab_robot *robot, cmo_sim_mat *sheet, uint64_t seed, double change) {
    GString *csv = g_string_new("surface,counts_left,red_left,green_left,blue_left,counts_right,"
                                "red_right,green_right,blue_right\n");
    for (unsigned i = 0; i < TAUGHT; i++) {
        cmo_sim_setup setup = {.traits = robot->traits,
                               .plant = robot->plant,
                               .faults = robot->faults,
                               .mat = sheet,
                               .x_mm = 50.0 + 100.0 * i - robot->plant.sensor[0].ahead_mm,
                               .y_mm = 100,
                               .seed = seed};
        cmo_sim *sim = cmo_sim_new(&setup);
        const cmo_port *port = cmo_sim_port(sim);
        for (unsigned n = 0; n < 42;) {
            cmo_sample sample;
            memset(&sample, 0, sizeof sample);
            cmo_sim_pass(sim, robot->plant.sensor[0].interval_ms);
            port->sample(port->context, &sample);
            if (sample.light[0].looks == 0 || sample.light[1].looks == 0 || n++ < 2) {
                continue;
            }
            g_string_append_printf(csv, "%u", i);
            for (unsigned k = 0; k < 2; k++) {
                const cmo_look *look = &sample.light[k].look[sample.light[k].looks - 1];
                g_string_append_printf(csv, ",%u,%u,%u,%u", look->counts, look->colour[0],
                                       look->colour[1], look->colour[2]);
            }
            g_string_append_c(csv, '\n');
        }
        cmo_sim_free(sim);
    }
    lab_floor *floor = lab_floor_from_bytes("readings", csv->str, csv->len, NULL);
    g_string_free(csv, TRUE);
    lab_sensor_levels found[CMO_LIGHTS_MAX];
    for (unsigned k = 0; k < 2; k++) {
        lab_floor_judge(floor, &robot->description, k, "line", change, &found[k]);
        robot->levels[k] = found[k].levels;
    }
    lab_floor_surfaces(floor, &robot->description, found, change, robot, NULL);
    for (unsigned k = 0; k < 2; k++) {
        lab_sensor_levels_clear(&found[k]);
    }
    return floor;
}

// --------------------------------------------------------------------------------------- passes --

// What a sensor has been told on a stripe: the surface, and whether others were.
typedef struct pass {
    bool right, other;
} pass;

typedef struct watch {
    cmo_sim *sim;
    const cmo_robot *robot;
    const floor_of *floor;
    pass ours[2][STRIPES], theirs[2][STRIPES];
    uint32_t seen_us[2];
    unsigned last[2], agree[2];
} watch;

// The nearest of the means.
static unsigned nearest(const cmo_robot *robot, unsigned sensor) {
    const cmo_surfaces *known = robot->surfaces;
    const cmo_light *light = &robot->light[sensor];
    unsigned best = 0;
    double least = INFINITY;
    for (unsigned i = 0; i < known->count; i++) {
        const cmo_shade *shade = &known->shade[i][sensor];
        double off = known->colour[sensor] ? 0.0 : fabs((double)light->counts - shade->counts);
        for (unsigned c = 0; known->colour[sensor] && c < CMO_COLOURS; c++) {
            off += ((double)light->colour[c] - shade->colour[c]) *
                   ((double)light->colour[c] - shade->colour[c]);
        }
        if (off < least) {
            least = off;
            best = i + 1;
        }
    }
    return best;
}

static void note(pass *to, const stripe *on, unsigned told) {
    if (told > 1) { // the deck is all around
        bool right = told == on->kind + 1;
        to->right = to->right || right;
        to->other = to->other || !right;
    }
}

static void take_row(void *context, const cmo_trace_row *row) {
    watch *w = context;
    (void)row;
    cmo_sim_truth truth = cmo_sim_truth_now(w->sim);
    for (unsigned k = 0; k < 2; k++) {
        const cmo_light *light = &w->robot->light[k];
        double x, y;
        cmo_sim_spot(w->sim, &truth, k, &x, &y);
        if (!light->seen || light->look_us == w->seen_us[k]) {
            continue;
        }
        w->seen_us[k] = light->look_us;
        unsigned told = nearest(w->robot, k);
        w->agree[k] = told == w->last[k] ? w->agree[k] + 1 : 1;
        w->last[k] = told;
        for (unsigned i = 0; i < STRIPES; i++) { // looks come late by as much as the robot drives
            const stripe *s = &w->floor->stripe[i];
            if (x > s->from_mm - 10.0 && x < s->to_mm + 40.0) {
                note(&w->ours[k][i], s, cmo_surface_under(w->robot, (uint8_t)k));
                note(&w->theirs[k][i], s, w->agree[k] >= 2 ? told : 0);
            }
        }
    }
}

typedef struct tally {
    unsigned passes, wrong, missed; // of taught ones
    unsigned others, taken;         // of what was not taught: taken for something
    unsigned prints, print_taken;
} tally;

static void add(tally *t, const pass *of, const stripe *on) {
    if (on->kind < NOBODYS) {
        t->passes++;
        t->wrong += of->other;
        t->missed += !of->other && !of->right;
    } else if (on->kind < PRINT) {
        t->others++;
        t->taken += of->other;
    } else {
        t->prints++;
        t->print_taken += of->other;
    }
}

typedef struct work {
    const floor_of *floors;
    cmo_sim_mat *sheet;
    const lab_robot *robot;
    bool colour;
    double light; // by which it differs
    tally ours, theirs;
    GMutex lock;
} work;

static void drive_one(gpointer data, gpointer context) {
    work *w = context;
    unsigned number = GPOINTER_TO_UINT(data) - 1U;
    lab_robot robot = *w->robot;
    lab_floor *floor = teach(&robot, w->sheet, number + 1, w->colour ? 0.2 : 0.02);
    const floor_of *f = &w->floors[number % FLOORS];
    double bright = 1.0 + population_even(number, "light", -w->light, w->light);
    for (unsigned k = 0; k < 2; k++) {
        cmo_sim_light *sensor = &robot.plant.sensor[k];
        sensor->white_counts =
            sensor->black_counts + bright * (sensor->white_counts - sensor->black_counts);
    }
    cmo_sim_setup setup = {.traits = robot.traits,
                           .plant = robot.plant,
                           .faults = robot.faults,
                           .mat = f->mat,
                           .x_mm = 150.0,
                           .y_mm = 200.0 + population_even(number, "aside", -20, 20),
                           .heading_deg = population_even(number, "heading", -4, 4),
                           .seed = number + 1};
    watch seen = {.sim = cmo_sim_new(&setup), .floor = f};
    cmo_robot driver;
    seen.robot = &driver;
    cmo_robot_start(&driver, &robot.description, cmo_sim_port(seen.sim));
    for (uint8_t k = 0; k < 2; k++) {
        cmo_robot_set_levels(&driver, k, &robot.levels[k]);
    }
    cmo_robot_set_surfaces(&driver, &robot.surfaces);
    cmo_robot_set_trace(&driver, take_row, &seen);
    // As fast as the least width of 22 mm lets a search be.
    cmo_line_state state;
    cmo_line_parameters line = {
        .surface = 2, .least_width_mm = 22, .cruise_mm_s = robot.description.top_speed_mm_s};
    double most = 450.0;
    if (cmo_stop_on_line_start(&driver, &state, &line) == CMO_OUTCOME_TOO_FAST) {
        most = fmin((double)driver.limit, most);
    } else {
        cmo_halt_now(&driver, CMO_HALT_DEFAULT);
    }
    cmo_advance(&driver, &(cmo_advance_parameters){.distance_mm = (float)(WIDE_MM - 300.0),
                                                   .speed_mm_s = (float)population_even(
                                                       number, "speed", 0.3 * most, most)});
    cmo_sim_free(seen.sim);
    g_mutex_lock(&w->lock);
    for (unsigned k = 0; k < 2; k++) {
        for (unsigned i = 0; i < STRIPES; i++) {
            add(&w->ours, &seen.ours[k][i], &f->stripe[i]);
            add(&w->theirs, &seen.theirs[k][i], &f->stripe[i]);
        }
    }
    g_mutex_unlock(&w->lock);
    for (unsigned i = 0; i < robot.surfaces.count; i++) {
        g_free(robot.surface_name[i]);
    }
    lab_floor_free(floor);
}

static void print_tally(const char *name, const tally *t) {
    printf("  %-14s%8u%8u%8u%10.2f%10u%8u%9u%7u\n", name, t->passes, t->wrong, t->missed,
           100.0 * (t->wrong + t->missed) / MAX(t->passes, 1U), t->others, t->taken, t->prints,
           t->print_taken);
}

static void run_all(work *w, unsigned passes, const char *name) {
    w->ours = w->theirs = (tally){0};
    g_mutex_init(&w->lock);
    GThreadPool *pool = g_thread_pool_new(drive_one, w, (int)g_get_num_processors(), TRUE, NULL);
    unsigned runs = passes / (2 * STRIPES * 5 / 8) + 1;
    for (unsigned i = 1; i <= runs; i++) {
        g_thread_pool_push(pool, GUINT_TO_POINTER(i), NULL);
    }
    g_thread_pool_free(pool, FALSE, TRUE);
    g_mutex_clear(&w->lock);
    printf("%s\n", name);
    print_tally("told", &w->ours);
    print_tally("nearest mean", &w->theirs);
    fflush(stdout);
}

// ----------------------------------------------------------------------------------- prediction --

// Two greys so near to each other that readings of one are taken for the other, as predicted and as
// they come from a robot that stands on it.
static void predict(lab_robot *robot) {
    printf("\nError rates of single readings, of two greys\n%14s%12s%12s\n", "greys", "predicted",
           "measured");
    for (unsigned apart = 8; apart <= 14; apart += 2) {
        char *svg = g_strdup_printf(
            "<svg xmlns='http://www.w3.org/2000/svg' width='600mm' height='200mm' viewBox='0 0 600 "
            "200'><rect width='200' height='200' fill='#1c1c1c'/><rect x='200' width='200' "
            "height='200' fill='#808080'/><rect x='400' width='200' height='200' "
            "fill='#%02x%02x%02x'/></svg>",
            0x80 + apart, 0x80 + apart, 0x80 + apart);
        cmo_sim_mat *mat = cmo_sim_mat_from_bytes("greys", svg, strlen(svg), NULL, NULL);
        g_free(svg);
        GString *csv = g_string_new("surface,counts_left\n");
        GArray *readings[3];
        for (unsigned i = 0; i < 3; i++) {
            readings[i] = g_array_new(FALSE, FALSE, sizeof(uint16_t));
            cmo_sim_setup setup = {.traits = robot->traits,
                                   .plant = robot->plant,
                                   .faults = robot->faults,
                                   .mat = mat,
                                   .x_mm = 100.0 + 200.0 * i - robot->plant.sensor[0].ahead_mm,
                                   .y_mm = 100,
                                   .seed = 1};
            cmo_sim *sim = cmo_sim_new(&setup);
            const cmo_port *port = cmo_sim_port(sim);
            for (unsigned n = 0; n < 40000; n++) {
                cmo_sample sample;
                memset(&sample, 0, sizeof sample);
                cmo_sim_pass(sim, robot->plant.sensor[0].interval_ms);
                port->sample(port->context, &sample);
                if (sample.light[0].looks > 0) {
                    uint16_t counts = sample.light[0].look[sample.light[0].looks - 1].counts;
                    g_array_append_val(readings[i], counts);
                    if (n % 100 == 0) {
                        g_string_append_printf(csv, "%u,%u\n", i, counts);
                    }
                }
            }
            cmo_sim_free(sim);
        }
        lab_robot taught = *robot;
        taught.description.lights = 1;
        lab_floor *floor = lab_floor_from_bytes("readings", csv->str, csv->len, NULL);
        lab_sensor_levels found;
        lab_floor_judge(floor, &taught.description, 0, "line", 0.0, &found);
        lab_floor_surfaces(floor, &taught.description, &found, 0.0001, &taught, NULL);
        lab_told told;
        lab_floor_tell(floor, &taught, 0, &found.levels, &told);
        cmo_surfaces_weigh(&taught.surfaces, 0, false, &found.levels);
        unsigned wrong[2] = {0};
        for (unsigned i = 1; i < 3; i++) {
            for (guint n = 0; n < readings[i]->len; n++) {
                float reading =
                    cmo_reflectance(&found.levels, g_array_index(readings[i], uint16_t, n));
                wrong[i - 1] +=
                    cmo_surface_of(&taught.surfaces, 0, &found.levels, &reading, NULL) == 4 - i;
            }
        }
        printf("  128 and %4u%11.2f%%%11.2f%%\n", 128 + apart,
               50.0 * (told.share[1][3] + told.share[2][2]),
               50.0 * (wrong[0] / (double)readings[1]->len + wrong[1] / (double)readings[2]->len));
        for (unsigned i = 0; i < 3; i++) {
            g_array_free(readings[i], TRUE);
            g_free(taught.surface_name[i]);
        }
        lab_sensor_levels_clear(&found);
        lab_floor_free(floor);
        g_string_free(csv, TRUE);
        cmo_sim_mat_free(mat);
    }
}

int main(int arguments, char **argument) {
    unsigned passes = arguments > 1 ? (unsigned)CLAMP(atoi(argument[1]), 100, 1000000) : 10000U;
    for (int colour = 1; colour >= 0; colour--) {
        static floor_of floors[FLOORS];
        for (unsigned n = 0; n < FLOORS; n++) {
            lay(&floors[n], n, colour);
        }
        cmo_sim_mat *sheet = taught_sheet(colour);
        printf("%s\n  %-14s%8s%8s%8s%10s%10s%8s%9s%7s\n",
               colour ? "By colour, light off by up to 20 %"
                      : "By reflectance alone, light off by "
                        "up to 2 %",
               "", "passes", "wrong", "missed", "% wrong", "untaught", "taken", "prints", "taken");
        for (size_t k = 0; k < LIGHT_KINDS; k++) {
            lab_robot *robot = robot_of_kind(&usual_kinds[k]);
            for (unsigned i = 0; i < 2; i++) {
                robot->description.light[i].colour = colour;
                robot->plant.sensor[i].colour = colour;
            }
            work w = {.floors = floors,
                      .sheet = sheet,
                      .robot = robot,
                      .colour = colour,
                      .light = colour ? 0.2 : 0.02};
            run_all(&w, k == 0 ? passes : passes / 4, usual_kinds[k].name);
            if (k == 0 && !colour) {
                predict(robot);
                printf("\n");
            }
            lab_robot_free(robot);
        }
        cmo_sim_mat_free(sheet);
        for (unsigned n = 0; n < FLOORS; n++) {
            cmo_sim_mat_free(floors[n].mat);
        }
        printf("\n");
    }
    return 0;
}
