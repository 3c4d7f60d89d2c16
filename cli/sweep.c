// SPDX-License-Identifier: GPL-3.0-or-later
#include "law.h"
#include "reach.h"
#include "trials.h"
#include "watch.h"

#include <cammino_lab/series.h>
#include <json-glib/json-glib.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define POINTS_MOST 200U
#define TICKS_MOST  12U // of a chart

static cli_trials_call call = CLI_TRIALS_DEFAULT(100);
static gint points = 6, leg = 0;
static gboolean json, quiet, even_in_log, by_law;
static char *field, *values, *figure_name, *picture, *limits;
static double from = NAN, to = NAN, within = NAN;

static const GOptionEntry options[] = {
    CLI_TRIALS_OPTIONS(call, "How many trials at each value, with the same seeds (default 100)"),
    {"field", 0, 0, G_OPTION_ARG_STRING, &field,
     "The number that is varied, as messages write it: legs[1].stop_on_line.cruise_mm_s; of the "
     "robot robot.plant.grip_m_s2",
     "FIELD"},
    {"values", 0, 0, G_OPTION_ARG_STRING, &values, "Its values: 100,200,400", "LIST"},
    {"from", 0, 0, G_OPTION_ARG_DOUBLE, &from, "Or the first one,", "X"},
    {"to", 0, 0, G_OPTION_ARG_DOUBLE, &to, "the last one,", "X"},
    {"points", 0, 0, G_OPTION_ARG_INT, &points, "and how many (default 6),", "N"},
    {"log", 0, 0, G_OPTION_ARG_NONE, &even_in_log, "each so many times the one before", NULL},
    {"law", 0, 0, G_OPTION_ARG_NONE, &by_law,
     "Of a speed: fit the leg's stopping distance by its crossing speed", NULL},
    {"limits", 0, 0, G_OPTION_ARG_FILENAME, &limits,
     "Or find how far it may go, from --from to --to, while limits are kept", "FILE"},
    {"within", 0, 0, G_OPTION_ARG_DOUBLE, &within,
     "to within this (default: a hundredth of the range)", "X"},
    {"leg", 0, 0, G_OPTION_ARG_INT, &leg,
     "Whose figure is shown (default: the first leg that is judged by one)", "N"},
    {"figure", 0, 0, G_OPTION_ARG_STRING, &figure_name,
     "Which true figure (default: the one that the leg is judged by)", "NAME"},
    {"picture", 0, 0, G_OPTION_ARG_FILENAME, &picture,
     "Write a chart of the figure and of what completes, .png or .svg", "FILE"},
    {"json", 0, 0, G_OPTION_ARG_NONE, &json, "Print the results as one JSON document", NULL},
    {"quiet", 0, 0, G_OPTION_ARG_NONE, &quiet, "Print nothing but what is wrong", NULL},
    {NULL, 0, 0, 0, NULL, NULL, NULL}};

// One value: what came of it, or why nothing could.
typedef struct point {
    double value;
    lab_results *results; // kept for the law alone
    lab_series *series;
    char *refused;
} point;

typedef struct sweep {
    point point[POINTS_MOST];
    unsigned points; // driven or refused
    unsigned asked;
    unsigned leg; // from 0
    cmo_figure figure;
    char *head; // robot, mat, route
} sweep;

// ---------------------------------------------------------------------------------- the call --

static int read_list(sweep *s) {
    char **parts = g_strsplit(values, ",", -1);
    int status = CLI_DONE;
    for (unsigned i = 0; parts[i] != NULL && status == CLI_DONE; i++) {
        char *end;
        const char *text = g_strstrip(parts[i]);
        double value = g_ascii_strtod(text, &end);
        if (s->asked == POINTS_MOST) {
            status = cli_wrong("--values: more than %u of them", POINTS_MOST);
        } else if (end == text || *end != '\0' || !isfinite(value)) {
            status = cli_wrong("--values: '%s' is no number; numbers and commas, as in 100,200,400",
                               text);
        } else {
            s->point[s->asked++].value = value;
        }
    }
    g_strfreev(parts);
    return status;
}

