// SPDX-License-Identifier: GPL-3.0-or-later
// The legs of a route file: routines, groups, other files' legs; names, ends and what follows.
#include "legs.h"
#include "route_staged.h"

#include <math.h>
#include <string.h>

// A route that includes one that includes... and so on, is no route.
#define INCLUDES_DEEPEST 5U

// Rules that a leg may state; what it expects adds to them.
#define RULES_STATED_MAX 8U

// `go_to` may name a leg that comes later.
typedef struct pending {
    unsigned leg, rule;
    char *name, *file;
    int line;
} pending;

typedef struct reading {
    yaml_reader *reader;
    lab_route *route;
    GArray *pending;    // of pending
    const char *source; // the file; NULL: the route's own
    unsigned includes, deep;
} reading;

static bool read_list(reading *r, const yaml_node_t *list, const char *path);

// ---------------------------------------------------------------------------------------- names --

static int leg_named(const lab_route *route, const char *name) {
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

static bool check_name(const reading *r, const yaml_node_t *node, const char *path,
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
    } else if (leg_named(r->route, name) >= 0) {
        good = labi_yaml_wrong(r->reader, at, field, "there is a leg called %s already", name);
    }
    g_free(field);
    return good;
}

// ---------------------------------------------------------------------------------- what follows
// --

// What a rule may be for: outcomes and ends by name. 0: none is called so.
static uint8_t rule_for(const char *name) {
    if (strcmp(name, "other") == 0) {
        return CMO_ON_OTHER;
    }
    for (unsigned i = 1; i < CMO_OUTCOMES; i++) {
        if (strcmp(name, cmo_outcome_name((cmo_outcome)i)) == 0) {
            return (uint8_t)i;
        }
    }
    for (unsigned i = 1; i < CMO_BYS; i++) {
        if (strcmp(name, cmo_by_name((cmo_by)i)) == 0) {
            return (uint8_t)CMO_ON_BY(i);
        }
    }
    return 0;
}

static bool unknown_outcome(const reading *r, const yaml_node_t *node, const char *path) {
    const char *typed = labi_yaml_text(node);
    GPtrArray *names = g_ptr_array_new();
    for (unsigned i = 1; i < CMO_OUTCOMES; i++) {
        g_ptr_array_add(names, (gpointer)(uintptr_t)cmo_outcome_name((cmo_outcome)i));
    }
    for (unsigned i = 1; i < CMO_BYS; i++) {
        g_ptr_array_add(names, (gpointer)(uintptr_t)cmo_by_name((cmo_by)i));
    }
    g_ptr_array_add(names, (gpointer)(uintptr_t) "other");
    g_ptr_array_add(names, NULL);
    const char *nearest =
        typed != NULL ? lab_nearest(typed, (const char *const *)names->pdata) : NULL;
    labi_yaml_wrong(r->reader, node, path,
                    nearest ? "no outcome and no end is called so; did you mean %s?"
                            : "no outcome and no end is called so; done, an end as range_below, a "
                              "fault as no_line, or other would do%.0s",
                    nearest ? nearest : "");
    g_ptr_array_free(names, TRUE);
    return false;
}

static cmo_follow *add_rule(lab_leg *leg, uint8_t on, cmo_next next) {
    cmo_follow *rule = &leg->rule[leg->rules++];
    *rule = (cmo_follow){.on = on, .next = (uint8_t)next};
    return rule;
}

static bool has_rule(const lab_leg *leg, uint8_t on) {
    for (unsigned i = 0; i < leg->rules; i++) {
        if (leg->rule[i].on == on) {
            return true;
        }
    }
    return false;
}

// A word, or keys.
static bool read_rule(reading *r, const yaml_node_t *node, const char *path, cmo_follow *rule) {
    static const char *const words[] = {"go_on", "stop", "fail", NULL};
    static const cmo_next nexts[] = {CMO_GO_ON, CMO_STOP, CMO_FAIL};
    const char *text = labi_yaml_text(node);
    for (unsigned i = 0; text != NULL && words[i] != NULL; i++) {
        if (strcmp(text, words[i]) == 0) {
            rule->next = (uint8_t)nexts[i];
            return true;
        }
    }
    staged_rule staged;
    labi_section_clear(&labi_rule_section, &staged);
    if (node->type != YAML_MAPPING_NODE) {
        return labi_yaml_wrong(r->reader, node, path,
                               "must be go_on, stop, fail, {again: 2} or {go_to: NAME}");
    }
    bool good = labi_yaml_section(r->reader, node, path, &labi_rule_section, &staged);
    bool again = good && !isnan(staged.again);
    bool times = good && !isnan(staged.times);
    if (good && (again == (staged.go_to != NULL) || (again && times))) {
        good = labi_yaml_wrong(r->reader, node, path,
                               "must be one of them: {again: 2}, {go_to: NAME}, or {go_to: NAME, "
                               "times: 2}");
    }
    if (good && again) {
        rule->next = CMO_AGAIN;
        rule->times = (uint8_t)staged.again;
    } else if (good) {
        rule->next = CMO_GO_TO;
        rule->times = times ? (uint8_t)staged.times : 0;
        const lab_leg *leg = &r->route->leg[r->route->legs];
        pending later = {r->route->legs, (unsigned)(rule - leg->rule), g_strdup(staged.go_to),
                         g_strdup(r->reader->file), labi_yaml_line(node)};
        g_array_append_val(r->pending, later);
    }
    g_free(staged.go_to);
    return good;
}

