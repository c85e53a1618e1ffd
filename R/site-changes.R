#' What changed on pages between readings
#'
#' Compares each stored reading of the site's pages with the one before it.
#'
#' @param store A `tide_store` object.
#' @return A tibble, the newest first: `page`, `date` (of the reading that shows it), `since` (of
#'   the reading before: the change was made between both), `field` (`title`, `description`,
#'   `heading`, `headings`, `canonical`, `noindex`, `words` where they grew or fell by a fifth, or
#'   `page` where the page is new or gone), `before`, `now`.
#' @section Errors: `tide_error_store`.
#' @seealso [tide_pages_read()]
#' @examplesIf requireNamespace("nanoparquet", quietly = TRUE)
#' store <- tide_store(tempfile("project"))
#' for (title in c("Kale", "Kale seeds by post")) {
#'   dir <- tempfile("pages")
#'   dir.create(dir)
#'   writeLines(sprintf("<html><head><title>%s</title></head><body><h1>Kale</h1></body></html>",
#'     title), file.path(dir, "index.html"))
#'   day <- if (title == "Kale") "2026-10-01" else "2026-11-01"
#'   tide_load(store, tide_pages_read(dir, "https://www.fernmoor.example/", date = day))
#' }
#' tide_page_changes(store)
#' @export
tide_page_changes <- function(store) {
  check_class(store, "tide_store", "store")
  none <- data.table(page = character(), date = as.IDate(character()),
    since = as.IDate(character()), field = character(), before = character(), now = character())
  stored <- read_index(store, "readings", function(con) {
    DBI::dbGetQuery(con, "SELECT id FROM facts WHERE place = 'site pages' ORDER BY date, id")$id
  })
  found <- list()
  before <- NULL
  for (id in stored) {
    now <- stored_site_pages(store, id)
    if (!is.null(before) && before$site == now$site) {
      found[[length(found) + 1L]] <- reading_changes(before, now)
    }
    before <- now
  }
  out <- rbindlist(c(list(none), found))
  tibble::as_tibble(setorderv(out, c("date", "page", "field"), c(-1L, 1L, 1L)))
}

reading_changes <- function(before, now) {
  old <- before$pages
  new <- now$pages
  text_row <- function(page, field, was, is) {
    data.table(page = page, date = rep(now$date, length(page)),
      since = rep(before$date, length(page)), field = rep_len(field, length(page)), before = was,
      now = is)
  }
  gone <- old$page[!old$key %in% new$key]
  come <- new$page[!new$key %in% old$key]
  at <- match(new$key, old$key)
  both <- which(!is.na(at))
  fields <- c("title", "description", "heading", "headings", "canonical", "noindex")
  changed <- lapply(fields, function(field) {
    was <- as.character(old[[field]][at[both]])
    is <- as.character(new[[field]][both])
    own <- which(was != is)
    text_row(new$page[both[own]], field, was[own], is[own])
  })
  was <- old$words[at[both]]
  is <- new$words[both]
  own <- which(abs(is - was) >= 0.2 * pmax(was, 20))
  words <- text_row(new$page[both[own]], "words", as.character(was[own]), as.character(is[own]))
  rbindlist(c(changed, list(words,
    text_row(gone, "page", rep("there", length(gone)), rep("", length(gone))),
    text_row(come, "page", rep("", length(come)), rep("there", length(come))))))
}

#' @rdname tide_pages_read
#' @export
tide_pages_read.tide_store <- function(sources, ...) {
  check_no_more(...)
  readings <- stored_site_pages(sources)
  if (is.null(readings)) {
    abort_store(sources$dir, "The archive holds no pages of the site.", "Read some and load them.",
      "pages of a folder or zip", "nothing_left")
  }
  readings
}

# The pages stored last, or those of one reading, as a tide_pages object; NULL where there are none.
stored_site_pages <- function(store, id = NULL) {
  stored <- if (is.null(id)) {
    read_index(store, "pages", function(con) DBI::dbGetQuery(con,
      "SELECT date, file, rows FROM facts WHERE place = 'site pages'
        ORDER BY date DESC, id DESC LIMIT 1"))
  } else {
    with_store(store, write = FALSE, function(con) DBI::dbGetQuery(con,
      "SELECT date, file, rows FROM facts WHERE id = ?", list(id)))
  }
  if (!nrow(stored)) return(NULL)
  read <- parse_json(stored$rows, simplify = TRUE)
  columns <- function(of) setDT(lapply(read[[of]], function(x) if (is.list(x)) unlist(x) else x))
  pages <- columns("pages")
  # Where none is known, JSON tells no type.
  set(pages, j = "depth", value = as.integer(pages$depth))
  structure(list(
    pages = pages,
    links = if (length(read$links$from)) columns("links") else no_links(),
    answers = if (length(read$answers$key)) columns("answers") else no_answers(),
    left = sum(read$left),
    skipped = data.table(file = as.character(read$skipped$file),
      reason = as.character(read$skipped$reason)),
    site = stored$file,
    date = as.IDate(stored$date)),
    class = c("tide_pages", "tide_result"))
}

# Pages of which none links to another.
no_links <- function() {
  data.table(from = character(), to = character(), text = character(), main = logical())
}

# Titles and descriptions as facts, for all that looks at them.
page_facts <- function(pages) {
  if (is.null(pages)) return(NULL)
  own <- pages$pages
  rows <- data.table(name = own$page, title = ifelse(nzchar(own$title), own$title, NA_character_),
    description = ifelse(nzchar(own$description), own$description, NA_character_))
  structure(
    list(by = "page", rows = rows, date = pages$date, file = "pages of the site", twice = 0L),
    class = c("tide_facts", "tide_result"))
}