static int read_range(sweep *s) {
    if (!isfinite(from) || !isfinite(to)) {
        return cli_wrong("sweep needs --values, or --from and --to");
    }
    if (points < 2 || (unsigned)points > POINTS_MOST) {
        return cli_wrong("--points: %d is out of range; 2 to %u", points, POINTS_MOST);
    }
    if (even_in_log && !(from > 0.0 && to > 0.0)) {
        return cli_wrong("--log: from %g to %g; both must be more than 0", from, to);
    }
    s->asked = (unsigned)points;
    for (unsigned i = 0; i < s->asked; i++) {
        double at = (double)i / (s->asked - 1);
        double value = even_in_log ? from * pow(to / from, at) : from + at * (to - from);
        char text[32]; // as it is told
        g_snprintf(text, sizeof text, even_in_log ? "%.4g" : "%.6g", value);
        s->point[i].value = strtod(text, NULL);
    }
    return CLI_DONE;
}

static int check(int count, sweep *s) {
    if (count != 1) {
        return cli_wrong("sweep takes one route, as in: cammino sweep data/ferry/first-round.yaml "
                         "--field legs[1].stop_on_line.cruise_mm_s --values 200,300,400");
    }
    if (field == NULL) {
        return cli_wrong("--field must be given, as in: --field legs[1].stop_on_line.cruise_mm_s");
    }
    if (cli_check_trials(call.trials, call.seed, call.threads) != CLI_DONE) {
        return CLI_WRONG;
    }
    s->figure = CMO_FIGURES;
    for (unsigned f = 0; figure_name != NULL && f < CMO_FIGURES; f++) {
        if (strcmp(cmo_figure_name((cmo_figure)f), figure_name) == 0) {
            s->figure = (cmo_figure)f;
        }
    }
    if (figure_name != NULL && s->figure == CMO_FIGURES) {
        return cli_wrong("--figure: '%s' is none; docs/formats.md lists all, as rest_error_mm",
                         figure_name);
    }
    GError *error = NULL;
    if (!cli_picture_name(picture, &error)) {
        return cli_error(error);
    }
    if (limits != NULL) {
        return values == NULL && picture == NULL
                   ? CLI_DONE
                   : cli_wrong("--limits goes with --from and --to, and draws no picture");
    }
    return values != NULL ? read_list(s) : read_range(s);
}

// ------------------------------------------------------------------------------------ trials --

// The leg and the figure that are shown, by the first series.
static int choose(sweep *s, const lab_series *series) {
    if (leg < 0 || (unsigned)leg > series->legs) {
        return cli_wrong("--leg: %d is out of range; 1 to %u", leg, series->legs);
    }
    unsigned chosen = leg > 0 ? (unsigned)leg - 1U : 0;
    while (leg == 0 && chosen + 1 < series->legs && series->leg[chosen].judged == CMO_FIGURES) {
        chosen++;
    }
    s->leg = chosen;
    if (s->figure == CMO_FIGURES) {
        cmo_figure judged = series->leg[chosen].judged;
        s->figure = judged != CMO_FIGURES ? judged : CMO_ELAPSED_MS;
    }
    return CLI_DONE;
}

// False: it was stopped before it had driven a trial.
static bool drive_point(sweep *s, const char *path, point *p) {
    GError *error = NULL;
    cli_watch w = cli_watch_begin(!quiet);
    lab_change change = {.field = field, .value = p->value};
    lab_series_call as = cli_series_call(&call, path, &w);
    as.changes = &change;
    lab_results *results = lab_results_of(&as, &error);
    cli_watch_end(&w);
    if (results == NULL) {
        p->refused = g_strdup(error->message);
        g_clear_error(&error);
        return true;
    }
    if (s->head == NULL) {
        s->head =
            g_strdup_printf("%s on %s, route %s", results->robot, results->mat, results->route);
    }
    bool any = results->trials->len > 0;
    if (results->diverged > 0 || results->undrawn > 0) {
        p->refused = g_strdup("the simulated robot's values do not go together");
        any = true;
    } else if (any) {
        p->series = lab_series_of(results, NULL);
    }
    if (p->series != NULL && by_law) {
        p->results = results;
    } else {
        lab_results_free(results);
    }
    return any;
}

