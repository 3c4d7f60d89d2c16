// SPDX-License-Identifier: GPL-3.0-or-later
#include "sections.h"
#include "yaml_reader.h"

#include <errno.h>
#include <math.h>
#include <string.h>

// -------------------------------------------------------------- what the reader fills in first --

typedef struct staged_levels {
    double dark, light, void_counts, noise;
} staged_levels;

typedef struct staged_light {
    double ahead_mm, left_mm, spot_mm, delay_ms, interval_ms, counts_min, counts_max;
    staged_levels levels;
} staged_light;

typedef struct staged_lights {
    staged_light left, right;
} staged_lights;

typedef struct staged_encoders {
    double step_mm, left_step_mm, right_step_mm, bits;
} staged_encoders;

typedef struct staged_drive {
    double kind, top_mm_s, slowest_mm_s, acceleration_mm_s2, braking_mm_s2, lag_ms, full_duty_mm_s,
        dead_duty, gain, reset_ms, lifetime_ms, halts;
} staged_drive;

typedef struct staged_faults {
    double left_light_silent_at_s, right_light_silent_at_s, left_light_stuck_at_s,
        right_light_stuck_at_s, lights_swapped, motors_swapped, left_motor_reversed,
        right_motor_reversed, encoders_silent_at_s, encoder_jump_at_s, stalled_at_s, late_share,
        late_ms, look_missing_share, look_doubled_share, not_yet_share, failed_at_s, slip_at_s,
        slip_s, slip_grip;
} staged_faults;

typedef struct staged_eyes {
    cmo_sim_eye left, right;
} staged_eyes;

typedef struct staged_plant {
    cmo_sim_plant plant;
    staged_eyes eyes;
    staged_faults faults;
} staged_plant;

typedef struct staged_robot {
    char *name;
    double tick_ms, track_mm, look_times;
    lab_outline outline;
    staged_encoders encoders;
    staged_drive drive;
    staged_lights lights;
    staged_plant plant;
} staged_robot;

// --------------------------------------------------------------------------------- the tables --

#define MUST "must be given"

static const lab_key levels_keys[] = {
    KEY_WHOLE(staged_levels, dark, "dark", 0, 65534, "counts", MUST,
              "reading over the dark surface"),
    KEY_WHOLE(staged_levels, light, "light", 0, 65534, "counts", MUST,
              "reading over the light surface"),
    KEY_WHOLE(staged_levels, void_counts, "void", 0, 65534, "counts", "not known",
              "reading where there is no floor"),
    KEY_WHOLE(staged_levels, noise, "noise", 0, 10000, "counts", "1 % of the contrast",
              "standard deviation of a reading"),
    KEY_END};
static const lab_section levels_section = {
    "lights.left.levels, lights.right.levels",
    "A sensor's readings over the surfaces, taken at the venue. Dark may read higher than light.",
    levels_keys};

static const lab_key light_keys[] = {
    KEY(staged_light, ahead_mm, "ahead_mm", -500, 500, "mm", MUST,
        "place of its spot ahead of the axle; behind is negative"),
    KEY(staged_light, left_mm, "left_mm", -500, 500, "mm", MUST,
        "place of its spot to the left of the middle; right is negative"),
    KEY(staged_light, spot_mm, "spot_mm", 0, 50, "mm", "not known",
        "diameter of the spot that it sees"),
    KEY(staged_light, delay_ms, "delay_ms", 0, 50, "ms", "0",
        "from the middle of an exposure to the look's own time"),
    KEY(staged_light, interval_ms, "interval_ms", 0.5, 100, "ms", "one tick",
        "between two fresh looks"),
    KEY_WHOLE(staged_light, counts_min, "counts_min", 0, 65535, "counts", "0",
              "least that the hardware can give"),
    KEY_WHOLE(staged_light, counts_max, "counts_max", 1, 65535, "counts", "anything",
              "most that the hardware can give"),
    KEY_SECTION(staged_light, levels, "levels", &levels_section, "none; no line can be looked for",
                "its readings over dark and light"),
    KEY_END};
static const lab_section light_section = {
    "lights.left, lights.right", "A light sensor, as the robot believes it to be.", light_keys};

static const lab_key lights_keys[] = {
    KEY_SECTION(staged_lights, left, "left", &light_section, MUST,
                "the left sensor, or the only one"),
    KEY_SECTION(staged_lights, right, "right", &light_section, "there is none", "the right sensor"),
    KEY_END};
