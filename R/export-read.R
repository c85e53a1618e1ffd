#' Read exported performance tables
#'
#' Reads files as search engines and reporting tools export them, and as
#' spreadsheets leave them: rows of clicks, impressions and average position by
#' any mix of query, page, date, country, device, vertical and rich result.
#'
#' Files may be CSV, TSV, semicolon or pipe separated text (UTF-8, UTF-16 or
#' Windows-1252), workbooks (XLSX), JSON (an array or one object a line), Parquet
#' (with the package nanoparquet), or any of these in gz or zip; folders and globs stand for the
#' files in them. What a
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
#' impressions (see `clicks_above`) are left out and counted, and so are a row of
#' totals (named so, and equal to the sum of the others) and a header that stands
#' again further down. A row that stands
#' several times in one file, all its columns but the figures the same, counts
#' once, as it stands last. The records of each file are counted before it is read:
#' all of them are kept, or left out with a reason, or the file is refused. The newest days of an
#' export are still
#' being revised by the source: those within `lag` days of the export are left
#' out, and counted too. What several files of one grain hold counts once, from
#' the file exported last. Where tables of several grains become one since a dimension
#' was not asked for, each day rests on the finest table that has it. [print()] lists it all.
#'
#' Files of a folder, a glob, a zip or a workbook that are no performance tables (a
#' table of filters, an empty sheet, a text) are skipped and named. Dates that are all
#' one span, such as `2026-08-01 - 2026-08-28`, are the window of a table without dates.
#'
#' @section What is refused:
#' An archive that holds a name that leads outside its folder, a link or a device; a
#' file that unpacks to more than 4 GB, or to more than 200 times its size (beyond 50
#' MB); a file whose checksum is wrong.
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
#' @param decimal `"point"` or `"comma"`, needed only where figures such as 2.000 leave it
#'   open whether thousands or decimals are meant.
#' @param clicks_above What to do with rows that have more clicks than impressions,
#'   which no count of people can have: `"leave out"` (and count them), `"keep"`,
#'   or `"refuse"` the file by line.
#' @param progress A function of one text, called before each file is read.
#' @return A `tide_data` object: a list with `tables` (one per grain, each a list
#'   of `rows`, a data.table with texts as factors; `dimensions`; `from`, `to` and `days`, missing
#'   without dates; `rests_on`, where it was put together from several grains: `grain`, `from`,
#'   `to`, `days`), `sources` (one row per table: `file`, `rows`, `kept`,
#'   `grain`, `exported`, `ctr` (how its CTR is written: `fraction`, `percent`,
#'   `none`, or `disagrees` with clicks / impressions), `decimal` (`point` or
#'   `comma`), `odd_queries` (how many look damaged by a spreadsheet), `capped`,
#'   `skipped` (why a table of an archive or workbook was not read)) and `left_out` (`grain`,
#'   `reason`,
#'   `rows`, `clicks`, `impressions`). Positions are averages from 1 up.
#' @section Errors:
#' Class `tide_error`, with what is wrong, the file, the line and how to fix
#' it: `tide_error_file`, `tide_error_columns_missing`,
#' `tide_error_columns_twice`, `tide_error_not_number`, `tide_error_decimal`,
#' `tide_error_not_date`, `tide_error_date_order`, `tide_error_range`, `tide_error_layout`,
#' `tide_error_no_table`.
#' @seealso [tide_filter()] to keep a part, [tide_summary()] for the next step.
#' @examples
#' exports <- tide_example()
#' tide_read(exports[["pairs"]])
#' @export
tide_read <- function(files, lag = 3, exported = NULL, dimensions = NULL, columns = NULL,
  date_order = NULL,
                      decimal = NULL, clicks_above = c("leave out", "keep", "refuse"),
                      progress = NULL) {
  check_number(lag, "lag", min = 0)
  how <- reading_how(files, lag, exported, dimensions, columns, date_order, decimal, clicks_above)
  parts <- read_inputs(files, how, progress)
  read <- Filter(function(part) !is.null(part$rows), parts)
  joined <- join_tables(read, how$dimensions)
  new_tide_data(
    tables = joined$tables,
    sources = rbindlist(lapply(parts, `[[`, "source"), fill = TRUE),
    left_out = sum_left_out(rbindlist(c(lapply(read, `[[`, "left_out"), joined$left_out)))
  )
}

# What the call says of how to read, checked.
reading_how <- function(files, lag, exported, dimensions, columns, date_order, decimal,
  clicks_above) {
  check_text(files, "files", many = TRUE)
  if (!length(files)) abort_argument("files", "the path of at least one file", files)
  check_mapping(columns)
  if (!is.null(dimensions)) check_text(dimensions, "dimensions", many = TRUE)
  if (!is.null(date_order)) check_choice(date_order, c("dmy", "mdy"), "date_order")
  if (!is.null(decimal)) check_choice(decimal, c("point", "comma"), "decimal")
  list(lag = lag, exported = check_date(exported, "exported"),
    dimensions = if (is.null(dimensions)) dimension_names else dimensions, columns = columns,
    date_order = date_order,
    decimal = decimal, clicks_above = check_choice(clicks_above, names(clicks_above_rules),
    "clicks_above"))
}

