# Rising and falling: pairs whose clicks for a search moved over the last eight weeks by more than
# chance. Fewer or more searches move impressions and are nobody's doing on the page, so they are
# left out of it. What is left is position, which is known well, and CTR at equal position, of
# which few clicks say little.

#' Falling and rising
#'
#' Two kinds of finding, `falling` and `rising`: pairs whose clicks for a search changed by a
#' quarter or more between the last four weeks and the four before. Less demand is no fall.
#'
#' @section Definition: the log of clicks for a search, less what the site did as a whole. What
#'   position makes of it is known from the curve; CTR at equal position is drawn to how the
#'   site's pairs usually move (a two-groups mixture, as for [low_ctr]). `confidence` is the
#'   probability that the change is really there.
#' @section Formula: if done = what was lost, or a third of a rise once more, for 30 days.
#' @section Do not trust it when: there are fewer than twenty pairs with 20 impressions in each
#'   window and 8 clicks in both, or no dates: nothing is listed then. For longer windows see
#'   [tide_compare()].
#' @section Assumptions: see `tide_assumptions()`, rows whose `moves` holds `falling` or
#'   `rising`.
#' @examples
#' summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
#' tide_find(summary, kind = c("falling", "rising"))
#' @seealso [tide_find()]
#' @name falling
#' @aliases rising
NULL

# What moved by less than a quarter is nobody's working day.

# Per pair the sums of the last weeks and of as many before: clicks, impressions, position, clicks
# expected on the curve, demand (`_1` before, `_2` last), and why clicks changed (see
# compare-parts.R). NULL without weeks enough.
two_windows <- function(summary, curve, views) {
  weekly <- summary$weekly
  last <- summary$recent$days %/% 7L
  if (is.null(weekly) || last < 2 * assumed("moved_weeks")) return(NULL)
  side <- ifelse(weekly$week > last - assumed("moved_weeks"), 2L,
    ifelse(weekly$week > last - 2 * assumed("moved_weeks"), 1L, 0L))
  own <- copy(weekly)[side > 0]
  set(own, j = "side", value = side[side > 0])
  set(own, j = "weighted", value = own$impressions * own$position)
  set(own, j = "expected", value = own$impressions *
    curve_ctr(curve, own$position, summary$queries$segment[own$query], 1, own$impressions))
  set(own, j = "demand",
    value = searches_seen(own$impressions, own$position, views))
  moved <- pair_sums(own)
  moved <- moved[moved$impressions_1 > 0 & moved$impressions_2 > 0]
  for (side in 1:2) {
    set(moved, j = paste0("position_", side),
      value = moved[[paste0("weighted_", side)]] / moved[[paste0("impressions_", side)]])
  }
  factor <- pair_factor(moved, curve$fits[[1]])
  parts <- change_parts(moved$clicks_1, moved$clicks_2, moved$expected_1, moved$expected_2,
    moved$demand_1, moved$demand_2, factor)
  set(moved, j = c("position", "ctr"), value = list(parts$by_position, parts$by_ctr))
}

moving_kinds <- c("falling", "rising")

# Both kinds look at the same two windows.
find_moving <- function(summary, curve, pairs, options) {
  moving <- moving_pairs(summary, curve, pairs, options$page_one_views)
  wanted <- intersect(moving_kinds, options$kind)
  list(found = rbindlist(lapply(wanted, moving_findings, moving, summary, pairs, options)),
    aside = NULL)
}

moving_findings <- function(kind, moving, summary, pairs, options) {
  if (!length(moving$at)) return(NULL)
  change <- moving$change
  down <- kind == "falling"
  confidence <- if (down) change$fell else change$rose
  done <- moving_done(moving$moved, change, down)
  # What is predicted by the position alone and did not show in clicks is no finding yet.
  shown <- (change$by_position + change$seen - change$usual) * if (down) -1 else 1
  worth <- which(pairs$tested[moving$at] & shown > assumed("moved_by") &
    confidence > assumed("moved_confidence") & done$done >= options$least)
  listed <- worth[within_fdr(confidence[worth], options$fdr)]
  if (!length(listed)) return(NULL)
  of <- cbind(moving$moved[listed], change[listed])
  share <- of$position / (of$position + of$ctr)
  done <- lapply(done, `[`, listed)
  found <- pair_findings(kind, summary, pairs, moving$at[listed], done, confidence[listed],
    if (down) assumed("won_back") else assumed("rise_chance"),
    moving_action(summary, of, share, kind),
    moving_reason(of, summary$recent$to - 7L * as.integer(assumed("moved_weeks")) + 1L),
    moving_steps(of, done, confidence[listed], down))
  # What brings a page back, or supports it, serves all its queries; a lower CTR at equal position
  # asks for the rewrite that low CTR asks for.
  key <- summary$pages$key[of$page]
  step <- ifelse(down & moving_cause(share) == "ctr", "low_ctr", kind)
  set(found, j = "work", value = ifelse(nzchar(key), paste(step, key), found$identity))
  found
}

