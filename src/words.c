/* Texts taken apart and put in order, byte by byte. */
#include <limits.h>
#include <stdlib.h>
#include <string.h>
#include "checks.h"
#include "texts.h"

/* In: texts whose words spaces part. Out: list(text, word: a row for each word of a text, however
   often the text has it, as places among the texts and among the words; the words in order of
   appearance). */
SEXP words_of_texts(SEXP texts) {
  need(TYPEOF(texts) == STRSXP && XLENGTH(texts) < INT_MAX, "words_of_texts",
    "texts, fewer than 2^31");
  R_xlen_t rows = XLENGTH(texts), words = 0;
  for (R_xlen_t i = 0; i < rows; i++) {
    need(STRING_ELT(texts, i) != NA_STRING, "words_of_texts", "texts, none NA");
    char before = ' ';
    for (const char *at = CHAR(STRING_ELT(texts, i)); *at; before = *at++)
      words += before == ' ' && *at != ' ';
  }
  need(words < INT_MAX, "words_of_texts", "fewer than 2^31 words");
  int *text = (int *)R_alloc(words, sizeof(int)), *word = (int *)R_alloc(words, sizeof(int));
  Dictionary known;
  memset(&known, 0, sizeof known);
  R_xlen_t row = 0;
  int fine = 1;
  for (R_xlen_t i = 0; i < rows && fine; i++) {
    const char *at = CHAR(STRING_ELT(texts, i));
    for (R_xlen_t first = row; *at && fine;) {
      size_t length = strcspn(at, " ");
      if (length) {
        int code =
          text_code(&known, at, (uint32_t)length, text_hash(at, (uint32_t)length), (uint64_t)row);
        fine = code > 0;
        R_xlen_t before = first;
        while (before < row && word[before] != code) before++;
        if (before == row) {
          word[row] = code;
          text[row++] = (int)i + 1;
        }
      }
      at += length + (at[length] == ' ');
    }
  }
  if (!fine) {
    drop_dictionary(&known);
    need(0, "words_of_texts", "texts in UTF-8, and memory for their words");
  }
  SEXP out = PROTECT(allocVector(VECSXP, 3));
  SET_VECTOR_ELT(out, 0, allocVector(INTSXP, row));
  SET_VECTOR_ELT(out, 1, allocVector(INTSXP, row));
  if (row) memcpy(INTEGER(VECTOR_ELT(out, 0)), text, (size_t)row * sizeof(int));
  if (row) memcpy(INTEGER(VECTOR_ELT(out, 1)), word, (size_t)row * sizeof(int));
  SEXP distinct = allocVector(STRSXP, known.many);
  SET_VECTOR_ELT(out, 2, distinct);
  for (int i = 0; i < known.many; i++) {
    SET_STRING_ELT(distinct, i,
      mkCharLenCE(known.bytes + known.entries[i].at, (int)known.entries[i].length, CE_UTF8));
  }
  drop_dictionary(&known);
  UNPROTECT(1);
  return out;
}

/* Eight bytes of a text as one number, the first the highest; what is beyond its end is 0, which no
 * text holds. */
typedef struct {
  uint64_t part;
  int at;
} Piece;

static uint64_t part_of(SEXP text, size_t from) {
  uint64_t part = 0;
  size_t length = (size_t)LENGTH(text);
  const unsigned char *bytes = (const unsigned char *)CHAR(text);
  for (size_t i = from; i < from + 8; i++) part = part << 8 | (i < length ? bytes[i] : 0);
  return part;
}

static int by_part(const void *one, const void *other) {
  const Piece *a = one, *b = other;
  if (a->part != b->part) return a->part < b->part ? -1 : 1;
  return a->at < b->at ? -1 : 1;
}

/* Texts that are the same up to here are told apart by their next eight bytes, and so on. */
static void order_from(const SEXP *text, Piece *piece, size_t many, size_t from) {
  for (size_t i = 0; i < many; i++) piece[i].part = part_of(text[piece[i].at], from);
  qsort(piece, many, sizeof(Piece), by_part);
  for (size_t first = 0, end; first < many; first = end) {
    for (end = first + 1; end < many && piece[end].part == piece[first].part; end++)
      ;
    if (end - first > 1 && (piece[first].part & 0xFF))
      order_from(text, piece + first, end - first, from + 8);
  }
}

/* In: texts, none NA. Out: the places of the first, second, ... in the order of their bytes; equals
 * keep theirs. */
SEXP order_of_texts(SEXP texts) {
  need(TYPEOF(texts) == STRSXP && XLENGTH(texts) < INT_MAX, "order_of_texts",
    "texts, fewer than 2^31");
  R_xlen_t rows = XLENGTH(texts);
  const SEXP *text = STRING_PTR_RO(texts);
  Piece *piece = (Piece *)R_alloc(rows, sizeof(Piece));
  for (R_xlen_t i = 0; i < rows; i++) {
    need(text[i] != NA_STRING, "order_of_texts", "texts, none NA");
    piece[i].at = (int)i;
  }
  if (rows > 1) order_from(text, piece, (size_t)rows, 0);
  SEXP out = PROTECT(allocVector(INTSXP, rows));
  for (R_xlen_t i = 0; i < rows; i++) INTEGER(out)[i] = piece[i].at + 1;
  UNPROTECT(1);
  return out;
}
