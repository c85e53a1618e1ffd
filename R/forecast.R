#' Clicks of the months ahead
#'
#' What comes if nothing is changed, with ranges that earlier months bear out, and what a plan adds
#' if it works.
#'
#' @details *Baseline*: several methods (naive, seasonal naive, last year plus recent growth,
#'   exponential smoothing, decomposition, ARIMA, theta; Hyndman, Athanasopoulos 2021) forecast the
#'   log of clicks a day; each weighs by the inverse square of its mean squared error at the last
#'   months, forecast as they would have been then. The ranges are those of what the weighted
#'   forecast missed, few misses leaning on how far months of the series differ by chance (see
#'   [tide_assumptions()], rows that move `forecast`). Under 13 months no season can be seen: ranges
#'   allow for one. Under 25 it is known from one year, and it is said.
#'
#'   *Plan*: for each of `draws`, every line works or not (its chance), brings what its interval
#'   allows (a third of that shared by all lines, since they rest on one curve), grows over
#'   `ramp` months and follows the baseline's season. Added to the baseline drawn with it.
#'
#'   *Earlier forecasts* that were stored: where what came lay further off than they said, ranges
#'   widen by that.
#' @param history A `tide_history` object, or what [tide_history()] takes.
#' @param months How many months ahead.
#' @param plan A `tide_plan` object, or a list of several with names; `NULL` adds nothing.
#' @param ramp Months until a line has its full effect.
#' @param draws How many draws.
#' @param seed Whole number that decides them.
#' @param facts A list of [tide_facts()] that hold search trends: their season is a method of its
#'   own, weighed like the others.
#' @param per_click What a click is worth, named: `c(conversions = 0.02)` or `c(value = 0.4)`; all
#'   figures are then of that. `NULL` for those of the history.
#' @param review What [tide_review()] gives, for what earlier forecasts missed.
#' @param assumptions Values of one's own, named as in [tide_assumptions()].
#' @return A `tide_forecast` object: a list with `months` (a data.table: `month`, `segment`,
#'   `baseline`, `baseline_low`, `baseline_high` (80 %), `baseline_low_95`, `baseline_high_95`, with
#'   a plan `plan`, `added`, `added_low`, `added_high`, `total`, `total_low`, `total_high`), `tasks`
#'   (with a plan: `plan`, `id`, `query`, `page`, `month`, `added`: the mean), `sums` (with a plan:
#'   over all months, a row a `plan` after that of doing `nothing`: `added`, `total`, with `_low`
#'   and `_high` (80 %), `hours`), `backtest` (see below), `tried` (what would have been said one
#'   month ahead: `segment`, `month`, `said`), `weights` (of the methods), `history`, `plans`,
#'   `made` (the last whole month), `widened` (by earlier misses, 1: not), `per_click` (where
#'   given). `tidy()` gives its `months`, `tasks`, `folders` (what tasks add by folder), `sums` or
#'   `backtest`, as `what` says. Its `backtest`: `segment`, `method`, `horizon`, `forecasts`, `mase`
#'   (mean absolute error to that of the seasonal naive method, or of the naive one under 13
#'   months), `mape`, `bias` (mean of the log), `covered` (of the weighted one: share inside its 80
#'   % range). `glance()`: a row a segment: `months` known, the `leading` method, and
#'   how the weighted one did. Methods: `print`, `format`, `tidy`, `glance`, `summary` (the
#'   back-test), `plot`.
#' @section Errors: `tide_error_forecast` where the R package forecast is missing;
#'   `tide_error_argument`.
#' @references Hyndman, Athanasopoulos (2021), Forecasting: Principles and Practice, 3rd edition.
#'   Bates, Granger (1969), Operational Research Quarterly 20, 451-468, for weights.
#' @seealso [tide_history()], [tide_plan()], [tide_review()]
#' @examplesIf requireNamespace("forecast", quietly = TRUE)
#' file <- tempfile(fileext = ".csv")
#' clicks <- round(1000 * exp(0.3 * sin(2 * pi * (1:36) / 12) + 0.01 * 1:36))
#' months <- sprintf("%d-%02d", 2023 + (0:35) %/% 12, 0:35 %% 12 + 1)
#' writeLines(c("month,clicks", paste(months, clicks, sep = ",")), file)
#' tide_forecast(tide_history(file), months = 3)
#' @export
tide_forecast <- function(history, months = 6, plan = NULL, ramp = 3, draws = 2000, seed = 1,
    review = NULL, facts = NULL, per_click = NULL, assumptions = NULL) {
  local_assumptions(assumptions)
  if (!inherits(history, "tide_history")) history <- tide_history(history)
  check_number(months, "months", min = 1, max = most_months_ahead)
  if (months %% 1 != 0) abort_argument("months", "a whole number", months)
  check_number(ramp, "ramp", min = 1, max = 24)
  check_number(draws, "draws", min = 100)
  check_number(seed, "seed")
  check_per_click(per_click)
  need_forecast()
  plans <- if (inherits(plan, "tide_plan")) list(plan = plan) else plan
  for (one in plans) check_class(one, "tide_plan", "plan")
  segments <- unique(history$months$segment)
  if (length(plans) && !identical(segments, "all")) {
    abort_argument("plan", "for a history of the whole site", segments)
  }
  widened <- interval_inflation(review)
  season <- trend_season(facts)
  fits <- lapply(stats::setNames(nm = segments), function(part) {
    segment_baseline(history$months[which(history$months$segment == part)], months, season)
  })
  paths <- rbindlist(lapply(fits, `[[`, "path"), idcol = "segment")
  set(paths, j = "sd", value = paths$sd * widened)
  at <- function(level) {
    exp(paths$mean + stats::qnorm(level) * paths$sd) * days_in_month(paths$month)
  }
  out <- data.table(month = paths$month, segment = paths$segment, baseline = at(0.5),
    baseline_low = at(0.1), baseline_high = at(0.9), baseline_low_95 = at(0.025),
    baseline_high_95 = at(0.975))
  forecast <- with_plans(structure(list(months = out[],
    backtest = backtest_table(fits, history), weights = lapply(fits, `[[`, "weights"),
    history = history, tried = tried_months(fits, history), made = max(history$months$month),
    widened = widened),
    class = c("tide_forecast", "tide_result")), plans, ramp, draws, seed)
  if (is.null(per_click)) forecast else in_worth(forecast, per_click)
}

