#' @rdname tide_pages_read
#' @export
tide_pages_read.tide_store <- function(sources, ...) {
  check_no_more(...)
  held <- stored_site_pages(sources)
  if (is.null(held)) {
    abort_store(sources$dir, "The archive holds no pages of the site.", "Read some and load them.",
      "pages of a folder or zip", "nothing_left")
  }
  held
}

# The pages stored last, or those of one reading, as a tide_pages object; NULL where there are none.
stored_site_pages <- function(store, id = NULL) {
  held <- with_store(store, write = FALSE, function(con) {
    if (is.null(id)) {
      DBI::dbGetQuery(con, "SELECT date, file, rows FROM facts WHERE place = 'site pages'
        ORDER BY date DESC, id DESC LIMIT 1")
    } else {
      DBI::dbGetQuery(con, "SELECT date, file, rows FROM facts WHERE id = ?", list(id))
    }
  })
  if (!nrow(held)) return(NULL)
  read <- parse_json(held$rows, simplify = TRUE)
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
    site = held$file,
    date = as.IDate(held$date)),
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
