// SPDX-License-Identifier: GPL-3.0-or-later
#include "legs.h"

#include <math.h>
#include <string.h>

// ---------------------------------------------------------------------------------------- keys --

static const lab_key band_keys[] = {
    KEY(staged_band, low, "low", -2, 3, "", "open",
        "reflectance; 0 is the dark level, 1 the light"),
    KEY(staged_band, high, "high", -2, 3, "", "open", "reflectance"), KEY_END};
static const lab_section band_section = {
    "legs[].band", "Reflectances that count as the line. One end may be left open.", band_keys};

static const lab_key place_keys[] = {
    KEY(staged_start, x_mm, "x_mm", -1000, 21000, "mm", KEY_MUST, "a point on its near edge"),
    KEY(staged_start, y_mm, "y_mm", -1000, 21000, "mm", KEY_MUST, "the same"),
    KEY(staged_start, heading_deg, "heading_deg", -360, 360, "deg", "0",
        "of a robot that comes to it and stands square"),
    KEY_END};
static const lab_section place_section = {"legs[].place",
                                          "Where the line truly is. It sets the robot's pose, and "
                                          "the next advance and turn make good what "
                                          "is left of this leg's errors.",
                                          place_keys};

// A row as a key. LEG is the leg's name in a staged_leg; its object is the whole of that.
#define AT(LEG, field) (offsetof(staged_leg, LEG.field) - offsetof(staged_leg, LEG))
#define ROW(LEG, field, key, type, least, most, unit, usual, meaning, words, section)              \
    {key, type, AT(LEG, field), least, most, unit, usual, meaning, words, section, 0, 0, 0},