# All tables of all inputs, each as read_part() gives it.
read_inputs <- function(files, how, progress) {
  scratch <- new_scratch()
  on.exit(unlink(scratch, recursive = TRUE))
  inputs <- expand_inputs(files)
  skipped <- list()
  read <- unlist(lapply(seq_len(nrow(inputs)), function(i) {
    file <- inputs$path[i]
    if (!is.null(progress)) progress(sprintf("Reading %s", shown_name(file)))
    skip <- function(e, label = file) {
      skipped[[length(skipped) + 1]] <<- e
      list(source = data.table(file = label, rows = 0L, kept = 0L, grain = "", ctr = "none",
        capped = FALSE,
        skipped = sub("[.]$", "", e$what)))
    }
    parts <- tryCatch(open_parts(file, scratch), tide_error_file = function(e) {
      if (!skips_file(e, inputs, i)) stop(e)
      list(skip(e))
    })
    # Alone, a table is read without what nobody asked for; beside others, its rows are told apart
    # by all it has.
    if (nrow(inputs) > 1 || length(parts) > 1) how$dimensions <- dimension_names
    lapply(parts, function(part) {
      if (!is.null(part$source)) return(part)
      tryCatch(read_part(part, how), tide_error = function(e) {
        if (!skips_part(e, inputs, i, several = length(parts) > 1)) stop(e)
        skip(e, part$label)
      })
    })
  }), recursive = FALSE)
  if (all(vapply(read, function(part) is.null(part$rows), NA))) stop(skipped[[1]])
  check_mapped(how$columns, read)
  read
}

# A header that was named and that no table has is a slip of the pen.
check_mapped <- function(columns, read) {
  headers <- unlist(lapply(read, `[[`, "header"))
  unused <- columns[!squeeze_name(columns) %in% squeeze_name(headers)]
  if (!length(unused)) return(invisible())
  abort_tide(sprintf("No table has a column '%s'.", unused[[1]]),
    where = sprintf("It was named for `%s`; the headers are: %s.", names(unused)[1],
    paste(unique(headers), collapse = ", ")),
    fix = "Name the column in `columns` as its header does.", class = "columns_missing",
    column = names(unused)[1],
    width = length(headers), argument = "columns")
}

new_scratch <- function() {
  scratch <- tempfile("inktide")
  dir.create(scratch, mode = "0700")
  scratch
}

# What lies in a folder, a glob, a zip or a workbook may be something else than a table: it is
# skipped and named. A file that somebody named is, only beside others and where it cannot be a
# table.
skips_file <- function(e, inputs, i) {
  (inputs$gathered[i] && inherits(e, c("tide_error_no_table", "tide_error_missing"))) ||
    (nrow(inputs) > 1 && inherits(e, "tide_error_no_table"))
}

skips_part <- function(e, inputs, i, several) {
  if (inherits(e, "tide_error_no_table")) return(several || nrow(inputs) > 1)
  if (!inherits(e, "tide_error_columns_missing")) return(FALSE)
  several || inputs$gathered[i] || (nrow(inputs) > 1 && e$width < 3)
}

check_mapping <- function(columns) {
  if (is.null(columns)) return(invisible())
  check_text(columns, "columns", many = TRUE)
  unknown <- setdiff(names(columns), names(column_spellings))
  if (is.null(names(columns)) || length(unknown)) {
    abort_argument("columns", paste0("named among ",
      paste(names(column_spellings), collapse = ", ")), names(columns))
  }
}

