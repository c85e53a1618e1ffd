#' Add facts to queries and pages
#'
#' Joins search volumes, costs, trends to the queries and titles, conversions, values to the
#' pages of a summary. What has no match stays missing: it is not zero.
#'
#' @details Queries match in their compared form (case, spaces and Unicode folded), pages with all
#'   spellings of one address folded (with its parameters, where no page has them): in a table of
#'   sessions they add up. A `value` is taken for a total where it grows with the conversions, for
#'   that of each conversion where it does not; a column `value_each` says the latter. Where
#'   several tables give one fact, the one taken last counts.
#' @param summary A `tide_summary` object.
#' @param facts A `tide_facts` object or a list of them.
#' @param goals Where pages have several kinds of conversions: their weights, named by the columns
#'   of facts that count them, such as `c(orders = 1, sign_ups = 0.2)`; `conversions` is then
#'   their weighted sum.
#' @return `tide_enrich()`: the summary, its `queries` and `pages` with the facts as further
#'   columns, and `facts`, the match report: per table `file`, `by`, `date`, `facts` (rows),
#'   `matched`, `share` (of the impressions, those whose query or page has facts), `unmatched`
#'   (rows that nothing shown answers to), `nearest` (of those the nearest misses, as text),
#'   `unused` (columns that are kept but mean nothing here), `sessions_unmatched` (their share)
#'   and `largest` (the rows of most of them, as text), `value_read` (how the value was taken),
#'   `above_sessions` (pages with more conversions than sessions, which make no rate); and
#'   `not_shown` (`query`, `volume`: those that the site is not shown for, which a plan may name).
#'   Printing the summary shows it.
#' @examples
#' file <- tempfile(fileext = ".csv")
#' writeLines(c("query,volume", "radish spacing,900", "radish spacin,40"), file)
#' summary <- tide_enrich(tide_summary(tide_read(tide_example()[["pairs"]])), tide_facts(file))
#' summary$facts
#' summary$queries[!is.na(volume)]
#' writeLines(c("page,sessions,orders,sign_ups,value", "/guides/how-to-grow-radish/,400,6,20,90",
#'   "/guides/how-to-grow-radish/?ref=letter,40,1,2,15"), file)
#' weighed <- tide_enrich(summary, tide_facts(file, columns = c(orders = "orders")),
#'   goals = c(orders = 1, sign_ups = 0.2))
#' weighed$pages[!is.na(conversions), c("page", "sessions", "conversions", "value")]
#' @export
tide_enrich <- function(summary, facts, goals = NULL) {
  check_class(summary, "tide_summary", "summary")
  check_goals(goals)
  facts <- as_facts(facts)
  impressions <- reduce_pairs(summary$cells)[, c("query", "page", "impressions")]
  besides <- data.table(query = character(), volume = numeric())
  report <- lapply(facts, function(own) {
    tbl <- if (own$by == "query") "queries" else "pages"
    known <- summary[[tbl]]
    keys <- fact_keys(own, known$key)
    missed <- which(!keys %in% known$key)
    sessions <- unmatched_sessions(own, missed)
    own$rows <- sum_spellings(own$rows, keys)
    keys <- fact_keys(own, known$key)
    at <- match(known$key, keys)
    columns <- setdiff(names(own$rows), "name")
    known <- copy(known)
    for (column in columns) {
      new <- own$rows[[column]][at]
      old <- known[[column]]
      if (!is.null(old) && all(is.na(new))) next
      if (!is.null(old) && class(old)[1] != class(new)[1]) {
        old <- as.character(old)
        new <- as.character(new)
      }
      set(known, j = column, value = if (is.null(old)) new else fcoalesce(new, old))
    }
    summary[[tbl]] <<- known
    has <- !is.na(at)
    code <- impressions[[own$by]]
    missed <- setdiff(seq_len(nrow(own$rows)), at)
    if (own$by == "query" && is.numeric(own$rows[["volume"]])) {
      besides <<- rbind(besides, own$rows[missed, .(query = name, volume = as.numeric(volume))])
    }
    data.table(
      file = basename(own$file),
      by = own$by,
      date = own$date,
      facts = nrow(own$rows),
      matched = sum(has),
      share = sum(impressions$impressions[has[code]]) / sum(impressions$impressions),
      unmatched = length(missed),
      nearest = paste(near_misses(own$rows$name[missed], keys[missed], known$key), collapse = "; "),
      unused = paste(setdiff(unused_facts(own), names(goals)), collapse = ", "),
      sessions_unmatched = sessions$share,
      largest = sessions$largest,
      above_sessions = sum(own$rows[["conversions"]] > own$rows[["sessions"]], na.rm = TRUE))
  })
  total <- total_values(weigh_goals(summary$pages, goals))
  summary$pages <- total$pages
  report <- rbindlist(report)
  with_value <- vapply(facts, function(own) {
    own$by == "page" && any(c("value", "value_each") %in% names(own$rows))
  }, NA)
  set(report, j = "value_read", value = ifelse(with_value, total$read, ""))
  summary$facts <- report
  summary$not_shown <- unique(besides[!is.na(besides$volume)], by = "query", fromLast = TRUE)
  summary
}

