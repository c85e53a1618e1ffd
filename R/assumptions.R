# Every number that the list rests on and that no data of the site decide: one table, with what it
# is, where it comes from and which kinds it moves. Code asks for them by name, with assumed().

#' What the list assumes
#'
#' The numbers that drive the findings and that the site's own data do not tell: chances,
#' thresholds, hours. Any of them can be set in a project's `inktide.yml` under `assumptions`, or
#' by `assumptions` of [tide_find()], [tide_history()], [tide_forecast()], [tide_review()] and
#' [tide_missing_words()]; what is made of a list ([tide_plan()], [tide_value()], [tide_group()])
#' rests on those of the list.
#'
#' @param set Values of one's own by name, or `NULL`.
#' @return A tibble, a row each: `name`, `value`, `unit`, `about`, `source` (`judgement`, or
#'   `measured` with the study in `bench/` that does), `moves` (the kinds of finding, separated
#'   by spaces, or `forecast`, `value`) and `own` (whether it was set).
#' @section Errors: `tide_error_argument` for a name that is none, with the nearest, or a value
#'   that is no number above 0.
#' @seealso [tide_find()], [tide_trace()]
#' @examples
#' tide_assumptions()
#' subset(tide_assumptions(list(merge_rise = 0.8)), own)
#' @export
tide_assumptions <- function(set = NULL) {
  check_assumptions(set)
  rows <- rbindlist(assumption_table)
  at <- match(names(set), rows$name)
  set(rows, at, "value", unlist(set))
  set(rows, j = "own", value = rows$name %in% names(set))
  tibble::as_tibble(rows)
}

check_assumptions <- function(set) {
  if (is.null(set)) return(invisible())
  known <- names(assumption_defaults)
  unknown <- setdiff(names(set), known)
  if (is.null(names(set)) || length(unknown)) {
    abort_argument("assumptions", sprintf("named among those of tide_assumptions(), such as %s",
      if (length(unknown)) nearest_name(unknown[1], known) else known[1]),
      unknown)
  }
  values <- unlist(set)
  if (!is.numeric(values) || length(values) != length(set) || anyNA(values) || any(values <= 0)) {
    abort_argument("assumptions", "numbers above 0", values)
  }
}

# The value in force: ours, or what was set for the call that is being answered. It is a local
# variable of that call: no state outlives it, and calls within calls have theirs.
assumed <- function(name) {
  for (n in rev(seq_len(sys.nframe() - 1L))) {
    in_force <- sys.frame(n)[[".assumptions"]]
    if (is.null(in_force)) next
    if (!is.null(in_force[[name]])) return(in_force[[name]])
    break
  }
  assumption_defaults[[name]]
}

# Puts values of one's own in force for the function that calls it: what rests on any stands first
# in each exported function, so that none is read before.
local_assumptions <- function(set, frame = parent.frame()) {
  check_assumptions(set)
  assign(".assumptions", as.list(set), envir = frame)
}

assume <- function(name, value, unit, about, moves, source = "judgement") {
  list(name = name, value = value, unit = unit, about = about, source = source, moves = moves)
}

