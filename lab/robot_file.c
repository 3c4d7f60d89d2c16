// SPDX-License-Identifier: GPL-3.0-or-later
// Robot files: from what was read to what the robot and the simulator take.
#include "robot_staged.h"
#include "sections.h"
#include "yaml_reader.h"

#include <math.h>

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

// A row of the description's lists taken over from what was read; what was not given is 0.
#define AS_float(value)    (float)(value)
#define AS_uint32_t(value) (uint32_t)((value) + 0.5)
#define AS_uint16_t(value) (uint16_t)(value)
#define TAKE_FIELD(to, must, of, field, key, factor, least, most, unit, usual, meaning)            \
    to->field = AS_##of(factor * given(from->key, 0.0));

static void finish_light(lab_robot *robot, const staged_light *from, unsigned number) {
    cmo_light_description *light = &robot->description.light[number];
    CMO_LIGHT_FIELDS(TAKE_FIELD, light)
    if (light->counts_max == 0 && light->counts_min > 0) {
        light->counts_max = 65535;
    }
    light->dark_is_high = given(from->dark_is_high, 0.0) != 0.0;
    light->colour = given(from->colour, 0.0) != 0.0;
    light->colour_us = (uint32_t)(1000.0 * given(from->colour_ms, 0.0) + 0.5);
    robot->description.lights = (uint8_t)(number + 1);
    robot->has_levels[number] = !isnan(from->levels.dark);
    robot->levels[number] = (cmo_levels){
        (uint16_t)given(from->levels.dark, CMO_LEVEL_UNKNOWN),
        (uint16_t)given(from->levels.light, CMO_LEVEL_UNKNOWN),
        (uint16_t)given(from->levels.void_counts, CMO_LEVEL_UNKNOWN),
        (uint16_t)given(from->levels.noise, 0.0),
        (uint16_t)given(from->levels.dark_threshold, 0.0),
        (uint16_t)given(from->levels.light_threshold, 0.0),
    };
}

static void finish_drive(lab_robot *robot, const staged_drive *from) {
    cmo_robot_description *d = &robot->description;
    CMO_DRIVE_FIELDS(TAKE_FIELD, d)
    CMO_DUTY_FIELDS(TAKE_FIELD, d)
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
    AT(light_jumps_at_ms[0], left_light_jumps_at_s);
    AT(light_clipped_at_ms[0], left_light_clipped_at_s);
    if (CMO_LIGHTS_MAX > 1) {
        AT(light_silent_at_ms[CMO_LIGHTS_MAX > 1], right_light_silent_at_s);
        AT(light_stuck_at_ms[CMO_LIGHTS_MAX > 1], right_light_stuck_at_s);
        AT(light_jumps_at_ms[CMO_LIGHTS_MAX > 1], right_light_jumps_at_s);
        AT(light_clipped_at_ms[CMO_LIGHTS_MAX > 1], right_light_clipped_at_s);
    }
    AT(encoders_silent_at_ms, encoders_silent_at_s);
    AT(encoder_jump_at_ms, encoder_jump_at_s);
    AT(stalled_at_ms, stalled_at_s);
    AT(failed_at_ms, failed_at_s);
    AT(slip_at_ms, slip_at_s);
#undef AT
#define FLAG(to, field) faults->to = given(from->field, 0.0) != 0.0
    FLAG(lights_swapped, lights_swapped);
    FLAG(motors_swapped, motors_swapped);
    FLAG(left_reversed, left_motor_reversed);
    FLAG(right_reversed, right_motor_reversed);
    FLAG(left_dead, left_motor_dead);
    FLAG(right_dead, right_motor_dead);
    FLAG(left_encoder_dead, left_encoder_dead);
    FLAG(right_encoder_dead, right_encoder_dead);
    FLAG(left_encoder_reversed, left_encoder_reversed);
    FLAG(right_encoder_reversed, right_encoder_reversed);
    FLAG(encoders_swapped, encoders_swapped);
#undef FLAG
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
    robot->plant.body_front_mm = robot->plant.range_ahead_mm = robot->outline.front_mm;
    robot->plant.body_back_mm = robot->outline.back_mm;
    robot->plant.body_half_mm = 0.5 * (robot->outline.left_mm + robot->outline.right_mm);
    staged_plant merged = {.plant = robot->plant};
    overlay(&labi_plant_section, &merged, from);
    overlay(&labi_true_light_section, &merged.plant.sensor[0], &from->sensors.left);
    if (merged.plant.sensors > 1) {
        overlay(&labi_true_light_section, &merged.plant.sensor[1], &from->sensors.right);
    }
    if (isnan(from->plant.inertia_kg_m2)) { // the default is that of the default's mass
        merged.plant.inertia_kg_m2 *= merged.plant.mass_kg / robot->plant.mass_kg;
    }
    if (isnan(from->plant.regulator_lag_ms)) {
        merged.plant.regulator_lag_ms = merged.plant.motor_lag_ms;
    }
    merged.plant.shadows = from->plant.shadows;
    for (unsigned i = 0; i < from->plant.shadows; i++) {
        cmo_sim_shadow *shadow = &merged.plant.shadow[i];
        *shadow = from->plant.shadow[i];
        shadow->soft_mm = given(shadow->soft_mm, 50.0);
        shadow->depth = given(shadow->depth, 1.0);
        shadow->vx_mm_s = given(shadow->vx_mm_s, 0.0);
        shadow->vy_mm_s = given(shadow->vy_mm_s, 0.0);
        shadow->every_s = given(shadow->every_s, 0.0);
    }
    robot->plant = merged.plant;
    finish_faults(&robot->faults, &from->faults);
}

