// SPDX-License-Identifier: GPL-3.0-or-later
#include "law.h"

#include <cammino_lab/json.h>
#include <math.h>

void cli_print_law(const lab_law *law, bool known, unsigned leg) {
    if (!known) {
        printf("\nno law by %u halts of leg %u", law->halts, leg + 1);
        if (law->halts > 0) {
            printf(" at %.0f to %.0f mm/s", law->slowest_mm_s, law->fastest_mm_s);
        }
        printf("; it takes %u, the fastest %g times as fast as the slowest\n", LAB_LAW_HALTS,
               LAB_LAW_RANGE);
        return;
    }
    printf("\n%u halts of leg %u at %.0f to %.0f mm/s: stopping distance = c + v t%s\n", law->halts,
           leg + 1, law->slowest_mm_s, law->fastest_mm_s, law->brakes ? " + v^2 / 2 a" : "");
    printf("  t  reaction      %7.1f ms       95 %% sure: %.1f to %.1f\n", law->reaction_ms.value,
           law->reaction_ms.low, law->reaction_ms.high);
    if (law->brakes) {
        const lab_known *a = &law->deceleration_mm_s2;
        printf("  a  deceleration  %7.0f mm/s2    95 %% sure: %.0f to %.0f\n", a->value, a->low,
               a->high);
    }
    printf("  c                %7.2f mm       95 %% sure: %.2f to %.2f\n", law->c_mm.value,
           law->c_mm.low, law->c_mm.high);
    printf("  halts lie off it by %.2f mm (standard deviation)\n", law->off_mm);
    if (!law->brakes) {
        printf("  braking at a steady rate cannot be told from a lag here; faster halts would "
               "tell\n");
    }
}

static void add_known(JsonBuilder *builder, const char *name, const lab_known *known) {
    json_builder_set_member_name(builder, name);
    json_builder_begin_object(builder);
    lab_json_number(builder, "value", known->value, 3);
    lab_json_number(builder, "low", known->low, 3);
    lab_json_number(builder, "high", known->high, 3);
    json_builder_end_object(builder);
}

void cli_add_law(JsonBuilder *builder, const lab_law *law) {
    json_builder_set_member_name(builder, "law");
    if (law == NULL) {
        json_builder_add_null_value(builder);
        return;
    }
    json_builder_begin_object(builder);
    lab_json_whole(builder, "halts", law->halts);
    add_known(builder, "reaction_ms", &law->reaction_ms);
    if (law->brakes) {
        add_known(builder, "deceleration_mm_s2", &law->deceleration_mm_s2);
    }
    add_known(builder, "c_mm", &law->c_mm);
    lab_json_number(builder, "off_mm", law->off_mm, 3);
    json_builder_end_object(builder);
}
