# The last list of a project, kept beside its settings: a decision can name a rank of it, and a line
# is explained from what was worked out then, as long as the data are the same.

last_list_file <- function(folder) file.path(folder, ".inktide-list.json")

# So many lines are kept, the best first; others are worked out again.
kept_lines <- 2000

remember_list <- function(input, findings) {
  if (is.null(input$folder)) return(invisible())
  lines <- rbind(findings$findings, findings$decided, fill = TRUE)
  lines <- utils::head(lines[!duplicated(lines$id)], kept_lines)
  version <- data_version(input)
  of <- digest::digest(list(version, lines$id, lines$rank, lines$gain))
  if (identical(remembered_list(input$folder), of)) return(invisible())
  steps <- derivation_lines(findings, lines$id)
  kinds <- unique(lines$kind)
  kept <- list(of = of, data = version, findings = in_sentences(findings, lines),
    cells = finding_cells(findings, lines),
    derivation = data.table(id = rep(lines$id, lengths(steps)),
      step = unlist(steps, use.names = FALSE)),
    assumptions = lapply(stats::setNames(kinds, kinds), assumption_lines, findings$assumptions))
  text <- jsonlite::toJSON(kept, digits = NA, na = "null", null = "null", auto_unbox = FALSE)
  # A folder that may only be read keeps none.
  try(write_whole(last_list_file(input$folder), function(path) write_lines(text, path)),
    silent = TRUE)
}

# What the last list is of, as its first words say; NULL where there is none.
remembered_list <- function(folder) {
  path <- last_list_file(folder)
  if (!file.exists(path)) return(NULL)
  first <- rawToChar(readBin(path, "raw", 60))
  if (grepl("^[{]\"of\":[[]\"[0-9a-f]+\"", first)) sub("^[^[]+[[]\"([0-9a-f]+)\".*$", "\\1", first)
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
    input$settings$moves, data_now(input)))
}

# What the data are now: the imports of the archive or the files, facts, events, pages, words.
data_now <- function(input) {
  named <- unlist(lapply(c("enrichments", "events", "results_pages", "words"),
    function(setting) named_files(input$settings, setting)))
  files <- c(if (is.null(input$store)) expand_inputs(input$files)$path, named,
    unlist(input$settings[["history"]]))
  stored <- if (!is.null(input$store)) {
    list(import_history(input$store)[c("import", "exported", "rows", "clicks", "undone")],
      lapply(tide_facts(input$store), `[`, c("file", "date", "by")),
      # Of a part that is lost or damaged nothing that was kept counts.
      file_states(list.files(parts_folder(input$store), full.names = TRUE)))
  }
  list(input$pages, file_states(files), stored,
    # What a database holds may be other at any time.
    if (!is.null(input$source)) Sys.time())
}

# Size and time of files, by their names without the way to them, which depends on where one stands.
file_states <- function(files) {
  if (!length(files)) return(NULL)
  states <- file.info(files)
  list(basename(files), states$size, states$mtime)
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
