// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli.h"

#include "levels_told.h"

#include <json-glib/json-glib.h>
#include <math.h>
#include <string.h>

static gint64 seed = 1;
static gboolean json, quiet, write_file, surfaces;
static char *robot_path, *line_name, *picture;
static double change = 0.1;

static const GOptionEntry options[] = {
    {"robot", 0, 0, G_OPTION_ARG_FILENAME, &robot_path,
     "The robot file that readings belong to; of a route: this robot, or fleet, instead of its own",
     "FILE"},
    {"line", 0, 0, G_OPTION_ARG_STRING, &line_name,
     "The surface that is the line, in readings by surface (default line)", "NAME"},
    {"change", 0, 0, G_OPTION_ARG_DOUBLE, &change,
     "By what share of itself a reading may change with the light (default 0.1)", "SHARE"},
    {"write", 0, 0, G_OPTION_ARG_NONE, &write_file,
     "Write the levels into the robot file; nothing else in its text changes", NULL},
    {"surfaces", 0, 0, G_OPTION_ARG_NONE, &surfaces,
     "Tell all surfaces of the readings from each other; with --write they go into the robot file "
     "too, for legs to look for by name",
     NULL},
    {"picture", 0, 0, G_OPTION_ARG_FILENAME, &picture,
     "Draw how often each reading came, with levels and threshold; with --surfaces, of sensors "
     "that see colour, which colours came, and how far each surface reaches (.png or .svg)",
     "FILE"},
    {"seed", 0, 0, G_OPTION_ARG_INT64, &seed, "Which robot, and which noise (default 1)", "N"},
    {"json", 0, 0, G_OPTION_ARG_NONE, &json, "Print the levels as one JSON document", NULL},
    {"quiet", 0, 0, G_OPTION_ARG_NONE, &quiet, "Print nothing but what is wrong", NULL},
    {NULL, 0, 0, 0, NULL, NULL, NULL}};

// What was found, of which robot and from what.
typedef struct findings {
    const lab_robot *robot;
    const char *robot_file;
    const char *source;
    const lab_floor *floor;
    unsigned lights;
    lab_sensor_levels sensor[CMO_LIGHTS_MAX];
    lab_robot taught; // with --surfaces: they, as a robot knows them
    lab_told told[CMO_LIGHTS_MAX];
} findings;

static const char *fault_text(cmo_levels_fault fault) {
    static const char *const texts[CMO_LEVELS_FAULTS] = {
        "good",
        "too few readings; at least 20. Is it plugged in?",
        "it saw one surface only; start before a line and drive over it",
        "a surface lies at the end of what the sensor can give; raise or shade it",
        "the noise is too large for the contrast",
        "the two surfaces are too near to each other",
        "its contrast is less than half of the other sensor's; has it missed the line?",
    };
    return (unsigned)fault < CMO_LEVELS_FAULTS ? texts[fault] : "?";
}

// -------------------------------------------------------------------------------------- tables --

static void print_surfaces(const findings *f) {
    printf("%-7s%-18s%9s%9s%8s%13s%8s\n", "sensor", "surface", "readings", "counts", "+-",
           "reflectance", "+-");
    for (unsigned n = 0; n < f->lights; n++) {
        for (guint i = 0; i < f->floor->surfaces->len; i++) {
            const lab_surface *surface = g_ptr_array_index(f->floor->surfaces, i);
            const lab_surface_figures *figures = &f->sensor[n].surface[i];
            printf("%-7s%-18s%9u", i == 0 ? cli_side(n) : "", surface->name, figures->readings);
            if (isnan(figures->counts)) {
                printf("  too few, at least 20\n");
            } else if (f->sensor[n].fault != CMO_LEVELS_GOOD) {
                printf("%9.1f%8.1f\n", figures->counts, figures->spread);
            } else {
                printf("%9.1f%8.1f%13.3f%8.3f\n", figures->counts, figures->spread,
                       fabs(figures->reflectance) < 0.0005 ? 0.0 : figures->reflectance,
                       figures->reflectance_spread);
            }
        }
    }
    printf("\n");
}

