// SPDX-License-Identifier: GPL-3.0-or-later
#include <cammino_lab/trace.h>

#include "results_file.h"

#include <gsl/gsl_sort.h>
#include <gsl/gsl_statistics_double.h>
#include <math.h>

static const lab_row *row_at(const GArray *rows, guint i) {
    return &g_array_index(rows, lab_row, i);
}

// The clock of the robot wraps.
static double between_ms(const GArray *rows, guint from, guint to) {
    return 1e-3 *
           (double)(uint32_t)(row_at(rows, to)->robot.run_us - row_at(rows, from)->robot.run_us);
}

static double way_at(const GArray *rows, guint i) {
    return (double)row_at(rows, i)->robot.way_mm;
}

static double speed_at(const GArray *rows, guint i) {
    return 0.5 * (double)(row_at(rows, i)->robot.left_mm_s + row_at(rows, i)->robot.right_mm_s);
}

static double command_at(const GArray *rows, guint i) {
    return 0.5 * (double)(row_at(rows, i)->robot.left_command_mm_s +
                          row_at(rows, i)->robot.right_command_mm_s);
}

static double reading_at(const GArray *rows, guint i, unsigned sensor) {
    return sensor < CMO_LIGHTS_MAX ? (double)row_at(rows, i)->robot.reflectance[sensor] : NAN;
}

guint lab_trace_leg_end(const GArray *rows, guint start) {
    guint end = start + 1;
    for (; end < rows->len; end++) {
        const lab_row *before = row_at(rows, end - 1);
        const lab_row *row = row_at(rows, end);
        bool anew = before->robot.stage == CMO_STAGE_IDLE && row->robot.stage != CMO_STAGE_IDLE &&
                    end - 1 > start;
        bool other = row->leg != before->leg ||
                     (row->leg == 0 && row->robot.routine != before->robot.routine);
        if (other || anew) {
            break;
        }
    }
    return end;
}

// ------------------------------------------------------------------------------ loop and looks --

static double median_of(GArray *values) {
    double *data = (double *)(void *)values->data;
    gsl_sort(data, 1, values->len);
    return values->len > 0 ? gsl_stats_median_from_sorted_data(data, 1, values->len) : NAN;
}

static void tell_ticks(const GArray *rows, lab_trace_told *told) {
    GArray *spans = g_array_new(FALSE, FALSE, sizeof(double));
    double longest = 0.0;
    for (guint i = 1; i < rows->len; i++) {
        double span = between_ms(rows, i - 1, i);
        if (span > 0.0) { // where one leg follows another, two rows may have the same time
            g_array_append_val(spans, span);
            longest = fmax(longest, span);
        }
    }
    told->period_ms = median_of(spans);
    told->latest_ms = spans->len > 0 ? longest - told->period_ms : NAN;
    told->gap_at_ms = NAN;
    double at_ms = 1e-3 * (double)row_at(rows, 0)->robot.run_us;
    for (guint i = 1; i < rows->len; i++) {
        double span = between_ms(rows, i - 1, i);
        at_ms += span;
        if (span > 2.5 * told->period_ms) {
            told->gaps++;
            told->gap_at_ms = isnan(told->gap_at_ms) ? at_ms : told->gap_at_ms;
        }
    }
    g_array_free(spans, TRUE);
}

// A look shows where a reading changes. Two that happen to be the same look like one, so the middle
// of the spans is told and not their mean.
static void tell_looks(const GArray *rows, unsigned sensor, guint start, guint end,
                       double *interval_ms, double *longest_ms) {
    GArray *spans = g_array_new(FALSE, FALSE, sizeof(double));
    double since = NAN;
    *longest_ms = NAN;
    for (guint i = start + 1; i < end; i++) {
        bool turns = fabs(speed_at(rows, i)) > 1.0;
        double before = reading_at(rows, i - 1, sensor);
        double now = reading_at(rows, i, sensor);
        since += between_ms(rows, i - 1, i);
        if (isfinite(now) && isfinite(before) && now != before) {
            if (isfinite(since) && turns) {
                g_array_append_val(spans, since);
                *longest_ms = fmax(since, *longest_ms);
            }
            since = 0.0;
        }
    }
    *interval_ms = spans->len >= 5 ? median_of(spans) : NAN;
    g_array_free(spans, TRUE);
}

// ------------------------------------------------------------------------------------ crossing --

