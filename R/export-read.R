#' Read exported performance tables
#'
#' Reads files as search engines and reporting tools export them, and as
#' spreadsheets leave them: rows of clicks, impressions and average position by
#' any mix of query, page, date, country, device, vertical and rich result.
#'
#' Files may be CSV, TSV, semicolon or pipe separated text (UTF-8, UTF-16 or
#' Windows-1252), workbooks (XLSX), JSON (an array or one object a line), Parquet
#' (with the package nanoparquet), or any of these in gz or zip; folders and globs stand for the files in them. What a
#' file is shows in its bytes, what a table is in its header, below any title
#' lines. Columns are found by the spellings of their names in English, German,
#' French, Spanish, Italian, Dutch and Portuguese, or by `columns`. Decimal
#' point or comma, percent or fraction and the order of day and month are
#' decided by the whole file's own evidence.
#'
#' Tables of different grain (different dimensions) are held apart and never
#' added up with each other. CTR is not kept: it is derived from clicks and
#' impressions wherever it is needed.
#'
#' @section What is left out:
#' Rows without impressions, without a position, or with more clicks than
#' impressions (see `clicks_above`) are left out and counted, and so is a row of
#' totals (named so, and equal to the sum of the others). A row that stands
#' several times in one file, all its columns but the figures the same, counts
#' once, as it stands last. The newest days of an export are still
#' being revised by the source: those within `lag` days of the export are left
#' out, and counted too. What several files of one grain hold counts once, from
#' the file exported last. [print()] lists it all.
#'
#' @param files Paths of files or folders, or globs such as `"exports/*.csv"`.
#' @param lag Days before the export that are unfinished, and the day of the
#'   export itself; 0 keeps all days.
#' @param exported Date of the export. `NULL` takes each file's modification
#'   date.
#' @param dimensions Dimensions to keep, among `date`, `query`, `page`,
#'   `country`, `device`, `vertical`, `rich_result`. Leaving out what is not
#'   needed makes reading faster; rows are not merged by it.
#' @param columns Named vector for headers that are not known: our name, then
#'   the header's, such as `c(query = "What people typed")`.
#' @param date_order `"dmy"` or `"mdy"`, needed only where a column of dates such
#'   as 3/4/2026 leaves it open.
#' @param clicks_above What to do with rows that have more clicks than impressions,
#'   which no count of people can have: `"leave out"` (and count them), `"keep"`,
#'   or `"refuse"` the file by line.
#' @param progress A function of one text, called before each file is read.
#' @return A `tide_data` object: a list with `tables` (one per grain, each a list
#'   of `rows`, a data.table with texts as factors; `dimensions`; `from`, `to` and `days`, missing
#'   without dates), `sources` (one row per table: `file`, `rows`, `kept`,
#'   `grain`, `exported`, `ctr` (how its CTR is written: `fraction`, `percent`,
#'   `none`, or `disagrees` with clicks / impressions), `decimal` (`point` or
#'   `comma`), `odd_queries` (how many look damaged by a spreadsheet), `capped`,
#'   `skipped` (why a table of an archive or workbook was not read)) and `left_out` (`grain`, `reason`,
#'   `rows`, `clicks`, `impressions`). Positions are averages from 1 up.
#' @section Errors:
#' Class `tide_error`, with what is wrong, the file, the line and how to mend
#' it: `tide_error_file`, `tide_error_columns_missing`,
#' `tide_error_columns_twice`, `tide_error_not_number`, `tide_error_not_date`,
#' `tide_error_date_order`, `tide_error_range`, `tide_error_layout`.
#' @seealso [tide_filter()] to keep a part, [tide_summary()] for the next step.
#' @examples
#' exports <- tide_example()
#' tide_read(exports[["pairs"]])
#' @export
tide_read <- function(files, lag = 3, exported = NULL, dimensions = NULL, columns = NULL, date_order = NULL,
                      clicks_above = c("leave out", "keep", "refuse"), progress = NULL) {
  check_text(files, "files", many = TRUE)
  check_number(lag, "lag", min = 0)
  exported <- check_date(exported, "exported")
  if (!length(files)) abort_argument("files", "the path of at least one file", files)
  check_mapping(columns)
  if (!is.null(date_order) && !identical(date_order, "dmy") && !identical(date_order, "mdy")) {
    abort_argument("date_order", "'dmy' or 'mdy'", date_order)
  }
  how <- list(lag = lag, exported = exported, dimensions = if (is.null(dimensions)) dimension_names else dimensions,
    columns = columns, date_order = date_order, clicks_above = check_choice(clicks_above, names(clicks_above_rules),
      "clicks_above"))

  parts <- read_inputs(files, how, progress)
  read <- Filter(function(part) !is.null(part$rows), parts)
  joined <- join_tables(read, how$dimensions)
  new_tide_data(
    tables = joined$tables,
    sources = rbindlist(lapply(parts, `[[`, "source"), fill = TRUE),
    left_out = sum_left_out(rbindlist(c(lapply(read, `[[`, "left_out"), joined$left_out)))
  )
}

