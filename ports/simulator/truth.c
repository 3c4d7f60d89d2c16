// SPDX-License-Identifier: MIT
// What is true of the robot: its pose, its contacts, where its spots cross the edges of marks.
#include "simulator_state.h"

#include "direction.h"

#include <math.h>

cmo_sim_truth cmo_sim_truth_now(const cmo_sim *sim) {
    const struct plant *p = &sim->plant;
    double along = -p->p->caster_behind_mm - p->p->caster_trail_mm * p->caster_x;
    double across = -p->p->caster_trail_mm * p->caster_y;
    cmo_sim_truth truth = {sim->now_us / 1000.0,
                           p->x_mm,
                           p->y_mm,
                           p->heading_rad,
                           p->speed_mm_s,
                           p->turn_rad_s,
                           p->way_mm,
                           0.5 * (p->left.place_mm + p->right.place_mm),
                           p->x_mm + along * p->cosine - across * p->sine,
                           p->y_mm + along * p->sine + across * p->cosine};
    return truth;
}

void cmo_sim_contacts(const cmo_sim *sim, const cmo_sim_truth *at,
                      double place[CMO_SIM_CONTACTS][2]) {
    const cmo_sim_plant *p = &sim->setup.plant;
    double inner = 0.5 * (p->track_mm - p->wheel_width_mm);
    double outer = 0.5 * (p->track_mm + p->wheel_width_mm);
    const double left[4] = {outer, inner, -inner, -outer};
    double cosine, sine;
    direction_of(at->heading_rad, &cosine, &sine);
    for (int i = 0; i < 4; i++) {
        place[i][0] = at->x_mm - left[i] * sine;
        place[i][1] = at->y_mm + left[i] * cosine;
    }
    place[4][0] = at->caster_x_mm;
    place[4][1] = at->caster_y_mm;
}

void cmi_sim_truth_spot_at(const cmo_sim *sim, unsigned sensor, double x_mm, double y_mm,
                           double cosine, double sine, double *spot_x, double *spot_y) {
    const struct light_sensor *of = &sim->sensors[sensor];
    *spot_x = x_mm + of->ahead_mm * cosine - of->left_mm * sine;
    *spot_y = y_mm + of->ahead_mm * sine + of->left_mm * cosine;
}

void cmo_sim_spot(const cmo_sim *sim, const cmo_sim_truth *at, unsigned sensor, double *x_mm,
                  double *y_mm) {
    double cosine, sine;
    direction_of(at->heading_rad, &cosine, &sine);
    cmi_sim_truth_spot_at(sim, sensor, at->x_mm, at->y_mm, cosine, sine, x_mm, y_mm);
}

void cmo_sim_reading(const cmo_sim *sim, unsigned sensor, double x_mm, double y_mm,
                     uint16_t *counts, uint16_t colour[3]) {
    sensor_view view = {.x_mm = x_mm,
                        .y_mm = y_mm,
                        .cosine = sim->plant.cosine,
                        .sine = sim->plant.sine,
                        .other_x_mm = x_mm,
                        .other_y_mm = y_mm};
    cmi_sim_light_still(&sim->sensors[sensor], sim->setup.mat, &view, counts, colour);
}

cmo_sim_truth cmi_sim_truth_between(const cmo_sim_truth *a, const cmo_sim_truth *b, double share) {
    cmo_sim_truth truth = {
        a->time_ms + share * (b->time_ms - a->time_ms),
        a->x_mm + share * (b->x_mm - a->x_mm),
        a->y_mm + share * (b->y_mm - a->y_mm),
        a->heading_rad + share * (b->heading_rad - a->heading_rad),
        a->speed_mm_s + share * (b->speed_mm_s - a->speed_mm_s),
        a->turn_rad_s + share * (b->turn_rad_s - a->turn_rad_s),
        a->way_mm + share * (b->way_mm - a->way_mm),
        a->wheels_mm + share * (b->wheels_mm - a->wheels_mm),
        a->caster_x_mm + share * (b->caster_x_mm - a->caster_x_mm),
        a->caster_y_mm + share * (b->caster_y_mm - a->caster_y_mm),
    };
    return truth;
}

