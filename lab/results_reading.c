// SPDX-License-Identifier: GPL-3.0-or-later
// Results as they stand in files: line by line, or the document of one drive.
#include "results_file.h"

#include "sections.h"

#include <json-glib/json-glib.h>
#include <math.h>
#include <string.h>

// Legs of one trial, with all their rounds.
#define ROUNDS_MAX 100000U

typedef struct reader {
    const char *name;
    unsigned line; // from 1; 0: the document is one whole
    lab_results *results;
    GArray *staged; // of labi_leg_staged, for one trial
    GError **error;
} reader;

static bool wrong(const reader *r, const char *format, ...) G_GNUC_PRINTF(2, 3);
static bool wrong(const reader *r, const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    char *line = r->line > 0 ? g_strdup_printf(":%u", r->line) : g_strdup("");
    g_set_error(r->error, LAB_ERROR, LAB_ERROR_WRONG, "%s%s: %s", r->name, line, text);
    g_free(line);
    g_free(text);
    return false;
}

// -------------------------------------------------------------------------------------- values --

static JsonNode *find(JsonObject *object, const char *key, JsonNodeType type) {
    JsonNode *node = json_object_get_member(object, key);
    return node != NULL && json_node_get_node_type(node) == type ? node : NULL;
}

static const char *text_of(JsonNode *node) {
    return node != NULL && json_node_get_value_type(node) == G_TYPE_STRING
               ? json_node_get_string(node)
               : NULL;
}

static const char *find_text(JsonObject *object, const char *key) {
    return text_of(find(object, key, JSON_NODE_VALUE));
}

static bool find_flag(JsonObject *object, const char *key) {
    JsonNode *node = find(object, key, JSON_NODE_VALUE);
    return node != NULL && json_node_get_boolean(node);
}

static bool find_whole(const reader *r, JsonObject *object, const char *key, gint64 low,
                       gint64 high, gint64 *value) {
    JsonNode *node = find(object, key, JSON_NODE_VALUE);
    if (node == NULL || json_node_get_value_type(node) != G_TYPE_INT64) {
        return wrong(r, "%s: a whole number must be given", key);
    }
    *value = json_node_get_int(node);
    return (*value >= low && *value <= high) ||
           wrong(r, "%s: %" G_GINT64_FORMAT " is out of range", key, *value);
}

static bool find_name(const reader *r, JsonObject *object, const char *key,
                      const char *(*name)(unsigned), unsigned count, unsigned *number) {
    const char *text = find_text(object, key);
    for (unsigned i = 0; text != NULL && i < count; i++) {
        if (strcmp(name(i), text) == 0) {
            *number = i;
            return true;
        }
    }
    return wrong(r, "%s: %s%s%s", key, text != NULL ? "'" : "", text != NULL ? text : "a name",
                 text != NULL ? "' is none that is known" : " must be given");
}

static const char *outcome_name(unsigned i) {
    return cmo_outcome_name((cmo_outcome)i);
}

static const char *routine_name(unsigned i) {
    return cmo_routine_name((cmo_routine_id)i);
}

static const char *figure_name(unsigned i) {
    return cmo_figure_name((cmo_figure)i);
}

// One column of a leg's figures; those that are null are not known.
static bool read_column(const reader *r, JsonObject *leg, const char *key, lab_figures *to) {
    JsonNode *node = find(leg, key, JSON_NODE_OBJECT);
    if (node == NULL) {
        return wrong(r, "legs: %s: its figures must be given", key);
    }
    JsonObjectIter members;
    const char *name;
    JsonNode *value;
    json_object_iter_init(&members, json_node_get_object(node));
    while (json_object_iter_next(&members, &name, &value)) {
        unsigned f = 0;
        while (f < CMO_FIGURES && strcmp(figure_name(f), name) != 0) {
            f++;
        }
        if (f == CMO_FIGURES) {
            return wrong(r, "legs: %s: '%s' is no figure", key, name);
        }
        if (JSON_NODE_HOLDS_NULL(value)) {
            continue;
        }
        bool number =
            JSON_NODE_HOLDS_VALUE(value) && (json_node_get_value_type(value) == G_TYPE_DOUBLE ||
                                             json_node_get_value_type(value) == G_TYPE_INT64);
        double found = number ? json_node_get_double(value) : NAN;
        if (!isfinite(found) || fabs(found) > 1e12) {
            return wrong(r, "legs: %s: %s: a number must be given", key, name);
        }
        to->known |= LAB_FIGURE_BIT(f);
        to->value[f] = found;
    }
    return true;
}

