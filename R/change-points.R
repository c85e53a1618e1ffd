#' Change points: days from which on something was different
#'
#' The reverse of [tide_event_effects()]: looks through all days for pages, folders and the site
#' as a whole whose demand, position or CTR at equal position changed at once, and
#' names the nearest event.
#'
#' @details For each page and day the sums of `reach` days before and after are compared as in
#'   [tide_event_effects()]. Each change, less that of all pages on that day, is divided by its
#'   usual size: the luck of counts and how far pages drift apart anyway, from the middle half of
#'   its days, leaning on that of all pages, so that what truly changed does not hide itself.
#'   Folders of three pages or more are compared with all pages in the same way. The site is
#'   compared with its own other days, where there are `reach` x 6 or more; not its demand, whose
#'   seasons look just like changes. Of folders and the site the smaller with and without the page
#'   of the most clicks is taken: what one page does is no change of theirs. The largest within
#'   `reach` days counts (moving sums);
#'   p-values are those of Student's t, times 3 for the neighbouring days tried, with the
#'   false-discovery rate controlled over lines, dates and measures. Days that [tide_unusual()]
#'   finds do not count.
#' @inheritParams tide_event_effects
#' @param events A `tide_events` object to name the nearest event of, at most `reach` days away;
#'   `NULL` names none.
#' @param reach Days before and after that are compared; the first and last `reach` days cannot
#'   be judged.
#' @param fdr False-discovery rate.
#' @param most How many pages are looked at, those with the most clicks first.
#' @param rules A [tide_rules()] object, for groups of pages instead of first folders.
#' @return A tibble, the surest change first: `level` (`page`, `folder` or `site`), `name`
#'   (address of the page, name of the folder, or `all pages`), `date` (the first day after the
#'   change), `measure` (`demand`, `position`, `ctr`), `ratio` (of after to before,
#'   what all others did taken out), `ratio_low`, `ratio_high` (90 % interval, for this day taken
#'   as given), `q` (false-discovery rate at which it counts), `event` (the nearest that touched
#'   it, or `""`), `days_from` (it to the change).
#' @section Errors: `tide_error_grain` without dates or queries.
#' @references Eichinger, Kirch (2018), Bernoulli 24, 526-564 (moving sums). Benjamini, Hochberg
#'   (1995), Journal of the Royal Statistical Society B 57, 289-300.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' tide_change_points(data, brand = "fernmoor")
#' @export
tide_change_points <- function(data, events = NULL, curve = NULL, brand = NULL, reach = 14,
    fdr = 0.1, most = 200, rules = tide_rules()) {
  data <- data_of(data)
  marks <- check_events(events)
  check_number(reach, "reach", min = 7)
  check_number(fdr, "fdr", min = 0.001, max = 0.5)
  check_number(most, "most", min = 1)
  check_class(rules, "tide_rules", "rules")
  tibble::as_tibble(find_changes(page_days(data, curve, brand), marks, reach, fdr, most,
    rules$page_groups, unusual_dates(site_days_table(data))$date))
}

find_changes <- function(series, events = NULL, reach = 14, fdr = 0.1, most = 200, groups = NULL,
    odd = NULL) {
  lines <- change_candidates(series, most, groups, odd)
  found <- significant_changes(scan_changes(lines, as.integer(reach)), fdr, as.integer(reach))
  own <- lines$lines[found$line]
  dates <- lines$dates[found$day]
  cbind(own[, c("level", "name")], data.table(date = dates),
    found[, c("measure", "ratio", "ratio_low", "ratio_high", "q")],
    nearest_events(own$pages, dates, events, reach, series$pages$keys))
}

