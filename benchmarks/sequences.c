// SPDX-License-Identifier: GPL-3.0-or-later
// Legs in the order that users put them: a square after a halt at a line, and after a square; at a
// table's edge; and an edge that is followed after a halt and a turn. On the demo robot and on the
// fleet, each run with a slant of its own within the row's.
//
//     bench_sequences [RUNS]
#include <cammino_lab/series.h>

#include <glib/gstdio.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define FLOOR "#c9d2c6"
#define DARK  "#2c3036"

static char *folder;

static void write_here(const char *name, const char *text) {
    char *path = g_build_filename(folder, name, NULL);
    if (!g_file_set_contents(path, text, -1, NULL)) {
        fprintf(stderr, "bench_sequences: cannot write %s\n", path);
        exit(EXIT_FAILURE);
    }
    g_free(path);
}

typedef struct tally {
    unsigned done, runs;
    double within; // of the last leg's true figure, what 95 % keep to, at the worst of its routes
} tally;

static lab_results *drive(const char *robot, const char *mat, const char *start, double slant_deg,
                          const char *legs, unsigned runs) {
    char *text = g_strdup_printf("mat: %s\nstart: {%s, heading_deg: 0}\n"
                                 "spread: {heading_deg: %g}\nlegs:\n%s\n",
                                 mat, start, slant_deg, legs);
    write_here("route.yaml", text);
    char *route = g_build_filename(folder, "route.yaml", NULL);
    GError *error = NULL;
    lab_series_call call = {.route = route, .robot = robot, .trials = runs, .seed = 1};
    lab_results *results = lab_results_of(&call, &error);
    if (results == NULL) {
        fprintf(stderr, "bench_sequences: %s\n", error->message);
        exit(EXIT_FAILURE);
    }
    g_free(route);
    g_free(text);
    return results;
}

static void add(tally *sum, const lab_results *results, cmo_figure figure) {
    lab_series *series = lab_series_of(results, NULL);
    sum->done += series->completed;
    sum->runs += series->trials;
    if (figure < CMO_FIGURES) {
        double within = series->leg[series->legs - 1].figure[figure].truth.within;
        sum->within = fmax(sum->within, within);
    }
    lab_series_free(series);
}

#define ROBOTS 2
static const char *const robots[ROBOTS] = {SOURCE_DIR "/data/ferry/mozzo.yaml",
                                           SOURCE_DIR "/data/ferry/fleet.yaml"};

static void print(const char *name, const tally sums[ROBOTS]) {
    printf("%-52s", name);
    for (int i = 0; i < ROBOTS; i++) {
        printf("  %5u of %5u", sums[i].done, sums[i].runs);
        if (sums[i].within > 0.0) {
            printf(" %6.2f", sums[i].within);
        } else {
            printf("      -");
        }
    }
    printf("\n");
}

static void run(const char *name, const char *mat, const char *start, double slant_deg,
                const char *legs, cmo_figure figure, unsigned runs) {
    tally sums[ROBOTS] = {{0}};
    for (int i = 0; i < ROBOTS; i++) {
        lab_results *results = drive(robots[i], mat, start, slant_deg, legs, runs);
        add(&sums[i], results, figure);
        lab_results_free(results);
    }
    print(name, sums);
}

