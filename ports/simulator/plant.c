// SPDX-License-Identifier: MIT
#include "plant.h"

#include "direction.h"
#include "couple.h"
#include "motor.h"

#include <math.h>
#include <string.h>

// A caster that trails by less is a ball.
#define BALL_MM    0.1
#define MOST_PARTS 1000.0

// The numbers are those of a contest robot of about 0.6 kg on two 6 V gear motors of 12 to 20 mm
// with rubber tyres, by what data sheets of such motors and sensors state as a class.
void cmo_sim_plant_default(cmo_sim_plant *plant, const cmo_robot_description *description) {
    const cmo_robot_description *d = description;
    memset(plant, 0, sizeof *plant);
    plant->mass_kg = 0.6;
    // A plate of the robot's width and length: m (a^2 + b^2) / 12, with a = b = 1.2 track.
    plant->inertia_kg_m2 = 0.6 * 2.0 * (1.2e-3 * d->track_mm) * (1.2e-3 * d->track_mm) / 12.0;
    // Rubber on painted board has a friction of 0.7 to 0.9; two thirds of the weight stand on the
    // driven wheels: 0.7 * 9.81 * 0.67 = 4.6.
    plant->grip_m_s2 = 4.5;
    // Small rubber tyres reach full grip at 2 to 5 % of slip.
    plant->tyre_creep = 0.02;
    plant->drag_m_s2 = 0.05; // rolling resistance 0.005 of the weight
    plant->caster_behind_mm = 55.0;
    plant->caster_trail_mm = 8.0;
    // The caster carries a third of the weight and rubs with about 0.05 of it while it swings.
    plant->caster_scrub_n = 0.1;
    plant->track_mm = d->track_mm;
    plant->wheel_width_mm = 8.0;
    plant->left_wheel = plant->right_wheel = 1.0;
    plant->motor_lag_ms = d->lag_ms > 0.0F ? d->lag_ms : 45.0;
    plant->no_load_mm_s = d->full_duty_mm_s > 0.0F ? d->full_duty_mm_s : 1.4 * d->top_speed_mm_s;
    plant->dead_mm_s = d->slowest_mm_s > 0.0F ? d->slowest_mm_s : 15.0;
    if (d->full_duty_mm_s > 0.0F && d->dead_duty > 0.0F) {
        plant->dead_mm_s = d->dead_duty * d->full_duty_mm_s;
    }
    // A rotor of 0.2 g cm^2 behind a gear of 1:50 on a 16 mm radius weighs 0.2 kg at the tyre.
    plant->rotor_share = 0.15;
    plant->gear_play_mm = 0.5; // 1 to 2 degrees at the output shaft
    plant->left_strength = plant->right_strength = 1.0;
    plant->battery = 1.0;
    plant->battery_sag = 0.12; // 0.3 ohm in all against two motors of 5 ohm
    plant->encoder_step_mm = d->left_step_mm > 0.0F ? d->left_step_mm : 0.5;
    plant->encoder_bits = d->encoder_bits != 0 ? d->encoder_bits : 32;
    plant->command_delay_ms = 1.0; // a short frame on a serial bus
    plant->regulator_slowest_mm_s = d->slowest_mm_s;
    plant->regulator_step_mm_s = 1.0;
    plant->regulator_reset_ms = 200.0;
    plant->regulator_gain = 4.0; // a step is answered in a fifth of the motor's own lag
    plant->regulator_lag_ms = plant->motor_lag_ms;
    plant->stick = plant->dead_backward = plant->slide_grip = 1.0;
    plant->slide_mm_s = 100.0;
    plant->wave_length_mm = 500.0;
    plant->stick_mm_s = 5.0;
    plant->ripple_mm =
        0.42; // a three-pole rotor pulls six times a turn, 50 turns to a wheel's 126 mm
    plant->battery_recovery_s = 2.0;
    plant->wheel_mm = 40.0;
    plant->flicker_hz = 100.0;
    plant->sensors = d->lights;
    for (unsigned i = 0; i < plant->sensors; i++) {
        const cmo_light_description *light = &d->light[i];
        cmo_sim_light *sensor = &plant->sensor[i];
        sensor->ahead_mm = light->ahead_mm;
        sensor->left_mm = light->left_mm;
        sensor->spot_mm = light->spot_mm > 0.0F ? light->spot_mm : 6.0;
        sensor->height_mm = 8.0;
        sensor->counts_max = light->counts_max > 0 ? light->counts_max : 1023.0;
        sensor->black_counts = 0.06 * sensor->counts_max; // cross-talk from lamp to receiver
        sensor->white_counts = 0.85 * sensor->counts_max;
        sensor->noise = 0.01;
        sensor->ambient_share = 0.02; // lit minus unlit
        sensor->interval_ms = light->interval_us > 0 ? light->interval_us / 1000.0 : 10.0;
        sensor->delay_ms = light->delay_us / 1000.0;
        sensor->exposure_ms = 0.5;
        sensor->colour = light->colour;
        sensor->colour_span_ms = light->colour_us / 1000.0;
        sensor->colour_noise = 0.01;
        // A white diode gives the least of red; filters let through some of the neighbours.
        sensor->colour_mix = 0.12;
        sensor->lamp_red = 0.7;
        sensor->lamp_green = 1.0;
        sensor->lamp_blue = 0.8;
    }
    // A small gyroscope after its offset was taken at rest: some degrees a minute, half a per cent.
    plant->heading_drift_deg_s = 0.05;
    plant->heading_scale = 1.005;
    plant->heading_noise_deg = 0.05;
    plant->ambient = 0.3;
    plant->body_front_mm = 0.8 * d->track_mm;
    plant->body_back_mm = plant->body_half_mm = 0.6 * d->track_mm;
    // A small ultrasonic or light-time sensor on the nose.
    plant->range_ahead_mm = plant->body_front_mm;
    plant->range_half_deg = 12.0;
    plant->range_reach_mm = 800.0;
    plant->range_noise_mm = 3.0;
    plant->range_interval_ms = 20.0;
    plant->wheel_spread = 0.004;
    plant->place_spread_mm = 1.0;
    plant->delay_spread_ms = 1.0;
    plant->gain_spread = 0.0; // the levels in the robot file are those of this robot's sensors
    plant->strength_spread = 0.05;
}

