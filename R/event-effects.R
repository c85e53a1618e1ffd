#' What came of an event: level shifts tested
#'
#' For each event the days before and after are compared by the pages it touched against the
#' pages it did not, so that season and site are taken out. Clicks are taken apart into searches,
#' position and click-through at equal position, each tested for itself.
#'
#' @details As many days before as after (the day itself is not counted), sums of the touched
#'   pages: of clicks; of impressions (`demand`); of clicks expected on the curve for an
#'   impression (`position`); of clicks for one expected (`ctr`). The last three
#'   changes add up, as logs, to the first. Brand queries are left out.
#'
#' Against `untouched pages`: their common change is taken off (difference in differences), and
#' how far they moved apart besides the luck of counts, slow drifts included, widens the
#' interval. So what pages do anyway is no event. Pages that another event touched in these weeks
#' are no yardstick. Touched pages are taken to drift one by one; where all of a folder drift
#' together the interval is too narrow.
#'
#' An event of the whole site leaves nothing untouched. Against `other weeks`: the same change at
#' all other dates of the data says how far the site moves anyway, season included. Where the
#' data are too short for that, against `its own trend`: a straight trend and a step are fitted
#' to the days, with errors AR(1) or ARMA(1, 1) (intervention analysis); there a bend of the
#' season can pass for a step.
#' @param data A `tide_data` object with dates, queries and pages.
#' @param events A `tide_events` object.
#' @param curve A `tide_curve` object; `NULL` fits it to all of the data.
#' @param brand Brand words, whose queries are left out.
#' @param days Most days before and after the event that count; at least 14 of each are needed.
#' @param level Level of the intervals.
#' @return A tibble, four rows per event: `date`, `event`, `pages`, `measure` (`clicks`,
#'   `demand`, `position`, `ctr`), `ratio` (after to before), `ratio_low`,
#'   `ratio_high`, `verdict` (`rose`, `fell`, `no sign`, `too few days`, `too few clicks`,
#'   `nothing untouched`), `against` (`untouched pages`, `other weeks`, `its own trend`),
#'   `touched` (pages), `days` (of each side), `clicks` (a day before).
#' @section Errors: `tide_error_grain` without dates or queries.
#' @references Card, Krueger (1994), American Economic Review 84, 772-793. Box, Tiao (1975),
#'   Journal of the American Statistical Association 70, 70-79.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' file <- tempfile(fileext = ".csv")
#' writeLines(c("date,event,pages", "2026-10-01,Guides rewritten,/guides/*"), file)
#' tide_event_effects(data, tide_events(file), brand = "fernmoor")
#' @export
tide_event_effects <- function(data, events, curve = NULL, brand = NULL, days = 28, level = 0.9) {
  check_class(data, "tide_data", "data")
  check_class(events, "tide_events", "events")
  check_number(days, "days", min = 14)
  check_number(level, "level", min = 0.5, max = 0.999)
  tibble::as_tibble(event_effects(page_days(data, curve, brand), events$marks, days, level))
}

event_effects <- function(series, events, days = 28, level = 0.9) {
  touched <- lapply(events$pages, touched_pages, keys = series$pages$keys)
  rbindlist(lapply(seq_len(nrow(events)), function(i) {
    near <- setdiff(which(abs(as.integer(events$date - events$date[i])) <= 2 * days), i)
    event_effect(events[i], touched[[i]], unlist(touched[near]), series, days, level)
  }))
}

scan_measures <- c("demand", "position", "ctr")

shift_measures <- c("clicks", scan_measures)

# Sums by page and day without brand: list(pages, days: page, date, clicks, impressions, expected;
# from, to).
page_days <- function(data, curve, brand) {
  table <- dated_table(data)
  if (is.null(curve)) {
    curve <- tide_curve(tide_summary(data, brand = brand))
  } else {
    check_class(curve, "tide_curve", "curve")
  }
  sum_days(coded_rows(table$rows, curve, brand), table)
}

sum_days <- function(coded, table) {
  use <- coded$segment[coded$rows$query] != "brand"
  sums <- sums_by(coded$rows[use], c("page", "date"), c("clicks", "impressions", "expected"))
  list(pages = coded$pages, days = sums, from = table$from, to = table$to)
}

dated_table <- function(data) {
  table <- pick_table(data, c("date", "query", "page"))
  if (!is.null(table)) return(table)
  abort_tide("What happens over time takes days, queries and pages.",
    where = sprintf("The tables read are: %s.", paste(names(data$tables), collapse = "; ")),
    fix = "Export by date, query and page.", class = "grain")
}