# Pairs that both windows show often enough to judge: the rows of `pairs` they are (`at`),
# two_windows() and real_change() of them. None where the site has too few.
moving_pairs <- function(summary, curve, pairs, views) {
  moved <- two_windows(summary, curve, views)
  if (is.null(moved)) return(list(at = integer()))
  at <- pairs[moved, on = c("query", "page"), which = TRUE]
  use <- which(!is.na(at) & pairs$judged[at] &
    pmin(moved$impressions_1, moved$impressions_2) >= assumed("moved_impressions") &
    moved$clicks_1 + moved$clicks_2 >= assumed("moved_clicks"))
  if (length(use) < 20) return(list(at = integer()))
  list(at = at[use], moved = moved[use], change = real_change(moved[use]))
}

# The log of the change of clicks for a search, its luck taken out, beside what the site as a whole
# did. In: pairs of two_windows(). Out: a row per pair: the part of position (`by_position`) and its
# `position_noise`, that of CTR as seen (`seen`, `noise`) and what it is beside the usual,
# low and high moves of the site's pairs; `size` and `variance` of the whole, and the chances that
# it is clearly down (`fell`) or up (`rose`).
real_change <- function(moved) {
  on_curve <- log(moved$expected_2 / moved$demand_2) - log(moved$expected_1 / moved$demand_1)
  by_position <- on_curve - stats::median(on_curve)
  # A search's position differs from the mean by about half of it, and clicks fall about as position
  # rises.
  position_noise <- 0.5^2 * (1 / moved$impressions_1 + 1 / moved$impressions_2)
  seen <-
    log_factor(moved$clicks_2, moved$expected_2) - log_factor(moved$clicks_1, moved$expected_1)
  noise <-
    factor_noise(moved$clicks_1, moved$expected_1) + factor_noise(moved$clicks_2, moved$expected_2)
  # The pairs of which most is expected are enough for the fit.
  best <- utils::head(order(-(moved$expected_1 + moved$expected_2)), 2000)
  groups <-
    fit_groups(measured_over_factors(seen[best], noise[best]), usual_sd = assumed("moved_usual_sd"))
  shares <- group_shares(seen, noise, groups)
  parts <- lapply(1:3, function(k) shrink_to(seen, noise, groups$mean[k], groups$sd[k]))
  size <- by_position - groups$mean[1] +
    Reduce(`+`, Map(function(part, k) shares[, k] * part$mean, parts, 1:3))
  chance <- function(sign) Reduce(`+`, Map(function(part, k) {
    shares[, k] * stats::pnorm((sign * (by_position - groups$mean[1] + part$mean) -
      assumed("moved_by")) / sqrt(part$variance + position_noise))
  }, parts, 1:3))
  data.table(
    by_position,
    position_noise,
    seen,
    noise,
    usual = groups$mean[1],
    usual_sd = groups$sd[1],
    size,
    variance = position_noise + Reduce(`+`,
      Map(function(part, k) {
        shares[, k] * (part$variance + (by_position - groups$mean[1] + part$mean - size)^2)
      }, parts, 1:3)),
    fell = chance(-1),
    rose = chance(1))
}

# All that was lost, won back; a rise that is given support, gone on by a third. Per 30 days, with
# the ends of the interval and the clicks of four weeks `now`, half as seen and half as predicted by
# the weeks before.
moving_done <- function(moved, change, down) {
  now <- (moved$clicks_2 +
    moved$demand_2 * (moved$clicks_1 + 0.5) / moved$demand_1 * exp(change$size)) / 2
  more <- function(move) {
    pmax(0, now * (if (down) exp(-move) - 1 else exp(move * assumed("goes_on")) - 1)) * 30 /
      (7 * assumed("moved_weeks"))
  }
  reach <- stats::qnorm(0.95) * sqrt(change$variance)
  ends <- list(more(change$size - reach), more(change$size + reach))
  list(done = more(change$size), low = do.call(pmin, ends), high = do.call(pmax, ends), now = now)
}

