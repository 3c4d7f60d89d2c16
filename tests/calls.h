// SPDX-License-Identifier: GPL-3.0-or-later
// Calling the command as a user does.
#ifndef CALLS_H
#define CALLS_H

#include "support.h"

// What the last call printed, and a folder of the test's own.
extern char *out, *err, *folder;

void make_folder(void);
void remove_folder(void); // with its files
char *in_folder(const char *name);
void write_file(const char *name, const char *text); // into it

// The same of limits, from the entries on: limits.yaml.
void write_limits(const char *entries);

// A picture in it, an SVG, has all these words, up to NULL.
void check_picture_says(const char *name, const char *const *words);

// Calls `line` in the project's folder, where %s is the test's own folder; returns the status.
int call(const char *line);
#define CALL(arguments) call(COMMAND " " arguments)

#endif
