#' The ranked list of opportunities
#'
#' Looks for every kind of opportunity in the recent window, gives each its worth
#' in clicks, its certainty, its evidence and its next step, and puts the best
#' use of a working day first.
#'
#' @details
#' \describe{
#'   \item{`low_ctr`}{Clicked less than the curve says, by more than queries
#'     usually differ. The spread between queries is split into a usual and a low
#'     part (two-groups mixture); `confidence` is the probability of the low
#'     part, and the expected share of false ones in the list is at most `fdr`.
#'     The gain leads back to where the usual spread would have the query, not
#'     blindly to the curve.}
#'   \item{`striking_distance`}{In the band of positions, with the next
#'     worthwhile step (page one from page two, else the top three) within
#'     reach. Gain = chance of the step x (the query's own rate carried along the
#'     curve to the target, less what it earns).}
#'   \item{`cannibalized`}{Pages swap the lead from week to week by more than
#'     noise would, or are shown together and both held back. Gain: the query at
#'     the better page's held position with all searches, less today.}
#' }
#' `score` = gain x confidence / hours of work (low CTR 1, cannibalized 3,
#' striking distance 4). Where two findings are about the same clicks, the one
#' with the higher score stays (a sure cannibalized query before all else), names
#' the other in its reason and carries the larger of the two gains; so the sum
#' of `gain` promises no click twice. Intervals are 90 % intervals of the expected
#' gain, not of one month's luck.
#'
#' @param summary A `tide_summary` object.
#' @param curve A `tide_curve` object; `NULL` fits it to `summary`.
#' @param band Positions from and to which a query is in striking distance.
#' @param fdr False-discovery rate of `low_ctr`.
#' @param min_gain Expected extra clicks per 30 days under which a finding is
#'   not listed.
#' @param min_impressions Pairs with fewer impressions are not looked at.
#' @param position `c(from, to)`: only pairs with an average position in it.
#' @param segment Segments whose queries are looked at; `NULL` takes all but
#'   `brand`, where several pages and odd CTR are the rule.
#' @param within A [tide_segment()] or a list of them: only pairs in all of these are
#'   looked at. The curve and the usual spread still come from the whole summary.
#' @param rules A [tide_rules()] object, for conditions on brand, intent and page
#'   group.
#' @return A `tide_findings` object: a list with `findings` (a data.table,
#'   which [tidy()] hands out as a tibble, with the columns `rank`, `id`, `kind`, `query`, `page`, `pages`, `clicks`,
#'   `impressions`, `ctr`, `position`, `expected_ctr`, `gain`, `gain_low`,
#'   `gain_high`, `confidence`, `score`, `action`, `reason` and the facts that
#'   [tide_enrich()] put beside query and page), `pairs` (every
#'   query x page pair with its `expected_ctr`, for figures), `curve`, `tested`,
#'   `summary` and `outside` (what `position` and `within` leave out: shares of `clicks` and
#'   `impressions`, `reason`; or `NULL`). Ids stay the same on newer data. Gains are in clicks per 30
#'   days.
#' @references Efron (2010), Large-Scale Inference, Cambridge University Press.
#'   Stephens (2017), Biostatistics 18, 275-294.
#' @seealso [tide_pages()] for the same list page by page.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' found <- tide_find(tide_summary(data, brand = "fernmoor"))
#' found
#' tidy(found)
#' @export
tide_find <- function(summary, curve = NULL, band = c(4, 20), fdr = 0.1, min_gain = 0.5, min_impressions = 1,
                      position = NULL, segment = NULL, within = NULL, rules = tide_rules()) {
  check_class(summary, "tide_summary", "summary")
  if (is.null(curve)) curve <- tide_curve(summary) else check_class(curve, "tide_curve", "curve")
  check_range(band, "band", null = FALSE)
  check_number(fdr, "fdr", min = 0.001, max = 0.5)
  check_number(min_gain, "min_gain", min = 0)
  check_number(min_impressions, "min_impressions", min = 0)
  check_range(position, "position")
  segment <- check_segments(segment, curve)
  within <- c(if (!is.null(position)) list(tide_segment(sprintf("position %g to %g", position[1], position[2]), position = position)), as_segments(within))

  pairs <- pair_evidence(summary, curve, segment, min_impressions)
  inside <- pairs_inside(summary, summary$pairs, within, rules)
  if (!any(inside)) {
    abort_tide("No row is left after filtering.", where = paste(vapply(within, `[[`, "", "name"), collapse = "; "), mend = "Loosen one of these filters.",
      class = "nothing_left")
  }
  set(pairs, j = "tested", value = pairs$judged & inside)
  options <- list(band = band, fdr = fdr, min_gain = min_gain)
  found <- rbindlist(c(list(empty_findings()), lapply(finding_kinds(), function(kind) {
    kind$find(summary, curve, pairs, options)
  })), use.names = TRUE)
  # Sums of probabilities may stray from 0 and 1 by a rounding error.
  set(found, j = "confidence", value = pmin(1, pmax(0, found$confidence)))
  found <- rank_findings(found, min_gain)
  found <- found[, c("rank", "id", setdiff(finding_columns, c("claims", "identity", "action", "reason")), "score", "action", "reason"), with = FALSE]
  structure(list(
    findings = add_facts(found, summary),
    pairs = pairs, curve = curve, tested = sum(pairs$tested), summary = summary,
    outside = if (!all(inside)) outside_shares(outside_line(summary, pairs, inside, within), pairs)
  ), class = "tide_findings")
}

