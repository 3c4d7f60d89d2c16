// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli.h"

#include <cammino_lab/fleet.h>
#include <cammino_lab/stops.h>
#include <json-glib/json-glib.h>
#include <math.h>

#define ROWS   12
#define TRIALS 20

static gint64 seed = 1;
static gboolean json, quiet;
static double distance, width, speed;
static char *picture;

static const GOptionEntry options[] = {
    {"distance", 0, 0, G_OPTION_ARG_DOUBLE, &distance,
     "Also say the highest speed that stands within this, mm", "MM"},
    {"width", 0, 0, G_OPTION_ARG_DOUBLE, &width,
     "Also say the highest speed at which no line of this width is missed, mm", "MM"},
    {"speed", 0, 0, G_OPTION_ARG_DOUBLE, &speed, "Only this speed, mm/s", "MM/S"},
    {"picture", 0, 0, G_OPTION_ARG_FILENAME, &picture,
     "Draw stopping distance against speed, by part, with the simulated robot's own stops; and how "
     "fast an edge can be followed around bends (.png or .svg)",
     "FILE"},
    {"seed", 0, 0, G_OPTION_ARG_INT64, &seed, "Which robot of a fleet (default 1)", "N"},
    {"json", 0, 0, G_OPTION_ARG_NONE, &json, "Print the budget as one JSON document", NULL},
    {"quiet", 0, 0, G_OPTION_ARG_NONE, &quiet, "Print nothing but what is wrong", NULL},
    {NULL, 0, 0, 0, NULL, NULL, NULL}};

typedef struct row {
    double speed_mm_s;
    cmo_budget budget;
    double width_mm;
    lab_stops stops;
} row;

typedef struct sheet {
    const lab_robot *robot;
    const char *path;
    unsigned rows;
    row row[ROWS];
} sheet;

// Round speeds up to the top speed.
static void fill(sheet *s) {
    const cmo_robot_description *d = &s->robot->description;
    double top = (double)d->top_speed_mm_s;
    double step = pow(10.0, floor(log10(top / 5.0)));
    step *= top / step > 50.0 ? 10.0 : top / step > 25.0 ? 5.0 : top / step > 10.0 ? 2.0 : 1.0;
    for (double v = speed > 0.0 ? speed : step; v <= top + 1e-6 && s->rows < ROWS; v += step) {
        row *r = &s->row[s->rows++];
        r->speed_mm_s = v;
        r->budget = cmo_budget_at(d, 0, (float)v, 0.0F);
        r->width_mm = (double)cmo_budget_width(d, s->robot->traits, (float)v);
        lab_measure_stops(s->robot, v, TRIALS, &r->stops);
        if (speed > 0.0) {
            break;
        }
    }
}

// So much further than reckoned is no more than gear play and tyres make of it.
#define EXCESS    0.05
#define EXCESS_MM 0.5

// Where the robot does not keep what is stated of it.
static void print_excess(const sheet *s) {
    double most = 0.0, at = 0.0;
    for (unsigned i = 0; i < s->rows; i++) {
        const row *r = &s->row[i];
        double reckoned = (double)r->budget.total_mm;
        double more = r->stops.most_mm / reckoned - 1.0;
        bool further = r->stops.n > 0 && r->stops.most_mm > (1.0 + EXCESS) * reckoned + EXCESS_MM;
        if (further && more > most) {
            most = more;
            at = r->speed_mm_s;
        }
    }
    if (most > 0.0) {
        printf("simulated, it goes further, by %.0f %% at %.0f mm/s: its lag or its tyres are not "
               "as stated;\nmeasure_drive and measure_braking tell\n",
               100.0 * most, at);
    }
}

