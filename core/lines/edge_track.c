// SPDX-License-Identifier: MIT
#include "edge_track.h"

#include "../shared/trig.h"

#include <math.h>
#include <string.h>

// Edges bend: after 100 mm a straight is a bend by this share of the sharpest one, either way,
// within a standard deviation.
#define CURVE_SHARE 0.42F
#define CURVE_WALK  (CURVE_SHARE * CURVE_SHARE / 100.0F)
// What wheels tell of a turn is off by this share, by gear play for one, and by some a mm; of the
// way to the side it is off by less.
#define TURN_OFF   0.15F
#define ANGLE_WALK 2.0e-6F
#define OFF_WALK   2.0e-2F
// Of a turn that wheels tell, so much is true at least and at most; and how fast that is learned,
// by the mean distance from the edge in bends, 1 / (mm rad).
#define LEAST_SHARE 0.7F
#define MOST_SHARE  1.1F
#define SHARE_GAIN  0.015F
// A look that is off by more than so many standard deviations does not fit.
#define FITS 4.5F
// A look of one surface tells nothing new where the edge is beyond that by so many.
#define BEYOND 1.0F

enum { V11, V12, V13, V22, V23, V33 };

// A way of the spot: along the robot and across it, to the left.
typedef struct spot_way {
    float along_mm, across_mm, turn_rad;
} spot_way;

static spot_way way_between(const cmo_edge_track *track, const cmo_robot *robot,
                            const cmo_moment *from, const cmo_moment *to) {
    float left = to->left_mm - from->left_mm;
    float right = to->right_mm - from->right_mm;
    float turn = track->turn_share * (right - left) / robot->description->track_mm;
    return (spot_way){0.5F * (left + right) - track->left_mm * turn, track->ahead_mm * turn, turn};
}

// The same along the edge and across it, where it is at so much of an angle to it.
static spot_way against_edge(const spot_way *way, float angle_rad) {
    float sine, cosine;
    cmi_sin_cos(angle_rad, &sine, &cosine);
    return (spot_way){way->along_mm * cosine - way->across_mm * sine,
                      way->along_mm * sine + way->across_mm * cosine, way->turn_rad};
}

static void spread_anew(cmo_edge_track *track, float angle_sd_rad) {
    memset(track->spread, 0, sizeof track->spread);
    track->spread[V11] = 2.0F;
    track->spread[V22] = angle_sd_rad * angle_sd_rad;
    track->spread[V33] = 1.0F / (1000 * 1000.0F); // most are nearly straight there
}

void cmi_track_start(cmo_edge_track *track, float off_mm, float angle_rad, float angle_sd_rad) {
    float share = track->turn_share > 0.0F ? track->turn_share : 1.0F;
    *track = (cmo_edge_track){.ahead_mm = track->ahead_mm,
                              .left_mm = track->left_mm,
                              .off_mm = off_mm,
                              .angle_rad = angle_rad,
                              .sharpest_per_mm = track->sharpest_per_mm,
                              .aim_mm = track->aim_mm,
                              .turn_share = share};
    spread_anew(track, angle_sd_rad);
}

cmi_track_sds cmi_track_sd(const cmo_edge_track *track) {
    return (cmi_track_sds){sqrtf(fmaxf(track->spread[V11], 0.0F)),
                           sqrtf(fmaxf(track->spread[V22], 0.0F))};
}

