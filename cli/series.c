// SPDX-License-Identifier: GPL-3.0-or-later
#include "advice.h"
#include "series_chart.h"
#include "trials.h"
#include "watch.h"

#include <cammino_lab/fleet.h>
#include <math.h>
#include <string.h>

static cli_trials_call asked = CLI_TRIALS_DEFAULT(200);
static gboolean json, quiet, all, advises;
static char *results_path, *part_text, *picture;

static const GOptionEntry options[] = {
    CLI_TRIALS_OPTIONS(asked, CLI_TRIALS_MANY),
    {"results", 0, 0, G_OPTION_ARG_FILENAME, &results_path,
     "Keep what each trial comes to in a file; those that it has already are not driven again",
     "FILE"},
    {"part", 0, 0, G_OPTION_ARG_STRING, &part_text,
     "Drive one of so many parts of the trials, for one of several machines", "K/N"},
    {"all", 0, 0, G_OPTION_ARG_NONE, &all, "Print every figure of every leg", NULL},
    {"advice", 0, 0, G_OPTION_ARG_NONE, &advises,
     "Try changes on the same trials, and say which ones help most", NULL},
    {"picture", 0, 0, G_OPTION_ARG_FILENAME, &picture,
     "Draw how far off each leg was, .png or .svg", "FILE"},
    {"json", 0, 0, G_OPTION_ARG_NONE, &json, "Print the results as one JSON document", NULL},
    {"quiet", 0, 0, G_OPTION_ARG_NONE, &quiet, "Print nothing but what is wrong", NULL},
    {NULL, 0, 0, 0, NULL, NULL, NULL}};

// Legs that the table by kind shows.
#define JUDGED_MOST 3U

// Different tallies of a leg that are shown.
#define TALLIES_SHOWN 3U

// Of the worst trials, what is shown of one robot's.
#define WORST_SHOWN 3U

static void print_row(const char *name, const lab_statistics *s) {
    const double values[] = {s->mean, s->sd, s->p05, s->p50, s->p95, s->p99, s->worst};
    printf("  %-24s", name);
    for (size_t i = 0; i < G_N_ELEMENTS(values); i++) {
        double value = fabs(values[i]) < 0.005 ? 0.0 : values[i];
        printf("%10.*f", fabs(values[i]) >= 1000.0 ? 0 : 2, value);
    }
    printf("\n");
}

// Trials that came to a leg.
static unsigned trials_of(const lab_series_leg *leg) {
    unsigned trials_driven = 0;
    for (unsigned i = 0; i < CMO_OUTCOMES; i++) {
        trials_driven += leg->outcomes[i];
    }
    return trials_driven;
}

static void print_leg(const lab_series *series, unsigned number) {
    const lab_series_leg *leg = &series->leg[number];
    printf("\nleg %u  %s%s%s: done %u of %u", number + 1, cmo_routine_name(leg->routine),
           leg->name != NULL ? ", " : "", leg->name != NULL ? leg->name : "",
           leg->outcomes[CMO_OUTCOME_DONE], trials_of(leg));
    for (unsigned i = CMO_OUTCOME_DONE + 1; i < CMO_OUTCOMES; i++) {
        if (leg->outcomes[i] > 0) {
            printf(", %s %u", cmo_outcome_name((cmo_outcome)i), leg->outcomes[i]);
        }
    }
    printf("\n  %-24s%10s%10s%10s%10s%10s%10s%10s\n", "true figures", "mean", "sd", "p05", "p50",
           "p95", "p99", "worst");
    for (unsigned f = 0; f < CMO_FIGURES; f++) {
        const lab_series_figure *figure = &leg->figure[f];
        if (figure->truth.n > 0) {
            print_row(cmo_figure_name((cmo_figure)f), &figure->truth);
        } else if (figure->robot.n > 0) {
            char *name = g_strdup_printf("%s (robot's)", cmo_figure_name((cmo_figure)f));
            print_row(name, &figure->robot);
            g_free(name);
        }
    }
}

