// SPDX-License-Identifier: MIT
// The whole of a simulator, for the port (simulator.c) and the truth (truth.c).
#ifndef CMO_SIM_WHOLE_H
#define CMO_SIM_WHOLE_H

#include <cammino_simulator/simulator.h>

#include "light_sensor.h"
#include "noise.h"
#include "object.h"
#include "panel.h"
#include "plant.h"

#define COMMANDS 8

typedef struct command {
    double at_us;
    drive_mode mode;
    double left, right;
} command;

struct cmo_sim {
    cmo_sim_setup setup;
    cmo_port port;
    struct plant plant;
    struct light_sensor sensors[CMO_LIGHTS_MAX];
    noise sensing;   // of readings
    noise turning;   // of the heading
    noise of_faults; // random numbers
    noise ranging;   // of the range sensor
    struct object objects[CMO_SIM_OBJECTS_MAX];
    unsigned touch; // bumpers, as cmo_sample has them
    struct panel panel;
    double range_mm, range_next_us;
    bool ranged; // a reading that has not been handed over yet
    double start_heading_rad;
    double now_us;
    command commands[COMMANDS]; // on their way to the motors
    unsigned waiting;
    double deadline_us; // when the last drive command ends; INFINITY: halted
    bool halted;
    unsigned expired;
    bool diverged;        // the plant's motion ran away; it stands where it last was sound
    double halt_asked_us; // first halt while halts fail; negative: none
    cmo_sim_truth before; // at the start of the current step
    unsigned inside[CMO_LIGHTS_MAX]; // marks under each spot's centre
    GArray *crossings;
    GArray *recorded;
};

// The truth at a share of the way from one moment to another.
cmo_sim_truth cmi_sim_truth_between(const cmo_sim_truth *a, const cmo_sim_truth *b, double share);

// A spot's place, for a robot whose heading's cosine and sine are known.
void cmi_sim_truth_spot_at(const cmo_sim *sim, unsigned sensor, double x_mm, double y_mm,
                           double cosine, double sine, double *spot_x, double *spot_y);

// Marks under each spot's centre at the start; and the crossings of the last step.
void cmi_sim_truth_start(cmo_sim *sim);
void cmi_sim_truth_note_crossings(cmo_sim *sim, const cmo_sim_truth *after);

#endif
