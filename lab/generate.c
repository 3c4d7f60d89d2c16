// SPDX-License-Identifier: GPL-3.0-or-later
// A route as C: the same legs, numbers and rules, for a robot that has core alone.
#include "legs.h"

#include <math.h>
#include <string.h>

// ---------------------------------------------------------------------------------------- texts --

static void add(GString *out, const char *format, ...) G_GNUC_PRINTF(2, 3);
static void add(GString *out, const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    g_string_append_vprintf(out, format, arguments);
    va_end(arguments);
}

// Nine digits are the same float again.
static void add_float(GString *out, double value) {
    char text[G_ASCII_DTOSTR_BUF_SIZE];
    if (isinf(value)) {
        add(out, "%sINFINITY", value < 0.0 ? "-" : "");
        return;
    }
    g_ascii_formatd(text, sizeof text, "%.9g", value);
    add(out, "%s%sF", text, strpbrk(text, ".e") == NULL ? ".0" : "");
}

// A number's name in C. What <math.h> and others have is left to them.
static char *constant(const char *name) {
    static const char *const taken[] = {"NULL", "INFINITY", "NAN", "EOF", "HUGE_VAL", NULL};
    char *upper = g_ascii_strup(name, -1);
    bool other = g_strv_contains(taken, upper) || g_str_has_prefix(upper, "CMO_") ||
                 *upper == '_' || g_str_has_prefix(upper, "M_") || g_str_has_prefix(upper, "LEG_");
    char *own = g_strdup_printf("%s%s", other ? "NUMBER_" : "", upper);
    g_free(upper);
    return own;
}

// What was reckoned, for a compiler: names become constants, and whole numbers real ones, for
// 1 / 2 is to be a half.
static char *in_c(const char *text) {
    GString *out = g_string_new(NULL);
    while (*text != '\0') {
        size_t name = g_ascii_isalpha(*text) || *text == '_' ? 1 : 0;
        while (name > 0 && (g_ascii_isalnum(text[name]) || text[name] == '_')) {
            name++;
        }
        if (name > 0) {
            char *word = g_strndup(text, name);
            char *own = constant(word);
            g_string_append(out, own);
            g_free(own);
            g_free(word);
            text += name;
        } else if (g_ascii_isdigit(*text) || *text == '.') {
            char *end;
            g_ascii_strtod(text, &end);
            char *number = g_strndup(text, (gsize)(end - text));
            add(out, "%s%s", number, strpbrk(number, ".eE") == NULL ? ".0" : "");
            g_free(number);
            text = end;
        } else {
            g_string_append_c(out, *text++);
        }
    }
    return g_string_free(out, FALSE);
}

static char *identifier(const char *text) {
    GString *out = g_string_new(g_ascii_isdigit(*text) ? "route_" : NULL);
    for (; *text != '\0'; text++) {
        g_string_append_c(out, g_ascii_isalnum(*text) ? *text : '_');
    }
    return g_string_free(out, FALSE);
}

// ----------------------------------------------------------------------------------- parameters --

// Where a row goes, and what the file has reckoned there.
typedef struct row_of {
    GString *out;
    const lab_leg *leg; // NULL: nothing was reckoned
    const char *section;
} row_of;

static void begin_row(const row_of *r, const char *field) {
    add(r->out, "\n    .%s = ", field);
}

// What was reckoned for a key, in C; NULL: nothing. To be freed with g_free().
static char *reckoned(const row_of *r, const char *key) {
    if (r->leg == NULL || r->leg->reckoned == NULL) {
        return NULL;
    }
    char *path = g_strdup_printf("%s.%s", r->section, key);
    const char *text = g_hash_table_lookup(r->leg->reckoned, path);
    char *c = text != NULL ? in_c(text) : NULL;
    g_free(path);
    return c;
}

static void row_number(const row_of *r, const char *field, double value) {
    char *text = reckoned(r, field);
    if (value != 0.0) {
        begin_row(r, field);
        if (value == (double)CMO_ANY_WIDTH && text == NULL && g_str_has_suffix(field, "width_mm")) {
            add(r->out, "CMO_ANY_WIDTH");
        } else if (text != NULL) {
            add(r->out, strpbrk(text, "+-*/ ") != NULL ? "(float)(%s)" : "(float)%s", text);
        } else {
            add_float(r->out, value);
        }
        add(r->out, ",");
    }
    g_free(text);
}

