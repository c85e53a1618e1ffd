#' Load exports into the archive
#'
#' Reads files as [tide_read()] does and adds them to the archive in one transaction. Loading the
#' same files again changes nothing; a newer export of the same days replaces their figures; an
#' older one never does. Files loaded together are one export: where they overlap, a row counts
#' once, from the file exported last. An export that its table of filters limits to a vertical, a
#' country, a device or a page replaces that part of its days and leaves the rest of them; what a
#' pattern limits never replaces days of a wider export.
#'
#' @param store A `tide_store` object.
#' @param files Exports, as in [tide_read()]; or what [tide_facts()] or [tide_pages_read()] read;
#'   or a [tide_source()], whose days are stored as one export.
#' @param exported,columns,date_order,decimal,clicks_above,repeats,progress As in [tide_read()].
#' @param now Time to write into the history.
#' @return `tide_load()`: a `tide_load` object, a list with `import` (its number, or `NA` where
#'   all was stored already), `changes` (by table: the `days` it holds, with `rows` and `clicks`,
#'   the `rows_before` and `clicks_before` that they replace, and `days_unused`, which a newer
#'   export holds already), `repaired` (how many damaged parts of an earlier load of the same
#'   rows were written again), `sources` and `left_out`. `tide_undo()`: the store, invisibly.
#'   `summary()` of the store: a tibble with a row per import and table: `import`, `at`, `files`,
#'   `exported`, `grain`, `rows`, `clicks`, `rows_before`, `clicks_before`, `days_unused`,
#'   `undone`. Of facts: a tibble with `by`, `date`, `rows` and `kept` (`FALSE` where the very
#'   same facts were stored already).
#' @param import Number of the import to undo: its days count from the export they counted from
#'   before.
#' @section Errors: those of [tide_read()], and `tide_error_store`.
#' @examplesIf requireNamespace("nanoparquet", quietly = TRUE)
#' store <- tide_store(tempfile("project"))
#' tide_load(store, tide_example()[["pairs"]])
#' tide_load(store, tide_example()[["pairs"]])
#' summary(store)
#' tide_undo(store, 1)
#' @export
tide_load <- function(store, files, exported = NULL, columns = NULL, date_order = NULL,
    decimal = NULL, clicks_above = c("leave out", "keep", "refuse"),
    repeats = c("ask", "newest", "add"), progress = NULL, now = Sys.time()) {
  check_class(store, "tide_store", "store")
  if (inherits(files, "tide_pages")) return(tibble::as_tibble(keep_site_pages(store, files)))
  if (are_facts(files)) return(tibble::as_tibble(keep_facts(store, files)))
  if (inherits(files, "tide_source")) {
    read <- source_tables(files)
    return(load_tables(store, read$tables, read$sources, read$left_out, FALSE, now, progress))
  }
  how <- reading_options_used(files, 0, exported, NULL, columns, date_order, decimal, clicks_above,
    repeats)
  need_parquet(store)
  parts <- read_inputs(files, how, progress)
  check_mapped(how$columns, parts)
  refuse_comparisons(parts)
  sources <- rbindlist(lapply(parts, `[[`, "source"), fill = TRUE)
  parts <- Filter(function(part) !is.null(part$rows), parts)
  tables <- Filter(function(table) nrow(table$rows) > 0,
    lapply(split_by_grain(parts), newest_rows, repeats = how$repeats))
  sources <- count_kept(sources, tables)
  if (!length(tables)) abort_no_rows(parts)
  tables <- with_windows_beside(tables, sources)
  left_out <-
    sum_left_out(rbindlist(c(lapply(parts, `[[`, "left_out"), lapply(tables, `[[`, "left_out"))))
  load_tables(store, tables, sources, left_out, !is.null(how$exported), now, progress)
}

# Tables without dates keep the window of the totals that came with them.
with_windows_beside <- function(tables, sources) {
  known <- lapply(tables, function(table) {
    new_table(table$rows, table$dimensions, max(table$rows$exported), table$window)
  })
  Map(function(table, own) {
    if (!"date" %in% table$dimensions && !is.na(own$from)) table$window <- own[c("from", "to")]
    table
  }, tables, lapply(known, window_beside, list(tables = known, sources = sources)))
}

