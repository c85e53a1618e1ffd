#' Unusual days and weeks
#'
#' Finds days (and whole weeks) whose clicks or impressions are far from those around them, and
#' says what each looks like: a tracking fault, a burst of bots, an outage, a surge of demand.
#' [tide_filter()] leaves them out with `without`.
#'
#' @details Logs of clicks and impressions, less the median of the four weeks around and the
#'   usual pattern of the week, are divided by their usual size (the median absolute deviation,
#'   and the luck of counts). Unusual is what is more than five times that and by half or more
#'   off; what is missing is reported where ten or more are usual, since of fewer there may be
#'   none by chance. Weeks are counted back from the last day and compared with the median of
#'   nine; so are the dates themselves where they stand for weeks or months.
#' @param data A `tide_data` object with dates, or a [tide_source()], an archive or a `tide_months`
#'   object from [tide_stored()], of which nothing needs to be read.
#' @return A tibble, oldest first: `from`, `to`, `days`, `what` (`clicks missing`, `seen, not
#'   clicked`, `clicked beyond the usual`, `few of both`, `surge`, `no rows`), `clicks`,
#'   `usual_clicks`, `impressions`, `usual_impressions`, `likely` (what it looks like, in words).
#'   Figures without queries are used where there are any, since they miss nothing.
#' @section Errors: `tide_error_grain` without dates.
#' @references Rousseeuw, Croux (1993), Journal of the American Statistical Association 88,
#'   1273-1283 (the median absolute deviation).
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' odd <- tide_unusual(data)
#' odd
#' tide_filter(data, without = odd)
#' @export
tide_unusual <- function(data) {
  data <- data_of(data, promised = TRUE)
  tibble::as_tibble(site_unusual_runs(data))
}

site_unusual_runs <- function(data) {
  days <- site_days_table(data)
  if (is.null(days)) {
    abort_tide("Unusual days need days.", where = "No table has dates.", fix = "Export by date.",
      class = "grain")
  }
  found <- unusual_runs(days, 1L)
  weeks <- unusual_runs(days, 7L)
  # A week that is odd for the sake of its odd days is named by them.
  found <- rbind(found, weeks[!vapply(seq_len(nrow(weeks)),
    function(i) any(found$from <= weeks$to[i] & found$to >= weeks$from[i]), NA)])
  setorderv(found, c("from", "days"))
  found[]
}

# What figures far from the usual look like, by the direction of clicks and impressions.
unusual_kinds <- data.table(what = c("clicks missing", "seen, not clicked",
  "clicked beyond the usual", "few of both", "surge", "no rows"),
  likely = c("tracking stood still", "bots, or places nobody clicks",
    "double counting, or a results page that sent everyone here", "an outage or a partial export",
    "demand: a campaign, the press, a holiday", "the export lacks the day"))

# Of so many a day, one without any is no chance: one day in 20,000 (Poisson).
surely_shown <- 10

# The single days of unusual runs: data.table(date, what, likely).
unusual_dates <- function(days) {
  if (is.null(days$impressions)) days <- cbind(days, impressions = days$clicks)
  runs <- unusual_runs(days, 1L)
  run <- rep(seq_len(nrow(runs)), runs$days)
  data.table(date = if (nrow(runs)) listed_dates(runs) else as.IDate(character()),
    what = runs$what[run], likely = runs$likely[run])
}

# Clicks and impressions of the site by day, of the finest account of it without queries, or NULL
# without dates.
site_days_table <- function(data) {
  if (inherits(data, "tide_promised") && length(data$segments)) return(chosen_days(data))
  if (inherits(data, "tide_months")) return(planned_days(data$plan$wanted))
  if (inherits(data, "tide_data")) return(dated_sums(data$tables))
  first_given(dated_sums(data$totals), data$days[, !c("rows", "grain")])
}

# Of data that are filtered while they are gone through.
chosen_days <- function(data) {
  totals <- if (inherits(data, "tide_months")) stored_totals(data)$tables else data$totals
  days <- dated_sums(totals)
  if (!is.null(days)) return(days)
  reduce_source(rows_source(data))$by_day[, c("date", "clicks", "impressions")]
}

dated_sums <- function(tables) {
  dated <- Filter(function(table) "date" %in% table$dimensions, tables)
  if (!length(dated)) return(NULL)
  whole <- whole_grains(names(dated))
  table <- dated[[if (length(whole)) whole[1] else 1]]
  sums_by(table$rows, "date", c("clicks", "impressions"))
}

