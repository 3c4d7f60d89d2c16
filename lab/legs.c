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
#define KEY_OF_SURFACE(LEG, name, usual, meaning)                                                  \
    ROW(LEG, name, #name, LAB_TEXT, 0, 0, "", usual, meaning, NULL, NULL)
#define KEY_OF_PLACE(LEG, name, usual, meaning)                                                    \
    ROW(LEG, name, #name, LAB_SECTION, 0, 0, "", usual, meaning, NULL, &place_section)

#define KEY_OF_PLACES(LEG, name, most, usual, meaning)                                             \
    {#name, LAB_NUMBERS, AT(LEG, name), 0, 50000, OWN_UNIT, usual, meaning, NULL, NULL, 0, most, 0},

#define KEYS_OF_LEG(NAME, name, figures, text)                                                     \
    static const lab_key name##_keys[] = {CMO_##NAME##_PARAMETERS(KEY_OF, name) KEY_END};          \
    static const lab_section name##_section = {#name, text, name##_keys};
LABI_EACH_LEG(KEYS_OF_LEG)

static const lab_key ends_keys[] = {CMO_ENDS_PARAMETERS(KEY_OF, ends) KEY_END};
static const lab_section ends_section = {
    "legs[].ends",
    "What else may end a leg, whichever comes first; ways, turn and time count from its start. A "
    "group takes all but ways and turn; its time counts over all rounds.",
    ends_keys};

static const lab_key group_keys[] = {
    {"rounds", LAB_WHOLE, 0, 1, 65535, "", "until its end", "how often", NULL, NULL, 0, 0, 0},
    KEY_END};
static const lab_section group_section = {
    "legs[].group",
    "A group: its `legs` are repeated together, so many rounds, or until one of its `ends`.",
    group_keys};

static const lab_key rule_keys[] = {
    KEY_WHOLE(staged_rule, again, "again", 1, 255, "", "no",
              "the same leg, so many times in a row"),
    KEY_TEXT(staged_rule, go_to, "go_to", "no", "the leg or group of that name"),
    KEY_WHOLE(staged_rule, times, "times", 1, 255, "", "must be given to lead back",
              "how often in the run"),
    KEY_END};
const lab_section labi_rule_section = {
    "legs[].follow.*",
    "What follows on an outcome (`done`, `no_line`...), on an end (`range_below`...), or on any "
    "`other` fault: a word, `go_on`, `stop` or `fail`, or one of these keys. A rule whose times "
    "are "
    "used up is as if it were not there; without a rule the next leg follows on done, and the run "
    "ends on a fault.",
    rule_keys};

#define KEY_OF_LEG(NAME, name, figures, text)                                                      \
    KEY_SECTION(staged_leg, name, #name, &name##_section, "", text),
static const lab_key leg_keys[] = {
    LABI_EACH_LEG(KEY_OF_LEG)
    // Beside a routine, or in its place; their owner reads what has no section here.
    KEY_TEXT(staged_leg, name, "name", "none", "what `go_to`, tables and pictures call it"),
    KEY_SECTION(staged_leg, ends, "ends", &ends_section, "none", "what else may end it"),
    {"follow", LAB_SECTION, 0, 0, 0, "", "as it says there", "what follows on which outcome", NULL,
     NULL, 0, 0, 0},
    {"expect", LAB_LIST, 0, 0, 0, "", "anything",
     "how it has to end: done, or ends by name; else the run has failed, as unexpected", NULL, NULL,
     0, 0, 0},
    KEY_SECTION(staged_leg, group, "group", &group_section, "",
                "a group in the place of a routine"),
    {"legs", LAB_LIST, 0, 0, 0, "", "", "of a group: its legs", NULL, NULL, 0, 0, 0},
    KEY_TEXT(staged_leg, include, "include", "",
             "the legs of another route file, in the place of a routine"),
    KEY_END};
const lab_section labi_leg_section = {
    "legs[]",
    "One leg: the name of a routine and its parameters, {} for all defaults; a group; or another "
    "route's legs. And what is stated of it besides.",
    leg_keys};

#define SECTION_OF_LEG(NAME, name, figures, text) &name##_section,
const lab_section *const labi_leg_sections[] = {&labi_leg_section,
                                                LABI_EACH_LEG(SECTION_OF_LEG) & ends_section,
                                                &group_section,
                                                &labi_rule_section,
                                                &band_section,
                                                &place_section,
                                                NULL};

bool labi_is_routine(const char *name) {
#define OR_NAMED(NAME, leg_name, figures, text) || strcmp(name, #leg_name) == 0
    return name != NULL && (false LABI_EACH_LEG(OR_NAMED));
}

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
#define TO(LEG, name)                 to->LEG.name
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
#define FINISH_TIME(LEG, name, ...) TO(LEG, name) = to_ms(staged->LEG.name);
#define FINISH_BAND(LEG, name, ...) TO(LEG, name) = to_band(&staged->LEG.name);
#define FINISH_SURFACE(LEG, name, ...)                                                             \
    g_free(leg->surface);                                                                          \
    leg->surface = g_strdup(staged->LEG.name);
#define FINISH_PLACE(LEG, name, ...) take_place(leg, &staged->LEG.name);
#define FINISH_PLACES(LEG, name, ...)                                                              \
    leg->places = staged->LEG.name.count;                                                          \
    for (unsigned i = 0; i < leg->places; i++) {                                                   \
        leg->places_mm[i] = (float)staged->LEG.name.value[i];                                      \
    }

#define FINISH_LEG(NAME, name, figures, text)                                                      \
    static void finish_##name(lab_leg *leg, const staged_leg *staged) {                            \
        lab_leg_parameters *to = &leg->parameters;                                                 \
        leg->routine = CMO_ROUTINE_##NAME;                                                         \
        CMO_##NAME##_PARAMETERS(FINISH, name)                                                      \
    }
LABI_EACH_LEG(FINISH_LEG)

void labi_leg_finish(lab_leg *leg, const char *name, const staged_leg *staged) {
#define FINISH_IF_NAMED(NAME, leg_name, figures, text)                                             \
    if (strcmp(name, #leg_name) == 0) {                                                            \
        finish_##leg_name(leg, staged);                                                            \
    }
    LABI_EACH_LEG(FINISH_IF_NAMED)
}

cmo_ends labi_ends_finish(const staged_ends *from, char **surface) {
    struct {
        cmo_ends ends;
    } finished = {0}, *to = &finished;
    const struct { staged_ends ends; } copy = {*from}, *staged = &copy;
    struct {
        char *surface;
    } named = {NULL}, *leg = &named;
    CMO_ENDS_PARAMETERS(FINISH, ends)
    *surface = named.surface;
    return finished.ends;
}

// --------------------------------------------------------------------------------------- start --

// On the bench an action does nothing, and takes its time.
static bool wait_for(cmo_robot *robot, void *context) {
    return robot->elapsed_ms >= ((const lab_action *)context)->takes_ms;
}

static cmo_leg make_leg(const lab_leg *from) {
#define MAKE_LEG(NAME, leg_name, figures, text)                                                    \
    case CMO_ROUTINE_##NAME:                                                                       \
        leg = (cmo_leg){CMO_LEG(leg_name, &from->parameters.leg_name)};                            \
        break;
    cmo_leg leg;
    switch (from->routine) {
        LABI_EACH_LEG(MAKE_LEG)
    default:
        g_assert_not_reached();
    }
    if (from->stated) {
        leg.place = &from->place;
        leg.take_place = from->routine == CMO_ROUTINE_SQUARE_ON_LINE ? cmo_square_on_line_place
                         : from->routine == CMO_ROUTINE_COUNT_LINES  ? cmo_count_lines_place
                         : from->routine == CMO_ROUTINE_FOLLOW_EDGE  ? cmo_follow_edge_place
                                                                     : cmo_stop_on_line_place;
    }
    leg.ends = from->ended ? &from->ends : NULL;
    leg.rules = (uint8_t)from->rules;
    leg.follow = from->rule;
    return leg;
}

void labi_legs_make(labi_legs *legs, const lab_route *route) {
    for (unsigned i = 0; i < route->legs; i++) {
        const lab_leg *from = &route->leg[i];
        legs->leg[i] = make_leg(from);
        if (from->routine == CMO_ROUTINE_ACTION) {
            legs->action[i] =
                (cmo_action_parameters){.function = wait_for,
                                        .context = (void *)(uintptr_t)&from->parameters.action,
                                        .longest_ms = from->parameters.action.longest_ms};
            legs->leg[i].parameters = &legs->action[i];
        }
        if (from->routine == CMO_ROUTINE_COUNT_LINES) {
            legs->counts[i] = lab_leg_counts(from);
            legs->leg[i].parameters = &legs->counts[i];
        }
        float over = labi_over_speed(route, i);
        if (over > 0.0F) {
            legs->over[i] = from->parameters.advance;
            legs->over[i].over_mm_s = over;
            legs->leg[i].parameters = &legs->over[i];
        }
    }
    for (unsigned i = 0; i < route->groups; i++) {
        const lab_group *from = &route->group[i];
        legs->group[i] =
            (cmo_group){from->first, from->last, from->rounds, from->ended ? &from->ends : NULL};
    }
    legs->route = (cmo_route_parameters){.leg = legs->leg,
                                         .legs = (uint8_t)route->legs,
                                         CMO_ROOM(legs->room),
                                         .group = legs->group,
                                         .groups = (uint8_t)route->groups};
}

cmo_count_lines_parameters lab_leg_counts(const lab_leg *leg) {
    cmo_count_lines_parameters counts = leg->parameters.count_lines;
    counts.place = leg->stated ? &leg->place : NULL;
    counts.places_mm = leg->places > 0 ? leg->places_mm : NULL;
    counts.places = (uint8_t)leg->places;
    return counts;
}

bool lab_leg_line(const lab_leg *leg, cmo_line_parameters *line) {
    switch (leg->routine) {
    case CMO_ROUTINE_DRIVE_UNTIL_LINE:
    case CMO_ROUTINE_STOP_ON_LINE:
        *line = leg->parameters.stop_on_line;
        return true;
    case CMO_ROUTINE_COUNT_LINES:
        *line = cmo_count_lines_search(&leg->parameters.count_lines);
        return true;
    case CMO_ROUTINE_SQUARE_ON_LINE:
        *line = cmo_square_on_line_search(&leg->parameters.square_on_line);
        line->sensor = CMO_SENSOR_EITHER; // whose crossing comes first is where the line begins
        line->largest_entry_deg = 90.0F;  // it turns until the other one meets it
        return true;
    case CMO_ROUTINE_FOLLOW_EDGE:
        *line = cmo_follow_edge_across(&leg->parameters.follow_edge);
        return leg->parameters.follow_edge.across == CMO_ACROSS_END &&
               leg->parameters.follow_edge.edge != CMO_LINE_BOTH;
    default:
        return false;
    }
}

// ------------------------------------------------------------------------------------- figures --

uint32_t labi_leg_figures(const lab_leg *leg) {
#define FIGURES_OF_LEG(NAME, name, figures, text)                                                  \
    [CMO_ROUTINE_##NAME] = CMO_FIGURES_OF_ALL | (figures),
    static const uint32_t applies[CMO_ROUTINES] = {LABI_EACH_LEG(FIGURES_OF_LEG)};
    cmo_line_parameters line;
    bool counts_all =
        leg->routine == CMO_ROUTINE_COUNT_LINES && leg->parameters.count_lines.number == 0;
    bool goes_on = counts_all || (lab_leg_line(leg, &line) && line.ending == CMO_END_MOVING);
    bool off_line = lab_leg_line(leg, &line) && line.off_line;
    uint32_t may = applies[leg->routine] |
                   (lab_leg_line(leg, &line) ? CMO_FIGURES_OF_LINE | CMO_FIGURES_OF_REST : 0U);
    return (may & ~(goes_on ? CMO_FIGURES_OF_REST : 0U)) |
           (off_line ? CMO_FIGURE_BIT(CMO_CLEAR_MM) : 0U);
}

// --------------------------------------------------------------------------------------- texts --

static void tell(GString *text, const char *key, double value) {
    if (value != 0.0) {
        g_string_append_printf(text, "%s%s %.4g", text->len > 0 ? ", " : "", key, value);
    }
}

static void tell_words(GString *text, const char *key, unsigned bits, const char *const *words) {
    if (bits != 0) {
        g_string_append_printf(text, "%s%s", text->len > 0 ? ", " : "", key);
    }
    for (unsigned i = 0; words[i] != NULL; i++) {
        if (bits & 1U << i) {
            g_string_append_printf(text, " %s", words[i]);
        }
    }
}

// What was given of the ends, key by key as a file has it.
char *lab_ends_text(const cmo_ends *ends) {
    GString *text = g_string_new(NULL);
    const cmo_ends *p = ends;
#define TELL(X, type, ...)          TELL_##type(__VA_ARGS__)
#define TELL_OTHERWISE(name, ...)   tell(text, #name, (double)p->name);
#define TELL_TIME(name, key, ...)   tell(text, #key, (double)p->name / 1000.0);
#define TELL_COUNT(of, name, ...)   tell(text, #name, (double)p->name);
#define TELL_BITS(name, words, ...) tell_words(text, #name, p->name, WORDS words);
#define TELL_FLAG(name, ...)        tell_words(text, #name, p->name ? 1U : 0U, WORDS(NULL));
#define TELL_CHOICE(of, name, first, last, words, ...)
#define TELL_BAND(name, ...)
#define TELL_SURFACE(name, ...)
    CMO_ENDS_PARAMETERS(TELL, )
    return g_string_free(text, FALSE);
}

const lab_group *lab_group_of(const lab_route *route, unsigned leg) {
    for (unsigned i = 0; i < route->groups; i++) { // the innermost comes first
        if (leg >= route->group[i].first && leg <= route->group[i].last) {
            return &route->group[i];
        }
    }
    return NULL;
}

const char *lab_leg_called(const lab_leg *leg) {
    return leg->name != NULL ? leg->name : cmo_routine_name(leg->routine);
}

char *lab_follow_text(const lab_route *route, unsigned number) {
    static const char *const words[CMO_NEXTS] = {
#define NEXT_WORD(NAME, name, text) #name,
        CMO_EACH_NEXT(NEXT_WORD)};
    const lab_leg *leg = &route->leg[number];
    GString *text = g_string_new(NULL);
    for (unsigned i = 0; i < leg->rules; i++) {
        const cmo_follow *rule = &leg->rule[i];
        const char *on = rule->on == CMO_ON_OTHER   ? "other"
                         : rule->on >= CMO_ON_BY(1) ? cmo_by_name((cmo_by)(rule->on - CMO_ON_BY(0)))
                                                    : cmo_outcome_name((cmo_outcome)rule->on);
        g_string_append_printf(text, "%s%s: %s", i > 0 ? ", " : "", on, words[rule->next]);
        if (rule->next == CMO_GO_TO) {
            g_string_append_printf(text, " %s", lab_leg_called(&route->leg[rule->leg]));
        }
        if (rule->times != 0) {
            g_string_append_printf(text, " %u", rule->times);
        }
    }
    return g_string_free(text, FALSE);
}