static void start_side(side *s, const cmo_sim_plant *p, double size, double strength,
                       noise *source) {
    s->round_size = s->size = size * (1.0 + p->wheel_spread * noise_spread(source));
    s->strength = strength * (1.0 + p->strength_spread * noise_spread(source));
    // Where the wheel and the motor happen to stand.
    s->place_mm = p->encoder_step_mm * noise_even(source);
    s->play_mm = 0.5 * p->gear_play_mm * noise_spread(source);
    s->contact = p->gear_play_mm > 0.0 ? 0 : 2;
}

void cmi_sim_plant_start(struct plant *pl, const cmo_sim_plant *parameters, noise *source,
                         double x_mm, double y_mm, double heading_rad) {
    memset(pl, 0, sizeof *pl);
    const cmo_sim_plant *p = pl->p = parameters;
    pl->x_mm = x_mm;
    pl->y_mm = y_mm;
    pl->heading_rad = heading_rad;
    direction_of(heading_rad, &pl->cosine, &pl->sine);
    start_side(&pl->left, p, p->left_wheel, p->left_strength, source);
    start_side(&pl->right, p, p->right_wheel, p->right_strength, source);
    // The caster stands as it was put down.
    double across = noise_spread(source);
    pl->caster_x =
        noise_spread(source) < 0.0 ? -sqrt(1.0 - across * across) : sqrt(1.0 - across * across);
    pl->caster_y = across;
    pl->caster_skew = 0.03 * noise_spread(source); // up to 1.7 degrees
    pl->mode = DRIVE_COAST;
    pl->grip = 1.0;
    pl->rotor_kg = p->rotor_share * p->mass_kg;
    // The lag is that of half the robot and one rotor on one motor: m v0 / F.
    double driven_kg = 0.5 * p->mass_kg + pl->rotor_kg;
    pl->stall_mn = driven_kg * p->no_load_mm_s / (p->motor_lag_ms * 1e-3);
    pl->rub_mn = pl->stall_mn * p->dead_mm_s / p->no_load_mm_s;
    pl->half_grip_mn = 0.5 * p->mass_kg * p->grip_m_s2 * 1e3;
    // About the axle a body has no less than its mass at its centre.
    double least = 1.1 * p->mass_kg * p->centre_mm * p->centre_mm;
    pl->inertia_kg_mm2 = MAX(p->inertia_kg_m2 * 1e6, least);
    pl->per_rotor_kg = 1.0 / pl->rotor_kg;
    pl->per_mass_kg = 1.0 / p->mass_kg;
    double turning = pl->inertia_kg_mm2;
    if (p->side_creep > 0.0) { // about the centre of mass then
        turning -= p->mass_kg * p->centre_mm * p->centre_mm;
    }
    pl->per_turn = 1.0 / turning;
    pl->side_give = pl->per_mass_kg + p->centre_mm * p->centre_mm * pl->per_turn;
    // A rotor alone, free in the gear play, slows down by its motor at this rate and by half as
    // much again where it holds its place.
    double strength = MAX(pl->left.strength, pl->right.strength);
    pl->per_lag_s = 1.5 * strength * pl->stall_mn * pl->per_rotor_kg / p->no_load_mm_s;
    if (p->regulator != CMO_SIM_TRIM) {
        pl->per_lag_s *= 1.0 + p->regulator_gain;
    }
    pl->turns_per_mm = 1.0 / (3.141592653589793 * p->wheel_mm);
    pl->per_no_load = 1.0 / p->no_load_mm_s;
    pl->per_ripple = 1.0 / p->ripple_mm;
    pl->per_slide = 1.0 / p->slide_mm_s;
    pl->per_stick = 1.0 / p->stick_mm_s;
    pl->per_trail = 1.0 / p->caster_trail_mm;
    // The moment of the centre's inertia about the caster's pivot, and across the track.
    double base = p->caster_behind_mm + p->centre_mm;
    pl->tips_along = fabs(base) > 1.0 ? p->height_mm / (9810.0 * base) : 0.0;
    pl->tips_across = 2.0 * p->height_mm / (9810.0 * p->track_mm);
    pl->plain_tyres = p->height_mm <= 0.0 && p->slide_grip >= 1.0 && p->side_creep <= 0.0;
}

