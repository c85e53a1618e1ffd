#' The plain inventory
#'
#' The table that everybody opens first: all queries, pages, folders, topics, countries, devices
#' or days with their figures, before anything is judged.
#'
#' @details A query is one impression, however many of its pages are shown. Where the data hold a
#'   table by query, figures of queries are those of it. Else rows by query and page count an
#'   impression for each page, and what is taken is the largest of the pages' on each day (and
#'   country, device and vertical, where rows have them), the position of the first page, and the
#'   sum of the clicks: the least that the query was shown. Pages that take turns within a day make
#'   it too few, by as much as they do; `bench/accuracy.md` has the error where both are known.
#'   Lists by page and folder show each page's own impressions; what is expected of pages that stand
#'   together under a brand query is what their one result is expected to have, shared by clicks.
#'
#'   Where the data hold a table by page without queries beside them, clicks, impressions and
#'   positions of pages and folders are those of it, private queries included. What is expected of
#'   the private impressions is what the curve gives at their mean position.
#'
#' @param data A `tide_data` object, a [tide_source()] or an archive.
#' @param by What a row stands for: `query`, `page`, `pair` (query x page), `folder`, `topic`,
#'   `modifier` (what stands with the brand, or with the words `of`: "price", "near me"), `country`,
#'   `device`, `vertical`, `rich_result`, `day`, `week` or `month`. `NULL`: `query`, or what the
#'   tables have where they have no queries.
#' @param sort Name of the column to sort by (`ctr` and `ratio`, the largest first, by the lower end
#'   of the CTR's 90 % interval, so that two clicks of two impressions do not lead). `NULL`: clicks,
#'   then impressions; of days, weeks and months the newest first. `format()` shows that column.
#' @param decreasing Whether the largest (of days the newest) stands first.
#' @param windows Lengths in days: for each, the clicks of the last so many days and the change
#'   against as many before stand on the row; of modifiers by itself 28.
#' @param lead Queries beneath each page (of `by = "page"`), the leading ones of that many; 0 for
#'   none.
#' @param of Of `by = "modifier"`, the words that modifiers stand with, such as `"kale"`; `NULL`
#'   takes the brand.
#' @param curve A `tide_curve` object; `NULL` fits it to all of the data.
#' @param brand Brand words.
#' @param rules A [tide_rules()] object, for bands, intent and groups of pages.
#' @param facts A list of [tide_facts()] to add to queries and pages.
#' @param target A place, against which `lost` is counted: the CTR that the curve gives there.
#' @param ctr A CTR of one's own for it, as a fraction; `NULL` takes the curve's at `target`.
#' @param history Like `data`, of more days: `windows` and what they are held against are taken from
#'   it. `NULL`: from `data`.
#' @return A `tide_inventory` object: a list with `rows` (a data.table: the name under `by`, of
#'   pairs `query` and `page`; `clicks`, `impressions`, `ctr`, `expected_ctr` (on the site's curve,
#'   at these positions; missing without queries), `missed` (clicks that are expected less those
#'   had, never below zero), `lost` (impressions x CTR at `target`, each query
#'   in its own segment, less clicks: what the best place would bring, not what can be had),
#'   `position`, `band`, of queries `intent`,
#'   `segment` (`brand`, `non-brand`) and the leading `page`; of modifiers the leading `page` and
#'   `own_page`: whether its address or title names the modifier, `named_page`: the page of these
#'   queries that does, which another may outrank; `queries`, `pages`: how many stand
#'   behind it; `first` and `last` day seen, of dated tables; of weeks and months `days` that the
#'   data have of it, of days, weeks and months `change` (clicks less those of the one before) and
#'   `change_year` (less those a year before, of weeks 52 weeks), missing where one of the two is
#'   not whole; `ratio` (clicks had over those expected), of queries `characters`, of dated tables
#'   `click_trend` (clicks a week in the newer half of the weeks less those in the older); for each
#'   of `windows` `clicks_N` and
#'   `change_N` (missing where the data do not reach back so far); of an export that compares two
#'   windows `clicks_before`, `change` and `position_before`; then facts), `beneath` (of pages, with
#'   `lead`: `page`, `query` and the same figures), `weekly` (clicks of the rows by week, the oldest
#'   first, or `NULL`), `total` (sums of the rows), `against` (the `target` and `ctr` of `lost`),
#'   `impressions_of` (what impressions of queries rest on: `"queries"`, a table by query, or
#'   `"pages"`, see Details; `NULL` where rows are those of pages),
#'   `coverage` (clicks of these rows as a share of the totals without queries, or `NA`),
#'   `queries_known` (of pages and folders whose clicks come from a table by page alone: the share
#'   of them that rows with queries explain; else `NULL`),
#'   `would_add` (what further exports would add, or nothing), `by`, `sort`, `of`, `windows`,
#'   `from`, `to`, `left_out`. Methods: `print`, `format`, `tidy`, `summary`, `as.data.frame`.
#' @references Wilson (1927), Journal of the American Statistical Association 22, 209-212.
#' @section Errors: `tide_error_grain` where no table has what a row stands for;
#'   `tide_error_nothing_left` where modifiers are asked for and no query holds the words;
#'   `tide_error_argument`.
#' @seealso [tide_trace()] for one of them, [tide_find()] for what to fix.
#' @examples
#' data <- tide_read(tide_example())
#' tide_inventory(data, brand = "fernmoor")
#' tide_inventory(data, by = "page", lead = 3, brand = "fernmoor")
#' tide_inventory(data, by = "query", windows = c(7, 28), sort = "change_28", decreasing = FALSE)
#' tide_inventory(data, by = "week")
#' @export
tide_inventory <- function(data, by = NULL, sort = NULL, decreasing = TRUE, windows = NULL,
    lead = 0, curve = NULL, brand = NULL, rules = tide_rules(), facts = list(), history = NULL,
    target = 1, ctr = NULL, of = NULL) {
  check_text(of, "of", many = TRUE, null = TRUE)
  check_number(target, "target", min = 1, max = 100)
  check_number(ctr, "ctr", min = 0, max = 1, null = TRUE)
  data <- data_of(data)
  # Without queries a page is held against the curve at its mean place.
  alone <- if (identical(first_given(by, inventory_default(data)), "page")) pages_for_queries(data)
  if (!is.null(alone)) {
    by <- "page"
    if (is.null(curve)) curve <- tide_curve(tide_summary(data, brand = brand))
    data <- alone
  }
  same <- is.null(history)
  history <- if (same) data else data_of(history)
  by <- if (is.null(by)) inventory_default(data) else check_choice(by, names(line_kinds), "by")
  check_class(rules, "tide_rules", "rules")
  check_number(lead, "lead", min = 0)
  check_text(sort, "sort", null = TRUE)
  if (is.null(brand)) brand <- rules$brand else rules$brand <- brand
  leading <- by == "page" && lead > 0
  used <- inventory_tables(data, if (!same) history, by, leading)
  tbl <- used$listed
  longer <- used$longer
  if (by == "modifier" && is.null(windows) && isTRUE(longer$days >= 56)) windows <- 28
  windows <- check_lengths(windows, longer)
  with_queries <- "query" %in% used$finest$dimensions
  if (with_queries && is.null(curve)) curve <- tide_curve(tide_summary(data, brand = brand))
  if (by == "modifier") {
    rules$brand <- if (is.null(of)) curve$summary$brand else I(of)
    brand <- rules$brand
  }
  at <- with_target(inventory_codes(by, tbl, curve, brand), curve, target, ctr)
  label <- row_labels(by, at, rules, tbl$to)
  rows <- inventory_rows(by, at, label, rules)
  if (length(windows)) {
    # Coded once where no other days are looked at.
    past <- if (same) at else inventory_codes(by, longer, curve, brand)
    of_past <- if (same) label else row_labels(by, past, rules, longer$to)
    known <- if (same) rows else inventory_rows(by, past, of_past, rules)
    filtered <- length(history$chosen) > 0
    changes <- window_columns(past$rows, of_past, longer, windows, filtered)
    rows <- cbind(rows, changes[match(inventory_key(rows), inventory_key(known))])
  }
  if (by %in% times) rows <- time_changes(rows, by, at$rows$date, label)
  before <- earlier_rows(data, tbl, by, curve, rules)
  if (!is.null(before)) rows <- cbind(rows, earlier_columns(rows, before, by))
  if (used$apart && by == "query") rows <- add_leading_page(rows, used$finest)
  queried <- at
  private_too <- used$apart && by != "query"
  if (private_too) {
    queried <- with_target(inventory_codes(by, used$finest, curve, brand), curve, target, ctr)
    known <- inventory_rows(by, queried, row_labels(by, queried, rules), rules)
    rows <- add_queried(rows, known, curve,
      first_given(ctr, place_ctr(curve, names(curve$fits)[1], target)))
  }
  weekly <- if ("date" %in% tbl$dimensions && !by %in% times && !wide_dates(tbl)) {
    weekly_clicks(at$rows, label, tbl)
  }
  rows <- add_listed_figures(rows, by, weekly)
  if (!is.null(alone)) rows <- rows[, setdiff(names(rows), "queries"), with = FALSE]
  if (by == "modifier") rows <- add_own_page(rows, at, label, facts)
  rows <- join_facts(rows, facts)
  check_flag(decreasing, "decreasing")
  in_order <- inventory_order(rows, by, sort, decreasing)
  total <- add_ratios(sums_by(at$rows, character(), c("clicks", "impressions", "weighted")))
  if (!is.null(rows[["lost"]])) {
    set(total, j = "lost",
      value = if (private_too) sum(rows$lost) else sum(at$rows$there) - total$clicks)
  }
  site <- if (with_queries) site_clicks_of(data, tbl)
  structure(list(
    rows = rows[in_order],
    beneath = if (leading) leading_beneath(queried, rows[in_order]$page, lead, rules),
    weekly = weekly[in_order],
    total = total[, intersect(c("clicks", "impressions", "ctr", "position", "lost"), names(total)),
      with = FALSE],
    against = list(target = target, ctr = ctr),
    impressions_of = impressions_of(by, tbl),
    coverage = if (is.null(site) || site <= 0) NA_real_ else min(1, total$clicks / site),
    queries_known = if (private_too) min(1, sum(used$finest$rows$clicks) / total$clicks),
    would_add = further_exports(read_grains(data)),
    by = by,
    sort = sort,
    of = of,
    windows = windows,
    from = tbl$from,
    to = tbl$to,
    days = if (!is.na(tbl$days)) tbl$days,
    left_out = data$left_out[data$left_out$grain == grain_label(tbl$dimensions)]),
    class = c("tide_inventory", "tide_result"))
}

