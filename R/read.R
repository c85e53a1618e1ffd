#' Read exported performance tables
#'
#' Reads files as search engines and reporting tools export them, and as spreadsheets leave them:
#' rows of clicks, impressions and average position by any mix of query, page, date, country,
#' device, vertical and rich result.
#'
#' Files may be CSV, TSV, semicolon or pipe separated text (UTF-8, UTF-16 or Windows-1252),
#' workbooks (XLSX), JSON (an array or one object a line), Parquet (with the package
#' nanoparquet), or any of these in gz or zip; folders and globs stand for the files in them.
#' What a file is shows in its bytes, what a table is in its header, below any title lines.
#' Columns are found by the spellings of their names in English, German, French, Spanish,
#' Italian, Dutch and Portuguese, or by `columns`. Decimal point or comma, percent or fraction
#' and the order of day and month are decided by the whole file's own evidence.
#'
#' Tables of different grain (different dimensions) are kept apart and never added up with each
#' other. CTR is not kept: it is derived from clicks and impressions wherever it is needed.
#'
#' @section What is left out: Rows without impressions, without a position, or with more clicks
#'   than impressions (see `clicks_above`) are left out and counted, and so are a row of totals
#'   (named so, and equal to the sum of the others) and a header that stands again further down.
#'   A row that stands several times in one file, all its columns but the figures the same,
#'   counts once, as it stands last; where it has no date and its figures differ, see `repeats`. The
#'   records of each file are counted before it is read: all of them are kept, or left out with a
#'   reason, or the file is refused. The newest days are still being revised by the source: those
#'   within `lag` days of the export are left out, and counted too. Where `exported` does not state
#'   it, the day of the export is the latest that the files' times tell, but no later than the day
#'   after the newest day in the data, since a copied file is new and its rows are not; so only the
#'   newest days of all files can be unfinished. A window of less than four weeks, in files that are
#'   newer, is taken as it is. What several files of one grain hold counts once, from the file
#'   exported last. Where tables of several grains become one since a dimension was not asked for,
#'   each day rests on the finest table that has it. [print()] lists it all.
#'
#' A table of filters in the same zip or workbook (two columns: page, query, vertical, country,
#' device, date; what each is) says what the export was made for. A page, vertical, country or
#' device becomes a column of its rows, so that exports of two pages that share a query hold no
#' repeats; two dates are the window of tables without dates; patterns are kept in `sources` and
#' said, and sums of such an export are not taken for totals.
#'
#' An export that compares two windows (clicks, impressions, CTR and position twice, often with
#' differences) is read as both: the later window makes the tables, the earlier one is kept
#' for [tide_compare()] and [tide_inventory()]. Dates come from the header or the table of
#' filters; which window is the later shows in dates or in words such as "previous", or by
#' `columns`: the `clicks` named there are the later.
#'
#' Files of a folder, a glob, a zip or a workbook that are no performance tables (a table of
#' filters, an empty sheet, a text) are skipped and named. Dates that are all one span, such as
#' `2026-08-01 - 2026-08-28`, are the window of a table without dates.
#'
#' @section What is refused: An archive that holds a name that leads outside its folder, a link
#'   or a device; a file that unpacks to more than 4 GB, or to more than 200 times its size
#'   (beyond 50 MB); a file whose checksum is wrong.
#'
#' @param files Paths of files or folders, or globs such as `"exports/*.csv"`; or a data frame.
#' @param lag Days before the export that are unfinished, and the day of the export itself; 0
#'   keeps all days.
#' @param exported Date of the export. `NULL` takes each file's modification date, which is not
#'   trusted beyond the newest day in the data.
#' @param dimensions Dimensions to keep, among `date`, `query`, `page`, `country`, `device`,
#'   `vertical`, `rich_result`. Leaving out what is not needed makes reading faster; rows are not
#'   merged by it.
#' @param columns Named vector for headers that are not known: our name, then the header's, such
#'   as `c(query = "What people typed")`.
#' @param date_order `"dmy"` or `"mdy"`, needed only where a column of dates such as 3/4/2026
#'   leaves it open.
#' @param decimal `"point"` or `"comma"`, needed only where figures such as 2.000 leave it open
#'   whether thousands or decimals are meant.
#' @param clicks_above What to do with rows that have more clicks than impressions, which no
#'   count of people can have: `"leave out"` (and count them), `"keep"`, or `"refuse"` the file
#'   by line.
#' @param repeats What rows of one query or page are that stand in several exports without dates,
#'   or several times in one, with different figures: `"ask"` stops and shows them, `"newest"` lets
#'   the last one count, `"add"` adds them up, since they are parts of one whole (two pages, two
#'   devices).
#' @param progress A function of one text, called before each file is read.
#' @param by_block `TRUE` does not hold a large file: where one is a plain export (comma, tab or
#'   semicolon, UTF-8, whole counts, numbers with a point, dates as 2026-03-31; no row twice) by
#'   date and query, alone or beside smaller ones without queries, its rows are coded into a file of
#'   the session's own, and [tide_summary()] goes through them some at a time, so that memory
#'   follows the queries and pages and never the rows. Everything else is read as without it.
#' @param at_once How many rows are gone through at a time; smaller files are kept in memory.
#' @return A `tide_data` object: a list with `tables` (one per grain, each a list of `rows`, a
#'   data.table with texts as factors; `dimensions`; `from`, `to` and `days`, missing without
#'   dates; `rests_on`, where it was put together from several grains: `grain`, `from`, `to`,
#'   `days`), `sources` (one row per table: `file`, `rows`, `kept`, `grain`, `exported`, `ctr`
#'   (how its CTR is written: `fraction`, `percent`, `none`, or `disagrees` with clicks /
#'   impressions), `decimal` (`point` or `comma`), `odd_queries` (how many look damaged by a
#'   spreadsheet), `capped`, `filters` (what the export is limited to), `skipped` (why a table of an
#'   archive or workbook was not read)) and `left_out` (`grain`, `reason`, `rows`, `clicks`,
#'   `impressions`, `cause`: `asked`, `window`, `unfinished` days, or `rows` that are wrong), and
#'   `earlier`: of exports that compare two windows the tables of the earlier one, else `NULL`.
#'   Positions are averages from 1 up. With `by_block` it may be a `tide_blocks` object, for
#'   [tide_filter()] (all but conditions on the brand and on sums by query and page, which need all
#'   rows) and [tide_summary()]: a list with its `days` (`date`, `rows`, `clicks`, `impressions`,
#'   `grain`), `dimensions`, `totals` (the tables that were read beside it, as `tables`),
#'   `sources`, `left_out`, and the `segments` and `rules` that filter it.
#' @section Errors: Class `tide_error`, with what is wrong, the file, the line and how to fix it:
#'   `tide_error_file`, `tide_error_columns_missing`, `tide_error_columns_twice`,
#'   `tide_error_not_number`, `tide_error_decimal`, `tide_error_not_date`,
#'   `tide_error_date_order`, `tide_error_range`, `tide_error_repeats`, `tide_error_layout`,
#'   `tide_error_no_table`.
#' @seealso [tide_filter()] to keep a part, [tide_summary()] for the next step.
#' @examples
#' exports <- tide_example()
#' tide_read(exports[["pairs"]])
#' dir <- tempfile("pages")
#' dir.create(dir)
#' writeLines(c("query,clicks,impressions,position", "kale,30,500,4"), file.path(dir, "one.csv"))
#' writeLines(c("query,clicks,impressions,position", "kale,12,400,8"), file.path(dir, "two.csv"))
#' tide_read(dir, repeats = "add")  # two pages' exports that share a query
#' tide_summary(tide_read(exports[["pairs"]], by_block = TRUE, at_once = 1000))
#' @export
tide_read <- function(files, lag = 3, exported = NULL, dimensions = NULL, columns = NULL,
    date_order = NULL, decimal = NULL, clicks_above = c("leave out", "keep", "refuse"),
    repeats = c("ask", "newest", "add"), progress = NULL, by_block = FALSE, at_once = 2e6) {
  check_number(lag, "lag", min = 0)
  if (is.data.frame(files)) {
    # One reader for all: headers, dates and signs of a table in memory are as free as a file's.
    files <- frame_file(files)
    on.exit(unlink(dirname(files), recursive = TRUE))
  }
  how <- reading_options_used(files, lag, exported, dimensions, columns, date_order, decimal,
    clicks_above, repeats)
  check_flag(by_block, "by_block")
  check_number(at_once, "at_once", min = 1)
  blocks <- if (by_block) read_in_blocks(files, how, at_once, progress)
  if (!is.null(blocks)) return(blocks)
  parts <- read_inputs(files, how, progress)
  check_mapped(how$columns, parts)
  read <-
    drop_unfinished(Filter(function(part) !is.null(part$rows), parts), lag, !is.null(how$exported))
  joined <- join_tables(read, how$dimensions, how$repeats)
  # Of exports that compare two windows, the earlier one.
  earlier <- Filter(Negate(is.null), lapply(read, `[[`, "earlier"))
  before <- if (length(earlier)) join_tables(earlier, how$dimensions, how$repeats)
  sources <-
    lapply(c(read, earlier, Filter(function(part) is.null(part$rows), parts)), `[[`, "source")
  new_tide_data(tables = joined$tables,
    sources = count_kept(rbindlist(sources, fill = TRUE), c(joined$joined, before$joined)),
    left_out = sum_left_out(of_kept_grains(
      rbindlist(c(lapply(c(read, earlier), `[[`, "left_out"), joined$left_out, before$left_out)),
      how$dimensions)),
    earlier = before$tables)
}

