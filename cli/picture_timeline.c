// SPDX-License-Identifier: GPL-3.0-or-later
// A whole run over time, through gnuplot: which leg ran when and what it was at, crossings, halts
// and ends; and below it the looks of both sensors and the wheels' speeds.
#include "cli.h"

#include <cammino_lab/trace.h>
#include <math.h>
#include <string.h>

// One leg's run, by its rows.
typedef struct visit {
    guint start, end;
    unsigned leg;
    const lab_leg_result *result; // NULL: there is but a trace
} visit;

typedef struct timeline {
    const GArray *rows;
    const lab_run *run; // NULL: there is but a trace
    GArray *visits;     // of visit
    unsigned legs;      // the highest number
    double end_s;
    GString *out;
} timeline;

static const cmo_trace_row *row_at(const timeline *t, guint i) {
    return &g_array_index(t->rows, lab_row, i).robot;
}

static unsigned leg_at(const timeline *t, guint i) {
    return g_array_index(t->rows, lab_row, i).leg;
}

static double seconds(const timeline *t, guint i) {
    return row_at(t, i)->run_us / 1e6;
}

static void find_visits(timeline *t) {
    for (guint i = 0; i < t->rows->len;) {
        visit v = {.start = i, .leg = leg_at(t, i)};
        v.end = lab_trace_leg_end(t->rows, i);
        if (t->run != NULL && t->visits->len < t->run->legs->len) {
            v.result = &g_array_index(t->run->legs, lab_leg_result, t->visits->len);
        }
        g_array_append_val(t->visits, v);
        t->legs = MAX(t->legs, v.leg);
        i = v.end;
    }
}

// ------------------------------------------------------------------------------------ lanes --

// Middle of a leg's lane; the first one is on top.
static double lane(const timeline *t, unsigned leg) {
    return (double)t->legs - (double)leg + 1.0;
}

// What a leg's name, its routine without one, stands beside its lane as.
static void put_names(timeline *t) {
    bool named[LAB_LEGS_MAX + 1] = {false};
    cli_plot_line(t->out, "unset ytics");
    for (guint i = 0; i < t->visits->len; i++) {
        const visit *v = &g_array_index(t->visits, visit, i);
        if (v->leg == 0 || v->leg > LAB_LEGS_MAX || named[v->leg]) {
            continue;
        }
        named[v->leg] = true;
        bool called = v->result != NULL && v->result->name != NULL;
        const char *name = called ? v->result->name
                                  : cmo_routine_name((cmo_routine_id)row_at(t, v->start)->routine);
        cli_plot_line(t->out, "set label '%u  %s ' at graph 0, first %.2f right noenhanced", v->leg,
                      name, lane(t, v->leg));
    }
}

static void put_box(timeline *t, double from, double to, double low, double high,
                    const char *colour) {
    cli_plot_line(
        t->out,
        "set object rectangle from %.4f, %.3f to %.4f, %.3f fillcolor rgb '%s' fillstyle solid "
        "noborder",
        from, low, to, high, colour);
}

// Stages as boxes, and a line under what is halted.
static void put_stages(timeline *t, const visit *v) {
    double y = lane(t, v->leg);
    double last_name = -INFINITY;
    for (guint i = v->start, end; i < v->end; i = end) {
        const cmo_trace_row *row = row_at(t, i);
        for (end = i; end < v->end && row_at(t, end)->stage == row->stage;) {
            end++;
        }
        double from = seconds(t, i);
        double to = end < t->rows->len ? seconds(t, end) : t->end_s;
        if (row->stage == CMO_STAGE_IDLE) {
            continue;
        }
        put_box(t, from, to, y - 0.36, y + 0.36, cli_stage_colour(row->stage, true));
        const char *name = cmo_stage_name((cmo_stage)row->stage);
        double room = 0.0075 * t->end_s * (double)strlen(name);
        if (to - from > room && 0.5 * (from + to) - last_name > room) {
            last_name = 0.5 * (from + to);
            cli_plot_line(t->out, "set label '%s' at %.4f, %.3f center font ',8' noenhanced front",
                          name, last_name, y);
        }
    }
    for (guint i = v->start, end; i < v->end; i = end + 1) {
        for (end = i; end < v->end && row_at(t, end)->halted != 0;) {
            end++;
        }
        if (end > i) {
            double to = end < t->rows->len ? seconds(t, end) : t->end_s;
            put_box(t, seconds(t, i), to, y - 0.46, y - 0.38, "#333333");
        }
    }
}

