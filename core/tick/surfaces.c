// SPDX-License-Identifier: MIT
// Surfaces: told from each other by the likeliest, and their edges placed by how much of the spot
// lies on either side.
#include "surfaces.h"

#include "../shared/routine.h"

#include <math.h>
#include <string.h>

#if CMO_SURFACES_MAX > 0

// ------------------------------------------------------------------------------------- telling --

// A shade as what readings are compared with.
typedef struct model {
    float mean[CMO_COLOURS];
    float spread;
    uint8_t channels;
} model;

static float change_of(const cmo_surfaces *surfaces) {
    return surfaces->change != 0.0F ? surfaces->change : CMO_USUAL_CHANGE;
}

// False: this sensor was not taught this surface.
static bool model_of(const cmo_surfaces *surfaces, uint8_t surface, uint8_t sensor,
                     const cmo_levels *levels, model *m) {
    const cmo_shade *shade = &surfaces->shade[surface - 1U][sensor];
    *m = (model){.channels = surfaces->colour[sensor] ? CMO_COLOURS : 1U};
    if (shade->counts == CMO_SHADE_UNKNOWN) {
        return false;
    }
    if (surfaces->colour[sensor]) {
        for (uint8_t i = 0; i < CMO_COLOURS; i++) {
            m->mean[i] = (float)shade->colour[i];
        }
        m->spread = fmaxf((float)shade->spread, 0.5F);
    } else {
        float contrast = fabsf((float)levels->light - (float)levels->dark);
        m->mean[0] = cmo_reflectance(levels, shade->counts);
        m->spread = fmaxf(contrast > 0.0F ? (float)shade->spread / contrast : 1.0F, 0.005F);
    }
    return true;
}

static float dot(const float *a, const float *b, uint8_t channels) {
    float sum = 0.0F;
    for (uint8_t i = 0; i < channels; i++) {
        sum += a[i] * b[i];
    }
    return sum;
}

// The least of |c - k m|^2 / s^2 + (k - 1)^2 / t^2, and the k that has it.
static float off(const model *m, const float *reading, float t, float *k) {
    float weight = m->spread * m->spread / (t * t);
    *k = (dot(reading, m->mean, m->channels) + weight) /
         (dot(m->mean, m->mean, m->channels) + weight);
    float rest[CMO_COLOURS] = {0.0F};
    for (uint8_t i = 0; i < m->channels; i++) {
        rest[i] = reading[i] - *k * m->mean[i];
    }
    float other = (*k - 1.0F) / t;
    return dot(rest, rest, m->channels) / (m->spread * m->spread) + other * other;
}

uint8_t cmo_surface_of(const cmo_surfaces *surfaces, uint8_t sensor, const cmo_levels *levels,
                       const float *reading, float *brightness) {
    float t = 0.5F * change_of(surfaces);
    uint8_t found = 0;
    float least = INFINITY;
    float its_off = INFINITY;
    for (uint8_t i = 1; i <= surfaces->count; i++) {
        model m;
        if (!model_of(surfaces, i, sensor, levels, &m)) {
            continue;
        }
        float k;
        float here = off(&m, reading, t, &k);
        float weighed = here + surfaces->bias[i - 1U][sensor];
        if (weighed < least) {
            least = weighed;
            its_off = here;
            found = i;
            if (brightness != NULL) {
                *brightness = k;
            }
        }
    }
    return its_off <= CMO_SURFACE_REACH * CMO_SURFACE_REACH ? found : 0;
}

// ------------------------------------------------------------------------------------ the table --

float cmo_surfaces_apart(const cmo_surfaces *surfaces, uint8_t one, uint8_t other, uint8_t sensor,
                         const cmo_levels *levels) {
    model a, b;
    if (!model_of(surfaces, one, sensor, levels, &a) ||
        !model_of(surfaces, other, sensor, levels, &b)) {
        return 0.0F;
    }
    float t = 0.5F * change_of(surfaces);
    float k;
    return sqrtf(fminf(off(&a, b.mean, t, &k), off(&b, a.mean, t, &k)));
}

