// SPDX-License-Identifier: GPL-3.0-or-later
// Crossing position: where the robot latched a line's edge, against where its odometer stood at the
// moment of the true crossing. Each speed by itself, over robots drawn from the demo plant's
// spread, start places that move the looks' phase, and entry angles.
#include <cammino/cammino.h>
#include <cammino_lab/files.h>
#include <cammino_simulator/simulator.h>

#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define RUNS 1000

static double deck_light(void *data, double x_mm, double y_mm, unsigned *marks) {
    (void)data;
    (void)y_mm;
    if (x_mm >= 700 && x_mm < 720) {
        *marks = 1U << CMO_SIM_LINE;
        return 0.0283; // the demo deck's line and floor
    }
    return 0.625;
}

// The robot's odometer, row by row, to look up where it stood at a time.
typedef struct odometer_log {
    double us[4096];
    double left_mm[4096], right_mm[4096];
    size_t count;
    const cmo_robot *robot;
} odometer_log;

static void keep(void *context, const cmo_trace_row *row) {
    odometer_log *log = context;
    if (log->count < G_N_ELEMENTS(log->us)) {
        log->us[log->count] = row->run_us;
        log->left_mm[log->count] = (double)log->robot->odometer.left_mm;
        log->right_mm[log->count] = (double)log->robot->odometer.right_mm;
        log->count++;
    }
}

static double sensor_way(const odometer_log *log, double us, double left_mm, double track_mm) {
    size_t i = 1;
    while (i + 1 < log->count && log->us[i] < us) {
        i++;
    }
    double share = (us - log->us[i - 1]) / (log->us[i] - log->us[i - 1]);
    double left = log->left_mm[i - 1] + share * (log->left_mm[i] - log->left_mm[i - 1]);
    double right = log->right_mm[i - 1] + share * (log->right_mm[i] - log->right_mm[i - 1]);
    return 0.5 * (left + right) - (right - left) / track_mm * left_mm;
}

// One approach; returns the error in mm, NAN where the line was missed.
static double approach(const lab_robot *described, const cmo_sim_mat *mat, uint16_t traits,
                       double speed, uint64_t seed, odometer_log *log) {
    double phase = (double)(seed % 97) / 97.0;
    cmo_sim_setup setup = {.traits = traits,
                           .plant = described->plant,
                           .faults = described->faults,
                           .mat = mat,
                           .x_mm = 250.0 + 6.0 * phase,
                           .y_mm = 300.0,
                           .heading_deg = (double)(seed % 31) - 15.0,
                           .seed = seed};
    cmo_sim *sim = cmo_sim_new(&setup);
    cmo_robot robot;
    cmo_robot_start(&robot, &described->description, cmo_sim_port(sim));
    for (uint8_t i = 0; i < described->description.lights; i++) {
        cmo_robot_set_levels(&robot, i, &described->levels[i]);
    }
    log->count = 0;
    log->robot = &robot;
    cmo_robot_set_trace(&robot, keep, log);
    cmo_line_parameters parameters = {.cruise_mm_s = (float)speed,
                                      .blind_mm = 200,
                                      .least_width_mm = 15,
                                      .ending = CMO_END_MOVING};
    double error = NAN;
    if (cmo_drive_until_line(&robot, &parameters) == CMO_OUTCOME_DONE) {
        size_t count;
        const cmo_sim_crossing *crossings = cmo_sim_crossings(sim, &count);
        unsigned sensor = (unsigned)robot.report.sensor;
        for (size_t i = 0; i < count; i++) {
            if (crossings[i].sensor == sensor && crossings[i].mark == CMO_SIM_LINE) {
                double place = (double)described->description.light[sensor].left_mm;
                double track = (double)described->description.track_mm;
                double start = sensor_way(log, log->us[0], place, track);
                double truth = sensor_way(log, crossings[i].at.time_ms * 1000.0, place, track);
                error = (double)robot.report.crossing_mm - (truth - start);
                break;
            }
        }
    }
    cmo_sim_free(sim);
    return error;
}

static int by_size(const void *a, const void *b) {
    double first = fabs(*(const double *)a);
    double second = fabs(*(const double *)b);
    return (first > second) - (first < second);
}

static bool measure(const lab_robot *described, const cmo_sim_mat *mat, bool timed,
                    odometer_log *log) {
    uint16_t traits =
        timed ? described->traits : (uint16_t)(described->traits & ~CMO_TRAIT_LOOK_TIMES);
    double interval_s = described->description.light[0].interval_us * 1e-6;
    bool good = true;
    printf("\n%s\n%8s %8s %8s %8s %8s %8s %8s\n",
           timed ? "looks carry their time" : "looks carry no time", "mm/s", "RMS mm", "mean mm",
           "p95 mm", "worst", "bar mm", "missed");
    for (int speed = 100; speed <= 600; speed += 100) {
        static double errors[RUNS];
        double sum = 0.0;
        double squares = 0.0;
        int missed = 0;
        int count = 0;
        for (int run = 0; run < RUNS; run++) {
            double error = approach(described, mat, traits, speed, (uint64_t)run + 1, log);
            if (isnan(error)) {
                missed++;
                continue;
            }
            errors[count++] = error;
            sum += error;
            squares += error * error;
        }
        qsort(errors, (size_t)count, sizeof *errors, by_size);
        double rms = sqrt(squares / count);
        double bar = timed ? 0.6 : speed * interval_s / sqrt(12.0) + 0.3;
        bool held = rms <= bar && missed == 0;
        good = good && held;
        printf("%8d %8.3f %8.3f %8.3f %8.3f %8.3f %8d  %s\n", speed, rms, sum / count,
               fabs(errors[(int)(0.95 * count)]), fabs(errors[count - 1]), bar, missed,
               held ? "holds" : "FAILS");
    }
    return good;
}

int main(void) {
    GError *error = NULL;
    lab_robot *described = lab_robot_load(SOURCE_DIR "/data/ferry/mozzo.yaml", &error);
    if (described == NULL) {
        fprintf(stderr, "%s\n", error->message);
        return 2;
    }
    cmo_sim_mat *mat = cmo_sim_mat_from_function(1100, 600, 2, deck_light, NULL);
    odometer_log *log = g_new0(odometer_log, 1);
    printf("Crossing position, robot against truth at the same instant; %d robots a speed\n", RUNS);
    bool timed = measure(described, mat, true, log);
    bool untimed = measure(described, mat, false, log);
    g_free(log);
    cmo_sim_mat_free(mat);
    lab_robot_free(described);
    return timed && untimed ? 0 : 1;
}
