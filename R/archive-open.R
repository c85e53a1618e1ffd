# The archive of a project: a folder of immutable Parquet parts, one SQLite file that says which of
# them count, and small records from which that file can be rebuilt.
#
#   archive/archive.sqlite   meta, imports, changes, parts, days, facts, decisions
#   archive/parts/*.parquet  the rows of one import, grain and month
#   archive/records/*.json   what the index says of each import, table of facts and decision
#
# An import only ever adds: new part files first, then one transaction that makes them known. Killed
# at any instant, the archive is either before or after. Which import a day counts from follows from
# `days`: the newest export that holds it and was not undone. So nothing is ever overwritten, and
# any import can be undone.

#' Open a project's archive
#'
#' The archive keeps every export ever loaded, by grain and day, in open formats: Parquet parts
#' by month, one SQLite file, and JSON records from which that file can be rebuilt. A day counts
#' from the newest export that holds it, so loading revised figures replaces and never adds.
#'
#' @param dir The project's folder. The archive is in its `archive` folder, which is made with
#'   the first load.
#' @return `tide_store()`: a `tide_store` object, a list with `dir`; [print()] shows what is
#'   stored. `tide_rebuild()`: the same, after the index was made anew from the records next to the
#'   parts (for parts without a record from the parts themselves: the day of the export is then
#'   the part's date). An index that was there is kept under another name.
#' @section Errors: `tide_error_store` where the archive cannot be opened, made or was written by
#'   a newer version; `tide_error_store_index` (a `tide_error_store`) where its index is missing,
#'   damaged or does not belong to its parts.
#' @seealso [tide_load()], [tide_stored()], [tide_check()]
#' @examplesIf requireNamespace("nanoparquet", quietly = TRUE)
#' dir <- tempfile("project")
#' store <- tide_store(dir)
#' tide_load(store, tide_example()[["pairs"]])
#' store
#' unlink(file.path(dir, "archive", "archive.sqlite"))
#' try(tide_store(dir))
#' tide_rebuild(dir)
#' @export
tide_store <- function(dir) {
  store <- new_store(dir)
  age <- read_index(store, "format", archive_format)
  if (age < store_format) with_store(store, write = TRUE, function(con) NULL)
  store
}

new_store <- function(dir) {
  check_text(dir, "dir")
  folder <- file.path(dir, "archive")
  # The nearest folder that is there must take new ones.
  if (!dir.exists(folder)) {
    above <- dir
    while (!file.exists(above) && dirname(above) != above) above <- dirname(above)
    if (!dir.exists(above) || file.access(above, 2) != 0) {
      abort_store(folder, "The archive cannot be made.", "Name a folder that you may write to.")
    }
  }
  structure(list(dir = folder), class = c("tide_store", "tide_result"))
}

# Whether a folder holds an archive, its index lost or not.
has_archive <- function(dir) {
  store <- list(dir = file.path(dir, "archive"))
  file.exists(index_path(store)) || length(list.files(parts_folder(store))) > 0
}

make_folders <- function(store) {
  for (folder in c(parts_folder(store), records_folder(store))) {
    if (!dir.exists(folder) && !suppressWarnings(dir.create(folder, recursive = TRUE)) &&
        !dir.exists(folder)) {
      abort_store(store$dir, "The archive cannot be made.", "Name a folder that you may write to.")
    }
    if (file.access(folder, 2) != 0) {
      abort_read_only(store, sprintf("'%s' takes no new files", folder))
    }
  }
}

# Parts are Parquet, which one package of its own reads and writes; nothing else needs it.
need_parquet <- function(store) {
  if (!requireNamespace("nanoparquet", quietly = TRUE)) {
    abort_store(store$dir, "The archive needs the R package nanoparquet, which is not installed.",
      "In R: install.packages(\"nanoparquet\")")
  }
}

#' @export
format.tide_store <- function(x, ...) {
  sums <- with_store(x, write = FALSE, function(con) DBI::dbGetQuery(con,
    "SELECT grain, count(*) AS days, min(day) AS first, max(day) AS last, sum(rows) AS rows,
      sum(clicks) AS clicks
      FROM current GROUP BY grain"))
  if (!nrow(sums)) return("<tide_store> empty")
  span <- ifelse(sums$first > 0, sprintf("%s (%s)",
    format_days(as.IDate(sums$first), as.IDate(sums$last)), format_plural(sums$days, "day")),
    "no dates")
  c("<tide_store>", sprintf("  %s: %s, %s; %s clicks", sums$grain, format_plural(sums$rows, "row"),
    span, format_count(sums$clicks)))
}
