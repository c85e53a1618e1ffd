#' Errors of the package
#'
#' Every error says what is wrong, where, and one thing to do about it, and keeps the same as
#' fields, so that a program can tell it in its own words.
#'
#' @section Fields: `what`, `where` (file, line, column, value found), `fix`; `argument`, where
#'   one of the call is to blame (in `fix` it stands in backticks); `fault`: `"call"` where the
#'   call is wrong, `"data"` where the files or the project are; `class`. Errors about a file
#'   also have `file`, and those about its rows `lines` and `column`.
#'
#' @section Classes: All are a `tide_error` and an `error`.
#'
#' | class | when | further fields |
#' |---|---|---|
#' | `tide_error_argument` | an argument is not what it must be | `must`, `given` |
#' | `tide_error_regex` | a pattern is no regular expression | |
#' | `tide_error_call` | the program is called wrongly | |
#' | `tide_error_file` | a file is missing, empty, damaged or of no kind that is read | `file` |
#' | `tide_error_missing` | a file is not there (also a `tide_error_file`) | `file` |
#' | `tide_error_walk` | the pages of a site could not be asked for | |
#' | `tide_error_pull` | a service does not answer, or not as described | |
#' | `tide_error_source` | a database does not give what was asked of it | |
#' | `tide_error_no_table` | a file holds no table (also a `tide_error_file`) | `file` |
#' | `tide_error_layout` | rows do not line up, open quotes, damaged text | `file`, `lines` |
#' | `tide_error_columns_missing` | a needed column is not there | `file`, `column`, `width` |
#' | `tide_error_columns_twice` | two columns claim to be one | `file`, `column` |
#' | `tide_error_not_number` | a cell is no number | `file`, `lines`, `column` |
#' | `tide_error_decimal` | thousands and decimals look alike | `file`, `lines`, `column` |
#' | `tide_error_not_date` | a cell is no date of an export | `file`, `lines`, `column` |
#' | `tide_error_repeats` | rows stand twice with different figures, and no column tells why | |
#' | `tide_error_date_order` | day and month cannot be distinguished | `file`, `lines`, `column` |
#' | `tide_error_range` | a figure is out of its range | `file`, `lines`, `column` |
#' | `tide_error_event` | an event has no name | `file`, `lines`, `column` |
#' | `tide_error_sheet` | a sheet of decisions cannot be read | `file` |
#' | `tide_error_settings` | `inktide.yml` holds something wrong | `file` |
#' | `tide_error_project` | a folder is no project, or one already | `file` |
#' | `tide_error_store` | the archive cannot be used | `file` |
#' | `tide_error_store_index` | its index is lost or damaged (also a `tide_error_store`) | `file` |
#' | `tide_error_check` | the archive has problems, and was asked to have none | |
#' | `tide_error_grain` | no table has the dimensions that are needed | |
#' | `tide_error_nothing_left` | no row is left | `left_out` |
#' | `tide_error_window` | windows overlap or hold nothing | |
#' | `tide_error_overlap` | two summaries hold the same days | |
#' | `tide_error_thin` | too few rows for what was asked | |
#' | `tide_error_finding` | there is no such finding, or nothing was done yet | |
#' | `tide_error_trace` | there is no such query or page | |
#' | `tide_error_facts` | facts that are needed are not known | |
#' | `tide_error_figure` | there is nothing to draw | |
#' | `tide_error_forecast` | the R package forecast is missing | |
#' | `tide_error_package` | an R package that this needs is missing | |
#' | `tide_error_write` | a file or the output cannot be written | `file` |
#' @name tide_conditions
#' @examples
#' error <- tryCatch(tide_read("nowhere.csv"), tide_error_file = identity)
#' error$what
#' error$fix
NULL

# class: what follows "tide_error_", the narrowest first. Further facts as fields.
abort_tide <- function(what, where = NULL, fix = NULL, class, fault = c("data", "call"), ...) {
  facts <- lapply(list(what = what, where = where, fix = fix), function(text) {
    if (!is.null(text)) visible_text(text)
  })
  stop(structure(class = c(paste0("tide_error_", class), "tide_error", "error", "condition"),
    c(list(message = paste(condition_lines(facts), collapse = "\n"), call = public_call()),
      facts,
      list(fault = match.arg(fault), ...))))
}

# The function of ours that was called, whose arguments may be whole tables and are not shown.
public_call <- function() {
  for (made in sys.calls()) {
    name <- if (is.name(made[[1]])) as.character(made[[1]]) else ""
    if (startsWith(name, "tide_")) return(as.call(list(made[[1]])))
  }
  NULL
}

# What a reader of another package gives, NULL where it fails: their errors have no classes to tell
# apart by. Ours pass.
null_if_it_fails <- function(read) {
  tryCatch(read, tide_error = stop, error = function(e) NULL)
}

# What a person reads of a condition.
condition_lines <- function(facts) {
  c(facts$what, if (length(facts$where)) paste0("  where: ", facts$where),
    if (length(facts$fix)) paste0("  fix:   ", facts$fix))
}
