/* What the walk over a plain export found, as R's lists. */
#include <stdlib.h>
#include <string.h>
#include "plain.h"

/* All dictionaries of one column as one, in order of appearance. Out: list(levels, codes of those
 * for each thread's). */
typedef struct {
  uint64_t place;
  int code;
} Appearance;

static int by_place(const void *one, const void *other) {
  const Appearance *a = one, *b = other;
  return (a->place > b->place) - (a->place < b->place);
}

static SEXP one_dictionary(Coder *coder, int column) {
  int many = coder->wish.many, threads = coder->wish.threads;
  Dictionary *first = &coder->texts[column];
  const char *names[] = { "levels", "codes", "" };
  SEXP out = PROTECT(mkNamed(VECSXP, names)), maps = allocVector(VECSXP, threads);
  SET_VECTOR_ELT(out, 1, maps);
  for (int t = 0; t < threads; t++) {
    Dictionary *own = &coder->texts[t * many + column];
    SEXP map = allocVector(INTSXP, own->many);
    SET_VECTOR_ELT(maps, t, map);
    for (int i = 0; i < own->many; i++) {
      int code = i + 1;
      if (t > 0) {
        const Entry *entry = &own->entries[i];
        const char *text = own->bytes + entry->at;
        code = text_code(first, text, entry->length, text_hash(text, entry->length), entry->place);
        if (!code) error("there is no memory left");
        if (first->entries[code - 1].place > entry->place)
          first->entries[code - 1].place = entry->place;
      }
      INTEGER(map)[i] = code;
    }
    if (t > 0) drop_dictionary(own);
  }
  int most = first->many;
  Appearance *order = (Appearance *)R_alloc((size_t)most + 1, sizeof(Appearance));
  int *rank = (int *)R_alloc((size_t)most + 1, sizeof(int));
  for (int i = 0; i < most; i++) order[i] = (Appearance){ first->entries[i].place, i + 1 };
  qsort(order, (size_t)most, sizeof(Appearance), by_place);
  SEXP levels = allocVector(STRSXP, most);
  SET_VECTOR_ELT(out, 0, levels);
  for (int i = 0; i < most; i++) {
    const Entry *entry = &first->entries[order[i].code - 1];
    rank[order[i].code] = i + 1;
    SET_STRING_ELT(levels, i, mkCharLenCE(first->bytes + entry->at, (int)entry->length, CE_UTF8));
  }
  drop_dictionary(first);
  for (int t = 0; t < threads; t++) {
    int *map = INTEGER(VECTOR_ELT(maps, t));
    for (int i = 0; i < LENGTH(VECTOR_ELT(maps, t)); i++) map[i] = rank[map[i]];
  }
  UNPROTECT(1);
  return out;
}

SEXP texts_of(Coder *coder) {
  SEXP out = PROTECT(allocVector(VECSXP, coder->wish.many));
  for (int j = 0; j < coder->wish.many; j++) {
    if (coder->wish.kinds[j] == kind_text) SET_VECTOR_ELT(out, j, one_dictionary(coder, j));
  }
  UNPROTECT(1);
  return out;
}

