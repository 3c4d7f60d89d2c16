// SPDX-License-Identifier: GPL-3.0-or-later
// Square on line from random angles, true figures: the demo robot with its spots measured by the
// robot itself, and common practice on the same robots.
#define _POSIX_C_SOURCE 200809L // for a pipe to gnuplot
#include "practice.h"

#include <cammino_lab/run.h>

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define TRIALS_MAX 2000
#define EDGE_MM    550.0

static const char lines_svg[] =
    "<svg xmlns='http://www.w3.org/2000/svg' width='1500mm' height='1100mm' viewBox='0 0 1500 "
    "1100'>"
    "<rect width='1500' height='1100' fill='#c9d2c6'/><g class='line' fill='#2c3036'>"
    "<rect x='550' width='20' height='1100'/><rect x='950' width='20' height='1100'/></g></svg>";

static uint64_t bits = 1;

static double even(double low, double high) {
    bits = bits * 6364136223846793005U + 1442695040888963407U;
    return low + (high - low) * (double)(bits >> 11) * 0x1p-53;
}

typedef struct figures {
    double residual[TRIALS_MAX], rest[TRIALS_MAX], after_ms[TRIALS_MAX];
    double own_residual[TRIALS_MAX], own_rest[TRIALS_MAX]; // the robot's, less the truth
    int done, tried;
} figures;

static int by_size(const void *a, const void *b) {
    double first = fabs(*(const double *)a);
    double second = fabs(*(const double *)b);
    return (first > second) - (first < second);
}

static double rms(const double *values, int count) {
    double sum = 0.0;
    for (int i = 0; i < count; i++) {
        sum += values[i] * values[i] / count;
    }
    return sqrt(sum);
}

static double part(double *values, int count, double share) {
    qsort(values, (size_t)count, sizeof(double), by_size);
    return fabs(values[MIN((int)(share * count), count - 1)]);
}

// Each robot measures itself on the same mat first.
static bool calibrate(lab_route *route, uint64_t seed, cmo_robot_description *out) {
    lab_leg leg = route->leg[0];
    *out = route->robot->description;
    route->leg[0] = (lab_leg){.routine = CMO_ROUTINE_MEASURE_GEOMETRY,
                              .parameters.measure_geometry = {.lines_mm = 400}};
    route->x_mm = 370;
    route->y_mm = 600;
    route->heading_deg = 0;
    lab_run *run = lab_drive(route, seed);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    bool good = result->outcome == CMO_OUTCOME_DONE;
    if (good) {
        cmo_geometry_apply(&result->geometry, out);
    }
    lab_run_free(run);
    route->leg[0] = leg;
    return good;
}

// From the second sensor's true crossing to rest.
static double after_second(const lab_run *run, const lab_leg_result *leg) {
    (void)run;
    return leg->stopped_ms + leg->truth.value[CMO_SETTLE_MS];
}

static void place(lab_route *route, double run_up) {
    route->heading_deg = even(-40, 40);
    double turn = route->heading_deg * G_PI / 180.0;
    double reach = 70.0 * cos(turn) + 45.0 * fabs(sin(turn));
    route->x_mm = EDGE_MM - reach - run_up * cos(turn);
    route->y_mm = 550.0 - run_up * sin(turn);
}

