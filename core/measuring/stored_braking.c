// SPDX-License-Identifier: MIT
#include "braking_fit.h"
#include "stored.h"

#define STORED_MARK    0xC8U
#define STORED_VERSION 1U

size_t cmo_store_braking(const cmo_braking *braking, uint8_t *bytes, size_t size) {
    return cmi_store_numbers((const float *)braking, CMI_BRAKING_NUMBERS, STORED_MARK,
                             STORED_VERSION, bytes, size);
}

bool cmo_load_braking(cmo_braking *braking, const uint8_t *bytes, size_t size) {
    return cmi_load_numbers((float *)braking, CMI_BRAKING_NUMBERS, STORED_MARK, STORED_VERSION,
                            bytes, size);
}
