# Columns of the inventory besides sums: changes between windows, days, months and two exported
# windows; whether a page names what stands beside the brand.

# The rows of queries that hold one of the words.
only_holding <- function(at, words) {
  holding <- is_brand(at$queries$keys, words)
  if (!any(holding)) {
    abort_tide("No query holds the words whose modifiers are asked for.",
      where = if (length(words)) {
        sprintf("words: %s.", paste(words, collapse = ", "))
      } else {
        "No brand words are named."
      },
      fix = "Name the words as people type them, or loosen the filters.", class = "nothing_left")
  }
  at$rows <- at$rows[which(holding[at$rows$query])]
  at
}

# Whether the leading page names the modifier, and the page of its queries that does, the one with
# most clicks first: one that exists may be outranked. Missing where the modifier holds no telling
# word.
add_own_page <- function(rows, at, label, facts) {
  if (is.null(rows[["page"]])) return(rows)
  words <- word_table(query_key(rows$modifier), function_words)
  words <- words[words$query %in% which(rows$modifier != no_modifier)]
  own <- rep(NA, nrow(rows))
  named <- rep("", nrow(rows))
  if (nrow(words)) {
    shown <- leaders_first(sums_by(data.table(query = label$code,
      at$rows[, c("page", "clicks", "impressions")]), c("query", "page"),
      c("clicks", "impressions")))
    pages <- join_facts(data.table(page = at$pages$names), facts)
    each <- words[shown, on = "query", allow.cartesian = TRUE, nomatch = NULL]
    set(each, j = "names", value = in_address(each$word, each$page, pages))
    found <- unique(each[each$names], by = "query")
    named[found$query] <- pages$page[found$page]
    own[unique(words$query)] <- FALSE
    own[rows$page == named] <- TRUE
  }
  set(rows, j = c("own_page", "named_page"), value = list(own, named))
}

# Of days, weeks and months in order: clicks less those of the one before, and of the same a year
# before; how many days the data have of a week or month, where they have days.
time_changes <- function(rows, by, dates, label) {
  first_at <- as.IDate(if (by == "month") paste0(rows[[by]], "-01") else rows[[by]])
  whole <- rep(TRUE, nrow(rows))
  if (by != "day" && days_each(dates) == 1) {
    seen <- unique(data.table(code = label$code, date = dates))
    set(rows, j = "days", value = tabulate(seen$code, nrow(rows)))
    whole <- rows$days == if (by == "week") 7L else days_in_month(first_at)
  }
  clicks <- ifelse(whole, rows$clicks, NA)
  back <- function(of) clicks - clicks[match(as.integer(of), as.integer(first_at))]
  earlier <- function(months, days) {
    if (by != "month") return(first_at - days)
    at <- as.POSIXlt(first_at)
    at$mon <- at$mon - months
    as.IDate(at)
  }
  stride <- if (by == "week") 7L else 1L
  set(rows, j = c("change", "change_year"),
    value = list(back(earlier(1L, stride)), back(earlier(12L, if (by == "week") 364L else 365L))))
  if (all(is.na(rows$change_year))) set(rows, j = "change_year", value = NULL)
  rows[]
}

# The same of the earlier window, of an export that compares two; else NULL.
earlier_rows <- function(data, table, by, curve, rules) {
  grain <- grain_label(table$dimensions)
  before <- data$earlier[[grain]]
  if (is.null(before)) return(NULL)
  own <- new_tide_data(stats::setNames(list(before), grain), data$sources, data$left_out)
  tide_inventory(own, by = by, curve = curve, rules = rules)$rows
}

# What tells rows of two inventories to be one.
inventory_key <- function(of) {
  name_texts <-
    lapply(intersect(c("query", "page"), names(of)[1:2]), function(one) name_key(one, of[[one]]))
  do.call(paste, if (length(name_texts)) name_texts else list(of[[1]]))
}

# Clicks before, the change, the position before: of rows that the earlier window lacks all clicks
# are new.
earlier_columns <- function(rows, before, by) {
  at <- match(inventory_key(rows), inventory_key(before))
  clicks <- fcoalesce(before$clicks[at], 0)
  data.table(clicks_before = clicks, change = rows$clicks - clicks,
    position_before = before$position[at])
}

# Clicks of the last days and the change against as many before, for each length, a row a label.
# What lies before the first day of unfiltered data is not known.
window_columns <- function(rows, label, table, windows, filtered) {
  age <- as.integer(table$to) - as.integer(rows$date)
  reach <- if (filtered) Inf else as.integer(table$to) - as.integer(table$from) + 1L
  size <- label_size(label)
  columns <- lapply(windows, function(days) {
    clicks_in <- function(use) sum_codes(rows$clicks[use], label$code[use], size)
    now <- clicks_in(which(age < days))
    list(if (reach >= days) now else NA_real_,
      if (reach >= 2L * days) now - clicks_in(which(age >= days & age < 2L * days)) else NA_real_)
  })
  out <- setDT(lapply(unlist(columns, recursive = FALSE), rep_len, size))
  setnames(out, paste0(c("clicks_", "change_"), rep(windows, each = 2)))
}

