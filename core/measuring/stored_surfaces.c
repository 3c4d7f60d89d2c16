// SPDX-License-Identifier: MIT
// Surfaces as bytes for an EEPROM.
#include <cammino/surfaces.h>

#include "../shared/routine.h"
#include "stored.h"

#include <math.h>

#if CMO_SURFACES_MAX > 0

#define STORED_MARK    0xC5U
#define STORED_VERSION 1U
#define HEAD           6U
#define SHADE_BYTES    ((size_t)2U * (2U + CMO_COLOURS))

static size_t stored_size(uint8_t count, uint8_t lights) {
    return HEAD + SHADE_BYTES * count * lights + 2U;
}

size_t cmo_store_surfaces(const cmo_robot *robot, uint8_t *bytes, size_t size) {
    const cmo_surfaces *known = robot->surfaces;
    if (robot->port == NULL || known == NULL) {
        return 0;
    }
    uint8_t lights = robot->description->lights;
    size_t needed = stored_size(known->count, lights);
    if (size < needed) {
        return 0;
    }
    bytes[0] = STORED_MARK;
    bytes[1] = STORED_VERSION;
    bytes[2] = lights;
    bytes[3] = known->count;
    uint8_t *at = cmi_put_16(bytes + 4, (uint16_t)(known->change * 10000.0F + 0.5F));
    for (uint8_t i = 0; i < known->count; i++) {
        for (uint8_t n = 0; n < lights; n++) {
            const cmo_shade *shade = &known->shade[i][n];
            at = cmi_put_16(at, shade->counts);
            for (uint8_t c = 0; c < CMO_COLOURS; c++) {
                at = cmi_put_16(at, shade->colour[c]);
            }
            at = cmi_put_16(at, shade->spread);
        }
    }
    cmi_put_16(at, cmi_checksum(bytes, needed - 2U));
    return needed;
}

static const char *wrong(const cmo_robot *robot, const uint8_t *bytes, size_t size) {
    if (robot->port == NULL) {
        return "robot";
    }
    if (robot->surfaces == NULL) {
        return "surfaces";
    }
    if (size < HEAD || bytes[0] != STORED_MARK) {
        return "mark";
    }
    if (bytes[1] != STORED_VERSION) {
        return "version";
    }
    if (bytes[2] != robot->description->lights) {
        return "lights";
    }
    size_t needed = stored_size(bytes[3], bytes[2]);
    if (bytes[3] > CMO_SURFACES_MAX || size < needed) {
        return "count";
    }
    bool sound = cmi_get_16(bytes + needed - 2U) == cmi_checksum(bytes, needed - 2U);
    return !sound ? "checksum" : cmi_get_16(bytes + 4) > 5000U ? "change" : NULL;
}

cmo_outcome cmo_load_surfaces(cmo_robot *robot, const uint8_t *bytes, size_t size) {
    const char *field = wrong(robot, bytes, size);
    if (field != NULL) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, field, NAN);
    }
    cmo_surfaces *known = robot->surfaces;
    cmo_surfaces_clear(known);
    known->count = bytes[3];
    known->change = 1e-4F * (float)cmi_get_16(bytes + 4);
    const uint8_t *at = bytes + HEAD;
    for (uint8_t i = 0; i < known->count; i++) {
        for (uint8_t n = 0; n < bytes[2]; n++) {
            cmo_shade *shade = &known->shade[i][n];
            shade->counts = cmi_get_16(at);
            for (uint8_t c = 0; c < CMO_COLOURS; c++) {
                shade->colour[c] = cmi_get_16(at + 2U + (size_t)2U * c);
            }
            shade->spread = cmi_get_16(at + 2U + (size_t)2U * CMO_COLOURS);
            at += SHADE_BYTES;
        }
    }
    return cmo_robot_set_surfaces(robot, known);
}

#endif