// The plant has been made from what was stated: what was measured is the robot's belief alone.
static void finish_measured(lab_robot *robot, const staged_measured *from) {
    robot->measured = !isnan(from->track_mm);
    if (!robot->measured) {
        return;
    }
    const staged_spot *spots[2] = {&from->left, &from->right};
    cmo_geometry *g = &robot->geometry;
    *g = (cmo_geometry){
        .left_step_mm = (float)from->left_step_mm,
        .right_step_mm = (float)from->right_step_mm,
        .track_mm = (float)from->track_mm,
        .size_error = (float)from->size_error,
        .ratio_error = (float)from->ratio_error,
        .track_error_mm = (float)from->track_error_mm,
        .mismatch_error_mm = (float)from->mismatch_error_mm,
        .delay_error_ms = (float)from->delay_error_ms,
    };
    for (int i = 0; i < 2; i++) {
        g->ahead_mm[i] = (float)spots[i]->ahead_mm;
        g->left_mm[i] = (float)spots[i]->left_mm;
        g->delay_ms[i] = (float)spots[i]->delay_ms;
    }
    cmo_geometry_apply(g, &robot->description);
}

static void finish_measured_drive(lab_robot *robot, const staged_measured_drive *from) {
    robot->drive_measured = !isnan(from->lag_ms);
    if (!robot->drive_measured) {
        return;
    }
    cmo_drive *drive = &robot->drive;
    *drive = (cmo_drive){
        .lag_ms = (float)from->lag_ms,
        .lag_error_ms = (float)from->lag_error_ms,
        .wheel_lag_ms = {(float)given(from->left_lag_ms, from->lag_ms),
                         (float)given(from->right_lag_ms, from->lag_ms)},
        .ramp_mm_s2 = (float)given(from->ramp_mm_s2, 0.0),
        .ramp_error_mm_s2 = (float)from->ramp_error_mm_s2,
        .ahead_mm_s = {(float)from->left_ahead_mm_s, (float)from->right_ahead_mm_s},
        .back_mm_s = {(float)from->left_back_mm_s, (float)from->right_back_mm_s},
        .keeps_mm_s = {(float)given(from->left_keeps_mm_s, 0.0),
                       (float)given(from->right_keeps_mm_s, 0.0)},
        .ratio = {(float)given(from->left_ratio, 1.0), (float)given(from->right_ratio, 1.0)},
    };
    cmo_drive_apply(drive, &robot->description);
}

static void finish_measured_braking(lab_robot *robot, const staged_measured_braking *from) {
    robot->braking_measured = !isnan(from->slid_mm);
    if (!robot->braking_measured) {
        return;
    }
    robot->braking = (cmo_braking){
        .slid_mm = (float)from->slid_mm,
        .slid_error_mm = (float)from->slid_error_mm,
        .halt_slid_mm = (float)from->halt_slid_mm,
        .grip_mm_s2 = (float)given(from->grip_mm_s2, 0.0),
        .grip_error_mm_s2 = (float)from->grip_error_mm_s2,
        .speed_mm_s = (float)from->speed_mm_s,
        .limit_mm_s2 = (float)from->limit_mm_s2,
    };
    cmo_braking_apply(&robot->braking, &robot->description);
}

