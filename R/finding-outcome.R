#' Did it work?
#'
#' Compares what was fixed with untouched queries: difference in differences of
#' clicks, before the day it was done and since.
#'
#' @details For each decision `done` the clicks of its query on its pages over `days` before, and
#'   over as many since (fewer where fewer have passed, at least 14). The change is that of the
#'   log of clicks over those expected: for `low_ctr` the clicks that the curve expects at the
#'   positions it had, so that a better or worse position is not taken for a better snippet; for
#'   other kinds the impressions of the days before, so that position counts, after what the
#'   untouched queries of the same band of position did, which takes demand and season out.
#'   Untouched are pairs without a decision. The interval comes from the luck of counts and from
#'   how far untouched pairs of similar size moved apart by more than that.
#'
#'   What is listed is listed partly by luck, which passes whatever is done: few clicks make a CTR
#'   low, many a query rise. So the level before is not what was seen but what the spread of all
#'   pairs over up to 90 days makes of that (the posterior of the factor on the curve under the
#'   two-groups mixture, empirical Bayes), which no choice by clicks can bias; for `low_ctr` the
#'   clicks of these days count, too. A fall or a climb of the position that chance made larger
#'   than it was is not corrected so.
#'
#' @param data A `tide_data` object with dates, a [tide_source()] or an archive.
#' @param decisions What [tide_decisions()] gives.
#' @param curve A `tide_curve` object of the site.
#' @param days Days before and since that are compared.
#' @param level Level of the interval.
#' @param pages A `tide_pages` object, to watch the pages that link to the page worked on.
#' @return A tibble, one row per task that was decided to be `done`: `id`, `task`, `kind`, `query`
#'   (the first of its lines), `page`, `queries` (how many it serves), `done`, `days` (since),
#'   `clicks_before`, `clicks_since` (per 30 days), `ratio` (of clicks to what they would have
#'   been), `ratio_low`, `ratio_high`, `ratio_sd` (of its log), `won` (clicks per 30 days, with
#'   `won_low`, `won_high`),
#'   `untouched` (pairs compared with), `days_before` (days of data before it), `verdict`:
#'   `worked`, `no sign yet`, `made it worse`, `too early`, `too few days before`, `too few
#'   clicks` or `nothing to compare with`, and `linking_shown`: pages that link to it in their text
#'   and have begun to be shown for the query themselves (a tenth of its impressions since, less
#'   than half of that share before), which is how contests begin.
#' @references Card, Krueger (1994), American Economic Review 84, 772-793. Efron (2011), Journal
#'   of the American Statistical Association 106, 1602-1614 (selection and empirical Bayes).
#' @section Errors: `tide_error_grain` where the data have no dates.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' found <- tide_find(tide_summary(data, brand = "fernmoor"))
#' store <- tide_store(tempfile("project"))
#' tide_decide(store, found, tidy(found)$id[1], "done", at = "2026-10-01")
#' tide_outcomes(data, tide_decisions(store), found$curve)
#' @export
tide_outcomes <- function(data, decisions, curve, days = 28, level = 0.9, pages = NULL) {
  data <- data_of(data)
  check_class(curve, "tide_curve", "curve")
  check_number(days, "days", min = 14)
  check_number(level, "level", min = 0.5, max = 0.999)
  tbl <- pick_table(data, c("date", "query", "page"))
  if (is.null(tbl)) {
    abort_tide("Outcomes need days.", where = paste(names(data$tables), collapse = "; "),
      fix = "Load exports by date, query and page.", class = "grain")
  }
  decisions <- as.data.table(decisions)
  done <- decisions[decisions$decision == "done"]
  coded <- coded_rows(tbl$rows, curve, NULL)
  rows <- coded$rows
  set(rows, j = c("pair", "plain"), value = list(
    paste(coded$queries$keys[rows$query], coded$pages$keys[rows$page]),
    coded$segment[rows$query] != "brand"))
  touched <- decided_pairs(decisions)
  # How pairs differed before is one fit for all that was done on one day.
  fits <- list()
  differ <- function(at) {
    day <- format(at)
    if (is.null(fits[[day]])) fits[[day]] <<- pair_baseline(rows, at)
    fits[[day]]
  }
  if (is.null(done[["task"]])) set(done, j = "task", value = done$id)
  tibble::as_tibble(rbindlist(lapply(split(done, by = "task"), function(own) {
    out <- task_outcome(own, rows, touched, days, level, differ)
    set(out, j = "linking_shown", value = linking_shown(own, rows, coded, days, pages))
  })))
}

