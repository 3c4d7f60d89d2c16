// SPDX-License-Identifier: GPL-3.0-or-later
// The keys of the robot file.
#include "robot_staged.h"
#include "sections.h"

#define MUST "must be given"

// A row of the description's lists as a key.
#define TYPE_OF_float    LAB_NUMBER
#define TYPE_OF_uint32_t LAB_NUMBER // a time, in milliseconds
#define TYPE_OF_uint16_t LAB_WHOLE
#define KEY_OF_FIELD(object, must, of, field, key, factor, least, most, unit, usual, meaning)      \
    {                                                                                              \
        #key,                                                                                      \
        TYPE_OF_##of,                                                                              \
        offsetof(object, key),                                                                     \
        least,                                                                                     \
        most,                                                                                      \
        unit,                                                                                      \
        usual,                                                                                     \
        meaning,                                                                                   \
        NULL,                                                                                      \
        NULL,                                                                                      \
        0,                                                                                         \
        0,                                                                                         \
        0},

static const lab_key levels_keys[] = {
    KEY_WHOLE(staged_levels, dark, "dark", 0, 65534, "counts", MUST,
              "reading over the dark surface"),
    KEY_WHOLE(staged_levels, light, "light", 0, 65534, "counts", MUST,
              "reading over the light surface"),
    KEY_WHOLE(staged_levels, void_counts, "void", 0, 65534, "counts", "not known",
              "reading where there is no floor"),
    KEY_WHOLE(staged_levels, noise, "noise", 0, 10000, "counts", "1 % of the contrast",
              "standard deviation of a reading"),
    KEY_WHOLE(staged_levels, dark_threshold, "dark_threshold", 1, 65534, "counts", "halfway",
              "parts a dark line from all other surfaces"),
    KEY_WHOLE(staged_levels, light_threshold, "light_threshold", 1, 65534, "counts", "halfway",
              "parts a light line from all other surfaces"),
    KEY_END};
static const lab_section levels_section = {
    "lights.left.levels, lights.right.levels",
    "A sensor's readings over the surfaces, taken at the venue. Dark may read higher than light.",
    levels_keys};

static const lab_key light_keys[] = {
    CMO_LIGHT_FIELDS(KEY_OF_FIELD, staged_light)
        KEY_FLAG(staged_light, dark_is_high, "dark_is_high", "false",
                 "it reads higher over dark than over light; to take levels"),
    KEY_FLAG(staged_light, colour, "colour", "false", "its looks have red, green and blue"),
    KEY(staged_light, colour_ms, "colour_ms", 0, 100, "ms", "0",
        "from the first channel's exposure to the last one's; 0: at once"),
    KEY_SECTION(staged_light, levels, "levels", &levels_section, "none; no line can be looked for",
                "its readings over dark and light"),
    KEY_END};
const lab_section labi_light_section = {
    "lights.left, lights.right", "A light sensor, as the robot believes it to be.", light_keys};

static const lab_key lights_keys[] = {KEY_SECTION(staged_lights, left, "left", &labi_light_section,
                                                  MUST, "the left sensor, or the only one"),
                                      KEY_SECTION(staged_lights, right, "right",
                                                  &labi_light_section, "there is none",
                                                  "the right sensor"),
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
    KEY_WHOLE(
        staged_encoders, bits, "bits", 8, 32, "bits", "32",
        "width at which counts wrap; in a tick and a half at top speed wheels count less than half "
        "of that"),
    KEY(staged_encoders, play_mm, "play_mm", 0, 5, "mm", "0",
        "gear play at the tyre, between encoder and wheel; turn a wheel by hand to see it"),
    KEY_END};
static const lab_section encoders_section = {
    "encoders", "Wheel encoders. Left out: a robot without; its ways are estimates.",
    encoders_keys};

#define SPOT_KEYS                                                                                  \
    KEY(staged_spot, ahead_mm, "ahead_mm", -500, 500, "mm", MUST, "place of its spot"),            \
        KEY(staged_spot, left_mm, "left_mm", -500, 500, "mm", MUST, "place of its spot"),          \
        KEY(staged_spot, delay_ms, "delay_ms", 0, 50, "ms", MUST, "its delay")
