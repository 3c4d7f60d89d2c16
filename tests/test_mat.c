// SPDX-License-Identifier: GPL-3.0-or-later
// Mats from SVG and PNG: light, marks, distances; and every file that is none.
#include "support.h"

#include <cairo.h>
#include <math.h>
#include <stdio.h>
#include <string.h>

#define HEAD                                                                                       \
    "<svg xmlns='http://www.w3.org/2000/svg' width='200mm' height='100mm' viewBox='0 0 200 100'>"

static cmo_sim_mat *from_svg(const char *text) {
    GError *error = NULL;
    cmo_sim_mat *mat = cmo_sim_mat_from_bytes("test.svg", text, strlen(text), NULL, &error);
    ck_assert_msg(mat != NULL, "%s", error != NULL ? error->message : "");
    return mat;
}

START_TEST(luminance_is_taken_in_linear_light) {
    cmo_sim_mat *mat =
        from_svg(HEAD "<rect width='50' height='100' fill='#ffffff'/>"
                      "<rect x='50' width='50' height='100' fill='#808080'/>"
                      "<rect x='100' width='50' height='100' fill='#ff0000'/></svg>");
    ck_assert_double_eq_tol(cmo_sim_mat_light(mat, 25, 50, 6), 1.0, 0.001);
    ck_assert_double_eq_tol(cmo_sim_mat_light(mat, 75, 50, 6), 0.2159, 0.001); // ((0.502 + 0.055)
                                                                               // / 1.055)^2.4
    ck_assert_double_eq_tol(cmo_sim_mat_light(mat, 125, 50, 6), 0.2126, 0.001);
    ck_assert_double_eq(cmo_sim_mat_light(mat, 175, 50, 6), 0.0); // transparent: no floor
    ck_assert_double_eq(cmo_sim_mat_light(mat, 500, 50, 6), 0.0);
    ck_assert_uint_eq(cmo_sim_mat_inside(mat, 175, 50), 1U << CMO_SIM_VOID);
    ck_assert_uint_eq(cmo_sim_mat_inside(mat, 25, 50), 0);
    ck_assert_uint_eq(cmo_sim_mat_inside(mat, -3, 50), 1U << CMO_SIM_VOID);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(x_goes_right_and_y_goes_up) {
    cmo_sim_mat *mat = from_svg(HEAD "<rect width='200' height='100' fill='#fff'/>"
                                     "<rect width='20' height='10' fill='#000'/></svg>");
    ck_assert_double_eq_tol(cmo_sim_mat_light(mat, 10, 95, 4), 0.0, 1e-6);
    ck_assert_double_eq_tol(cmo_sim_mat_light(mat, 10, 5, 4), 1.0, 1e-6);
    ck_assert_double_eq(cmo_sim_mat_width_mm(mat), 200);
    ck_assert_double_eq(cmo_sim_mat_height_mm(mat), 100);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(marks_come_from_classes_of_elements_and_groups) {
    cmo_sim_mat *mat = from_svg(
        HEAD "<rect width='200' height='100' fill='#ccc'/>"
             "<rect class='line' x='20' width='10' height='100' fill='#000' opacity='0.3'/>"
             "<g class='decoration'><rect x='60' width='10' height='100' fill='#555'/></g>"
             "<path class='boundary' d='M 100 0 V 100' stroke='#222' stroke-width='10'/>"
             "<rect x='150' width='10' height='100' fill='#000'/></svg>");
    ck_assert_uint_eq(cmo_sim_mat_inside(mat, 25, 50), 1U << CMO_SIM_LINE);
    ck_assert_uint_eq(cmo_sim_mat_inside(mat, 65, 50), 1U << CMO_SIM_DECORATION);
    ck_assert_uint_eq(cmo_sim_mat_inside(mat, 100, 50), 1U << CMO_SIM_BOUNDARY);
    ck_assert_uint_eq(cmo_sim_mat_inside(mat, 155, 50), 0); // dark, but nobody marked it
    double cover[CMO_SIM_MARKS];
    cmo_sim_mat_cover(mat, 20, 50, cover);
    ck_assert_double_eq_tol(cover[CMO_SIM_LINE], 0.5, 0.01); // just on the edge
    cmo_sim_mat_free(mat);
}
END_TEST

// Wider than one picture can be; and no wider than a row's light can be summed up.
START_TEST(a_mat_as_wide_as_the_docs_allow_is_drawn_in_tiles) {
    static const char text[] =
        "<svg xmlns='http://www.w3.org/2000/svg' width='20000mm' height='10mm' viewBox='0 0 20000 "
        "10'><rect width='20000' height='10' fill='#fff'/><g class='line'><rect x='4090' width='12'"
        " height='10'/><rect x='19000' width='20' height='10'/></g><g filter='none'/></svg>";
    cmo_sim_mat *mat = from_svg(text);
    for (int x = 4096 - 30; x < 4096 + 30; x++) { // over the seam of two tiles
        double light = cmo_sim_mat_light(mat, x + 0.5, 5, 0.5);
        bool line = x >= 4090 && x < 4102;
        ck_assert_double_eq_tol(light, (line ? 0.0 : 1.0), 1e-3);
        ck_assert_int_eq((int)(cmo_sim_mat_inside(mat, x + 0.5, 5) >> CMO_SIM_LINE & 1U), line);
    }
    ck_assert_double_eq_tol(cmo_sim_mat_light(mat, 18999, 5, 1), 1.0, 1e-3);
    ck_assert_double_eq_tol(cmo_sim_mat_light(mat, 19001, 5, 1), 0.0, 1e-3);
    ck_assert_double_eq_tol(cmo_sim_mat_light(mat, 19990, 5, 1), 1.0, 1e-3);
    cmo_sim_mat_free(mat);
    GError *error = NULL;
    cmo_sim_mat_options options = {.px_per_mm = 4};
    ck_assert_ptr_null(cmo_sim_mat_from_bytes("w.svg", text, sizeof text - 1, &options, &error));
    ck_assert_ptr_nonnull(strstr(error->message, "choose at most 3.27 px/mm"));
    g_clear_error(&error);
}
END_TEST

START_TEST(light_and_mark_of_a_slanting_edge_agree) {
    // Drawn without blending and averaged in linear light, the edge must not move.
    cmo_sim_mat *mat = from_svg(HEAD "<rect width='200' height='100' fill='#fff'/>"
                                     "<path class='line' d='M 90 0 L 120 100 H 200 V 0 Z'/></svg>");
    double length = sqrt(30.0 * 30.0 + 100.0 * 100.0);
    double nx = 100.0 / length;
    double ny = 30.0 / length; // into the line; y is up
    double sum = 0.0;
    for (int i = 0; i < 50; i++) {
        double y = 20.0 + i * 1.13;
        double x = 90.0 + (100.0 - y) * 0.3;
        double cover[CMO_SIM_MARKS];
        cmo_sim_mat_cover(mat, x + 0.4 * nx, y + 0.4 * ny, cover);
        ck_assert_double_gt(cover[CMO_SIM_LINE], 0.5);
        cmo_sim_mat_cover(mat, x - 0.4 * nx, y - 0.4 * ny, cover);
        ck_assert_double_lt(cover[CMO_SIM_LINE], 0.5);
        sum += cmo_sim_mat_light(mat, x, y, 6.0) / 50;
    }
    // The slope of a disc's curve is 2 / (pi r) = 0.21 per mm: 0.02 is a tenth of a millimetre.
    ck_assert_double_eq_tol(sum, 0.5, 0.02);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(distances_to_the_nearest_edge_are_true_to_a_tenth) {
    cmo_sim_mat *mat = from_svg(HEAD "<rect width='200' height='100' fill='#fff'/>"
                                     "<circle class='boundary' cx='100' cy='50' r='30'/></svg>");
    ck_assert(isinf(cmo_sim_mat_distance(mat, CMO_SIM_BOUNDARY, 10, 10)));
    cmo_sim_mat_measure(mat, CMO_SIM_BOUNDARY);
    cmo_sim_mat_measure(mat, CMO_SIM_VOID);
    cmo_sim_mat_measure(mat, CMO_SIM_LINE);
    ck_assert(isinf(cmo_sim_mat_distance(mat, CMO_SIM_LINE, 10, 10)));
    for (double x = 3; x < 200; x += 7.3) {
        for (double y = 3; y < 100; y += 6.1) {
            double circle = hypot(x - 100, y - 50) - 30;
            double edge = fmin(fmin(x, 200 - x), fmin(y, 100 - y));
            ck_assert_double_eq_tol(cmo_sim_mat_distance(mat, CMO_SIM_BOUNDARY, x, y), circle,
                                    0.12);
            ck_assert_double_eq_tol(cmo_sim_mat_distance(mat, CMO_SIM_VOID, x, y), edge, 0.12);
        }
    }
    cmo_sim_mat_free(mat);
}
END_TEST

// A clothoid, whose curvature grows with the way: 1 / 40 mm after 120 mm. By the series of its
// integrals, the cosine's and the sine's of s^2 / 2 A^2.
#define CLOTHOID_MM2 (40.0 * 120.0)
static void clothoid_at(double s, double *x, double *y, double *heading) {
    double half = s * s / (2.0 * CLOTHOID_MM2);
    double term = s; // of s half^n / n!
    *x = *y = 0.0;
    for (int n = 0; n < 40; n++) {
        double sign = n / 2 % 2 == 0 ? 1.0 : -1.0;
        *(n % 2 == 0 ? x : y) += sign * term / (2 * n + 1);
        term *= half / (n + 1);
    }
    *heading = half;
}

START_TEST(edges_of_bends_are_where_their_curves_have_them) {
    const double half = 4.0;
    GString *text = g_string_new(HEAD "<rect width='200' height='100' fill='#fff'/>"
                                      "<g class='line' fill='none' stroke-width='8' stroke='#000'>"
                                      "<path d='M 20 90 a 40 40 0 0 1 40 -40'/><path d='M 70 90");
    for (double s = 0.2; s <= 120.0; s += 0.2) {
        double x, y, heading;
        clothoid_at(s, &x, &y, &heading);
        g_string_append_printf(text, " L %.5f %.5f", 70.0 + x, 90.0 - y);
    }
    g_string_append(text, "'/></g></svg>");
    cmo_sim_mat *mat = from_svg(text->str);
    cmo_sim_mat_measure(mat, CMO_SIM_LINE);
    for (double off = -7.5; off <= 7.5; off += 1.5) {
        for (double angle = 0.1; angle < 1.5; angle += 0.1) { // around (60, 10): its middle
            double r = 40.0 + off;
            double here = cmo_sim_mat_distance(mat, CMO_SIM_LINE, 60.0 - r * cos(angle),
                                               10.0 + r * sin(angle));
            ck_assert_double_eq_tol(here, fabs(off) - half, fabs(off) < 7.0 ? 0.08 : 0.12);
        }
        for (double s = 12.0; s < 110.0; s += 7.0) {
            double x, y, heading;
            clothoid_at(s, &x, &y, &heading);
            double here = cmo_sim_mat_distance(mat, CMO_SIM_LINE, 70.0 + x - off * sin(heading),
                                               10.0 + y + off * cos(heading));
            ck_assert_double_eq_tol(here, fabs(off) - half, fabs(off) < 7.0 ? 0.08 : 0.12);
        }
    }
    cmo_sim_mat_free(mat);
    g_string_free(text, TRUE);
}
END_TEST

// --------------------------------------------------------------------------------------- PNG --

static cairo_status_t append(void *closure, const unsigned char *data, unsigned int length) {
    g_byte_array_append(closure, data, length);
    return CAIRO_STATUS_SUCCESS;
}

// A white PNG with a black right half; `px_per_m` 0: without a scale.
static GByteArray *make_png(int width, int height, uint32_t px_per_m, bool marks) {
    cairo_surface_t *surface = cairo_image_surface_create(CAIRO_FORMAT_ARGB32, width, height);
    cairo_t *cairo = cairo_create(surface);
    if (!marks) {
        cairo_set_source_rgb(cairo, 1, 1, 1);
        cairo_paint(cairo);
    }
    cairo_set_source_rgb(cairo, 0, marks, 0);
    cairo_rectangle(cairo, width / 2, 0, width, height);
    cairo_fill(cairo);
    cairo_destroy(cairo);
    GByteArray *png = g_byte_array_new();
    cairo_surface_write_to_png_stream(surface, append, png);
    cairo_surface_destroy(surface);
    if (px_per_m > 0) {
        guint8 chunk[21] = {0, 0, 0, 9, 'p', 'H', 'Y', 's', 0, 0, 0, 0, 0, 0, 0, 0, 1};
        for (int i = 0; i < 4; i++) {
            chunk[8 + i] = chunk[12 + i] = (guint8)(px_per_m >> (24 - 8 * i));
        }
        uint32_t crc = 0xFFFFFFFFU;
        for (int i = 4; i < 17; i++) {
            crc ^= chunk[i];
            for (int bit = 0; bit < 8; bit++) {
                crc = crc & 1 ? crc >> 1 ^ 0xEDB88320U : crc >> 1;
            }
        }
        crc = ~crc;
        for (int i = 0; i < 4; i++) {
            chunk[17 + i] = (guint8)(crc >> (24 - 8 * i));
        }
        GByteArray *whole = g_byte_array_new();
        g_byte_array_append(whole, png->data, 33);
        g_byte_array_append(whole, chunk, sizeof chunk);
        g_byte_array_append(whole, png->data + 33, png->len - 33);
        g_byte_array_free(png, TRUE);
        png = whole;
    }
    return png;
}

START_TEST(a_png_has_its_scale_from_the_file_or_from_the_route) {
    GByteArray *png = make_png(400, 200, 2000, false);
    GError *error = NULL;
    cmo_sim_mat *mat = cmo_sim_mat_from_bytes("m.png", png->data, png->len, NULL, &error);
    ck_assert_ptr_nonnull(mat);
    ck_assert_double_eq_tol(cmo_sim_mat_width_mm(mat), 200, 1e-6);
    ck_assert_double_eq_tol(cmo_sim_mat_light(mat, 50, 50, 6), 1.0, 1e-3);
    ck_assert_double_eq_tol(cmo_sim_mat_light(mat, 150, 50, 6), 0.0, 1e-3);
    ck_assert_double_eq_tol(cmo_sim_mat_light(mat, 100, 50, 6), 0.5, 1e-2);
    cmo_sim_mat_free(mat);
    cmo_sim_mat_options options = {.width_mm = 100};
    mat = cmo_sim_mat_from_bytes("m.png", png->data, png->len, &options, &error);
    ck_assert_double_eq_tol(cmo_sim_mat_height_mm(mat), 50, 1e-6);
    cmo_sim_mat_free(mat);
    g_byte_array_free(png, TRUE);
}
END_TEST

// Evenly within the width, on either side and above: what is white then is what it was, in all.
START_TEST(soft_edges_rise_evenly_and_keep_the_light_and_the_marks) {
    static const char text[] = HEAD "<rect width='200' height='100' fill='#000'/>"
                                    "<rect class='line' x='100' y='20' width='40' height='60' "
                                    "fill='#fff'/></svg>";
    GError *error = NULL;
    cmo_sim_mat_options options = {.soft_mm = 3.0};
    cmo_sim_mat *soft = cmo_sim_mat_from_bytes("m", text, sizeof text - 1, &options, &error);
    cmo_sim_mat *sharp = from_svg(text);
    for (double x = 97.0; x <= 103.0; x += 0.5) {
        // Over half a pixel either way, as finely as a look can see.
        double ramp = fmin(fmax((x - 98.5) / 3.0, 0.0), 1.0);
        ck_assert_double_eq_tol(cmo_sim_mat_light(soft, x, 50, 0.5), ramp, 0.045);
        ck_assert_double_eq_tol(cmo_sim_mat_light(soft, 120, x - 80.0, 0.5), ramp, 0.045);
    }
    ck_assert_double_eq_tol(cmo_sim_mat_light(soft, 120, 50, 90),
                            cmo_sim_mat_light(sharp, 120, 50, 90), 1e-4);
    ck_assert_uint_eq(cmo_sim_mat_inside(soft, 100.3, 50), 1U << CMO_SIM_LINE);
    ck_assert_uint_eq(cmo_sim_mat_inside(soft, 99.7, 50), 0);
    cmo_sim_mat_free(soft);
    cmo_sim_mat_free(sharp);
}
END_TEST

START_TEST(marks_beside_a_png_are_read_by_colour) {
    char *folder = g_dir_make_tmp("cammino-XXXXXX", NULL);
    char *path = g_build_filename(folder, "m.png", NULL);
    char *marks_path = g_build_filename(folder, "m.marks.png", NULL);
    GByteArray *png = make_png(400, 200, 2000, false);
    GByteArray *marks = make_png(400, 200, 0, true);
    GByteArray *small = make_png(300, 200, 0, true);
    GError *error = NULL;
    ck_assert(g_file_set_contents(path, (char *)png->data, png->len, NULL));
    ck_assert(g_file_set_contents(marks_path, (char *)marks->data, marks->len, NULL));
    cmo_sim_mat *mat = cmo_sim_mat_load(path, NULL, &error);
    ck_assert_ptr_nonnull(mat);
    ck_assert_uint_eq(cmo_sim_mat_inside(mat, 150, 50), 1U << CMO_SIM_LINE);
    ck_assert_uint_eq(cmo_sim_mat_inside(mat, 50, 50), 0);
    cmo_sim_mat_free(mat);
    ck_assert(g_file_set_contents(marks_path, (char *)small->data, small->len, NULL));
    ck_assert_ptr_null(cmo_sim_mat_load(path, NULL, &error));
    ck_assert_ptr_nonnull(strstr(error->message, "must be a PNG of 400 x 200 pixels"));
    g_clear_error(&error);
    remove(path);
    remove(marks_path);
    remove(folder);
    g_byte_array_free(png, TRUE);
    g_byte_array_free(marks, TRUE);
    g_byte_array_free(small, TRUE);
    g_free(marks_path);
    g_free(path);
    g_free(folder);
}
END_TEST

// ------------------------------------------------------------------------------------- refusals --

START_TEST(a_file_that_is_no_mat_gets_one_line_that_says_why) {
    static const struct {
        const char *text;
        const char *says;
    } cases[] = {
        {"", "the file is empty"},
        {"hello", "not a sound SVG"},
        {"<svg \xff\xfe/>", "neither a PNG nor an SVG in UTF-8"},
        {"<svg xmlns='http://www.w3.org/2000/svg' width='10mm' height='10mm'><g>",
         "not a sound SVG"},
        {"<html/>", "not a sound SVG"},
        {"<svg xmlns='http://www.w3.org/2000/svg'/>", "does not say its true size"},
        {"<svg xmlns='http://www.w3.org/2000/svg' width='100' height='50'/>", "give its width"},
        {"<svg xmlns='http://www.w3.org/2000/svg' width='100%' height='50mm'/>", "give its width"},
        {"<svg xmlns='http://www.w3.org/2000/svg' width='1mm' height='50mm'/>", "less than 10 mm"},
        {"<svg xmlns='http://www.w3.org/2000/svg' width='0mm' height='0mm'/>", "less than 10 mm"},
        {"<svg xmlns='http://www.w3.org/2000/svg' width='1e9mm' height='50mm'/>",
         "at most 20000 mm"},
        {"<svg xmlns='http://www.w3.org/2000/svg' width='9m' height='50mm'/>", ""},
        {"<svg xmlns='http://www.w3.org/2000/svg' width='19999mm' height='19999mm'/>",
         "million pixels"},
        {HEAD "<rect width='9' height='9' style='filter:url(#f)'/></svg>", "it uses a filter"},
        {HEAD "<rect width='9' height='9' filter='blur(5px)'/></svg>", "it uses a filter"},
        {"<!DOCTYPE svg [<!ENTITY a 'b'>]>" HEAD "</svg>", "it declares entities"},
        {"\x89PNG\r\n\x1a\n", "not a sound PNG"},
        {"\x89PNG\r\n\x1a\nxxxxIHDRxxxxxxxxxxxxxxxxxxxxxxxxxxxx", "PNG"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        GError *error = NULL;
        cmo_sim_mat *mat =
            cmo_sim_mat_from_bytes("x.svg", cases[i].text, strlen(cases[i].text), NULL, &error);
        ck_assert_msg(mat == NULL && error != NULL, "case %zu", i);
        ck_assert_msg(g_str_has_prefix(error->message, "x.svg: "), "%s", error->message);
        ck_assert_ptr_null(strchr(error->message, '\n'));
        ck_assert_msg(strstr(error->message, cases[i].says) != NULL, "case %zu: %s", i,
                      error->message);
        g_clear_error(&error);
    }
    GError *error = NULL;
    ck_assert_ptr_null(cmo_sim_mat_load("/nowhere/mat.svg", NULL, &error));
    ck_assert_ptr_nonnull(strstr(error->message, "/nowhere/mat.svg: the mat cannot be read"));
    g_clear_error(&error);
    cmo_sim_mat_options fine = {.px_per_mm = 50};
    ck_assert_ptr_null(cmo_sim_mat_from_bytes("x", "<svg/>", 6, &fine, &error));
    ck_assert_ptr_nonnull(strstr(error->message, "0.25 to 10 px/mm"));
    g_clear_error(&error);
}
END_TEST

START_TEST(a_png_without_scale_cut_short_or_damaged_is_refused) {
    GByteArray *png = make_png(400, 200, 0, false);
    GError *error = NULL;
    ck_assert_ptr_null(cmo_sim_mat_from_bytes("m.png", png->data, png->len, NULL, &error));
    ck_assert_ptr_nonnull(strstr(error->message, "mat_width_mm"));
    g_clear_error(&error);
    cmo_sim_mat_options options = {.width_mm = 100};
    for (size_t cut = 8; cut < png->len - 12; cut += 37) {
        ck_assert_ptr_null(cmo_sim_mat_from_bytes("m.png", png->data, cut, &options, &error));
        g_clear_error(&error);
    }
    g_byte_array_free(png, TRUE);
}
END_TEST

static double half_dark(void *data, double x_mm, double y_mm, unsigned *marks) {
    (void)y_mm;
    bool dark = x_mm > *(const double *)data;
    *marks = dark ? 1U << CMO_SIM_LINE : 0;
    return dark ? 0.0 : 1.0;
}

// Share of a disc that lies to the left of its middle plus `off`.
static double share_left(double off, double radius) {
    double d = fmax(-1.0, fmin(1.0, off / radius));
    return 0.5 + (asin(d) + d * sqrt(1.0 - d * d)) / 3.141592653589793;
}

// Wherever the edge lies to the map's tiles, plain floor ends where the spot meets it.
START_TEST(a_spot_sees_an_edge_from_its_rim_on) {
    for (unsigned place = 0; place < 9; place++) {
        double edge = 60.0 + 0.5 * place;
        cmo_sim_mat *mat = cmo_sim_mat_from_function(120.0, 60.0, 2.0, half_dark, &edge);
        for (double spot = 3.0; spot <= 16.0; spot += 3.25) {
            for (double x = edge - 14.0; x <= edge + 14.0; x += 0.2) {
                ck_assert_double_eq_tol(cmo_sim_mat_light(mat, x, 30.0, spot),
                                        share_left(edge - x, 0.5 * spot), 0.03);
                bool inside = cmo_sim_mat_inside(mat, x, 30.0) >> CMO_SIM_LINE & 1U;
                ck_assert(fabs(x - edge) < 0.05 || inside == (x > edge));
            }
        }
        cmo_sim_mat_free(mat);
    }
}
END_TEST

int main(void) {
    const TTest *const tests[] = {a_spot_sees_an_edge_from_its_rim_on,
                                  luminance_is_taken_in_linear_light,
                                  x_goes_right_and_y_goes_up,
                                  marks_come_from_classes_of_elements_and_groups,
                                  a_mat_as_wide_as_the_docs_allow_is_drawn_in_tiles,
                                  light_and_mark_of_a_slanting_edge_agree,
                                  distances_to_the_nearest_edge_are_true_to_a_tenth,
                                  edges_of_bends_are_where_their_curves_have_them,
                                  soft_edges_rise_evenly_and_keep_the_light_and_the_marks,
                                  a_png_has_its_scale_from_the_file_or_from_the_route,
                                  marks_beside_a_png_are_read_by_colour,
                                  a_file_that_is_no_mat_gets_one_line_that_says_why,
                                  a_png_without_scale_cut_short_or_damaged_is_refused,
                                  NULL};
    return run_suite("mat", tests);
}