# Facts of a finding's query and page, where there are any.
add_facts <- function(found, summary) {
  for (by in c("query", "page")) {
    table <- if (by == "query") summary$queries else summary$pages
    at <- match(found[[by]], table[[by]])
    for (column in fact_columns(table)) {
      set(found, j = if (column %in% names(found)) paste0(by, "_", column) else column, value = table[[column]][at])
    }
  }
  found[]
}

check_segments <- function(segment, curve) {
  known <- names(curve$fits)
  if (is.null(segment)) return(setdiff(known, "brand"))
  if (!is.character(segment) || !all(segment %in% known)) {
    abort_argument("segment", paste0("among '", paste(known, collapse = "', '"), "'"), segment)
  }
  segment
}

empty_findings <- function() {
  text <- character()
  number <- numeric()
  data.table(kind = text, query = text, page = text, pages = text, clicks = number, impressions = number, ctr = number,
    position = number, expected_ctr = number, gain = number, gain_low = number, gain_high = number, confidence = number,
    action = text, reason = text, claims = list(), identity = text)
}

# Score, one finding for each click, order, ids.
rank_findings <- function(found, min_gain) {
  found <- claim_once(set_score(found))
  found <- set_score(found[found$gain >= min_gain])
  found[, c("rank", "id") := list(seq_len(.N), finding_id(found$kind, found$identity))]
  found[]
}

set_score <- function(found) {
  hours <- vapply(finding_kinds(), `[[`, 0, "hours")
  set(found, j = "score", value = found$gain * found$confidence / hours[found$kind])
  setorderv(found, c("score", "identity"), c(-1L, 1L))
}

# Greedy from the best score, sure cannibalized queries first, since nothing else about a query can be judged
# while its pages compete. A finding whose pairs are claimed already leaves the list and is named in the reason
# of the one that stays, whose gain becomes the largest of the merged: mending both wins at least that, and
# adding them up would promise clicks twice.
claim_once <- function(found) {
  pair <- unlist(found$claims)
  if (!anyDuplicated(pair)) return(found)
  owner <- integer(max(pair))
  stays <- integer(nrow(found))
  for (i in order(!(found$kind == "cannibalized" & found$confidence > 0.5))) {
    claimed <- owner[found$claims[[i]]]
    stays[i] <- if (any(claimed > 0)) claimed[claimed > 0][1] else i
    if (stays[i] == i) owner[found$claims[[i]]] <- i
  }
  merged <- which(stays != seq_along(stays))
  for (into in unique(stays[merged])) {
    from <- merged[stays[merged] == into]
    most <- c(into, from)[which.max(found$gain[c(into, from)])]
    for (column in c("gain", "gain_low", "gain_high")) set(found, into, column, found[[column]][most])
    set(found, into, "reason", sprintf("%s Also %s, counted here once.", found$reason[into],
      paste(unique(kind_label(found$kind[from])), collapse = " and ")))
  }
  found[-merged]
}

kind_label <- function(kind) c(low_ctr = "low CTR", striking_distance = "in striking distance", cannibalized = "cannibalized")[kind]

# Stable across runs: from the kind and the compared forms of query and page, never from figures.
finding_id <- function(kind, identity) {
  initial <- c(low_ctr = "L", striking_distance = "S", cannibalized = "C")[kind]
  if (!length(identity)) return(character())
  text <- enc2utf8(identity)
  sprintf("%s-%08x%02x", initial, digest::digest2int(text, 0L), bitwAnd(digest::digest2int(text, 1L), 255L))
}
