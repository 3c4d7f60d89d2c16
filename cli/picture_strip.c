// SPDX-License-Identifier: GPL-3.0-or-later
// One leg as a strip chart, through gnuplot: reflectances with the detection band, speeds, stages;
// of an edge that is followed how far off it the spot was; and beside it the stop.
#include "strip.h"

#include <cammino_lab/trace.h>
#include <math.h>
#include <string.h>

static bool find_leg(strip *s, unsigned leg) {
    bool found = false;
    for (guint i = 0, end; i < s->rows->len && !found; i = end) {
        end = lab_trace_leg_end(s->rows, i);
        bool crossed = isfinite((double)strip_row(s, end - 1)->robot.crossing_mm);
        found = leg > 0 ? strip_row(s, i)->leg == leg : crossed;
        if (found || (leg == 0 && i == 0)) { // the first stands in until one with a line comes
            s->start = i;
            s->end = end;
        }
    }
    return found || leg == 0;
}

static void find_crossing(strip *s) {
    s->crossing_mm = (double)strip_row(s, s->end - 1)->robot.crossing_mm - s->way0;
    s->crossing_s = NAN;
    for (guint i = s->start + 1; isfinite(s->crossing_mm) && i < s->end; i++) {
        if (strip_way(s, i) >= s->crossing_mm) {
            double step = strip_way(s, i) - strip_way(s, i - 1);
            double share = step > 0.0 ? (s->crossing_mm - strip_way(s, i - 1)) / step : 0.0;
            s->crossing_s =
                strip_seconds(s, i - 1) + share * (strip_seconds(s, i) - strip_seconds(s, i - 1));
            return;
        }
    }
}

// What the leg has counted, of a run that was driven just now; a trace does not tell.
static void find_counted(strip *s, const lab_run *run) {
    unsigned leg = strip_row(s, s->start)->leg;
    for (guint i = 0; run != NULL && i < run->legs->len && s->counted == NULL; i++) {
        const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, i);
        if (result->number == leg && result->counted != NULL && result->counted->len > 0) {
            s->counted = result->counted;
        }
    }
}

// ------------------------------------------------------------------------------------- script --

static void put_data(strip *s) {
    cli_plot_line(s->out, "$rows << EOD");
    for (guint i = s->start; i < s->end; i++) {
        const cmo_trace_row *r = &strip_row(s, i)->robot;
        cli_plot_cell(s->out, strip_along(s, i));
        cli_plot_cell(s->out, (double)r->reflectance[0]);
        cli_plot_cell(s->out,
                      CMO_LIGHTS_MAX > 1 ? (double)r->reflectance[CMO_LIGHTS_MAX > 1] : NAN);
        cli_plot_cell(s->out, (double)r->left_mm_s);
        cli_plot_cell(s->out, (double)r->right_mm_s);
        cli_plot_cell(s->out, r->halted ? NAN : (double)r->left_command_mm_s);
        cli_plot_cell(s->out, r->halted ? NAN : (double)r->right_command_mm_s);
        cli_plot_cell(s->out, 1000.0 * (strip_seconds(s, i) - s->crossing_s));
        cli_plot_cell(s->out, strip_way(s, i) - s->crossing_mm);
        cli_plot_line(s->out, "%s", "");
    }
    cli_plot_line(s->out, "EOD");
}

void strip_stages(const strip *s, bool names) {
    double whole = strip_along(s, s->end - 1) - strip_along(s, s->start);
    cli_plot_line(s->out, "unset object; unset label; unset arrow");
    double last_label = -INFINITY;
    for (guint i = s->start, end; i < s->end; i = end) {
        uint8_t stage = strip_row(s, i)->robot.stage;
        for (end = i; end < s->end && strip_row(s, end)->robot.stage == stage;) {
            end++;
        }
        if (stage == CMO_STAGE_IDLE) {
            continue;
        }
        double from = strip_along(s, i);
        double to = strip_along(s, MIN(end, s->end - 1));
        cli_plot_line(
            s->out,
            "set object rectangle from %.4f, graph 0 to %.4f, graph 1 behind fillcolor rgb '%s' "
            "fillstyle solid noborder",
            MIN(from, to), MAX(from, to), cli_stage_colour(stage, false));
        double middle = 0.5 * (from + to);
        const char *name = cmo_stage_name((cmo_stage)stage);
        double room = 0.018 * whole * (double)strlen(name);
        if (names && fabs(to - from) > room && middle - last_label > room) {
            cli_plot_line(
                s->out, "set label '%s' at %.4f, graph 0.945 center textcolor rgb '#555555' front",
                name, middle);
            last_label = middle;
        }
    }
}

static void put_marker(strip *s, double at, const char *text, const char *colour, double height) {
    cli_plot_line(
        s->out,
        "set arrow from %.4f, graph 0 to %.4f, graph 1 nohead linecolor rgb '%s' linewidth 1.3 "
        "dashtype 2 front",
        at, at, colour);
    if (text != NULL) {
        cli_plot_line(s->out, "set label '%s ' at %.4f, graph %.3f right textcolor rgb '%s' front",
                      text, at, height, colour);
    }
}

