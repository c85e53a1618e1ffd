#' Reduce the data to additive sums
#'
#' Every later step needs only sums: clicks, impressions and impressions x position by some key.
#' `tide_summary()` makes them in one pass: by query x page x position cell for the curve, by
#' query x page for the findings, by day for queries that several pages answer, and by day for
#' the trend. Spellings of one URL (scheme, host case, `www`, trailing slash, index file,
#' fragment, tracking parameters) become one page here, and queries are compared in lower case
#' with single spaces; the name shown is the spelling seen most.
#'
#' Findings are about the present: they rest on the last `recent_days` days of the window (all of
#' it where there are no dates), the curve on all of it.
#'
#' @param data A `tide_data` object with a table that has queries, or rows that are not in memory: a
#'   [tide_source()], an archive or a `tide_months` object from [tide_stored()], which are reduced
#'   month by month, or a `tide_blocks` object from [tide_read()].
#' @param brand Brand words. A query that holds one is a brand query; words of up to four letters
#'   must stand alone, longer ones may be joined or spaced. So are queries with other spellings of
#'   a word (a letter or two apart, diacritics left out or written in two letters) at least half of
#'   whose clicks land on the pages that the words themselves lead to; `I("word")` counts only what
#'   is named. `NULL`: brand queries stay in the pool.
#' @param recent_days Length of the window that findings rest on; `Inf` for all days.
#' @param undated_days How many days a table without dates stands for, where [tide_filter()] was
#'   not given and no totals by date came with it. Exports usually cover three months.
#' @param split A dimension by which [tide_curve()] shall tell parts apart: `device`, `country`,
#'   `vertical`, `rich_result` or `month`.
#' @param moves Addresses that moved: the new ones named by the old ones, `c("/old/" = "/new/")`; or
#'   a `tide_pages` object, whose redirects are taken, but for those to the home page; or a list of
#'   both. An old address counts as its new one. `NULL` takes only those whose days show that they
#'   handed over: the old one is seen no more, and the new one has most of its queries from then on.
#' @return A `tide_summary` object: a list with `queries` (data.table: `query`, `key`,
#'   `segment`, and with dates `first`: the first day seen), `pages` (`page`, `key`, `first`),
#'   `cells` (`query`, `page` as row numbers of the former, `bin`, `clicks`, `impressions`,
#'   `position`, `rows`: how many were summed up), `recent_cells`, `pairs` (recent, by query x page,
#'   with `ctr`, `position`, `spread`), `contested` (recent days of queries with several pages, or
#'   `NULL` without dates), `weekly` (the pairs seen most, by whole `week` of the recent days, 1 the
#'   oldest, 0 the days before it, or `NULL`), `by_day`, `odd_days` (days whose CTR is far from that
#'   of the days around, as tracking faults and bots leave them: kept everywhere but in `cells`),
#'   `missing` (where rows are missing by their clicks: the `rule`, "clicked" where only rows with
#'   clicks are there, "best" for the best rows of each day; `each_day`, how many those are; the
#'   `least` clicks of the `rows` that the curve rests on, or the cells of the rows that are
#'   `whole`; else `NULL`), `apart` (pairs that are shown at very different places, left out of the
#'   curve), `parts` (by country, device and vertical, where the table has them: the `names` of the
#'   largest parts, and `all` and `recent` cells by `part`, a code of the names), `split_cells`
#'   (cells by `part` of the `split`, or `NULL`), `blend` (sums that tell how far the places within
#'   one row lie apart, or `NULL`), `course` (impressions and position of a sample of queries by
#'   month, from which the chance of a step up is learnt, or `NULL`), `rests_on` (which days come
#'   from which of several grains), `site_by_day` and `site_by_page` (from tables without queries,
#'   or `NULL`), `brand` (the words that count) and `spellings` (those that were added, or `NULL`),
#'   `window`, `recent`, `split`, `grain` (of the table used), `of_pages` (whether pages stand for
#'   queries, since no table has any), `unused` (grains that were not),
#'   `folded` (how many spellings of addresses were another's), `moves` (addresses that handed their
#'   queries over: `old`, `new`, which stands for both, the number of `queries`, the last `day` of
#'   the old one (missing where it was `announced`, not seen); or `NULL`), and the `sources` of the
#'   data and what was `left_out` of the table used. Methods: `print`, `summary` (totals), `tidy`
#'   (pairs), `plot`.
#' @section Errors: `tide_error_grain` where no table has queries; `tide_error_argument` for moves
#'   that lead in a circle.
#' @examples
#' exports <- tide_example()
#' data <- tide_read(exports[["pairs"]])
#' tide_summary(data, brand = "fernmoor")
#' @export
tide_summary <- function(data, brand = NULL, recent_days = 90, undated_days = 90, split = NULL,
    moves = NULL) {
  data <- data_of(data, promised = TRUE)
  check_text(brand, "brand", null = TRUE, many = TRUE)
  check_number(recent_days, "recent_days", min = 1)
  check_number(undated_days, "undated_days", min = 1)
  if (!is.null(split)) check_choice(split, split_dimensions, "split")
  if (inherits(data, "tide_data") && is.null(pick_table(data, "query"))) {
    data <- first_given(pages_for_queries(data), data)
  }
  origin <- rows_source(data)
  tbl <- origin$table
  dated <- "date" %in% tbl$dimensions
  if (!is.null(split) && !(if (split == "month") dated else split %in% tbl$dimensions)) {
    abort_tide(sprintf("The table cannot be split by %s.", split),
      where = sprintf("It is by %s.", grain_label(tbl$dimensions)),
      fix = "Export with this dimension, or split by something else.", class = "grain")
  }
  tbl <- window_beside(tbl, origin$totals)
  days <- if (is.na(tbl$days)) as.integer(undated_days) else tbl$days
  whole <- !dated || days <= recent_days
  recent_from <- if (whole) tbl$from else last_days_from(tbl, recent_days)
  reduced <- reduce_source(origin, if (!whole) recent_from, split)
  odd <- days_to_take_out(reduced$by_day)
  by_clicks <- missing_rows(origin, reduced, if (!whole) recent_from, odd$date)
  if (nrow(odd)) reduced <- without_days(reduced, origin$of_days(odd$date), odd$date, split)
  queries <- reduced$queries
  pairs <- reduce_pairs(reduced$recent)
  known <- known_brand(queries$keys, reduce_pairs(reduced$all), reduced$pages$names, brand)
  segment <- if (is.null(brand)) {
    rep("all", length(queries$names))
  } else {
    ifelse(is_brand(queries$keys, known$words), "brand", "non-brand")
  }

  # Rows of whole months tell nothing by the week, and mix places as a table without dates does.
  weekly <- dated && !wide_dates(tbl)
  recent <- if (weekly) recent_rows(origin, reduced, pairs, recent_from, tbl$to, odd$date)
  parts <- reduce_parts(origin, reduced, if (!whole) recent_from)
  moves <- page_moves(moves, handed_over(recent$contested, pairs, tbl$to), pairs,
    reduced$pages$keys)
  if (nrow(moves)) {
    folded <- fold_moves(reduced, recent, parts, by_clicks$whole, moves)
    reduced <- folded$reduced
    recent <- folded$recent
    parts <- folded$parts
    if (!is.null(by_clicks$whole)) by_clicks$whole <- folded$whole
    pairs <- reduce_pairs(reduced$recent)
  }
  apart <- if (is.null(by_clicks)) {
    # Days that were taken out are in neither.
    places_apart(if (whole) reduced$all else reduced$recent, recent$weekly, parts,
      recent$contested)
  }
  if (NROW(apart) > data_limits$apart_few * nrow(pairs)) {
    reduced$blend <- blend_without(origin, reduced, apart)
  }
  # What was left out of months is known once they are read.
  left_out <- origin$left_out()

  first_of <- function(texts) if (dated) list(first = as.IDate(texts$first))
  new_summary(queries = setDT(c(list(query = queries$names, key = queries$keys, segment = segment),
    first_of(queries))),
    pages = setDT(c(list(page = reduced$pages$names, key = reduced$pages$keys),
      first_of(reduced$pages))),
    cells = reduced$all, recent_cells = reduced$recent, pairs = pairs, contested = recent$contested,
    weekly = recent$weekly, parts = parts, split = split, split_cells = reduced$split_cells,
    by_day = reduced$by_day, odd_days = odd, missing = by_clicks, apart = apart,
    blend = if (weekly) reduced$blend,
    course = reduced$course,
    site_by_day = site_totals(origin$totals, "date", tbl),
    site_by_page = site_totals(origin$totals, "page", tbl),
    window = list(from = tbl$from, to = tbl$to, days = days, dated = dated,
      assumed = is.na(tbl$days)),
    recent = recent_window(recent_from, tbl$to, if (whole) days, reduced$by_day, tbl$each),
    grain = grain_label(tbl$dimensions), rests_on = tbl$rests_on,
    of_pages = isTRUE(data$of_pages),
    unused = setdiff(origin$grains, grain_label(tbl$dimensions)),
    folded = reduced$pages$spellings - length(reduced$pages$names),
    moves = if (nrow(moves)) {
      data.table(old = reduced$pages$names[moves$old], new = reduced$pages$names[moves$new],
        queries = moves$queries, day = moves$day, announced = moves$announced)
    },
    brand = known$words,
    spellings = known$added, sources = data$sources,
    left_out = left_out[left_out$grain == grain_label(tbl$dimensions)])
}

