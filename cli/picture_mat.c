// SPDX-License-Identifier: GPL-3.0-or-later
// The mat from above: the robot's path, its outline at start and rest, crossings, what it aimed at.
#include "canvas.h"

#include <math.h>

typedef struct pose {
    double x_mm, y_mm, heading_deg;
} pose;

// -------------------------------------------------------------------------------------- rows --

static pose pose_of(const lab_row *row, bool truth) {
    if (truth && row->has_truth) {
        return (pose){row->true_x_mm, row->true_y_mm, row->true_heading_deg};
    }
    return (pose){(double)row->robot.x_mm, (double)row->robot.y_mm, (double)row->robot.heading_deg};
}

static guint leg_end(const GArray *rows, guint start) {
    guint end = start;
    while (end < rows->len && canvas_row(rows, end)->leg == canvas_row(rows, start)->leg) {
        end++;
    }
    return end;
}

// -------------------------------------------------------------------------------------- robot --

static void trace_path(const canvas *c, const GArray *rows, guint start, guint end, bool truth) {
    cairo_new_path(c->cairo);
    for (guint i = start; i < end; i++) {
        pose at = pose_of(canvas_row(rows, i), truth);
        cairo_line_to(c->cairo, px(c, at.x_mm), py(c, at.y_mm));
    }
}

static void draw_path(const canvas *c, const GArray *rows, guint start, guint end) {
    cairo_t *cairo = c->cairo;
    cairo_set_line_join(cairo, CAIRO_LINE_JOIN_ROUND);
    cairo_set_line_cap(cairo, CAIRO_LINE_CAP_ROUND);
    trace_path(c, rows, start, end, true);
    cairo_set_source_rgba(cairo, 1.0, 1.0, 1.0, 0.85);
    cairo_set_line_width(cairo, 6.0);
    cairo_stroke_preserve(cairo);
    canvas_colour(cairo, canvas_leg_colour(canvas_row(rows, start)->leg), 1.0);
    cairo_set_line_width(cairo, 3.0);
    cairo_stroke(cairo);
    if (canvas_by_odometry(canvas_row(rows, start))) {
        static const double dashes[] = {2.0, 5.0};
        trace_path(c, rows, start, end, false);
        cairo_set_dash(cairo, dashes, 2, 0.0);
        cairo_set_source_rgb(cairo, 0.05, 0.05, 0.05);
        cairo_set_line_width(cairo, 1.6);
        cairo_stroke(cairo);
        cairo_set_dash(cairo, NULL, 0, 0.0);
    }
}

static void enter_pose(const canvas *c, pose at) {
    cairo_save(c->cairo);
    cairo_translate(c->cairo, px(c, at.x_mm), py(c, at.y_mm));
    cairo_rotate(c->cairo, -at.heading_deg * G_PI / 180.0);
    cairo_scale(c->cairo, c->scale, -c->scale); // now in mm, x ahead, y to the left
}

typedef enum look { LOOK_START, LOOK_GHOST, LOOK_REST } look;

static void draw_robot(const canvas *c, pose at, const double colour[3], look how) {
    static const double dashes[] = {8.0, 5.0};
    const lab_robot *robot = c->route->robot;
    const lab_outline *o = &robot->outline;
    cairo_t *cairo = c->cairo;
    enter_pose(c, at);
    double width = o->left_mm + o->right_mm;
    double nose = MIN(0.22 * width, 0.5 * o->front_mm);
    cairo_new_path(cairo);
    cairo_move_to(cairo, -o->back_mm, o->left_mm);
    cairo_line_to(cairo, o->front_mm - nose, o->left_mm);
    cairo_line_to(cairo, o->front_mm, o->left_mm - nose);
    cairo_line_to(cairo, o->front_mm, -o->right_mm + nose);
    cairo_line_to(cairo, o->front_mm - nose, -o->right_mm);
    cairo_line_to(cairo, -o->back_mm, -o->right_mm);
    cairo_close_path(cairo);
    double shown = how == LOOK_GHOST ? 0.4 : 1.0;
    cairo_set_source_rgba(cairo, 1.0, 1.0, 1.0, how == LOOK_REST ? 0.14 : 0.08);
    cairo_fill_preserve(cairo);
    cairo_set_line_width(cairo, 1.8 / c->scale);
    double scaled[2] = {dashes[0] / c->scale, dashes[1] / c->scale};
    cairo_set_dash(cairo, scaled, how == LOOK_START ? 2 : 0, 0.0);
    canvas_colour(cairo, colour, 0.95 * shown);
    cairo_stroke(cairo);
    cairo_set_dash(cairo, NULL, 0, 0.0);
    double half = 0.5 * (double)robot->description.track_mm;
    double tyre = robot->plant.wheel_width_mm;
    cairo_rectangle(cairo, -16.0, half - 0.5 * tyre, 32.0, tyre);
    cairo_rectangle(cairo, -16.0, -half - 0.5 * tyre, 32.0, tyre);
    canvas_colour(cairo, colour, 0.75 * shown);
    cairo_fill(cairo);
    for (unsigned i = 0; i < robot->description.lights; i++) {
        const cmo_light_description *light = &robot->description.light[i];
        cairo_new_sub_path(cairo);
        cairo_arc(cairo, (double)light->ahead_mm, (double)light->left_mm, 4.0, 0.0, 2.0 * G_PI);
    }
    cairo_fill(cairo);
    cairo_restore(cairo);
}

