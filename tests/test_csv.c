// SPDX-License-Identifier: GPL-3.0-or-later
// The row writer: columns, numbers, names, and buffers that are too small.
#include "support.h"

#include <math.h>
#include <string.h>

START_TEST(a_row_has_as_many_fields_as_the_header) {
    char header[CMO_CSV_SIZE], line[CMO_CSV_SIZE];
    cmo_trace_row row = {
        .run_us = 1234567, .routine = CMO_ROUTINE_STOP_ON_LINE, .stage = CMO_STAGE_SEARCH};
    size_t length = cmo_csv_header(header, sizeof header);
    ck_assert_uint_eq(length, strlen(header));
    ck_assert_str_eq(header + length - 2, "\r\n");
    length = cmo_csv_row(line, sizeof line, &row);
    ck_assert_uint_eq(length, strlen(line));
    ck_assert_str_eq(line + length - 2, "\r\n");
    char **names = g_strsplit(header, ",", -1);
    char **fields = g_strsplit(line, ",", -1);
    ck_assert_uint_eq(g_strv_length(names), g_strv_length(fields));
    ck_assert_str_eq(fields[0], "1234.567");
    ck_assert_str_eq(fields[1], "stop_on_line");
    ck_assert_str_eq(fields[2], "search");
    ck_assert_str_eq(fields[3], "");
    g_strfreev(names);
    g_strfreev(fields);
}
END_TEST

START_TEST(numbers_are_written_as_the_c_library_would) {
    static const float values[] = {0.0F, -0.0F,   0.5F,     -0.5F,      0.0004F,     0.0006F,
                                   1.0F, 9.9996F, -12.345F, 3999999.0F, -3999999.0F, 123.456F};
    for (size_t i = 0; i < G_N_ELEMENTS(values); i++) {
        char line[CMO_CSV_SIZE];
        cmo_trace_row row = {.x_mm = values[i], .halted = CMO_HALT_HOLD};
        cmo_csv_row(line, sizeof line, &row);
        char **fields = g_strsplit(line, ",", -1);
        ck_assert_str_eq(fields[3], "hold");
        ck_assert_double_eq_tol(g_ascii_strtod(fields[4], NULL), (double)values[i],
                                0.00051 + 1e-7 * fabs((double)values[i]));
        ck_assert_ptr_nonnull(strchr(fields[4], '.'));
        g_strfreev(fields);
    }
}
END_TEST

START_TEST(what_is_not_known_is_an_empty_field) {
    char line[CMO_CSV_SIZE];
    cmo_trace_row row = {.x_mm = NAN, .y_mm = INFINITY, .heading_deg = 1e9F, .band_low = NAN};
    cmo_csv_row(line, sizeof line, &row);
    char **fields = g_strsplit(line, ",", -1);
    ck_assert_str_eq(fields[4], "");
    ck_assert_str_eq(fields[5], "");
    ck_assert_str_eq(fields[6], "");
    ck_assert_str_eq(fields[12], "");
    g_strfreev(fields);
}
END_TEST

START_TEST(the_widest_row_fits_and_a_small_buffer_is_refused) {
    char line[CMO_CSV_SIZE];
    cmo_trace_row row;
    memset(&row, 0, sizeof row);
    row.run_us = UINT32_MAX;
    row.routine = CMO_ROUTINE_DRIVE_UNTIL_LINE;
    row.halted = CMO_HALT_BRAKE;
    float *at[] = {
        &row.x_mm,          &row.y_mm,       &row.heading_deg,       &row.way_mm,
        &row.left_mm_s,     &row.right_mm_s, &row.left_command_mm_s, &row.right_command_mm_s,
        &row.band_low,      &row.band_high,  &row.crossing_mm,       &row.reflectance[0],
        &row.reflectance[1]};
    for (size_t i = 0; i < G_N_ELEMENTS(at); i++) {
        *at[i] = -3999999.75F;
    }
    ck_assert_uint_lt(cmo_csv_row(line, sizeof line, &row), sizeof line);
    ck_assert_uint_eq(cmo_csv_row(line, CMO_CSV_SIZE - 1, &row), 0);
    ck_assert_uint_eq(cmo_csv_header(line, CMO_CSV_SIZE - 1), 0);
}
END_TEST

START_TEST(every_value_has_a_name_and_no_two_are_the_same) {
    ck_assert_str_eq(cmo_outcome_name(CMO_OUTCOMES), "?");
    ck_assert_str_eq(cmo_outcome_text(CMO_OUTCOMES), "?");
    ck_assert_str_eq(cmo_routine_name(CMO_ROUTINES), "?");
    ck_assert_str_eq(cmo_stage_name(CMO_STAGES), "?");
    ck_assert_str_eq(cmo_figure_name(CMO_FIGURES), "?");
    for (int i = 0; i < CMO_OUTCOMES; i++) {
        ck_assert_str_ne(cmo_outcome_text((cmo_outcome)i), "?");
        for (int j = 0; j < i; j++) {
            ck_assert_str_ne(cmo_outcome_name((cmo_outcome)i), cmo_outcome_name((cmo_outcome)j));
        }
    }
    for (int i = 0; i < CMO_FIGURES; i++) {
        for (int j = 0; j < i; j++) {
            ck_assert_str_ne(cmo_figure_name((cmo_figure)i), cmo_figure_name((cmo_figure)j));
        }
    }
}
END_TEST

int main(void) {
    const TTest *const tests[] = {a_row_has_as_many_fields_as_the_header,
                                  numbers_are_written_as_the_c_library_would,
                                  what_is_not_known_is_an_empty_field,
                                  the_widest_row_fits_and_a_small_buffer_is_refused,
                                  every_value_has_a_name_and_no_two_are_the_same,
                                  NULL};
    return run_suite("csv", tests);
}