# Figures by day of the pages with the most clicks, the folders of three pages or more, and the
# site, then of each folder and the site the `rest` without its first page: list(lines: level, name,
# pages (their codes), dates, clicks, impressions, expected: matrices of a row per line).
change_candidates <- function(series, most, groups, odd) {
  total <- sums_by(series$days, "page", "clicks")
  setorderv(total, c("clicks", "page"), c(-1L, 1L))
  leading <- utils::head(total$page, most)
  folder <- page_group(series$pages$names, groups)[total$page]
  folders <- split(total$page, folder)
  folders <- folders[lengths(folders) >= 3 & lengths(folders) < nrow(total)]
  wholes <- c(unname(folders), list(total$page))
  lines <- data.table(
    level = rep(c("page", "folder", "site", "rest"),
      c(length(leading), length(folders), 1, length(wholes))),
    name = c(series$pages$names[leading], rep(c(names(folders), "all pages"), 2)),
    pages = c(as.list(leading), wholes, lapply(wholes, `[`, -1L)))
  # Days of bots and faults look like changes of all pages.
  dates <- seq(series$from, series$to, by = "day")
  dates <- dates[!dates %in% odd]
  day <- match(series$days$date, dates)
  # Which lines each page is part of, one of each of these at most.
  own <- series$days$page
  folder <- match(folder[match(own, total$page)], names(folders))
  first <- own %in% vapply(folders, `[`, 0L, 1L)
  after <- cumsum(c(0L, length(leading), length(folders), 1L, length(folders)))
  rows <- list(match(own, leading), folder, rep(1L, length(own)), ifelse(first, NA, folder),
    ifelse(own == total$page[1], NA, 1L))
  row <- unlist(Map(`+`, rows, after))
  day <- rep(day, length(rows))
  use <- which(!is.na(row) & !is.na(day))
  figures <- lapply(c(clicks = "clicks", impressions = "impressions", expected = "expected"),
    function(column) {
      matrix(sum_codes(rep(series$days[[column]], length(rows))[use],
        (day[use] - 1L) * nrow(lines) + row[use], nrow(lines) * length(dates)), nrow(lines))
    })
  c(list(lines = lines, dates = dates), figures)
}

# Standardised change of every line, day (the first after it) and measure.
scan_changes <- function(lines, reach) {
  days <- length(lines$dates)
  level <- lines$lines$level
  if (days < 2 * reach || sum(level == "page") < 8) return(NULL)
  at <- seq(reach + 1L, days - reach + 1L)
  windows <- length(at) / reach
  sides <- unlist(lapply(c("clicks", "impressions", "expected"), function(figure) {
    sums <- cbind(0, t(apply(lines[[figure]], 1, cumsum)))
    stats::setNames(
      list(as.vector(sums[, at] - sums[, at - reach]), as.vector(sums[, at + reach] - sums[, at])),
      paste0(figure, c("_1", "_2")))
  }),
    recursive = FALSE)
  made <- shift_logs(sides)
  seen <- pmin(sides$impressions_1, sides$impressions_2) >= 50
  usable <- list(demand = seen, position = seen,
    ctr = seen & sides$clicks_1 + sides$clicks_2 >= 20)
  rbindlist(lapply(seq_along(scan_measures), function(m) {
    z <- matrix(ifelse(usable[[m]], made$logs[, m + 1], NA), length(level))
    noise <- matrix(made$noise[, m + 1], length(level))
    common <- vapply(seq_along(at), function(j) {
      own <- which(!is.na(z[, j]) & level == "page")
      if (length(own)) weighted_median(z[own, j], 1 / (noise[own, j] + 0.02)) else NA
    }, 0)
    z <- z - outer(level %in% c("page", "folder"), common)
    # A season of the whole site looks like changes of its demand.
    level_texts <- if (scan_measures[m] == "demand" || windows < 4) {
      c("page", "folder")
    } else {
      c("page", "folder", "site")
    }
    rbindlist(lapply(level_texts, function(own) {
      rows <- which(level == own)
      found <- standardised(z, noise, rows, at, windows, scan_measures[m])
      if (own == "page" || is.null(found)) return(found)
      rest <- which(level == "rest")[match(rows, which(level %in% c("folder", "site")))]
      without <- standardised(z, noise, rest, at, windows, scan_measures[m])
      set(without, j = "line", value = rows[match(without$line, rest)])
      left <- without[found, on = c("line", "day")]$z
      set(found, j = "z", value = ifelse(left * found$z > 0,
        sign(left) * pmin(abs(left), abs(found$z)), 0))[!is.na(left)]
    }))
  }))
}

