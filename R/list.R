#' The ranked list of opportunities
#'
#' Looks for every kind of opportunity in the recent window, gives each its worth in clicks, its
#' certainty, its evidence and its next step, and puts the best use of a working day first.
#'
#' @details Kinds of findings, each with a page of its own: [low_ctr], [striking_distance],
#'   [cannibalized], [falling] and `rising`, [tail_demand], [new_page].
#'
#' With `sessions` and `conversions` (and `value`) of pages put beside by [tide_enrich()], gains
#' are also told in conversions and money: the page's rate, held to its group's by beta-binomial
#' empirical Bayes, times the gain; intervals include the rate's.
#'
#' `score` = worth x confidence / hours of work, worth being money where it is known, else
#' clicks. Findings that one rewrite fixes are one `task`: the largest leads and has the score of
#' all. Where two findings are about the same clicks, the one with the higher score stays, names
#' the other in its reason and carries the larger of the two gains (a sure cannibalized query
#' stays before all else; what is said of places while pages compete does not count); so the sum
#' of `gain` promises no click twice. Intervals are 90 % intervals of the expected gain, not of
#' one month's luck.
#'
#' @param summary A `tide_summary` object.
#' @param curve A `tide_curve` object; `NULL` fits it to `summary`.
#' @param band Positions from and to which a query is in striking distance.
#' @param target Where a step in striking distance leads: `"next"` (page one from page two, else
#'   the top three), a position for all, or a number of places such as `"+3"`.
#' @param fdr False-discovery rate of `low_ctr`, `falling` and `rising`.
#' @param min_gain Expected extra clicks per 30 days under which a finding is not listed. `NULL`
#'   lists those whose piece of work brings half a click, however small each of its queries is.
#' @param min_impressions Pairs with fewer impressions are not looked at.
#' @param position `c(from, to)`: only pairs with an average position in it.
#' @param segment Segments whose queries are looked at; `NULL` takes all but `brand`, where
#'   several pages and odd CTR are the rule.
#' @param segments A [tide_segment()] or a list of them: only pairs in all of these are looked
#'   at. The curve and the usual spread still come from the whole summary.
#' @param rules A [tide_rules()] object, for conditions on brand, intent and page group.
#' @param kind Kinds to look for; `NULL` for all.
#' @param hours Hours of work by kind, named, where they are not low_ctr 1, rising 1, falling 2,
#'   cannibalized 3, striking_distance 4, tail_demand 4, new_page 8.
#' @param assumptions Numbers by name in place of those of [tide_assumptions()].
#' @param decisions What [tide_decisions()] gives: findings that were dismissed or postponed stay
#'   away, and the list has a column `decision`; the element `decided` holds what is away.
#' @param today The day for which postponed findings are judged.
#' @return A `tide_findings` object: a list with `findings` (a data.table, which [tidy()] hands
#'   out as a tibble, with the columns `rank`, `id`, `kind`, `query`, `page`, `pages`, `clicks`,
#'   `impressions`, `ctr`, `position`, `expected_ctr`, `gain`, `gain_low`, `gain_high`,
#'   `confidence`, `score`, `action`, `reason`, `hours` (0 where the task's first finding has
#'   them), `task` (id of the finding that leads the piece of work), `task_gain` (of all of it),
#'   `gain_conversions` and `gain_value` with `_low` and `_high` where known, and the facts that
#'   [tide_enrich()] put beside query and page), `aside` (what was recognised and is no finding:
#'   `kind`, `reason`, `queries`), `how` (lines of arithmetic by id, see [tide_trace()]), `pairs`
#'   (every query x page pair with its `expected_ctr`, for figures), `curve`, `tested`,
#'   `summary`, `assumptions` (those that were set) and `outside` (what `position` and `within`
#'   leave out: shares of `clicks` and `impressions`, `reason`; or `NULL`). Ids stay the same on
#'   newer data. Gains are in clicks per 30 days.
#' @seealso [tide_group()] for the same list page by page.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' found <- tide_find(tide_summary(data, brand = "fernmoor"))
#' found
#' tidy(found)
#' @export
tide_find <- function(summary, curve = NULL, band = c(4, 20), fdr = 0.1, min_gain = NULL,
    min_impressions = 1, position = NULL, segment = NULL, segments = NULL, rules = tide_rules(),
    kind = NULL, hours = NULL, target = "next", assumptions = NULL, decisions = NULL,
    today = Sys.Date()) {
  check_class(summary, "tide_summary", "summary")
  kind <- check_kind(kind)
  check_hours(hours)
  check_assumptions(assumptions)
  if (is.null(curve)) curve <- tide_curve(summary) else check_class(curve, "tide_curve", "curve")
  check_number(min_impressions, "min_impressions", min = 0)
  segment <- check_segments(segment, curve)
  today <- check_date(today, "today")
  options <- finding_options(kind, band, target, fdr, min_gain)
  pairs <- pair_evidence(summary, curve, segment, min_impressions)
  segments <- with_position(segments, position)
  inside <- pairs_inside(summary, summary$pairs, segments, rules)
  if (!any(inside)) abort_nothing_inside(segments)
  set(pairs, j = "tested", value = pairs$judged & inside)

  looked <- with_assumptions(assumptions, look_for_all(summary, curve, pairs, options))
  found <- looked$found
  set(found, j = "hours", value = kind_hours(hours)[found$kind])
  found <- rank_findings(add_worth(found, summary, rules), options)
  out <- new_findings(found, looked$aside, pairs, curve, summary, assumptions,
    outside = if (!all(inside)) {
      outside_shares(outside_line(summary, pairs, inside, segments), pairs)
    })
  if (is.null(decisions)) out else leave_decided(out, decisions, today)
}