// Where a line was accepted, and how the leg has ended.
static void put_ends(timeline *t, const visit *v) {
    double y = lane(t, v->leg);
    for (guint i = v->start + 1; i < v->end; i++) {
        double crossing = (double)row_at(t, i)->crossing_mm;
        if (isfinite(crossing) && crossing != (double)row_at(t, i - 1)->crossing_mm) {
            cli_plot_line(
                t->out,
                "set arrow from %.4f, %.3f to %.4f, %.3f nohead linecolor rgb '#b00020' linewidth "
                "2.5 front",
                seconds(t, i), y - 0.36, seconds(t, i), y + 0.36);
        }
    }
    const lab_leg_result *leg = v->result;
    if (leg == NULL) {
        return;
    }
    GString *text = g_string_new(NULL);
    if (leg->outcome != CMO_OUTCOME_DONE) {
        g_string_append(text, cmo_outcome_name(leg->outcome));
    } else if (leg->report.by != CMO_BY_ITSELF) {
        g_string_append(text, cmo_by_name((cmo_by)leg->report.by));
    }
    if (leg->round > 0) {
        g_string_append_printf(text, "%sround %u", text->len > 0 ? ", " : "", leg->round);
    }
    double end = v->end < t->rows->len ? seconds(t, v->end) : t->end_s;
    bool late = end > 0.86 * t->end_s; // there is no room to its right
    if (text->len > 0) {
        cli_plot_line(
            t->out,
            "set label '%s%s%s' at %.4f, %.3f %s font ',9' noenhanced textcolor rgb '%s' front",
            late ? "" : " ", text->str, late ? " " : "", late ? seconds(t, v->start) : end, y,
            late ? "right" : "left", leg->outcome == CMO_OUTCOME_DONE ? "#444444" : "#b00020");
    }
    g_string_free(text, TRUE);
}

// Few legs leave more room to the curves.
static double lanes_bottom(const timeline *t) {
    return 0.90 - MIN(0.48, 0.02 + 0.05 * t->legs);
}

static void put_lanes(timeline *t) {
    put_names(t);
    for (unsigned leg = 1; leg <= t->legs; leg++) {
        cli_plot_line(
            t->out,
            "set arrow from graph 0, first %.2f to graph 1, first %.2f nohead linecolor rgb "
            "'#e4e4e4' back",
            lane(t, leg) - 0.5, lane(t, leg) - 0.5);
    }
    for (guint i = 0; i < t->visits->len; i++) {
        const visit *v = &g_array_index(t->visits, visit, i);
        put_stages(t, v);
        put_ends(t, v);
    }
    cli_plot_line(t->out, "set yrange [0.4:%.1f]; set format x ''; set ylabel ''", t->legs + 0.6);
    cli_plot_line(t->out, "set tmargin at screen 0.92; set bmargin at screen %.3f",
                  lanes_bottom(t));
    cli_plot_line(t->out, "set key at graph 1, graph 1.02 right bottom horizontal");
    cli_plot_line(t->out,
                  "plot NaN with lines linecolor rgb '#b00020' linewidth 2.5 title 'crossing', "
                  "NaN with lines linecolor rgb '#333333' linewidth 3 title 'halted'");
}

// The colours of the stages that there are, below everything.
static void put_stage_key(timeline *t) {
    bool there[CMO_STAGES] = {false};
    for (guint i = 0; i < t->rows->len; i++) {
        uint8_t stage = row_at(t, i)->stage;
        there[stage < CMO_STAGES ? stage : 0] = true;
    }
    double x = 0.155;
    for (unsigned stage = CMO_STAGE_IDLE + 1; stage < CMO_STAGES; stage++) {
        if (!there[stage]) {
            continue;
        }
        const char *name = cmo_stage_name((cmo_stage)stage);
        cli_plot_line(
            t->out,
            "set object rectangle from screen %.4f, screen 0.012 to screen %.4f, screen 0.034 "
            "fillcolor rgb '%s' fillstyle solid noborder",
            x, x + 0.014, cli_stage_colour((uint8_t)stage, true));
        cli_plot_line(t->out,
                      "set label '%s' at screen %.4f, screen 0.023 left font ',9' noenhanced", name,
                      x + 0.018);
        x += 0.030 + 0.0068 * (double)strlen(name);
    }
}

