# Conversions as pages' facts have them: several goals weighed into one, a value that is a total or
# one for each conversion, and several spellings of an address that one page has.

# Facts that are counts of what happened on a page: of its spellings they add up.
page_counts <- c("sessions", "conversions", "value")

# Rows of facts by page under the keys of pages: spellings of one page add up their counts (and what
# counts as well, such as a goal: whole numbers in a table of sessions), all else is the last row's.
sum_spellings <- function(rows, keys) {
  if (is.null(rows[["sessions"]]) || !anyDuplicated(keys)) return(rows)
  whole <- names(rows)[vapply(rows, function(x) {
    is.numeric(x) && all(x == round(x), na.rm = TRUE)
  }, NA)]
  counts <- union(intersect(page_counts, names(rows)), whole)
  out <- rows[!duplicated(keys, fromLast = TRUE)]
  at <- match(keys, keys[!duplicated(keys, fromLast = TRUE)])
  for (column in counts) {
    values <- rows[[column]]
    sums <- sum_codes(fcoalesce(as.numeric(values), 0), at, nrow(out))
    known <- tabulate(at[!is.na(values)], nrow(out)) > 0
    set(out, j = column, value = ifelse(known, sums, NA_real_))
  }
  out
}

# One number of conversions from several goals, each times its weight.
weigh_goals <- function(pages, goals) {
  if (!length(goals)) return(pages)
  # A column that is known by another name can be called as its header calls it.
  names(goals) <- vapply(names(goals), function(name) {
    known <- vapply(fact_spellings, function(own) squeeze_name(name) %in% own, NA)
    if (!name %in% names(pages) && any(known)) names(which(known))[1] else name
  }, "")
  unknown <- setdiff(names(goals), names(pages))
  if (length(unknown)) {
    abort_argument("goals", paste0("named as columns of facts by page: '",
      paste(fact_columns(pages), collapse = "', '"), "'"), unknown[1])
  }
  counts <- as.matrix(pages[, lapply(.SD, as.numeric), .SDcols = names(goals)])
  known <- rowSums(!is.na(counts)) > 0
  counts[is.na(counts)] <- 0
  weighed <- as.vector(counts %*% unlist(goals))
  set(pages, j = "conversions", value = ifelse(known, weighed, NA_real_))
}

# Goals are weights with names.
check_goals <- function(goals) {
  if (is.null(goals)) return(invisible())
  weight_of <- unlist(goals)
  if (is.null(names(weight_of)) || !is.numeric(weight_of) || anyNA(weight_of) ||
    any(weight_of < 0)) {
    abort_argument("goals", "weights of at least 0, named by columns of facts", goals)
  }
}

# A value for each conversion becomes a total, as all that follows takes it. Out: list(pages, read:
# how the value was taken, or "").
total_values <- function(pages) {
  conversions <- as.numeric(pages[["conversions"]])
  each <- pages[["value_each"]]
  if (!is.null(each) && is.null(pages[["value"]]) && length(conversions)) {
    set(pages, j = "value", value = as.numeric(each) * conversions)
    return(list(pages = pages, read = "for each conversion"))
  }
  if (is.null(pages[["value"]]) || !length(conversions)) return(list(pages = pages, read = ""))
  value <- as.numeric(pages$value)
  read <- value_reads(value, conversions)
  if (read == "for each conversion") set(pages, j = "value", value = value * conversions)
  list(pages = pages, read = read)
}

# Totals grow with the conversions, values of one do not: the slope of their logs is near 1 or 0.
# Too few pages, or pages with much the same number of conversions, tell nothing: totals then.
value_reads <- function(value, conversions, least = 5, spread = 0.3) {
  use <- which(value > 0 & conversions > 0)
  x <- log(conversions[use])
  if (length(use) < least || stats::sd(x) < spread) return("a total, as nothing tells otherwise")
  slope <- stats::cov(x, log(value[use])) / stats::var(x)
  if (slope < 0.5) "for each conversion" else "a total"
}

# Sessions of rows that no page shown answers to: list(share, largest: as text).
unmatched_sessions <- function(facts, missed, most = 3) {
  sessions <- facts$rows[["sessions"]]
  if (is.null(sessions) || !length(missed)) return(list(share = NA_real_, largest = ""))
  sessions <- fcoalesce(as.numeric(sessions), 0)
  own <- utils::head(missed[order(-sessions[missed])], most)
  list(share = sum(sessions[missed]) / sum(sessions),
    largest = paste(sprintf("'%s' (%s)", facts$rows$name[own], format_count(sessions[own])),
      collapse = ", "))
}
