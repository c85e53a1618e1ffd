/* Reading a tabulated curve for every row: the same few steps millions of times. */
#include <math.h>
#include "checks.h"

/* In: log CTR over a grid of log positions from 1 to 100 (a column a class of blending), position, rows and impressions of
   each line (rows: one for all, or one a line), where classes of one minus rows over impressions begin. Out: CTR. */
SEXP blended_ctr(SEXP table, SEXP position, SEXP rows, SEXP impressions, SEXP breaks) {
  need(TYPEOF(table) == REALSXP && isMatrix(table) && nrows(table) > 1, "blended_ctr", "a table of two rows or more");
  need(TYPEOF(position) == REALSXP && TYPEOF(rows) == REALSXP && TYPEOF(impressions) == REALSXP && TYPEOF(breaks) == REALSXP,
    "blended_ctr", "numbers");
  R_xlen_t lines = XLENGTH(position), step = XLENGTH(rows) > 1;
  need(XLENGTH(rows) > 0, "blended_ctr", "how many rows the lines are made of");
  int grid = nrows(table), classes = LENGTH(breaks);
  need(ncols(table) > classes && XLENGTH(impressions) == lines && (!step || XLENGTH(rows) == lines), "blended_ctr",
    "lines and a table of lengths that agree");
  const double *at = REAL(position), *of = REAL(rows), *seen = REAL(impressions), *begin = REAL(breaks), *log_ctr = REAL(table);
  SEXP out = PROTECT(allocVector(REALSXP, lines));
  double *ctr = REAL(out), scale = (grid - 1) / log(100);
  for (R_xlen_t i = 0; i < lines; i++) {
    pause_at(i);
    if (ISNAN(at[i]) || ISNAN(of[step * i]) || ISNAN(seen[i])) { ctr[i] = NA_REAL; continue; }
    double together = 1 - of[step * i] / fmax(seen[i], 1);
    int class = 0;
    while (class < classes && together >= begin[class]) class++;
    double place = log(fmin(fmax(at[i], 1), 100)) * scale;
    int left = place < grid - 2 ? (int) place : grid - 2;
    const double *column = log_ctr + (R_xlen_t) class * grid + left;
    ctr[i] = exp(column[0] + (column[1] - column[0]) * (place - left));
  }
  UNPROTECT(1);
  return out;
}

/* In: a table, for each line the entry to its left (from 1) and how far to the right of it the line stands. */
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
