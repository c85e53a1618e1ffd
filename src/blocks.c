/* Rows that read_plain() put into a file, taken out again, some blocks at a time. */
#include <fcntl.h>
#include <limits.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>
#include "blocks.h"

void close_reading(void *data) {
  Reading *of = data;
  if (of->file >= 0) close(of->file);
  for (int b = 0; b < of->blocks; b++) drop_block(of, b);
}

void drop_block(Reading *of, int block) {
  free(of->bytes[block]);
  free(of->wanted[block]);
  of->bytes[block] = of->wanted[block] = NULL;
}

const void *column_in(const Reading *of, int block, int column) {
  return of->bytes[block] + of->column_at[column] * (size_t)of->rows[block];
}

SEXP map_of(const Reading *of, int block, int column) {
  return VECTOR_ELT(VECTOR_ELT(of->maps, block), column);
}

void open_reading(Reading *of) {
  of->file = open(of->path, O_RDONLY);
  if (of->file < 0) error("the coded rows are gone");
}

/* Flags of the rows that count; their number. */
static int counting_rows(const Reading *of, int block, char *wanted) {
  const int *clicks = column_in(of, block, of->clicks),
            *impressions = column_in(of, block, of->impressions);
  const int *day = column_in(of, block, of->day);
  int many = 0;
  for (int i = 0; i < of->rows[block]; i++) {
    int at = day[i] - of->first_day;
    wanted[i] = at >= 0 && at < of->days && of->keep[at] && impressions[i] > 0 &&
      (of->above || clicks[i] <= impressions[i]);
    many += wanted[i];
  }
  return many;
}

/* Of the rows that count those that are asked for. */
static int asked_rows(const Reading *of, int block, char *wanted) {
  const int *query = column_in(of, block, of->query),
            *page = of->page < 0 ? NULL : column_in(of, block, of->page);
  SEXP only = VECTOR_ELT(of->only, block);
  const Rbyte *flags = RAW(VECTOR_ELT(only, 0));
  const int *queries = INTEGER(VECTOR_ELT(only, 1)),
            *pages = page == NULL ? NULL : INTEGER(VECTOR_ELT(only, 2));
  int many = 0;
  for (int i = 0; i < of->rows[block]; i++) {
    if (!wanted[i]) continue;
    wanted[i] = flags[query[i] - 1] ||
      (of->share &&
        in_share(queries[query[i] - 1], page == NULL ? 1 : pages[page[i] - 1], of->share));
    many += wanted[i];
  }
  return many;
}

static void check_codes(const Reading *of, int block) {
  for (int j = 0; j < of->columns; j++) {
    if (of->kinds[j] != kind_text) continue;
    const int *code = column_in(of, block, j), most = LENGTH(map_of(of, block, j));
    int wrong = 0;
    for (int i = 0; i < of->rows[block]; i++) wrong |= code[i] < 1 || code[i] > most;
    if (wrong) error("the coded rows have changed");
  }
}

int read_block(Reading *of, int block) {
  size_t size = of->row_size * (size_t)of->rows[block];
  char *bytes = of->bytes[block] = malloc(size + 1),
       *wanted = of->wanted[block] = malloc((size_t)of->rows[block] + 1);
  if (bytes == NULL || wanted == NULL) error("there is no memory left");
  for (size_t done = 0; done < size;) {
    ssize_t got = pread(of->file, bytes + done, size - done, (off_t)(of->at[block] + (double)done));
    if (got <= 0) error("the coded rows cannot be read");
    done += (size_t)got;
  }
  check_codes(of, block);
  int many = counting_rows(of, block, wanted);
  return of->only == R_NilValue ? many : asked_rows(of, block, wanted);
}

/* What is wanted of one column of one block; out: where the next goes. */
static double *put_numbers(double *to, const double *from, const char *wanted, int rows) {
  for (int i = 0; i < rows; i++)
    if (wanted[i]) *to++ = from[i];
  return to;
}