static const lab_key spot_keys[] = {SPOT_KEYS, KEY_END};
static const lab_section spot_section = {"measured.left, measured.right",
                                         "A light sensor as it was measured.", spot_keys};

static const lab_key measured_keys[] = {
    KEY(staged_measured, left_step_mm, "left_step_mm", 0.001, 20, "mm", MUST,
        "way of the left wheel per count"),
    KEY(staged_measured, right_step_mm, "right_step_mm", 0.001, 20, "mm", MUST,
        "way of the right wheel per count"),
    KEY(staged_measured, track_mm, "track_mm", 20, 1000, "mm", MUST,
        "track that makes odometry's turns true"),
    KEY_SECTION(staged_measured, left, "left", &spot_section, MUST, "the left light sensor"),
    KEY_SECTION(staged_measured, right, "right", &spot_section, MUST, "the right light sensor"),
    KEY(staged_measured, size_error, "size_error", 0, 1, "", "not known",
        "standard uncertainty of the mean wheel size, as a share"),
    KEY(staged_measured, ratio_error, "ratio_error", 0, 1, "", "not known",
        "of right step over left step"),
    KEY(staged_measured, track_error_mm, "track_error_mm", 0, 100, "mm", "not known",
        "of the track"),
    KEY(staged_measured, mismatch_error_mm, "mismatch_error_mm", 0, 100, "mm", "not known",
        "of how far one spot is ahead of the other"),
    KEY(staged_measured, delay_error_ms, "delay_error_ms", 0, 100, "ms", "not known",
        "of either delay"),
    KEY_END};
static const lab_section measured_section = {
    "measured",
    "Geometry as measured by driving over two lines. It takes the place of what was stated above; "
    "the simulated robot stays as it is.",
    measured_keys};

#define LEAST_KEY(name, what) KEY(staged_measured_drive, name, #name, 0, 2000, "mm/s", MUST, what)
static const lab_key measured_drive_keys[] = {
    KEY(staged_measured_drive, lag_ms, "lag_ms", 0, 500, "ms", MUST,
        "by how much the wheels trail what they are told"),
    KEY(staged_measured_drive, lag_error_ms, "lag_error_ms", 0, 500, "ms", "not known",
        "its standard uncertainty"),
    KEY(staged_measured_drive, left_lag_ms, "left_lag_ms", 0, 500, "ms", "lag_ms",
        "the same of the left wheel by itself"),
    KEY(staged_measured_drive, right_lag_ms, "right_lag_ms", 0, 500, "ms", "lag_ms",
        "and of the right one"),
    KEY(staged_measured_drive, ramp_mm_s2, "ramp_mm_s2", 0, 200000, "mm/s2", "0: none was seen",
        "the fastest that the regulator changes its speed"),
    KEY(staged_measured_drive, ramp_error_mm_s2, "ramp_error_mm_s2", 0, 200000, "mm/s2",
        "not known", "its standard uncertainty"),
    LEAST_KEY(left_ahead_mm_s, "least command at which the left wheel starts, forward"),
    LEAST_KEY(right_ahead_mm_s, "the same of the right wheel"),
    LEAST_KEY(left_back_mm_s, "the same of the left wheel, backward"),
    LEAST_KEY(right_back_mm_s, "and of the right wheel"),
    KEY(staged_measured_drive, left_keeps_mm_s, "left_keeps_mm_s", 0, 2000, "mm/s", "0",
        "the least command at which the left wheel keeps turning"),
    KEY(staged_measured_drive, right_keeps_mm_s, "right_keeps_mm_s", 0, 2000, "mm/s", "0",
        "and the right one"),
    KEY(staged_measured_drive, left_ratio, "left_ratio", 0, 10, "", "1",
        "driven over commanded speed of the left wheel"),
    KEY(staged_measured_drive, right_ratio, "right_ratio", 0, 10, "", "1", "and of the right one"),
    KEY_END};
static const lab_section measured_drive_section = {
    "measured_drive",
    "The drive as measured by driving to and fro. Its lag, its least commands and limits within "
    "its ramp take the place of what was stated above; the simulated robot stays as it is.",
    measured_drive_keys};