# Rows by query and page as queries count them, and as pages of one result are judged.
count_queries_once <- function(at, by, table) {
  parts <- lapply(intersect(part_dimensions, table$dimensions),
    function(of) as_levels(table$rows[[of]]))
  group <- seen_together(at$rows, parts)
  figures <- if (counts_pages(by)) {
    shared_expected(at$rows, group, at$segment[at$rows$query] == "brand")
  } else {
    seen_once(at$rows, group)
  }
  set(at$rows, j = names(figures), value = figures)
  at
}

# Whether what a row stands for is made of pages, each with impressions of its own.
counts_pages <- function(by) "page" %in% line_kinds[[by]]

impressions_of <- function(by, table) {
  if (counts_pages(by) || !"query" %in% table$dimensions) return(NULL)
  if ("page" %in% table$dimensions) "pages" else "queries"
}

# The table of what is listed by itself, of the same days as the finest, or NULL: without pages a
# query is one impression; without queries, the private ones of a page are in. Page tables that lack
# a page with clicks are cut, and would hide it.
listed_alone <- function(data, table, by) {
  other <- c(query = "page", page = "query", folder = "query")[by]
  if (is.na(other) || !other %in% table$dimensions) return(NULL)
  same <- function(own) {
    line_kinds[[by]] %in% own$dimensions && !any(c(other, "rich_result") %in% own$dimensions) &&
      ("date" %in% own$dimensions) == ("date" %in% table$dimensions) &&
      identical(c(own$from, own$to), c(table$from, table$to))
  }
  own <- Filter(same, data$tables)[1][[1]]
  if (is.null(own) || other == "page") return(own)
  keys_of <- function(rows) unique(page_key(as.character(unique(rows$page))))
  if (all(keys_of(table$rows[table$rows$clicks > 0]) %in% keys_of(own$rows))) own
}

# What rows with queries tell (`known`) of pages whose own figures stand there already: how many
# queries, and what is expected. Private impressions are held against the curve at their mean place,
# as tables without queries are. private_there: the CTR that those would have at the target.
add_queried <- function(rows, known, curve, private_there) {
  at <- match(inventory_key(rows), inventory_key(known))
  of_known <- function(name) fcoalesce(as.numeric(known[[name]][at]), 0)
  shown <- of_known("impressions")
  left <- pmax(0, rows$impressions - shown)
  place <- (rows$impressions * rows$position - shown * of_known("position")) / left
  place <- ifelse(left > 0, pmax(1, place), rows$position)
  expected <- of_known("expected_ctr") * shown +
    left * curve_ctr(curve, place, rep(names(curve$fits)[1], length(place)), 1, left)
  there <- of_known("lost") + of_known("clicks") + left * private_there
  set(rows, j = c("queries", "expected_ctr", "missed", "lost"), value = list(
    as.integer(of_known("queries")), expected / rows$impressions,
    missed_clicks(rows$clicks, expected), there - rows$clicks))
  setcolorder(rows, c(intersect(names(known), names(rows)), setdiff(names(rows), names(known))))
}

# The leading page of each query and how many it has, from a table that knows pages.
add_leading_page <- function(rows, table) {
  pages <- code_pages(table$rows$page, table$rows$impressions)
  sums <- sums_by(data.table(query = query_key(table$rows$query), page = pages$code,
    clicks = table$rows$clicks, impressions = table$rows$impressions), c("query", "page"),
    c("clicks", "impressions"))
  setorderv(sums, c("query", "clicks", "impressions"), c(1L, -1L, -1L))
  at <- match(query_key(rows$query), sums$query)
  many <- sums[, .N, by = "query"]
  set(rows, j = c("pages", "page"), value = list(
    many$N[match(query_key(rows$query), many$query)], pages$names[sums$page[at]]))
}

# What people sort by besides: how clicks stand to those expected, length, course over the weeks.
add_listed_figures <- function(rows, by, weekly) {
  if (!is.null(rows[["expected_ctr"]])) {
    set(rows, j = "ratio", value = rows$clicks / (rows$expected_ctr * rows$impressions))
  }
  if (by == "query") set(rows, j = "characters", value = nchar(rows$query))
  if (NCOL(weekly) > 1) {
    half <- ncol(weekly) %/% 2L
    set(rows, j = "click_trend", value = rowMeans(weekly[, utils::tail(names(weekly), half),
      with = FALSE]) - rowMeans(weekly[, seq_len(half), with = FALSE]))
  }
  rows
}

# The lower end of the 90 % interval of a rate (Wilson).
low_rate <- function(clicks, impressions, level = 0.9) {
  z2 <- stats::qnorm(1 - (1 - level) / 2)^2
  rate <- clicks / impressions
  (rate + z2 / (2 * impressions) -
    sqrt(z2 * (rate * (1 - rate) + z2 / (4 * impressions)) / impressions)) / (1 + z2 / impressions)
}