# One table: list(rows, dimensions, window, source, left_out). Rows keep their number until all that
# is left out is known.
read_part <- function(part, how) {
  if (!nzchar(part$path)) abort_no_table("The table is empty.", part$label, "Export it again.")
  layout <- find_header(part$path, part$label, how$columns)
  all_columns <- match_columns(layout$header, part$label, how$columns)
  place <- open_records(part, layout)
  if (!place$records) {
    abort_no_table("The file has a header but no rows.", part$label,
      "Export again with a window that holds data.")
  }
  # All dimensions tell rows apart; those that nobody asked for go once it is known that no row
  # stands twice.
  columns <- all_columns[names(all_columns) %in% c(dimension_names, figure_names)]
  text <- intersect(names(columns), setdiff(dimension_names, "date"))
  rows <- read_cells(place, columns, text)
  for (column in text) set(rows, j = column, value = fold_levels(as_levels(rows[[column]])))
  headers <- header_rows(rows, layout$header, all_columns)
  figures <- settle_figures(rows, place, all_columns, headers, how$decimal)
  totals <- setdiff(totals_rows(rows, text, headers), headers)
  aside <- c(headers, totals)
  window <- settle_dates(rows, place, how$date_order, aside)
  check_figures(rows, place, how$clicks_above, aside)

  exported <- if (is.null(how$exported)) as.IDate(as.Date(file.mtime(part$file),
    tz = "UTC")) else how$exported
  repeats <- repeated_rows(rows, place, layout$header,
    all_columns[names(all_columns) %in% c(names(rows), "ctr")],
    aside)
  away <- setdiff(intersect(dimension_names, names(rows)), how$dimensions)
  if (length(away)) set(rows, j = away, value = NULL)
  used <- intersect(dimension_names, names(rows))
  grain <- grain_label(used)
  odd <- if ("query" %in% used) repair_queries(rows) else 0L
  out <- drop_rows(rows, c(list(`the header again` = headers, `row of totals` = totals), repeats,
    unusable_rows(rows, exported, how$lag, how$clicks_above)), grain)
  empty <- length(place$empty)
  if (empty) out$left_out <- rbind(out$left_out,
    data.table(grain = grain, reason = "empty row", rows = empty, clicks = 0,
    impressions = 0))
  check_ledger(out, place)
  setcolorder(out$rows, c(used, "clicks", "impressions", "position"))
  list(
    rows = out$rows, dimensions = used, header = layout$header, window = window,
      left_out = out$left_out,
    source = data.table(file = part$label, rows = place$all, kept = nrow(out$rows), grain = grain,
      exported = exported, ctr = figures$ctr, decimal = figures$decimal, odd_queries = odd,
      capped = looks_capped(rows), skipped = "")
  )
}

# Every record of the file is kept or left out with a reason.
check_ledger <- function(out, place) {
  counted <- nrow(out$rows) + if (nrow(out$left_out)) sum(out$left_out$rows) else 0
  if (counted != place$all) {
    abort_tide("The rows kept and those left out are not all rows of the file.",
      where = sprintf("'%s': %s of %s.", place$label, format_count(counted),
      format_plural(place$all, "row")),
      fix = "Please report this with the file; nothing was read.", class = "layout",
      file = place$label)
  }
}

check_file <- function(file) {
  missing <- !file.exists(file)
  problem <- if (missing) c("There is no such file.", "Check the spelling and the folder.")
    else if (dir.exists(file)) c("This is a folder, not a file.", "Name the files in it.")
    else if (file.access(file, 4) != 0) c("The file cannot be read.",
      "Give yourself the right to read it.")
    else if (!path_facts(file)$kind %in% c("file", "pipe", "device")) c("This is no file.",
      "Name a file.")
  if (!is.null(problem)) {
    abort_tide(problem[1], where = sprintf("'%s'.", shown_name(file)), fix = problem[2],
      class = c(if (missing) "missing", "file"), file = file)
  }
}

# A header that stands again between the rows, as stacked files leave it.
header_rows <- function(rows, header, all_columns) {
  text <- vapply(figure_names, function(column) is.character(rows[[column]]), NA)
  if (!all(text)) return(integer())
  same <- lapply(figure_names,
    function(column) trimws(rows[[column]]) == header[all_columns[[column]]])
  which(Reduce(`&`, same))
}

# Makes the figures numbers. Plain columns are numbers already; where one is text, or counts are not
# whole numbers as written (a point that was meant for thousands), the figures are read again as
# text and the file's convention is found.
settle_figures <- function(rows, place, all_columns, headers, decimal) {
  plain <- vapply(figure_names, function(column) is.numeric(rows[[column]]) ||
    all(is.na(rows[[column]])), NA)
  whole <- vapply(figure_names[1:2], function(column) is.integer(rows[[column]]) ||
    all(is.na(rows[[column]])), NA)
  if (all(plain) && all(whole) && is.null(decimal)) {
    for (column in figure_names) {
      if (is.logical(rows[[column]])) set(rows, j = column, value = as.numeric(rows[[column]]))
    }
    ctr <- if ("ctr" %in% names(all_columns)) first_ctr(rows, place, all_columns) else "none"
    return(list(ctr = ctr, decimal = "point"))
  }
  wanted <- all_columns[intersect(c(figure_names, "ctr"), names(all_columns))]
  texts <- read_cells(place, wanted, names(wanted))
  if (length(headers)) for (column in names(texts)) set(texts, headers, column, NA_character_)
  parsed <- parse_figures(as.list(texts), place, decimal)
  for (column in figure_names) set(rows, j = column, value = parsed$columns[[column]])
  ctr <- if (is.null(parsed$columns$ctr)) "none" else judge_ctr(parsed$columns$ctr,
    rows$clicks / rows$impressions)
  list(ctr = ctr, decimal = parsed$decimal)
}

# How the file writes CTR, decided by its own clicks and impressions in the first thousand rows. The
# column itself is not kept: CTR is derived from sums.
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
