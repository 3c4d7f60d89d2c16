// SPDX-License-Identifier: GPL-3.0-or-later
// The legs of a route file: routines, groups, other files' legs; names, ends and what follows.
#include "route_reading.h"

#include <math.h>
#include <string.h>

// A route that includes one that includes... and so on, is no route.
#define INCLUDES_DEEPEST 5U

static bool read_list(labi_reading *r, const yaml_node_t *list, const char *path);

// ---------------------------------------------------------------------------------------- names --

int labi_leg_named(const lab_route *route, const char *name) {
    for (unsigned i = 0; i < route->groups; i++) {
        if (g_strcmp0(route->group[i].name, name) == 0) {
            return route->group[i].first;
        }
    }
    for (unsigned i = 0; i < route->legs; i++) {
        if (g_strcmp0(route->leg[i].name, name) == 0) {
            return (int)i;
        }
    }
    return -1;
}

static bool check_name(const labi_reading *r, const yaml_node_t *node, const char *path,
                       const char *name) {
    if (name == NULL) {
        return true;
    }
    char *field = g_strdup_printf("%s.name", path);
    const yaml_node_t *at = labi_yaml_find(r->reader, node, "name");
    bool good = true;
    if (!labi_is_name(name)) {
        good = labi_yaml_wrong(
            r->reader, at, field,
            "'%s' is no name; small letters, digits and _ would do, no digit first", name);
    } else if (labi_leg_named(r->route, name) >= 0) {
        good = labi_yaml_wrong(r->reader, at, field, "there is a leg called %s already", name);
    }
    g_free(field);
    return good;
}

// ----------------------------------------------------------------------------------------- legs --

static bool is_given(const labi_reading *r, const yaml_node_t *node, const char *key) {
    return labi_yaml_find(r->reader, node, key) != NULL;
}

static bool misplaced(const labi_reading *r, const yaml_node_t *node, const char *path,
                      const char *const *keys, const char *what) {
    for (; *keys != NULL; keys++) {
        const yaml_node_t *value = labi_yaml_find(r->reader, node, *keys);
        if (value != NULL) {
            char *field = g_strdup_printf("%s.%s", path, *keys);
            labi_yaml_wrong(r->reader, value, field, "%s", what);
            g_free(field);
            return true;
        }
    }
    return false;
}

// What was reckoned in this leg goes with it, by its keys.
static void take_reckoned(const labi_reading *r, const char *path, lab_leg *leg) {
    char *before = g_strdup_printf("%s.", path);
    GHashTableIter next;
    gpointer at, text;
    g_hash_table_iter_init(&next, r->reader->reckoned);
    while (g_hash_table_iter_next(&next, &at, &text)) {
        if (g_str_has_prefix(at, before)) {
            if (leg->reckoned == NULL) {
                leg->reckoned = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
            }
            g_hash_table_insert(leg->reckoned, g_strdup((char *)at + strlen(before)),
                                g_strdup(text));
            g_hash_table_iter_remove(&next);
        }
    }
    g_free(before);
}

static bool read_routine(labi_reading *r, const yaml_node_t *node, const char *path,
                         const char *routine, staged_leg *staged) {
    static const char *const of_groups[] = {"legs", NULL};
    if (misplaced(r, node, path, of_groups, "is a group's; name that beside it")) {
        return false;
    }
    if (r->route->legs == LAB_LEGS_MAX) {
        return labi_yaml_wrong(r->reader, node, path, "too many; at most %d", LAB_LEGS_MAX);
    }
    lab_leg *leg = &r->route->leg[r->route->legs];
    leg->line = labi_yaml_line(node);
    labi_leg_finish(leg, routine, staged);
    leg->ended = is_given(r, node, "ends");
    leg->ends = labi_ends_finish(&staged->ends, &leg->end_surface);
    if ((leg->routine == CMO_ROUTINE_ADVANCE && leg->parameters.advance.distance_mm == 0.0F) ||
        (leg->routine == CMO_ROUTINE_TURN && leg->parameters.turn.angle_deg == 0.0F)) {
        char *field = g_strdup_printf("%s.%s", path, routine);
        labi_yaml_wrong(r->reader, node, field, "a move by 0 is none; leave the leg out");
        g_free(field);
        return false;
    }
    if (!labi_read_rules(r, node, path, leg)) {
        return false;
    }
    leg->name = g_steal_pointer(&staged->name);
    leg->file = g_strdup(r->source);
    take_reckoned(r, path, leg);
    r->route->legs++;
    return true;
}

static bool read_group(labi_reading *r, const yaml_node_t *node, const char *path,
                       staged_leg *staged) {
    static const char *const of_legs[] = {"follow", "expect", NULL};
    const yaml_node_t *list = labi_yaml_find(r->reader, node, "legs");
    lab_route *route = r->route;
    if (misplaced(r, node, path, of_legs, "is of a routine's leg, not of a group")) {
        return false;
    }
    if (list == NULL) {
        return labi_yaml_wrong(r->reader, node, path, "a group has legs: the list of them");
    }
    if (isnan(staged->group.rounds) && !is_given(r, node, "ends")) {
        char *field = g_strdup_printf("%s.group.rounds", path);
        labi_yaml_wrong(r->reader, node, field, "must be given, or ends beside it");
        g_free(field);
        return false;
    }
    if (r->deep == CMO_GROUPS_DEEP) {
        return labi_yaml_wrong(r->reader, node, path, "groups stand in each other %d deep at most",
                               CMO_GROUPS_DEEP);
    }
    unsigned first = route->legs;
    char *below = g_strdup_printf("%s.legs", path);
    r->deep++;
    bool good = read_list(r, list, below);
    r->deep--;
    g_free(below);
    if (good && route->groups == LAB_GROUPS_MAX) {
        good =
            labi_yaml_wrong(r->reader, node, path, "too many groups; at most %d", LAB_GROUPS_MAX);
    }
    if (good) {
        char *surface;
        cmo_ends ends = labi_ends_finish(&staged->ends, &surface);
        route->group[route->groups++] =
            (lab_group){.name = g_steal_pointer(&staged->name),
                        .line = labi_yaml_line(node),
                        .first = (uint8_t)first,
                        .last = (uint8_t)(route->legs - 1U),
                        .rounds = isnan(staged->group.rounds) ? 0 : (uint16_t)staged->group.rounds,
                        .ended = is_given(r, node, "ends"),
                        .ends = ends,
                        .end_surface = surface};
    }
    return good;
}