static void print_table(const findings *f) {
    cli_line("%s, %s", f->robot->name, f->source);
    printf("\n");
    if (f->floor->named) {
        print_surfaces(f);
    }
    printf("%-7s%8s%8s%8s%11s%9s%12s\n", "sensor", "dark", "light", "noise", "threshold", "band +-",
           "contrast");
    for (unsigned i = 0; i < f->lights; i++) {
        const cmo_levels *levels = &f->sensor[i].levels;
        if (f->sensor[i].fault != CMO_LEVELS_GOOD) {
            printf("%-7s refused, %s: %s\n", cli_side(i), cmo_levels_fault_name(f->sensor[i].fault),
                   fault_text(f->sensor[i].fault));
            continue;
        }
        double contrast = (double)levels->light - levels->dark;
        cmo_tone tone = levels->light_threshold != 0 ? CMO_TONE_LIGHT : CMO_TONE_DARK;
        cmo_edge edge;
        cmo_edge_start(&edge, levels, tone, 0.0F);
        printf("%-7s%8u%8u%8u%11.0f%9.0f%8.0f x noise\n", cli_side(i), levels->dark, levels->light,
               levels->noise, levels->dark + contrast * (double)cmo_threshold(levels, tone),
               fabs(contrast) * (double)edge.hysteresis, fabs(contrast) / levels->noise);
    }
}

static void print_margins(const findings *f) {
    bool any = false;
    for (unsigned i = 0; i < f->lights; i++) {
        const lab_sensor_levels *sensor = &f->sensor[i];
        if (!sensor->has_line) {
            continue;
        }
        const cmo_choice *choice = &sensor->choice;
        any = true;
        printf("%s%s: the line counts from reflectance ", i == 0 ? "\n" : "", cli_side(i));
        if (isfinite((double)choice->band.low)) {
            printf("%.3f on", (double)choice->band.low);
        }
        if (isfinite((double)choice->band.high)) {
            printf("%s%.3f", isfinite((double)choice->band.low) ? " to " : "0 to ",
                   (double)choice->band.high);
        }
        if (choice->margin <= 0.0F) {
            printf("; it cannot be told from %s: their readings overlap by %.3f\n", sensor->nearest,
                   -2.0 * (double)choice->margin);
        } else {
            printf("; margin %.3f, nearest is %s: %s\n", (double)choice->margin, sensor->nearest,
                   choice->safe ? "safe" : "not safe, 0.05 would be");
        }
        if (isfinite((double)choice->band.low) && isfinite((double)choice->band.high)) {
            printf("      neither dark nor light: give a leg band: {low: %.3f, high: %.3f}\n",
                   (double)choice->band.low, (double)choice->band.high);
        }
    }
    if (f->floor->named && !any && !surfaces && f->sensor[0].fault == CMO_LEVELS_GOOD) {
        printf("\n");
        cli_line("no surface is named %s, so no margin can be told; --line says which it is",
                 line_name);
    } else if (any) {
        printf("      a margin allows for four times the noise, and for light that changes a "
               "reading by %.0f %%\n",
               100.0 * change);
    }
}

// ---------------------------------------------------------------------------------------- json --

static void add_number(JsonBuilder *builder, const char *name, double value) {
    json_builder_set_member_name(builder, name);
    if (isfinite(value)) {
        json_builder_add_double_value(builder, rint(value * 10000.0) / 10000.0);
    } else {
        json_builder_add_null_value(builder);
    }
}

static void add_count(JsonBuilder *builder, const char *name, bool known, unsigned value) {
    json_builder_set_member_name(builder, name);
    if (known) {
        json_builder_add_int_value(builder, value);
    } else {
        json_builder_add_null_value(builder);
    }
}

static void add_sensor(JsonBuilder *builder, const findings *f, unsigned i) {
    const lab_sensor_levels *sensor = &f->sensor[i];
    bool good = sensor->fault == CMO_LEVELS_GOOD;
    json_builder_begin_object(builder);
    json_builder_set_member_name(builder, "sensor");
    json_builder_add_string_value(builder, cli_side(i));
    json_builder_set_member_name(builder, "quality");
    json_builder_add_string_value(builder, cmo_levels_fault_name(sensor->fault));
    add_count(builder, "dark", good, sensor->levels.dark);
    add_count(builder, "light", good, sensor->levels.light);
    add_count(builder, "noise", good, sensor->levels.noise);
    if (sensor->levels.dark_threshold != 0) {
        add_count(builder, "dark_threshold", true, sensor->levels.dark_threshold);
    }
    if (sensor->levels.light_threshold != 0) {
        add_count(builder, "light_threshold", true, sensor->levels.light_threshold);
    }
    if (sensor->has_line) {
        add_number(builder, "band_low", (double)sensor->choice.band.low);
        add_number(builder, "band_high", (double)sensor->choice.band.high);
        add_number(builder, "margin", (double)sensor->choice.margin);
        json_builder_set_member_name(builder, "nearest");
        json_builder_add_string_value(builder, sensor->nearest);
        json_builder_set_member_name(builder, "safe");
        json_builder_add_boolean_value(builder, sensor->choice.safe);
    }
    if (surfaces) {
        cli_add_told(builder, &f->told[i]);
    }
    json_builder_end_object(builder);
}