static int drive_all(sweep *s, const char *path) {
    const char *why = NULL;
    unsigned driven = 0;
    while (s->points < s->asked && !cli_watch_stopped() &&
           drive_point(s, path, &s->point[s->points])) {
        const point *p = &s->point[s->points++];
        if (p->refused != NULL) {
            why = why != NULL ? why : p->refused;
        } else if (driven++ == 0 && choose(s, p->series) != CLI_DONE) {
            return CLI_WRONG;
        }
    }
    if (driven == 0) {
        return cli_wrong("%s", why != NULL ? why : "stopped before a trial was driven");
    }
    return CLI_DONE;
}

// ------------------------------------------------------------------------------------- shown --

static const lab_statistics *shown(const sweep *s, const point *p) {
    return &p->series->leg[s->leg].figure[s->figure].truth;
}

// A zero has no sign.
static double no_minus(double value) {
    return fabs(value) < 0.005 ? 0.0 : value;
}

static void print_table(const sweep *s) {
    cli_line("%s", s->head);
    cli_line("%s, %d trials a value with the same seeds; leg %u, true %s", field, call.trials,
             s->leg + 1, cmo_figure_name(s->figure));
    printf("\n%11s%13s%16s%10s%9s%8s%9s%13s%9s\n", "value", "completed", "95 % sure", "time s",
           "mean", "sd", "p50", "95 % within", "worst");
    for (unsigned i = 0; i < s->points; i++) {
        const point *p = &s->point[i];
        if (p->refused != NULL) {
            printf("%11.6g  ", p->value);
            cli_line("refused: %s", p->refused);
            continue;
        }
        const lab_series *series = p->series;
        double seconds = 0.0; // of the run, on the mean
        for (unsigned n = 0; n < series->legs; n++) {
            const lab_statistics *t = &series->leg[n].figure[CMO_ELAPSED_MS].truth;
            seconds += 1e-3 * t->mean * t->n / series->trials;
        }
        char *done = g_strdup_printf("%u of %u", series->completed, series->trials);
        printf("%11.6g%13s%7.1f to %5.1f%10.2f", p->value, done, 100.0 * series->low,
               100.0 * series->high, seconds);
        g_free(done);
        const lab_statistics *f = shown(s, p);
        if (f->n > 0) {
            printf("%9.2f%8.2f%9.2f%13.2f%9.2f", no_minus(f->mean), f->sd, no_minus(f->p50),
                   f->within, no_minus(f->worst));
        }
        printf("\n");
    }
    if (s->points < s->asked) {
        printf("stopped before the other %u values\n", s->asked - s->points);
    }
}

// The law over all points' halts. False: there is none.
static bool find_law(const sweep *s, lab_law *law) {
    lab_results *results[POINTS_MOST];
    for (unsigned i = 0; i < s->points; i++) {
        results[i] = s->point[i].results;
    }
    return lab_law_fit(results, s->points, s->leg, law);
}

static void print_json(const sweep *s) {
    JsonBuilder *builder = json_builder_new();
    json_builder_begin_object(builder);
    json_builder_set_member_name(builder, "field");
    json_builder_add_string_value(builder, field);
    json_builder_set_member_name(builder, "points");
    json_builder_begin_array(builder);
    for (unsigned i = 0; i < s->points; i++) {
        const point *p = &s->point[i];
        json_builder_begin_object(builder);
        json_builder_set_member_name(builder, "value");
        json_builder_add_double_value(builder, p->value);
        if (p->refused != NULL) {
            json_builder_set_member_name(builder, "refused");
            json_builder_add_string_value(builder, p->refused);
        } else {
            char *text = lab_series_json(p->series, NULL);
            json_builder_set_member_name(builder, "series");
            json_builder_add_value(builder, json_from_string(text, NULL));
            g_free(text);
        }
        json_builder_end_object(builder);
    }
    json_builder_end_array(builder);
    if (by_law) {
        lab_law law;
        cli_add_law(builder, find_law(s, &law) ? &law : NULL);
    }
    json_builder_end_object(builder);
    cli_print_json(builder);
}

