#' What came of an event: level shifts tested
#'
#' For each event the days before and after are compared by the pages it touched against the
#' pages it did not, so that season and site are taken out. Clicks are taken apart into demand,
#' position and CTR at equal position, each tested for itself.
#'
#' @details As many days before as after (the day itself and days that [tide_unusual()] finds are
#'   not counted), sums of the affected pages: of clicks; of impressions (`demand`); of clicks
#'   expected on the curve for an impression (`position`); of clicks for one expected (`ctr`). The
#'   last three changes add up, as logs, to the first. Brand queries are left out.
#'
#'   Against `comparable pages`: the common change of the pages that the event did not touch is
#'   taken off (difference in differences), and how far they moved apart besides the luck of counts
#'   widens the interval. Pages that another event touched in these weeks are not compared with. An
#'   event of the whole site leaves no such page: it stands against `other weeks`.
#'
#'   Either way the same figure is worked out at other dates, a week apart, whose days do not reach
#'   over the event (nor over other events of these pages). How far it moves there, with no event,
#'   gives the width of the interval (placebo dates), leaning by one draw on what the luck of counts
#'   and other pages say: a season or a drift that pages of one folder share is no event. Where
#'   fewer than three times the days of one side are left for that, fewer days are taken, at least
#'   14; where those are too few, the verdict is `too few days`: about four months around the event
#'   are enough.
#' @param data A `tide_data` object with dates, queries and pages, a [tide_source()] or an archive.
#' @param events A `tide_events` object.
#' @param curve A `tide_curve` object; `NULL` fits it to all of the data.
#' @param brand Brand words, whose queries are left out.
#' @param days Most days before and after the event that count; at least 14 of each are needed.
#' @param level Level of the intervals.
#' @return A tibble, four rows per event: `date`, `event`, `pages`, `measure` (`clicks`,
#'   `demand`, `position`, `ctr`), `ratio` (after to before), `ratio_low`,
#'   `ratio_high`, `verdict` (`rose`, `fell`, `no sign`, `too few days`, `too few clicks`,
#'   `no comparable pages`), `against` (`comparable pages`, `other weeks`), `touched` (pages),
#'   `days` (of each side), `clicks` (a day before).
#' @section Errors: `tide_error_grain` without dates or queries.
#' @references Card, Krueger (1994), American Economic Review 84, 772-793. Bertrand, Duflo,
#'   Mullainathan (2004), Quarterly Journal of Economics 119, 249-275 (placebo dates).
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' file <- tempfile(fileext = ".csv")
#' writeLines(c("date,event,pages", "2026-10-01,Guides rewritten,/guides/*"), file)
#' tide_event_effects(data, tide_events(file), brand = "fernmoor")
#' @export
tide_event_effects <- function(data, events, curve = NULL, brand = NULL, days = 28, level = 0.9) {
  data <- data_of(data)
  check_class(events, "tide_events", "events")
  check_number(days, "days", min = 14)
  check_number(level, "level", min = 0.5, max = 0.999)
  series <- page_days(data, curve, brand)
  odd <- unusual_dates(site_days_table(data))
  tibble::as_tibble(event_effects(series, events$marks, odd$date, days, level))
}

event_effects <- function(series, events, odd = NULL, days = 28, level = 0.9) {
  touched <- lapply(events$pages, touched_pages, keys = series$pages$keys)
  run <- running_days(series, unlist(touched), odd)
  rbindlist(lapply(seq_len(nrow(events)), function(i) {
    same <- vapply(touched, function(own) {
      is.null(own) || is.null(touched[[i]]) || any(own %in% touched[[i]])
    }, NA)
    near <- setdiff(which(abs(as.integer(events$date - events$date[i])) <= 2 * days), i)
    event_effect(events[i], touched[[i]], unlist(touched[near]),
      events$date[setdiff(which(same), i)], run, days, level)
  }))
}

scan_measures <- c("demand", "position", "ctr")

shift_measures <- c("clicks", scan_measures)

# Sums by page and day without brand: list(pages, days: page, date, clicks, impressions, expected;
# from, to).
page_days <- function(data, curve, brand) {
  tbl <- dated_table(data)
  if (is.null(curve)) {
    curve <- tide_curve(tide_summary(data, brand = brand))
  } else {
    check_class(curve, "tide_curve", "curve")
  }
  sum_days(coded_rows(tbl$rows, curve, brand), tbl)
}

