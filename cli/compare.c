// SPDX-License-Identifier: GPL-3.0-or-later
#include "trials.h"

#include <cammino_lab/json.h>
#include <cammino_lab/compare.h>
#include <math.h>
#include <string.h>

static cli_trials_call call = CLI_TRIALS_DEFAULT(200);
static gboolean json, quiet, all;
static char *field, *picture;
static double value = NAN;

static const GOptionEntry options[] = {
    CLI_TRIALS_OPTIONS(call, CLI_TRIALS_MANY),
    {"field", 0, 0, G_OPTION_ARG_STRING, &field,
     "Of one route: compare it with itself, but for this number, as in sweep,", "FIELD"},
    {"value", 0, 0, G_OPTION_ARG_DOUBLE, &value, "which is to be that", "X"},
    {"all", 0, 0, G_OPTION_ARG_NONE, &all, "Compare every figure of every leg", NULL},
    {"picture", 0, 0, G_OPTION_ARG_FILENAME, &picture,
     "Write a chart of the differences and their intervals, .png or .svg", "FILE"},
    {"json", 0, 0, G_OPTION_ARG_NONE, &json, "Print the differences as one JSON document", NULL},
    {"quiet", 0, 0, G_OPTION_ARG_NONE, &quiet, "Print nothing but what is wrong", NULL},
    {NULL, 0, 0, 0, NULL, NULL, NULL}};

// What is compared, and how it is called.
typedef struct pair {
    lab_results *of[2];
    char *head[2];
    lab_comparison *comparison;
} pair;

static char *called(const lab_difference *d) {
    const char *figure =
        d->figure == LAB_COMPLETED ? "completed %" : cmo_figure_name((cmo_figure)d->figure);
    const char *whose = d->truth ? "" : " (robot's)";
    return d->leg == LAB_RUN ? g_strdup_printf("run %s", figure)
                             : g_strdup_printf("leg %u %s%s", d->leg + 1, figure, whose);
}

static double unit_of(const lab_difference *d) {
    return d->figure == LAB_COMPLETED ? 100.0 : 1.0;
}

// Digits behind the point: as many as tell the difference, or two.
static int digits_of(const lab_difference *d) {
    return fabs(d->median[0]) * unit_of(d) >= 1000.0 ? 0 : 2;
}

// "0.25", and no zero with a sign.
static char *number(const lab_difference *d, double x) {
    int digits = digits_of(d);
    x *= unit_of(d);
    return g_strdup_printf("%.*f", digits, fabs(x) < 0.5 * pow(10.0, -digits) ? 0.0 : x);
}

// --------------------------------------------------------------------------------------- table --

// Whether it is few trials that leave a tenth untold.
static bool is_few(const lab_difference *d) {
    return !d->differs && d->needed > fmin(d->trials[0], d->trials[1]);
}

static char *verdict(const lab_difference *d) {
    if (is_few(d)) {
        return g_strdup_printf("no (%.0f)", d->needed);
    }
    return g_strdup(!d->differs ? "no" : d->shift > 0.0 ? "B more" : "B less");
}

static void print_difference(const lab_difference *d) {
    char *name = called(d);
    char *a = number(d, d->median[0]);
    char *b = number(d, d->median[1]);
    char *shift = number(d, d->shift);
    char *low = number(d, d->low);
    char *high = number(d, d->high);
    char *between = g_strdup_printf("%s to %s", low, high);
    char *chance = d->chance < 0.001 ? g_strdup("< 0.001") : g_strdup_printf("%.3f", d->chance);
    char *told = verdict(d);
    printf("%-30s%9s%9s%9s%20s%9s  %s\n", name, a, b, shift, between, chance, told);
    g_free(name);
    g_free(a);
    g_free(b);
    g_free(shift);
    g_free(low);
    g_free(high);
    g_free(between);
    g_free(chance);
    g_free(told);
}