static bool read_follow(reading *r, const yaml_node_t *node, const char *path, lab_leg *leg) {
    const yaml_node_t *rules = labi_yaml_find(r->reader, node, "follow");
    if (rules == NULL) {
        return true;
    }
    if (rules->type != YAML_MAPPING_NODE) {
        char *field = g_strdup_printf("%s.follow", path);
        labi_yaml_wrong(r->reader, rules, field,
                        "must be outcomes with what follows, as in "
                        "{no_line: {again: 2}}");
        g_free(field);
        return false;
    }
    bool good = true;
    for (yaml_node_pair_t *pair = rules->data.mapping.pairs.start;
         good && pair < rules->data.mapping.pairs.top; pair++) {
        yaml_node_t *key = yaml_document_get_node(&r->reader->document, pair->key);
        const char *name = labi_yaml_text(key);
        char *field = g_strdup_printf("%s.follow.%s", path, name != NULL ? name : "?");
        uint8_t on = name != NULL ? rule_for(name) : 0;
        if (on == 0) {
            good = unknown_outcome(r, key, field);
        } else if (has_rule(leg, on)) {
            good = labi_yaml_wrong(r->reader, key, field, "given twice");
        } else if (leg->rules == LAB_RULES_MAX / 2) {
            good =
                labi_yaml_wrong(r->reader, key, field, "too many; at most %u", LAB_RULES_MAX / 2);
        } else {
            good = read_rule(r, yaml_document_get_node(&r->reader->document, pair->value), field,
                             add_rule(leg, on, CMO_GO_ON));
        }
        g_free(field);
    }
    return good;
}

// A leg that has to end in one of these ways. It comes behind the leg's own rules: any other way
// fails, unless one of those says what then.
static bool expect_one(const reading *r, const yaml_node_t *node, const char *path, lab_leg *leg,
                       bool *done) {
    const char *name = labi_yaml_text(node);
    uint8_t on = name != NULL && strcmp(name, "other") != 0 ? rule_for(name) : 0;
    if (on == 0) {
        return unknown_outcome(r, node, path);
    }
    *done = *done || on == CMO_OUTCOME_DONE;
    if (leg->rules < LAB_RULES_MAX / 2) {
        add_rule(leg, on, CMO_GO_ON);
    }
    return true;
}

static bool read_expect(const reading *r, const yaml_node_t *node, const char *path, lab_leg *leg) {
    const yaml_node_t *expect = labi_yaml_find(r->reader, node, "expect");
    if (expect == NULL) {
        return true;
    }
    char *field = g_strdup_printf("%s.expect", path);
    bool done = false;
    bool good = true;
    if (expect->type == YAML_SEQUENCE_NODE) {
        for (yaml_node_item_t *item = expect->data.sequence.items.start;
             good && item < expect->data.sequence.items.top; item++) {
            good = expect_one(r, yaml_document_get_node(&r->reader->document, *item), field, leg,
                              &done);
        }
    } else {
        good = expect_one(r, expect, field, leg, &done);
    }
    g_free(field);
    // An end counts as done where no rule names it, so what is left of those fails by name.
    for (unsigned by = 1; good && done && by < CMO_BYS; by++) {
        if (!has_rule(leg, (uint8_t)CMO_ON_BY(by)) && leg->rules < LAB_RULES_MAX) {
            add_rule(leg, (uint8_t)CMO_ON_BY(by), CMO_FAIL);
        }
    }
    if (good && !done) {
        add_rule(leg, CMO_OUTCOME_DONE, CMO_FAIL);
    }
    return good;
}

// Where `go_to` leads, once all names are known.
static bool resolve(const reading *r) {
    for (guint i = 0; i < r->pending->len; i++) {
        const pending *p = &g_array_index(r->pending, pending, i);
        int leg = leg_named(r->route, p->name);
        if (leg < 0) {
            GPtrArray *names = g_ptr_array_new();
            for (unsigned n = 0; n < r->route->legs; n++) {
                if (r->route->leg[n].name != NULL) {
                    g_ptr_array_add(names, r->route->leg[n].name);
                }
            }
            g_ptr_array_add(names, NULL);
            const char *nearest = lab_nearest(p->name, (const char *const *)names->pdata);
            g_set_error(r->reader->error, LAB_ERROR, LAB_ERROR_WRONG,
                        "%s:%d: legs[%u].follow: no leg is called %s%s%s%s", p->file, p->line,
                        p->leg + 1, p->name, nearest ? "; did you mean " : "",
                        nearest ? nearest : "; a leg gets its name by `name`", nearest ? "?" : "");
            g_ptr_array_free(names, TRUE);
            return false;
        }
        r->route->leg[p->leg].rule[p->rule].leg = (uint8_t)leg;
    }
    return true;
}

