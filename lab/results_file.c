// SPDX-License-Identifier: GPL-3.0-or-later
// Results in a file: a line of JSON that says of what they are, and a line a trial.
#define _XOPEN_SOURCE 700 // ftruncate
#include "results_file.h"

#include "sections.h"

#include <cammino_lab/json.h>
#include <errno.h>
#include <fcntl.h>
#include <glib/gstdio.h>
#include <math.h>
#include <string.h>
#include <unistd.h>

// --------------------------------------------------------------------------------------- write --

static void begin_list(JsonBuilder *builder, const char *name) {
    json_builder_set_member_name(builder, name);
    json_builder_begin_array(builder);
}

// The document as one line.
static void put_line(GString *out, JsonBuilder *builder) {
    char *text = lab_json_end(builder, false);
    g_string_append(out, text);
    g_string_append_c(out, '\n');
    g_free(text);
}

static void put_head(GString *out, const lab_results *results) {
    JsonBuilder *builder = json_builder_new();
    json_builder_begin_object(builder);
    lab_json_text(builder, "route", results->route);
    lab_json_text(builder, "robot", results->robot);
    lab_json_text(builder, "mat", results->mat);
    lab_json_whole(builder, "seed", (gint64)results->first);
    lab_json_whole(builder, "trials", results->of_all);
    if (results->calibrated) {
        lab_json_flag(builder, "calibrated", true);
    }
    begin_list(builder, "legs");
    for (unsigned i = 0; i < results->legs; i++) {
        const lab_results_leg *leg = &results->leg[i];
        json_builder_begin_object(builder);
        lab_json_text(builder, "routine", cmo_routine_name(leg->routine));
        if (leg->name != NULL) {
            lab_json_text(builder, "name", leg->name);
        }
        if (leg->judged != CMO_FIGURES) {
            lab_json_text(builder, "judged", cmo_figure_name(leg->judged));
        }
        json_builder_end_object(builder);
    }
    json_builder_end_array(builder);
    begin_list(builder, "surfaces");
    for (unsigned i = 1; i <= CMO_SURFACES_MAX && results->surface[i] != NULL; i++) {
        json_builder_add_string_value(builder, results->surface[i]);
    }
    json_builder_end_array(builder);
    json_builder_end_object(builder);
    put_line(out, builder);
}

static void add_column(JsonBuilder *builder, const char *name, const lab_trial_leg *leg,
                       bool truth) {
    json_builder_set_member_name(builder, name);
    json_builder_begin_object(builder);
    for (unsigned f = 0; f < CMO_FIGURES; f++) {
        double value;
        if (lab_trial_figure(leg, (cmo_figure)f, truth, &value)) {
            json_builder_set_member_name(builder, cmo_figure_name((cmo_figure)f));
            json_builder_add_double_value(builder, labi_rounded(value));
        }
    }
    json_builder_end_object(builder);
}

void labi_results_put(GString *lines, const lab_trial *trial) {
    JsonBuilder *builder = json_builder_new();
    json_builder_begin_object(builder);
    lab_json_whole(builder, "seed", (gint64)trial->seed);
    lab_json_text(builder, "outcome", cmo_outcome_name(trial->outcome));
    if (trial->uncalibrated) {
        lab_json_flag(builder, "uncalibrated", true);
    }
    begin_list(builder, "legs");
    for (unsigned i = 0; i < trial->legs; i++) {
        const lab_trial_leg *leg = &trial->leg[i];
        json_builder_begin_object(builder);
        lab_json_whole(builder, "leg", leg->leg + 1);
        lab_json_text(builder, "outcome", cmo_outcome_name((cmo_outcome)leg->outcome));
        add_column(builder, "robot", leg, false);
        add_column(builder, "truth", leg, true);
        if (leg->tells) {
            begin_list(builder, "tally"); // the first is that of no known surface
            for (unsigned n = 0; n <= CMO_SURFACES_MAX; n++) {
                json_builder_add_int_value(builder, leg->tally[n]);
            }
            json_builder_end_array(builder);
        }
        json_builder_end_object(builder);
    }
    json_builder_end_array(builder);
    json_builder_end_object(builder);
    put_line(lines, builder);
}

static bool cannot_keep(const char *path, const char *why, GError **error) {
    g_set_error(error, LAB_ERROR, LAB_ERROR_FILE, "%s: the results cannot be kept there: %s", path,
                why);
    return false;
}

