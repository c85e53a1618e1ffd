# Curves compared: two of them, or all from one month on with those before.

#' @rdname tide_compare
#' @export
tide_compare.tide_curve <- function(data, one, other, position = 1:10, ...) {
  check_no_more(...)
  curve <- data
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

#' @rdname tide_compare
#' @export
tide_compare.tide_summary <- function(data, ...) {
  check_no_more(...)
  summary <- data
  if (!identical(summary$split, "month")) {
    abort_argument("data", paste("rows, as tide_read() gives them; of a summary only one with",
      "split = \"month\" can be compared"), summary)
  }
  # The same query in the same half position on both sides: what is compared is the page of results,
  # not the mix.
  cells <- summary$split_cells[summary$queries$segment[summary$split_cells$query] != "brand"]
  set(cells, j = "stratum", value = cells$bin)
  set(cells, j = "fold", value = cells$query %% 50L + 1L)
  months <- sort(unique(cells$part))
  empty <- data.table(month = character(), ratio = numeric(), ratio_low = numeric(),
    ratio_high = numeric(), luck = numeric(), changed = logical())
  if (length(months) < 2) return(tibble::as_tibble(empty))
  cuts <- months[-1]
  out <- rbindlist(lapply(cuts, function(cut) {
    late <- cells$part >= cut
    found <- ratio_at_equal_position(cells[late], cells[!late])
    data.table(month = cut, ratio = found$ratio, ratio_low = found$low, ratio_high = found$high,
      luck = min(1, 2 * min(found$chance, 1 - found$chance) * length(cuts)))
  }))
  clearest <- which.min(out$luck)
  out[, "changed" := seq_len(.N) == clearest & luck < 0.05 & abs(log(ratio)) > log(1.05)]
  tibble::as_tibble(out)
}
