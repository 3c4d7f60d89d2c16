// SPDX-License-Identifier: GPL-3.0-or-later
#include "series_chart.h"

cmo_figure cli_shown_by(const lab_series_leg *leg) {
    switch (leg->routine) {
    case CMO_ROUTINE_ADVANCE:
        return CMO_TRAVELLED_MM;
    case CMO_ROUTINE_TURN:
        return CMO_TURNED_DEG;
    case CMO_ROUTINE_DRIVE_UNTIL_LINE:
        return CMO_OVERSHOOT_MM;
    default:
        return leg->judged;
    }
}

// Legs that have an error by the same figure, a row each.
typedef struct panel {
    cmo_figure figure;
    unsigned rows;
    GString *data, *names;
} panel;

static bool is_error(const lab_series_leg *leg) {
    return leg->routine != CMO_ROUTINE_ADVANCE && leg->routine != CMO_ROUTINE_TURN;
}

static unsigned come_to(const lab_series_leg *leg) {
    unsigned count = 0;
    for (unsigned i = 0; i < CMO_OUTCOMES; i++) {
        count += leg->outcomes[i];
    }
    return count;
}

// False: the leg has no such error.
static bool add_leg(panel *p, const lab_series *series, unsigned number) {
    const lab_series_leg *leg = &series->leg[number];
    if (cli_shown_by(leg) != p->figure || !is_error(leg) || leg->figure[p->figure].truth.n == 0) {
        return false;
    }
    const lab_statistics *s = &leg->figure[p->figure].truth;
    const double cells[] = {-(double)p->rows, s->p05, s->p50, s->p95, s->worst};
    for (size_t i = 0; i < G_N_ELEMENTS(cells); i++) {
        cli_plot_cell(p->data, cells[i]);
    }
    g_string_append_c(p->data, '\n');
    char *quoted = cli_plot_quoted(leg->name != NULL ? leg->name : cmo_routine_name(leg->routine));
    GString *name = g_string_new(quoted);
    g_string_replace(name, "%", "%%", 0); // else it begins a format
    g_string_append_printf(p->names, "%s'%u %s'.\"\\n\".'done %u of %u' -%u",
                           p->rows > 0 ? ", " : "", number + 1, name->str,
                           leg->outcomes[CMO_OUTCOME_DONE], come_to(leg), p->rows);
    g_string_free(name, TRUE);
    g_free(quoted);
    p->rows++;
    return true;
}

// Of a picture of all panels' rows; each panel has its axis besides.
#define AXIS 0.12

static void draw_panel(const panel *p, double top, double height, GString *out) {
    const char *name = cmo_figure_name(p->figure);
    cli_plot_line(out, "$%s << EOD\n%sEOD", name, p->data->str);
    cli_plot_line(out, "set origin 0,%.4f; set size 1,%.4f", top - height, height);
    cli_plot_line(out, "set ytics (%s)\nset yrange [%g:0.5]; set xlabel 'true %s'", p->names->str,
                  0.5 - p->rows, name);
    cli_plot_line(out,
                  "plot $%s using 3:1:2:4 with xerrorbars pointtype 7 linewidth 2 linecolor rgb "
                  "'#2c4a6e' title 'p05, p50, p95', $%s using 5:1 with points pointtype 4 "
                  "linewidth 2 linecolor rgb '#b35a1f' title 'worst'",
                  name, name);
    cli_plot_line(out, "unset key");
}

bool cli_draw_series(const lab_series *series, const char *head, const char *path, GError **error) {
    GArray *panels = g_array_new(FALSE, FALSE, sizeof(panel));
    unsigned rows = 0;
    for (unsigned figure = 0; figure < CMO_FIGURES; figure++) {
        panel p = {(cmo_figure)figure, 0, g_string_new(NULL), g_string_new(NULL)};
        for (unsigned leg = 0; leg < series->legs; leg++) {
            rows += add_leg(&p, series, leg);
        }
        g_array_append_val(panels, p);
    }
    GString *out = g_string_new(NULL);
    char *quoted = cli_plot_quoted(head);
    cli_plot_line(out, "set lmargin 26; set rmargin 4; set tmargin 1; unset mytics");
    cli_plot_line(out, "set multiplot title '%s' font 'DejaVu Sans Bold,12'", quoted);
    cli_plot_line(out, "set key at screen 0.98, 0.965 right horizontal\n"
                       "set offsets graph 0.02, graph 0.02, 0, 0");
    g_free(quoted);
    double all = 0.0;
    for (guint i = 0; i < panels->len; i++) {
        const panel *p = &g_array_index(panels, panel, i);
        all += p->rows > 0 ? p->rows + AXIS * rows : 0.0;
    }
    double top = 0.93;
    for (guint i = 0; i < panels->len; i++) {
        panel *p = &g_array_index(panels, panel, i);
        if (p->rows > 0) {
            double height = 0.93 * (p->rows + AXIS * rows) / all;
            draw_panel(p, top, height, out);
            top -= height;
        }
        g_string_free(p->data, TRUE);
        g_string_free(p->names, TRUE);
    }
    cli_plot_line(out, "unset multiplot");
    bool good = rows > 0 && cli_plot(out->str, path, error);
    if (rows == 0) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                    "%s: no leg of the route has an error that could be drawn", path);
    }
    g_array_free(panels, TRUE);
    g_string_free(out, TRUE);
    return good;
}