void cmo_surfaces_clear(cmo_surfaces *surfaces) {
    memset(surfaces, 0, sizeof *surfaces);
    for (uint8_t i = 0; i < CMO_SURFACES_MAX; i++) {
        for (uint8_t n = 0; n < CMO_LIGHTS_MAX; n++) {
            surfaces->shade[i][n].counts = CMO_SHADE_UNKNOWN;
        }
    }
}

void cmo_surfaces_weigh(cmo_surfaces *surfaces, uint8_t sensor, bool colour,
                        const cmo_levels *levels) {
    surfaces->colour[sensor] = colour;
    for (uint8_t i = 0; i < surfaces->count; i++) {
        model m;
        surfaces->bias[i][sensor] = 0.0F;
        if (model_of(surfaces, (uint8_t)(i + 1U), sensor, levels, &m)) {
            float t = 0.5F * change_of(surfaces) / m.spread;
            surfaces->bias[i][sensor] = 2.0F * (float)m.channels * logf(m.spread) +
                                        logf(1.0F + t * t * dot(m.mean, m.mean, m.channels));
        }
    }
}

// --------------------------------------------------------------------------- what it lasted for --

static void begin_run(cmo_surface_track *track, uint8_t told, const cmo_light_point *before,
                      const cmo_light_point *first, uint8_t looks) {
    track->told = told;
    track->looks = looks;
    track->before = *before;
    track->first = *first;
    track->differs = false;
}

// Looks in a row that tell the same; one by itself that tells something else is noise.
static void follow_run(cmo_surface_track *track, uint8_t told, const cmo_light_point *point) {
    cmo_light_point last = track->last;
    track->last = *point;
    if (track->looks == 0) {
        begin_run(track, told, point, point, 1);
    } else if (told == track->told) {
        track->looks = (uint8_t)(track->looks < UINT8_MAX ? track->looks + 1U : UINT8_MAX);
        track->differs = false;
    } else if (!track->differs) {
        track->differs = true;
        track->other = told;
        track->before_other = last;
    } else if (told == track->other) {
        begin_run(track, told, &track->before_other, &last, 2);
    } else {
        begin_run(track, told, &last, point, 1);
    }
}

// Where readings of the next surface begin, its edge is about half a spot behind, and where those
// of none do, about half a spot ahead: what is left of the spot is lost in the spread.
#define HALF_A_SPOT 0.45F

static cmo_crossing edge_by_run(const cmo_surface_track *track, float spot_mm, bool entering) {
    float way = track->first.way_mm - track->before.way_mm;
    float on = fabsf(way) > 1e-3F ? HALF_A_SPOT * spot_mm / fabsf(way) : 0.0F;
    // They have begun somewhere since the look before.
    on = (track->told != 0 ? -on : on) - 0.5F;
    float time_us = fminf((float)(track->first.time_us - track->before.time_us), 1e8F);
    float when = fmaxf(-4.0F, fminf(on, 4.0F)) * time_us;
    return (cmo_crossing){
        .time_us = track->first.time_us + (uint32_t)(int32_t)when,
        .way_mm = track->first.way_mm + on * way,
        .entering = entering,
    };
}

// ------------------------------------------------------------------------------------ its edges --

