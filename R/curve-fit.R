#' Fit the site's CTR curve by position
#'
#' For each segment (brand and non-brand, or all where no brand words were given) estimates the
#' CTR that an average query x page pair of this site earns at each position, with an interval
#' for that average.
#'
#' @details The clicks of pair \eqn{i} in position cell \eqn{k} have mean \eqn{n_{ik} c(p_{ik})
#'   f_i}: impressions times the curve times the pair's own factor. Factors have mean 1 and
#'   variance \eqn{s} (`spread`), estimated by maximum likelihood of the negative binomial. The
#'   curve solves estimating equations in which a pair weighs \eqn{1 / (1 + s E_i)}, \eqn{E_i}
#'   being its expected clicks, so that one giant query cannot be the curve. Where the data say
#'   so, \eqn{s} grows or falls with position \eqn{p}: \eqn{s (p / 5)^b}, `spread` being that at
#'   position 5 and `spread_slope` \eqn{b}. The log of the curve is piecewise linear in log
#'   position, with a penalty on its second differences whose size the data choose, and steps
#'   allowed after positions 10 and 20; it never rises with position. The brand curve rests on
#'   each brand query's leading page, since its other links are shown on purpose. Where brand
#'   data are thin, the brand curve leans on the shape of the non-brand one. The interval comes
#'   from the variation between groups of queries plus the smoothing's possible bias.
#'
#' Positions are averages: a row of 40 impressions at 8.4 was shown at several places, and earns
#' the mean of what those earn. How far the places of one row lie apart shows in how much less
#' the positions of neighbouring days differ where there are more impressions; the curve is that
#' of the places, and expected clicks blend it again. A table without dates blends by an unknown
#' amount; a mild one is assumed. Where rows of one impression stand between whole positions
#' (smoothed or modelled ones), positions are taken for points on the curve.
#'
#' A table that was cut at a row cap and sorted by clicks holds the pairs with clicks enough, and
#' some exports hold only rows with a click: their likelihood is that of counts known to be at least
#' so many, row by row. Where the best so many rows of each day are there, the curve rests on rows
#' with more impressions than the last of their day, which are there whatever their clicks.
#'
#' Days whose CTR is more than four times off that of the weeks around (tracking that stood
#' still, bots) are left out and named. A pair more than three standard deviations off (above the
#' curve on the scale of cube roots, where skewed factors are near normal) counts as at three;
#' [tide_curve_check()] lists those.
#'
#' Which mean it is: that of the pairs which were shown at a position, none counting as more than
#' its share. Where the better queries stand higher, the first positions read above what an
#' average query of the site would earn there, and the last ones below. Of a table without dates a
#' curve that rises towards page two (rows that average near and far places, or several pages)
#' keeps what stands before the rise, and `unclear_from` says from which position on the table
#' does not tell; low CTR is not looked for beyond it.
#'
#' @section When not to trust it: Rare private queries are missing from every table with queries:
#'   the curve is that of the queries shown, and the print says which share of the clicks those
#'   explain. As long as queries are missing because few search for them, the curve is not bent
#'   by it (simulated in `bench/`); if they also differ in how they are clicked, nothing here can
#'   tell.
#'
#' On tables cut at a row cap the correction halves the error on simulated sites, no more (the
#' print method says when a file looks cut). Where `pairs` is under about ten at a position, the
#' curve there rests on its neighbours, and the interval shows it.
#'
#' @param summary A `tide_summary` object.
#' @param level Level of the intervals.
#' @param by Curves of parts besides: `intent`, `page_group` or `words` (length of the query), or
#'   the `split` that [tide_summary()] was asked for. Brand stays apart; each part leans on the
#'   curve of all by as much as the parts turn out not to differ.
#' @param prior A table with `position` and `ctr` from outside, that the curve leans on until the
#'   site's own data say otherwise; for new sites.
#' @param method `fitted`, or for comparison the `pivot` of rounded positions or a `power` law
#'   through it; see [tide_curve_check()].
#' @param rules A [tide_rules()] object, for `by`.
#' @return A `tide_curve` object: a list with `fits` (per segment: `log_ctr` at the knots, its
#'   `covariance`, `unclear_from`, `spread`, `spread_slope`, `pairs`, `clicks`, `impressions`,
#'   `converged`, and for parts `leans`, the share that is the parent's), `tables` (log CTR of rows
#'   as they are blended, over a grid of positions), `levels` (of countries, devices and kinds of
#'   result, where they differ by more than chance: `dimension`, `part`, a code of the summary's
#'   `parts`, its `name`, `level`, the log beside the curve, `se`, and `times` the clicks of the
#'   curve), `evidence` (per segment and rounded position: `clicks`, `impressions`, `pairs`,
#'   `pivot_ctr`), `level`, `window`, `sources`, `summary` (what it was fitted to), and how it was
#'   fitted: `method`, `blend` (how places within a row are taken apart), `cut` (of a capped
#'   export), `prior`, `rules`. Methods: `print`, `summary`, `predict`, `tidy`, `glance`, `plot`,
#'   `autoplot`, `update`.
#' @references Bell, McCaffrey (2002), Survey Methodology 28, 169-181. DerSimonian, Laird (1986),
#'   Controlled Clinical Trials 7, 177-188. Barlow, Bartholomew, Bremner, Brunk (1972),
#'   Statistical Inference under Order Restrictions. Liang, Zeger (1986), Biometrika 73, 13-22.
#'   Nychka (1988), Journal of the American Statistical Association 83, 1134-1143. Wood, Fasiolo
#'   (2017), Biometrics 73, 1071-1081. Wilson, Hilferty (1931), Proceedings of the National
#'   Academy of Sciences 17, 684-688.
#' @seealso [predict.tide_curve()], [tide_find()]
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' curve <- tide_curve(tide_summary(data, brand = "fernmoor"))
#' curve
#' predict(curve, position = c(1, 3.5, 10), segment = "non-brand")
#' @export
tide_curve <- function(summary, level = 0.9, by = NULL, prior = NULL,
    method = c("fitted", "pivot", "power"), rules = tide_rules()) {
  check_class(summary, "tide_summary", "summary")
  check_number(level, "level", min = 0.5, max = 0.999)
  if (!is.null(by)) check_choice(by, c(split_dimensions, "intent", "page_group", "words"), "by")
  method <- check_choice(method, c("fitted", "pivot", "power"), "method")
  if (method != "fitted" && !is.null(by)) {
    abort_argument("by", "left out for plain methods, which lend nothing to thin parts", by)
  }
  outside <- if (!is.null(prior)) outside_curve(prior)
  blend <- if (method == "fitted") position_mixing(summary) else unblended
  segments <- if (all(summary$queries$segment == "all")) "all" else c("non-brand", "brand")
  basis <- fitted_rows(summary, method)
  segment_of <- summary$queries$segment[basis$rows$query]
  # Plain methods say nothing where there are no rows.
  if (method != "fitted") segments <- segments[segments %in% segment_of]
  fits <- list()
  for (segment in segments) {
    parent <- if (segment == "brand") fits[["non-brand"]]$log_ctr else outside
    fits[[segment]] <- fit_segment(basis$rows[segment_of == segment], segment, method, blend,
      basis$least, parent)
  }
  shown <- leading_brand(summary$cells, summary)
  evidence <- position_evidence(shown, summary$queries$segment[shown$query])
  if (!is.null(by)) {
    main <- segments[1]
    parts <- part_cells(summary, by, rules)
    parts <- parts[summary$queries$segment[parts$query] == main]
    fits <- c(fits, estimate_parts(parts, fits[[main]], blend, main))
    evidence <- rbind(evidence, position_evidence(parts, parts$part))
  }
  # What the fits say of blended rows, worked out once: every look at the curve reads it.
  weight_of <- grid_weights(blend)
  tables <- lapply(fits, function(fit) blend_table(fit$log_ctr, weight_of, blend$places))
  of_parts <- if (method == "fitted") part_levels(summary, segments[1], fits[[1]], blend)
  structure(list(fits = fits, tables = tables, levels = of_parts, by = by, method = method,
    evidence = evidence,
    level = level, blend = blend, cut = if (basis$least > 0) basis$least - 1,
    window = summary$window, sources = summary$sources,
    summary = summary, prior = prior, rules = rules),
    class = c("tide_curve", "tide_result"))
}