static void print_json(const findings *f) {
    JsonBuilder *builder = json_builder_new();
    json_builder_begin_object(builder);
    json_builder_set_member_name(builder, "source");
    json_builder_add_string_value(builder, f->source);
    json_builder_set_member_name(builder, "levels");
    json_builder_begin_array(builder);
    for (unsigned i = 0; i < f->lights; i++) {
        add_sensor(builder, f, i);
    }
    json_builder_end_array(builder);
    json_builder_end_object(builder);
    cli_print_json(builder);
}

// ----------------------------------------------------------------------------------------- run --

// With --surfaces: what the robot is taught, and how well it tells that.
static bool find_told(findings *f, bool good, GError **error) {
    if (!surfaces || !good) {
        return true;
    }
    if (!lab_floor_surfaces(f->floor, &f->robot->description, f->sensor, change, &f->taught,
                            error)) {
        return false;
    }
    f->taught.description = f->robot->description;
    for (unsigned i = 0; i < f->lights; i++) {
        lab_floor_tell(f->floor, &f->taught, i, &f->sensor[i].levels, &f->told[i]);
    }
    return true;
}

static bool write_back(const findings *f, const cmo_levels *levels, GError **error) {
    return surfaces ? lab_robot_write_surfaces(f->robot_file, levels, &f->taught, error)
                    : lab_robot_write_levels(f->robot_file, levels, f->lights, error);
}

// By colour where that is what it tells them by.
static bool draw(const findings *f, const char *title, bool good, GError **error) {
    bool colour = surfaces && good;
    for (unsigned i = 0; i < f->lights; i++) {
        colour = colour && f->robot->description.light[i].colour;
    }
    return colour ? cli_draw_colours(title, f->floor, f->sensor, f->lights, change, picture, error)
                  : cli_draw_levels(title, f->floor, f->sensor, f->lights, picture, error);
}

static int tell(findings *f) {
    bool good = true;
    bool safe = true;
    cmo_levels levels[CMO_LIGHTS_MAX];
    for (unsigned i = 0; i < f->lights; i++) {
        good = good && f->sensor[i].fault == CMO_LEVELS_GOOD;
        safe = safe && !(f->sensor[i].has_line && !f->sensor[i].choice.safe);
        levels[i] = f->sensor[i].levels;
    }
    GError *error = NULL;
    char *title = g_strdup_printf("%s, %s", f->robot->name, f->source);
    bool done = find_told(f, good, &error) && (picture == NULL || draw(f, title, good, &error)) &&
                (!good || !write_file || write_back(f, levels, &error));
    g_free(title);
    if (!done) {
        return cli_error(error);
    }
    if (json) {
        print_json(f);
    } else if (!quiet) {
        print_table(f);
        print_margins(f);
        if (surfaces && good) {
            cli_print_told(f->told, f->lights, &f->robot->description, change);
            safe = cli_print_alike(f->told, f->lights) && safe;
        }
        if (write_file) {
            printf("\n");
            cli_line(good ? "written to %s" : "%s stays as it was", f->robot_file);
        }
    }
    return good && safe ? CLI_DONE : CLI_FAILED;
}

static const lab_leg_result *find_leg(const lab_run *run) {
    for (guint i = 0; i < run->legs->len; i++) {
        const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, i);
        if (leg->routine == CMO_ROUTINE_TAKE_LEVELS) {
            return leg;
        }
    }
    return NULL;
}

