// SPDX-License-Identifier: GPL-3.0-or-later
#include "kept.h"

#include <math.h>

GString *begin_kept(unsigned trials) {
    GString *text = g_string_new(NULL);
    g_string_append_printf(text,
                           "{\"route\":\"made.yaml\",\"robot\":\"Mozzo\",\"seed\":1,\"trials\":%u,"
                           "\"legs\":[{\"routine\":\"turn\"},{\"routine\":\"stop_on_line\","
                           "\"name\":\"quay\",\"judged\":\"rest_error_mm\"}]}\n",
                           trials);
    return text;
}

void add_kept(GString *text, unsigned seed, bool done, double rest_error_mm, double elapsed_ms) {
    const char *outcome = done ? "done" : "no_line";
    g_string_append_printf(text,
                           "{\"seed\":%u,\"outcome\":\"%s\",\"legs\":[{\"leg\":1,\"outcome\":"
                           "\"done\",\"robot\":{},\"truth\":{\"elapsed_ms\":500.0}},"
                           "{\"leg\":2,\"outcome\":\"%s\",\"robot\":{\"rest_error_mm\":0.125},"
                           "\"truth\":{\"elapsed_ms\":%.3f",
                           seed, outcome, outcome, elapsed_ms);
    if (!isnan(rest_error_mm)) {
        g_string_append_printf(text, ",\"rest_error_mm\":%.3f", rest_error_mm);
    }
    g_string_append(text, "}}]}\n");
}

void write_kept(GString *text, const char *name) {
    write_file(name, text->str);
    g_string_free(text, TRUE);
}