// The halt that answered the crossing.
static double halt_along(const strip *s) {
    for (guint i = s->start; i < s->end; i++) {
        if (strip_row(s, i)->robot.halted && strip_way(s, i) >= s->crossing_mm) {
            return strip_along(s, i);
        }
    }
    return NAN;
}

static void put_markers(strip *s, bool text) {
    double crossing = s->over_time ? s->crossing_s : s->crossing_mm;
    if (isfinite(crossing)) {
        put_marker(s, crossing, text ? "crossing" : NULL, "#b00020", 0.16);
    }
    double halt = halt_along(s);
    if (isfinite(halt) && isfinite(crossing)) {
        put_marker(s, halt, text ? "halt" : NULL, "#7a4b00", 0.07);
    }
}

void strip_panel(const strip *s, double right, double bottom, double top) {
    cli_plot_line(s->out, "set lmargin at screen 0.066; set rmargin at screen %.3f", right);
    cli_plot_line(s->out, "set bmargin at screen %.3f; set tmargin at screen %.3f", bottom, top);
}

void strip_axis(const strip *s, bool last) {
    cli_plot_line(s->out, "set format x '%s'; set xlabel '%s'", last ? "%g" : "",
                  !last          ? ""
                  : s->over_time ? "time from the start of the leg (s)"
                                 : "way from the start of the leg (mm)");
    cli_plot_line(s->out, "set key at graph 1, graph 1.01 right bottom horizontal");
}

static double row_extreme(const strip *s, bool largest) {
    double extreme = largest ? 1.15 : -0.1;
    for (guint i = s->start; i < s->end; i++) {
        for (unsigned n = 0; n < 2 && n < CMO_LIGHTS_MAX; n++) {
            double value = (double)strip_row(s, i)->robot.reflectance[n];
            if (isfinite(value)) {
                extreme = largest ? MAX(extreme, value + 0.15) : MIN(extreme, value - 0.05);
            }
        }
    }
    return CLAMP(extreme, -2.0, 4.0);
}

static const lab_counted *counted_at(const strip *s, guint n) {
    return &g_array_index(s->counted, lab_counted, n);
}

// Where a line's near edge is met; or over time, when it counts.
static double counted_along(const strip *s, guint n) {
    const lab_counted *line = &g_array_index(s->counted, lab_counted, n);
    return s->over_time ? line->time_ms / 1000.0 - s->time0 : (double)line->robot.at_mm;
}

// The count as steps.
static void put_count_data(const strip *s) {
    cli_plot_line(s->out, "$count << EOD\n%.4f 0", strip_along(s, s->start));
    for (guint n = 0; n < s->counted->len; n++) {
        cli_plot_line(s->out, "%.4f %u", counted_along(s, n), counted_at(s, n)->robot.number);
    }
    cli_plot_line(s->out, "%.4f %u\nEOD", strip_along(s, s->end - 1),
                  counted_at(s, s->counted->len - 1)->robot.number);
}

// What each line is made of stands on its step, where there is room for the words, and clear of the
// line itself.
#define MOST_NAMED 12U
static void put_count_names(const strip *s) {
    for (guint n = 0; s->counted->len <= MOST_NAMED && n < s->counted->len; n++) {
        const lab_counted *line = counted_at(s, n);
        bool last = n + 1 == s->counted->len;
        if (line->surface != NULL) {
            char *name = cli_plot_quoted(line->surface);
            double end = last ? strip_along(s, s->end - 1) : counted_along(s, n + 1);
            cli_plot_line(s->out,
                          "set label '%s' at first %.4f, second %u center offset 0,0.5 textcolor "
                          "rgb '#3d6b3c' front",
                          name, 0.5 * (counted_along(s, n) + end), line->robot.number);
            g_free(name);
        }
    }
}

static void put_reflectance(strip *s, double right) {
    const cmo_trace_row *last = &strip_row(s, s->end - 1)->robot;
    strip_stages(s, true);
    put_markers(s, false);
    cli_plot_line(s->out, "set label '%s' at graph 0, graph 1.065 left font ',13'", s->heading);
    if (isfinite((double)last->band_low)) {
        cli_plot_line(
            s->out,
            "set object rectangle from graph 0, first %.4f to graph 1, first %.4f fillcolor rgb "
            "'#888888' fillstyle transparent solid 0.22 noborder",
            (double)last->band_low, (double)last->band_high);
        cli_plot_line(
            s->out,
            "set label ' threshold band' at graph 0, first %.4f left textcolor rgb '#444444' front",
            0.5 * ((double)last->band_low + (double)last->band_high));
    }
    strip_panel(s, right, s->follows ? 0.665 : 0.53, 0.905);
    cli_plot_line(s->out, "set yrange [%.3f:%.3f]; set ylabel 'reflectance (0 dark, 1 light)'",
                  row_extreme(s, false), row_extreme(s, true));
    strip_axis(s, false);
    if (s->counted != NULL) {
        unsigned most = counted_at(s, s->counted->len - 1)->robot.number;
        put_count_names(s);
        cli_plot_line(s->out,
                      "set y2range [0:%.2f]; set y2tics %u; set y2label 'lines counted' textcolor "
                      "rgb '#3d6b3c'",
                      1.25 * most, most > 12 ? 5 : 1);
    }
    g_string_append(
        s->out, "plot $rows using 1:2 with lines linecolor rgb '#00548f' linewidth 2 title 'left', "
                "$rows using 1:3 with lines linecolor rgb '#c75400' linewidth 2 title 'right'");
    cli_plot_line(s->out, "%s",
                  s->counted != NULL ? ", $count using 1:2 axes x1y2 with steps linecolor rgb "
                                       "'#3d6b3c' linewidth 2.5 notitle\n"
                                       "unset y2tics; unset y2label"
                                     : "");
}

