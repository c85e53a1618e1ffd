# The one reduction. A source gives its rows chunk by chunk, or sums them up itself; either way sums
# by query, page and position cell come in codes of growing dictionaries, so that chunks add up in
# place and memory follows the answer, never the rows.

# source: see source-rows.R. recent_from: the first recent day, NULL where all are. Out:
# list(queries, pages: names, keys, spellings and first day by code; all, recent, split_cells:
# cells; by_day; blend, course: see sum-samples.R; dictionaries; codes: of the rows, where all are
# in one chunk).
reduce_source <- function(source, recent_from = NULL, split = NULL) {
  sums <- if (!is.null(source$sum_up)) source$sum_up(recent_from, split)
  if (is.null(sums)) sums <- sum_chunks(source, recent_from, split)
  if (is.null(sums)) {
    source$if_empty()
    abort_tide("No row is left after filtering.", where = "all rows of the window.",
      fix = "Loosen the filters.", class = "nothing_left")
  }
  reduced <- finish_sums(sums)
  if (!is.null(sums$samples)) reduced[c("blend", "course")] <- sums$samples(reduced)
  reduced
}

# NULL where no chunk has rows.
sum_chunks <- function(source, recent_from, split) {
  queries <- query_dictionary(source$levels$query)
  pages <- page_dictionary(source$levels$page)
  cells <- begin_cells(recent_from)
  days <- parts <- list()
  blend <- course <- codes <- NULL
  for (chunk in source$chunks) {
    rows <- chunk()
    if (is.null(rows) || !nrow(rows)) next
    work <- c(codes_in(queries, pages, rows), as.list(rows)[figure_names])
    put_cells(cells, work, rows[["date"]], recent_from)
    if (source$held) codes <- work[c("query", "page")]
    if (!is.null(split)) {
      parts[[length(parts) + 1]] <- reduce_split(work, split_labels(rows, split))
    }
    if (is.null(rows[["date"]])) next
    days[[length(days) + 1]] <- reduce_by(rows, "date")
    blend <- add_blend_sums(blend, blend_sums(work, rows$date))
    course <- add_courses(course, course_sums(work, rows$date, queries$keys, pages$keys))
  }
  if (!any(queries$weight > 0)) return(NULL)
  list(queries = queries, pages = pages, cells = end_cells(cells), parts = add_parts(parts),
    by_day = if (length(days) == 1) days[[1]] else if (length(days)) {
      reduce_by(rbindlist(days), "date")
    },
    blend = blend, course = course, codes = codes)
}

# Codes of rows while dictionaries grow: list(query, page).
codes_in <- function(queries, pages, rows, day = rows[["date"]]) {
  list(query = code_in(queries, rows$query, rows$impressions, day),
    page = code_in(pages, if (is.null(rows[["page"]])) no_page(rows) else rows$page,
      rows$impressions, day))
}

# Rows without pages are of one that has no name.
no_page <- function(rows) structure(rep(1L, nrow(rows)), levels = "", class = "factor")

add_parts <- function(parts) {
  if (length(parts) < 2) return(if (length(parts)) parts[[1]])
  sum_split(rbindlist(parts))
}

# Sums in codes that grew become sums in codes by the alphabet.
finish_sums <- function(sums) {
  place <- list(query = sort_codes(sums$queries), page = sort_codes(sums$pages))
  # Of one chunk the codes are in order already.
  place <- Filter(function(to) !identical(to, seq_along(to)), place)
  recode <- function(cells) {
    for (of in if (!is.null(cells)) names(place)) {
      set(cells, j = of, value = place[[of]][cells[[of]]])
    }
    cells
  }
  cells <- finish_cells(lapply(sums$cells, recode))
  codes <- sums$codes
  for (of in if (!is.null(codes)) names(place)) codes[[of]] <- place[[of]][codes[[of]]]
  list(queries = dictionary_texts(sums$queries), pages = dictionary_texts(sums$pages),
    all = cells$all, recent = cells$recent, split_cells = recode(sums$parts), by_day = sums$by_day,
    blend = sums$blend, course = sums$course,
    dictionaries = sums[c("queries", "pages")],
    codes = codes)
}

# Codes of rows in a reduction that is made.
codes_of <- function(rows, reduced) {
  known <- reduced$dictionaries
  list(query = known_codes(known$queries, rows$query),
    page = known_codes(known$pages, if (is.null(rows[["page"]])) no_page(rows) else rows$page))
}
