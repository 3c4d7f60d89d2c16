// SPDX-License-Identifier: MIT
/**
 * @file mat.h
 * The mat: a floor at true scale, read from SVG or PNG. x to the right and y up, millimetres, the
 * origin at the lower left corner. Beyond its edges, and where the picture is transparent, there is
 * no floor (void).
 *
 * Light is computed in linear light from the picture's sRGB colours: relative luminance
 * Y = 0.2126 R + 0.7152 G + 0.0722 B, 0 for black and for void, 1 for white.
 *
 * Marks say what the picture means. In an SVG they are classes of its elements: class="line",
 * class="boundary", class="decoration"; whatever stands inside of such a group counts too. Beside
 * a PNG NAME.png a second picture NAME.marks.png of the same size says it by colour: green
 * (0, 255, 0) line, red (255, 0, 0) boundary, blue (0, 0, 255) decoration, else nothing.
 */
#ifndef CAMMINO_SIMULATOR_MAT_H
#define CAMMINO_SIMULATOR_MAT_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

G_BEGIN_DECLS

typedef struct cmo_sim_mat cmo_sim_mat;

typedef enum cmo_sim_mark {
    CMO_SIM_LINE = 0,
    CMO_SIM_BOUNDARY,
    CMO_SIM_DECORATION,
    CMO_SIM_VOID, /**< not marked by hand: where there is no floor */
    CMO_SIM_MARKS
} cmo_sim_mark;

#define CMO_SIM_MAT_ERROR (cmo_sim_mat_error_quark())
GQuark cmo_sim_mat_error_quark(void);
typedef enum cmo_sim_mat_error {
    CMO_SIM_MAT_ERROR_FILE,   /**< it cannot be read */
    CMO_SIM_MAT_ERROR_FORMAT, /**< it is neither a sound SVG nor a sound PNG */
    CMO_SIM_MAT_ERROR_SIZE    /**< no true size, or one that is too small or too large */
} cmo_sim_mat_error;

typedef struct cmo_sim_mat_options {
    double px_per_mm; /**< resolution of the map that looks are taken from, 0.25..10; default: 2 */
    double width_mm;  /**< true width where the file does not say; default: as the file says */
    double
        soft_mm; /**< edges are printed soft, as wide as this; default: 0, sharp. Marks are not */
    bool colour; /**< keeps the colours too, for sensors that see them: four times the memory */
} cmo_sim_mat_options;

/** Largest side of a mat, mm, and largest number of pixels of its map. */
#define CMO_SIM_MAT_SIDE_MAX   20000.0
#define CMO_SIM_MAT_PIXELS_MAX 64000000.0

/** Reads a mat. `options` may be NULL. The message of an error names the file. */
cmo_sim_mat *cmo_sim_mat_load(const char *path, const cmo_sim_mat_options *options, GError **error);

/** Reads a mat from memory; `name` stands for the file in messages. PNG marks are not looked for.
 */
cmo_sim_mat *cmo_sim_mat_from_bytes(const char *name, const void *bytes, size_t size,
                                    const cmo_sim_mat_options *options, GError **error);

/** Luminance at a point, 0..1, and which marks cover it (bit n: cmo_sim_mark n; void included). */
typedef double (*cmo_sim_mat_function)(void *data, double x_mm, double y_mm, unsigned *marks);

/** Makes a mat from a function, sampled 4 x 4 times in each pixel. For tests and benchmarks. */
cmo_sim_mat *cmo_sim_mat_from_function(double width_mm, double height_mm, double px_per_mm,
                                       cmo_sim_mat_function function, void *data);

void cmo_sim_mat_free(cmo_sim_mat *mat);

/** The same mat for another owner; each of them frees it, and the last one ends it. */
cmo_sim_mat *cmo_sim_mat_share(cmo_sim_mat *mat);

double cmo_sim_mat_width_mm(const cmo_sim_mat *mat);
double cmo_sim_mat_height_mm(const cmo_sim_mat *mat);

/** Whether the mat has this mark anywhere. */
bool cmo_sim_mat_has(const cmo_sim_mat *mat, cmo_sim_mark mark);

/** Mean luminance under a round spot. */
double cmo_sim_mat_light(const cmo_sim_mat *mat, double x_mm, double y_mm, double spot_mm);

/** Mean red, green and blue under a round spot, in linear light 0..1; of a mat without colours its
 *  luminance three times. */
void cmo_sim_mat_colour(const cmo_sim_mat *mat, double x_mm, double y_mm, double spot_mm,
                        double colour[3]);

/** How much of each mark covers a point, 0..1; the unblurred edge is at 0.5. */
void cmo_sim_mat_cover(const cmo_sim_mat *mat, double x_mm, double y_mm,
                       double cover[CMO_SIM_MARKS]);

/** Which marks cover a point by more than half: bit n is cmo_sim_mark n. */
unsigned cmo_sim_mat_inside(const cmo_sim_mat *mat, double x_mm, double y_mm);

/** Direction of the normal of a mark's edge near a point, pointing into the mark, from edge points
 *  up to 8 mm to either side. False: no edge there. */
bool cmo_sim_mat_normal(const cmo_sim_mat *mat, cmo_sim_mark mark, double x_mm, double y_mm,
                        double *normal_x, double *normal_y);

/** Builds what cmo_sim_mat_distance() needs for a mark, once; not while other threads use the mat.
 */
void cmo_sim_mat_measure(cmo_sim_mat *mat, cmo_sim_mark mark);

/** Distance to the nearest edge of a mark, mm; negative inside of it. INFINITY where the mat has no
 *  such mark or was not measured for it. */
double cmo_sim_mat_distance(const cmo_sim_mat *mat, cmo_sim_mark mark, double x_mm, double y_mm);

/** The region of a mat around a point that boundaries and void enclose. */
typedef struct cmo_sim_region cmo_sim_region;

/**
 * Finds it, once; not while other threads use the mat. Gaps in a painted boundary of up to 10 mm
 * count as closed: that is more than a spot. NULL: the point is not inside of anything.
 */
cmo_sim_region *cmo_sim_region_new(cmo_sim_mat *mat, double x_mm, double y_mm);
void cmo_sim_region_free(cmo_sim_region *region);

/** The same region for another owner, as a mat is shared; it needs its mat. */
cmo_sim_region *cmo_sim_region_share(cmo_sim_region *region);

/** Distance from a point to the near edge of the boundary around the region, mm; negative beyond
 *  it, on the paint and behind it too. Good to 0.1 mm within 4 mm of the edge, to 1 mm elsewhere.
 */
double cmo_sim_region_margin(const cmo_sim_region *region, double x_mm, double y_mm);

/** Its area, mm^2. */
double cmo_sim_region_area(const cmo_sim_region *region);

G_END_DECLS

#endif