# Tables by grain, whose rows say when they were exported, as one import.
load_tables <- function(store, tables, sources, left_out, stated, now, progress) {
  # In one order, however the files were named.
  tables <- tables[sort(names(tables))]
  content <- digest::digest(lapply(tables, function(table) table$rows), algo = "xxhash64")
  with_store(store, write = TRUE, waiting = progress, function(con) {
    result <- list(import = NA_integer_, changes = NULL, repaired = 0L, sources = sources,
      left_out = left_out)
    held <-
      DBI::dbGetQuery(con, "SELECT id FROM imports WHERE content = ? AND undone = 0", list(content))
    if (nrow(held)) {
      result$repaired <- repair_parts(con, store, held$id[1], tables)
      return(structure(result, class = c("tide_load", "tide_result")))
    }
    import <- DBI::dbGetQuery(con, "SELECT coalesce(max(id), 0) + 1 AS id FROM imports")$id
    # Begun: whatever is left of it where this process is killed can be known from what belongs to
    # the archive.
    write_record(store, "import", import, list())
    for (grain in names(tables)) {
      if (!is.null(progress)) progress(sprintf("Storing %s", grain))
      add_table(con, store, import, grain,
        with_carried(con, store, import, grain, tables[[grain]]))
    }
    changes <- import_changes(con, import)
    DBI::dbAppendTable(con, "changes", changes)
    DBI::dbExecute(con,
      "INSERT INTO imports (id, at, files, content, exported, stated) VALUES (?, ?, ?, ?, ?, ?)",
      list(import, format(now, "%Y-%m-%d %H:%M:%S", tz = "UTC"),
        paste(basename(unique(sources$file[!nzchar(sources$skipped)])), collapse = ", "), content,
        format(max(sources$exported, na.rm = TRUE)), as.integer(stated)))
    record_import(store, con, import)
    result[c("import", "changes")] <- list(as.integer(import), setDT(changes))
    structure(result, class = c("tide_load", "tide_result"))
  })
}

# The days of a source as tables to store.
source_tables <- function(source) {
  input_data <- tide_stored(source, lag = 0)
  tables <- lapply(input_data$tables, function(table) {
    rows <- setorderv(table$rows, table$dimensions)
    list(rows = set(rows, j = "exported", value = as.IDate(source$today)))
  })
  list(tables = tables, left_out = input_data$left_out, sources = input_data$sources)
}

# An archive holds days, or one window; the earlier of two would count in neither.
refuse_comparisons <- function(parts) {
  compared <- Filter(function(part) !is.null(part[["earlier"]]), parts)
  if (!length(compared)) return(invisible())
  label <- sub(", later window$", "", compared[[1]]$source$file)
  abort_tide("An export that compares two windows is not stored.",
    where = sprintf("'%s' holds sums of two windows and no days.", label),
    fix = "Compare it as a file; store an export by date.", class = "columns_twice", file = label)
}

# What the days of an import hold and what they held before it, grain by grain: figures of different
# grain never add up. Days that a newer export holds stay with that.
import_changes <- function(con, import) {
  DBI::dbGetQuery(con, "SELECT d.import, d.grain, count(*) AS days, sum(d.rows) AS rows,
    sum(d.clicks) AS clicks,
    coalesce(sum(CASE WHEN c.exported <= d.exported THEN c.rows END), 0) AS rows_before,
    coalesce(sum(CASE WHEN c.exported <= d.exported THEN c.clicks END), 0) AS clicks_before,
    coalesce(sum(c.exported > d.exported), 0) AS days_unused
    FROM days d LEFT JOIN (SELECT * FROM current WHERE import <> ?) c ON c.grain = d.grain
      AND c.day = d.day
    WHERE d.import = ? GROUP BY d.grain",
    list(import, import))
}

# Part files by month, then what they hold. Tables without dates are one slice: day 0.
add_table <- function(con, store, import, grain, table) {
  rows <- table$rows
  month <- row_months(rows)
  for (each in unique(month)) {
    add_part(con, store, import, grain, each, rows[month == each, !"exported"])
  }
  DBI::dbAppendTable(con, "days", part_days(rows, import, grain, rows$exported, table$window,
    first_given(table$scope, "")))
}

row_months <- function(rows) {
  if ("date" %in% names(rows)) format(as.Date(rows$date), "%Y-%m") else rep("undated", nrow(rows))
}

add_part <- function(con, store, import, grain, month, part) {
  name <- sprintf("%04d-%s-%s.parquet", as.integer(import), month,
    substr(digest::digest(list(import, grain, month, Sys.getpid(), format(Sys.time(), "%OS6"))), 1,
      8))
  path <- file.path(parts_folder(store), name)
  for (column in names(part)) {
    if (is.factor(part[[column]])) set(part, j = column, value = droplevels(part[[column]]))
  }
  write_whole(path, function(to) write_part(part, to))
  DBI::dbExecute(con, "INSERT INTO parts VALUES (?, ?, ?, ?, ?, ?)",
    list(name, import, grain, month, nrow(part), unname(tools::md5sum(path))))
}