static void vary_side(side *s, const cmo_sim_plant *p, noise *source) {
    s->phase = 0.5 * noise_spread(source);
    for (int i = 0; i < 4; i++) {
        s->edge[i] = p->encoder_wobble * noise_spread(source);
    }
}

void cmi_sim_plant_vary(struct plant *pl, noise *source) {
    vary_side(&pl->left, pl->p, source);
    vary_side(&pl->right, pl->p, source);
}

// The edges of four counts come again with each period of a two-channel encoder's tracks.
int64_t cmi_sim_plant_count(const struct plant *pl, const side *s) {
    double steps = s->place_mm / pl->p->encoder_step_mm;
    int64_t count = (int64_t)floor(steps);
    double within = steps - (double)count;
    if (within < s->edge[count & 3]) {
        return count - 1;
    }
    return within >= 1.0 + s->edge[(count + 1) & 3] ? count + 1 : count;
}

// A wheel that is not round has, at each place of its turn, another size.
static void turn_wheel(const struct plant *pl, side *s) {
    double turns = s->place_mm * pl->turns_per_mm + s->phase;
    s->size = s->round_size * (1.0 + pl->p->eccentric * sine_of_turns(turns));
}

void cmi_sim_plant_halt(struct plant *pl, drive_mode mode) {
    if (mode == DRIVE_HOLD && pl->mode != DRIVE_HOLD) {
        pl->left.hold_mm = pl->left.place_mm;
        pl->right.hold_mm = pl->right.place_mm;
    }
    pl->mode = mode;
    pl->left.trim = pl->right.trim = 0.0;
    pl->left.reference_mm_s = pl->right.reference_mm_s = 0.0;
    pl->left.model_mm_s = pl->right.model_mm_s = 0.0;
}

