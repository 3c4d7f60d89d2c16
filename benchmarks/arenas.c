// SPDX-License-Identifier: GPL-3.0-or-later
#include "arenas.h"

#include <stdio.h>
#include <stdlib.h>

#define FLOOR "#c9d2c6"
#define PAINT "#2c3036"
#define RIM   "<g class='boundary' fill='none' stroke='" PAINT "' stroke-width='25'>"

const arena arenas[ARENAS] = {
    {"ring", RIM "<circle cx='700' cy='700' r='600'/></g>", FLOOR, CMO_TONE_DARK, 700, 700},
    {"square", RIM "<rect x='150' y='150' width='1100' height='1100'/></g>", FLOOR, CMO_TONE_DARK,
     700, 700},
    {"narrow strip", RIM "<rect x='100' y='550' width='1200' height='300'/></g>", FLOOR,
     CMO_TONE_DARK, 700, 700},
    {"acute corner", RIM "<path d='M 120 1150 L 1300 1150 L 1300 420 Z'/></g>", FLOOR,
     CMO_TONE_DARK, 1000, 420},
    {"L-shape", RIM "<path d='M 150 150 H 700 V 700 H 1250 V 1250 H 150 Z'/></g>", FLOOR,
     CMO_TONE_DARK, 420, 420},
    {"table, void", "<rect x='200' y='250' width='1000' height='900' fill='" FLOOR "'/>", NULL,
     CMO_TONE_VOID, 700, 700},
    {"light rim on dark",
     "<g class='boundary' fill='none' stroke='" FLOOR
     "' stroke-width='25'><rect x='150' y='150' width='1100' height='1100' rx='200'/></g>",
     PAINT, CMO_TONE_LIGHT, 700, 700},
    {"worn rim",
     "<g class='boundary' fill='none' stroke='" PAINT
     "' stroke-width='25' stroke-dasharray='67 4'><rect x='150' y='150' width='1100' "
     "height='1100'/></g>",
     FLOOR, CMO_TONE_DARK, 700, 700},
};

static void place_spots(lab_robot *robot, double ahead_mm, double left_mm) {
    for (int i = 0; i < 2; i++) {
        double left = i == 0 ? left_mm : -left_mm;
        robot->description.light[i].ahead_mm = (float)ahead_mm;
        robot->description.light[i].left_mm = (float)left;
        robot->plant.sensor[i].ahead_mm = ahead_mm;
        robot->plant.sensor[i].left_mm = left;
    }
}

static void demo(lab_robot *robot) {
    (void)robot;
}

static void outboard(lab_robot *robot) {
    place_spots(robot, 70.0, 63.0);
}

static void quick(lab_robot *robot) {
    place_spots(robot, 95.0, 65.0);
    set_sensors(robot, 3.0, 2.0, 4.0);
    robot->description.top_speed_mm_s = 1000.0F;
    robot->plant.no_load_mm_s = 1400.0;
    robot->plant.motor_lag_ms = 30.0;
    robot->description.lag_ms = 30.0F;
}

static void heavy(lab_robot *robot) {
    place_spots(robot, 90.0, 66.0);
    make_heavy(robot);
}

static void duty(lab_robot *robot) {
    place_spots(robot, 80.0, 64.0);
    make_duty_only(robot);
}

static void small(lab_robot *robot) {
    place_spots(robot, 55.0, 46.0);
    robot->description.track_mm = 70.0F;
    robot->plant.track_mm = 70.0;
    robot->plant.inertia_kg_m2 *= 0.41;
    robot->plant.caster_behind_mm = 35.0;
    robot->plant.caster_trail_mm = 5.0;
    robot->description.rear_mm = 40.0F;
    robot->description.left_step_mm = robot->description.right_step_mm = 2.0F;
    robot->plant.encoder_step_mm = 2.0;
    robot->outline = (lab_outline){65, 50, 44, 44};
    set_sensors(robot, 15.0, 15.0, 10.0);
}

const robot_kind robot_kinds[ROBOTS] = {
    {"the demo robot", demo},
    {"spots outside of the tyres", outboard},
    {"quick: 3 ms, lag 30, 1 m/s", quick},
    {"heavy, grip of 2 m/s2", heavy},
    {"duty-only motors", duty},
    {"small, 15 ms, 2 mm encoders", small},
};

void set_corner(lab_robot *robot, const lab_robot *plain, unsigned corner) {
    robot->plant.battery = plain->plant.battery * (corner & 1U ? 1.1 : 0.9);
    robot->plant.grip_m_s2 = plain->plant.grip_m_s2 * (corner & 2U ? 1.1 : 0.9);
}

// Mats and their regions are slow to make, and the same for every robot.
static cmo_sim_mat *mats[ARENAS];
static cmo_sim_region *regions[ARENAS];

static cmo_sim_mat *mat_of(const arena *a) {
    GError *error = NULL;
    char *ground = a->ground != NULL
                       ? g_strdup_printf("<rect width='1400' height='1400' fill='%s'/>", a->ground)
                       : g_strdup("");
    char *svg = g_strdup_printf("<svg xmlns='http://www.w3.org/2000/svg' width='1400mm' "
                                "height='1400mm' viewBox='0 0 1400 1400'>%s%s</svg>",
                                ground, a->drawing);
    cmo_sim_mat *mat = cmo_sim_mat_from_bytes("m", svg, strlen(svg), NULL, &error);
    if (mat == NULL) {
        fprintf(stderr, "%s\n", error->message);
        exit(2);
    }
    g_free(svg);
    g_free(ground);
    return mat;
}

void free_patrol(lab_route *route) {
    route->mat = NULL;
    route->region = NULL;
    lab_route_free(route);
}

lab_route *make_patrol(unsigned robot, unsigned number) {
    GError *error = NULL;
    static const char text[] = "robot: r\nmat: m\nstart: {x_mm: 700, y_mm: 700}\nlegs:\n"
                               "  - stay_inside: {}\n";
    const arena *a = &arenas[number];
    lab_route *route = lab_route_from_bytes("x", text, sizeof text - 1, &error);
    route->x_mm = a->x_mm;
    route->y_mm = a->y_mm;
    route->robot = lab_robot_load(SOURCE_DIR "/data/ferry/mozzo.yaml", &error);
    if (route->robot == NULL) {
        fprintf(stderr, "%s\n", error->message);
        exit(2);
    }
    robot_kinds[robot].make(route->robot);
    route->leg[0].parameters.stay_inside.boundary = a->boundary;
    if (mats[number] == NULL) {
        mats[number] = mat_of(a);
        regions[number] = cmo_sim_region_new(mats[number], a->x_mm, a->y_mm);
    }
    route->mat = mats[number];
    route->region = regions[number];
    if (route->region == NULL) {
        fprintf(stderr, "%s: the start is not inside\n", a->name);
        exit(2);
    }
    return route;
}
