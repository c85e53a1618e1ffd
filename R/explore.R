#' Explore query and page performance step by step
#'
#' `tide_explorer()` codes the rows once; `tide_explore()` sums them by query, page, folder, topic,
#' country, device, kind of rich result or time, under any stack of conditions, in a fraction of a
#' second. It is what the workbench ([tide_workbench()]) asks.
#'
#' @param data A `tide_data` object with a table by query, a [tide_source()] or an archive.
#' @param curve A `tide_curve` object for the expected CTR; `NULL` fits one to `data`.
#' @param brand Brand words; `NULL`: those of `rules`.
#' @param rules A [tide_rules()] object, for conditions on brand, intent and page group.
#' @param explorer What `tide_explorer()` gives.
#' @param by What a row stands for: `"query"`, `"page"`, `"pair"`, `"folder"`, `"topic"`,
#'   `"country"`, `"device"`, `"vertical"`, `"rich_result"`, `"day"`, `"week"`, `"month"`.
#' @param segments A [tide_segment()] or a list of them: rows must be in all.
#' @param from,to First and last day; `NULL`: the whole window.
#' @param sort A column of the result to sort by, the largest first; `NULL`: clicks, time by time.
#' @return `tide_explorer()`: a `tide_explorer` object. `tide_explore()`: a `tide_view` object, a
#'   list with `rows` (a data.table with a row per `by`, whose columns are its name, `clicks`,
#'   `impressions`, `ctr`, `expected_ctr`, `position`, `lost` (clicks that position 1 would bring,
#'   each query in its own segment, less those had), `share` of the clicks, and `queries` and
#'   `pages`, how many), `total` of them, `outside` (clicks and impressions that the conditions
#'   leave out, and their shares), `coverage` (share of the site's clicks that these rows hold, or
#'   `NA`), `queries_known` (of pages and folders whose clicks come from a table by page alone: the
#'   share of them that rows with queries explain; else `NULL`), `by`, `from`, `to`. Methods:
#'   `print`, `format`, [tidy()].
#' @details As in [tide_inventory()], pages and folders rest on a table by page where one is there
#'   beside the rows with queries, and queries on a table by query, as long as no condition asks for
#'   what such a table does not have.
#' @section Errors: `tide_error_grain` where the rows do not have what is asked for;
#'   `tide_error_nothing_left` where no row passes.
#' @seealso [tide_inventory()] for a list of everything with its course in time, [tide_trace()].
#' @examples
#' explorer <- tide_explorer(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
#' tide_explore(explorer, "page", tide_segment("phones", device = "mobile"))
#' tide_explore(explorer, "query", list(tide_segment("guides", page_text = "/guides/"),
#'   tide_segment("page one", position = c(1, 10), not = TRUE)))
#' @export
tide_explorer <- function(data, curve = NULL, brand = NULL, rules = tide_rules()) {
  data <- data_of(data)
  check_class(rules, "tide_rules", "rules")
  if (is.null(brand)) brand <- rules$brand else rules$brand <- brand
  tbl <- query_table(data)
  if (is.null(curve)) curve <- tide_curve(tide_summary(data, brand = brand))
  if (!is.null(curve$summary$brand)) rules$brand <- curve$summary$brand
  explorer <- coded_explorer(tbl, curve, brand, rules)
  explorer$site_days <- site_days_table(data)
  explorer$alone <- explorers_alone(data, tbl, curve, brand, rules)
  structure(explorer, class = c("tide_explorer", "tide_result"))
}

# A table with queries as an explorer holds it.
coded_explorer <- function(tbl, curve, brand, rules) {
  at <- coded_rows(tbl$rows, curve, brand)
  kept_columns <- c("query", "page", "date", "clicks", "impressions", "weighted", "expected")
  rows <- part_columns(at$rows[, intersect(kept_columns, names(at$rows)), with = FALSE], tbl)
  if (all(c("query", "page") %in% tbl$dimensions)) {
    set(rows, j = "group", value = seen_together(rows,
      lapply(intersect(part_dimensions, names(rows)), function(of) rows[[of]])))
    once <- seen_once(rows, rows$group)
    set(rows, j = paste0("once_", names(once)), value = once)
    shared <- shared_expected(rows, rows$group, at$segment[rows$query] == "brand")
    set(rows, j = c("page_expected", "page_seen"), value = shared[c("expected", "seen")])
  }
  new_explorer(rows, at, tbl, rules, place_ctr(curve, at$segment, 1))
}

# The further dimensions that rows can be parted by.
part_columns <- function(rows, tbl) {
  others <- intersect(c("country", "device", "vertical", "rich_result"), tbl$dimensions)
  for (of in others) set(rows, j = of, value = as_levels(tbl$rows[[of]]))
  rows
}