static void ours(lab_route *route, int robots, double speed, figures *out) {
    memset(out, 0, sizeof *out);
    cmo_robot_description stated = route->robot->description;
    for (int i = 0; i < robots; i++) {
        cmo_robot_description measured;
        bits = (uint64_t)i * 77 + (uint64_t)speed;
        if (!calibrate(route, (uint64_t)i + 1, &measured)) {
            continue;
        }
        even(0, 1);
        route->robot->description = measured;
        place(route, 120 + even(0, 8));
        route->leg[0].parameters.square_on_line.cruise_mm_s = (float)speed;
        lab_run *run = lab_drive(route, (uint64_t)i + 1);
        const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, 0);
        out->tried++;
        if (leg->outcome == CMO_OUTCOME_DONE) {
            int n = out->done++;
            out->residual[n] = leg->truth.value[CMO_RESIDUAL_ANGLE_DEG];
            out->rest[n] = leg->truth.value[CMO_REST_ERROR_MM];
            out->own_residual[n] = leg->robot.value[CMO_RESIDUAL_ANGLE_DEG] - out->residual[n];
            out->own_rest[n] = leg->robot.value[CMO_REST_ERROR_MM] - out->rest[n];
            // The second sensor crosses later than the first by the spots' distance times tan.
            double lag = 90.0 * tan(fabs(leg->truth.value[CMO_ENTRY_ANGLE_DEG]) * G_PI / 180.0) /
                         speed * 1000.0;
            out->after_ms[n] = after_second(run, leg) - lag;
        } else if (out->tried - out->done < 4) {
            printf("    robot %d: %s\n", i + 1, cmo_outcome_name(leg->outcome));
        }
        lab_run_free(run);
        route->robot->description = stated;
    }
}

// Common practice on the same robots and from the same places.
static void theirs(lab_route *route, int robots, double speed, int way, double reverse,
                   figures *out) {
    memset(out, 0, sizeof *out);
    for (int i = 0; i < robots; i++) {
        bits = (uint64_t)i * 77 + (uint64_t)speed;
        even(0, 1);
        place(route, 120 + even(0, 8));
        cmo_sim_setup setup = {.traits = route->robot->traits,
                               .plant = route->robot->plant,
                               .mat = route->mat,
                               .x_mm = route->x_mm,
                               .y_mm = route->y_mm,
                               .heading_deg = route->heading_deg,
                               .seed = (uint64_t)i + 1};
        cmo_sim_faults_none(&setup.faults);
        cmo_sim *sim = cmo_sim_new(&setup);
        practice p = {.port = cmo_sim_port(sim), .tick_us = 10000, .step_mm = 0.5};
        for (int n = 0; n < 2; n++) {
            const cmo_levels *levels = &route->robot->levels[n];
            p.threshold[n] = 0.5 * (levels->dark + levels->light);
        }
        bool done = way == 0   ? practice_square_by_wheel(&p, speed, 0.0)
                    : way == 1 ? practice_square_by_wheel(&p, speed, reverse)
                               : practice_square_by_halves(&p, 100.0, 60.0);
        out->tried++;
        cmo_sim_truth end = cmo_sim_truth_now(sim);
        if (done) {
            double left_x, right_x, y;
            cmo_sim_spot(sim, &end, 0, &left_x, &y);
            cmo_sim_spot(sim, &end, 1, &right_x, &y);
            double off = end.heading_rad * 180.0 / G_PI;
            double target = way == 2 ? EDGE_MM + 10.0 : EDGE_MM;
            out->residual[out->done] = remainder(off, 360.0);
            out->rest[out->done] = 0.5 * (left_x + right_x) - target;
            out->after_ms[out->done] = p.elapsed_ms;
            out->done++;
        }
        cmo_sim_free(sim);
    }
}

static void print_row(const char *name, figures *f, bool elapsed) {
    if (f->done == 0) {
        printf("%-34s none of %d done\n", name, f->tried);
        return;
    }
    double residual = rms(f->residual, f->done);
    double rest = rms(f->rest, f->done);
    printf("%-34s%9.2f%9.2f%9.2f%9.2f%9.0f%s %5d/%d\n", name, residual,
           part(f->residual, f->done, 0.99), rest, part(f->rest, f->done, 0.99),
           part(f->after_ms, f->done, 0.95), elapsed ? " (all)" : "      ", f->done, f->tried);
}

