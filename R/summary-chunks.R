# The reduction, chunk by chunk: each chunk of rows becomes cells in codes of its own, and two
# reductions are merged by the keys of their queries and pages. So memory follows the largest chunk
# and the answer, and never all rows.

# chunks: functions of the first day needed (or NULL) that give rows. recent_from: first recent day,
# NULL where all are. Out: list(queries, pages: names and keys by code; all, recent: cells; by_day;
# codes: of the rows, where there is but one chunk).
reduce_chunks <- function(chunks, recent_from, split = NULL) {
  several <- length(chunks) > 1
  # Like with like: two of one level become one of the next, so that each is merged a few times
  # only.
  waiting <- list()
  level <- integer()
  join_last <- function() {
    k <- length(waiting)
    waiting[[k - 1]] <<- merge_reduced(waiting[[k - 1]], waiting[[k]])
    waiting[[k]] <<- NULL
    level <<- c(level[seq_len(k - 2)], level[k - 1] + 1L)
  }
  for (chunk in chunks) {
    rows <- chunk()
    if (is.null(rows) || !nrow(rows)) next
    waiting[[length(waiting) + 1]] <- reduce_chunk(rows, recent_from, weigh = several, split)
    level <- c(level, 0L)
    while ((k <- length(level)) > 1 && level[k] == level[k - 1]) join_last()
  }
  while (length(waiting) > 1) join_last()
  reduced <- if (length(waiting)) waiting[[1]]
  if (is.null(reduced)) {
    abort_tide("No row is left after filtering.", where = "all months of the window",
      fix = "Loosen the filters.", class = "nothing_left")
  }
  reduced[c("all", "recent")] <- finish_cells(reduced$cells)
  if (several) {
    for (of in c("queries", "pages")) {
      reduced[[of]] <- c(heaviest_spellings(reduced[[of]]), reduced[[of]]["first"])
    }
  }
  reduced$cells <- NULL
  reduced
}

reduce_chunk <- function(rows, recent_from, weigh, split) {
  queries <- code_queries(rows$query, rows$impressions, weigh)
  pages <- code_pages_of(rows, weigh)
  work <- list(query = queries$code, page = pages$code, clicks = rows$clicks,
    impressions = rows$impressions, position = rows$position)
  if (!is.null(rows[["date"]])) {
    day <- as.integer(rows$date)
    queries$first <- .Call(least_by, day, queries$code, length(queries$keys))
    pages$first <- .Call(least_by, day, pages$code, length(pages$keys))
  }
  list(queries = queries, pages = pages, cells = reduce_cells(work, rows[["date"]], recent_from),
    split_cells = if (!is.null(split)) reduce_split(work, split_labels(rows, split)),
    by_day = if (!is.null(rows[["date"]])) reduce_by(rows, "date"),
    blend = if (!is.null(rows[["date"]])) blend_sums(work, rows$date),
    course = if (!is.null(rows[["date"]])) course_sums(work, rows$date, queries$keys, pages$keys),
    codes = if (!weigh) list(query = queries$code, page = pages$code))
}

# Two reductions as one: codes of both become codes of the keys that either has.
merge_reduced <- function(one, other) {
  union_keys <- function(of) sorted_texts(c(one[[of]]$keys, other[[of]]$keys))
  keys <- list(queries = union_keys("queries"), pages = union_keys("pages"))
  recode <- function(reduced, cells) {
    if (is.null(cells)) return(NULL)
    set(cells, j = "query", value = chmatch(reduced$queries$keys, keys$queries)[cells$query])
    set(cells, j = "page", value = chmatch(reduced$pages$keys, keys$pages)[cells$page])
    cells
  }
  cells <- function(part) {
    if (is.null(one$cells[[part]])) return(NULL)
    sums_by(rbind(recode(one, one$cells[[part]]), recode(other, other$cells[[part]])),
      c("query", "page", "bin"), c("clicks", "impressions", "weighted", "rows"))
  }
  texts <- function(of) list(
    keys = keys[[of]],
    weights = sums_by(rbind(one[[of]]$weights, other[[of]]$weights), c("key", "name", "spelt"),
      "weight"),
    first = if (!is.null(one[[of]]$first)) {
      pmin(one[[of]]$first[chmatch(keys[[of]], one[[of]]$keys)],
        other[[of]]$first[chmatch(keys[[of]], other[[of]]$keys)], na.rm = TRUE)
    })
  list(
    queries = texts("queries"),
    pages = texts("pages"),
    cells = list(all = cells("all"), recent = cells("recent")),
    split_cells = if (!is.null(one$split_cells)) {
      sum_split(rbind(recode(one, one$split_cells), recode(other, other$split_cells)))
    },
    by_day = if (!is.null(one$by_day)) reduce_by(rbind(one$by_day, other$by_day), "date"),
    blend = add_blend_sums(one$blend, other$blend),
    course = add_courses(one$course, other$course))
}