static bool read_tally(const reader *r, JsonObject *leg, lab_trial_leg *to) {
    JsonNode *node = find(leg, "tally", JSON_NODE_ARRAY);
    if (node == NULL) {
        return true;
    }
    JsonArray *list = json_node_get_array(node);
    to->tells = true;
    for (guint i = 0; i < json_array_get_length(list) && i <= CMO_SURFACES_MAX; i++) {
        JsonNode *entry = json_array_get_element(list, i);
        bool whole =
            JSON_NODE_HOLDS_VALUE(entry) && json_node_get_value_type(entry) == G_TYPE_INT64;
        gint64 lines = whole ? json_node_get_int(entry) : -1;
        if (lines < 0 || lines > UINT8_MAX) {
            return wrong(r, "legs: tally: numbers of 0 to 255 must be given");
        }
        to->tally[i] = (uint8_t)lines;
    }
    return true;
}

// -------------------------------------------------------------------------------------- trials --

static bool read_leg(const reader *r, JsonNode *node, labi_leg_staged *to) {
    if (!JSON_NODE_HOLDS_OBJECT(node)) {
        return wrong(r, "legs: a list of legs must be given");
    }
    JsonObject *object = json_node_get_object(node);
    gint64 number;
    unsigned outcome;
    if (!find_whole(r, object, "leg", 1, r->results->legs, &number) ||
        !find_name(r, object, "outcome", outcome_name, CMO_OUTCOMES, &outcome)) {
        return false;
    }
    to->leg.leg = (uint8_t)(number - 1);
    to->leg.outcome = (uint8_t)outcome;
    return read_column(r, object, "robot", &to->robot) &&
           read_column(r, object, "truth", &to->truth) && read_tally(r, object, &to->leg);
}

static bool read_trial(reader *r, JsonObject *object) {
    lab_trial trial = {.seed = 0};
    gint64 seed;
    unsigned outcome;
    JsonNode *legs = find(object, "legs", JSON_NODE_ARRAY);
    if (!find_whole(r, object, "seed", 0, G_MAXINT64, &seed) ||
        !find_name(r, object, "outcome", outcome_name, CMO_OUTCOMES, &outcome)) {
        return false;
    }
    JsonArray *list = legs != NULL ? json_node_get_array(legs) : NULL;
    if (list == NULL || json_array_get_length(list) > ROUNDS_MAX) {
        return wrong(r, "legs: a list of legs must be given");
    }
    g_array_set_size(r->staged, 0);
    g_array_set_size(r->staged, json_array_get_length(list)); // all zero
    for (guint i = 0; i < r->staged->len; i++) {
        if (!read_leg(r, json_array_get_element(list, i),
                      &g_array_index(r->staged, labi_leg_staged, i))) {
            return false;
        }
    }
    trial.uncalibrated = find_flag(object, "uncalibrated");
    trial.seed = (uint64_t)seed;
    trial.outcome = (cmo_outcome)outcome;
    labi_trial_make(&trial, (labi_leg_staged *)(void *)r->staged->data, r->staged->len);
    g_array_append_val(r->results->trials, trial);
    return true;
}

// Parts may overlap, where they say the same.
static bool drop_twice(const reader *r) {
    GArray *trials = r->results->trials;
    guint kept = 0;
    for (guint i = 0; i < trials->len; i++) {
        lab_trial *one = &g_array_index(trials, lab_trial, i);
        lab_trial *before = kept > 0 ? &g_array_index(trials, lab_trial, kept - 1) : NULL;
        if (before == NULL || before->seed != one->seed) {
            if (i > kept) { // into the place of one that is there twice
                lab_trial *free_place = &g_array_index(trials, lab_trial, kept);
                g_free(free_place->leg);
                *free_place = *one;
                one->leg = NULL;
            }
            kept++;
        } else if (!labi_trials_same(before, one)) {
            return wrong(
                r, "the trial of seed %" G_GUINT64_FORMAT " stands there twice, with other figures",
                one->seed);
        }
    }
    g_array_set_size(trials, kept);
    return true;
}

