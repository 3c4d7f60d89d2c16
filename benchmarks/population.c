// SPDX-License-Identifier: GPL-3.0-or-later
#include "population.h"

#include "kinds.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>

typedef struct job {
    population *c;
    population_trial trial;
    const void *context;
    outcome *results;
    gint next;
} job;

static gpointer run_thread(gpointer data) {
    job *j = data;
    for (;;) {
        unsigned i = (unsigned)g_atomic_int_add(&j->next, 1);
        if (i >= j->c->n) {
            return NULL;
        }
        if (j->trial == NULL) {
            GError *error = NULL;
            j->c->robot[i] = lab_fleet_robot(j->c->fleet, i + 1, &error);
            if (j->c->robot[i] == NULL) {
                fprintf(stderr, "%s\n", error->message);
                exit(2);
            }
            continue;
        }
        outcome *result = &j->results[i];
        *result = (outcome){.outcome = CMO_RUNNING};
        for (unsigned v = 0; v < POPULATION_VALUES; v++) {
            result->value[v] = NAN;
        }
        j->trial(j->c, i, j->context, result);
    }
}

static void work(job *j) {
    GThread *thread[64];
    unsigned threads = MIN(g_get_num_processors(), 64U);
    for (unsigned i = 0; i < threads; i++) {
        thread[i] = g_thread_new("population", run_thread, j);
    }
    for (unsigned i = 0; i < threads; i++) {
        g_thread_join(thread[i]);
    }
}

population *population_new(const char *path, unsigned n, const cmo_sim_mat *mat, double x_mm,
                           double y_mm) {
    GError *error = NULL;
    population *c = g_new0(population, 1);
    c->n = MIN(n, POPULATION_MOST);
    c->fleet = lab_fleet_load(path, &error);
    if (c->fleet == NULL) {
        fprintf(stderr, "%s\n", error->message);
        exit(2);
    }
    lab_fleet_stand_on(c->fleet, mat, x_mm, y_mm);
    job j = {.c = c};
    work(&j);
    return c;
}

void population_free(population *c) {
    for (unsigned i = 0; i < c->n; i++) {
        lab_robot_free(c->robot[i]);
    }
    lab_fleet_free(c->fleet);
    g_free(c);
}

void population_work(const population *c, population_trial trial, const void *context,
                     outcome *results) {
    job j = {(population *)(uintptr_t)c, trial, context, results, 0};
    work(&j);
}

static int by_size(const void *a, const void *b) {
    double first = fabs(*(const double *)a);
    double second = fabs(*(const double *)b);
    return (first > second) - (first < second);
}

population_figure population_sum_up(const population *c, const outcome *results, unsigned value,
                                    unsigned part, unsigned kind) {
    static double sorted[POPULATION_MOST];
    population_figure f = {.rms = NAN, .mean = NAN, .within = NAN, .within_99 = NAN, .worst = NAN};
    double sum = 0.0;
    double squares = 0.0;
    for (unsigned i = 0; i < c->n; i++) {
        if (part != POPULATION_ALL && lab_fleet_kind_of(c->fleet, part, i + 1) != kind) {
            continue;
        }
        f.tried += results[i].tried;
        f.done += results[i].outcome == CMO_OUTCOME_DONE;
        double x = results[i].value[value];
        if (isfinite(x)) {
            sorted[f.n++] = x;
            sum += x;
            squares += x * x;
        }
    }
    if (f.n > 0) {
        qsort(sorted, f.n, sizeof(double), by_size);
        f.mean = sum / f.n;
        f.rms = sqrt(squares / f.n);
        f.within = fabs(sorted[(unsigned)ceil(0.95 * f.n) - 1]);
        f.within_99 = fabs(sorted[(unsigned)ceil(0.99 * f.n) - 1]);
        f.worst = fabs(sorted[f.n - 1]);
    }
    return f;
}

void population_print_kinds(const population *c, const outcome *results, const char *const *names,
                            const unsigned *values, unsigned count) {
    printf("%-12s%-13s%12s", "by kind", "", "done");
    for (unsigned v = 0; v < count; v++) {
        printf("%18s", names[v]);
    }
    printf("\n%-37s", "");
    for (unsigned v = 0; v < count; v++) {
        printf("%10s%8s", "95 %", "worst");
    }
    printf("\n");
    for (unsigned part = 0; part < lab_fleet_parts(c->fleet); part++) {
        for (unsigned kind = 0; kind < lab_fleet_kinds(c->fleet, part); kind++) {
            population_figure first = population_sum_up(c, results, values[0], part, kind);
            printf("%-12s%-13s%6u/%-5u", kind == 0 ? lab_fleet_part(c->fleet, part) : "",
                   lab_fleet_kind(c->fleet, part, kind), first.done, first.tried);
            for (unsigned v = 0; v < count; v++) {
                population_figure f = population_sum_up(c, results, values[v], part, kind);
                printf("%10.2f%8.2f", f.within, f.worst);
            }
            printf("\n");
        }
    }
}