void cmi_track_go(cmo_edge_track *track, const cmo_robot *robot, const cmo_moment *from,
                  const cmo_moment *to) {
    spot_way way = way_between(track, robot, from, to);
    spot_way edge = against_edge(&way, track->angle_rad + 0.5F * way.turn_rad);
    float along = edge.along_mm;
    track->off_mm += edge.across_mm;
    track->angle_rad += way.turn_rad - track->curve_per_mm * along;
    // Tyres slide sideways in a turn, which keeps the spot on the outer side of a bend. How far it
    // is from an edge that it does not see, is no measure of that.
    float off = track->off_mm - track->aim_mm;
    track->turn_share += track->beyond ? 0.0F : SHARE_GAIN * off * way.turn_rad;
    track->turn_share = fmaxf(LEAST_SHARE, fminf(track->turn_share, MOST_SHARE));
    // P = F P F' + Q, with F = [1 along 0; 0 1 -along; 0 0 1].
    float *p = track->spread;
    float walked = fabsf(way.along_mm) + fabsf(way.across_mm);
    p[V11] += along * (2.0F * p[V12] + along * p[V22]);
    p[V12] += along * (p[V22] - p[V13] - along * p[V23]);
    p[V13] += along * p[V23];
    p[V22] += along * (along * p[V33] - 2.0F * p[V23]);
    p[V23] -= along * p[V33];
    float turned = TURN_OFF * TURN_OFF * way.turn_rad * way.turn_rad + ANGLE_WALK * walked;
    float ahead = track->ahead_mm;
    p[V11] += OFF_WALK * walked + ahead * ahead * turned;
    p[V12] += ahead * turned;
    p[V22] += turned;
    p[V33] += CURVE_WALK * track->sharpest_per_mm * track->sharpest_per_mm * walked;
}

// Of a normal distribution that is cut off `within` standard deviations from its mean: by how many
// the mean moves inward. By Boyd's approximation to the ratio of tail and density.
static float cut_off(float within) {
    const float pi = 3.14159265F;
    float x = fabsf(within);
    float tail = pi / (2.0F * x + sqrtf((pi - 2.0F) * (pi - 2.0F) * x * x + 2.0F * pi));
    float density = 0.398942F * expf(-0.5F * x * x);
    return within < 0.0F ? 1.0F / tail : density / (1.0F - density * tail);
}

bool cmi_track_look(cmo_edge_track *track, const cmo_robot *robot, const cmi_edge_sight *sight,
                    const cmo_moment *then, const cmo_moment *now) {
    spot_way way = way_between(track, robot, then, now);
    spot_way edge = against_edge(&way, track->angle_rad - 0.5F * way.turn_rad);
    float along = edge.along_mm;
    float was = track->off_mm - edge.across_mm;
    track->beyond = sight->beyond != 0;
    // The look saw H x with H = [1 arm 0].
    float *p = track->spread;
    float arm = sight->turns_mm - along;
    // Rounding may leave spreads that no edge can have, after turns on the spot above all.
    if (!(p[V11] + arm * (2.0F * p[V12] + arm * p[V22]) >= 0.0F)) {
        spread_anew(track, CMI_ANGLE_SD_RAD);
    }
    float c1 = p[V11] + arm * p[V12];
    float c2 = p[V12] + arm * p[V22];
    float c3 = p[V13] + arm * p[V23];
    float variance = c1 + arm * c2 + sight->sigma_mm * sight->sigma_mm;
    float missed = sight->off_mm - was;
    float told = 1.0F; // of what a look tells that sees the edge
    if (sight->beyond !=
        0) { // what lies before that place is cut off, and mean and variance follow
        float sd = sqrtf(variance);
        float side = (float)sight->beyond;
        float within = -side * missed / sd;
        if (within > BEYOND) {
            return true;
        }
        float moves = cut_off(within);
        missed = side * sd * moves;
        told = moves * (moves + within);
    } else if (missed * missed > FITS * FITS * variance) {
        return false;
    }
    float k1 = c1 / variance;
    float k2 = c2 / variance;
    float k3 = sight->bends ? c3 / variance : 0.0F;
    track->off_mm += k1 * missed;
    track->angle_rad += k2 * missed;
    float curve = track->curve_per_mm + k3 * missed;
    track->curve_per_mm = fmaxf(-track->sharpest_per_mm, fminf(curve, track->sharpest_per_mm));
    p[V11] -= told * k1 * c1;
    p[V12] -= told * k1 * c2;
    p[V13] -= told * k1 * c3;
    p[V22] -= told * k2 * c2;
    p[V23] -= told * k2 * c3;
    p[V33] -= told * k3 * c3;
    return true;
}