// Where the trials end: rest error over residual angle, with the ellipse that holds 95 % of a
// normal law of the same covariance.
static void put_cloud(FILE *out, const char *name, const figures *f) {
    double mx = 0.0, my = 0.0, xx = 0.0, yy = 0.0, xy = 0.0;
    fprintf(out, "$%s << EOD\n", name);
    for (int i = 0; i < f->done; i++) {
        fprintf(out, "%.4f %.4f\n", f->residual[i], f->rest[i]);
        mx += f->residual[i] / f->done;
        my += f->rest[i] / f->done;
    }
    for (int i = 0; i < f->done; i++) {
        xx += (f->residual[i] - mx) * (f->residual[i] - mx) / f->done;
        yy += (f->rest[i] - my) * (f->rest[i] - my) / f->done;
        xy += (f->residual[i] - mx) * (f->rest[i] - my) / f->done;
    }
    double middle = 0.5 * (xx + yy);
    double half = sqrt(0.25 * (xx - yy) * (xx - yy) + xy * xy);
    double angle = 0.5 * atan2(2.0 * xy, xx - yy);
    fprintf(out, "EOD\n%s_x = %.5f; %s_y = %.5f; %s_a = %.5f; %s_b = %.5f; %s_t = %.5f\n", name, mx,
            name, my, name, 2.448 * sqrt(middle + half), name,
            2.448 * sqrt(fmax(middle - half, 0.0)), name, angle);
}

static void draw(lab_route *route, const char *path, int robots) {
    static figures f;
    FILE *out = popen("gnuplot", "w");
    if (out == NULL) {
        fprintf(stderr, "%s: gnuplot cannot be run\n", path);
        return;
    }
    fprintf(out,
            "set terminal pngcairo size 1280,720 font 'DejaVu Sans,10.5' background '#ffffff'\n"
            "set output '%s'\n",
            path);
    ours(route, robots, 250, &f);
    put_cloud(out, "ours", &f);
    theirs(route, robots, 250, 1, 0.5, &f);
    put_cloud(out, "theirs", &f);
    fprintf(out,
            "set border linecolor rgb '#444444'; set grid linecolor rgb '#cccccc'\n"
            "set parametric; set trange [0:2*pi]\n"
            "set xlabel 'residual angle, degrees'; set ylabel 'rest beyond the near edge, mm'\n"
            "set multiplot layout 1,2 title 'Square on line at 250 mm/s from -40 to 40 degrees: "
            "where %d robots end, and the 95 %% ellipse' font 'DejaVu Sans Bold,13'\n"
            "set bmargin 6.5; set key outside bottom center horizontal\n"
            "set title 'both, to one scale'\n"
            "plot $theirs using 1:2 with points pointtype 7 pointsize 0.5 linecolor rgb '#d9883b' "
            "title 'wheel by wheel with a reverse by trial', "
            "theirs_x + theirs_a*cos(t)*cos(theirs_t) - theirs_b*sin(t)*sin(theirs_t), "
            "theirs_y + theirs_a*cos(t)*sin(theirs_t) + theirs_b*sin(t)*cos(theirs_t) "
            "linecolor rgb '#8a4b10' linewidth 1.5 notitle, "
            "$ours using 1:2 with points pointtype 7 pointsize 0.5 linecolor rgb '#2c4a6e' "
            "title 'square on line'\n"
            "set title 'square on line alone'\nset xrange [-1:1]; set yrange [-1:1]\n"
            "plot $ours using 1:2 with points pointtype 7 pointsize 0.6 linecolor rgb '#2c4a6e' "
            "title 'square on line', "
            "ours_x + ours_a*cos(t)*cos(ours_t) - ours_b*sin(t)*sin(ours_t), "
            "ours_y + ours_a*cos(t)*sin(ours_t) + ours_b*sin(t)*cos(ours_t) "
            "linecolor rgb '#b00020' linewidth 1.5 title '95 %% of a normal law'\n"
            "unset multiplot\nunset output\n",
            robots);
    pclose(out);
}

// From the second crossing: known after the sensor's delay, brake at the tyres' limit, then turn
// back from 40 degrees and come back over the edge, the outer wheel as fast as its grip allows.
static void print_limit(const lab_route *route) {
    const cmo_sim_plant *p = &route->robot->plant;
    double late_s =
        1e-3 * (0.5 * p->sensor[0].interval_ms + p->sensor[0].delay_ms + p->command_delay_ms) +
        0.5e-6 * route->robot->description.tick_us;
    double grip = 1000.0 * p->grip_m_s2;
    printf("physical limit of this plant, from 40 degrees, ms:");
    for (int speed = 150; speed <= 400; speed += 50) {
        double past = speed * late_s + speed * speed / (2.0 * grip);
        double way = past + 0.698 * 0.5 * p->track_mm;
        printf(" %.0f", 1000.0 * (late_s + speed / grip + 2.0 * sqrt(way / grip)));
    }
    printf(" at 150, 200 ... 400 mm/s\n");
}