static const lab_key measured_braking_keys[] = {
    KEY(staged_measured_braking, slid_mm, "slid_mm", -500, 500, "mm", MUST,
        "by so much it slides when it brakes by its own limit"),
    KEY(staged_measured_braking, halt_slid_mm, "halt_slid_mm", -500, 500, "mm", MUST,
        "and when it halts"),
    KEY(staged_measured_braking, slid_error_mm, "slid_error_mm", 0, 100, "mm", MUST,
        "the standard uncertainty of both slides"),
    KEY(staged_measured_braking, grip_mm_s2, "grip_mm_s2", 0, 200000, "mm/s2", "0: not met",
        "what the tyres pass on as they slide"),
    KEY(staged_measured_braking, grip_error_mm_s2, "grip_error_mm_s2", 0, 200000, "mm/s2",
        "not known", "its standard uncertainty"),
    KEY(staged_measured_braking, speed_mm_s, "speed_mm_s", 1, 5000, "mm/s", MUST,
        "the speed that it braked from"),
    KEY(staged_measured_braking, limit_mm_s2, "limit_mm_s2", 10, 50000, "mm/s2", MUST,
        "its own limit then; where that does not slide, it brakes no harder"),
    KEY_END};
static const lab_section measured_braking_section = {
    "measured_braking",
    "Braking as measured by stops over a line's edge. Its grip, and the limit that holds, or one "
    "within the grip, take the place of what was stated above; the simulated robot stays as it is.",
    measured_braking_keys};

static const char *const drive_kinds[] = {"speed", "duty", NULL};
static const char *const halt_names[] = {"coast", "brake", "hold", NULL};
static const lab_key drive_keys[] = {
    KEY_CHOICE(staged_drive, kind, "kind", drive_kinds, "speed",
               "speed: the port takes mm/s and regulates; duty: it takes duty -1..1"),
    CMO_DRIVE_FIELDS(KEY_OF_FIELD, staged_drive) CMO_DUTY_FIELDS(KEY_OF_FIELD, staged_drive)
        KEY(staged_drive, lifetime_ms, "lifetime_ms", 2, 5000, "ms", "five ticks, at least 50",
            "a drive command that is not renewed within this time halts the robot"),
    KEY_CHOICES(staged_drive, halts, "halts", halt_names, "[coast, brake]",
                "ways of halting that the motors have"),
    KEY_END};
static const lab_section drive_section = {"drive", "Motors and their control.", drive_keys};

