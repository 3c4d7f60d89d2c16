// SPDX-License-Identifier: GPL-3.0-or-later
// The countdown, on paper.
#include "support.h"

static int events[16];
static unsigned heard;

static void hear(void *context, const cmo_event *event) {
    (void)context;
    if (event->kind == CMO_EVENT_COUNTDOWN && heard < 16) {
        events[heard++] = event->value;
    }
}

START_TEST(the_countdown_begins_with_the_button) {
    paper_port paper;
    start_paper(&paper, CMO_TRAIT_ENCODERS | CMO_TRAIT_SPEED | CMO_TRAIT_BRAKE | CMO_TRAIT_START);
    paper.port.notify = hear;
    heard = 0;
    cmo_robot robot;
    ck_assert_int_eq(cmo_robot_start(&robot, &plain_robot, &paper.port), CMO_OUTCOME_DONE);
    cmo_countdown_state state;
    cmo_countdown_parameters five = {.seconds = 5};
    ck_assert_int_eq(cmo_countdown_start(&robot, &state, &five), CMO_RUNNING);
    for (int i = 0; i < 100; i++) {
        ck_assert_int_eq(cmo_tick(&robot), CMO_RUNNING);
        paper.clock_us += 10000;
    }
    ck_assert_uint_eq(heard, 0);
    paper.sample.have |= CMO_HAVE_BUTTONS;
    paper.sample.start = true;
    uint32_t pressed = paper.clock_us;
    cmo_outcome outcome;
    do {
        outcome = cmo_tick(&robot);
        paper.sample.start = false;
        paper.clock_us += 10000;
    } while (outcome == CMO_RUNNING);
    ck_assert_int_eq(outcome, CMO_OUTCOME_DONE);
    ck_assert_uint_eq((paper.clock_us - pressed) / 100000, 50);
    ck_assert_uint_eq(heard, 5);
    for (int i = 0; i < 5; i++) {
        ck_assert_int_eq(events[i], 5 - i);
    }
    ck_assert_uint_eq(paper.drives, 0);
    // Nobody presses.
    cmo_countdown_parameters brief = {.longest_ms = 200};
    ck_assert_int_eq(cmo_countdown(&robot, &brief), CMO_OUTCOME_TIME_OVER);
    cmo_countdown_parameters bad = {.seconds = 601};
    ck_assert_int_eq(cmo_countdown_start(&robot, &state, &bad), CMO_OUTCOME_BAD_PARAMETER);
    paper.port.traits &= (uint16_t)~CMO_TRAIT_START;
    ck_assert_int_eq(cmo_countdown_start(&robot, &state, &five), CMO_OUTCOME_NOT_SUPPORTED);
    ck_assert_str_eq(robot.field, "start");
}
END_TEST

int main(void) {
    const TTest *const tests[] = {the_countdown_begins_with_the_button, NULL};
    return run_suite("countdown", tests);
}
