// SPDX-License-Identifier: GPL-3.0-or-later
#include "reach.h"

#include "watch.h"

#include <cammino_lab/json.h>
#include <math.h>
#include <string.h>

static void print_json(const lab_reach_asked *asked, const lab_reach *found) {
    JsonBuilder *builder = json_builder_new();
    json_builder_begin_object(builder);
    lab_json_text(builder, "field", asked->field);
    lab_json_number(builder, "value", found->none ? NAN : found->value, 6);
    lab_json_number(builder, "surely", found->surely, 6);
    lab_json_number(builder, "surely_not", found->surely_not, 6);
    lab_json_flag(builder, "to_the_end", found->all);
    json_builder_set_member_name(builder, "tried");
    json_builder_begin_array(builder);
    for (unsigned i = 0; i < found->tried; i++) {
        json_builder_begin_object(builder);
        lab_json_number(builder, "value", found->at[i].value, 6);
        lab_json_flag(builder, "keeps", found->at[i].keeps);
        if (!found->at[i].refused) {
            lab_json_whole(builder, "tightest", found->at[i].tightest + 1);
            lab_json_number(builder, "share", found->at[i].share, 4);
        }
        json_builder_end_object(builder);
    }
    json_builder_end_array(builder);
    if (found->refused != NULL) {
        lab_json_number(builder, "refused_at", found->refused_at, 6);
        lab_json_text(builder, "refused", found->refused);
    }
    json_builder_end_object(builder);
    cli_print_json(builder);
}

static void print_text(const lab_reach_asked *asked, const lab_limits *limits,
                       const lab_reach *found) {
    cli_line("%s from %.6g to %.6g against %s", asked->field, asked->from, asked->to, limits->path);
    printf("%u trials a value with the same seeds\n", asked->series.trials);
    if (found->none) {
        printf("the limits are not kept even at %.6g\n", asked->from);
    } else if (found->all) {
        printf("the limits are kept as far as %.6g\n", found->value);
    } else {
        printf("the limits are kept up to %.6g\n", found->value);
    }
    if (isfinite(found->surely)) {
        printf("surely up to %.6g", found->surely);
    } else {
        printf("surely nowhere: more trials would tell");
    }
    if (isfinite(found->surely_not)) {
        printf("; surely no more from %.6g on", found->surely_not);
    }
    printf(" (97.5 %% each)\ntried:");
    int column = 6;
    for (unsigned i = 0; i < found->tried; i++) {
        char *text =
            g_strdup_printf(" %.6g %s%s", found->at[i].value, found->at[i].keeps ? "kept" : "not",
                            i + 1 < found->tried ? "," : "");
        if (column + (int)strlen(text) > 98) {
            printf("\n      ");
            column = 6;
        }
        printf("%s", text);
        column += (int)strlen(text);
        g_free(text);
    }
    printf("\n");
    if (found->refused != NULL) {
        cli_line("%.6g is refused: %s", found->refused_at, found->refused);
    }
}

// A line over the whole height at a value, where there is one.
static void draw_value(GString *out, double value, const char *colour, const char *text) {
    if (isfinite(value)) {
        cli_plot_line(
            out,
            "set arrow from first %.6g, graph 0 to first %.6g, graph 1 nohead linecolor rgb "
            "'%s' linewidth 1.5\nset label '%s %.6g ' at first %.6g, graph 0.03 rotate "
            "left offset -0.8,0 textcolor rgb '%s'",
            value, value, colour, text, value, value, colour);
    }
}

// In what share of trials the tightest limit is kept at each value, and what that is asked for.
static bool draw(const lab_reach_asked *asked, const lab_limits *limits, const lab_reach *found,
                 const char *picture, GError **error) {
    GString *out = g_string_new("$tried << EOD\n");
    for (unsigned i = 0; i < found->tried; i++) {
        const lab_reach_tried *t = &found->at[i];
        if (t->refused) {
            continue;
        }
        const double cells[] = {t->value,         100.0 * t->share,
                                100.0 * t->low,   100.0 * t->high,
                                (double)t->keeps, 100.0 * limits->limit[t->tightest].share};
        for (size_t n = 0; n < G_N_ELEMENTS(cells); n++) {
            cli_plot_cell(out, cells[n]);
        }
        g_string_append_c(out, '\n');
    }
    char *name = cli_plot_quoted(asked->field);
    char *path = cli_plot_quoted(limits->path);
    char *route = cli_plot_quoted(asked->series.route);
    cli_plot_line(out,
                  "EOD\nset title '%s against %s, %u trials a value' font 'DejaVu Sans Bold,12'\n"
                  "set xlabel '%s'; set ylabel 'trials that keep to the tightest limit, %%'",
                  route, path, asked->series.trials, name);
    cli_plot_line(out,
                  "set yrange [0<*:101]; set offsets graph 0.04, graph 0.04, 0, 0; set bmargin 6\n"
                  "set key outside bottom center horizontal Left reverse");
    draw_value(out, found->surely, "#2c6e49", "surely kept up to");
    draw_value(out, found->none ? NAN : found->value, "#111111", "kept up to");
    draw_value(out, found->surely_not, "#b00020", "surely not from");
    cli_plot_line(
        out,
        "plot $tried using ($5 > 0 ? $1 : NaN):2:3:4 with yerrorbars pointtype 7 linewidth 2 "
        "linecolor rgb '#2c6e49' title 'all limits are kept', $tried using ($5 > 0 ? NaN : "
        "$1):2:3:4 with yerrorbars pointtype 5 linewidth 2 linecolor rgb '#b00020' title 'one is "
        "not', $tried using 1:6 with points pointtype 2 linewidth 2 linecolor rgb '#111111' title "
        "'share that it asks for'");
    bool good = cli_plot(out->str, picture, error);
    g_free(name);
    g_free(path);
    g_free(route);
    g_string_free(out, TRUE);
    return good;
}

int cli_reach(lab_reach_asked asked, const char *limits_path, const char *picture, bool json,
              bool quiet) {
    if (!isfinite(asked.from) || !isfinite(asked.to) || asked.from == asked.to) {
        return cli_wrong("--limits needs --from, a value at which they are kept, and --to, the "
                         "furthest that is tried");
    }
    double range = fabs(asked.to - asked.from);
    asked.within = isnan(asked.within) ? range / 100.0 : asked.within;
    if (!(asked.within > 0.0 && asked.within <= range)) {
        return cli_wrong("--within: %g is out of range; above 0, to %g", asked.within, range);
    }
    GError *error = NULL;
    lab_limits *limits = lab_limits_load(limits_path, &error);
    if (limits == NULL) {
        return cli_error(error);
    }
    cli_watch w = cli_watch_begin(!quiet);
    asked.series.progress = cli_watch_trials;
    asked.series.context = &w;
    lab_reach *found = lab_reach_find(&asked, limits, &error);
    cli_watch_end(&w);
    int status = CLI_DONE;
    if (found == NULL) {
        status = cli_error(error);
    } else if (found->stopped) {
        cli_wrong("stopped after %u values; nothing is known yet", found->tried);
        status = CLI_FAILED;
    } else if (picture != NULL && !draw(&asked, limits, found, picture, &error)) {
        status = cli_error(error);
    } else if (json) {
        print_json(&asked, found);
    } else if (!quiet) {
        print_text(&asked, limits, found);
    }
    if (status == CLI_DONE && found->none) {
        status = CLI_FAILED;
    }
    lab_reach_free(found);
    lab_limits_free(limits);
    return status;
}
