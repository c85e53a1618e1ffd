/* Blocks of rows that read_plain() put into a file, as those that go through them see them. */
#ifndef INKTIDE_BLOCKS_H
#define INKTIDE_BLOCKS_H
#include <stdint.h>
#include "checks.h"
#include "plain.h"

/* Columns and days count from 0; -1: no such column. */
typedef struct {
  const char *path;
  int file, blocks, columns, above, first_day, days;
  const Rbyte *keep;
  const int *rows, *kinds;
  const double *at;
  size_t *column_at, row_size;
  SEXP maps;
  int clicks, impressions, day, query, page;
  /* Of which rows alone, NULL where of all: of each block, by its own codes, a flag for each query,
     whether its rows are asked for; and the codes of queries and pages by which one in `share`
     pairs is, too (0: none). */
  SEXP only;
  int share;
  /* Of each block what is held of it. */
  char **bytes, **wanted;
} Reading;

static inline int in_share(int query, int page, int share) {
  return (((int64_t)query * 7919 + page) % 104729) % share == 0;
}

/* In: what stored_rows() of R asks for. Checks it; the file is not opened yet. */
Reading reading_of(SEXP ask, const char *entry);
/* The blocks' bytes, read; and flags of the rows that are wanted. Out: how many these are. */
void open_reading(Reading *of);
int read_block(Reading *of, int block);
void drop_block(Reading *of, int block);
/* For R_ExecWithCleanup(): what blocks are read into is not R's, which would look through all it
 * holds for each of them. */
void close_reading(void *data);

const void *column_in(const Reading *of, int block, int column);
/* The codes that a block's own become, in one column; R_NilValue where they stay. Those of a block
 * that is read are all of them. */
SEXP map_of(const Reading *of, int block, int column);

#endif
