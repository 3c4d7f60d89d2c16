// SPDX-License-Identifier: GPL-3.0-or-later
// A route as C: the same legs, numbers and rules, for a robot that has core alone.
#include "generate.h"

#include <string.h>

static char *identifier(const char *text) {
    GString *out = g_string_new(g_ascii_isdigit(*text) ? "route_" : NULL);
    for (; *text != '\0'; text++) {
        g_string_append_c(out, g_ascii_isalnum(*text) ? *text : '_');
    }
    return g_string_free(out, FALSE);
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
        labi_c_add(out, "CMO_ON_OTHER");
    } else {
        labi_c_add(out, by ? "CMO_ON_BY(CMO_BY_%s)" : "CMO_OUTCOME_%s", upper);
    }
    g_free(upper);
}

static void add_rules(GString *out, const lab_route *route, const lab_leg *leg, const char *name) {
    if (leg->rules == 0) {
        return;
    }
    labi_c_add(out, "static const cmo_follow %s_follow[] CMO_FLASH = {\n", name);
    for (unsigned i = 0; i < leg->rules; i++) {
        const cmo_follow *rule = &leg->rule[i];
        labi_c_add(out, "    {.on = ");
        add_on(out, rule->on);
        labi_c_add(out, ", .next = %s", next_names[rule->next]);
        if (rule->next == CMO_GO_TO) {
            char *to = leg_constant(route, rule->leg);
            labi_c_add(out, ", .leg = %s", to);
            g_free(to);
        }
        if (rule->times != 0) {
            labi_c_add(out, ", .times = %u", rule->times);
        }
        labi_c_add(out, "},\n");
    }
    labi_c_add(out, "};\n");
}

static void add_action(GString *out, const lab_leg *leg, const char *name) {
    const lab_action *action = &leg->parameters.action;
    labi_c_add(
        out,
        "// Yours: called once per tick until it says that it is done. On the bench it waits.\n"
        "static bool %s_action(cmo_robot *robot, void *context) {\n    (void)context;\n",
        name);
    if (action->takes_ms == 0) {
        labi_c_add(out, "    (void)robot;\n    return true;\n}\n");
    } else {
        labi_c_add(out, "    return robot->elapsed_ms >= %uU;\n}\n", action->takes_ms);
    }
    labi_c_add(out,
               "static const cmo_action_parameters %s_parameters CMO_FLASH = {\n"
               "    .function = %s_action,\n",
               name, name);
    if (action->longest_ms != 0) {
        labi_c_add(out, "    .longest_ms = %uU,\n", action->longest_ms);
    }
    labi_c_add(out, "};\n");
}

static void add_leg(GString *out, const lab_route *route, unsigned number) {
    const lab_leg *leg = &route->leg[number];
    char *name = called(route, number);
    const char *routine = cmo_routine_name(leg->routine);
    labi_c_add(out, "\n// Leg %u: %s.\n", number + 1, routine);
    if (leg->stated) {
        labi_c_add(out, "static const cmo_stated_line %s_place CMO_FLASH = {", name);
        labi_c_float(out, (double)leg->place.x_mm);
        labi_c_add(out, ", ");
        labi_c_float(out, (double)leg->place.y_mm);
        labi_c_add(out, ", ");
        labi_c_float(out, (double)leg->place.heading_deg);
        labi_c_add(out, "};\n");
    }
    if (leg->places > 0) {
        labi_c_add(out, "static const float %s_places_mm[] CMO_FLASH = {", name);
        for (unsigned i = 0; i < leg->places; i++) {
            labi_c_add(out, i > 0 ? ", " : "");
            labi_c_float(out, (double)leg->places_mm[i]);
        }
        labi_c_add(out, "};\n");
    }
    if (leg->routine == CMO_ROUTINE_ACTION) {
        add_action(out, leg, name);
    } else {
        labi_c_add(out, "static const cmo_%s_parameters %s_parameters CMO_FLASH = {", routine,
                   name);
        gsize before = out->len;
        lab_leg driven = *leg;
        float over = labi_over_speed(route, number);
        if (over > 0.0F) { // what the next leg can take
            driven.parameters.advance.over_mm_s = over;
        }
        labi_c_parameters(out, &driven);
        if (leg->stated && leg->routine == CMO_ROUTINE_COUNT_LINES) {
            labi_c_add(out, "\n    .place = &%s_place,", name);
        }
        if (leg->places > 0) {
            labi_c_add(out, "\n    .places_mm = %s_places_mm,\n    .places = %u,", name,
                       leg->places);
        }
        labi_c_add(out, out->len == before ? "0};\n" : "\n};\n");
    }
    if (leg->ended) {
        labi_c_ends(out, name, "ends", &leg->ends, leg);
    }
    add_rules(out, route, leg, name);
    g_free(name);
}

