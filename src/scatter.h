/* Bits of a number mixed, for tables that are found by them. */
#ifndef INKTIDE_SCATTER_H
#define INKTIDE_SCATTER_H
#include <stdint.h>

static inline uint64_t scatter(uint64_t x) {
  x ^= x >> 31;
  x *= 0x9E3779B97F4A7C15u;
  x ^= x >> 29;
  x *= 0xBF58476D1CE4E5B9u;
  return x ^ (x >> 32);
}

#endif