static bool read_include(labi_reading *r, const yaml_node_t *node, const char *path,
                         const staged_leg *staged) {
    static const char *const none[] = {"name", "ends", "follow", "expect", "legs", NULL};
    if (misplaced(r, node, path, none, "goes with a routine; what is included has its own")) {
        return false;
    }
    char *field = g_strdup_printf("%s.include", path);
    char *file = labi_beside(r->reader->file, staged->include);
    char *bytes = NULL;
    size_t size;
    yaml_reader inner;
    bool good = r->includes < INCLUDES_DEEPEST ||
                labi_yaml_wrong(r->reader, node, field, "routes include each other at most %u deep",
                                INCLUDES_DEEPEST);
    good = good && labi_read_file(file, "route", LAB_YAML_MAX, &bytes, &size, r->reader->error);
    bool open = good && labi_yaml_open(&inner, file, bytes, size, r->reader->error);
    if (open) {
        yaml_node_t *root = labi_yaml_root(&inner);
        labi_reading below = *r;
        below.reader = &inner;
        below.source = file;
        below.includes++;
        // What is stated above wins over what is stated there.
        inner.numbers = r->reader->numbers;
        inner.stated = r->reader->stated;
        inner.reckoned = r->reader->reckoned;
        yaml_node_t *numbers = labi_yaml_find(&inner, root, "numbers");
        yaml_node_t *legs = labi_yaml_find(&inner, root, "legs");
        good = (numbers == NULL || labi_yaml_numbers(&inner, numbers, "numbers")) &&
               (legs != NULL || labi_yaml_wrong(&inner, root, "legs",
                                                "must be given: that is what "
                                                "another route includes")) &&
               read_list(&below, legs, "legs");
        labi_yaml_close(&inner);
    }
    g_free(bytes);
    g_free(file);
    g_free(field);
    return good && open;
}

// `- advance` without parameters is an easy slip; it reads as if it were `- advance: {}`.
static bool read_leg(labi_reading *r, const yaml_node_t *node, const char *path) {
    if (node->type != YAML_MAPPING_NODE) {
        return labi_yaml_wrong(r->reader, node, path,
                               "must be a routine with its parameters, as in - advance: "
                               "{distance_mm: 60}");
    }
    staged_leg staged;
    labi_section_clear(&labi_leg_section, &staged);
    bool good = labi_yaml_section(r->reader, node, path, &labi_leg_section, &staged);
    const char *routine = NULL;
    unsigned whats = is_given(r, node, "group") + is_given(r, node, "include");
    for (yaml_node_pair_t *pair = node->data.mapping.pairs.start;
         pair < node->data.mapping.pairs.top; pair++) {
        const char *key = labi_yaml_text(yaml_document_get_node(&r->reader->document, pair->key));
        if (labi_is_routine(key)) {
            routine = key;
            whats++;
        }
    }
    if (good && whats != 1) {
        good = labi_yaml_wrong(r->reader, node, path,
                               "must name exactly one routine; begin another leg with '- '");
    }
    good = good && check_name(r, node, path, staged.name) &&
           (routine != NULL              ? read_routine(r, node, path, routine, &staged)
            : is_given(r, node, "group") ? read_group(r, node, path, &staged)
                                         : read_include(r, node, path, &staged));
    labi_section_release(&labi_leg_section, &staged);
    return good;
}

static bool read_list(labi_reading *r, const yaml_node_t *list, const char *path) {
    if (list->type != YAML_SEQUENCE_NODE ||
        list->data.sequence.items.start == list->data.sequence.items.top) {
        return labi_yaml_wrong(r->reader, list, path,
                               "must be a list of legs, each beginning with '- '");
    }
    bool good = true;
    unsigned number = 1;
    for (yaml_node_item_t *item = list->data.sequence.items.start;
         good && item < list->data.sequence.items.top; item++, number++) {
        char *at = g_strdup_printf("%s[%u]", path, number);
        good = read_leg(r, yaml_document_get_node(&r->reader->document, *item), at);
        g_free(at);
    }
    return good;
}

bool labi_read_legs(yaml_reader *reader, const yaml_node_t *list, lab_route *route) {
    labi_reading r = {.reader = reader,
                      .route = route,
                      .pending = g_array_new(FALSE, FALSE, sizeof(labi_pending))};
    bool good = read_list(&r, list, "legs") && labi_resolve_rules(&r);
    for (guint i = 0; i < r.pending->len; i++) {
        labi_pending *p = &g_array_index(r.pending, labi_pending, i);
        g_free(p->name);
        g_free(p->file);
    }
    g_array_free(r.pending, TRUE);
    return good;
}