static void print_table(const pair *p) {
    const lab_comparison *c = p->comparison;
    cli_line("A  %s", p->head[0]);
    cli_line("B  %s", p->head[1]);
    if (c->paired) {
        printf("%u pairs of trials with the same seeds\n", c->pairs);
    } else {
        printf("no seed in common: trials are compared at large\n");
    }
    printf("\n%-30s%9s%9s%9s%20s%9s  %s\n", "magnitude, median", "A", "B", "B - A", "95 % sure",
           "chance", "differs");
    bool few = false;
    for (guint i = 0; i < c->differences->len; i++) {
        const lab_difference *d = &g_array_index(c->differences, lab_difference, i);
        print_difference(d);
        few = few || is_few(d);
    }
    printf("\n%u of %u figures differ by more than chance; where none did, one would be said to in "
           "%g %% of calls\n",
           c->differ, c->differences->len, 100.0 * LAB_COMPARE_CHANCE);
    if (few) {
        printf(
            "(N): so many trials of each would tell a difference of 10 %%, four times in five\n");
    }
}

// ---------------------------------------------------------------------------------------- JSON --

static void add_side(JsonBuilder *builder, const char *name, const lab_difference *d,
                     unsigned side) {
    json_builder_set_member_name(builder, name);
    json_builder_begin_object(builder);
    lab_json_whole(builder, "n", d->trials[side]);
    lab_json_number(builder, d->figure == LAB_COMPLETED ? "share" : "p50", d->median[side], 4);
    json_builder_end_object(builder);
}

static void add_difference(JsonBuilder *builder, const lab_difference *d) {
    json_builder_begin_object(builder);
    if (d->leg != LAB_RUN) {
        lab_json_whole(builder, "leg", d->leg + 1);
    }
    json_builder_set_member_name(builder, "figure");
    json_builder_add_string_value(
        builder, d->figure == LAB_COMPLETED ? "completed" : cmo_figure_name((cmo_figure)d->figure));
    lab_json_text(builder, "of", d->truth ? "truth" : "robot");
    add_side(builder, "a", d, 0);
    add_side(builder, "b", d, 1);
    lab_json_number(builder, "difference", d->shift, 4);
    lab_json_number(builder, "low", d->low, 4);
    lab_json_number(builder, "high", d->high, 4);
    lab_json_number(builder, "chance", d->chance, 4);
    lab_json_flag(builder, "differs", d->differs);
    lab_json_number(builder, "needed", d->needed, 4);
    json_builder_end_object(builder);
}

static void print_json(const pair *p) {
    JsonBuilder *builder = json_builder_new();
    json_builder_begin_object(builder);
    lab_json_text(builder, "a", p->head[0]);
    lab_json_text(builder, "b", p->head[1]);
    lab_json_whole(builder, "pairs", p->comparison->pairs);
    lab_json_whole(builder, "differ", p->comparison->differ);
    json_builder_set_member_name(builder, "figures");
    json_builder_begin_array(builder);
    for (guint i = 0; i < p->comparison->differences->len; i++) {
        add_difference(builder, &g_array_index(p->comparison->differences, lab_difference, i));
    }
    json_builder_end_array(builder);
    json_builder_end_object(builder);
    cli_print_json(builder);
}

// ------------------------------------------------------------------------------------- picture --

// In percent of A's median; what A has none of has no place there.
static bool draw(const pair *p, GError **error) {
    GString *out = g_string_new("$differences << EOD\n");
    GString *names = g_string_new("set ytics (");
    unsigned rows = 0;
    for (guint i = 0; i < p->comparison->differences->len; i++) {
        const lab_difference *d = &g_array_index(p->comparison->differences, lab_difference, i);
        if (d->median[0] == 0.0) {
            continue;
        }
        double percent = 100.0 / d->median[0];
        const double cells[] = {percent * d->shift, -(double)rows, percent * d->low,
                                percent * d->high, d->differs};
        for (size_t n = 0; n < G_N_ELEMENTS(cells); n++) {
            cli_plot_cell(out, cells[n]);
        }
        g_string_append_c(out, '\n');
        char *name = called(d);
        char *quoted =
            cli_plot_quoted(g_strchomp(g_strdelimit(name, "%", ' '))); // it would begin a format
        g_string_append_printf(names, "%s'%s' -%u", rows > 0 ? ", " : "", quoted, rows);
        g_free(quoted);
        g_free(name);
        rows++;
    }
    g_string_append(names, ")\n");
    g_string_append(out, "EOD\n");
    g_string_append(out, names->str);
    char *a = cli_plot_quoted(p->head[0]);
    char *b = cli_plot_quoted(p->head[1]);
    cli_plot_line(out, "set title 'A  %s'.\"\\n\".'B  %s' noenhanced font 'DejaVu Sans,12'", a, b);
    cli_plot_line(out,
                  "set yrange [%g:0.5]; set lmargin 28; set rmargin 4; set bmargin 5; unset mytics",
                  0.5 - rows);
    cli_plot_line(out, "set arrow from 0, graph 0 to 0, graph 1 nohead linecolor rgb '#555555'");
    cli_plot_line(out,
                  "set xlabel 'B - A, %% of A; bar: 95 %% sure'; set key outside bottom center "
                  "horizontal Left reverse");
    cli_plot_line(
        out, "plot $differences using ($5 > 0 ? $1 : NaN):2:3:4 with xerrorbars pointtype 7 "
             "linewidth 2 linecolor rgb '#b35a1f' title 'more than chance', $differences using "
             "($5 > 0 ? NaN : $1):2:3:4 with xerrorbars pointtype 6 linewidth 2 linecolor rgb "
             "'#2c4a6e' title 'may be chance'");
    bool good = cli_plot(out->str, picture, error);
    g_free(a);
    g_free(b);
    g_string_free(names, TRUE);
    g_string_free(out, TRUE);
    return good;
}

