// SPDX-License-Identifier: MIT
// The port and its clock: brings plant, sensors and faults together; truth.c watches.
#include "simulator_state.h"

#include "direction.h"

#include <math.h>
#include <string.h>

#define STEP_US 1000U
static bool since(const cmo_sim *sim, double at_ms) {
    return at_ms >= 0.0 && sim->now_us >= at_ms * 1000.0;
}

static bool chance(cmo_sim *sim, double share) {
    return share > 0.0 && noise_even(&sim->of_faults) < share;
}

// --------------------------------------------------------------------------------- time goes --

static void obey(cmo_sim *sim) {
    const cmo_sim_faults *f = &sim->setup.faults;
    while (sim->waiting > 0 && sim->commands[0].at_us <= sim->now_us) {
        command c = sim->commands[0];
        sim->waiting--;
        memmove(sim->commands, sim->commands + 1, sim->waiting * sizeof *sim->commands);
        if (c.mode == DRIVE_DUTY || c.mode == DRIVE_SPEED) {
            double left = f->motors_swapped ? c.right : c.left;
            double right = f->motors_swapped ? c.left : c.right;
            sim->plant.mode = c.mode;
            sim->plant.left.command = f->left_reversed ? -left : left;
            sim->plant.right.command = f->right_reversed ? -right : right;
        } else {
            cmi_sim_plant_halt(&sim->plant, c.mode);
        }
    }
}

static void send(cmo_sim *sim, drive_mode mode, double left, double right) {
    if (sim->waiting == COMMANDS) { // a program that floods the bus: the newest one counts
        sim->waiting--;
    }
    command c = {sim->now_us + 1000.0 * sim->setup.plant.command_delay_ms, mode, left, right};
    sim->commands[sim->waiting++] = c;
}

// What the motor controller does on its own: the best halt that it has.
static drive_mode own_halt(const cmo_sim *sim) {
    return sim->setup.traits & CMO_TRAIT_BRAKE ? DRIVE_BRAKE : DRIVE_COAST;
}

static void expire(cmo_sim *sim) {
    if (!sim->halted && sim->now_us >= sim->deadline_us) {
        sim->halted = true;
        sim->expired++;
        sim->waiting = 0;
        cmi_sim_plant_halt(&sim->plant, own_halt(sim));
    }
}

static void apply_faults(cmo_sim *sim) {
    const cmo_sim_faults *f = &sim->setup.faults;
    bool slips = since(sim, f->slip_at_ms) && sim->now_us < (f->slip_at_ms + f->slip_ms) * 1000.0;
    sim->plant.grip = slips ? f->slip_grip : 1.0;
    sim->plant.blocked = since(sim, f->stalled_at_ms);
}

// How high the mat lies at a place.
static double wave_mm(const cmo_sim_plant *p, double x_mm, double y_mm) {
    return 0.5 * p->wave_mm *
           (sine_of_turns(x_mm / p->wave_length_mm) + sine_of_turns(y_mm / p->wave_length_mm));
}

static sensor_view view_of(const cmo_sim *sim, unsigned sensor, double x_mm, double y_mm,
                           double cosine, double sine) {
    sensor_view view = {.cosine = cosine, .sine = sine};
    cmi_sim_truth_spot_at(sim, sensor, x_mm, y_mm, cosine, sine, &view.x_mm, &view.y_mm);
    view.rise_mm = sim->setup.plant.nose_mm * sim->plant.gained_mm_s2 * 1e-3;
    if (sim->setup.plant.wave_mm > 0.0) {
        view.rise_mm -= wave_mm(&sim->setup.plant, view.x_mm, view.y_mm);
    }
    view.other_x_mm = view.x_mm;
    view.other_y_mm = view.y_mm;
    if (sim->sensors[sensor].p->cross_light > 0.0 && sim->setup.plant.sensors > 1) {
        cmi_sim_truth_spot_at(sim, sensor == 0 ? 1 : 0, x_mm, y_mm, cosine, sine, &view.other_x_mm,
                              &view.other_y_mm);
    }
    return view;
}

