/* The passes over every row that reading and fitting spend their time on. Each takes one walk through memory and keeps
   its table small enough for the processor's cache where it can. */
#include <stdint.h>
#include <stdlib.h>
#include <string.h>
#include <R.h>
#include <Rinternals.h>

static uint64_t scatter(uint64_t x) {
  x ^= x >> 31;
  x *= 0x9E3779B97F4A7C15u;
  x ^= x >> 29;
  x *= 0xBF58476D1CE4E5B9u;
  return x ^ (x >> 32);
}

/* In: texts, and the sum of what is looked for: 1 bytes beyond ASCII, 2 capital letters, 4 white space beyond single blanks
   between words. Out: whether each holds any of it. Most hold none, and nothing need be folded. */
SEXP text_holds_any(SEXP texts, SEXP what) {
  R_xlen_t rows = XLENGTH(texts);
  int wanted = asInteger(what);
  SEXP out = PROTECT(allocVector(LGLSXP, rows));
  int *holds = LOGICAL(out);
  for (R_xlen_t i = 0; i < rows; i++) {
    int found = 0;
    unsigned char before = ' ';
    for (const unsigned char *at = (const unsigned char *) CHAR(STRING_ELT(texts, i)); *at; before = *at++) {
      if (*at > 127) found |= 1;
      else if (*at >= 'A' && *at <= 'Z') found |= 2;
      else if ((*at == ' ' && before == ' ') || (*at >= 9 && *at <= 13)) found |= 4;
    }
    if (before == ' ' && LENGTH(STRING_ELT(texts, i))) found |= 4;
    holds[i] = (found & wanted) != 0;
  }
  UNPROTECT(1);
  return out;
}

/* In: texts. Out: list(code of each from 1, distinct texts in order of appearance). R keeps one copy of each text, so
   texts are told apart by address and none is read. */
typedef struct { SEXP text; int code; } Slot;

static void place(Slot *slots, size_t mask, Slot slot) {
  size_t at = scatter((uintptr_t) slot.text) & mask;
  while (slots[at].text != NULL) at = (at + 1) & mask;
  slots[at] = slot;
}

SEXP distinct_codes(SEXP texts) {
  R_xlen_t rows = XLENGTH(texts);
  const SEXP *text = STRING_PTR_RO(texts);
  SEXP out = PROTECT(allocVector(VECSXP, 2));
  SEXP codes = allocVector(INTSXP, rows);
  SET_VECTOR_ELT(out, 0, codes);
  int *code = INTEGER(codes);
  size_t size = 1 << 12, many = 0, room = 1 << 11;
  Slot *slots = calloc(size, sizeof(Slot));
  R_xlen_t *first = malloc(room * sizeof(R_xlen_t));
  if (slots == NULL || first == NULL) { free(slots); free(first); error("not enough memory for the texts of a column"); }
  for (R_xlen_t i = 0; i < rows; i++) {
    size_t at = scatter((uintptr_t) text[i]) & (size - 1);
    while (slots[at].text != NULL && slots[at].text != text[i]) at = (at + 1) & (size - 1);
    if (slots[at].text != NULL) { code[i] = slots[at].code; continue; }
    if (many == room) {
      /* Half full: a table twice as large. */
      Slot *larger = calloc(2 * size, sizeof(Slot));
      R_xlen_t *longer = realloc(first, 2 * room * sizeof(R_xlen_t));
      if (longer != NULL) first = longer;
      if (larger == NULL || longer == NULL) { free(larger); free(slots); free(first); error("not enough memory for the texts of a column"); }
      for (size_t s = 0; s < size; s++) if (slots[s].text != NULL) place(larger, 2 * size - 1, slots[s]);
      free(slots);
      slots = larger;
      size *= 2;
      room *= 2;
    }
    first[many++] = i;
    Slot slot = { text[i], (int) many };
    place(slots, size - 1, slot);
    code[i] = (int) many;
  }
  free(slots);
  SEXP distinct = allocVector(STRSXP, many);
  SET_VECTOR_ELT(out, 1, distinct);
  for (size_t k = 0; k < many; k++) SET_STRING_ELT(distinct, k, text[first[k]]);
  free(first);
  UNPROTECT(1);
  return out;
}

/* In: whole-number columns, the lowest value and the count of values of each (their product fits 64 bits). Out: does
   any combination stand twice? Keys are dealt into 256 heaps by their scattered bits, so that each heap's table stays
   in the cache. */