static void add_table(GString *out, const lab_route *route, const char *of) {
    labi_c_add(out, "\nstatic const cmo_leg %s_legs[] CMO_FLASH = {\n", of);
    for (unsigned i = 0; i < route->legs; i++) {
        const lab_leg *leg = &route->leg[i];
        const char *routine = cmo_routine_name(leg->routine);
        char *name = called(route, i);
        labi_c_add(out, "    {CMO_LEG(%s, &%s_parameters)", routine, name);
        if (leg->ended) {
            labi_c_add(out, ",\n     .ends = &%s_ends", name);
        }
        if (leg->rules > 0) {
            labi_c_add(out, ",\n     CMO_FOLLOW(%s_follow)", name);
        }
        if (leg->stated) {
            const char *line = cmo_routine_name(leg->routine);
            labi_c_add(out, ",\n     CMO_PLACE(%s, &%s_place)", line, name);
        }
        labi_c_add(out, "},\n");
        g_free(name);
    }
    labi_c_add(out, "};\n");
}

static void add_groups(GString *out, const lab_route *route, const char *of) {
    if (route->groups == 0) {
        return;
    }
    for (unsigned i = 0; i < route->groups; i++) {
        if (route->group[i].ended) {
            char *name = g_strdup_printf("group_%u", i + 1);
            labi_c_ends(out, name, "ends", &route->group[i].ends, NULL);
            g_free(name);
        }
    }
    labi_c_add(
        out,
        "\n// Legs that are repeated together.\nstatic const cmo_group %s_groups[] CMO_FLASH = {\n",
        of);
    for (unsigned i = 0; i < route->groups; i++) {
        const lab_group *group = &route->group[i];
        char *first = leg_constant(route, group->first);
        char *last = leg_constant(route, group->last);
        labi_c_add(out, "    {.first = %s, .last = %s", first, last);
        if (group->rounds != 0) {
            labi_c_add(out, ", .rounds = %u", group->rounds);
        }
        if (group->ended) {
            labi_c_add(out, ", .ends = &group_%u_ends", i + 1);
        }
        labi_c_add(out, "},%s%s\n", group->name != NULL ? " // " : "",
                   group->name != NULL ? group->name : "");
        g_free(first);
        g_free(last);
    }
    labi_c_add(out, "};\n");
}

static void add_room(GString *out, const lab_route *route) {
    bool used[CMO_ROUTINES] = {false};
    labi_c_add(out, "\n// One leg runs at a time: one room serves them all.\nstatic union {\n");
    for (unsigned i = 0; i < route->legs; i++) {
        const char *name = cmo_routine_name(route->leg[i].routine);
        if (!used[route->leg[i].routine]) {
            labi_c_add(out, "    cmo_%s_state %s;\n", name, name);
        }
        used[route->leg[i].routine] = true;
    }
    labi_c_add(out, "} room;\n");
}