// A time within a step between two rows.
typedef struct moment {
    guint before; // the row at or before it
    double share; // of the step to the next one
} moment;

static double ms_of(const GArray *rows, guint start, const moment *m) {
    return between_ms(rows, start, m->before) +
           m->share * between_ms(rows, m->before, m->before + 1);
}

static double way_of(const GArray *rows, const moment *m) {
    return way_at(rows, m->before) +
           m->share * (way_at(rows, m->before + 1) - way_at(rows, m->before));
}

// When the way came past a place for the last time before a row.
static bool passes(const GArray *rows, guint start, guint until, double way_mm, moment *m) {
    for (guint i = until; i > start; i--) {
        double before = way_at(rows, i - 1) - way_mm;
        double after = way_at(rows, i) - way_mm;
        if (before * after <= 0.0 && before != after) {
            *m = (moment){i - 1, before / (before - after)};
            return true;
        }
    }
    return false;
}

#define NEAR_MM 80.0 // the other sensor meets a line within this way of the first

static double look_at(const GArray *rows, guint i, unsigned sensor) {
    return sensor < CMO_LIGHTS_MAX ? (double)row_at(rows, i)->robot.look_mm[sensor] : NAN;
}

// An edge as a sensor met it.
typedef struct edge {
    double mm;    // way of the sensor; NAN: it has not
    bool lighter; // onward
} edge;

// Where its reading passes the middle of the band, between the look of a row and the one before it.
static bool passes_edge(const GArray *rows, guint i, unsigned sensor, double middle, edge *e) {
    double from = look_at(rows, i - 1, sensor);
    double on = look_at(rows, i, sensor) - from;
    double before = reading_at(rows, i - 1, sensor) - middle;
    double after = reading_at(rows, i, sensor) - middle;
    if (!(before * after <= 0.0) || before == after || !isfinite(on)) {
        return false;
    }
    *e = (edge){from + on * before / (before - after), (after > before) == (on > 0.0)};
    return true;
}

static double middle_at(const GArray *rows, guint i) {
    const cmo_trace_row *row = &row_at(rows, i)->robot;
    return 0.5 * (double)(row->band_low + row->band_high);
}

// The line's near edge by both sensors' looks: where each of them met it first from a moment on.
static bool both_meet(const GArray *rows, const lab_trace_leg_told *leg, const moment *at,
                      edge first[2]) {
    double middle = middle_at(rows, at->before + 1);
    double here = way_of(rows, at);
    bool met = true;
    for (unsigned sensor = 0; sensor < 2; sensor++) {
        bool found = false;
        for (guint i = at->before + 1;
             i < leg->end && !found && fabs(way_at(rows, i) - here) < NEAR_MM; i++) {
            found = passes_edge(rows, i, sensor, middle, &first[sensor]);
        }
        met = met && found;
    }
    return met;
}

#define SLID_MM 25.0 // met again further off, it is another edge

// Met again after it has stood, slowly, an edge is where it was; by so much its way has gone wrong
// in between, for tyres have slid.
static double slid_mm(const GArray *rows, guint stood, guint end, const edge first[2]) {
    double sum = 0.0;
    unsigned count = 0;
    for (unsigned sensor = 0; sensor < 2; sensor++) {
        edge again = {NAN, false};
        for (guint i = stood + 1; i < end; i++) {
            edge e;
            if (passes_edge(rows, i, sensor, middle_at(rows, i), &e) &&
                e.lighter == first[sensor].lighter && fabs(e.mm - first[sensor].mm) < SLID_MM) {
                again = e;
            }
        }
        if (isfinite(again.mm)) {
            sum += again.mm - first[sensor].mm;
            count++;
        }
    }
    return count > 0 ? sum / count : 0.0;
}

// ---------------------------------------------------------------------------------------- legs --

static void set(lab_trace_leg_told *leg, cmo_figure figure, double value) {
    if (isfinite(value)) {
        leg->figures.applies |= LAB_FIGURE_BIT(figure);
        leg->figures.known |= LAB_FIGURE_BIT(figure);
        leg->figures.value[figure] = value;
    }
}

static double turned_deg(const GArray *rows, guint start, guint end) {
    double sum = 0.0;
    for (guint i = start + 1; i < end; i++) {
        sum += remainder(
            (double)(row_at(rows, i)->robot.heading_deg - row_at(rows, i - 1)->robot.heading_deg),
            360.0);
    }
    return sum;
}

