/* How often each phrase stands in the text it is looked for in. */
#include <string.h>
#include "checks.h"

/* In: phrases, texts, and for each phrase which text (from 1) it is looked for in. Out: counts.
   Phrases begin and end with a blank that two of them may share, so the search goes on with the
   last byte of a match. */
SEXP phrase_counts(SEXP words, SEXP texts, SEXP at) {
  need(TYPEOF(words) == STRSXP && TYPEOF(texts) == STRSXP, "phrase_counts", "texts");
  need(TYPEOF(at) == INTSXP && XLENGTH(at) == XLENGTH(words), "phrase_counts",
    "a whole number for each phrase");
  R_xlen_t rows = XLENGTH(words);
  const int *which = INTEGER(at);
  for (R_xlen_t i = 0; i < rows; i++) {
    need(which[i] >= 1 && which[i] <= XLENGTH(texts), "phrase_counts", "numbers of texts");
  }
  SEXP out = PROTECT(allocVector(INTSXP, rows));
  int *counts = INTEGER(out);
  for (R_xlen_t i = 0; i < rows; i++) {
    pause_at(i);
    const char *word = CHAR(STRING_ELT(words, i));
    const char *here = CHAR(STRING_ELT(texts, which[i] - 1));
    size_t length = strlen(word);
    int found = 0;
    while (length && (here = strstr(here, word))) {
      found++;
      here += length > 1 ? length - 1 : 1;
    }
    counts[i] = found;
  }
  UNPROTECT(1);
  return out;
}
