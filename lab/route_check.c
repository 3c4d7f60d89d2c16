// SPDX-License-Identifier: GPL-3.0-or-later
// Whether a route makes sense as a whole, before it moves.
#include <cammino_lab/run.h>

#include "legs.h"
#include "surfaces.h"

#include <math.h>
#include <stdarg.h>

void labi_set_levels(cmo_robot *robot, const lab_robot *described) {
    for (uint8_t i = 0; i < described->description.lights; i++) {
        if (described->has_levels[i]) {
            cmo_robot_set_levels(robot, i, &described->levels[i]);
        }
    }
}

static uint32_t no_clock(void *context) {
    (void)context;
    return 0;
}

static cmo_status no_sample(void *context, cmo_sample *sample) {
    (void)context;
    (void)sample;
    return CMO_NOT_YET;
}

static cmo_status no_drive(void *context, float left, float right, uint32_t lifetime_us) {
    (void)context;
    (void)left;
    (void)right;
    (void)lifetime_us;
    return CMO_OK;
}

static cmo_status no_halt(void *context, cmo_halt how) {
    (void)context;
    (void)how;
    return CMO_OK;
}

// What is wrong with a leg, or with a key of it; "" for the leg itself.
static void wrong_leg(const lab_route *route, unsigned number, const char *key, GError **error,
                      const char *format, ...) G_GNUC_PRINTF(5, 6);
static void wrong_leg(const lab_route *route, unsigned number, const char *key, GError **error,
                      const char *format, ...) {
    const lab_leg *leg = &route->leg[number];
    va_list arguments;
    va_start(arguments, format);
    char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s:%d: legs[%u]%s%s: %s",
                leg->file != NULL ? leg->file : route->path, leg->line, number + 1,
                *key != '\0' ? "." : "", key, text);
    g_free(text);
}

// What core answers about the route as a whole: where that stands in a route file, and in its
// words.
typedef struct whole_answer {
    const char *field, *where, *text;
} whole_answer;

