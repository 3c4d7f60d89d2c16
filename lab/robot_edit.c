// SPDX-License-Identifier: GPL-3.0-or-later
// Writes levels and geometry into a robot file and leaves the rest of its text alone.
#include "sections.h"
#include "yaml_edit.h"

#include <math.h>
#include <string.h>

static void set_number(labi_editor *e, yaml_node_t *mapping, const char *name, unsigned value) {
    char text[16];
    g_snprintf(text, sizeof text, "%u", value);
    labi_edit_set(e, mapping, name, text);
}

// Without one of its own, a threshold that stands there already goes halfway.
static void set_threshold(labi_editor *e, yaml_node_t *mapping, const char *name, unsigned value,
                          const cmo_levels *levels) {
    if (value != 0) {
        set_number(e, mapping, name, value);
    } else if (labi_yaml_find(&e->reader, mapping, name) != NULL) {
        set_number(e, mapping, name, (levels->dark + levels->light + 1U) / 2U);
    }
}

static bool edit_light(labi_editor *e, const char *side, const cmo_levels *levels) {
    yaml_node_t *root = labi_yaml_root(&e->reader);
    yaml_node_t *lights = labi_yaml_find(&e->reader, root, "lights");
    yaml_node_t *light = lights != NULL ? labi_yaml_find(&e->reader, lights, side) : NULL;
    if (light == NULL) {
        return labi_yaml_wrong(&e->reader, root, "lights", "there is no sensor %s to write to",
                               side);
    }
    yaml_node_t *node = labi_yaml_find(&e->reader, light, "levels");
    if (node == NULL) {
        GString *entry = g_string_new(NULL);
        g_string_printf(entry, "levels: {dark: %u, light: %u, noise: %u", levels->dark,
                        levels->light, levels->noise);
        if (levels->void_counts != CMO_LEVEL_UNKNOWN) {
            g_string_append_printf(entry, ", void: %u", levels->void_counts);
        }
        if (levels->dark_threshold != 0) {
            g_string_append_printf(entry, ", dark_threshold: %u", levels->dark_threshold);
        }
        if (levels->light_threshold != 0) {
            g_string_append_printf(entry, ", light_threshold: %u", levels->light_threshold);
        }
        g_string_append_c(entry, '}');
        labi_edit_entry(e, light, entry->str);
        g_string_free(entry, TRUE);
        return true;
    }
    set_number(e, node, "dark", levels->dark);
    set_number(e, node, "light", levels->light);
    set_number(e, node, "noise", levels->noise);
    if (levels->void_counts != CMO_LEVEL_UNKNOWN) {
        set_number(e, node, "void", levels->void_counts);
    }
    // A threshold of other levels is none of these.
    set_threshold(e, node, "dark_threshold", levels->dark_threshold, levels);
    set_threshold(e, node, "light_threshold", levels->light_threshold, levels);
    return true;
}

// What is to be written.
typedef struct content {
    const cmo_levels *levels;
    unsigned lights;
    const cmo_geometry *geometry;
    const cmo_drive *drive;
    const cmo_braking *braking;
    const lab_robot *taught; // its surfaces, or NULL
} content;

static bool edit_levels(labi_editor *e, const content *what) {
    static const char *const sides[2] = {"left", "right"};
    bool good = true;
    for (unsigned i = 0; i < what->lights && i < 2 && good; i++) {
        good = edit_light(e, sides[i], &what->levels[i]);
    }
    return good;
}

// All of it is ours: a section that is there is replaced as a whole. `text` begins with a line's
// end.
static void set_section(labi_editor *e, const char *name, const char *text) {
    yaml_node_t *root = labi_yaml_root(&e->reader);
    const yaml_node_t *old = labi_yaml_find(&e->reader, root, name);
    if (old == NULL) {
        char *entry = g_strdup_printf("%s:%s", name, text);
        labi_edit_entry(e, root, entry);
        g_free(entry);
    } else if (labi_edit_last(e, old) == old) { // {...}, or [...]
        labi_edit_put(e, labi_edit_byte(e, old->start_mark), labi_edit_byte(e, old->end_mark),
                      g_strdup(text));
    } else {
        const yaml_node_t *last = labi_edit_last(e, old);
        labi_edit_put(e, labi_edit_byte(e, old->start_mark), labi_edit_byte(e, last->end_mark),
                      g_strchug(g_strdup(text)));
    }
}

