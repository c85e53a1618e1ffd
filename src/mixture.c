/* The arithmetic of two-groups mixtures over a grid of effects (R/stat-mixture.R says what for):
   the same few sums some ten thousand times. */
#include <math.h>
#include <string.h>
#include <Rmath.h>
#include "checks.h"

enum { usual, low, high_part, parts };

/* What the groups are like before anything is seen. They have the same names and values in
   R/stat-mixture.R, where each has its reason. */
static const double least_distance = 0.4, usual_distance = 0.8, other_sd = 0.4, prior_pairs = 5;

typedef struct {
  double weight[parts], mean[parts], sd[parts], gamma;
} Groups;
/* gamma, whether there is a high part, what standard deviations are above; prior: sizes and
 * standard deviations. */
typedef struct {
  double least_sd, gamma;
  int high;
  const double *size, *sd;
} Shape;

/* Groups from numbers without bounds: the usual mean and the log of what its standard deviation is
   above the least one; per further group the log of its weight beside the usual one, of its
   distance beyond the least, and of how much wider it is. */
static Groups groups_of(const double *x, const Shape *shape) {
  Groups out = { { 1, exp(x[2]), shape->high ? exp(x[5]) : 0 },
    { x[0], x[0] - least_distance - exp(x[3]), x[0] + usual_distance }, { 0, 0, other_sd },
    shape->gamma };
  double all = out.weight[usual] + out.weight[low] + out.weight[high_part],
         sd = shape->least_sd + exp(x[1]);
  for (int k = 0; k < parts; k++) out.weight[k] /= all;
  out.sd[usual] = sd;
  out.sd[low] = sqrt(sd * sd + exp(2 * x[4]));
  if (shape->high) {
    out.mean[high_part] = x[0] + (least_distance + exp(x[6]));
    out.sd[high_part] = sqrt(sd * sd + exp(2 * x[7]));
  }
  return out;
}

/* Probabilities of the effects, of this mean and standard deviation: normal, but for the share
   `gamma`, which is distributed as the log of a gamma variable (trigamma(size) is sd^2, to within a
   hundredth). */
static void effect_shares(
  const double *at, int many, double mean, double sd, double gamma, double *out) {
  long double all = 0;
  for (int i = 0; i < many; i++) all += out[i] = dnorm4(at[i], mean, sd, 0);
  for (int i = 0; i < many; i++) out[i] /= (double)all;
  if (gamma == 0) return;
  double size = (1 + sqrt(1 + 2 * sd * sd)) / (2 * sd * sd), middle = digamma(size) - log(size);
  double *skewed = (double *)R_alloc((size_t)many, sizeof(double));
  all = 0;
  for (int i = 0; i < many; i++) {
    double beside = at[i] - mean + middle;
    all += skewed[i] = exp(size * (beside - expm1(beside)));
  }
  for (int i = 0; i < many; i++) out[i] = (1 - gamma) * out[i] + gamma * skewed[i] / (double)all;
}

/* Weight of each effect in one group. What is low lies below what is usual, what is high above; an
   effect at the border counts by the part of its step beyond. */
static void group_weights(const double *at, int many, const Groups *groups, int k, double *out) {
  const void *memory = vmaxget();
  effect_shares(at, many, groups->mean[k], groups->sd[k], groups->gamma, out);
  long double all = 0;
  for (int i = 0; i < many; i++) {
    if (k != usual) {
      double beyond = 0.5 + (at[i] - groups->mean[usual]) * (k == low ? -1 : 1) / (at[1] - at[0]);
      out[i] *= beyond < 0 ? 0 : beyond > 1 ? 1 : beyond;
    }
    all += out[i];
  }
  for (int i = 0; i < many; i++) out[i] = groups->weight[k] * out[i] / (double)all;
  vmaxset(memory);
}

/* Means and standard deviations as if `prior_pairs` of each group had been seen before, weights as
   if as many as `size` says had. */
