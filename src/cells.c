/* Sums by query, page and bin, added up block by block: clicks, impressions, impressions x position
   and how many rows; of the recent rows apart where asked for. */
#include <limits.h>
#include <stdlib.h>
#include <string.h>
#include "cells.h"
#include "checks.h"
#include "scatter.h"

enum { figures = 4 };

typedef struct {
  uint64_t pair;
  int bin, cell;
} Slot;
/* sums: `width` of each cell, those of all rows and then those of recent ones. */
struct Cells {
  Slot *slots;
  size_t mask;
  int many, room, width;
  Slot *keys;
  double *sums;
};

static uint64_t hash_of(uint64_t pair, int bin) { return scatter(pair ^ ((uint64_t)bin << 23)); }

static Slot *find_slot(Slot *slots, size_t mask, uint64_t pair, int bin, size_t at) {
  for (at &= mask; slots[at].cell && (slots[at].pair != pair || slots[at].bin != bin);
       at = (at + 1) & mask)
    ;
  return slots + at;
}

static void drop_cells(Cells *of) {
  free(of->slots);
  free(of->keys);
  free(of->sums);
  memset(of, 0, sizeof(Cells));
}

/* The table twice as large where it is half full. */
static int widen_slots(Cells *of) {
  size_t mask = of->slots == NULL ? (1 << 12) - 1 : 2 * of->mask + 1;
  Slot *slots = calloc(mask + 1, sizeof(Slot));
  if (slots == NULL) return 0;
  free(of->slots);
  of->slots = slots;
  of->mask = mask;
  for (int k = 0; k < of->many; k++) {
    Slot own = of->keys[k];
    *find_slot(slots, mask, own.pair, own.bin, hash_of(own.pair, own.bin)) = own;
  }
  return 1;
}

static int widen(Cells *of) {
  if ((of->slots == NULL || (size_t)of->many * 2 > of->mask) && !widen_slots(of)) return 0;
  if (of->many < of->room) return 1;
  if (of->room > INT_MAX / 2) return 0;
  int room = of->room ? of->room + of->room / 2 : 2048;
  Slot *keys = realloc(of->keys, (size_t)room * sizeof(Slot));
  if (keys == NULL) return 0;
  of->keys = keys;
  double *sums = realloc(of->sums, (size_t)of->width * (size_t)room * sizeof(double));
  if (sums == NULL) return 0;
  of->sums = sums;
  of->room = room;
  return 1;
}

static void finalize_cells(SEXP at) {
  Cells *of = R_ExternalPtrAddr(at);
  if (of == NULL) return;
  drop_cells(of);
  free(of);
  R_ClearExternalPtr(at);
}

Cells *cells_of(SEXP at, const char *entry) {
  Cells *of = TYPEOF(at) == EXTPTRSXP && R_ExternalPtrTag(at) == install("inktide_cells")
    ? R_ExternalPtrAddr(at)
    : NULL;
  need(of != NULL, entry, "sums that new_cells() began and take_cells() did not end");
  return of;
}

int recent_apart(const Cells *of) { return of->width > figures; }

int put_rows(Cells *of, const CellRow *rows, int many) {
  uint64_t hash[cell_rows];
  if (!widen(of)) return 0;
  for (int i = 0; i < many; i++) {
    hash[i] = hash_of(rows[i].pair, rows[i].bin);
    __builtin_prefetch(of->slots + (hash[i] & of->mask));
  }
  for (int i = 0; i < many; i++) {
    int cell = of->slots[hash[i] & of->mask].cell;
    if (cell) __builtin_prefetch(of->sums + (size_t)of->width * (size_t)(cell - 1), 1);
  }
  for (int i = 0; i < many; i++) {
    const CellRow *row = rows + i;
    Slot *slot = find_slot(of->slots, of->mask, row->pair, row->bin, hash[i]);
    if (!slot->cell) {
      if (!widen(of)) return 0;
      slot = find_slot(of->slots, of->mask, row->pair, row->bin, hash[i]);
      memset(
        of->sums + (size_t)of->width * (size_t)of->many, 0, (size_t)of->width * sizeof(double));
      *slot = (Slot){ row->pair, row->bin, of->many + 1 };
      of->keys[of->many++] = *slot;
    }
    double *sum = of->sums + (size_t)of->width * (size_t)(slot->cell - 1);
    double one[figures] = { row->clicks, row->impressions, row->impressions * row->position, 1 };
    for (int k = 0; k < figures; k++) sum[k] += one[k];
    if (of->width > figures && row->recent)
      for (int k = 0; k < figures; k++) sum[figures + k] += one[k];
  }
  return 1;
}

/* In: whether recent rows are summed apart as well. Out: sums of nothing, for add_cells() and
 * take_cells(). */
SEXP new_cells(SEXP apart) {
  int wide = need_count(apart, 0, "new_cells", "a flag");
  Cells *of = calloc(1, sizeof(Cells));
  if (of == NULL) error("there is no memory left");
  of->width = wide ? 2 * figures : figures;
  SEXP at = PROTECT(R_MakeExternalPtr(of, install("inktide_cells"), R_NilValue));
  R_RegisterCFinalizer(at, finalize_cells);
  UNPROTECT(1);
  return at;
}

