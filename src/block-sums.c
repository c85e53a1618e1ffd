/* The sums of coded rows, block by block, without a vector of R's for any row. */
#include <string.h>
#include "blocks.h"
#include "cells.h"
#include "plain.h"

typedef struct {
  double clicks, impressions, weighted, rows;
} DaySum;
/* Of a text as a block spells it: its impressions, its first day, and the code that all its
   spellings share. All in one place, since most of a row's time is waiting for memory. */
typedef struct {
  double weight;
  int first, code;
} Seen;
/* A column of texts: of each way of coding it (one of read_plain()'s threads each) what is seen of
 * its codes. */
typedef struct {
  int column, levels, ways;
  const int *codes;
  SEXP maps[most_threads];
  Seen *seen[most_threads];
} Texts;

typedef struct {
  Reading *of;
  Cells *cells;
  Texts query, page;
  const int *bins;
  int last_bin, recent_from, position;
  DaySum *days;
} Summing;

/* What is seen of the codes of one block. */
static Seen *seen_of(Texts *texts, const Reading *of, int block) {
  SEXP map = map_of(of, block, texts->column);
  for (int w = 0; w < texts->ways; w++)
    if (texts->maps[w] == map) return texts->seen[w];
  if (texts->ways == most_threads) error("internal error: sum_blocks needs codes of fewer threads");
  int many = LENGTH(map);
  Seen *seen = (Seen *)R_alloc((size_t)many + 1, sizeof(Seen));
  for (int i = 0; i < many; i++) {
    int level = INTEGER(map)[i];
    if (level < 1 || level > texts->levels) error("the coded rows have changed");
    seen[i] = (Seen){ 0, NA_INTEGER, texts->codes[level - 1] };
  }
  texts->maps[texts->ways] = map;
  texts->seen[texts->ways++] = seen;
  return seen;
}

static int see(Seen *seen, int impressions, int day) {
  seen->weight += impressions;
  if (seen->first == NA_INTEGER || day < seen->first) seen->first = day;
  return seen->code;
}

static void sum_block(Summing *sum, int block) {
  const Reading *of = sum->of;
  const int *clicks = column_in(of, block, of->clicks),
            *impressions = column_in(of, block, of->impressions);
  const int *day = column_in(of, block, of->day), *query = column_in(of, block, of->query);
  const int *page = of->page < 0 ? NULL : column_in(of, block, of->page);
  const double *position = column_in(of, block, sum->position);
  Seen *queries = seen_of(&sum->query, of, block),
       *pages = page == NULL ? NULL : seen_of(&sum->page, of, block);
  CellRow waiting[cell_rows];
  int which[cell_rows], many = 0, rows = of->rows[block];
  for (int i = 0; i < rows; i++) {
    if (of->wanted[block][i]) {
      which[many++] = i;
      __builtin_prefetch(queries + query[i] - 1, 1);
      if (page != NULL) __builtin_prefetch(pages + page[i] - 1, 1);
    }
    if (many < cell_rows && i + 1 < rows) continue;
    for (int k = 0; k < many; k++) {
      int row = which[k];
      DaySum *own = sum->days + (day[row] - of->first_day);
      own->clicks += clicks[row];
      own->impressions += impressions[row];
      own->weighted += impressions[row] * position[row];
      own->rows++;
      int q = see(queries + query[row] - 1, impressions[row], day[row]);
      int p = page == NULL ? 1 : see(pages + page[row] - 1, impressions[row], day[row]);
      waiting[k] = (CellRow){ pair_of(q, p), bin_at(sum->bins, sum->last_bin, position[row]),
        day[row] >= sum->recent_from, clicks[row], impressions[row], position[row] };
    }
    if (!put_rows(sum->cells, waiting, many)) error("there is no memory left");
    many = 0;
  }
}

static SEXP days_as_list(const Summing *sum) {
  const char *names[] = { "clicks", "impressions", "weighted", "rows", "" };
  int days = sum->of->days;
  SEXP out = PROTECT(mkNamed(VECSXP, names));
  for (int k = 0; k < 4; k++) {
    SEXP column = allocVector(REALSXP, days);
    SET_VECTOR_ELT(out, k, column);
    for (int d = 0; d < days; d++) {
      const DaySum *own = sum->days + d;
      REAL(column)[d] = k == 0 ? own->clicks
        : k == 1               ? own->impressions
        : k == 2               ? own->weighted
                               : own->rows;
    }
  }
  UNPROTECT(1);
  return out;
}