check_per_click <- function(per_click) {
  if (is.null(per_click)) return(invisible())
  check_number(unname(per_click), "per_click", min = 0)
  check_choice(names(per_click), c("conversions", "value"), "per_click")
}

# The figures of a forecast as conversions or money.
in_worth <- function(forecast, per_click) {
  each <- unname(per_click)
  scaled <- function(rows, columns) {
    columns <- intersect(columns, names(rows))
    set(copy(rows), j = columns, value = lapply(columns, function(name) rows[[name]] * each))
  }
  figures <- grep("^(baseline|added|total)", names(forecast$months), value = TRUE)
  forecast$months <- scaled(forecast$months, figures)
  if (!is.null(forecast$tasks)) {
    forecast$tasks <- scaled(forecast$tasks, "added")
    forecast$sums <-
      scaled(forecast$sums, grep("^(added|total)", names(forecast$sums), value = TRUE))
  }
  forecast$tried <- scaled(forecast$tried, "said")
  forecast$history$months <- scaled(forecast$history$months, c("value", "used"))
  forecast$history$of <- names(per_click)
  forecast$per_click <- each
  forecast
}

# One month ahead, as it would have been said.
tried_months <- function(fits, history) {
  rbindlist(lapply(names(fits), function(part) {
    errors <- fits[[part]]$errors
    rows <- history$months[which(history$months$segment == part)]
    first <- errors[which(errors$method == "weighted" & errors$horizon == 1)]
    data.table(segment = rep(part, nrow(first)), month = rows$month[first$origin + 1L],
      said = rows$used[first$origin + 1L] * exp(first$error))
  }))
}

