// SPDX-License-Identifier: GPL-3.0-or-later
// The keys of the route file.
#include "route_staged.h"
#include "sections.h"

#define MUST "must be given"
#define SPEED(object, field, fallback, meaning)                                                    \
    KEY(object, field, #field, 1, 5000, "mm/s", fallback, meaning)
#define ROBOTS "the robot's"
#define RATES(object, of, usual)                                                                   \
    KEY(object, acceleration_mm_s2, "acceleration_mm_s2", 10, 50000, "mm/s2", usual,               \
        "limit when speeding up" of),                                                              \
        KEY(object, braking_mm_s2, "braking_mm_s2", 10, 50000, "mm/s2", usual,                     \
            "limit when slowing down" of)
#define TWICE "twice what the way takes, plus 2"
#define LONGEST_S(object, usual)                                                                   \
    KEY(object, longest_s, "longest_s", 0.01, 3600, "s", usual, "give up after this time")
#define HALT(object)                                                                               \
    KEY_CHOICE(object, halt, "halt", halt_names, "the best that the robot has",                    \
               "what the motors do at the end")
#define ENDING(object)                                                                             \
    KEY_CHOICE(object, ending, "ending", ending_names, "halted",                                   \
               "moving: go over into the next leg without a halt")

static const char *const halt_names[] = {"coast", "brake", "hold", NULL};
static const char *const ending_names[] = {"halted", "moving", NULL};
static const char *const rest_names[] = {"halted", "near_edge", "centre", "far_edge", NULL};
static const char *const effort_names[] = {"normal", "quick", "fine", NULL};
static const char *const too_fast_names[] = {"refuse", "slow", NULL};
static const char *const tone_names[] = {"dark", "light", "void", NULL};
static const char *const sensor_names[] = {"either", "left", "right", "both", NULL};

static const lab_key advance_keys[] = {
    KEY(staged_move, amount, "distance_mm", -20000, 20000, "mm", MUST,
        "way to drive; negative is backward"),
    SPEED(staged_move, speed_mm_s, "half the top speed", "speed"),
    RATES(staged_move, "", ROBOTS),
    KEY(staged_move, tolerance, "tolerance_mm", 0.1, 50, "mm",
        "0.4, or half an encoder step if more; 0.5 without encoders",
        "it settles until it is this near"),
    LONGEST_S(staged_move, TWICE),
    HALT(staged_move),
    ENDING(staged_move),
    KEY_END};
static const lab_section advance_section = {"advance", "Drive straight on by a distance.",
                                            advance_keys};

static const lab_key turn_keys[] = {
    KEY(staged_move, amount, "angle_deg", -3600, 3600, "deg", MUST,
        "turn; positive is to the left"),
    SPEED(staged_move, speed_mm_s, "a third of the top speed", "speed of the wheels"),
    RATES(staged_move, ", of the wheels", "half of the robot's"),
    KEY(staged_move, tolerance, "tolerance_deg", 0.05, 20, "deg",
        "0.4 mm at the wheels, or half an encoder step if more; 0.5 mm without encoders",
        "it settles until it is this near"),
    LONGEST_S(staged_move, TWICE),
    HALT(staged_move),
    KEY_END};
static const lab_section turn_section = {"turn", "Turn on the spot by an angle.", turn_keys};

static const lab_key band_keys[] = {
    KEY(staged_band, low, "low", -2, 3, "", "open",
        "reflectance; 0 is the dark level, 1 the light"),
    KEY(staged_band, high, "high", -2, 3, "", "open", "reflectance"), KEY_END};
static const lab_section band_section = {
    "legs[].band", "Reflectances that count as the line. One end may be left open.", band_keys};

#define LINE_KEYS                                                                                  \
    KEY_CHOICE(staged_line, tone, "tone", tone_names, "dark", "what the line is made of"),         \
        KEY_SECTION(staged_line, band, "band", &band_section, "by the tone",                       \
                    "reflectances that count as the line: a grey one"),                            \
        KEY(staged_line, blind_mm, "blind_mm", 0, 20000, "mm", "0",                                \
            "drive this far without looking"),                                                     \
        SPEED(staged_line, cruise_mm_s, "half the top speed", "speed while blind"),                \
        SPEED(staged_line, creep_mm_s, "cruise_mm_s", "speed while looking"),                      \
        KEY(staged_line, least_width_mm, "least_width_mm", 0, 500, "mm", "10",                     \
            "what is narrower is no line; 0: anything is"),                                        \
        KEY(staged_line, largest_entry_deg, "largest_entry_deg", 1, 90, "deg", "45",               \
            "largest angle to the line's perpendicular; what the other sensor does not meet "      \
            "within what it allows is no line; 90: one sensor is enough"),                         \
        KEY(staged_line, longest_mm, "longest_mm", 1, 50000, "mm", "blind_mm + 2000",              \
            "give up after this way without a line in sight"),                                     \
        LONGEST_S(staged_line, TWICE "; with a rest 6"), RATES(staged_line, "", ROBOTS),           \
        HALT(staged_line),                                                                         \
        KEY(staged_line, expected_mm, "expected_mm", 0, 50000, "mm", "not known",                  \
            "way from the start at which the line is expected: it slows down there"),              \
        KEY_CHOICE(staged_line, too_fast, "too_fast", too_fast_names, "refuse",                    \
                   "where a line could be missed, or a table's edge overrun; slow: drive as fast " \
                   "as is safe")
#define SENSOR                                                                                     \
    KEY_CHOICE(staged_line, sensor, "sensor", sensor_names, "either",                              \
               "whose crossing counts; both: when both have crossed")

static const lab_key drive_keys[] = {LINE_KEYS, SENSOR, ENDING(staged_line), KEY_END};
static const lab_section drive_section = {
    "drive_until_line", "Drive until a line has proved to be one, and end on it.", drive_keys};

static const lab_key place_keys[] = {
    KEY(staged_start, x_mm, "x_mm", -1000, 21000, "mm", MUST, "a point on its near edge"),
    KEY(staged_start, y_mm, "y_mm", -1000, 21000, "mm", MUST, "the same"),
    KEY(staged_start, heading_deg, "heading_deg", -360, 360, "deg", "0",
        "of a robot that comes to it and stands square"),
    KEY_END};
static const lab_section place_section = {"legs[].place",
                                          "Where the line truly is. It sets the robot's pose, and "
                                          "the next advance and turn make good what "
                                          "is left of this leg's errors.",
                                          place_keys};
#define PLACE                                                                                      \
    KEY_SECTION(staged_line, place, "place", &place_section, "not known", "where the line truly is")

static const lab_key stop_keys[] = {
    LINE_KEYS,
    SENSOR,
    PLACE,
    KEY_CHOICE(staged_line, rest, "rest", rest_names, "halted",
               "where it comes to rest; halted: where the halt at the crossing leaves it"),
    KEY_CHOICE(
        staged_line, effort, "effort", effort_names, "normal",
        "with a rest; quick: brake and stay there; fine: settle as finely as the edge allows"),
    KEY(staged_line, beyond_mm, "beyond_mm", -500, 500, "mm", "0",
        "with a rest: how far beyond that place the sensors come to rest"),
    KEY_END};
static const lab_section stop_section = {"stop_on_line", "Drive to a line and stop on it.",
                                         stop_keys};

static const char *const edge_names[] = {"near_edge", "centre", "far_edge", NULL};

static const lab_key square_keys[] = {
    LINE_KEYS,
    PLACE,
    KEY_CHOICE(staged_line, rest, "rest", edge_names, "near_edge",
               "where both sensors come to rest"),
    KEY(staged_line, beyond_mm, "beyond_mm", -500, 500, "mm", "0",
        "how far beyond that place they come to rest"),
    KEY_WHOLE(staged_line, rounds, "rounds", 1, 20, "", "10",
              "moves to settle on the edge, at most"),
    KEY(staged_line, tolerance_mm, "tolerance_mm", 0.1, 5, "mm", "0.25",
        "settled once both sensors are this near to the edge; after two moves, 1.6 times this"),
    KEY_END};
static const lab_section square_section = {
    "square_on_line", "Stand square to a line, with both sensors over one of its edges.",
    square_keys};

static const lab_key take_levels_keys[] = {
    KEY(staged_levels_leg, distance_mm, "distance_mm", -2000, 2000, "mm", "150",
        "way over the line and back; negative is backward; at least 10"),
    KEY(staged_levels_leg, angle_deg, "angle_deg", -360, 360, "deg", "it drives",
        "turns on the spot by this and back instead; at least 10"),
    SPEED(staged_levels_leg, speed_mm_s, "80", "speed"),
    KEY(staged_levels_leg, longest_s, "longest_s", 0.01, 3600, "s", "four times the way, plus 4",
        "give up after this time"),
    KEY_END};
static const lab_section take_levels_section = {
    "take_levels", "Drive over a line and back, and take all sensors' levels.", take_levels_keys};

static const char *const paint_names[] = {"dark", "light", NULL};

static const lab_key check_wiring_keys[] = {
    KEY_CHOICE(staged_wiring_leg, tone, "tone", paint_names, "dark", "of the line"),
    SPEED(staged_wiring_leg, speed_mm_s, "100", "speed of a wheel"),
    KEY(staged_wiring_leg, swing_deg, "swing_deg", 10, 45, "deg", "35",
        "how far each wheel by itself swings the robot to look for the line"),
    KEY(staged_wiring_leg, longest_s, "longest_s", 0.01, 3600, "s", "20",
        "give up after this time"),
    KEY_END};
static const lab_section check_wiring_section = {
    "check_wiring",
    "Move a little before a line, and find out which motor, encoder and light sensor is where. The "
    "sensors stand 10 to 25 mm before the line.",
    check_wiring_keys};

static const lab_key measure_geometry_keys[] = {
    KEY_CHOICE(staged_geometry_leg, tone, "tone", paint_names, "dark", "of both lines"),
    KEY(staged_geometry_leg, lines_mm, "lines_mm", 100, 3000, "mm",
        "not known; the mean wheel size stays", "from one line's middle to the other's"),
    KEY(staged_geometry_leg, slant_deg, "slant_deg", 10, 40, "deg", "20",
        "slant of two of the four passes"),
    SPEED(staged_geometry_leg, speed_mm_s, "100", "slow speed"),
    SPEED(staged_geometry_leg, fast_mm_s, "450", "fast speed, at least twice the slow one"),
    KEY(staged_geometry_leg, longest_mm, "longest_mm", 200, 6000, "mm", "1500",
        "give up a pass after this way"),
    KEY_WHOLE(staged_geometry_leg, rounds, "rounds", 1, 20, "", "2",
              "how often the four passes are driven"),
    KEY(staged_geometry_leg, longest_s, "longest_s", 0.01, 3600, "s", "60 a round",
        "give up after this time"),
    KEY_END};
static const lab_section measure_geometry_section = {
    "measure_geometry",
    "Drive over two parallel lines, straight and at a slant, and measure wheels, track, the spots' "
    "places and the sensors' delays.",
    measure_geometry_keys};

static const lab_key measure_drive_keys[] = {
    SPEED(staged_drive_leg, fast_mm_s, "380", "the fastest that it drives, 40 or more"),
    KEY_WHOLE(staged_drive_leg, rounds, "rounds", 1, 10, "", "2",
              "how often the six passes are driven"),
    KEY(staged_drive_leg, longest_s, "longest_s", 0.01, 3600, "s", "30, and 30 a round",
        "give up after this time"),
    KEY_END};
static const lab_section measure_drive_section = {
    "measure_drive",
    "Drive to and fro on 600 mm of free floor, and measure by how much the wheels trail what they "
    "are told, a ramp of their regulator's own, and the least commands that turn them.",
    measure_drive_keys};

static const char *const grazing_names[] = {"sway", "accept", "refuse", NULL};
static const char *const stay_too_fast_names[] = {"refuse", "slow", "accept", NULL};
static const char *const leave_names[] = {"mirrored", "by_angle", "inward", "middle", NULL};
static const char *const bumper_names[] = {"left", "right", "back", NULL};

static const lab_key stay_keys[] = {
    KEY_CHOICE(staged_stay, boundary, "boundary", tone_names, "dark",
               "what the boundary is made of"),
    KEY_SECTION(staged_stay, band, "band", &band_section,
                "a fifth of the way from the floor to the boundary's level",
                "reflectances that count as boundary"),
    SPEED(staged_stay, cruise_mm_s, "as fast as is safe",
          "speed of the patrol; a fifth less until a first stop has been seen"),
    KEY_CHOICE(
        staged_stay, too_fast, "too_fast", stay_too_fast_names, "refuse",
        "where the wheels could go over the boundary; slow: drive as fast as is safe; accept: "
        "drive all the same"),
    KEY_CHOICE(staged_stay, grazing, "grazing", grazing_names, "sway",
               "where a wheel can reach the boundary unseen; accept: drive straight all the same"),
    KEY_FLAG(staged_stay, convex, "convex", "false",
             "no corner of the boundary pokes into the floor: it may be faster; needed where the "
             "tyres stand further out than the spots"),
    KEY_FLAG(staged_stay, guess, "guess", "false",
             "where one sensor alone has crossed, guess the boundary's direction"),
    KEY_CHOICE(staged_stay, leave, "leave", leave_names, "mirrored",
               "which way to go on; middle: toward the middle of the ground covered"),
    KEY(staged_stay, angle_deg, "angle_deg", 20, 180, "deg", "120",
        "with leave: by_angle, the turn from its heading"),
    KEY(staged_stay, margin_mm, "margin_mm", 0.5, 100, "mm", "3",
        "how far inside the wheels are to stay"),
    RATES(staged_stay, "", ROBOTS),
    HALT(staged_stay),
    KEY(staged_stay, for_s, "for_s", 0.1, 3600, "s", "30", "done after this time"),
    KEY_WHOLE(staged_stay, rebounds, "rebounds", 1, 65535, "", "no end", "done after so many"),
    KEY(staged_stay, distance_mm, "distance_mm", 1, 1000000, "mm", "no end", "done after this way"),
    KEY_CHOICES(staged_stay, touch, "touch", bumper_names, "no end",
                "done when one of these bumpers touches"),
    KEY(staged_stay, range_mm, "range_mm", 1, 5000, "mm", "no end",
        "done when something is nearer than this"),
    KEY(staged_stay, charge_mm, "charge_mm", 1, 5000, "mm", "nothing is",
        "what is nearer than this is charged"),
    SPEED(staged_stay, charge_mm_s, "cruise_mm_s", "speed of the charge"),
    KEY(staged_stay, scan_deg, "scan_deg", 0, 360, "deg", "0",
        "after a rebound, turns on by up to this to look for something to charge"),
    KEY_END};
static const lab_section stay_section = {
    "stay_inside", "Patrol within a boundary, and turn away from it.", stay_keys};

static const lab_key countdown_keys[] = {
    KEY_WHOLE(staged_countdown, seconds, "seconds", 0, 600, "s", "0",
              "counted down once the button is pressed"),
    KEY(staged_countdown, longest_s, "longest_s", 0.01, 3600, "s", "no limit",
        "give up when it is not pressed in this time"),
    KEY_END};
static const lab_section countdown_section = {
    "countdown", "Wait for the start button, and count down.", countdown_keys};

const lab_key labi_leg_keys[] = {
    KEY_SECTION(staged_leg, advance, "advance", &advance_section, "", "drive straight on"),
    KEY_SECTION(staged_leg, turn, "turn", &turn_section, "", "turn on the spot"),
    KEY_SECTION(staged_leg, drive_until_line, "drive_until_line", &drive_section, "",
                "drive until a line"),
    KEY_SECTION(staged_leg, stop_on_line, "stop_on_line", &stop_section, "", "stop on a line"),
    KEY_SECTION(staged_leg, square_on_line, "square_on_line", &square_section, "",
                "square up on a line"),
    KEY_SECTION(staged_leg, take_levels, "take_levels", &take_levels_section, "",
                "take the levels over a line"),
    KEY_SECTION(staged_leg, check_wiring, "check_wiring", &check_wiring_section, "",
                "check the wiring before a line"),
    KEY_SECTION(staged_leg, measure_geometry, "measure_geometry", &measure_geometry_section, "",
                "measure the geometry over two lines"),
    KEY_SECTION(staged_leg, measure_drive, "measure_drive", &measure_drive_section, "",
                "measure how the wheels answer what they are told"),
    KEY_SECTION(staged_leg, stay_inside, "stay_inside", &stay_section, "",
                "patrol within a boundary"),
    KEY_SECTION(staged_leg, countdown, "countdown", &countdown_section, "",
                "wait for the start button"),
    KEY_END};
const lab_section labi_leg_section = {
    "legs[]", "One leg: the name of a routine, and its parameters. {} takes all defaults.",
    labi_leg_keys};

static const lab_key start_keys[] = {
    KEY(staged_start, x_mm, "x_mm", -1000, 21000, "mm", MUST, "middle of the axle, to the right"),
    KEY(staged_start, y_mm, "y_mm", -1000, 21000, "mm", MUST, "middle of the axle, up"),
    KEY(staged_start, heading_deg, "heading_deg", -360, 360, "deg", "0",
        "anticlockwise from the x axis"),
    KEY_END};
const lab_section labi_start_section = {"start", "The start pose on the mat.", start_keys};

static const lab_key spread_keys[] = {
    KEY(lab_spread, x_mm, "x_mm", 0, 1000, "mm", "5", "of the start"),
    KEY(lab_spread, y_mm, "y_mm", 0, 1000, "mm", "5", "of the start"),
    KEY(lab_spread, heading_deg, "heading_deg", 0, 180, "deg", "2", "of the start"),
    KEY(lab_spread, battery, "battery", 0, 0.5, "", "0.1", "of the battery's voltage, as a share"),
    KEY(lab_spread, grip, "grip", 0, 0.9, "", "0.1", "of the tyres' grip, as a share"),
    KEY(lab_spread, wheel, "wheel", 0, 0.2, "", "the plant's", "of each wheel's size, as a share"),
    KEY(lab_spread, gain, "gain", 0, 0.5, "", "0.02",
        "of each sensor's gain since its levels were taken, as a share"),
    KEY_END};
const lab_section labi_spread_section = {"spread",
                                         "By how much the trials of a series differ, evenly within "
                                         "plus and minus. The robot believes to "
                                         "stand where the start says.",
                                         spread_keys};

static const lab_key stop_place_keys[] = {
    KEY(staged_stop, x_mm, "x_mm", -1000, 21000, "mm", MUST, "to the right"),
    KEY(staged_stop, y_mm, "y_mm", -1000, 21000, "mm", MUST, "up"), KEY_END};
static const lab_section stop_place_section = {"objects[].stops[]", "A place that it drives to.",
                                               stop_place_keys};

static const lab_key object_keys[] = {
    KEY(staged_object, x_mm, "x_mm", -1000, 21000, "mm", MUST, "its middle, to the right"),
    KEY(staged_object, y_mm, "y_mm", -1000, 21000, "mm", MUST, "its middle, up"),
    KEY(staged_object, radius_mm, "radius_mm", 1, 1000, "mm", "50", "its radius"),
    KEY(staged_object, mass_kg, "mass_kg", 0.01, 1000, "kg", "0.5", "its mass"),
    KEY(staged_object, friction_n, "friction_n", 0, 100000, "N", "4 times its mass",
        "force that it takes to push it over the floor"),
    KEY(staged_object, speed_mm_s, "speed_mm_s", 0, 2000, "mm/s", "0",
        "it drives from stop to stop at this"),
    KEY_LIST(staged_object, stop, "stops", &stop_place_section, staged_stop, 8, stops, "none",
             "places that it drives to in turn, over and over"),
    KEY_END};
static const lab_section object_section = {
    "objects[]",
    "Something on the mat, a disc, that the range sensor sees and that can be pushed; with speed "
    "and stops another robot that drives a route of its own.",
    object_keys};

static const lab_key route_keys[] = {
    KEY_TEXT(staged_route, robot, "robot", MUST, "robot file, or fleet, beside the route"),
    KEY_TEXT(staged_route, mat, "mat", MUST, "mat, SVG or PNG, beside the route"),
    KEY(staged_route, mat_width_mm, "mat_width_mm", 10, 20000, "mm", "as the mat's file says",
        "true width of the mat"),
    KEY(staged_route, mat_px_per_mm, "mat_px_per_mm", 0.25, 10, "px/mm", "2",
        "resolution at which the mat is simulated"),
    KEY(staged_route, mat_soft_mm, "mat_soft_mm", 0, 5, "mm", "0",
        "its edges are printed soft, as wide as this"),
    KEY(staged_route, longest_s, "longest_s", 0.1, 3600, "s", "3600",
        "the whole run ends after this time"),
    KEY_SECTION(staged_route, start, "start", &labi_start_section, MUST, "start pose"),
    KEY_SECTION(staged_route, spread, "spread", &labi_spread_section, "as beside its keys",
                "how trials of a series differ"),
    KEY_LIST(staged_route, object, "objects", &object_section, staged_object, CMO_SIM_OBJECTS_MAX,
             objects, "none", "what stands or drives on the mat besides"),
    KEY(staged_route, start_pressed_s, "start_pressed_s", 0.001, 3600, "s", "never",
        "when the start button is pressed"),
    KEY(staged_route, stop_pressed_s, "stop_pressed_s", 0.001, 3600, "s", "never",
        "when the stop button is pressed"),
    {"legs", LAB_LIST, 0, 0, 0, "", MUST, "list of legs, one routine each", NULL, &labi_leg_section,
     0, LAB_LEGS_MAX, 0},
    KEY_END};
const lab_section labi_route_section = {"route file", "A robot, a mat, a start pose, and legs.",
                                        route_keys};

const lab_section *const labi_route_sections[] = {
    &labi_route_section,    &labi_start_section,  &labi_spread_section,  &object_section,
    &stop_place_section,    &labi_leg_section,    &advance_section,      &turn_section,
    &drive_section,         &stop_section,        &square_section,       &band_section,
    &place_section,         &take_levels_section, &check_wiring_section, &measure_geometry_section,
    &measure_drive_section, &stay_section,        &countdown_section,    NULL};
