# A project is a folder that holds inktide.yml; every mistake in it is named by line.

# The nearest folder upwards that holds inktide.yml, or NULL.
find_project <- function(from) {
  folder <- normalizePath(from, mustWork = FALSE)
  repeat {
    if (file.exists(file.path(folder, "inktide.yml"))) return(folder)
    if (dirname(folder) == folder) return(NULL)
    folder <- dirname(folder)
  }
}

#' Settings of a project
#'
#' Reads `inktide.yml` of a project's folder. Every setting may be left out.
#'
#' @eval c("@details", "```yaml", setting_lines(), "```", setting_notes)
#'
#' @param dir Folder that holds `inktide.yml`.
#' @return A list with `folder`, `rules` (a [tide_rules()] object), `segments` (a list of
#'   [tide_segment()] objects, by name) and the other settings that are there, under their names;
#'   `exports`, `enrichments`, `events`, `results_pages`, `words` and the letterhead's `logo` as
#'   paths.
#' @section Errors: `tide_error_settings` with the line and the nearest known name;
#'   `tide_error_project` where there is no such file.
#' @examples
#' dir <- tempfile("project")
#' dir.create(dir)
#' writeLines(c("brand: [fernmoor]", "segments:", "  questions: {has_any: [how, why]}"),
#'   file.path(dir, "inktide.yml"))
#' tide_settings(dir)$segments
#' @export
tide_settings <- function(dir) {
  check_text(dir, "dir")
  path <- file.path(dir, "inktide.yml")
  if (!file.exists(path)) {
    abort_tide("The folder is not a project.", where = sprintf("There is no '%s'.", path),
      fix = "Name the folder that holds inktide.yml, or begin a project there.", class = "project",
      file = path)
  }
  given <- read_yaml_settings(path)
  if (!is.null(given) && (!is.list(given) || is.null(names(given)))) {
    abort_setting(path, names(given), "The settings", "lines of 'name: value'")
  }
  settings <- as.list(read_settings(given, setting_names(), path))
  readers <- list(intended = read_intended, moves = read_moves)
  for (name in names(readers)) {
    if (length(settings[[name]]) && is.null(names(settings[[name]]))) {
      file <- named_files(stats::setNames(list(dir, in_folder(settings[[name]], dir)),
        c("folder", name)), name)
      settings[[name]] <- readers[[name]](file)
    }
  }
  settings$rules <- do.call(tide_rules, Filter(Negate(is.null),
    settings[c("brand", "intent", "page_groups", "bands", "ignore", "intended")]))
  for (name in c("exports", "enrichments", "events", "results_pages", "history", "words")) {
    settings[[name]] <- in_folder(settings[[name]], dir)
  }
  if (!is.null(settings$letterhead$logo)) {
    settings$letterhead$logo <- in_folder(settings$letterhead$logo, dir)
  }
  c(list(folder = dir), settings)
}

# Paths are relative to the folder of the settings.
in_folder <- function(paths, dir) {
  ifelse(grepl("^([A-Za-z]:)?[/\\\\~]", paths), paths, file.path(dir, paths))
}

# Settings are short, and shallow: three levels are known.
most_settings <- 1e6

deepest_settings <- 20L