frame_file <- function(rows) {
  folder <- tempfile("table")
  dir.create(folder)
  fwrite(rows, file.path(folder, "table.csv"))
  file.path(folder, "table.csv")
}

# The ledger's lines under the names of the tables, once dimensions that nobody asked for are gone.
of_kept_grains <- function(ledger, dimensions) {
  if (!nrow(ledger)) return(ledger)
  grain <- vapply(lapply(ledger$grain, grain_dimensions),
    function(own) grain_label(intersect(own, dimensions)), "")
  rich <- by_rich_result(ledger$grain, dimensions)
  set(ledger, j = "grain", value = ifelse(rich, ledger$grain, grain))
}

# What the call says of how to read, checked.
reading_options_used <- function(files, lag, exported, dimensions, columns, date_order, decimal,
    clicks_above, repeats) {
  check_text(files, "files", many = TRUE)
  if (!length(files)) abort_argument("files", "the path of at least one file", files)
  check_mapping(columns)
  if (!is.null(dimensions)) check_text(dimensions, "dimensions", many = TRUE)
  if (!is.null(date_order)) check_choice(date_order, c("dmy", "mdy"), "date_order")
  if (!is.null(decimal)) check_choice(decimal, c("point", "comma"), "decimal")
  list(lag = lag, exported = check_date(exported, "exported"),
    dimensions = if (is.null(dimensions)) dimension_names else dimensions, columns = columns,
    date_order = date_order, decimal = decimal,
    clicks_above = check_choice(clicks_above, names(clicks_above_rules), "clicks_above"),
    repeats = check_choice(repeats[1], names(repeats_rules), "repeats"))
}

