// SPDX-License-Identifier: GPL-3.0-or-later
#include "truth_count.h"

#include "truth.h"
#include "truth_target.h"

#include <gsl/gsl_statistics_double.h>
#include <math.h>

// A true line: where each sensor went onto it and off it.
typedef struct true_line {
    bool met[2];
    cmo_sim_crossing near[2];
    double far_mm[2][2]; // x and y
    bool left[2];
    double normal_x, normal_y;
    unsigned number; // by the spacing, or in turn
} true_line;

static double across(const true_line *line, double x_mm, double y_mm) {
    const cmo_sim_crossing *at = line->met[0] ? &line->near[0] : &line->near[1];
    return (x_mm - at->x_mm) * line->normal_x + (y_mm - at->y_mm) * line->normal_y;
}

// Both points lie on one straight edge: what is between them runs along it.
static bool is_same_edge(const true_line *line, const cmo_sim_crossing *c) {
    const cmo_sim_crossing *at = line->met[0] ? &line->near[0] : &line->near[1];
    double length = hypot(c->x_mm - at->x_mm, c->y_mm - at->y_mm);
    return fabs(across(line, c->x_mm, c->y_mm)) < fmax(2.0, 0.05 * length);
}

static true_line *line_at(GArray *lines, const cmo_sim_crossing *c) {
    for (guint i = lines->len; i > 0; i--) {
        true_line *line = &g_array_index(lines, true_line, i - 1);
        if (is_same_edge(line, c)) {
            return line;
        }
    }
    return NULL;
}

// Off it again, ahead: of the last one that the sensor has come onto.
static void take_far(GArray *lines, const cmo_sim_crossing *c) {
    for (guint i = lines->len; i > 0; i--) {
        true_line *line = &g_array_index(lines, true_line, i - 1);
        if (line->met[c->sensor]) {
            if (!line->left[c->sensor] && across(line, c->x_mm, c->y_mm) > 1.0) {
                line->left[c->sensor] = true;
                line->far_mm[c->sensor][0] = c->x_mm;
                line->far_mm[c->sensor][1] = c->y_mm;
            }
            return;
        }
    }
}

static GArray *find_lines(const lab_route *route, const cmo_sim *sim, const lab_leg_result *result,
                          const cmo_count_lines_parameters *p, double start_way_mm) {
    GArray *lines = g_array_new(FALSE, TRUE, sizeof(true_line));
    size_t count;
    const cmo_sim_crossing *crossings = cmo_sim_crossings(sim, &count);
    for (size_t i = 0; i < count; i++) {
        const cmo_sim_crossing *c = &crossings[i];
        bool timely = c->at.time_ms >= result->start_ms && c->at.time_ms <= result->end_ms;
        bool marked = c->mark == CMO_SIM_LINE || c->mark == CMO_SIM_BOUNDARY;
        bool blind = c->at.way_mm - start_way_mm < (double)p->blind_mm;
        if (!timely || !marked || blind || !labi_watches(p->sensor, c->sensor)) {
            continue;
        }
        if (!c->entering) {
            take_far(lines, c);
            continue;
        }
        true_line *line = line_at(lines, c);
        if (line == NULL && c->at.speed_mm_s > 0.0) { // and none that it comes back over
            true_line new = {.normal_x = cos(c->at.heading_rad),
                             .normal_y = sin(c->at.heading_rad)};
            cmo_sim_mat_normal(route->mat, c->mark, c->x_mm, c->y_mm, &new.normal_x, &new.normal_y);
            if (!labi_has_tone(route, sim, c, new.normal_x, new.normal_y, p->tone, p->surface)) {
                continue;
            }
            g_array_append_val(lines, new);
            line = &g_array_index(lines, true_line, lines->len - 1);
        }
        if (line != NULL && !line->met[c->sensor]) {
            line->met[c->sensor] = true;
            line->near[c->sensor] = *c;
        }
    }
    return lines;
}

// A line is what all watched sensors have come onto, as the robot is to count it.
static bool is_whole(const lab_route *route, const true_line *line,
                     const cmo_count_lines_parameters *p) {
    bool whole = true;
    for (unsigned i = 0; i < 2 && i < route->robot->plant.sensors; i++) {
        whole = whole && (!labi_watches(p->sensor, i) || line->met[i]);
    }
    return whole;
}

static const cmo_sim_crossing *met_of(const true_line *line) {
    return line->met[0] ? &line->near[0] : &line->near[1];
}

static unsigned nearest_place(const cmo_count_lines_parameters *p, double way_mm) {
    unsigned best = 0;
    for (unsigned i = 1; i < p->places; i++) {
        best = fabs((double)p->places_mm[i] - way_mm) < fabs((double)p->places_mm[best] - way_mm)
                   ? i
                   : best;
    }
    return best;
}