# Addresses, separated by spaces, of linking pages that a query has begun to show.
linking_shown <- function(lines, rows, coded, days, pages) {
  if (is.null(pages)) return("")
  target <- page_key(lines$page[1])
  from <- unique(pages$links$from[pages$links$main & pages$links$to == target])
  linking <- match(from, coded$pages$keys)
  asked <- match(query_key(lines$query), coded$queries$keys)
  at <- lines$at[1]
  near <- rows[rows$query %in% asked & abs(as.integer(rows$date - at)) <= days & rows$date != at]
  if (!nrow(near) || all(is.na(linking))) return("")
  share <- function(since) {
    own <- near[(near$date > at) == since]
    vapply(linking, function(page) {
      sum(own$impressions[own$page %in% page]) / max(1, sum(own$impressions))
    }, 0)
  }
  begun <- share(TRUE) >= assumed("weighty_share") & share(FALSE) < assumed("weighty_share") / 2
  paste(coded$pages$names[linking[which(begun & !is.na(linking))]], collapse = " ")
}

# The pairs of the lines of a decision.
decided_pairs <- function(lines) {
  pages <- strsplit(lines$pages, " ", fixed = TRUE)
  paste(rep(query_key(lines$query), lengths(pages)), page_key(as.character(unlist(pages))))
}

# Days before, by which levels are known.
days_before <- function(rows, at) min(90L, as.integer(at - min(rows$date)))

