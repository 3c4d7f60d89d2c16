// SPDX-License-Identifier: GPL-3.0-or-later
// What a route costs beside its routines: instructions of a tick, counted by valgrind, and RAM. And
// what going over from leg to leg at speed is worth.
#include "paper.h"

#include <cammino_lab/series.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static const cmo_line_parameters seek = {.cruise_mm_s = 250, .longest_mm = 20000};
static const cmo_ends ends = {.for_ms = 1000000, .range_below_mm = 120, .touch = 3};
static const cmo_follow rules[] = {{CMO_OUTCOME_NO_LINE, CMO_AGAIN, 0, 2}};
static const cmo_leg plain_leg[] = {{CMO_LEG(drive_until_line, &seek)}};
static const cmo_leg full_leg[] = {
    {CMO_LEG(drive_until_line, &seek), .ends = &ends, CMO_FOLLOW(rules)}};
static const cmo_group group[] = {{.first = 0, .last = 0, .rounds = 2, .ends = &ends}};
static cmo_line_state room;
static const cmo_route_parameters plain = {CMO_LEGS(plain_leg), CMO_ROOM(room)};
static const cmo_route_parameters full = {CMO_LEGS(full_leg), CMO_ROOM(room), CMO_GROUPS(group)};

// Searches for so many ticks: by itself, as a leg, or as one with ends in a group with an end.
static int search(const lab_robot *mozzo, const char *how, unsigned ticks) {
    cmo_robot robot;
    cmo_route_state state;
    cmo_port port = paper_port(mozzo->traits);
    cmo_robot_start(&robot, &mozzo->description, &port);
    for (uint8_t i = 0; i < mozzo->description.lights; i++) {
        cmo_robot_set_levels(&robot, i, &mozzo->levels[i]);
    }
    cmo_outcome outcome =
        strcmp(how, "alone") == 0
            ? cmo_drive_until_line_start(&robot, &room, &seek)
            : cmo_route_start(&robot, &state, strcmp(how, "leg") == 0 ? &plain : &full);
    for (unsigned i = 0; i < ticks && outcome == CMO_RUNNING; i++) {
        paper_wait(10000);
        outcome = cmo_tick(&robot);
    }
    return outcome == CMO_RUNNING ? EXIT_SUCCESS : EXIT_FAILURE;
}

// Instructions of that, by the count of a processor that valgrind simulates.
static double instructions(const char *program, const char *how, const char *ticks) {
    char *line = g_strdup_printf(
        "valgrind --tool=callgrind --callgrind-out-file=/dev/null %s %s %s", program, how, ticks);
    char *text = NULL;
    int status = 0;
    double count = 0.0;
    if (g_spawn_command_line_sync(line, NULL, &text, &status, NULL) && status == 0) {
        const char *at = strstr(text, "Collected : ");
        count = at != NULL ? g_ascii_strtod(at + strlen("Collected : "), NULL) : 0.0;
    }
    g_free(text);
    g_free(line);
    return count;
}

static void count_ticks(const char *program) {
    static const char *const ways[] = {"alone", "leg", "full"};
    static const char *const texts[] = {"drive_until_line by itself", "as a leg of a route",
                                        "as one with ends, in a group with an end"};
    double alone = 0.0;
    for (int i = 0; i < 3; i++) {
        double tick =
            (instructions(program, ways[i], "3000") - instructions(program, ways[i], "1000")) /
            2000.0;
        if (!(tick > 0.0)) {
            fprintf(stderr, "bench_route: valgrind does not count; is it installed?\n");
            exit(EXIT_FAILURE);
        }
        alone = i == 0 ? tick : alone;
        printf("%-42s %6.0f instructions a tick  %+5.1f %%\n", texts[i], tick,
               100.0 * (tick - alone) / alone);
    }
    printf("state of a route %zu bytes here; script/footprint has it for small processors\n",
           sizeof(cmo_route_state));
}

// ------------------------------------------------------------------------------- over at speed --

static void halt_each(lab_route *route) {
    for (unsigned i = 0; i < route->legs; i++) {
        lab_leg *leg = &route->leg[i];
        if (leg->routine == CMO_ROUTINE_ADVANCE) {
            leg->parameters.advance.ending = CMO_END_HALTED;
        } else if (leg->routine == CMO_ROUTINE_DRIVE_UNTIL_LINE) {
            leg->parameters.drive_until_line.ending = CMO_END_HALTED;
        }
    }
}

// Mean time of a run, how many are done, and of all ways at the end its deviation.
static void time_runs(const lab_route *route, const char *name, unsigned trials) {
    double sum_s = 0.0;
    double sum = 0.0;
    double squares = 0.0;
    unsigned done = 0;
    for (uint64_t seed = 1; seed <= trials; seed++) {
        lab_run *run = lab_drive_trial(route, seed, false);
        double way = run->end.wheels_mm;
        done += run->outcome == CMO_OUTCOME_DONE;
        sum_s += run->span_ms / 1000.0;
        sum += way;
        squares += way * way;
        lab_run_free(run);
    }
    double mean = sum / trials;
    printf("%-42s %6.2f s on the mean, %u of %u done, way of the wheels %.1f mm, sd %.2f\n", name,
           sum_s / trials, done, trials, mean, sqrt(fmax(squares / trials - mean * mean, 0.0)));
}

static lab_route *load(const char *name) {
    GError *error = NULL;
    char *path = g_build_filename(SOURCE_DIR, "data", "ferry", name, NULL);
    lab_route *route = lab_route_load(path, NULL, 1, &error);
    if (route == NULL) {
        fprintf(stderr, "bench_route: %s\n", error->message);
        exit(EXIT_FAILURE);
    }
    g_free(path);
    return route;
}

// Four advances that add up to 800 mm.
static void four_advances(lab_route *route) {
    static const float speeds[] = {500, 300, 600, 400};
    route->legs = 4;
    route->groups = 0;
    for (unsigned i = 0; i < 4; i++) {
        route->leg[i] =
            (lab_leg){.routine = CMO_ROUTINE_ADVANCE,
                      .parameters.advance = {.distance_mm = 200,
                                             .speed_mm_s = speeds[i],
                                             .ending = i < 3 ? CMO_END_MOVING : CMO_END_HALTED}};
    }
}

int main(int count, char **arguments) {
    if (count == 3) {
        // The robot alone: a mat is drawn by all processors, which valgrind does not count alike.
        GError *error = NULL;
        lab_robot *robot = lab_robot_load(SOURCE_DIR "/data/ferry/mozzo-yard.yaml", &error);
        if (robot == NULL) {
            fprintf(stderr, "bench_route: %s\n", error->message);
            return EXIT_FAILURE;
        }
        int status = search(robot, arguments[1], (unsigned)atoi(arguments[2]));
        lab_robot_free(robot);
        return status;
    }
    unsigned trials = count > 1 ? (unsigned)atoi(arguments[1]) : 400;
    count_ticks(arguments[0]);
    lab_route *run = load("deck-run.yaml");
    time_runs(run, "the demo's run, over at speed", trials);
    halt_each(run);
    time_runs(run, "... each leg halted", trials);
    lab_route_free(run);
    lab_route *advances = load("first-round.yaml");
    four_advances(advances);
    time_runs(advances, "four advances of 200 mm, over at speed", trials);
    halt_each(advances);
    time_runs(advances, "... each leg halted", trials);
    advances->legs = 0; // they are not the file's
    lab_route_free(advances);
    return EXIT_SUCCESS;
}
