// SPDX-License-Identifier: GPL-3.0-or-later
// The parts of a route as C: names, numbers, parameters, the robot.
#include "generate.h"

#include <math.h>
#include <string.h>

// ---------------------------------------------------------------------------------------- texts --

void labi_c_add(GString *out, const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    g_string_append_vprintf(out, format, arguments);
    va_end(arguments);
}

// Nine digits are the same float again.
void labi_c_float(GString *out, double value) {
    char text[G_ASCII_DTOSTR_BUF_SIZE];
    if (isinf(value)) {
        labi_c_add(out, "%sINFINITY", value < 0.0 ? "-" : "");
        return;
    }
    g_ascii_formatd(text, sizeof text, "%.9g", value);
    labi_c_add(out, "%s%sF", text, strpbrk(text, ".e") == NULL ? ".0" : "");
}

// A number's name in C. What <math.h> and others have is left to them.
char *labi_c_constant(const char *name) {
    static const char *const taken[] = {"NULL", "INFINITY", "NAN", "EOF", "HUGE_VAL", NULL};
    char *upper = g_ascii_strup(name, -1);
    bool other = g_strv_contains(taken, upper) || g_str_has_prefix(upper, "CMO_") ||
                 *upper == '_' || g_str_has_prefix(upper, "M_") ||
                 g_str_has_prefix(upper, "LEG_") || g_str_has_prefix(upper, "SURFACE_");
    char *own = g_strdup_printf("%s%s", other ? "NUMBER_" : "", upper);
    g_free(upper);
    return own;
}

// What was reckoned, for a compiler: names become constants, and whole numbers real ones, for
// 1 / 2 is to be a half.
char *labi_c_reckoned(const char *text) {
    GString *out = g_string_new(NULL);
    while (*text != '\0') {
        size_t name = g_ascii_isalpha(*text) || *text == '_' ? 1 : 0;
        while (name > 0 && (g_ascii_isalnum(text[name]) || text[name] == '_')) {
            name++;
        }
        if (name > 0) {
            char *word = g_strndup(text, name);
            char *own = labi_c_constant(word);
            g_string_append(out, own);
            g_free(own);
            g_free(word);
            text += name;
        } else if (g_ascii_isdigit(*text) || *text == '.') {
            char *end;
            g_ascii_strtod(text, &end);
            char *number = g_strndup(text, (gsize)(end - text));
            labi_c_add(out, "%s%s", number, strpbrk(number, ".eE") == NULL ? ".0" : "");
            g_free(number);
            text = end;
        } else {
            g_string_append_c(out, *text++);
        }
    }
    return g_string_free(out, FALSE);
}

char *labi_c_surface(const char *name) {
    char *upper = g_ascii_strup(name, -1);
    char *own = g_strdup_printf("SURFACE_%s", upper);
    g_free(upper);
    return own;
}

// ----------------------------------------------------------------------------------- parameters --

// Where a row goes, and what the file has reckoned there.
typedef struct row_of {
    GString *out;
    const lab_leg *leg; // NULL: nothing was reckoned
    const char *section;
} row_of;

static void begin_row(const row_of *r, const char *field) {
    labi_c_add(r->out, "\n    .%s = ", field);
}

// What was reckoned for a key, in C; NULL: nothing. To be freed with g_free().
static char *reckoned(const row_of *r, const char *key) {
    if (r->leg == NULL || r->leg->reckoned == NULL) {
        return NULL;
    }
    char *path = g_strdup_printf("%s.%s", r->section, key);
    const char *text = g_hash_table_lookup(r->leg->reckoned, path);
    char *c = text != NULL ? labi_c_reckoned(text) : NULL;
    g_free(path);
    return c;
}

