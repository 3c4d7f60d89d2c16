// SPDX-License-Identifier: GPL-3.0-or-later
// A series' results as one JSON document.
#include <cammino_lab/fleet.h>
#include <cammino_lab/json.h>
#include <cammino_lab/series.h>

#include <math.h>

static void add_statistics(JsonBuilder *builder, const char *name, const lab_statistics *s) {
    if (s->n == 0) {
        return;
    }
    const struct {
        const char *name;
        double value;
    } numbers[] = {{"mean", s->mean}, {"sd", s->sd},   {"p05", s->p05},    {"p50", s->p50},
                   {"p95", s->p95},   {"p99", s->p99}, {"worst", s->worst}};
    json_builder_set_member_name(builder, name);
    json_builder_begin_object(builder);
    json_builder_set_member_name(builder, "n");
    json_builder_add_int_value(builder, s->n);
    for (size_t i = 0; i < G_N_ELEMENTS(numbers); i++) {
        json_builder_set_member_name(builder, numbers[i].name);
        json_builder_add_double_value(builder, rint(numbers[i].value * 1000.0) / 1000.0);
    }
    json_builder_end_object(builder);
}

// How many lines of each surface were counted, and how often so.
static void add_tallies(JsonBuilder *builder, const lab_series *series, const GArray *tallies) {
    json_builder_set_member_name(builder, "tallies");
    json_builder_begin_array(builder);
    for (guint i = 0; i < tallies->len; i++) {
        const lab_series_tally *tally = &g_array_index(tallies, lab_series_tally, i);
        json_builder_begin_object(builder);
        json_builder_set_member_name(builder, "times");
        json_builder_add_int_value(builder, tally->times);
        json_builder_set_member_name(builder, "lines");
        json_builder_begin_object(builder);
        for (unsigned n = 1; n <= CMO_SURFACES_MAX; n++) {
            if (tally->lines[n] > 0) {
                json_builder_set_member_name(builder, series->surface[n]);
                json_builder_add_int_value(builder, tally->lines[n]);
            }
        }
        json_builder_end_object(builder);
        json_builder_set_member_name(builder, "unknown");
        json_builder_add_int_value(builder, tally->lines[0]);
        json_builder_end_object(builder);
    }
    json_builder_end_array(builder);
}

static void add_leg(JsonBuilder *builder, const lab_series *series, const lab_series_leg *leg,
                    unsigned number) {
    for (unsigned f = 0; f < CMO_FIGURES; f++) {
        const lab_series_figure *figure = &leg->figure[f];
        if (figure->robot.n == 0 && figure->truth.n == 0) {
            continue;
        }
        json_builder_begin_object(builder);
        json_builder_set_member_name(builder, "leg");
        json_builder_add_int_value(builder, number);
        if (leg->name != NULL) {
            json_builder_set_member_name(builder, "name");
            json_builder_add_string_value(builder, leg->name);
        }
        json_builder_set_member_name(builder, "routine");
        json_builder_add_string_value(builder, cmo_routine_name(leg->routine));
        json_builder_set_member_name(builder, "figure");
        json_builder_add_string_value(builder, cmo_figure_name((cmo_figure)f));
        add_statistics(builder, "robot", &figure->robot);
        add_statistics(builder, "truth", &figure->truth);
        if (f == CMO_LINES_SEEN) {
            json_builder_set_member_name(builder, "miscounts");
            json_builder_add_int_value(builder, leg->miscounts);
            if (leg->tallies != NULL) {
                add_tallies(builder, series, leg->tallies);
            }
        }
        json_builder_end_object(builder);
    }
}

static void add_legs(JsonBuilder *builder, const lab_series *series, const lab_series_leg *legs) {
    json_builder_set_member_name(builder, "figures");
    json_builder_begin_array(builder);
    for (unsigned i = 0; i < series->legs; i++) {
        add_leg(builder, series, &legs[i], i + 1);
    }
    json_builder_end_array(builder);
}

static void add_worst(JsonBuilder *builder, const lab_series *series, const lab_fleet *fleet,
                      const lab_series_worst *worst) {
    json_builder_begin_object(builder);
    lab_json_whole(builder, "seed", (gint64)worst->seed);
    lab_json_whole(builder, "leg", worst->leg + 1);
    lab_json_text(builder, "routine", cmo_routine_name(series->leg[worst->leg].routine));
    lab_json_text(builder, "outcome", cmo_outcome_name(worst->outcome));
    if (worst->figure != CMO_FIGURES) {
        lab_json_text(builder, "figure", cmo_figure_name(worst->figure));
        json_builder_set_member_name(builder, "truth");
        json_builder_add_double_value(builder, rint(worst->truth * 1000.0) / 1000.0);
    }
    if (fleet == NULL) {
        json_builder_end_object(builder);
        return;
    }
    json_builder_set_member_name(builder, "kinds");
    json_builder_begin_object(builder);
    for (unsigned part = 0; part < lab_fleet_parts(fleet); part++) {
        unsigned kind = lab_fleet_kind_of(fleet, part, worst->seed);
        lab_json_text(builder, lab_fleet_part(fleet, part), lab_fleet_kind(fleet, part, kind));
    }
    json_builder_end_object(builder);
    json_builder_end_object(builder);
}

static void add_kinds(JsonBuilder *builder, const lab_series *series) {
    json_builder_set_member_name(builder, "kinds");
    json_builder_begin_array(builder);
    for (unsigned i = 0; i < series->kinds; i++) {
        const lab_series_kind *kind = &series->kind[i];
        json_builder_begin_object(builder);
        lab_json_text(builder, "part", kind->part);
        lab_json_text(builder, "kind", kind->kind);
        lab_json_whole(builder, "trials", kind->trials);
        lab_json_whole(builder, "completed", kind->completed);
        add_legs(builder, series, kind->leg);
        json_builder_end_object(builder);
    }
    json_builder_end_array(builder);
}

static void add_share(JsonBuilder *builder, const char *name, double share) {
    json_builder_set_member_name(builder, name);
    json_builder_add_double_value(builder, rint(share * 10000.0) / 10000.0);
}

char *lab_series_json(const lab_series *series, const lab_fleet *fleet) {
    JsonBuilder *builder = json_builder_new();
    json_builder_begin_object(builder);
    lab_json_whole(builder, "trials", series->trials);
    if (series->trials < series->asked) {
        lab_json_whole(builder, "stopped_before", series->asked);
    }
    lab_json_whole(builder, "completed", series->completed);
    add_share(builder, "completed_low", series->low);
    add_share(builder, "completed_high", series->high);
    if (series->uncalibrated > 0) {
        lab_json_whole(builder, "uncalibrated", series->uncalibrated);
    }
    add_legs(builder, series, series->leg);
    if (fleet != NULL) {
        add_kinds(builder, series);
    }
    json_builder_set_member_name(builder, "worst");
    json_builder_begin_array(builder);
    for (unsigned i = 0; i < series->worsts; i++) {
        add_worst(builder, series, fleet, &series->worst[i]);
    }
    json_builder_end_array(builder);
    json_builder_end_object(builder);
    return lab_json_end(builder, true);
}
