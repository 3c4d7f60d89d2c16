// SPDX-License-Identifier: GPL-3.0-or-later
#include "paper.h"

static uint32_t paper_us;

static uint32_t paper_clock(void *context) {
    (void)context;
    return paper_us;
}

static cmo_status paper_sample(void *context, cmo_sample *sample) {
    (void)context;
    uint32_t count = paper_us / 2000;
    sample->have = CMO_HAVE_ENCODERS | CMO_HAVE_RANGE | CMO_HAVE_TOUCH;
    sample->range_mm = 3000.0F;
    sample->encoders.time_us = paper_us;
    sample->encoders.left = sample->encoders.right = count;
    for (int i = 0; i < 2; i++) {
        sample->light[i].looks = 1;
        sample->light[i].look[0] =
            (cmo_look){.time_us = paper_us, .counts = 560, .sequence = (uint8_t)(paper_us / 10000)};
    }
    return CMO_OK;
}

static cmo_status paper_drive(void *context, float left, float right, uint32_t lifetime_us) {
    (void)context;
    (void)left;
    (void)right;
    (void)lifetime_us;
    return CMO_OK;
}

static cmo_status paper_halt(void *context, cmo_halt how) {
    (void)context;
    (void)how;
    return CMO_OK;
}

cmo_port paper_port(uint16_t traits) {
    return (cmo_port){.traits = traits,
                      .clock = paper_clock,
                      .sample = paper_sample,
                      .drive = paper_drive,
                      .halt = paper_halt};
}

void paper_wait(uint32_t us) {
    paper_us += us;
}
