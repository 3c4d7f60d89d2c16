// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli.h"

#include <math.h>
#include <unistd.h>

static const char *paint(const char *code) {
    return isatty(STDOUT_FILENO) ? code : "";
}

// Decimals that a figure deserves.
static int decimals(cmo_figure figure) {
    switch (figure) {
    case CMO_PASSED_OVER:
    case CMO_TICK_LATE_US:
    case CMO_REBOUNDS:
    case CMO_DEPARTURES:
        return 0;
    case CMO_REST_ERROR_MM:
    case CMO_OVERSHOOT_MM:
    case CMO_PREDICTED_OVERSHOOT_MM:
    case CMO_STOPPING_DISTANCE_MM:
    case CMO_SLIP_MM:
    case CMO_BLIND_GAP_MM:
    case CMO_TRAVELLED_MM:
    case CMO_ENTRY_ANGLE_DEG:
    case CMO_RESIDUAL_ANGLE_DEG:
    case CMO_TURNED_DEG:
    case CMO_TURN_ERROR_DEG:
    case CMO_MARGIN_MM:
    case CMO_COVERED_SHARE:
    case CMO_COVERED_PER_MIN:
    case CMO_COVERED_EVENNESS:
    case CMO_FULL_SHARE:
        return 2;
    default:
        return 1;
    }
}

// A figure's value; `missing` where it could not be measured, nothing where it does not apply.
static char *value_text(const lab_figures *figures, cmo_figure figure, int digits, bool estimated,
                        const char *missing) {
    if (!(figures->applies & LAB_FIGURE_BIT(figure))) {
        return g_strdup("");
    }
    if (!(figures->known & LAB_FIGURE_BIT(figure))) {
        return g_strdup(missing);
    }
    double value = figures->value[figure];
    value = fabs(value) < 0.5 * pow(10.0, -digits) ? 0.0 : value; // no -0.00
    return g_strdup_printf("%s%.*f", estimated ? "~" : "", digits, value);
}

static void print_value(const lab_figures *figures, cmo_figure figure, bool estimated) {
    char *text = value_text(figures, figure, decimals(figure), estimated, "not measured");
    printf("  %12s", text);
    g_free(text);
}

static void print_unfit(const lab_run *run) {
    if (run->legs->len == 0) {
        return;
    }
    const lab_leg_result *last = &g_array_index(run->legs, lab_leg_result, run->legs->len - 1);
    for (unsigned i = 0; i < CMO_LIGHTS_MAX; i++) {
        if (last->unfit[i]) {
            printf(
                "the %s sensor's levels no longer fit the floor: its readings were neither light "
                "nor dark for long; take them anew\n",
                cli_side(i));
        }
    }
}