// Lines that were counted, with their numbers where they were met; crossed out what was none.
static void draw_counted(const canvas *c, const lab_leg_result *leg) {
    for (guint i = 0; leg->counted != NULL && i < leg->counted->len; i++) {
        const lab_counted *line = &g_array_index(leg->counted, lab_counted, i);
        if (isnan(line->x_mm)) {
            continue;
        }
        char *text = g_strdup_printf("%u", line->robot.number);
        double x = px(c, line->x_mm);
        double y = py(c, line->y_mm);
        cairo_new_path(c->cairo);
        cairo_arc(c->cairo, x, y, 10.0, 0.0, 2.0 * G_PI);
        cairo_set_source_rgba(c->cairo, 1.0, 1.0, 1.0, 0.95);
        cairo_fill_preserve(c->cairo);
        canvas_colour(c->cairo, canvas_leg_colour(leg->number), 1.0);
        cairo_set_line_width(c->cairo, 1.8);
        cairo_stroke(c->cairo);
        canvas_text(c->cairo, x - 0.5 * canvas_text_width(c->cairo, text), y + 4.5, 12.0, true,
                    text);
        g_free(text);
    }
    for (guint i = 0; leg->passed != NULL && i < leg->passed->len; i++) {
        const lab_passed *passed = &g_array_index(leg->passed, lab_passed, i);
        canvas_cross(c->cairo, px(c, passed->x_mm), py(c, passed->y_mm),
                     canvas_leg_colour(leg->number));
    }
}

// What a ghost is, ahead of it, readable over whatever lies there.
static void name_ghost(const canvas *c, pose at, unsigned leg, bool crossed) {
    cairo_t *cairo = c->cairo;
    const char *name = crossed ? "crossed" : "turns";
    double turn = at.heading_deg * G_PI / 180.0;
    double away = c->route->robot->outline.front_mm + 14.0;
    cairo_set_font_size(cairo, 12.0);
    double width = canvas_text_width(cairo, name);
    double x = px(c, at.x_mm + away * cos(turn)) - (cos(turn) < 0.0 ? width : 0.0);
    double y = py(c, at.y_mm + away * sin(turn)) + (crossed ? -6.0 : 12.0);
    cairo_set_source_rgba(cairo, 1.0, 1.0, 1.0, 0.8);
    cairo_rectangle(cairo, x - 2.0, y - 11.0, width + 4.0, 14.0);
    cairo_fill(cairo);
    canvas_colour(cairo, canvas_leg_colour(leg), 1.0);
    canvas_text(cairo, x, y, 12.0, false, name);
}

// Squaring, stage by stage: where both sensors had crossed, and where it began to turn.
static void draw_ghosts(const canvas *c, const GArray *rows, guint start, guint end) {
    bool seen[CMO_STAGES] = {false};
    for (guint i = start + 1; i < end; i++) {
        const lab_row *row = canvas_row(rows, i);
        uint8_t stage = row->robot.stage;
        bool told = stage == CMO_STAGE_BRAKE || stage == CMO_STAGE_RETURN;
        if (row->robot.routine != CMO_ROUTINE_SQUARE_ON_LINE || !told || seen[stage]) {
            continue;
        }
        seen[stage] = true;
        pose at = pose_of(row, true);
        draw_robot(c, at, canvas_leg_colour(row->leg), LOOK_GHOST);
        name_ghost(c, at, row->leg, stage == CMO_STAGE_BRAKE);
    }
}

// ----------------------------------------------------------------------------------- crossing --

// The edge that the leg should have ended on, and the true crossing.
static void draw_target(const canvas *c, const lab_target *target) {
    if (!target->found) {
        return;
    }
    const cmo_sim_crossing *crossing = &target->crossing;
    double half = 95.0;
    cairo_t *cairo = c->cairo;
    cairo_new_path(cairo);
    cairo_move_to(cairo, px(c, crossing->x_mm - half * target->normal_y),
                  py(c, crossing->y_mm + half * target->normal_x));
    cairo_line_to(cairo, px(c, crossing->x_mm + half * target->normal_y),
                  py(c, crossing->y_mm - half * target->normal_x));
    cairo_set_line_cap(cairo, CAIRO_LINE_CAP_BUTT);
    canvas_stroke_on_white(cairo, canvas_aim_colour, 2.6);
    canvas_ring(c, crossing->x_mm, crossing->y_mm);
}

