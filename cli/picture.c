// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli.h"

#include <glib/gstdio.h>
#include <stdarg.h>
#include <string.h>

static bool parse_word(const char *option, const char *word, const char *const *words,
                       unsigned *chosen, GError **error) {
    for (unsigned i = 0; words[i] != NULL; i++) {
        if (strcmp(word, words[i]) == 0) {
            *chosen = i;
            return true;
        }
    }
    char *all = g_strjoinv(", ", (char **)(uintptr_t)words);
    g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s: '%s' is not one of: %s", option, word, all);
    g_free(all);
    return false;
}

static bool same_file(const char *a, const char *b) {
    GStatBuf of_a, of_b;
    if (g_stat(a, &of_a) == 0 && g_stat(b, &of_b) == 0) {
        return of_a.st_dev == of_b.st_dev && of_a.st_ino == of_b.st_ino;
    }
    char *full_a = g_canonicalize_filename(a, NULL);
    char *full_b = g_canonicalize_filename(b, NULL);
    bool same = strcmp(full_a, full_b) == 0;
    g_free(full_a);
    g_free(full_b);
    return same;
}

bool cli_spares(GError **error, const char *option, const char *path, ...) {
    bool spares = true;
    va_list others;
    va_start(others, path);
    for (const char *other; path != NULL && spares && (other = va_arg(others, const char *));) {
        if (same_file(path, other)) {
            g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                        "%s: %s: this call uses that file otherwise; choose another name", option,
                        path);
            spares = false;
        }
    }
    va_end(others);
    return spares;
}

bool cli_picture_name(const char *path, GError **error) {
    if (path != NULL && !g_str_has_suffix(path, ".png") && !g_str_has_suffix(path, ".svg")) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                    "--picture: %s: the name must end with .png or .svg", path);
        return false;
    }
    return true;
}

bool cli_picture_parse(const char *path, const char *view, int leg, const char *over,
                       cli_picture *picture, GError **error) {
    static const char *const views[] = {"mat", "strip", "timeline", "heat", "margins", NULL};
    static const char *const axes[] = {"way", "time", NULL};
    unsigned chosen_view, chosen_axis;
    if (!parse_word("--view", view != NULL ? view : "mat", views, &chosen_view, error) ||
        !parse_word("--over", over != NULL ? over : "way", axes, &chosen_axis, error)) {
        return false;
    }
    if (!cli_picture_name(path, error)) {
        return false;
    }
    if (leg < 0) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "--leg: %d is out of range; 1 or more", leg);
        return false;
    }
    *picture = (cli_picture){path, (cli_view)chosen_view, (unsigned)leg, chosen_axis == 1};
    return true;
}

const char *cli_stage_colour(uint8_t stage, bool strong) {
    // A light one for what lies behind curves, and one that stands by itself.
    static const char *const colours[CMO_STAGES][2] = {
        [CMO_STAGE_IDLE] = {"#ffffff", "#ffffff"},      [CMO_STAGE_MOVE] = {"#dbe9f6", "#a9cbe8"},
        [CMO_STAGE_BLIND] = {"#e8e8e8", "#cfcfcf"},     [CMO_STAGE_SEARCH] = {"#e3f2dd", "#b4dba4"},
        [CMO_STAGE_PROVE] = {"#fff3cd", "#f2d675"},     [CMO_STAGE_BRAKE] = {"#fbe0d8", "#f0aa94"},
        [CMO_STAGE_HALT] = {"#fbe0d8", "#f0aa94"},      [CMO_STAGE_RETURN] = {"#dff1f2", "#9fd3d6"},
        [CMO_STAGE_SETTLE] = {"#ece2f4", "#cdb4e0"},    [CMO_STAGE_SWING] = {"#fdeedd", "#f5cc9a"},
        [CMO_STAGE_PATROL] = {"#e3f2dd", "#c4e3b8"},    [CMO_STAGE_FEEL] = {"#fff3cd", "#f2d675"},
        [CMO_STAGE_ROOM] = {"#dff1f2", "#c3e2e4"},      [CMO_STAGE_BACK] = {"#dff1f2", "#7fbfc4"},
        [CMO_STAGE_TURN_BACK] = {"#e6ecd6", "#d3dcb6"}, [CMO_STAGE_SCAN] = {"#ece2f4", "#cdb4e0"},
        [CMO_STAGE_CHARGE] = {"#fbe0d8", "#e0765a"},    [CMO_STAGE_WAIT] = {"#f2f2f2", "#e2e2e2"},
        [CMO_STAGE_COUNTDOWN] = {"#f2f2f2", "#b9b9b9"}, [CMO_STAGE_CREEP] = {"#fdeedd", "#f5cc9a"},
        [CMO_STAGE_TURN] = {"#e6ecd6", "#bfd08f"},      [CMO_STAGE_ACTION] = {"#f2f2f2", "#d9c7a8"},
        [CMO_STAGE_JOIN] = {"#fff3cd", "#f2d675"},      [CMO_STAGE_FOLLOW] = {"#e3f2dd", "#c4e3b8"},
    };
    const char *colour = colours[stage < CMO_STAGES ? stage : 0][strong];
    return colour != NULL ? colour : colours[CMO_STAGE_BLIND][strong];
}

bool cli_draw_run(const lab_route *route, const lab_run *run, const cli_picture *picture,
                  GError **error) {
    switch (picture->view) {
    case CLI_VIEW_HEAT:
        return cli_draw_heat(route, run, picture, error);
    case CLI_VIEW_MARGINS:
        return cli_draw_margins(route, run, picture, error);
    case CLI_VIEW_TIMELINE:
        return cli_draw_timeline(route->path, run->rows, run, picture, error);
    case CLI_VIEW_STRIP:
        return cli_draw_strip(route->path, run->rows, run, picture, error);
    default:
        return cli_draw_mat(route, run->rows, run, picture, error);
    }
}
