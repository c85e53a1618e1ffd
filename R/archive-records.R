# Records beside the parts: one JSON file for each import, table of facts and set of decisions,
# written before the transaction that makes them known and given its final name after it. So a load
# that was killed leaves a record that still ends in .pending, and an index that was lost leaves
# records that it does not know.

records_folder <- function(store) file.path(store$dir, "records")

parts_folder <- function(store) file.path(store$dir, "parts")

record_path <- function(store, kind, number, pending = FALSE) {
  file.path(records_folder(store),
    sprintf("%s-%04d.json%s", kind, as.integer(number), if (pending) ".pending" else ""))
}

# kind: import, facts or decision. A record that is there already is replaced.
write_record <- function(store, kind, number, content) {
  text <- as.character(jsonlite::toJSON(content, dataframe = "columns", digits = NA, na = "null",
    null = "null", auto_unbox = FALSE))
  write_whole(record_path(store, kind, number, pending = TRUE),
    function(path) write_lines(text, path))
}

list_records <- function(store, pending = FALSE) {
  files <- list.files(records_folder(store),
    sprintf("^(import|facts|decision)-[0-9]+[.]json%s$", if (pending) "[.]pending" else ""))
  data.table(file = files, kind = sub("-.*", "", files),
    number = as.integer(gsub("[^0-9]", "", files)))
}

# Under the lock, so that nobody else is writing: pending records that the index knows are finished;
# those that it does not know are what a killed process left, and go with their parts. Anything else
# that the index does not know is a sign that the index is not the one that belongs to the parts.
resolve_records <- function(store, con) {
  pending <- list_records(store, pending = TRUE)
  known <- known_numbers(con)
  known_names <- unlist(Map(paste, names(known), known))
  for (i in seq_len(nrow(pending))) {
    path <- file.path(records_folder(store), pending$file[i])
    if (!pending$number[i] %in% known[[pending$kind[i]]]) next
    if (pending$kind[i] == "import") record_import(store, con, pending$number[i])
  }
  final <- list_records(store)
  lost <- final[!paste(final$kind, final$number) %in% known_names]
  parts <- setdiff(list.files(parts_folder(store), all.files = TRUE, no.. = TRUE), known_parts(con))
  begun <- pending$number[pending$kind == "import"]
  killed <- startsWith(parts, ".inktide-") | part_import(parts) %in% begun
  if (nrow(lost) || any(!killed)) abort_lost(store, c(lost$file, parts[!killed]))
  # The record goes last: it is what tells the parts of a killed load from lost ones.
  unlink(file.path(parts_folder(store), parts))
  gone <- !paste(pending$kind, pending$number) %in% known_names
  unlink(file.path(records_folder(store), pending$file[gone]))
}

part_import <- function(files) suppressWarnings(as.integer(sub("-.*", "", files)))

known_parts <- function(con) DBI::dbGetQuery(con, "SELECT file FROM parts")$file

known_numbers <- function(con) {
  numbers <- function(query) DBI::dbGetQuery(con, query)$n
  list(import = numbers("SELECT id AS n FROM imports"),
    facts = numbers("SELECT id AS n FROM facts"),
    decision = numbers("SELECT number AS n FROM decisions"))
}

# After the transaction.
finish_records <- function(store) {
  pending <- file.path(records_folder(store), list_records(store, pending = TRUE)$file)
  # Another process may have come before and done so.
  suppressWarnings(file.rename(pending, sub("[.]pending$", "", pending)))
}

# An index that is missing, or empty, beside parts or records that were finished.
check_lost <- function(store) {
  begun <- list_records(store, pending = TRUE)
  begun <- begun$number[begun$kind == "import"]
  parts <- list.files(parts_folder(store))
  left <- c(list_records(store)$file, parts[!part_import(parts) %in% begun])
  if (length(left)) abort_lost(store, left)
}

abort_lost <- function(store, left) {
  abort_store(store$dir, "The archive holds parts or records that its index does not know.",
    rebuild_fix, sprintf("%s, the first '%s'", format_plural(length(left), "file"), left[1]),
    "store_index")
}

# Records of all that an archive of an earlier format holds. Parts that no import knows come from
# loads that were killed.
record_all <- function(store, con) {
  imports <- DBI::dbGetQuery(con, "SELECT id FROM imports")$id
  if (length(imports)) {
    unlink(file.path(parts_folder(store),
      setdiff(list.files(parts_folder(store), all.files = TRUE, no.. = TRUE), known_parts(con))))
  }
  for (import in imports) record_import(store, con, import)
  record_rows(store, "facts", DBI::dbReadTable(con, "facts"))
  record_rows(store, "decision", DBI::dbReadTable(con, "decisions"))
}

# A record for each row of a table, whose first column is its number.
record_rows <- function(store, kind, rows) {
  for (i in seq_len(nrow(rows))) write_record(store, kind, rows[[1]][i], rows[i, ])
}

# An import as the index knows it.
record_import <- function(store, con, import) {
  column_of <- function(table, column) DBI::dbGetQuery(con,
    sprintf("SELECT * FROM %s WHERE %s = ?", table, column), list(import))
  write_record(store, "import", import, list(import = column_of("imports", "id"),
    parts = column_of("parts", "import"), days = column_of("days", "import"),
    changes = column_of("changes", "import")))
}
