// SPDX-License-Identifier: GPL-3.0-or-later
#include "trace.h"

#include <math.h>

static void print_looks(const lab_trace_told *told) {
    for (unsigned sensor = 0; sensor < 2; sensor++) {
        if (isfinite(told->interval_ms[sensor])) {
            printf("looks  %-6seach %.1f ms, the longest without a new reading %.1f ms\n",
                   cli_side(sensor), told->interval_ms[sensor], told->longest_ms[sensor]);
        } else {
            printf("looks  %-6stoo few readings that change\n", cli_side(sensor));
        }
    }
}

static void print_cell(const lab_trace_leg_told *leg, cmo_figure figure, int width, int digits,
                       double unit) {
    if (leg->figures.known & LAB_FIGURE_BIT(figure)) {
        printf("%*.*f", width, digits, leg->figures.value[figure] * unit);
    } else {
        printf("%*s", width, "-");
    }
}

static void print_leg(const lab_trace_leg_told *leg) {
    printf("%2u %-16s", leg->leg, cmo_routine_name(leg->routine));
    print_cell(leg, CMO_ELAPSED_MS, 6, 2, 1e-3);
    print_cell(leg, CMO_TRAVELLED_MM, 8, 1, 1.0);
    print_cell(leg, CMO_TURNED_DEG, 8, 2, 1.0);
    print_cell(leg, CMO_TOP_SPEED_MM_S, 6, 0, 1.0);
    if (isfinite(leg->crossing_mm)) {
        printf("%8.1f%8.0f", leg->crossing_mm, leg->crossing_ms);
        print_cell(leg, CMO_CROSSING_SPEED_MM_S, 6, 0, 1.0);
        print_cell(leg, CMO_REACTION_MS, 6, 0, 1.0);
        print_cell(leg, CMO_STOPPING_DISTANCE_MM, 7, 2, 1.0);
        print_cell(leg, CMO_OVERSHOOT_MM, 7, 2, 1.0);
        print_cell(leg, CMO_REST_ERROR_MM, 7, 2, 1.0);
    }
    printf("\n");
}

lab_trace_told *cli_trace_told(const char *path, const char *robot) {
    GError *error = NULL;
    double play_mm = 0.0;
    if (robot != NULL) {
        lab_robot *described = lab_robot_load(robot, &error);
        if (described == NULL) {
            cli_error(error);
            return NULL;
        }
        play_mm = (double)described->description.gear_play_mm;
        lab_robot_free(described);
    }
    GArray *rows = lab_trace_read(path, &error);
    if (rows == NULL) {
        cli_error(error);
        return NULL;
    }
    lab_trace_told *told = lab_trace_tell(rows, play_mm);
    g_array_free(rows, TRUE);
    return told;
}

int cli_tell_trace(const char *path, const char *robot, bool quiet) {
    lab_trace_told *told = cli_trace_told(path, robot);
    if (told == NULL) {
        return CLI_WRONG;
    }
    if (!quiet) {
        cli_line("trace %s: %u rows, %u legs", path, told->rows, told->legs->len);
        printf("ticks  each %.1f ms, the latest by %.1f ms", told->period_ms, told->latest_ms);
        if (told->gaps > 0) {
            printf("; %u after a gap, the first at %.0f ms: late, or rows lost", told->gaps,
                   told->gap_at_ms);
        }
        printf("\n");
        print_looks(told);
        printf("\n%-19s%6s%8s%8s%6s%16s%6s%6s%7s%7s%7s\n", "by the robot's word", "time", "way",
               "turned", "top", "crossing at", "speed", "react", "stop", "over", "rest");
        printf("%-19s%6s%8s%8s%6s%8s%8s%6s%6s%7s%7s%7s\n", "leg", "s", "mm", "deg", "mm/s", "mm",
               "ms", "mm/s", "ms", "mm", "mm", "mm");
        for (guint i = 0; i < told->legs->len; i++) {
            print_leg(&g_array_index(told->legs, lab_trace_leg_told, i));
        }
        printf(
            "\nover and rest are from the line's near edge, by the middle between the spots\n"
            "not to be known from a trace: what is true, how legs ended, what they were to rest "
            "at,\nthe sensors' delay, what tyres slid where it did not come back over the edge%s\n",
            robot != NULL ? "" : ",\nand the gears' play, which --robot tells");
    }
    lab_trace_told_free(told);
    return CLI_DONE;
}
