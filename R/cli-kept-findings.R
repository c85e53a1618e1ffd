# What a project's list was worked out from, kept in the user's own cache: commands that only read
# it (a plan, what it is worth) need not work it out again while data and options are the same.

# Larger ones take longer to keep than they save; of more projects the oldest goes.
kept_findings_most <- 2e9
kept_projects <- 5L

# With what was decided and without are two lists.
kept_findings_file <- function(folder, all = FALSE) {
  file.path(tools::R_user_dir("inktide", "cache"),
    paste0("list-", substr(digest::digest(normalizePath(folder)), 1, 16), if (isTRUE(all)) "-all",
      ".rds"))
}

# Options that change what is shown, not what is found.
shown_only <- c("format", "out", "top", "figure", "view", "quiet", "verbose", "page_view", "by",
  "of", "history", "set_months", "keep_unusual", "do", "plan", "ramp", "backtest", "review",
  "months", "hours", "sort", "per_page", "port", "host", "read_only", "no_browser", "progress")

findings_version <- function(options, input) {
  asked <- Filter(function(given) !is.null(given) && !isFALSE(given),
    options[setdiff(names(options), shown_only)])
  files <- as.character(unlist(Filter(is.character, asked), use.names = FALSE))
  files <- files[file.exists(files)]
  digest::digest(list(data_version(input), utils::packageDescription("inktide")$Built,
    asked[order(names(asked))], file.info(files)[c("size", "mtime")],
    # What was put off comes back by its day.
    if (NROW(input$decisions)) list(as.data.frame(input$decisions), Sys.Date())))
}

# As find_input(), from what was kept where it is of the same data and options.
kept_find_input <- function(options, input) {
  # Hours here are those of a month, and all of the list is meant.
  options["hours"] <- list(NULL)
  if (is.null(input$folder) || is.null(input$store)) return(find_input(options, input))
  file <- kept_findings_file(input$folder, options$all)
  kept <- if (file.exists(file)) tryCatch(readRDS(file), error = function(e) NULL)
  if (!is.null(kept) && identical(kept$version, findings_version(options, input))) {
    cli_note(options, "  the list as it was worked out before, from the same data")
    return(kept$findings)
  }
  find_input(options, input)
}

# Out of reach of whoever hands the project on, since reading such a file runs what is in it.
keep_findings <- function(options, input, findings) {
  if (is.null(input$folder) || is.null(input$store)) return(invisible())
  if (utils::object.size(findings) > kept_findings_most) return(invisible())
  file <- kept_findings_file(input$folder, options$all)
  kept <- list(version = findings_version(options, input), findings = findings)
  try({
    dir.create(dirname(file), recursive = TRUE, showWarnings = FALSE, mode = "0700")
    write_whole(file, function(path) saveRDS(kept, path, compress = FALSE))
    all <- list.files(dirname(file), "^list-.*[.]rds$", full.names = TRUE)
    unlink(utils::tail(all[order(file.mtime(all), decreasing = TRUE)], -kept_projects))
  }, silent = TRUE)
}
