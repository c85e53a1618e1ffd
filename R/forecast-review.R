# The ledger: forecasts as they were made, and what came of them.

# Out: whether it was new.
keep_forecast <- function(store, forecast) {
  check_class(forecast, "tide_forecast", "forecast")
  record <- list(months = as.data.frame(forecast$months), of = forecast$history$of,
    plans = lapply(forecast$plans, function(plan) as.data.frame(plan$lines)))
  # What was said before need not be written again, nor the index be opened for it.
  known <- forecast_texts(store)
  if (any(known$date == format(forecast$made) & known$rows == fact_text(record))) {
    return(invisible(FALSE))
  }
  with_store(store, write = TRUE, function(con) {
    keep_fact(store, con, "forecast", forecast$made, forecast$history$source, record)
  })
}

# What was said, forecast by forecast, the oldest first: lists with made, of, months, plans.
kept_forecasts <- function(store) {
  stored <- forecast_texts(store)
  Map(function(said, made) {
    c(parse_json(said, simplify = TRUE), list(made = as.IDate(made)))
  }, stored$rows, stored$date)
}

# As they are stored: `date`, `rows` (JSON).
forecast_texts <- function(store) {
  read_index(store, "forecasts",
    function(con) DBI::dbGetQuery(con,
      "SELECT date, rows FROM facts WHERE place = 'forecast' ORDER BY date, id"))
}

# data.table(made, of, month, segment, plan, baseline, its ranges, total ...), the oldest first.
stored_forecasts <- function(store) {
  kept <- kept_forecasts(store)
  rbindlist(lapply(seq_along(kept), function(i) {
    read <- kept[[i]]
    month_rows <- setDT(lapply(read$months, unlist))
    set(month_rows, j = c("made", "number", "of", "month"),
      value = list(read$made, i, read$of, as.IDate(month_rows$month)))
    if (is.null(month_rows[["plan"]])) set(month_rows, j = "plan", value = "")
    month_rows
  }),
    fill = TRUE, use.names = TRUE)
}

#' What was said, and what came
#'
#' Holds every forecast stored in a project's archive against the months that have come since, says
#' why one missed, and how far the plan of the newest has come.
#'
#' @details *Why*: the month that came against the last one that the forecast knew, by
#'   [tide_compare()]. What the forecast expected is a change of demand, so demand's part of the
#'   miss is what it did beyond that; position, CTR, new and lost queries are in the miss as they
#'   are, and what queries do not explain (private ones, another source of the months) is the rest.
#'   What a plan was to add counts against them. So for the newest three months that came, each
#'   for the forecast made last before it.
#'
#'   *Plan*: the position (CTR) of the last 28 days against the target of each line: `reached`
#'   within half a place, `late` three months after its month, `not yet`, `not begun`, `not shown`,
#'   or `no target`.
#' @param store A `tide_store` object.
#' @param history A `tide_history` object that reaches as far as the data do.
#' @param data A `tide_data` object by date, query and page; with `NULL` neither why nor how far is
#' known.
#' @param rules A [tide_rules()] object.
#' @param assumptions Values of one's own, named as in [tide_assumptions()].
#' @return A `tide_review` object: a list with `months` (a data.table, a row a forecast and month
#'   that has come: `made` (its last month known), `month`, `horizon`, `segment`, `plan`, `baseline`
#'   (without the plan), `expected` (with it, where it had one), `expected_low`, `expected_high` (80
#'   %), `came`, `miss` (came to expected, less 1), `inside` (the range), `by_demand`,
#'   `by_position`, `by_ctr`, `by_new_lost`, `by_rest`, `by_plan` (clicks that make up the miss,
#'   where it is known why); of forecasts made after the same month the last counts), `plans` (a
#'   data.table, a row a line of the newest plan: `plan`, `id`, `query`, `page`, `month`, `target`,
#'   `target_ctr`, `position_then`, `position`, `ctr`, `state`), `forecasts` (how many are stored),
#'   `covered` (share inside), `bias` (mean miss of the log). Methods: `print`, `format`, `tidy`.
#' @section Errors: `tide_error_store`.
#' @seealso [tide_forecast()]
#' @examplesIf requireNamespace("nanoparquet", quietly = TRUE)
#' store <- tide_store(tempfile("project"))
#' tide_load(store, tide_example()[["totals"]])
#' tide_review(store, data.frame(month = sprintf("2026-%02d-01", 1:9), clicks = 100))
#' @export
tide_review <- function(store, history, data = NULL, rules = tide_rules(), assumptions = NULL) {
  local_assumptions(assumptions)
  check_class(store, "tide_store", "store")
  if (!inherits(history, "tide_history")) history <- tide_history(history)
  earlier_forecasts <- stored_forecasts(store)
  rows <- if (nrow(earlier_forecasts)) match_actuals(earlier_forecasts, history) else no_review()
  if (!is.null(data)) check_class(data, "tide_data", "data")
  structure(list(months = why_missed(rows, history, data, rules), plans = plan_states(store, data),
    forecasts = length(unique(earlier_forecasts$number)),
    covered = if (nrow(rows)) mean(rows$inside) else NA_real_,
    bias = if (nrow(rows)) mean(log(rows$came / rows$expected)) else NA_real_),
    class = c("tide_review", "tide_result"))
}