# Grains whose sums are the site's, the one with fewest dimensions first.
whole_grains <- function(grains) {
  dimensions <- lapply(grains, grain_dimensions)
  whole <- which(!vapply(dimensions, function(own) any(no_totals %in% own), NA))
  grains[whole[order(lengths(dimensions[whole]))]]
}

planned_days <- function(wanted) {
  dated <- wanted[wanted$day > 0]
  if (!nrow(dated)) return(NULL)
  whole <- whole_grains(unique(dated$grain))
  own <- dated[dated$grain == (if (length(whole)) whole else dated$grain)[1]]
  set(own, j = "date", value = as.IDate(own$day))
  sums_by(own, "date", c("clicks", "impressions"))
}

# Runs of unusual blocks of `size` days.
unusual_runs <- function(days, size, least = 21) {
  none <- data.table(from = as.IDate(character()), to = as.IDate(character()), days = integer(),
    what = character(), clicks = numeric(), usual_clicks = numeric(), impressions = numeric(),
    usual_impressions = numeric(), likely = character())
  blocks <- day_blocks(days, size)
  if (is.null(blocks) || sum(blocks$days) < least || nrow(blocks) < 9) return(none)
  from <- blocks$from
  clicks <- blocks$clicks
  impressions <- blocks$impressions
  alone <- all(blocks$days == 1L)
  usual <- lapply(list(clicks = clicks, impressions = impressions), usual_counts,
    weekday = if (alone) as.integer(from) %% 7L, wide = if (alone) 29L else 9L)
  off <- Map(distance, list(clicks, impressions), usual)
  far <- Map(function(o, usual) {
    abs(o$z) > 5 & abs(o$log) > log(1.5) & (o$log > 0 | usual >= surely_shown)
  }, off, usual)
  # What goes half as far along with the other is off as well.
  off <- Map(function(own, far, other, other_far) ifelse(
    far | other_far & own$log * sign(other$log) > abs(other$log) / 2, sign(own$log), 0),
    off, far, rev(off), rev(far))
  kind <- ifelse(impressions == 0 & usual$impressions >= surely_shown, "no rows",
    ifelse(off[[1]] < 0 & off[[2]] < 0, "few of both",
      ifelse(off[[1]] > 0 & off[[2]] > 0, "surge",
        ifelse(off[[1]] < 0, "clicks missing",
          ifelse(off[[1]] > 0, "clicked beyond the usual",
            ifelse(off[[2]] > 0, "seen, not clicked", ifelse(off[[2]] < 0, "few of both", "")))))))
  odd <- which(nzchar(kind))
  if (!length(odd)) return(none)
  run <- cumsum(c(TRUE, diff(odd) > 1 | kind[odd][-1] != kind[odd][-length(odd)]))
  figures <- data.table(run = run, clicks = clicks[odd], usual_clicks = usual$clicks[odd],
    impressions = impressions[odd], usual_impressions = usual$impressions[odd])
  set(figures, j = "days", value = blocks$days[odd])
  sums <- sums_by(figures, "run", setdiff(names(figures), "run"))
  begin <- odd[match(sums$run, run)]
  data.table(from = from[begin], to = from[begin] + sums$days - 1L, days = sums$days,
    what = kind[begin], sums[, !c("run", "days")],
    likely = unusual_kinds$likely[match(kind[begin], unusual_kinds$what)])
}

# Sums of `size` days each, counted back from the last, of which none is cut off: data.table(from,
# days, clicks, impressions). Where dates are weeks or months these are the blocks of a day's run,
# and there are no others.
day_blocks <- function(by_day, size) {
  by_day <- by_day[order(by_day$date)]
  each <- days_each(by_day$date)
  if (each > 1L) {
    if (size > 1L) return(NULL)
    return(data.table(from = by_day$date, days = c(as.integer(diff(by_day$date)), each),
      clicks = as.numeric(by_day$clicks), impressions = as.numeric(by_day$impressions)))
  }
  last <- as.integer(max(by_day$date))
  full <- seq(as.integer(min(by_day$date)), last)
  block <- (last - full) %/% size
  at <- match(full, as.integer(by_day$date))
  figure <- function(column) fcoalesce(as.numeric(by_day[[column]][at]), 0)
  sums <- sums_by(data.table(block = -block, days = 1L, clicks = figure("clicks"),
    impressions = figure("impressions")), "block", c("days", "clicks", "impressions"))
  setorderv(sums, "block")
  set(sums, j = "from", value = as.IDate(last + 1L + size * (sums$block - 1L)))
  sums[sums$days == size, c("from", "days", "clicks", "impressions"), with = FALSE]
}

