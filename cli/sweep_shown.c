// SPDX-License-Identifier: GPL-3.0-or-later
#include "sweep_shown.h"

#include <math.h>

static const lab_statistics *shown(const cli_sweep_found *s, const cli_point *p) {
    return &p->series->leg[s->leg].figure[s->figure].truth;
}

// A zero has no sign.
static double no_minus(double value) {
    return fabs(value) < 0.005 ? 0.0 : value;
}

static double completed(const lab_series *series) {
    return 100.0 * series->completed / series->trials;
}

// -------------------------------------------------------------------------------------- tables --

static void print_row(const cli_sweep_found *s, const cli_point *p) {
    const lab_series *series = p->series;
    double seconds = 0.0; // of the run, on the mean
    for (unsigned n = 0; n < series->legs; n++) {
        const lab_statistics *t = &series->leg[n].figure[CMO_ELAPSED_MS].truth;
        seconds += 1e-3 * t->mean * t->n / series->trials;
    }
    char *done = g_strdup_printf("%u of %u", series->completed, series->trials);
    printf("%11.6g%13s%7.1f to %5.1f%10.2f", p->value[0], done, 100.0 * series->low,
           100.0 * series->high, seconds);
    g_free(done);
    const lab_statistics *f = shown(s, p);
    if (f->n > 0) {
        printf("%9.2f%8.2f%9.2f%13.2f%9.2f", no_minus(f->mean), f->sd, no_minus(f->p50), f->within,
               no_minus(f->worst));
    }
    printf("\n");
}

static void print_rows(const cli_sweep_found *s) {
    printf("\n%11s%13s%16s%10s%9s%8s%9s%13s%9s\n", "value", "completed", "95 % sure", "time s",
           "mean", "sd", "p50", "95 % within", "worst");
    for (unsigned i = 0; i < s->points; i++) {
        const cli_point *p = &s->point[i];
        if (p->refused != NULL) {
            printf("%11.6g  ", p->value[0]);
            cli_line("refused: %s", p->refused);
        } else {
            print_row(s, p);
        }
    }
}

// "97 %    1.23"
static char *cell_of(const cli_sweep_found *s, const cli_point *p, const char *format) {
    if (p->refused != NULL) {
        return g_strdup("refused");
    }
    double within = shown(s, p)->n > 0 ? shown(s, p)->within : NAN;
    return g_strdup_printf(format, floor(completed(p->series)), within);
}

#define CELLS_ABREAST 5U

// Blocks of as many columns as a terminal has room for.
static void print_grid(const cli_sweep_found *s) {
    const cli_axis *down = &s->axis[0];
    const cli_axis *across = &s->axis[1];
    cli_line("rows     %s", down->field);
    cli_line("columns  %s", across->field);
    printf(
        "%u trials each with the same seeds: what completes, and leg %u, true %s, 95 %% within\n",
        s->trials, s->leg + 1, cmo_figure_name(s->figure));
    for (unsigned first = 0; first < across->count; first += CELLS_ABREAST) {
        unsigned end = MIN(first + CELLS_ABREAST, across->count);
        printf("\n%11s", "");
        for (unsigned n = first; n < end; n++) {
            printf("%17.6g", across->value[n]);
        }
        printf("\n");
        for (unsigned i = 0; i < down->count; i++) {
            printf("%11.6g", down->value[i]);
            for (unsigned n = first; n < end && i * across->count + n < s->points; n++) {
                char *cell = cell_of(s, &s->point[i * across->count + n], "%.0f %% %8.2f");
                printf("%17s", cell);
                g_free(cell);
            }
            printf("\n");
        }
    }
    const char *why = NULL;
    for (unsigned i = 0; i < s->points; i++) {
        if (s->point[i].refused != NULL && g_strcmp0(why, s->point[i].refused) != 0) {
            why = s->point[i].refused;
            printf("\n%.6g, %.6g ", s->point[i].value[0], s->point[i].value[1]);
            cli_line("refused: %s", why);
        }
    }
}

// Less of a difference than this is none to speak of.
#define LEAST_GAIN 0.1

