// SPDX-License-Identifier: GPL-3.0-or-later
#include "law.h"
#include "reach.h"
#include "sweep_shown.h"
#include "trials.h"
#include "watch.h"

#include <cammino_lab/json.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

static cli_trials_call call = CLI_TRIALS_DEFAULT(100);
static gint points = 6, leg = 0;
static gboolean json, quiet, even_in_log, by_law;
static char **fields, **lists, *figure_name, *picture, *limits;
static double from = NAN, to = NAN, within = NAN;

static const GOptionEntry options[] = {
    CLI_TRIALS_OPTIONS(call, "How many trials at each value, with the same seeds (default 100)"),
    {"field", 0, 0, G_OPTION_ARG_STRING_ARRAY, &fields,
     "The number that is varied, as messages write it: legs[1].stop_on_line.cruise_mm_s; of the "
     "robot robot.plant.grip_m_s2. Given twice: two numbers, each value of one with each of the "
     "other",
     "FIELD"},
    {"values", 0, 0, G_OPTION_ARG_STRING_ARRAY, &lists,
     "Its values: 100,200,400; of two numbers given twice, in the same order", "LIST"},
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

// ---------------------------------------------------------------------------------- the call --

typedef struct sweep {
    cli_sweep_found found;
    lab_route *like; // the first one, for its mat
} sweep;

static int read_list(const char *list, cli_axis *axis) {
    char **parts = g_strsplit(list, ",", -1);
    int status = CLI_DONE;
    for (unsigned i = 0; parts[i] != NULL && status == CLI_DONE; i++) {
        char *end;
        const char *text = g_strstrip(parts[i]);
        double value = g_ascii_strtod(text, &end);
        if (axis->count == CLI_SWEEP_MOST) {
            status = cli_wrong("--values: more than %u of them", CLI_SWEEP_MOST);
        } else if (end == text || *end != '\0' || !isfinite(value)) {
            status = cli_wrong("--values: '%s' is no number; numbers and commas, as in 100,200,400",
                               text);
        } else {
            axis->value[axis->count++] = value;
        }
    }
    g_strfreev(parts);
    if (status == CLI_DONE && axis->count == 0) {
        status = cli_wrong("--values: there are none; as in 100,200,400");
    }
    return status;
}

static int read_range(cli_axis *axis) {
    if (!isfinite(from) || !isfinite(to)) {
        return cli_wrong("sweep needs --values, or --from and --to");
    }
    if (points < 2 || (unsigned)points > CLI_SWEEP_MOST) {
        return cli_wrong("--points: %d is out of range; 2 to %u", points, CLI_SWEEP_MOST);
    }
    if (even_in_log && !(from > 0.0 && to > 0.0)) {
        return cli_wrong("--log: from %g to %g; both must be more than 0", from, to);
    }
    axis->even_in_log = even_in_log;
    for (; axis->count < (unsigned)points; axis->count++) {
        double at = (double)axis->count / (points - 1);
        double value = even_in_log ? from * pow(to / from, at) : from + at * (to - from);
        char text[32]; // as it is told
        g_snprintf(text, sizeof text, even_in_log ? "%.4g" : "%.6g", value);
        axis->value[axis->count] = strtod(text, NULL);
    }
    return CLI_DONE;
}

// All values of one number, or each of one with each of the other.
static int read_points(cli_sweep_found *s) {
    unsigned given = lists != NULL ? g_strv_length(lists) : 0;
    s->axes = g_strv_length(fields);
    if (s->axes > 2) {
        return cli_wrong("--field: %u of them; at most two", s->axes);
    }
    if (given > s->axes || (s->axes > 1 && given != s->axes)) {
        return cli_wrong("--values: %u lists for %u numbers; one for each --field", given, s->axes);
    }
    if (s->axes > 1 && strcmp(fields[0], fields[1]) == 0) {
        return cli_wrong("--field: %s is given twice; two numbers, or one", fields[0]);
    }
    if (s->axes > 1 && by_law) {
        return cli_wrong("--law goes with one --field, a speed");
    }
    for (unsigned i = 0; i < s->axes; i++) {
        s->axis[i].field = fields[i];
        int status = given > 0 ? read_list(lists[i], &s->axis[i]) : read_range(&s->axis[i]);
        if (status != CLI_DONE) {
            return status;
        }
    }
    unsigned across = s->axes > 1 ? s->axis[1].count : 1;
    if (s->axis[0].count * across > CLI_SWEEP_MOST) {
        return cli_wrong("--values: %u times %u points are too many; at most %u", s->axis[0].count,
                         across, CLI_SWEEP_MOST);
    }
    for (; s->asked < s->axis[0].count * across; s->asked++) {
        s->point[s->asked].value[0] = s->axis[0].value[s->asked / across];
        s->point[s->asked].value[1] = s->axis[1].value[s->asked % across];
    }
    return CLI_DONE;
}

static int check(int count, cli_sweep_found *s) {
    if (count != 1) {
        return cli_wrong("sweep takes one route, as in: cammino sweep data/ferry/first-round.yaml "
                         "--field legs[1].stop_on_line.cruise_mm_s --values 200,300,400");
    }
    if (fields == NULL) {
        return cli_wrong("--field must be given, as in: --field legs[1].stop_on_line.cruise_mm_s");
    }
    if (cli_check_trials(call.trials, call.seed, call.threads) != CLI_DONE) {
        return CLI_WRONG;
    }
    s->trials = (unsigned)call.trials;
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
        return lists == NULL && fields[1] == NULL
                   ? CLI_DONE
                   : cli_wrong("--limits goes with one --field, with --from and --to");
    }
    return read_points(s);
}

