// SPDX-License-Identifier: GPL-3.0-or-later
#include "foreign_plant.h"

#include <glib.h>
#include <math.h>

#define RIM 25.0
// Halves of the rectangle's sides.
#define HALF_X 500.0
#define HALF_Y 380.0

typedef struct box {
    double left, right, low, high;
} box;

static const box ring = {-HALF_X, HALF_X, -HALF_Y, HALF_Y};
// The two arms of the L, and what they share.
static const box arm[] = {{-HALF_X, HALF_X, -HALF_Y, 0.0}, {-HALF_X, 0.0, -HALF_Y, HALF_Y}};
static const box elbow = {-HALF_X, 0.0, -HALF_Y, 0.0};

static double share(double from, double to, double place, double wide) {
    return 0.5 * (erf((place - from) / wide) - erf((place - to) / wide));
}

static double of_light(double light, double rest) {
    return rest + (FOREIGN_LIGHT - rest) * light;
}

double foreign_line(double x, double y, double sigma) {
    (void)y;
    double wide = sigma * G_SQRT2;
    double on = share(FOREIGN_EDGE_MM, FOREIGN_EDGE_MM + FOREIGN_WIDTH_MM, x, wide);
    return of_light(1.0 - on, FOREIGN_DARK);
}

double foreign_pair(double x, double y, double sigma) {
    double middle = FOREIGN_EDGE_MM + 0.5 * FOREIGN_PAIR_MM;
    return foreign_line(x < middle ? x : x - FOREIGN_PAIR_MM, y, sigma);
}

double foreign_rungs(double x, double y, double sigma) {
    double number = floor((x - FOREIGN_EDGE_MM) / FOREIGN_SPACING_MM + 0.4);
    return foreign_line(x - fmax(number, 0.0) * FOREIGN_SPACING_MM, y, sigma);
}

// A bell over a rectangle is the product of both directions' shares.
static double of_box(const box *b, double grown, double x, double y, double sigma) {
    double wide = sigma * G_SQRT2;
    return share(b->left - grown, b->right + grown, x, wide) *
           share(b->low - grown, b->high + grown, y, wide);
}

static double of_rim(double inside, double outside) {
    return of_light(1.0 - (outside - inside), FOREIGN_DARK);
}

double foreign_ring(double x, double y, double sigma) {
    return of_rim(of_box(&ring, 0.0, x, y, sigma), of_box(&ring, RIM, x, y, sigma));
}

double foreign_table(double x, double y, double sigma) {
    return of_light(of_box(&ring, 0.0, x, y, sigma), FOREIGN_VOID);
}

static double of_angle(double grown, double x, double y, double sigma) {
    return of_box(&arm[0], grown, x, y, sigma) + of_box(&arm[1], grown, x, y, sigma) -
           of_box(&elbow, grown, x, y, sigma);
}

double foreign_angle(double x, double y, double sigma) {
    return of_rim(of_angle(0.0, x, y, sigma), of_angle(RIM, x, y, sigma));
}

static double over_box(const box *b, double x, double y) {
    return fmax(fmax(b->left - x, x - b->right), fmax(b->low - y, y - b->high));
}

double foreign_over_ring(double x, double y) {
    return over_box(&ring, x, y);
}

double foreign_over_angle(double x, double y) {
    return fmin(over_box(&arm[0], x, y), over_box(&arm[1], x, y));
}

// Straight to x = 800, a quarter to the left, straight, a quarter to the right, straight.
#define BEND     250.0
#define STRAIGHT 800.0
#define BETWEEN  300.0

double foreign_off_lane(double x, double y) {
    double right = STRAIGHT + BEND;    // x of the piece between both bends
    double top = 2.0 * BEND + BETWEEN; // y of the last one
    if (x <= STRAIGHT && y < 0.5 * top) {
        return y;
    }
    if (y <= BEND) {
        return BEND - hypot(x - STRAIGHT, y - BEND);
    }
    if (y <= BEND + BETWEEN) {
        return right - x;
    }
    if (x <= right + BEND) {
        return hypot(x - right - BEND, y - BEND - BETWEEN) - BEND;
    }
    return y - top;
}

double foreign_lane(double x, double y, double sigma) {
    double off = foreign_off_lane(x, y);
    double half = 0.5 * FOREIGN_WIDTH_MM;
    return of_light(1.0 - share(-half, half, off, sigma * G_SQRT2), FOREIGN_DARK);
}
