/* Reading a tabulated curve for every row: the same few steps millions of times. */
#include <math.h>
#include "checks.h"

/* The class of blending of a line: by one minus its rows over its impressions. */
static inline int class_of(double rows, double impressions, const double *breaks, int classes) {
  double together = 1 - rows / fmax(impressions, 1);
  int class = 0;
  while (class < classes && together >= breaks[class]) class ++;
  return class;
}

/* Where a position stands in a grid of log positions from 1 to 100: the entry to its left, from 0.
 */
static inline int left_of(double position, int grid, double *share) {
  double place = log(fmin(fmax(position, 1), 100)) * ((grid - 1) / log(100));
  int left = place < grid - 2 ? (int)place : grid - 2;
  *share = place - left;
  return left;
}

/* In: log CTR over a grid of log positions from 1 to 100 (a column a class of blending), position,
   rows and impressions of each line (rows: one for all, or one a line), where classes of one minus
   rows over impressions begin. Out: CTR. */
SEXP blended_ctr(SEXP table, SEXP position, SEXP rows, SEXP impressions, SEXP breaks) {
  need(TYPEOF(table) == REALSXP && isMatrix(table) && nrows(table) > 1, "blended_ctr",
    "a table of two rows or more");
  need(TYPEOF(position) == REALSXP && TYPEOF(rows) == REALSXP && TYPEOF(impressions) == REALSXP &&
      TYPEOF(breaks) == REALSXP,
    "blended_ctr", "numbers");
  R_xlen_t lines = XLENGTH(position), step = XLENGTH(rows) > 1;
  need(XLENGTH(rows) > 0, "blended_ctr", "how many rows the lines are made of");
  int grid = nrows(table), classes = LENGTH(breaks);
  need(ncols(table) > classes && XLENGTH(impressions) == lines && (!step || XLENGTH(rows) == lines),
    "blended_ctr", "lines and a table of lengths that agree");
  const double *at = REAL(position), *of = REAL(rows), *seen = REAL(impressions),
               *begin = REAL(breaks), *log_ctr = REAL(table);
  SEXP out = PROTECT(allocVector(REALSXP, lines));
  double *ctr = REAL(out), share;
  for (R_xlen_t i = 0; i < lines; i++) {
    pause_at(i);
    if (ISNAN(at[i]) || ISNAN(of[step * i]) || ISNAN(seen[i])) {
      ctr[i] = NA_REAL;
      continue;
    }
    int left = left_of(at[i], grid, &share);
    const double *column =
      log_ctr + (R_xlen_t)class_of(of[step * i], seen[i], begin, classes) * grid + left;
    ctr[i] = exp(column[0] + (column[1] - column[0]) * share);
  }
  UNPROTECT(1);
  return out;
}

/* In: a table, for each line the entry to its left (from 1) and how far to the right of it the line
 * stands. */
SEXP read_spots(SEXP table, SEXP left, SEXP share) {
  need(TYPEOF(table) == REALSXP && TYPEOF(left) == INTSXP && TYPEOF(share) == REALSXP, "read_spots",
    "a table of numbers, whole numbers and shares");
  R_xlen_t lines = XLENGTH(left), entries = XLENGTH(table);
  need(XLENGTH(share) == lines, "read_spots", "a share for each line");
  const double *entry = REAL(table), *part = REAL(share);
  const int *at = INTEGER(left);
  SEXP out = PROTECT(allocVector(REALSXP, lines));
  double *value = REAL(out);
  for (R_xlen_t i = 0; i < lines; i++) {
    pause_at(i);
    need(at[i] >= 1 && at[i] < entries, "read_spots", "entries that have one to the right of them");
    value[i] = entry[at[i] - 1] + (entry[at[i]] - entry[at[i] - 1]) * part[i];
  }
  UNPROTECT(1);
  return out;
}

/* In: rows and impressions of each line, where classes begin. Out: the class of each, from 1. */
SEXP blend_classes(SEXP rows, SEXP impressions, SEXP breaks) {
  need(TYPEOF(rows) == REALSXP && TYPEOF(impressions) == REALSXP && TYPEOF(breaks) == REALSXP,
    "blend_classes", "numbers");
  R_xlen_t lines = XLENGTH(rows);
  need(XLENGTH(impressions) == lines, "blend_classes", "impressions for each line");
  const double *of = REAL(rows), *seen = REAL(impressions), *begin = REAL(breaks);
  SEXP out = PROTECT(allocVector(INTSXP, lines));
  for (R_xlen_t i = 0; i < lines; i++) {
    pause_at(i);
    INTEGER(out)
    [i] = ISNAN(of[i]) || ISNAN(seen[i]) ? NA_INTEGER
                                         : class_of(of[i], seen[i], begin, LENGTH(breaks)) + 1;
  }
  UNPROTECT(1);
  return out;
}

/* In: position and class (from 1) of each line, entries of a table's column. Out: a list of the
   entry to the left of each in the whole table (from 1), and how far to the right of it the line
   stands. */
SEXP blend_spots(SEXP position, SEXP class, SEXP grid) {
  need(TYPEOF(position) == REALSXP && TYPEOF(class) == INTSXP && TYPEOF(grid) == INTSXP &&
      LENGTH(grid) == 1,
    "blend_spots", "numbers, whole numbers and the entries of a column");
  R_xlen_t lines = XLENGTH(position);
  int size = INTEGER(grid)[0];
  need(XLENGTH(class) == lines && size != NA_INTEGER && size > 1, "blend_spots",
    "a class for each line, two entries or more");
  SEXP left = PROTECT(allocVector(INTSXP, lines)), share = PROTECT(allocVector(REALSXP, lines));
  for (R_xlen_t i = 0; i < lines; i++) {
    pause_at(i);
    int of = INTEGER(class)[i];
    need(!ISNAN(REAL(position)[i]) && of >= 1 && of < 1000, "blend_spots",
      "positions and classes from 1");
    INTEGER(left)[i] = (of - 1) * size + left_of(REAL(position)[i], size, REAL(share) + i) + 1;
  }
  SEXP out = PROTECT(allocVector(VECSXP, 2));
  SET_VECTOR_ELT(out, 0, left);
  SET_VECTOR_ELT(out, 1, share);
  UNPROTECT(3);
  return out;
}
