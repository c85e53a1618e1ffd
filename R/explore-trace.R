#' From site to folder to page to query and back
#'
#' The daily movement of the job: which pages are shown for a query, and who led in which week;
#' which queries a page is shown for, and in which band each is; which pages of a folder, or of
#' the site, are shown for how many queries.
#'
#' @param data A `tide_data` object with a table by query and page; a [tide_source()] or an archive,
#'   of which the last `recent_days` are read; or the `tide_findings`, for the arithmetic of one of
#'   them.
#' @param what A query, or a page's address (in any of its spellings, or its path), or a folder's
#'   path with a star, such as `"/guides/*"`; `"/*"` is the site. Of findings: an id.
#' @param recent_days How many of the last days to look at; `Inf` for all.
#' @param rules A [tide_rules()] object, for the bands and, where it has any, the brand words.
#' @param facts A list of [tide_facts()] to add to queries and pages.
#' @param ... Not used.
#' @return A `tide_trace` object: a list with `kind` (`query`, `page` or `folder`), `name`,
#'   `rows` (best first: `query` and `page`, or of a folder `page` and `queries`, then `clicks`,
#'   `impressions`, `ctr`, `position`, `share` of the clicks or, without any, of the impressions,
#'   `band`, and with dates `weeks` seen and, for a query, `weeks_led`; then the facts), `weekly`
#'   (`name`, `week` as its first day, `clicks`, `impressions`, `position`), `ranking` (for page
#'   and folder: how many distinct `queries` were shown in each `week`, by `band` of their
#'   position in that week), `total` (sums over the rows), `site` (for a page: its totals from a
#'   table without queries, or `NULL`), `only` (`"page"` or `"query"` where the data have a table by
#'   one of them alone, whose rows then stand for all of the other; else `NULL`), `brand` (clicks of
#'   brand queries, of a query whether it is one; `NULL` without brand words or queries), `facts`
#'   (of the query or page itself), `from`, `to`. Methods: `print`, `tidy`, `autoplot`, `plot`.
#'
#' Of findings: a `tide_explained` object, a list with `finding` (its row), `cells` (`page`,
#' `position`, `clicks`, `impressions`, `curve`: CTR expected there, `expected`: clicks) and
#' `steps` (from rows to score, in order, to be redone by hand). Methods: `print`, `format`.
#' @section Errors: `tide_error_finding` for an id that the list does not hold;
#'   `tide_error_trace` where nothing of that name is in the data, with the nearest names;
#'   `tide_error_grain`.
#' @details A page leads a week when it has the most clicks of the query's pages, of equals the
#'   most impressions. Weeks count back from the last day.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' tide_trace(data, "radish spacing")
#' tide_trace(data, "/guides/how-to-grow-radish/")
#' tide_trace(data, "/guides/*")
#' found <- tide_find(tide_summary(data, brand = "fernmoor"))
#' tide_trace(found, tidy(found)$id[1])
#' @export
tide_trace <- function(data, what, ...) UseMethod("tide_trace")

#' @export
tide_trace.default <- function(data, what, ...) check_class(data, "tide_data", "data")

#' @export
tide_trace.tide_source <- function(data, what, recent_days = 90, ...) {
  check_number(recent_days, "recent_days", min = 1)
  tide_trace(tide_stored(data, days = recent_days), what, recent_days = recent_days, ...)
}

#' @export
tide_trace.tide_store <- tide_trace.tide_source