static double log_prior(const Groups *groups, const Shape *shape) {
  const double anchor[] = { 0, groups->mean[usual] - usual_distance,
    groups->mean[usual] + usual_distance };
  double out = 0;
  for (int k = 0; k < (shape->high ? parts : high_part); k++) {
    double off = groups->mean[k] - anchor[k], sd = groups->sd[k];
    out += shape->size[k] * log(fmax(groups->weight[k], 1e-300)) - prior_pairs * log(sd) -
      prior_pairs / 2 * (off * off + shape->sd[k] * shape->sd[k]) / (sd * sd);
  }
  return out;
}

/* The weights of the effects in all groups together, and the log prior. */
static double mixture_at(
  const double *x, const double *at, int many, const Shape *shape, double *own, double *out) {
  Groups groups = groups_of(x, shape);
  memset(out, 0, (size_t)many * sizeof(double));
  for (int k = 0; k < parts; k++) {
    group_weights(at, many, &groups, k, own);
    for (int i = 0; i < many; i++) out[i] += own[i];
  }
  return log_prior(&groups, shape);
}

/* In: means, standard deviations and weights of the three groups, the share of gamma, and evenly
   spaced effects. Out: the weight of each effect in each group, a column a group. */
SEXP group_priors_of(SEXP mean, SEXP sd, SEXP weight, SEXP gamma, SEXP at) {
  need(TYPEOF(mean) == REALSXP && TYPEOF(sd) == REALSXP && TYPEOF(weight) == REALSXP &&
      LENGTH(mean) == parts && LENGTH(sd) == parts && LENGTH(weight) == parts &&
      TYPEOF(gamma) == REALSXP && LENGTH(gamma) == 1,
    "group_priors_of", "three groups");
  need(TYPEOF(at) == REALSXP && LENGTH(at) > 1, "group_priors_of", "two effects or more");
  Groups groups;
  memcpy(groups.mean, REAL(mean), sizeof groups.mean);
  memcpy(groups.sd, REAL(sd), sizeof groups.sd);
  memcpy(groups.weight, REAL(weight), sizeof groups.weight);
  groups.gamma = REAL(gamma)[0];
  SEXP out = PROTECT(allocMatrix(REALSXP, LENGTH(at), parts));
  for (int k = 0; k < parts; k++)
    group_weights(REAL(at), LENGTH(at), &groups, k, REAL(out) + (size_t)k * (size_t)LENGTH(at));
  UNPROTECT(1);
  return out;
}

/* In: the numbers of the groups, effects, the least standard deviation, the share of gamma, whether
   there is a high part, and the prior's sizes and standard deviations; a step, 0 for none. Out:
   list(weights of the effects, log prior); with a step, their slopes by each number, from that much
   on both sides: a column a number, and a value. */
