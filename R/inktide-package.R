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

utils::globalVariables(c(".", ".data", ".GRP", ".N", ".SD", ":=", "added", "at_home", "band",
  "best", "bias", "far", "i.share", "page_ends",
  "page_new",
  "both", "chance", "click_through", "clicks", "clicks_1", "clicks_2", "clicks_site", "column",
  "confidence", "conversions", "covered", "ctr", "day", "demand", "depth", "done", "error",
  "expected", "forecasts", "gain", "high", "holding", "i.holding", "id", "if_done", "if_done_high",
  "if_done_low", "import", "impressions", "impressions_site", "inside", "low", "luck", "mape",
  "mase", "method", "miss", "missed", "mix", "month", "N", "name", "named", "odd",
  "off", "page", "pairs", "period", "place", "position", "queries", "query",
  "ratio", "residual", "rows", "score", "segment", "share", "true", "turn", "value", "volume",
  "weight", "weighted", "whole", "word"))
