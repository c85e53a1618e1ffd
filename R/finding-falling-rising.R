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
# change-parts.R). NULL without weeks enough.
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
  ratio_of <- pair_factor(moved, curve$fits[[1]])
  parts <- change_parts(moved$clicks_1, moved$clicks_2, moved$expected_1, moved$expected_2,
    moved$demand_1, moved$demand_2, ratio_of)
  set(moved, j = c("position", "ctr"), value = list(parts$by_position, parts$by_ctr))
}

moving_kinds <- c("falling", "rising")

# Both kinds look at the same two windows.
find_moving <- function(summary, curve, pairs, options) {
  moving <- moving_pairs(summary, curve, pairs, options$page_one_views)
  wanted <- intersect(moving_kinds, options$kind)
  bind_found(lapply(wanted, moving_findings, moving, summary, pairs, options))
}

moving_findings <- function(kind, moving, summary, pairs, options) {
  if (!length(moving$at)) return(no_findings())
  change <- moving$change
  down <- kind == "falling"
  confidence <- if (down) change$fell else change$rose
  done <- moving_done(moving$moved, change, down)
  # What is predicted by the position alone and did not show in clicks is no finding yet.
  shown <- (change$by_position + change$seen - change$usual) * if (down) -1 else 1
  worth <- which(pairs$tested[moving$at] & shown > assumed("moved_by") &
    confidence > assumed("moved_confidence") & done$done >= options$least)
  listed <- worth[within_fdr(confidence[worth], options$fdr)]
  if (!length(listed)) return(no_findings())
  moved_lines <- cbind(moving$moved[listed], change[listed])
  share <- moved_lines$position / (moved_lines$position + moved_lines$ctr)
  done <- lapply(done, `[`, listed)
  found <- pair_findings(kind, summary, pairs, moving$at[listed], done, confidence[listed],
    if (down) assumed("won_back") else assumed("rise_chance"))
  # What brings a page back, or supports it, serves all its queries; a lower CTR at equal position
  # asks for the rewrite that low CTR asks for.
  key <- summary$pages$key[moved_lines$page]
  cause <- ifelse(down & moving_cause(share) == "ctr", "low_ctr", kind)
  set(found, j = "task_key", value = ifelse(nzchar(key), paste(cause, key), found$finding_key))
  since <- summary$recent$to - 7L * as.integer(assumed("moved_weeks")) + 1L
  list(found = found, facts = c(moving_facts(summary, moved_lines, share, since, kind),
    moving_derivation(moved_lines, done, confidence[listed], down)))
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

moving_derivation <- function(of, done, confidence, down) {
  one_line <- seq_len(nrow(of))
  weeks <- assumed("moved_weeks")
  tell <- function(code, ...) new_facts("derivation", code, one_line, ...)
  least_change <- if (down) 1 - exp(-assumed("moved_by")) else exp(assumed("moved_by")) - 1
  c(tell("moved_parts", by_position = of$position, by_ctr = of$ctr, weeks = weeks,
    page_one = assumed("page_one_ends")),
    tell("moved_position", log = of$by_position, impressions_1 = of$impressions_1,
      impressions_2 = of$impressions_2, noise = of$position_noise),
    tell("moved_ctr", clicks_1 = of$clicks_1, clicks_2 = of$clicks_2, expected_1 = of$expected_1,
      expected_2 = of$expected_2, seen = of$seen, noise = of$noise, usual_mean = of$usual,
      usual_sd = of$usual_sd),
    tell("moved_size", size = of$size, weeks = weeks, now_clicks = done$now),
    tell(if (down) "moved_lost" else "moved_on", now_clicks = done$now,
      size = if (down) -of$size else of$size, goes_on = assumed("goes_on"),
      percent = 100 * assumed("goes_on"), days = 7 * weeks, if_done = done$done),
    tell(if (down) "fell_confidence" else "rose_confidence", percent = 100 * least_change,
      confidence = confidence))
}

# What mostly moved a pair's clicks.
moving_cause <- function(share) ifelse(share > 0.6, "position", ifelse(share < 0.25, "ctr", "both"))

# of: figures of both windows; since: first day of the later one.
moving_facts <- function(summary, of, share, since, kind) {
  one_line <- seq_len(nrow(of))
  parts <- largest_first(cbind(position = of$position, ctr = of$ctr,
    demand = of$clicks_2 - of$clicks_1 - of$position - of$ctr))
  weeks <- assumed("moved_weeks")
  step_code <- if (kind == "rising") "support_rise" else {
    ifelse(moving_cause(share) == "position", "win_position_back", "win_ctr_back")
  }
  c(
    do.call(new_facts, c(list("evidence", "clicks_moved", one_line,
      verb = fifelse(of$clicks_2 < of$clicks_1, "fell",
        fifelse(of$clicks_2 > of$clicks_1, "rose", "stayed")),
      clicks_1 = of$clicks_1, clicks_2 = of$clicks_2, weeks = weeks, since = since,
      position_1 = of$position_1, position_2 = of$position_2), parts)),
    new_facts("step", step_code, one_line, query = summary$queries$query[of$query],
      page = summary$pages$page[of$page]))
}

# Of each row's parts those of half a click or more, the largest first: `cause` and `size` of the
# first, second and third, NA where there are fewer.
largest_first <- function(parts) {
  in_order <- t(apply(-abs(parts), 1, order))
  out <- list()
  for (k in seq_len(ncol(parts))) {
    size <- parts[cbind(seq_len(nrow(parts)), in_order[, k])]
    known <- abs(size) >= 0.5
    place <- c("first", "second", "third")[k]
    out[[paste0(place, "_cause")]] <- ifelse(known, colnames(parts)[in_order[, k]], NA)
    out[[paste0(place, "_size")]] <- ifelse(known, size, NA)
  }
  out
}