SEXP mixture_of(
  SEXP numbers, SEXP at, SEXP least_sd, SEXP gamma, SEXP high, SEXP size, SEXP sd, SEXP step) {
  Shape shape = { asReal(least_sd), asReal(gamma), need_count(high, 0, "mixture_of", "a flag"),
    NULL, NULL };
  need(TYPEOF(numbers) == REALSXP && LENGTH(numbers) == (shape.high ? 8 : 5), "mixture_of",
    "the numbers of the groups");
  need(TYPEOF(at) == REALSXP && LENGTH(at) > 1, "mixture_of", "two effects or more");
  need(TYPEOF(size) == REALSXP && TYPEOF(sd) == REALSXP && LENGTH(size) == parts &&
      LENGTH(sd) == parts,
    "mixture_of", "a prior");
  shape.size = REAL(size);
  shape.sd = REAL(sd);
  int many = LENGTH(at), of = LENGTH(numbers);
  double by = asReal(step), *own = (double *)R_alloc((size_t)many, sizeof(double));
  SEXP out = PROTECT(allocVector(VECSXP, 2));
  if (by == 0) {
    SET_VECTOR_ELT(out, 0, allocVector(REALSXP, many));
    double prior = mixture_at(REAL(numbers), REAL(at), many, &shape, own, REAL(VECTOR_ELT(out, 0)));
    SET_VECTOR_ELT(out, 1, ScalarReal(prior));
    UNPROTECT(1);
    return out;
  }
  double *below = (double *)R_alloc((size_t)many, sizeof(double)),
         *x = (double *)R_alloc((size_t)of, sizeof(double));
  SET_VECTOR_ELT(out, 0, allocMatrix(REALSXP, many, of));
  SET_VECTOR_ELT(out, 1, allocVector(REALSXP, of));
  double *slopes = REAL(VECTOR_ELT(out, 0)), *of_prior = REAL(VECTOR_ELT(out, 1));
  memcpy(x, REAL(numbers), (size_t)of * sizeof(double));
  for (int j = 0; j < of; j++) {
    double *above = slopes + (size_t)j * (size_t)many, here = x[j];
    x[j] = here + by;
    double prior = mixture_at(x, REAL(at), many, &shape, own, above);
    x[j] = here - by;
    of_prior[j] = (prior - mixture_at(x, REAL(at), many, &shape, own, below)) / (2 * by);
    x[j] = here;
    for (int i = 0; i < many; i++) above[i] = (above[i] - below[i]) / (2 * by);
  }
  UNPROTECT(1);
  return out;
}

/* exp of each row beside its largest value. */
static void rows_from_logs(double *logs, int rows, int columns) {
  double *most = (double *)R_alloc((size_t)rows + 1, sizeof(double));
  memcpy(most, logs, (size_t)rows * sizeof(double));
  for (int j = 1; j < columns; j++) {
    const double *own = logs + (size_t)j * (size_t)rows;
    for (int i = 0; i < rows; i++)
      if (own[i] > most[i]) most[i] = own[i];
  }
  for (int j = 0; j < columns; j++) {
    double *own = logs + (size_t)j * (size_t)rows;
    for (int i = 0; i < rows; i++) own[i] = exp(own[i] - most[i]);
  }
}

/* In: logs, a row each. Out: the same as likelihoods, the largest of each row 1. */
SEXP highest_one_of(SEXP logs) {
  need(TYPEOF(logs) == REALSXP && isMatrix(logs) && ncols(logs) > 0, "highest_one_of",
    "a matrix of numbers");
  SEXP out = PROTECT(allocMatrix(REALSXP, nrows(logs), ncols(logs)));
  memcpy(REAL(out), REAL(logs), (size_t)XLENGTH(logs) * sizeof(double));
  rows_from_logs(REAL(out), nrows(logs), ncols(logs));
  UNPROTECT(1);
  return out;
}

/* In: counts, what is expected of them, log factors. Out: how likely each count is (Poisson) under
   each factor: a row a count, its largest value 1. */
SEXP counts_over_factors(SEXP counts, SEXP expected, SEXP at) {
  need(
    TYPEOF(counts) == REALSXP && TYPEOF(expected) == REALSXP && LENGTH(counts) == LENGTH(expected),
    "counts_over_factors", "counts and what is expected of each");
  need(TYPEOF(at) == REALSXP && LENGTH(at) > 0, "counts_over_factors", "log factors");
  int rows = LENGTH(counts), columns = LENGTH(at);
  const double *count = REAL(counts), *of = REAL(expected);
  SEXP out = PROTECT(allocMatrix(REALSXP, rows, columns));
  for (int j = 0; j < columns; j++) {
    double log_factor = REAL(at)[j], factor = exp(log_factor),
           *own = REAL(out) + (size_t)j * (size_t)rows;
    for (int i = 0; i < rows; i++) own[i] = count[i] * log_factor - of[i] * factor;
  }
  rows_from_logs(REAL(out), rows, columns);
  UNPROTECT(1);
  return out;
}