static void row_number(const row_of *r, const char *field, double value) {
    char *text = reckoned(r, field);
    if (value != 0.0) {
        begin_row(r, field);
        if (value == (double)CMO_ANY_WIDTH && text == NULL && g_str_has_suffix(field, "width_mm")) {
            labi_c_add(r->out, "CMO_ANY_WIDTH");
        } else if (text != NULL) {
            labi_c_add(r->out, strpbrk(text, "+-*/ ") != NULL ? "(float)(%s)" : "(float)%s", text);
        } else {
            labi_c_float(r->out, value);
        }
        labi_c_add(r->out, ",");
    }
    g_free(text);
}

static void row_whole(const row_of *r, const char *field, const char *type, unsigned value) {
    char *text = reckoned(r, field);
    if (value != 0 && text != NULL) {
        begin_row(r, field);
        labi_c_add(r->out, "(%s)(%s),", type, text);
    } else if (value != 0) {
        begin_row(r, field);
        labi_c_add(r->out, "%u,", value);
    }
    g_free(text);
}

static void row_time(const row_of *r, const char *field, const char *key, uint32_t ms) {
    char *text = reckoned(r, key);
    if (ms != 0 && text != NULL) {
        begin_row(r, field);
        labi_c_add(r->out, "(uint32_t)(1000.0 * (%s) + 0.5),", text);
    } else if (ms != 0) {
        begin_row(r, field);
        labi_c_add(r->out, "%uU,", ms);
    }
    g_free(text);
}

// A choice's constant is made as its first one is: CMO_TONE_DARK and "light" are CMO_TONE_LIGHT.
static void row_choice(const row_of *r, const char *field, unsigned value, unsigned first,
                       const char *first_name, const char *const *words) {
    if (value == 0) {
        return;
    }
    char *other = g_ascii_strup(words[0], -1);
    char *own = g_ascii_strup(words[value - first], -1);
    size_t before = strlen(first_name) - strlen(other);
    begin_row(r, field);
    labi_c_add(r->out, "%.*s%s,", (int)before, first_name, own);
    g_free(own);
    g_free(other);
}

static void row_bits(const row_of *r, const char *field, unsigned bits, const char *const *words) {
    if (bits == 0) {
        return;
    }
    begin_row(r, field);
    labi_c_add(r->out, "%u, //", bits);
    for (unsigned i = 0; words[i] != NULL; i++) {
        if (bits & 1U << i) {
            labi_c_add(r->out, " %s", words[i]);
        }
    }
}

static void row_surface(const row_of *r, const char *field, unsigned number) {
    bool ends = strcmp(r->section, "ends") == 0;
    const char *name = r->leg == NULL ? NULL : ends ? r->leg->end_surface : r->leg->surface;
    char *constant = name != NULL ? labi_c_surface(name) : g_strdup_printf("%u", number);
    begin_row(r, field);
    labi_c_add(r->out, "%s,", constant);
    g_free(constant);
}

static void row_band(const row_of *r, const char *field, cmo_band band) {
    if (band.low != band.high) {
        begin_row(r, field);
        labi_c_add(r->out, "{");
        labi_c_float(r->out, (double)band.low);
        labi_c_add(r->out, ", ");
        labi_c_float(r->out, (double)band.high);
        labi_c_add(r->out, "},");
    }
}

