// SPDX-License-Identifier: GPL-3.0-or-later
#include "table.h"

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
    table_refused_patrol(leg);
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
    table_patrol(leg);
    table_counted(leg);
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
    g_string_append(row, " ");
}

static void print_row(const lab_route *route, const lab_leg_result *leg) {
    printf("%s%3u  %-17s%s", paint("\033[1m"), leg->number, cmo_routine_name(leg->routine),
           paint("\033[0m"));
    print_outcome(leg, 14);
    if (leg->robot.applies != 0) {
        GString *row = g_string_new(NULL);
        g_string_append_printf(row, "%6.2f", leg->robot.value[CMO_ELAPSED_MS] / 1000.0);
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
    table_leg(route, leg);
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
    const char *both = "   robot   truth ";
    char *first = g_strdup_printf("%-36s%6s%8s%16s%17s%17s", "leg", "time", speeds ? "speed" : "",
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

// Whether its last leg looks for a line, and has ended on none, or on something else.
static bool missed_line(const lab_route *route, const lab_run *run) {
    if (run->legs->len == 0) {
        return false;
    }
    const lab_leg_result *last = &g_array_index(run->legs, lab_leg_result, run->legs->len - 1);
    cmo_line_parameters line;
    return lab_leg_line(&route->leg[last->number - 1], &line) &&
           (last->outcome == CMO_OUTCOME_NO_LINE || last->outcome == CMO_OUTCOME_ONE_SENSOR ||
            last->outcome == CMO_OUTCOME_WRONG_LINE);
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
    if (run->marked && missed_line(route, run)) {
        printf("what may be typed wrong there is tried by: cammino series ROUTE --advice\n");
    }
    if (estimated != 0) {
        printf("~ is an estimate: from commanded speed without encoders, or from wheels that slid "
               "as they halted\n");
    }
    if (!run->marked && route->region == NULL) {
        printf(
            "the mat marks no line and no boundary, so nothing can be said of the true target\n");
    }
}
