// SPDX-License-Identifier: GPL-3.0-or-later
// Rank tests: they ask nothing of how values are distributed.
#ifndef LAB_RANKS_H
#define LAB_RANKS_H

typedef struct labi_shift {
    double shift, low, high; // with a confidence of 95 %
    double chance;           // of values that differ so, were there no difference
} labi_shift;

// Of paired differences: Wilcoxon's signed ranks.
labi_shift labi_shift_of_pairs(const double *difference, unsigned n);

// By how much the second ones are more: Mann and Whitney's ranks.
labi_shift labi_shift_of_two(const double *first, unsigned n, const double *second, unsigned m);

// Shares k of n and l of m: McNemar's test where `only` says in how many pairs just one of them has
// it, else Fisher's; the interval is Newcombe's.
labi_shift labi_shift_of_shares(unsigned k, unsigned n, unsigned l, unsigned m,
                                const unsigned *only);

#endif