static void print_table(const sheet *s) {
    cli_line("%s, %s: way from the crossing of an edge to standstill, at worst, mm", s->robot->name,
             s->path);
    printf("\n%7s%8s%8s%8s%8s%9s%8s%18s%12s\n", "mm/s", "look", "delay", "tick", "lag", "braking",
           "total", "simulated, worst", "least line");
    for (unsigned i = 0; i < s->rows; i++) {
        const row *r = &s->row[i];
        const cmo_budget *b = &r->budget;
        printf("%7.0f %7.1f %7.1f %7.1f %7.1f %8.1f %7.1f", r->speed_mm_s, (double)b->look_mm,
               (double)b->delay_mm, (double)b->tick_mm, (double)b->lag_mm, (double)b->braking_mm,
               (double)b->total_mm);
        if (r->stops.n > 0) {
            printf("%18.1f", r->stops.most_mm);
        } else {
            printf("%18s", "-");
        }
        printf("%12.1f\n", r->width_mm);
    }
    printf("\nleast line: the narrowest that no look can miss\n");
    print_excess(s);
}

// How fast it may patrol within a boundary, and which angles its geometry cannot see.
static void print_patrol(const cmo_robot_description *d) {
    if (d->lights < 2) {
        return;
    }
    cmo_patrol_budget any, convex, straight;
    cmo_budget_patrol(d, CMO_GRAZING_SWAY, false, 3.0F, 0.0F, &any);
    cmo_budget_patrol(d, CMO_GRAZING_SWAY, true, 3.0F, 0.0F, &convex);
    cmo_budget_patrol(d, CMO_GRAZING_ACCEPT, true, 3.0F, 0.0F, &straight);
    printf("\nstay inside, wheels and caster 3 mm from the boundary\n");
    if (any.blind_deg < 90.0F) {
        printf("  driving straight, a wheel is over it unseen from %.0f degrees off square on: the "
               "tyres stand further out than the spots\n",
               (double)any.blind_deg);
    }
    if (convex.speed_mm_s <= 0.0F) {
        printf("  no speed is safe at all angles; put the spots further out or further ahead\n");
    } else if (convex.sway_deg > 0.0F) {
        printf("  at any angle: up to %.0f mm/s, swaying %.0f degrees every %.0f mm; none where a "
               "corner pokes in, it can pass beside a spot and under a tyre\n",
               (double)convex.speed_mm_s, (double)convex.sway_deg, (double)convex.sway_mm);
    } else {
        printf("  at any angle: up to %.0f mm/s; where no corner pokes in, %.0f\n",
               (double)any.speed_mm_s, (double)convex.speed_mm_s);
    }
    if (straight.sees_deg < 90.0F) {
        printf("  straight, up to %.0f degrees off square: up to %.0f mm/s\n",
               (double)straight.sees_deg, (double)straight.speed_mm_s);
    }
}

static const float radii[] = {50.0F, 100.0F, 150.0F, 250.0F, 500.0F, 1000.0F};

// How fast it may follow an edge, by the radius of its tightest bend: each sensor may be the one.
static double bend_mm_s(const cmo_robot_description *d, float radius_mm, bool gaps) {
    float fastest = d->top_speed_mm_s;
    for (uint8_t i = 0; i < d->lights && i < 2; i++) {
        fastest = fminf(fastest, cmo_budget_follow(d, i, radius_mm, gaps));
    }
    return (double)fastest;
}

static void print_bends(const cmo_robot_description *d) {
    printf("\nfollow an edge\n");
    if (d->light[0].spot_mm <= 0.0F) {
        printf("  not without the size of the spots (spot_mm)\n");
        return;
    }
    bool turns = false;
    printf("  tightest bend, mm   ");
    for (size_t i = 0; i < G_N_ELEMENTS(radii); i++) {
        printf("%8.0f", (double)radii[i]);
    }
    for (int gaps = 0; gaps < 2; gaps++) {
        printf("\n  %-20s", gaps == 1 ? "over gaps" : "up to, mm/s");
        for (size_t i = 0; i < G_N_ELEMENTS(radii); i++) {
            double fastest = bend_mm_s(d, radii[i], gaps == 1);
            if (fastest > 0.0) {
                printf("%8.0f", fastest);
            } else {
                printf("%8s", "none");
                turns = true;
            }
        }
    }
    printf("\n");
    if (turns) {
        printf("  none: the spots stand so far aside that it would have to turn on the spot\n");
    }
}

