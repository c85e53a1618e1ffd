#' Does the curve fit, and what is it made of?
#'
#' Residuals of every pair, how many queries stand behind each position, which queries move the
#' curve most, how far each folder is from it, and which pairs were limited.
#'
#' @details Residuals are randomised quantile residuals (Dunn, Smyth 1996): normal with variance
#'   1 where curve and spread fit, whatever the size of a pair. The effective number of queries
#'   is the squared sum of the weights over the sum of their squares, with the weight that a
#'   pair's evidence has against the spread. `share` is a query's part of the weight at its place.
#'   A pair more than three standard deviations off counts as if it were at three.
#' @param curve A `tide_curve` object.
#' @param summary The `tide_summary` object it was fitted to.
#' @param rivals `TRUE` also tells how well the curve, the simple average CTR by position and a
#'   power law each predict queries they have not seen: each is fitted to four fifths of the
#'   queries and has to predict the clicks of the others, five times over.
#' @return A `tide_curve_check` object: a list with `residuals` (`query`, `page`, `position`,
#'   `clicks`, `expected`, `residual`), `bands` (by band of position: `pairs`, `mean`, `sd`,
#'   `beyond_2`: share beyond two), `effective` (`position`, `queries`, `effective`),
#'   `influential` (`query`, `page`, `position`, `clicks`, `expected`, `share`), `folders` (the
#'   eight largest of five pairs or more: `folder`, `pairs`, `expected`, `ratio`, `ratio_low`,
#'   `ratio_high` of its clicks to those that the curve of all other folders predicts),
#'   `folder_error` (their mean absolute log ratio, by expected clicks; `NA` without two folders)
#'   and `held_down` (as `influential`) and `rivals` (`NULL` where not asked for; else a row per
#'   `method`, the best first: `segment`, `log_likelihood`, the mean per pair held out; `behind`,
#'   how far behind the best, with its standard error between queries `behind_se`: more than two
#'   of them are not luck; `spread`, `pairs`). Methods: `print`, `autoplot`, `plot`.
#' @references Dunn, Smyth (1996), Journal of Computational and Graphical Statistics 5, 236-244.
#'   Geisser (1975), Journal of the American Statistical Association 70, 320-328.
#' @examples
#' summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
#' tide_curve_check(tide_curve(summary), summary)
#' tide_curve_check(tide_curve(summary), summary, rivals = TRUE)$rivals
#' @export
tide_curve_check <- function(curve, summary, rivals = FALSE) {
  check_class(curve, "tide_curve", "curve")
  check_class(summary, "tide_summary", "summary")
  main <- names(curve$fits)[1]
  cells <- summary$cells[summary$queries$segment[summary$cells$query] == main]
  pairs <- curve_residuals(curve, cells, main)
  spread <- pairs$spread
  set(pairs, j = "weight", value = pairs$expected / (1 + spread * pairs$expected))
  set(pairs, j = "band", value = position_band(pairs$position, c(1, 4, 11, 21)))
  set(pairs, j = "place", value = pmin(floor(pairs$position + 0.5), 100))
  judged <- pairs[pairs$expected >= 0.5]
  named <- function(rows) data.table(
    query = summary$queries$query[rows$query],
    page = summary$pages$page[rows$page],
    rows[, intersect(c("position", "clicks", "expected", "share", "residual"), names(rows)),
      with = FALSE])
  pairs[, "share" := weight / sum(weight), by = "place"]
  off <- pair_distance(pairs$clicks - pairs$expected, pairs$expected, spread)
  folders <- folder_ratios(cells, pairs, summary, curve)
  structure(list(
    segment = main,
    residuals = named(judged),
    bands = judged[, .(pairs = .N, mean = mean(residual), sd = stats::sd(residual),
      beyond_2 = mean(abs(residual) > 2)),
      by = "band"][order(match(band, band_names(c(1, 4, 11, 21))))],
    effective = pairs[,
      .(queries = length(unique(query)), effective = sum(weight)^2 / sum(weight^2)),
      by = .(position = place)][order(position)],
    influential = named(utils::head(pairs[order(
      -pairs$share * pairs$weight * abs(log((pairs$clicks + 0.5) / (pairs$expected + 0.5))))],
      10)),
    folders = folders,
    folder_error = if (nrow(folders)) {
      stats::weighted.mean(abs(log_factor(folders$ratio * folders$expected, folders$expected)),
        folders$expected)
    } else {
      NA
    },
    held_down = named(pairs[off > 1][order(-off[off > 1])]),
    rivals = if (isTRUE(rivals)) curve_rivals(summary)),
    class = c("tide_curve_check", "tide_result"))
}