// ----------------------------------------------------------------------------------- curves --

static void put_data(timeline *t) {
    cli_plot_line(t->out, "$rows << EOD");
    for (guint i = 0; i < t->rows->len; i++) {
        const cmo_trace_row *r = row_at(t, i);
        cli_plot_cell(t->out, seconds(t, i));
        cli_plot_cell(t->out, (double)r->reflectance[0]);
        cli_plot_cell(t->out,
                      CMO_LIGHTS_MAX > 1 ? (double)r->reflectance[CMO_LIGHTS_MAX > 1] : NAN);
        cli_plot_cell(t->out, (double)r->left_mm_s);
        cli_plot_cell(t->out, (double)r->right_mm_s);
        cli_plot_line(t->out, "%s", "");
    }
    cli_plot_line(t->out, "EOD");
}

static void put_curves(timeline *t) {
    cli_plot_line(t->out, "unset object; unset label; unset arrow; set ytics; set yrange [-0.2:*]");
    double room = lanes_bottom(t) - 0.035 - 0.12;
    cli_plot_line(t->out, "set tmargin at screen %.3f; set bmargin at screen %.3f", 0.12 + room,
                  0.12 + 0.57 * room);
    cli_plot_line(t->out, "set ylabel 'reflectance'; set ytics 0.5; set grid xtics");
    cli_plot_line(t->out, "set key at graph 1, graph 0.99 right bottom horizontal");
    cli_plot_line(
        t->out,
        "plot $rows using 1:2 with points pointtype 7 pointsize 0.22 linecolor rgb '#00548f' "
        "title 'left looks', $rows using 1:3 with points pointtype 7 pointsize 0.22 linecolor "
        "rgb '#c75400' title 'right looks'");
    cli_plot_line(t->out, "set tmargin at screen %.3f; set bmargin at screen 0.12",
                  0.12 + 0.44 * room);
    cli_plot_line(t->out, "set yrange [*:*]; set ytics 250; set ylabel 'speed (mm/s)'");
    cli_plot_line(t->out, "set format x '%%g'; set xlabel 'time (s)' offset 0,0.6");
    cli_plot_line(
        t->out,
        "plot $rows using 1:4 with lines linecolor rgb '#00548f' linewidth 1.4 title 'left "
        "wheel', $rows using 1:5 with lines linecolor rgb '#c75400' linewidth 1.4 title 'right "
        "wheel'");
}

bool cli_draw_timeline(const char *title, const GArray *rows, const lab_run *run,
                       const cli_picture *picture, GError **error) {
    if (rows->len < 2) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s: there are no rows to draw", title);
        return false;
    }
    timeline t = {.rows = rows,
                  .run = run,
                  .visits = g_array_new(FALSE, FALSE, sizeof(visit)),
                  .out = g_string_new(NULL)};
    t.end_s = seconds(&t, rows->len - 1);
    find_visits(&t);
    char *name = g_path_get_basename(title);
    char *text = run != NULL ? g_strdup_printf("%s, seed %" G_GUINT64_FORMAT ": %s after %.2f s",
                                               name, run->seed, cmo_outcome_name(run->outcome),
                                               run->span_ms / 1000.0)
                             : g_strdup_printf("%s (from its trace)", name);
    char *heading = cli_plot_quoted(text);
    put_data(&t);
    cli_plot_line(t.out, "set multiplot");
    cli_plot_line(t.out, "set xrange [%.4f:%.4f]", seconds(&t, 0), t.end_s);
    cli_plot_line(t.out, "set lmargin at screen 0.155; set rmargin at screen 0.985");
    cli_plot_line(t.out, "set label '%s' at screen 0.02, screen 0.965 left font ',13' noenhanced",
                  heading);
    put_stage_key(&t);
    put_lanes(&t);
    put_curves(&t);
    cli_plot_line(t.out, "unset multiplot");
    bool good = cli_plot(t.out->str, picture->path, error);
    g_free(heading);
    g_free(text);
    g_free(name);
    g_array_free(t.visits, TRUE);
    g_string_free(t.out, TRUE);
    return good;
}
