/* The passes over every row that reading and fitting spend their time on. Each takes one walk
   through memory and keeps its table small enough for the processor's cache where it can. */
#include <stdint.h>
#include <limits.h>
#include <string.h>
#include "checks.h"
#include "scatter.h"

/* In: texts, and the sum of what is looked for: 1 bytes beyond ASCII, 2 capital letters, 4 white
   space beyond single blanks between words. Out: whether each holds any of it. Most hold none, and
   nothing need be folded. */
SEXP text_holds_any(SEXP texts, SEXP what) {
  need(TYPEOF(texts) == STRSXP, "text_holds_any", "texts");
  R_xlen_t rows = XLENGTH(texts);
  int wanted = need_count(what, 1, "text_holds_any", "a sum of 1, 2 and 4");
  SEXP out = PROTECT(allocVector(LGLSXP, rows));
  int *holds = LOGICAL(out);
  for (R_xlen_t i = 0; i < rows; i++) {
    pause_at(i);
    int found = 0;
    unsigned char before = ' ';
    for (const unsigned char *at = (const unsigned char *)CHAR(STRING_ELT(texts, i)); *at;
         before = *at++) {
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

/* In: texts and a word. Out: whether each text, its spaces and hyphens taken out, holds the word.
 */
SEXP holds_joined(SEXP texts, SEXP word) {
  need(TYPEOF(texts) == STRSXP, "holds_joined", "texts");
  const char *sought = need_text(word, "holds_joined", "a word");
  need(*sought != 0, "holds_joined", "a word that is not empty");
  R_xlen_t rows = XLENGTH(texts);
  SEXP out = PROTECT(allocVector(LGLSXP, rows));
  int *holds = LOGICAL(out);
  for (R_xlen_t i = 0; i < rows; i++) {
    pause_at(i);
    holds[i] = 0;
    for (const char *from = strchr(CHAR(STRING_ELT(texts, i)), *sought); from != NULL && !holds[i];
         from = strchr(from + 1, *sought)) {
      const char *at = from, *of = sought;
      while (*of && *at && (*at == *of || *at == ' ' || *at == '-'))
        if (*at++ == *of) of++;
      holds[i] = *of == 0;
    }
  }
  UNPROTECT(1);
  return out;
}

/* In: texts. Out: list(code of each from 1, distinct texts in order of appearance). R keeps one
   copy of each text, so texts are told apart by address and none is read. */
typedef struct {
  SEXP text;
  int code;
} Slot;

static void place(Slot *slots, size_t mask, Slot slot) {
  size_t at = scatter((uintptr_t)slot.text) & mask;
  while (slots[at].text != NULL) at = (at + 1) & mask;
  slots[at] = slot;
}

SEXP distinct_codes(SEXP texts) {
  need(TYPEOF(texts) == STRSXP && XLENGTH(texts) <= INT_MAX, "distinct_codes",
    "texts, fewer than 2^31");
  R_xlen_t rows = XLENGTH(texts);
  const SEXP *text = STRING_PTR_RO(texts);
  SEXP out = PROTECT(allocVector(VECSXP, 2));
  SEXP codes = allocVector(INTSXP, rows);
  SET_VECTOR_ELT(out, 0, codes);
  int *code = INTEGER(codes);
  /* Tables belong to R, so that nothing is lost where the user stops the walk. A larger one
   * replaces a smaller. */
  size_t size = 1 << 12, many = 0;
  Slot *slots = (Slot *)R_alloc(size, sizeof(Slot));
  memset(slots, 0, size * sizeof(Slot));
  R_xlen_t *first = (R_xlen_t *)R_alloc(size / 2, sizeof(R_xlen_t));
  for (R_xlen_t i = 0; i < rows; i++) {
    pause_at(i);
    size_t at = scatter((uintptr_t)text[i]) & (size - 1);
    while (slots[at].text != NULL && slots[at].text != text[i]) at = (at + 1) & (size - 1);
    if (slots[at].text != NULL) {
      code[i] = slots[at].code;
      continue;
    }
    if (many == size / 2) {
      /* Half full: a table twice as large. */
      Slot *larger = (Slot *)R_alloc(2 * size, sizeof(Slot));
      R_xlen_t *longer = (R_xlen_t *)R_alloc(size, sizeof(R_xlen_t));
      memset(larger, 0, 2 * size * sizeof(Slot));
      memcpy(longer, first, many * sizeof(R_xlen_t));
      for (size_t s = 0; s < size; s++)
        if (slots[s].text != NULL) place(larger, 2 * size - 1, slots[s]);
      slots = larger;
      first = longer;
      size *= 2;
    }
    first[many++] = i;
    Slot slot = { text[i], (int)many };
    place(slots, size - 1, slot);
    code[i] = (int)many;
  }
  SEXP distinct = allocVector(STRSXP, many);
  SET_VECTOR_ELT(out, 1, distinct);
  for (size_t k = 0; k < many; k++) SET_STRING_ELT(distinct, k, text[first[k]]);
  UNPROTECT(1);
  return out;
}

/* In: whole-number columns, the lowest value and the count of values of each (their product fits 64
   bits). Out: does any combination stand twice? Keys are dealt into 256 heaps by their scattered
   bits, so that each heap's table stays in the cache. */
SEXP any_repeat(SEXP columns, SEXP lows, SEXP sizes) {
  need(TYPEOF(columns) == VECSXP && XLENGTH(columns) > 0, "any_repeat", "a list of columns");
  int width = LENGTH(columns);
  need(TYPEOF(lows) == INTSXP && XLENGTH(lows) == width, "any_repeat",
    "the lowest value of each column");
  need(TYPEOF(sizes) == REALSXP && XLENGTH(sizes) == width, "any_repeat",
    "the count of values of each column");
  size_t rows = XLENGTH(VECTOR_ELT(columns, 0));
  double keys = 1;
  for (int c = 0; c < width; c++) {
    SEXP column = VECTOR_ELT(columns, c);
    need(TYPEOF(column) == INTSXP && (size_t)XLENGTH(column) == rows, "any_repeat",
      "columns of whole numbers of one length");
    need(REAL(sizes)[c] >= 1 && INTEGER(lows)[c] != NA_INTEGER, "any_repeat",
      "ranges that hold something");
    keys *= REAL(sizes)[c];
  }
  need(keys <= 9223372036854775808.0, "any_repeat", "ranges whose product fits 64 bits");
  if (rows < 2) return ScalarLogical(FALSE);
  enum { heaps = 256 };
  size_t start[heaps + 1] = { 0 }, next[heaps], largest = 0;
  uint64_t *key = (uint64_t *)R_alloc(rows, sizeof(uint64_t)),
           *dealt = (uint64_t *)R_alloc(rows, sizeof(uint64_t));
  memset(key, 0, rows * sizeof(uint64_t));
  for (int c = 0; c < width; c++) {
    const int *value = INTEGER(VECTOR_ELT(columns, c));
    int low = INTEGER(lows)[c];
    uint64_t size = (uint64_t)REAL(sizes)[c];
    for (size_t i = 0; i < rows; i++) {
      int64_t place_in = (int64_t)value[i] - low;
      need(value[i] != NA_INTEGER && place_in >= 0 && (uint64_t)place_in < size, "any_repeat",
        "values inside their ranges");
      key[i] = key[i] * size + (uint64_t)place_in;
      pause_at(i);
    }
  }
  /* scatter() is one to one, so scattered keys repeat where keys do; 0 marks an empty slot and is
   * counted apart. */
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
  uint64_t *slots = (uint64_t *)R_alloc(size, sizeof(uint64_t));
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

/* In: what each line claims (numbers from 1, line after line) and how many each has. Out: the line
   that has the first of its claims already, or the line itself, which then has all of them. */
SEXP first_claims(SEXP claims, SEXP many) {
  need(TYPEOF(claims) == INTSXP && TYPEOF(many) == INTSXP && XLENGTH(many) < INT_MAX,
    "first_claims", "whole numbers");
  const int *claim = INTEGER(claims), *of = INTEGER(many);
  int most = 0, lines = LENGTH(many);
  for (R_xlen_t i = 0; i < XLENGTH(claims); i++) {
    need(claim[i] != NA_INTEGER && claim[i] > 0, "first_claims", "claims from 1");
    if (claim[i] > most) most = claim[i];
  }
  int *owner = (int *)R_alloc((size_t)most + 1, sizeof(int));
  memset(owner, 0, ((size_t)most + 1) * sizeof(int));
  SEXP out = PROTECT(allocVector(INTSXP, lines));
  int *stays = INTEGER(out);
  R_xlen_t at = 0;
  for (int line = 0; line < lines; line++) {
    need(of[line] >= 0 && at + of[line] <= XLENGTH(claims), "first_claims",
      "as many claims as are said");
    stays[line] = line + 1;
    for (int k = of[line] - 1; k >= 0; k--)
      if (owner[claim[at + k]]) stays[line] = owner[claim[at + k]];
    for (int k = 0; k < of[line] && stays[line] == line + 1; k++) owner[claim[at + k]] = line + 1;
    at += of[line];
  }
  UNPROTECT(1);
  return out;
}

/* In: two whole-number columns from 1. Out: list(code of each line's pair from 1, line at which
 * each pair appears first). */
typedef struct {
  uint64_t key;
  int code;
} Pair;

static Pair *find_pair(Pair *slots, size_t mask, uint64_t key) {
  size_t at = scatter(key) & mask;
  while (slots[at].code != 0 && slots[at].key != key) at = (at + 1) & mask;
  return slots + at;
}

SEXP pair_codes(SEXP one, SEXP other) {
  need(
    TYPEOF(one) == INTSXP && TYPEOF(other) == INTSXP, "pair_codes", "two columns of whole numbers");
  R_xlen_t rows = XLENGTH(one);
  need(XLENGTH(other) == rows && rows <= INT_MAX, "pair_codes", "columns of one length");
  const int *a = INTEGER(one), *b = INTEGER(other);
  SEXP out = PROTECT(allocVector(VECSXP, 2));
  SEXP codes = allocVector(INTSXP, rows);
  SET_VECTOR_ELT(out, 0, codes);
  int *code = INTEGER(codes), many = 0;
  size_t size = 1 << 12;
  Pair *slots = (Pair *)R_alloc(size, sizeof(Pair));
  memset(slots, 0, size * sizeof(Pair));
  int *first = (int *)R_alloc(rows + 1, sizeof(int));
  for (R_xlen_t i = 0; i < rows; i++) {
    pause_at(i);
    uint64_t key = ((uint64_t)(uint32_t)a[i] << 32) | (uint32_t)b[i];
    Pair *slot = find_pair(slots, size - 1, key);
    if (slot->code == 0) {
      if ((size_t)many * 2 >= size) {
        /* Half full: a table twice as large. */
        Pair *larger = (Pair *)R_alloc(2 * size, sizeof(Pair));
        memset(larger, 0, 2 * size * sizeof(Pair));
        for (size_t s = 0; s < size; s++)
          if (slots[s].code != 0) *find_pair(larger, 2 * size - 1, slots[s].key) = slots[s];
        slots = larger;
        size *= 2;
        slot = find_pair(slots, size - 1, key);
      }
      first[many] = (int)(i + 1);
      slot->key = key;
      slot->code = ++many;
    }
    code[i] = slot->code;
  }
  SEXP firsts = allocVector(INTSXP, many);
  SET_VECTOR_ELT(out, 1, firsts);
  if (many) memcpy(INTEGER(firsts), first, many * sizeof(int));
  UNPROTECT(1);
  return out;
}

/* Sums of x by code from 1 to size. */
SEXP sum_by(SEXP x, SEXP codes, SEXP size) {
  need((TYPEOF(x) == REALSXP || TYPEOF(x) == INTSXP) && TYPEOF(codes) == INTSXP, "sum_by",
    "numbers and their codes");
  R_xlen_t rows = XLENGTH(x);
  need(XLENGTH(codes) == rows, "sum_by", "a code for each number");
  int many = need_count(size, 0, "sum_by", "how many codes there are");
  const double *value = TYPEOF(x) == REALSXP ? REAL(x) : NULL;
  const int *whole = TYPEOF(x) == INTSXP ? INTEGER(x) : NULL, *code = INTEGER(codes);
  SEXP out = PROTECT(allocVector(REALSXP, many));
  double *sum = REAL(out);
  for (int k = 0; k < many; k++) sum[k] = 0;
  for (R_xlen_t i = 0; i < rows; i++) {
    /* NA is the lowest of all whole numbers, and so caught here too. */
    if (code[i] < 1 || code[i] > many)
      error("internal error: sum_by needs codes from 1 to %d", many);
    sum[code[i] - 1] += whole == NULL ? value[i] : whole[i] == NA_INTEGER ? NA_REAL : whole[i];
    pause_at(i);
  }
  UNPROTECT(1);
  return out;
}

/* The least whole number of each code from 1 to size; NA for codes without any. */
SEXP least_by(SEXP x, SEXP codes, SEXP size) {
  need(TYPEOF(x) == INTSXP && TYPEOF(codes) == INTSXP, "least_by", "whole numbers and their codes");
  R_xlen_t rows = XLENGTH(x);
  need(XLENGTH(codes) == rows, "least_by", "a code for each number");
  int many = need_count(size, 0, "least_by", "how many codes there are");
  const int *value = INTEGER(x), *code = INTEGER(codes);
  SEXP out = PROTECT(allocVector(INTSXP, many));
  int *least = INTEGER(out);
  for (int k = 0; k < many; k++) least[k] = NA_INTEGER;
  for (R_xlen_t i = 0; i < rows; i++) {
    if (code[i] < 1 || code[i] > many)
      error("internal error: least_by needs codes from 1 to %d", many);
    int *held = least + code[i] - 1;
    if (value[i] != NA_INTEGER && (*held == NA_INTEGER || value[i] < *held)) *held = value[i];
    pause_at(i);
  }
  UNPROTECT(1);
  return out;
}
