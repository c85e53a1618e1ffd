/* Reading a tabulated curve for every row: the same few steps millions of times. */
#include <math.h>
#include <R.h>
#include <Rinternals.h>

/* In: log CTR over a grid of log positions from 1 to 100 (a column a class of blending), position, rows and impressions of
   each line (rows: one for all, or one a line), where classes of one minus rows over impressions begin. Out: CTR. */
SEXP blended_ctr(SEXP table, SEXP position, SEXP rows, SEXP impressions, SEXP breaks) {
  R_xlen_t lines = XLENGTH(position), step = XLENGTH(rows) > 1;
  int grid = nrows(table), classes = LENGTH(breaks);
  if (ncols(table) <= classes || XLENGTH(impressions) != lines || (step && XLENGTH(rows) != lines))
    error("internal error: lengths of the lines and the table differ");
  const double *at = REAL(position), *of = REAL(rows), *seen = REAL(impressions), *begin = REAL(breaks), *log_ctr = REAL(table);
  SEXP out = PROTECT(allocVector(REALSXP, lines));
  double *ctr = REAL(out), scale = (grid - 1) / log(100);
  for (R_xlen_t i = 0; i < lines; i++) {
    if (i % 1048576 == 0) R_CheckUserInterrupt();
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
  R_xlen_t lines = XLENGTH(left);
  if (XLENGTH(share) != lines) error("internal error: lengths of the lines differ");
  const double *entry = REAL(table), *part = REAL(share);
  const int *at = INTEGER(left);
  SEXP out = PROTECT(allocVector(REALSXP, lines));
  double *value = REAL(out);
  for (R_xlen_t i = 0; i < lines; i++) value[i] = entry[at[i] - 1] + (entry[at[i]] - entry[at[i] - 1]) * part[i];
  UNPROTECT(1);
  return out;
}