# Changes of lines of one level with their standard error, what they are in it, and its degrees of
# freedom.
standardised <- function(z, noise, rows, at, windows, measure) {
  z <- z[rows, , drop = FALSE]
  noise <- noise[rows, , drop = FALSE]
  known <- which(!is.na(z))
  if (length(known) < 4 * length(at) / windows) return(NULL)
  # How many windows the others' drift is worth.
  others <- min(drift_parent, (length(rows) - 1) * windows)
  between <- normal_drift(z, noise, known, windows, others)[row(z)[known]]
  se <- sqrt(noise[known] + between)
  data.table(line = rows[row(z)[known]], day = at[col(z)[known]], measure = measure,
    change = z[known], se = se, z = z[known] / se, freedom = windows + others)
}

# How far each line drifts beyond the luck of counts: its own middle half, leaning on that of all
# lines by as much as a few windows are worth.
drift_parent <- 6

normal_drift <- function(z, noise, known, windows, others) {
  variance_all <- robust_between_variance(z[known], noise[known])
  own <- vapply(seq_len(nrow(z)), function(i) {
    use <- which(!is.na(z[i, ]))
    if (length(use) < 2 * length(z[i, ]) / windows) return(variance_all)
    robust_between_variance(z[i, use], noise[i, use])
  }, 0)
  (own * windows + variance_all * others) / (windows + others)
}

# Neighbouring days share most of their sums: so many independent trials are in each `reach` days
# (by simulation).
days_tried <- 3

# The largest change of each line within `reach` days, if it counts.
significant_changes <- function(scanned, fdr, reach) {
  none <- data.table(line = integer(), day = integer(), measure = character(), ratio = numeric(),
    ratio_low = numeric(), ratio_high = numeric(), q = numeric())
  if (!NROW(scanned)) return(none)
  size <- abs(scanned$z)
  # One trial for each line, measure and stretch of `reach` days.
  trials <- nrow(unique(data.table(scanned$line, scanned$measure, scanned$day %/% reach)))
  p <- pmin(1, 2 * stats::pt(-size, scanned$freedom) * days_tried)
  in_order <- order(-size)
  in_order <- in_order[p[in_order] <= fdr]
  kept <- integer()
  for (i in in_order) {
    near <- scanned$line[kept] == scanned$line[i] & abs(scanned$day[kept] - scanned$day[i]) <= reach
    if (!any(near)) kept <- c(kept, i)
  }
  if (!length(kept)) return(none)
  q_value <- rev(cummin(rev(p[kept] * trials / seq_along(kept))))
  kept <- kept[q_value <= fdr]
  own <- scanned[kept]
  reach_of <- stats::qnorm(0.95) * own$se
  data.table(own[, c("line", "day", "measure")], ratio = exp(own$change),
    ratio_low = exp(own$change - reach_of), ratio_high = exp(own$change + reach_of),
    q = q_value[q_value <= fdr])
}

# The nearest event that touched any of each line's pages: data.table(event, days_from).
nearest_events <- function(pages, dates, events, reach, keys) {
  out <- data.table(event = rep("", length(pages)), days_from = rep(NA_integer_, length(pages)))
  touched <- lapply(events$pages, touched_pages, keys = keys)
  for (i in seq_along(pages)) {
    days <- as.integer(dates[i] - events$date)
    near <- which(abs(days) <= reach &
      vapply(touched, function(own) is.null(own) || any(pages[[i]] %in% own), NA))
    if (length(near)) {
      best <- near[which.min(abs(days[near]))]
      set(out, i, c("event", "days_from"), list(events$event[best], days[best]))
    }
  }
  out
}

found_change_lines <- function(changes, most = 8) {
  if (!nrow(changes)) return("None beyond the usual drift.")
  shown <- utils::head(changes, most)
  name_of <- fcase(shown$level == "page", format_path(shown$name), shown$level == "folder",
    paste("all of", shown$name), default = "the whole site")
  c(sprintf("%s %s: %s %s (%s to %s)%s", format(shown$date), name_of, measure_words[shown$measure],
    percent_change(shown$ratio), percent_change(shown$ratio_low), percent_change(shown$ratio_high),
    ifelse(nzchar(shown$event), sprintf("; %s: %s",
      ifelse(shown$days_from == 0, "on that day",
        sprintf("%s %s", format_plural(abs(shown$days_from), "day"),
          ifelse(shown$days_from > 0, "after", "before"))),
      shown$event),
      "")),
    if (nrow(changes) > most) sprintf("... and %s more", format_count(nrow(changes) - most)))
}