static int *put_whole(int *to, const int *from, const char *wanted, int rows, SEXP map) {
  const int *codes = map == R_NilValue ? NULL : INTEGER(map) - 1;
  for (int i = 0; i < rows; i++)
    if (wanted[i]) *to++ = codes == NULL ? from[i] : codes[from[i]];
  return to;
}

/* A block of which nothing is wanted is dropped at once; others stay until it is known how many
 * rows there are. */
static SEXP read_rows(void *data) {
  Reading *of = data;
  open_reading(of);
  R_xlen_t total = 0;
  for (int b = 0; b < of->blocks; b++) {
    R_CheckUserInterrupt();
    int many = read_block(of, b);
    if (!many) drop_block(of, b);
    total += many;
  }
  SEXP out = PROTECT(allocVector(VECSXP, of->columns));
  for (int j = 0; j < of->columns; j++) {
    int doubles = of->kinds[j] == kind_number;
    SEXP column = allocVector(doubles ? REALSXP : INTSXP, total);
    SET_VECTOR_ELT(out, j, column);
    double *numbers = doubles ? REAL(column) : NULL;
    int *whole = doubles ? NULL : INTEGER(column);
    for (int b = 0; b < of->blocks; b++) {
      if (of->bytes[b] == NULL) continue;
      const void *from = column_in(of, b, j);
      if (doubles) numbers = put_numbers(numbers, from, of->wanted[b], of->rows[b]);
      else whole = put_whole(whole, from, of->wanted[b], of->rows[b], map_of(of, b, j));
    }
  }
  UNPROTECT(1);
  return out;
}

/* A vector of whole numbers among what is asked for. */
static const int *whole_of(SEXP x, const char *entry, const char *what) {
  need(TYPEOF(x) == INTSXP, entry, what);
  return INTEGER(x);
}

/* One for each code of a block's column. */
static void need_each(
  const Reading *of, int block, int column, SEXP x, SEXPTYPE type, const char *entry) {
  need(TYPEOF(x) == type && LENGTH(x) == LENGTH(map_of(of, block, column)), entry,
    "flags and codes of a block's own codes");
}

/* Which rows alone: NULL, or list(of each block list(flags of queries, codes of queries, codes of
 * pages or NULL), a share). */
static void narrow(Reading *of, SEXP only, const char *entry) {
  of->only = R_NilValue;
  if (only == R_NilValue) return;
  need(TYPEOF(only) == VECSXP && LENGTH(only) == 2 && TYPEOF(VECTOR_ELT(only, 0)) == VECSXP, entry,
    "which rows alone");
  of->only = VECTOR_ELT(only, 0);
  of->share = need_count(VECTOR_ELT(only, 1), 0, entry, "a share of pairs");
  need(LENGTH(of->only) == of->blocks, entry, "which rows alone of each block");
  for (int b = 0; b < of->blocks; b++) {
    SEXP own = VECTOR_ELT(of->only, b);
    need(TYPEOF(own) == VECSXP && LENGTH(own) == 3, entry, "flags and codes of each block");
    need_each(of, b, of->query, VECTOR_ELT(own, 0), RAWSXP, entry);
    need_each(of, b, of->query, VECTOR_ELT(own, 1), INTSXP, entry);
    if (of->page >= 0) need_each(of, b, of->page, VECTOR_ELT(own, 2), INTSXP, entry);
  }
}