# Sums by day, as the index keeps them.
part_days <- function(rows, import, grain, exported, window, scope = "") {
  day <- row_days(rows)
  days <- sums_by(data.table(day = day, clicks = as.numeric(rows$clicks),
    impressions = as.numeric(rows$impressions)),
    "day", c("clicks", "impressions"), count = "rows")
  latest <- last_by(data.table(day = day, exported = as.integer(exported)), "day", "exported")
  set(days, j = "exported", value = latest$exported[match(days$day, latest$day)])
  ends <- if (is.null(window)) {
    c(NA_integer_, NA_integer_)
  } else {
    as.integer(c(window$from, window$to))
  }
  data.table(import = import, grain = grain, days, first = ends[1], last = ends[2],
    scope = scope)
}

# What was written is read once more: a disk that ran full may not have said so.
write_part <- function(part, path) {
  nanoparquet::write_parquet(part, path, compression = "zstd")
  clicks <- null_if_it_fails(nanoparquet::read_parquet(path, col_select = "clicks")$clicks)
  if (!identical(as.numeric(clicks), as.numeric(part$clicks))) {
    stop("there is no room left", call. = FALSE)
  }
}

# Damaged parts of an import whose rows are at hand again are written anew. Out: how many.
repair_parts <- function(con, store, import, tables) {
  parts <- setDT(DBI::dbGetQuery(con,
    "SELECT file, grain, month, checksum FROM parts WHERE import = ?", list(import)))
  damaged <- parts[!part_whole(store, parts)]
  if (!nrow(damaged)) return(0L)
  record_import(store, con, import)
  for (i in seq_len(nrow(damaged))) {
    rows <- with_carried(con, store, import, damaged$grain[i], tables[[damaged$grain[i]]])$rows
    DBI::dbExecute(con, "DELETE FROM parts WHERE file = ?", list(damaged$file[i]))
    unlink(file.path(parts_folder(store), damaged$file[i]))
    add_part(con, store, import, damaged$grain[i], damaged$month[i],
      rows[row_months(rows) == damaged$month[i], !"exported"])
  }
  record_import(store, con, import)
  nrow(damaged)
}

# Whether the files of parts are there and as they were written.
part_whole <- function(store, parts) {
  paths <- file.path(parts_folder(store), parts$file)
  fcoalesce(unname(tools::md5sum(paths)) == parts$checksum, FALSE)
}

#' @rdname tide_load
#' @export
tide_undo <- function(store, import) {
  check_class(store, "tide_store", "store")
  check_number(import, "import", min = 1)
  with_store(store, write = TRUE, function(con) {
    if (!DBI::dbExecute(con, "UPDATE imports SET undone = 1 WHERE id = ? AND undone = 0",
        list(import))) {
      abort_tide("There is no such import to undo.", where = sprintf("import %g", import),
        fix = "See the history for those that count.", class = "argument", fault = "call")
    }
    record_import(store, con, import)
  })
  invisible(store)
}

#' @rdname tide_load
#' @param object A `tide_store` object.
#' @param ... Not used.
#' @export
summary.tide_store <- function(object, ...) tibble::as_tibble(import_history(object))

# A row per import and table.
import_history <- function(store) {
  imports <- read_index(store, "imports", function(con) {
    DBI::dbGetQuery(con, "SELECT i.id AS import, i.at, i.files, i.exported, c.grain, c.rows,
      c.clicks, c.rows_before, c.clicks_before,
      c.days_unused, i.undone
      FROM imports i JOIN changes c ON c.import = i.id ORDER BY i.id, c.grain")
  })
  imports$undone <- imports$undone == 1
  imports
}

#' @export
format.tide_load <- function(x, ...) {
  if (is.na(x$import)) {
    return(c(if (x$repaired) {
      sprintf("Repaired: %s written again.", format_plural(x$repaired, "damaged part"))
    } else {
      "Nothing changed: all of it is stored already."
    },
      left_out_lines(x$left_out)))
  }
  c(
    sprintf("Import %d", x$import),
    change_lines(x$changes),
    sprintf("  read %s: %s kept of %s", basename(x$sources$file),
      format_plural(x$sources$kept, "row"), format_count(x$sources$rows))[
        !nzchar(x$sources$skipped)],
    left_out_lines(x$left_out),
    source_lines(x$sources),
    capped_lines(x$sources))
}

change_lines <- function(changes) {
  before <- ifelse(changes$rows_before > 0,
    sprintf("; before: %s, %s clicks", format_plural(changes$rows_before, "row"),
      format_count(changes$clicks_before)),
    "")
  unused <- ifelse(changes$days_unused > 0,
    sprintf("; not used: %s that a newer export holds", format_plural(changes$days_unused, "day")),
    "")
  sprintf("  %s: %s, %s clicks%s%s", changes$grain, format_plural(changes$rows, "row"),
    format_count(changes$clicks), before, unused)
}