# YAML without what makes it dangerous: expressions, anchors that multiply, texts of another
# encoding.
read_yaml_settings <- function(file) {
  refuse <- function(what, where, fix) abort_tide(what, where = where, fix = fix,
    class = "settings", file = file)
  check_file(file)
  if (file.size(file) > most_settings) {
    refuse("The settings are too large.",
      sprintf("'%s': %s MB.", file, format_size(file.size(file))),
      paste("Keep settings of a few pages; long lists of words go into a file of",
        "their own (brand: '@words.txt')."))
  }
  bytes <- readBin(file, "raw", file.size(file))
  if (any(bytes == 0) || !validUTF8(rawToChar(bytes[bytes != 0]))) {
    refuse("The settings are not UTF-8.", sprintf("'%s'.", file), "Save the file as UTF-8.")
  }
  text <- sub("^\ufeff", "", `Encoding<-`(rawToChar(bytes), "UTF-8"))
  lines <- strsplit(text, "\n", fixed = TRUE)[[1]]
  plain <- gsub("\"(\\\\.|[^\"\\\\])*\"|'[^']*'|(^|\\s)#.*$", "", lines, perl = TRUE)
  tagged <- grep("(^|[\\s:,\\[{-])[!&*][^\\s,\\]}]", plain, perl = TRUE)
  if (length(tagged)) {
    refuse("Settings hold no tags, anchors or references.",
      sprintf("'%s', line %d.", file, tagged[1]),
      "Put the value into quotes if its first sign is meant literally.")
  }
  depth <- max(0L, nchar(gsub("[^[{]", "", plain)), nchar(sub("^([ \t]*).*$", "\\1", plain)) %/% 2L)
  if (depth > deepest_settings * 2L) {
    refuse("The settings are nested too deeply.", sprintf("'%s'.", file),
      "Three levels are enough for all there is.")
  }
  tryCatch(withCallingHandlers(yaml::yaml.load(text, eval.expr = FALSE),
    warning = function(w) stop(conditionMessage(w), call. = FALSE)),
    error = function(e) {
      refuse("The settings cannot be read.", sprintf("'%s': %s.", file, plain_cause(e)),
        "Write them as 'name: value', with lists as lines that begin with '  - '.")
    })
}

# In: values from YAML and what is known about them. Out: our values.
read_settings <- function(given, known, file, path = character()) {
  for (name in names(given)) {
    here <- c(path, name)
    kind <- known[[name]]
    if (is.null(kind)) {
      abort_tide(sprintf("Unknown setting '%s'.", name),
        where = sprintf("'%s', line %d.", file, setting_line(file, here)),
        fix = sprintf("Did you mean '%s'?", nearest_name(name, names(known))), class = "settings",
        file = file)
    }
    if (is.null(given[[name]])) next
    given[[name]] <- if (is.list(kind)) {
      if (!is.list(given[[name]])) {
        abort_setting(file, here, name, paste("lines of", paste(names(kind), collapse = ", ")))
      }
      read_settings(given[[name]], kind, file, here)
    } else if (kind == "pulls") {
      read_pulls(given[[name]], file, here)
    } else if (kind == "sources") {
      read_sources(given[[name]], file, here)
    } else if (kind == "segments") {
      read_segments(given[[name]], file, here)
    } else {
      tryCatch(setting_kinds[[kind]](given[[name]]),
        tide_must = function(e) abort_setting(file, here, name, e$message))
    }
  }
  given
}

abort_setting <- function(file, path, name, must) {
  abort_tide(sprintf("`%s` must be %s.", name, must),
    where = sprintf("'%s', line %d.", file, setting_line(file, path)),
    fix = sprintf("%s; ?tide_settings shows every setting.", setting_shape(path)),
    class = "settings", file = file)
}

# How the setting that holds a path is written.
setting_shape <- function(path) {
  known <- setting_table()[[first_given(path[1], "")]]
  if (is.null(known)) return("Correct that line")
  sprintf("Correct that line, as in '%s: %s'", path[1],
    shortened(paste(known$example, collapse = " "), 80L))
}

# Databases by name; no password stands here.
source_names <- list(driver = "text", host = "text", port = "count", database = "text",
  user = "text", tables = "words", columns = "named_texts", where = "text")

read_sources <- function(given, file, path) {
  if (!is.list(given) || is.null(names(given))) {
    abort_setting(file, path, "sources", "lines of 'name: {driver: ..., tables: ...}'")
  }
  Map(function(one, name) {
    here <- c(path, name)
    if (!is.list(one)) abort_setting(file, here, name, "lines such as driver: postgres")
    own <- read_settings(one, source_names, file, here)
    if (!isTRUE(own$driver %in% c("sqlite", "postgres", "clickhouse"))) {
      abort_setting(file, here, name, "with a driver: sqlite, postgres or clickhouse")
    }
    lacking <- setdiff(c("database", "tables"), names(own))
    if (length(lacking)) abort_setting(file, here, name, paste("with", lacking[1]))
    own
  }, given, names(given))
}