# lines: of one task. differ: a function of a day, see pair_baseline().
task_outcome <- function(lines, rows, touched, days, level, differ) {
  decision <- lines[1]
  since_days <- min(days, as.integer(max(rows$date) - decision$at))
  have <- max(0L, as.integer(decision$at - min(rows$date)))
  text_line <- function(verdict, ...) data.table(id = decision$id, task = decision$task,
    kind = decision$kind, query = decision$query, page = decision$page, queries = nrow(lines),
    done = decision$at, days = max(0L, since_days), ..., days_before = have, verdict = verdict)
  early <- function(verdict = "too early") text_line(verdict, clicks_before = NA_real_,
    clicks_since = NA_real_, ratio = NA_real_, ratio_low = NA_real_, ratio_high = NA_real_,
    ratio_sd = NA_real_, won = NA_real_, won_low = NA_real_, won_high = NA_real_, untouched = 0L)
  if (have < days) return(early("too few days before"))
  if (since_days < 14) return(early())
  at_curve <- kind_is(decision$kind, "snippet")
  if (at_curve) days <- days_before(rows, decision$at)
  before_from <- decision$at - days
  near <- rows[
    rows$date >= before_from & rows$date != decision$at & rows$date <= decision$at + since_days]
  set(near, j = "since", value = near$date > decision$at)
  sums <- sums_by(near, c("pair", "since"), c("clicks", "impressions", "weighted", "expected"))
  set(sums, j = "plain", value = near$plain[match(sums$pair, near$pair)])
  pairs <- decided_pairs(lines)
  mine <- sums[sums$pair %in% pairs]
  sum_of <- function(column, side) sum(mine[[column]][mine$since == side])
  c1 <- sum_of("clicks", FALSE)
  c2 <- sum_of("clicks", TRUE)
  expected <- sum_of("expected", FALSE)
  # What clicks are measured by: expected ones at the positions held, or days.
  base2 <- if (at_curve) sum_of("expected", TRUE) else since_days
  if (expected <= 0 || base2 <= 0) return(early("too few clicks"))
  control <- untouched_pairs(sums[!sums$pair %in% touched],
    sum_of("weighted", FALSE) / max(sum_of("impressions", FALSE), 1))
  if (is.null(control)) return(early("nothing to compare with"))
  base <- if (at_curve) control[, c("expected_1", "expected_2")] else list(days, since_days)
  untouched <- log_change(control$clicks_1, control$clicks_2, base[[1]], base[[2]])$change
  control_change <- meta_mean(untouched,
    shared_noise(control$clicks_1 + control$clicks_2, base[[2]] / (base[[1]] + base[[2]])))
  # What rose or fell within these days is known by the last of them alone.
  level_days <- if (decision$kind %in% moving_kinds) days else days_before(rows, decision$at)
  known <- rows[rows$date >= decision$at - level_days & rows$date < decision$at]
  known <- known[known$pair %in% pairs]
  before <- level_before(differ(decision$at), sum(known$clicks), sum(known$expected))
  if (!at_curve) before$mean <- before$mean + log(expected / days)
  would_be <- before$mean + control_change$common + log(base2)
  # Of few clicks chance makes more than most steps do.
  if (exp(would_be) < data_limits$outcome_clicks) return(early("too few clicks"))
  change <- log_rate(c2) - would_be - log_rate_bias(exp(would_be))
  spread_sd <- sqrt(before$variance + rate_noise(c2) + control_change$between +
    control_change$variance)
  ends <- change + c(-1, 0, 1) * stats::qnorm(1 - (1 - level) / 2) * spread_sd
  won <- (c2 + half_count) * 30 / since_days * (1 - exp(-ends))
  text_line(if (ends[1] > 0) "worked" else if (ends[3] < 0) "made it worse" else "no sign yet",
    clicks_before = c1 * 30 / days, clicks_since = c2 * 30 / since_days, ratio = exp(change),
    ratio_low = exp(ends[1]), ratio_high = exp(ends[3]), ratio_sd = spread_sd, won = won[2],
    won_low = won[1], won_high = won[3], untouched = nrow(control))
}

# How all pairs differed before a day: groups of their factors on the curve.
pair_baseline <- function(rows, at, most = 2000) {
  before <- rows[rows$date >= at - days_before(rows, at) & rows$date < at & rows$plain]
  pairs <- sums_by(before, "pair", c("clicks", "expected"))
  known <- pairs[pairs$expected >= 3]
  known <- utils::head(known[order(-known$expected, known$pair)], most)
  fit_two_groups(clicks_over_factors(known$clicks, known$expected))
}

# The level that a pair had, as the log of a factor on the curve: mean and variance of the
# posterior, given how all pairs differ.
level_before <- function(groups, clicks, expected) {
  posterior <-
    rowSums(group_priors(groups, factor_grid)) * drop(clicks_over_factors(clicks, expected))
  posterior <- posterior / sum(posterior)
  average <- sum(posterior * factor_grid)
  list(mean = average, variance = sum(posterior * (factor_grid - average)^2))
}

# Pairs shown before and since, near that position where there are enough; NULL where there are too
# few anywhere. Clicks of both sides choose them: those with many before would fall by chance alone,
# and make what was done look better.
untouched_pairs <- function(sums, position, least = 10) {
  wide <- merge(sums[sums$since == FALSE & sums$plain == TRUE], sums[sums$since == TRUE],
    by = "pair", suffixes = c("_1", "_2"))
  wide <- wide[wide$clicks_1 + wide$clicks_2 >= 6]
  near <- wide[abs(log(wide$weighted_1 / wide$impressions_1 / position)) < log(2)]
  if (nrow(near) >= least) near else if (nrow(wide) >= least) wide
}