void labi_robot_finish(lab_robot *robot, const staged_robot *from, const char *file) {
    cmo_robot_description *d = &robot->description;
    robot->name = from->name != NULL ? g_strdup(from->name) : g_path_get_basename(file);
    CMO_BODY_FIELDS(TAKE_FIELD, d)
    CMO_CONTACT_FIELDS(TAKE_FIELD, d)
    robot->outline = (lab_outline){given(from->outline.front_mm, 0.8 * from->track_mm),
                                   given(from->outline.back_mm, 0.6 * from->track_mm),
                                   given(from->outline.left_mm, 0.6 * from->track_mm),
                                   given(from->outline.right_mm, 0.6 * from->track_mm)};
    if (!isnan(from->encoders.step_mm)) {
        robot->traits |= CMO_TRAIT_ENCODERS;
        d->left_step_mm = (float)given(from->encoders.left_step_mm, from->encoders.step_mm);
        d->right_step_mm = (float)given(from->encoders.right_step_mm, from->encoders.step_mm);
        d->gear_play_mm = (float)given(from->encoders.play_mm, 0.0);
        d->encoder_bits = (uint8_t)given(from->encoders.bits, 32.0);
    }
    if (given(from->look_times, 1.0) != 0.0) {
        robot->traits |= CMO_TRAIT_LOOK_TIMES;
    }
    if (given(from->heading, 0.0) != 0.0) {
        robot->traits |= CMO_TRAIT_HEADING;
    }
    unsigned buttons = (unsigned)given(from->buttons, 0.0);
    robot->traits =
        (uint16_t)(robot->traits | (given(from->range, 0.0) != 0.0 ? CMO_TRAIT_RANGE : 0U) |
                   (given(from->touch, 0.0) != 0.0 ? CMO_TRAIT_TOUCH : 0U) |
                   (buttons & 1U ? CMO_TRAIT_START : 0U) | (buttons & 2U ? CMO_TRAIT_STOP : 0U));
    finish_drive(robot, &from->drive);
    if (!isnan(from->lights.left.ahead_mm)) {
        finish_light(robot, &from->lights.left, 0);
    }
    if (!isnan(from->lights.right.ahead_mm)) {
        finish_light(robot, &from->lights.right, 1);
    }
    labi_surfaces_finish(robot, &from->known);
    finish_plant(robot, &from->plant);
    // What a count is worth is a matter of the hardware, not of what the robot believes.
    if (!isnan(from->encoders.step_mm)) {
        robot->plant.encoder_step_mm = from->encoders.step_mm;
    }
    finish_measured(robot, &from->measured);
    finish_measured_drive(robot, &from->measured_drive);
    finish_measured_braking(robot, &from->measured_braking);
}

// Where a section stands; a fleet has none at its root.
static const yaml_node_t *place_of(yaml_reader *reader, const char *section) {
    yaml_node_t *root = labi_yaml_root(reader);
    const yaml_node_t *node = labi_yaml_find(reader, root, section);
    return node != NULL ? node : root;
}

// What wheels go at top speed from one sample to the next, also where that is late by half a tick,
// is less than half of what their counts can tell.
static bool check_bits(yaml_reader *reader, const staged_robot *staged) {
    double way_mm = 1.5e-3 * staged->tick_ms * staged->drive.top_mm_s;
    double step_mm = fmin(given(staged->encoders.left_step_mm, staged->encoders.step_mm),
                          given(staged->encoders.right_step_mm, staged->encoders.step_mm));
    double needed = ceil(1.0 + log2(way_mm / step_mm)); // no number where there are no encoders
    return !(given(staged->encoders.bits, 32.0) < needed) ||
           labi_yaml_wrong(
               reader, place_of(reader, "encoders"), "encoders.bits",
               "must be at least %.0f, for in a tick and a half wheels go up to %.3g mm and "
               "count up to %.0f steps; or tick more often",
               needed, way_mm, ceil(way_mm / step_mm));
}