# What the tables can list: queries, else pages, else parts, else their days, weeks or months.
inventory_default <- function(data) {
  among <- c("query", "page", "rich_result", "vertical", "device", "country")
  for (kind in among) if (!is.null(pick_table(data, kind))) return(kind)
  tbl <- pick_table(data, "date")
  if (is.null(tbl)) return("query")
  switch(as.character(tbl$each), `1` = "day", `7` = "week", "month")
}

# The finest table that has what a row stands for: of days the totals, since they miss nothing.
inventory_table <- function(data, by, besides = NULL) {
  needed <- c(line_kinds[[by]], besides)
  tbl <- if (needed[1] == "date") pick_table(data, "date", refused = no_totals)
  if (is.null(tbl)) tbl <- pick_table(data, needed)
  if (!is.null(tbl)) return(window_beside(tbl, data))
  check_days_were_there(data, needed)
  abort_tide(sprintf("No table has what a list by %s needs.",
    paste(c(by, besides), collapse = " with its ")),
    where = tables_read(data),
    fix = sprintf("Export a table by %s.", paste(needed, collapse = " and ")), class = "grain")
}

# The tables of a list: what is `listed`, the finest, which says more of it, and the one that
# windows look back in; whether the listed one stands `apart` from the finest. history: NULL where
# it is the same.
inventory_tables <- function(data, history, by, leading) {
  besides <- if (leading) "query"
  finest <- inventory_table(data, by, besides)
  longer <- if (is.null(history)) finest else inventory_table(history, by, besides)
  own <- listed_alone(data, finest, by)
  if (is.null(own)) return(list(listed = finest, finest = finest, longer = longer, apart = FALSE))
  if (by != "query") {
    own_longer <- if (is.null(history)) own else listed_alone(history, longer, by)
    # Windows of other rows than those listed would not agree with them.
    if (is.null(own_longer)) own <- finest else longer <- own_longer
  }
  list(listed = own, finest = finest, longer = longer, apart = !identical(own, finest))
}

