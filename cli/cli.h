// SPDX-License-Identifier: GPL-3.0-or-later
// What the commands share.
#ifndef CAMMINO_CLI_H
#define CAMMINO_CLI_H

#include <cammino_lab/floor.h>
#include <cammino_lab/run.h>
#include <json-glib/json-glib.h>
#include <stdio.h>

// Exit status of every command.
enum {
    CLI_DONE = 0,
    CLI_FAILED = 1, // the robot or a limit failed
    CLI_WRONG = 2   // the call or a file is wrong
};

typedef struct cli_command {
    const char *name;
    const char *arguments; // as in the usage line
    const char *summary;   // one line
    const char *text;      // for --help and the manual
    const char *example;   // one call, and below it what it does
    const GOptionEntry *options;
    int (*run)(int count, char **arguments); // count and arguments after the options
} cli_command;

extern const cli_command cli_compare, cli_demo, cli_budget, cli_drive, cli_draw, cli_generate,
    cli_keys, cli_judge, cli_levels, cli_live, cli_series, cli_sweep, cli_wiring;

// Whether a leg finds something out that the command wiring tells.
bool cli_wiring_tells(cmo_routine_id routine);

// Says what is wrong on stderr, in one line, and returns CLI_WRONG.
int cli_wrong(const char *format, ...) G_GNUC_PRINTF(1, 2);
int cli_error(GError *error); // frees it

// Prints one line, and its end, with names from files and calls in it: no control characters.
void cli_line(const char *format, ...) G_GNUC_PRINTF(1, 2);

// Prints the document that has been built, and frees its builder.
void cli_print_json(JsonBuilder *builder);

// The manual (roff) and the bash completion of all commands, NULL-terminated.
void cli_print_manual(const cli_command *const *commands);
void cli_print_completion(const cli_command *const *commands);

// "left", "right".
const char *cli_side(unsigned sensor);

// Whether writing to `path` spares the files that the call reads, up to a NULL; NULL spares all.
bool cli_spares(GError **error, const char *option, const char *path, ...) G_GNUC_NULL_TERMINATED;

// Whether a picture's name can be drawn to; NULL can.
bool cli_picture_name(const char *path, GError **error);

// Loads and checks a route, with another robot or fleet if `robot` is not NULL, and the robot of a
// seed if it is a fleet; NULL: what is wrong has been said.
lab_route *cli_load_route(const char *path, const char *robot, gint64 seed);
lab_route *cli_load_changed(const char *path, const char *robot, gint64 seed,
                            const lab_change *change);

#define CLI_ROBOT_OPTION(robot)                                                                    \
    {                                                                                              \
        "robot", 0, 0, G_OPTION_ARG_FILENAME, robot,                                               \
            "This robot, or fleet, instead of the route's", "FILE"                                 \
    }

#define CLI_CALIBRATED_OPTION(routes)                                                              \
    {                                                                                              \
        "calibrated", 0, 0, G_OPTION_ARG_FILENAME_ARRAY, routes,                                   \
            "Each trial's robot drives this route first and goes by the levels, the geometry or "  \
            "the drive that it finds; may be given several times",                                 \
            "FILE"                                                                                 \
    }

// Takes routes for that; false: what is wrong has been said.
bool cli_calibrate(lab_route *route, char *const *routes);

// Whether a file can be written to that must be one robot's.
bool cli_one_robot(const lab_route *route, const char *option);

// Drives it once; NULL after having said why the run is worth nothing.
lab_run *cli_drive_route(const lab_route *route, gint64 seed);
// The same as the trial of a series with that seed.
lab_run *cli_drive_trial(const lab_route *route, gint64 seed);

// The table of a run's legs, robot beside truth: a line or two each, or every figure.
void cli_print_run(const lab_route *route, const lab_run *run, bool all);

// ---------------------------------------------------------------------------------- pictures --

