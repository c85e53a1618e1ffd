/* What every entry point asks of its arguments before it reads one. R's callers settle values; here
   types, lengths and ranges are checked again, since a wrong one would read or write memory that is
   not ours. */
#ifndef INKTIDE_CHECKS_H
#define INKTIDE_CHECKS_H
#include <R.h>
#include <Rinternals.h>

static inline void need(int fine, const char *entry, const char *what) {
  if (!fine) Rf_error("internal error: %s needs %s", entry, what);
}

/* One whole number from low up. */
static inline int need_count(SEXP x, int low, const char *entry, const char *what) {
  need((TYPEOF(x) == INTSXP || TYPEOF(x) == REALSXP) && XLENGTH(x) == 1, entry, what);
  int value = asInteger(x);
  need(value != NA_INTEGER && value >= low, entry, what);
  return value;
}

/* One text. */
static inline const char *need_text(SEXP x, const char *entry, const char *what) {
  need(TYPEOF(x) == STRSXP && XLENGTH(x) == 1 && STRING_ELT(x, 0) != NA_STRING, entry, what);
  return CHAR(STRING_ELT(x, 0));
}

/* A long walk lets the user stop it now and then. */
static inline void pause_at(R_xlen_t i) {
  if ((i & 0xFFFFF) == 0xFFFFF) R_CheckUserInterrupt();
}

#endif
