// SPDX-License-Identifier: GPL-3.0-or-later
// What a route costs beside its routines: instructions of a tick, counted by valgrind, and RAM.
#include <cammino/cammino.h>

#include <glib.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static uint32_t now_us;

static uint32_t paper_clock(void *context) {
    (void)context;
    return now_us;
}

static cmo_status paper_sample(void *context, cmo_sample *sample) {
    (void)context;
    sample->have = CMO_HAVE_ENCODERS | CMO_HAVE_RANGE | CMO_HAVE_TOUCH;
    sample->encoders.time_us = now_us;
    sample->encoders.left = sample->encoders.right = now_us / 2000;
    sample->range_mm = 3000.0F;
    for (int i = 0; i < 2; i++) {
        sample->light[i].looks = 1;
        sample->light[i].look[0] = (cmo_look){now_us, 560, (uint8_t)(now_us / 10000)};
    }
    return CMO_OK;
}

static cmo_status paper_drive(void *context, float left, float right, uint32_t lifetime_us) {
    (void)context;
    (void)left;
    (void)right;
    (void)lifetime_us;
    return CMO_OK;
}

static cmo_status paper_halt(void *context, cmo_halt how) {
    (void)context;
    (void)how;
    return CMO_OK;
}

static const cmo_port port = {.traits = CMO_TRAIT_ENCODERS | CMO_TRAIT_LOOK_TIMES |
                                        CMO_TRAIT_SPEED | CMO_TRAIT_BRAKE | CMO_TRAIT_RANGE |
                                        CMO_TRAIT_TOUCH,
                              .clock = paper_clock,
                              .sample = paper_sample,
                              .drive = paper_drive,
                              .halt = paper_halt};
static const cmo_robot_description mozzo = {
    .tick_us = 10000,
    .track_mm = 110,
    .left_step_mm = 0.5F,
    .right_step_mm = 0.5F,
    .top_speed_mm_s = 700,
    .slowest_mm_s = 15,
    .acceleration_mm_s2 = 2000,
    .braking_mm_s2 = 3000,
    .lag_ms = 45,
    .lights = 2,
    .light = {{.ahead_mm = 70, .left_mm = 45, .spot_mm = 6},
              {.ahead_mm = 70, .left_mm = -45, .spot_mm = 6}}};
static const cmo_levels levels = {84, 570, CMO_LEVEL_UNKNOWN, 8, 0, 0};
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
static int search(const char *how, unsigned ticks) {
    cmo_robot robot;
    cmo_route_state state;
    cmo_robot_start(&robot, &mozzo, &port);
    cmo_robot_set_levels(&robot, 0, &levels);
    cmo_robot_set_levels(&robot, 1, &levels);
    cmo_outcome outcome =
        strcmp(how, "alone") == 0
            ? cmo_drive_until_line_start(&robot, &room, &seek)
            : cmo_route_start(&robot, &state, strcmp(how, "leg") == 0 ? &plain : &full);
    for (unsigned i = 0; i < ticks && outcome == CMO_RUNNING; i++) {
        now_us += 10000;
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

int main(int count, char **arguments) {
    if (count == 3) {
        return search(arguments[1], (unsigned)atoi(arguments[2]));
    }
    static const char *const ways[] = {"alone", "leg", "full"};
    static const char *const texts[] = {"drive_until_line by itself", "as a leg of a route",
                                        "as one with ends, in a group with an end"};
    double alone = 0.0;
    for (int i = 0; i < 3; i++) {
        double tick = (instructions(arguments[0], ways[i], "3000") -
                       instructions(arguments[0], ways[i], "1000")) /
                      2000.0;
        if (!(tick > 0.0)) {
            fprintf(stderr, "bench_route: valgrind does not count; is it installed?\n");
            return EXIT_FAILURE;
        }
        alone = i == 0 ? tick : alone;
        printf("%-42s %6.0f instructions a tick  %+5.1f %%\n", texts[i], tick,
               100.0 * (tick - alone) / alone);
    }
    printf("state of a route %zu bytes here; script/footprint has it for small processors\n",
           sizeof(cmo_route_state));
    return EXIT_SUCCESS;
}
