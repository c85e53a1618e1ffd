# Methods of tide_curve: the table, the text.

# One row per segment and position 1, 2, ..., `until`: the columns of the program's `curve`.
curve_table <- function(curve, until = 20, positions = seq_len(until)) {
  fit_values <- rbindlist(lapply(sort(names(curve$fits)),
    function(s) curve_at(curve, positions, s)))
  out <- merge(fit_values, curve$evidence, by = c("segment", "position"), all.x = TRUE,
    sort = FALSE)
  for (column in c("clicks", "impressions", "pairs")) {
    set(out, which(is.na(out[[column]])), column, 0)
  }
  # How queries vary around the curve: four of five have their own rate in between.
  spread <- spread_at(curve, out$position, out$segment)
  out[, c("queries_low", "queries_high") := list(
    pmin(1, ctr * stats::qgamma(0.1, 1 / spread, 1 / spread)),
    pmin(1, ctr * stats::qgamma(0.9, 1 / spread, 1 / spread)))]
  out[, c("segment", "position", "ctr", "ctr_low", "ctr_high", "clicks", "impressions", "pairs",
    "pivot_ctr", "queries_low", "queries_high")]
}

# Pooled CTR of bands beside the curve: what people average by hand.
curve_bands <- function(curve, starts = c(1, 4, 7, 11, 21)) {
  at <- copy(curve$evidence)[curve$evidence$position <= 20]
  at[, "band" := c("1-3", "4-6", "7-10", "page two")[findInterval(position, starts)]]
  out <- sums_by(at, c("segment", "band"), c("clicks", "impressions"))
  out[, "ctr" := clicks / impressions]
  out[]
}

#' Curves as tables
#'
#' @param x A `tide_curve` object.
#' @param until Last position of the table.
#' @param ... Not used.
#' @return `tidy()`: a tibble with a row per segment and position: `segment`, `position`, `ctr`,
#'   `ctr_low`, `ctr_high`, the evidence there (`clicks`, `impressions`, `pairs`) and
#'   `pivot_ctr`, the plain pooled ratio for comparison; `queries_low`, `queries_high`: between
#'   them the own rate of four queries in five. `glance()`: a tibble with a row per segment:
#'   `segment`, `pairs`, `clicks`, `impressions`, `spread` (variance of the pairs' factors at
#'   position 5), `spread_slope` (how it grows with the log of the position), `top_ctr` (at
#'   position 1), `converged`. `augment()`: a tibble with a row per pair of query and page that the
#'   curve was fitted to: `query`, `page`, `segment`, `position`, `impressions`, `clicks`, `.fitted`
#'   (expected clicks) and `.resid` (its randomised quantile residual, see [tide_curve_check()]).
#' @name tide_curve_tables
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' curve <- tide_curve(tide_summary(data, brand = "fernmoor"))
#' tidy(curve, until = 5)
#' glance(curve)
#' head(augment(curve))
NULL

#' @importFrom generics tidy
#' @export
generics::tidy

#' @importFrom generics augment
#' @export
generics::augment

#' @importFrom generics glance
#' @export
generics::glance

#' @rdname tide_curve_tables
#' @export
tidy.tide_curve <- function(x, until = 20, ...) {
  check_number(until, "until", min = 1, max = 100)
  tibble::as_tibble(curve_table(x, until))
}

#' @rdname tide_curve_tables
#' @export
glance.tide_curve <- function(x, ...) {
  tibble::as_tibble(rbindlist(lapply(names(x$fits), function(s) {
    fit <- x$fits[[s]]
    data.table(segment = s, pairs = fit$pairs, clicks = fit$clicks, impressions = fit$impressions,
      spread = fit$spread, spread_slope = fit$spread_slope, top_ctr = exp(fit$log_ctr[1]),
      converged = fit$converged)
  })))
}

# Segments with queries: the curve of others is what is usual elsewhere, and nothing to show.
seen_segments <- function(curve) {
  pairs <- vapply(curve$fits, function(fit) as.numeric(fit$pairs), 0)
  names(curve$fits)[pairs > 0 | seq_along(pairs) == 1L]
}