SEXP columns_of(Coder *coder, SEXP texts) {
  const Wish *wish = &coder->wish;
  R_xlen_t rows = 0;
  for (int b = 0; b < coder->many_blocks; b++) rows += coder->blocks[b].rows;
  if (rows > INT_MAX) return R_NilValue;
  SEXP out = PROTECT(allocVector(VECSXP, wish->many));
  for (int j = 0; j < wish->many; j++) {
    int number = wish->kinds[j] == kind_number;
    for (int t = 0; t < wish->threads && number; t++) number = coder->whole[t * wish->many + j];
    int doubles = wish->kinds[j] == kind_number && !number;
    SEXP column = allocVector(doubles ? REALSXP : INTSXP, rows);
    SET_VECTOR_ELT(out, j, column);
    char *to = doubles ? (char *)REAL(column) : (char *)INTEGER(column);
    for (int b = 0; b < coder->many_blocks; b++) {
      const Block *block = &coder->blocks[b];
      size_t many = (size_t)block->rows, width = doubles ? sizeof(double) : sizeof(int);
      const int *from = ints_of(coder, block->bytes, j, block->rows);
      if (number) {
        const double *numbers = numbers_of(coder, block->bytes, j, block->rows);
        for (size_t i = 0; i < many; i++) ((int *)to)[i] = (int)numbers[i];
      } else if (wish->kinds[j] == kind_text) {
        const int *map =
          INTEGER(VECTOR_ELT(VECTOR_ELT(VECTOR_ELT(texts, j), 1), block->thread)) - 1;
        for (size_t i = 0; i < many; i++) ((int *)to)[i] = map[from[i]];
      } else memcpy(to, from, many * width);
      to += many * width;
    }
  }
  UNPROTECT(1);
  return out;
}

static SEXP sums_as_list(const Sum *sums, const int *which, int many) {
  const char *names[] = { "place", "rows", "clicks", "impressions", "" };
  SEXP out = PROTECT(mkNamed(VECSXP, names));
  SET_VECTOR_ELT(out, 0, allocVector(INTSXP, many));
  for (int k = 1; k < 4; k++) SET_VECTOR_ELT(out, k, allocVector(REALSXP, many));
  for (int i = 0; i < many; i++) {
    INTEGER(VECTOR_ELT(out, 0))[i] = which[i];
    REAL(VECTOR_ELT(out, 1))[i] = sums[which[i]].rows;
    REAL(VECTOR_ELT(out, 2))[i] = sums[which[i]].clicks;
    REAL(VECTOR_ELT(out, 3))[i] = sums[which[i]].impressions;
  }
  UNPROTECT(1);
  return out;
}

static void add_sum(Sum *to, const Sum *from) {
  to->rows += from->rows;
  to->clicks += from->clicks;
  to->impressions += from->impressions;
}

SEXP sums_of(Coder *coder) {
  int many = 0, *known = (int *)R_alloc(last_day - first_day + 1, sizeof(int)), both[] = { 0, 1 };
  Sum *days = coder->days[0], left[2] = { { 0, 0, 0 }, { 0, 0, 0 } };
  for (int t = 0; t < coder->wish.threads; t++) {
    for (int k = 0; k < 2; k++) add_sum(&left[k], &coder->left[t][k]);
    for (int d = 0; d <= last_day - first_day && t > 0; d++) add_sum(&days[d], &coder->days[t][d]);
  }
  for (int d = 0; d <= last_day - first_day; d++)
    if (days[d].rows > 0) known[many++] = d;
  SEXP out = PROTECT(allocVector(VECSXP, 2)), by_day = sums_as_list(days, known, many);
  SET_VECTOR_ELT(out, 0, by_day);
  for (int i = 0; i < many; i++) INTEGER(VECTOR_ELT(by_day, 0))[i] += first_day;
  SET_VECTOR_ELT(out, 1, sums_as_list(left, both, 2));
  UNPROTECT(1);
  return out;
}

SEXP blocks_of(const Coder *coder) {
  const char *names[] = { "thread", "rows", "at", "" };
  SEXP out = PROTECT(mkNamed(VECSXP, names));
  SET_VECTOR_ELT(out, 0, allocVector(INTSXP, coder->many_blocks));
  SET_VECTOR_ELT(out, 1, allocVector(INTSXP, coder->many_blocks));
  SET_VECTOR_ELT(out, 2, allocVector(REALSXP, coder->many_blocks));
  for (int b = 0; b < coder->many_blocks; b++) {
    INTEGER(VECTOR_ELT(out, 0))[b] = coder->blocks[b].thread + 1;
    INTEGER(VECTOR_ELT(out, 1))[b] = coder->blocks[b].rows;
    REAL(VECTOR_ELT(out, 2))[b] = (double)coder->blocks[b].at;
  }
  UNPROTECT(1);
  return out;
}
