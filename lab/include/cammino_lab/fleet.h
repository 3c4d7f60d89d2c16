// SPDX-License-Identifier: GPL-3.0-or-later
/**
 * @file fleet.h
 * A fleet: simulated robots that differ in kind. docs/formats.md describes its file.
 *
 * Each seed is another robot. What the file does not state of its drive and its levels is measured
 * on the simulated robot, as its user would: by counts and looks alone.
 */
#ifndef CAMMINO_LAB_FLEET_H
#define CAMMINO_LAB_FLEET_H

#include <cammino_lab/files.h>

G_BEGIN_DECLS

/** Reads a fleet file. NULL on error. */
lab_fleet *lab_fleet_load(const char *path, GError **error);
lab_fleet *lab_fleet_from_bytes(const char *name, const char *bytes, size_t size, GError **error);
void lab_fleet_free(lab_fleet *fleet);

/** Reads a file that is a robot or a fleet, and sets the one that it is; the other one is NULL. */
bool lab_load_robot(const char *path, lab_robot **robot, lab_fleet **fleet, GError **error);

/** Whether any of its robots may see colour. */
bool lab_fleet_may_see_colour(const lab_fleet *fleet);

const char *lab_fleet_name(const lab_fleet *fleet);

/** The parts by which its robots differ in kind, and the kinds of each. */
unsigned lab_fleet_parts(const lab_fleet *fleet);
const char *lab_fleet_part(const lab_fleet *fleet, unsigned part);
unsigned lab_fleet_kinds(const lab_fleet *fleet, unsigned part);
const char *lab_fleet_kind(const lab_fleet *fleet, unsigned part, unsigned kind);

/** Of which kind a seed's robot is in a part. */
unsigned lab_fleet_kind_of(const lab_fleet *fleet, unsigned part, uint64_t seed);

/** The floor on which levels are taken: that of the mat at a place, and its nearest marked line; a
 *  dark one where it has none. Without: a white floor and a black line. */
void lab_fleet_stand_on(lab_fleet *fleet, const cmo_sim_mat *mat, double x_mm, double y_mm);

/**
 * One of its robots, described; `robot->kind` says of which kind each of its parts is. The fleet
 * must outlive it. May be called from several threads at once. NULL where the seed's draws do not
 * go together.
 */
lab_robot *lab_fleet_robot(const lab_fleet *fleet, uint64_t seed, GError **error);

G_END_DECLS

#endif