static void row_whole(const row_of *r, const char *field, const char *type, unsigned value) {
    char *text = reckoned(r, field);
    if (value != 0 && text != NULL) {
        begin_row(r, field);
        add(r->out, "(%s)(%s),", type, text);
    } else if (value != 0) {
        begin_row(r, field);
        add(r->out, "%u,", value);
    }
    g_free(text);
}

static void row_time(const row_of *r, const char *field, const char *key, uint32_t ms) {
    char *text = reckoned(r, key);
    if (ms != 0 && text != NULL) {
        begin_row(r, field);
        add(r->out, "(uint32_t)(1000.0 * (%s) + 0.5),", text);
    } else if (ms != 0) {
        begin_row(r, field);
        add(r->out, "%uU,", ms);
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
    add(r->out, "%.*s%s,", (int)before, first_name, own);
    g_free(own);
    g_free(other);
}

static void row_bits(const row_of *r, const char *field, unsigned bits, const char *const *words) {
    if (bits == 0) {
        return;
    }
    begin_row(r, field);
    add(r->out, "%u, //", bits);
    for (unsigned i = 0; words[i] != NULL; i++) {
        if (bits & 1U << i) {
            add(r->out, " %s", words[i]);
        }
    }
}

static void row_band(const row_of *r, const char *field, cmo_band band) {
    if (band.low != band.high) {
        begin_row(r, field);
        add(r->out, "{");
        add_float(r->out, (double)band.low);
        add(r->out, ", ");
        add_float(r->out, (double)band.high);
        add(r->out, "},");
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
        add(r->out, "true,");                                                                      \
    }
#define EMIT_CHOICE(of, name, first, last, words, ...)                                             \
    row_choice(r, #name, (unsigned)p->name, (unsigned)(first), #first, WORDS words);
#define EMIT_BITS(name, words, ...) row_bits(r, #name, p->name, WORDS words);
#define EMIT_HALT(name, ...)                                                                       \
    row_choice(r, #name, (unsigned)p->name, CMO_HALT_COAST, "CMO_HALT_COAST",                      \
               WORDS_OF(CMO_HALT_WORDS));
#define EMIT_TIME(name, key, ...) row_time(r, #name, #key, p->name);
#define EMIT_BAND(name, ...)      row_band(r, #name, p->name);
#define EMIT_PLACE(name, ...)

static void add_parameters(GString *out, const lab_leg *leg) {
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

static void add_ends(GString *out, const char *name, const char *what, const cmo_ends *p,
                     const lab_leg *leg) {
    row_of of = {out, leg, "until"}, *r = &of;
    add(out, "static const cmo_ends %s_%s CMO_FLASH = {", name, what);
    CMO_ENDS_PARAMETERS(EMIT, )
    add(out, "\n};\n");
}

// ------------------------------------------------------------------------------------ the robot --

#define FIELD_float(field, value)                                                                  \
    add(out, "    ." #field " = "), add_float(out, (double)(value)), add(out, ",\n")
#define FIELD_uint32_t(field, value) add(out, "    ." #field " = %uU,\n", (unsigned)(value))
#define FIELD_uint16_t(field, value) add(out, "    ." #field " = %uU,\n", (unsigned)(value))
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
        add(out, "    .dark_is_high = true,\n");
    }
    g_string_replace(fields, "\n    ", "\n            ", 0);
    add(whole, "        {\n        %s        },\n", fields->str);
    g_string_free(fields, TRUE);
}

static void add_robot(GString *out, const lab_robot *robot, const char *name) {
    const cmo_robot_description *d = &robot->description;
    char *line = lab_printable(robot->name);
    add(out, "// %s, as it believes to be: mm, mm/s, microseconds.\n", line);
    add(out, "static const cmo_robot_description %s_robot = {\n", name);
    g_free(line);
    CMO_BODY_FIELDS(FIELD, )
    CMO_CONTACT_FIELDS(FIELD, )
    FIELD(, , float, left_step_mm, )
    FIELD(, , float, right_step_mm, )
    FIELD(, , float, gear_play_mm, )
    FIELD(, , uint16_t, encoder_bits, )
    CMO_DRIVE_FIELDS(FIELD, )
    if (d->lag_measured) {
        add(out, "    .lag_measured = true,\n");
    }
    FIELD(, , float, stated_lag_ms, )
    CMO_DUTY_FIELDS(FIELD, )
    FIELD(, , uint32_t, lifetime_us, )
    FIELD(, , uint32_t, encoder_age_us, )
    FIELD(, , uint32_t, light_age_us, )
    FIELD(, , uint16_t, lights, )
    if (d->lights > 0) {
        add(out, "    .light = {\n");
        for (unsigned i = 0; i < d->lights; i++) {
            add_sensor(out, &d->light[i]);
        }
        add(out, "    },\n");
    }
    add(out, "};\n");
}

static bool any_levels(const lab_robot *robot) {
    bool any = false;
    for (unsigned i = 0; i < robot->description.lights; i++) {
        any = any || robot->has_levels[i];
    }
    return any;
}

static void add_levels(GString *out, const lab_robot *robot, const char *name) {
    if (!any_levels(robot)) {
        return;
    }
    add(out,
        "\n// What each light sensor reads over dark, light and void; take_levels takes them "
        "anew.\n"
        "static const cmo_levels %s_levels[] = {\n",
        name);
    for (unsigned i = 0; i < robot->description.lights; i++) {
        const cmo_levels *l = &robot->levels[i];
        if (robot->has_levels[i]) {
            add(out, "    {%u, %u, %u, %u, %u, %u},\n", l->dark, l->light, l->void_counts, l->noise,
                l->dark_threshold, l->light_threshold);
        } else {
            add(out, "    {CMO_LEVEL_UNKNOWN, CMO_LEVEL_UNKNOWN, CMO_LEVEL_UNKNOWN, 0, 0, 0},\n");
        }
    }
    add(out, "};\n");
}

// ------------------------------------------------------------------------------------- the legs --

// What a leg's objects are called: by its name, or by its number.
static char *called(const lab_route *route, unsigned number) {
    const char *name = route->leg[number].name;
    bool by_name = name != NULL && !g_str_has_prefix(name, "leg_");
    return by_name ? g_strdup(name) : g_strdup_printf("leg_%u", number + 1);
}

// The constant of a leg's number: by its name, or by what people count.
static char *leg_constant(const lab_route *route, unsigned number) {
    const char *name = route->leg[number].name;
    char *upper = name != NULL && !g_str_has_prefix(name, "leg_") ? g_ascii_strup(name, -1) : NULL;
    char *own =
        upper != NULL ? g_strdup_printf("LEG_%s", upper) : g_strdup_printf("LEG_%u", number + 1);
    g_free(upper);
    return own;
}

static const char *const next_names[] = {"CMO_GO_ON", "CMO_AGAIN", "CMO_GO_TO", "CMO_STOP",
                                         "CMO_FAIL"};
_Static_assert(G_N_ELEMENTS(next_names) == CMO_NEXTS, "a name for each of what follows");

static void add_on(GString *out, uint8_t on) {
    bool other = on == CMO_ON_OTHER;
    bool by = !other && on >= CMO_ON_BY(1);
    const char *name =
        by ? cmo_by_name((cmo_by)(on - CMO_ON_BY(0))) : cmo_outcome_name((cmo_outcome)on);
    char *upper = g_ascii_strup(name, -1);
    if (other) {
        add(out, "CMO_ON_OTHER");
    } else {
        add(out, by ? "CMO_ON_BY(CMO_BY_%s)" : "CMO_OUTCOME_%s", upper);
    }
    g_free(upper);
}

static void add_rules(GString *out, const lab_route *route, const lab_leg *leg, const char *name) {
    if (leg->rules == 0) {
        return;
    }
    add(out, "static const cmo_follow %s_follow[] CMO_FLASH = {\n", name);
    for (unsigned i = 0; i < leg->rules; i++) {
        const cmo_follow *rule = &leg->rule[i];
        add(out, "    {.on = ");
        add_on(out, rule->on);
        add(out, ", .next = %s", next_names[rule->next]);
        if (rule->next == CMO_GO_TO) {
            char *to = leg_constant(route, rule->leg);
            add(out, ", .leg = %s", to);
            g_free(to);
        }
        if (rule->times != 0) {
            add(out, ", .times = %u", rule->times);
        }
        add(out, "},\n");
    }
    add(out, "};\n");
}

static void add_action(GString *out, const lab_leg *leg, const char *name) {
    const lab_action *action = &leg->parameters.action;
    add(out,
        "// Yours: called once per tick until it says that it is done. On the bench it waits.\n"
        "static bool %s_action(cmo_robot *robot, void *context) {\n    (void)context;\n",
        name);
    if (action->takes_ms == 0) {
        add(out, "    (void)robot;\n    return true;\n}\n");
    } else {
        add(out, "    return robot->elapsed_ms >= %uU;\n}\n", action->takes_ms);
    }
    add(out,
        "static const cmo_action_parameters %s_parameters CMO_FLASH = {\n"
        "    .function = %s_action,\n",
        name, name);
    if (action->longest_ms != 0) {
        add(out, "    .longest_ms = %uU,\n", action->longest_ms);
    }
    add(out, "};\n");
}

static void add_leg(GString *out, const lab_route *route, unsigned number) {
    const lab_leg *leg = &route->leg[number];
    char *name = called(route, number);
    const char *routine = cmo_routine_name(leg->routine);
    add(out, "\n// Leg %u: %s.\n", number + 1, routine);
    if (leg->routine == CMO_ROUTINE_ACTION) {
        add_action(out, leg, name);
    } else {
        add(out, "static const cmo_%s_parameters %s_parameters CMO_FLASH = {", routine, name);
        gsize before = out->len;
        add_parameters(out, leg);
        add(out, out->len == before ? "0};\n" : "\n};\n");
    }
    if (leg->ended) {
        add_ends(out, name, "ends", &leg->ends, leg);
    }
    add_rules(out, route, leg, name);
    if (leg->stated) {
        add(out, "static const cmo_stated_line %s_place CMO_FLASH = {", name);
        add_float(out, (double)leg->place.x_mm);
        add(out, ", ");
        add_float(out, (double)leg->place.y_mm);
        add(out, ", ");
        add_float(out, (double)leg->place.heading_deg);
        add(out, "};\n");
    }
    g_free(name);
}

static void add_table(GString *out, const lab_route *route, const char *of) {
    add(out, "\nstatic const cmo_leg %s_legs[] CMO_FLASH = {\n", of);
    for (unsigned i = 0; i < route->legs; i++) {
        const lab_leg *leg = &route->leg[i];
        const char *routine = cmo_routine_name(leg->routine);
        char *name = called(route, i);
        add(out, "    {CMO_LEG(%s, &%s_parameters)", routine, name);
        if (leg->ended) {
            add(out, ",\n     .ends = &%s_ends", name);
        }
        if (leg->rules > 0) {
            add(out, ",\n     CMO_FOLLOW(%s_follow)", name);
        }
        if (leg->stated) {
            const char *line =
                leg->routine == CMO_ROUTINE_SQUARE_ON_LINE ? "square_on_line" : "stop_on_line";
            add(out, ",\n     CMO_PLACE(%s, &%s_place)", line, name);
        }
        add(out, "},\n");
        g_free(name);
    }
    add(out, "};\n");
}

static void add_groups(GString *out, const lab_route *route, const char *of) {
    if (route->groups == 0) {
        return;
    }
    for (unsigned i = 0; i < route->groups; i++) {
        if (route->group[i].ended) {
            char *name = g_strdup_printf("group_%u", i + 1);
            add_ends(out, name, "until", &route->group[i].until, NULL);
            g_free(name);
        }
    }
    add(out,
        "\n// Legs that are repeated together.\nstatic const cmo_group %s_groups[] CMO_FLASH = {\n",
        of);
    for (unsigned i = 0; i < route->groups; i++) {
        const lab_group *group = &route->group[i];
        char *first = leg_constant(route, group->first);
        char *last = leg_constant(route, group->last);
        add(out, "    {.first = %s, .last = %s", first, last);
        if (group->times != 0) {
            add(out, ", .times = %u", group->times);
        }
        if (group->ended) {
            add(out, ", .until = &group_%u_until", i + 1);
        }
        add(out, "},%s%s\n", group->name != NULL ? " // " : "",
            group->name != NULL ? group->name : "");
        g_free(first);
        g_free(last);
    }
    add(out, "};\n");
}

static void add_room(GString *out, const lab_route *route) {
    bool used[CMO_ROUTINES] = {false};
    add(out, "\n// One leg runs at a time: one room serves them all.\nstatic union {\n");
    for (unsigned i = 0; i < route->legs; i++) {
        const char *name = cmo_routine_name(route->leg[i].routine);
        if (!used[route->leg[i].routine]) {
            add(out, "    cmo_%s_state %s;\n", name, name);
        }
        used[route->leg[i].routine] = true;
    }
    add(out, "} room;\n");
}

static void add_start(GString *out, const lab_route *route, const char *of) {
    add(out, "\nstatic const cmo_route_parameters %s = {\n    CMO_LEGS(%s_legs), CMO_ROOM(room)",
        of, of);
    if (route->groups > 0) {
        add(out, ", CMO_GROUPS(%s_groups)", of);
    }
    add(out,
        "\n};\n\ncmo_outcome %s_start(cmo_robot *robot, const cmo_port *port) {\n"
        "    static cmo_route_state state;\n"
        "    cmo_outcome outcome = cmo_robot_start(robot, &%s_robot, port);\n"
        "    if (outcome != CMO_OUTCOME_DONE) {\n"
        "        return outcome;\n"
        "    }\n",
        of, of);
    for (unsigned i = 0; i < route->robot->description.lights; i++) {
        if (route->robot->has_levels[i]) {
            add(out, "    cmo_robot_set_levels(robot, %u, &%s_levels[%u]);\n", i, of, i);
        }
    }
    add(out, "    cmo_robot_set_pose(robot, ");
    add_float(out, route->x_mm);
    add(out, ", ");
    add_float(out, route->y_mm);
    add(out, ", ");
    add_float(out, route->heading_deg);
    add(out,
        ");\n    cmo_robot_set_run_limit(robot, %uU);\n"
        "    return cmo_route_start(robot, &state, &%s);\n}\n",
        (unsigned)(1000.0 * route->longest_s), of);
}

// The traits that the route's robot claims: its port must have them.
static void add_traits(GString *out, uint16_t traits) {
    static const char *const names[] = {"ENCODERS", "LOOK_TIMES", "SPEED", "COAST", "BRAKE", "HOLD",
                                        "HEADING",  "RANGE",      "TOUCH", "START", "STOP"};
    add(out, "// The port has CMO_TRAIT_");
    unsigned length = 26;
    bool first = true;
    for (unsigned i = 0; i < G_N_ELEMENTS(names); i++) {
        if (traits & 1U << i) {
            length += (unsigned)strlen(names[i]) + 2;
            add(out, "%s%s", first ? "" : length > 90 ? ",\n// " : ", ", names[i]);
            length = length > 90 ? (unsigned)strlen(names[i]) : length;
            first = false;
        }
    }
    add(out, ".\n");
}

char *lab_generate(const lab_route *route) {
    GString *out = g_string_new(NULL);
    char *file = g_path_get_basename(route->path);
    char *dot = strrchr(file, '.');
    if (dot != NULL && dot != file) {
        *dot = '\0';
    }
    char *of = identifier(file);
    char *path = lab_printable(route->path);
    add(out,
        "// %s: written by cammino generate, from %s. It needs core alone:\n"
        "//\n"
        "//     cmo_robot robot;\n"
        "//     cmo_outcome outcome = %s_start(&robot, &port);\n"
        "//     outcome = outcome == CMO_RUNNING ? cmo_run(&robot) : outcome;\n"
        "//\n"
        "// In a loop of your own, call cmo_tick(&robot) until it no longer answers CMO_RUNNING.\n",
        of, path, of);
    add_traits(out, route->robot->traits);
    add(out,
        "#include <cammino/cammino.h>\n\n#include <math.h>\n\n"
        "cmo_outcome %s_start(cmo_robot *robot, const cmo_port *port);\n\n",
        of);
    for (guint i = 0; route->numbers != NULL && i < route->numbers->len; i++) {
        const lab_number *number = &g_array_index(route->numbers, lab_number, i);
        char *name = constant(number->name);
        char *text = in_c(number->text);
        bool plain = strpbrk(text, "+-*/ ") == NULL;
        add(out, plain ? "#define %s %s\n" : "#define %s (%s)\n", name, text);
        g_free(text);
        g_free(name);
    }
    add(out, "%s", route->numbers != NULL && route->numbers->len > 0 ? "\n" : "");
    add_robot(out, route->robot, of);
    add_levels(out, route->robot, of);
    add(out, "\n// Numbers of the legs, from 0.\nenum {\n");
    for (unsigned i = 0; i < route->legs; i++) {
        char *name = leg_constant(route, i);
        add(out, "    %s,\n", name);
        g_free(name);
    }
    add(out, "};\n");
    for (unsigned i = 0; i < route->legs; i++) {
        add_leg(out, route, i);
    }
    add_table(out, route, of);
    add_groups(out, route, of);
    add_room(out, route);
    add_start(out, route, of);
    g_free(path);
    g_free(of);
    g_free(file);
    return g_string_free(out, FALSE);
}