sum_days <- function(coded, table) {
  use <- coded$segment[coded$rows$query] != "brand"
  sums <- sums_by(coded$rows[use], c("page", "date"), c("clicks", "impressions", "expected"))
  list(pages = coded$pages, days = sums, from = table$from, to = table$to)
}

dated_table <- function(data) {
  tbl <- pick_table(data, c("date", "query", "page"))
  if (!is.null(tbl)) return(tbl)
  abort_tide("What happens over time takes days, queries and pages.",
    where = tables_read(data),
    fix = "Export by date, query and page.", class = "grain")
}

# Running sums by page and day of clicks, impressions and expected clicks, of the touched pages and
# of the others with the most clicks: list(pages, dates, all: how many pages there are; the matrices
# of a row per page, a column more than days).
running_days <- function(series, touched, odd = NULL, most = 1000) {
  total <- sums_by(series$days, "page", "clicks")
  leading <- utils::head(total$page[order(-total$clicks, total$page)], most)
  pages <- union(touched[touched %in% total$page], leading)
  dates <- seq(series$from, series$to, by = "day")
  dates <- dates[!dates %in% odd]
  at <- (match(series$days$date, dates) - 1L) * length(pages) + match(series$days$page, pages)
  use <- which(!is.na(at))
  figures <- lapply(c(clicks = "clicks", impressions = "impressions", expected = "expected"),
    function(column) {
      by_day <- matrix(sum_codes(series$days[[column]][use], at[use],
        length(pages) * length(dates)), length(pages))
      cbind(0, if (ncol(by_day)) t(apply(by_day, 1, cumsum)) else by_day)
    })
  c(list(pages = pages, dates = dates, all = length(series$pages$keys)), figures)
}

# How many pages are enough to compare with.
least_free <- 8

# How many stretches of the days of one side the placebo dates must be worth.
least_placebo <- 3

# How many placebo draws the luck of counts and how far other pages move apart are worth: with more
# of them too much is called a change where pages of an event drift together (bench/accuracy.md).
apart_draws <- 1

# own: pages of the event, NULL for all; others: pages of other events in these weeks; apart: dates
# of other events that touched the same pages.
event_effect <- function(event, own, others, apart, run, days, level) {
  whole <- is.null(own)
  text_line <- function(verdict, ends = matrix(NA_real_, 3, 4), reach = 0L, clicks = NA_real_) {
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
      against = if (whole) "other weeks" else "comparable pages",
      touched = if (whole) run$all else length(own),
      days = reach,
      clicks = clicks)
  }
  mine <- whole | run$pages %in% own
  free <- !mine & !run$pages %in% others
  for (reach in unique(c(days, 21L, 14L)[c(days, 21L, 14L) <= days])) {
    here <- shift_at(run, event$date, reach, mine, free)
    if (is.null(here)) next
    if (here$clicks < 5) return(text_line("too few clicks", reach = reach))
    if (!whole && here$free < least_free) {
      return(text_line("no comparable pages", reach = reach, clicks = here$clicks / reach))
    }
    placebo <- placebo_shifts(run, c(event$date, apart), reach, mine, free)
    windows <- placebo$days / reach
    if (windows < least_placebo) next
    moved <- colMeans(placebo$logs^2)
    # Dates less than both sides apart share days, so they are worth half as many draws. Other weeks
    # alone tell how far the site as a whole moves, which is never less than the luck of counts.
    draws <- windows / 2
    leaning <- if (whole) 0 else apart_draws
    se <- sqrt(if (whole) {
      pmax(here$variance, moved)
    } else {
      (draws * moved + leaning * here$variance) / (draws + leaning)
    })
    ends <- rep(here$logs, each = 3) +
      outer(c(0, -1, 1) * stats::qt(1 - (1 - level) / 2, draws + leaning), se)
    return(text_line("", ends, reach, here$clicks / reach))
  }
  text_line("too few days")
}