// "     of them 2 red, 1 blue in 39 of 40"; the most frequent ones.
static void print_tallies(const lab_series *series, const lab_series_leg *leg) {
    unsigned counts = 0;
    for (guint i = 0; leg->tallies != NULL && i < leg->tallies->len; i++) {
        counts += g_array_index(leg->tallies, lab_series_tally, i).times;
    }
    for (guint i = 0; leg->tallies != NULL && i < MIN(leg->tallies->len, TALLIES_SHOWN); i++) {
        const lab_series_tally *tally = &g_array_index(leg->tallies, lab_series_tally, i);
        GString *text = g_string_new(NULL);
        for (unsigned n = 1; n <= CMO_SURFACES_MAX + 1; n++) { // at last those of none
            unsigned surface = n % (CMO_SURFACES_MAX + 1);
            if (tally->lines[surface] > 0) {
                g_string_append_printf(
                    text, "%s%u %s", text->len > 0 ? ", " : "", tally->lines[surface],
                    surface > 0 ? series->surface[surface] : "of none that it knows");
            }
        }
        printf("     %s%s in %u of %u\n", i == 0 ? "of them " : "        ",
               text->len > 0 ? text->str : "none", tally->times, counts);
        g_string_free(text, TRUE);
    }
}

// How often a leg was done, how long it took, and its figure.
static void print_line(const lab_series *series, unsigned number) {
    const lab_series_leg *leg = &series->leg[number];
    const lab_statistics *time = &leg->figure[CMO_ELAPSED_MS].truth;
    char *done = g_strdup_printf("%u of %u", leg->outcomes[CMO_OUTCOME_DONE], trials_of(leg));
    printf("%3u %-16s%15s", number + 1, cmo_routine_name(leg->routine), done);
    g_free(done);
    if (time->n > 0) {
        printf("%6.2f%6.2f", time->p50 / 1000.0, time->p95 / 1000.0);
    }
    cmo_figure figure = cli_shown_by(leg);
    const lab_statistics *s = figure != CMO_FIGURES ? &leg->figure[figure].truth : NULL;
    if (s != NULL && s->n > 0) {
        printf(" %-18s%8.2f%8.2f%8.2f%8.2f%8.2f", cmo_figure_name(figure), s->mean, s->sd, s->p05,
               s->p95, s->worst);
    }
    printf("\n");
    if (leg->name != NULL) {
        printf("     %s\n", leg->name);
    }
    if (leg->counts > 0) {
        const lab_statistics *seen = &leg->figure[CMO_LINES_SEEN].truth;
        printf("     counted right in %u of %u: %.0f", leg->counts - leg->miscounts, leg->counts,
               seen->p05);
        if (seen->p95 > seen->p05) {
            printf(" to %.0f", seen->p95);
        }
        printf(" lines\n");
    }
    print_tallies(series, leg);
    for (unsigned i = CMO_OUTCOME_DONE + 1; i < CMO_OUTCOMES; i++) {
        if (leg->outcomes[i] > 0) {
            printf("     %s %u: %s\n", cmo_outcome_name((cmo_outcome)i), leg->outcomes[i],
                   cmo_outcome_text((cmo_outcome)i));
        }
    }
}

static void print_lines(const lab_series *series) {
    printf("\n%-20s%15s%12s %-18s%8s%8s%8s%8s%8s\n", "leg", "done", "time s", "true figure", "mean",
           "sd", "p05", "p95", "worst");
    printf("%41s%6s\n", "p50", "p95");
    for (unsigned i = 0; i < series->legs; i++) {
        print_line(series, i);
    }
}

// The legs that are judged by a figure, as many as a line has room for.
static unsigned judged_legs(const lab_series *series, unsigned *legs) {
    unsigned count = 0;
    for (unsigned i = 0; i < series->legs && count < JUDGED_MOST; i++) {
        cmo_figure figure = series->leg[i].judged;
        if (figure != CMO_FIGURES && series->leg[i].figure[figure].truth.n > 0) {
            legs[count++] = i;
        }
    }
    return count;
}

static void print_kinds(const lab_series *series) {
    unsigned legs[JUDGED_MOST];
    unsigned count = judged_legs(series, legs);
    printf("\n%42s", "");
    for (unsigned i = 0; i < count; i++) {
        char *name = g_strdup_printf("leg %u", legs[i] + 1);
        printf("%20s", name);
        g_free(name);
    }
    printf("\n%42s", "");
    for (unsigned i = 0; i < count; i++) {
        printf("%20s", cmo_figure_name(series->leg[legs[i]].judged));
    }
    printf("\n%-13s%-16s%7s%6s", "by kind", "", "trials", "done");
    for (unsigned i = 0; i < count; i++) {
        printf("%12s%8s", "95 % within", "worst");
    }
    const char *part = "";
    for (unsigned k = 0; k < series->kinds; k++) {
        const lab_series_kind *kind = &series->kind[k];
        printf("\n%-13s%-16s%7u%6u", kind->part != part ? kind->part : "", kind->kind, kind->trials,
               kind->completed);
        part = kind->part;
        for (unsigned i = 0; i < count; i++) {
            cmo_figure figure = series->leg[legs[i]].judged;
            const lab_statistics *s = &kind->leg[legs[i]].figure[figure].truth;
            if (s->n > 0) {
                printf("%12.2f%8.2f", s->within, s->worst);
            } else {
                printf("%12s%8s", "-", "-");
            }
        }
    }
    printf("\n");
}