# All tables of all inputs, each as read_part() gives it.
read_inputs <- function(files, how, progress) {
  scratch <- tempfile("inktide")
  dir.create(scratch)
  on.exit(unlink(scratch, recursive = TRUE))
  paths <- expand_inputs(files)
  unlist(lapply(paths, function(file) {
    if (!is.null(progress)) progress(sprintf("Reading %s", file))
    parts <- open_parts(file, scratch)
    # Alone, a table is read without what nobody asked for; beside others, its rows are told apart by all it has.
    if (length(paths) > 1 || length(parts) > 1) how$dimensions <- dimension_names
    read_parts(parts, how)
  }), recursive = FALSE)
}

check_mapping <- function(columns) {
  if (is.null(columns)) return(invisible())
  check_text(columns, "columns", many = TRUE)
  unknown <- setdiff(names(columns), names(column_spellings))
  if (is.null(names(columns)) || length(unknown)) {
    abort_argument("columns", paste0("named among ", paste(names(column_spellings), collapse = ", ")), names(columns))
  }
}

# The parts of one file. Archives and workbooks hold tables of other kinds beside: those are skipped and named, as
# long as one can be read.
read_parts <- function(parts, how) {
  if (length(parts) == 1) return(list(read_part(parts[[1]], how)))
  skipped <- NULL
  read <- lapply(parts, function(part) {
    tryCatch(read_part(part, how), tide_error_columns_missing = function(e) {
      skipped <<- e
      list(source = data.table(file = part$label, rows = 0L, kept = 0L, grain = "", ctr = "none", capped = FALSE,
        skipped = strsplit(conditionMessage(e), "\n")[[1]][1]))
    })
  })
  if (all(vapply(read, function(part) is.null(part$rows), NA))) stop(skipped)
  read
}

# One table: list(rows, dimensions, source, left_out).
read_part <- function(part, how) {
  layout <- find_header(part$path, part$label, how$columns)
  place <- list(label = part$label, path = part$path, line = layout$line, sep = layout$sep)
  all_columns <- match_columns(layout$header, part$label, how$columns)
  # All dimensions tell rows apart; those that nobody asked for go once it is known that no row stands twice.
  columns <- all_columns[names(all_columns) %in% c(dimension_names, figure_names)]
  text <- intersect(names(columns), setdiff(dimension_names, "date"))
  rows <- read_cells(place, columns, text)
  total <- nrow(rows)
  if (!total) {
    abort_tide("The file has a header but no rows.", where = sprintf("'%s'.", part$label),
      mend = "Export again with a window that holds data.", class = "file", file = part$label)
  }
  for (column in text) set(rows, j = column, value = as_levels(rows[[column]]))
  figures <- settle_figures(rows, place, all_columns)
  totals <- totals_rows(rows, text)
  if (length(totals$rows)) rows <- rows[-totals$rows]
  if ("date" %in% names(rows)) set(rows, j = "date", value = parse_date(rows$date, place, how$date_order))
  check_figures(rows, place, how$clicks_above)

  exported <- if (is.null(how$exported)) as.IDate(as.Date(file.mtime(part$file), tz = "UTC")) else how$exported
  repeats <- repeated_rows(rows, place, layout$header, all_columns[names(all_columns) %in% c(names(rows), "ctr")],
    totals$rows)
  away <- setdiff(intersect(dimension_names, names(rows)), how$dimensions)
  if (length(away)) set(rows, j = away, value = NULL)
  used <- intersect(dimension_names, names(rows))
  grain <- grain_label(used)
  odd <- if ("query" %in% used) mend_queries(rows) else 0L
  again <- repeat_lines(rows, repeats, grain)
  if (length(repeats$rows)) rows <- rows[-repeats$rows]
  out <- drop_rows(rows, exported, how$lag, grain, how$clicks_above)
  setcolorder(out$rows, c(used, "clicks", "impressions", "position"))
  list(
    rows = out$rows, dimensions = used, left_out = rbind(out$left_out, again, totals_line(totals, grain)),
    source = data.table(file = part$label, rows = total, kept = nrow(out$rows), grain = grain, exported = exported,
      ctr = figures$ctr, decimal = figures$decimal, odd_queries = odd, capped = looks_capped(rows), skipped = "")
  )
}

