#' Keep facts in the archive
#'
#' @param store A `tide_store` object.
#' @param facts A `tide_facts` object or a list of them.
#' @return `tide_keep_facts()`: a data.table with `by`, `date`, `rows` and `kept` (`FALSE` where
#'   the very same facts were held already). `tide_held_facts()`: a list of `tide_facts` objects,
#'   oldest first.
#' @section Errors: `tide_error_store`.
#' @seealso [tide_facts()], [tide_enrich()]
#' @examples
#' file <- tempfile(fileext = ".csv")
#' writeLines(c("query,volume", "radish spacing,900"), file)
#' store <- tide_store(tempfile("project"))
#' tide_keep_facts(store, tide_facts(file))
#' tide_held_facts(store)
#' @export
tide_keep_facts <- function(store, facts) {
  check_class(store, "tide_store", "store")
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

#' @rdname tide_keep_facts
#' @export
tide_held_facts <- function(store) {
  check_class(store, "tide_store", "store")
  held <- with_store(store, write = FALSE,
    function(con) DBI::dbGetQuery(con,
      "SELECT place, date, file, rows FROM facts ORDER BY date, id"))
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