# What the curve rests on: list(rows: cells, or rows where some are missing by their clicks; least:
# clicks that each of these has, else 0).
fitted_rows <- function(summary, method = "fitted") {
  basis <- list(rows = summary$cells, least = 0)
  if (method == "fitted") {
    if (identical(summary$missing$rule, "best")) basis$rows <- summary$missing$whole$all
    basis <- first_given(cut_rows(summary), basis)
  }
  rows <- leading_brand(basis$rows, summary)
  list(rows = if (NROW(summary$apart)) rows[!summary$apart, on = c("query", "page")] else rows,
    least = basis$least)
}

# One segment's fit by one of the methods; parent: log CTR at the knots that it leans on, or NULL.
fit_segment <- function(cells, segment, method, blend, least, parent) {
  if (method != "fitted") return(plain_fit(cells, segment, method, blend))
  estimate_curve(cells, curve_prior(segment, parent), blend, least)
}

# Brand searches show several pages at once on purpose; each of those links has an impression for
# every search. What brand earns is what the leading page earns: the one with the most impressions,
# the better placed of equals.
leading_brand <- function(cells, summary) {
  brand <- which(summary$queries$segment[cells$query] == "brand")
  beside <- brand[!leading_page(cells[brand])]
  if (length(beside)) cells[-beside] else cells
}