// The caster's force on the body: while it swings round to trail behind its pivot it rubs sideways.
static void swing_caster(struct plant *pl, double dt_s, double *along_mn, double *torque_mn_mm) {
    const cmo_sim_plant *p = pl->p;
    *along_mn = *torque_mn_mm = 0.0;
    if (p->caster_trail_mm < BALL_MM) {
        return;
    }
    double vx = pl->speed_mm_s;
    double vy = pl->side_mm_s - pl->turn_rad_s * p->caster_behind_mm;
    double in_line = vx * pl->caster_x + vy * pl->caster_y;
    double speed = sqrt(vx * vx + vy * vy);
    // No caster stands quite true: its own skew is what tips it over when the robot reverses.
    double skew = pl->caster_skew * speed;
    double nx = vx - in_line * pl->caster_x - skew * pl->caster_y;
    double ny = vy - in_line * pl->caster_y + skew * pl->caster_x;
    // The contact follows its pivot like a trailer; the body's own turn swings it too.
    double cx = pl->caster_x + dt_s * (nx * pl->per_trail + pl->turn_rad_s * pl->caster_y);
    double cy = pl->caster_y + dt_s * (ny * pl->per_trail - pl->turn_rad_s * pl->caster_x);
    double per_norm = 1.0 / sqrt(cx * cx + cy * cy);
    pl->caster_x = cx * per_norm;
    pl->caster_y = cy * per_norm;
    // Rubbing brings what slides to rest within a step at most; it does not throw it back.
    double scrub = MIN(p->caster_scrub_n * 1e3 / (speed + 2.0), pl->rates.most_scrub);
    *along_mn = -scrub * nx;
    *torque_mn_mm = scrub * ny * p->caster_behind_mm;
}

// Speeds at the start of a step: ways are taken with the mean of start and end.
typedef struct speeds {
    double speed_mm_s, turn_rad_s, left_mm_s, right_mm_s, side_mm_s;
} speeds;

static void move(struct plant *pl, const speeds *before, double dt_s) {
    pl->left.place_mm += 0.5 * (pl->left.speed_mm_s + before->left_mm_s) * dt_s;
    pl->right.place_mm += 0.5 * (pl->right.speed_mm_s + before->right_mm_s) * dt_s;
    double turn = 0.5 * (pl->turn_rad_s + before->turn_rad_s) * dt_s;
    double z = turn * turn;
    double s = turn * (1.0 - z / 6.0);
    double c = 1.0 - z / 2.0 * (1.0 - z / 12.0);
    double cosine = pl->cosine * c - pl->sine * s;
    double sine = pl->sine * c + pl->cosine * s;
    double norm = 1.5 - 0.5 * (cosine * cosine + sine * sine); // keeps the vector's length at one
    cosine *= norm;
    sine *= norm;
    double way = 0.5 * (pl->speed_mm_s + before->speed_mm_s) * dt_s;
    if (pl->p->lean_mm > 0.0) { // the body on its tyres: back again once it stands
        double lean = -pl->p->lean_mm * pl->gained_mm_s2 / (1000.0 * pl->p->grip_m_s2);
        way += lean - pl->leaned_mm;
        pl->leaned_mm = lean;
    }
    double aside = 0.5 * (pl->side_mm_s + before->side_mm_s) * dt_s;
    pl->x_mm += 0.5 * way * (pl->cosine + cosine);
    pl->y_mm += 0.5 * way * (pl->sine + sine);
    if (aside != 0.0) {
        pl->x_mm -= 0.5 * aside * (pl->sine + sine);
        pl->y_mm += 0.5 * aside * (pl->cosine + cosine);
    }
    pl->heading_rad += turn;
    pl->way_mm += way;
    pl->cosine = cosine;
    pl->sine = sine;
}