# Compared forms of the names. A page may be given by its path alone, where `known` keys tell its
# host.
fact_keys <- function(facts, known) {
  if (facts$by == "query") return(name_key("query", facts$rows$name))
  known_page_keys(facts$rows$name, known)
}

# Keys of pages named by address or by path alone, as far as they are among those `known`.
known_page_keys <- function(names, known) {
  keys <- page_key(names)
  # Parameters that no page shown has say nothing of which page it is.
  marked <- which(grepl("?", keys, fixed = TRUE) & !keys %in% known)
  keys[marked] <- url_key(sub("[?].*$", "", clean_url(names[marked])))
  bare <- which(startsWith(names, "/"))
  if (length(bare)) {
    at <- match(keys[bare], sub("^[^/]*", "", known))
    keys[bare[!is.na(at)]] <- known[at[!is.na(at)]]
  }
  keys
}

# Of facts without a match, up to `most` whose key is within two letters of one that is shown: a
# typing error, perhaps.
near_misses <- function(names, keys, known, most = 3) {
  found <- character()
  for (i in utils::head(seq_along(keys), 500)) {
    similar <-
      known[abs(nchar(known) - nchar(keys[i])) <= 2 & startsWith(known, substr(keys[i], 1, 2))]
    if (!length(similar)) next
    edits <- as.vector(utils::adist(keys[i], similar))
    if (min(edits) <= 2) {
      found <- c(found, sprintf("'%s' (shown: '%s')", names[i], similar[which.min(edits)]))
    }
    if (length(found) == most) break
  }
  found
}

# The match report for people.
fact_lines <- function(report) {
  unlist(lapply(seq_len(nrow(report)), function(i) {
    at <- report[i]
    c(
      sprintf("  facts of '%s' (%s): %s of %s matched, %s of impressions have them", at$file,
        format(at$date), format_count(at$matched), format_plural(at$facts, "row"),
        format_share(at$share)),
      if (nzchar(at$nearest)) sprintf("    not matched, but near: %s", at$nearest),
      if (at$sessions_unmatched %in% 0 || is.na(at$sessions_unmatched)) {
        NULL
      } else {
        sprintf("    sessions without a match: %s; the largest: %s",
          format_share(at$sessions_unmatched), at$largest)
      },
      if (at$above_sessions) {
        sprintf("    more conversions than sessions on %s: left out of the rates",
          format_plural(at$above_sessions, "page"))
      },
      if (nzchar(at$value_read)) sprintf("    value is taken as %s", at$value_read),
      if (nzchar(at$unused)) paste0("  ", unused_line(at$unused)))
  }))
}

# Columns that facts added to queries or pages.
fact_columns <- function(table) {
  setdiff(names(table), c("query", "page", "key", "segment", "first"))
}

# Facts as columns behind rows that have a `query` or `page`; figures of the rows stay theirs.
join_facts <- function(rows, facts) {
  figures <- copy(names(rows))
  for (own in as_facts(facts)) {
    if (!own$by %in% names(rows)) next
    keys <- name_key(own$by, rows[[own$by]])
    at <- match(keys, fact_keys(own, keys))
    for (column in setdiff(names(own$rows), c("name", figures))) {
      new <- own$rows[[column]][at]
      # A newer table that does not know a fact leaves the older one.
      if (!is.null(rows[[column]])) new[is.na(new)] <- rows[[column]][is.na(new)]
      set(rows, j = column, value = new)
    }
  }
  rows[]
}
