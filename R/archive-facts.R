# Facts of queries and pages in the archive.

# Out: a row per table: by, date, rows, and kept (FALSE where the very same facts are stored).
keep_facts <- function(store, facts) {
  facts <- as_facts(facts)
  with_store(store, write = TRUE, function(con) {
    rbindlist(lapply(facts, function(own) {
      rows <- as.character(jsonlite::toJSON(as.data.frame(own$rows), dataframe = "columns",
        na = "null", digits = NA))
      content <- digest::digest(list(own$by, own$date, rows), algo = "xxhash64")
      held <- DBI::dbGetQuery(con, "SELECT count(*) AS n FROM facts WHERE content = ?",
        list(content))$n > 0
      if (!held) {
        DBI::dbExecute(con,
          "INSERT INTO facts (place, date, file, rows, content) VALUES (?, ?, ?, ?, ?)",
          list(own$by, format(own$date), basename(own$file), rows, content))
        record_rows(store, "facts",
          DBI::dbGetQuery(con, "SELECT * FROM facts WHERE content = ?", list(content)))
      }
      data.table(by = own$by, date = own$date, rows = nrow(own$rows), kept = !held)
    }))
  })
}

# What the site's own pages say, among the facts: one row holds all pages of one reading.
keep_site_pages <- function(store, pages) {
  rows <- as.character(jsonlite::toJSON(list(pages = as.data.frame(pages$pages),
    links = as.data.frame(pages$links), skipped = as.data.frame(pages$skipped),
    answers = as.data.frame(pages$answers), left = pages$left),
    dataframe = "columns", na = "null", digits = NA))
  content <- digest::digest(list(pages$site, pages$date, rows), algo = "xxhash64")
  with_store(store, write = TRUE, function(con) {
    held <-
      DBI::dbGetQuery(con, "SELECT count(*) AS n FROM facts WHERE content = ?", list(content))$n > 0
    if (!held) {
      DBI::dbExecute(con,
        "INSERT INTO facts (place, date, file, rows, content) VALUES ('site pages', ?, ?, ?, ?)",
        list(format(pages$date), pages$site, rows, content))
      record_rows(store, "facts",
        DBI::dbGetQuery(con, "SELECT * FROM facts WHERE content = ?", list(content)))
    }
    data.table(by = "page", date = pages$date, rows = nrow(pages$pages), kept = !held)
  })
}

#' @export
tide_facts.tide_store <- function(files, ...) {
  check_no_more(...)
  store <- files
  held <- with_store(store, write = FALSE,
    function(con) DBI::dbGetQuery(con, paste(
      "SELECT place, date, file, rows FROM facts WHERE place IN ('query', 'page')",
      "ORDER BY date, id")))
  lapply(seq_len(nrow(held)), function(i) {
    rows <- lapply(jsonlite::fromJSON(held$rows[i], simplifyVector = FALSE), function(column) {
      column[vapply(column, is.null, NA)] <- NA
      unlist(column)
    })
    structure(list(by = held$place[i], rows = setDT(rows), date = as.IDate(held$date[i]),
      file = held$file[i], twice = 0L),
      class = "tide_facts")
  })
}