# The median around, times the usual pattern of the week.
usual_counts <- function(x, weekday, wide) {
  span <- min(wide, 2 * ((length(x) - 1) %/% 2) + 1)
  level <- log(stats::runmed(x, span, endrule = "median") + 0.5)
  if (!is.null(weekday)) {
    left <- log(x + 0.5) - level
    pattern <- tapply(left, weekday, stats::median)
    level <- level + as.vector(pattern[as.character(weekday)]) - stats::median(left)
  }
  exp(level) - 0.5
}

distance <- function(x, usual) {
  off <- log(x + 0.5) - log(pmax(usual, 0) + 0.5)
  list(log = off, z = off / sqrt(stats::mad(off)^2 + 1 / (pmax(usual, 0) + 0.5)))
}

unusual_run_lines <- function(odd) {
  if (!nrow(odd)) return("No day or week far from those around it.")
  sprintf("%s: %s (%s clicks, usually %s; %s impressions, usually %s): %s",
    ifelse(odd$from == odd$to, format(odd$from), format_days(odd$from, odd$to)), odd$what,
    format_count(odd$clicks), format_count(odd$usual_clicks), format_count(odd$impressions),
    format_count(odd$usual_impressions), odd$likely)
}

# Days that tell nothing of how people click: tracking that stood still, bots that see and never
# click. The curve is fitted without them; everything else keeps and shows them.

# Unusual days whose clicks and impressions do not go together. Out: date, clicks, impressions, ctr,
# usual_ctr.
days_to_take_out <- function(by_day) {
  none <- data.table(date = as.IDate(character()), clicks = numeric(), impressions = numeric(),
    ctr = numeric(), usual_ctr = numeric())
  if (is.null(by_day) || nrow(by_day) < 21) return(none)
  runs <- unusual_runs(by_day, 1L)
  runs <- runs[runs$what %in% c("clicks missing", "seen, not clicked", "clicked beyond the usual")]
  if (!nrow(runs)) return(none)
  days <- listed_dates(runs)
  run <- rep(seq_len(nrow(runs)), runs$days)
  data.table(by_day[match(days, by_day$date), c("date", "clicks", "impressions", "ctr")],
    usual_ctr = (runs$usual_clicks / runs$usual_impressions)[run])
}

# Sums add up, so what those days brought can be taken off again.
without_days <- function(reduced, chunks, days, split) {
  for (chunk in chunks) {
    rows <- chunk(min(days))
    if (is.null(rows) || !nrow(rows)) next
    at <- which(rows$date %in% days)
    if (!length(at)) next
    codes <- if (is.null(reduced$codes)) {
      codes_of(rows[at], reduced)
    } else {
      lapply(reduced$codes, `[`, at)
    }
    work <- c(codes, list(clicks = rows$clicks[at], impressions = rows$impressions[at],
      position = rows$position[at]))
    away <- reduce_cells(work)$all
    reduced$all <- key_cells(take_off(reduced$all, away, c("query", "page", "bin")))
    if (!is.null(split)) {
      reduced$split_cells <- take_off(reduced$split_cells,
        reduce_split(work, split_labels(rows[at], split)), c("part", "query", "page", "bin"))
    }
  }
  reduced
}

take_off <- function(cells, away, by) {
  sums <- c("clicks", "impressions", "weighted", "rows")
  away <- copy(away)
  for (column in sums) set(away, j = column, value = -away[[column]])
  columns <- c(by, sums)
  left <- rbind(cells[, columns, with = FALSE], away[, columns, with = FALSE])[, lapply(.SD, sum),
    by = by]
  left[left$impressions > 0.5]
}

left_out_day_lines <- function(odd) {
  if (!NROW(odd)) return(character())
  sprintf("  left out of the curve: %s of unlikely CTR, the first %s (%s, usually %s)",
    format_plural(nrow(odd), "day"), format(odd$date[1]), format_rate(odd$ctr[1]),
    format_rate(odd$usual_ctr[1]))
}