leading_page <- function(cells) {
  pairs <- reduce_pairs(cells)
  setorderv(pairs, c("query", "impressions", "position", "page"), c(1L, -1L, 1L, 1L))
  best <- pairs[!duplicated(pairs$query)]
  cells$page == best$page[match(cells$query, best$query)]
}

#' CTR at any position
#'
#' @details This is the curve at one place. What [tide_trace()], [tide_inventory()] and the list
#'   expect of a query is its mean over the places that the query's rows stood at, each blended as
#'   rows are, so at the same average position it is another figure.
#'
#' @param object A `tide_curve` object.
#' @param position Positions from 1 to 100; fractions are allowed.
#' @param segment One segment's name, or `NULL` for all.
#' @param level Level of the interval; `NULL` takes the curve's.
#' @param impressions With it, also what one query with so many impressions will show.
#' @param newdata A data frame with a column `position`, in place of `position`.
#' @param ... Nothing: another argument is an error.
#' @return A tibble: `segment`, `position`, `ctr`, `ctr_low`, `ctr_high` (where the average
#'   query's CTR lies) and, with `impressions`, `query_low`, `query_high` (what one query's CTR
#'   will be, at the same level).
#' @export
predict.tide_curve <- function(object, position = 1:10, segment = NULL, level = NULL,
    impressions = NULL, newdata = NULL, ...) {
  check_no_more(...)
  if (!is.null(newdata)) {
    if (!is.data.frame(newdata) || is.null(newdata[["position"]])) {
      abort_argument("newdata", "a data frame with a column `position`", newdata)
    }
    position <- newdata[["position"]]
  }
  check_text(segment, "segment", null = TRUE)
  if (!is.numeric(position) || anyNA(position) || any(position < 1 | position > 100)) {
    abort_argument("position", "numbers from 1 to 100", position)
  }
  segments <- names(object$fits)
  if (!is.null(segment) && !segment %in% segments) {
    abort_argument("segment", paste0("one of '", paste(segments, collapse = "', '"), "'"), segment)
  }
  level <- if (is.null(level)) object$level else level
  wanted <- if (is.null(segment)) segments else segment
  check_number(impressions, "impressions", min = 1, null = TRUE)
  tibble::as_tibble(rbindlist(lapply(wanted, function(s) {
    at <- curve_at(object, position, s, level)
    if (is.null(impressions)) {
      at
    } else {
      error <- log_se(object$fits[[s]], position)
      data.table(at, as.data.table(query_interval(at$ctr, error, impressions,
        fit_spread(object$fits[[s]], position), level)))
    }
  })))
}

