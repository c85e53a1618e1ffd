#' A brief for the writer
#'
#' The queries of a page that it does not say in title or heading, grouped into sections to write.
#'
#' @details Queries that share two words which mostly stand together are one section, after the
#'   words that most of them have (the page's subject) are set aside; a query that shares none is a
#'   section of its own. The heading is the query with the most impressions. Sections whose queries
#'   have fewer than 10 impressions together are left out.
#' @param words What [tide_page_words()] gives.
#' @param page Addresses or paths of pages; `NULL` takes all that lack something.
#' @param most Sections a page at most.
#' @return A tibble, a row a query, the sections with the most impressions first: `page`, `section`
#'   (number), `heading`, `query`, `impressions`, `position`, `in_text` (how often the text says
#'   it), `missing` (words that the page does not say).
#' @section Errors: `tide_error_argument` where a page was not read.
#' @seealso [tide_missing_words()]
#' @examples
#' dir <- tempfile("pages")
#' dir.create(file.path(dir, "guides", "how-to-grow-radish"), recursive = TRUE)
#' writeLines("<html><head><title>Radishes</title></head><body><h1>Radishes</h1></body></html>",
#'   file.path(dir, "guides", "how-to-grow-radish", "index.html"))
#' pages <- tide_pages_read(dir, "https://www.fernmoor.example/")
#' summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
#' tide_page_brief(tide_page_words(summary, pages))
#' @export
tide_page_brief <- function(words, page = NULL, most = 6) {
  needed <- c("query", "page", "impressions", "position", "in_title", "in_heading", "in_text",
    "missing")
  if (!is.data.frame(words) || !all(needed %in% names(words))) {
    abort_argument("words", "what tide_page_words() gives", words)
  }
  check_text(page, "page", null = TRUE, many = TRUE)
  check_number(most, "most", min = 1)
  rows <- setDT(as.data.frame(words))
  if (!is.null(page)) {
    keys <- page_key(rows$page)
    wanted <- known_page_keys(page, keys)
    if (!all(wanted %in% keys)) abort_argument("page", "a page that was read", page)
    rows <- rows[keys %in% wanted]
  }
  rows <- rows[rows$in_title == 0 & rows$in_heading == 0 & rows$position <= assumed("said_until")]
  none <- data.table(page = character(), section = integer(), heading = character(),
    query = character(), impressions = numeric(), position = numeric(), in_text = integer(),
    missing = character())
  parts <- lapply(split(rows, factor(rows$page, unique(rows$page))), page_sections, most = most)
  tibble::as_tibble(rbindlist(c(list(none), parts)))
}

page_sections <- function(rows, most) {
  idea <- shared_ideas(subject_aside(query_key(rows$query)))
  sums <- tapply(rows$impressions, idea, sum)
  sums <- sort(-sums[sums >= assumed("idea_impressions")])
  section <- match(idea, names(sums))
  setorderv(set(rows, j = "section", value = section), c("section", "impressions", "query"),
    c(1L, -1L, 1L))
  rows <- rows[which(rows$section <= most)]
  first <- rows$query[match(rows$section, rows$section)]
  data.table(page = rows$page, section = rows$section, heading = first, query = rows$query,
    impressions = rows$impressions, position = rows$position, in_text = rows$in_text,
    missing = rows$missing)
}

# Queries without the words that half of them share, where words are left.
subject_aside <- function(keys) {
  if (length(keys) < 3) return(keys)
  words <- plain_words(keys)
  counts <- table(unlist(lapply(words, unique)))
  subject <- names(counts)[counts > length(keys) / 2]
  short <- vapply(words, function(own) paste(setdiff(own, subject), collapse = " "), "")
  ifelse(nzchar(short), short, keys)
}