no_review <- function() {
  data.table(made = as.IDate(character()), month = as.IDate(character()), horizon = integer(),
    segment = character(), plan = character(), baseline = numeric(), expected = numeric(),
    expected_low = numeric(), expected_high = numeric(), came = numeric(), miss = numeric(),
    inside = logical())
}

# What was said of months that have come since.
match_actuals <- function(said, history) {
  month_rows <- history$months
  at <- match(paste(said$segment, said$month), paste(month_rows$segment, month_rows$month))
  use <- which(said$of == history$of & !is.na(at) & said$month > said$made)
  said <- data.table(said[use], came = month_rows$value[at[use]])
  said <- unique(said, by = c("made", "month", "segment", "plan"), fromLast = TRUE)
  if (!nrow(said)) return(no_review())
  expected <- function(total, baseline) {
    if (is.null(said[[total]])) said[[baseline]] else fcoalesce(said[[total]], said[[baseline]])
  }
  out <- data.table(made = said$made, month = said$month,
    horizon = month_number(said$month) - month_number(said$made), segment = said$segment,
    plan = said$plan, baseline = said$baseline, expected = expected("total", "baseline"),
    expected_low = expected("total_low", "baseline_low"),
    expected_high = expected("total_high", "baseline_high"), came = said$came)
  set(out, j = "miss", value = out$came / out$expected - 1)
  set(out, j = "inside", value = out$came >= out$expected_low & out$came <= out$expected_high)
}

# How much wider ranges must be for what earlier forecasts missed: the root mean square of the
# misses in units of what they said, once a few have come; never narrower.
interval_inflation <- function(review, least = 3L) {
  if (is.null(review)) return(1)
  check_class(review, "tide_review", "review")
  rows <- review$months[review$months$plan == "" & review$months$expected_low > 0]
  if (nrow(rows) < least) return(1)
  spread_sd <- log(rows$expected_high / rows$expected_low) / (2 * stats::qnorm(0.9))
  z <- log(rows$came / rows$expected) / spread_sd
  prior <- assumed("review_prior")
  sqrt(max(1, (sum(z^2) + prior) / (length(z) + prior)))
}

#' @export
tidy.tide_review <- function(x, ...) tibble::as_tibble(x$months)

#' @export
format.tide_review <- function(x, width = 80, ...) {
  rows <- x$months
  if (!nrow(rows)) {
    return(wrap_lines(c(sprintf("<tide_review> %s stored; none of their months has come yet.",
      format_plural(x$forecasts, "forecast")),
      plan_state_lines(x$plans)),
      width))
  }
  wrap_lines(c(
    sprintf("<tide_review> %s, %s that came; %s inside the 80%% range",
      format_plural(x$forecasts, "forecast"), format_plural(nrow(rows), "month"),
      format_share(x$covered)),
    sprintf("  %s%s%s, said %s ahead: %s (%s to %s), came %s (%s)%s%s", format_month(rows$month),
      ifelse(rows$segment == "all", "", paste0(", ", rows$segment)),
      ifelse(nzchar(rows$plan), paste0(", with ", rows$plan), ""),
      format_plural(rows$horizon, "month"), format_count(rows$expected),
      format_count(rows$expected_low), format_count(rows$expected_high), format_count(rows$came),
      percent_change(1 + rows$miss), ifelse(rows$inside, "", " outside"), miss_words(rows)),
    plan_state_lines(x$plans)),
    width)
}

# What a miss is made of.
miss_words <- function(rows) {
  words <- c(by_demand = "demand", by_position = "position", by_ctr = "CTR",
    by_new_lost = "new and lost queries", by_rest = "not in queries", by_plan = "plan")
  parts <- vapply(names(words), function(part) {
    value <- rows[[part]]
    ifelse(is.na(value) | abs(value) < 0.5, "",
      sprintf("%s %s", words[[part]], signed_count(value)))
  }, character(nrow(rows)))
  parts <- matrix(parts, nrow(rows))
  vapply(seq_len(nrow(rows)), function(i) {
    own <- parts[i, nzchar(parts[i, ])]
    if (length(own)) paste0("; ", paste(own, collapse = ", ")) else ""
  }, "")
}

plan_state_lines <- function(plans) {
  if (!NROW(plans)) return(NULL)
  aim <- fcase(!is.na(plans$target), sprintf("position %s", format_place(plans$target)),
    !is.na(plans$target_ctr), sprintf("CTR %s", format_share(plans$target_ctr)), default = "")
  now <- fifelse(is.na(plans$position), "",
    fifelse(is.na(plans$target_ctr), sprintf("; now %s", format_place(plans$position)),
      sprintf("; now %s", format_share(plans$ctr))))
  c(
    "",
    sprintf("Plan of the newest forecast: %s", count_states(plans$state)),
    sprintf("  %s, %s%s: %s%s", format_month(plans$month), plans$query,
      ifelse(nzchar(aim), paste0(", to ", aim), ""), plans$state, now))
}

# "3 reached, 2 late".
count_states <- function(states) {
  counts <- table(states)
  paste(counts, names(counts), collapse = ", ")
}
