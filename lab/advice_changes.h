// SPDX-License-Identifier: GPL-3.0-or-later
// What an experienced person would think of changing.
#ifndef LAB_ADVICE_CHANGES_H
#define LAB_ADVICE_CHANGES_H

#include <cammino_lab/advice.h>

// Adds the changes that are worth a try, by what the route came to; none of them has been tried.
void labi_advice_changes(lab_advice *advice, const lab_route *route, const lab_results *results);

#endif