#' @rdname tide_trace
#' @export
tide_trace.tide_data <- function(data, what, recent_days = 90, rules = tide_rules(), facts = list(),
    ...) {
  check_no_more(...)
  check_text(what, "what")
  check_number(recent_days, "recent_days", min = 1)
  check_class(rules, "tide_rules", "rules")
  tbl <- traced_table(data)
  queries <- code_queries(tbl$rows$query, tbl$rows$impressions)
  pages <- code_pages(tbl$rows$page, tbl$rows$impressions)
  found <- find_name(what, queries, pages)
  dated <- "date" %in% tbl$dimensions
  use <-
    which(if (found$kind == "query") queries$code == found$code else pages$code %in% found$code)
  if (dated) {
    from <- max(tbl$from, last_days_from(tbl, recent_days))
    use <- use[as.integer(tbl$rows$date[use]) >= as.integer(from)]
  }
  if (!length(use)) {
    abort_tide("It was not shown in these days.",
      where = sprintf("'%s', the last %g days.", what, recent_days),
      fix = "Ask for a longer window.", class = "trace")
  }
  rows <- setDT(list(query = queries$names[queries$code[use]], page = pages$names[pages$code[use]],
    clicks = tbl$rows$clicks[use], impressions = tbl$rows$impressions[use],
    position = tbl$rows$position[use]))
  other <- if (found$kind == "page") "query" else "page"
  # Weeks count back from the last day, so that none but the first is cut short.
  weeks <- dated && !wide_dates(tbl)
  if (weeks) set(rows, j = "week", value = period_start(tbl$rows$date[use], tbl$to, 7L))
  weekly <- if (weeks) setnames(reduce_by(rows, c(other, "week")), other, "name")
  no_queries <- identical(tbl[["only"]], "page")
  site <- if (found$kind == "page" && !no_queries) {
    totals <- site_totals(data, "page", tbl)
    if (!is.null(totals)) totals[totals$key == pages$keys[found$code]]
  }
  structure(list(
    kind = found$kind,
    name = found$name,
    rows = trace_facts(trace_rows(rows, weekly, found$kind, rules$bands, tbl[["only"]]), facts),
    weekly = weekly,
    only = tbl[["only"]],
    ranking = if (weeks && found$kind != "query" && is.null(tbl[["only"]])) {
      ranking_queries(rows, rules$bands)
    },
    total = traced_total(rows, tbl, use, queries, pages, found$kind),
    site = if (NROW(site)) site,
    brand = if (!no_queries) brand_clicks(tbl$rows, use, queries, rules, found$kind),
    facts = if (found$kind != "folder") facts_of_traced(facts, found$kind, found$name),
    from = if (dated) from else tbl$from,
    to = tbl$to),
    class = c("tide_trace", "tide_result"))
}

# The table by query and page; else one that has either, whose other side stands as one name.
traced_table <- function(data) {
  tbl <- pick_table(data, c("query", "page"))
  if (!is.null(tbl)) return(tbl)
  check_days_were_there(data, c("query", "page"))
  for (only in c("page", "query")) {
    tbl <- pick_table(data, only)
    if (is.null(tbl)) next
    tbl <- window_beside(tbl, data)
    tbl$only <- only
    tbl$rows <- copy(tbl$rows)
    other <- setdiff(names(all_of_other), only)
    set(tbl$rows, j = other, value = all_of_other[[other]])
    return(tbl)
  }
  abort_tide("No table has queries or pages.", where = tables_read(data),
    fix = "Export a table by query and page.", class = "grain")
}

all_of_other <- c(query = "(all queries)", page = "(all pages)")

# Sums of all rows; a query is one impression, however many of its pages are shown.
traced_total <- function(rows, table, use, queries, pages, kind) {
  if (kind == "query") {
    own <- setDT(Filter(Negate(is.null), list(query = queries$code[use], page = pages$code[use],
      date = table$rows[["date"]][use], clicks = rows$clicks,
      impressions = as.numeric(rows$impressions), weighted = rows$impressions * rows$position)))
    parts <- lapply(intersect(part_dimensions, table$dimensions),
      function(of) as_levels(table$rows[[of]][use]))
    seen <- seen_once(own, seen_together(own, parts))
    rows <- data.table(clicks = rows$clicks, impressions = seen$impressions,
      position = fifelse(seen$impressions > 0, seen$weighted / seen$impressions, 1))
  }
  reduce_by(set(copy(rows), j = "one", value = 1L), "one")
}

# Clicks of brand queries among these rows, of a query whether it is one; NULL where no brand words
# are named.
brand_clicks <- function(rows, use, queries, rules, kind) {
  if (is.null(rules$brand)) return(NULL)
  brand <- is_brand(queries$keys, with_spellings(rules, rows)$brand)
  if (kind == "query") return(brand[queries$code[use[1]]])
  sum(rows$clicks[use][brand[queries$code[use]]])
}