// "drive pi, tyres soft, ...", on lines that a terminal holds.
static void print_parts(const lab_fleet *fleet, uint64_t of) {
    int column = 80;
    for (unsigned part = 0; part < lab_fleet_parts(fleet); part++) {
        const char *kind = lab_fleet_kind(fleet, part, lab_fleet_kind_of(fleet, part, of));
        char *text =
            g_strdup_printf("%s%s %s", part == 0 ? "" : ", ", lab_fleet_part(fleet, part), kind);
        int length = (int)strlen(text);
        if (column + length > 78) {
            printf("%s\n    ", part == 0 ? "" : ",");
            column = 4;
            printf("%s", part == 0 ? text : text + 2);
        } else {
            printf("%s", text);
        }
        column += length;
        g_free(text);
    }
}

// A path as a shell takes it.
static void add_word(GString *call, const char *before, const char *path) {
    static const char plain[] =
        "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789/._-";
    char *quoted = g_shell_quote(path);
    g_string_append_printf(call, "%s%s", before,
                           strspn(path, plain) == strlen(path) ? path : quoted);
    g_free(quoted);
}

// And how to look at one.
static void print_worst(const lab_series *series, const lab_fleet *fleet, const char *path) {
    if (series->worsts == 0) {
        return;
    }
    GString *call = g_string_new("cammino drive ");
    add_word(call, "", path);
    if (asked.robot != NULL) {
        add_word(call, " --robot ", asked.robot);
    }
    for (char **by = asked.calibrated; by != NULL && *by != NULL; by++) {
        add_word(call, " --calibrated ", *by);
    }
    printf("\nworst trials; to look at the first:\n");
    cli_line("  %s --varied --seed %" G_GUINT64_FORMAT " --picture worst.png", call->str,
             series->worst[0].seed);
    g_string_free(call, TRUE);
    for (unsigned i = 0; i < (fleet != NULL ? series->worsts : MIN(series->worsts, WORST_SHOWN));
         i++) {
        const lab_series_worst *worst = &series->worst[i];
        printf("  seed %" G_GUINT64_FORMAT ", leg %u: %s", worst->seed, worst->leg + 1,
               cmo_outcome_name(worst->outcome));
        if (worst->figure != CMO_FIGURES) {
            printf(", %s %.2f", cmo_figure_name(worst->figure), worst->truth);
        }
        if (fleet != NULL) {
            print_parts(fleet, worst->seed);
        }
        printf("\n");
    }
    if (!advises && series->completed < series->trials) {
        printf("what would help: the same with --advice\n");
    }
}

// In percent, rounded down: only all of them are 100.
static double share_completed(const lab_series *series) {
    return floor(1000.0 * series->completed / series->trials) / 10.0;
}

// "2/3"
static int read_part(lab_part *part) {
    char rest;
    if (sscanf(part_text, "%u/%u%c", &part->number, &part->of, &rest) != 2 || part->number < 1 ||
        part->number > part->of || part->of > (unsigned)asked.trials) {
        return cli_wrong("--part: '%s' is none; K/N, as in 2/3: N up to the number of trials, K up "
                         "to N",
                         part_text);
    }
    return CLI_DONE;
}

static void print_series(const lab_series *series, const lab_route *route) {
    cli_line("%s on %s, route %s",
             route->fleet != NULL ? lab_fleet_name(route->fleet) : route->robot->name,
             route->mat_path, route->path);
    for (unsigned i = 0; i < route->calibrations; i++) {
        cli_line("%s%s", i == 0 ? "calibrated by " : "              ", route->calibration[i]->path);
    }
    if (series->uncalibrated > 0) {
        printf("%u of %u robots could not find out all of that; they drove as stated\n",
               series->uncalibrated, series->trials);
    }
    printf("%u of %u trials completed (%.1f %%); with 95 %% confidence %.1f to %.1f %% of all do",
           series->completed, series->trials, share_completed(series), 100.0 * series->low,
           100.0 * series->high);
    if (series->trials < series->asked) {
        printf("; stopped before the other %u trials", series->asked - series->trials);
    }
    printf("\n");
    if (!all) {
        print_lines(series);
    }
    for (unsigned i = 0; all && i < series->legs; i++) {
        print_leg(series, i);
    }
    if (route->fleet != NULL) {
        print_kinds(series);
    }
    print_worst(series, route->fleet, route->path);
}