int main(int count, char **arguments) {
    int robots = count > 1 ? CLAMP(atoi(arguments[1]), 10, TRIALS_MAX) : 300;
    GError *error = NULL;
    static const char text[] = "robot: r\nmat: m\nstart: {x_mm: 250, y_mm: 550}\nlegs:\n"
                               "  - square_on_line: {least_width_mm: 15}\n";
    lab_route *route = lab_route_from_bytes("x", text, sizeof text - 1, &error);
    // bench_squaring ROBOTS [ROBOT.yaml | PICTURE.png]
    bool other = count > 2 && g_str_has_suffix(arguments[2], ".yaml");
    const char *robot = other ? arguments[2] : SOURCE_DIR "/data/ferry/mozzo.yaml";
    route->robot = lab_robot_load(robot, &error);
    route->mat = cmo_sim_mat_from_bytes("m", lines_svg, sizeof lines_svg - 1, NULL, &error);
    if (route->robot == NULL || route->mat == NULL) {
        fprintf(stderr, "%s\n", error->message);
        return 2;
    }
    if (count > 2 && !other) {
        draw(route, arguments[2], robots);
        lab_route_free(route);
        return 0;
    }
    static figures f;
    printf("Square on line, entry -40 to 40 degrees, true figures, %d robots a row\n\n"
           "%-34s%9s%9s%9s%9s%9s\n%-34s%9s%9s%9s%9s%9s\n",
           robots, "", "residual", "residual", "rest", "rest", "time", "", "RMS deg", "p99 deg",
           "RMS mm", "p99 mm", "p95 ms");
    bool good = true;
    for (int speed = 150; speed <= 400; speed += 50) {
        char name[64];
        ours(route, robots, speed, &f);
        double own_residual = rms(f.own_residual, MAX(f.done, 1));
        double own_rest = rms(f.own_rest, MAX(f.done, 1));
        g_snprintf(name, sizeof name, "square_on_line at %d mm/s", speed);
        good = good && f.done == f.tried && rms(f.residual, f.done) <= 0.2 &&
               part(f.residual, f.done, 0.99) <= 0.5 && rms(f.rest, f.done) <= 0.5 &&
               part(f.after_ms, f.done, 0.95) <= 1300.0;
        print_row(name, &f, false);
        printf("%-34s%9.2f%9s%9.2f\n", "  the robot's own word, off by", own_residual, "",
               own_rest);
    }
    printf("%-34s%9.2f%9.2f%9.2f%9s%9.0f  %s\n\n", "bar", 0.2, 0.5, 0.5, "", 1300.0,
           good ? "holds" : "misses");
    for (int speed = 150; speed <= 350; speed += 200) {
        char name[64];
        theirs(route, robots, speed, 0, 0.0, &f);
        g_snprintf(name, sizeof name, "wheel by wheel at %d", speed);
        print_row(name, &f, true);
        double best = 0.0;
        double least = 1e9;
        for (double reverse = 0.1; reverse < 0.7; reverse += 0.1) { // what trial finds
            theirs(route, MIN(robots, 60), speed, 1, reverse, &f);
            double residual = rms(f.residual, MAX(f.done, 1));
            best = residual < least ? reverse : best;
            least = fmin(least, residual);
        }
        theirs(route, robots, speed, 1, best, &f);
        g_snprintf(name, sizeof name, "  with a reverse of %.1f, by trial", best);
        print_row(name, &f, true);
    }
    theirs(route, robots, 100, 2, 0.0, &f);
    print_row("by halves, two passes, after 100", &f, true);
    print_limit(route);
    lab_route_free(route);
    return good ? 0 : 1;
}