// The angles at which a table's edge is met: as a robot that was put down square to it, and as far
// off as routines expect it to be if nobody says.
static const float entries[] = {10.0F, 45.0F};

static void print_edge(const cmo_robot_description *d) {
    if (cmo_budget_reach(d, 0.0F, true) <= 0.0F) {
        printf("at a table's edge the sensors must be ahead of the wheels\n");
        return;
    }
    // Where the spots stand further out than the tyres, no angle leaves less.
    bool alike = cmo_budget_reach(d, entries[0], true) == cmo_budget_reach(d, entries[1], true);
    for (size_t i = alike ? 1 : 0; i < G_N_ELEMENTS(entries); i++) {
        float reach = cmo_budget_reach(d, entries[i], true);
        printf("at a table's edge, up to %.0f degrees off square: ", (double)entries[i]);
        if (reach > 0.0F) {
            printf("the wheels have %.0f mm, up to %.0f mm/s\n", (double)reach,
                   (double)cmo_budget_edge_speed(d, entries[i], true, 0.0F));
        } else {
            printf("a tyre is over it unseen\n");
        }
    }
}

static void print_answers(const sheet *s) {
    const cmo_robot_description *d = &s->robot->description;
    print_edge(d);
    if (distance > 0.0) {
        printf("within %.4g mm: up to %.0f mm/s\n", distance,
               (double)cmo_budget_speed(d, 0, (float)distance, 0.0F));
    }
    if (width > 0.0) {
        double highest = width / (double)cmo_budget_width(d, s->robot->traits, 1.0F);
        printf("a line of %.4g mm: up to %.0f mm/s\n", width,
               fmin(highest, (double)d->top_speed_mm_s));
    }
    print_patrol(d);
    print_bends(d);
}

static void add(JsonBuilder *builder, const char *name, double value) {
    json_builder_set_member_name(builder, name);
    json_builder_add_double_value(builder, rint(value * 1000.0) / 1000.0);
}

static void print_json(const sheet *s) {
    const cmo_robot_description *d = &s->robot->description;
    JsonBuilder *builder = json_builder_new();
    json_builder_begin_object(builder);
    json_builder_set_member_name(builder, "robot");
    json_builder_add_string_value(builder, s->path);
    json_builder_set_member_name(builder, "speeds");
    json_builder_begin_array(builder);
    for (unsigned i = 0; i < s->rows; i++) {
        const row *r = &s->row[i];
        json_builder_begin_object(builder);
        add(builder, "speed_mm_s", r->speed_mm_s);
        add(builder, "look_mm", (double)r->budget.look_mm);
        add(builder, "delay_mm", (double)r->budget.delay_mm);
        add(builder, "tick_mm", (double)r->budget.tick_mm);
        add(builder, "lag_mm", (double)r->budget.lag_mm);
        add(builder, "braking_mm", (double)r->budget.braking_mm);
        add(builder, "total_mm", (double)r->budget.total_mm);
        if (r->stops.n > 0) {
            add(builder, "simulated_worst_mm", r->stops.most_mm);
        }
        add(builder, "least_line_mm", r->width_mm);
        json_builder_end_object(builder);
    }
    json_builder_end_array(builder);
    add(builder, "edge_square_mm_s", (double)cmo_budget_edge_speed(d, entries[0], true, 0.0F));
    add(builder, "edge_slanted_mm_s", (double)cmo_budget_edge_speed(d, entries[1], true, 0.0F));
    if (d->lights > 1) {
        cmo_patrol_budget any, convex;
        cmo_budget_patrol(d, CMO_GRAZING_SWAY, false, 3.0F, 0.0F, &any);
        cmo_budget_patrol(d, CMO_GRAZING_SWAY, true, 3.0F, 0.0F, &convex);
        add(builder, "patrol_mm_s", (double)any.speed_mm_s);
        add(builder, "patrol_convex_mm_s", (double)convex.speed_mm_s);
        add(builder, "sway_deg", (double)convex.sway_deg);
        add(builder, "blind_deg", (double)any.blind_deg);
    }
    if (d->light[0].spot_mm > 0.0F) {
        json_builder_set_member_name(builder, "bends");
        json_builder_begin_array(builder);
        for (size_t i = 0; i < G_N_ELEMENTS(radii); i++) {
            json_builder_begin_object(builder);
            add(builder, "tightest_mm", (double)radii[i]);
            add(builder, "follow_mm_s", bend_mm_s(d, radii[i], false));
            add(builder, "over_gaps_mm_s", bend_mm_s(d, radii[i], true));
            json_builder_end_object(builder);
        }
        json_builder_end_array(builder);
    }
    if (distance > 0.0) {
        add(builder, "distance_mm_s", (double)cmo_budget_speed(d, 0, (float)distance, 0.0F));
    }
    json_builder_end_object(builder);
    cli_print_json(builder);
}

