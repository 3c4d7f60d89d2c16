// SPDX-License-Identifier: GPL-3.0-or-later
// Traces as CSV: core's own rows, with the leg before, and truth and what the robot shows behind.
#include <cammino_lab/run.h>

#include "sections.h"
#include "yaml_reader.h"

#include <math.h>
#include <string.h>

#define TRACE_MAX (256U << 20)
#define LATEST_MS 4294967.0 // where the robot's microseconds wrap

bool lab_trace_write(const lab_run *run, const char *path, GError **error) {
    char row[CMO_CSV_SIZE];
    GString *text = g_string_sized_new(256 + 160 * (gsize)run->rows->len);
    cmo_csv_header(row, sizeof row);
    g_string_append_printf(text, "leg,%s", row);
    g_string_truncate(text, text->len - 2);
    g_string_append(text, ",true_x_mm,true_y_mm,true_heading_deg,lamp,display,beeper\r\n");
    for (guint i = 0; i < run->rows->len; i++) {
        const lab_row *at = &g_array_index(run->rows, lab_row, i);
        size_t length = cmo_csv_row(row, sizeof row, &at->robot);
        row[length - 2] = '\0';
        g_string_append_printf(text, "%u,%s", at->leg, row);
        if (at->has_truth) {
            g_string_append_printf(text, ",%.3f,%.3f,%.4f", at->true_x_mm, at->true_y_mm,
                                   at->true_heading_deg);
        } else {
            g_string_append(text, ",,,");
        }
        g_string_append_printf(text, ",%s,%s,%s\r\n", cmo_sim_lamp_name(at->panel.lamp),
                               at->panel.display, at->panel.beeps ? "beeps" : "");
    }
    bool good = lab_write_file(path, "trace", text->str, text->len, error);
    g_string_free(text, TRUE);
    return good;
}

// --------------------------------------------------------------------------------------- read --

typedef struct column {
    const char *name;
    size_t offset;
    bool is_double; // else float
    bool needed;
} column;

#define ROBOT(field, needed)                                                                       \
    { #field, offsetof(lab_row, robot.field), false, needed }
static const column columns[] = {
    ROBOT(x_mm, false),
    ROBOT(y_mm, false),
    ROBOT(heading_deg, false),
    ROBOT(way_mm, true),
    ROBOT(left_mm_s, false),
    ROBOT(right_mm_s, false),
    ROBOT(left_command_mm_s, false),
    ROBOT(right_command_mm_s, false),
    ROBOT(band_low, false),
    ROBOT(band_high, false),
    ROBOT(crossing_mm, false),
    {"reflectance_left", offsetof(lab_row, robot.reflectance[0]), false, true},
    {"counts_left", offsetof(lab_row, robot.counts[0]), false, false},
    {"look_left_mm", offsetof(lab_row, robot.look_mm[0]), false, false},
#if CMO_LIGHTS_MAX > 1
    {"reflectance_right", offsetof(lab_row, robot.reflectance[1]), false, false},
    {"counts_right", offsetof(lab_row, robot.counts[1]), false, false},
    {"look_right_mm", offsetof(lab_row, robot.look_mm[1]), false, false},
#endif
    {"true_x_mm", offsetof(lab_row, true_x_mm), true, false},
    {"true_y_mm", offsetof(lab_row, true_y_mm), true, false},
    {"true_heading_deg", offsetof(lab_row, true_heading_deg), true, false},
};
#define COLUMNS G_N_ELEMENTS(columns)

// Where the columns stand in this file; -1: nowhere.
typedef struct layout {
    int time, leg, routine, stage, halt;
    int number[COLUMNS];
} layout;

static int find_field(char **fields, const char *name) {
    for (int i = 0; fields[i] != NULL; i++) {
        if (strcmp(g_strstrip(fields[i]), name) == 0) {
            return i;
        }
    }
    return -1;
}

static bool read_header(const char *name, const char *line, layout *found, GError **error) {
    char **fields = g_strsplit(line, ",", -1);
    *found = (layout){find_field(fields, "time_ms"), find_field(fields, "leg"),
                      find_field(fields, "routine"), find_field(fields, "stage"),
                      find_field(fields, "halt"),    {0}};
    const char *missing = found->time < 0 ? "time_ms" : NULL;
    for (size_t i = 0; i < COLUMNS; i++) {
        found->number[i] = find_field(fields, columns[i].name);
        if (found->number[i] < 0 && columns[i].needed && missing == NULL) {
            missing = columns[i].name;
        }
    }
    g_strfreev(fields);
    if (missing != NULL) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                    "%s:1: the trace has no column %s; its first row must name the columns", name,
                    missing);
    }
    return missing == NULL;
}

