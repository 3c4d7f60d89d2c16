// SPDX-License-Identifier: MIT
// CSV rows without stdio: fixed-point numbers, written digit by digit.
#include <cammino/trace.h>

#include <math.h>

static char *put_text(char *at, const char *text) {
    while (*text != '\0') {
        *at++ = *text++;
    }
    return at;
}

static char *put_whole(char *at, uint32_t value, uint8_t least_digits) {
    char digits[10];
    uint8_t count = 0;
    do {
        digits[count++] = (char)('0' + value % 10);
        value /= 10;
    } while (value != 0 || count < least_digits);
    while (count > 0) {
        *at++ = digits[--count];
    }
    return at;
}

// A number with three decimals; nothing for what is not finite or too large to be true.
static char *put_number(char *at, float value) {
    if (!(fabsf(value) < 4.0e6F)) {
        return at;
    }
    uint32_t thousandths = (uint32_t)(fabsf(value) * 1000.0F + 0.5F);
    if (value < 0.0F && thousandths > 0) {
        *at++ = '-';
    }
    at = put_whole(at, thousandths / 1000, 1);
    *at++ = '.';
    return put_whole(at, thousandths % 1000, 3);
}

static char *put_field(char *at, float value) {
    *at++ = ',';
    return put_number(at, value);
}

static size_t finish(char *buffer, char *at) {
    at = put_text(at, "\r\n");
    *at = '\0';
    return (size_t)(at - buffer);
}

// A column for each light sensor.
static char *put_columns(char *at, const char *name, const char *unit) {
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        at = put_text(at, name);
        at = i < 2 ? put_text(at, i == 0 ? "left" : "right") : put_whole(at, i, 1);
        at = put_text(at, unit);
    }
    return at;
}

size_t cmo_csv_header(char *buffer, size_t size) {
    if (size < CMO_CSV_SIZE) {
        return 0;
    }
    char *at = put_text(buffer, "time_ms,routine,stage,halt,x_mm,y_mm,heading_deg,way_mm,left_mm_s,"
                                "right_mm_s,left_command_mm_s,right_command_mm_s,band_low,"
                                "band_high,crossing_mm");
    at = put_columns(at, ",reflectance_", "");
    at = put_columns(at, ",counts_", "");
    at = put_columns(at, ",look_", "_mm");
    return finish(buffer, at);
}

size_t cmo_csv_row(char *buffer, size_t size, const cmo_trace_row *row) {
    static const char *const halts[4] = {"", "coast", "brake", "hold"};
    if (size < CMO_CSV_SIZE) {
        return 0;
    }
    char *at = put_whole(buffer, row->run_us / 1000, 1);
    *at++ = '.';
    at = put_whole(at, row->run_us % 1000, 3);
    *at++ = ',';
    at = put_text(at, cmo_routine_name((cmo_routine_id)row->routine));
    *at++ = ',';
    at = put_text(at, cmo_stage_name((cmo_stage)row->stage));
    *at++ = ',';
    at = put_text(at, halts[row->halted & 3]);
    const float numbers[] = {
        row->x_mm,      row->y_mm,       row->heading_deg,       row->way_mm,
        row->left_mm_s, row->right_mm_s, row->left_command_mm_s, row->right_command_mm_s,
        row->band_low,  row->band_high,  row->crossing_mm};
    for (size_t i = 0; i < sizeof numbers / sizeof numbers[0]; i++) {
        at = put_field(at, numbers[i]);
    }
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        at = put_field(at, row->reflectance[i]);
    }
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        *at++ = ',';
        if (row->counts[i] >= 0.0F && row->counts[i] < 65536.0F) {
            at = put_whole(at, (uint32_t)row->counts[i], 1);
        }
    }
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        at = put_field(at, row->look_mm[i]);
    }
    return finish(buffer, at);
}
