// SPDX-License-Identifier: GPL-3.0-or-later
#include "strip.h"

#include <math.h>

double strip_furthest_mm(const strip *s) {
    double furthest = -INFINITY;
    for (guint i = s->start; i < s->end; i++) {
        furthest = MAX(furthest, strip_way(s, i) - s->crossing_mm);
    }
    return furthest;
}

// From the crossing to having come back nearly to the rest, ms; 0: it has not come back.
static double strip_back_ms(const strip *s, double furthest_mm, double rest_mm) {
    double level = rest_mm + 0.1 * (furthest_mm - rest_mm);
    guint i = s->end - 1;
    while (i > s->start && strip_way(s, i) - s->crossing_mm <= level) {
        i--;
    }
    bool back = rest_mm < 0.9 * furthest_mm;
    return back ? 1000.0 * (strip_seconds(s, i) - s->crossing_s) : 0.0;
}

void strip_stop(const strip *s) {
    double furthest = strip_furthest_mm(s);
    double rest = strip_way(s, s->end - 1) - s->crossing_mm;
    double end_ms = 1000.0 * (strip_seconds(s, s->end - 1) - s->crossing_s);
    double from_ms = -0.35 * end_ms;
    // Beside what comes back there is room for words.
    double back_ms = strip_back_ms(s, furthest, rest);
    double last_ms = MAX(end_ms, 2.3 * back_ms);
    double top = MAX(furthest, 1.0) * 1.45;
    cli_plot_line(s->out, "unset object; unset label; unset arrow");
    cli_plot_line(s->out, "set title 'The stop' offset 0,-0.6");
    cli_plot_line(s->out, "set lmargin at screen 0.735; set rmargin at screen 0.985");
    cli_plot_line(s->out, "set bmargin at screen 0.10; set tmargin at screen 0.905");
    cli_plot_line(s->out, "set xrange [%.2f:%.2f]; set yrange [%.3f:%.3f]", from_ms, last_ms,
                  -0.35 * top, top);
    cli_plot_line(
        s->out,
        "set object rectangle from graph 0, first 0 to graph 1, graph 1 behind fillcolor rgb "
        "'#e9e9e9' fillstyle solid noborder");
    cli_plot_line(
        s->out,
        "set label ' beyond the edge' at graph 0, graph 0.965 left textcolor rgb '#555555'");
    cli_plot_line(
        s->out,
        "set arrow from graph 0, first 0 to graph 1, first 0 nohead linecolor rgb '#b00020' "
        "linewidth 1.8 front");
    cli_plot_line(
        s->out,
        "set label ' near edge' at graph 0, first 0 left offset 0,-0.7 textcolor rgb '#b00020'");
    double at_ms = MAX(0.5 * end_ms, 1.06 * back_ms);
    cli_plot_line(
        s->out,
        "set arrow from %.2f, 0 to %.2f, %.4f heads filled size screen 0.006,18 linecolor rgb "
        "'#111111' linewidth 1.2 front",
        at_ms, at_ms, furthest);
    cli_plot_line(
        s->out,
        "set arrow from %.2f, first %.4f to %.2f, first %.4f nohead linecolor rgb '#111111' "
        "linewidth 0.7 front",
        0.2 * end_ms, furthest, last_ms, furthest);
    cli_plot_line(
        s->out, "set label ' %.1f mm over' at %.2f, %.4f left textcolor rgb '#111111' front",
        furthest, at_ms, (rest > 0.05 * furthest && rest < 0.5 * furthest ? 0.7 : 0.25) * furthest);
    cli_plot_line(
        s->out,
        "set label 'rests at %.1f mm ' at graph 1, first %.4f right offset 0,%s textcolor rgb "
        "'#111111' front",
        fabs(rest) < 0.05 ? 0.0 : rest, rest, rest < 0.0 ? "-0.9" : "0.9");
    cli_plot_line(
        s->out,
        "set xlabel 'time from the crossing (ms)'; set ylabel 'way beyond the crossing (mm)' "
        "offset 1.2,0");
    static const double steps[] = {10, 20, 50, 100, 200, 500, 1000, 2000};
    double step = steps[0];
    for (size_t i = 0; i < G_N_ELEMENTS(steps) && (last_ms - from_ms) / step > 6.0; i++) {
        step = steps[i];
    }
    cli_plot_line(s->out, "set xtics %g", step);
    cli_plot_line(s->out, "unset key; set format x '%%g'");
    cli_plot_line(
        s->out,
        "plot $rows using 8:9 with linespoints pointtype 7 pointsize 0.35 linecolor rgb '#00548f' "
        "linewidth 2");
}