# How well each method would have done, by horizon.
backtest_table <- function(fits, history) {
  rbindlist(lapply(names(fits), function(part) {
    errors <- fits[[part]]$errors
    if (!NROW(errors)) return(NULL)
    rows <- history$months[which(history$months$segment == part)]
    value <- rows$used / days_in_month(rows$month)
    y <- log(pmax(value, 1e-3))
    lag_days <- if (nrow(rows) > 13) 12L else 1L
    scaling <- mean(abs(diff(value, lag_days)))
    spread_sd <- horizon_sd(errors[errors$method == "weighted"], max(errors$horizon), y)
    came <- value[errors$origin + errors$horizon]
    errors <- data.table(errors, true = came, miss = came * (exp(errors$error) - 1),
      inside = abs(errors$error) <= stats::qnorm(0.9) * spread_sd[errors$horizon])
    errors[, list(segment = part, forecasts = .N, mase = mean(abs(miss)) / max(scaling, 1e-9),
      mape = mean(abs(miss) / pmax(true, 1e-9)), bias = mean(error),
      covered = if (method == "weighted") mean(inside) else NA_real_),
      by = c("method", "horizon")][,
        c("segment", "method", "horizon", "forecasts", "mase", "mape", "bias", "covered")]
  }))
}

# The same over all horizons, the best first.
backtest_by_method <- function(backtest, by = c("segment", "method")) {
  figures <- c("mase", "mape", "bias", "covered")
  sums <- backtest[,
    c(list(forecasts = sum(forecasts)), lapply(.SD, stats::weighted.mean, w = forecasts)), by = by,
    .SDcols = figures]
  setorderv(sums, c(setdiff(by, "method"), "mase"))
}

#' @rdname tide_forecast
#' @export
glance.tide_forecast <- function(x, ...) {
  check_no_more(...)
  errors <- backtest_by_method(x$backtest)
  errors <- errors[errors$method == "weighted"]
  known <- x$history$months[, list(months = .N), by = "segment"]
  leading <- vapply(x$weights[errors$segment], function(weight) names(which.max(weight)), "")
  tibble::as_tibble(data.table(segment = errors$segment,
    months = known$months[match(errors$segment, known$segment)], leading = unname(leading),
    errors[, c("forecasts", "mase", "mape", "bias", "covered")], widened = x$widened))
}

#' @rdname tide_forecast
#' @param x A `tide_forecast` object.
#' @param what Which of its tables.
#' @param ... Not used.
#' @export
tidy.tide_forecast <- function(x, what = c("months", "tasks", "folders", "sums", "backtest"), ...) {
  check_no_more(...)
  what <- check_choice(what, c("months", "tasks", "folders", "sums", "backtest"), "what")
  tibble::as_tibble(if (what == "folders") added_by_folder(x) else x[[what]])
}

#' @rdname tide_forecast
#' @param object A `tide_forecast` object.
#' @param month Months, as dates or such as `"2026-12"`; `NULL` for all.
#' @export
predict.tide_forecast <- function(object, month = NULL, ...) {
  check_no_more(...)
  rows <- object$months
  if (!is.null(month)) {
    wanted <- first_of_month(month_of_text(as.character(month)))
    unknown <- !wanted %in% rows$month
    if (any(unknown)) abort_argument("month", "months that are forecast", month[unknown])
    rows <- rows[rows$month %in% wanted]
  }
  tibble::as_tibble(rows)
}

added_by_folder <- function(forecast) {
  tasks <- forecast$tasks
  if (is.null(tasks)) return(data.table())
  sums_by(data.table(tasks, folder = page_group(tasks$page, NULL)), c("plan", "folder", "month"),
    "added")
}

#' @export
summary.tide_forecast <- function(object, ...) tibble::as_tibble(object$backtest)