// Watches the edge from the surface beside the target into it: the signal rises from 0 to 1, as
// the spot goes over, in a straight line of what it covers.
static void begin_edge(cmo_robot *robot, uint8_t sensor) {
    cmo_light *light = &robot->light[sensor];
    cmo_surface_track *track = &light->surface;
    float spot_mm = robot->description->light[sensor].spot_mm;
    cmo_edge_start_band(&light->edge, &light->levels, (cmo_band){0.5F, INFINITY}, spot_mm);
    track->pending = track->sure = false;
    model to, from;
    bool known = track->beside != 0 &&
                 model_of(robot->surfaces, track->target, sensor, &light->levels, &to) &&
                 model_of(robot->surfaces, track->beside, sensor, &light->levels, &from);
    if (known) {
        float way[CMO_COLOURS] = {0.0F};
        for (uint8_t i = 0; i < to.channels; i++) {
            way[i] = to.mean[i] - from.mean[i];
        }
        float noise = fmaxf(to.spread, from.spread) / sqrtf(dot(way, way, to.channels));
        light->edge.hysteresis = fminf(fmaxf(4.0F * noise, 0.05F), 0.25F);
    }
}

// A response that bends takes mixtures aside by up to this share of the way between both.
#define ASIDE_SHARE 0.1F

// How much of the spot the target covers: where the reading lies between both, and 0 is beside it.
// False: it lies off that line, as no mixture of both does.
static bool find_signal(const cmo_robot *robot, uint8_t sensor, const float *reading,
                        float *signal) {
    const cmo_light *light = &robot->light[sensor];
    const cmo_surface_track *track = &light->surface;
    model to, from;
    if (track->beside == 0 ||
        !model_of(robot->surfaces, track->target, sensor, &light->levels, &to) ||
        !model_of(robot->surfaces, track->beside, sensor, &light->levels, &from)) {
        *signal = track->under == track->target ? 1.0F : 0.0F;
        return true;
    }
    float way[CMO_COLOURS] = {0.0F};
    float gone[CMO_COLOURS] = {0.0F};
    for (uint8_t i = 0; i < to.channels; i++) {
        way[i] = to.mean[i] - from.mean[i];
        gone[i] = reading[i] / track->brightness - from.mean[i];
    }
    float square = dot(way, way, to.channels);
    *signal = square > 0.0F ? dot(gone, way, to.channels) / square : 0.0F;
    float aside = dot(gone, gone, to.channels) - *signal * *signal * square;
    float most = CMO_SURFACE_REACH * fmaxf(to.spread, from.spread) + ASIDE_SHARE * sqrtf(square);
    return aside <= most * most;
}

// Another surface has lasted.
static bool settle(cmo_robot *robot, uint8_t sensor, cmo_crossing *crossing) {
    cmo_light *light = &robot->light[sensor];
    cmo_surface_track *track = &light->surface;
    float spot_mm = cmi_surface_spot_mm(robot, sensor);
    bool is_target = track->under == track->target;
    bool crosses = is_target != track->on;
    if (crosses) {
        *crossing = edge_by_run(track, spot_mm, is_target);
        // The edge that was seen is nearer to the truth, if it is that of this surface.
        if (is_target && track->pending && fabsf(track->into.way_mm - crossing->way_mm) < spot_mm) {
            *crossing = track->into;
        }
        track->on = is_target;
    }
    track->pending = false;
    track->sure = is_target;
    if (!is_target && track->under != 0 && track->under != track->beside) {
        track->beside = track->under;
        begin_edge(robot, sensor);
    }
    light->edge.inside = is_target;
    return crosses;
}

#define STOOD_LOOKS 20U

#define LEAST_BRIGHTNESS 0.2F

// A surface has lasted after most of a spot: a mixture of two others on its way between them is
// like it for less. That it is like none counts only after more than an edge takes.
#define LASTS_SPOTS 0.7F
#define NONE_SPOTS  1.5F

// What has yet to show that it is the target: an edge by which it was come in, and not one that a
// single look has made since.
static void keep_into(cmo_surface_track *track, const cmo_crossing *met, float near_mm) {
    bool again = track->pending && fabsf(met->way_mm - track->into.way_mm) < near_mm;
    if (!again) {
        track->into = *met;
        track->pending = true;
    }
}