bool labi_results_write(const lab_results *results, const GString *lines, GError **error) {
    for (gsize at = 0; at < lines->len;) {
        ssize_t done = write(results->file, lines->str + at, lines->len - at);
        if (done < 0 && errno != EINTR) {
            return cannot_keep(results->path, g_strerror(errno), error);
        }
        at += (gsize)MAX(done, 0);
    }
    return true;
}

// ---------------------------------------------------------------------------------------- keep --

static bool same_legs(const lab_results *a, const lab_results *b) {
    bool same = a->legs == b->legs;
    for (unsigned i = 0; same && i < a->legs; i++) {
        same = a->leg[i].routine == b->leg[i].routine && a->leg[i].judged == b->leg[i].judged &&
               g_strcmp0(a->leg[i].name, b->leg[i].name) == 0;
    }
    for (unsigned i = 0; same && i <= CMO_SURFACES_MAX; i++) {
        same = g_strcmp0(a->surface[i], b->surface[i]) == 0;
    }
    return same;
}

// Whether this route would come to the same: by its first and its last trial, driven again.
static bool is_of(const lab_results *there, const lab_route *route) {
    const GArray *trials = there->trials;
    bool same = true;
    for (guint i = 0; same && i < MIN(trials->len, 2); i++) {
        const lab_trial *kept = &g_array_index(trials, lab_trial, i * (trials->len - 1));
        lab_trial again;
        bool diverged;
        same = labi_trial_drive(route, kept->seed, &again, &diverged);
        if (same) {
            same = labi_trials_same(kept, &again);
            g_free(again.leg);
        }
    }
    return same;
}

// Moves those that are asked for from a file's results.
static void take(lab_results *results, lab_results *there) {
    unsigned at = 0;
    for (guint i = 0; i < there->trials->len; i++) {
        lab_trial *trial = &g_array_index(there->trials, lab_trial, i);
        while (at < results->asked && results->seeds[at] < trial->seed) {
            at++;
        }
        if (at < results->asked && results->seeds[at] == trial->seed) {
            g_array_append_val(results->trials, *trial);
            trial->leg = NULL;
        }
    }
}

#define HEAD "{\"route\":" // as the first line begins

// What a file holds already; `whole` is how much of it are whole lines.
static bool take_file(lab_results *results, const lab_route *route, const char *path, gsize *whole,
                      bool *headed, GError **error) {
    char *bytes;
    gsize size;
    if (!labi_read_file(path, "results", LABI_RESULTS_MAX, &bytes, &size, error)) {
        return false;
    }
    *whole = size;
    while (*whole > 0 && bytes[*whole - 1] != '\n') {
        --*whole;
    }
    bool good = true;
    if (*whole > 0) {
        lab_results *there = lab_results_from_bytes(path, bytes, *whole, error);
        good = there != NULL;
        if (good && !(same_legs(results, there) && is_of(there, route))) {
            g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                        "%s: results of another route, robot, mat, calibration or version (%s, "
                        "%s); another "
                        "name would do",
                        path, there->route, there->robot);
            good = false;
        }
        if (good) {
            *headed = there->first == results->first && there->of_all == results->of_all;
            take(results, there);
        }
        lab_results_free(there);
    } else if (strncmp(bytes, HEAD, MIN(size, strlen(HEAD))) != 0) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                    "%s: it holds something else than results; another name would do", path);
        good = false;
    }
    g_free(bytes);
    return good;
}

bool lab_results_keep(lab_results *results, const lab_route *route, const char *path,
                      GError **error) {
    gsize whole = 0;
    bool headed = false;
    bool there = g_file_test(path, G_FILE_TEST_EXISTS);
    if (there && !take_file(results, route, path, &whole, &headed, error)) {
        return false;
    }
    results->file = g_open(path, O_WRONLY | O_APPEND | O_CREAT, 0666);
    if (results->file < 0 || ftruncate(results->file, (off_t)whole) != 0) {
        return cannot_keep(path, g_strerror(errno), error);
    }
    results->path = g_strdup(path);
    GString *head = g_string_new(NULL);
    if (!headed) {
        put_head(head, results);
    }
    bool good = labi_results_write(results, head, error);
    g_string_free(head, TRUE);
    return good;
}