// Each part as an area upon the ones before it; the simulated stops as bars over them.
static bool draw(const sheet *s, GError **error) {
    static const char *const names[] = {"look", "sensor delay", "tick", "motor lag", "braking"};
    static const char *const colours[] = {"#2c4a6e", "#4f9aa8", "#5b8c5a", "#d9b13b", "#d9883b"};
    GString *out = g_string_new("$budget << EOD\n0 0 0 0 0 0\n");
    double top = s->row[s->rows - 1].speed_mm_s;
    for (int i = 1; i <= 100; i++) {
        cmo_budget b = cmo_budget_at(&s->robot->description, 0, (float)(top * i / 100.0), 0.0F);
        g_string_append_printf(out, "%.2f %.3f %.3f %.3f %.3f %.3f\n", top * i / 100.0,
                               (double)b.look_mm, (double)(b.look_mm + b.delay_mm),
                               (double)(b.look_mm + b.delay_mm + b.tick_mm),
                               (double)(b.total_mm - b.braking_mm), (double)b.total_mm);
    }
    const cmo_robot_description *d = &s->robot->description;
    bool bends = d->light[0].spot_mm > 0.0F;
    g_string_append(out, "EOD\n$bends << EOD\n");
    for (double r = 20.0; r <= 1000.0; r += 10.0) {
        g_string_append_printf(out, "%.0f %.1f\n", r, bend_mm_s(d, (float)r, false));
    }
    g_string_append(out, "EOD\n$stops << EOD\n");
    bool any = false;
    for (unsigned i = 0; i < s->rows; i++) {
        const lab_stops *stops = &s->row[i].stops;
        if (stops->n > 0) {
            any = true;
            g_string_append_printf(out, "%.2f %.3f %.3f %.3f\n", stops->speed_mm_s, stops->mean_mm,
                                   stops->least_mm, stops->most_mm);
        }
    }
    char *title =
        g_strdup_printf("%s: way from the crossing to standstill, at worst", s->robot->name);
    char *heading = cli_plot_quoted(title);
    g_string_append_printf(out, "EOD\n%s",
                           bends ? "set multiplot\nset origin 0,0; set size 0.66,1\n" : "");
    g_string_append_printf(out,
                           "set title '%s' font 'DejaVu Sans Bold,13'\n"
                           "set xlabel 'speed, mm/s'; set ylabel 'way, mm'\n"
                           "set xrange [0:%.1f]; set yrange [0:*]\n"
                           "set key left top Left reverse spacing 1.3\nset rmargin 4\nplot ",
                           heading, top * 1.02);
    for (int i = 4; i >= 0; i--) {
        g_string_append_printf(out,
                               "$budget using 1:%d with filledcurves y1=0 fillstyle solid 0.8 "
                               "linecolor rgb '%s' title '%s', ",
                               i + 2, colours[i], names[i]);
    }
    if (any) {
        g_string_append(out,
                        "$stops using 1:2:3:4 with yerrorbars pointtype 7 pointsize 1 linewidth "
                        "2 linecolor rgb '#111111' title 'simulated stops, least to most'\n");
    } else {
        g_string_truncate(out, out->len - 2);
        g_string_append_c(out, '\n');
    }
    if (bends) {
        g_string_append(out, "set origin 0.66,0; set size 0.34,1\nunset key\n"
                             "set title 'following an edge' font 'DejaVu Sans Bold,13'\n"
                             "set xlabel 'radius of its tightest bend, mm'\n"
                             "set ylabel 'up to, mm/s'\nset xrange [0:1000]; set yrange [0:*]\n"
                             "plot $bends using 1:2 with lines linewidth 3 linecolor rgb "
                             "'#2c4a6e'\nunset multiplot\n");
    }
    bool good = cli_plot(out->str, picture, error);
    g_free(heading);
    g_free(title);
    g_string_free(out, TRUE);
    return good;
}

