# Forecasts as text.

#' @export
format.tide_forecast <- function(x, width = 80, ...) {
  text_body <- if (length(x$plans) > 1) {
    c(plan_sum_lines(x), "", plan_month_lines(x))
  } else {
    unlist(lapply(unique(x$months$segment), month_lines, x = x))
  }
  c(wrap_lines(forecast_heading(x), width), text_body, folder_lines(x), "",
    wrap_lines(forecast_notes(x), width))
}

range_text <- function(low, high) sprintf("%s to %s", format_count(low), format_count(high))

# The months of one segment, with what the plan adds.
month_lines <- function(x, part) {
  own <- x$months[which(x$months$segment == part)]
  planned <- !is.null(own[["plan"]])
  heading <- c("month", x$history$of, "80 % range", if (planned) c("added", "total", "80 % range"))
  cells <- cbind(format_month(own$month), format_count(own$baseline),
    range_text(own$baseline_low, own$baseline_high),
    if (planned) {
      cbind(paste0("+", format_count(own$added)), format_count(own$total),
        range_text(own$total_low, own$total_high))
    })
  c(if (uniqueN(x$months$segment) > 1) c("", format_path(part)), column_lines(heading, cells))
}

# Several plans beside doing nothing: totals by month.
plan_month_lines <- function(x) {
  month_rows <- x$months
  first <- month_rows[month_rows$plan == month_rows$plan[1]]
  totals <- vapply(unique(month_rows$plan), function(one) {
    format_count(month_rows$total[month_rows$plan == one])
  }, character(nrow(first)))
  column_lines(c("month", "nothing", "80 % range", unique(month_rows$plan)),
    cbind(format_month(first$month), format_count(first$baseline),
      range_text(first$baseline_low, first$baseline_high), matrix(totals, nrow(first))))
}

# The same over all months.
plan_sum_lines <- function(x) {
  sums <- x$sums
  none <- sums$plan == "nothing"
  cells <- cbind(sums$plan, ifelse(sums$hours > 0, format_hours(sums$hours), ""),
    ifelse(none, "", paste0("+", format_count(sums$added))),
    ifelse(none, "", range_text(sums$added_low, sums$added_high)), format_count(sums$total),
    range_text(sums$total_low, sums$total_high))
  c(sprintf("All %s", format_plural(uniqueN(x$months$month), "month")),
    column_lines(c("what is done", "work", "added", "80 % range", "total", "80 % range"), cells))
}

# Where what the first plan adds comes from.
folder_lines <- function(x, most = 4) {
  folders <- added_by_folder(x)
  if (!nrow(folders)) return(NULL)
  folders <- folders[folders$plan == folders$plan[1]]
  sums <- folders[, list(added = sum(added)), by = "folder"][order(-added)]
  more <- sum(utils::tail(sums$added, -most))
  sums <- utils::head(sums[sums$added >= 0.5], most)
  if (!nrow(sums)) return(NULL)
  plan_name <- if (length(x$plans) > 1) sprintf(" (%s)", names(x$plans)[1]) else ""
  wrap_lines(c("", sprintf("Added by folder%s: %s.", plan_name,
    paste(c(sprintf("%s +%s", sums$folder, format_count(sums$added)),
      if (more >= 0.5) sprintf("all others +%s", format_count(more))),
      collapse = ", "))),
    80)
}

forecast_heading <- function(x) {
  sprintf("%s of the months after %s (%s whole months known, from %s)",
    sub("^(.)", "\\U\\1", x$history$of, perl = TRUE), format_month(x$made),
    format_count(uniqueN(x$history$months$month[x$history$months$note != filled_in])),
    x$history$source)
}

# What to know of it: how it would have done, how the season is known, what was replaced.
forecast_notes <- function(x) {
  known <- min(x$history$months[, .N, by = "segment"]$N)
  own <- x$history$months
  c(
    methods_sentence(x),
    backtest_sentence(x),
    if (length(x$history$before_gap)) {
      sprintf("%s before a gap in the table left out.",
        format_plural(length(x$history$before_gap), "month"))
    },
    if (any(vapply(x$plans, function(plan) isTRUE(plan$bound), NA))) {
      paste("Upper bound: every query at the best place that comparable queries of this site hold,",
        "for certain. No plan is likely to reach it.")
    },
    if (known < 25 && !trends_used(x)) {
      if (known < 14) {
        sprintf("Season unknown: only %s. Months of high or low demand are not foreseen.",
          format_plural(known, "month"))
      } else {
        sprintf("Season known from one year (%s), so one odd month there comes again.",
          format_plural(known, "month"))
      }
    },
    if (known < 25 && trends_used(x)) "Season from the search trends of your queries.",
    if (any(own$note != "")) {
      sprintf("%s.", paste(replaced_lines(own), collapse = "; "))
    },
    if (!is.null(x$per_click)) {
      sprintf("A click brings %s of %s, at the rate of the last months.",
        format(signif(x$per_click, 2)), x$history$of)
    },
    if (x$widened > 1.005) sprintf("Ranges x%.2f, for what earlier forecasts missed.", x$widened))
}

# The methods in words a reader may judge.
method_words <- c(naive = "the last month", `straight line` = "a straight line",
  `seasonal naive` = "the same month of the year before",
  `last year plus recent growth` = "the year before plus recent growth",
  `exponential smoothing` = "newer months weighed more", decomposition = "season and level apart",
  ARIMA = "changes on the year before", theta = "half of the trend",
  `search trends` = "search trends")

# "Made of the year before plus recent growth (61%), season and level apart (30%) and others." Of
# the whole: segments differ.
methods_sentence <- function(x, least = 0.2) {
  own <- sort(x$weights[[1]], decreasing = TRUE)
  large <- own[own >= least]
  if (length(x$weights) > 1 || !length(large)) return(NULL)
  sprintf("Made of %s%s.",
    paste(sprintf("%s (%s)", method_words[names(large)], format_share(large)), collapse = ", "),
    if (length(large) < length(own)) " and others" else "")
}

# Whether search trends have a good part of the weight.
trends_used <- function(x) {
  any(vapply(x$weights, function(own) isTRUE(own["search trends"] > 0.3), NA))
}

# Beside the straight line of a spreadsheet and the same month of the year before.
backtest_sentence <- function(x) {
  rows <- x$backtest
  if (!NROW(rows)) return("Too few months to try the forecast out on.")
  rows <- backtest_by_method(rows, "method")
  ours <- rows[rows$method == "weighted"]
  simple <- c("seasonal naive", "naive", "straight line")
  # What was tried out on a few months only is no rival.
  rivals <- rows[rows$method %in% simple & rows$forecasts >= ours$forecasts / 2]
  sprintf(paste("Tried out by %s of months that are known now: off by %s on average; %s.",
    "%s inside the 80 %% range.%s"),
    format_plural(ours$forecasts, "forecast"), format_share(ours$mape),
    paste(method_words[rivals$method], "by", format_share(rivals$mape), collapse = ", "),
    format_share(ours$covered),
    if (ours$mape <= min(rivals$mape)) "" else " Not better than the simplest of these here.")
}
