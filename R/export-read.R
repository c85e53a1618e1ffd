#' Read exported performance tables
#'
#' Reads one or more CSV files as search engines and reporting tools export
#' them: rows of clicks, impressions and average position by any mix of query,
#' page, date, country, device, vertical and rich result. Columns are found by
#' the common spellings of their names; percent signs, thousands separators and
#' CTR as percent or fraction are understood.
#'
#' Tables of different grain (different dimensions) are held apart and never
#' added up with each other. CTR is not kept: it is derived from clicks and
#' impressions wherever it is needed.
#'
#' @section What is left out:
#' Rows without impressions, without a position, or with more clicks than
#' impressions are left out and counted. The newest days of an export are still
#' being revised by the source: those within `lag` days of the export are left
#' out, and counted too. Rows that stand in several files of one grain with
#' equal figures are kept once. [print()] lists it all.
#'
#' @param files Paths of CSV files.
#' @param lag Days before the export that are unfinished, and the day of the
#'   export itself; 0 keeps all days.
#' @param exported Date of the export. `NULL` takes each file's modification
#'   date.
#' @param dimensions Dimensions to keep, among `date`, `query`, `page`,
#'   `country`, `device`, `vertical`, `rich_result`. Leaving out what is not
#'   needed makes reading faster; rows are not merged by it.
#' @param progress A function of one text, called before each file is read.
#' @return A `tide_data` object: a list with `tables` (one per grain, each a list
#'   of `rows`, a data.table with texts as factors; `dimensions`; `from`, `to` and `days`, missing
#'   without dates), `sources` (one row per file: `file`, `rows`, `kept`,
#'   `grain`, `exported`, `ctr` (how its CTR is written: `fraction`, `percent`,
#'   `none`, or `disagrees` with clicks / impressions), `capped`) and `left_out` (`grain`, `reason`,
#'   `rows`, `clicks`, `impressions`). Positions are averages from 1 up.
#' @section Errors:
#' Class `tide_error`, with what is wrong, the file, the line and how to mend
#' it: `tide_error_file`, `tide_error_columns_missing`,
#' `tide_error_columns_twice`, `tide_error_not_number`, `tide_error_not_date`,
#' `tide_error_range`, `tide_error_layout`.
#' @seealso [tide_filter()] to keep a part, [tide_summary()] for the next step.
#' @examples
#' exports <- tide_example()
#' tide_read(exports[["pairs"]])
#' @export
tide_read <- function(files, lag = 3, exported = NULL, dimensions = NULL, progress = NULL) {
  check_text(files, "files", many = TRUE)
  check_number(lag, "lag", min = 0)
  exported <- check_date(exported, "exported")
  if (is.null(dimensions)) dimensions <- dimension_names
  if (!length(files)) abort_argument("files", "the path of at least one CSV file", files)

  parts <- lapply(unique(files), function(file) {
    if (!is.null(progress)) progress(sprintf("Reading %s", file))
    read_file(file, lag, exported, dimensions)
  })
  joined <- join_tables(parts)
  new_tide_data(
    tables = joined$tables,
    sources = rbindlist(lapply(parts, `[[`, "source")),
    left_out = sum_left_out(rbindlist(c(lapply(parts, `[[`, "left_out"), joined$left_out)))
  )
}

# One file: list(rows, dimensions, source, left_out).
read_file <- function(file, lag, exported, dimensions) {
  check_file(file)
  header <- read_csv_cells(file, nrows = 1L)
  columns <- match_columns(names(header), file)
  ctr <- ctr_convention(file, columns)
  columns <- columns[names(columns) %in% c(dimensions, "clicks", "impressions", "position")]
  text <- intersect(names(columns), setdiff(dimension_names, "date"))
  rows <- read_csv_cells(file, select = unname(columns), colClasses = list(character = unname(columns[text])))
  setnames(rows, names(columns))
  total <- nrow(rows)
  if (!total) {
    abort_tide("The file has a header but no rows.", where = sprintf("'%s'.", file),
      mend = "Export again with a window that holds data.", class = "file", file = file)
  }
  for (column in c("clicks", "impressions", "position")) {
    set(rows, j = column, value = parse_number(rows[[column]], column, file))
  }
  for (column in text) set(rows, j = column, value = as_levels(rows[[column]]))
  if ("date" %in% names(rows)) set(rows, j = "date", value = parse_date(rows$date, file))
  check_figures(rows, file)

  exported <- if (is.null(exported)) as.IDate(as.Date(file.mtime(file), tz = "UTC")) else exported
  out <- drop_rows(rows, exported, lag, grain_label(intersect(dimension_names, names(rows))))
  used <- intersect(dimension_names, names(rows))
  setcolorder(out$rows, c(used, "clicks", "impressions", "position"))
  list(
    rows = out$rows, dimensions = used, left_out = out$left_out,
    source = data.table(file = file, rows = total, kept = nrow(out$rows), grain = grain_label(used),
      exported = exported, ctr = ctr, capped = looks_capped(rows))
  )
}

