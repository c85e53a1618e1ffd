/* Sums by query, page and bin of the position (cells.c), as those that put rows into them see them.
 */
#ifndef INKTIDE_CELLS_H
#define INKTIDE_CELLS_H
#include <stdint.h>
#include <Rinternals.h>

/* So many rows are put at once at most: their places are fetched together, since most of a look-up
 * is waiting for memory. */
enum { cell_rows = 64 };

typedef struct Cells Cells;
typedef struct {
  uint64_t pair;
  int bin, recent;
  double clicks, impressions, position;
} CellRow;

static inline uint64_t pair_of(int query, int page) {
  return ((uint64_t)(uint32_t)query << 32) | (uint32_t)page;
}

/* `bins` tells them by twice the position, the last for all beyond. */
static inline int bin_at(const int *bins, int last, double position) {
  double half = 2 * position;
  return bins[half >= last ? last - 1 : half >= 1 ? (int)half - 1 : 0];
}

/* What R holds of sums that new_cells() began. */
Cells *cells_of(SEXP at, const char *entry);
/* Whether recent rows are summed apart. */
int recent_apart(const Cells *of);
/* 0 where there is no memory left. */
int put_rows(Cells *of, const CellRow *rows, int many);

#endif