static int take_by_route(const char *path) {
    lab_route *route = cli_load_route(path, robot_path, seed);
    if (route == NULL) {
        return CLI_WRONG;
    }
    if (write_file && !cli_one_robot(route, "--write")) {
        lab_route_free(route);
        return CLI_WRONG;
    }
    GError *error = NULL;
    if (!cli_spares(&error, "--picture", picture, route->robot_path, route->mat_path, NULL)) {
        lab_route_free(route);
        return cli_error(error);
    }
    lab_run *driven = cli_drive_route(route, seed);
    if (driven == NULL) {
        lab_route_free(route);
        return CLI_WRONG;
    }
    const lab_leg_result *leg = find_leg(driven);
    int status;
    if (leg == NULL) {
        status = cli_wrong("%s: no leg take_levels was driven; put one into the route, as in - "
                           "take_levels: {distance_mm: 150}",
                           path);
    } else {
        lab_floor *floor = lab_floor_from_run(driven, CMO_ROUTINE_TAKE_LEVELS);
        char *source =
            g_strdup_printf("taken on %s, seed %" G_GINT64_FORMAT, route->mat_path, seed);
        findings f = {.robot = route->robot,
                      .robot_file = route->robot_path,
                      .source = source,
                      .floor = floor,
                      .lights = route->robot->description.lights};
        for (unsigned i = 0; i < f.lights; i++) {
            f.sensor[i].fault = leg->levels_fault[i];
            f.sensor[i].levels = leg->levels[i];
        }
        status = tell(&f);
        if (leg->outcome != CMO_OUTCOME_DONE) {
            if (!quiet && !json) {
                printf("%s: %s; the robot keeps the levels that it had\n",
                       cmo_outcome_name(leg->outcome), cmo_outcome_text(leg->outcome));
            }
            status = CLI_FAILED;
        }
        g_free(source);
        lab_floor_free(floor);
    }
    lab_run_free(driven);
    lab_route_free(route);
    return status;
}

static int take_by_readings(const char *path) {
    if (robot_path == NULL) {
        return cli_wrong("%s: readings need --robot FILE, to know the sensors by", path);
    }
    GError *error = NULL;
    lab_robot *robot = lab_robot_load(robot_path, &error);
    lab_floor *floor = robot != NULL ? lab_floor_read(path, &error) : NULL;
    int status;
    if (floor == NULL) {
        status = cli_error(error);
    } else {
        char *source = g_strdup_printf("readings of %s", path);
        findings f = {.robot = robot,
                      .robot_file = robot_path,
                      .source = source,
                      .floor = floor,
                      .lights = robot->description.lights};
        for (unsigned i = 0; i < f.lights; i++) {
            lab_floor_judge(floor, &robot->description, i, line_name, change, &f.sensor[i]);
        }
        status = tell(&f);
        for (unsigned i = 0; i < f.lights; i++) {
            lab_sensor_levels_clear(&f.sensor[i]);
        }
        for (unsigned i = 0; i < f.taught.surfaces.count; i++) {
            g_free(f.taught.surface_name[i]);
        }
        g_free(source);
    }
    lab_floor_free(floor);
    lab_robot_free(robot);
    return status;
}

static int run(int count, char **arguments) {
    GError *error = NULL;
    if (count != 1) {
        return cli_wrong("levels takes one route with a leg take_levels, or one CSV file of "
                         "readings, as in: cammino levels data/ferry/take-levels.yaml");
    }
    if (seed < 0) {
        return cli_wrong("--seed: %" G_GINT64_FORMAT " is out of range; 0 or more", seed);
    }
    if (!(change >= 0.0 && change <= 0.5)) {
        return cli_wrong("--change: %g is out of range; 0 to 0.5", change);
    }
    if (!cli_picture_name(picture, &error) ||
        !cli_spares(&error, "--picture", picture, arguments[0], robot_path, NULL)) {
        return cli_error(error);
    }
    if (surfaces && !g_str_has_suffix(arguments[0], ".csv")) {
        return cli_wrong("--surfaces needs readings by surface, as in: cammino levels "
                         "data/ferry/cargo.csv --robot data/ferry/mozzo-colour.yaml --surfaces");
    }
    line_name = line_name != NULL ? line_name : g_strdup("line");
    int status = g_str_has_suffix(arguments[0], ".csv") ? take_by_readings(arguments[0])
                                                        : take_by_route(arguments[0]);
    g_free(line_name);
    g_free(robot_path);
    g_free(picture);
    return status;
}

const cli_command cli_levels = {
    "levels",
    "ROUTE|READINGS.csv",
    "Find the light sensors' levels, and the threshold with the widest margin",
    "Drives a route on the simulated robot, whose leg take_levels goes over a line and back; or "
    "reads a CSV file: a trace, or readings by surface with the columns surface, counts_left and "
    "counts_right. Prints each sensor's levels, the threshold between them and how far the "
    "contrast "
    "stands above the noise. Readings by surface also tell how surely the line is told from every "
    "other surface, and which two cannot be told apart. Levels that cannot be right are refused "
    "with "
    "a reason. Exit status 1: refused, or the line is not told safely.",
    "cammino levels data/ferry/take-levels.yaml --write",
    options,
    run};
