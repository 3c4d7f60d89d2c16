// SPDX-License-Identifier: GPL-3.0-or-later
#include "sections.h"

#include <glib/gstdio.h>
#include <string.h>

static const char *reason(const GError *cause) {
    switch (cause->code) {
    case G_FILE_ERROR_NOENT:
        return "there is no such file";
    case G_FILE_ERROR_ISDIR:
        return "it is a folder";
    case G_FILE_ERROR_ACCES:
    case G_FILE_ERROR_PERM:
        return "reading it is not permitted";
    default:
        return cause->message;
    }
}

bool lab_read_file(const char *path, const char *what, size_t most, char **bytes, size_t *size,
                   GError **error) {
    GStatBuf status;
    if (g_stat(path, &status) == 0 && status.st_size > (goffset)most) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s: too large for a %s: more than %zu MB",
                    path, what, most >> 20);
        return false;
    }
    GError *cause = NULL;
    if (!g_file_get_contents(path, bytes, size, &cause)) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_FILE, "%s: the %s cannot be read: %s", path, what,
                    reason(cause));
        g_clear_error(&cause);
        return false;
    }
    return true;
}

const lab_section *const *lab_sections(void) {
    static const lab_section *all[40];
    if (all[0] == NULL) {
        size_t count = 0;
        for (size_t i = 0; lab_robot_sections[i] != NULL; i++) {
            all[count++] = lab_robot_sections[i];
        }
        for (size_t i = 0; lab_route_sections[i] != NULL; i++) {
            all[count++] = lab_route_sections[i];
        }
    }
    return all;
}