# The log changes of pages at a date beside those of free ones, with their variance: list(logs,
# variance, free, clicks), or NULL where there are not `reach` days on each side.
shift_at <- function(run, date, reach, mine, free) {
  before <- sum(run$dates < date)
  after <- before + (date %in% run$dates)
  if (before < reach || after + reach > length(run$dates)) return(NULL)
  wide <- lapply(run[c("clicks", "impressions", "expected")], function(sums) {
    list(sums[, before + 1L] - sums[, before + 1L - reach],
      sums[, after + 1L + reach] - sums[, after + 1L])
  })
  wide <- stats::setNames(unlist(wide, recursive = FALSE),
    paste0(rep(names(wide), each = 2), c("_1", "_2")))
  total <- shift_logs(lapply(wide, function(x) sum(x[mine])))
  logs <- total$logs[1, ]
  variance <- total$noise[1, ]
  usable <- which(free & wide$clicks_1 + wide$clicks_2 >= 10 &
    pmin(wide$impressions_1, wide$impressions_2) > 0)
  if (length(usable) >= least_free) {
    each <- shift_logs(lapply(wide, `[`, usable))
    share <- wide$impressions_1[mine] / max(1, sum(wide$impressions_1[mine]))
    for (m in seq_along(logs)) {
      control_change <- meta_mean(each$logs[, m], each$noise[, m])
      logs[m] <- logs[m] - control_change$common
      variance[m] <- variance[m] + control_change$between * sum(share^2) + control_change$variance
    }
  }
  list(logs = logs, variance = variance, free = length(usable),
    clicks = min(sum(wide$clicks_1[mine]), sum(wide$clicks_2[mine])))
}

# The same at dates a week apart whose days reach over none of the events: list(logs: a row per
# date, days: how many they stretch over).
placebo_shifts <- function(run, events, reach, mine, free) {
  n <- length(run$dates)
  if (n < 2L * reach) return(list(logs = NULL, days = 0))
  dates <- run$dates[seq(reach + 1L, n - reach + 1L)]
  clear <- vapply(dates, function(date) {
    all(abs(as.integer(date) - as.integer(events)) > reach)
  }, NA)
  dates <- dates[clear]
  tried <- lapply(dates[seq_along(dates) %% 7L == 1L], shift_at, run = run, reach = reach,
    mine = mine, free = free)
  # Where there are pages to compare with, there must be at these dates too.
  if (any(free)) tried <- Filter(function(shift) shift$free >= least_free, tried)
  logs <- do.call(rbind, lapply(tried, `[[`, "logs"))
  list(logs = logs, days = if (is.null(logs)) 0 else sum(clear))
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

measure_words <- c(clicks = "clicks", demand = "demand", position = "clicks by position",
  ctr = "CTR at equal position")

# "2026-04-20 Titles rewritten (3 pages): clicks +47% (+18% to +81%) - rose; ..."
shift_lines <- function(shifts) {
  if (!NROW(shifts)) return("No events were given (a table of date, event, pages).")
  vapply(split(shifts,
    factor(paste(shifts$date, shifts$event), unique(paste(shifts$date, shifts$event)))),
    function(own) {
      if (own$touched[1] == 0) {
        return(sprintf("%s %s: none of its pages is in these data.", format(own$date[1]),
          own$event[1]))
      }
      heading <- sprintf("%s %s (%s)", format(own$date[1]), own$event[1],
        if (nzchar(own$pages[1])) format_plural(own$touched[1], "page") else "the whole site")
      if (is.na(own$ratio[1])) {
        why <- switch(own$verdict[1],
          `no comparable pages` = paste("no comparable pages without the change, so the effect",
            "cannot be estimated; name fewer pages"),
          `too few days` = paste("too few days to tell; about four months of days around it",
            "are needed"),
          "too few clicks to tell")
        return(sprintf("%s: %s.", heading, why))
      }
      measured <- sprintf("%s %s (%s to %s)", measure_words[own$measure], percent_change(own$ratio),
        percent_change(own$ratio_low), percent_change(own$ratio_high))
      clear <- which(own$verdict != "no sign" & own$measure != "clicks")
      sprintf("%s: %s; %s. Against %s, %s before and after.", heading,
        if (own$verdict[1] == "no sign") {
          paste(measured[1], "- no sign")
        } else {
          paste(measured[1], "-", own$verdict[1])
        },
        if (length(clear)) {
          paste(measured[clear], collapse = ", ")
        } else {
          "nothing in demand, position or CTR is significant"
        },
        own$against[1], format_plural(own$days[1], "day"))
    },
    "", USE.NAMES = FALSE)
}