static void edit_geometry(labi_editor *e, const cmo_geometry *g) {
    char *size = isnan(g->size_error)
                     ? g_strdup("")
                     : g_strdup_printf("\n  size_error: %.5f", (double)g->size_error);
    char *text = g_strdup_printf(
        "\n  left_step_mm: %.6f\n  right_step_mm: %.6f\n  track_mm: %.3f\n"
        "  left: {ahead_mm: %.3f, left_mm: %.3f, delay_ms: %.2f}\n"
        "  right: {ahead_mm: %.3f, left_mm: %.3f, delay_ms: %.2f}%s\n"
        "  ratio_error: %.5f\n  track_error_mm: %.3f\n  mismatch_error_mm: %.3f\n"
        "  delay_error_ms: %.2f",
        (double)g->left_step_mm, (double)g->right_step_mm, (double)g->track_mm,
        (double)g->ahead_mm[0], (double)g->left_mm[0], fmax((double)g->delay_ms[0], 0.0),
        (double)g->ahead_mm[1], (double)g->left_mm[1], fmax((double)g->delay_ms[1], 0.0), size,
        (double)g->ratio_error, (double)g->track_error_mm, (double)g->mismatch_error_mm,
        (double)g->delay_error_ms);
    set_section(e, "measured", text);
    g_free(text);
    g_free(size);
}

static void edit_drive(labi_editor *e, const cmo_drive *d) {
    char *ramp = d->ramp_mm_s2 > 0.0F
                     ? g_strdup_printf("\n  ramp_mm_s2: %.0f\n  ramp_error_mm_s2: %.0f",
                                       (double)d->ramp_mm_s2, (double)d->ramp_error_mm_s2)
                     : g_strdup("");
    char *text = g_strdup_printf(
        "\n  lag_ms: %.2f\n  lag_error_ms: %.2f\n  left_lag_ms: %.2f\n  right_lag_ms: %.2f%s\n"
        "  left_ahead_mm_s: %.1f\n  right_ahead_mm_s: %.1f\n  left_back_mm_s: %.1f\n"
        "  right_back_mm_s: %.1f\n  left_keeps_mm_s: %.1f\n  right_keeps_mm_s: %.1f\n"
        "  left_ratio: %.4f\n  right_ratio: %.4f",
        (double)d->lag_ms, (double)d->lag_error_ms, (double)d->wheel_lag_ms[0],
        (double)d->wheel_lag_ms[1], ramp, (double)d->ahead_mm_s[0], (double)d->ahead_mm_s[1],
        (double)d->back_mm_s[0], (double)d->back_mm_s[1], (double)d->keeps_mm_s[0],
        (double)d->keeps_mm_s[1], (double)d->ratio[0], (double)d->ratio[1]);
    set_section(e, "measured_drive", text);
    g_free(text);
    g_free(ramp);
}

static void edit_braking(labi_editor *e, const cmo_braking *b) {
    char *grip = b->grip_mm_s2 > 0.0F
                     ? g_strdup_printf("\n  grip_mm_s2: %.0f\n  grip_error_mm_s2: %.0f",
                                       (double)b->grip_mm_s2, (double)b->grip_error_mm_s2)
                     : g_strdup("");
    char *text =
        g_strdup_printf("\n  slid_mm: %.2f\n  halt_slid_mm: %.2f\n"
                        "  slid_error_mm: %.2f%s\n  speed_mm_s: %.1f\n  limit_mm_s2: %.1f",
                        (double)b->slid_mm, (double)b->halt_slid_mm, (double)b->slid_error_mm, grip,
                        (double)b->speed_mm_s, (double)b->limit_mm_s2);
    set_section(e, "measured_braking", text);
    g_free(text);
    g_free(grip);
}

static void put_shade(GString *text, const char *side, const cmo_shade *shade, bool colour) {
    g_string_append_printf(text, "%s: {counts: %u", side, shade->counts);
    if (colour) {
        g_string_append_printf(text, ", red: %u, green: %u, blue: %u", shade->colour[0],
                               shade->colour[1], shade->colour[2]);
    }
    g_string_append_printf(text, ", spread: %u}", shade->spread);
}

// A list, as far in as one that is there already.
static void edit_surfaces(labi_editor *e, const lab_robot *taught) {
    static const char *const sides[2] = {"left", "right"};
    const cmo_robot_description *d = &taught->description;
    const yaml_node_t *old = labi_yaml_find(&e->reader, labi_yaml_root(&e->reader), "surfaces");
    int in = old != NULL && labi_edit_last(e, old) != old ? (int)old->start_mark.column : 2;
    GString *text = g_string_new(NULL);
    for (unsigned i = 0; i < taught->surfaces.count; i++) {
        g_string_append_printf(text, "\n%*s- name: %s", in, "", taught->surface_name[i]);
        for (unsigned n = 0; n < d->lights && n < 2; n++) {
            const cmo_shade *shade = &taught->surfaces.shade[i][n];
            if (shade->counts != CMO_SHADE_UNKNOWN) {
                g_string_append_printf(text, "\n%*s", in + 2, "");
                put_shade(text, sides[n], shade, d->light[n].colour);
            }
        }
    }
    set_section(e, "surfaces", text->str);
    g_string_printf(text, " %.3g", (double)taught->surfaces.change);
    labi_edit_set(e, labi_yaml_root(&e->reader), "surfaces_change", g_strchug(text->str));
    g_string_free(text, TRUE);
}