// By the places that are stated, from the first line that is met on.
static void number_by_places(GArray *lines, const cmo_count_lines_parameters *p,
                             double start_way_mm) {
    double from = 0.0;
    for (guint i = 0; i < lines->len; i++) {
        true_line *line = &g_array_index(lines, true_line, i);
        const cmo_sim_crossing *at = met_of(line);
        const true_line *first = &g_array_index(lines, true_line, 0);
        if (i == 0 && p->expected_mm > 0.0F) {
            double way = at->at.way_mm - start_way_mm - (double)p->expected_mm;
            from = (double)p->places_mm[nearest_place(p, way)];
        }
        line->number = nearest_place(p, from + across(first, at->x_mm, at->y_mm)) + 1U;
    }
}

// By their true places, where the spacing is told; else in turn.
static void give_numbers(GArray *lines, const cmo_count_lines_parameters *p, double start_way_mm) {
    double spacing = (double)p->spacing_mm;
    if (p->places > 0) {
        number_by_places(lines, p, start_way_mm);
        return;
    }
    for (guint i = 0; i < lines->len; i++) {
        true_line *line = &g_array_index(lines, true_line, i);
        const true_line *first = &g_array_index(lines, true_line, 0);
        const cmo_sim_crossing *at = met_of(line);
        double from = 0.0;
        if (spacing > 0.0 && p->expected_mm > 0.0F) {
            const cmo_sim_crossing *met = met_of(first);
            from = rint((met->at.way_mm - start_way_mm - (double)p->expected_mm) / spacing);
        }
        line->number =
            spacing > 0.0
                ? (unsigned)fmax(from + rint(across(first, at->x_mm, at->y_mm) / spacing), 0.0) + 1U
                : i + 1U;
    }
}

static void drop_part_lines(const lab_route *route, GArray *lines,
                            const cmo_count_lines_parameters *p) {
    for (guint i = lines->len; i > 0; i--) {
        if (!is_whole(route, &g_array_index(lines, true_line, i - 1), p)) {
            g_array_remove_index(lines, i - 1);
        }
    }
}

static double first_ms(const true_line *line) {
    double ms[2];
    for (int i = 0; i < 2; i++) {
        ms[i] = line->met[i] ? line->near[i].at.time_ms : INFINITY;
    }
    return fmin(ms[0], ms[1]);
}

// Lines that it has come to until it ended on one: what it overran while it braked for that, and
// came back from, is none of them. Its own time of that crossing is off by less than what a look is
// late.
static void put_counts(const cmo_sim_plant *plant, lab_leg_result *result, const GArray *lines,
                       double ended_ms) {
    double late_ms = 0.0;
    for (unsigned i = 0; i < plant->sensors; i++) {
        late_ms = fmax(late_ms, plant->sensor[i].interval_ms + plant->sensor[i].delay_ms);
    }
    unsigned seen = 0;
    unsigned last = 0;
    for (guint i = 0; i < lines->len; i++) {
        const true_line *line = &g_array_index(lines, true_line, i);
        if (first_ms(line) <= ended_ms + late_ms) {
            seen++;
            last = line->number;
        }
    }
    labi_put(&result->truth, CMO_LINES_SEEN, seen);
    labi_put(&result->truth, CMO_LINES_MISSED, last - seen);
}

static const true_line *numbered(const GArray *lines, unsigned number) {
    for (guint i = 0; i < lines->len; i++) {
        const true_line *line = &g_array_index(lines, true_line, i);
        if (line->number == number) {
            return line;
        }
    }
    return NULL;
}

static void put_line(lab_counted *to, const true_line *line) {
    unsigned sensors = 0;
    double x = 0.0;
    double y = 0.0;
    double width = 0.0;
    bool left = true;
    for (unsigned i = 0; i < 2; i++) {
        if (line->met[i]) {
            x += line->near[i].x_mm;
            y += line->near[i].y_mm;
            width += across(line, line->far_mm[i][0], line->far_mm[i][1]);
            left = left && line->left[i];
            sensors++;
        }
    }
    to->x_mm = x / sensors;
    to->y_mm = y / sensors;
    to->width_mm = left ? width / sensors : NAN;
}

// Of floor, from the line before to this one.
static double gap_before(const GArray *lines, const true_line *line) {
    const true_line *before = numbered(lines, line->number - 1U);
    lab_counted at;
    lab_counted from;
    if (before == NULL) {
        return NAN;
    }
    put_line(&at, line);
    put_line(&from, before);
    return across(before, at.x_mm, at.y_mm) - across(before, from.x_mm, from.y_mm) - from.width_mm;
}

