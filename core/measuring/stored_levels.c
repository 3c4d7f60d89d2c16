// SPDX-License-Identifier: MIT
// Levels as bytes for an EEPROM.
#include <cammino/levels.h>

#include "../shared/routine.h"
#include "stored.h"

#include <math.h>

#define STORED_MARK    0xCAU
#define STORED_VERSION 2U

static size_t stored_size(uint8_t lights) {
    return 4U + 12U * (size_t)lights + 2U;
}

size_t cmo_store_levels(const cmo_robot *robot, uint8_t *bytes, size_t size) {
    if (robot->port == NULL) {
        return 0;
    }
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
        at = cmi_put_16(at, levels->dark);
        at = cmi_put_16(at, levels->light);
        at = cmi_put_16(at, levels->void_counts);
        at = cmi_put_16(at, levels->noise);
        at = cmi_put_16(at, levels->dark_threshold);
        at = cmi_put_16(at, levels->light_threshold);
    }
    cmi_put_16(at, cmi_checksum(bytes, needed - 2U));
    return needed;
}

static cmo_outcome refuse(cmo_robot *robot, const char *field) {
    return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, field, NAN);
}

cmo_outcome cmo_load_levels(cmo_robot *robot, const uint8_t *bytes, size_t size) {
    if (robot->port == NULL) {
        return refuse(robot, "robot");
    }
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
    if (cmi_get_16(bytes + needed - 2U) != cmi_checksum(bytes, needed - 2U)) {
        return refuse(robot, "checksum");
    }
    cmo_levels read[CMO_LIGHTS_MAX];
    for (uint8_t i = 0; i < lights; i++) {
        const uint8_t *at = bytes + 4U + (size_t)12U * i;
        read[i] = (cmo_levels){cmi_get_16(at),     cmi_get_16(at + 2), cmi_get_16(at + 4),
                               cmi_get_16(at + 6), cmi_get_16(at + 8), cmi_get_16(at + 10)};
        if (!cmo_levels_usable(&read[i])) {
            refuse(robot, "levels");
            return CMO_OUTCOME_LOW_CONTRAST;
        }
    }
    for (uint8_t i = 0; i < lights; i++) {
        cmo_robot_set_levels(robot, i, &read[i]);
    }
    return CMO_OUTCOME_DONE;
}