// How a patrol drove, and how its rebounds were known.
static void print_patrol(const lab_leg_result *leg) {
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
static void print_refused_patrol(const lab_leg_result *leg) {
    static const struct {
        const char *field, *text;
    } texts[] = {
        {"convex", "a corner that pokes in could pass beside a spot and come under a tyre unseen; "
                   "say convex: true if there is none, or grazing: accept"},
        {"grazing", "a tyre can come to the boundary at a slant before a spot does; another "
                    "grazing would do: sway, or else accept"},
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

// What ended it otherwise than done, and what to look at.
static void print_trouble(const lab_leg_result *leg) {
    if (leg->outcome != CMO_OUTCOME_DONE) {
        printf("     %s", cmo_outcome_text(leg->outcome));
        if (leg->field != NULL) {
            printf(" (%s", leg->field);
            if (isfinite(leg->limit)) {
                printf("; at most %.4g", leg->limit);
            }
            printf(")");
        }
        printf("\n");
    }
    print_refused_patrol(leg);
    if (leg->report.motors_may_run) {
        printf("     the halt has not succeeded: motors may be running\n");
    }
    for (unsigned i = 0; i < CMO_FINDINGS; i++) {
        if (leg->findings & CMO_FINDING_BIT(i)) {
            printf("     found %s: %s\n", cmo_finding_name((cmo_finding)i),
                   cmo_finding_text((cmo_finding)i));
        }
    }
    if (leg->outcome >= CMO_OUTCOME_SENSOR_SILENT && leg->outcome <= CMO_OUTCOME_SENSOR_JUMPING &&
        leg->report.sensor >= 0) {
        printf("     it is the %s sensor\n", cli_side((unsigned)leg->report.sensor));
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
    if (leg->truth.known & LAB_FIGURE_BIT(CMO_LINES_SEEN)) {
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
    double count = leg->robot.value[CMO_PASSED_OVER];
    printf("     passed over %.0f, %sat %.1f mm by the %s sensor: %.1f mm along the way, %s\n",
           count, count > 1.0 ? "the last " : "", (double)report->passed_at_mm,
           cli_side(report->passed_sensor), (double)report->passed_width_mm,
           report->passed_reason == CMO_PASSED_ONE_SIDED      ? "met by that sensor alone"
           : report->passed_reason == CMO_PASSED_OUT_OF_PLACE ? "where none is due"
                                                              : "narrower than a line");
}

// What the route calls the leg, its round, and what has ended it.
static void print_called(const lab_leg_result *leg) {
    GString *line = g_string_new(leg->name);
    if (leg->round > 0) {
        g_string_append_printf(line, "%sround %u", line->len > 0 ? ", " : "", leg->round);
    }
    if (leg->report.by != CMO_BY_ITSELF) {
        g_string_append_printf(line, "%sended by %s", line->len > 0 ? ": " : "",
                               cmo_by_name((cmo_by)leg->report.by));
    }
    if (line->len > 0) {
        printf("     %s\n", line->str);
    }
    g_string_free(line, TRUE);
}

static void print_outcome(const lab_leg_result *leg, int width) {
    bool done = leg->outcome == CMO_OUTCOME_DONE;
    printf("%s%-*s%s", paint(done ? "\033[32m" : "\033[31m"), width, cmo_outcome_name(leg->outcome),
           paint("\033[0m"));
}

// ------------------------------------------------------------------------------- all figures --

static void print_all(const lab_leg_result *leg) {
    printf("\n%sleg %u  %s%s  ", paint("\033[1m"), leg->number, cmo_routine_name(leg->routine),
           paint("\033[0m"));
    print_outcome(leg, 0);
    printf("\n");
    print_called(leg);
    print_trouble(leg);
    if (leg->robot.applies == 0) {
        return;
    }
    printf("     %-24s%14s%14s\n", "", "robot", "truth");
    for (cmo_figure figure = 0; figure < CMO_FIGURES; figure++) {
        if (!((leg->robot.applies | leg->truth.applies) & LAB_FIGURE_BIT(figure))) {
            continue;
        }
        printf("     %-24s", cmo_figure_name(figure));
        print_value(&leg->robot, figure, leg->estimated & LAB_FIGURE_BIT(figure));
        if (leg->truth.applies & LAB_FIGURE_BIT(figure)) {
            print_value(&leg->truth, figure, false);
        }
        printf("\n");
    }
    print_patrol(leg);
    print_counted(leg);
    print_passed_over(leg);
}

// ------------------------------------------------------------------------------- a line a leg --

static void add_cell(GString *row, const lab_figures *figures, cmo_figure figure, int digits,
                     bool estimated) {
    char *text = value_text(figures, figure, digits, estimated, "-");
    g_string_append_printf(row, "%8s", text);
    g_free(text);
}

// Robot and truth of a figure.
static void add_pair(GString *row, const lab_leg_result *leg, cmo_figure figure, int digits) {
    add_cell(row, &leg->robot, figure, digits, leg->estimated & LAB_FIGURE_BIT(figure));
    add_cell(row, &leg->truth, figure, digits, false);
    g_string_append(row, "  ");
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

static bool knows(const lab_figures *figures, cmo_figure figure) {
    return figures->known & LAB_FIGURE_BIT(figure);
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
    printf("\n     %.0f mm/s on the mean; wobbles by %.1f degrees",
           robot->value[CMO_MEAN_SPEED_MM_S], robot->value[CMO_WOBBLE_DEG]);
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
    if (leg->robot.known & LAB_FIGURE_BIT(CMO_MARGIN_MM)) {
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

static void print_row(const lab_route *route, const lab_leg_result *leg) {
    printf("%s%3u  %-17s%s", paint("\033[1m"), leg->number, cmo_routine_name(leg->routine),
           paint("\033[0m"));
    print_outcome(leg, 14);
    if (leg->robot.applies != 0) {
        GString *row = g_string_new(NULL);
        g_string_append_printf(row, "%7.2f", leg->robot.value[CMO_ELAPSED_MS] / 1000.0);
        add_cell(row, &leg->robot, CMO_CROSSING_SPEED_MM_S, 0,
                 leg->estimated & LAB_FIGURE_BIT(CMO_CROSSING_SPEED_MM_S));
        add_pair(row, leg, CMO_OVERSHOOT_MM, 1);
        add_pair(row, leg, CMO_REST_ERROR_MM, 2);
        add_pair(row, leg, CMO_RESIDUAL_ANGLE_DEG, 2);
        printf("%s", g_strchomp(row->str));
        g_string_free(row, TRUE);
    }
    printf("\n");
    print_called(leg);
    print_trouble(leg);
    if (leg->robot.applies == 0) {
        return;
    }
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
    } else if (leg->routine == CMO_ROUTINE_CHECK_WIRING ||
               leg->routine == CMO_ROUTINE_MEASURE_GEOMETRY ||
               leg->routine == CMO_ROUTINE_MEASURE_DRIVE) {
        printf("     what it has found out: cammino wiring tells\n");
    }
    print_counted(leg);
    print_passed_over(leg);
}

// Columns that no leg fills are not headed.
static void print_head(const lab_run *run) {
    uint64_t applies = 0;
    for (guint i = 0; i < run->legs->len; i++) {
        applies |= g_array_index(run->legs, lab_leg_result, i).robot.applies;
    }
    bool lines = applies & LAB_FIGURE_BIT(CMO_REST_ERROR_MM);
    bool speeds = applies & LAB_FIGURE_BIT(CMO_CROSSING_SPEED_MM_S);
    bool moves = lines || applies & LAB_FIGURE_BIT(CMO_OVERSHOOT_MM);
    const char *both = "   robot   truth  ";
    char *first = g_strdup_printf("%-36s%6s%8s%16s%18s%18s", "leg", "time", speeds ? "speed" : "",
                                  moves ? "overshoot mm" : "", lines ? "rest error mm" : "",
                                  lines ? "angle deg" : "");
    char *second = g_strdup_printf("%36s%6s%8s%s%s%s", "", "s", speeds ? "mm/s" : "",
                                   moves ? both : "", lines ? both : "", lines ? both : "");
    printf("\n%s\n%s\n", g_strchomp(first), g_strchomp(second));
    g_free(second);
    g_free(first);
}

static unsigned not_driven(const lab_route *route, const lab_run *run) {
    bool driven[LAB_LEGS_MAX] = {false};
    unsigned left = route->legs;
    for (guint i = 0; i < run->legs->len; i++) {
        unsigned leg = g_array_index(run->legs, lab_leg_result, i).number - 1;
        left -= driven[leg] ? 0 : 1;
        driven[leg] = true;
    }
    return left;
}

void cli_print_run(const lab_route *route, const lab_run *run, bool all) {
    cli_line("%s on %s, route %s, seed %" G_GUINT64_FORMAT, route->robot->name, route->mat_path,
             route->path, (guint64)run->seed);
    uint32_t estimated = 0;
    if (!all) {
        print_head(run);
    }
    for (guint i = 0; i < run->legs->len; i++) {
        const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, i);
        if (all) {
            print_all(leg);
        } else {
            print_row(route, leg);
        }
        estimated |= leg->estimated;
    }
    printf("\nrun: %s after %.2f s", cmo_outcome_name(run->outcome), run->span_ms / 1000.0);
    unsigned left = not_driven(route, run);
    if (left > 0) {
        printf(", %u of %u legs not driven", left, route->legs);
    }
    printf("; it believes to stand %.1f mm and %.2f degrees from where it does\n",
           run->pose_error_mm, fabs(run->heading_error_deg));
    print_unfit(run);
    if (estimated != 0) {
        printf("~ is an estimate: from commanded speed without encoders, or from wheels that slid "
               "as they halted\n");
    }
    if (!run->marked && route->region == NULL) {
        printf(
            "the mat marks no line and no boundary, so nothing can be said of the true target\n");
    }
}