static void look(cmo_sim *sim, const cmo_sim_truth *after) {
    const cmo_sim_faults *f = &sim->setup.faults;
    double span_us = sim->now_us - sim->before.time_ms * 1000.0;
    for (unsigned i = 0; i < sim->setup.plant.sensors; i++) {
        struct light_sensor *sensor = &sim->sensors[i];
        for (double at = cmi_sim_light_next_us(sensor); at <= sim->now_us;
             at = cmi_sim_light_next_us(sensor)) {
            double share = span_us > 0.0 ? (at - sim->before.time_ms * 1000.0) / span_us : 1.0;
            cmo_sim_truth then = cmi_sim_truth_between(&sim->before, after, share);
            // Within a step the robot turns by so little that two terms of the series do.
            double turn = then.heading_rad - sim->plant.heading_rad;
            double less = 1.0 - 0.5 * turn * turn;
            sensor_view view = view_of(sim, i, then.x_mm, then.y_mm,
                                       sim->plant.cosine * less - sim->plant.sine * turn,
                                       sim->plant.sine * less + sim->plant.cosine * turn);
            cmi_sim_light_sample(sensor, &sim->setup.plant, sim->setup.mat, &view, &sim->sensing,
                                 since(sim, f->light_stuck_at_ms[i]));
        }
        // What was longer ago than four lags has gone by the next exposure, but for a fiftieth.
        double ahead_us = cmi_sim_light_next_us(sensor) - sim->now_us;
        if (sensor->p->lag_ms > 0.0 && ahead_us > 4000.0 * sensor->p->lag_ms) {
            sensor->lit = false;
        } else if (sensor->p->lag_ms > 0.0 && span_us > 0.0) {
            sensor_view view = view_of(sim, i, sim->plant.x_mm, sim->plant.y_mm, sim->plant.cosine,
                                       sim->plant.sine);
            cmi_sim_light_follow(sensor, &sim->setup.plant, sim->setup.mat, &view, sim->now_us,
                                 span_us * 1e-6);
        }
    }
}

static void find_range(cmo_sim *sim) {
    const cmo_sim_plant *p = &sim->setup.plant;
    if (!(sim->setup.traits & CMO_TRAIT_RANGE) || sim->now_us < sim->range_next_us) {
        return;
    }
    double range = cmo_sim_range(sim);
    // Beyond its reach it says nothing but that.
    sim->range_mm = isinf(range)
                        ? 10.0 * p->range_reach_mm
                        : fmax(range + p->range_noise_mm * noise_normal(&sim->ranging), 0.0);
    sim->ranged = true;
    sim->range_next_us = sim->now_us + 1000.0 * p->range_interval_ms;
}

static void move(cmo_sim *sim, double dt_s) {
    if (sim->diverged) {
        return;
    }
    plant_place sound = cmi_sim_plant_place(&sim->plant);
    cmi_sim_plant_step(&sim->plant, dt_s);
    if (sim->setup.objects > 0) {
        sim->touch = cmi_sim_objects_step(sim->objects, sim->setup.objects, &sim->plant, dt_s);
    }
    if (!cmi_sim_plant_sound(&sim->plant)) {
        cmi_sim_plant_stand(&sim->plant, &sound);
        sim->diverged = true;
    }
}

// One step of at most a millisecond.
static void step(cmo_sim *sim, double us) {
    obey(sim);
    expire(sim);
    apply_faults(sim);
    sim->before = cmo_sim_truth_now(sim);
    move(sim, us * 1e-6);
    sim->now_us += us;
    find_range(sim);
    cmo_sim_truth after = cmo_sim_truth_now(sim);
    look(sim, &after);
    cmi_sim_truth_note_crossings(sim, &after);
    if (sim->recorded != NULL) {
        g_array_append_val(sim->recorded, after);
    }
}