# Every kind that is asked for, one finder after the other: list(found, aside).
look_for_all <- function(summary, curve, pairs, options) {
  finders <- lapply(finding_kinds()[options$kind], `[[`, "find")
  looked <-
    lapply(finders[!duplicated(finders)], function(find) find(summary, curve, pairs, options))
  found <- rbindlist(c(list(empty_findings()), lapply(looked, `[[`, "found")), use.names = TRUE)
  # Sums of probabilities may stray from 0 and 1 by a rounding error.
  set(found, j = "confidence", value = pmin(1, pmax(0, found$confidence)))
  list(found = within_demand(found, summary), aside = rbindlist(lapply(looked, `[[`, "aside")))
}

# What the kinds are asked. least: gain of a line (`by_line`) or of a task.
finding_options <- function(kind, band, target, fdr, min_gain) {
  check_range(band, "band", null = FALSE)
  check_number(fdr, "fdr", min = 0.001, max = 0.5)
  check_number(min_gain, "min_gain", min = 0, null = TRUE)
  list(kind = kind, band = band, target = check_target(target), fdr = fdr,
    by_line = !is.null(min_gain), least = if (is.null(min_gain)) 0.5 else min_gain)
}

check_kind <- function(kind) {
  known <- names(finding_kinds())
  if (is.null(kind)) return(known)
  unknown <- setdiff(kind, known)
  if (length(unknown)) {
    abort_argument("kind", paste("among", paste(known, collapse = ", ")), unknown)
  }
  intersect(kind, known)
}

with_position <- function(segments, position) {
  check_range(position, "position")
  c(if (!is.null(position)) {
    list(tide_segment(sprintf("position %g to %g", position[1], position[2]), position = position))
  },
    as_segments(segments))
}

# Ranked findings as the class has them.
new_findings <- function(found, aside, pairs, curve, summary, assumptions, outside) {
  inner <- c("claims", "identity", "work", "how", "action", "reason")
  columns <- c("rank", "id", setdiff(finding_columns, inner), "score", "action", "reason", "hours",
    "task", "task_gain", intersect(worth_columns, names(found)))
  structure(list(findings = add_facts(found[, columns, with = FALSE], summary),
    how = stats::setNames(found$how, found$id), aside = aside, pairs = pairs, curve = curve,
    tested = sum(pairs$tested), summary = summary, assumptions = assumptions, outside = outside),
    class = "tide_findings")
}

# Facts of a finding's query and page, where there are any.
add_facts <- function(found, summary) {
  for (by in c("query", "page")) {
    table <- if (by == "query") summary$queries else summary$pages
    at <- match(found[[by]], table[[by]])
    for (column in fact_columns(table)) {
      set(found, j = if (column %in% names(found)) paste0(by, "_", column) else column,
        value = table[[column]][at])
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
  data.table(kind = text, query = text, page = text, pages = text, clicks = number,
    impressions = number, ctr = number, position = number, expected_ctr = number, gain = number,
    gain_low = number, gain_high = number, confidence = number, action = text, reason = text,
    claims = list(), identity = text, work = text, how = list())
}
