// SPDX-License-Identifier: MIT
// What stored forms share.
#ifndef CMI_STORED_H
#define CMI_STORED_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

// Fletcher's checksum of 16 bits (RFC 1146).
static inline uint16_t cmi_checksum(const uint8_t *bytes, size_t count) {
    uint16_t a = 1;
    uint16_t b = 0;
    for (size_t i = 0; i < count; i++) {
        a = (uint16_t)((a + bytes[i]) % 255U);
        b = (uint16_t)((b + a) % 255U);
    }
    return (uint16_t)(b << 8 | a);
}

static inline uint8_t *cmi_put_16(uint8_t *at, uint16_t value) {
    *at++ = (uint8_t)(value & 0xFFU);
    *at++ = (uint8_t)(value >> 8);
    return at;
}

static inline uint16_t cmi_get_16(const uint8_t *at) {
    return (uint16_t)(at[0] | (uint16_t)at[1] << 8);
}

// Numbers between a mark and version of their own and a checksum. 0 bytes: too little room.
size_t cmi_store_numbers(const float *numbers, uint8_t count, uint8_t mark, uint8_t version,
                         uint8_t *bytes, size_t size);

// False, and nothing changed, for other bytes than that.
bool cmi_load_numbers(float *numbers, uint8_t count, uint8_t mark, uint8_t version,
                      const uint8_t *bytes, size_t size);

#endif