// Weight pulls downhill, at the centre of mass.
static void fall(struct plant *pl, double dt_s) {
    const cmo_sim_plant *p = pl->p;
    double sine, cosine, down, aside;
    direction_of(p->slope_deg * (3.141592653589793 / 180.0), &cosine, &sine);
    double pull = 9810.0 * sine * dt_s;
    direction_of(p->slope_to_deg * (3.141592653589793 / 180.0) - pl->heading_rad, &down, &aside);
    pl->speed_mm_s += pull * down;
    if (p->side_creep > 0.0) {
        pl->side_mm_s += pull * aside;
    } else { // the tyres hold the axle, and what is ahead of it turns it
        pl->turn_rad_s += p->centre_mm * p->mass_kg * pull * aside * pl->per_turn;
    }
}

// Speeds are those of a frame that turns with the robot. Where the axle may slide, the centre of
// mass flies straight on, and its speed turns in the frame; where it may not, the tyres hold
// against what that would be.
static void turn_frame(struct plant *pl, double dt_s) {
    const cmo_sim_plant *p = pl->p;
    double turn = pl->turn_rad_s;
    double sine, cosine;
    if (p->side_creep <= 0.0) {
        // u' = c r^2, r' = -m c u r / I: with v = k r and k^2 = I / m that turns (u, v) and keeps
        // its length, which is the energy.
        double radius = sqrt(pl->inertia_kg_mm2 * pl->per_mass_kg);
        double speed = pl->speed_mm_s;
        direction_of(p->centre_mm * turn / radius * dt_s, &cosine, &sine);
        pl->speed_mm_s = speed * cosine + radius * turn * sine;
        pl->turn_rad_s = turn * cosine - speed / radius * sine;
        return;
    }
    direction_of(turn * dt_s, &cosine, &sine);
    double along = pl->speed_mm_s;
    double aside = pl->side_mm_s + p->centre_mm * turn;
    pl->speed_mm_s = along * cosine + aside * sine;
    pl->side_mm_s = aside * cosine - along * sine - p->centre_mm * turn;
}

static double share_of(double dt_s, double lag_s) {
    return dt_s / (lag_s + dt_s);
}

static void set_rates(struct plant *pl, double dt_s) {
    const cmo_sim_plant *p = pl->p;
    double lever = p->caster_behind_mm * p->caster_behind_mm * pl->per_turn;
    pl->rates = (step_rates){.dt_s = dt_s,
                             .most_scrub = 1.0 / (dt_s * MAX(pl->per_mass_kg, lever)),
                             .filter = share_of(dt_s, p->regulator_filter_ms * 1e-3),
                             .trim = dt_s / (p->regulator_reset_ms * 1e-3),
                             .electric = share_of(dt_s, p->electric_ms * 1e-3),
                             .battery = share_of(dt_s, p->battery_recovery_s),
                             .tips = share_of(dt_s, 0.02), // within some hundredths of a second
                             .model = share_of(dt_s, p->regulator_lag_ms * 1e-3),
                             .motor_model = share_of(dt_s, p->motor_lag_ms * 1e-3)};
}

