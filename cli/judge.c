// SPDX-License-Identifier: GPL-3.0-or-later
#include "advice.h"
#include "judge_chart.h"
#include "trace.h"
#include "trials.h"

#include <cammino_lab/json.h>
#include <cammino_lab/limits.h>
#include <math.h>
#include <string.h>

static cli_trials_call call = CLI_TRIALS_DEFAULT(200);
static gboolean json, quiet, tap, advises;
static char *junit, *picture;

static const GOptionEntry options[] = {
    CLI_TRIALS_OPTIONS(call, CLI_TRIALS_MANY),
    {"json", 0, 0, G_OPTION_ARG_NONE, &json, "Print the verdicts as one JSON document", NULL},
    {"tap", 0, 0, G_OPTION_ARG_NONE, &tap, "Print them as TAP 13, for a test harness", NULL},
    {"junit", 0, 0, G_OPTION_ARG_FILENAME, &junit, "Write them as JUnit XML", "FILE"},
    {"picture", 0, 0, G_OPTION_ARG_FILENAME, &picture,
     "Draw how far each limit is kept, .png or .svg", "FILE"},
    {"advice", 0, 0, G_OPTION_ARG_NONE, &advises,
     "Of a route: try changes on the same trials, and say with which ones more limits are kept",
     NULL},
    {"quiet", 0, 0, G_OPTION_ARG_NONE, &quiet, "Print nothing but what is wrong", NULL},
    {NULL, 0, 0, 0, NULL, NULL, NULL}};

typedef struct verdicts {
    const lab_limits *limits;
    const lab_results *results;
    unsigned passed;
    lab_verdict of[LAB_LIMITS_MAX];
} verdicts;

// "1.25", or "-" where there is none.
static char *number_text(double value) {
    return isnan(value) ? g_strdup("-")
                        : g_strdup_printf("%.*f", fabs(value) < 1000.0 ? 2 : 0, value);
}

// --------------------------------------------------------------------------------------- table --

static void print_row(const lab_limit *limit, const lab_verdict *one) {
    char *of = lab_limit_of(limit);
    char *text = lab_limit_text(limit);
    char *kept = g_strdup_printf("%u of %u", one->keep, one->trials);
    bool counts = limit->figure == LAB_COMPLETED; // and has no value of its own
    char *value = number_text(counts ? NAN : one->value);
    char *margin = number_text(counts ? NAN : one->margin);
    cli_line("%-6s%-34s%-30s%12s%9s%9s", one->pass ? "pass" : "FAIL", of, text, kept, value,
             margin);
    if (one->without > 0) {
        printf("%-6sin %u of them there is no such figure\n", "", one->without);
    }
    if (limit->confidence > 0.0) {
        printf("%-6sso surely %.1f %% of all runs that there could be keep to it", "",
               100.0 * one->surely);
        if (!one->pass && one->keep == one->trials && limit->share < 1.0) {
            // All of n do by chance with that share's nth power.
            printf("; %.0f trials that all do would show it",
                   ceil(log(1.0 - limit->confidence) / log(limit->share)));
        }
        printf("\n");
    } else if (!one->pass && one->trials > 1) {
        printf("%-6sof all runs that there could be %.1f to %.1f %% do, with 95 %% confidence\n",
               "", 100.0 * one->low, 100.0 * one->high);
    }
    g_free(of);
    g_free(text);
    g_free(kept);
    g_free(value);
    g_free(margin);
}

static void print_table(const verdicts *v) {
    cli_line("%s on %s", v->limits->path, cli_trials_head(v->results));
    printf("\n%-6s%-34s%-30s%12s%9s%9s\n", "", "figure", "limit, in what share of trials",
           "kept in", "value", "margin");
    for (unsigned i = 0; i < v->limits->count; i++) {
        print_row(&v->limits->limit[i], &v->of[i]);
    }
    printf("\n%u of %u limits are kept\n", v->passed, v->limits->count);
}

// ---------------------------------------------------------------------------------------- JSON --

// What there is none of is absent.
static void put(JsonBuilder *builder, const char *name, double value) {
    if (isfinite(value)) {
        lab_json_number(builder, name, value, 4);
    }
}