Reading reading_of(SEXP ask, const char *entry) {
  need(TYPEOF(ask) == VECSXP && LENGTH(ask) == 10, entry, "what to read");
  SEXP rows = VECTOR_ELT(ask, 1), at = VECTOR_ELT(ask, 2), maps = VECTOR_ELT(ask, 3),
       kinds = VECTOR_ELT(ask, 4);
  SEXP keep = VECTOR_ELT(ask, 7);
  const int *which = whole_of(VECTOR_ELT(ask, 5), entry, "columns");
  Reading of;
  memset(&of, 0, sizeof of);
  of.file = -1;
  of.path = need_text(VECTOR_ELT(ask, 0), entry, "a path");
  of.rows = whole_of(rows, entry, "rows of blocks");
  need(TYPEOF(at) == REALSXP && LENGTH(at) == LENGTH(rows), entry, "places of blocks");
  need(TYPEOF(maps) == VECSXP && LENGTH(maps) == LENGTH(rows), entry, "codes for each block");
  of.kinds = whole_of(kinds, entry, "kinds of columns");
  need(TYPEOF(keep) == RAWSXP, entry, "a flag for each day");
  of.blocks = LENGTH(rows);
  of.columns = LENGTH(kinds);
  of.at = REAL(at);
  of.maps = maps;
  need(LENGTH(VECTOR_ELT(ask, 5)) == 5, entry, "clicks, impressions, days, queries and pages");
  for (int k = 0; k < 5; k++) {
    need(which[k] >= (k < 4) && which[k] <= of.columns, entry, "columns from 1");
    need(!which[k] ||
        of.kinds[which[k] - 1] ==
          (k < 2      ? kind_count
              : k < 3 ? kind_day
                      : kind_text),
      entry, "columns of their kinds");
  }
  of.clicks = which[0] - 1;
  of.impressions = which[1] - 1;
  of.day = which[2] - 1;
  of.query = which[3] - 1;
  of.page = which[4] - 1;
  of.first_day = need_count(VECTOR_ELT(ask, 6), 0, entry, "the first day");
  of.keep = RAW(keep);
  of.days = LENGTH(keep);
  of.above = need_count(VECTOR_ELT(ask, 8), 0, entry, "a flag");
  of.bytes = (char **)R_alloc((size_t)of.blocks + 1, sizeof(char *));
  of.wanted = (char **)R_alloc((size_t)of.blocks + 1, sizeof(char *));
  of.column_at = (size_t *)R_alloc((size_t)of.columns + 1, sizeof(size_t));
  of.row_size = lay_out(of.kinds, of.columns, of.column_at);
  for (int b = 0; b < of.blocks; b++) {
    of.bytes[b] = of.wanted[b] = NULL;
    SEXP own = VECTOR_ELT(maps, b);
    need(TYPEOF(own) == VECSXP && LENGTH(own) == of.columns, entry, "codes for each column");
    need(of.rows[b] >= 0 && of.at[b] >= 0, entry, "places in the file");
    for (int j = 0; j < of.columns; j++) {
      int type = TYPEOF(VECTOR_ELT(own, j)), text = of.kinds[j] == kind_text;
      need(type == (text ? INTSXP : NILSXP), entry, "codes of whole numbers");
    }
  }
  narrow(&of, VECTOR_ELT(ask, 9), entry);
  return of;
}

/* In: the file; of each block its rows, its place, and for each of its columns the codes that its
   own become, or NULL; the kinds of the columns, as read_plain() has them; which are clicks,
   impressions, days, queries and pages (0: none); the first day and a flag for each day from it on,
   whether it is wanted; whether rows with more clicks than impressions are; which rows alone, or
   NULL. Out: a list of columns. */
SEXP read_blocks(SEXP ask) {
  Reading of = reading_of(ask, "read_blocks");
  return R_ExecWithCleanup(read_rows, &of, close_reading, &of);
}

/* Rows of a share of all pairs, chosen by their codes, so that pairs are whole: which rows, from 1.
 */
SEXP rows_of_share(SEXP query, SEXP page, SEXP share) {
  need(TYPEOF(query) == INTSXP && TYPEOF(page) == INTSXP && XLENGTH(page) == XLENGTH(query) &&
      XLENGTH(query) <= INT_MAX,
    "rows_of_share", "codes of one length");
  int every = need_count(share, 1, "rows_of_share", "a share");
  int rows = LENGTH(query), many = 0, *which = (int *)R_alloc((size_t)rows + 1, sizeof(int));
  const int *q = INTEGER(query), *p = INTEGER(page);
  for (int i = 0; i < rows; i++)
    if (in_share(q[i], p[i], every)) which[many++] = i + 1;
  SEXP out = allocVector(INTSXP, many);
  if (many) memcpy(INTEGER(out), which, (size_t)many * sizeof(int));
  return out;
}
