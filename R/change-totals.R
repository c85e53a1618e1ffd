# Without queries: totals of parts, or of two windows, side by side. What differs can be said, why
# cannot: at equal position only queries can be compared.

# Whether the split takes a table without queries: none with queries has it, one without does.
only_totals <- function(data, by) {
  split_by <- setdiff(compare_splits[[by]], "query")
  by %in% c("country", "device", "vertical", "rich_result", "page_group") &&
    is.null(pick_table(data, c("query", split_by))) && !is.null(pick_table(data, split_by))
}

compare_totals <- function(data, by, rules, most) {
  tbl <- pick_table(data, compare_splits[[by]])
  rows <- tbl$rows
  label <- if (by == "page_group") {
    page_group(levels(rows$page), rules$page_groups)[as.integer(rows$page)]
  } else {
    tolower(as.character(rows[[by]]))
  }
  if (by %in% c("country", "page_group")) label <- most_seen(label, rows$impressions, most)
  sums <- part_totals(rows, label)
  sums <- sums[order(sums$segment == "other", -sums$clicks)]
  # One result may be rich in several ways, or in none: only the site's totals are a whole.
  site <- whole_site(data, tbl)
  whole <- if (!is.null(site)) {
    site
  } else if (by != "rich_result") {
    lapply(sums[, c("clicks", "impressions")], sum)
  }
  parts <- totals_as_parts(sums, whole)
  if (!is.null(site)) {
    own <- part_totals(site$rows, rep("the whole site", nrow(site$rows)))
    parts <- rbind(parts, totals_as_parts(own, whole))
  }
  new_comparison(parts, by, tbl, data, paste("Totals without queries, not at equal position: a",
    "part that ranks better is clicked more for that alone."))
}

# Windows of a table without queries: the later one first.
compare_window_totals <- function(data, table, level, after, before, days) {
  if (!is.null(level) && level != "site") {
    abort_tide("Windows without queries are compared as a whole, not line by line.",
      where = tables_read(data),
      fix = "Compare the site, or export by date, query and page.", class = "grain")
  }
  windows <- table_windows(table, before, after, days)
  sides <- rev(windows)
  rows <- lapply(sides, function(window) {
    table$rows[table$rows$date >= window[1] & table$rows$date <= window[2]]
  })
  empty <- which(vapply(rows, nrow, 0L) == 0)
  if (length(empty)) {
    window <- sides[[empty[1]]]
    abort_tide("A window holds no row.", where = format_days(window[1], window[2]),
      fix = "Choose days that the data hold.", class = "window", fault = "call")
  }
  name <- vapply(sides, function(window) format_days(window[1], window[2]), "")
  sums <- rbindlist(Map(function(own, label) part_totals(own, rep(label, nrow(own))), rows, name))
  new_comparison(totals_as_parts(sums, NULL), "window", table, data,
    paste("Totals without queries: how much changed, not why. An export by date and query would",
      "tell demand, position and CTR apart."))
}

# Of weekly or monthly totals as many whole ones as there are days asked for, one at least.
period_windows <- function(table, before, days) {
  starts <- sort(unique(table$rows$date))
  many <- length(starts)
  size <- max(1L, as.integer(round(days / stats::median(diff(starts)))))
  if (many < 2L * size) {
    abort_tide("A window lies outside the data.",
      where = sprintf("The data hold %s.", format_days(table$from, table$to)),
      fix = "Choose days that the data hold, or load more.", class = "window", fault = "call")
  }
  first <- starts[many - size + 1L]
  after <- c(first, table$to)
  if (is.null(before)) {
    return(list(before = c(starts[many - 2L * size + 1L], first - 1L), after = after))
  }
  weekly <- table$each == 7L
  resolve_windows(table$from, table$to, if (identical(before, "year") && !weekly) {
    year_before(after + c(0L, 1L)) - c(0L, 1L)
  } else {
    before
  },
    after, days)
}

year_before <- function(date) {
  at <- as.POSIXlt(date)
  at$year <- at$year - 1L
  as.IDate(at)
}

part_totals <- function(rows, label) {
  sums <- sums_by(data.table(segment = label, clicks = as.numeric(rows$clicks),
    impressions = as.numeric(rows$impressions), weighted = rows$impressions * rows$position),
    "segment", c("clicks", "impressions", "weighted"))
  add_ratios(sums)
}

# As parts of a comparison, in which what needs queries is missing.
totals_as_parts <- function(sums, whole) {
  share <- function(of) if (is.null(whole)) NA_real_ else sums[[of]] / whole[[of]]
  data.table(segment = sums$segment, side = "all", queries = NA_integer_, pages = NA_integer_,
    clicks = sums$clicks, impressions = sums$impressions, ctr = sums$ctr, position = sums$position,
    click_share = share("clicks"), impression_share = share("impressions"),
    positions_1_3 = NA_real_, positions_4_10 = NA_real_, positions_11_up = NA_real_,
    ctr_at_equal = NA_real_, ratio = NA_real_, ratio_low = NA_real_, ratio_high = NA_real_,
    chance = NA_real_)
}

# The totals of the site over the days of a table: list(clicks, impressions, rows), or NULL.
whole_site <- function(data, table) {
  plain <- Filter(function(one) !length(setdiff(one$dimensions, "date")), data$tables)
  if (!length(plain)) return(NULL)
  rows <- plain[[1]]$rows
  if ("date" %in% names(rows) && !is.na(table$from)) {
    rows <- rows[rows$date >= table$from & rows$date <= table$to]
  }
  if (!nrow(rows)) return(NULL)
  list(clicks = sum(as.numeric(rows$clicks)), impressions = sum(as.numeric(rows$impressions)),
    rows = rows)
}