static void pass_until(cmo_sim *sim, double until_us) {
    while (sim->now_us < until_us - 1e-6) {
        // Steps end on whole milliseconds, so that a wait in between changes nothing.
        double whole = (floor(sim->now_us / STEP_US + 1e-9) + 1.0) * STEP_US;
        step(sim, MIN(whole, until_us) - sim->now_us);
    }
}

void cmo_sim_pass(cmo_sim *sim, double ms) {
    pass_until(sim, sim->now_us + floor(ms * 1000.0 + 0.5));
}

// -------------------------------------------------------------------------------------- port --

static uint32_t port_clock(void *context) {
    const cmo_sim *sim = context;
    return sim->setup.clock_start_us + (uint32_t)(uint64_t)sim->now_us;
}

static void port_wait(void *context, uint32_t until_us) {
    cmo_sim *sim = context;
    int32_t left = (int32_t)(until_us - port_clock(sim));
    double us = left > 0 ? left : 0.0;
    if (chance(sim, sim->setup.faults.late_share)) {
        us += floor(1000.0 * sim->setup.faults.late_ms * noise_even(&sim->of_faults));
    }
    pass_until(sim, sim->now_us + us);
}

static void hand_over_looks(cmo_sim *sim, unsigned number, cmo_light_input *input) {
    const cmo_sim_faults *f = &sim->setup.faults;
    struct light_sensor *sensor =
        &sim->sensors[f->lights_swapped && sim->setup.plant.sensors > 1 ? 1 - number : number];
    while (sensor->count > 0 && sensor->queue[sensor->head].ready_us <= sim->now_us) {
        sensor_look look = sensor->queue[sensor->head];
        sensor->head = (sensor->head + 1) % SENSOR_QUEUE;
        sensor->count--;
        if (since(sim, f->light_silent_at_ms[number]) || chance(sim, f->look_missing_share)) {
            continue;
        }
        int copies = chance(sim, f->look_doubled_share) ? 2 : 1;
        for (; copies > 0; copies--) {
            if (input->looks == CMO_LOOKS_MAX) { // the oldest is lost
                memmove(input->look, input->look + 1, (CMO_LOOKS_MAX - 1) * sizeof *input->look);
                input->looks--;
            }
            cmo_look *out = &input->look[input->looks++];
            out->time_us = sim->setup.clock_start_us + (uint32_t)(uint64_t)look.ready_us;
            out->counts = look.counts;
#if CMO_SURFACES_MAX > 0
            memcpy(out->colour, look.colour, sizeof out->colour);
#endif
            if (since(sim, f->light_clipped_at_ms[number])) {
                out->counts = 65535;
            } else if (since(sim, f->light_jumps_at_ms[number]) && chance(sim, 0.3)) {
                out->counts = (uint16_t)(sensor->p->counts_max * noise_even(&sim->of_faults));
            }
            out->sequence = look.sequence;
        }
    }
}

static uint32_t counts(const cmo_sim *sim, bool right) {
    const cmo_sim_faults *f = &sim->setup.faults;
    if (right ? f->right_encoder_dead : f->left_encoder_dead) {
        return 0;
    }
    const side *s = right != f->encoders_swapped ? &sim->plant.right : &sim->plant.left;
    bool reversed = right ? f->right_encoder_reversed : f->left_encoder_reversed;
    int64_t count = cmi_sim_plant_count(&sim->plant, s);
    count = reversed ? -count : count;
    unsigned bits = sim->setup.plant.encoder_bits;
    return (uint32_t)(uint64_t)count & (bits < 32 ? (1U << bits) - 1U : 0xFFFFFFFFU);
}

static bool pressed(const cmo_sim *sim, double at_ms) {
    return at_ms > 0.0 && since(sim, at_ms) && sim->now_us < (at_ms + 200.0) * 1000.0;
}

static bool failed(const cmo_sim *sim) {
    return sim->diverged || since(sim, sim->setup.faults.failed_at_ms);
}