static unsigned name_number(const char *text, const char *(*name)(unsigned), unsigned count) {
    for (unsigned i = 0; i < count; i++) {
        if (strcmp(text, name(i)) == 0) {
            return i;
        }
    }
    return 0;
}

static const char *kind_name(unsigned i) {
    return cmo_routine_name((cmo_routine_id)i);
}

static const char *stage_name(unsigned i) {
    return cmo_stage_name((cmo_stage)i);
}

static const char *halt_name(unsigned i) {
    static const char *const names[] = {"", "coast", "brake", "hold"};
    return names[i];
}

// An empty field is not known.
static bool read_field(char **fields, int count, int number, double *value) {
    *value = NAN;
    if (number < 0 || number >= count || *fields[number] == '\0') {
        return true;
    }
    char *end;
    *value = g_ascii_strtod(fields[number], &end);
    return *end == '\0' && isfinite(*value);
}

static const char *text_at(char **fields, int count, int number) {
    return number >= 0 && number < count ? fields[number] : "";
}

static bool read_row(const char *name, int line_number, char *line, const layout *found,
                     lab_row *row, GError **error) {
    char **fields = g_strsplit(line, ",", -1);
    int count = (int)g_strv_length(fields);
    double value;
    const char *wrong = NULL;
    if (!read_field(fields, count, found->time, &value) || !(value >= 0.0 && value <= LATEST_MS)) {
        wrong = "time_ms";
    } else {
        row->robot.run_us = (uint32_t)(uint64_t)(value * 1000.0 + 0.5);
    }
    for (size_t i = 0; i < COLUMNS && wrong == NULL; i++) {
        if (!read_field(fields, count, found->number[i], &value)) {
            wrong = columns[i].name;
        } else if (columns[i].is_double) {
            *(double *)(void *)((char *)row + columns[i].offset) = value;
        } else {
            *(float *)(void *)((char *)row + columns[i].offset) = (float)value;
        }
    }
    if (wrong == NULL &&
        (!read_field(fields, count, found->leg, &value) || value < 0.0 || value > 1e6)) {
        wrong = "leg";
    }
    if (wrong == NULL) {
        row->leg = isnan(value) ? 0U : (unsigned)value;
        row->has_truth =
            !isnan(row->true_x_mm) && !isnan(row->true_y_mm) && !isnan(row->true_heading_deg);
        row->robot.routine =
            (uint8_t)name_number(text_at(fields, count, found->routine), kind_name, CMO_ROUTINES);
        row->robot.stage =
            (uint8_t)name_number(text_at(fields, count, found->stage), stage_name, CMO_STAGES);
        row->robot.halted = (uint8_t)name_number(text_at(fields, count, found->halt), halt_name, 4);
    } else {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s:%d: %s: not a number", name, line_number,
                    wrong);
    }
    g_strfreev(fields);
    return wrong == NULL;
}

GArray *lab_trace_from_bytes(const char *name, const char *bytes, size_t size, GError **error) {
    GArray *rows = g_array_new(FALSE, TRUE, sizeof(lab_row));
    layout found = {0};
    bool good = true;
    int number = 0;
    const char *end = bytes + size;
    for (const char *at = bytes; at < end && good; number++) {
        const char *stop = memchr(at, '\n', (size_t)(end - at));
        size_t length = (size_t)((stop != NULL ? stop : end) - at);
        char *line = g_strndup(at, length);
        g_strchomp(line);
        at += length + 1;
        if (number == 0) {
            good = read_header(name, line, &found, error);
        } else if (*line != '\0') {
            lab_row row = {0};
            good = read_row(name, number + 1, line, &found, &row, error);
            if (good) {
                g_array_append_val(rows, row);
            }
        }
        g_free(line);
    }
    if (good && rows->len == 0) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                    "%s: the trace has no rows; a header row and one row a tick", name);
        good = false;
    }
    if (!good) {
        g_array_free(rows, TRUE);
        rows = NULL;
    }
    return rows;
}

GArray *lab_trace_read(const char *path, GError **error) {
    char *bytes;
    size_t size;
    if (!labi_read_file(path, "trace", TRACE_MAX, &bytes, &size, error)) {
        return NULL;
    }
    GArray *rows = lab_trace_from_bytes(path, bytes, size, error);
    g_free(bytes);
    return rows;
}