static const lab_section lights_section = {"lights", "The light sensors.", lights_keys};

static const lab_key outline_keys[] = {
    KEY(lab_outline, front_mm, "front_mm", 1, 1000, "mm", "0.8 of the track", "ahead of the axle"),
    KEY(lab_outline, back_mm, "back_mm", 1, 1000, "mm", "0.6 of the track", "behind the axle"),
    KEY(lab_outline, left_mm, "left_mm", 1, 1000, "mm", "0.6 of the track", "to the left"),
    KEY(lab_outline, right_mm, "right_mm", 1, 1000, "mm", "0.6 of the track", "to the right"),
    KEY_END};
static const lab_section outline_section = {
    "outline", "How far the robot reaches from the middle of its axle; for pictures.",
    outline_keys};

static const lab_key encoders_keys[] = {
    KEY(staged_encoders, step_mm, "step_mm", 0.001, 20, "mm", MUST, "way of a wheel per count"),
    KEY(staged_encoders, left_step_mm, "left_step_mm", 0.001, 20, "mm", "step_mm",
        "the same of the left wheel, where it was measured"),
    KEY(staged_encoders, right_step_mm, "right_step_mm", 0.001, 20, "mm", "step_mm",
        "the same of the right wheel"),
    KEY_WHOLE(staged_encoders, bits, "bits", 8, 32, "bits", "32", "width at which counts wrap"),
    KEY_END};
static const lab_section encoders_section = {
    "encoders", "Wheel encoders. Left out: a robot without; its ways are estimates.",
    encoders_keys};

static const char *const drive_kinds[] = {"speed", "duty", NULL};
static const char *const halt_names[] = {"coast", "brake", "hold", NULL};
static const lab_key drive_keys[] = {
    KEY_CHOICE(staged_drive, kind, "kind", drive_kinds, "speed",
               "speed: the port takes mm/s and regulates; duty: it takes duty -1..1"),
    KEY(staged_drive, top_mm_s, "top_mm_s", 10, 5000, "mm/s", MUST,
        "the fastest that a routine may ask for"),
    KEY(staged_drive, slowest_mm_s, "slowest_mm_s", 0, 500, "mm/s", "0",
        "commands below do not turn the wheels"),
    KEY(staged_drive, acceleration_mm_s2, "acceleration_mm_s2", 10, 50000, "mm/s2", MUST,
        "limit when speeding up"),
    KEY(staged_drive, braking_mm_s2, "braking_mm_s2", 10, 50000, "mm/s2", MUST,
        "limit when slowing down; stay below the grip"),
    KEY(staged_drive, lag_ms, "lag_ms", 0, 500, "ms", "0",
        "time constant from commanded to driven speed"),
    KEY(staged_drive, full_duty_mm_s, "full_duty_mm_s", 10, 10000, "mm/s", "must be given for duty",
        "speed at duty 1"),
    KEY(staged_drive, dead_duty, "dead_duty", 0, 0.9, "", "0",
        "duty below which the motors do not turn"),
    KEY(staged_drive, gain, "gain", 0, 1, "duty per mm/s", "1 / full_duty_mm_s",
        "proportional gain of the speed control, for duty"),
    KEY(staged_drive, reset_ms, "reset_ms", 1, 10000, "ms", "150",
        "integral time of the speed control, for duty"),
    KEY(staged_drive, lifetime_ms, "lifetime_ms", 2, 5000, "ms", "five ticks, at least 50",
        "a drive command that is not renewed within this time halts the robot"),
    KEY_CHOICES(staged_drive, halts, "halts", halt_names, "[coast, brake]",
                "ways of halting that the motors have"),
    KEY_END};
static const lab_section drive_section = {"drive", "Motors and their control.", drive_keys};