// The moment within the last step at which a spot's centre was over the edge of a mark.
static void add_crossing(cmo_sim *sim, const cmo_sim_truth *after, unsigned sensor,
                         cmo_sim_mark mark, bool entering) {
    double low = 0.0;
    double high = 1.0;
    for (int i = 0; i < 16; i++) {
        double middle = 0.5 * (low + high);
        cmo_sim_truth at = cmi_sim_truth_between(&sim->before, after, middle);
        double x, y;
        cmo_sim_spot(sim, &at, sensor, &x, &y);
        if ((cmo_sim_mat_inside(sim->setup.mat, x, y) >> mark & 1U) == entering) {
            high = middle;
        } else {
            low = middle;
        }
    }
    cmo_sim_crossing crossing = {.at = cmi_sim_truth_between(&sim->before, after, high),
                                 .sensor = sensor,
                                 .mark = mark,
                                 .entering = entering};
    cmo_sim_spot(sim, &crossing.at, sensor, &crossing.x_mm, &crossing.y_mm);
    g_array_append_val(sim->crossings, crossing);
}

static int by_time(const void *a, const void *b) {
    double first = ((const cmo_sim_crossing *)a)->at.time_ms;
    double second = ((const cmo_sim_crossing *)b)->at.time_ms;
    return (first > second) - (first < second);
}

void cmi_sim_truth_note_crossings(cmo_sim *sim, const cmo_sim_truth *after) {
    guint had = sim->crossings->len;
    for (unsigned i = 0; i < sim->setup.plant.sensors; i++) {
        double x, y;
        cmi_sim_truth_spot_at(sim, i, after->x_mm, after->y_mm, sim->plant.cosine, sim->plant.sine,
                              &x, &y);
        unsigned inside = cmo_sim_mat_inside(sim->setup.mat, x, y);
        unsigned changed = inside ^ sim->inside[i];
        sim->inside[i] = inside;
        for (unsigned mark = 0; changed != 0; mark++, changed >>= 1) {
            if (changed & 1U) {
                add_crossing(sim, after, i, mark, inside >> mark & 1U);
            }
        }
    }
    if (sim->crossings->len > had + 1) { // more than one within a step
        cmo_sim_crossing *first = &g_array_index(sim->crossings, cmo_sim_crossing, had);
        qsort(first, sim->crossings->len - had, sizeof *first, by_time);
    }
}

const cmo_sim_crossing *cmo_sim_crossings(const cmo_sim *sim, size_t *count) {
    *count = sim->crossings->len;
    return (const cmo_sim_crossing *)(const void *)sim->crossings->data;
}

void cmo_sim_record(cmo_sim *sim) {
    if (sim->recorded == NULL) {
        cmo_sim_truth now = cmo_sim_truth_now(sim);
        sim->recorded = g_array_sized_new(FALSE, FALSE, sizeof(cmo_sim_truth), 8192);
        g_array_append_val(sim->recorded, now);
    }
}

const cmo_sim_truth *cmo_sim_recorded(const cmo_sim *sim, size_t *count) {
    *count = sim->recorded != NULL ? sim->recorded->len : 0;
    return *count > 0 ? (const cmo_sim_truth *)(const void *)sim->recorded->data : NULL;
}

double cmo_sim_luminance(const cmo_sim *sim, unsigned sensor) {
    double x, y;
    cmi_sim_truth_spot_at(sim, sensor, sim->plant.x_mm, sim->plant.y_mm, sim->plant.cosine,
                          sim->plant.sine, &x, &y);
    return cmo_sim_mat_light(sim->setup.mat, x, y, sim->sensors[sensor].spot_mm);
}

void cmi_sim_truth_start(cmo_sim *sim) {
    sim->crossings = g_array_new(FALSE, FALSE, sizeof(cmo_sim_crossing));
    sim->before = cmo_sim_truth_now(sim);
    for (unsigned i = 0; i < sim->setup.plant.sensors; i++) {
        double x, y;
        cmo_sim_spot(sim, &sim->before, i, &x, &y);
        sim->inside[i] = cmo_sim_mat_inside(sim->setup.mat, x, y);
    }
}
