// SPDX-License-Identifier: GPL-3.0-or-later
#include "law.h"

#include <cammino_lab/json.h>
#include <math.h>

static void print_known(const char *name, const char *unit, int digits, const lab_known *known) {
    printf("  %-28s %8.*f %-6s 95 %% sure: %.*f to %.*f\n", name, digits, known->value, unit,
           digits, known->low, digits, known->high);
}

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
    printf("\n%u halts of leg %u at %.0f to %.0f mm/s: stopping distance = c + v (t + b)%s\n",
           law->halts, leg + 1, law->slowest_mm_s, law->fastest_mm_s,
           law->brakes ? " + e + v^2 / 2 a" : "");
    print_known("c  way until it is sure", "mm", 2, &law->c_mm);
    print_known("t  time until it answers", "ms", 1, &law->reaction_ms);
    if (!law->brakes) {
        print_known("b  time of braking", "ms", 1, &law->braking_ms);
    } else {
        print_known("b  time until it brakes", "ms", 1, &law->braking_ms);
        print_known("a  deceleration", "mm/s2", 0, &law->deceleration_mm_s2);
        printf("  e  %-25s %8.2f %-6s below %.0f mm/s it brakes the less the slower it is\n",
               "end of the braking", law->end_mm, "mm", law->from_mm_s);
    }
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
    add_known(builder, "c_mm", &law->c_mm);
    add_known(builder, "reaction_ms", &law->reaction_ms);
    add_known(builder, "braking_ms", &law->braking_ms);
    if (law->brakes) {
        add_known(builder, "deceleration_mm_s2", &law->deceleration_mm_s2);
        lab_json_number(builder, "from_mm_s", law->from_mm_s, 1);
        lab_json_number(builder, "end_mm", law->end_mm, 3);
    }
    lab_json_number(builder, "off_mm", law->off_mm, 3);
    json_builder_end_object(builder);
}
