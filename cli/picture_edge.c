// SPDX-License-Identifier: GPL-3.0-or-later
#include "strip.h"

#include <math.h>

#define MOST_MM  25.0 // beyond that the edge is out of the picture
#define LEAST_MM 4.0

bool strip_finds_edge(const strip *s) {
    for (guint i = s->start; i < s->end; i++) {
        if (strip_row(s, i)->follows) {
            return true;
        }
    }
    return false;
}

static void put_data(const strip *s, double *off_mm, double *bend_per_m) {
    cli_plot_line(s->out, "$edge << EOD");
    for (guint i = s->start; i < s->end; i++) {
        const lab_row *row = strip_row(s, i);
        double truth = row->follows && row->edge.there ? row->edge.off_mm : NAN;
        double robot = row->follows ? row->edge_off_mm : NAN;
        double bend = row->follows ? 1000.0 * row->edge_curve_per_mm : NAN;
        cli_plot_cell(s->out, strip_along(s, i));
        cli_plot_cell(s->out, truth);
        cli_plot_cell(s->out, robot);
        cli_plot_cell(s->out, bend);
        cli_plot_line(s->out, "%s", "");
        *off_mm = fmax(*off_mm, fmax(fabs(truth), fabs(robot)));
        *bend_per_m = fmax(*bend_per_m, fabs(bend));
    }
    cli_plot_line(s->out, "EOD");
}

void strip_edge(const strip *s, double right, double bottom, double top) {
    double off = LEAST_MM;
    double bend = 1.0;
    put_data(s, &off, &bend);
    off = fmin(1.1 * off, MOST_MM);
    strip_stages(s, false);
    strip_panel(s, right, bottom, top);
    strip_axis(s, false);
    cli_plot_line(s->out, "set yrange [%.2f:%.2f]; set ylabel 'left of the edge (mm)'", -off, off);
    cli_plot_line(
        s->out,
        "set y2range [%.2f:%.2f]; set y2tics; set y2label 'bend by its word (1/m)' textcolor rgb "
        "'#6b3c6b'",
        -1.2 * bend, 1.2 * bend);
    cli_plot_line(
        s->out, "plot 0 with lines linecolor rgb '#444444' linewidth 0.8 notitle, "
                "$edge using 1:4 axes x1y2 with lines linecolor rgb '#b48ab4' linewidth 1.6 title "
                "'bend', "
                "$edge using 1:3 with lines linecolor rgb '#111111' linewidth 1.2 dashtype 3 title "
                "'by its word', "
                "$edge using 1:2 with lines linecolor rgb '#b00020' linewidth 2 title 'truly'");
    cli_plot_line(s->out, "unset y2tics; unset y2label");
}