# As many last days findings, and the curve of a comparison, rest on where nobody says otherwise.
usual_days <- 90

# The one constructor: what is not given is not known, and is as the class has it then.
new_summary <- function(queries, pages, cells, recent_cells = cells,
    pairs = reduce_pairs(recent_cells), contested = NULL, weekly = NULL, parts = list(),
    split = NULL,
    split_cells = NULL, by_day = NULL, odd_days = NULL, missing = NULL, apart = NULL, blend = NULL,
    course = NULL,
    site_by_day = NULL, site_by_page = NULL, window,
    recent = c(window[c("from", "to", "days")], list(with_data = window$days)), grain,
    rests_on = NULL, of_pages = FALSE, unused = character(), folded = 0L, moves = NULL,
    brand = NULL, spellings = NULL, sources,
    left_out) {
  validate_summary(structure(as.list(environment()), class = c("tide_summary", "tide_result")))
}

# Codes of cells and pairs are rows of the queries and pages.
validate_summary <- function(x) {
  for (part in c("cells", "recent_cells", "pairs")) {
    inside <- nrow(x[[part]]) == 0 || (min(x[[part]]$query, x[[part]]$page) > 0 &&
      max(x[[part]]$query) <= nrow(x$queries) && max(x[[part]]$page) <= nrow(x$pages))
    if (!inside) {
      stop(sprintf("internal error: `%s` of a summary names queries or pages that it does not hold",
        part))
    }
  }
  x
}