#define WORDS(...)      ((const char *const[]){__VA_ARGS__, NULL})
#define WORDS_OF(words) WORDS words
// A row of a list, of the parameters `p`.
#define EMIT(X, type, ...)        EMIT_##type(__VA_ARGS__)
#define EMIT_NUMBER(name, ...)    row_number(r, #name, (double)p->name);
#define EMIT_OTHERWISE            EMIT_NUMBER
#define EMIT_SIGNED               EMIT_NUMBER
#define EMIT_SPEED                EMIT_NUMBER
#define EMIT_RATE                 EMIT_NUMBER
#define EMIT_WIDTH                EMIT_NUMBER
#define EMIT_WHOLE(of, name, ...) row_whole(r, #name, #of, p->name);
#define EMIT_COUNT                EMIT_WHOLE
#define EMIT_FLAG(name, ...)                                                                       \
    if (p->name) {                                                                                 \
        begin_row(r, #name);                                                                       \
        labi_c_add(r->out, "true,");                                                               \
    }
#define EMIT_CHOICE(of, name, first, last, words, ...)                                             \
    row_choice(r, #name, (unsigned)p->name, (unsigned)(first), #first, WORDS words);
#define EMIT_BITS(name, words, ...) row_bits(r, #name, p->name, WORDS words);
#define EMIT_HALT(name, ...)                                                                       \
    row_choice(r, #name, (unsigned)p->name, CMO_HALT_COAST, "CMO_HALT_COAST",                      \
               WORDS_OF(CMO_HALT_WORDS));
#define EMIT_TIME(name, key, ...) row_time(r, #name, #key, p->name);
#define EMIT_BAND(name, ...)      row_band(r, #name, p->name);
#define EMIT_SURFACE(name, ...)                                                                    \
    if (p->name != 0) {                                                                            \
        row_surface(r, #name, p->name);                                                            \
    }
#define EMIT_PLACE(name, ...)
#define EMIT_PLACES(name, ...)

void labi_c_parameters(GString *out, const lab_leg *leg) {
    row_of of = {out, leg, cmo_routine_name(leg->routine)}, *r = &of;
#define EMIT_LEG(NAME, name, figures, text)                                                        \
    case CMO_ROUTINE_##NAME: {                                                                     \
        const cmo_##name##_parameters *p = &leg->parameters.name;                                  \
        CMO_##NAME##_PARAMETERS(EMIT, ) break;                                                     \
    }
    switch (leg->routine) {
        CMO_EACH_LEG(EMIT_LEG)
    default:
        break;
    }
}

void labi_c_ends(GString *out, const char *name, const char *what, const cmo_ends *p,
                 const lab_leg *leg) {
    row_of of = {out, leg, "ends"}, *r = &of;
    labi_c_add(out, "static const cmo_ends %s_%s CMO_FLASH = {", name, what);
    CMO_ENDS_PARAMETERS(EMIT, )
    labi_c_add(out, "\n};\n");
}

// ------------------------------------------------------------------------------------ the robot --

#define FIELD_float(field, value)                                                                  \
    labi_c_add(out, "    ." #field " = "), labi_c_float(out, (double)(value)),                     \
        labi_c_add(out, ",\n")
#define FIELD_uint32_t(field, value) labi_c_add(out, "    ." #field " = %uU,\n", (unsigned)(value))
#define FIELD_uint16_t(field, value) labi_c_add(out, "    ." #field " = %uU,\n", (unsigned)(value))
#define FIELD(X, must, type, field, ...)                                                           \
    if (d->field != 0) {                                                                           \
        FIELD_##type(field, d->field);                                                             \
    }

static void add_sensor(GString *out, const cmo_light_description *d) {
    GString *fields = g_string_new(NULL);
    GString *whole = out;
    out = fields;
    CMO_LIGHT_FIELDS(FIELD, )
    if (d->dark_is_high) {
        labi_c_add(out, "    .dark_is_high = true,\n");
    }
    if (d->colour) {
        labi_c_add(out, "    .colour = true,\n");
        FIELD(, , uint32_t, colour_us, )
    }
    g_string_replace(fields, "\n    ", "\n            ", 0);
    labi_c_add(whole, "        {\n        %s        },\n", fields->str);
    g_string_free(fields, TRUE);
}

void labi_c_robot(GString *out, const lab_robot *robot, const char *name) {
    const cmo_robot_description *d = &robot->description;
    char *line = lab_printable(robot->name);
    labi_c_add(out, "// %s, as it believes to be: mm, mm/s, microseconds.\n", line);
    labi_c_add(out, "static const cmo_robot_description %s_robot = {\n", name);
    g_free(line);
    CMO_BODY_FIELDS(FIELD, )
    CMO_CONTACT_FIELDS(FIELD, )
    FIELD(, , float, left_step_mm, )
    FIELD(, , float, right_step_mm, )
    FIELD(, , float, gear_play_mm, )
    FIELD(, , uint16_t, encoder_bits, )
    CMO_DRIVE_FIELDS(FIELD, )
    if (d->lag_measured) {
        labi_c_add(out, "    .lag_measured = true,\n");
    }
    FIELD(, , float, stated_lag_ms, )
    FIELD(, , float, stated_braking_mm_s2, )
    FIELD(, , float, holds_mm_s, )
    CMO_DUTY_FIELDS(FIELD, )
    FIELD(, , uint32_t, lifetime_us, )
    FIELD(, , uint32_t, encoder_age_us, )
    FIELD(, , uint32_t, light_age_us, )
    FIELD(, , uint16_t, lights, )
    if (d->lights > 0) {
        labi_c_add(out, "    .light = {\n");
        for (unsigned i = 0; i < d->lights; i++) {
            add_sensor(out, &d->light[i]);
        }
        labi_c_add(out, "    },\n");
    }
    labi_c_add(out, "};\n");
}

static bool any_levels(const lab_robot *robot) {
    bool any = false;
    for (unsigned i = 0; i < robot->description.lights; i++) {
        any = any || robot->has_levels[i];
    }
    return any;
}

void labi_c_levels(GString *out, const lab_robot *robot, const char *name) {
    if (!any_levels(robot)) {
        return;
    }
    labi_c_add(
        out,
        "\n// What each light sensor reads over dark, light and void; take_levels takes them "
        "anew.\n"
        "static const cmo_levels %s_levels[] = {\n",
        name);
    for (unsigned i = 0; i < robot->description.lights; i++) {
        const cmo_levels *l = &robot->levels[i];
        if (robot->has_levels[i]) {
            labi_c_add(out, "    {%u, %u, %u, %u, %u, %u},\n", l->dark, l->light, l->void_counts,
                       l->noise, l->dark_threshold, l->light_threshold);
        } else {
            labi_c_add(out,
                       "    {CMO_LEVEL_UNKNOWN, CMO_LEVEL_UNKNOWN, CMO_LEVEL_UNKNOWN, 0, 0, 0},\n");
        }
    }
    labi_c_add(out, "};\n");
}

void labi_c_surfaces(GString *out, const lab_route *route, const char *name) {
    if (route->surfaces == 0) {
        return;
    }
    labi_c_add(out, "\n// Surfaces by number.\nenum {\n");
    for (unsigned i = 0; i < route->surfaces; i++) {
        char *constant = labi_c_surface(route->surface_name[i]);
        labi_c_add(out, "    %s%s,\n", constant, i == 0 ? " = 1" : "");
        g_free(constant);
    }
    const cmo_surfaces *known = &route->robot->surfaces;
    unsigned lights = MAX(route->robot->description.lights, 1U);
    labi_c_add(out,
               "};\n\n// What each light sensor reads over them: counts, red, green, blue, and the "
               "spread;\n// take_surface takes them anew.\nstatic cmo_surfaces %s_surfaces = {\n",
               name);
    if (known->count > 0) {
        labi_c_add(out, "    .count = %u,\n", known->count);
    }
    if (known->change != 0.0F) {
        labi_c_add(out, "    .change = ");
        labi_c_float(out, (double)known->change);
        labi_c_add(out, ",\n");
    }
    labi_c_add(out, "    .shade = {\n");
    for (unsigned i = 0; i < route->surfaces; i++) {
        labi_c_add(out, "        {");
        for (unsigned n = 0; n < lights; n++) {
            const cmo_shade *s = &known->shade[i][n];
            labi_c_add(out, "%s", n > 0 ? ",\n         " : "");
            if (s->counts == CMO_SHADE_UNKNOWN) {
                labi_c_add(out, "{.counts = CMO_SHADE_UNKNOWN}");
            } else {
                labi_c_add(out, "{%u, {%u, %u, %u}, %u}", s->counts, s->colour[0], s->colour[1],
                           s->colour[2], s->spread);
            }
        }
        labi_c_add(out, "},\n");
    }
    labi_c_add(out, "    },\n};\n");
}
