// SPDX-License-Identifier: MIT
#include "bands.h"

#include <glib.h>

#define THREADS_MOST 8

typedef struct band {
    cmi_sim_band_function function;
    void *data;
    int first, end;
} band;

static gpointer run(gpointer data) {
    const band *of = data;
    of->function(of->data, of->first, of->end);
    return NULL;
}

void cmi_sim_in_bands(int rows, cmi_sim_band_function function, void *data) {
    band bands[THREADS_MOST];
    GThread *threads[THREADS_MOST];
    int count = (int)MIN(g_get_num_processors(), THREADS_MOST);
    for (int i = 0; i < count; i++) {
        bands[i] = (band){function, data, rows * i / count, rows * (i + 1) / count};
    }
    for (int i = 1; i < count; i++) {
        threads[i] = g_thread_new("band", run, &bands[i]);
    }
    run(&bands[0]);
    for (int i = 1; i < count; i++) {
        g_thread_join(threads[i]);
    }
}