// A tick at each value, where there is room for them.
static void set_ticks(const sweep *s, GString *out) {
    if (even_in_log && values == NULL) {
        cli_plot_line(out, "set logscale x\nset xrange [%g:%g]", fmin(from, to) / 1.05,
                      fmax(from, to) * 1.05);
    }
    if (s->points <= TICKS_MOST) {
        g_string_append(out, "set xtics (");
        for (unsigned i = 0; i < s->points; i++) {
            g_string_append_printf(out, "%s%.9g", i > 0 ? ", " : "", s->point[i].value);
        }
        g_string_append(out, ")\nunset mxtics\n");
    }
}

// The figure above, with the range of 90 % of the trials; what completes below, with its interval.
static bool draw(const sweep *s, GError **error) {
    GString *out = g_string_new("$points << EOD\n");
    for (unsigned i = 0; i < s->points; i++) {
        const point *p = &s->point[i];
        if (p->refused != NULL) {
            continue;
        }
        const lab_statistics *f = shown(s, p);
        bool any = f->n > 0;
        const double cells[] = {p->value,
                                any ? f->mean : NAN,
                                any ? f->p05 : NAN,
                                any ? f->p95 : NAN,
                                any ? f->worst : NAN,
                                100.0 * p->series->completed / p->series->trials,
                                100.0 * p->series->low,
                                100.0 * p->series->high};
        for (size_t n = 0; n < G_N_ELEMENTS(cells); n++) {
            cli_plot_cell(out, cells[n]);
        }
        g_string_append_c(out, '\n');
    }
    char *head = cli_plot_quoted(s->head);
    char *name = cli_plot_quoted(field);
    g_string_append(out, "EOD\nset lmargin 10; set rmargin 4\n");
    cli_plot_line(out, "set multiplot");
    set_ticks(s, out);
    cli_plot_line(out,
                  "set origin 0,0.36; set size 1,0.64\nset title '%s, %d trials a value' font "
                  "'DejaVu Sans Bold,13'",
                  head, call.trials);
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
    bool good = cli_plot(out->str, picture, error);
    g_string_free(out, TRUE);
    return good;
}

static int show(const sweep *s) {
    GError *error = NULL;
    if (picture != NULL && !draw(s, &error)) {
        return cli_error(error);
    }
    if (json) {
        print_json(s);
    } else if (!quiet) {
        print_table(s);
        if (by_law) {
            lab_law law;
            bool known = find_law(s, &law);
            cli_print_law(&law, known, s->leg);
        }
    }
    return s->points < s->asked || cli_watch_stopped() ? CLI_FAILED : CLI_DONE;
}

static int run(int count, char **arguments) {
    static sweep s;
    int status = check(count, &s);
    GError *error = NULL;
    if (status == CLI_DONE &&
        !cli_spares(&error, "--picture", picture, arguments[0], call.robot, NULL)) {
        status = cli_error(error);
    }
    if (status == CLI_DONE && limits != NULL) {
        lab_reach_asked asked = {.series = cli_series_call(&call, arguments[0], NULL),
                                 .field = field,
                                 .from = from,
                                 .to = to,
                                 .within = within};
        return cli_reach(asked, limits, json, quiet);
    }
    if (status == CLI_DONE) {
        status = drive_all(&s, arguments[0]);
    }
    if (status == CLI_DONE) {
        status = show(&s);
    }
    for (unsigned i = 0; i < s.asked; i++) {
        lab_series_free(s.point[i].series);
        lab_results_free(s.point[i].results);
        g_free(s.point[i].refused);
    }
    g_free(s.head);
    return status;
}

const cli_command cli_sweep = {
    "sweep",
    "ROUTE",
    "Drive a series at each of some values of one number, and show a figure against it",
    "Any number of the route file or of its robot may be varied, whether it stands there or not. "
    "The "
    "trials at each value have the same seeds, so what differs is not chance. The table has a row "
    "a "
    "value: how many trials completed, between which shares of all runs that lies with a "
    "confidence "
    "of 95 %, the run's time, and a true figure of one leg. A value that the route refuses says "
    "why. With --limits what lies between is halved until the last value is found at which a "
    "series keeps to them, and where it surely does and surely does not. Exit status 1: stopped by "
    "Ctrl-C; it shows the values that it has driven.",
    "cammino sweep data/ferry/first-round.yaml --field legs[1].stop_on_line.cruise_mm_s "
    "--values 200,300,400 --picture speed.png",
    options,
    run};
