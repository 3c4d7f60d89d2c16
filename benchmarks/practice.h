// SPDX-License-Identifier: GPL-3.0-or-later
// Common practice, written out plainly against the port: what everybody programs first. For the
// comparison; it uses nothing of core.
#ifndef PRACTICE_H
#define PRACTICE_H

#include <cammino/port.h>

#include <stdbool.h>

typedef struct practice {
    const cmo_port *port;
    unsigned tick_us;
    double threshold[2]; // counts, dark is lower
    double span[2];      // from there to light
    double step_mm;      // of the encoders
    double counts[2];    // newest readings
    double way_mm[2];    // of the wheels
    double elapsed_ms;
    double track_mm;
    bool light;    // the boundary is light on dark
    bool inverted; // dark reads higher than light
    // Without a regulator: the speed at duty 1, and the duty that does not turn the motors yet. 0:
    // the port takes speeds.
    double full_mm_s, dead_duty;
} practice;

// Drives at a speed until either sensor sees the line, and brakes.
bool practice_stop(practice *p, double speed_mm_s);

// Counts each time that the left sensor comes onto something after it was on nothing, and brakes on
// the number asked for.
bool practice_count(practice *p, double speed_mm_s, unsigned number);

// Follows the left edge of a dark line with the right sensor for a way: turns by this share of the
// speed for a reading that is all light or dark, and by as much less as it is nearer to the middle;
// or always by all of it to the side that it reads.
bool practice_follow(practice *p, double speed_mm_s, double share, bool on_off, double way_mm);

// Each wheel stops when its own sensor sees the line. With `reverse` above 0 the wheel that has
// stopped goes back at this share of the speed until the other one has stopped too: found by trial.
bool practice_square_by_wheel(practice *p, double speed_mm_s, double reverse);

// Each wheel by itself goes over the line and half of its width back; all of it twice.
bool practice_square_by_halves(practice *p, double approach_mm_s, double search_mm_s);

// Until a time: drives until a sensor sees the boundary, brakes, backs off by a fixed amount, turns
// by a fixed amount away from the side that saw it, or right round where both did, and goes on. By
// time, as tuned for 200 mm/s, or by the encoders. Returns how often.
typedef enum practice_means { PRACTICE_TIME, PRACTICE_DISTANCE } practice_means;
unsigned practice_patrol(practice *p, practice_means means, double speed_mm_s, double until_ms);

#endif
