// SPDX-License-Identifier: GPL-3.0-or-later
#include "advice.h"

#include <math.h>

#define SHOWN 3U

// Less of a gain than this is none to speak of.
#define LEAST_GAIN 0.1

static void print_difference(const lab_results *results, const lab_difference *d) {
    double gain = lab_advice_gain(results, d);
    if (isfinite(gain) && fabs(gain) >= LEAST_GAIN) {
        printf("      leg %u %s %.2f instead of %.2f: %.0f %% %s\n", d->leg + 1,
               cmo_figure_name((cmo_figure)d->figure), d->median[1], d->median[0],
               100.0 * fabs(gain), gain > 0.0 ? "less" : "more");
    } else if (d->leg == LAB_RUN && d->figure == LAB_COMPLETED && d->shift != 0.0) {
        printf("      %.1f %% of runs complete instead of %.1f\n", 100.0 * d->median[1],
               100.0 * d->median[0]);
    } else if (d->leg == LAB_RUN && d->figure == CMO_ELAPSED_MS && fabs(d->shift) >= 50.0 &&
               (d->low > 0.0 || d->high < 0.0)) {
        printf("      a run takes %.2f s %s\n", 1e-3 * fabs(d->shift),
               d->shift > 0.0 ? "longer" : "less");
    }
}

// Whether it is worth a word: by its gain, or by limits that are kept with it only.
static bool helps(const lab_advice_tried *tried, const lab_limits *limits, unsigned kept) {
    return tried->gain >= LEAST_GAIN || (limits != NULL && tried->kept > kept);
}

static void print_advice(const lab_advice *advice, const lab_results *results,
                         const lab_limits *limits, unsigned kept) {
    if (advice->stopped) {
        printf("\nadvice: stopped before all changes were tried\n");
        return;
    }
    if (advice->count == 0 || !helps(&advice->tried[0], limits, kept)) {
        printf("\nadvice: of %u changes that were tried none helps by a tenth\n", advice->count);
        return;
    }
    printf(
        "\nwhat helps most of %u changes, each tried by itself on the same %u trials (medians):\n",
        advice->count, advice->trials);
    for (unsigned i = 0; i < MIN(advice->count, SHOWN); i++) {
        const lab_advice_tried *tried = &advice->tried[i];
        if (!helps(tried, limits, kept)) {
            break;
        }
        cli_line("  %s", tried->text);
        if (limits != NULL && tried->kept != kept) {
            printf("      keeps %u of %u limits instead of %u\n", tried->kept, limits->count, kept);
        }
        for (guint n = 0; n < tried->comparison->differences->len; n++) {
            print_difference(results,
                             &g_array_index(tried->comparison->differences, lab_difference, n));
        }
    }
}

void cli_give_advice(const lab_route *route, const cli_trials_call *call,
                     const lab_results *results, const lab_limits *limits, unsigned kept,
                     bool quiet) {
    cli_watch w = cli_watch_begin(!quiet);
    lab_series_call as = cli_series_call(call, route->path, &w);
    lab_advice *advice = lab_advise(route, &as, results, limits);
    cli_watch_end(&w);
    print_advice(advice, results, limits, kept);
    lab_advice_free(advice);
}