static void add_verdict(JsonBuilder *builder, const lab_limit *limit, const lab_verdict *one) {
    json_builder_begin_object(builder);
    if (limit->leg != NULL) {
        lab_json_text(builder, "leg", limit->leg);
    }
    lab_json_text(builder, "figure",
                  limit->figure == LAB_COMPLETED ? "completed"
                                                 : cmo_figure_name((cmo_figure)limit->figure));
    if (limit->figure != LAB_COMPLETED) {
        lab_json_text(builder, "of", limit->truth ? "truth" : "robot");
        put(builder, "at_least", limit->least);
        put(builder, "at_most", limit->most);
    }
    put(builder, "share", limit->share);
    if (limit->confidence > 0.0) {
        put(builder, "confidence", limit->confidence);
    }
    lab_json_flag(builder, "pass", one->pass);
    lab_json_whole(builder, "keep", one->keep);
    lab_json_whole(builder, "without", one->without);
    put(builder, "keep_low", one->low);
    put(builder, "keep_high", one->high);
    put(builder, "surely", one->surely);
    put(builder, "value", one->value);
    put(builder, "margin", one->margin);
    json_builder_end_object(builder);
}

static void print_json(const verdicts *v) {
    JsonBuilder *builder = json_builder_new();
    json_builder_begin_object(builder);
    char *path = lab_printable(v->limits->path);
    lab_json_text(builder, "limits_file", path);
    lab_json_text(builder, "route", v->results->route);
    lab_json_whole(builder, "trials", v->results->trials->len);
    lab_json_whole(builder, "passed", v->passed);
    json_builder_set_member_name(builder, "limits");
    json_builder_begin_array(builder);
    for (unsigned i = 0; i < v->limits->count; i++) {
        add_verdict(builder, &v->limits->limit[i], &v->of[i]);
    }
    json_builder_end_array(builder);
    json_builder_end_object(builder);
    cli_print_json(builder);
    g_free(path);
}

// ---------------------------------------------------------------------------------- TAP, JUnit --

// "leg 1 rest_error_mm within 2 in 95 %"; what may stand on a line of TAP.
static char *description(const lab_limit *limit) {
    char *of = lab_limit_of(limit);
    char *text = lab_limit_text(limit);
    char *whole = g_strdup_printf("%s %s", of, text);
    char *line = lab_printable(whole);
    g_strdelimit(line, "#\\", '_');
    g_free(of);
    g_free(text);
    g_free(whole);
    return line;
}

static char *why_not(const lab_verdict *one) {
    char *value = number_text(one->value);
    char *margin = number_text(one->margin);
    char *text = g_strdup_printf("kept in %u of %u trials, %u without the figure; value %s, margin "
                                 "%s",
                                 one->keep, one->trials, one->without, value, margin);
    g_free(value);
    g_free(margin);
    return text;
}

static void print_tap(const verdicts *v) {
    printf("TAP version 13\n1..%u\n", v->limits->count);
    for (unsigned i = 0; i < v->limits->count; i++) {
        const lab_verdict *one = &v->of[i];
        char *text = description(&v->limits->limit[i]);
        printf("%s %u - %s\n", one->pass ? "ok" : "not ok", i + 1, text);
        g_free(text);
        printf("  ---\n  keep: %u\n  trials: %u\n  without: %u\n", one->keep, one->trials,
               one->without);
        if (!isnan(one->value)) {
            printf("  value: %.3f\n  margin: %.3f\n", one->value, one->margin);
        }
        printf("  ...\n");
    }
}

static bool write_junit(const verdicts *v, GError **error) {
    char *path = lab_printable(v->limits->path);
    unsigned failed = v->limits->count - v->passed;
    GString *out = g_string_new("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n");
    char *head = g_markup_printf_escaped(
        "<testsuites tests=\"%u\" failures=\"%u\">\n"
        "  <testsuite name=\"%s\" tests=\"%u\" failures=\"%u\" errors=\"0\" skipped=\"0\">\n",
        v->limits->count, failed, path, v->limits->count, failed);
    g_string_append(out, head);
    for (unsigned i = 0; i < v->limits->count; i++) {
        char *text = description(&v->limits->limit[i]);
        char *line = g_markup_printf_escaped("    <testcase classname=\"%s\" name=\"%s\"",
                                             v->results->route, text);
        char *why = why_not(&v->of[i]);
        char *failure = g_markup_printf_escaped(
            ">\n      <failure message=\"%s\" type=\"limit\"/>\n    </testcase>\n", why);
        g_string_append(out, line);
        g_string_append(out, v->of[i].pass ? "/>\n" : failure);
        g_free(failure);
        g_free(why);
        g_free(line);
        g_free(text);
    }
    g_string_append(out, "  </testsuite>\n</testsuites>\n");
    bool good = lab_write_file(junit, "JUnit file", out->str, out->len, error);
    g_free(head);
    g_free(path);
    g_string_free(out, TRUE);
    return good;
}