/* Of each level what all ways of coding it saw. */
static SEXP seen_as_list(const Texts *texts) {
  const char *names[] = { "weight", "first", "" };
  SEXP out = PROTECT(mkNamed(VECSXP, names));
  SET_VECTOR_ELT(out, 0, allocVector(REALSXP, texts->levels));
  SET_VECTOR_ELT(out, 1, allocVector(INTSXP, texts->levels));
  double *weight = REAL(VECTOR_ELT(out, 0));
  int *first = INTEGER(VECTOR_ELT(out, 1));
  for (int l = 0; l < texts->levels; l++) {
    weight[l] = 0;
    first[l] = NA_INTEGER;
  }
  for (int w = 0; w < texts->ways; w++) {
    const int *level = INTEGER(texts->maps[w]);
    for (int i = 0; i < LENGTH(texts->maps[w]); i++) {
      const Seen *own = texts->seen[w] + i;
      int l = level[i] - 1;
      weight[l] += own->weight;
      if (own->first != NA_INTEGER && (first[l] == NA_INTEGER || own->first < first[l]))
        first[l] = own->first;
    }
  }
  UNPROTECT(1);
  return out;
}

static SEXP sum_all(void *data) {
  Summing *sum = data;
  open_reading(sum->of);
  for (int b = 0; b < sum->of->blocks; b++) {
    R_CheckUserInterrupt();
    if (read_block(sum->of, b)) sum_block(sum, b);
    drop_block(sum->of, b);
  }
  const char *names[] = { "days", "queries", "pages", "" };
  SEXP out = PROTECT(mkNamed(VECSXP, names));
  SET_VECTOR_ELT(out, 0, days_as_list(sum));
  SET_VECTOR_ELT(out, 1, seen_as_list(&sum->query));
  if (sum->of->page >= 0) SET_VECTOR_ELT(out, 2, seen_as_list(&sum->page));
  UNPROTECT(1);
  return out;
}

static Texts texts_with(int column, SEXP codes, const char *what) {
  need(TYPEOF(codes) == INTSXP, "sum_blocks", what);
  Texts of = { column, LENGTH(codes), 0, INTEGER(codes) };
  for (int l = 0; l < of.levels; l++)
    need(of.codes[l] != NA_INTEGER && of.codes[l] > 0, "sum_blocks", what);
  return of;
}

/* In: what to read, as read_blocks() has it; which column has positions; sums that new_cells()
   began; the codes of the levels of queries and of pages (NULL: no pages); bins as add_cells() has
   them; the first recent day, where those are summed apart. Out: list(days: clicks, impressions,
   impressions x position of each day from the first on; queries, pages: of each level its
   impressions and its first day). */
SEXP sum_blocks(
  SEXP ask, SEXP position, SEXP sums, SEXP query, SEXP page, SEXP bins, SEXP recent_from) {
  Reading of = reading_of(ask, "sum_blocks");
  Summing sum = { &of, cells_of(sums, "sum_blocks") };
  sum.position = need_count(position, 1, "sum_blocks", "the column of positions") - 1;
  need(sum.position < of.columns && of.kinds[sum.position] == kind_number, "sum_blocks",
    "a column of numbers for positions");
  need(TYPEOF(bins) == INTSXP && LENGTH(bins) > 0, "sum_blocks", "bins");
  sum.query = texts_with(of.query, query, "codes of queries");
  if (of.page >= 0) sum.page = texts_with(of.page, page, "codes of pages");
  sum.bins = INTEGER(bins);
  sum.last_bin = LENGTH(bins);
  sum.recent_from =
    recent_apart(sum.cells) ? need_count(recent_from, 0, "sum_blocks", "the first recent day") : 0;
  sum.days = (DaySum *)R_alloc((size_t)of.days + 1, sizeof(DaySum));
  memset(sum.days, 0, (size_t)of.days * sizeof(DaySum));
  return R_ExecWithCleanup(sum_all, &sum, close_reading, &of);
}