# All tables of all inputs, each as read_part() gives it.
read_inputs <- function(files, how, progress) {
  scratch <- new_scratch()
  on.exit(unlink(scratch, recursive = TRUE))
  inputs <- expand_inputs(files)
  skipped <- list()
  loose <- folder_filters(inputs, scratch, how)
  read <- unlist(lapply(seq_len(nrow(inputs)), function(i) {
    file_path <- inputs$path[i]
    if (!is.null(progress)) progress(sprintf("Reading %s", shown_name(file_path)))
    skip <- function(e, label = file_path) {
      skipped[[length(skipped) + 1]] <<- e
      list(source = data.table(file = label, rows = 0L, kept = 0L, grain = "", ctr = "none",
        capped = FALSE, skipped = sub("[.]$", "", e$what)))
    }
    if (file_path %in% loose$file) return(list(list(source = filter_source(file_path))))
    parts <- tryCatch(open_parts(file_path, scratch), tide_error_file = function(e) {
      if (!skips_file(e, inputs, i)) stop(e)
      list(skip(e))
    })
    parts <- with_filters(parts, how)
    beside <- match(dirname(file_path), loose$folder)
    if (!is.na(beside) && length(parts) == 1 && is.null(parts[[1]]$source)) {
      parts[[1]]$filters <- loose$filters[[beside]]
    }
    # Alone, a table is read without what nobody asked for; beside others, its rows differ by
    # all it has.
    limited <- any(vapply(parts, function(part) !is.null(part$filters), NA))
    if (nrow(inputs) > 1 || length(parts) > 1 || limited) how$dimensions <- dimension_names
    lapply(parts, function(part) {
      if (!is.null(part$source)) return(part)
      tryCatch(read_part(part, how), tide_error = function(e) {
        if (!skips_part(e, inputs, i, several = length(parts) > 1)) stop(e)
        skip(e, part$label)
      })
    })
  }),
    recursive = FALSE)
  if (all(vapply(read, function(part) is.null(part$rows), NA))) stop(skipped[[1]])
  read
}

# A header that was named and that no table has is a slip of the pen.
check_mapped <- function(columns, read, class = "columns_missing") {
  headers <- unlist(lapply(read, `[[`, "header"))
  unused <- columns[!squeeze_name(columns) %in% squeeze_name(headers)]
  if (!length(unused)) return(invisible())
  abort_tide(sprintf("No table has a column '%s'.", unused[[1]]),
    where = sprintf("It was named for `%s`; the headers are: %s.", names(unused)[1],
      paste(unique(headers), collapse = ", ")),
    fix = "Name the column in `columns` as its header does.", class = class,
    column = names(unused)[1], width = length(headers), argument = "columns")
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
    abort_argument("columns",
      paste0("named among ", paste(names(column_spellings), collapse = ", ")), names(columns))
  }
}