moving_steps <- function(of, done, confidence, down) {
  weeks <- assumed("moved_weeks")
  days <- 7 * weeks
  window <- spelled(weeks, "week")
  step_lines(sprintf(paste("clicks by position %+.1f, by CTR at equal position %+.1f in",
    "%s (demand is taken out; impressions beyond position %g",
    "raised to what page one would have seen)"),
    of$position, of$ctr, window, assumed("page_one_ends")),
    sprintf(paste("change by position on the curve, ln: %.3f less the median of all",
      "pairs, its noise 0.25 x (1/%s + 1/%s) = %.4f"),
      of$by_position, format_count(of$impressions_1), format_count(of$impressions_2),
      of$position_noise),
    sprintf(paste("change of CTR = ln((%s + 0.5) / (%.2f + 0.5)) - ln((%s + 0.5)",
      "/ (%.2f + 0.5)) = %.3f, variance of its noise %.3f; pairs of this site",
      "usually move by %.3f on average, standard deviation %.3f"),
      format_count(of$clicks_2), of$expected_2, format_count(of$clicks_1), of$expected_1, of$seen,
      of$noise, of$usual, of$usual_sd),
    sprintf(paste("both together, luck and what the site did as a whole taken out: %.3f;",
      "clicks of %s now: %.2f"),
      of$size, window, done$now),
    if (down) {
      sprintf("if done = what was lost = %.2f x (exp(%.3f) - 1) x 30 / %g = %.2f", done$now,
        -of$size, days, done$done)
    } else {
      sprintf(paste("if done = %.0f %% of the rise once more = %.2f x (exp(%.2f x %.3f) - 1)",
        "x 30 / %g = %.2f"),
        100 * assumed("goes_on"), done$now, assumed("goes_on"), of$size, days, done$done)
    },
    sprintf("confidence: chance that clicks for a search are %s by %.0f %% or more: %.3f",
      if (down) "down" else "up",
      100 * (if (down) 1 - exp(-assumed("moved_by")) else exp(assumed("moved_by")) - 1),
      confidence))
}

# What is said of rising and falling pairs.

moving_cause <- function(share) ifelse(share > 0.6, "position", ifelse(share < 0.25, "ctr", "both"))

# of: figures of both windows; since: first day of the later one.
moving_reason <- function(of, since) {
  demand <- of$clicks_2 - of$clicks_1 - of$position - of$ctr
  parts <- vapply(seq_len(nrow(of)), function(i) {
    size <- c(position = of$position[i], ctr = of$ctr[i], demand = demand[i])
    size <- size[order(-abs(size))]
    size <- size[abs(size) >= 0.5]
    said <- c(
      position = sprintf("by position (%s to %s)", format_position(of$position_1[i]),
        format_position(of$position_2[i])),
      ctr = "by CTR at equal position",
      demand = "by demand")
    paste(sprintf("%s %s", signed(size), said[names(size)]), collapse = ", ")
  }, "")
  sprintf("Clicks %s from %s in %s to %s in the %s since %s%s.",
    ifelse(of$clicks_2 < of$clicks_1, "fell", ifelse(of$clicks_2 > of$clicks_1, "rose", "stayed")),
    format_count(of$clicks_1), spelled(assumed("moved_weeks"), "week"),
    format_count(of$clicks_2), spelled(assumed("moved_weeks")), format_day(since),
    ifelse(nzchar(parts), paste0(": ", parts), ""))
}

# "four weeks", "four"; beyond ten in figures.
spelled <- function(n, of = NULL) {
  words <- c("one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")
  word <- if (n %in% seq_along(words)) words[n] else format_count(n)
  if (is.null(of)) word else paste0(word, " ", of, if (n == 1) "" else "s")
}

moving_action <- function(summary, of, share, kind) {
  query <- summary$queries$query[of$query]
  page <- page_words(summary, of$page)
  cause <- moving_cause(share)
  if (kind == "rising") {
    return(sprintf(paste("Support \"%s\" while it rises: link to %s in varied words from related",
      "pages that have long ranked, and bring its first paragraph up to date."),
      query, page))
  }
  ifelse(cause == "position", sprintf(paste(
    "Compare %s with what ranks above it for \"%s\" now, bring it up to date where it lacks",
    "something, and check that no link to it was lost."),
    page, query),
    sprintf(paste(
      "Look at the results page of \"%s\": if something new stands above %s, answer it in",
      "title and description; if the title was changed, change it back."),
      query, page))
}
