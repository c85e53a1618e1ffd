/* What R may call. */
#include <Rinternals.h>
#include <R_ext/Rdynload.h>

SEXP distinct_codes(SEXP texts);
SEXP text_holds_any(SEXP texts, SEXP what);
SEXP holds_joined(SEXP texts, SEXP word);
SEXP first_claims(SEXP claims, SEXP many);
SEXP words_of_texts(SEXP texts);
SEXP order_of_texts(SEXP texts);
SEXP any_repeat(SEXP columns, SEXP lows, SEXP sizes);
SEXP pair_codes(SEXP one, SEXP other);
SEXP sum_by(SEXP x, SEXP codes, SEXP size);
SEXP read_spots(SEXP table, SEXP left, SEXP share);
SEXP blended_ctr(SEXP table, SEXP position, SEXP rows, SEXP impressions, SEXP breaks);
SEXP blend_classes(SEXP rows, SEXP impressions, SEXP breaks);
SEXP blend_spots(SEXP position, SEXP class, SEXP grid);
SEXP scan_records(SEXP path, SEXP skip, SEXP sep, SEXP cells);
SEXP path_facts_of(SEXP path);
SEXP own_file(SEXP path, SEXP owner, SEXP group, SEXP mode);
SEXP default_faults(void);
SEXP write_bytes(SEXP to, SEXP bytes);
SEXP least_by(SEXP x, SEXP codes, SEXP size);
SEXP phrase_counts(SEXP words, SEXP texts, SEXP at);
SEXP robots_verdicts(SEXP rules, SEXP allows, SEXP paths);
SEXP new_cells(SEXP apart);
SEXP add_cells(SEXP sums, SEXP query, SEXP page, SEXP bin, SEXP bins, SEXP clicks, SEXP impressions,
  SEXP position, SEXP day, SEXP recent_from);
SEXP take_cells(SEXP sums);
SEXP read_plain(SEXP path, SEXP skip, SEXP sep, SEXP cells, SEXP columns, SEXP kinds, SEXP telling,
  SEXP figures, SEXP above, SEXP threads, SEXP rows_path, SEXP keys_path);
SEXP read_blocks(SEXP ask);
SEXP sum_blocks(
  SEXP ask, SEXP position, SEXP sums, SEXP query, SEXP page, SEXP bins, SEXP recent_from);
SEXP rows_of_share(SEXP query, SEXP page, SEXP share);
SEXP sums_of_pairs(SEXP x, SEXP ends);
SEXP kept_sums(SEXP clicks, SEXP mean, SEXP wobble, SEXP ends);
SEXP cell_scores(SEXP clicks, SEXP mean, SEXP wobble, SEXP ends, SEXP calm, SEXP spread_mean,
  SEXP shared_residual, SEXP full);
SEXP wobble_sums(SEXP clicks, SEXP mean, SEXP ends, SEXP factor, SEXP pair_mean);
SEXP group_priors_of(SEXP mean, SEXP sd, SEXP weight, SEXP gamma, SEXP at);
SEXP mixture_of(
  SEXP numbers, SEXP at, SEXP least_sd, SEXP gamma, SEXP high, SEXP size, SEXP sd, SEXP step);
SEXP highest_one_of(SEXP logs);
SEXP counts_over_factors(SEXP counts, SEXP expected, SEXP at);

static const R_CallMethodDef calls[] = { { "distinct_codes", (DL_FUNC)&distinct_codes, 1 },
  { "text_holds_any", (DL_FUNC)&text_holds_any, 2 }, { "holds_joined", (DL_FUNC)&holds_joined, 2 },
  { "first_claims", (DL_FUNC)&first_claims, 2 }, { "words_of_texts", (DL_FUNC)&words_of_texts, 1 },
  { "order_of_texts", (DL_FUNC)&order_of_texts, 1 }, { "any_repeat", (DL_FUNC)&any_repeat, 3 },
  { "pair_codes", (DL_FUNC)&pair_codes, 2 }, { "sum_by", (DL_FUNC)&sum_by, 3 },
  { "read_spots", (DL_FUNC)&read_spots, 3 }, { "blended_ctr", (DL_FUNC)&blended_ctr, 5 },
  { "blend_classes", (DL_FUNC)&blend_classes, 3 }, { "blend_spots", (DL_FUNC)&blend_spots, 3 },
  { "scan_records", (DL_FUNC)&scan_records, 4 }, { "path_facts_of", (DL_FUNC)&path_facts_of, 1 },
  { "own_file", (DL_FUNC)&own_file, 4 }, { "default_faults", (DL_FUNC)&default_faults, 0 },
  { "write_bytes", (DL_FUNC)&write_bytes, 2 }, { "least_by", (DL_FUNC)&least_by, 3 },
  { "phrase_counts", (DL_FUNC)&phrase_counts, 3 },
  { "robots_verdicts", (DL_FUNC)&robots_verdicts, 3 }, { "new_cells", (DL_FUNC)&new_cells, 1 },
  { "add_cells", (DL_FUNC)&add_cells, 10 }, { "take_cells", (DL_FUNC)&take_cells, 1 },
  { "read_plain", (DL_FUNC)&read_plain, 12 }, { "read_blocks", (DL_FUNC)&read_blocks, 1 },
  { "sum_blocks", (DL_FUNC)&sum_blocks, 7 }, { "rows_of_share", (DL_FUNC)&rows_of_share, 3 },
  { "sums_of_pairs", (DL_FUNC)&sums_of_pairs, 2 }, { "kept_sums", (DL_FUNC)&kept_sums, 4 },
  { "cell_scores", (DL_FUNC)&cell_scores, 8 }, { "wobble_sums", (DL_FUNC)&wobble_sums, 5 },
  { "group_priors_of", (DL_FUNC)&group_priors_of, 5 }, { "mixture_of", (DL_FUNC)&mixture_of, 8 },
  { "highest_one_of", (DL_FUNC)&highest_one_of, 1 },
  { "counts_over_factors", (DL_FUNC)&counts_over_factors, 3 }, { NULL, NULL, 0 } };

void R_init_inktide(DllInfo *dll) {
  R_registerRoutines(dll, NULL, calls, NULL, NULL);
  R_useDynamicSymbols(dll, FALSE);
}