static bool look(cmo_robot *robot, uint8_t sensor, const cmo_light_point *point,
                 cmo_crossing *crossing) {
    cmo_light *light = &robot->light[sensor];
    cmo_surface_track *track = &light->surface;
    float reading[CMO_COLOURS] = {point->reflectance};
    for (uint8_t i = 0; robot->surfaces->colour[sensor] && i < CMO_COLOURS; i++) {
        reading[i] = (float)light->colour[i];
    }
    float brightness = 1.0F;
    uint8_t told = cmo_surface_of(robot->surfaces, sensor, &light->levels, reading, &brightness);
    follow_run(track, told, point);
    float lasted = fabsf(point->way_mm - track->first.way_mm);
    // One that has stood from the start, and knows of none yet, goes by how often it was told.
    bool stood = track->under == 0 && track->looks >= STOOD_LOOKS;
    float spots = track->told != 0 ? LASTS_SPOTS : NONE_SPOTS;
    bool far = track->looks >= 2 && lasted >= spots * cmi_surface_spot_mm(robot, sensor);
    bool lasts = told == track->told && (far || stood);
    if (lasts && told != 0) {
        // In no light that a surface was told in is it darker than that.
        track->brightness += 0.25F * (fmaxf(brightness, LEAST_BRIGHTNESS) - track->brightness);
    }
    bool another = lasts && track->told != track->under;
    track->under = lasts ? track->told : track->under;
    if (track->target == 0 || !light->watching) {
        return false;
    }
    // What no mixture of both reads as is noise, or a third surface, and no part of their edge.
    bool mixes = find_signal(robot, sensor, reading, &track->signal);
    cmo_light_point seen = {point->time_us, point->way_mm, track->signal};
    light->edge.behind = light->edge.inside ? 1.0F : 0.0F; // which is where it has come from
    cmo_crossing met;
    bool crossed = mixes && cmo_edge_look(&light->edge, seen, &met);
    bool unsure = !track->sure && !track->on;
    if (unsure && crossed && met.entering) {
        keep_into(track, &met, CMI_SURFACE_SPOTS * cmi_surface_spot_mm(robot, sensor));
    }
    bool done = another && settle(robot, sensor, crossing);
    if (done || !crossed || unsure) {
        return done;
    }
    track->on = met.entering;
    *crossing = met;
    return true;
}

static void watch(cmo_robot *robot, uint8_t sensor, uint8_t surface) {
    cmo_surface_track *track = &robot->light[sensor].surface;
    cmi_watch_edge(robot, sensor, CMO_TONE_DARK, (cmo_band){0.0F, 0.0F});
    track->target = surface;
    track->on = track->under == surface;
    track->beside = track->on ? 0 : track->under;
    track->signal = track->on ? 1.0F : 0.0F;
    begin_edge(robot, sensor);
}

// ------------------------------------------------------------------------------ of a robot --

static const cmo_surface_teller teller = {look, watch};

cmo_outcome cmo_robot_set_surfaces(cmo_robot *robot, cmo_surfaces *surfaces) {
    if (robot->port == NULL) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "robot", NAN);
    }
    if (surfaces != NULL && surfaces->count > CMO_SURFACES_MAX) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "count", (float)CMO_SURFACES_MAX);
    }
    if (surfaces != NULL && !(surfaces->change >= 0.0F && surfaces->change <= 0.5F)) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "change",
                          surfaces->change > 0.5F ? 0.5F : 0.0F);
    }
    robot->surfaces = surfaces;
    robot->teller = &teller;
    for (uint8_t n = 0; n < CMO_LIGHTS_MAX; n++) {
        robot->light[n].surface = (cmo_surface_track){.brightness = 1.0F};
        if (surfaces != NULL && n < robot->description->lights) {
            cmo_surfaces_weigh(surfaces, n, robot->description->light[n].colour,
                               &robot->light[n].levels);
        }
    }
    return CMO_OUTCOME_DONE;
}

uint8_t cmo_surface_under(const cmo_robot *robot, uint8_t sensor) {
    return sensor < CMO_LIGHTS_MAX ? robot->light[sensor].surface.under : 0;
}

#endif