static void add_start(GString *out, const lab_route *route, const char *of) {
    labi_c_add(out,
               "\nstatic const cmo_route_parameters %s = {\n    CMO_LEGS(%s_legs), CMO_ROOM(room)",
               of, of);
    if (route->groups > 0) {
        labi_c_add(out, ", CMO_GROUPS(%s_groups)", of);
    }
    labi_c_add(out,
               "\n};\n\ncmo_outcome %s_start(cmo_robot *robot, const cmo_port *port) {\n"
               "    static cmo_route_state state;\n"
               "    cmo_outcome outcome = cmo_robot_start(robot, &%s_robot, port);\n"
               "    if (outcome != CMO_OUTCOME_DONE) {\n"
               "        return outcome;\n"
               "    }\n",
               of, of);
    for (unsigned i = 0; i < route->robot->description.lights; i++) {
        if (route->robot->has_levels[i]) {
            labi_c_add(out, "    cmo_robot_set_levels(robot, %u, &%s_levels[%u]);\n", i, of, i);
        }
    }
    if (route->surfaces > 0) {
        labi_c_add(out, "    cmo_robot_set_surfaces(robot, &%s_surfaces);\n", of);
    }
    labi_c_add(out, "    cmo_robot_set_pose(robot, ");
    labi_c_float(out, route->x_mm);
    labi_c_add(out, ", ");
    labi_c_float(out, route->y_mm);
    labi_c_add(out, ", ");
    labi_c_float(out, route->heading_deg);
    labi_c_add(out,
               ");\n    cmo_robot_set_run_limit(robot, %uU);\n"
               "    return cmo_route_start(robot, &state, &%s);\n}\n",
               (unsigned)(1000.0 * route->longest_s), of);
}

// The traits that the route's robot claims: its port must have them.
static void add_traits(GString *out, uint16_t traits) {
    static const char *const names[] = {"ENCODERS", "LOOK_TIMES", "SPEED", "COAST", "BRAKE", "HOLD",
                                        "HEADING",  "RANGE",      "TOUCH", "START", "STOP"};
    labi_c_add(out, "// The port has CMO_TRAIT_");
    unsigned length = 26;
    bool first = true;
    for (unsigned i = 0; i < G_N_ELEMENTS(names); i++) {
        if (traits & 1U << i) {
            length += (unsigned)strlen(names[i]) + 2;
            labi_c_add(out, "%s%s", first ? "" : length > 90 ? ",\n// " : ", ", names[i]);
            length = length > 90 ? (unsigned)strlen(names[i]) : length;
            first = false;
        }
    }
    labi_c_add(out, ".\n");
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
    labi_c_add(
        out,
        "// %s: written by cammino generate, from %s. It needs core alone:\n"
        "//\n"
        "//     cmo_robot robot;\n"
        "//     cmo_outcome outcome = %s_start(&robot, &port);\n"
        "//     outcome = outcome == CMO_RUNNING ? cmo_run(&robot) : outcome;\n"
        "//\n"
        "// In a loop of your own, call cmo_tick(&robot) until it no longer answers CMO_RUNNING.\n",
        of, path, of);
    add_traits(out, route->robot->traits);
    labi_c_add(out,
               "#include <cammino/cammino.h>\n\n#include <math.h>\n\n"
               "cmo_outcome %s_start(cmo_robot *robot, const cmo_port *port);\n\n",
               of);
    for (guint i = 0; route->numbers != NULL && i < route->numbers->len; i++) {
        const lab_number *number = &g_array_index(route->numbers, lab_number, i);
        char *name = labi_c_constant(number->name);
        char *text = labi_c_reckoned(number->text);
        bool plain = strpbrk(text, "+-*/ ") == NULL;
        labi_c_add(out, plain ? "#define %s %s\n" : "#define %s (%s)\n", name, text);
        g_free(text);
        g_free(name);
    }
    labi_c_add(out, "%s", route->numbers != NULL && route->numbers->len > 0 ? "\n" : "");
    labi_c_robot(out, route->robot, of);
    labi_c_levels(out, route->robot, of);
    labi_c_surfaces(out, route, of);
    labi_c_add(out, "\n// Numbers of the legs, from 0.\nenum {\n");
    for (unsigned i = 0; i < route->legs; i++) {
        char *name = leg_constant(route, i);
        labi_c_add(out, "    %s,\n", name);
        g_free(name);
    }
    labi_c_add(out, "};\n");
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
