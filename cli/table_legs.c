// SPDX-License-Identifier: GPL-3.0-or-later
#include "table.h"

#include <math.h>

static bool knows(const lab_figures *figures, cmo_figure figure) {
    return figures->known & LAB_FIGURE_BIT(figure);
}

// How a patrol drove, and how its rebounds were known.
void table_patrol(const lab_leg_result *leg) {
    if (leg->rebounds == NULL) {
        return;
    }
    const cmo_patrol_budget *b = &leg->budget;
    printf("     cruise %.0f mm/s, safe up to %.0f", leg->cruise_mm_s, (double)b->speed_mm_s);
    if (b->sway_deg > 0.0F) {
        printf("; it swayed %.0f degrees every %.0f mm: the tyres stand further out than the spots",
               (double)b->sway_deg, (double)b->sway_mm);
    } else if (b->sees_deg < 90.0F) {
        printf("; that holds up to %.0f degrees from square, beyond %.0f a wheel is over unseen",
               (double)b->sees_deg, (double)b->blind_deg);
    }
    unsigned both = 0, felt = 0, corners = 0;
    for (guint i = 0; i < leg->rebounds->len; i++) {
        const cmo_rebound *r = &g_array_index(leg->rebounds, lab_rebound, i).robot;
        both += r->known && r->crossed;
        felt += r->known && !r->crossed;
        corners += r->answered;
    }
    printf(
        "\n     boundary crossed by both sensors %u times, felt for %u, guessed %u; %u corners\n",
        both, felt, leg->rebounds->len - both - felt, corners);
}

// What stands behind the field by which a patrol was refused.
void table_refused_patrol(const lab_leg_result *leg) {
    static const struct {
        const char *field, *text;
    } texts[] = {
        {"convex", "a corner that pokes in could pass beside a spot and come under a tyre unseen; "
                   "say convex: true if there is none, or grazing: accept"},
        {"grazing",
         "a tyre can come to the boundary at a slant before a spot does, and it is not to "
         "sway, or cannot sway enough: put the spots further out or ahead, or say "
         "grazing: accept"},
        {"margin_mm", "no speed is safe: the spots are to stand further ahead or further out, or "
                      "margin_mm is to be smaller"},
    };
    bool refused = leg->routine == CMO_ROUTINE_STAY_INSIDE && leg->outcome == CMO_OUTCOME_TOO_FAST;
    for (size_t i = 0; refused && i < G_N_ELEMENTS(texts); i++) {
        if (g_strcmp0(leg->field, texts[i].field) == 0) {
            printf("     %s\n", texts[i].text);
        }
    }
}

// How many lines of each surface, where it knows any.
static void print_tally(const lab_leg_result *leg) {
    unsigned left = leg->counted->len;
    bool any = false;
    for (guint i = 0; leg->tells && i < leg->counted->len; i++) {
        unsigned count;
        const char *name = lab_tally(leg->counted, i, &count);
        if (name != NULL) {
            printf("%s %u %s", any ? "," : "     of them", count, name);
            any = true;
            left -= count;
        }
    }
    if (any && left > 0) {
        printf(", %u of none that it knows", left);
    }
    printf("%s", any ? "\n" : "");
}

// How many lines, and which of them are missing.
static void print_counted(const lab_leg_result *leg) {
    if (leg->counted == NULL) {
        return;
    }
    GString *missing = g_string_new(NULL);
    unsigned number = 1;
    for (guint i = 0; i < leg->counted->len; i++) {
        unsigned seen = g_array_index(leg->counted, lab_counted, i).robot.number;
        for (; number < seen; number++) {
            g_string_append_printf(missing, "%s %u", missing->len > 0 ? "," : "; missing:", number);
        }
        number = seen + 1;
    }
    printf("     counted %u line%s", leg->counted->len, leg->counted->len == 1 ? "" : "s");
    if (knows(&leg->truth, CMO_LINES_SEEN)) {
        printf(", truly %.0f", leg->truth.value[CMO_LINES_SEEN]);
    }
    printf("%s\n", missing->str);
    g_string_free(missing, TRUE);
    print_tally(leg);
}

static void print_passed_over(const lab_leg_result *leg) {
    const cmo_report *report = &leg->report;
    if (report->passed_reason == CMO_PASSED_NONE) {
        return;
    }
    static const char *const reasons[] = {[CMO_PASSED_TOO_NARROW] = "too narrow",
                                          [CMO_PASSED_ONE_SIDED] = "met by that sensor alone",
                                          [CMO_PASSED_OUT_OF_PLACE] = "where none is due",
                                          [CMO_PASSED_TOO_WIDE] = "too wide"};
    double count = leg->robot.value[CMO_PASSED_OVER];
    printf("     passed over %.0f, %sat %.1f mm by the %s sensor: %.1f mm along the way, %s\n",
           count, count > 1.0 ? "the last " : "", (double)report->passed_at_mm,
           cli_side(report->passed_sensor), (double)report->passed_width_mm,
           reasons[report->passed_reason]);
}

void table_counted(const lab_leg_result *leg) {
    print_counted(leg);
    print_passed_over(leg);
}

// What a move was to do, and what became of it.
static void print_move(const lab_leg *leg, const lab_leg_result *result) {
    bool turns = leg->routine == CMO_ROUTINE_TURN;
    cmo_figure figure = turns ? CMO_TURNED_DEG : CMO_TRAVELLED_MM;
    double asked =
        (double)(turns ? leg->parameters.turn.angle_deg : leg->parameters.advance.distance_mm);
    printf("     %g %s asked for: %s%.2f by its wheels, truly %.2f\n", asked,
           turns ? "degrees" : "mm", result->estimated & LAB_FIGURE_BIT(figure) ? "~" : "",
           result->robot.value[figure], result->truth.value[figure]);
}

