/* The sums over cells that fitting a curve repeats each round. Cells lie pair by pair; `ends` has
   the last of each (from 1). What they are for says R/curve-score.R and R/curve-estimate.R. */
#include <math.h>
#include "checks.h"

/* Ends rise and stay among the cells. */
static void need_ends(SEXP ends, R_xlen_t cells, const char *entry) {
  need(TYPEOF(ends) == INTSXP, entry, "whole numbers for ends");
  const int *end = INTEGER(ends);
  for (R_xlen_t p = 0; p < XLENGTH(ends); p++)
    need(end[p] > (p ? end[p - 1] : 0) && end[p] <= cells, entry, "ends that rise among the cells");
}

static const double *numbers(SEXP x, R_xlen_t many, const char *entry) {
  need(TYPEOF(x) == REALSXP && XLENGTH(x) == many, entry, "numbers of one length");
  return REAL(x);
}

/* In: a number a cell. Out: its sum by pair. */
SEXP sums_of_pairs(SEXP x, SEXP ends) {
  const double *value = numbers(x, XLENGTH(x), "sums_of_pairs");
  need_ends(ends, XLENGTH(x), "sums_of_pairs");
  const int *end = INTEGER(ends);
  SEXP out = PROTECT(allocVector(REALSXP, XLENGTH(ends)));
  double *sum = REAL(out);
  for (R_xlen_t p = 0, i = 0; p < XLENGTH(ends); p++)
    for (sum[p] = 0; i < end[p]; i++) sum[p] += value[i];
  UNPROTECT(1);
  return out;
}

/* In: clicks and mean of each cell, the wobble. Out: list(mean, residual) by pair, each cell by
 * what wobble leaves of it. */
SEXP kept_sums(SEXP clicks, SEXP mean, SEXP wobble, SEXP ends) {
  R_xlen_t cells = XLENGTH(clicks), pairs = XLENGTH(ends);
  const double *click = numbers(clicks, cells, "kept_sums"),
               *of = numbers(mean, cells, "kept_sums");
  need_ends(ends, cells, "kept_sums");
  const int *end = INTEGER(ends);
  double w = asReal(wobble);
  const char *names[] = { "mean", "residual", "" };
  SEXP out = PROTECT(mkNamed(VECSXP, names));
  for (int k = 0; k < 2; k++) SET_VECTOR_ELT(out, k, allocVector(REALSXP, pairs));
  double *sum = REAL(VECTOR_ELT(out, 0)), *off = REAL(VECTOR_ELT(out, 1));
  for (R_xlen_t p = 0, i = 0; p < pairs; p++) {
    sum[p] = off[p] = 0;
    for (; i < end[p]; i++) {
      double keep = 1 / (1 + w * of[i]);
      sum[p] += keep * of[i];
      off[p] += keep * (click[i] - of[i]);
    }
  }
  UNPROTECT(1);
  return out;
}

/* In: clicks and mean of each cell, the wobble; of each pair how calmly it pulls, spread x its
   mean, what its cells share times its residual, and whether its covariance is used in full. Out:
   list(own, diagonal): score and information of each cell. */
SEXP cell_scores(SEXP clicks, SEXP mean, SEXP wobble, SEXP ends, SEXP calm, SEXP spread_mean,
  SEXP shared_residual, SEXP full) {
  R_xlen_t cells = XLENGTH(clicks), pairs = XLENGTH(ends);
  const double *click = numbers(clicks, cells, "cell_scores"),
               *of = numbers(mean, cells, "cell_scores");
  const double *pull = numbers(calm, pairs, "cell_scores"),
               *wide = numbers(spread_mean, pairs, "cell_scores");
  const double *shared = numbers(shared_residual, pairs, "cell_scores");
  need(TYPEOF(full) == LGLSXP && XLENGTH(full) == pairs, "cell_scores", "a flag for each pair");
  need_ends(ends, cells, "cell_scores");
  const int *end = INTEGER(ends), *whole = LOGICAL(full);
  double w = asReal(wobble);
  const char *names[] = { "own", "diagonal", "" };
  SEXP out = PROTECT(mkNamed(VECSXP, names));
  for (int k = 0; k < 2; k++) SET_VECTOR_ELT(out, k, allocVector(REALSXP, cells));
  double *own = REAL(VECTOR_ELT(out, 0)), *diagonal = REAL(VECTOR_ELT(out, 1));
  for (R_xlen_t p = 0, i = 0; p < pairs; p++) {
    double alone = 1 / (1 + wide[p]);
    for (; i < end[p]; i++) {
      double scale = pull[p] / (1 + w * of[i]);
      if (!whole[p]) scale *= alone;
      own[i] = scale * (click[i] - of[i] - (whole[p] ? of[i] * shared[p] : 0));
      diagonal[i] = scale * of[i];
    }
  }
  UNPROTECT(1);
  return out;
}

/* In: clicks and mean of each cell; of each pair its own factor and the sum of its means. Out: two
   sums over the cells: by how much squares are beyond chance, and what a wobble of one would make
   them. */
SEXP wobble_sums(SEXP clicks, SEXP mean, SEXP ends, SEXP factor, SEXP pair_mean) {
  R_xlen_t cells = XLENGTH(clicks), pairs = XLENGTH(ends);
  const double *click = numbers(clicks, cells, "wobble_sums"),
               *of = numbers(mean, cells, "wobble_sums");
  const double *own = numbers(factor, pairs, "wobble_sums"),
               *sum = numbers(pair_mean, pairs, "wobble_sums");
  need_ends(ends, cells, "wobble_sums");
  const int *end = INTEGER(ends);
  long double beyond = 0, total = 0;
  for (R_xlen_t p = 0, i = 0; p < pairs; p++) {
    for (; i < end[p]; i++) {
      double level = own[p] * of[i], free = 1 - of[i] / fmax(sum[p], 1e-12),
             large = 1 + 0.1 * level;
      double weight = free / (large * large), off = click[i] - level;
      beyond += weight * (off * off - free * level);
      total += weight * free * level * level;
    }
  }
  SEXP out = allocVector(REALSXP, 2);
  REAL(out)[0] = (double)beyond;
  REAL(out)[1] = (double)total;
  return out;
}