check_file <- function(file) {
  problem <- if (!file.exists(file)) c("There is no such file.", "Check the spelling and the folder.")
    else if (dir.exists(file)) c("This is a folder, not a file.", "Name the CSV files in it.")
    else if (file.access(file, 4) != 0) c("The file cannot be read.", "Give yourself the right to read it.")
    else if (file.size(file) == 0) c("The file is empty.", "Export it again.")
  if (!is.null(problem)) {
    abort_tide(problem[1], where = sprintf("'%s'.", file), mend = problem[2], class = "file", file = file)
  }
}

# fread() with its warnings turned into our error, since a table that was read in part is wrong.
read_csv_cells <- function(file, ...) {
  fail <- function(condition) {
    abort_tide("The rows of the file do not line up.", where = sprintf("'%s': %s", file,
        strsplit(gsub("\\s+", " ", conditionMessage(condition)), "(?<=[.>]) (?=[A-Z])", perl = TRUE)[[1]][1]),
      mend = "Open the file as text at that line; a comma or a quote inside a cell needs quotes around the cell.",
      class = "layout", file = file)
  }
  first <- NULL
  cells <- tryCatch(withCallingHandlers(
    fread(file, ..., na.strings = "", encoding = "UTF-8", showProgress = FALSE, header = TRUE),
    warning = function(w) {
      if (is.null(first)) first <<- w
      invokeRestart("muffleWarning")
    }
  ), error = fail)
  if (!is.null(first)) fail(first)
  cells
}

# How the file writes CTR, decided by its own clicks and impressions in the first thousand rows. The column itself
# is not kept: CTR is derived from sums.
ctr_convention <- function(file, columns) {
  if (!"ctr" %in% names(columns)) return("none")
  wanted <- columns[c("clicks", "impressions", "ctr")]
  rows <- read_csv_cells(file, select = unname(wanted), nrows = 1000L)
  cells <- Map(function(x, column) parse_number(x, column, file), unname(as.list(rows)), names(wanted))
  names(cells) <- names(wanted)
  judge_ctr(cells$ctr, cells$clicks / cells$impressions)
}

check_figures <- function(rows, file) {
  refuse <- function(bad, column, what, mend) {
    if (length(bad)) abort_cells(bad, rows[[column]], column, file, what, mend, "range")
  }
  for (column in c("clicks", "impressions", "position")) {
    values <- rows[[column]]
    range <- suppressWarnings(range(values, na.rm = TRUE))
    if (is.double(values) && any(is.infinite(range))) {
      refuse(which(is.infinite(values)), column, "Infinite figures", "Correct or delete those rows.")
    }
    if (column != "position" && anyNA(values)) refuse(which(is.na(values)), column, "Empty cells", "Fill them in, or delete those rows.")
    if (range[1] < 0) refuse(which(values < 0), column, "Negative figures", "Correct or delete those rows.")
  }
  if (range[1] < 1) {
    refuse(which(rows$position < 1 & rows$impressions > 0), "position", "Positions below 1",
      "Positions start at 1; check which column holds the average position.")
  }
}

# The rows that no figure may rest on, counted by reason.
drop_rows <- function(rows, exported, lag, grain) {
  reasons <- list(
    "no impressions" = which(rows$impressions <= 0),
    "no position" = which(is.na(rows$position)),
    "more clicks than impressions" = which(rows$clicks > rows$impressions)
  )
  if (lag > 0 && !is.null(rows[["date"]])) {
    reasons[[sprintf("unfinished days (within %g days of the export)", lag)]] <- which(as.integer(rows$date) >= as.integer(exported) - lag)
  }
  gone <- integer()
  ledger <- list()
  for (reason in names(reasons)) {
    out <- setdiff(reasons[[reason]], gone)
    if (!length(out)) next
    ledger[[reason]] <- left_out_line(reason, grain, rows, out)
    gone <- c(gone, out)
  }
  list(rows = if (length(gone)) rows[-gone] else rows, left_out = rbindlist(ledger))
}

# An interactive or programmatic export that was cut: a round number of rows, sorted by clicks.
looks_capped <- function(rows) {
  nrow(rows) %in% c(500L, 1000L, 5000L, 10000L, 25000L, 50000L, 100000L) && !is.unsorted(-rows$clicks)
}

# Tables of one grain are one table; the same row in several files counts once.
join_tables <- function(parts) {
  grains <- vapply(parts, function(part) part$source$grain, "")
  ledger <- list()
  tables <- lapply(split(parts, factor(grains, unique(grains))), function(same) {
    rows <- if (length(same) == 1) same[[1]]$rows else rbindlist(lapply(same, `[[`, "rows"), use.names = TRUE)
    if (length(same) > 1) {
      again <- which(duplicated(rows))
      if (length(again)) {
        ledger[[length(ledger) + 1]] <<- left_out_line("same row in several files", same[[1]]$source$grain, rows, again)
        rows <- rows[-again]
      }
    }
    new_table(rows, same[[1]]$dimensions)
  })
  list(tables = tables, left_out = ledger)
}
