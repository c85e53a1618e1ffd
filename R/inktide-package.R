#' Ink Tide: find what to fix from search performance exports
#'
#' The work runs from left to right: [tide_read()] reads exports, [tide_summary()] reduces them
#' to additive sums, [tide_curve()] fits the site's own CTR by position, [tide_find()] returns
#' the ranked list and [tide_report()] writes it all down. [tide_demo()] makes data to try it on.
#'
#' @import data.table
#' @useDynLib inktide, .registration = TRUE
#' @keywords internal
"_PACKAGE"

utils::globalVariables(c(".", ".data", ".GRP", ".N", ".SD", ":=", "at", "band", "best", "both",
  "case", "click_through", "clicks", "clicks_1", "clicks_2", "clicks_site", "ctr", "day", "demand",
  "expected", "expected_1", "expected_2", "expected_ctr", "exported", "foretold", "gain", "holding",
  "i.holding", "id", "import", "impressions", "impressions_1", "impressions_2", "impressions_site",
  "inverse", "low", "luck", "m", "missed", "mix", "month", "N", "near", "page", "pair", "pairs",
  "period", "place", "plain", "position", "pull", "queries", "query", "ratio", "residual", "rows",
  "score", "share", "since", "tested", "turn", "usual_clicks", "usual_impressions", "value", "w",
  "weight", "weighted", "weighted_1", "weighted_2", "what", "whole", "word"))
