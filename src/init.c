/* What R may call. */
#include <Rinternals.h>
#include <R_ext/Rdynload.h>

SEXP distinct_codes(SEXP texts);
SEXP text_holds_any(SEXP texts, SEXP what);
SEXP any_repeat(SEXP columns, SEXP lows, SEXP sizes);
SEXP pair_codes(SEXP one, SEXP other);
SEXP sum_by(SEXP x, SEXP codes, SEXP size);
SEXP read_spots(SEXP table, SEXP left, SEXP share);
SEXP blended_ctr(SEXP table, SEXP position, SEXP rows, SEXP impressions, SEXP breaks);

static const R_CallMethodDef calls[] = {
  {"distinct_codes", (DL_FUNC) &distinct_codes, 1},
  {"text_holds_any", (DL_FUNC) &text_holds_any, 2},
  {"any_repeat", (DL_FUNC) &any_repeat, 3},
  {"pair_codes", (DL_FUNC) &pair_codes, 2},
  {"sum_by", (DL_FUNC) &sum_by, 3},
  {"read_spots", (DL_FUNC) &read_spots, 3},
  {"blended_ctr", (DL_FUNC) &blended_ctr, 5},
  {NULL, NULL, 0}
};

void R_init_inktide(DllInfo *dll) {
  R_registerRoutines(dll, NULL, calls, NULL, NULL);
  R_useDynamicSymbols(dll, FALSE);
}