static const char *const footprint_names[] = {"disc", "bell", NULL};
static const lab_key sensor_keys[] = {
    KEY(cmo_sim_light, ahead_mm, "ahead_mm", -500, 500, "mm", "as stated",
        "true place of the spot"),
    KEY(cmo_sim_light, left_mm, "left_mm", -500, 500, "mm", "as stated", "true place of the spot"),
    KEY(cmo_sim_light, spot_mm, "spot_mm", 0.5, 50, "mm", "as stated, else 6",
        "diameter of the spot at a height of 8 mm"),
    KEY(cmo_sim_light, height_mm, "height_mm", 1, 50, "mm", "8",
        "above the floor: light falls with its square, the spot grows with it"),
    KEY(cmo_sim_light, black_counts, "black_counts", 0, 65535, "counts", "0.06 of counts_max",
        "reading when nothing comes back"),
    KEY(cmo_sim_light, white_counts, "white_counts", 0, 65535, "counts", "0.85 of counts_max",
        "reading over pure white; below black_counts: dark reads higher"),
    KEY(cmo_sim_light, counts_max, "counts_max", 1, 65535, "counts", "as stated, else 1023",
        "the converter clips at 0 and here"),
    KEY(cmo_sim_light, noise, "noise", 0, 0.5, "", "0.01",
        "standard deviation of a look, as a share of white - black"),
    KEY(cmo_sim_light, ambient_share, "ambient_share", 0, 1, "", "0.02",
        "share of ambient light that gets in; about 0 for lit minus unlit, 1 for a plain sensor"),
    KEY(cmo_sim_light, interval_ms, "interval_ms", 0.5, 100, "ms", "as stated, else 10",
        "between two exposures"),
    KEY(cmo_sim_light, delay_ms, "delay_ms", 0, 60, "ms", "as stated",
        "from mid-exposure until the look is to be had"),
    KEY(cmo_sim_light, exposure_ms, "exposure_ms", 0, 50, "ms", "0.5", "length of an exposure"),
    KEY_CHOICE(cmo_sim_light, footprint, "footprint", footprint_names, "disc",
               "how it weighs the floor within its spot; bell: most in the middle, a little beyond "
               "the edge, with the second moment of a disc of that size"),
    KEY(cmo_sim_light, lopsided, "lopsided", -1, 1, "", "0",
        "the innermost part of the footprint lies ahead by this share of the radius"),
    KEY(cmo_sim_light, bend, "bend", -0.2, 0.2, "", "0",
        "how far its response leaves a straight line halfway from dark to light"),
    KEY(cmo_sim_light, lag_ms, "lag_ms", 0, 50, "ms", "0", "time constant of its electronics"),
    KEY(cmo_sim_light, clock_off, "clock_off", 0, 0.1, "", "0",
        "its own clock is fast or slow by up to this share"),
    KEY(cmo_sim_light, jitter_ms, "jitter_ms", 0, 20, "ms", "0",
        "each exposure comes early or late by up to this, and 0.4 of the interval"),
    KEY(cmo_sim_light, gain_wander, "gain_wander", 0, 0.2, "", "0",
        "standard deviation of a gain that wanders within 0.3, 3 and 30 s alike (1/f), as a share"),
    KEY(cmo_sim_light, cross_light, "cross_light", 0, 0.5, "", "0",
        "share of the other sensor's lamp that it sees, from under the other"),
    KEY_FLAG(cmo_sim_light, colour, "colour", "as stated", "its looks have red, green and blue"),
    KEY(cmo_sim_light, colour_span_ms, "colour_span_ms", 0, 100, "ms", "as stated",
        "from the first channel's exposure to the last one's; 0: at once"),
    KEY(cmo_sim_light, colour_noise, "colour_noise", 0, 0.5, "", "0.01",
        "of a channel, as a share of white - black"),
    KEY(cmo_sim_light, colour_mix, "colour_mix", 0, 0.3, "", "0.12",
        "share of either other colour that gets through a filter, each off by up to a fifth"),
    KEY(cmo_sim_light, lamp_red, "lamp_red", 0, 2, "", "0.7", "what the lamp gives of red"),
    KEY(cmo_sim_light, lamp_green, "lamp_green", 0, 2, "", "1", "of green"),
    KEY(cmo_sim_light, lamp_blue, "lamp_blue", 0, 2, "", "0.8", "of blue"),
    KEY_END};
const lab_section labi_true_light_section = {"plant.lights.left, plant.lights.right",
                                             "What is true of a light sensor.", sensor_keys};
static const lab_key eyes_keys[] = {
    KEY_SECTION(staged_light_truths, left, "left", &labi_true_light_section, "as stated",
                "the left sensor"),
    KEY_SECTION(staged_light_truths, right, "right", &labi_true_light_section, "as stated",
                "the right sensor"),
    KEY_END};
static const lab_section eyes_section = {"plant.lights", "The true light sensors.", eyes_keys};