# What findings rest on. days: NULL where the window is counted from the first date there is (where
# dates are weeks, one may begin before it). with_data: those that have rows, by which clicks of 30
# days are worked out.
recent_window <- function(from, to, days, by_day, each = 1L) {
  if (is.null(by_day)) return(list(from = from, to = to, days = days, with_data = days))
  own <- by_day[by_day$date >= from & by_day$date <= to]
  if (is.null(days)) days <- as.integer(to - min(own$date)) + 1L
  list(from = from, to = to, days = days, with_data = days_counted(own, days, each))
}

# A day without rows is missing where days have so many impressions that none is no chance; dates
# that are weeks or months have all their days.
days_counted <- function(by_day, days, each = 1L) {
  if (isTRUE(each > 1L) || mean(by_day$impressions) < surely_shown) return(days)
  min(days, nrow(by_day))
}

# Sums by week, its first day, of the recent days of queries that several pages answer.
contested_weeks <- function(summary, code, pages = NULL) {
  # Rows are chosen outside the brackets: inside them, names of columns would win over ours.
  use <-
    which(summary$contested$query == code & (is.null(pages) | summary$contested$page %in% pages))
  if (!length(use)) return(NULL)
  days <- summary$contested[use]
  reduce_by(cbind(days, week = period_start(days$date, summary$recent$to, 7L)), c("page", "week"))
}

# Site or page totals from a table without queries: private queries are missing from tables with
# them.
site_totals <- function(data, by, query_table) {
  tbl <- pick_table(data, by, refused = c(no_totals, if (by == "date") "page"))
  if (is.null(tbl)) return(NULL)
  rows <- tbl$rows
  if (!is.na(query_table$from) && "date" %in% tbl$dimensions) {
    rows <- rows[rows$date >= query_table$from & rows$date <= query_table$to]
  }
  if (by == "date") return(reduce_by(rows, "date"))
  reduce_pages(rows)
}

#' @rdname tide_summary
#' @param x,object A `tide_summary` object.
#' @param ... Not used.
#' @export
tidy.tide_summary <- function(x, ...) {
  pairs <- x$pairs
  tibble::as_tibble(data.table(query = x$queries$query[pairs$query],
    page = x$pages$page[pairs$page], segment = x$queries$segment[pairs$query],
    pairs[, c("clicks", "impressions", "ctr", "position")]))
}