// Where the figure is least, of the values with which not surely fewer trials complete.
static void print_best(const cli_sweep_found *s) {
    double most = 0.0; // of all there could be, as many surely complete somewhere
    for (unsigned i = 0; i < s->points; i++) {
        most = s->point[i].refused == NULL ? fmax(most, s->point[i].series->low) : most;
    }
    const cli_point *best = NULL;
    double worst = 0.0;
    unsigned compared = 0;
    for (unsigned i = 0; i < s->points; i++) {
        const cli_point *p = &s->point[i];
        if (p->refused == NULL && p->series->high >= most && shown(s, p)->n > 0) {
            compared++;
            worst = fmax(worst, shown(s, p)->within);
            best = best == NULL || shown(s, p)->within < shown(s, best)->within ? p : best;
        }
    }
    if (compared < 2) {
        return;
    }
    if (shown(s, best)->within > (1.0 - LEAST_GAIN) * worst) {
        printf(
            "\nit makes no odds to the figure: 95 %% are within %.2f to %.2f with all values with "
            "which as many complete\n",
            shown(s, best)->within, worst);
        return;
    }
    printf("\nleast with %.6g", best->value[0]);
    if (s->axes > 1) {
        printf(" and %.6g", best->value[1]);
    }
    printf(": 95 %% are within %.2f; %u of %u complete\n", shown(s, best)->within,
           best->series->completed, best->series->trials);
}

void cli_print_sweep(const cli_sweep_found *s) {
    cli_line("%s", s->head);
    if (s->axes > 1) {
        print_grid(s);
    } else {
        cli_line("%s, %u trials a value with the same seeds; leg %u, true %s", s->axis[0].field,
                 s->trials, s->leg + 1, cmo_figure_name(s->figure));
        print_rows(s);
    }
    if (s->points < s->asked) {
        printf("stopped before the other %u values\n", s->asked - s->points);
    } else {
        print_best(s);
    }
}

// -------------------------------------------------------------------------------------- charts --

#define TICKS_MOST 12U // of a chart
#define WORDS_MOST 12U // values of an axis that leave room for words in the cells

// A tick at each value, where there is room for them.
static void set_ticks(const cli_axis *axis, GString *out) {
    if (axis->even_in_log) {
        double first = axis->value[0];
        double last = axis->value[axis->count - 1];
        cli_plot_line(out, "set logscale x\nset xrange [%g:%g]", fmin(first, last) / 1.05,
                      fmax(first, last) * 1.05);
    }
    if (axis->count <= TICKS_MOST) {
        g_string_append(out, "set xtics (");
        for (unsigned i = 0; i < axis->count; i++) {
            g_string_append_printf(out, "%s%.9g", i > 0 ? ", " : "", axis->value[i]);
        }
        g_string_append(out, ")\nunset mxtics\n");
    }
}

// The figure above, with the range of 90 % of the trials; what completes below, with its interval.
static void chart_line(const cli_sweep_found *s, GString *out) {
    g_string_append(out, "$points << EOD\n");
    for (unsigned i = 0; i < s->points; i++) {
        const cli_point *p = &s->point[i];
        if (p->refused != NULL) {
            continue;
        }
        const lab_statistics *f = shown(s, p);
        bool any = f->n > 0;
        const double cells[] = {p->value[0],
                                any ? f->mean : NAN,
                                any ? f->p05 : NAN,
                                any ? f->p95 : NAN,
                                any ? f->worst : NAN,
                                completed(p->series),
                                100.0 * p->series->low,
                                100.0 * p->series->high};
        for (size_t n = 0; n < G_N_ELEMENTS(cells); n++) {
            cli_plot_cell(out, cells[n]);
        }
        g_string_append_c(out, '\n');
    }
    char *head = cli_plot_quoted(s->head);
    char *name = cli_plot_quoted(s->axis[0].field);
    g_string_append(out, "EOD\nset lmargin 10; set rmargin 4\n");
    cli_plot_line(out, "set multiplot");
    set_ticks(&s->axis[0], out);
    cli_plot_line(out,
                  "set origin 0,0.36; set size 1,0.64\nset title '%s, %u trials a value' font "
                  "'DejaVu Sans Bold,13'",
                  head, s->trials);
    cli_plot_line(out,
                  "set ylabel 'leg %u, true %s'\nset key outside bottom center horizontal "
                  "Left reverse\nset offsets graph 0.02, graph 0.02, graph 0.05, graph 0.05",
                  s->leg + 1, cmo_figure_name(s->figure));
    cli_plot_line(out, "plot $points using 1:3:4 with filledcurves fillstyle solid 0.25 linecolor "
                       "rgb '#2c4a6e' title 'p05 to p95', $points using 1:2 with linespoints "
                       "pointtype 7 linewidth 2 linecolor rgb '#2c4a6e' title 'mean', $points "
                       "using 1:5 with points pointtype 4 linecolor rgb '#b35a1f' title 'worst'");
    cli_plot_line(out,
                  "unset title; unset key\nset origin 0,0; set size 1,0.36\nset ylabel "
                  "'completed, %%'; set yrange [0:105]; set xlabel '%s'",
                  name);
    cli_plot_line(out, "plot $points using 1:6:7:8 with yerrorbars pointtype 7 linewidth 2 "
                       "linecolor rgb '#2c6e49'\nunset multiplot");
    g_free(head);
    g_free(name);
}