#' @rdname predict.tide_curve
#' @return `coef()`: the CTR at each knot of the curve, a row a knot and a column a segment.
#' @export
coef.tide_curve <- function(object, ...) {
  check_no_more(...)
  out <- vapply(object$fits, function(fit) exp(as.numeric(fit$log_ctr)),
    numeric(length(curve_knots)))
  rownames(out) <- format(curve_knots, trim = TRUE)
  out
}

# What one query will show with so many impressions: its own factor, the luck of the clicks, and the
# curve's error.
query_interval <- function(ctr, error, impressions, spread, level) {
  # The curve's error adds to the spread between queries.
  size <- 1 / (spread + pmin(exp(error^2) - 1, 5))
  bound <- function(p) stats::qnbinom(p, size = size, mu = impressions * ctr) / impressions
  list(query_low = pmin(1, bound((1 - level) / 2)),
    query_high = pmin(1, bound(1 - (1 - level) / 2)))
}

# The plain-table form that everything inside uses.
curve_at <- function(curve, position, segment, level = curve$level) {
  fit <- curve$fits[[segment]]
  weight_of <- knot_weights(position)
  log_ctr <- drop(weight_of %*% fit$log_ctr)
  se <- log_se(fit, position)
  freedom <- stats::approx(log(curve_knots), fit$df, log(position), rule = 2)$y
  reach <- stats::qt(1 - (1 - level) / 2, freedom) * se
  data.table(segment = segment, position = position, ctr = exp(log_ctr),
    ctr_low = exp(log_ctr - reach), ctr_high = exp(pmin(log_ctr + reach, 0)))
}

# What rows at these average positions earn on the curve, each in its own segment: `rows` of them
# made up the impressions, so that their places blend more or less.
curve_ctr <- function(curve, position, segment, rows, impressions) {
  tables <- curve$tables
  impressions <- rep_len(impressions, length(position))
  present <- unique(segment)
  if (length(present) == 1 && present %in% names(tables)) {
    return(read_ctr(tables[[present]], position, rows, impressions))
  }
  out <- numeric(length(position))
  for (s in intersect(names(tables), present)) {
    here <- which(segment == s)
    out[here] <- read_ctr(tables[[s]], position[here], if (length(rows) > 1) rows[here] else rows,
      impressions[here])
  }
  out
}

# Clicks that cells of a summary are expected to have, each in its query's segment.
cells_on_curve <- function(cells, summary, curve) {
  cells$impressions * curve_ctr(curve, cells$position, summary$queries$segment[cells$query],
    cells$rows, cells$impressions)
}

# Standard error of the log curve at positions.
curve_log_se <- function(curve, position, segment) {
  out <- numeric(length(position))
  for (s in intersect(names(curve$fits), unique(segment))) {
    here <- which(segment == s)
    out[here] <- log_se(curve$fits[[s]], pmin(pmax(position[here], 1), 100))
  }
  out
}

# Between two knots the log curve is a weighted mean of theirs, so that its variance is a quadratic
# form in the two.
log_se <- function(fit, position) {
  at <- log(position)
  knot_at <- log(curve_knots)
  low <- findInterval(at, knot_at, all.inside = TRUE)
  high <- low + 1L
  share <- pmin(1, pmax(0, (at - knot_at[low]) / (knot_at[high] - knot_at[low])))
  cover <- fit$covariance
  sqrt(pmax(0, (1 - share)^2 * cover[cbind(low, low)] + share^2 * cover[cbind(high, high)] +
    2 * share * (1 - share) * cover[cbind(low, high)]))
}