/* A column of numbers, whole or not. */
typedef struct {
  const int *whole;
  const double *number;
} Figure;

static Figure figure_of(SEXP x, R_xlen_t rows) {
  need((TYPEOF(x) == INTSXP || TYPEOF(x) == REALSXP) && XLENGTH(x) == rows, "add_cells",
    "figures, a number a row");
  return (Figure){ TYPEOF(x) == INTSXP ? INTEGER(x) : NULL, TYPEOF(x) == REALSXP ? REAL(x) : NULL };
}

static inline double value_of(Figure of, R_xlen_t row) {
  return of.whole == NULL ? of.number[row] : (double)of.whole[row];
}

/* In: sums; codes of query and page from 1, a row each (rows whose code is 0 or NA are passed by);
   codes of bins, or NULL: then `bins` tells them by twice the position, the last for all beyond;
   figures; which rows are recent (days not before `recent_from`), where those are summed apart. */
SEXP add_cells(SEXP sums, SEXP query, SEXP page, SEXP bin, SEXP bins, SEXP clicks, SEXP impressions,
  SEXP position, SEXP day, SEXP recent_from) {
  Cells *of = cells_of(sums, "add_cells");
  R_xlen_t rows = XLENGTH(query);
  need(TYPEOF(query) == INTSXP && TYPEOF(page) == INTSXP && XLENGTH(page) == rows, "add_cells",
    "codes of one length");
  int by_position = bin == R_NilValue, last = LENGTH(bins);
  need(by_position ? TYPEOF(bins) == INTSXP && last > 0
                   : TYPEOF(bin) == INTSXP && XLENGTH(bin) == rows,
    "add_cells", "bins");
  Figure figure[3] = { figure_of(clicks, rows), figure_of(impressions, rows),
    figure_of(position, rows) };
  int apart = recent_apart(of),
      from = apart ? need_count(recent_from, 0, "add_cells", "the first recent day") : 0;
  need(!apart || (TYPEOF(day) == INTSXP && XLENGTH(day) == rows), "add_cells", "days, one a row");
  const int *q = INTEGER(query), *p = INTEGER(page), *b = by_position ? NULL : INTEGER(bin),
            *table = by_position ? INTEGER(bins) : NULL;
  const int *days = apart ? INTEGER(day) : NULL;
  CellRow waiting[cell_rows];
  int many = 0;
  for (R_xlen_t row = 0; row < rows; row++) {
    pause_at(row);
    if (q[row] != 0 && q[row] != NA_INTEGER) {
      double place = value_of(figure[2], row);
      waiting[many++] =
        (CellRow){ pair_of(q[row], p[row]), by_position ? bin_at(table, last, place) : b[row],
          apart && days[row] >= from, value_of(figure[0], row), value_of(figure[1], row), place };
    }
    if (many < cell_rows && row + 1 < rows) continue;
    if (!put_rows(of, waiting, many)) error("there is no memory left");
    many = 0;
  }
  return R_NilValue;
}

static void put_sums(SEXP out, int first, const Cells *of, int k, const int *which, int many) {
  SEXP column = allocVector(REALSXP, many);
  SET_VECTOR_ELT(out, first, column);
  for (int i = 0; i < many; i++)
    REAL(column)[i] = of->sums[(size_t)of->width * (size_t)which[i] + (size_t)k];
}

/* Cells with rows in one part of the sums: list(query, page, bin, clicks, impressions, weighted,
 * rows). */
static SEXP part_of(const Cells *of, int part) {
  const char *names[] = { "query", "page", "bin", "clicks", "impressions", "weighted", "rows", "" };
  int many = 0, *which = (int *)R_alloc((size_t)of->many + 1, sizeof(int));
  for (int i = 0; i < of->many; i++)
    if (of->sums[(size_t)of->width * (size_t)i + (size_t)(part + 3)] > 0) which[many++] = i;
  SEXP out = PROTECT(mkNamed(VECSXP, names));
  for (int k = 0; k < 3; k++) {
    SEXP column = allocVector(INTSXP, many);
    SET_VECTOR_ELT(out, k, column);
    for (int i = 0; i < many; i++) {
      Slot key = of->keys[which[i]];
      INTEGER(column)
      [i] = k == 0 ? (int)(key.pair >> 32)
        : k == 1   ? (int)(key.pair & 0xFFFFFFFFu)
                   : key.bin;
    }
  }
  for (int k = 0; k < figures; k++) put_sums(out, 3 + k, of, part + k, which, many);
  UNPROTECT(1);
  return out;
}

/* Out: list(all, recent) of cells in order of appearance; `recent` is NULL where it was not summed
 * apart. Ends the sums. */
SEXP take_cells(SEXP sums) {
  Cells *of = cells_of(sums, "take_cells");
  const char *names[] = { "all", "recent", "" };
  SEXP out = PROTECT(mkNamed(VECSXP, names));
  /* What finds cells is needed no more. */
  free(of->slots);
  of->slots = NULL;
  SET_VECTOR_ELT(out, 0, part_of(of, 0));
  if (of->width > figures) SET_VECTOR_ELT(out, 1, part_of(of, figures));
  finalize_cells(sums);
  UNPROTECT(1);
  return out;
}
