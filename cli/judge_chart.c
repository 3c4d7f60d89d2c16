// SPDX-License-Identifier: GPL-3.0-or-later
#include "judge_chart.h"

#include <math.h>

// The value by the end of the limit's range that is nearer to it, in percent of that end.
static double of_limit(const lab_limit *limit, double value) {
    double end = isfinite(limit->most) ? limit->most : limit->least;
    if (isfinite(limit->least) && isfinite(limit->most) &&
        value - limit->least < limit->most - value) {
        end = limit->least;
    }
    return isfinite(value) && isfinite(end) && end != 0.0 ? 100.0 * value / end : NAN;
}

// Whether any limit has a value.
static bool add_rows(const lab_limits *limits, const lab_verdict *of, GString *data,
                     GString *names) {
    bool any = false;
    for (unsigned i = 0; i < limits->count; i++) {
        const lab_limit *limit = &limits->limit[i];
        double trials = MAX(of[i].trials, 1U);
        double value = limit->figure != LAB_COMPLETED ? of_limit(limit, of[i].value) : NAN;
        any = any || isfinite(value);
        const double cells[] = {-(double)i,         100.0 * of[i].keep / trials, 100.0 * of[i].low,
                                100.0 * of[i].high, 100.0 * limit->share,        value,
                                of[i].pass};
        for (size_t n = 0; n < G_N_ELEMENTS(cells); n++) {
            cli_plot_cell(data, cells[n]);
        }
        g_string_append_c(data, '\n');
        char *text = lab_limit_text(limit);
        char *whole = lab_limit_of(limit);
        char *first = cli_plot_quoted(whole);
        char *second = cli_plot_quoted(text);
        GString *label = g_string_new(first);
        g_string_append_printf(label, "'.\"\\n\".'%s", second);
        g_string_replace(label, "%", "%%", 0); // else it begins a format
        g_string_append_printf(names, "%s'%s' -%u", i > 0 ? ", " : "", label->str, i);
        g_string_free(label, TRUE);
        g_free(first);
        g_free(second);
        g_free(whole);
        g_free(text);
    }
    return any;
}

bool cli_draw_verdicts(const lab_limits *limits, const lab_verdict *of, const char *head,
                       const char *path, GError **error) {
    GString *out = g_string_new("$rows << EOD\n");
    GString *names = g_string_new(NULL);
    bool any = add_rows(limits, of, out, names);
    char *quoted = cli_plot_quoted(head);
    cli_plot_line(out, "EOD\nset multiplot title '%s' font 'DejaVu Sans Bold,12'", quoted);
    cli_plot_line(out,
                  "set yrange [%g:0.5]; unset mytics; set tmargin 4; set bmargin 6\n"
                  "set key at screen 0.5, 0.035 center horizontal Left reverse maxrows 1",
                  0.5 - limits->count);
    cli_plot_line(out, "set origin 0,0; set size 0.62,1; set lmargin 36; set rmargin 2");
    cli_plot_line(out, "set ytics (%s)\nset xlabel 'trials that keep to it, %% (bar: 95 %% sure)'",
                  names->str);
    cli_plot_line(
        out,
        "set xrange [*:100.5]; set offsets graph 0.05, 0, 0, 0\n"
        "plot $rows using ($7 > 0 ? $2 : NaN):1:3:4 with xerrorbars pointtype 7 linewidth 2 "
        "linecolor rgb '#2c6e49' title 'kept', $rows using ($7 > 0 ? NaN : $2):1:3:4 with "
        "xerrorbars pointtype 5 linewidth 2 linecolor rgb '#b00020' title 'not kept', $rows using "
        "5:1 with points pointtype 2 pointsize 1.6 linewidth 2 linecolor rgb '#111111' title "
        "'share "
        "that is asked for'");
    cli_plot_line(out,
                  "set origin 0.62,0; set size 0.38,1; set lmargin 2; set rmargin 4; unset key");
    GString *blanks = g_string_new(NULL);
    for (unsigned i = 0; i < limits->count; i++) {
        g_string_append_printf(blanks, "%s'' -%u", i > 0 ? ", " : "", i);
    }
    cli_plot_line(out,
                  "set ytics (%s)\nset xlabel 'value, %% of its limit'\n"
                  "set xrange [%s]; set offsets 0, graph 0.06, 0, 0\n"
                  "set arrow from 100, graph 0 to 100, graph 1 nohead linecolor rgb '#111111'",
                  blanks->str, any ? "0<*:105<*" : "0:105");
    g_string_free(blanks, TRUE);
    cli_plot_line(out,
                  "plot $rows using ($7 > 0 ? $6 : NaN):1 with points pointtype 7 linecolor rgb "
                  "'#2c6e49', $rows using ($7 > 0 ? NaN : $6):1 with points pointtype 5 "
                  "linecolor rgb '#b00020'\nunset multiplot");
    bool good = cli_plot(out->str, path, error);
    g_free(quoted);
    g_string_free(names, TRUE);
    g_string_free(out, TRUE);
    return good;
}
