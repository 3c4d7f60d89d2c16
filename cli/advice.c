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

void cli_print_advice(const lab_advice *advice, const lab_results *results) {
    if (advice->stopped) {
        printf("\nadvice: stopped before all changes were tried\n");
        return;
    }
    if (advice->count == 0 || advice->tried[0].gain < LEAST_GAIN) {
        printf("\nadvice: of %u changes that were tried none helps by a tenth\n", advice->count);
        return;
    }
    printf(
        "\nwhat helps most of %u changes, each tried by itself on the same %u trials (medians):\n",
        advice->count, advice->trials);
    for (unsigned i = 0; i < MIN(advice->count, SHOWN); i++) {
        const lab_advice_tried *tried = &advice->tried[i];
        if (tried->gain < LEAST_GAIN) {
            break;
        }
        cli_line("  %s", tried->text);
        for (guint n = 0; n < tried->comparison->differences->len; n++) {
            print_difference(results,
                             &g_array_index(tried->comparison->differences, lab_difference, n));
        }
    }
}
