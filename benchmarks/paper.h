// SPDX-License-Identifier: GPL-3.0-or-later
// A port without any physics, on which the library's own work is measured: wheels that turn evenly,
// a plain floor, nothing in range.
#ifndef PAPER_H
#define PAPER_H

#include <cammino/cammino.h>

cmo_port paper_port(uint16_t traits);

// Time goes on.
void paper_wait(uint32_t us);

#endif