#define STILL_MM 0.5  // less than this
#define STILL_MS 30.0 // in this time is a standstill

// Whether it stands from a row on, or turns back; and how far it comes until then.
static bool stands(const GArray *rows, guint i, guint end, double sign, double *furthest_mm) {
    *furthest_mm = sign * way_at(rows, i);
    for (guint k = i + 1; k < end; k++) {
        double moved = sign * (way_at(rows, k) - way_at(rows, i));
        *furthest_mm = fmax(*furthest_mm, sign * way_at(rows, k));
        if (moved > STILL_MM) {
            return false;
        }
        if (moved < -0.05 || between_ms(rows, i, k) >= STILL_MS) {
            return true;
        }
    }
    return true; // to the end
}

static bool answers(const GArray *rows, guint i, double asked) {
    uint8_t stage = row_at(rows, i)->robot.stage;
    return stage == CMO_STAGE_BRAKE || stage == CMO_STAGE_HALT ||
           fabs(command_at(rows, i)) < 0.9 * fabs(asked);
}

#define STRAIGHT_DEG 3.0 // a spot beside the axle goes another way in a turn than the axle does

// What a motor goes on through its gear's play, the robot does not, nor back: halted, it has rolled
// through it; a profile ends with the motors pushing or not, and small moves take it out.
static double rolled_mm(const GArray *rows, guint answer, double play_mm, double share) {
    return row_at(rows, answer)->robot.stage == CMO_STAGE_BRAKE ? share * play_mm : play_mm;
}

static void tell_stop(const GArray *rows, lab_trace_leg_told *leg, const moment *at,
                      double latched_mm, double near_mm, const edge *first, double play_mm) {
    double sign = speed_at(rows, at->before) < 0.0 ? -1.0 : 1.0;
    double speed = speed_at(rows, at->before) +
                   at->share * (speed_at(rows, at->before + 1) - speed_at(rows, at->before));
    set(leg, CMO_CROSSING_SPEED_MM_S, fabs(speed));
    guint answer = at->before + 1;
    while (answer < leg->end && !answers(rows, answer, command_at(rows, at->before))) {
        answer++;
    }
    if (answer == leg->end) {
        return;
    }
    set(leg, CMO_REACTION_MS, between_ms(rows, leg->start, answer) - ms_of(rows, leg->start, at));
    guint last = leg->end - 1;
    bool straight = fabs(turned_deg(rows, at->before, leg->end)) < STRAIGHT_DEG;
    if (!straight || fabs(speed_at(rows, last)) > 20.0) {
        return;
    }
    double furthest = -INFINITY;
    double stop_mm = NAN;
    guint stood = last;
    for (guint i = answer; i < leg->end; i++) {
        double here;
        furthest = fmax(furthest, sign * way_at(rows, i));
        if (isnan(stop_mm) && stands(rows, i, leg->end, sign, &here)) {
            stop_mm = here - sign * latched_mm;
            stood = i;
        }
    }
    double edge_mm = near_mm + (first != NULL ? slid_mm(rows, stood, leg->end, first) : 0.0);
    double rolled = rolled_mm(rows, answer, play_mm, 0.5);
    set(leg, CMO_STOPPING_DISTANCE_MM, stop_mm + rolled);
    set(leg, CMO_OVERSHOOT_MM, furthest - sign * edge_mm + rolled);
    set(leg, CMO_REST_ERROR_MM,
        sign * (way_at(rows, last) - edge_mm) + rolled_mm(rows, answer, play_mm, 0.0));
}

static void tell_crossing(const GArray *rows, lab_trace_leg_told *leg, double play_mm) {
    double latched = (double)row_at(rows, leg->end - 1)->robot.crossing_mm;
    guint known = leg->end - 1;
    while (known > leg->start && (double)row_at(rows, known - 1)->robot.crossing_mm == latched) {
        known--;
    }
    leg->crossing_mm = leg->crossing_ms = NAN;
    moment at;
    if (!isfinite(latched) || !passes(rows, leg->start, known, latched, &at)) {
        return;
    }
    edge first[2];
    bool both = both_meet(rows, leg, &at, first);
    double near_mm = both ? 0.5 * (first[0].mm + first[1].mm) : latched;
    leg->crossing_ms = ms_of(rows, leg->start, &at);
    leg->crossing_mm = near_mm - way_at(rows, leg->start);
    tell_stop(rows, leg, &at, latched, near_mm, both ? first : NULL, play_mm);
}