// What came of the trials; the status.
static int show(const lab_route *route, const lab_results *results, const lab_series *series) {
    if (cli_check_results(route, results) != CLI_DONE) {
        return CLI_WRONG;
    }
    int status = series->completed == series->asked ? CLI_DONE : CLI_FAILED;
    GError *error = NULL;
    if (picture != NULL && !cli_draw_series(series, cli_trials_head(results), picture, &error)) {
        status = cli_error(error);
    } else if (json) {
        char *text = lab_series_json(series, route->fleet);
        puts(text);
        g_free(text);
    } else if (!quiet) {
        print_series(series, route);
        if (advises) {
            cli_give_advice(route, &asked, results, NULL, 0, quiet);
        }
    }
    return status;
}

// Trials stay in memory only where the advice goes by each of them.
static lab_series *drive_trials(const lab_route *route, lab_results *results, GError **error) {
    unsigned threads = (unsigned)asked.threads;
    cli_watch w = cli_watch_begin(!quiet);
    lab_series *series = NULL;
    if (!advises) {
        series = lab_series_drive(results, route, threads, cli_watch_trials, &w, error);
    } else if (lab_results_drive(results, route, threads, cli_watch_trials, &w, error)) {
        series = lab_series_of(results, route->fleet);
    }
    cli_watch_end(&w);
    return series;
}

static int drive(const lab_route *route, lab_part part) {
    GError *error = NULL;
    lab_results *results =
        lab_results_new(route, (uint64_t)asked.seed, (unsigned)asked.trials, part);
    bool good = cli_spares(&error, "--picture", picture, route->path, route->robot_path,
                           route->mat_path, results_path, NULL);
    if (good && results_path != NULL) {
        good = cli_spares(&error, "--results", results_path, route->path, route->robot_path,
                          route->mat_path, NULL) &&
               lab_results_keep(results, route, results_path, &error);
    }
    lab_series *series = good ? drive_trials(route, results, &error) : NULL;
    int status = series != NULL ? show(route, results, series) : cli_error(error);
    lab_series_free(series);
    lab_results_free(results);
    return status;
}

static int run(int count, char **arguments) {
    if (count != 1) {
        return cli_wrong(
            "series takes one route, as in: cammino series data/ferry/first-round.yaml "
            "--trials 100");
    }
    GError *error = NULL;
    if (!cli_picture_name(picture, &error)) {
        return cli_error(error);
    }
    if (advises && json) {
        return cli_wrong("--advice goes with the table, not with --json");
    }
    lab_part part = {1, 1};
    if (cli_check_trials(asked.trials, asked.seed, asked.threads) != CLI_DONE ||
        (part_text != NULL && read_part(&part) != CLI_DONE)) {
        return CLI_WRONG;
    }
    lab_route *route = cli_load_route(arguments[0], asked.robot, asked.seed);
    if (route == NULL) {
        return CLI_WRONG;
    }
    int status = cli_calibrate(route, asked.calibrated) ? drive(route, part) : CLI_WRONG;
    lab_route_free(route);
    return status;
}

const cli_command cli_series = {
    "series",
    "ROUTE",
    "Drive a route many times, each trial varied, and sum up its figures",
    "Each trial drives another robot out of the plant's spread, from another start, on a fuller or "
    "emptier battery and better or worse grip, as the route's section spread says. Prints for each "
    "leg how often it was done, how long it took, and of the true figure that matters mean, "
    "standard "
    "deviation, quantiles of the signed values, and the worst; --all does so for every figure. The "
    "same "
    "seed gives the same results on any number of threads. Stopped by Ctrl-C it sums up the trials "
    "that it has driven. With --results each is kept as it comes, and a call that finds them there "
    "drives only those that are missing: after a stop, or where files of several machines' parts "
    "were put together. --advice tries changes of the route and the robot on the same trials: "
    "slower, "
    "looked for later, by a most width, braked more gently; lines that are missed looked for "
    "sooner, "
    "further, narrower, at more of a slant, or of the other tone; and what is not as it is "
    "described "
    "put right. "
    "Exit status 1: not all trials completed.",
    "cammino series data/ferry/first-round.yaml --trials 100",
    options,
    run};