# What a curve expects of the pairs of a segment's cells, `spread` there, and how far they are from
# it: randomised quantile residuals, whose random part is the same in every run.
curve_residuals <- function(curve, cells, segment) {
  set(cells, j = "expected", value = cells$impressions *
    curve_ctr(curve, cells$position, rep(segment, nrow(cells)), cells$rows, cells$impressions))
  pairs <- add_ratios(sums_by(cells, c("query", "page"),
    c("clicks", "expected", "impressions", "weighted")))
  spread <- spread_at(curve, pairs$position, rep(segment, nrow(pairs)))
  u <- with_seed(1, stats::runif(nrow(pairs)))
  below <- stats::pnbinom(pairs$clicks - 1, size = 1 / spread, mu = pmax(pairs$expected, 1e-9))
  at <- stats::pnbinom(pairs$clicks, size = 1 / spread, mu = pmax(pairs$expected, 1e-9))
  set(pairs, j = c("spread", "residual"), value = list(spread,
    stats::qnorm(pmin(pmax(below + u * (at - below), 1e-9), 1 - 1e-9))))
}

#' @rdname tide_curve_tables
#' @export
augment.tide_curve <- function(x, ...) {
  check_no_more(...)
  fitted_to <- x$summary
  segment_of <- fitted_to$queries$segment[fitted_to$cells$query]
  tibble::as_tibble(rbindlist(lapply(intersect(names(x$fits), segment_of), function(segment) {
    pairs <- curve_residuals(x, fitted_to$cells[segment_of == segment], segment)
    data.table(query = fitted_to$queries$query[pairs$query],
      page = fitted_to$pages$page[pairs$page], segment = segment,
      pairs[, c("position", "impressions", "clicks")], .fitted = pairs$expected,
      .resid = pairs$residual)
  })))
}

# Each of the largest folders left out in turn: its clicks over those that the curve of the others
# predicts, each pair with its weight; intervals from the spread between its pairs.
folder_ratios <- function(cells, pairs, summary, curve, most = 8L) {
  folder <- page_group(summary$pages$page, NULL)
  sums <- sums_by(data.table(folder = folder[pairs$page], expected = pairs$expected), "folder",
    "expected", count = "pairs")
  large <- which(sums$pairs >= 5 & sums$pairs < nrow(pairs))
  sums <- utils::head(sums[large][order(-expected)], most)
  outside <- if (!is.null(curve$prior)) outside_curve(curve$prior)
  basis <- fitted_rows(summary, curve$method)
  main <- names(curve$fits)[1]
  fitted_to <- basis$rows[summary$queries$segment[basis$rows$query] == main]
  cbind(sums, rbindlist(lapply(sums$folder, function(name) {
    inside <- folder[cells$page] == name
    others <- fit_segment(fitted_to[folder[fitted_to$page] != name], main, curve$method,
      curve$blend, basis$least, outside)
    own <- cells[inside]
    set(own, j = "predicted", value = expected_clicks(own, others$log_ctr, curve$blend))
    own <- sums_by(own, c("query", "page"), c("clicks", "predicted"))
    pull <- 1 / (1 + own$predicted)
    ratio <- sum(pull * own$clicks) / sum(pull * own$predicted)
    error <- sqrt(sum(pull^2 * (own$clicks - ratio * own$predicted)^2)) / sum(pull * own$predicted)
    list(ratio = ratio, ratio_low = max(0, ratio - 1.645 * error),
      ratio_high = ratio + 1.645 * error)
  })))
}

#' @export
format.tide_curve_check <- function(x, ...) {
  thin <- x$effective[x$effective$position <= 20 & x$effective$effective < 10]
  far <- x$folders[x$folders$ratio_low > 1 | x$folders$ratio_high < 1]
  text_line <- function(...) paste0("  ", pad_left(..1, 6), pad_left(..2, 8), pad_left(..3, 8),
    pad_left(..4, 8), pad_left(..5, 12))
  c(
    sprintf(
      "<tide_curve_check> %s; residuals are 0 on average and 1 in spread where the curve fits",
      x$segment),
    text_line("band", "pairs", "mean", "spread", "beyond 2"),
    text_line(x$bands$band, format_count(x$bands$pairs), sprintf("%+.2f", x$bands$mean),
      ifelse(is.na(x$bands$sd), "", sprintf("%.2f", x$bands$sd)),
      sprintf("%s (5%%)", format_share(x$bands$beyond_2))),
    if (nrow(thin)) {
      sprintf("  under ten queries' worth of evidence at position %s",
        paste(utils::head(thin$position, 8), collapse = ", "))
    },
    if (nrow(x$folders)) {
      sprintf("  each folder predicted by the others: off by %s on average",
        format_share(exp(x$folder_error) - 1))
    },
    if (nrow(far)) {
      sprintf("  %s: clicked x%.2f of what the others predict (%.2f to %.2f), %s", far$folder,
        far$ratio, far$ratio_low, far$ratio_high, format_plural(far$pairs, "pair"))
    },
    sprintf("  most weight: %s", paste(sprintf("'%s' (%s of the evidence at its position)",
      utils::head(x$influential$query, 3), format_share(utils::head(x$influential$share, 3))),
      collapse = ", ")),
    if (nrow(x$held_down)) {
      sprintf("  limited to three standard deviations: %s, such as '%s'",
        format_plural(nrow(x$held_down), "pair"), x$held_down$query[1])
    })
}