static void print_edge(const lab_leg_result *leg) {
    const lab_figures *robot = &leg->robot;
    const lab_figures *truth = &leg->truth;
    if (!knows(robot, CMO_EDGE_WORST_MM)) {
        return;
    }
    printf("     joined after %.0f mm; %.1f mm from the edge, %.1f at worst",
           robot->value[CMO_JOINED_MM], robot->value[CMO_EDGE_MEAN_MM],
           robot->value[CMO_EDGE_WORST_MM]);
    if (knows(truth, CMO_EDGE_WORST_MM)) {
        printf(", truly %.1f and %.1f", truth->value[CMO_EDGE_MEAN_MM],
               truth->value[CMO_EDGE_WORST_MM]);
    }
    if (leg->forks > 0) {
        printf("; past %u fork%s", leg->forks, leg->forks > 1 ? "s" : "");
    }
    printf("\n     %.0f mm/s on the mean", robot->value[CMO_MEAN_SPEED_MM_S]);
    if (knows(robot, CMO_WOBBLE_DEG)) {
        printf("; wobbles by %.1f degrees", robot->value[CMO_WOBBLE_DEG]);
    }
    if (knows(truth, CMO_WOBBLE_DEG)) {
        printf(", truly %.1f", truth->value[CMO_WOBBLE_DEG]);
    }
    if (knows(truth, CMO_WOBBLE_HZ)) {
        printf(" and %.1f times a second", truth->value[CMO_WOBBLE_HZ]);
    }
    if (robot->value[CMO_FULL_SHARE] >= 0.005) {
        printf("; a wheel was to turn faster than it can for %.0f %% of the time",
               100.0 * robot->value[CMO_FULL_SHARE]);
    }
    printf("\n");
}

static void print_rebounds(const lab_leg_result *leg) {
    const lab_figures *truth = &leg->truth;
    printf("     %.0f rebounds; least margin ", leg->robot.value[CMO_REBOUNDS]);
    if (knows(&leg->robot, CMO_MARGIN_MM)) {
        printf("%.1f mm by its word, ", leg->robot.value[CMO_MARGIN_MM]);
    }
    printf("truly %.1f mm; ", truth->value[CMO_MARGIN_MM]);
    if (truth->value[CMO_DEPARTURES] > 0.0) {
        printf("over the boundary %.0f times; ", truth->value[CMO_DEPARTURES]);
    }
    printf("%.0f %% of the floor covered\n", 100.0 * truth->value[CMO_COVERED_SHARE]);
}

static void print_levels(const lab_leg_result *leg, unsigned lights) {
    for (unsigned i = 0; i < lights && i < CMO_LIGHTS_MAX; i++) {
        printf("     %s sensor: ", cli_side(i));
        if (leg->levels_fault[i] == CMO_LEVELS_GOOD) {
            printf("dark %u, light %u, noise %u counts\n", leg->levels[i].dark,
                   leg->levels[i].light, leg->levels[i].noise);
        } else {
            printf("refused, %s\n", cmo_levels_fault_name(leg->levels_fault[i]));
        }
    }
}

static void print_surface(const lab_leg_result *leg, const cmo_robot_description *d) {
    printf("     %s:", leg->surface);
    for (unsigned i = 0; i < d->lights && i < CMO_LIGHTS_MAX; i++) {
        const cmo_shade *shade = &leg->shade[i];
        printf("%s %s %u", i > 0 ? ";" : "", cli_side(i), shade->counts);
        if (d->light[i].colour) {
            printf(" (red %u, green %u, blue %u)", shade->colour[0], shade->colour[1],
                   shade->colour[2]);
        }
        printf(" +- %u", shade->spread);
    }
    printf(" counts\n");
}

// What its way from the edge to its first standstill was made of.
static void print_halt(const lab_halt_ways *halt) {
    if (!halt->known) {
        return;
    }
    printf("     halts in %.1f mm: delay %.1f, looks %.1f, lag %.1f, braking %.1f",
           halt->delay_mm + halt->looks_mm + halt->lag_mm + halt->braking_mm, halt->delay_mm,
           halt->looks_mm, halt->lag_mm, halt->braking_mm);
    if (isfinite(halt->deceleration_mm_s2)) {
        printf(" at %.0f mm/s2", halt->deceleration_mm_s2);
    }
    printf("\n");
}

void table_leg(const lab_route *route, const lab_leg_result *leg) {
    print_halt(&leg->halt);
    const lab_leg *asked = &route->leg[leg->number - 1];
    if (leg->routine == CMO_ROUTINE_ADVANCE || leg->routine == CMO_ROUTINE_TURN) {
        print_move(asked, leg);
    } else if (leg->routine == CMO_ROUTINE_FOLLOW_EDGE) {
        print_edge(leg);
    } else if (leg->routine == CMO_ROUTINE_STAY_INSIDE) {
        print_rebounds(leg);
    } else if (leg->routine == CMO_ROUTINE_TAKE_LEVELS) {
        print_levels(leg, route->robot->description.lights);
    } else if (leg->surface != NULL && leg->outcome == CMO_OUTCOME_DONE) {
        print_surface(leg, &route->robot->description);
    } else if (cli_wiring_tells(leg->routine)) {
        printf("     what it has found out: cammino wiring tells\n");
    }
    table_counted(leg);
}
