// SPDX-License-Identifier: GPL-3.0-or-later
#include "count_runs.h"

void write_lines(const double *line_mm, unsigned lines, double width_mm, const char *over) {
    GString *svg = g_string_new("<svg xmlns='http://www.w3.org/2000/svg' width='2000mm' "
                                "height='800mm' viewBox='0 0 2000 800'>"
                                "<rect width='2000' height='800' fill='#c9d2c6'/>"
                                "<g class='line' fill='#2c3036'>");
    for (unsigned i = 0; i < lines; i++) {
        g_string_append_printf(svg, "<rect x='%g' width='%g' height='800'/>", line_mm[i], width_mm);
    }
    g_string_append_printf(svg, "</g><g class='decoration'>%s</g></svg>", over);
    write_runs_mat(svg->str);
    g_string_free(svg, TRUE);
}

void write_mat(const double *line_mm, unsigned lines, const char *over) {
    write_lines(line_mm, lines, 24, over);
}

JsonObject *drive(const char *leg, double heading_deg, int status, unsigned seed) {
    char *legs = g_strconcat("  - ", leg, NULL);
    JsonObject *result = drive_legs("mozzo.yaml", legs, heading_deg, status, seed, 1);
    g_free(legs);
    return result;
}

JsonArray *lines_of(JsonObject *leg) {
    return json_object_get_array_member(leg, "lines");
}

const double even_mm[EVEN] = {340, 440, 540, 640, 740, 840, 940, 1040};