unseen_segment <- function(segment) sprintf("%s: no query of it in these data", segment)

#' @export
format.tide_curve <- function(x, ...) {
  shown <- c(1, 2, 3, 5, 10, 20)
  blocks <- unlist(lapply(names(x$fits), function(s) {
    fit <- x$fits[[s]]
    if (!is.null(fit$leans)) return(part_line(x, s))
    if (!s %in% seen_segments(x)) return(unseen_segment(s))
    at <- curve_at(x, shown, s)
    text_row <- function(label, values) paste0("  ", formatC(label, width = -12),
      paste(formatC(values, width = 7), collapse = ""))
    c(
      sprintf("%s: %s, %s clicks; a query usually earns %s times the curve", s,
        format_plural(fit$pairs, "pair"), format_count(fit$clicks), spread_words(fit)),
      text_row("position", as.character(shown)),
      text_row("ctr", format_rate(at$ctr)),
      text_row(sprintf("%s low", format_share(x$level)), format_rate(at$ctr_low)),
      text_row(sprintf("%s high", format_share(x$level)), format_rate(at$ctr_high)),
      if (!fit$converged) "  not converged: take the curve as rough")
  }))
  span <- if (x$window$dated) sprintf(", %s", format_days(x$window$from, x$window$to)) else ""
  c(sprintf("<tide_curve> CTR by position%s", span), blocks, coverage_line(x$summary),
    left_out_day_lines(x$summary$odd_days), missing_lines(x$summary$missing),
    capped_lines(x$sources))
}

part_line <- function(curve, segment) {
  fit <- curve$fits[[segment]]
  at <- format_rate(curve_at(curve, c(1, 3, 10), segment)$ctr)
  sprintf("%s: CTR %s at 1, %s at 3, %s at 10; %s%s", segment, at[1], at[2], at[3],
    format_plural(fit$queries, "query", "queries"),
    if (fit$leans > 0.5) {
      sprintf(", so it leans on '%s' by %s", names(curve$fits)[1], format_share(fit$leans))
    } else {
      ""
    })
}

# Where four of five queries lie, in times of the curve; at either end of page one where that
# differs.
spread_words <- function(fit) {
  make_range <- function(position) {
    spread <- fit_spread(fit, position)
    paste(sprintf("%.1f", stats::qgamma(c(0.1, 0.9), shape = 1 / spread, rate = 1 / spread)),
      collapse = " to ")
  }
  if (make_range(1) == make_range(10)) make_range(5) else sprintf("%s (at 10: %s)", make_range(1),
    make_range(10))
}

#' @export
summary.tide_curve <- function(object, ...) glance(object, ...)

#' Fit a curve again
#'
#' With other arguments, as [stats::update()] means it, or with more data: sums add up, so the
#' cells of further days join those that the curve was fitted to. Nothing is read twice.
#'
#' @param object A `tide_curve` object.
#' @param more A `tide_summary` object of other days, with brand apart and split as in the
#'   first; `NULL` for none.
#' @param ... Arguments of [tide_curve()] that change, such as `level` or `method`.
#' @return A `tide_curve` object, as [tide_curve()] gives it for all the data at once.
#' @section Errors: `tide_error_overlap` where both hold the same days, whose clicks would count
#'   twice.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' first <- tide_curve(tide_summary(tide_filter(data, to = "2026-09-30")))
#' update(first, tide_summary(tide_filter(data, from = "2026-10-01")))
#' update(first, level = 0.8)
#' @importFrom stats update
#' @export
update.tide_curve <- function(object, more = NULL, ...) {
  if (!is.null(more)) check_class(more, "tide_summary", "more")
  changed <- list(...)
  asked <- unclass(object)[c("level", "by", "prior", "method", "rules")]
  unknown <- setdiff(names(changed), names(asked))
  if (length(unknown) || length(changed) && is.null(names(changed))) {
    abort_argument("...", paste("named among", paste(names(asked), collapse = ", ")),
      c(unknown, "an argument without a name")[1])
  }
  asked[names(changed)] <- changed
  cells_of <- if (is.null(more)) object$summary else add_days(object$summary, more)
  do.call(tide_curve, c(list(cells_of), asked))
}