// ---------------------------------------------------------------------------------------- head --

static bool read_head_leg(const reader *r, JsonNode *node, lab_results_leg *to) {
    if (!JSON_NODE_HOLDS_OBJECT(node)) {
        return wrong(r, "legs: a list of legs must be given");
    }
    JsonObject *object = json_node_get_object(node);
    unsigned routine;
    unsigned judged = CMO_FIGURES;
    if (!find_name(r, object, "routine", routine_name, CMO_ROUTINES, &routine) ||
        (json_object_has_member(object, "judged") &&
         !find_name(r, object, "judged", figure_name, CMO_FIGURES, &judged))) {
        return false;
    }
    *to = (lab_results_leg){(cmo_routine_id)routine, g_strdup(find_text(object, "name")),
                            (cmo_figure)judged};
    return true;
}

static bool read_head(const reader *r, JsonObject *object, lab_results *to) {
    gint64 seed, trials;
    if (!find_whole(r, object, "seed", 0, G_MAXINT64, &seed) ||
        !find_whole(r, object, "trials", 1, LAB_TRIALS_MAX, &trials)) {
        return false;
    }
    JsonArray *legs = json_node_get_array(find(object, "legs", JSON_NODE_ARRAY));
    bool good = true;
    for (unsigned i = 0; good && i < to->legs; i++) {
        good = read_head_leg(r, json_array_get_element(legs, i), &to->leg[i]);
    }
    JsonNode *surfaces = find(object, "surfaces", JSON_NODE_ARRAY);
    JsonArray *names = surfaces != NULL ? json_node_get_array(surfaces) : NULL;
    for (guint i = 0; names != NULL && i < json_array_get_length(names) && i < CMO_SURFACES_MAX;
         i++) {
        to->surface[i + 1] = g_strdup(text_of(json_array_get_element(names, i)));
    }
    const char *route = find_text(object, "route");
    const char *robot = find_text(object, "robot");
    const char *mat = find_text(object, "mat");
    to->route = g_strdup(route != NULL ? route : "");
    to->robot = g_strdup(robot != NULL ? robot : "");
    to->mat = g_strdup(mat != NULL ? mat : "");
    to->calibrated = find_flag(object, "calibrated");
    to->first = (uint64_t)seed;
    to->of_all = to->asked = (unsigned)trials;
    return good;
}

static bool same_kind(const lab_results *a, const lab_results *b) {
    bool same = a->legs == b->legs;
    for (unsigned i = 0; same && i < a->legs; i++) {
        same = a->leg[i].routine == b->leg[i].routine && a->leg[i].judged == b->leg[i].judged;
    }
    return same;
}

// The first head says what they are of; others, as where parts were put together, must say so too.
static bool take_head(reader *r, JsonObject *object) {
    JsonNode *legs = find(object, "legs", JSON_NODE_ARRAY);
    guint count = legs != NULL ? json_array_get_length(json_node_get_array(legs)) : 0;
    if (count == 0 || count > LAB_LEGS_MAX) {
        return wrong(r, "legs: 1 to %d legs must be given", LAB_LEGS_MAX);
    }
    lab_results *head = labi_results_empty(count);
    bool good = read_head(r, object, head);
    if (good && r->results == NULL) {
        r->results = head;
        return true;
    }
    if (good && !same_kind(r->results, head)) {
        good = wrong(r, "these are of another route, %s, than those before", head->route);
    }
    if (good && head->of_all > r->results->of_all) {
        r->results->of_all = r->results->asked = head->of_all;
        r->results->first = head->first;
    }
    lab_results_free(head);
    return good;
}

static bool read_line(reader *r, JsonParser *parser, const char *line, gsize length) {
    if (!json_parser_load_from_data(parser, line, (gssize)length, NULL) ||
        !JSON_NODE_HOLDS_OBJECT(json_parser_get_root(parser))) {
        return wrong(r, "not a whole line of results; without it that trial is driven anew");
    }
    JsonObject *object = json_node_get_object(json_parser_get_root(parser));
    if (json_object_has_member(object, "trials")) {
        return take_head(r, object);
    }
    return r->results != NULL ? read_trial(r, object)
                              : wrong(r, "the line that says what results these are is missing");
}

