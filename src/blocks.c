/* Rows that read_plain() put into a file, taken out again, some blocks at a time. */
#include <fcntl.h>
#include <limits.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>
#include "plain.h"

typedef struct {
  const char *path;
  int file, blocks, columns, above, first_day;
  char **bytes, **wanted;
  const int *rows, *kinds;
  const double *at;
  size_t *column_at, row_size;
  SEXP maps, keep;
  int clicks, impressions, day;
} Reading;

/* What blocks are read into is not R's, which would look through all it holds for each of them. */
static void close_reading(void *data) {
  Reading *of = data;
  if (of->file >= 0) close(of->file);
  for (int b = 0; b < of->blocks; b++) {
    free(of->bytes[b]);
    free(of->wanted[b]);
  }
}

static const void *column_in(const Reading *of, const char *bytes, int column, int rows) {
  return bytes + of->column_at[column] * (size_t) rows;
}

/* Flags of the rows that are wanted; their number. */
static int wanted_rows(const Reading *of, const char *bytes, int rows, char *wanted) {
  const int *clicks = column_in(of, bytes, of->clicks, rows), *impressions = column_in(of, bytes, of->impressions, rows);
  const int *day = column_in(of, bytes, of->day, rows);
  int many = 0, days = LENGTH(of->keep);
  const Rbyte *keep = RAW(of->keep);
  for (int i = 0; i < rows; i++) {
    int at = day[i] - of->first_day;
    wanted[i] = at >= 0 && at < days && keep[at] && impressions[i] > 0 && (of->above || clicks[i] <= impressions[i]);
    many += wanted[i];
  }
  return many;
}

/* What is wanted of one column of one block; out: where the next goes. */
static double *put_numbers(double *to, const double *from, const char *wanted, int rows) {
  for (int i = 0; i < rows; i++) if (wanted[i]) *to++ = from[i];
  return to;
}

static int *put_whole(int *to, const int *from, const char *wanted, int rows) {
  for (int i = 0; i < rows; i++) if (wanted[i]) *to++ = from[i];
  return to;
}

static int *put_codes(int *to, const int *from, const char *wanted, int rows, const int *codes, int most) {
  for (int i = 0; i < rows; i++) {
    if (!wanted[i]) continue;
    if (from[i] < 1 || from[i] > most) error("the coded rows have changed");
    *to++ = codes[from[i] - 1];
  }
  return to;
}

static SEXP read_rows(void *data) {
  Reading *of = data;
  of->file = open(of->path, O_RDONLY);
  if (of->file < 0) error("the coded rows are gone");
  char **bytes = of->bytes, **wanted = of->wanted;
  R_xlen_t total = 0;
  for (int b = 0; b < of->blocks; b++) {
    size_t size = of->row_size * (size_t) of->rows[b];
    bytes[b] = malloc(size + 1);
    wanted[b] = malloc((size_t) of->rows[b] + 1);
    if (bytes[b] == NULL || wanted[b] == NULL) error("there is no memory left");
    for (size_t done = 0; done < size;) {
      ssize_t got = pread(of->file, bytes[b] + done, size - done, (off_t) (of->at[b] + (double) done));
      if (got <= 0) error("the coded rows cannot be read");
      done += (size_t) got;
    }
    total += wanted_rows(of, bytes[b], of->rows[b], wanted[b]);
  }
  SEXP out = PROTECT(allocVector(VECSXP, of->columns));
  for (int j = 0; j < of->columns; j++) {
    int doubles = of->kinds[j] == kind_number;
    SEXP column = allocVector(doubles ? REALSXP : INTSXP, total);
    SET_VECTOR_ELT(out, j, column);
    double *numbers = doubles ? REAL(column) : NULL;
    int *whole = doubles ? NULL : INTEGER(column);
    for (int b = 0; b < of->blocks; b++) {
      const void *from = column_in(of, bytes[b], j, of->rows[b]);
      SEXP map = VECTOR_ELT(VECTOR_ELT(of->maps, b), j);
      if (doubles) numbers = put_numbers(numbers, from, wanted[b], of->rows[b]);
      else if (map == R_NilValue) whole = put_whole(whole, from, wanted[b], of->rows[b]);
      else whole = put_codes(whole, from, wanted[b], of->rows[b], INTEGER(map), LENGTH(map));
    }
  }
  UNPROTECT(1);
  return out;
}

