// SPDX-License-Identifier: GPL-3.0-or-later
#define _XOPEN_SOURCE 700 // realpath, fchown, fsync
#include "legs.h"
#include "sections.h"

#include <errno.h>
#include <fcntl.h>
#include <glib/gstdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

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

// Only a regular file has an end that can be waited for.
static bool is_regular(const char *path, const char *what, size_t most, GError **error) {
    GStatBuf status;
    if (g_stat(path, &status) != 0) {
        return true; // reading it will say why
    }
    if (!S_ISREG(status.st_mode) && !S_ISDIR(status.st_mode)) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_FILE,
                    "%s: the %s cannot be read: it is a pipe or a device; a file would do", path,
                    what);
        return false;
    }
    if (status.st_size > (goffset)most) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s: too large for a %s: more than %zu MB",
                    path, what, most >> 20);
        return false;
    }
    return true;
}

bool labi_read_file(const char *path, const char *what, size_t most, char **bytes, size_t *size,
                    GError **error) {
    GError *cause = NULL;
    if (!is_regular(path, what, most, error)) {
        return false;
    }
    if (!g_file_get_contents(path, bytes, size, &cause)) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_FILE, "%s: the %s cannot be read: %s", path, what,
                    reason(cause));
        g_clear_error(&cause);
        return false;
    }
    return true;
}

char *lab_printable(const char *text) {
    char *line = g_utf8_make_valid(text, -1);
    GString *out = g_string_new(NULL);
    for (const char *at = line; *at != '\0'; at = g_utf8_next_char(at)) {
        gunichar letter = g_utf8_get_char(at);
        g_string_append_unichar(out, g_unichar_iscntrl(letter) ? ' ' : letter);
    }
    g_free(line);
    return g_string_free(out, FALSE);
}

static bool cannot_write(const char *path, const char *what, const char *why, GError **error) {
    g_set_error(error, LAB_ERROR, LAB_ERROR_FILE, "%s: the %s cannot be written: %s", path, what,
                why);
    return false;
}

static bool put_bytes(int file, const char *bytes, size_t size) {
    while (size > 0) {
        ssize_t done = write(file, bytes, size);
        if (done < 0 && errno != EINTR) {
            return false;
        }
        bytes += MAX(done, 0);
        size -= (size_t)MAX(done, 0);
    }
    return fsync(file) == 0 || errno == EINVAL;
}

// A file of several names cannot be replaced without parting them.
static bool write_in_place(const char *path, const char *bytes, size_t size) {
    int file = g_open(path, O_WRONLY | O_TRUNC, 0);
    bool good = file >= 0 && put_bytes(file, bytes, size);
    return (file < 0 || close(file) == 0) && good;
}

static bool replace(const char *path, const GStatBuf *old, const char *bytes, size_t size) {
    char *part = g_strdup_printf("%s.XXXXXX", path);
    int file = g_mkstemp_full(part, O_RDWR, 0666);
    bool good = file >= 0 && put_bytes(file, bytes, size);
    if (good && old != NULL) {
        if (fchown(file, old->st_uid, old->st_gid) != 0) {
            // Whoever may write the file need not be able to give it away.
        }
        good = fchmod(file, old->st_mode & 07777) == 0;
    }
    int cause = errno;
    if (file >= 0 && close(file) != 0) {
        cause = good ? errno : cause;
        good = false;
    }
    if (good && g_rename(part, path) != 0) {
        cause = errno;
        good = false;
    }
    if (!good && file >= 0) {
        g_unlink(part);
    }
    g_free(part);
    errno = cause;
    return good;
}

bool lab_write_file(const char *path, const char *what, const char *bytes, size_t size,
                    GError **error) {
    GStatBuf old;
    bool there = g_stat(path, &old) == 0;
    if (there && !S_ISREG(old.st_mode)) {
        return cannot_write(
            path, what, S_ISDIR(old.st_mode) ? "it is a folder" : "it is no regular file", error);
    }
    if (there && (old.st_mode & 0222) == 0) {
        return cannot_write(path, what, "it is read-only", error);
    }
    char *real = there ? realpath(path, NULL) : NULL; // where a link leads
    bool good = there && old.st_nlink > 1
                    ? write_in_place(path, bytes, size)
                    : replace(real != NULL ? real : path, there ? &old : NULL, bytes, size);
    int cause = errno;
    free(real);
    return good || cannot_write(path, what, g_strerror(cause), error);
}

const lab_section *const *lab_sections(void) {
    static const lab_section *all[64];
    const lab_section *const *const parts[] = {labi_robot_sections, labi_fleet_sections,
                                               labi_route_sections, labi_leg_sections,
                                               labi_limits_sections};
    if (all[0] != NULL) {
        return all;
    }
    size_t count = 0;
    for (size_t part = 0; part < G_N_ELEMENTS(parts); part++) {
        for (size_t i = 0; parts[part][i] != NULL; i++) {
            g_assert(count < G_N_ELEMENTS(all) - 1);
            all[count++] = parts[part][i];
        }
    }
    return all;
}