event_effect <- function(event, own, others, series, days, level) {
  reach <- min(days, as.integer(series$to - event$date), as.integer(event$date - series$from))
  whole <- is.null(own)
  line <- function(verdict, ends = matrix(NA_real_, 3, 4), against = "untouched pages",
      clicks = NA_real_) {
    data.table(
      date = event$date,
      event = event$event,
      pages = event$pages,
      measure = shift_measures,
      ratio = exp(ends[1, ]),
      ratio_low = exp(ends[2, ]),
      ratio_high = exp(ends[3, ]),
      verdict = if (nzchar(verdict)) {
        verdict
      } else {
        ifelse(ends[2, ] > 0, "rose", ifelse(ends[3, ] < 0, "fell", "no sign"))
      },
      against = against,
      touched = if (whole) length(series$pages$keys) else length(own),
      days = max(0L, as.integer(reach)),
      clicks = clicks)
  }
  if (reach < 14) return(line("too few days"))
  wide <- both_sides(series$days, event$date, reach)
  mine <- wide$page %in% if (whole) wide$page else own
  total <- total_shift(wide[mine])
  if (min(total$clicks_1, total$clicks_2) < 5) return(line("too few clicks"))
  a_day <- total$clicks_1 / reach
  if (whole) {
    found <- whole_shift(series, event$date, reach, total$logs, level)
    return(line("", found$ends, found$against, a_day))
  }
  free <- wide[!mine & !wide$page %in% others & wide$clicks_1 + wide$clicks_2 >= 10 &
    pmin(wide$impressions_1, wide$impressions_2) > 0]
  if (nrow(free) < 8) return(line("nothing untouched", clicks = a_day))
  each <- shift_logs(free)
  share <- wide$impressions_1[mine] / sum(wide$impressions_1[mine])
  ends <- vapply(seq_along(shift_measures), function(m) {
    yard <- common_and_between(each$logs[, m], each$noise[, m])
    se <- sqrt(total$noise[m] + yard$between * sum(share^2) + yard$variance)
    total$logs[m] - yard$common + c(0, -1, 1) * stats::qt(1 - (1 - level) / 2, nrow(free) - 1) * se
  }, numeric(3))
  line("", ends, clicks = a_day)
}

# Sums by page of as many days before and after a date.
both_sides <- function(sums, date, reach) {
  offset <- as.integer(sums$date - date)
  near <- which(abs(offset) <= reach & offset != 0L)
  own <- sums[near]
  set(own, j = "side", value = ifelse(offset[near] < 0, 1L, 2L))
  own <- sums_by(own, c("page", "side"), c("clicks", "impressions", "expected"))
  wide <- merge(own[own$side == 1L, !"side"], own[own$side == 2L, !"side"], by = "page", all = TRUE,
    suffixes = c("_1", "_2"))
  setnafill(wide, fill = 0, cols = setdiff(names(wide), "page"))
  wide
}

# Changes as logs by measure, with the variance of counts: list(logs, noise), matrices of a row per
# line.
shift_logs <- function(wide) {
  clicks <- log_change(wide$clicks_1, wide$clicks_2)
  demand <- log_change(wide$impressions_1, wide$impressions_2)
  expected <- log_change(wide$expected_1, wide$expected_2)$change
  list(
    logs = cbind(clicks$change, demand$change, expected - demand$change, clicks$change - expected),
    noise = cbind(clicks$noise, demand$noise, demand$noise, clicks$noise))
}

total_shift <- function(wide) {
  sums <- lapply(wide[, !"page"], sum)
  made <- shift_logs(sums)
  list(logs = made$logs[1, ], noise = made$noise[1, ], clicks_1 = sums$clicks_1,
    clicks_2 = sums$clicks_2)
}

# An event of the whole site: against the same change at other dates, or its own trend.
whole_shift <- function(series, date, reach, logs, level, least = 4) {
  by_day <- day_sums(series$days, seq(series$from, series$to, by = "day"))
  dates <- seq(series$from + reach, series$to - reach, by = "day")
  dates <- dates[abs(as.integer(dates - date)) > reach]
  windows <- length(dates) %/% reach
  if (windows >= least) {
    at <- match(dates, by_day$date)
    # The days from so many before each date to so many, as both_sides() has them.
    side <- function(column, from, to) {
      sums <- cumsum(c(0, by_day[[column]]))
      sums[at + to + 1L] - sums[at + from]
    }
    other <- as.list(by_day[, c("clicks", "impressions", "expected")])
    other <- unlist(lapply(names(other), function(column) stats::setNames(
      list(side(column, -reach, -1L), side(column, 1L, reach)), paste0(column, c("_1", "_2")))),
      recursive = FALSE)
    se <- sqrt(colMeans(shift_logs(other)$logs^2))
    return(list(
      ends = rep(logs, each = 3) + outer(c(0, -1, 1) * stats::qt(1 - (1 - level) / 2, windows), se),
      against = "other weeks"))
  }
  offset <- as.integer(by_day$date - date)
  near <- which(abs(offset) <= 2 * reach & offset != 0L)
  offset <- offset[near]
  list(ends = apply(day_logs(by_day[near]), 2, step_interval, step = offset > 0,
    weekday = offset %% 7L, trend = offset, level = level),
    against = "its own trend")
}