static cmo_status port_sample(void *context, cmo_sample *sample) {
    cmo_sim *sim = context;
    const cmo_sim_faults *f = &sim->setup.faults;
    if (failed(sim)) {
        return CMO_FAILED;
    }
    if (chance(sim, f->not_yet_share)) {
        return CMO_NOT_YET;
    }
    for (unsigned i = 0; i < sim->setup.plant.sensors; i++) {
        hand_over_looks(sim, i, &sample->light[i]);
    }
    if (sim->setup.traits & CMO_TRAIT_ENCODERS && !since(sim, f->encoders_silent_at_ms)) {
        sample->have |= CMO_HAVE_ENCODERS;
        sample->encoders.time_us = port_clock(sim);
        sample->encoders.left = counts(sim, false);
        sample->encoders.right = counts(sim, true);
        if (since(sim, f->encoder_jump_at_ms)) {
            sample->encoders.left += 5000U;
        }
    }
    if (sim->setup.traits & CMO_TRAIT_HEADING) {
        const cmo_sim_plant *p = &sim->setup.plant;
        double turned = (sim->plant.heading_rad - sim->start_heading_rad) * 57.29577951308232;
        double heading = p->heading_scale * turned + p->heading_drift_deg_s * sim->now_us * 1e-6 +
                         p->heading_noise_deg * noise_normal(&sim->turning);
        sample->have |= CMO_HAVE_HEADING;
        sample->heading_deg = (float)(heading - 360.0 * floor(heading / 360.0));
    }
    if (sim->ranged) {
        sim->ranged = false;
        sample->have |= CMO_HAVE_RANGE;
        sample->range_mm = (float)sim->range_mm;
    }
    if (sim->setup.traits & CMO_TRAIT_TOUCH) {
        sample->have |= CMO_HAVE_TOUCH;
        sample->touch = (uint8_t)sim->touch;
    }
    if (sim->setup.traits & (CMO_TRAIT_START | CMO_TRAIT_STOP)) {
        sample->have |= CMO_HAVE_BUTTONS;
        sample->start = pressed(sim, sim->setup.start_pressed_ms);
        sample->stop = pressed(sim, sim->setup.stop_pressed_ms);
    }
    return CMO_OK;
}

static cmo_status port_drive(void *context, float left, float right, uint32_t lifetime_us) {
    cmo_sim *sim = context;
    if (failed(sim)) {
        return CMO_FAILED;
    }
    if (chance(sim, sim->setup.faults.not_yet_share)) {
        return CMO_NOT_YET;
    }
    sim->halted = false;
    sim->deadline_us = sim->now_us + lifetime_us;
    send(sim, sim->setup.traits & CMO_TRAIT_SPEED ? DRIVE_SPEED : DRIVE_DUTY, left, right);
    return CMO_OK;
}

static cmo_status port_halt(void *context, cmo_halt how) {
    cmo_sim *sim = context;
    static const uint16_t trait[4] = {0, CMO_TRAIT_COAST, CMO_TRAIT_BRAKE, CMO_TRAIT_HOLD};
    static const drive_mode mode[4] = {DRIVE_COAST, DRIVE_COAST, DRIVE_BRAKE, DRIVE_HOLD};
    if (how < CMO_HALT_COAST || how > CMO_HALT_HOLD || !(sim->setup.traits & trait[how])) {
        return CMO_FAILED;
    }
    if (sim->setup.faults.halt_fails_ms > 0.0) {
        if (sim->halt_asked_us < 0.0) {
            sim->halt_asked_us = sim->now_us;
        }
        if (sim->now_us - sim->halt_asked_us < sim->setup.faults.halt_fails_ms * 1000.0) {
            return CMO_FAILED;
        }
    }
    sim->halted = true;
    sim->deadline_us = INFINITY;
    send(sim, mode[how], 0.0, 0.0);
    return CMO_OK;
}

static void port_notify(void *context, const cmo_event *event) {
    cmo_sim *sim = context;
    cmi_sim_panel_tell(&sim->panel, event, sim->now_us);
}