# Descriptions of services by name.
read_pulls <- function(given, file, path) {
  if (!is.list(given) || is.null(names(given))) {
    abort_setting(file, path, "pull", "lines of 'name: {description of a service}'")
  }
  Map(function(one, name) {
    as_pull_spec(one, name, function(name, must) abort_setting(file, c(path, name), name, must))
  }, given, names(given))
}

read_segments <- function(given, file, path) {
  if (!is.list(given) || is.null(names(given))) {
    abort_setting(file, path, "segments", "lines of 'name: {conditions}'")
  }
  Map(function(conditions, name) {
    here <- c(path, name)
    if (name %in% c("brand", "non-brand", "all")) {
      abort_setting(file, here, name,
        "called otherwise: brand, non-brand and all are there already")
    }
    read_segment(conditions, name, file, here)
  }, given, names(given))
}

# One segment, with those that it is made of.
read_segment <- function(conditions, name, file, here) {
  if (!is.list(conditions) || is.null(names(conditions))) {
    abort_setting(file, here, name, "conditions such as {has_any: [how, why]}")
  }
  values <- c(pattern = "text", text = "text", words = "words", list = "words", range = "range",
    number = "count", flag = "flag")
  kinds <- lapply(segment_conditions, function(condition) unname(values[condition$value]))
  nested <- intersect(c("all_of", "any_of"), names(conditions))
  made_of <- lapply(stats::setNames(nested, nested), function(of) {
    if (!is.list(conditions[[of]]) || !is.null(names(conditions[[of]]))) {
      abort_setting(file, here, of, "a list such as [{query_text: pea}, {query_text: bean}]")
    }
    lapply(conditions[[of]], read_segment, name, file, here)
  })
  flags <- names(conditions) %in% c("not", names(Filter(function(kind) kind == "flag", kinds)))
  plain <- conditions[!flags & !names(conditions) %in% nested]
  read <- c(read_settings(plain, kinds, file, here), conditions[flags], made_of)
  # What the condition itself refuses (a pattern that is none) is named by line, too.
  tryCatch(do.call(tide_segment, c(list(name), read)), tide_error = function(e) {
    at <- if (!is.null(e$argument)) c(here, e$argument) else here
    abort_tide(e$what,
      where = sprintf("'%s', line %d. %s", file, setting_line(file, at), e$where), fix = e$fix,
      class = "settings", file = file)
  })
}

# The files that a setting names, once they are needed.
named_files <- function(settings, setting) {
  unlist(lapply(settings[[setting]], function(path) {
    found <- if (grepl("[*?]", path)) sort(Sys.glob(path)) else path[file.exists(path)]
    if (!length(found)) {
      file_path <- file.path(settings$folder, "inktide.yml")
      abort_tide("A file named in the settings is missing.",
        where = sprintf("'%s', line %d, names '%s'.", file_path, setting_line(file_path, setting),
          path),
        fix = sprintf("Put the file there, or correct the list '%s'.", setting), class = "settings",
        file = file_path)
    }
    found
  }))
}

# The line on which a setting stands: each name of its path is looked for below the one before.
setting_line <- function(file, path) {
  lines <- readLines(file, warn = FALSE)
  at <- 1L
  for (name in path) {
    shape <- sprintf("(^|[{,\\s-])['\"]?%s['\"]?\\s*:", gsub("([^[:alnum:]_ ])", "\\\\\\1", name))
    found <- grep(shape, sub("#.*$", "", lines[at:length(lines)]), perl = TRUE)
    if (length(found)) at <- at + found[1] - 1L
  }
  at
}