#define OWN_UNIT               NULL // the name ends in it
#define KEY_OF(LEG, type, ...) KEY_OF_##type(LEG, __VA_ARGS__)
#define KEY_OF_NUMBER(LEG, name, least, most, usual, meaning)                                      \
    ROW(LEG, name, #name, LAB_NUMBER, least, most, OWN_UNIT, #usual, meaning, NULL, NULL)
#define KEY_OF_OTHERWISE(LEG, name, least, most, usual, meaning)                                   \
    ROW(LEG, name, #name, LAB_NUMBER, least, most, OWN_UNIT, usual, meaning, NULL, NULL)
#define KEY_OF_SIGNED(LEG, name, least, most, usual, meaning)                                      \
    ROW(LEG, name, #name, LAB_NUMBER, -(most), most, OWN_UNIT, usual, meaning, NULL, NULL)
#define KEY_OF_SPEED(LEG, name, usual, meaning)                                                    \
    ROW(LEG, name, #name, LAB_NUMBER, 1, 5000, OWN_UNIT, usual, meaning, NULL, NULL)
#define KEY_OF_RATE(LEG, name, usual, meaning)                                                     \
    ROW(LEG, name, #name, LAB_NUMBER, 10, 50000, OWN_UNIT, usual, meaning, NULL, NULL)
#define KEY_OF_WIDTH(LEG, name, least, most, usual, meaning)                                       \
    ROW(LEG, name, #name, LAB_NUMBER, 0, most, OWN_UNIT, #usual, meaning, NULL, NULL)
#define KEY_OF_WHOLE(LEG, of, name, least, most, usual, meaning)                                   \
    ROW(LEG, name, #name, LAB_WHOLE, least, most, "", #usual, meaning, NULL, NULL)
#define KEY_OF_COUNT(LEG, of, name, least, most, usual, meaning)                                   \
    ROW(LEG, name, #name, LAB_WHOLE, least, most, "", usual, meaning, NULL, NULL)
#define KEY_OF_FLAG(LEG, name, meaning)                                                            \
    ROW(LEG, name, #name, LAB_FLAG, 0, 1, "", "false", meaning, NULL, NULL)
#define WORDS(...) ((const char *const[]){__VA_ARGS__, NULL})
// Every word of a choice stands for one value: else it does not compile. The assertion is worth 0.
#define A_WORD_EACH(first, last, words)                                                            \
    (0.0 * sizeof(struct {                                                                         \
         _Static_assert(sizeof(WORDS words) / sizeof(char *) ==                                    \
                            (size_t)(last) - (size_t)(first) + 2,                                  \
                        "a word for each value of a choice");                                      \
         char none;                                                                                \
     }))
#define KEY_OF_CHOICE(LEG, of, name, first, last, words, usual, meaning)                           \
    ROW(LEG, name, #name, LAB_CHOICE, A_WORD_EACH(first, last, words), 0, "", usual, meaning,      \
        WORDS words, NULL)
#define KEY_OF_BITS(LEG, name, words, usual, meaning)                                              \
    ROW(LEG, name, #name, LAB_CHOICES, 0, 0, "", usual, meaning, WORDS words, NULL)
#define KEY_OF_HALT(LEG, name, meaning)                                                            \
    ROW(LEG, name, #name, LAB_CHOICE, 0, 0, "", "the best that the robot has", meaning,            \
        WORDS CMO_HALT_WORDS, NULL)
#define KEY_OF_TIME(LEG, name, file_name, least, usual, meaning)                                   \
    ROW(LEG, name, #file_name, LAB_NUMBER, least, 3600, "s", usual, meaning, NULL, NULL)
#define KEY_OF_BAND(LEG, name, usual, meaning)                                                     \
    ROW(LEG, name, #name, LAB_SECTION, 0, 0, "", usual, meaning, NULL, &band_section)
#define KEY_OF_PLACE(LEG, name, usual, meaning)                                                    \
    ROW(LEG, name, #name, LAB_SECTION, 0, 0, "", usual, meaning, NULL, &place_section)

#define KEYS_OF_LEG(NAME, name, figures, text)                                                     \
    static const lab_key name##_keys[] = {CMO_##NAME##_PARAMETERS(KEY_OF, name) KEY_END};          \
    static const lab_section name##_section = {#name, text, name##_keys};
CMO_EACH_LEG(KEYS_OF_LEG)

#define KEY_OF_LEG(NAME, name, figures, text)                                                      \
    KEY_SECTION(staged_leg, name, #name, &name##_section, "", text),
static const lab_key leg_keys[] = {CMO_EACH_LEG(KEY_OF_LEG) KEY_END};
const lab_section labi_leg_section = {
    "legs[]", "One leg: the name of a routine, and its parameters. {} takes all defaults.",
    leg_keys};

#define SECTION_OF_LEG(NAME, name, figures, text) &name##_section,
const lab_section *const labi_leg_sections[] = {
    &labi_leg_section, CMO_EACH_LEG(SECTION_OF_LEG) & band_section, &place_section, NULL};

// -------------------------------------------------------------------------------------- finish --

// Zero means the default to a routine, so what was not given becomes zero.
static float or_zero(double value) {
    return isnan(value) ? 0.0F : (float)value;
}

static uint32_t to_ms(double seconds) {
    return isnan(seconds) ? 0U : (uint32_t)(1000.0 * seconds + 0.5);
}

static int to_choice(double number, int first) {
    return isnan(number) ? 0 : (int)number + first;
}

static cmo_band to_band(const staged_band *from) {
    if (isnan(from->low) && isnan(from->high)) {
        return (cmo_band){0.0F, 0.0F};
    }
    return (cmo_band){isnan(from->low) ? -INFINITY : (float)from->low,
                      isnan(from->high) ? INFINITY : (float)from->high};
}

static void take_place(lab_leg *leg, const staged_start *from) {
    leg->stated = !isnan(from->x_mm);
    leg->place =
        (cmo_stated_line){or_zero(from->x_mm), or_zero(from->y_mm), or_zero(from->heading_deg)};
}

// A row taken over from what was read to the routine's parameters.
#define FINISH(LEG, type, ...)        FINISH_##type(LEG, __VA_ARGS__)
#define TO(LEG, name)                 leg->parameters.LEG.name
#define FINISH_NUMBER(LEG, name, ...) TO(LEG, name) = or_zero(staged->LEG.name);
#define FINISH_OTHERWISE              FINISH_NUMBER
#define FINISH_SIGNED                 FINISH_NUMBER
#define FINISH_SPEED                  FINISH_NUMBER
#define FINISH_RATE                   FINISH_NUMBER
#define FINISH_WIDTH(LEG, name, ...)                                                               \
    TO(LEG, name) = staged->LEG.name == 0.0 ? CMO_ANY_WIDTH : or_zero(staged->LEG.name);
#define FINISH_WHOLE(LEG, of, name, ...) TO(LEG, name) = (of)or_zero(staged->LEG.name);
#define FINISH_COUNT                     FINISH_WHOLE
#define FINISH_FLAG(LEG, name, ...)      TO(LEG, name) = or_zero(staged->LEG.name) != 0.0F;
#define FINISH_CHOICE(LEG, of, name, first, ...)                                                   \
    TO(LEG, name) = (of)to_choice(staged->LEG.name, first);
#define FINISH_BITS(LEG, name, ...) TO(LEG, name) = (uint8_t)or_zero(staged->LEG.name);
#define FINISH_HALT(LEG, name, ...)                                                                \
    TO(LEG, name) = (cmo_halt)to_choice(staged->LEG.name, CMO_HALT_COAST);
#define FINISH_TIME(LEG, name, ...)  TO(LEG, name) = to_ms(staged->LEG.name);
#define FINISH_BAND(LEG, name, ...)  TO(LEG, name) = to_band(&staged->LEG.name);
#define FINISH_PLACE(LEG, name, ...) take_place(leg, &staged->LEG.name);

#define FINISH_LEG(NAME, name, figures, text)                                                      \
    static void finish_##name(lab_leg *leg, const staged_leg *staged) {                            \
        leg->routine = CMO_ROUTINE_##NAME;                                                         \
        CMO_##NAME##_PARAMETERS(FINISH, name)                                                      \
    }
CMO_EACH_LEG(FINISH_LEG)

void labi_leg_finish(lab_leg *leg, const char *name, const staged_leg *staged) {
#define FINISH_IF_NAMED(NAME, leg_name, figures, text)                                             \
    if (strcmp(name, #leg_name) == 0) {                                                            \
        finish_##leg_name(leg, staged);                                                            \
    }
    CMO_EACH_LEG(FINISH_IF_NAMED)
}

// --------------------------------------------------------------------------------------- start --

cmo_outcome labi_leg_start(const lab_leg *leg, cmo_robot *robot, labi_leg_state *state) {
#define START_LEG(NAME, name, figures, text)                                                       \
    case CMO_ROUTINE_##NAME:                                                                       \
        return cmo_##name##_start(robot, &state->name, &leg->parameters.name);
    switch (leg->routine) {
        CMO_EACH_LEG(START_LEG)
    default:
        g_assert_not_reached();
    }
}

bool lab_leg_line(const lab_leg *leg, cmo_line_parameters *line) {
    switch (leg->routine) {
    case CMO_ROUTINE_DRIVE_UNTIL_LINE:
    case CMO_ROUTINE_STOP_ON_LINE:
        *line = leg->parameters.stop_on_line;
        return true;
    case CMO_ROUTINE_SQUARE_ON_LINE:
        *line = cmo_square_on_line_search(&leg->parameters.square_on_line);
        line->sensor = CMO_SENSOR_EITHER; // whose crossing comes first is where the line begins
        return true;
    default:
        return false;
    }
}

// ------------------------------------------------------------------------------------- figures --

uint32_t labi_leg_figures(const lab_leg *leg) {
#define FIGURES_OF_LEG(NAME, name, figures, text)                                                  \
    [CMO_ROUTINE_##NAME] = CMO_FIGURES_OF_ALL | (figures),
    static const uint32_t applies[CMO_ROUTINES] = {CMO_EACH_LEG(FIGURES_OF_LEG)};
    bool goes_on = leg->routine == CMO_ROUTINE_DRIVE_UNTIL_LINE &&
                   leg->parameters.drive_until_line.ending == CMO_END_MOVING;
    return applies[leg->routine] & ~(goes_on ? CMO_FIGURES_OF_REST : 0U);
}