static const lab_key eye_keys[] = {
    KEY(cmo_sim_eye, ahead_mm, "ahead_mm", -500, 500, "mm", "as stated", "true place of the spot"),
    KEY(cmo_sim_eye, left_mm, "left_mm", -500, 500, "mm", "as stated", "true place of the spot"),
    KEY(cmo_sim_eye, spot_mm, "spot_mm", 0.5, 50, "mm", "as stated, else 6",
        "diameter of the spot at a height of 8 mm"),
    KEY(cmo_sim_eye, height_mm, "height_mm", 1, 50, "mm", "8",
        "above the floor: light falls with its square, the spot grows with it"),
    KEY(cmo_sim_eye, black_counts, "black_counts", 0, 65535, "counts", "0.06 of counts_max",
        "reading when nothing comes back"),
    KEY(cmo_sim_eye, white_counts, "white_counts", 0, 65535, "counts", "0.85 of counts_max",
        "reading over pure white; below black_counts: dark reads higher"),
    KEY(cmo_sim_eye, counts_max, "counts_max", 1, 65535, "counts", "as stated, else 1023",
        "the converter clips at 0 and here"),
    KEY(cmo_sim_eye, noise, "noise", 0, 0.5, "", "0.01",
        "standard deviation of a look, as a share of white - black"),
    KEY(cmo_sim_eye, ambient_share, "ambient_share", 0, 1, "", "0.02",
        "share of ambient light that gets in; about 0 for lit minus unlit, 1 for a plain sensor"),
    KEY(cmo_sim_eye, interval_ms, "interval_ms", 0.5, 100, "ms", "as stated, else 10",
        "between two exposures"),
    KEY(cmo_sim_eye, delay_ms, "delay_ms", 0, 60, "ms", "as stated",
        "from mid-exposure until the look is to be had"),
    KEY(cmo_sim_eye, exposure_ms, "exposure_ms", 0, 50, "ms", "0.5", "length of an exposure"),
    KEY_END};
static const lab_section eye_section = {"plant.lights.left, plant.lights.right",
                                        "What is true of a light sensor.", eye_keys};
static const lab_key eyes_keys[] = {
    KEY_SECTION(staged_eyes, left, "left", &eye_section, "as stated", "the left sensor"),
    KEY_SECTION(staged_eyes, right, "right", &eye_section, "as stated", "the right sensor"),
    KEY_END};
static const lab_section eyes_section = {"plant.lights", "The true light sensors.", eyes_keys};

static const lab_key shadow_keys[] = {
    KEY(cmo_sim_shadow, x_mm, "x_mm", -20000, 20000, "mm", MUST, "its middle on the mat"),
    KEY(cmo_sim_shadow, y_mm, "y_mm", -20000, 20000, "mm", MUST, "its middle on the mat"),
    KEY(cmo_sim_shadow, radius_mm, "radius_mm", 1, 20000, "mm", MUST, "its radius"),
    KEY(cmo_sim_shadow, soft_mm, "soft_mm", 0, 5000, "mm", "50", "width of its soft edge"),
    KEY(cmo_sim_shadow, depth, "depth", -5, 1, "", "1",
        "share of the ambient light taken away; negative is a lamp's patch"),
    KEY_END};
static const lab_section shadow_section = {"plant.shadows[]", "A round shadow on the mat.",
                                           shadow_keys};

#define AT_S(field, text)  KEY(staged_faults, field, #field, 0, 3600, "s", "never", text)
#define SHARE(field, text) KEY(staged_faults, field, #field, 0, 1, "", "0", text)
#define FAULT(field, text) KEY_FLAG(staged_faults, field, #field, "false", text)
static const lab_key faults_keys[] = {
    AT_S(left_light_silent_at_s, "the left sensor is unplugged from then on"),
    AT_S(right_light_silent_at_s, "the right sensor is unplugged from then on"),
    AT_S(left_light_stuck_at_s, "the left sensor repeats its reading from then on"),
    AT_S(right_light_stuck_at_s, "the right sensor repeats its reading from then on"),
    FAULT(lights_swapped, "the plugs of the light sensors are swapped"),
    FAULT(motors_swapped, "the plugs of the motors are swapped"),
    FAULT(left_motor_reversed, "the left motor turns the wrong way"),
    FAULT(right_motor_reversed, "the right motor turns the wrong way"),
    AT_S(encoders_silent_at_s, "no encoder counts from then on"),
    AT_S(encoder_jump_at_s, "the left encoder jumps by 5000 counts"),
    AT_S(stalled_at_s, "the wheels are blocked from then on"),
    SHARE(late_share, "share of ticks that come late"),
    KEY(staged_faults, late_ms, "late_ms", 0, 1000, "ms", "0", "by up to this"),
    SHARE(look_missing_share, "share of looks that get lost"),
    SHARE(look_doubled_share, "share of looks that come twice"),
    SHARE(not_yet_share, "share of port calls that answer \"not yet\""),
    AT_S(failed_at_s, "the port answers \"failed\" from then on"),
    AT_S(slip_at_s, "the wheels stand on something slippery from then on"),
    KEY(staged_faults, slip_s, "slip_s", 0, 3600, "s", "0", "for this long"),
    KEY(staged_faults, slip_grip, "slip_grip", 0, 1, "", "1", "with this share of the grip"),
    KEY_END};
