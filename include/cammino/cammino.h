// SPDX-License-Identifier: MIT
/**
 * @file cammino.h
 * Everything. Start reading at port.h (to bring up a robot), then robot.h, then routines.h.
 */
#ifndef CAMMINO_H
#define CAMMINO_H

#include <cammino/bands.h>
#include <cammino/budget.h>
#include <cammino/measure_braking.h>
#include <cammino/measure_drive.h>
#include <cammino/measure_geometry.h>
#include <cammino/levels.h>
#include <cammino/light.h>
#include <cammino/config.h>
#include <cammino/port.h>
#include <cammino/report.h>
#include <cammino/robot.h>
#include <cammino/route.h>
#include <cammino/routines.h>
#include <cammino/square_on_line.h>
#include <cammino/stated_line.h>
#include <cammino/stay_inside.h>
#include <cammino/surfaces.h>
#include <cammino/trace.h>
#include <cammino/check_wiring.h>

#define CAMMINO_VERSION "0.1.0"

#endif