check_lengths <- function(windows, table) {
  if (!length(windows)) return(NULL)
  if (!is.numeric(windows) || anyNA(windows) || any(windows < 1)) {
    abort_argument("windows", "lengths in days such as c(14, 42)", windows)
  }
  if (!"date" %in% table$dimensions) {
    abort_tide("Windows need days.",
      where = sprintf("The table is by %s.", grain_label(table$dimensions)),
      fix = "Export by date.", class = "grain", argument = "windows")
  }
  if (wide_dates(table)) abort_wide_dates(table, "Windows need days", argument = "windows")
  as.integer(sort(unique(windows)))
}

# Rows of a table, coded; for modifiers those whose queries hold the words.
inventory_codes <- function(by, table, curve, brand) {
  at <- if ("query" %in% table$dimensions) {
    coded_rows(table$rows, curve, brand)
  } else {
    plain_rows(table$rows)
  }
  if (by %in% table$dimensions && !by %in% c("query", "page")) {
    set(at$rows, j = by, value = as_levels(table$rows[[by]]))
  }
  if (all(c("query", "page") %in% table$dimensions)) at <- count_queries_once(at, by, table)
  if (by == "modifier") only_holding(at, brand) else at
}

# Clicks that the impressions of each row would bring at a place, or by a CTR of one's own.
with_target <- function(at, curve, target, ctr) {
  if (is.null(at$rows[["expected"]]) && is.null(ctr)) return(at)
  rate <- if (is.null(ctr)) place_ctr(curve, at$segment, target)[at$rows$query] else ctr
  set(at$rows, j = "there", value = first_given(at$rows[["seen"]], at$rows$impressions) * rate)
  at
}

