#' What results pages show
#'
#' Reads a table of results pages that somebody looked at: which pages stand above for a query, with
#' which titles, and what else is shown there. It is never fetched.
#'
#' @param files Paths of delimited text files or workbooks with the columns `query` and `place` (1
#'   the first), and, where known, `address`, `title`, `features` (what the results page shows
#'   besides: `answer box, pictures, ads`, separated by commas) and `date` (as 2026-03-31; else the
#'   file's).
#' @return A `tide_results_pages` object: a list with `rows` (a data.table: `query`, `key` (its
#'   compared form), `date`, `place`, `address`, `title`, `format` (of the title: `list`, `how-to`,
#'   `question`, `comparison`, `review`, `shop`, `guide` or `other`)) and `features` (`key`,
#'   `feature`). Of several dates of a query the newest counts. Methods: `print`, `format`, `tidy`,
#'   `summary` (a row for each query: `query`, `date`, `results`, `format` that most titles share,
#'   `alike` (how many do), `features`).
#' @section Errors: `tide_error_file`, `tide_error_columns_missing`, `tide_error_layout`,
#'   `tide_error_not_date`; `tide_error_not_number` with the line of a place that is none.
#' @seealso [tide_find()], which explains with it what is clicked less than expected.
#' @examples
#' file <- tempfile(fileext = ".csv")
#' writeLines(c("query,place,address,title,features",
#'   "radish spacing,1,https://one.example/a,7 rules of radish spacing,answer box",
#'   "radish spacing,2,https://two.example/b,10 tips for radishes,"), file)
#' results <- tide_results_pages(file)
#' summary(results)
#' summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
#' found <- tide_find(summary, results_pages = results)
#' @export
tide_results_pages <- function(files) {
  check_text(files, "files", many = TRUE)
  rows <- rbindlist(lapply(files, read_results_page))
  latest <- stats::ave(as.integer(rows$date), rows$key, FUN = max)
  rows <- rows[which(as.integer(rows$date) == latest)]
  parts <- strsplit(tolower(rows$features), "\\s*[,;|]\\s*")
  features <- unique(setDT(list(key = rep(rows$key, lengths(parts)),
    feature = trimws(as.character(unlist(parts))))))
  # A row without a place is there for its features alone.
  rows <- rows[!is.na(rows$place)]
  setorderv(rows, c("key", "place"))
  structure(list(rows = rows[, !"features"], features = features[nzchar(features$feature)]),
    class = c("tide_results_pages", "tide_result"))
}

results_page_spellings <- function() {
  list(
    query = column_spellings$query,
    place = c("place", "position", "rank", "pos", "platz", "rang", "posicion", "posizione",
      "positie"),
    address = c("address", "url", "page", "link", "adresse", "seite", "direccion", "pagina"),
    title = fact_spellings$title,
    features = c("features", "feature", "boxes", "shows", "merkmale", "elements"),
    date = column_spellings$date)
}

read_results_page <- function(file) {
  scratch <- new_scratch()
  on.exit(unlink(scratch, recursive = TRUE))
  tbl <- named_table(file, scratch, results_page_spellings(), c("query", "place"),
    "results pages", "query,place,address,title,features")
  if (is.null(tbl)) abort_no_table("The file holds no rows.", file, "Fill it in.")
  text_of <- tbl$text
  place <- tbl$place
  spot <- suppressWarnings(as.numeric(text_of("place")))
  bad <- which(nzchar(text_of("place")) & (is.na(spot) | spot < 1))
  if (length(bad)) {
    abort_cells(bad, text_of("place"), "place", place, "Not a place",
      "Write 1 for the first result; leave it empty for features alone.", "not_number")
  }
  on_day <- rep(as.IDate(as.Date(file.mtime(file), tz = "UTC")), tbl$many)
  dated <- which(nzchar(text_of("date")))
  if (length(dated)) on_day[dated] <- parse_date(text_of("date")[dated], place, rows = dated)
  query <- text_of("query")
  rows <- setDT(list(query = query, key = query_key(query), date = on_day, place = spot,
    address = text_of("address"), title = text_of("title"), format = title_format(text_of("title")),
    features = text_of("features")))
  asked <- which(nzchar(query))
  rows[asked]
}

# What kind of page a title promises; the first that fits.
title_formats <- c(
  list = paste0(
    "^\\d+ |\\b(top|best) \\d+\\b|\\b\\d+ (of the )?(best|ways|tips|ideas|things|steps|",
    "reasons|rules|mistakes|kinds|types|varieties)\\b"),
  comparison = "\\b(vs\\.?|versus|compared|comparison|difference between)\\b",
  review = "\\b(review|reviews|reviewed|rated|tested)\\b",
  `how-to` = "\\bhow to\\b|\\bstep[ -]by[ -]step\\b",
  question = "^(what|why|when|which|who|where|is|are|can|does|do|how)\\b|\\?$",
  shop = "\\b(buy|price|prices|shop|sale|order|cheap|online|delivery)\\b|[\u00a3\u20ac$]\\s?\\d",
  guide = "\\b(guide|tutorial|beginner|beginners|growing|explained)\\b")

