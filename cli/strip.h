// SPDX-License-Identifier: GPL-3.0-or-later
// A strip chart of one leg, and what its panels share.
#ifndef CLI_STRIP_H
#define CLI_STRIP_H

#include "cli.h"

typedef struct strip {
    const GArray *rows;
    guint start, end;   // of the leg
    double way0, time0; // at the leg's start, mm and s
    bool over_time;
    double crossing_mm;    // latched, from the leg's start; NAN: none
    double crossing_s;     // from the leg's start
    const char *heading;   // quoted
    const GArray *counted; // lines that the leg has counted, of lab_counted; NULL: it counts none
    bool follows;          // the leg follows an edge, and where that is, is known
    GString *out;
} strip;

static inline const lab_row *strip_row(const strip *s, guint i) {
    return &g_array_index(s->rows, lab_row, i);
}

static inline double strip_way(const strip *s, guint i) {
    return (double)strip_row(s, i)->robot.way_mm - s->way0;
}

static inline double strip_seconds(const strip *s, guint i) {
    return strip_row(s, i)->robot.run_us / 1e6 - s->time0;
}

static inline double strip_along(const strip *s, guint i) {
    return s->over_time ? strip_seconds(s, i) : strip_way(s, i);
}

// Where a panel stands, as shares of the picture.
void strip_panel(const strip *s, double right, double bottom, double top);

// The last panel says what all go over, the others leave it out.
void strip_axis(const strip *s, bool last);

// Stages as shaded bands behind the curves. With `names`, each is named where there is room.
void strip_stages(const strip *s, bool names);

// Of an edge that is followed, how far its spot was off that, and how sharply that bent.
bool strip_finds_edge(const strip *s);
void strip_edge(const strip *s, double right, double bottom, double top);

// The stop: way beyond the edge over time, the overshoot measured off between two edges as in a
// drawing.
double strip_furthest_mm(const strip *s); // beyond the crossing that ended the leg
void strip_stop(const strip *s);

#endif
