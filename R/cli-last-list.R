# The last list of a project, kept beside its settings: a decision can name a rank of it, and a line
# is explained from what was worked out then, as long as the data are the same.

last_list_file <- function(folder) file.path(folder, ".inktide-list.json")

# So many lines are kept, the best first; others are worked out again.
kept_lines <- 2000

remember_list <- function(input, findings) {
  if (is.null(input$folder)) return(invisible())
  lines <- rbind(findings$findings, findings$decided, fill = TRUE)
  lines <- utils::head(lines[!duplicated(lines$id)], kept_lines)
  steps <- derivation_lines(findings, lines$id)
  kinds <- unique(lines$kind)
  kept <- list(data = data_version(input), findings = in_sentences(findings, lines),
    cells = finding_cells(findings, lines),
    derivation = data.table(id = rep(lines$id, lengths(steps)),
      step = unlist(steps, use.names = FALSE)),
    assumptions = lapply(stats::setNames(kinds, kinds), assumption_lines, findings$assumptions))
  text <- jsonlite::toJSON(kept, digits = NA, na = "null", null = "null", auto_unbox = FALSE)
  # A folder that may only be read keeps none.
  try(write_whole(last_list_file(input$folder), function(path) write_lines(text, path)),
    silent = TRUE)
}

last_list <- function(folder) {
  path <- last_list_file(folder)
  if (is.null(folder) || !file.exists(path)) return(NULL)
  parse_json(file_text(path), simplify = TRUE)
}

# What a list rests on: the version of the program, the settings, the data.
data_version <- function(input) {
  settings <- file.path(input$folder, "inktide.yml")
  digest::digest(list(as.character(utils::packageVersion("inktide")),
    if (file.exists(settings)) readLines(settings, warn = FALSE), input$settings$rules,
    data_now(input)))
}

# What the data are now: the imports of the archive or the files, facts, events, pages, words.
data_now <- function(input) {
  named <- unlist(lapply(c("enrichments", "events", "results_pages", "words"),
    function(setting) named_files(input$settings, setting)))
  files <- c(if (is.null(input$store)) expand_inputs(input$files)$path, named)
  stored <- if (!is.null(input$store)) {
    list(summary(input$store)[c("import", "exported", "rows", "clicks", "undone")],
      lapply(tide_facts(input$store), `[`, c("file", "date", "by")))
  }
  list(input$pages, if (length(files)) file.info(files)[c("size", "mtime")], stored,
    # What a database holds may be other at any time.
    if (!is.null(input$source)) Sys.time())
}

# A line of the last list explained, or NULL where the list does not hold it or the data are others.
explain_last <- function(input, id) {
  last <- last_list(input$folder)
  if (is.null(last) || !identical(last$data, data_version(input))) return(NULL)
  lines <- as.data.table(last$findings)
  at_row <- match(id, lines$id)
  if (is.na(at_row)) return(NULL)
  own_rows <- function(table) {
    own <- which(table$id == id)
    as.data.table(table[own, ])
  }
  same <- which(lines$task == lines$task[at_row] & lines$id != id)
  explained(lines[at_row], lines[same], own_rows(last$cells)[, !"id"],
    own_rows(last$derivation)$step,
    last$assumptions[[lines$kind[at_row]]])
}

# Words that are ranks become the ids that the last list had there. names: words that are no rank of
# it may be names, and stay.
last_list_ids <- function(folder, words, names = FALSE) {
  ranks <- grepl("^[0-9]{1,9}$", words)
  last <- if (any(ranks)) last_list(folder)
  if (is.null(last)) return(words)
  leads <- task_leads(as.data.table(last$findings)[!is.na(rank)])
  ids <- leads$id[match(as.integer(words[ranks]), leads$rank)]
  if (names) return(replace(words, ranks, fcoalesce(ids, words[ranks])))
  if (anyNA(ids)) {
    abort_call(sprintf("The last list has no rank %s.", words[ranks][is.na(ids)][1]),
      sprintf("It has %s.", format_plural(nrow(leads), "task")), "Name a rank of it, or an id.")
  }
  replace(words, ranks, ids)
}

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
shown_only <- c("format", "out", "top", "figure", "view", "quiet", "verbose", "details", "legend",
  "remarks", "page_view", "by", "of", "history", "set_months", "keep_unusual", "do", "plan",
  "ramp", "backtest", "review", "months", "hours", "sort", "per_page", "port", "host",
  "read_only", "no_browser", "progress", "losers", "gainers", "axes")

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
  path <- kept_findings_file(input$folder, options$all)
  kept <- if (file.exists(path)) null_if_it_fails(readRDS(path))
  if (!is.null(kept) && identical(kept$version, findings_version(options, input))) {
    remark(options, "  the list as it was worked out before, from the same data", weight = 0)
    return(kept$findings)
  }
  find_input(options, input)
}

# Out of reach of whoever hands the project on, since reading such a file runs what is in it.
keep_findings <- function(options, input, findings) {
  if (is.null(input$folder) || is.null(input$store)) return(invisible())
  if (utils::object.size(findings) > kept_findings_most) return(invisible())
  file_path <- kept_findings_file(input$folder, options$all)
  kept <- list(version = findings_version(options, input), findings = findings)
  try({
    dir.create(dirname(file_path), recursive = TRUE, showWarnings = FALSE, mode = "0700")
    write_whole(file_path, function(path) saveRDS(kept, path, compress = FALSE))
    kept_lists <- list.files(dirname(file_path), "^list-.*[.]rds$", full.names = TRUE)
    unlink(utils::tail(kept_lists[order(file.mtime(kept_lists), decreasing = TRUE)],
      -kept_projects))
  }, silent = TRUE)
}
