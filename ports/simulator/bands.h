// SPDX-License-Identifier: MIT
// Work on a map's rows, shared among the processors: each row's is its own.
#ifndef CMO_SIM_BANDS_H
#define CMO_SIM_BANDS_H

typedef void (*cmi_sim_band_function)(void *data, int first, int end);

// Calls it for all rows, a band of them at a time, from several threads; returns when all are done.
void cmi_sim_in_bands(int rows, cmi_sim_band_function function, void *data);

#endif
