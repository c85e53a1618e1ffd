# Facts of queries and pages in the archive.

# Out: a row per table: by, date, rows, and kept (FALSE where the very same facts are stored).
keep_facts <- function(store, facts) {
  with_store(store, write = TRUE, function(con) {
    rbindlist(lapply(as_facts(facts), function(own) {
      kept <- keep_fact(store, con, own$by, own$date, basename(own$file), as.data.frame(own$rows))
      data.table(by = own$by, date = own$date, rows = nrow(own$rows), kept = kept)
    }))
  })
}

# What the site's own pages say, among the facts: one row holds all pages of one reading.
keep_site_pages <- function(store, pages) {
  parts <- list(pages = as.data.frame(pages$pages), links = as.data.frame(pages$links),
    skipped = as.data.frame(pages$skipped), answers = as.data.frame(pages$answers),
    left = pages$left)
  kept <- with_store(store, write = TRUE,
    function(con) keep_fact(store, con, "site pages", pages$date, pages$site, parts))
  data.table(by = "page", date = pages$date, rows = nrow(pages$pages), kept = kept)
}

# What facts say, as it is stored.
fact_text <- function(said) {
  as.character(jsonlite::toJSON(said, dataframe = "columns", na = "null", digits = NA))
}

# One row of facts, in a transaction of the caller: what it is about, its day, where it came from,
# what it says. Out: whether it is new.
keep_fact <- function(store, con, place, date, file, said) {
  rows <- fact_text(said)
  content <- digest::digest(list(place, date, rows), algo = "xxhash64")
  same <- "SELECT * FROM facts WHERE content = ?"
  if (nrow(DBI::dbGetQuery(con, same, list(content)))) return(FALSE)
  DBI::dbExecute(con, "INSERT INTO facts (place, date, file, rows, content) VALUES (?, ?, ?, ?, ?)",
    list(place, format(date), file, rows, content))
  record_rows(store, "facts", DBI::dbGetQuery(con, same, list(content)))
  TRUE
}

#' @export
tide_facts.tide_store <- function(files, ...) {
  check_no_more(...)
  store <- files
  stored <- read_index(store, "facts",
    function(con) DBI::dbGetQuery(con, paste(
      "SELECT place, date, file, rows FROM facts WHERE place IN ('query', 'page')",
      "ORDER BY date, id")))
  lapply(seq_len(nrow(stored)), function(i) {
    rows <- lapply(parse_json(stored$rows[i]), function(column) {
      column[vapply(column, is.null, NA)] <- NA
      unlist(column)
    })
    structure(list(by = stored$place[i], rows = setDT(rows), date = as.IDate(stored$date[i]),
      file = stored$file[i], twice = 0L),
      class = c("tide_facts", "tide_result"))
  })
}
