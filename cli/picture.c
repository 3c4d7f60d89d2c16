// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli.h"

#include <string.h>

static bool parse_word(const char *option, const char *word, const char *const words[2],
                       unsigned *chosen, GError **error) {
    for (unsigned i = 0; i < 2; i++) {
        if (strcmp(word, words[i]) == 0) {
            *chosen = i;
            return true;
        }
    }
    g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s: '%s' is not one of: %s, %s", option, word,
                words[0], words[1]);
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
    static const char *const views[2] = {"mat", "strip"};
    static const char *const axes[2] = {"way", "time"};
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
