/* What the walk over a plain export (plain.c) is asked for and what it holds; plain-result.c gives
 * it to R. */
#ifndef INKTIDE_PLAIN_H
#define INKTIDE_PLAIN_H
#include "checks.h"
#include "keys.h"
#include "texts.h"

enum { kind_text = 0, kind_count = 1, kind_number = 2, kind_day = 3 };
enum { most_threads = 16, share_size = 1 << 24, longest_text = 1 << 24 };
/* The days that exports may tell of: 2000-01-01 to 2099-12-31. */
enum { first_day = 10957, last_day = 47481 };

/* What is asked for. becomes: of each cell of a line, which wanted column it is, or -1; telling:
 * whether it tells rows apart. */
typedef struct {
  const char *path, *rows_path, *keys_path;
  int skip, cells, many, threads, above;
  char sep;
  const int *kinds;
  int *becomes, *telling, clicks, impressions, day;
} Wish;

/* Rows of one share: numbers first, then whole numbers, column by column, n of each. */
typedef struct {
  int thread, rows;
  size_t at;
  char *bytes;
} Block;
typedef struct {
  double rows, clicks, impressions;
} Sum;

typedef struct {
  Wish wish;
  char *start;
  size_t size, row_size, *column_at;
  int file, rows_file;
  size_t end;
  Dictionary *texts;
  Waiting *waiting;
  int *whole;
  Keys keys;
  KeyHand *hands[most_threads];
  Sum *days[most_threads], left[most_threads][2];
  Block *blocks;
  int many_blocks, room;
} Coder;

/* Where each column of a row lies in a block, in bytes a row: numbers first. Out: the size of a
 * row. */
static inline size_t lay_out(const int *kinds, int many, size_t *column_at) {
  size_t size = 0;
  for (int numbers = 1; numbers >= 0; numbers--) {
    for (int j = 0; j < many; j++) {
      if ((kinds[j] == kind_number) != numbers) continue;
      column_at[j] = size;
      size += numbers ? sizeof(double) : sizeof(int);
    }
  }
  return size;
}

static inline int *ints_of(const Coder *coder, char *bytes, int column, int rows) {
  return (int *)(bytes + coder->column_at[column] * (size_t)rows);
}

static inline double *numbers_of(const Coder *coder, char *bytes, int column, int rows) {
  return (double *)(bytes + coder->column_at[column] * (size_t)rows);
}

/* By wanted column its dictionary: list(levels, codes of those for each thread's). Empties the
 * dictionaries. */
SEXP texts_of(Coder *coder);
/* The rows of all blocks as R's columns; numbers that are all whole become whole numbers. NULL
 * where they are too many. */
SEXP columns_of(Coder *coder, SEXP texts);
/* list(by day, of rows that do not count: without impressions, with more clicks). */
SEXP sums_of(Coder *coder);
/* list(thread, rows, at). */
SEXP blocks_of(const Coder *coder);

#endif
