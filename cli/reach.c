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

int cli_reach(lab_reach_asked asked, const char *limits_path, bool json, bool quiet) {
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