# First days of the weeks of the window, those without a row included.
all_weeks <- function(trace) {
  if (is.null(trace$weekly)) return(NULL)
  last <- trace$to - 6L
  rev(seq(last, min(trace$weekly$week), by = -7L))
}

# A query by its compared form, a page by its key or its path alone, a folder by its path.
find_name <- function(what, queries, pages) {
  paths <- sub("/+$", "", sub("^[^/]*", "", pages$keys))
  if (endsWith(what, "*")) {
    folder <- sub("/*[*]$", "/", format_path(what))
    inside <- which(startsWith(paste0(paths, "/"), folder))
    if (length(inside)) return(list(kind = "folder", code = inside, name = folder))
  }
  query <- match(query_key(what), queries$keys)
  page_at <- match(url_key(clean_url(what)), pages$keys)
  if (is.na(page_at) && startsWith(what, "/")) page_at <- match(sub("/+$", "", what), paths)
  if (!is.na(query)) return(list(kind = "query", code = query, name = queries$names[query]))
  if (!is.na(page_at)) return(list(kind = "page", code = page_at, name = pages$names[page_at]))
  known <- setdiff(c(queries$names, format_path(pages$names)), all_of_other)
  near <-
    known[utils::head(order(utils::adist(tolower(what), tolower(known), partial = FALSE)[1, ]), 3)]
  abort_tide("No query and no page of that name is in the data.", where = sprintf("'%s'.", what),
    fix = if (endsWith(what, "/") && any(startsWith(format_path(pages$names), what))) {
      sprintf("For all pages below it: '%s*'.", what)
    } else {
      sprintf("Did you mean '%s'?", paste(near, collapse = "', '"))
    },
    class = "trace")
}

# only: where there are no queries to count.
trace_rows <- function(rows, weekly, kind, bands, only) {
  out <- reduce_by(rows, if (kind == "folder") "page" else c("query", "page"))
  set(out, j = "share", value = click_shares(out))
  set(out, j = "band", value = position_band(out$position, bands))
  if (kind == "folder" && is.null(only)) {
    counts <- unique(rows[, c("page", "query")])[, .N, by = "page"]
    set(out, j = "queries", value = counts$N[match(out$page, counts$page)])
    setcolorder(out, c("page", "queries"))
  }
  if (!is.null(weekly)) {
    seen <- weekly[, .N, by = "name"]
    set(out, j = "weeks",
      value = seen$N[match(out[[if (kind == "page") "query" else "page"]], seen$name)])
    if (kind == "query") {
      leaders <- week_leaders(weekly, "name")$leader
      set(out, j = "weeks_led", value = tabulate(match(leaders, out$page), nrow(out)))
    }
  }
  setorderv(out, c("clicks", "impressions"), c(-1L, -1L))
  out[]
}

# Distinct queries a week, each in the band of its position over that week.
ranking_queries <- function(rows, bands) {
  rows <- data.table(week = rows$week, query = rows$query, clicks = rows$clicks,
    impressions = rows$impressions, weighted = rows$impressions * rows$position)
  by_week <- add_ratios(sums_by(rows, c("week", "query"), c("clicks", "impressions", "weighted")))
  set(by_week, j = "band",
    value = factor(position_band(by_week$position, bands), band_names(bands)))
  out <- by_week[, .(queries = .N), by = c("week", "band")]
  setkeyv(out, c("week", "band"))
  out[]
}

# Facts of the rows' other side, as columns behind.
trace_facts <- function(rows, facts) {
  join_facts(rows, Filter(function(own) length(unique(rows[[own$by]])) > 1, as_facts(facts)))
}

# What is known of one query or page: a list of its facts, the newest of each.
facts_of_traced <- function(facts, by, name) {
  out <- list()
  for (own in as_facts(facts)) {
    if (own$by == by) {
      key <- name_key(by, name)
      at <- match(key, fact_keys(own, key))
      known <- Filter(function(value) !is.na(value),
        as.list(own$rows[at, setdiff(names(own$rows), "name"), with = FALSE]))
      if (!is.na(at)) out[names(known)] <- known
    }
  }
  out
}