static const lab_section faults_section = {"plant.faults", "Faults on request.", faults_keys};

#define PLANT(field, low, high, unit, fallback, text)                                              \
    KEY(staged_plant, plant.field, #field, low, high, unit, fallback, text)
static const lab_key plant_keys[] = {
    PLANT(mass_kg, 0.05, 20, "kg", "0.6", "mass"),
    PLANT(inertia_kg_m2, 1e-5, 1, "kg m2", "that of a plate 1.2 tracks square",
          "about the vertical through the middle of the axle"),
    PLANT(grip_m_s2, 0.2, 20, "m/s2", "4.5", "most acceleration that the tyres pass on"),
    PLANT(tyre_creep, 0, 0.2, "", "0.02", "slip, as a share of speed, just before a tyre lets go"),
    PLANT(drag_m_s2, 0, 5, "m/s2", "0.05", "deceleration by rolling resistance"),
    PLANT(caster_behind_mm, -500, 500, "mm", "55", "pivot of the caster, behind the axle"),
    PLANT(caster_trail_mm, 0, 100, "mm", "8", "its wheel behind its pivot; 0: a ball, no kick"),
    PLANT(caster_scrub_n, 0, 5, "N", "0.1", "its side force while it swings round"),
    PLANT(track_mm, 20, 1000, "mm", "as stated", "between the wheels' contact points"),
    PLANT(wheel_width_mm, 0, 200, "mm", "8", "width of a tyre"),
    PLANT(left_wheel, 0.5, 2, "", "1", "true size of the left wheel over its stated size"),
    PLANT(right_wheel, 0.5, 2, "", "1", "the same of the right wheel"),
    PLANT(motor_lag_ms, 1, 1000, "ms", "as stated, else 45", "time constant of motor and mass"),
    PLANT(no_load_mm_s, 10, 20000, "mm/s", "full_duty_mm_s, else 1.4 top_mm_s",
          "speed at duty 1 without load"),
    PLANT(dead_mm_s, 0, 1000, "mm/s", "what dead_duty or slowest_mm_s says, else 15",
          "gear friction, as the speed whose duty just does not turn a motor"),
    PLANT(rotor_share, 0.01, 2, "", "0.15", "one rotor's inertia at the tyre over the mass"),
    PLANT(gear_play_mm, 0, 10, "mm", "0.5", "at the tyre, between encoder and wheel"),
    PLANT(left_strength, 0.1, 2, "", "1", "the left motor's force over nominal"),
    PLANT(right_strength, 0.1, 2, "", "1", "the same of the right motor"),
    PLANT(battery, 0.2, 1.5, "", "1", "voltage over nominal, without load"),
    PLANT(battery_sag, 0, 0.8, "", "0.12", "share of it lost with both motors stalled"),
    PLANT(command_delay_ms, 0, 50, "ms", "1", "from the drive call until the motors obey"),
    PLANT(regulator_slowest_mm_s, 0, 500, "mm/s", "slowest_mm_s", "commands below are taken as 0"),
    PLANT(regulator_step_mm_s, 0, 500, "mm/s", "1", "commands are rounded to this; 0: not"),
    PLANT(regulator_ramp_mm_s2, 0, 50000, "mm/s2", "0", "the regulator's own ramp; 0: none"),
    PLANT(regulator_reset_ms, 10, 10000, "ms", "200", "integral time of its trim"),
    PLANT(ambient, 0, 10, "", "0.3", "ambient light, in luminance of the sensor's lamp on white"),
    PLANT(wheel_spread, 0, 0.2, "", "0.004", "each wheel's size is off by up to this"),
    PLANT(place_spread_mm, 0, 50, "mm", "1", "each sensor's place is off by up to this"),
    PLANT(delay_spread_ms, 0, 20, "ms", "1", "each sensor's delay is off by up to this"),
    PLANT(gain_spread, 0, 0.5, "", "0", "each sensor's white - black is off by up to this"),
    PLANT(strength_spread, 0, 0.5, "", "0.05", "each motor's strength is off by up to this"),
    KEY_SECTION(staged_plant, eyes, "lights", &eyes_section, "as stated", "true light sensors"),
    KEY_LIST(staged_plant, plant.shadow, "shadows", &shadow_section, cmo_sim_shadow,
             CMO_SIM_SHADOWS_MAX, plant.shadows, "none", "shadows on the mat"),
    KEY_SECTION(staged_plant, faults, "faults", &faults_section, "none", "faults on request"),
    KEY_END};
static const lab_section plant_section = {
    "plant",
    "What the simulator makes true, where it is not as the robot believes. A spread says by how "
    "much robots differ: each seed draws its own, evenly within plus and minus.",
    plant_keys};

static const lab_key robot_keys[] = {
    KEY_TEXT(staged_robot, name, "name", "the file's name", "name of the robot"),
    KEY(staged_robot, tick_ms, "tick_ms", 1, 25, "ms", MUST, "period of the program's loop"),
    KEY(staged_robot, track_mm, "track_mm", 20, 1000, "mm", MUST,
        "between the wheels' contact points"),
    KEY_FLAG(staged_robot, look_times, "look_times", "true", "looks carry their own time"),
    KEY_SECTION(staged_robot, outline, "outline", &outline_section, "from the track",
                "how far the robot reaches"),
    KEY_SECTION(staged_robot, encoders, "encoders", &encoders_section, "there are none",
                "wheel encoders"),
    KEY_SECTION(staged_robot, drive, "drive", &drive_section, MUST, "motors and their control"),
    KEY_SECTION(staged_robot, lights, "lights", &lights_section, "there are none", "light sensors"),
    KEY_SECTION(staged_robot, plant, "plant", &plant_section, "as stated, with the usual losses",
                "what the simulator makes true"),
    KEY_END};
static const lab_section robot_section = {
    "robot file", "What the robot believes of itself; under plant, what the simulator makes true.",
    robot_keys};

const lab_section *const lab_robot_sections[] = {&robot_section,
                                                 &outline_section,
                                                 &encoders_section,
                                                 &drive_section,
                                                 &lights_section,
                                                 &light_section,
                                                 &levels_section,
                                                 &plant_section,
                                                 &eyes_section,
                                                 &eye_section,
                                                 &shadow_section,
                                                 &faults_section,
                                                 NULL};

// --------------------------------------------------------------------------- staged to finished --

static double given(double value, double otherwise) {
    return isnan(value) ? otherwise : value;
}

// Copies what was given of a section's numbers.
static void overlay(const lab_section *section, void *to, const void *from) {
    for (const lab_key *key = section->keys; key->name != NULL; key++) {
        if (key->type < LAB_TEXT) {
            double value = *(const double *)(const void *)((const char *)from + key->offset);
            double *out = (double *)(void *)((char *)to + key->offset);
            *out = given(value, *out);
        }
    }
}

static void finish_light(lab_robot *robot, const staged_light *from, unsigned number) {
    cmo_light_description *light = &robot->description.light[number];
    light->ahead_mm = (float)from->ahead_mm;
    light->left_mm = (float)from->left_mm;
    light->spot_mm = (float)given(from->spot_mm, 0.0);
    light->delay_us = (uint32_t)(1000.0 * given(from->delay_ms, 0.0) + 0.5);
    light->interval_us = (uint32_t)(1000.0 * given(from->interval_ms, 0.0) + 0.5);
    light->counts_min = (uint16_t)given(from->counts_min, 0.0);
    light->counts_max = (uint16_t)given(from->counts_max, 0.0);
    robot->description.lights = (uint8_t)(number + 1);
    robot->has_levels[number] = !isnan(from->levels.dark);
    robot->levels[number] = (cmo_levels){
        (uint16_t)given(from->levels.dark, CMO_LEVEL_UNKNOWN),
        (uint16_t)given(from->levels.light, CMO_LEVEL_UNKNOWN),
        (uint16_t)given(from->levels.void_counts, CMO_LEVEL_UNKNOWN),
        (uint16_t)given(from->levels.noise, 0.0),
    };
}

static void finish_drive(lab_robot *robot, const staged_drive *from) {
    cmo_robot_description *d = &robot->description;
    d->top_speed_mm_s = (float)from->top_mm_s;
    d->slowest_mm_s = (float)given(from->slowest_mm_s, 0.0);
    d->acceleration_mm_s2 = (float)from->acceleration_mm_s2;
    d->braking_mm_s2 = (float)from->braking_mm_s2;
    d->lag_ms = (float)given(from->lag_ms, 0.0);
    d->full_duty_mm_s = (float)given(from->full_duty_mm_s, 0.0);
    d->dead_duty = (float)given(from->dead_duty, 0.0);
    d->speed_gain = (float)given(from->gain, 0.0);
    d->speed_reset_ms = (float)given(from->reset_ms, 0.0);
    d->lifetime_us = (uint32_t)(1000.0 * given(from->lifetime_ms, 0.0) + 0.5);
    unsigned halts = (unsigned)given(from->halts, 3.0);
    static const uint16_t trait[3] = {CMO_TRAIT_COAST, CMO_TRAIT_BRAKE, CMO_TRAIT_HOLD};
    for (unsigned i = 0; i < 3; i++) {
        robot->traits = (uint16_t)(robot->traits | (halts >> i & 1U ? trait[i] : 0U));
    }
    if (given(from->kind, 0.0) == 0.0) {
        robot->traits |= CMO_TRAIT_SPEED;
    }
}

static void finish_faults(cmo_sim_faults *faults, const staged_faults *from) {
    cmo_sim_faults_none(faults);
#define AT(to, field) faults->to = 1000.0 * given(from->field, -1.0)
    AT(light_silent_at_ms[0], left_light_silent_at_s);
    AT(light_stuck_at_ms[0], left_light_stuck_at_s);
    if (CMO_LIGHTS_MAX > 1) {
        AT(light_silent_at_ms[CMO_LIGHTS_MAX > 1], right_light_silent_at_s);
        AT(light_stuck_at_ms[CMO_LIGHTS_MAX > 1], right_light_stuck_at_s);
    }
    AT(encoders_silent_at_ms, encoders_silent_at_s);
    AT(encoder_jump_at_ms, encoder_jump_at_s);
    AT(stalled_at_ms, stalled_at_s);
    AT(failed_at_ms, failed_at_s);
    AT(slip_at_ms, slip_at_s);
#undef AT
    faults->lights_swapped = given(from->lights_swapped, 0.0) != 0.0;
    faults->motors_swapped = given(from->motors_swapped, 0.0) != 0.0;
    faults->left_reversed = given(from->left_motor_reversed, 0.0) != 0.0;
    faults->right_reversed = given(from->right_motor_reversed, 0.0) != 0.0;
    faults->late_share = given(from->late_share, 0.0);
    faults->late_ms = given(from->late_ms, 0.0);
    faults->look_missing_share = given(from->look_missing_share, 0.0);
    faults->look_doubled_share = given(from->look_doubled_share, 0.0);
    faults->not_yet_share = given(from->not_yet_share, 0.0);
    faults->slip_ms = 1000.0 * given(from->slip_s, 0.0);
    faults->slip_grip = given(from->slip_grip, 1.0);
}

static void finish_plant(lab_robot *robot, const staged_plant *from) {
    cmo_sim_plant_default(&robot->plant, &robot->description);
    staged_plant merged = {.plant = robot->plant};
    overlay(&plant_section, &merged, from);
    overlay(&eye_section, &merged.plant.eye[0], &from->eyes.left);
    if (merged.plant.eyes > 1) {
        overlay(&eye_section, &merged.plant.eye[1], &from->eyes.right);
    }
    merged.plant.shadows = from->plant.shadows;
    for (unsigned i = 0; i < from->plant.shadows; i++) {
        cmo_sim_shadow *shadow = &merged.plant.shadow[i];
        *shadow = from->plant.shadow[i];
        shadow->soft_mm = given(shadow->soft_mm, 50.0);
        shadow->depth = given(shadow->depth, 1.0);
    }
    robot->plant = merged.plant;
    finish_faults(&robot->faults, &from->faults);
}

static void finish(lab_robot *robot, const staged_robot *from, const char *file) {
    cmo_robot_description *d = &robot->description;
    robot->name = from->name != NULL ? g_strdup(from->name) : g_path_get_basename(file);
    d->tick_us = (uint32_t)(1000.0 * from->tick_ms + 0.5);
    d->track_mm = (float)from->track_mm;
    robot->outline = (lab_outline){given(from->outline.front_mm, 0.8 * from->track_mm),
                                   given(from->outline.back_mm, 0.6 * from->track_mm),
                                   given(from->outline.left_mm, 0.6 * from->track_mm),
                                   given(from->outline.right_mm, 0.6 * from->track_mm)};
    if (!isnan(from->encoders.step_mm)) {
        robot->traits |= CMO_TRAIT_ENCODERS;
        d->left_step_mm = (float)given(from->encoders.left_step_mm, from->encoders.step_mm);
        d->right_step_mm = (float)given(from->encoders.right_step_mm, from->encoders.step_mm);
        d->encoder_bits = (uint8_t)given(from->encoders.bits, 32.0);
    }
    if (given(from->look_times, 1.0) != 0.0) {
        robot->traits |= CMO_TRAIT_LOOK_TIMES;
    }
    finish_drive(robot, &from->drive);
    if (!isnan(from->lights.left.ahead_mm)) {
        finish_light(robot, &from->lights.left, 0);
    }
    if (!isnan(from->lights.right.ahead_mm)) {
        finish_light(robot, &from->lights.right, 1);
    }
    finish_plant(robot, &from->plant);
    // What a count is worth is a matter of the hardware, not of what the robot believes.
    if (!isnan(from->encoders.step_mm)) {
        robot->plant.encoder_step_mm = from->encoders.step_mm;
    }
}

// What no single range can say.
static bool check_together(yaml_reader *reader, const staged_robot *staged) {
    yaml_node_t *root = yaml_reader_root(reader);
    const yaml_node_t *drive = yaml_reader_find(reader, root, "drive");
    if (staged->drive.kind == 1.0 && isnan(staged->drive.full_duty_mm_s)) {
        return yaml_reader_wrong(reader, drive, "drive.full_duty_mm_s",
                                 "must be given for kind: duty");
    }
    if (staged->drive.halts == 0.0) {
        return yaml_reader_wrong(reader, drive, "drive.halts",
                                 "must name at least one of: coast, "
                                 "brake, hold");
    }
    if (given(staged->drive.slowest_mm_s, 0.0) > staged->drive.top_mm_s) {
        return yaml_reader_wrong(reader, drive, "drive.slowest_mm_s",
                                 "must not be above top_mm_s, %.10g", staged->drive.top_mm_s);
    }
    const staged_light *sides[2] = {&staged->lights.left, &staged->lights.right};
    static const char *const names[2] = {"lights.left", "lights.right"};
    const yaml_node_t *lights = yaml_reader_find(reader, root, "lights");
    for (int i = 0; i < 2; i++) {
        if (given(sides[i]->counts_min, 0.0) > given(sides[i]->counts_max, 65535.0)) {
            char *field = g_strdup_printf("%s.counts_min", names[i]);
            yaml_reader_wrong(reader, lights, field, "must not be above counts_max");
            g_free(field);
            return false;
        }
        const staged_levels *levels = &sides[i]->levels;
        cmo_levels as_read = {(uint16_t)given(levels->dark, 0), (uint16_t)given(levels->light, 0),
                              0, (uint16_t)given(levels->noise, 0)};
        if (!isnan(levels->dark) && !cmo_levels_usable(&as_read)) {
            char *field = g_strdup_printf("%s.levels", names[i]);
            yaml_reader_wrong(reader, lights, field,
                              "dark %.0f and light %.0f are too near to each other; take them "
                              "anew, at least 16 counts and 16 times the noise apart",
                              levels->dark, levels->light);
            g_free(field);
            return false;
        }
    }
    return true;
}

lab_robot *lab_robot_from_bytes(const char *name, const char *bytes, size_t size, GError **error) {
    yaml_reader reader;
    if (!yaml_reader_open(&reader, name, bytes, size, error)) {
        return NULL;
    }
    staged_robot staged;
    lab_section_clear(&robot_section, &staged);
    lab_robot *robot = NULL;
    if (yaml_reader_section(&reader, yaml_reader_root(&reader), "", &robot_section, &staged) &&
        check_together(&reader, &staged)) {
        robot = g_new0(lab_robot, 1);
        finish(robot, &staged, name);
    }
    g_free(staged.name);
    yaml_reader_close(&reader);
    return robot;
}

lab_robot *lab_robot_load(const char *path, GError **error) {
    char *bytes;
    size_t size;
    if (!lab_read_file(path, "robot file", LAB_YAML_MAX, &bytes, &size, error)) {
        return NULL;
    }
    lab_robot *robot = lab_robot_from_bytes(path, bytes, size, error);
    g_free(bytes);
    return robot;
}

void lab_robot_free(lab_robot *robot) {
    if (robot != NULL) {
        g_free(robot->name);
        g_free(robot);
    }
}
