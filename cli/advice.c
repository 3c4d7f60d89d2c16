// SPDX-License-Identifier: GPL-3.0-or-later
#include "advice.h"

#include <math.h>

static void print_difference(const lab_results *results, const lab_difference *d) {
    double gain = lab_advice_gain(results, d);
    if (isfinite(gain) && fabs(gain) >= LAB_ADVICE_LEAST) {
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

static void print_advice(const lab_advice *advice, const lab_results *results,
                         const lab_limits *limits, unsigned kept) {
    if (advice->stopped) {
        printf("\nadvice: stopped before all changes were tried\n");
        return;
    }
    if (advice->told == 0) {
        printf("\nadvice: of %u changes that were tried none helps by a tenth\n", advice->count);
        return;
    }
    printf("\nwhat helps most of %u changes, each tried by itself; how much, on %u other trials "
           "(medians):\n",
           advice->count, advice->others);
    for (unsigned i = 0; i < advice->told; i++) {
        const lab_advice_tried *tried = &advice->tried[i];
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
