// SPDX-License-Identifier: MIT
#include "parameters.h"

#include "routine.h"

#include <math.h>
#include <string.h>

static float slowest_mm_s(const cmo_robot *robot) {
    return fmaxf(robot->description->slowest_mm_s, 1.0F);
}

void cmi_usual_speed(const cmo_robot *robot, float *speed_mm_s, float usual_mm_s) {
    if (*speed_mm_s == 0.0F) {
        *speed_mm_s =
            fmaxf(fminf(usual_mm_s, robot->description->top_speed_mm_s), slowest_mm_s(robot));
    }
}

// A whole number of 1, 2 or 4 bytes, or a float.
static float read_value(const cmi_row *row, const uint8_t *at) {
    uint32_t whole = *at;
    if (row->as < CMI_WHOLE) {
        float value;
        memcpy(&value, at, sizeof value);
        return value;
    }
    if (row->size == sizeof(uint16_t)) {
        uint16_t two;
        memcpy(&two, at, sizeof two);
        whole = two;
    } else if (row->size == sizeof whole) {
        memcpy(&whole, at, sizeof whole);
    }
    return (float)whole;
}

// What range and default are on this robot.
static void know_robot(const cmo_robot *robot, cmi_row *row) {
    if (row->as == CMI_RATE) {
        memcpy(&row->usual, (const char *)robot->description + (size_t)row->usual,
               sizeof row->usual);
    } else if (row->as == CMI_SPEED) {
        row->least = slowest_mm_s(robot);
        row->most = robot->description->top_speed_mm_s;
    }
}

// Nothing is written but a default.
static float fill_in(const cmi_row *row, uint8_t *at) {
    if (row->as == CMI_WHOLE) { // of one byte
        *at = (uint8_t)row->usual;
    } else {
        memcpy(at, &row->usual, sizeof row->usual);
    }
    return row->usual;
}

static cmo_outcome check_row(cmo_robot *robot, cmi_row *row, uint8_t *at) {
    if (row->as == CMI_HALT) {
        cmo_halt halt;
        memcpy(&halt, at, sizeof halt);
        bool good = cmi_choose_halt(robot, &halt);
        memcpy(at, &halt, sizeof halt);
        return good ? CMO_OUTCOME_DONE : CMO_OUTCOME_NOT_SUPPORTED;
    }
    if (row->as == CMI_BAND) {
        cmo_band band;
        memcpy(&band, at, sizeof band);
        return band.low <= band.high ? CMO_OUTCOME_DONE
                                     : cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, row->name, NAN);
    }
    know_robot(robot, row);
    float value = read_value(row, at);
    if (row->as == CMI_WIDTH && value == CMO_ANY_WIDTH) {
        row->usual = 0.0F;
        fill_in(row, at);
        return CMO_OUTCOME_DONE;
    }
    if (value == 0.0F && row->as >= CMI_OTHERWISE && row->as != CMI_WHOLE) {
        return CMO_OUTCOME_DONE;
    }
    if (value == 0.0F && row->usual != 0.0F) {
        value = fill_in(row, at);
    }
    float judged = row->as == CMI_SIGNED ? fabsf(value) : value;
    if (judged >= row->least && judged <= row->most) { // and NAN is neither
        return CMO_OUTCOME_DONE;
    }
    return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, row->name,
                      row->as == CMI_CHOICE ? NAN
                      : judged > row->most  ? row->most
                                            : row->least);
}

cmo_outcome cmi_check_parameters(cmo_robot *robot, const cmi_row *rows, uint8_t count,
                                 void *parameters) {
    cmo_outcome outcome = CMO_OUTCOME_DONE;
    for (; count > 0 && outcome == CMO_OUTCOME_DONE; count--) {
        cmi_row row;
        CMO_READ_FLASH(&row, rows++, sizeof row);
        outcome = check_row(robot, &row, (uint8_t *)parameters + row.offset);
    }
    return outcome;
}
