// SPDX-License-Identifier: MIT
// What a robot may do, by its description.
#ifndef CMI_BUDGET_H
#define CMI_BUDGET_H

#include <cammino/budget.h>

// As cmo_budget_follow(), of a place that is so far aside of the robot's middle.
float cmi_budget_follow(const cmo_robot_description *description, uint8_t sensor, float aside_mm,
                        float tightest_mm, bool gaps);

// The tightest bend that such a place can follow at all.
float cmi_budget_tightest_mm(float aside_mm);

#endif