static void put_spread(lab_figures *to, cmo_figure mean, cmo_figure spread, const GArray *values) {
    const double *all = (const double *)(const void *)values->data;
    labi_put(to, mean, values->len > 0 ? gsl_stats_mean(all, 1, values->len) : NAN);
    labi_put(to, spread, values->len > 1 ? gsl_stats_sd(all, 1, values->len) : NAN);
}

// As the robot has them: of the line itself, and of the floor before it.
static double robot_width(const GArray *counted, guint i) {
    const cmo_counted_line *line = &g_array_index(counted, lab_counted, i).robot;
    return line->width_mm > 0.0F ? (double)line->width_mm : NAN;
}

static double robot_gap(const GArray *counted, guint i) {
    if (i == 0) {
        return NAN;
    }
    const cmo_counted_line *line = &g_array_index(counted, lab_counted, i).robot;
    const cmo_counted_line *before = &g_array_index(counted, lab_counted, i - 1).robot;
    double way =
        (double)(line->at_mm - before->at_mm) * cos((double)line->entry_deg * G_PI / 180.0);
    return line->number == before->number + 1 ? way - robot_width(counted, i - 1) : NAN;
}

static double true_width(const GArray *counted, guint i) {
    return g_array_index(counted, lab_counted, i).width_mm;
}

static double true_gap(const GArray *counted, guint i) {
    return g_array_index(counted, lab_counted, i).gap_mm;
}

// Widths and gaps over the lines that were counted.
static void put_widths_and_gaps(lab_leg_result *result) {
    static const struct {
        double (*of)(const GArray *counted, guint i);
        cmo_figure mean, spread;
        bool truth;
    } kinds[] = {{robot_width, CMO_LINE_WIDTH_MM, CMO_LINE_WIDTH_SPREAD_MM, false},
                 {true_width, CMO_LINE_WIDTH_MM, CMO_LINE_WIDTH_SPREAD_MM, true},
                 {robot_gap, CMO_LINE_GAP_MM, CMO_LINE_GAP_SPREAD_MM, false},
                 {true_gap, CMO_LINE_GAP_MM, CMO_LINE_GAP_SPREAD_MM, true}};
    GArray *values = g_array_new(FALSE, FALSE, sizeof(double));
    for (size_t k = 0; k < G_N_ELEMENTS(kinds); k++) {
        g_array_set_size(values, 0);
        for (guint i = 0; i < result->counted->len; i++) {
            double value = kinds[k].of(result->counted, i);
            if (isfinite(value)) {
                g_array_append_val(values, value);
            }
        }
        put_spread(kinds[k].truth ? &result->truth : &result->robot, kinds[k].mean, kinds[k].spread,
                   values);
    }
    g_array_free(values, TRUE);
}

// Which of the lines it should have counted, and where those that it has counted truly are.
static void take_true_lines(const lab_route *route, const cmo_sim *sim, lab_leg_result *result,
                            const cmo_count_lines_parameters *p, double ended_ms) {
    size_t records;
    const cmo_sim_truth *all = cmo_sim_recorded(sim, &records);
    size_t first = MIN(labi_first_at(all, records, result->start_ms), records - 1);
    GArray *lines = find_lines(route, sim, result, p, all[first].way_mm);
    drop_part_lines(route, lines, p);
    give_numbers(lines, p, all[first].way_mm);
    put_counts(&route->robot->plant, result, lines, ended_ms);
    const true_line *target = p->number > 0 ? numbered(lines, p->number) : NULL;
    if (target != NULL) {
        bool right = !target->met[0] ||
                     (target->met[1] && target->near[1].at.time_ms < target->near[0].at.time_ms);
        result->target =
            (lab_target){true, target->near[right], target->normal_x, target->normal_y};
    }
    for (guint i = 0; i < result->counted->len; i++) {
        lab_counted *counted = &g_array_index(result->counted, lab_counted, i);
        const true_line *line = numbered(lines, counted->robot.number);
        if (line != NULL) {
            put_line(counted, line);
            counted->gap_mm = gap_before(lines, line);
        }
    }
    g_array_free(lines, TRUE);
}

void labi_count_truth(const lab_route *route, const cmo_sim *sim, lab_leg_result *result,
                      const cmo_count_lines_parameters *p, double ended_ms) {
    if (cmo_sim_mat_has(route->mat, CMO_SIM_LINE) ||
        cmo_sim_mat_has(route->mat, CMO_SIM_BOUNDARY)) {
        take_true_lines(route, sim, result, p, ended_ms);
    }
    put_widths_and_gaps(result);
}