void population_print_outcomes(const population *c, const outcome *results) {
    unsigned count[CMO_OUTCOMES] = {0};
    for (unsigned i = 0; i < c->n; i++) {
        count[results[i].outcome] += results[i].tried;
    }
    for (unsigned o = CMO_OUTCOME_DONE + 1; o < CMO_OUTCOMES; o++) {
        if (count[o] > 0) {
            printf(" %s %u", cmo_outcome_name((cmo_outcome)o), count[o]);
        }
    }
}

void population_print_worst(const population *c, const outcome *results, unsigned value) {
    unsigned worst[3];
    unsigned count = 0;
    for (; count < G_N_ELEMENTS(worst); count++) {
        double most = -1.0;
        for (unsigned i = 0; i < c->n; i++) {
            double x = fabs(results[i].value[value]);
            bool listed = false;
            for (unsigned n = 0; n < count; n++) {
                listed = listed || worst[n] == i;
            }
            if (x > most && !listed) { // not where it is NAN
                most = x;
                worst[count] = i;
            }
        }
        if (most < 0.0) {
            break;
        }
        printf(" %u", worst[count] + 1);
    }
}

double population_even(unsigned number, const char *word, double low, double high) {
    uint64_t bits = (number + 1U) * 0x9E3779B97F4A7C15U;
    for (const char *c = word; *c != '\0'; c++) {
        bits = (bits ^ (unsigned char)*c) * 0x100000001B3U;
    }
    bits = (bits ^ (bits >> 30)) * 0xBF58476D1CE4E5B9U;
    bits = (bits ^ (bits >> 27)) * 0x94D049BB133111EBU;
    return low + (high - low) * (double)((bits ^ (bits >> 31)) >> 11) * 0x1p-53;
}

lab_route *population_route(const cmo_sim_mat *mat, const lab_leg *leg) {
    lab_route *route = g_new0(lab_route, 1);
    route->legs = 1;
    route->leg[0] = *leg;
    route->mat = (cmo_sim_mat *)(uintptr_t)mat;
    route->longest_s = 600.0;
    return route;
}

void population_route_free(lab_route *route) {
    g_free(route);
}

cmo_sim *population_practice(const lab_robot *robot, const cmo_sim_mat *mat, const lab_start *start,
                             uint64_t seed, practice *p) {
    cmo_sim_setup setup = {.traits = robot->traits,
                           .plant = robot->plant,
                           .mat = mat,
                           .x_mm = start->x_mm,
                           .y_mm = start->y_mm,
                           .heading_deg = start->heading_deg,
                           .seed = seed};
    cmo_sim_faults_none(&setup.faults);
    setup.plant.encoder_bits = 16;
    cmo_sim *sim = cmo_sim_new(&setup);
    // Who has no regulator gives as much duty as the speed takes.
    bool duty = (robot->traits & CMO_TRAIT_SPEED) == 0;
    *p = (practice){.port = cmo_sim_port(sim),
                    .tick_us = robot->description.tick_us,
                    .step_mm = robot->plant.encoder_step_mm,
                    .track_mm = (double)robot->description.track_mm,
                    .inverted = robot->description.light[0].dark_is_high,
                    .full_mm_s = duty ? (double)robot->description.full_duty_mm_s : 0.0,
                    .dead_duty = duty ? (double)robot->description.dead_duty : 0.0};
    for (int n = 0; n < 2; n++) {
        p->threshold[n] = 0.5 * (robot->levels[n].dark + robot->levels[n].light);
        p->span[n] = 0.5 * (robot->levels[n].light - robot->levels[n].dark);
    }
    return sim;
}

void population_sort(double *values, unsigned n) {
    qsort(values, n, sizeof(double), by_size);
}

population *population_alone(lab_robot *robot, unsigned n) {
    population *c = g_new0(population, 1);
    c->n = MIN(n, POPULATION_MOST);
    for (unsigned i = 0; i < c->n; i++) {
        c->robot[i] = robot;
    }
    return c;
}

void population_on_kinds(size_t kinds, unsigned runs, population_runs run, const void *context) {
    for (size_t k = 0; k < kinds; k++) {
        lab_robot *robot = robot_of_kind(&usual_kinds[k]);
        unsigned most = k == 0 ? runs : (runs + 4) / 5;
        population *c = population_alone(robot, most);
        run(c, context, most, usual_kinds[k].name);
        g_free(c);
        lab_robot_free(robot);
    }
}
