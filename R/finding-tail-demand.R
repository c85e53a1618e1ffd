# Tail demand: queries that people click although they stand on page two or beyond. Whoever scrolls
# that far and clicks more often than is usual there found no good answer above: the demand is real,
# and the page is relevant.

#' Demand in the tail
#'
#' A kind of finding, `tail_demand`: a query that is clicked although its page stands on page two
#' or beyond, which suggests that nothing above answers it.
#'
#' @section Definition: three clicks or more, clicked more than 1.2 times as often as expected
#'   there; `confidence` is the probability of that, by the gamma posterior of the pair's own
#'   factor. Listed from 0.8. Not looked for where an average position may mix near and far places
#'   (see [striking_distance]), which is counted among what was left out.
#' @section Formula: as for [striking_distance], with a step to page one (position 8).
#' @section Do not trust it when: the query is a navigation to this site, or brand words are not
#'   named.
#' @section Assumptions: see `tide_assumptions()`, rows whose `moves` holds `tail_demand`.
#' @examples
#' summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
#' tide_find(summary, kind = "tail_demand")
#' @seealso [tide_find()]
#' @name tail_demand
NULL

find_tail_demand <- function(summary, curve, pairs, options) {
  rows <- which(pairs$tested & pairs$position > assumed("page_one_ends") &
    pairs$position <= assumed("tail_deepest") & pairs$clicks >= assumed("tail_clicks"))
  excluded <- mixed_excluded(pairs, rows)
  rows <- rows[!pairs$mixed[rows]]
  if (!length(rows)) return(no_findings(excluded))
  at <- pairs[rows]
  confidence <- stats::pgamma(assumed("tail_factor"), at$shape, at$rate, lower.tail = FALSE)
  sure <- confidence >= assumed("tail_confidence")
  rows <- rows[sure]
  at <- at[sure]
  if (!length(rows)) return(no_findings(excluded))
  stride <- step_up(summary, curve, at, rep(assumed("target_from_page_two"), length(rows)),
    views = options$page_one_views)
  keep <- which(stride$more > 0 & stride$done$done >= options$least)
  if (!length(keep)) return(no_findings(excluded))
  at <- at[keep]
  stride <- subset_steps(stride, keep)
  sure <- confidence[sure][keep]
  one_line <- seq_along(keep)
  list(found = pair_findings("tail_demand", summary, pairs, rows[keep], stride$done, sure,
    stride$reach),
    excluded = excluded,
    facts = c(
      new_facts("evidence", "clicked_far_down", one_line, position = at$position,
        clicks = at$clicks,
        impressions = at$impressions, window = window_days(summary), times = at$own),
      new_facts("step", "add_passage", one_line, query = summary$queries$query[at$query],
        page = summary$pages$page[at$page], sources = link_sources(summary, pairs, at)),
      step_up_derivation(summary, at, rep(assumed("target_from_page_two"), nrow(at)), stride,
        new_facts("derivation", "factor_confidence", one_line, from_factor = assumed("tail_factor"),
          confidence = sure))))
}

mixed_excluded <- function(pairs, rows) {
  mixed <- rows[pairs$mixed[rows]]
  if (!length(mixed)) return(NULL)
  new_excluded("tail_demand", "near_places_mixed", list(unique(pairs$query[mixed])))
}
