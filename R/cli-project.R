# Commands on a project's archive.

run_load <- function(options, files) {
  folder <- if (!is.null(options$project)) options$project else find_project(".")
  if (is.null(folder)) folder <- "."
  if (options$history) return(writeLines(wrap_lines(history_lines(tide_history(open_archive(folder))), terminal_width())))
  if (!is.null(options$undo)) {
    tide_undo(open_archive(folder), options$undo)
    return(writeLines(sprintf("Import %g no longer counts.", options$undo)))
  }
  if (!length(files)) abort_call("No file to load.", "inktide load", "Name the exports, as in: inktide load exports/*.csv")
  begin_project(options, folder)
  loaded <- do.call(tide_load, c(list(tide_store(folder), files, exported = options$exported, progress = progress_to_terminal(options)),
    reading_rules(options, tide_settings(folder))))
  writeLines(wrap_lines(format(loaded), terminal_width()))
}

open_archive <- function(folder) {
  if (!file.exists(file.path(folder, "archive", "archive.sqlite"))) {
    abort_tide("The project has no archive yet.", where = sprintf("'%s'.", folder), mend = "Load exports first: inktide load FILE... --project DIR", class = "project")
  }
  tide_store(folder)
}

# Settings a person can go on from, where there are none.
begin_project <- function(options, folder) {
  file <- file.path(folder, "inktide.yml")
  if (file.exists(file)) return(invisible())
  if (!dir.exists(folder)) dir.create(folder, recursive = TRUE, showWarnings = FALSE)
  write_whole(file, function(path) writeLines(c("# Settings of this project. Paths are relative to this file.",
    "# site: https://www.example.org/", "# brand:", "#   - the name people search for, and its misspellings"), path))
  note(options, sprintf("A new project: '%s'. Name your brand words there.", file))
}

history_lines <- function(history) {
  if (!nrow(history)) return("No imports yet.")
  unlist(lapply(split(history, history$import), function(own) {
    c(sprintf("Import %d on %s UTC, exported %s: %s%s", own$import[1], substr(own$at[1], 1, 16), own$exported[1], own$files[1],
      if (own$undone[1]) " (undone)" else ""), change_lines(own))
  }), use.names = FALSE)
}

run_check <- function(options, files) {
  folder <- if (!is.null(options$project)) options$project else find_project(".")
  if (is.null(folder)) abort_call("No project.", "No folder upwards holds inktide.yml.", "Name one with --project DIR.")
  found <- tide_check(open_archive(folder))
  emit(options, found$problems, wrap_lines(format(found), terminal_width()))
  if (options$strict && nrow(found$problems)) {
    abort_tide(sprintf("The archive has %s.", format_plural(nrow(found$problems), "problem")), where = sprintf("'%s'.", folder),
      mend = "See the list above.", class = "check")
  }
}