// From the heat on they need more than a trace has.
typedef enum cli_view {
    CLI_VIEW_MAT,
    CLI_VIEW_STRIP,
    CLI_VIEW_TIMELINE,
    CLI_VIEW_HEAT,
    CLI_VIEW_MARGINS
} cli_view;

// What --view, --leg and --over say.
typedef struct cli_picture {
    const char *path; // .png or .svg
    cli_view view;
    unsigned leg;   // strip: which one; 0: the first that met a line, else the first
    bool over_time; // strip: over time instead of way
} cli_picture;

// The rest of a picture's options, the same for every command that draws; `fallback` says what is
// shown without --view.
#define CLI_PICTURE_OPTIONS(view, leg, over, fallback)                                             \
    {"view",                                                                                       \
     0,                                                                                            \
     0,                                                                                            \
     G_OPTION_ARG_STRING,                                                                          \
     view,                                                                                         \
     "What it shows: mat, the path from above; strip, reflectance and speed of one leg; "          \
     "timeline, "                                                                                  \
     "which leg ran when; of a patrol also heat, where it was for how long, and margins, how "     \
     "near it came to the "                                                                        \
     "boundary (default " fallback ")",                                                            \
     "VIEW"},                                                                                      \
        {"leg", 0,                                                                                 \
         0,     G_OPTION_ARG_INT,                                                                  \
         leg,   "The leg of the strip (default: the first that met a line)",                       \
         "N"},                                                                                     \
    {                                                                                              \
        "over", 0, 0, G_OPTION_ARG_STRING, over, "The strip's axis: way or time (default way)",    \
            "AXIS"                                                                                 \
    }

// Checks and turns the options into a picture. NULL strings are options not given.
bool cli_picture_parse(const char *path, const char *view, int leg, const char *over,
                       cli_picture *picture, GError **error);

// The mat with the robot's path. `run` may be NULL: then only what the rows hold is drawn.
bool cli_draw_mat(const lab_route *route, const GArray *rows, const lab_run *run,
                  const cli_picture *picture, GError **error);

// Of a run's patrols: time spent over the floor, and the least margin of each rebound.
bool cli_draw_heat(const lab_route *route, const lab_run *run, const cli_picture *picture,
                   GError **error);
bool cli_draw_margins(const lab_route *route, const lab_run *run, const cli_picture *picture,
                      GError **error);

// Draws a run as its picture asks for.
bool cli_draw_run(const lab_route *route, const lab_run *run, const cli_picture *picture,
                  GError **error);

// Draws a chart by a gnuplot script, which sets neither terminal nor output; at `path` stands the
// whole picture or what was there before.
bool cli_plot(const char *script, const char *path, GError **error);
char *cli_plot_quoted(const char *text); // for a string in single quotes

// Adds a line to a script, and to a line of its data a number and a space.
void cli_plot_line(GString *script, const char *format, ...) G_GNUC_PRINTF(2, 3);
void cli_plot_cell(GString *script, double value);

// Histograms of readings, one a sensor, with levels and thresholds.
bool cli_draw_levels(const char *title, const lab_floor *floor, const lab_sensor_levels *sensors,
                     unsigned lights, const char *path, GError **error);

// The same by colour, two channels at a time, with how far readings are taken to come in light that
// changes them by a share.
bool cli_draw_colours(const char *title, const lab_floor *floor, const lab_sensor_levels *sensors,
                      unsigned lights, double change, const char *path, GError **error);

// The legs of a run over time. `run` may be NULL: then only what the rows hold is drawn.
bool cli_draw_timeline(const char *title, const GArray *rows, const lab_run *run,
                       const cli_picture *picture, GError **error);

// A stage's colour; `strong` where nothing is drawn over it.
const char *cli_stage_colour(uint8_t stage, bool strong);

// Reflectance and speed of one leg.
bool cli_draw_strip(const char *title, const GArray *rows, const lab_run *run,
                    const cli_picture *picture, GError **error);

#endif
