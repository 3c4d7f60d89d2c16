// SPDX-License-Identifier: GPL-3.0-or-later
// What follows on which outcome of a leg, and how it has to end.
#include "route_reading.h"

#include <math.h>
#include <string.h>

// Rules that a leg may state, and ways to end that it may expect; what fails then adds to them.
#define RULES_STATED_MAX 8U
_Static_assert(2U * RULES_STATED_MAX + CMO_BYS <= LAB_RULES_MAX, "there is room for them all");

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

static bool unknown_outcome(const labi_reading *r, const yaml_node_t *node, const char *path) {
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
static bool read_rule(const labi_reading *r, const yaml_node_t *node, const char *path,
                      cmo_follow *rule) {
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
        labi_pending later = {r->route->legs, (unsigned)(rule - leg->rule), g_strdup(staged.go_to),
                              g_strdup(r->reader->file), labi_yaml_line(node)};
        g_array_append_val(r->pending, later);
    }
    g_free(staged.go_to);
    return good;
}

static bool read_follow(const labi_reading *r, const yaml_node_t *node, const char *path,
                        lab_leg *leg) {
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
        } else if (leg->rules == RULES_STATED_MAX) {
            good = labi_yaml_wrong(r->reader, key, field, "too many; at most %u", RULES_STATED_MAX);
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
static bool expect_one(const labi_reading *r, const yaml_node_t *node, const char *path,
                       lab_leg *leg, bool *done) {
    const char *name = labi_yaml_text(node);
    uint8_t on = name != NULL && strcmp(name, "other") != 0 ? rule_for(name) : 0;
    if (on == 0) {
        return unknown_outcome(r, node, path);
    }
    *done = *done || on == CMO_OUTCOME_DONE;
    if (leg->rules == 2U * RULES_STATED_MAX) {
        return labi_yaml_wrong(r->reader, node, path, "too many; at most %u", RULES_STATED_MAX);
    }
    add_rule(leg, on, CMO_GO_ON);
    return true;
}

static bool read_expect(const labi_reading *r, const yaml_node_t *node, const char *path,
                        lab_leg *leg) {
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

bool labi_read_rules(const labi_reading *r, const yaml_node_t *node, const char *path,
                     lab_leg *leg) {
    return read_follow(r, node, path, leg) && read_expect(r, node, path, leg);
}

// Where `go_to` leads, once all names are known.
bool labi_resolve_rules(const labi_reading *r) {
    for (guint i = 0; i < r->pending->len; i++) {
        const labi_pending *p = &g_array_index(r->pending, labi_pending, i);
        int leg = labi_leg_named(r->route, p->name);
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
