// SPDX-License-Identifier: MIT
// Reads a mat: what kind of file it is, and whether its size can be simulated.
#include "mat_internal.h"

#include <errno.h>
#include <glib/gstdio.h>
#include <math.h>
#include <string.h>

#define DEFAULT_PX_PER_MM 2.0
#define FILE_MAX          (64U << 20)
#define COLUMNS_MAX       65536.0 // a row's light summed up has 32 bit

cmo_sim_mat *cmi_sim_mat_new_checked(const char *name, double width_mm, double height_mm,
                                     double px_per_mm, GError **error) {
    if (!(width_mm >= 10.0) || !(height_mm >= 10.0)) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_SIZE,
                    "%s: the mat is %.3g x %.3g mm, which is less than 10 mm; is its size right?",
                    name, width_mm, height_mm);
        return NULL;
    }
    if (width_mm > CMO_SIM_MAT_SIDE_MAX || height_mm > CMO_SIM_MAT_SIDE_MAX) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_SIZE,
                    "%s: the mat is %.0f x %.0f mm; at most %.0f mm a side can be simulated", name,
                    width_mm, height_mm, CMO_SIM_MAT_SIDE_MAX);
        return NULL;
    }
    double pixels = width_mm * height_mm * px_per_mm * px_per_mm;
    if (pixels > CMO_SIM_MAT_PIXELS_MAX) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_SIZE,
                    "%s: a mat of %.0f x %.0f mm at %.3g px/mm takes %.0f million pixels, more "
                    "than %.0f million; choose at most %.2g px/mm",
                    name, width_mm, height_mm, px_per_mm, pixels / 1e6,
                    CMO_SIM_MAT_PIXELS_MAX / 1e6,
                    sqrt(CMO_SIM_MAT_PIXELS_MAX / (width_mm * height_mm)));
        return NULL;
    }
    if (width_mm * px_per_mm > COLUMNS_MAX) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_SIZE,
                    "%s: a mat %.0f mm wide at %.3g px/mm takes %.0f columns, more than %.0f; "
                    "choose at most %.2f px/mm",
                    name, width_mm, px_per_mm, width_mm * px_per_mm, COLUMNS_MAX,
                    floor(100.0 * COLUMNS_MAX / width_mm) / 100.0);
        return NULL;
    }
    return cmi_sim_mat_new(width_mm, height_mm, px_per_mm);
}

static cmo_sim_mat *load(const char *name, bool is_path, const guint8 *bytes, gsize size,
                         const cmo_sim_mat_options *options, GError **error) {
    static const guint8 signature[8] = {0x89, 'P', 'N', 'G', '\r', '\n', 0x1A, '\n'};
    cmo_sim_mat_options chosen = {DEFAULT_PX_PER_MM, 0.0, 0.0, false};
    if (options != NULL) {
        chosen.width_mm = options->width_mm;
        chosen.soft_mm = options->soft_mm;
        chosen.colour = options->colour;
        chosen.px_per_mm = options->px_per_mm > 0.0 ? options->px_per_mm : DEFAULT_PX_PER_MM;
    }
    if (!(chosen.px_per_mm >= 0.25 && chosen.px_per_mm <= 10.0)) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_SIZE,
                    "%s: the map's resolution must be 0.25 to 10 px/mm, not %.3g", name,
                    chosen.px_per_mm);
        return NULL;
    }
    if (size == 0) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_FORMAT,
                    "%s: the file is empty; a mat is an SVG or a PNG", name);
        return NULL;
    }
    cmo_sim_mat *mat = size >= 8 && memcmp(bytes, signature, 8) == 0
                           ? cmi_sim_mat_load_png(name, is_path, bytes, size, &chosen, error)
                           : cmi_sim_mat_load_svg(name, bytes, size, &chosen, error);
    if (mat != NULL) {
        mat->has[CMO_SIM_VOID] = true; // beyond the edges, if nowhere else
    }
    if (mat != NULL && chosen.soft_mm > 0.0) {
        cmi_sim_mat_soften(mat, chosen.soft_mm);
    }
    if (mat != NULL) {
        cmi_sim_mat_find_plain(mat);
    }
    return mat;
}

cmo_sim_mat *cmo_sim_mat_from_bytes(const char *name, const void *bytes, size_t size,
                                    const cmo_sim_mat_options *options, GError **error) {
    return load(name, false, bytes, size, options, error);
}

cmo_sim_mat *cmo_sim_mat_load(const char *path, const cmo_sim_mat_options *options,
                              GError **error) {
    char *bytes = NULL;
    gsize size = 0;
    GError *cause = NULL;
    GStatBuf status;
    if (g_stat(path, &status) == 0 && status.st_size > (goffset)FILE_MAX) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_SIZE,
                    "%s: the file has %.0f MB, more than %u MB", path, (double)status.st_size / 1e6,
                    FILE_MAX >> 20);
        return NULL;
    }
    if (g_stat(path, &status) == 0 && !S_ISREG(status.st_mode) && !S_ISDIR(status.st_mode)) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_FILE,
                    "%s: the mat cannot be read: it is a pipe or a device; a file would do", path);
        return NULL;
    }
    if (!g_file_get_contents(path, &bytes, &size, &cause)) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_FILE,
                    "%s: the mat cannot be read: %s", path, g_strerror(errno));
        g_clear_error(&cause);
        return NULL;
    }
    cmo_sim_mat *mat = load(path, true, (const guint8 *)bytes, size, options, error);
    g_free(bytes);
    return mat;
}
