// SPDX-License-Identifier: GPL-3.0-or-later
// What the reading of a route's legs and of their rules share.
#ifndef LAB_ROUTE_READING_H
#define LAB_ROUTE_READING_H

#include "legs.h"
#include "route_staged.h"

// `go_to` may name a leg that comes later.
typedef struct labi_pending {
    unsigned leg, rule;
    char *name, *file;
    int line;
} labi_pending;

typedef struct labi_reading {
    yaml_reader *reader;
    lab_route *route;
    GArray *pending;    // of labi_pending
    const char *source; // the file; NULL: the route's own
    unsigned includes, deep;
} labi_reading;

// The number of the leg of that name, or of the first one of the group; below 0: there is none.
int labi_leg_named(const lab_route *route, const char *name);

// Reads `follow` and `expect` of the leg that comes next.
bool labi_read_rules(const labi_reading *r, const yaml_node_t *node, const char *path,
                     lab_leg *leg);

// Where `go_to` leads, once all names are known.
bool labi_resolve_rules(const labi_reading *r);

#endif
