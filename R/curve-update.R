#' Add data to a curve
#'
#' Sums add up: the cells of further days join those that the curve was fitted to, and it is
#' fitted again. Nothing is
#' read twice.
#'
#' @param object A `tide_curve` object.
#' @param more A `tide_summary` object of other days, with brand told apart and split as in the
#'   first.
#' @param ... Not used.
#' @return A `tide_curve` object, as [tide_curve()] gives it for all the data at once.
#' @section Errors: `tide_error_overlap` where both hold the same days, whose clicks would count
#'   twice.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' first <- tide_curve(tide_summary(tide_filter(data, to = "2026-09-30")))
#' update(first, tide_summary(tide_filter(data, from = "2026-10-01")))
#' @importFrom stats update
#' @export
update.tide_curve <- function(object, more, ...) {
  check_class(more, "tide_summary", "more")
  tide_curve(add_days(object$summary, more), level = object$level, by = object$by,
    prior = object$prior,
    method = object$method, rules = object$rules)
}

# Two summaries of different days as one, as far as curves need it.
add_days <- function(one, other) {
  windows <- list(one$window, other$window)
  dated <- vapply(windows, `[[`, NA, "dated")
  same_files <- intersect(one$sources$file, other$sources$file)
  if (all(dated) && one$window$from <= other$window$to && other$window$from <= one$window$to ||
    !all(dated) &&
    length(same_files)) {
    abort_tide("Both hold the same days, and their clicks would count twice.",
      where = paste(vapply(windows, function(w) if (w$dated) format_days(w$from,
      w$to) else same_files[1], ""),
        collapse = "; "),
      fix = "Filter the further data to days that the curve has not seen.", class = "overlap",
      fault = "call")
  }
  if (!identical(one$split, other$split)) abort_argument("more",
    sprintf("split by %s, as the first", if (is.null(one$split)) "nothing" else one$split),
    other$split)
  both <- merge_reduced(as_reduced(one), as_reduced(other))
  queries <- heaviest_spellings(both$queries)
  brand <- unlist(lapply(list(one, other), function(s) s$queries$key[s$queries$segment == "brand"]))
  told <- "non-brand" %in% c(one$queries$segment, other$queries$segment) || length(brand)
  pages <- heaviest_spellings(both$pages)
  from <- min(one$window$from, other$window$from)
  to <- max(one$window$to, other$window$to)
  new_summary(
    queries = setDT(list(query = queries$names, key = queries$keys,
      segment = if (!told) rep("all", length(queries$keys)) else ifelse(queries$keys %in% brand,
      "brand",
        "non-brand"))),
    pages = setDT(list(page = pages$names, key = pages$keys)), cells = key_cells(both$cells),
    split = one$split,
    split_cells = both$split_cells,
    blend = both$blend, by_day = both$by_day, odd_days = rbind(one$odd_days, other$odd_days),
    site_by_day = rbind(one$site_by_day, other$site_by_day),
    window = list(from = from, to = to,
    days = if (all(dated)) as.integer(to - from) + 1L else one$window$days +
      other$window$days, dated = all(dated), assumed = any(vapply(windows, `[[`, NA, "assumed"))),
    grain = one$grain, sources = rbind(one$sources, other$sources, fill = TRUE),
    left_out = sum_left_out(rbind(one$left_out, other$left_out)))
}

# A summary as it was before its cells were finished.
as_reduced <- function(summary) {
  weigh <- function(keys, names, code) {
    weight <- as.vector(rowsum(summary$cells$impressions, code))
    at <- sort(unique(code))
    list(keys = keys, weights = setDT(list(key = keys[at], name = names[at], spelt = names[at],
      weight = weight)))
  }
  list(queries = weigh(summary$queries$key, summary$queries$query, summary$cells$query),
    pages = weigh(summary$pages$key, summary$pages$page, summary$cells$page),
    cells = copy(summary$cells), some_recent = FALSE, split_cells = copy(summary$split_cells),
    by_day = summary$by_day,
    blend = summary$blend)
}
