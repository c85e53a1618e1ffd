# Addresses that hand over: after a move of the site an old address is seen no more, and a new one
# has its queries from that day on; or a table of moves or a redirect says so. Both are one page,
# which the new one stands for.

# In: what is announced (new addresses named by old ones, a `tide_pages` object, or a list of both),
# the keys of the pages of the data. Out: data.table(old, new: codes of pages), chains followed.
announced_moves <- function(announced, keys) {
  if (inherits(announced, "tide_pages") || !is.list(announced)) announced <- list(announced)
  named <- do.call(c, unname(lapply(announced, function(one) {
    if (!inherits(one, "tide_pages")) return(check_moves(one))
    leads <- one$answers[nzchar(one$answers$location) & nzchar(one$answers$final)]
    # What is gone is often sent home, which answers none of its queries.
    leads <- leads[nzchar(sub("^[^/]*/?", "", page_key(leads$final)))]
    stats::setNames(leads$final, leads$address)
  })))
  named <- named[!duplicated(names(named))]
  if (!length(named)) return(data.table(old = integer(), new = integer()))
  old <- known_page_keys(names(named), keys)
  new <- known_page_keys(unname(named), keys)
  last <- new
  for (turn in seq_along(new)) {
    at <- match(last, old)
    if (all(is.na(at) | new[at] == last)) break
    last <- fcoalesce(new[at], last)
  }
  if (any(last %in% old[old != new])) {
    abort_tide("Addresses that moved lead in a circle.",
      where = paste(names(named)[last %in% old[old != new]], collapse = ", "),
      fix = "Name for each old address where it went in the end.", class = "argument",
      fault = "call")
  }
  moves <- data.table(old = match(old, keys), new = match(last, keys))
  unique(moves[!is.na(moves$old) & !is.na(moves$new) & moves$old != moves$new], by = "old")
}

check_moves <- function(moves) {
  check_text(moves, "moves", null = TRUE, many = TRUE)
  if (length(moves) && (is.null(names(moves)) || !all(nzchar(names(moves))))) {
    abort_argument("moves", "new addresses named by the old ones, or pages that were read", moves)
  }
  moves
}

# All moves: what is announced goes before what the days show. Out: as handed_over(), with whether
# it was `announced`.
page_moves <- function(announced, seen, pairs, keys) {
  told <- announced_moves(announced, keys)
  # What only the days show must not lead back.
  seen <- seen[!seen$old %in% told$old & !seen$new %in% told$old]
  if (nrow(told)) {
    taken <- unique(pairs[, c("query", "page")])
    set(told, j = c("queries", "day"),
      value = list(tabulate(taken$page, length(keys))[told$old], as.IDate(NA)))
  }
  rbind(set(told, j = "announced", value = rep(TRUE, nrow(told))),
    set(copy(seen), j = "announced", value = rep(FALSE, nrow(seen))), fill = TRUE)
}

# In: days of queries that several pages answer, all pairs, and the last day. Out: data.table(old,
# new: codes of pages; queries: how many were taken over; day: the last of the old one).
handed_over <- function(days, all_pairs, last) {
  none <- data.table(old = integer(), new = integer(), queries = integer(),
    day = as.IDate(integer()))
  if (is.null(days) || !nrow(days)) return(none)
  ends <- days[, .(page_ends = max(date)), by = "page"]
  gone <- ends[ends$page_ends <= last - data_limits$moved_days]
  if (!nrow(gone)) return(none)
  pairs <- days[, .(first = min(date), ends = max(date), impressions = sum(impressions)),
    by = c("query", "page")]
  old <- pairs[gone, on = "page"]
  new <- pairs[!pairs$page %in% gone$page | pairs$first > min(gone$page_ends), ]
  both <- merge(old, new, by = "query", suffixes = c("", "_new"), allow.cartesian = TRUE)
  both <- both[both$page != both$page_new]
  # Most of what the query has besides is the new one's.
  besides <- sums_by(new, "query", "impressions")
  share <- both$impressions_new / besides$impressions[match(both$query, besides$query)]
  both <- both[share >= data_limits$moved_share]
  # The new one begins when the old one of the query ends, give or take.
  apart <- as.integer(both$first_new) - as.integer(both$ends)
  near <- both[abs(apart) <= data_limits$moved_within & both$ends_new > both$page_ends]
  if (!nrow(near)) return(none)
  taken <- near[, .(queries = .N, impressions = sum(impressions), day = page_ends[1]),
    by = c("page", "page_new")]
  shown <- sums_by(all_pairs[all_pairs$page %in% taken$page], "page", "impressions")
  set(taken, j = "of", value = shown$impressions[match(taken$page, shown$page)])
  setorderv(taken, c("page", "impressions", "page_new"), c(1L, -1L, 1L))
  taken <- taken[!duplicated(taken$page)]
  taken <- taken[taken$impressions >= data_limits$moved_share * taken$of]
  taken[, .(old = page, new = page_new, queries, day)]
}

# Which page each code is now; what handed over more than once goes on to the last. An old page is
# seen no more when its new one goes on, so none leads back.
pages_now <- function(moves, pages) {
  now <- seq_len(pages)
  now[moves$old] <- moves$new
  for (turn in 1:5) now <- now[now]
  now
}

# Everything that stands in codes of pages, with pages as they are now. whole: of tables with
# missing rows, else NULL. Out: list(reduced, recent, parts, whole).
fold_moves <- function(reduced, recent, parts, whole, moves) {
  now <- pages_now(moves, length(reduced$pages$keys))
  by_bin <- c("query", "page", "bin")
  folded <- function(cells) key_cells(fold_sums(cells, now, by_bin))
  reduced[c("all", "recent")] <- lapply(reduced[c("all", "recent")], folded)
  if (!is.null(reduced$split_cells)) {
    reduced$split_cells <- fold_sums(reduced$split_cells, now, c("part", by_bin))
  }
  times <- c(contested = "date", weekly = "week")
  for (part in names(times)[lengths(recent[names(times)]) > 0]) {
    keyed_by <- c("query", "page", times[[part]])
    sums <- add_ratios(fold_sums(recent[[part]], now, keyed_by))
    recent[[part]] <- setkeyv(set(sums, j = "weighted", value = NULL), keyed_by)
  }
  # A page is as old as the oldest of its addresses.
  if (!is.null(reduced$pages[["first"]])) {
    earliest <- tapply(reduced$pages$first, now, min)
    reduced$pages$first[as.integer(names(earliest))] <- as.vector(earliest)
  }
  parts <- lapply(parts, function(own) {
    own[c("all", "recent")] <- lapply(own[c("all", "recent")], function(cells) {
      cells_with_places(fold_sums(cells, now, c(by_bin, "part")))
    })
    own
  })
  list(reduced = reduced, recent = recent, parts = parts, whole = lapply(whole, folded))
}

fold_sums <- function(sums, now, by) {
  sums <- copy(sums)
  if (is.null(sums[["weighted"]])) {
    set(sums, j = "weighted", value = sums$impressions * sums$position)
  }
  set(sums, j = "page", value = now[sums$page])
  sums_by(sums, by, intersect(c("clicks", "impressions", "weighted", "rows"), names(sums)))
}
