// SPDX-License-Identifier: GPL-3.0-or-later
// What stated lines are for: where the robot believes to be after eight legs over four lines, with
// the lines' places stated and without; and after a single line.
#define _POSIX_C_SOURCE 200809L // for a pipe to gnuplot
#include <cammino_lab/series.h>

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define MOST 2000

static const char svg[] =
    "<svg xmlns='http://www.w3.org/2000/svg' width='1300mm' height='1300mm' viewBox='0 0 1300 "
    "1300'>"
    "<rect width='1300' height='1300' fill='#c9d2c6'/><g class='line' fill='#2c3036'>"
    "<rect x='1000' y='800' width='20' height='400'/><rect x='730' y='280' width='400' "
    "height='20'/>"
    "<rect x='280' y='200' width='20' height='400'/><rect x='170' y='1000' width='400' "
    "height='20'/>"
    "</g></svg>";

static const char *const places[4] = {
    "x_mm: 1000, y_mm: 300, heading_deg: 0", "x_mm: 930, y_mm: 1000, heading_deg: 90",
    "x_mm: 300, y_mm: 930, heading_deg: 180", "x_mm: 370, y_mm: 300, heading_deg: 270"};

static lab_route *make(unsigned lines, bool stated) {
    GString *text = g_string_new("robot: r\nmat: m\nstart: {x_mm: 300, y_mm: 300}\nlegs:\n");
    for (unsigned i = 0; i < lines; i++) {
        g_string_append(text,
                        "  - square_on_line: {cruise_mm_s: 350, blind_mm: 250, least_width_mm: 15");
        if (stated) {
            g_string_append_printf(text, ", place: {%s}", places[i]);
        }
        g_string_append(text, "}\n  - turn: {angle_deg: 90}\n");
    }
    GError *error = NULL;
    lab_route *route = lab_route_from_bytes("drift", text->str, text->len, &error);
    if (route != NULL) {
        route->robot = lab_robot_load(SOURCE_DIR "/data/ferry/mozzo.yaml", &error);
        route->mat = cmo_sim_mat_from_bytes("m", svg, sizeof svg - 1, NULL, &error);
    }
    if (route == NULL || route->robot == NULL || route->mat == NULL) {
        fprintf(stderr, "%s\n", error->message);
        exit(2);
    }
    route->robot->plant.place_spread_mm = 0.05; // calibrated spots
    g_string_free(text, TRUE);
    return route;
}

static int by_size(const void *a, const void *b) {
    double first = *(const double *)a;
    double second = *(const double *)b;
    return (first > second) - (first < second);
}

// Returns the 95 % value of the pose's error.
static double measure(const char *name, unsigned lines, bool stated, int runs) {
    static double place[MOST], heading[MOST];
    lab_route *route = make(lines, stated);
    int done = 0;
    for (int i = 0; i < runs; i++) {
        lab_run *run = lab_drive_trial(route, (uint64_t)i + 1, false);
        if (run->outcome == CMO_OUTCOME_DONE) {
            place[done] = run->pose_error_mm;
            heading[done++] = fabs(run->heading_error_deg);
        }
        lab_run_free(run);
    }
    lab_route_free(route);
    qsort(place, (size_t)done, sizeof(double), by_size);
    qsort(heading, (size_t)done, sizeof(double), by_size);
    if (done == 0) {
        printf("%-36s none of %d done\n", name, runs);
        return INFINITY;
    }
    printf("%-36s%10.2f%10.2f%10.2f%10.2f%8d/%d\n", name, place[done / 2],
           place[(int)(0.95 * done)], heading[done / 2], heading[(int)(0.95 * done)], done, runs);
    return place[(int)(0.95 * done)];
}

// Where the robot believes to be, from where it is: with the lines stated, and without.
static void put_cloud(FILE *out, const char *name, bool stated, int runs) {
    lab_route *route = make(4, stated);
    fprintf(out, "$%s << EOD\n", name);
    for (int i = 0; i < runs; i++) {
        lab_run *run = lab_drive_trial(route, (uint64_t)i + 1, false);
        if (run->outcome == CMO_OUTCOME_DONE) {
            fprintf(out, "%.3f %.3f\n", run->pose_off_x_mm, run->pose_off_y_mm);
        }
        lab_run_free(run);
    }
    fprintf(out, "EOD\n");
    lab_route_free(route);
}

static void draw(const char *path, int runs) {
    FILE *out = popen("gnuplot", "w");
    if (out == NULL) {
        fprintf(stderr, "%s: gnuplot cannot be run\n", path);
        return;
    }
    put_cloud(out, "without", false, runs);
    put_cloud(out, "with", true, runs);
    fprintf(
        out,
        "set terminal pngcairo size 1000,760 font 'DejaVu Sans,10.5' background '#ffffff'\n"
        "set output '%s'\nset border linecolor rgb '#444444'\n"
        "set grid linecolor rgb '#cccccc'\nset size ratio -1\n"
        "set title 'After eight legs over four lines: believed place less the true one, %d trials' "
        "font 'DejaVu Sans Bold,13'\n"
        "set xlabel 'x, mm'; set ylabel 'y, mm'\nset key outside bottom center horizontal\n"
        "plot $without using 1:2 with points pointtype 7 pointsize 0.6 linecolor rgb '#d9883b' "
        "title 'lines not stated', $with using 1:2 with points pointtype 7 pointsize 0.6 linecolor "
        "rgb '#2c4a6e' title 'lines stated'\nunset output\n",
        path, runs);
    pclose(out);
}

int main(int count, char **arguments) {
    if (count > 2) { // bench_drift TRIALS PICTURE.png
        draw(arguments[2], CLAMP(atoi(arguments[1]), 10, MOST));
        return 0;
    }
    int runs = count > 1 ? CLAMP(atoi(arguments[1]), 10, MOST) : 500;
    printf(
        "Believed pose against the truth at the end, start off by 5 mm and 2 degrees, %d trials\n\n"
        "%-36s%10s%10s%10s%10s\n%-36s%10s%10s%10s%10s\n",
        runs, "", "place", "place", "heading", "heading", "", "p50 mm", "p95 mm", "p50 deg",
        "p95 deg");
    double one = measure("one line stated, two legs", 1, true, runs);
    double four = measure("four lines stated, eight legs", 4, true, runs);
    double none = measure("four lines not stated, eight legs", 4, false, runs);
    // The last line takes out one coordinate, the one before it the other.
    bool good = four <= 1.3 * one && none > 3.0 * four;
    printf("%s\n", good ? "holds: eight legs end as one line does" : "misses");
    return good ? 0 : 1;
}
