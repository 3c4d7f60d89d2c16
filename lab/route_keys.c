// SPDX-License-Identifier: GPL-3.0-or-later
// The keys of the route file, but for its legs.
#include "legs.h"
#include "route_staged.h"
#include "sections.h"

static const lab_key start_keys[] = {
    KEY(staged_start, x_mm, "x_mm", -1000, 21000, "mm", KEY_MUST,
        "middle of the axle, to the right"),
    KEY(staged_start, y_mm, "y_mm", -1000, 21000, "mm", KEY_MUST, "middle of the axle, up"),
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
    KEY(lab_spread, ambient, "ambient", 0, 1, "", "0", "of the ambient light, as a share"),
    KEY(lab_spread, height, "height", 0, 0.5, "", "0",
        "of the sensors' height above the floor, as a share"),
    KEY(lab_spread, late_ms, "late_ms", 0, 100, "ms", "0",
        "ticks come late by up to this, in each trial by up to another part of it"),
    KEY(lab_spread, looks_lost, "looks_lost", 0, 0.9, "", "0",
        "up to such a share of the looks gets lost, in each trial another"),
    KEY_END};
const lab_section labi_spread_section = {"spread",
                                         "By how much the trials of a series differ, evenly within "
                                         "plus and minus. The robot believes to "
                                         "stand where the start says.",
                                         spread_keys};

static const lab_key stop_place_keys[] = {
    KEY(staged_stop, x_mm, "x_mm", -1000, 21000, "mm", KEY_MUST, "to the right"),
    KEY(staged_stop, y_mm, "y_mm", -1000, 21000, "mm", KEY_MUST, "up"), KEY_END};
static const lab_section stop_place_section = {"objects[].stops[]", "A place that it drives to.",
                                               stop_place_keys};

static const lab_key object_keys[] = {
    KEY(staged_object, x_mm, "x_mm", -1000, 21000, "mm", KEY_MUST, "its middle, to the right"),
    KEY(staged_object, y_mm, "y_mm", -1000, 21000, "mm", KEY_MUST, "its middle, up"),
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
    KEY_TEXT(staged_route, robot, "robot", "`--robot`", "robot file, or fleet, beside the route"),
    KEY_TEXT(staged_route, mat, "mat", KEY_MUST, "mat, SVG or PNG, beside the route"),
    KEY(staged_route, mat_width_mm, "mat_width_mm", 10, 20000, "mm", "as the mat's file says",
        "true width of the mat"),
    KEY(staged_route, mat_px_per_mm, "mat_px_per_mm", 0.25, 10, "px/mm", "2",
        "resolution at which the mat is simulated"),
    KEY(staged_route, mat_soft_mm, "mat_soft_mm", 0, 5, "mm", "0",
        "its edges are printed soft, as wide as this"),
    KEY(staged_route, longest_s, "longest_s", 0.1, 3600, "s", "3600",
        "the whole run ends after this time"),
    KEY_SECTION(staged_route, start, "start", &labi_start_section, KEY_MUST, "start pose"),
    KEY_SECTION(staged_route, spread, "spread", &labi_spread_section, "as beside its keys",
                "how trials of a series differ"),
    KEY_LIST(staged_route, object, "objects", &object_section, staged_object, CMO_SIM_OBJECTS_MAX,
             objects, "none", "what stands or drives on the mat besides"),
    KEY(staged_route, start_pressed_s, "start_pressed_s", 0.001, 3600, "s", "never",
        "when the start button is pressed"),
    KEY(staged_route, stop_pressed_s, "stop_pressed_s", 0.001, 3600, "s", "never",
        "when the stop button is pressed"),
    {"numbers", LAB_SECTION, 0, 0, 0, "", "none",
     "names of numbers: wherever a number stands, a name will do, and + - * / and parentheses too",
     NULL, NULL, 0, 0, 0},
    {"legs", LAB_LIST, 0, 0, 0, "", KEY_MUST, "list of legs, one routine each", NULL,
     &labi_leg_section, 0, LAB_LEGS_MAX, 0},
    KEY_END};
const lab_section labi_route_section = {"route file", "A robot, a mat, a start pose, and legs.",
                                        route_keys};

const lab_section *const labi_route_sections[] = {&labi_route_section,  &labi_start_section,
                                                  &labi_spread_section, &object_section,
                                                  &stop_place_section,  NULL};