static bool edit_taught(labi_editor *e, const content *what) {
    edit_surfaces(e, what->taught);
    return edit_levels(e, what);
}

static bool edit_measured(labi_editor *e, const content *what) {
    if (what->geometry != NULL) {
        edit_geometry(e, what->geometry);
    }
    if (what->drive != NULL) {
        edit_drive(e, what->drive);
    }
    if (what->braking != NULL) {
        edit_braking(e, what->braking);
    }
    return true;
}

static bool near(double a, double b, double step) {
    return fabs(a - b) <= step;
}

// Whether a robot has what was to be written.
static bool holds(const lab_robot *robot, const content *what) {
    for (unsigned i = 0; i < what->lights && i < 2; i++) {
        const cmo_levels *is = &robot->levels[i];
        const cmo_levels *ought = &what->levels[i];
        if (!robot->has_levels[i] || is->dark != ought->dark || is->light != ought->light ||
            is->noise != ought->noise) {
            return false;
        }
    }
    for (unsigned i = 0; what->taught != NULL && i < what->taught->surfaces.count; i++) {
        const lab_robot *ought = what->taught;
        if (robot->surfaces.count != ought->surfaces.count ||
            strcmp(robot->surface_name[i], ought->surface_name[i]) != 0 ||
            memcmp(robot->surfaces.shade[i], ought->surfaces.shade[i],
                   sizeof robot->surfaces.shade[i]) != 0) {
            return false;
        }
    }
    const cmo_drive *d = what->drive;
    if (d != NULL && !(near((double)robot->drive.lag_ms, (double)d->lag_ms, 0.01) &&
                       near((double)robot->drive.ramp_mm_s2, (double)d->ramp_mm_s2, 1.0) &&
                       near((double)robot->drive.back_mm_s[1], (double)d->back_mm_s[1], 0.1))) {
        return false;
    }
    const cmo_geometry *g = what->geometry;
    const cmo_geometry *is = &robot->geometry;
    return g == NULL || (near((double)is->left_step_mm, (double)g->left_step_mm, 1e-5) &&
                         near((double)is->right_step_mm, (double)g->right_step_mm, 1e-5) &&
                         near((double)is->track_mm, (double)g->track_mm, 1e-2) &&
                         near((double)is->ahead_mm[0], (double)g->ahead_mm[0], 1e-2) &&
                         near((double)is->ahead_mm[1], (double)g->ahead_mm[1], 1e-2));
}

static char *edit_text(const char *name, const char *bytes, size_t size,
                       bool (*change)(labi_editor *, const content *), const content *what,
                       GError **error) {
    labi_editor e;
    if (!labi_edit_open(&e, name, bytes, size, error)) {
        return NULL;
    }
    char *text = NULL;
    if (change(&e, what)) {
        text = labi_edit_apply(&e);
        // The changed text must be a robot file too, and say what was to be written.
        lab_robot *after = lab_robot_from_bytes(name, text, strlen(text), NULL);
        if (after == NULL || !holds(after, what)) {
            g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                        "%s: cannot be changed where its values stand, nothing was written; write "
                        "each of them out, without anchors and aliases",
                        name);
            g_clear_pointer(&text, g_free);
        }
        lab_robot_free(after);
    }
    labi_edit_close(&e);
    return text;
}

static bool edit_file(const char *path, bool (*change)(labi_editor *, const content *),
                      const content *what, GError **error) {
    char *bytes;
    size_t size;
    if (!labi_read_file(path, "robot file", LAB_YAML_MAX, &bytes, &size, error)) {
        return false;
    }
    char *text = edit_text(path, bytes, size, change, what, error);
    bool good = text != NULL && lab_write_file(path, "robot file", text, strlen(text), error);
    g_free(text);
    g_free(bytes);
    return good;
}

char *lab_robot_edit_levels(const char *name, const char *bytes, size_t size,
                            const cmo_levels *levels, unsigned lights, GError **error) {
    content what = {.levels = levels, .lights = lights};
    return edit_text(name, bytes, size, edit_levels, &what, error);
}

bool lab_robot_write_levels(const char *path, const cmo_levels *levels, unsigned lights,
                            GError **error) {
    content what = {.levels = levels, .lights = lights};
    return edit_file(path, edit_levels, &what, error);
}

bool lab_robot_write_surfaces(const char *path, const cmo_levels *levels, const lab_robot *taught,
                              GError **error) {
    content what = {.levels = levels, .lights = taught->description.lights, .taught = taught};
    return edit_file(path, edit_taught, &what, error);
}

bool lab_robot_write_measured(const char *path, const cmo_geometry *geometry,
                              const cmo_drive *drive, const cmo_braking *braking, GError **error) {
    content what = {.geometry = geometry, .drive = drive, .braking = braking};
    return edit_file(path, edit_measured, &what, error);
}