/* In: the file; of each block its rows, its place, and for each of its columns the codes that its own become, or NULL; the kinds
   of the columns, as read_plain() has them; which are clicks, impressions and days; the first day and a flag for each day from it
   on, whether it is wanted; whether rows with more clicks than impressions are. Out: a list of columns. */
SEXP read_blocks(SEXP path, SEXP rows, SEXP at, SEXP maps, SEXP kinds, SEXP figures, SEXP first_day, SEXP keep, SEXP above) {
  need(TYPEOF(rows) == INTSXP && TYPEOF(at) == REALSXP && LENGTH(at) == LENGTH(rows), "read_blocks", "rows and places of blocks");
  need(TYPEOF(maps) == VECSXP && LENGTH(maps) == LENGTH(rows), "read_blocks", "codes for each block");
  need(TYPEOF(kinds) == INTSXP && TYPEOF(figures) == INTSXP && LENGTH(figures) == 3, "read_blocks", "kinds and figures");
  need(TYPEOF(keep) == RAWSXP, "read_blocks", "a flag for each day");
  for (int k = 0; k < 3; k++) need(INTEGER(figures)[k] > 0, "read_blocks", "columns from 1");
  Reading of = { need_text(path, "read_blocks", "a path"), -1, LENGTH(rows), LENGTH(kinds), need_count(above, 0, "read_blocks", "a flag"),
    need_count(first_day, 0, "read_blocks", "the first day"), NULL, NULL, INTEGER(rows), INTEGER(kinds), REAL(at), NULL, 0, maps, keep,
    INTEGER(figures)[0] - 1, INTEGER(figures)[1] - 1, INTEGER(figures)[2] - 1 };
  of.bytes = (char **) R_alloc((size_t) of.blocks + 1, sizeof(char *));
  of.wanted = (char **) R_alloc((size_t) of.blocks + 1, sizeof(char *));
  for (int b = 0; b < of.blocks; b++) of.bytes[b] = of.wanted[b] = NULL;
  of.column_at = (size_t *) R_alloc((size_t) of.columns + 1, sizeof(size_t));
  of.row_size = lay_out(of.kinds, of.columns, of.column_at);
  for (int k = 0; k < 3; k++) {
    need(INTEGER(figures)[k] > 0 && INTEGER(figures)[k] <= of.columns && of.kinds[INTEGER(figures)[k] - 1] != kind_number, "read_blocks",
      "clicks, impressions and days among the columns");
  }
  for (int b = 0; b < of.blocks; b++) {
    need(TYPEOF(VECTOR_ELT(maps, b)) == VECSXP && LENGTH(VECTOR_ELT(maps, b)) == of.columns, "read_blocks", "codes for each column");
    need(of.rows[b] >= 0 && of.at[b] >= 0, "read_blocks", "places in the file");
    for (int j = 0; j < of.columns; j++) {
      int type = TYPEOF(VECTOR_ELT(VECTOR_ELT(maps, b), j));
      need(type == INTSXP || type == NILSXP, "read_blocks", "codes of whole numbers");
    }
  }
  return R_ExecWithCleanup(read_rows, &of, close_reading, &of);
}

/* Rows of a share of all pairs, chosen by their codes, so that pairs are whole: which rows, from 1. */
SEXP rows_of_share(SEXP query, SEXP page, SEXP share) {
  need(TYPEOF(query) == INTSXP && TYPEOF(page) == INTSXP && XLENGTH(page) == XLENGTH(query) && XLENGTH(query) <= INT_MAX,
    "rows_of_share", "codes of one length");
  int64_t every = need_count(share, 1, "rows_of_share", "a share");
  int rows = LENGTH(query), many = 0, *which = (int *) R_alloc((size_t) rows + 1, sizeof(int));
  const int *q = INTEGER(query), *p = INTEGER(page);
  for (int i = 0; i < rows; i++) if ((((int64_t) q[i] * 7919 + p[i]) % 104729) % every == 0) which[many++] = i + 1;
  SEXP out = allocVector(INTSXP, many);
  if (many) memcpy(INTEGER(out), which, (size_t) many * sizeof(int));
  return out;
}
