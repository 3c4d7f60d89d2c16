// SPDX-License-Identifier: MIT
/**
 * @file action.h
 * Action: a routine of the user's own, as a lift, a gripper, or a wait.
 */
#ifndef CAMMINO_ACTION_H
#define CAMMINO_ACTION_H

#include <cammino/robot.h>

#ifdef __cplusplus
extern "C" {
#endif

/** Called once per tick; true means done. */
typedef bool (*cmo_action_function)(cmo_robot *robot, void *context);

typedef struct cmo_action_parameters {
    cmo_action_function function; /**< must be given */
    void *context;                /**< handed to it */
    uint32_t longest_ms;          /**< 1..600000; default: 10000 */
} cmo_action_parameters;

typedef struct cmo_action_state cmo_action_state;

/** Outcomes: done, once the function says so; and what can end any routine. */
cmo_outcome cmo_action_start(cmo_robot *robot, cmo_action_state *state,
                             const cmo_action_parameters *parameters);
cmo_outcome cmo_action(cmo_robot *robot, const cmo_action_parameters *parameters);

struct cmo_action_state {
    cmo_routine routine;
    cmo_action_parameters parameters;
};

#ifdef __cplusplus
}
#endif

#endif
