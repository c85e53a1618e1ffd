#' Load exports into the archive
#'
#' Reads files as [tide_read()] does and adds them to the archive in one
#' transaction. Loading the same files again changes nothing; a newer export of
#' the same days replaces their figures; an older one never does. Files loaded
#' together are one export: where they overlap, a row counts once, from the file
#' exported last.
#'
#' @param store A `tide_store` object.
#' @param files,exported,columns,date_order,clicks_above,progress As in [tide_read()].
#' @param now Time to write into the history.
#' @return `tide_load()`: a `tide_load` object, a list with `import` (its number,
#'   or `NA` where all was held already), `changes` (by table: the `days` it
#'   supplies, with `rows` and `clicks` now and `rows_before`, `clicks_before`),
#'   `sources` and `left_out`. `tide_undo()`: the store, invisibly.
#'   `tide_history()`: a tibble with a row per import and table: `import`, `at`,
#'   `files`, `exported`, `grain`, `rows`, `clicks`, `rows_before`,
#'   `clicks_before`, `undone`.
#' @param import Number of the import to undo: its days count from the export
#'   they counted from before.
#' @section Errors: those of [tide_read()], and `tide_error_store`.
#' @examplesIf requireNamespace("nanoparquet", quietly = TRUE)
#' store <- tide_store(tempfile("project"))
#' tide_load(store, tide_example()[["pairs"]])
#' tide_load(store, tide_example()[["pairs"]])
#' tide_history(store)
#' tide_undo(store, 1)
#' @export
tide_load <- function(store, files, exported = NULL, columns = NULL, date_order = NULL,
                      clicks_above = c("leave out", "keep", "refuse"), progress = NULL, now = Sys.time()) {
  check_class(store, "tide_store", "store")
  check_text(files, "files", many = TRUE)
  check_mapping(columns)
  need_parquet(store)
  how <- list(lag = 0, exported = check_date(exported, "exported"), dimensions = dimension_names, columns = columns,
    date_order = date_order,
    clicks_above = check_choice(clicks_above, names(clicks_above_rules), "clicks_above"))
  parts <- Filter(function(part) !is.null(part$rows), read_inputs(files, how, progress))
  tables <- lapply(split_by_grain(parts), newest_rows)
  content <- digest::digest(lapply(tables, function(table) table$rows), algo = "xxhash64")
  sources <- rbindlist(lapply(parts, `[[`, "source"), fill = TRUE)
  left_out <- sum_left_out(rbindlist(c(lapply(parts, `[[`, "left_out"), lapply(tables, `[[`, "left_out"))))

  with_store(store, write = TRUE, waiting = progress, function(con) {
    sweep_parts(con, store)
    result <- list(import = NA_integer_, changes = NULL, sources = sources, left_out = left_out)
    held <- DBI::dbGetQuery(con, "SELECT id FROM imports WHERE content = ? AND undone = 0", list(content))
    if (nrow(held)) return(structure(result, class = "tide_load"))
    import <- DBI::dbGetQuery(con, "SELECT coalesce(max(id), 0) + 1 AS id FROM imports")$id
    for (grain in names(tables)) {
      if (!is.null(progress)) progress(sprintf("Keeping %s", grain))
      add_table(con, store, import, grain, tables[[grain]]$rows)
    }
    # What the days that this import supplies held until now, grain by grain: figures of different grain never add up.
    changes <- DBI::dbGetQuery(con, "SELECT d.import, d.grain, count(*) AS days, sum(d.rows) AS rows, sum(d.clicks) AS clicks,
      coalesce(sum(c.rows), 0) AS rows_before, coalesce(sum(c.clicks), 0) AS clicks_before
      FROM days d LEFT JOIN current c ON c.grain = d.grain AND c.day = d.day WHERE d.import = ? GROUP BY d.grain", list(import))
    DBI::dbAppendTable(con, "changes", changes)
    DBI::dbExecute(con, "INSERT INTO imports (id, at, files, content, exported) VALUES (?, ?, ?, ?, ?)",
      list(import, format(now, "%Y-%m-%d %H:%M:%S", tz = "UTC"), paste(basename(unique(sources$file)), collapse = ", "),
        content,
        format(max(sources$exported))))
    result[c("import", "changes")] <- list(as.integer(import), setDT(changes))
    structure(result, class = "tide_load")
  })
}

# Part files by month, then what they hold. Undated tables are one slice: day 0.
add_table <- function(con, store, import, grain, rows) {
  dated <- "date" %in% names(rows)
  month <- if (dated) format(as.Date(rows$date), "%Y-%m") else rep("undated", nrow(rows))
  for (each in unique(month)) {
    name <- sprintf("%04d-%s-%s.parquet", as.integer(import), each,
      substr(digest::digest(list(import, grain, each, Sys.getpid())), 1, 8))
    path <- file.path(store$dir, "parts", name)
    part <- rows[month == each, !"exported"]
    for (column in names(part)) if (is.factor(part[[column]])) set(part, j = column, value = droplevels(part[[column]]))
    write_whole(path, function(to) write_part(part, to))
    DBI::dbExecute(con, "INSERT INTO parts VALUES (?, ?, ?, ?, ?, ?)",
      list(name, import, grain, each, nrow(part), unname(tools::md5sum(path))))
  }
  day <- if (dated) as.integer(rows$date) else rep(0L, nrow(rows))
  days <- data.table(day = day, exported = as.integer(rows$exported), clicks = rows$clicks,
    impressions = rows$impressions)[
    , .(exported = max(exported), rows = .N, clicks = sum(as.numeric(clicks)),
      impressions = sum(as.numeric(impressions))), by = "day"]
  DBI::dbAppendTable(con, "days", data.frame(import = import, grain = grain, days))
}

# What was written is read once more: a disk that ran full may not have said so.
write_part <- function(part, path) {
  nanoparquet::write_parquet(part, path, compression = "zstd")
  clicks <- tryCatch(nanoparquet::read_parquet(path, col_select = "clicks")$clicks, error = function(e) NULL)
  if (!identical(as.numeric(clicks), as.numeric(part$clicks))) stop("there is no room left")
}

# Part files that no import knows come from a load that was killed: the lock is ours, so nobody is writing them.
sweep_parts <- function(con, store) {
  known <- DBI::dbGetQuery(con, "SELECT file FROM parts")$file
  unlink(file.path(store$dir, "parts", setdiff(list.files(file.path(store$dir, "parts"), all.files = TRUE, no.. = TRUE),
    known)))
}

#' @rdname tide_load
#' @export
tide_undo <- function(store, import) {
  check_class(store, "tide_store", "store")
  check_number(import, "import", min = 1)
  with_store(store, write = TRUE, function(con) {
    if (!DBI::dbExecute(con, "UPDATE imports SET undone = 1 WHERE id = ? AND undone = 0", list(import))) {
      abort_tide("There is no such import to undo.", where = sprintf("import %g", import),
        mend = "See the history for those that count.",
        class = "argument", fault = "call")
    }
  })
  invisible(store)
}

#' @rdname tide_load
#' @export
tide_history <- function(store) {
  check_class(store, "tide_store", "store")
  imports <- with_store(store, write = FALSE, function(con) {
    DBI::dbGetQuery(con, "SELECT i.id AS import, i.at, i.files, i.exported, c.grain, c.rows, c.clicks, c.rows_before, c.clicks_before, i.undone
      FROM imports i JOIN changes c ON c.import = i.id ORDER BY i.id, c.grain")
  })
  imports$undone <- imports$undone == 1
  tibble::as_tibble(imports)
}

#' @export
format.tide_load <- function(x, ...) {
  if (is.na(x$import)) return(c("Nothing changed: all of it is held already.", left_out_lines(x$left_out)))
  c(sprintf("Import %d", x$import), change_lines(x$changes),
    sprintf("  read %s: %s kept of %s", basename(x$sources$file),
      format_plural(x$sources$kept, "row"), format_count(x$sources$rows)),
    left_out_lines(x$left_out), source_lines(x$sources), capped_lines(x$sources))
}

change_lines <- function(changes) {
  before <- ifelse(changes$rows_before > 0, sprintf("; before: %s, %s clicks",
    format_plural(changes$rows_before, "row"), format_count(changes$clicks_before)), "")
  sprintf("  %s: %s, %s clicks%s", changes$grain, format_plural(changes$rows, "row"), format_count(changes$clicks),
    before)
}

#' @export
print.tide_load <- function(x, ...) {
  cat(format(x, ...), sep = "\n")
  invisible(x)
}