check_file <- function(file) {
  problem <- if (!file.exists(file)) c("There is no such file.", "Check the spelling and the folder.")
    else if (dir.exists(file)) c("This is a folder, not a file.", "Name the files in it.")
    else if (file.access(file, 4) != 0) c("The file cannot be read.", "Give yourself the right to read it.")
    else if (file.size(file) == 0) c("The file is empty.", "Export it again.")
  if (!is.null(problem)) {
    abort_tide(problem[1], where = sprintf("'%s'.", file), mend = problem[2], class = "file", file = file)
  }
}

# The wanted columns of the table, texts as texts.
read_cells <- function(place, columns, text, ...) {
  rows <- fread_strict(place, select = unname(columns), colClasses = list(character = unname(columns[text])), ...)
  setnames(rows, names(columns))
  rows
}

# fread() with its warnings turned into our error, since a table that was read in part is wrong.
fread_strict <- function(place, ...) {
  fail <- function(condition) {
    first <- strsplit(gsub("\\s+", " ", conditionMessage(condition)), "(?<=[.>]) (?=[A-Z])", perl = TRUE)[[1]][1]
    abort_tide("The rows of the file do not line up.", where = sprintf("'%s': %s", place$label, first),
      mend = "Open the file as text at that line; a separator or a quote inside a cell needs quotes around the cell.",
      class = "layout", file = place$label)
  }
  first <- NULL
  cells <- tryCatch(withCallingHandlers(
    fread(place$path, ..., skip = place$line - 1L, sep = place$sep, na.strings = "", encoding = "UTF-8",
      showProgress = FALSE,
      header = TRUE, blank.lines.skip = TRUE, check.names = FALSE),
    warning = function(w) {
      if (is.null(first)) first <<- w
      invokeRestart("muffleWarning")
    }
  ), error = fail)
  if (!is.null(first)) fail(first)
  cells
}

# Makes the figures numbers. Plain columns are numbers already; where one is text, or counts are not whole (a point
# that was meant for thousands), the figures are read again as text and the file's convention is found.
settle_figures <- function(rows, place, all_columns) {
  figures <- c("clicks", "impressions", "position")
  plain <- vapply(figures, function(column) is.numeric(rows[[column]]) || all(is.na(rows[[column]])), NA)
  whole <- vapply(figures[1:2], function(column) is.integer(rows[[column]]) ||
    (plain[[column]] && all(rows[[column]] %% 1 == 0, na.rm = TRUE)), NA)
  if (all(plain) && all(whole)) {
    for (column in figures) if (is.logical(rows[[column]])) set(rows, j = column, value = as.numeric(rows[[column]]))
    ctr <- if ("ctr" %in% names(all_columns)) first_ctr(rows, place, all_columns) else "none"
    return(list(ctr = ctr, decimal = "point"))
  }
  wanted <- all_columns[intersect(c(figures, "ctr"), names(all_columns))]
  texts <- read_cells(place, wanted, names(wanted))
  parsed <- parse_figures(as.list(texts), place)
  for (column in figures) set(rows, j = column, value = parsed$columns[[column]])
  ctr <- if (is.null(parsed$columns$ctr)) "none" else judge_ctr(parsed$columns$ctr, rows$clicks / rows$impressions)
  list(ctr = ctr, decimal = parsed$decimal)
}

# How the file writes CTR, decided by its own clicks and impressions in the first thousand rows. The column itself is
# not kept: CTR is derived from sums.
first_ctr <- function(rows, place, all_columns) {
  ctr <- read_cells(place, all_columns["ctr"], "ctr", nrows = 1000L)$ctr
  first <- seq_along(ctr)
  read <- lapply(c(".", ","), function(decimal) {
    percent <- endsWith(ctr, "%") & !is.na(ctr)
    number <- read_number(sub("\\s*%$", "", ctr), decimal)
    judge_ctr(ifelse(percent, number / 100, number), rows$clicks[first] / rows$impressions[first])
  })
  c(intersect(c("fraction", "percent", "disagrees"), unlist(read)), "none")[1]
}
