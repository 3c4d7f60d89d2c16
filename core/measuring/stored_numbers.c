// SPDX-License-Identifier: MIT
// What was measured, as bytes for an EEPROM: mark, version, reserve, numbers, checksum.
#include "stored.h"

#include <string.h>

#define HEAD 4U

static size_t size_of(uint8_t count) {
    return HEAD + (size_t)4U * count + 2U;
}

size_t cmi_store_numbers(const float *numbers, uint8_t count, uint8_t mark, uint8_t version,
                         uint8_t *bytes, size_t size) {
    if (size < size_of(count)) {
        return 0;
    }
    bytes[0] = mark;
    bytes[1] = version;
    bytes[2] = bytes[3] = 0;
    uint8_t *at = bytes + HEAD;
    for (uint8_t i = 0; i < count; i++) {
        uint32_t number; // IEEE 754, lowest byte first
        memcpy(&number, &numbers[i], sizeof number);
        at = cmi_put_16(at, (uint16_t)(number & 0xFFFFU));
        at = cmi_put_16(at, (uint16_t)(number >> 16));
    }
    cmi_put_16(at, cmi_checksum(bytes, size_of(count) - 2U));
    return size_of(count);
}

bool cmi_load_numbers(float *numbers, uint8_t count, uint8_t mark, uint8_t version,
                      const uint8_t *bytes, size_t size) {
    size_t needed = size_of(count);
    if (size < needed || bytes[0] != mark || bytes[1] != version ||
        cmi_get_16(bytes + needed - 2U) != cmi_checksum(bytes, needed - 2U)) {
        return false;
    }
    for (uint8_t i = 0; i < count; i++) {
        const uint8_t *at = bytes + HEAD + (size_t)4U * i;
        uint32_t number = cmi_get_16(at) | (uint32_t)cmi_get_16(at + 2) << 16;
        memcpy(&numbers[i], &number, sizeof number);
    }
    return true;
}