new_explorer <- function(rows, coded, tbl, rules, top_ctr = NULL) {
  list(rows = rows, queries = coded$queries[c("names", "keys")], top_ctr = top_ctr,
    pages = coded$pages[c("names", "keys")], rules = rules, dimensions = tbl$dimensions,
    from = tbl$from, to = tbl$to,
    # What was worked out of names already: conditions come again and again.
    known = new.env(parent = emptyenv()))
}

#' @rdname tide_explorer
#' @export
tide_explore <- function(explorer, by = "query", segments = NULL, from = NULL, to = NULL,
    sort = NULL) {
  check_class(explorer, "tide_explorer", "explorer")
  by <- check_choice(by, explore_kinds, "by")
  check_text(sort, "sort", null = TRUE)
  from <- first_given(check_date(from, "from"), explorer$from)
  to <- first_given(check_date(to, "to"), explorer$to)
  segments <- as_segments(segments)
  own <- explorer_alone(explorer, by, segments)
  view <- explored_view(explorer, by, segments, from, to, none = !is.null(own))
  view$coverage <- explored_coverage(first_given(own, explorer), explorer$site_days, from, to)
  if (!is.null(own)) view <- viewed_alone(own, view, by, segments, from, to)
  view$total <- total_of(view$rows)
  out <- view$whole - c(view$total$clicks, view$total$impressions)
  structure(list(rows = explored_order(view$rows, by, sort), total = view$total,
    outside = list(clicks = out[["clicks"]], impressions = out[["impressions"]],
      clicks_share = out[["clicks"]] / max(1, view$whole[["clicks"]]),
      impressions_share = out[["impressions"]] / view$whole[["impressions"]]),
    coverage = view$coverage, queries_known = view$queries_known, by = by, from = from, to = to),
    class = c("tide_view", "tide_result"))
}

# The sums of rows inside, and the clicks and impressions of all: list(rows, whole). none: whether
# it is no error that no row passes.
explored_view <- function(explorer, by, segments, from, to, none = FALSE) {
  # Conditions that part the pages of a query need its rows.
  apart <- parts_pages(explorer, by, segments)
  explorer <- summed_explorer(explorer, by, segments,
    !apart && from <= explorer$from && to >= explorer$to)
  kept <- explored_rows(explorer, segments, from, to)
  if (!none && !is.null(kept) && !length(kept)) abort_nothing_inside(segments)
  counted <- first_given(if (!counts_pages(by)) explorer$rows[["once_impressions"]],
    explorer$rows$impressions)
  list(rows = explored_sums(explorer, kept, explored_labels(explorer, by), by, apart),
    whole = c(clicks = sum(explorer$rows$clicks), impressions = sum(counted)))
}

# What each row belongs to, kept once worked out.
explored_labels <- function(explorer, by) {
  known <- explorer$known
  mark <- paste("by", by)
  if (is.null(known[[mark]])) {
    needed <- setdiff(line_kinds[[by]], explorer$dimensions)
    if (length(needed)) abort_no_label(explorer, needed[1])
    known[[mark]] <- row_labels(by, explorer, explorer$rules, explorer$to)
  }
  known[[mark]]
}

abort_no_label <- function(explorer, by) {
  abort_tide(sprintf("The rows have no %s.", gsub("_", " ", by)),
    where = sprintf("They are by %s.", grain_label(explorer$dimensions)),
    fix = "Export with this dimension.", class = "grain")
}

explored_sums <- function(explorer, kept, label, by, apart) {
  counted <- counted_rows(explorer$rows, kept, by, apart)
  sums <- sum_labelled(counted, label, kept)
  if (!is.null(explorer$top_ctr)) {
    at_top <- first_given(counted[["seen"]], counted$impressions) *
      explorer$top_ctr[explorer$rows$query]
    set(sums, j = "lost",
      value = sum_codes(some_rows(at_top, kept), some_rows(label$code, kept), label_size(label)) -
        sums$clicks)
  }
  seen <- which(sums$impressions > 0)
  name_columns <- label_columns(by, explorer, label)
  out <- setDT(c(lapply(name_columns, `[`, seen), as.list(sums[seen])))
  set(out, j = "share", value = out$clicks / max(1, sum(out$clicks)))
  for (other in setdiff(intersect(c("query", "page"), names(explorer$rows)), names(name_columns))) {
    set(out, j = c(query = "queries", page = "pages")[[other]],
      value = count_labelled(explorer$rows, label, other, kept)[seen])
  }
  out
}