# How the reduction and what comes after it get at rows that are in chunks: list(reduce; of_queries:
# chunks that hold all recent rows of some queries, by code; of_days: those that hold some days).
chunk_access <- function(chunks) {
  list(reduce = function(recent_from, split) reduce_chunks(chunks, recent_from, split),
    of_queries = function(reduced, codes, from) chunks, of_days = function(days) chunks)
}

# Codes of rows in a reduction that is made; `of_levels`: where the levels of all chunks are the
# same, the code of each.
codes_of <- function(rows, reduced) {
  known <- reduced$of_levels
  if (!is.null(known)) {
    page <- if (is.null(rows[["page"]])) rep(1L, nrow(rows)) else known$page[as.integer(rows$page)]
    return(list(query = known$query[as.integer(rows$query)], page = page))
  }
  list(query = known_codes(rows$query, reduced$queries$keys, query_key),
    page = if (is.null(rows[["page"]])) {
      rep(1L, nrow(rows))
    } else {
      known_codes(rows$page, reduced$pages$keys, page_key)
    })
}

# What is needed of the recent days besides sums: `contested`, by day, of queries that more than one
# page is shown for, and `weekly`, of the pairs seen most, without the odd days. One chunk is in
# memory still; of several, those with recent days are gone through once more, for these queries
# alone.
recent_rows <- function(access, reduced, pairs, recent_from, last, odd = NULL) {
  several <- pairs[pairs$impressions >= 5, .N, by = "query"]
  several <- several$query[several$N > 1]
  often <- pairs_seen_most(pairs)
  flag <- function(codes) replace(logical(length(reduced$queries$keys)), codes, TRUE)
  contested <- flag(several)
  weighed <- flag(often$query)
  by_day <- begin_cells(NULL)
  by_week <- begin_cells(NULL)
  for (chunk in access$of_queries(reduced, union(several, often$query), recent_from)) {
    rows <- chunk(recent_from)
    if (is.null(rows) || !nrow(rows)) next
    codes <- first_given(reduced$codes, codes_of(rows, reduced))
    day <- as.integer(rows$date)
    recent <- day >= as.integer(recent_from)
    put <- function(sums, wanted, bin) {
      use <- which(wanted)
      put_cells(sums, c(lapply(codes, `[`, use), list(clicks = rows$clicks[use],
        impressions = rows$impressions[use], position = rows$position[use])),
        bin = bin[use])
    }
    put(by_day, contested[codes$query] & recent, day)
    # Whole weeks, counted back from the last day; 0: the days before the first.
    put(by_week, weighed[codes$query] & recent & !day %in% as.integer(odd),
      as.integer(last - recent_from + 1) %/% 7L - (as.integer(last) - day) %/% 7L)
  }
  days <- binned_cells(by_day, "date")
  weekly <- binned_cells(by_week, "week")
  set(days, j = "date", value = as.IDate(days$date))
  list(contested = setkeyv(days, c("query", "page", "date")),
    weekly = if (nrow(weekly)) {
      setkeyv(weekly[among_pairs(weekly, often)], c("query", "page", "week"))
    })
}

# Sums whose bins are days or weeks.
binned_cells <- function(sums, bin) {
  cells <- end_cells(sums)$all
  setnames(cells, "bin", bin)
  add_ratios(cells)
  set(cells, j = c("weighted", "rows"), value = NULL)
  cells[]
}

# Pairs whose course by week can tell something.
pairs_seen_most <- function(pairs, most = 20000L, least = 20) {
  often <- which(pairs$impressions >= least)
  if (length(often) > most) {
    often <-
      often[order(-pairs$impressions[often], pairs$query[often], pairs$page[often])[seq_len(most)]]
  }
  pairs[often, c("query", "page")]
}