SEXP any_repeat(SEXP columns, SEXP lows, SEXP sizes) {
  int width = LENGTH(columns);
  size_t rows = XLENGTH(VECTOR_ELT(columns, 0));
  enum { heaps = 256 };
  size_t start[heaps + 1] = { 0 }, next[heaps], largest = 0;
  uint64_t *key = (uint64_t *) R_alloc(rows, sizeof(uint64_t)), *dealt = (uint64_t *) R_alloc(rows, sizeof(uint64_t));
  memset(key, 0, rows * sizeof(uint64_t));
  for (int c = 0; c < width; c++) {
    const int *value = INTEGER(VECTOR_ELT(columns, c));
    int low = INTEGER(lows)[c];
    uint64_t size = (uint64_t) REAL(sizes)[c];
    for (size_t i = 0; i < rows; i++) key[i] = key[i] * size + (uint64_t) (value[i] - low);
  }
  /* scatter() is one to one, so scattered keys repeat where keys do; 0 marks an empty slot and is counted apart. */
  for (size_t i = 0; i < rows; i++) {
    key[i] = scatter(key[i]);
    start[(key[i] >> 56) + 1]++;
  }
  for (int h = 0; h < heaps; h++) {
    if (start[h + 1] > largest) largest = start[h + 1];
    start[h + 1] += start[h];
    next[h] = start[h];
  }
  for (size_t i = 0; i < rows; i++) dealt[next[key[i] >> 56]++] = key[i];
  size_t size = 16;
  while (size < 2 * largest) size *= 2;
  uint64_t *slots = (uint64_t *) R_alloc(size, sizeof(uint64_t));
  for (int h = 0; h < heaps; h++) {
    int zeros = 0;
    memset(slots, 0, size * sizeof(uint64_t));
    for (size_t i = start[h]; i < start[h + 1]; i++) {
      if (dealt[i] == 0) {
        if (zeros++) return ScalarLogical(TRUE);
        continue;
      }
      size_t at = dealt[i] & (size - 1);
      while (slots[at] != 0 && slots[at] != dealt[i]) at = (at + 1) & (size - 1);
      if (slots[at] != 0) return ScalarLogical(TRUE);
      slots[at] = dealt[i];
    }
  }
  return ScalarLogical(FALSE);
}

/* In: two whole-number columns from 1. Out: list(code of each line's pair from 1, line at which each pair appears first). */
typedef struct { uint64_t key; int code; } Pair;

static Pair *find_pair(Pair *slots, size_t mask, uint64_t key) {
  size_t at = scatter(key) & mask;
  while (slots[at].code != 0 && slots[at].key != key) at = (at + 1) & mask;
  return slots + at;
}

SEXP pair_codes(SEXP one, SEXP other) {
  R_xlen_t rows = XLENGTH(one);
  if (XLENGTH(other) != rows) error("internal error: the columns of the pairs differ in length");
  const int *a = INTEGER(one), *b = INTEGER(other);
  SEXP out = PROTECT(allocVector(VECSXP, 2));
  SEXP codes = allocVector(INTSXP, rows);
  SET_VECTOR_ELT(out, 0, codes);
  int *code = INTEGER(codes), many = 0;
  size_t size = 1 << 12;
  Pair *slots = calloc(size, sizeof(Pair));
  int *first = malloc((rows + 1) * sizeof(int));
  if (slots == NULL || first == NULL) { free(slots); free(first); error("not enough memory for the pairs of two columns"); }
  for (R_xlen_t i = 0; i < rows; i++) {
    uint64_t key = ((uint64_t) a[i] << 32) | (uint32_t) b[i];
    Pair *slot = find_pair(slots, size - 1, key);
    if (slot->code == 0) {
      if ((size_t) many * 2 >= size) {
        /* Half full: a table twice as large. */
        Pair *larger = calloc(2 * size, sizeof(Pair));
        if (larger == NULL) { free(slots); free(first); error("not enough memory for the pairs of two columns"); }
        for (size_t s = 0; s < size; s++) if (slots[s].code != 0) *find_pair(larger, 2 * size - 1, slots[s].key) = slots[s];
        free(slots);
        slots = larger;
        size *= 2;
        slot = find_pair(slots, size - 1, key);
      }
      first[many] = (int) (i + 1);
      slot->key = key;
      slot->code = ++many;
    }
    code[i] = slot->code;
  }
  free(slots);
  SEXP firsts = allocVector(INTSXP, many);
  SET_VECTOR_ELT(out, 1, firsts);
  memcpy(INTEGER(firsts), first, many * sizeof(int));
  free(first);
  UNPROTECT(1);
  return out;
}

/* Sums of x by code from 1 to size. */
SEXP sum_by(SEXP x, SEXP codes, SEXP size) {
  R_xlen_t rows = XLENGTH(x);
  int many = asInteger(size);
  const double *value = REAL(x);
  const int *code = INTEGER(codes);
  SEXP out = PROTECT(allocVector(REALSXP, many));
  double *sum = REAL(out);
  memset(sum, 0, many * sizeof(double));
  for (R_xlen_t i = 0; i < rows; i++) sum[code[i] - 1] += value[i];
  UNPROTECT(1);
  return out;
}