# Whether conditions keep some pages of a query and not others.
parts_pages <- function(explorer, by, segments) {
  counts_queries(explorer$rows, by) &&
    !all(unlist(lapply(segments, conditions_on)) %in% c("query", part_dimensions))
}

counts_queries <- function(rows, by) !counts_pages(by) && !is.null(rows[["once_impressions"]])

# Rows as they count: of queries, days and devices each query once.
counted_rows <- function(rows, kept, by, apart) {
  if (is.null(rows[["once_impressions"]])) return(rows)
  if (counts_pages(by)) {
    return(list(clicks = rows$clicks, impressions = rows$impressions, weighted = rows$weighted,
      expected = rows$page_expected, seen = rows$page_seen))
  }
  figures <- c("impressions", "weighted", "expected")
  once <- if (apart) {
    seen_once(rows, rows$group, kept)
  } else {
    stats::setNames(as.list(rows[, paste0("once_", figures), with = FALSE]), figures)
  }
  c(list(clicks = rows$clicks), once)
}

total_of <- function(rows) {
  clicks <- sum(rows$clicks)
  impressions <- sum(rows$impressions)
  list(rows = nrow(rows), clicks = clicks, impressions = impressions, ctr = clicks / impressions,
    expected_ctr = sum(rows$expected_ctr * rows$impressions) / impressions,
    position = sum(rows$position * rows$impressions) / impressions)
}

explored_order <- function(rows, by, sort) {
  if (is.null(sort)) sort <- if (by %in% times) by else "clicks"
  if (!sort %in% names(rows)) {
    abort_argument("sort", paste("among", paste(names(rows), collapse = ", ")), sort)
  }
  place <- if (is.character(rows[[sort]])) {
    order(rows[[sort]], decreasing = by %in% times, method = "radix")
  } else {
    order(-rows[[sort]], -rows$clicks, -rows$impressions)
  }
  rows[place]
}

# Clicks of the rows beside those of the site, over the same days.
explored_coverage <- function(explorer, days, from, to) {
  if (is.null(days) || is.null(explorer$rows[["date"]])) return(NA_real_)
  site <- sum(days$clicks[days$date >= from & days$date <= to])
  own <- clicks_between(explorer, from, to)
  if (site <= 0) NA_real_ else min(1, own / site)
}

clicks_between <- function(explorer, from, to) {
  rows <- explorer$rows
  if (is.null(rows[["date"]]) || (from <= explorer$from && to >= explorer$to)) {
    return(sum(rows$clicks))
  }
  sum(rows$clicks[rows$date >= from & rows$date <= to])
}

#' @export
tidy.tide_view <- function(x, ...) tibble::as_tibble(x$rows)

#' @export
format.tide_explorer <- function(x, ...) {
  sprintf("<tide_explorer> %s, %s, %s by %s", format_plural(nrow(x$rows), "row"),
    format_plural(length(x$queries$names), "query", "queries"),
    format_plural(length(x$pages$names), "page"), grain_label(x$dimensions))
}

#' @export
format.tide_view <- function(x, n = 10, ...) {
  rows <- utils::head(x$rows, n)
  name_columns <- rows[, intersect(c("query", "page", x$by), names(rows)), with = FALSE]
  figures <- list(clicks = format_count(rows$clicks), impressions = format_count(rows$impressions),
    CTR = format_rate(rows$ctr), expected = format_rate(rows$expected_ctr),
    position = format_position(rows$position))
  wide <- pmax(nchar(names(figures)), vapply(figures, function(x) max(nchar(x), 0L), 0L)) + 2L
  text <- c(gsub("_", " ", x$by), do.call(paste, c(name_columns, sep = "  ")))
  free <- name_width(text, 100 - sum(wide))
  cells <- Map(function(column, name, width) pad_left(c(name, column), width), figures,
    names(figures), wide)
  c(sprintf("<tide_view> %s by %s, %s", format_plural(nrow(x$rows), "row"), gsub("_", " ", x$by),
    format_days(x$from, x$to)),
    paste0(fit_text(text, free), do.call(paste0, unname(cells))),
    if (nrow(x$rows) > n) sprintf("... and %s more", format_count(nrow(x$rows) - n)),
    private_words(x$queries_known), outside_words(x$outside))
}

# What conditions leave out, in words; nothing where they leave out nothing.
outside_words <- function(outside) {
  if (outside$impressions <= 0) return(character())
  sprintf("not shown: %s (%s), %s (%s)",
    format_plural(outside$clicks, "click"), format_share(outside$clicks_share),
    format_plural(outside$impressions, "impression"), format_share(outside$impressions_share))
}