static void speed_range(const strip *s, double *low, double *high) {
    *low = 0.0;
    *high = 10.0;
    for (guint i = s->start; i < s->end; i++) {
        const cmo_trace_row *r = &strip_row(s, i)->robot;
        const float speeds[4] = {r->left_mm_s, r->right_mm_s, r->left_command_mm_s,
                                 r->right_command_mm_s};
        for (unsigned n = 0; n < 4; n++) {
            if (isfinite((double)speeds[n])) {
                *low = MIN(*low, (double)speeds[n]);
                *high = MAX(*high, (double)speeds[n]);
            }
        }
    }
}

static void put_speed(strip *s, double right) {
    strip_stages(s, false);
    put_markers(s, true);
    strip_panel(s, right, 0.10, s->follows ? 0.335 : 0.48);
    double low, high;
    speed_range(s, &low, &high);
    cli_plot_line(s->out, "set yrange [%.1f:%.1f]; set ylabel 'speed (mm/s)'",
                  low - 0.05 * (high - low), high + 0.22 * (high - low));
    strip_axis(s, true);
    cli_plot_line(
        s->out,
        "plot $rows using 1:6 with steps linecolor rgb '#888888' linewidth 1.2 title 'commanded', "
        "$rows using 1:7 with steps linecolor rgb '#888888' linewidth 1.2 notitle, "
        "$rows using 1:4 with lines linecolor rgb '#00548f' linewidth 2 title 'left wheel', "
        "$rows using 1:5 with lines linecolor rgb '#c75400' linewidth 2 title 'right wheel'");
}

static void put_script(strip *s, const char *title) {
    char *heading = cli_plot_quoted(title);
    const cmo_trace_row *last = &strip_row(s, s->end - 1)->robot;
    bool stop = isfinite(s->crossing_s) && last->halted && strip_furthest_mm(s) > 0.2;
    double right = stop ? 0.675 : 0.985;
    right -= s->counted != NULL || s->follows ? 0.045 : 0.0;
    put_data(s);
    if (s->counted != NULL) {
        put_count_data(s);
    }
    cli_plot_line(s->out, "set multiplot");
    double low = strip_along(s, s->start);
    double high = low + 0.001;
    for (guint i = s->start; i < s->end; i++) {
        low = MIN(low, strip_along(s, i));
        high = MAX(high, strip_along(s, i));
    }
    cli_plot_line(s->out, "set xrange [%.4f:%.4f]", low, high);
    s->heading = heading;
    put_reflectance(s, right);
    if (s->follows) {
        strip_edge(s, right, 0.38, 0.62);
    }
    put_speed(s, right);
    if (stop) {
        strip_stop(s);
    }
    cli_plot_line(s->out, "unset multiplot");
    g_free(heading);
}

bool cli_draw_strip(const char *title, const GArray *rows, const lab_run *run,
                    const cli_picture *picture, GError **error) {
    strip s = {.rows = rows, .over_time = picture->over_time};
    if (rows->len == 0 || !find_leg(&s, picture->leg) || s.end - s.start < 2) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s: there is no leg %u with rows to draw",
                    title, MAX(picture->leg, 1U));
        return false;
    }
    s.way0 = (double)strip_row(&s, s.start)->robot.way_mm;
    s.time0 = strip_row(&s, s.start)->robot.run_us / 1e6;
    find_crossing(&s);
    find_counted(&s, run);
    s.follows = strip_finds_edge(&s);
    s.out = g_string_new(NULL);
    const lab_row *last = strip_row(&s, s.end - 1);
    char *name = g_path_get_basename(title);
    char *heading =
        g_strdup_printf("%s, leg %u: %s%s", name, last->leg,
                        cmo_routine_name((cmo_routine_id)strip_row(&s, s.start)->robot.routine),
                        run != NULL ? "" : " (from its trace)");
    put_script(&s, heading);
    bool good = cli_plot(s.out->str, picture->path, error);
    g_free(heading);
    g_free(name);
    g_string_free(s.out, TRUE);
    return good;
}
