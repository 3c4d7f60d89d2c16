// SPDX-License-Identifier: MIT
#include "geometry.h"
#include "stored.h"

#define STORED_MARK    0xC6U
#define STORED_VERSION 1U

size_t cmo_store_geometry(const cmo_geometry *geometry, uint8_t *bytes, size_t size) {
    return cmi_store_numbers((const float *)geometry, CMI_GEOMETRY_NUMBERS, STORED_MARK,
                             STORED_VERSION, bytes, size);
}

bool cmo_load_geometry(cmo_geometry *geometry, const uint8_t *bytes, size_t size) {
    return cmi_load_numbers((float *)geometry, CMI_GEOMETRY_NUMBERS, STORED_MARK, STORED_VERSION,
                            bytes, size);
}
