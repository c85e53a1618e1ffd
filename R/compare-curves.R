#' Is one curve above another?
#'
#' @param curve A `tide_curve` object with parts, see `by` of [tide_curve()].
#' @param one,other Names of two of its curves.
#' @param position Positions to compare at.
#' @return A tibble: `position`, `ratio` (of `one`'s CTR to `other`'s), `ratio_low`, `ratio_high`
#'   (at the curve's level), `chance` (that `one` is above).
#' @details The two are taken as independent, which is cautious where the same queries stand in
#'   both. [tide_compare()] tells one ratio over all positions, sharper.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' curve <- tide_curve(tide_summary(data, split = "device"), by = "device")
#' tide_curve_difference(curve, "mobile", "desktop")
#' @export
tide_curve_difference <- function(curve, one, other, position = 1:10) {
  check_class(curve, "tide_curve", "curve")
  for (name in c("one", "other")) {
    if (!get(name) %in% names(curve$fits)) {
      abort_argument(name, paste0("one of '", paste(names(curve$fits), collapse = "', '"), "'"),
        get(name))
    }
  }
  a <- curve_at(curve, position, one)
  b <- curve_at(curve, position, other)
  error <- sqrt(curve_log_se(curve, position, rep(one, length(position)))^2 +
    curve_log_se(curve, position, rep(other, length(position)))^2)
  gap <- log(a$ctr / b$ctr)
  reach <- stats::qnorm(1 - (1 - curve$level) / 2) * error
  tibble::tibble(position = position, ratio = exp(gap), ratio_low = exp(gap - reach),
    ratio_high = exp(gap + reach), chance = stats::pnorm(gap / error))
}

#' The month in which the curve changed
#'
#' Holds the months from each one on against those before it, at equal position and query by
#' query, and names the month of the clearest break.
#'
#' @details The ratio of [tide_compare()] for each cut; the chance of the largest one by luck
#'   alone is that of one cut times the number of cuts (Bonferroni).
#' @param summary A `tide_summary` with `split = "month"`.
#' @return A data.table, in order of time: `month`, `ratio` (CTR from it on over CTR before, at
#'   equal position), `ratio_low`, `ratio_high` (90 %), `luck` (chance of so large a ratio
#'   somewhere without a change), `changed` (`TRUE` for the clearest month where luck is under 5
#'   % and the ratio beyond 5 %).
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' tide_curve_change(tide_summary(data, split = "month"))
#' @export
tide_curve_change <- function(summary) {
  check_class(summary, "tide_summary", "summary")
  if (!identical(summary$split, "month")) {
    abort_argument("summary", "a summary with split = \"month\"", summary$split)
  }
  # The same query in the same half position on both sides: what is compared is the page of results,
  # not the mix.
  cells <- summary$split_cells[summary$queries$segment[summary$split_cells$query] != "brand"]
  set(cells, j = "stratum", value = cells$bin)
  set(cells, j = "fold", value = cells$query %% 50L + 1L)
  months <- sort(unique(cells$part))
  empty <- data.table(month = character(), ratio = numeric(), ratio_low = numeric(),
    ratio_high = numeric(), luck = numeric(), changed = logical())
  if (length(months) < 2) return(empty)
  cuts <- months[-1]
  out <- rbindlist(lapply(cuts, function(cut) {
    late <- cells$part >= cut
    found <- ratio_at_equal_position(cells[late], cells[!late])
    data.table(month = cut, ratio = found$ratio, ratio_low = found$low, ratio_high = found$high,
      luck = min(1, 2 * min(found$chance, 1 - found$chance) * length(cuts)))
  }))
  clearest <- which.min(out$luck)
  out[, "changed" := seq_len(.N) == clearest & luck < 0.05 & abs(log(ratio)) > log(1.05)]
  out[]
}
