// SPDX-License-Identifier: MIT
// Levels as bytes for an EEPROM.
#include <cammino/levels.h>

#include <math.h>

#define STORED_MARK    0xCAU
#define STORED_VERSION 2U

// Fletcher's checksum of 16 bits (RFC 1146).
static uint16_t checksum(const uint8_t *bytes, size_t count) {
    uint16_t a = 1;
    uint16_t b = 0;
    for (size_t i = 0; i < count; i++) {
        a = (uint16_t)((a + bytes[i]) % 255U);
        b = (uint16_t)((b + a) % 255U);
    }
    return (uint16_t)(b << 8 | a);
}

static uint8_t *put_16(uint8_t *at, uint16_t value) {
    *at++ = (uint8_t)(value & 0xFFU);
    *at++ = (uint8_t)(value >> 8);
    return at;
}

static uint16_t get_16(const uint8_t *at) {
    return (uint16_t)(at[0] | (uint16_t)at[1] << 8);
}

static size_t stored_size(uint8_t lights) {
    return 4U + 12U * (size_t)lights + 2U;
}

size_t cmo_store_levels(const cmo_robot *robot, uint8_t *bytes, size_t size) {
    uint8_t lights = robot->description->lights;
    size_t needed = stored_size(lights);
    if (size < needed) {
        return 0;
    }
    uint8_t *at = bytes;
    *at++ = STORED_MARK;
    *at++ = STORED_VERSION;
    *at++ = lights;
    *at++ = 0;
    for (uint8_t i = 0; i < lights; i++) {
        const cmo_levels *levels = &robot->light[i].levels;
        at = put_16(at, levels->dark);
        at = put_16(at, levels->light);
        at = put_16(at, levels->void_counts);
        at = put_16(at, levels->noise);
        at = put_16(at, levels->dark_threshold);
        at = put_16(at, levels->light_threshold);
    }
    put_16(at, checksum(bytes, needed - 2U));
    return needed;
}

static cmo_outcome refuse(cmo_robot *robot, const char *field) {
    robot->field = field;
    robot->limit = NAN;
    return CMO_OUTCOME_BAD_PARAMETER;
}

cmo_outcome cmo_load_levels(cmo_robot *robot, const uint8_t *bytes, size_t size) {
    uint8_t lights = robot->description->lights;
    size_t needed = stored_size(lights);
    if (size < 4U || bytes[0] != STORED_MARK) {
        return refuse(robot, "mark");
    }
    if (bytes[1] != STORED_VERSION) {
        return refuse(robot, "version");
    }
    if (bytes[2] != lights || size < needed) {
        return refuse(robot, "lights");
    }
    if (get_16(bytes + needed - 2U) != checksum(bytes, needed - 2U)) {
        return refuse(robot, "checksum");
    }
    cmo_levels read[CMO_LIGHTS_MAX];
    for (uint8_t i = 0; i < lights; i++) {
        const uint8_t *at = bytes + 4U + (size_t)12U * i;
        read[i] = (cmo_levels){get_16(at),     get_16(at + 2), get_16(at + 4),
                               get_16(at + 6), get_16(at + 8), get_16(at + 10)};
        if (!cmo_levels_usable(&read[i])) {
            robot->field = "levels";
            return CMO_OUTCOME_LOW_CONTRAST;
        }
    }
    for (uint8_t i = 0; i < lights; i++) {
        cmo_robot_set_levels(robot, i, &read[i]);
    }
    return CMO_OUTCOME_DONE;
}
