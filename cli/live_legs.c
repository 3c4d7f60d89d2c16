// SPDX-License-Identifier: GPL-3.0-or-later
// The legs of a run in the terminal: those that are over, and the one that runs.
#include "live.h"

// How many legs are over by now.
static guint legs_over(const lab_run *run, double now_s) {
    guint over = 0;
    while (over < run->legs->len &&
           g_array_index(run->legs, lab_leg_result, over).end_ms <= 1000.0 * now_s + 0.5) {
        over++;
    }
    return over;
}

static void draw_leg_over(const lab_route *route, const lab_leg_result *leg, int line) {
    bool done = leg->outcome == CMO_OUTCOME_DONE;
    bool by = done && leg->report.by != CMO_BY_ITSELF;
    mvprintw(line, 1, "%2u %-14.14s ", leg->number, lab_leg_called(&route->leg[leg->number - 1]));
    attron(COLOR_PAIR(done ? PAINT_GOOD : PAINT_BAD));
    printw("%-11.11s", by ? cmo_by_name((cmo_by)leg->report.by) : cmo_outcome_name(leg->outcome));
    attroff(COLOR_PAIR(done ? PAINT_GOOD : PAINT_BAD));
    if (leg->truth.known & LAB_FIGURE_BIT(CMO_REST_ERROR_MM)) {
        printw(" %.1f mm", leg->truth.value[CMO_REST_ERROR_MM]);
    }
}

void cli_live_legs(const lab_route *route, const lab_run *run, const lab_row *row, double now_s) {
    guint over = legs_over(run, now_s);
    guint shown = MIN(over, 3);
    for (guint i = 0; i < shown; i++) {
        draw_leg_over(route, &g_array_index(run->legs, lab_leg_result, over - shown + i),
                      LIVE_LEGS_TOP + (int)i);
    }
    if (over == run->legs->len || row->leg == 0 || row->leg > route->legs) {
        return;
    }
    const lab_leg *leg = &route->leg[row->leg - 1];
    const lab_leg_result *runs = &g_array_index(run->legs, lab_leg_result, over);
    int line = LIVE_LEGS_TOP + (int)shown;
    attron(A_BOLD);
    mvprintw(line++, 1, "%2u %-14.14s", row->leg, lab_leg_called(leg));
    attroff(A_BOLD);
    const lab_group *group = lab_group_of(route, row->leg - 1);
    if (group != NULL && group->rounds != 0) {
        printw(" round %u of %u", runs->round, group->rounds);
    } else if (group != NULL) {
        printw(" round %u", runs->round);
    }
    char *ends = lab_ends_text(&leg->ends);
    char *of_group = group != NULL ? lab_ends_text(&group->ends) : g_strdup("");
    char *follow = lab_follow_text(route, row->leg - 1);
    if (*ends != '\0') {
        mvprintw(line++, 4, "ends: %.*s", LIVE_LEGS_COLUMNS - 10, ends);
    }
    if (*of_group != '\0' && line < LIVE_LEGS_LAST) {
        mvprintw(line++, 4, "group ends: %.*s", LIVE_LEGS_COLUMNS - 16, of_group);
    }
    if (*follow != '\0' && line <= LIVE_LEGS_LAST) {
        mvprintw(line++, 4, "%.*s", LIVE_LEGS_COLUMNS - 4, follow);
    }
    if (row->leg < route->legs && line <= LIVE_LEGS_LAST) {
        mvprintw(line, 4, "then %u %.*s", row->leg + 1, LIVE_LEGS_COLUMNS - 12,
                 lab_leg_called(&route->leg[row->leg]));
    }
    g_free(follow);
    g_free(of_group);
    g_free(ends);
}