static void step(struct plant *pl, double dt_s) {
    const cmo_sim_plant *p = pl->p;
    if (dt_s != pl->rates.dt_s) {
        set_rates(pl, dt_s);
    }
    speeds before = {pl->speed_mm_s, pl->turn_rad_s, pl->left.speed_mm_s, pl->right.speed_mm_s,
                     pl->side_mm_s};
    double load = 0.5 * (fabs(pl->left.force) + fabs(pl->right.force));
    double volts = p->battery * (1.0 - p->battery_sag * MIN(load, 1.0));
    if (p->battery_deep > 0.0) {
        pl->weary += (MIN(load, 1.0) - pl->weary) * pl->rates.battery;
        volts -= p->battery * p->battery_deep * pl->weary;
    }
    if (p->eccentric > 0.0) {
        turn_wheel(pl, &pl->left);
        turn_wheel(pl, &pl->right);
    }
    double left_mn = cmi_sim_motor_force(pl, &pl->left, volts, dt_s);
    double right_mn = cmi_sim_motor_force(pl, &pl->right, volts, dt_s);
    double along_mn, torque_mn_mm;
    swing_caster(pl, dt_s, &along_mn, &torque_mn_mm);
    pl->left.speed_mm_s += left_mn * dt_s * pl->per_rotor_kg;
    pl->right.speed_mm_s += right_mn * dt_s * pl->per_rotor_kg;
    pl->speed_mm_s += along_mn * dt_s * pl->per_mass_kg;
    twist(pl, torque_mn_mm * dt_s, p->side_creep > 0.0);
    if (p->side_creep > 0.0 || p->centre_mm != 0.0) {
        turn_frame(pl, dt_s);
    }
    if (p->slope_deg != 0.0) {
        fall(pl, dt_s);
    }
    cmi_sim_plant_couple(pl, dt_s);
    if (p->height_mm > 0.0 || p->nose_mm > 0.0 || p->lean_mm > 0.0) {
        double gained = (pl->speed_mm_s - before.speed_mm_s) / dt_s;
        pl->gained_mm_s2 += (gained - pl->gained_mm_s2) * pl->rates.tips;
    }
    move(pl, &before, dt_s);
}

// What changes faster than a step lasts is worked out in parts of it: else it would swing up.
void cmi_sim_plant_step(struct plant *pl, double dt_s) {
    const cmo_sim_plant *p = pl->p;
    double rate = MAX(pl->per_lag_s, 4.0 * fabs(pl->turn_rad_s));
    if (p->caster_trail_mm >= BALL_MM) {
        double swing = fabs(pl->speed_mm_s) + fabs(pl->turn_rad_s * p->caster_behind_mm);
        rate = MAX(rate, 2.0 * swing * pl->per_trail);
    }
    int parts = (int)ceil(MIN(rate * dt_s, MOST_PARTS));
    for (int i = 1; i < parts; i++) {
        step(pl, dt_s / parts);
    }
    step(pl, parts > 1 ? dt_s / parts : dt_s);
}

bool cmi_sim_plant_sound(const struct plant *pl) {
    double all = pl->side_mm_s + pl->x_mm + pl->y_mm + pl->heading_rad + pl->speed_mm_s +
                 pl->turn_rad_s + pl->left.place_mm + pl->right.place_mm + pl->caster_x +
                 pl->caster_y;
    double fastest = 1e3 * MAX(pl->p->no_load_mm_s, 1000.0);
    return isfinite(all) && fabs(pl->left.speed_mm_s) < fastest &&
           fabs(pl->right.speed_mm_s) < fastest && fabs(pl->speed_mm_s) < fastest;
}

plant_place cmi_sim_plant_place(const struct plant *pl) {
    return (plant_place){pl->x_mm, pl->y_mm,   pl->heading_rad,   pl->cosine,
                         pl->sine, pl->way_mm, pl->left.place_mm, pl->right.place_mm};
}

void cmi_sim_plant_stand(struct plant *pl, const plant_place *at) {
    pl->x_mm = at->x_mm;
    pl->y_mm = at->y_mm;
    pl->heading_rad = at->heading_rad;
    pl->cosine = at->cosine;
    pl->sine = at->sine;
    pl->way_mm = at->way_mm;
    pl->left.place_mm = at->left_mm;
    pl->right.place_mm = at->right_mm;
    pl->speed_mm_s = pl->turn_rad_s = pl->side_mm_s = pl->gained_mm_s2 = 0.0;
    pl->left.speed_mm_s = pl->right.speed_mm_s = 0.0;
}