void cmo_sim_object_now(const cmo_sim *sim, unsigned object, double *x_mm, double *y_mm) {
    *x_mm = sim->objects[object].x_mm;
    *y_mm = sim->objects[object].y_mm;
}

double cmo_sim_range(const cmo_sim *sim) {
    return cmi_sim_objects_range(sim->objects, sim->setup.objects, &sim->plant);
}

const cmo_port *cmo_sim_port(cmo_sim *sim) {
    return &sim->port;
}

bool cmo_sim_halted(const cmo_sim *sim) {
    return sim->halted;
}

bool cmo_sim_diverged(const cmo_sim *sim) {
    return sim->diverged;
}

unsigned cmo_sim_expired(const cmo_sim *sim) {
    return sim->expired;
}

void cmo_sim_faults_none(cmo_sim_faults *faults) {
    memset(faults, 0, sizeof *faults);
    for (unsigned i = 0; i < CMO_LIGHTS_MAX; i++) {
        faults->light_silent_at_ms[i] = faults->light_stuck_at_ms[i] = -1.0;
        faults->light_jumps_at_ms[i] = faults->light_clipped_at_ms[i] = -1.0;
    }
    faults->encoders_silent_at_ms = faults->encoder_jump_at_ms = -1.0;
    faults->stalled_at_ms = faults->failed_at_ms = faults->slip_at_ms = -1.0;
    faults->slip_grip = 1.0;
}

cmo_sim *cmo_sim_new(const cmo_sim_setup *setup) {
    cmo_sim *sim = g_new0(cmo_sim, 1);
    sim->setup = *setup;
    sim->port = (cmo_port){
        .context = sim,
        .traits = setup->traits,
        .clock = port_clock,
        .wait = port_wait,
        .sample = port_sample,
        .drive = port_drive,
        .halt = port_halt,
        .notify = port_notify,
    };
    // Streams of their own, so that a fault does not change the readings.
    noise build;
    noise_seed(&build, setup->seed);
    noise_seed(&sim->sensing, setup->seed ^ 0x5E5E5E5E5E5E5E5EU);
    noise_seed(&sim->turning, setup->seed ^ 0x3C3C3C3C3C3C3C3CU);
    noise_seed(&sim->ranging, setup->seed ^ 0x7272727272727272U);
    noise_seed(&sim->of_faults, setup->seed ^ 0xA1A1A1A1A1A1A1A1U);
    cmi_sim_plant_start(&sim->plant, &sim->setup.plant, &build, setup->x_mm, setup->y_mm,
                        setup->heading_deg * 0.017453292519943295);
    noise parts; // what was added later has a stream of its own, and changes no robot of before
    noise_seed(&parts, setup->seed ^ 0x1D1D1D1D1D1D1D1DU);
    cmi_sim_plant_vary(&sim->plant, &parts);
    if (setup->faults.left_dead) {
        sim->plant.left.strength = 0.0;
    }
    if (setup->faults.right_dead) {
        sim->plant.right.strength = 0.0;
    }
    for (unsigned i = 0; i < setup->plant.sensors; i++) {
        cmi_sim_light_start(&sim->sensors[i], &sim->setup.plant, i, &build);
        cmi_sim_light_vary(&sim->sensors[i], &parts);
    }
    for (unsigned i = 0; i < setup->objects; i++) {
        cmi_sim_object_start(&sim->objects[i], &sim->setup.object[i]);
    }
    sim->start_heading_rad = sim->plant.heading_rad;
    sim->deadline_us = INFINITY;
    sim->halted = true;
    sim->halt_asked_us = -1.0;
    cmi_sim_truth_start(sim);
    return sim;
}

void cmo_sim_free(cmo_sim *sim) {
    if (sim == NULL) {
        return;
    }
    g_array_free(sim->crossings, TRUE);
    if (sim->recorded != NULL) {
        g_array_free(sim->recorded, TRUE);
    }
    g_free(sim);
}
