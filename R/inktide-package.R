#' Ink Tide: find what to fix from search performance exports
#'
#' The work runs from left to right: [tide_read()] reads exports,
#' [tide_summary()] reduces them to additive sums, [tide_curve()] fits the
#' site's own CTR by position, [tide_find()] returns the ranked list and
#' [tide_report()] writes it all down. [tide_demo_site()] makes data to try
#' it on.
#'
#' @import data.table
#' @useDynLib inktide, .registration = TRUE
#' @keywords internal
"_PACKAGE"

utils::globalVariables(c("expected_ctr", "period", "usual_clicks", "usual_impressions", "value", "what", 
  ".", ".N", ".GRP", ".SD", ":=", "clicks", "impressions", "weight", "weighted", "queries", "position", "expected", "page", "rows", "low", "clicks_1", "clicks_2", "expected_1", "expected_2", "impressions_1", "impressions_2", "weighted_1", "weighted_2", "demand", "click_through", "mix", "turn", "day", "month", "import", "exported", "clicks_site", "impressions_site", "band", "ctr", "m", "w", "residual", "place", "pull", "luck", "ratio", "case", "query", "pairs", ".data", "at", "gain", "id", "inverse", "near", "pair", "score", "tested", "whole"
))
