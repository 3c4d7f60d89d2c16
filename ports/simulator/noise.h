// SPDX-License-Identifier: MIT
// Random numbers: xoshiro256** (Blackman and Vigna, Scrambled Linear Pseudorandom Number
// Generators, 2021), seeded by splitmix64; integer arithmetic only, the same everywhere.
#ifndef CMO_SIM_NOISE_H
#define CMO_SIM_NOISE_H

#include <stdint.h>

typedef struct noise {
    uint64_t state[4];
} noise;

static inline uint64_t noise_rotate(uint64_t x, int by) {
    return x << by | x >> (64 - by);
}

static inline void noise_seed(noise *n, uint64_t seed) {
    for (int i = 0; i < 4; i++) {
        seed += 0x9E3779B97F4A7C15U;
        uint64_t z = seed;
        z = (z ^ z >> 30) * 0xBF58476D1CE4E5B9U;
        z = (z ^ z >> 27) * 0x94D049BB133111EBU;
        n->state[i] = z ^ z >> 31;
    }
}

static inline uint64_t noise_bits(noise *n) {
    uint64_t *s = n->state;
    uint64_t result = noise_rotate(s[1] * 5, 7) * 9;
    uint64_t t = s[1] << 17;
    s[2] ^= s[0];
    s[3] ^= s[1];
    s[1] ^= s[2];
    s[0] ^= s[3];
    s[2] ^= t;
    s[3] = noise_rotate(s[3], 45);
    return result;
}

// Even in 0..1.
static inline double noise_even(noise *n) {
    return (double)(noise_bits(n) >> 11) * 0x1p-53;
}

// Even in -1..1.
static inline double noise_spread(noise *n) {
    return 2.0 * noise_even(n) - 1.0;
}

// Normal with mean 0 and standard deviation 1, as the sum of twelve even numbers less six: needs
// no logarithm. It ends at 6, and its fourth moment is 2.9 where that of the normal law is 3.
static inline double noise_normal(noise *n) {
    uint32_t sum = 0;
    for (int i = 0; i < 3; i++) {
        uint64_t bits = noise_bits(n);
        sum += (uint32_t)(bits & 0xFFFFU) + (uint32_t)(bits >> 16 & 0xFFFFU) +
               (uint32_t)(bits >> 32 & 0xFFFFU) + (uint32_t)(bits >> 48);
    }
    return (sum + 6.0) / 65536.0 - 6.0;
}

#endif