// ----------------------------------------------------------------------------------- one drive --

// The legs of a drive name their routines themselves.
static bool read_drive(reader *r, JsonObject *object) {
    JsonNode *node = find(object, "legs", JSON_NODE_ARRAY);
    JsonArray *legs = node != NULL ? json_node_get_array(node) : NULL;
    guint count = legs != NULL ? json_array_get_length(legs) : 0;
    if (count == 0 || count > ROUNDS_MAX) {
        return wrong(r, "no results; cammino series --results and cammino drive --json write some");
    }
    r->results = labi_results_empty(LAB_LEGS_MAX);
    r->results->legs = 0;
    for (guint i = 0; i < count; i++) {
        lab_results_leg leg;
        gint64 number;
        if (!read_head_leg(r, json_array_get_element(legs, i), &leg)) {
            return false;
        }
        JsonObject *of = json_array_get_object_element(legs, i);
        if (!find_whole(r, of, "leg", 1, LAB_LEGS_MAX, &number)) {
            g_free(leg.name);
            return false;
        }
        lab_results_leg *to = &r->results->leg[number - 1];
        g_free(to->name);
        *to = leg;
        r->results->legs = MAX(r->results->legs, (unsigned)number);
    }
    const char *route = find_text(object, "route");
    r->results->route = g_strdup(route != NULL ? route : "");
    r->results->robot = g_strdup("");
    r->results->mat = g_strdup("");
    r->results->asked = r->results->of_all = 1;
    return read_trial(r, object);
}

// Results are nested five deep; the parser calls itself for each level, as deep as a file says.
#define DEEPEST 16

static bool is_shallow(const char *bytes, size_t size) {
    int depth = 0;
    bool quoted = false;
    for (size_t i = 0; i < size && depth <= DEEPEST; i++) {
        char c = bytes[i];
        if (quoted && c == '\\') {
            i++;
        } else if (c == '"' || c == '\n') { // no text goes over a line
            quoted = c == '"' && !quoted;
        } else if (!quoted) {
            depth = MAX(depth + (c == '{' || c == '[') - (c == '}' || c == ']'), 0);
        }
    }
    return depth <= DEEPEST;
}

lab_results *lab_results_from_bytes(const char *name, const char *bytes, size_t size,
                                    GError **error) {
    reader r = {.name = name, .error = error};
    r.staged = g_array_new(FALSE, TRUE, sizeof(labi_leg_staged));
    JsonParser *parser = json_parser_new_immutable();
    const char *end = memchr(bytes, '\n', size);
    bool good;
    if (!is_shallow(bytes, size)) {
        good = wrong(&r, "no results: it is nested too deeply");
    } else if (json_parser_load_from_data(
                   parser, bytes, end != NULL ? (gssize)(end - bytes) : (gssize)size, NULL)) {
        good = true;
        for (const char *at = bytes; good && at < bytes + size; at = end + 1) {
            end = memchr(at, '\n', (size_t)(bytes + size - at));
            if (end == NULL) {
                break; // it was cut off there
            }
            r.line++;
            good = read_line(&r, parser, at, (gsize)(end - at));
        }
        r.line = 0;
        good = good && (r.results != NULL || wrong(&r, "there are no results in it"));
    } else if (json_parser_load_from_data(parser, bytes, (gssize)size, NULL) &&
               JSON_NODE_HOLDS_OBJECT(json_parser_get_root(parser))) {
        good = read_drive(&r, json_node_get_object(json_parser_get_root(parser)));
    } else {
        good =
            wrong(&r, "no results; cammino series --results and cammino drive --json write some");
    }
    if (good) {
        labi_results_sort(r.results);
        good = drop_twice(&r);
    }
    g_object_unref(parser);
    g_array_free(r.staged, TRUE);
    if (!good) {
        lab_results_free(r.results);
        return NULL;
    }
    return r.results;
}

lab_results *lab_results_load(const char *path, GError **error) {
    char *bytes;
    gsize size;
    if (!labi_read_file(path, "results", LABI_RESULTS_MAX, &bytes, &size, error)) {
        return NULL;
    }
    lab_results *results = lab_results_from_bytes(path, bytes, size, error);
    g_free(bytes);
    return results;
}