# The CTR of a place in each of these segments.
place_ctr <- function(curve, segments, place) {
  there <- vapply(names(curve$fits), function(s) curve_at(curve, place, s)$ctr, 0)
  unname(there[segments])
}

# Rows of a table without queries, as coded_rows() has those with.
plain_rows <- function(rows) {
  pages <- if (!is.null(rows[["page"]])) code_pages(rows$page, rows$impressions)
  list(pages = pages, rows = setDT(Filter(Negate(is.null),
    list(page = pages$code, date = rows[["date"]], clicks = as.numeric(rows$clicks),
      impressions = as.numeric(rows$impressions),
      weighted = rows$impressions * rows$position))))
}

inventory_rows <- function(by, at, label, rules) {
  size <- label_size(label)
  columns_of_name <- label_columns(by, at, label)
  out <- setDT(c(columns_of_name, as.list(sum_labelled(at$rows, label))))
  if (!is.null(at$rows[["there"]])) {
    there <- sum_codes(at$rows$there, label$code, size)
    set(out, j = "lost", value = there - out$clicks)
  }
  if (!is.null(out[["expected_ctr"]])) {
    set(out, j = "missed", value = missed_clicks(out$clicks, out$expected_ctr * out$impressions))
  }
  set(out, j = "band", value = position_band(out$position, rules$bands))
  paged <- !is.null(at$rows[["page"]]) && any(nzchar(at$pages$names))
  for (of in setdiff(c("query", if (paged) "page"), names(columns_of_name))) {
    if (by == "pair" || is.null(at$rows[[of]])) next
    set(out, j = c(query = "queries", page = "pages")[[of]],
      value = count_labelled(at$rows, label, of))
  }
  if (!is.null(at$rows[["date"]]) && !by %in% times) {
    ends <- at$rows[, .(first = min(date), last = max(date)), by = list(code = label$code)]
    set(out, j = c("first", "last"),
      value = ends[match(seq_len(size), ends$code), c("first", "last")])
  }
  if (by == "query") {
    set(out, j = c("intent", "segment"), value = list(query_intent(at$queries$keys, rules$intent),
      ifelse(at$segment == "brand", "brand", "non-brand")))
  }
  if (by %in% c("query", "modifier") && paged) {
    sums <- data.table(query = label$code, at$rows[, c("page", "clicks", "impressions")])
    lead <- leading_pages(sums_by(sums, c("query", "page"), c("clicks", "impressions")), size)
    set(out, j = "page", value = at$pages$names[lead])
  }
  out[]
}

# Clicks of the last whole weeks of the data, a column each, the oldest first.
weekly_clicks <- function(rows, label, table, most = 13L) {
  weeks <- max(1L, min(most, table$days %/% 7L))
  age <- (as.integer(table$to) - as.integer(rows$date)) %/% 7L
  use <- which(age < weeks)
  size <- label_size(label)
  code <- label$code[use] + size * (weeks - 1L - age[use])
  as.data.table(matrix(sum_codes(rows$clicks[use], code, size * weeks), size))
}

inventory_order <- function(rows, by, sort, decreasing) {
  if (is.null(sort)) {
    if (by %in% times) return(order(rows[[by]], decreasing = decreasing))
    # By radix: texts in the order of any machine.
    keys <-
      data.table(rows[, c("clicks", "impressions")], name = rows[[1]], row = seq_len(nrow(rows)))
    way <- if (decreasing) -1L else 1L
    return(setorderv(keys, c("clicks", "impressions", "name"), c(way, way, 1L))$row)
  }
  if (!sort %in% names(rows)) {
    abort_argument("sort", paste0("one of '", paste(names(rows), collapse = "', '"), "'"), sort)
  }
  # A CTR of two impressions leads no list: by the lower bound of what it may be, from above.
  of <- if (decreasing && sort %in% c("ctr", "ratio")) {
    low_rate(rows$clicks, rows$impressions) / if (sort == "ctr") 1 else rows$expected_ctr
  } else {
    rows[[sort]]
  }
  order(of, rows$clicks, decreasing = decreasing, na.last = TRUE)
}

# The leading queries of each page.
leading_beneath <- function(at, pages, lead, rules) {
  own <- inventory_rows("pair", at, row_labels("pair", at, rules), rules)
  own <- own[order(match(own$page, pages), -own$clicks, -own$impressions)]
  own[rowid(own$page) <= lead]
}

# Clicks of all days of a table in the totals without queries, or NULL.
site_clicks_of <- function(data, table) {
  site <- pick_table(data, "date", refused = c(no_totals, "page"))
  if (is.null(site) || is.na(table$from)) return(NULL)
  sum(site$rows$clicks[site$rows$date >= table$from & site$rows$date <= table$to])
}