static int check(const lab_robot *robot) {
    double top = (double)robot->description.top_speed_mm_s;
    if (robot->description.lights == 0) {
        return cli_wrong("the robot has no light sensor, so there is no crossing to stop from");
    }
    if (speed != 0.0 && !(speed > 0.0 && speed <= top)) {
        return cli_wrong("--speed: %g is out of range; up to this robot's top speed, %g", speed,
                         top);
    }
    if (!(distance >= 0.0 && distance <= 100000.0)) {
        return cli_wrong("--distance: %g is out of range; 0 to 100000", distance);
    }
    if (!(width >= 0.0 && width <= 1000.0)) {
        return cli_wrong("--width: %g is out of range; 0 to 1000", width);
    }
    return CLI_DONE;
}

static int run(int count, char **arguments) {
    GError *error = NULL;
    if (count != 1) {
        return cli_wrong(
            "budget takes one robot file, as in: cammino budget data/ferry/mozzo.yaml");
    }
    if (!cli_picture_name(picture, &error) ||
        !cli_spares(&error, "--picture", picture, arguments[0], NULL)) {
        return cli_error(error);
    }
    if (seed < 0) {
        return cli_wrong("--seed: %" G_GINT64_FORMAT " is out of range; 0 or more", seed);
    }
    lab_fleet *fleet;
    lab_robot *robot;
    if (!lab_load_robot(arguments[0], &robot, &fleet, &error)) {
        return cli_error(error);
    }
    if (fleet != NULL) {
        robot = lab_fleet_robot(fleet, (uint64_t)seed, &error);
    }
    int status = robot != NULL ? check(robot) : cli_error(error);
    if (status == CLI_DONE) {
        sheet s = {.robot = robot, .path = arguments[0]};
        fill(&s);
        if (picture != NULL && !draw(&s, &error)) {
            status = cli_error(error);
        } else if (json) {
            print_json(&s);
        } else if (!quiet) {
            print_table(&s);
            print_answers(&s);
        }
    }
    lab_robot_free(robot);
    lab_fleet_free(fleet);
    g_free(picture);
    return status;
}

const cli_command cli_budget = {
    "budget",
    "ROBOT",
    "How far a robot goes before it stands, by part, and how fast it may go",
    "From the robot file alone, or of one robot of a fleet: the way from the crossing of an edge "
    "to standstill, at worst, "
    "split "
    "into look, sensor delay, tick, motor lag and braking; beside it the worst of 20 stops of the "
    "simulated robot at that speed. Says what speed is safe at a table's edge, within a distance, "
    "and "
    "over a line of a width.",
    "cammino budget data/ferry/mozzo.yaml --distance 40 --width 15",
    options,
    run};
