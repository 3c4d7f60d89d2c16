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

// A row of numbers; *value may be set to the default. True: it will do.
static bool check_number(cmo_robot *robot, cmi_row *row, float *value) {
    switch (row->as) {
    case CMI_RATE:
        memcpy(&row->usual, (const char *)robot->description + (size_t)row->usual,
               sizeof row->usual);
        break;
    case CMI_SPEED:
        row->least = slowest_mm_s(robot);
        row->most = robot->description->top_speed_mm_s;
        break;
    case CMI_WIDTH:
        if (*value == CMO_ANY_WIDTH) {
            *value = 0.0F;
            return true;
        }
        break;
    case CMI_SIGNED: {
        float size = fabsf(*value);
        return *value == 0.0F || cmi_take(robot, &size, 0.0F, row->least, row->most, row->name);
    }
    default:
        break;
    }
    bool open = row->as == CMI_OTHERWISE || row->as == CMI_SPEED;
    return (open && *value == 0.0F) ||
           cmi_take(robot, value, row->usual, row->least, row->most, row->name);
}

static uint32_t whole_at(const void *at, uint8_t size) {
    if (size == sizeof(uint8_t)) {
        return *(const uint8_t *)at;
    }
    if (size == sizeof(uint16_t)) {
        uint16_t value;
        memcpy(&value, at, sizeof value);
        return value;
    }
    uint32_t value;
    memcpy(&value, at, sizeof value);
    return value;
}

// A row of whole numbers, of 1, 2 or 4 bytes. Only those of one byte have a default.
static bool check_whole(cmo_robot *robot, const cmi_row *row, uint8_t *at) {
    uint32_t value = whole_at(at, row->size);
    if (value == 0 && row->size == 1 && row->as == CMI_WHOLE) {
        value = *at = (uint8_t)row->usual;
    }
    bool open = value == 0 && row->as != CMI_WHOLE;
    if (open || ((float)value >= row->least && (float)value <= row->most)) {
        return true;
    }
    robot->field = row->name;
    robot->limit = row->as == CMI_CHOICE ? NAN : (float)value > row->most ? row->most : row->least;
    return false;
}

static bool check_band(cmo_robot *robot, const cmi_row *row, const void *at) {
    cmo_band band;
    memcpy(&band, at, sizeof band);
    robot->field = row->name;
    robot->limit = NAN;
    return band.low <= band.high;
}

cmo_outcome cmi_check_parameters(cmo_robot *robot, const cmi_row *rows, uint8_t count,
                                 void *parameters) {
    for (uint8_t i = 0; i < count; i++) {
        cmi_row row;
        CMO_READ_FLASH(&row, &rows[i], sizeof row);
        uint8_t *at = (uint8_t *)parameters + row.offset;
        bool good = true;
        if (row.as == CMI_HALT) {
            cmo_halt halt;
            memcpy(&halt, at, sizeof halt);
            if (!cmi_take_halt(robot, &halt)) {
                return CMO_OUTCOME_NOT_SUPPORTED;
            }
            memcpy(at, &halt, sizeof halt);
        } else if (row.as == CMI_BAND) {
            good = check_band(robot, &row, at);
        } else if (row.as >= CMI_WHOLE && row.as <= CMI_CHOICE) {
            good = check_whole(robot, &row, at);
        } else {
            float value;
            memcpy(&value, at, sizeof value);
            float before = value;
            good = check_number(robot, &row, &value);
            if (value != before) { // a robot's description may stand where nothing can be written
                memcpy(at, &value, sizeof value);
            }
        }
        if (!good) {
            return CMO_OUTCOME_BAD_PARAMETER;
        }
    }
    return CMO_OUTCOME_DONE;
}