bool labi_robot_check_staged(yaml_reader *reader, const staged_robot *staged) {
    const yaml_node_t *drive = place_of(reader, "drive");
    if (staged->drive.kind == 1.0 && isnan(staged->drive.full_duty_mm_s)) {
        return labi_yaml_wrong(reader, drive, "drive.full_duty_mm_s",
                               "must be given for kind: duty");
    }
    if (staged->drive.halts == 0.0) {
        return labi_yaml_wrong(reader, drive, "drive.halts",
                               "must name at least one of: coast, "
                               "brake, hold");
    }
    if (given(staged->drive.slowest_mm_s, 0.0) > staged->drive.top_mm_s) {
        return labi_yaml_wrong(reader, drive, "drive.slowest_mm_s",
                               "must not be above top_mm_s, %.10g", staged->drive.top_mm_s);
    }
    double least_ms = 2.0 * staged->tick_ms;
    if (staged->drive.lifetime_ms < least_ms) { // not where it is not given: that is no number
        return labi_yaml_wrong(reader, drive, "drive.lifetime_ms",
                               "must be at least two ticks, %.10g ms", least_ms);
    }
    if (!check_bits(reader, staged) ||
        !labi_surfaces_check(reader, place_of(reader, "surfaces"), &staged->known)) {
        return false;
    }
    const staged_light *sides[2] = {&staged->lights.left, &staged->lights.right};
    static const char *const names[2] = {"lights.left", "lights.right"};
    const yaml_node_t *lights = place_of(reader, "lights");
    for (int i = 0; i < 2; i++) {
        if (given(sides[i]->counts_min, 0.0) > given(sides[i]->counts_max, 65535.0)) {
            char *field = g_strdup_printf("%s.counts_min", names[i]);
            labi_yaml_wrong(reader, lights, field, "must not be above counts_max");
            g_free(field);
            return false;
        }
        const staged_levels *levels = &sides[i]->levels;
        cmo_levels as_read = {(uint16_t)given(levels->dark, 0),
                              (uint16_t)given(levels->light, 0),
                              0,
                              (uint16_t)given(levels->noise, 0),
                              0,
                              0};
        const double thresholds[2] = {levels->dark_threshold, levels->light_threshold};
        for (int n = 0; n < 2; n++) {
            double low = fmin(levels->dark, levels->light);
            double high = fmax(levels->dark, levels->light);
            if (thresholds[n] <= low || thresholds[n] >= high) { // false where it is NAN
                char *field =
                    g_strdup_printf("%s.levels.%s_threshold", names[i], n == 0 ? "dark" : "light");
                labi_yaml_wrong(reader, lights, field, "must lie between dark and light");
                g_free(field);
                return false;
            }
        }
        if (!isnan(levels->dark) && !cmo_levels_usable(&as_read)) {
            char *field = g_strdup_printf("%s.levels", names[i]);
            labi_yaml_wrong(reader, lights, field,
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
    if (!labi_yaml_open(&reader, name, bytes, size, error)) {
        return NULL;
    }
    staged_robot staged;
    labi_section_clear(&labi_robot_section, &staged);
    lab_robot *robot = NULL;
    const yaml_node_t *fleet = labi_yaml_find(&reader, labi_yaml_root(&reader), "fleet");
    if (fleet != NULL) {
        labi_yaml_wrong(&reader, fleet, "fleet", "here one robot is needed, not a fleet");
    } else if (labi_yaml_section(&reader, labi_yaml_root(&reader), "", &labi_robot_section,
                                 &staged) &&
               labi_robot_check_staged(&reader, &staged)) {
        robot = g_new0(lab_robot, 1);
        labi_robot_finish(robot, &staged, name);
    }
    labi_section_release(&labi_robot_section, &staged);
    labi_yaml_close(&reader);
    return robot;
}

lab_robot *lab_robot_load(const char *path, GError **error) {
    char *bytes;
    size_t size;
    if (!labi_read_file(path, "robot file", LAB_YAML_MAX, &bytes, &size, error)) {
        return NULL;
    }
    lab_robot *robot = lab_robot_from_bytes(path, bytes, size, error);
    g_free(bytes);
    return robot;
}

void lab_robot_free(lab_robot *robot) {
    if (robot != NULL) {
        g_free(robot->name);
        for (unsigned i = 0; i < robot->surfaces.count; i++) {
            g_free(robot->surface_name[i]);
        }
        g_free(robot);
    }
}
