// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli.h"

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
    static const char *const views[] = {"mat", "strip", "heat", "margins", NULL};
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

bool cli_draw_run(const lab_route *route, const lab_run *run, const cli_picture *picture,
                  GError **error) {
    switch (picture->view) {
    case CLI_VIEW_HEAT:
        return cli_draw_heat(route, run, picture, error);
    case CLI_VIEW_MARGINS:
        return cli_draw_margins(route, run, picture, error);
    case CLI_VIEW_STRIP:
        return cli_draw_strip(route->path, run->rows, run, picture, error);
    default:
        return cli_draw_mat(route, run->rows, run, picture, error);
    }
}