static const lab_key shadow_keys[] = {
    KEY(cmo_sim_shadow, x_mm, "x_mm", -20000, 20000, "mm", MUST, "its middle on the mat"),
    KEY(cmo_sim_shadow, y_mm, "y_mm", -20000, 20000, "mm", MUST, "its middle on the mat"),
    KEY(cmo_sim_shadow, radius_mm, "radius_mm", 1, 20000, "mm", MUST, "its radius"),
    KEY(cmo_sim_shadow, soft_mm, "soft_mm", 0, 5000, "mm", "50", "width of its soft edge"),
    KEY(cmo_sim_shadow, depth, "depth", -5, 1, "", "1",
        "share of the ambient light taken away; negative is a lamp's patch"),
    KEY(cmo_sim_shadow, vx_mm_s, "vx_mm_s", -5000, 5000, "mm/s", "0",
        "how it moves; it stands at x_mm, y_mm at the start"),
    KEY(cmo_sim_shadow, vy_mm_s, "vy_mm_s", -5000, 5000, "mm/s", "0", "the same, up"),
    KEY(cmo_sim_shadow, every_s, "every_s", 0.1, 3600, "s", "it does not come again",
        "it stands at x_mm, y_mm again after each such time"),
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
    AT_S(left_light_jumps_at_s, "the left sensor's plug is loose from then on"),
    AT_S(right_light_jumps_at_s, "the right sensor's plug is loose from then on"),
    AT_S(left_light_clipped_at_s, "the left sensor reads 65535 from then on"),
    AT_S(right_light_clipped_at_s, "the right sensor reads 65535 from then on"),
    FAULT(lights_swapped, "the plugs of the light sensors are swapped"),
    FAULT(motors_swapped, "the plugs of the motors are swapped"),
    FAULT(left_motor_reversed, "the left motor turns the wrong way"),
    FAULT(right_motor_reversed, "the right motor turns the wrong way"),
    FAULT(left_motor_dead, "the left motor is unplugged"),
    FAULT(right_motor_dead, "the right motor is unplugged"),
    FAULT(left_encoder_dead, "the left encoder is unplugged"),
    FAULT(right_encoder_dead, "the right encoder is unplugged"),
    FAULT(left_encoder_reversed, "the left encoder counts the wrong way"),
    FAULT(right_encoder_reversed, "the right encoder counts the wrong way"),
    FAULT(encoders_swapped, "the plugs of the encoders are swapped"),
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

static const char *const curve_names[] = {"straight", "round", NULL};
static const char *const regulator_names[] = {"trim", "pi", "pi_soft", NULL};
#define PLANT(field, low, high, unit, fallback, text)                                              \
    KEY(staged_plant, plant.field, #field, low, high, unit, fallback, text)
static const lab_key plant_keys[] = {
    PLANT(mass_kg, 0.05, 20, "kg", "0.6", "mass"),
    PLANT(
        inertia_kg_m2, 1e-5, 1, "kg m2", "a plate of its mass, 1.2 tracks square",
        "about the vertical through the middle of the axle; at least 1.1 times that of the mass at "
        "centre_mm is taken"),
    PLANT(grip_m_s2, 0.2, 20, "m/s2", "4.5", "most acceleration that the tyres pass on"),
    PLANT(tyre_creep, 0, 0.2, "", "0.02", "slip, as a share of speed, just before a tyre lets go"),
    PLANT(drag_m_s2, 0, 5, "m/s2", "0.05", "deceleration by rolling resistance"),
    PLANT(caster_behind_mm, -500, 500, "mm", "55", "pivot of the caster, behind the axle"),
    PLANT(caster_trail_mm, 0, 100, "mm", "8",
          "its wheel behind its pivot; below 0.1: a ball, no kick"),
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
    PLANT(regulator_reset_ms, 10, 10000, "ms", "200", "integral time of its trim, or of the PI"),
    KEY_CHOICE(
        staged_plant, plant.regulator, "regulator", regulator_names, "trim",
        "trim: feed-forward and a slow trim against what the motor should do by now; pi: "
        "feed-forward and PI on what is asked for, quick and overshooting; pi_soft: the same "
        "on a reference that follows it with a lag"),
    PLANT(regulator_gain, 0, 50, "", "4",
          "pi: duty per error of the speed, as a share of no_load_mm_s"),
    PLANT(regulator_lag_ms, 1, 1000, "ms", "motor_lag_ms", "pi_soft: lag of its reference"),
    PLANT(regulator_filter_ms, 0, 100, "ms", "0",
          "pi: time constant of the speed that it measures"),
    KEY_CHOICE(staged_plant, plant.tyre_curve, "tyre_curve", curve_names, "straight",
               "straight: force grows evenly with slip until it lets go; round: less and less"),
    PLANT(slide_grip, 0.2, 1, "", "1", "grip of a tyre that slides, over that of one that rolls"),
    PLANT(slide_mm_s, 1, 5000, "mm/s", "100", "slip at which half of that difference is gone"),
    PLANT(
        side_creep, 0, 0.5, "", "0",
        "slip sideways, as a share of speed, just before the tyres let go; 0: they never slide so"),
    PLANT(centre_mm, -200, 200, "mm", "0", "centre of mass, ahead of the axle"),
    PLANT(height_mm, 0, 200, "mm", "0",
          "centre of mass above the floor: braking and turning shift the weight; 0: they do not"),
    PLANT(nose_mm, 0, 2, "mm per m/s2", "0",
          "how far the sensors rise as it speeds up, and drop as it brakes"),
    PLANT(turn_widens, 0, 0.3, "", "0",
          "share by which the tyres' scrub widens the track, in a turn on the spot"),
    PLANT(lean_mm, 0, 3, "mm", "0",
          "the body leans ahead by this when the whole grip brakes it, and back once it stands"),
    PLANT(slope_deg, -10, 10, "deg", "0", "slope of the mat"),
    PLANT(slope_to_deg, -360, 360, "deg", "0", "where it falls to, anticlockwise from the x axis"),
    PLANT(wave_mm, 0, 3, "mm", "0", "the mat's height varies by this, up and down"),
    PLANT(wave_length_mm, 20, 5000, "mm", "500", "once in this way, along x and along y"),
    PLANT(electric_ms, 0, 50, "ms", "0", "time constant of a motor's current"),
    PLANT(stick, 1, 5, "", "1", "gear friction at rest over that in motion"),
    PLANT(stick_mm_s, 0.1, 1000, "mm/s", "5", "speed at which half of that excess is gone"),
    PLANT(dead_backward, 0.2, 5, "", "1", "gear friction backward over that forward"),
    PLANT(ripple, 0, 1, "", "0", "share by which a motor's force varies, as its poles pass"),
    PLANT(ripple_mm, 0.05, 1000, "mm", "0.42", "way from one pole to the next, at the tyre"),
    PLANT(battery_deep, 0, 0.5, "", "0",
          "further share of the voltage that a lasting load of both motors stalled takes"),
    PLANT(battery_recovery_s, 0.01, 1000, "s", "2", "time constant of that, and of coming back"),
    PLANT(eccentric, 0, 0.2, "", "0", "share by which a wheel's size varies, once a turn"),
    PLANT(wheel_mm, 5, 500, "mm", "40", "diameter of a wheel, for that"),
    PLANT(encoder_wobble, 0, 0.45, "", "0",
          "edges of an encoder's tracks are off by up to this share of a step, four by turns"),
    PLANT(heading_drift_deg_s, -10, 10, "deg/s", "0.05",
          "heading sensor: how fast it turns by itself"),
    PLANT(heading_scale, 0.5, 2, "", "1.005", "what it says over the true turn"),
    PLANT(heading_noise_deg, 0, 10, "deg", "0.05", "standard deviation of a reading"),
    PLANT(ambient, 0, 10, "", "0.3", "ambient light, in luminance of the sensor's lamp on white"),
    PLANT(flicker, 0, 1, "", "0", "share of the ambient light that flickers"),
    PLANT(flicker_hz, 1, 1000, "Hz", "100", "how often; mains lamps at 100 or 120"),
    PLANT(ambient_change, -1, 10, "", "0", "by what share of itself ambient light changes"),
    PLANT(ambient_change_s, 0, 3600, "s", "0", "within this time from the start; 0: not at all"),
    PLANT(range_ahead_mm, -500, 500, "mm", "the outline's front",
          "range sensor: its place ahead of the axle"),
    PLANT(range_half_deg, 1, 60, "deg", "12", "half the angle of its cone"),
    PLANT(range_reach_mm, 10, 10000, "mm", "800", "how far it sees"),
    PLANT(range_noise_mm, 0, 100, "mm", "3", "standard deviation of a reading"),
    PLANT(range_interval_ms, 1, 1000, "ms", "20", "between two readings"),
    PLANT(wheel_spread, 0, 0.2, "", "0.004", "each wheel's size is off by up to this"),
    PLANT(place_spread_mm, 0, 50, "mm", "1", "each sensor's place is off by up to this"),
    PLANT(delay_spread_ms, 0, 20, "ms", "1", "each sensor's delay is off by up to this"),
    PLANT(gain_spread, 0, 0.5, "", "0", "each sensor's white - black is off by up to this"),
    PLANT(strength_spread, 0, 0.5, "", "0.05", "each motor's strength is off by up to this"),
    KEY_SECTION(staged_plant, sensors, "lights", &eyes_section, "as stated", "true light sensors"),
    KEY_LIST(staged_plant, plant.shadow, "shadows", &shadow_section, cmo_sim_shadow,
             CMO_SIM_SHADOWS_MAX, plant.shadows, "none", "shadows on the mat"),
    KEY_SECTION(staged_plant, faults, "faults", &faults_section, "none", "faults on request"),
    KEY_END};
const lab_section labi_plant_section = {
    "plant",
    "What the simulator makes true, where it is not as the robot believes. A spread says by how "
    "much robots differ: each seed draws its own, evenly within plus and minus.",
    plant_keys};

static const char *const button_names[] = {"start", "stop", NULL};
static const lab_key robot_keys[] = {
    KEY_TEXT(staged_robot, name, "name", "the file's name", "name of the robot"),
    CMO_BODY_FIELDS(KEY_OF_FIELD, staged_robot) CMO_CONTACT_FIELDS(KEY_OF_FIELD, staged_robot)
        KEY_FLAG(staged_robot, look_times, "look_times", "true",
                 "looks carry their own time; without, each is taken to be half a tick old"),
    KEY_FLAG(staged_robot, heading, "heading", "false",
             "it has a heading sensor: turns are taken from it"),
    KEY_FLAG(staged_robot, range, "range", "false", "it has a range sensor that looks ahead"),
    KEY_FLAG(staged_robot, touch, "touch", "false", "it has bumpers: left, right, back"),
    KEY_CHOICES(staged_robot, buttons, "buttons", button_names, "[]", "what buttons it has"),
    KEY_SECTION(staged_robot, outline, "outline", &outline_section, "from the track",
                "how far the robot reaches"),
    KEY_SECTION(staged_robot, encoders, "encoders", &encoders_section, "there are none",
                "wheel encoders"),
    KEY_SECTION(staged_robot, drive, "drive", &drive_section, MUST, "motors and their control"),
    KEY_SECTION(staged_robot, lights, "lights", &lights_section, "there are none", "light sensors"),
    KEY_SECTION(staged_robot, measured, "measured", &measured_section, "it was not measured",
                "geometry by measurement"),
    KEY_SECTION(staged_robot, measured_drive, "measured_drive", &measured_drive_section,
                "it was not measured", "the drive by measurement"),
    KEY_SECTION(staged_robot, measured_braking, "measured_braking", &measured_braking_section,
                "it was not measured", "the grip by measurement"),
    KEY_LIST(staged_robot, known.surface, "surfaces", &labi_surface_section, staged_surface,
             CMO_SURFACES_MAX, known.count, "none", "surfaces that it was taught"),
    KEY(staged_robot, known.change, "surfaces_change", 0, 0.5, "", "0.1",
        "by which share of itself the brightness of their readings may differ"),
    KEY_SECTION(staged_robot, plant, "plant", &labi_plant_section,
                "as stated, with the usual losses", "what the simulator makes true"),
    KEY_END};
const lab_section labi_robot_section = {
    "robot file", "What the robot believes of itself; under plant, what the simulator makes true.",
    robot_keys};

const lab_section *const labi_robot_sections[] = {&labi_robot_section,
                                                  &outline_section,
                                                  &encoders_section,
                                                  &drive_section,
                                                  &lights_section,
                                                  &labi_light_section,
                                                  &levels_section,
                                                  &measured_section,
                                                  &spot_section,
                                                  &measured_drive_section,
                                                  &measured_braking_section,
                                                  &labi_surface_section,
                                                  &labi_shade_section,
                                                  &labi_plant_section,
                                                  &eyes_section,
                                                  &labi_true_light_section,
                                                  &shadow_section,
                                                  &faults_section,
                                                  NULL};