// Ticks at the places of an axis, with its values.
static void set_places(GString *out, char letter, const cli_axis *axis) {
    unsigned step = (axis->count + TICKS_MOST) / (TICKS_MOST + 1U);
    cli_plot_line(out, "set %crange [-0.5:%u.5]", letter, axis->count - 1);
    g_string_append_printf(out, "set %ctics scale 0 (", letter);
    for (unsigned i = 0; i < axis->count; i += step) {
        g_string_append_printf(out, "%s'%.6g' %u", i > 0 ? ", " : "", axis->value[i], i);
    }
    cli_plot_line(out, ")\nunset m%ctics", letter);
}

// A map of the two numbers: what 95 % of the figures are within as a shade, the words in its cells.
static void chart_map(const cli_sweep_found *s, GString *out) {
    const cli_axis *up = &s->axis[0];
    const cli_axis *across = &s->axis[1];
    g_string_append(out, "$cells << EOD\n");
    for (unsigned i = 0; i < s->points; i++) {
        const cli_point *p = &s->point[i];
        bool any = p->refused == NULL && shown(s, p)->n > 0;
        char *words = cell_of(s, p, "\"%.0f %%\\n%.2f\"");
        g_string_append_printf(out, "%u %u ", i % across->count, i / across->count);
        cli_plot_cell(out, any ? shown(s, p)->within : NAN);
        g_string_append_printf(out, "%s\n", words);
        g_free(words);
    }
    g_string_append(out, "EOD\nunset key; unset grid\n");
    set_places(out, 'x', across);
    set_places(out, 'y', up);
    char *head = cli_plot_quoted(s->head);
    char *fields[2] = {cli_plot_quoted(up->field), cli_plot_quoted(across->field)};
    cli_plot_line(out, "set title '%s, %u trials a value' font 'DejaVu Sans Bold,13'", head,
                  s->trials);
    cli_plot_line(out, "set ylabel '%s'; set xlabel '%s'", fields[0], fields[1]);
    cli_plot_line(out,
                  "set palette defined (0 '#f4f7fa', 1 '#7fa3c7')\nset cblabel 'leg %u, true %s: "
                  "95 %% within'",
                  s->leg + 1, cmo_figure_name(s->figure));
    bool words = up->count <= WORDS_MOST && across->count <= WORDS_MOST;
    cli_plot_line(out, "plot $cells using 1:2:3 with image%s",
                  words ? ", $cells using 1:2:4 with labels textcolor rgb '#111111'" : "");
    g_free(head);
    g_free(fields[0]);
    g_free(fields[1]);
}

bool cli_draw_sweep(const cli_sweep_found *s, const char *path, GError **error) {
    GString *out = g_string_new(NULL);
    if (s->axes > 1) {
        chart_map(s, out);
    } else {
        chart_line(s, out);
    }
    bool good = cli_plot(out->str, path, error);
    g_string_free(out, TRUE);
    return good;
}
