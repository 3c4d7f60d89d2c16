// SPDX-License-Identifier: GPL-3.0-or-later
#include "stop_runs.h"

double beyond(const bench_robot *bench, double x_mm) {
    cmo_sim_truth now = cmo_sim_truth_now(bench->sim);
    double middle = 0.0;
    for (unsigned i = 0; i < 2; i++) {
        double x, y;
        cmo_sim_spot(bench->sim, &now, i, &x, &y);
        middle += 0.5 * x;
    }
    return middle - x_mm;
}

bench_robot stop(const cmo_sim_setup *setup, const cmo_robot_description *description,
                 const cmo_line_parameters *parameters) {
    bench_robot bench;
    start_bench(&bench, setup, description);
    cmo_outcome outcome = cmo_stop_on_line(&bench.robot, parameters);
    ck_assert_msg(outcome == CMO_OUTCOME_DONE, "%s", cmo_outcome_name(outcome));
    ck_assert(cmo_sim_halted(bench.sim));
    return bench;
}