static void squares(unsigned runs) {
    static const char *const rows[][2] = {
        {"stop, near_edge; square", "  - stop_on_line: {cruise_mm_s: 200, rest: near_edge}\n"
                                    "  - square_on_line: {cruise_mm_s: 200}"},
        {"stop, centre; square", "  - stop_on_line: {cruise_mm_s: 200, rest: centre}\n"
                                 "  - square_on_line: {cruise_mm_s: 200}"},
        {"stop, far_edge; square", "  - stop_on_line: {cruise_mm_s: 200, rest: far_edge}\n"
                                   "  - square_on_line: {cruise_mm_s: 200}"},
        {"stop, halted; square", "  - stop_on_line: {cruise_mm_s: 300}\n"
                                 "  - square_on_line: {cruise_mm_s: 200}"},
        {"drive until line; square", "  - drive_until_line: {cruise_mm_s: 300}\n"
                                     "  - square_on_line: {cruise_mm_s: 200}"},
        {"square; square, on the next line", "  - square_on_line: {cruise_mm_s: 200}\n"
                                             "  - square_on_line: {cruise_mm_s: 200}"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        run(rows[i][0], "lines.svg", "x_mm: 350, y_mm: 900", 25, rows[i][1], CMO_REST_ERROR_MM,
            runs);
    }
    static const char *const edges[][2] = {
        {"drive until void; square",
         "  - drive_until_line: {cruise_mm_s: 150, too_fast: slow, tone: void}\n"
         "  - square_on_line: {cruise_mm_s: 150, too_fast: slow, tone: void}"},
        {"square on void; square on void",
         "  - square_on_line: {cruise_mm_s: 150, too_fast: slow, tone: void}\n"
         "  - square_on_line: {cruise_mm_s: 150, too_fast: slow, tone: void}"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(edges); i++) {
        run(edges[i][0], "table.svg", "x_mm: 350, y_mm: 900", 15, edges[i][1], CMO_FIGURES, runs);
    }
}

// The stop's axle is before the line; so much further on it stands over it, or behind.
static void turns(unsigned runs) {
    static const int turns_deg[] = {40, 60, 90, 120};
    static const int on_mm[] = {1, 60, 140};
    for (size_t i = 0; i < G_N_ELEMENTS(turns_deg); i++) {
        tally sums[ROBOTS] = {{0}};
        for (size_t k = 0; k < 2 * G_N_ELEMENTS(on_mm); k++) {
            char *legs = g_strdup_printf(
                "  - stop_on_line: {cruise_mm_s: 200, rest: near_edge}\n"
                "  - advance: {distance_mm: %d}\n  - turn: {angle_deg: %d}\n"
                "  - follow_edge: {edge: %s, distance_mm: 500, cruise_mm_s: 250, too_fast: slow}",
                on_mm[k / 2], turns_deg[i], k % 2 ? "right" : "left");
            for (int n = 0; n < ROBOTS; n++) {
                lab_results *results =
                    drive(robots[n], "lines.svg", "x_mm: 350, y_mm: 900", 6, legs, runs);
                add(&sums[n], results, CMO_EDGE_WORST_MM);
                lab_results_free(results);
            }
            g_free(legs);
        }
        char *name = g_strdup_printf("stop; advance; turn %d degrees; follow", turns_deg[i]);
        print(name, sums);
        g_free(name);
    }
}

int main(int count, char **arguments) {
    int runs = count > 1 ? atoi(arguments[1]) : 200;
    if (count > 2 || runs < 1 || runs > 10000) {
        fprintf(stderr, "bench_sequences [RUNS], 1 to 10000\n");
        return EXIT_FAILURE;
    }
    folder = g_dir_make_tmp("cammino-sequences-XXXXXX", NULL);
    if (folder == NULL) {
        fprintf(stderr, "bench_sequences: there is no folder for its routes\n");
        return EXIT_FAILURE;
    }
    write_here("lines.svg",
               "<svg xmlns='http://www.w3.org/2000/svg' width='2200mm' height='2000mm' "
               "viewBox='0 0 2200 2000'><rect width='2200' height='2000' fill='" FLOOR "'/>"
               "<rect class='line' x='600' y='20' width='20' height='1960' fill='" DARK "'/>"
               "<rect class='line' x='1400' y='20' width='20' height='1960' fill='" DARK
               "'/></svg>");
    write_here("table.svg",
               "<svg xmlns='http://www.w3.org/2000/svg' width='2200mm' height='2000mm' "
               "viewBox='0 0 2200 2000'><rect x='20' y='20' width='900' height='1960' "
               "fill='" FLOOR "'/></svg>");
    printf(
        "Legs in a row, with the demo robot and with the fleet: all done, and of the last one's\n"
        "true figures what 95 %% keep to, mm: rest_error; edge_worst, at the worst of six "
        "routes\n\n"
        "%-52s  %20s  %20s\n",
        "", "demo robot", "fleet");
    squares((unsigned)runs);
    turns((unsigned)runs);
    static const char *const files[] = {"route.yaml", "lines.svg", "table.svg"};
    for (size_t i = 0; i < G_N_ELEMENTS(files); i++) {
        char *path = g_build_filename(folder, files[i], NULL);
        (void)g_unlink(path);
        g_free(path);
    }
    (void)g_rmdir(folder);
    g_free(folder);
    return EXIT_SUCCESS;
}