// Without the run's own results: where the trace's latched crossing was, between the spots.
static void draw_latched(const canvas *c, const GArray *rows, guint start, guint end) {
    double crossing = (double)canvas_row(rows, end - 1)->robot.crossing_mm;
    const cmo_robot_description *d = &c->route->robot->description;
    if (!isfinite(crossing) || d->lights == 0) {
        return;
    }
    for (guint i = start; i < end; i++) {
        if ((double)canvas_row(rows, i)->robot.way_mm >= crossing) {
            pose at = pose_of(canvas_row(rows, i), true);
            double heading = at.heading_deg * G_PI / 180.0;
            double ahead =
                (double)d->light[0].ahead_mm + crossing - (double)canvas_row(rows, i)->robot.way_mm;
            canvas_ring(c, at.x_mm + ahead * cos(heading), at.y_mm + ahead * sin(heading));
            return;
        }
    }
}

static void draw_number(const canvas *c, const GArray *rows, guint start, guint end) {
    cairo_t *cairo = c->cairo;
    pose first = pose_of(canvas_row(rows, start), true);
    pose last = pose_of(canvas_row(rows, end - 1), true);
    pose middle = pose_of(canvas_row(rows, (start + end) / 2), true);
    double dx = last.x_mm - first.x_mm;
    double dy = last.y_mm - first.y_mm;
    double way = sqrt(dx * dx + dy * dy);
    double x, y;
    if (way > 30.0) { // beside the middle of its path, to the left
        x = px(c, 0.5 * (first.x_mm + last.x_mm)) - 17.0 * dy / way;
        y = py(c, 0.5 * (first.y_mm + last.y_mm)) - 17.0 * dx / way;
    } else { // a turn: outside of it, on the side that it turns away from
        double heading = 0.5 * (first.heading_deg + last.heading_deg) * G_PI / 180.0;
        double away = c->route->robot->outline.back_mm * 1.25;
        x = px(c, middle.x_mm - away * cos(heading));
        y = py(c, middle.y_mm - away * sin(heading));
    }
    char text[16];
    g_snprintf(text, sizeof text, "%u", canvas_row(rows, start)->leg);
    cairo_new_path(cairo);
    cairo_arc(cairo, x, y, 11.0, 0.0, 2.0 * G_PI);
    canvas_colour(cairo, canvas_leg_colour(canvas_row(rows, start)->leg), 1.0);
    cairo_fill_preserve(cairo);
    cairo_set_source_rgb(cairo, 1.0, 1.0, 1.0);
    cairo_set_line_width(cairo, 1.5);
    cairo_stroke(cairo);
    cairo_select_font_face(cairo, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_BOLD);
    cairo_set_font_size(cairo, 13.0);
    canvas_text(cairo, x - 0.5 * canvas_text_width(cairo, text), y + 4.7, 13.0, true, text);
}

// ------------------------------------------------------------------------------------- around --

static void draw_title(const canvas *c, const GArray *rows, const lab_run *run) {
    double seconds = rows->len > 0 ? canvas_row(rows, rows->len - 1)->robot.run_us / 1e6 : 0.0;
    char *name = g_path_get_basename(c->route->path);
    char *text = run != NULL
                     ? g_strdup_printf("%s, seed %" G_GUINT64_FORMAT ": %s after %.1f s", name,
                                       (guint64)run->seed, cmo_outcome_name(run->outcome), seconds)
                     : g_strdup_printf("%s: %.1f s", name, seconds);
    canvas_title(c, text);
    g_free(text);
    g_free(name);
}

typedef struct drawn {
    const GArray *rows;
    const lab_run *run;
} drawn;

static void draw_all(const canvas *c, void *data) {
    const GArray *rows = ((const drawn *)data)->rows;
    const lab_run *run = ((const drawn *)data)->run;
    static const double grey[3] = {0.25, 0.25, 0.25};
    if (rows->len > 0) {
        draw_robot(c, pose_of(canvas_row(rows, 0), true), grey, LOOK_START);
    }
    for (guint start = 0, end; start < rows->len; start = end) {
        end = leg_end(rows, start);
        draw_robot(c, pose_of(canvas_row(rows, end - 1), true),
                   canvas_leg_colour(canvas_row(rows, start)->leg), LOOK_REST);
    }
    bool edges = canvas_edges(c, rows);
    for (guint start = 0, end; start < rows->len; start = end) {
        end = leg_end(rows, start);
        draw_path(c, rows, start, end);
        if (run == NULL) {
            draw_latched(c, rows, start, end);
        }
    }
    for (guint start = 0, end; start < rows->len; start = end) { // over all paths
        end = leg_end(rows, start);
        draw_ghosts(c, rows, start, end);
    }
    if (run != NULL) {
        canvas_patrols(c, rows, run);
    }
    for (guint i = 0; run != NULL && i < run->legs->len; i++) {
        draw_target(c, &g_array_index(run->legs, lab_leg_result, i).target);
        draw_counted(c, &g_array_index(run->legs, lab_leg_result, i));
    }
    for (guint start = 0, end; start < rows->len; start = end) {
        end = leg_end(rows, start);
        if (canvas_row(rows, start)->leg > 0) {
            draw_number(c, rows, start, end);
        }
    }
    canvas_legend(c, rows, run, edges);
    draw_title(c, rows, run);
}

bool cli_draw_mat(const lab_route *route, const GArray *rows, const lab_run *run,
                  const cli_picture *picture, GError **error) {
    drawn what = {rows, run};
    return canvas_picture(route, picture->path, draw_all, &what, error);
}