assumption_table <- list(
  assume("page_one_ends", 10.5, "position", "averages up to here are on page one",
    "striking_distance cannibalized tail_demand", "the results page of ten"),
  assume("top_three_ends", 3.5, "position", "averages up to here are in the top three",
    "striking_distance cannibalized"),
  assume("page_one_views", 1.5, "times",
    "impressions on page one to those on page two, where the site shows too little",
    "striking_distance cannibalized", "measured: bench/simulate-findings.R"),
  assume("page_one_views_sd", 0.3, "log", "standard deviation of that between sites",
    "striking_distance cannibalized"),
  assume("page_one_views_most", 4, "times", "more than this is not believed",
    "striking_distance cannibalized"),
  assume("target_from_page_two", 8, "position", "where a step from page two leads",
    "striking_distance"),
  assume("target_from_page_one", 3, "position", "where a step on page one leads",
    "striking_distance"),
  assume("step_chance", 0.35, "chance",
    "of a short step up, falling with the distance in log position", "striking_distance"),
  assume("step_slope_sd", 0.2, "log",
    "by which a query's CTR at another place is off from what its own factor says",
    "striking_distance", "measured: bench/simulate-situations.R"),
  assume("step_past_counts", 0.5, "share",
    "weight of what queries did by themselves against the default", "striking_distance"),
  assume("step_past_cases", 50, "cases", "that the default counts as, against the site's history",
    "striking_distance"),
  assume("difficulty_slope", 1, "log odds",
    "by which 50 points of difficulty more lower the chance of a step",
    "striking_distance tail_demand new_page"),
  assume("difficulty_slope_sd", 0.5, "log odds", "how well that is known before any outcome",
    "striking_distance tail_demand new_page"),
  assume("young_days_least", 7, "days",
    "of life, from which clicks of 30 days are worked out by it",
    "low_ctr striking_distance tail_demand new_page"),
  assume("young_missed", 20, "impressions",
    "expected before it was first seen, from which a page or query is young",
    "low_ctr striking_distance tail_demand new_page", "judgement: a season may thin them, too"),
  assume("feature_queries", 5, "queries",
    "with a feature of the results page, from which what it takes is measured",
    "low_ctr striking_distance"),
  assume("feature_expected", 2, "clicks", "expected of a query that such a measure rests on",
    "low_ctr striking_distance"),
  assume("feature_sd", 0.5, "log", "how much such features take, before any is measured",
    "low_ctr striking_distance"),
  assume("page_ends", 0.02, "chance", "that a page goes for good in a week",
    "low_ctr striking_distance cannibalized tail_demand new_page"),
  assume("mixed_chance", 0.01, "chance",
    "of so many clicks, under which an average of days or pages is taken to mix places",
    "striking_distance tail_demand", "measured: bench/simulate-undated.R"),
  assume("intent_worth", 20, "conversions", "that no difference between intents counts as", "value",
    "measured: bench/simulate-value.R"),
  assume("unusual_month", 0.25, "log", "by which a month is off before it is replaced", "forecast"),
  assume("event_shift_errors", 3, "times",
    "as far apart as months without an event, to be its doing", "forecast",
    "measured: bench/simulate-forecasts.R"),
  assume("event_shift_least", 0.2, "log", "by which the level changes at an event, at least",
    "forecast"),
  assume("forecast_origins", 12, "months", "from which a forecast is tried out", "forecast"),
  assume("forecast_miss", 1.6, "times",
    "how far months differ by chance, which a forecast misses the first one by", "forecast",
    "measured: bench/simulate-forecasts.R"),
  assume("forecast_season", 0.12, "log",
    "by which a season that under 13 months do not show moves the months ahead", "forecast",
    "measured: bench/simulate-forecasts.R"),
  assume("forecast_learns", 0.75, "share", "of the squared miss at earlier months that is left now",
    "forecast"),
  assume("forecast_widens", 0.35, "share", "by which the squared miss grows with a month more",
    "forecast"),
  assume("forecast_prior", 2, "forecasts",
    "that these two count as, against what earlier forecasts missed", "forecast",
    "measured: bench/simulate-forecasts.R"),
  assume("method_prior", 2, "forecasts", "by which a method seldom tried leans on all", "forecast",
    "measured: bench/simulate-forecasts.R"),
  assume("growth_months", 4, "months", "that the growth on the year before is taken from",
    "forecast"),
  assume("origin_counts", 1.5, "forecasts", "that all misses of one month's forecast count as",
    "forecast"),
  assume("review_prior", 6, "months", "that the ranges said count as, against months that came",
    "forecast"),
  assume("text_match", 0.5, "words", "that a word counts for which only a page's text says",
    "cannibalized", "measured: bench/simulate-wrong-leaders.R"),
  assume("best_place_share", 0.1, "share",
    "of comparable queries that hold the best place or a better one", "forecast"),
  assume("comparable_size", 3, "times", "as often shown or as seldom, to be comparable",
    "forecast"),
  assume("comparable_least", 20, "queries", "comparable, else the whole site stands for them",
    "forecast"),
  assume("volumes_agree", 3, "times", "more or fewer impressions than volume that are remarked",
    "forecast"),
  assume("plan_shared", 0.33, "share", "of what lines of a plan bring that moves together",
    "forecast"),
  assume("said_until", 30, "position", "up to which a phrase that its page lacks is looked for",
    "missing_words"),
  assume("said_effect", 0.05, "log",
    "by which the position is better once title or heading say the phrase, if it works",
    "missing_words"),
  assume("said_confidence", 0.95, "chance", "that a phrase is missing of which no form is found",
    "missing_words"),
  assume("said_chance", 0.1, "chance", "that saying it works, before outcomes tell",
    "missing_words"),
  assume("lasting_looks", 12, "looks", "at a position that count as independent, at most",
    "striking_distance"),
  assume("striking_factor", 0.5, "times",
    "clicked less than this of what is expected, a query is no candidate", "striking_distance"),
  assume("low_doubt", 0.04, "chance", "that a low-CTR finding is what no model of ours knows",
    "low_ctr", "measured: bench/simulate-opportunities.R"),
  assume("rewrite_page_chance", 0.6, "chance", "that a new title and description work", "low_ctr"),
  assume("rewrite_query_chance", 0.4, "chance", "the same, for one query of the page", "low_ctr"),
  assume("low_below", 0.8, "share", "of the expected clicks; more is too small to work on",
    "low_ctr"),
  assume("low_confidence", 0.5, "chance", "a line is listed from", "low_ctr"),
  assume("shift_share", 0.05, "share", "of pages whose CTR at equal position changes in the window",
    "low_ctr", "measured: bench/simulate-changes.R"),
  assume("shift_share_pair", 0.02, "share", "the same, of single queries of pages that do not",
    "low_ctr", "measured: bench/simulate-changes.R"),
  assume("shift_known", 0.15, "chance", "that a known change of a page changed its CTR", "low_ctr"),
  assume("shift_known_pages", 5, "pages", "of an event that is taken for a change of each, at most",
    "low_ctr"),
  assume("shift_chance", 0.5, "chance", "from which a change counts", "low_ctr"),
  assume("shift_named", 0.1, "chance", "from which a change lends doubt", "low_ctr"),
  assume("fall_by_title", 0.6, "chance",
    "that a lasting fall of CTR is the page's own doing, where nothing else tells", "low_ctr"),
  assume("fall_by_known", 0.9, "chance", "the same in a week in which somebody changed the page",
    "low_ctr"),
  assume("fall_own_sd", 0.15, "log", "by which CTR of single queries moves by itself", "low_ctr"),
  assume("sisters_fall", 0.05, "chance", "that sisters fell as well, without being the reason",
    "low_ctr"),
  assume("long_tail_clicks", 5, "clicks",
    "expected of a page's small queries together, from which each of them is looked at", "low_ctr"),
  assume("topic_rest", 0.33, "times",
    "as likely that the results page takes a topic, without its page that misses most", "low_ctr"),
  assume("shift_least", 0.22, "log", "by which CTR changes, at least", "low_ctr"),
  assume("shift_clicks", 5, "clicks",
    "expected in the window, of a page or query that is looked at", "low_ctr"),
  assume("shift_usual_shape", 16, "clicks", "that a level near the curve is known to beforehand",
    "low_ctr", "measured: bench/simulate-changes.R"),
  assume("shift_odd_shape", 4, "clicks", "the same of an odd level", "low_ctr"),
  assume("shift_odd_level", 0.6, "times", "the curve, an odd level on average", "low_ctr"),
  assume("shift_odd_share", 0.07, "share", "of units with an odd level throughout", "low_ctr"),
  assume("swap_days", 7, "days", "each page led, for a swap", "cannibalized"),
  assume("swap_share", 0.1, "share", "of the days each page led, for a swap", "cannibalized"),
  assume("level_share", 0.25, "share",
    "of the position by which two pages differ and are still level", "cannibalized"),
  assume("together_weeks", 0.5, "share",
    "of the weeks that show both pages, for pages shown together", "cannibalized"),
  assume("together_share", 0.25, "share", "of impressions that the smaller page has",
    "cannibalized"),
  assume("together_places", 6, "places", "between the two", "cannibalized"),
  assume("together_position", 7, "position", "none of the two is better than", "cannibalized"),
  assume("match_words", 0.25, "share", "of its words by which a page matches better",
    "cannibalized"),
  assume("match_places", 15, "places", "below the leader the better match is, at most",
    "cannibalized"),
  assume("match_ahead", 2, "places", "ahead, a leader leads as it should", "cannibalized"),
  assume("match_ahead_share", 0.25, "share", "of its position ahead, a leader leads as it should",
    "cannibalized"),
  assume("mismatch_share", 0.3, "share",
    "of leaders whose words match less do not answer the query", "cannibalized",
    "measured: bench/simulate-contests.R"),
  assume("mismatch_factor", 0.55, "times",
    "as often such a leader is clicked as the other page would be", "cannibalized"),
  assume("mismatch_sd", 0.3, "log", "standard deviation of that", "cannibalized"),
  assume("mismatch_usual_sd", 0.15, "log", "the same of leaders that do answer", "cannibalized"),
  assume("mismatch_listed", 0.75, "chance", "a wrong leader is listed from", "cannibalized",
    "measured: bench/simulate-contests.R"),
  assume("well_off_factor", 0.8, "times",
    "clicked so often, a page and one beneath it do each other no harm", "cannibalized"),
  assume("lead_surest_day", 0.9, "chance", "that one day shows who leads, at most", "cannibalized"),
  assume("lead_lasts", 20, "days", "a lead lasts on average", "cannibalized"),
  assume("lead_wavers", 0.3, "log", "positions differ from day to day by themselves",
    "cannibalized"),
  assume("contest_confidence", 0.7, "chance", "that pages shown together do each other harm",
    "cannibalized"),
  assume("contest_sd", 0.15, "log", "what one page would earn is known to", "cannibalized"),
  assume("undated_doubtful", 0.35, "chance", "that two pages without dates do each other harm",
    "cannibalized"),
  assume("undated_likely", 0.5, "chance", "the same, where they stand near each other",
    "cannibalized"),
  assume("undated_surest", 0.7, "chance", "that the wrong page leads without dates, at most",
    "cannibalized"),
  assume("merge_rise", 2 / 3, "times", "the position of the better page is that of the merged one",
    "cannibalized"),
  assume("merge_best", 1 / 2, "times", "the same, at best", "cannibalized"),
  assume("merge_chance", 0.5, "chance", "that a merge works", "cannibalized"),
  assume("redirect_share", 0.2, "share",
    "of what one page would bring that the other page earns otherwise, to be redirected at most",
    "cannibalized"),
  assume("relink_merges", 0.6, "times",
    "the chance of a merge, where pages are only reworded and linked", "cannibalized"),
  assume("relink_chance", 0.6, "chance", "that links and words bring the other page to the front",
    "cannibalized"),
  assume("moved_by", log(4 / 3), "log", "clicks for a search changed, at least", "falling rising"),
  assume("moved_weeks", 4, "weeks", "of each of the two windows", "falling rising"),
  assume("won_back", 0.5, "chance", "that what was lost is won back", "falling"),
  assume("goes_on", 1 / 3, "share", "of the rise that a rise goes on by", "rising"),
  assume("rise_chance", 0.5, "chance", "that a rise goes on", "rising"),
  assume("weak_page_from", 0.5, "chance", "from which a page counts as weak as a whole", "low_ctr"),
  assume("low_doubtful", 0.7, "chance", "below which a reason names the doubt", "low_ctr"),
  assume("low_enough", 20, "queries", "with three expected clicks or more, to tell low CTR",
    "low_ctr"),
  assume("low_named", 0.2, "chance",
    "from which an unlisted low query is counted as too uncertain", "low_ctr"),
  assume("topic_effect", 0.7, "log", "that a topic loses to its results page, about", "low_ctr"),
  assume("topic_effect_sd", 0.35, "log", "give or take", "low_ctr"),
  assume("topic_least_effect", 0.2, "log", "lost, at least, for a topic that loses any", "low_ctr"),
  assume("topic_pairs", 4, "pairs", "of a topic that can be judged, at least", "low_ctr"),
  assume("topic_largest", 0.5, "share", "of all pairs that one topic may have", "low_ctr"),
  assume("swap_even", 0.5, "chance", "that the lead changed hands, for a swap", "cannibalized"),
  assume("swap_settles", 0.15, "chance", "that pages that took turns have settled", "cannibalized"),
  assume("side_by_side_places", 4, "places", "between pages that are shown side by side, at most",
    "cannibalized"),
  assume("side_by_side_share", 0.7, "share",
    "of impressions that the larger of two pages side by side has, at most", "cannibalized"),
  assume("far_down_places", 15, "places", "below the best page, and", "cannibalized"),
  assume("far_down_from", 20, "position", "from which on a second page does no harm",
    "cannibalized"),
  assume("weighty_days", 7, "one in", "of the days shows a page that matters, at least",
    "cannibalized"),
  assume("weighty_share", 0.1, "share", "of the impressions that a page that matters has",
    "cannibalized"),
  assume("undated_share", 0.2, "share", "of the impressions, the same without dates",
    "cannibalized"),
  assume("undated_places", 8, "places", "between pages without dates, at most", "cannibalized"),
  assume("moved_impressions", 20, "impressions", "in each window, at least", "falling rising"),
  assume("moved_clicks", 8, "clicks", "in both windows, at least", "falling rising"),
  assume("moved_usual_sd", 0.15, "log",
    "by which CTR at equal position usually moves, to begin with", "falling rising"),
  assume("moved_confidence", 0.5, "chance", "a line is listed from", "falling rising"),
  assume("tail_confidence", 0.8, "chance", "a line is listed from", "tail_demand"),
  assume("idea_impressions", 10, "impressions", "of each query, at least", "new_page"),
  assume("tail_deepest", 60, "position", "of demand in the tail", "tail_demand"),
  assume("tail_clicks", 3, "clicks", "at least", "tail_demand"),
  assume("tail_factor", 1.2, "times", "clicked so often as expected there, at least",
    "tail_demand"),
  assume("chance_cases", 10, "steps", "that a chance counts as, against the project's own outcomes",
    "low_ctr striking_distance cannibalized falling rising tail_demand new_page"),
  assume("worked_ratio", 1.5, "times", "the clicks there would have been, where a step worked",
    "low_ctr striking_distance cannibalized falling rising tail_demand new_page"),
  assume("worked_spread", 0.4, "log", "how far that differs from step to step",
    "low_ctr striking_distance cannibalized falling rising tail_demand new_page"),
  assume("chance_sd", 0.35, "log", "how far the chance of a kind is known",
    "low_ctr striking_distance cannibalized falling rising tail_demand new_page"),
  assume("least_if_done", 1, "clicks", "per 30 days if done, of a task that is listed",
    "low_ctr striking_distance falling rising tail_demand new_page"),
  assume("list_share", 0.8, "share", "of the gain that the tasks shown at first bring", ""),
  assume("new_page_from", 40, "position", "from which on no page of the site answers", "new_page"),
  assume("page_names_share", 0.75, "share",
    "of a query's telling words that a page which answers names", "new_page"),
  assume("new_page_reaches", 12, "position", "that a new page reaches", "new_page"),
  assume("new_page_chance", 0.25, "chance", "that it does", "new_page"),
  assume("new_page_confidence", 0.6, "chance", "that the demand is real", "new_page"),
  assume("new_page_low", 1 / 3, "times", "the gain at the lower end of its interval", "new_page"),
  assume("new_page_high", 2.5, "times", "the gain at the upper end", "new_page"))

assumption_defaults <- stats::setNames(lapply(assumption_table, `[[`, "value"),
  vapply(assumption_table, `[[`, "", "name"))

# The lines of an explanation that name what a kind of finding rests on.
assumption_lines <- function(kind, set) {
  if (!length(set)) return(NULL)
  rows <- tide_assumptions(set)
  rows <- rows[rows$own & vapply(strsplit(rows$moves, " "), function(kinds) kind %in% kinds, NA), ]
  if (!nrow(rows)) return(NULL)
  paste("set by you:", paste(sprintf("%s %s", rows$name,
    format(signif(rows$value, 3), trim = TRUE, drop0trailing = TRUE)),
    collapse = ", "))
}
