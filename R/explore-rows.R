# Which rows of an explorer pass a stack of conditions, without looking at all of them where names
# or sums tell.

# Rows that pass, by number; NULL for all. What chooses few queries or pages goes first, by an index
# of their rows, so that the rest looks at those alone.
explored_rows <- function(explorer, segments, from, to) {
  rows <- explorer$rows
  use <- few_rows(explorer, segments)
  if (!is.null(rows[["date"]]) && (from > explorer$from || to < explorer$to)) {
    on_day <- some_rows(rows$date, use)
    use <- chosen(use, on_day >= from & on_day <= to)
  }
  rows_inside(explorer_seen(explorer), segments, use)
}

# An explorer's rows as rows_inside() looks at them: names that were tried are known.
explorer_seen <- function(explorer) {
  new_rows_seen(nrow(explorer$rows),
    coded = function(on) list(code = as.integer(explorer$rows[[on]])),
    figure = function(name) explorer$rows[[name]],
    pairs = function() explored_pairs(explorer), rules = explorer$rules,
    named = function(name, value, coded) name_hits(explorer, name, value))
}

# Which queries, pages or devices meet a condition: tried once on every name, and kept.
name_hits <- function(explorer, name, value) {
  condition <- segment_conditions[[name]]
  # Patterns are held against the names, everything else against the keys.
  name_texts <- switch(condition$on, query = if (condition$value == "pattern") {
    explorer$queries$names
  } else {
    as_key(explorer$queries$keys)
  },
    page = explorer$pages$names, levels(explorer$rows[[condition$on]]))
  if (is.null(name_texts)) {
    abort_tide(sprintf("The rows have no %s.", gsub("_", " ", condition$on)),
      where = sprintf("They are by %s.", grain_label(explorer$dimensions)),
      fix = "Export with this dimension, or leave the condition out.", class = "grain")
  }
  known <- explorer$known
  mark <- digest::digest(list(name, value))
  if (is.null(known[[mark]])) {
    # Listed names are looked up by their keys, which are there.
    known[[mark]] <- switch(name, queries = explorer$queries$keys %in% query_key(value),
      pages = explorer$pages$keys %in% page_key(value),
      condition$test(name_texts, value, explorer$rules) %in% TRUE)
  }
  known[[mark]]
}

# Rows below which an index is not worth its making; share of the rows that counts as few.
indexed_from <- 200000L

few_share <- 0.1

few_rows <- function(explorer, segments) {
  if (nrow(explorer$rows) < indexed_from) return(NULL)
  for (segment in segments) {
    on <- names_on(names(segment$conditions))
    if (segment$not || !all(on %in% c("query", "page"))) next
    for (name in names(on)) {
      index <- row_index(explorer, on[[name]])
      codes <- which(name_hits(explorer, name, segment$conditions[[name]]))
      many <- index$end[codes] - index$start[codes] + 1L
      if (sum(many) > few_share * nrow(explorer$rows)) next
      return(sort(index$order[sequence(many, index$start[codes])]))
    }
  }
}

# Rows in the order of their queries or pages, and where each begins and ends.
row_index <- function(explorer, on) {
  known <- explorer$known
  mark <- paste("index", on)
  if (is.null(known[[mark]])) {
    code <- explorer$rows[[on]]
    many <- tabulate(code, length(explorer[[c(query = "queries", page = "pages")[[on]]]]$names))
    last_at <- cumsum(many)
    known[[mark]] <- list(order = order(code, method = "radix"), start = last_at - many + 1L,
      end = last_at)
  }
  known[[mark]]
}

# The rows summed over what nobody asks for: days above all. What is asked then costs as much as
# there are pairs, not rows.
summed_explorer <- function(explorer, by, segments, whole) {
  if (nrow(explorer$rows) < indexed_from || !whole || by %in% times) return(explorer)
  on <- unlist(lapply(segments, conditions_on))
  kept <- setdiff(intersect(names(explorer$rows), c(by, on)), c("query", "page"))
  known <- explorer$known
  mark <- paste(c("summed", kept), collapse = " ")
  if (is.null(known[[mark]])) {
    summed <- explorer
    rows <- explorer$rows
    keys <- c("query", "page", kept)
    code <- .Call(pair_codes, rows$query, rows$page)
    for (other in kept) code <- .Call(pair_codes, code[[1]], rows[[other]])
    first <- code[[2]]
    figures <- intersect(c("clicks", "impressions", "weighted", "expected", "once_impressions",
      "once_weighted", "once_expected", "page_expected", "page_seen"), names(rows))
    summed$rows <- setDT(c(as.list(rows[first, keys, with = FALSE]),
      lapply(stats::setNames(figures, figures),
        function(of) sum_codes(rows[[of]], code[[1]], length(first)))))
    summed$known <- new.env(parent = emptyenv())
    known[[mark]] <- summed
  }
  known[[mark]]
}

explored_pairs <- function(explorer) {
  known <- explorer$known
  if (is.null(known$pairs)) known$pairs <- row_labels("pair", explorer, explorer$rules)
  known$pairs
}
