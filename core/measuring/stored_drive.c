// SPDX-License-Identifier: MIT
#include "drive_fit.h"
#include "stored.h"

#define STORED_MARK    0xC7U
#define STORED_VERSION 1U

size_t cmo_store_drive(const cmo_drive *drive, uint8_t *bytes, size_t size) {
    return cmi_store_numbers((const float *)drive, CMI_DRIVE_NUMBERS, STORED_MARK, STORED_VERSION,
                             bytes, size);
}

bool cmo_load_drive(cmo_drive *drive, const uint8_t *bytes, size_t size) {
    return cmi_load_numbers((float *)drive, CMI_DRIVE_NUMBERS, STORED_MARK, STORED_VERSION, bytes,
                            size);
}