static const whole_answer *whole_answer_to(const char *field) {
    static const whole_answer answers[] = {
        {"times", "follow.times", "has no end: say how many times"},
        {"rounds", "group.rounds", "has no end: say how many, or give the group ends"},
        {"go_to", "follow.go_to", "leads into a group; its first leg or its name would do"},
        {"ends", "group.ends",
         "counts ways or turns of a group; of a group time, range, touch, button and lines"},
        {"follow", "follow",
         "too many rules with a number of times in the route; " G_STRINGIFY(
             CMO_COUNTED_RULES) " at most"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(answers); i++) {
        if (g_strcmp0(field, answers[i].field) == 0) {
            return &answers[i];
        }
    }
    return NULL;
}

// The key that core has refused, as the file has it: of the leg's ends, or of its routine.
static const char *owner_of(const lab_leg *leg, cmo_robot *robot, const char *field) {
    cmo_ends_state state;
    bool of_ends = leg->ended && cmo_end_on(robot, &state, &leg->ends) != CMO_OUTCOME_DONE &&
                   g_strcmp0(robot->field, field) == 0;
    return of_ends ? "ends" : cmo_routine_name(leg->routine);
}

static void refuse_leg(const lab_route *route, unsigned number, cmo_robot *robot,
                       cmo_outcome outcome, GError **error) {
    const lab_leg *leg = &route->leg[number];
    const char *field = robot->field;
    double limit = (double)robot->limit;
    const whole_answer *whole = whole_answer_to(field);
    if (whole != NULL) {
        wrong_leg(route, number, whole->where, error, "%s", whole->text);
        return;
    }
    char *where = g_strdup_printf("%s.%s", owner_of(leg, robot, field), field);
    bool follows = leg->routine == CMO_ROUTINE_FOLLOW_EDGE;
    bool astride = follows && leg->parameters.follow_edge.edge == CMO_LINE_BOTH;
    if (astride && strcmp(field, "width_mm") == 0) {
        wrong_leg(route, number, where, error,
                  "astride, with edge: both, the line's width is needed, and not far from the %.4g "
                  "mm that the sensors are apart; or follow one edge",
                  limit);
    } else if (astride && strcmp(field, "across") == 0) {
        wrong_leg(route, number, where, error,
                  "both sensors are amid so wide a line anyway; with one edge it can end there");
    } else if (astride && strcmp(field, "fork") == 0) {
        wrong_leg(route, number, where, error, "forks are passed by along one edge, left or right");
    } else if (follows && strcmp(field, "gap_mm") == 0) {
        wrong_leg(route, number, where, error,
                  "gaps and forks cannot both be passed; leave out gap_mm or fork: pass");
    } else if (follows && strcmp(field, "distance_of") == 0) {
        wrong_leg(route, number, where, error, "no way is given; distance_mm says how far");
    } else if (astride && strcmp(field, "sensor") == 0) {
        wrong_leg(route, number, where, error, "edge: both takes both; leave it out");
    } else if (outcome == CMO_OUTCOME_NOT_SUPPORTED) {
        wrong_leg(route, number, where, error, "the robot does not have this");
    } else if (outcome == CMO_OUTCOME_TOO_FAST) {
        wrong_leg(route, number, where, error,
                  "too fast: a line could be missed, or a table's edge overrun; %.4g would do, or "
                  "too_fast: slow",
                  floor(limit));
    } else if (strcmp(field, "places_mm") == 0) {
        wrong_leg(
            route, number, where, error,
            "must begin with 0 and go up, each by 10 mm at least, without a spacing_mm beside");
    } else if (isnan(limit)) {
        wrong_leg(route, number, where, error, "makes no sense");
    } else {
        wrong_leg(route, number, where, error, "makes no sense for this robot; %.4g would do",
                  limit);
    }
    g_free(where);
}

static bool ends_moving(const lab_leg *leg) {
    cmo_line_parameters line;
    return (leg->ended && leg->ends.ending == CMO_END_MOVING) ||
           (leg->routine == CMO_ROUTINE_ADVANCE &&
            leg->parameters.advance.ending == CMO_END_MOVING) ||
           (leg->routine == CMO_ROUTINE_FOLLOW_EDGE &&
            leg->parameters.follow_edge.ending == CMO_END_MOVING) ||
           (lab_leg_line(leg, &line) && line.ending == CMO_END_MOVING);
}

// Goes ahead: from whatever speed it has at its start, and with one at its end.
static bool takes_over(const lab_leg *leg) {
    cmo_line_parameters line;
    return (leg->routine == CMO_ROUTINE_ADVANCE && leg->parameters.advance.distance_mm > 0.0F) ||
           lab_leg_line(leg, &line) || leg->routine == CMO_ROUTINE_STAY_INSIDE ||
           leg->routine == CMO_ROUTINE_FOLLOW_EDGE;
}

// What ends moving needs a leg behind it that goes on, and has the room to slow down in.
static bool check_over(const lab_route *route, unsigned number, GError **error) {
    const lab_leg *leg = &route->leg[number];
    const lab_leg *next = &route->leg[number + 1];
    if (!ends_moving(leg)) {
        return true;
    }
    bool backward = leg->routine == CMO_ROUTINE_ADVANCE && next->routine == CMO_ROUTINE_ADVANCE &&
                    leg->parameters.advance.distance_mm < 0.0F &&
                    next->parameters.advance.distance_mm < 0.0F;
    if (!takes_over(leg) && !backward) {
        wrong_leg(route, number, "", error, "%s ends at a standstill; ending: halted would do",
                  cmo_routine_name(leg->routine));
        return false;
    }
    if (!takes_over(next) && !backward) {
        wrong_leg(route, number, "", error,
                  "ends moving, and %s begins at a standstill; ending: halted would do",
                  cmo_routine_name(next->routine));
        return false;
    }
    double speed = labi_end_speed(route, number);
    double limit = labi_entry_speed(route, number + 1);
    if (leg->routine != CMO_ROUTINE_ADVANCE && speed > limit) { // an advance slows down for it
        wrong_leg(route, number, "", error,
                  "ends at %.4g mm/s, and %s has no room to slow down in; %.4g mm/s would do",
                  speed, cmo_routine_name(next->routine), limit);
        return false;
    }
    return true;
}

// Where the robot is as far as that can be said before it drives.
typedef struct reckoning {
    bool known;
    double x_mm, y_mm, heading_deg;
} reckoning;

static void reckon_leg(const lab_route *route, const lab_leg *leg, reckoning *at) {
    const double degree = G_PI / 180.0;
    if (leg->ended || leg->rules > 0) { // it may end elsewhere
        at->known = false;
    } else if (leg->routine == CMO_ROUTINE_ADVANCE) {
        at->x_mm += (double)leg->parameters.advance.distance_mm * cos(at->heading_deg * degree);
        at->y_mm += (double)leg->parameters.advance.distance_mm * sin(at->heading_deg * degree);
    } else if (leg->routine == CMO_ROUTINE_TURN) {
        at->heading_deg += (double)leg->parameters.turn.angle_deg;
    } else if (leg->routine != CMO_ROUTINE_ACTION && leg->routine != CMO_ROUTINE_COUNTDOWN) {
        at->known = false;
    }
    if (leg->stated && leg->routine != CMO_ROUTINE_FOLLOW_EDGE) { // on it, wherever along it
        cmo_stated_line place = leg->place;
        const cmo_count_lines_parameters *counts = &leg->parameters.count_lines;
        float way = cmo_counted_way_mm(counts->spacing_mm, leg->places_mm, (uint8_t)leg->places,
                                       counts->number);
        if (leg->routine == CMO_ROUTINE_COUNT_LINES) {
            place = cmo_counted_place(&place, way >= 0.0F ? way : 0.0F);
        }
        double heading = (double)place.heading_deg;
        double nx = cos(heading * degree);
        double ny = sin(heading * degree);
        double across = (at->x_mm - (double)place.x_mm) * nx +
                        (at->y_mm - (double)place.y_mm) * ny +
                        (double)route->robot->description.light[0].ahead_mm;
        at->x_mm -= across * nx;
        at->y_mm -= across * ny;
        at->heading_deg = heading;
        // Of one that counts all, nobody knows how many there are.
        bool counted = leg->routine != CMO_ROUTINE_COUNT_LINES || way >= 0.0F;
        at->known = leg->rules == 0 && counted;
    }
}

// A run that drives as it is stated stays on the mat, as far as can be said.
static bool check_place(const lab_route *route, unsigned number, const reckoning *at,
                        GError **error) {
    double width = cmo_sim_mat_width_mm(route->mat);
    double height = cmo_sim_mat_height_mm(route->mat);
    bool good = !at->known ||
                (at->x_mm >= 0.0 && at->x_mm <= width && at->y_mm >= 0.0 && at->y_mm <= height);
    if (!good) {
        wrong_leg(route, number, "", error,
                  "%s ends at (%.4g, %.4g), which is not on the mat; x 0 to %.6g, y 0 to %.6g mm",
                  cmo_routine_name(route->leg[number].routine), at->x_mm, at->y_mm, width, height);
    }
    return good;
}

static bool check_in_turn(const lab_route *route, GError **error) {
    reckoning at = {true, route->x_mm, route->y_mm, route->heading_deg};
    for (unsigned i = 0; i < route->legs; i++) {
        bool first = false;
        for (unsigned n = 0; n < route->groups; n++) { // the later rounds begin elsewhere
            first = first || route->group[n].first == i;
        }
        at.known = at.known && !first;
        reckon_leg(route, &route->leg[i], &at);
        if ((i + 1 < route->legs && !check_over(route, i, error)) ||
            !check_place(route, i, &at, error)) {
            return false;
        }
    }
    return true;
}

// Speeds of searches against their budgets, which hang on the description alone. A fleet's robots
// differ: there each says so by itself. What a patrol needs is told better when it is refused.
static bool check_speeds(const lab_route *route, cmo_robot *robot, labi_legs *legs,
                         GError **error) {
    cmo_line_parameters line;
    for (unsigned i = 0; i < route->legs && route->fleet == NULL; i++) {
        if (!lab_leg_line(&route->leg[i], &line)) {
            continue;
        }
        cmo_left_over none = {0.0F, 0.0F};
        robot->routine = NULL;
        const cmo_leg *leg = &legs->leg[i];
        if (leg->start(robot, legs->route.room, leg->parameters, &none) == CMO_OUTCOME_TOO_FAST) {
            refuse_leg(route, i, robot, CMO_OUTCOME_TOO_FAST, error);
            return false;
        }
    }
    return true;
}

bool lab_check(const lab_route *route, GError **error) {
    const lab_robot *described = route->robot;
    cmo_port port = {NULL, described->traits, no_clock, NULL, no_sample, no_drive, no_halt, NULL};
    cmo_robot robot;
    if (cmo_robot_start(&robot, &described->description, &port) != CMO_OUTCOME_DONE) {
        char *would = isnan(robot.limit) ? g_strdup("")
                                         : g_strdup_printf("; %.4g would do", (double)robot.limit);
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s: %s: makes no sense for this robot%s",
                    route->robot_path, robot.field, would);
        g_free(would);
        return false;
    }
    double width = cmo_sim_mat_width_mm(route->mat);
    double height = cmo_sim_mat_height_mm(route->mat);
    if (route->x_mm < 0.0 || route->x_mm > width || route->y_mm < 0.0 || route->y_mm > height) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                    "%s: start: (%.6g, %.6g) is not on the mat; x 0 to %.6g, y 0 to %.6g mm",
                    route->path, route->x_mm, route->y_mm, width, height);
        return false;
    }
    for (unsigned i = 0; i < route->legs; i++) {
        if (route->leg[i].routine == CMO_ROUTINE_STAY_INSIDE && route->region == NULL) {
            g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                        "%s: start: (%.4g, %.4g) stands on a boundary or off the floor; a place "
                        "inside would do",
                        route->path, route->x_mm, route->y_mm);
            return false;
        }
    }
    labi_set_levels(&robot, described);
    cmo_surfaces surfaces;
    labi_set_surfaces(&robot, &surfaces, route);
    labi_legs *legs = g_new0(labi_legs, 1);
    cmo_route_state state;
    labi_legs_make(legs, route);
    cmo_outcome outcome = cmo_route_start(&robot, &state, &legs->route);
    bool good = outcome == CMO_RUNNING;
    if (!good) {
        refuse_leg(route, state.leg, &robot, outcome, error);
    }
    good = good && check_speeds(route, &robot, legs, error);
    g_free(legs);
    return good && check_in_turn(route, error);
}
