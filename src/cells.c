/* Sums by query, page and bin in one walk. */
#include <limits.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>
#include "checks.h"
#include "scatter.h"

/* Rows whose places in the table are fetched together, since most of a look-up is waiting for memory. */
enum { batch = 64 };

typedef struct { uint64_t pair; int bin, cell; } Slot;
typedef struct {
  Slot *slots;
  size_t mask;
  int many, room, *first;
  double *sums;
} Cells;

static uint64_t hash_of(uint64_t pair, int bin) { return scatter(pair ^ ((uint64_t) bin << 23)); }

static Slot *find_slot(Slot *slots, size_t mask, uint64_t pair, int bin, size_t at) {
  for (at &= mask; slots[at].cell && (slots[at].pair != pair || slots[at].bin != bin); at = (at + 1) & mask);
  return slots + at;
}

/* Tables twice as large; half full at most. */
static int widen(Cells *of) {
  size_t mask = of->slots == NULL ? (1 << 12) - 1 : 2 * of->mask + 1;
  Slot *slots = calloc(mask + 1, sizeof(Slot));
  if (slots == NULL) return 0;
  for (size_t i = 0; of->slots != NULL && i <= of->mask; i++) {
    Slot *own = of->slots + i;
    if (own->cell) *find_slot(slots, mask, own->pair, own->bin, hash_of(own->pair, own->bin)) = *own;
  }
  free(of->slots);
  of->slots = slots;
  of->mask = mask;
  int room = (int) ((mask + 1) / 2);
  int *first = realloc(of->first, (size_t) room * sizeof(int));
  if (first == NULL) return 0;
  of->first = first;
  double *sums = realloc(of->sums, 4 * (size_t) room * sizeof(double));
  if (sums == NULL) return 0;
  of->sums = sums;
  of->room = room;
  return 1;
}

typedef struct { SEXP columns[3], figures[3]; Cells cells; } Job;

static void drop_cells(void *data) {
  Cells *of = &((Job *) data)->cells;
  free(of->slots);
  free(of->first);
  free(of->sums);
}

static SEXP column_of(const Cells *of, int k) {
  SEXP out = allocVector(REALSXP, of->many);
  for (int i = 0; i < of->many; i++) REAL(out)[i] = of->sums[4 * (size_t) i + k];
  return out;
}

static SEXP sum_rows(void *data) {
  Job *job = data;
  Cells *of = &job->cells;
  int rows = LENGTH(job->columns[0]);
  const int *query = INTEGER(job->columns[0]), *page = INTEGER(job->columns[1]), *bin = INTEGER(job->columns[2]);
  const double *figure[3];
  for (int k = 0; k < 3; k++) figure[k] = REAL(job->figures[k]);
  uint64_t pair[batch], hash[batch];
  if (!widen(of)) error("there is no memory left");
  for (int start = 0; start < rows; start += batch) {
    if ((start & 0xFFFFF) == 0) R_CheckUserInterrupt();
    int many = rows - start < batch ? rows - start : batch;
    for (int i = 0; i < many; i++) {
      pair[i] = ((uint64_t) (uint32_t) query[start + i] << 32) | (uint32_t) page[start + i];
      hash[i] = hash_of(pair[i], bin[start + i]);
      __builtin_prefetch(of->slots + (hash[i] & of->mask));
    }
    for (int i = 0; i < many; i++) {
      int cell = of->slots[hash[i] & of->mask].cell;
      if (cell) __builtin_prefetch(of->sums + 4 * (size_t) (cell - 1), 1);
    }
    for (int i = 0; i < many; i++) {
      int row = start + i;
      Slot *slot = find_slot(of->slots, of->mask, pair[i], bin[row], hash[i]);
      if (!slot->cell) {
        if (of->many == of->room) {
          if (!widen(of)) error("there is no memory left");
          slot = find_slot(of->slots, of->mask, pair[i], bin[row], hash[i]);
        }
        of->first[of->many] = row + 1;
        memset(of->sums + 4 * (size_t) of->many, 0, 4 * sizeof(double));
        *slot = (Slot) { pair[i], bin[row], ++of->many };
      }
      double *sum = of->sums + 4 * (size_t) (slot->cell - 1);
      for (int k = 0; k < 3; k++) sum[k] += figure[k][row];
      sum[3] += 1;
    }
  }
  const char *names[] = { "first", "clicks", "impressions", "weighted", "rows", "" };
  SEXP out = PROTECT(mkNamed(VECSXP, names)), first = allocVector(INTSXP, of->many);
  SET_VECTOR_ELT(out, 0, first);
  if (of->many) memcpy(INTEGER(first), of->first, (size_t) of->many * sizeof(int));
  for (int k = 0; k < 4; k++) SET_VECTOR_ELT(out, k + 1, column_of(of, k));
  UNPROTECT(1);
  return out;
}

/* In: codes of query, page and bin, and the figures clicks, impressions and weighted, a row each. Out: by cell, in order of
   appearance: `first`, its first row; the sums; `rows`, how many there are. */
SEXP sum_cells(SEXP query, SEXP page, SEXP bin, SEXP clicks, SEXP impressions, SEXP weighted) {
  Job job = { { query, page, bin }, { clicks, impressions, weighted }, { NULL, 0, 0, 0, NULL, NULL } };
  need(TYPEOF(query) == INTSXP && XLENGTH(query) <= INT_MAX - batch, "sum_cells", "codes, fewer than 2^31");
  for (int k = 0; k < 3; k++) {
    need(TYPEOF(job.columns[k]) == INTSXP && XLENGTH(job.columns[k]) == XLENGTH(query), "sum_cells", "codes of one length");
    need(TYPEOF(job.figures[k]) == REALSXP && XLENGTH(job.figures[k]) == XLENGTH(query), "sum_cells",
      "figures of one length");
  }
  return R_ExecWithCleanup(sum_rows, &job, drop_cells, &job);
}
