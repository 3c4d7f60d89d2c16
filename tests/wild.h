// SPDX-License-Identifier: GPL-3.0-or-later
// A port from hell: each of its functions fails, says not yet, answers late, jumps, wraps or stands
// still, as chance has it; and a robot, parameters, aborts and pauses to go with it.
#ifndef WILD_H
#define WILD_H

#include <stdint.h>

// Drives one routine on such a port, then two more on the same port in good health.
// Returns what went wrong, in a static buffer; NULL: nothing.
const char *wild_run(uint64_t seed);

// The same with the numbers that are drawn taken from these bytes, as long as they last.
const char *wild_run_bytes(const uint8_t *bytes, uint64_t count);

#endif