// ---------------------------------------------------------------------------------------- call --

static int give_advice(const verdicts *v, const char *path) {
    lab_route *route = cli_load_route(path, call.robot, call.seed);
    if (route == NULL) {
        return CLI_WRONG;
    }
    cli_give_advice(route, &call, v->results, v->limits, v->passed, quiet);
    lab_route_free(route);
    return CLI_DONE;
}

static int judge(verdicts *v, const char *path) {
    GError *error = NULL;
    for (unsigned i = 0; i < v->limits->count; i++) {
        if (!lab_judge(v->limits, i, v->results, &v->of[i], &error)) {
            return cli_error(error);
        }
        v->passed += v->of[i].pass;
    }
    if (junit != NULL && !write_junit(v, &error)) {
        return cli_error(error);
    }
    if (picture != NULL &&
        !cli_draw_verdicts(v->limits, v->of, cli_trials_head(v->results), picture, &error)) {
        return cli_error(error);
    }
    if (tap) {
        print_tap(v);
    } else if (json) {
        print_json(v);
    } else if (!quiet) {
        print_table(v);
        if (advises && give_advice(v, path) != CLI_DONE) {
            return CLI_WRONG;
        }
    }
    return v->passed == v->limits->count ? CLI_DONE : CLI_FAILED;
}

static int run(int count, char **arguments) {
    if (count == 1 && cli_is_trace(arguments[0])) {
        if (picture != NULL || advises) {
            return cli_wrong("--picture and --advice go with limits; a trace alone has none");
        }
        return cli_tell_trace(arguments[0], call.robot, quiet);
    }
    if (count != 2) {
        return cli_wrong(
            "judge takes a file of limits and a route, results or a trace, as in: cammino judge "
            "data/ferry/limits.yaml data/ferry/first-round.yaml");
    }
    if (advises && (json || tap || cli_is_results(arguments[1]))) {
        return cli_wrong("--advice goes with a route that is driven, and with the table");
    }
    if (json && tap) {
        return cli_wrong("--json and --tap: one of them can be printed");
    }
    GError *error = NULL;
    if (!cli_picture_name(picture, &error)) {
        return cli_error(error);
    }
    lab_limits *limits = lab_limits_load(arguments[0], &error);
    if (limits == NULL || !cli_spares(&error, "--junit", junit, arguments[0], arguments[1], NULL) ||
        !cli_spares(&error, "--picture", picture, arguments[0], arguments[1], junit, NULL)) {
        lab_limits_free(limits);
        return cli_error(error);
    }
    lab_results *results = cli_trials(&call, arguments[1], NULL, quiet);
    int status = CLI_WRONG;
    if (results != NULL) {
        static verdicts v;
        v.limits = limits;
        v.results = results;
        status = judge(&v, arguments[1]);
    }
    lab_results_free(results);
    lab_limits_free(limits);
    return status;
}

const cli_command cli_judge = {
    "judge",
    "LIMITS WHAT",
    "Say which limits the figures keep to, and by how much",
    "WHAT is a route, which is driven as a series, results that cammino series --results has kept, "
    "or what cammino drive --json has printed, or a trace, of the robot that --robot names. The "
    "file of limits says for figures of legs what they must keep to, and in what share of the "
    "trials; docs/formats.md lists its keys. The value is the worst one in the share of the trials "
    "that are best, the margin how far that is from the limit. Without limits, a trace is told leg "
    "by leg. Exit status 1: a limit is not kept.",
    "cammino judge data/ferry/limits.yaml data/ferry/first-round.yaml --trials 100",
    options,
    run};
