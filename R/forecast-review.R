# The ledger: forecasts as they were made, and what came of them.

# Out: whether it was new.
keep_forecast <- function(store, forecast) {
  check_class(forecast, "tide_forecast", "forecast")
  said <- list(months = as.data.frame(forecast$months), of = forecast$history$of,
    plans = lapply(forecast$plans, function(plan) as.data.frame(plan$lines)))
  with_store(store, write = TRUE, function(con) {
    keep_fact(store, con, "forecast", forecast$made, forecast$history$source, said)
  })
}

# data.table(made, of, month, segment, plan, baseline, its ranges, total ...), the oldest first.
stored_forecasts <- function(store) {
  held <- with_store(store, write = FALSE,
    function(con) DBI::dbGetQuery(con,
      "SELECT id, date, rows FROM facts WHERE place = 'forecast' ORDER BY date, id"))
  rbindlist(lapply(seq_len(nrow(held)), function(i) {
    read <- jsonlite::fromJSON(held$rows[i])
    months <- setDT(lapply(read$months, unlist))
    set(months, j = c("made", "number", "of", "month"),
      value = list(as.IDate(held$date[i]), i, read$of, as.IDate(months$month)))
    if (is.null(months[["plan"]])) set(months, j = "plan", value = "")
    months
  }),
    fill = TRUE, use.names = TRUE)
}

#' What was said, and what came
#'
#' Holds every forecast stored in a project's archive against the months that have come since.
#'
#' @param store A `tide_store` object.
#' @param history A `tide_history` object that reaches as far as the data do.
#' @return A `tide_review` object: a list with `months` (a data.table, a row a forecast and month
#'   that has come: `made` (its last month known), `month`, `horizon`, `segment`, `plan`, `expected`
#'   (with the plan, where it had one), `expected_low`, `expected_high` (80 %), `came`, `miss` (came
#'   to expected, less 1), `inside` (the range); of forecasts made after the same month the last
#'   counts), `forecasts` (how many are stored), `covered` (share inside), `bias` (mean miss of the
#'   log). Methods: `print`, `format`, `tidy`.
#' @section Errors: `tide_error_store`.
#' @seealso [tide_forecast()]
#' @examplesIf requireNamespace("nanoparquet", quietly = TRUE)
#' store <- tide_store(tempfile("project"))
#' tide_load(store, tide_example()[["totals"]])
#' tide_review(store, data.frame(month = sprintf("2026-%02d-01", 1:9), clicks = 100))
#' @export
tide_review <- function(store, history) {
  check_class(store, "tide_store", "store")
  if (!inherits(history, "tide_history")) history <- tide_history(history)
  said <- stored_forecasts(store)
  rows <- if (nrow(said)) came_true(said, history) else no_review()
  structure(list(months = rows, forecasts = length(unique(said$number)),
    covered = if (nrow(rows)) mean(rows$inside) else NA_real_,
    bias = if (nrow(rows)) mean(log(rows$came / rows$expected)) else NA_real_),
    class = "tide_review")
}

no_review <- function() {
  data.table(made = as.IDate(character()), month = as.IDate(character()), horizon = integer(),
    segment = character(), plan = character(), expected = numeric(), expected_low = numeric(),
    expected_high = numeric(), came = numeric(), miss = numeric(), inside = logical())
}

# What was said of months that have come since.
came_true <- function(said, history) {
  months <- history$months
  at <- match(paste(said$segment, said$month), paste(months$segment, months$month))
  use <- which(said$of == history$of & !is.na(at) & said$month > said$made)
  said <- data.table(said[use], came = months$value[at[use]])
  said <- unique(said, by = c("made", "month", "segment", "plan"), fromLast = TRUE)
  if (!nrow(said)) return(no_review())
  expected <- function(total, baseline) {
    if (is.null(said[[total]])) said[[baseline]] else fcoalesce(said[[total]], said[[baseline]])
  }
  out <- data.table(made = said$made, month = said$month,
    horizon = month_number(said$month) - month_number(said$made), segment = said$segment,
    plan = said$plan, expected = expected("total", "baseline"),
    expected_low = expected("total_low", "baseline_low"),
    expected_high = expected("total_high", "baseline_high"), came = said$came)
  set(out, j = "miss", value = out$came / out$expected - 1)
  set(out, j = "inside", value = out$came >= out$expected_low & out$came <= out$expected_high)
}

# How much wider ranges must be for what earlier forecasts missed: the root mean square of the
# misses in units of what they said, once a few have come; never narrower.
earlier_misses <- function(review, least = 3L) {
  if (is.null(review)) return(1)
  check_class(review, "tide_review", "review")
  rows <- review$months[review$months$plan == "" & review$months$expected_low > 0]
  if (nrow(rows) < least) return(1)
  sd <- log(rows$expected_high / rows$expected_low) / (2 * stats::qnorm(0.9))
  z <- log(rows$came / rows$expected) / sd
  prior <- assumed("review_prior")
  sqrt(max(1, (sum(z^2) + prior) / (length(z) + prior)))
}

#' @export
tidy.tide_review <- function(x, ...) tibble::as_tibble(x$months)

#' @export
format.tide_review <- function(x, width = 80, ...) {
  rows <- x$months
  if (!nrow(rows)) {
    return(wrap_lines(sprintf("<tide_review> %s stored; none of their months has come yet.",
      format_plural(x$forecasts, "forecast")),
      width))
  }
  wrap_lines(c(sprintf("<tide_review> %s, %s that came; %s inside the 80%% range",
    format_plural(x$forecasts, "forecast"), format_plural(nrow(rows), "month"),
    format_share(x$covered)),
    sprintf("  %s%s, said %s ahead: %s (%s to %s), came %s (%s)%s", format_month(rows$month),
      ifelse(rows$segment == "all", "", paste0(", ", rows$segment)),
      format_plural(rows$horizon, "month"), format_count(rows$expected),
      format_count(rows$expected_low), format_count(rows$expected_high), format_count(rows$came),
      percent_change(1 + rows$miss), ifelse(rows$inside, "", " outside"))),
    width)
}
