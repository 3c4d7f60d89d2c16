// SPDX-License-Identifier: GPL-3.0-or-later
// What a user finds out about a robot before it drives any routine, on the simulated one.
#ifndef LAB_DESCRIBE_H
#define LAB_DESCRIBE_H

#include "robot_staged.h"

// A sheet of floor with a line across, in two luminances.
cmo_sim_mat *labi_describe_sheet(double floor, double line);

// One in the tones of a mat, as they are found around a place. `over_void`: there is a hole in it.
cmo_sim_mat *labi_describe_sheet_of(const cmo_sim_mat *mat, double x_mm, double y_mm,
                                    bool *over_void);

// Measures what was not stated of the drive and of the lights' levels, by its encoders and looks
// alone. `over_void`: there is a table's edge to hold the sensors over.
void labi_describe(lab_robot *robot, const staged_robot *stated, const cmo_sim_mat *sheet,
                   bool over_void, uint64_t seed);

#endif