// ------------------------------------------------------------------------------------ trials --

// The leg and the figure that are shown, by the first series.
static int choose(cli_sweep_found *s, const lab_series *series) {
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
static bool drive_point(sweep *whole, const char *path, cli_point *p) {
    GError *error = NULL;
    cli_watch w = cli_watch_begin(!quiet);
    cli_sweep_found *s = &whole->found;
    lab_change second = {.field = s->axis[1].field, .value = p->value[1]};
    lab_change first = {
        .field = s->axis[0].field, .value = p->value[0], .next = s->axes > 1 ? &second : NULL};
    lab_series_call as = cli_series_call(&call, path, &w);
    as.changes = &first;
    as.like = &whole->like;
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

static int drive_all(sweep *whole, const char *path) {
    cli_sweep_found *s = &whole->found;
    const char *why = NULL;
    unsigned driven = 0;
    while (s->points < s->asked && !cli_watch_stopped() &&
           drive_point(whole, path, &s->point[s->points])) {
        const cli_point *p = &s->point[s->points++];
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

// The law over all points' halts. False: there is none.
static bool find_law(const cli_sweep_found *s, lab_law *law) {
    lab_results *results[CLI_SWEEP_MOST];
    for (unsigned i = 0; i < s->points; i++) {
        results[i] = s->point[i].results;
    }
    return lab_law_fit(results, s->points, s->leg, law);
}

static void print_json(const cli_sweep_found *s) {
    JsonBuilder *builder = json_builder_new();
    json_builder_begin_object(builder);
    if (s->axes > 1) {
        json_builder_set_member_name(builder, "fields");
        json_builder_begin_array(builder);
        json_builder_add_string_value(builder, s->axis[0].field);
        json_builder_add_string_value(builder, s->axis[1].field);
        json_builder_end_array(builder);
    } else {
        lab_json_text(builder, "field", s->axis[0].field);
    }
    json_builder_set_member_name(builder, "points");
    json_builder_begin_array(builder);
    for (unsigned i = 0; i < s->points; i++) {
        const cli_point *p = &s->point[i];
        json_builder_begin_object(builder);
        json_builder_set_member_name(builder, s->axes > 1 ? "values" : "value");
        if (s->axes > 1) {
            json_builder_begin_array(builder);
            json_builder_add_double_value(builder, p->value[0]);
            json_builder_add_double_value(builder, p->value[1]);
            json_builder_end_array(builder);
        } else {
            json_builder_add_double_value(builder, p->value[0]);
        }
        if (p->refused != NULL) {
            lab_json_text(builder, "refused", p->refused);
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

static int show(const cli_sweep_found *s) {
    GError *error = NULL;
    if (picture != NULL && !cli_draw_sweep(s, picture, &error)) {
        return cli_error(error);
    }
    if (json) {
        print_json(s);
    } else if (!quiet) {
        cli_print_sweep(s);
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
    int status = check(count, &s.found);
    GError *error = NULL;
    if (status == CLI_DONE &&
        !cli_spares(&error, "--picture", picture, arguments[0], call.robot, limits, NULL)) {
        status = cli_error(error);
    }
    if (status == CLI_DONE && limits != NULL) {
        lab_reach_asked asked = {.series = cli_series_call(&call, arguments[0], NULL),
                                 .field = fields[0],
                                 .from = from,
                                 .to = to,
                                 .within = within};
        return cli_reach(asked, limits, picture, json, quiet);
    }
    if (status == CLI_DONE) {
        status = drive_all(&s, arguments[0]);
    }
    if (status == CLI_DONE) {
        status = show(&s.found);
    }
    for (unsigned i = 0; i < s.found.asked; i++) {
        lab_series_free(s.found.point[i].series);
        lab_results_free(s.found.point[i].results);
        g_free(s.found.point[i].refused);
    }
    g_free(s.found.head);
    lab_route_free(s.like);
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
    "why. Of two numbers it has a row a value of the first and a column a value of the second. "
    "With --limits what lies between is halved until the last value is found at which a "
    "series keeps to them, and where it surely does and surely does not. Exit status 1: stopped by "
    "Ctrl-C; it shows the values that it has driven.",
    "cammino sweep data/ferry/first-round.yaml --field legs[1].stop_on_line.cruise_mm_s "
    "--values 200,300,400 --picture speed.png",
    options,
    run};