static void tell_leg(const GArray *rows, lab_trace_leg_told *leg, double period_ms,
                     double play_mm) {
    guint last = leg->end - 1;
    double elapsed = between_ms(rows, leg->start, last);
    double top = 0.0;
    double late = 0.0;
    for (guint i = leg->start; i < leg->end; i++) {
        top = fmax(top, fabs(speed_at(rows, i)));
        late = fmax(late, i > leg->start ? between_ms(rows, i - 1, i) - period_ms : 0.0);
    }
    set(leg, CMO_ELAPSED_MS, elapsed);
    set(leg, CMO_TRAVELLED_MM, way_at(rows, last) - way_at(rows, leg->start));
    set(leg, CMO_TURNED_DEG, turned_deg(rows, leg->start, leg->end));
    set(leg, CMO_TOP_SPEED_MM_S, top);
    set(leg, CMO_TICK_LATE_US, 1e3 * late);
    double interval[2], longest[2];
    for (unsigned sensor = 0; sensor < 2; sensor++) {
        tell_looks(rows, sensor, leg->start, leg->end, &interval[sensor], &longest[sensor]);
    }
    set(leg, CMO_LOOK_INTERVAL_MS, fmax(interval[0], interval[1]));
    set(leg, CMO_LOOK_INTERVAL_WORST_MS, fmax(longest[0], longest[1]));
    tell_crossing(rows, leg, play_mm);
}

lab_trace_told *lab_trace_tell(const GArray *rows, double play_mm) {
    lab_trace_told *told = g_new0(lab_trace_told, 1);
    told->rows = rows->len;
    told->legs = g_array_new(FALSE, FALSE, sizeof(lab_trace_leg_told));
    tell_ticks(rows, told);
    for (unsigned sensor = 0; sensor < 2; sensor++) {
        tell_looks(rows, sensor, 0, rows->len, &told->interval_ms[sensor],
                   &told->longest_ms[sensor]);
    }
    for (guint i = 0, end; i < rows->len; i = end) {
        end = lab_trace_leg_end(rows, i);
        const lab_row *row = row_at(rows, i);
        bool runs = row->leg > 0 || row->robot.routine != CMO_ROUTINE_NONE;
        if (!runs || end - i < 2 || told->legs->len == LAB_LEGS_MAX || row->leg > LAB_LEGS_MAX) {
            continue;
        }
        lab_trace_leg_told leg = {.leg = row->leg > 0 ? row->leg : told->legs->len + 1,
                                  .routine = (cmo_routine_id)row->robot.routine,
                                  .start = i,
                                  .end = end};
        tell_leg(rows, &leg, told->period_ms, play_mm);
        g_array_append_val(told->legs, leg);
    }
    return told;
}

void lab_trace_told_free(lab_trace_told *told) {
    if (told != NULL) {
        g_array_free(told->legs, TRUE);
        g_free(told);
    }
}

lab_results *lab_trace_results(const lab_trace_told *told, const char *name) {
    unsigned legs = 0;
    for (guint i = 0; i < told->legs->len; i++) {
        legs = MAX(legs, g_array_index(told->legs, lab_trace_leg_told, i).leg);
    }
    lab_results *results = labi_results_empty(legs);
    labi_leg_staged *staged = g_new0(labi_leg_staged, told->legs->len + 1);
    for (guint i = 0; i < told->legs->len; i++) {
        const lab_trace_leg_told *leg = &g_array_index(told->legs, lab_trace_leg_told, i);
        staged[i].leg.leg = (uint8_t)(leg->leg - 1);
        staged[i].robot = leg->figures;
        results->leg[leg->leg - 1].routine = leg->routine;
        results->leg[leg->leg - 1].judged = CMO_FIGURES;
    }
    lab_trial trial = {.seed = 0, .outcome = CMO_OUTCOME_DONE};
    labi_trial_make(&trial, staged, told->legs->len);
    g_array_append_val(results->trials, trial);
    g_free(staged);
    results->route = lab_printable(name);
    results->robot = g_strdup("");
    results->mat = g_strdup("");
    results->of_all = results->asked = 1;
    results->of_trace = true;
    return results;
}