# Sums of each day; a day without a row counts as none.
day_sums <- function(sums, dates) {
  by_day <- sums_by(sums, "date", c("clicks", "impressions", "expected"))
  by_day <- by_day[match(dates, by_day$date)]
  set(by_day, j = "date", value = dates)
  setnafill(by_day, fill = 0, cols = c("clicks", "impressions", "expected"))
  by_day
}

day_logs <- function(days) {
  clicks <- log_rate(days$clicks)
  seen <- log_rate(days$impressions)
  expected <- log_rate(days$expected)
  made <- cbind(clicks, seen, expected - seen, clicks - expected)
  made[days$impressions == 0, ] <- NA
  made
}

# A step in a series with a trend, days of the week, and errors that carry over. Out: c(step, low,
# high).
step_interval <- function(y, step, weekday, trend, level) {
  known <- !is.na(y)
  x <- cbind(1, step = as.numeric(step), trend = trend)
  if (sum(known) >= 42) x <- cbind(x, stats::model.matrix(~factor(weekday, 0:6))[, -1])
  plain <- stats::lm.fit(x[known, , drop = FALSE], y[known])
  left <- sum(known) - ncol(x)
  estimate <- plain$coefficients[2]
  se <- sqrt(sum(plain$residuals^2) / left * chol2inv(qr.R(plain$qr))[2, 2])
  fit <- carrying_fit(y, x)
  if (!is.null(fit)) {
    estimate <- fit$coef[["step"]]
    # Maximum likelihood divides by the number of points; the curvature knows nothing of the
    # regressors.
    carried <- sqrt(fit$var.coef["step", "step"] * sum(known) / left)
    left <- max(3, left * min(1, (se / carried)^2))
    se <- carried
  }
  estimate + c(0, -1, 1) * stats::qt(1 - (1 - level) / 2, left) * se
}

# The better of two kinds of errors, or NULL where neither can be fitted.
carrying_fit <- function(y, x) {
  fits <- lapply(list(c(1, 0, 0), c(1, 0, 1)), function(order) {
    fit <- tryCatch(
      suppressWarnings(stats::arima(y, order, xreg = x, include.mean = FALSE, method = "ML")),
      error = function(e) NULL)
    if (!is.null(fit) && all(is.finite(diag(fit$var.coef))) && all(diag(fit$var.coef) > 0)) fit
  })
  fits <- Filter(Negate(is.null), fits)
  if (length(fits)) fits[[which.min(vapply(fits, function(fit) fit$aic, 0))]]
}

measure_words <- c(clicks = "clicks", demand = "searches", position = "what its positions earn",
  ctr = "click-through at equal position")

# "2026-04-20 Titles rewritten (3 pages): clicks +47% (+18% to +81%) - rose; ..."
shift_lines <- function(shifts) {
  if (!NROW(shifts)) return("No events were given (a table of date, event, pages).")
  vapply(split(shifts,
    factor(paste(shifts$date, shifts$event), unique(paste(shifts$date, shifts$event)))),
    function(own) {
      head <- sprintf("%s %s (%s)", format(own$date[1]), own$event[1],
        if (nzchar(own$pages[1])) format_plural(own$touched[1], "page") else "the whole site")
      if (is.na(own$ratio[1])) {
        why <- if (own$verdict[1] == "nothing untouched") {
          "no comparable pages without the change, so the effect cannot be estimated"
        } else {
          paste(own$verdict[1], "to tell")
        }
        return(sprintf("%s: %s.", head, why))
      }
      told <- sprintf("%s %s (%s to %s)", measure_words[own$measure], percent_change(own$ratio),
        percent_change(own$ratio_low), percent_change(own$ratio_high))
      clear <- which(own$verdict != "no sign" & own$measure != "clicks")
      sprintf("%s: %s; %s. Against %s, %s before and after.", head,
        if (own$verdict[1] == "no sign") {
          paste(told[1], "- no sign")
        } else {
          paste(told[1], "-", own$verdict[1])
        },
        if (length(clear)) {
          paste(told[clear], collapse = ", ")
        } else {
          "nothing in searches, position or click-through is beyond the usual"
        },
        own$against[1], format_plural(own$days[1], "day"))
    },
    "", USE.NAMES = FALSE)
}