# Two summaries of different days as one, as far as curves need it.
add_days <- function(one, other) {
  windows <- list(one$window, other$window)
  dated <- vapply(windows, `[[`, NA, "dated")
  same_files <- intersect(one$sources$file, other$sources$file)
  if (all(dated) && one$window$from <= other$window$to && other$window$from <= one$window$to ||
      !all(dated) && length(same_files)) {
    abort_tide("Both hold the same days, and their clicks would count twice.",
      where = paste(
        vapply(windows, function(w) if (w$dated) format_days(w$from, w$to) else same_files[1], ""),
        collapse = "; "),
      fix = "Filter the further data to days that the curve has not seen.", class = "overlap",
      fault = "call")
  }
  if (!identical(one$split, other$split)) {
    abort_argument("more",
      sprintf("split by %s, as the first", if (is.null(one$split)) "nothing" else one$split),
      other$split)
  }
  if (!is.null(one$missing) || !is.null(other$missing)) {
    abort_argument("more", paste("of rows of which none is missing by its clicks, as here; give",
      "all days to tide_summary() at once"), NULL)
  }
  both <- finish_sums(sums_of_summaries(one, other))
  queries <- both$queries
  brand <- unlist(lapply(list(one, other), function(s) s$queries$key[s$queries$segment == "brand"]))
  with_brand <- "non-brand" %in% c(one$queries$segment, other$queries$segment) || length(brand)
  pages <- both$pages
  from <- min(one$window$from, other$window$from)
  to <- max(one$window$to, other$window$to)
  new_summary(queries = setDT(list(
    query = queries$names,
    key = queries$keys,
    segment = if (!with_brand) {
      rep("all", length(queries$keys))
    } else {
      ifelse(queries$keys %in% brand, "brand", "non-brand")
    })),
    pages = setDT(list(page = pages$names, key = pages$keys)), cells = both$all,
    split = one$split, split_cells = both$split_cells, blend = both$blend, by_day = both$by_day,
    odd_days = rbind(one$odd_days, other$odd_days),
    site_by_day = rbind(one$site_by_day, other$site_by_day),
    window = list(from = from, to = to,
      days = if (all(dated)) as.integer(to - from) + 1L else one$window$days + other$window$days,
      dated = all(dated), assumed = any(vapply(windows, `[[`, NA, "assumed"))),
    grain = one$grain, sources = rbind(one$sources, other$sources, fill = TRUE),
    left_out = sum_left_out(rbind(one$left_out, other$left_out)))
}

# What two summaries were summed up from, as sum_chunks() has it; a text weighs what its cells do.
sums_of_summaries <- function(one, other) {
  queries <- query_dictionary()
  pages <- page_dictionary()
  both <- lapply(list(one, other), function(summary) {
    code <- function(dictionary, names, of) {
      texts <- structure(of, levels = names, class = "factor")
      code_in(dictionary, texts, summary$cells$impressions)
      known_codes(dictionary, structure(seq_along(names), levels = names, class = "factor"))
    }
    place <- list(query = code(queries, summary$queries$query, summary$cells$query),
      page = code(pages, summary$pages$page, summary$cells$page))
    recode <- function(cells) {
      if (is.null(cells)) return(NULL)
      cells <- copy(cells)
      for (of in names(place)) set(cells, j = of, value = place[[of]][cells[[of]]])
      cells
    }
    list(cells = recode(summary$cells), parts = recode(summary$split_cells))
  })
  add <- function(of) rbindlist(lapply(both, `[[`, of))
  list(queries = queries, pages = pages, cells = list(all = sum_cells(add("cells"))),
    parts = if (!is.null(one$split_cells)) sum_split(add("parts")),
    by_day = if (!is.null(one$by_day)) reduce_by(rbind(one$by_day, other$by_day), "date"),
    blend = add_blend_sums(one$blend, other$blend))
}
