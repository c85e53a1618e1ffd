# The index made anew from what stands beside it.

#' @rdname tide_store
#' @param now Time to write into the history for parts without a record.
#' @export
tide_rebuild <- function(dir, now = Sys.time()) {
  store <- new_store(dir)
  need_parquet(store)
  records <- list_records(store)
  parts <- list.files(parts_folder(store), "[.]parquet$")
  if (!nrow(records) && !length(parts)) {
    abort_store(store$dir, "There is nothing to rebuild an index from.", "Load exports first.")
  }
  contents <- lapply(file.path(records_folder(store), records$file), read_record)
  imports <- contents[records$kind == "import"]
  recorded <- unlist(lapply(imports, function(one) one$parts$file))
  imports <- c(imports, import_from_parts(store, setdiff(parts, recorded), records, now))
  aside <- set_index_apart(store)
  tryCatch({
    with_new_index(store, function(con) {
      for (one in imports) {
        DBI::dbAppendTable(con, "imports", one$import)
        for (tbl in c("parts", "days", "changes")) {
          if (NROW(one[[tbl]])) DBI::dbAppendTable(con, tbl, one[[tbl]])
        }
      }
      for (one in contents[records$kind == "facts"]) DBI::dbAppendTable(con, "facts", one)
      for (one in contents[records$kind == "decision"]) DBI::dbAppendTable(con, "decisions", one)
      for (number in setdiff(vapply(imports, function(one) as.integer(one$import$id), 0L),
          records$number[records$kind == "import"])) {
        record_import(store, con, number)
      }
    })
  },
    error = function(e) {
      # As it was before.
      unlink(index_path(store))
      if (!is.null(aside)) file.rename(aside, index_path(store))
      stop(e)
    })
  tide_store(dir)
}

read_record <- function(path) {
  content <- parse_json(file_text(path), simplify = TRUE, none = function(cause) {
    abort_tide("A record of the archive is damaged.",
      where = sprintf("'%s': %s.", path, plain_cause(cause)),
      fix = "Delete this record: its parts are then taken for what they hold themselves.",
      class = "store", file = path)
  })
  as_rows <- function(x) as.data.frame(lapply(x, function(column) {
    if (length(column)) {
      unlist(lapply(column, function(v) if (is.null(v)) NA else v))
    } else {
      character()
    }
  }),
    stringsAsFactors = FALSE)
  if (is.null(content[["import"]])) as_rows(content) else lapply(content, as_rows)
}

# The index that is there is kept under another name.
set_index_apart <- function(store) {
  index <- index_path(store)
  unlink(paste0(index, c("-journal", "-wal", "-shm")))
  if (!file.exists(index)) return(NULL)
  aside <- NULL
  for (number in 1:9999) {
    aside <- file.path(store$dir, sprintf("archive-before-rebuild-%d.sqlite", number))
    if (!file.exists(aside)) break
  }
  if (!file.rename(index, aside)) {
    abort_store(store$dir, "The damaged index cannot be moved away.",
      "Give yourself the right to write to the folder.")
  }
  aside
}

with_new_index <- function(store, work) {
  make_folders(store)
  con <- DBI::dbConnect(RSQLite::SQLite(), index_path(store), synchronous = NULL)
  on.exit(DBI::dbDisconnect(con))
  DBI::dbExecute(con, "PRAGMA synchronous = FULL")
  DBI::dbExecute(con, "BEGIN IMMEDIATE")
  renew_tables(con)
  work(con)
  DBI::dbExecute(con, "COMMIT")
  finish_records(store)
}

# Parts that no record tells of, as archives of earlier versions have them: what they hold says what
# they are. Out: a list like the records of imports.
import_from_parts <- function(store, files, records, now) {
  number <- part_import(files)
  files <- files[!is.na(number)]
  number <- number[!is.na(number)]
  taken <- records$number[records$kind == "import"]
  lapply(split(files, number), function(own) {
    id <- part_import(own[1])
    if (id %in% taken) id <- max(taken) + id
    read <- lapply(own, function(file) read_part_file(store, file, id))
    list(
      import = data.frame(id = id, at = format(now, "%Y-%m-%d %H:%M:%S", tz = "UTC"),
        files = "rebuilt from parts", content = paste("rebuilt", id),
        exported = format(max(read[[1]]$exported)), undone = 0L, stated = 0L),
      parts = rbindlist(lapply(read, `[[`, "part")),
      days = rbindlist(lapply(read, `[[`, "days")),
      changes = rbindlist(lapply(read, `[[`, "days"))[,
        .(days = .N, rows = sum(rows), clicks = sum(clicks), rows_before = 0, clicks_before = 0,
          days_unused = 0),
        by = c("import", "grain")])
  })
}

read_part_file <- function(store, file, id) {
  path <- file.path(parts_folder(store), file)
  rows <- null_if_it_fails(setDT(as.list(nanoparquet::read_parquet(path))))
  if (is.null(rows)) {
    abort_store(store$dir, "A part is damaged and no record says what was in it.",
      "Put it aside, and load its export again after the rebuilding.", sprintf("'%s'", file))
  }
  exported <- as.IDate(as.Date(file.mtime(path), tz = "UTC"))
  grain <- grain_label(intersect(dimension_names, names(rows)))
  list(
    exported = exported,
    part = data.table(file = file, import = id, grain = grain,
      month = sub("^[0-9]+-(undated|[0-9]{4}-[0-9]{2})-.*$", "\\1", file), rows = nrow(rows),
      checksum = unname(tools::md5sum(path))),
    days = part_days(rows, id, grain, exported, NULL))
}