// ----------------------------------------------------------------------------------------- legs --

static bool is_given(const reading *r, const yaml_node_t *node, const char *key) {
    return labi_yaml_find(r->reader, node, key) != NULL;
}

static bool misplaced(const reading *r, const yaml_node_t *node, const char *path,
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
static void take_reckoned(const reading *r, const char *path, lab_leg *leg) {
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

static bool read_routine(reading *r, const yaml_node_t *node, const char *path, const char *routine,
                         staged_leg *staged) {
    static const char *const of_groups[] = {"legs", NULL};
    if (misplaced(r, node, path, of_groups, "is a group's; give it a repeat")) {
        return false;
    }
    if (r->route->legs == LAB_LEGS_MAX) {
        return labi_yaml_wrong(r->reader, node, path, "too many; at most %d", LAB_LEGS_MAX);
    }
    lab_leg *leg = &r->route->leg[r->route->legs];
    leg->line = labi_yaml_line(node);
    labi_leg_finish(leg, routine, staged);
    leg->ended = is_given(r, node, "until");
    leg->ends = labi_ends_finish(&staged->until);
    if ((leg->routine == CMO_ROUTINE_ADVANCE && leg->parameters.advance.distance_mm == 0.0F) ||
        (leg->routine == CMO_ROUTINE_TURN && leg->parameters.turn.angle_deg == 0.0F)) {
        char *field = g_strdup_printf("%s.%s", path, routine);
        labi_yaml_wrong(r->reader, node, field, "a move by 0 is none; leave the leg out");
        g_free(field);
        return false;
    }
    if (!read_follow(r, node, path, leg) || !read_expect(r, node, path, leg)) {
        return false;
    }
    leg->name = g_steal_pointer(&staged->name);
    leg->file = g_strdup(r->source);
    take_reckoned(r, path, leg);
    r->route->legs++;
    return true;
}

static bool read_group(reading *r, const yaml_node_t *node, const char *path, staged_leg *staged) {
    static const char *const of_legs[] = {"follow", "expect", NULL};
    const yaml_node_t *list = labi_yaml_find(r->reader, node, "legs");
    lab_route *route = r->route;
    if (misplaced(r, node, path, of_legs, "is of a routine's leg, not of a group")) {
        return false;
    }
    if (list == NULL) {
        return labi_yaml_wrong(r->reader, node, path, "a group has legs: the list of them");
    }
    if (isnan(staged->repeat.times) && !is_given(r, node, "until")) {
        char *field = g_strdup_printf("%s.repeat.times", path);
        labi_yaml_wrong(r->reader, node, field, "must be given, or an until beside it");
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
        route->group[route->groups++] =
            (lab_group){.name = g_steal_pointer(&staged->name),
                        .line = labi_yaml_line(node),
                        .first = (uint8_t)first,
                        .last = (uint8_t)(route->legs - 1U),
                        .times = isnan(staged->repeat.times) ? 0 : (uint16_t)staged->repeat.times,
                        .ended = is_given(r, node, "until"),
                        .until = labi_ends_finish(&staged->until)};
    }
    return good;
}

static bool read_include(reading *r, const yaml_node_t *node, const char *path,
                         const staged_leg *staged) {
    static const char *const none[] = {"name", "until", "follow", "expect", "legs", NULL};
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
        reading below = *r;
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
static bool read_leg(reading *r, const yaml_node_t *node, const char *path) {
    if (node->type != YAML_MAPPING_NODE) {
        return labi_yaml_wrong(r->reader, node, path,
                               "must be a routine with its parameters, as in - advance: "
                               "{distance_mm: 60}");
    }
    staged_leg staged;
    labi_section_clear(&labi_leg_section, &staged);
    bool good = labi_yaml_section(r->reader, node, path, &labi_leg_section, &staged);
    const char *routine = NULL;
    unsigned whats = is_given(r, node, "repeat") + is_given(r, node, "include");
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
           (routine != NULL               ? read_routine(r, node, path, routine, &staged)
            : is_given(r, node, "repeat") ? read_group(r, node, path, &staged)
                                          : read_include(r, node, path, &staged));
    g_free(staged.name);
    g_free(staged.include);
    return good;
}

static bool read_list(reading *r, const yaml_node_t *list, const char *path) {
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
    reading r = {
        .reader = reader, .route = route, .pending = g_array_new(FALSE, FALSE, sizeof(pending))};
    bool good = read_list(&r, list, "legs") && resolve(&r);
    for (guint i = 0; i < r.pending->len; i++) {
        pending *p = &g_array_index(r.pending, pending, i);
        g_free(p->name);
        g_free(p->file);
    }
    g_array_free(r.pending, TRUE);
    return good;
}
