// SPDX-License-Identifier: MIT
// A measured geometry as bytes for an EEPROM.
#include "geometry.h"
#include "stored.h"

#include <math.h>
#include <string.h>

#define STORED_MARK    0xC6U
#define STORED_VERSION 1U

size_t cmo_store_geometry(const cmo_geometry *geometry, uint8_t *bytes, size_t size) {
    if (size < CMO_STORED_GEOMETRY_SIZE) {
        return 0;
    }
    const float *numbers = (const float *)geometry;
    bytes[0] = STORED_MARK;
    bytes[1] = STORED_VERSION;
    bytes[2] = bytes[3] = 0;
    uint8_t *at = bytes + 4;
    for (uint8_t i = 0; i < CMO_GEOMETRY_NUMBERS; i++) {
        uint32_t number; // IEEE 754, lowest byte first
        memcpy(&number, &numbers[i], sizeof number);
        at = cmo_put_16(at, (uint16_t)(number & 0xFFFFU));
        at = cmo_put_16(at, (uint16_t)(number >> 16));
    }
    cmo_put_16(at, cmo_checksum(bytes, CMO_STORED_GEOMETRY_SIZE - 2U));
    return CMO_STORED_GEOMETRY_SIZE;
}

bool cmo_load_geometry(cmo_geometry *geometry, const uint8_t *bytes, size_t size) {
    if (size < CMO_STORED_GEOMETRY_SIZE || bytes[0] != STORED_MARK || bytes[1] != STORED_VERSION ||
        cmo_get_16(bytes + CMO_STORED_GEOMETRY_SIZE - 2U) !=
            cmo_checksum(bytes, CMO_STORED_GEOMETRY_SIZE - 2U)) {
        return false;
    }
    float numbers[CMO_GEOMETRY_NUMBERS];
    for (uint8_t i = 0; i < CMO_GEOMETRY_NUMBERS; i++) {
        const uint8_t *at = bytes + (size_t)4U * (i + 1U);
        uint32_t number = cmo_get_16(at) | (uint32_t)cmo_get_16(at + 2) << 16;
        memcpy(&numbers[i], &number, sizeof number);
    }
    memcpy(geometry, numbers, sizeof *geometry);
    return true;
}