// ---------------------------------------------------------------------------------------- call --

static int show(const pair *p) {
    GError *error = NULL;
    if (p->comparison->legs == 0) {
        return cli_wrong("the two have no leg of the same routine at the same place: nothing to "
                         "compare");
    }
    if (picture != NULL && !draw(p, &error)) {
        return cli_error(error);
    }
    if (json) {
        print_json(p);
    } else if (!quiet) {
        print_table(p);
    }
    return CLI_DONE;
}

static bool take(pair *p, unsigned side, const char *path, const lab_change *change) {
    p->of[side] = cli_trials(&call, path, change, quiet);
    if (p->of[side] != NULL) {
        char *with = change != NULL ? g_strdup_printf(", with %s %g", change->field, change->value)
                                    : g_strdup("");
        p->head[side] = g_strdup_printf("%s%s", cli_trials_head(p->of[side]), with);
        g_free(with);
    }
    return p->of[side] != NULL;
}

static int check(int count, char **arguments) {
    if (count != (field != NULL ? 1 : 2)) {
        return cli_wrong("compare takes two routes or results, or one route with --field and "
                         "--value, as in: cammino compare data/ferry/first-round.yaml --field "
                         "legs[1].stop_on_line.cruise_mm_s --value 300");
    }
    if ((field != NULL) != isfinite(value)) {
        return cli_wrong("--field and --value go together, as in: --field "
                         "legs[1].stop_on_line.cruise_mm_s --value 300");
    }
    GError *error = NULL;
    return cli_picture_name(picture, &error) &&
                   cli_spares(&error, "--picture", picture, arguments[0],
                              count > 1 ? arguments[1] : call.robot, NULL)
               ? CLI_DONE
               : cli_error(error);
}

static int run(int count, char **arguments) {
    if (check(count, arguments) != CLI_DONE) {
        return CLI_WRONG;
    }
    pair p = {{NULL, NULL}, {NULL, NULL}, NULL};
    lab_change change = {.field = field, .value = value};
    int status = CLI_WRONG;
    if (take(&p, 0, arguments[0], NULL) &&
        take(&p, 1, arguments[count - 1], field != NULL ? &change : NULL)) {
        p.comparison = lab_compare(p.of[0], p.of[1], all);
        status = show(&p);
    }
    lab_comparison_free(p.comparison);
    for (unsigned side = 0; side < 2; side++) {
        lab_results_free(p.of[side]);
        g_free(p.head[side]);
    }
    return status;
}

const cli_command cli_compare = {
    "compare",
    "A B",
    "Say by how much the figures of two routes or results differ, and whether that is chance",
    "Each is a route, which is driven as a series, results that cammino series --results has kept, "
    "or "
    "what cammino drive --json has printed; or one route and a number of it that is to be another. "
    "Magnitudes are compared. Trials of the same seed are compared in pairs (Wilcoxon's signed "
    "ranks), others at large (Mann and Whitney's ranks). The chance that is shown is that of such "
    "a "
    "difference where there is none, corrected for the number of figures (Holm). What may be "
    "chance "
    "says how many trials of each would tell a difference of 10 %.",
    "cammino compare data/ferry/first-round.yaml --field legs[1].stop_on_line.cruise_mm_s --value "
    "300",
    options,
    run};