#' @rdname tide_summary
#' @export
summary.tide_summary <- function(object, ...) {
  coverage <- query_coverage(object)
  tibble::as_tibble(data.table(queries = nrow(object$queries), pages = nrow(object$pages),
    total_row(object$pairs), from = object$recent$from, to = object$recent$to,
    days = object$recent$days, coverage = if (is.null(coverage)) NA_real_ else coverage$clicks))
}

#' @export
format.tide_summary <- function(x, ...) {
  span <- span_words(x$window)
  segments <- table(x$queries$segment)
  pages <- if (length(x$pages$page) == 1 && !nzchar(x$pages$page)) {
    "no pages"
  } else {
    sprintf("%s%s", format_plural(nrow(x$pages), "page"),
      if (x$folded > 0) {
        sprintf(" (%s of a URL folded)", format_plural(x$folded, "other spelling"))
      } else {
        ""
      })
  }
  c(
    sprintf("<tide_summary> %s, %s, %s", format_plural(nrow(x$queries), "query", "queries"), pages,
      format_plural(nrow(x$cells), "position cell")),
    sprintf("  window: %s", span),
    rests_on_lines(x),
    sprintf("  findings rest on: %s",
      if (x$window$dated) format_days(x$recent$from, x$recent$to) else "all of it"),
    sprintf("  segments: %s",
      paste(names(segments), format_count(as.vector(segments)), collapse = ", ")),
    spelling_line(x),
    coverage_line(x), moved_line(x),
    if (NROW(x$facts)) fact_lines(x$facts),
    left_out_day_lines(x$odd_days), missing_lines(x$missing),
    left_out_lines(x$left_out, summary_kept(x)),
    capped_lines(x$sources))
}

# As kept_by_grain() of data.
summary_kept <- function(x) {
  data.table(grain = x$grain, clicks = sum(x$cells$clicks), impressions = sum(x$cells$impressions))
}

# The days that all rests on, of a window as a summary has it.
span_words <- function(window) {
  days <- format_plural(window$days, "day")
  if (window$dated) return(sprintf("%s (%s)", format_days(window$from, window$to), days))
  sprintf("no dates; %s %s", if (window$assumed) {
    "taken as"
  } else if (is.na(window$from)) {
    "the filter says"
  } else {
    sprintf("the export stands for %s,", format_days(window$from, window$to))
  }, days)
}

spelling_line <- function(x) {
  added <- x$spellings
  if (!NROW(added)) return(character())
  sprintf("  also counted as brand: %s%s (%s, %s)",
    paste(utils::head(added$word, 5), collapse = ", "), if (nrow(added) > 5) ", ..." else "",
    format_plural(nrow(added), "spelling"), format_plural(sum(added$clicks), "click"))
}

moved_line <- function(x) {
  if (!NROW(x$moves)) return(character())
  many <- format_plural(nrow(x$moves), "address", "addresses")
  verb <- if (nrow(x$moves) == 1) "counts as its new one" else "count as their new ones"
  seen <- x$moves$day[!x$moves$announced]
  sprintf("  moved: %s %s%s", many, verb,
    if (length(seen)) sprintf(" (handed over from %s on)", format(min(seen) + 1)) else "")
}

coverage_line <- function(x) {
  share <- query_coverage(x)
  if (is.null(share)) return(character())
  parts <- format_share(c(share$clicks, share$impressions))
  sprintf("  queries explain %s of clicks and %s of impressions%s", parts[1], parts[2],
    if (all(parts == format_share(1))) "" else "; the rest is private")
}

# Share of the site's clicks and impressions that the query rows explain, over the days both hold.
query_coverage <- function(summary) {
  if (is.null(summary$site_by_day)) return(NULL)
  # Without dates, over the window that both are taken to have.
  if (is.null(summary$by_day)) {
    if (summary$window$assumed) return(NULL)
    return(list(clicks = sum(summary$pairs$clicks) / sum(summary$site_by_day$clicks),
      impressions = sum(summary$pairs$impressions) / sum(summary$site_by_day$impressions)))
  }
  both <- merge(summary$by_day, summary$site_by_day, by = "date", suffixes = c("", "_site"))
  if (!nrow(both)) return(NULL)
  list(clicks = sum(both$clicks) / sum(both$clicks_site),
    impressions = sum(both$impressions) / sum(both$impressions_site))
}