title_format <- function(titles) {
  out <- rep("other", length(titles))
  for (how_written in rev(names(title_formats))) {
    out[grepl(title_formats[[how_written]], tolower(titles), perl = TRUE)] <- how_written
  }
  out
}

# The format that most of a query's titles share: data.table(key, format, alike, results).
shared_formats <- function(rows) {
  known <- rows[nzchar(rows$title)]
  counts <- known[, .(alike = .N), by = c("key", "format")]
  setorderv(counts, c("key", "alike", "format"), c(1L, -1L, 1L))
  out <- counts[!duplicated(counts$key)]
  results <- known[, .(results = .N), by = "key"]
  out[results, on = "key"]
}

#' @rdname tide_results_pages
#' @param x,object A `tide_results_pages` object.
#' @param ... Not used.
#' @export
tidy.tide_results_pages <- function(x, ...) tibble::as_tibble(x$rows)

#' @rdname tide_results_pages
#' @export
summary.tide_results_pages <- function(object, ...) {
  keys <- unique(c(object$rows$key, object$features$key))
  shared <- shared_formats(object$rows)
  at <- match(keys, object$rows$key)
  shown <-
    tapply(object$features$feature, factor(object$features$key, keys), paste, collapse = ", ")
  tibble::tibble(query = fcoalesce(object$rows$query[at], keys), date = object$rows$date[at],
    results = tabulate(match(object$rows$key, keys), length(keys)),
    format = shared$format[match(keys, shared$key)], alike = shared$alike[match(keys, shared$key)],
    features = fcoalesce(as.character(shown), ""))
}

#' @export
format.tide_results_pages <- function(x, ...) {
  at <- summary(x)
  c(sprintf("<tide_results_pages> %s", format_plural(nrow(at), "query", "queries")),
    sprintf("  %s: %s%s", at$query, results_page_words(x, query_key(at$query)), ""))
}

# "results page of 3 Sep 2026: answer box, ads; 7 of 10 titles are lists", "" where none is known.
results_page_words <- function(results, keys) {
  if (is.null(results)) return(rep("", length(keys)))
  shared <- shared_formats(results$rows)
  at <- match(keys, shared$key)
  alike <- !is.na(at) & shared$alike[at] >= 2 & 2 * shared$alike[at] >= shared$results[at] &
    shared$format[at] != "other"
  titles <- ifelse(alike, sprintf("%d of %s %s", shared$alike[at],
    format_plural(shared$results[at], "title"), format_said[shared$format[at]]),
    "")
  shown <- vapply(keys, function(asked) {
    paste(results$features$feature[results$features$key == asked], collapse = ", ")
  }, "", USE.NAMES = FALSE)
  on_day <- results$rows$date[match(keys, results$rows$key)]
  words_shown <-
    ifelse(nzchar(shown) & nzchar(titles), paste(shown, titles, sep = "; "), paste0(shown, titles))
  ifelse(nzchar(words_shown),
    sprintf("Results page%s: %s.", ifelse(is.na(on_day), "", paste(" of", format_day(on_day))),
      words_shown),
    "")
}

format_said <- c(list = "are lists", `how-to` = "say how to", question = "are questions",
  comparison = "compare", review = "are reviews", shop = "sell", guide = "are guides",
  other = "are of no one kind")

# The results page of a query, a line for each place; `own`: the site's pages for it, which are
# marked.
results_page_lines <- function(results, asked, own, width) {
  rows <- results$rows[results$rows$key == asked]
  features <- results$features$feature[results$features$key == asked]
  if (!NROW(rows) && !length(features)) return(NULL)
  mine <- page_key(rows$address) %in% page_key(own)
  host <- sub("^[a-z]+://(www[.])?([^/]*).*$", "\\2", rows$address)
  free <- max(20, width - 40)
  words_shown <- results_page_words(results, asked)
  c(
    "",
    if (nzchar(words_shown)) words_shown,
    sub(" +$", "", sprintf("%3.0f%s %s %s %s", rows$place, ifelse(mine, "*", " "),
      fit_text(rows$title, free), fit_text(rows$format, 10), fit_text(host, 22))),
    if (any(mine)) "* this site")
}

# What features of results pages take, for people.
feature_lines <- function(features) {
  sprintf("  results pages with %s: %s, CTR x%.2f at equal position (%.2f to %.2f)%s",
    features$feature, format_plural(features$queries, "query", "queries"), features$ratio,
    features$ratio_low, features$ratio_high,
    ifelse(features$used, ": expected CTR is lowered", ": no clear effect, not used"))
}
