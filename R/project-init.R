#' Begin a project from what the exports show
#'
#' Guesses the settings from data: the site's address, brand words from its host with the
#' spellings found in the queries, folders as page groups. With a folder it writes them as a
#' commented `inktide.yml`, for a person to confirm: every guess stands there with its evidence.
#'
#' @param data A `tide_data` object with pages or queries; `NULL` for settings without guesses.
#' @param dir The project's folder; it is made where missing. `NULL` only guesses.
#' @param exports Paths of exports to name in the settings.
#' @return A `tide_init` object: a list with `site`, `brand` (a data.table: `word`, `why`,
#'   `queries`, `clicks`, `position`, `sure`: whether it is written as a brand word or only as a
#'   comment), `folders` (`folder`, `pages`, `clicks`) and `file` (the path of the settings, or
#'   `NULL`). Methods: `print`, `format`.
#' @details The host's longest label is taken for the name. A spelling is written as a brand word
#'   where at least half of its clicks land on the pages that the name itself leads to, and as a
#'   comment otherwise.
#' @section Errors: `tide_error_project` where the folder holds settings already.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' tide_init(data)
#' readLines(tide_init(data, tempfile("project"))$file)
#' @export
tide_init <- function(data = NULL, dir = NULL, exports = NULL) {
  if (!is.null(data)) check_class(data, "tide_data", "data")
  check_text(dir, "dir", null = TRUE)
  suggested <- if (is.null(data)) list() else suggest_settings(data)
  if (!is.null(dir)) suggested$file <- begin_project(dir, suggested, exports)
  structure(suggested, class = c("tide_init", "tide_result"))
}

#' @export
format.tide_init <- function(x, ...) {
  brand <- x$brand
  c(
    if (!is.null(x$site)) sprintf("Site: %s", x$site),
    if (NROW(brand)) {
      c("Brand words", sprintf("  %s%s: %s, %s; %s", brand$word,
        ifelse(brand$sure, "", " (perhaps)"), format_plural(brand$queries, "query", "queries"),
        format_plural(brand$clicks, "click"), brand$why))
    } else {
      "No brand word could be guessed."
    },
    if (NROW(x$folders)) {
      sprintf("Groups of pages: %s", paste(utils::head(x$folders$folder, 8), collapse = ", "))
    })
}

suggest_settings <- function(data) {
  tbl <- pick_table(data, c("query", "page"))
  if (is.null(tbl)) tbl <- pick_table(data, "page")
  host <- folders <- NULL
  if (!is.null(tbl)) {
    pages <- reduce_pages(tbl$rows)
    has_host <- grepl("^[a-z][a-z0-9+.-]*://[^/]", pages$page)
    site <- sub("^([a-z][a-z0-9+.-]*://[^/?]*).*$", "\\1/", pages$page[has_host])
    # A host of other signs than these is no host.
    plain <- grepl("^[a-z][a-z0-9+.-]*://[^[:cntrl:][:space:]\"'<>#]+/$", site)
    has_host[has_host] <- plain
    site <- site[plain]
    weight <- tapply(pages$impressions[has_host], site, sum)
    host <- if (length(weight)) names(weight)[which.max(weight)]
    folders <- data.table(folder = page_group(pages$page, NULL), clicks = pages$clicks)[,
      .(pages = .N, clicks = sum(clicks)), by = "folder"]
    folders <- folders[folders$folder != "/" & folders$pages > 1]
    setorderv(folders, c("clicks", "folder"), c(-1L, 1L))
  }
  list(site = host, brand = suggest_brand(data, host), folders = folders)
}

# Brand words with their evidence: the host's name, then other spellings in the queries.
suggest_brand <- function(data, site) {
  none <- data.table(word = character(), why = character(), queries = integer(), clicks = numeric(),
    position = numeric(), sure = logical())
  if (is.null(site) || is.null(pick_table(data, "query"))) return(none)
  name <- host_name(site)
  if (!nzchar(name)) return(none)
  site_summary <- tide_summary(data)
  sums <- reduce_pairs(site_summary$cells)
  own <- sums[is_brand(site_summary$queries$key, name)[sums$query]]
  words <- data.table(word = name, why = sprintf("the name in %s", site),
    queries = length(unique(own$query)), clicks = sum(own$clicks),
    position = sum(own$weighted) / sum(own$impressions), sure = nrow(own) > 0)
  if (!nrow(own)) {
    # The host does not hold the brand: it is where the clicks land.
    guess <- likely_brand(site_summary)
    if (!is.null(guess)) {
      words <- data.table(word = guess$word, why = "most of its clicks land on the home page",
        queries = sum(is_brand(site_summary$queries$key, guess$word)), clicks = guess$clicks,
        position = NA_real_, sure = FALSE)
    }
  }
  other <- if (nrow(own)) {
    brand_spellings(site_summary$queries$key, sums, site_summary$pages$page, name)
  }
  if (NROW(other)) {
    words <- rbind(words, data.table(
      word = other$word,
      why = sprintf("%s away from '%s', as in '%s'; %s of its clicks land where '%s' leads",
        format_plural(other$edits, "letter"), other$of, other$example,
        format_share(fcoalesce(other$shared, 0)), other$of),
      queries = other$queries,
      clicks = other$clicks,
      position = other$position,
      sure = other$sure))
  }
  words[]
}

check_new_project <- function(dir) {
  path <- file.path(dir, "inktide.yml")
  if (file.exists(path)) {
    abort_tide("The folder has settings already.", where = sprintf("'%s'.", path),
      fix = "Edit them, or name another folder.", class = "project", fault = "call")
  }
}

# Out: the path of the file.
begin_project <- function(dir, suggested, exports) {
  check_new_project(dir)
  file_path <- file.path(dir, "inktide.yml")
  if (!dir.exists(dir)) dir.create(dir, recursive = TRUE, showWarnings = FALSE)
  write_whole(file_path,
    function(path) write_lines(settings_lines(suggested, relative_paths(exports, dir)), path))
}

relative_paths <- function(paths, dir) {
  root <- paste0(normalizePath(dir), "/")
  full <- normalizePath(as.character(paths))
  ifelse(startsWith(full, root), substring(full, nchar(root) + 1), full)
}

# One line of YAML: JSON is YAML, and its escapes keep line breaks and signs that would be obeyed
# inside the quotes.
yaml_text <- function(x) {
  escape_json(as.character(jsonlite::toJSON(as.character(x), auto_unbox = TRUE)))
}

# What stands behind # ends with the line.
yaml_comment <- function(x) gsub("[[:cntrl:]]+", " ", visible_text(x))

settings_lines <- function(suggested, exports) {
  brand <- suggested$brand
  folders <- suggested$folders
  sure <- if (NROW(brand)) brand[brand$sure]
  unsure <- if (NROW(brand)) brand[!brand$sure]
  evidence <- function(at) sprintf("%s, %s, position %s: %s",
    format_plural(at$queries, "query", "queries"), format_plural(at$clicks, "click"),
    format_position(at$position), yaml_comment(at$why))
  c(
    paste("# Settings of this project. Paths are relative to this file; what begins",
      "with # does not count."),
    "",
    if (is.null(suggested$site)) {
      "# site: https://www.example.org/"
    } else {
      sprintf("site: %s", yaml_text(suggested$site))
    },
    "",
    paste("# Words that name you: queries with them are kept apart. Guessed where",
      "evidence is given; take out what is wrong."),
    if (NROW(sure)) {
      c("brand:", sprintf("  - %s  # %s", vapply(sure$word, yaml_text, ""), evidence(sure)))
    } else {
      c("# brand:", "#   - the name people search for, and its misspellings")
    },
    if (NROW(unsure)) {
      sprintf("#  - %s  # perhaps: %s", vapply(unsure$word, yaml_text, ""), evidence(unsure))
    },
    "",
    if (length(exports)) {
      c("# Read where nothing is loaded into the archive.", "exports:",
        sprintf("  - %s", vapply(exports, yaml_text, "")))
    } else {
      c("# exports:", "#   - exports/*.csv")
    },
    paste("# Volumes and costs by query, titles and values by page, where the",
      "archive does not keep them."),
    "# enrichments:",
    "#   - facts/volumes.csv",
    "# What happened when: a table with the columns date, event and pages.",
    "# events: events.csv",
    "",
    paste("# Groups of pages, by the beginning of the path or a regular expression;",
      "the first that fits counts."),
    if (NROW(folders)) {
      c("page_groups:", sprintf("  %s: %s  # %s, %s",
        vapply(gsub("/", "", utils::head(folders$folder, 8)), yaml_text, ""),
        vapply(utils::head(folders$folder, 8), yaml_text, ""),
        format_plural(utils::head(folders$pages, 8), "page"),
        format_plural(utils::head(folders$clicks, 8), "click")))
    } else {
      c("# page_groups:", "#   advice: /guides/")
    },
    "",
    "# The rest, with an example or the default.",
    sub("^(# )?", "# ", setting_lines(setdiff(names(setting_table()),
      c("site", "brand", "exports", "enrichments", "events", "page_groups")))))
}

# A segment put into a project's settings under a name, without touching what else stands there.

# conditions: named list as tide_segment() takes them. Out: the segments as they are then.
keep_segment <- function(dir, name, conditions) {
  file_path <- file.path(dir, "inktide.yml")
  lines <- readLines(file_path, encoding = "UTF-8", warn = FALSE)
  settings <- tide_settings(dir)
  if (!nzchar(trimws(name)) || name %in% c(names(settings$segments), "brand", "non-brand", "all")) {
    abort_tide("A segment needs a name of its own.", where = sprintf("'%s'.", name),
      fix = "Give another name.", class = "argument", fault = "call")
  }
  as_written <- function(value) {
    if (is.list(value)) return(lapply(value, as_written))
    if (is.numeric(value) && length(value) == 2) {
      return(paste(ifelse(is.finite(value), format(value, trim = TRUE), ""), collapse = ":"))
    }
    value
  }
  written <- as_written(conditions)
  # JSON is YAML, too, and quotes what a person typed.
  one_line <- sprintf("  %s: %s", jsonlite::toJSON(name, auto_unbox = TRUE),
    jsonlite::toJSON(written, auto_unbox = TRUE))
  at <- grep("^segments:\\s*(#.*)?$", lines)
  if (length(at)) {
    lines <- append(lines, one_line, at[1])
  } else if (any(grepl("^segments:", lines))) {
    abort_tide("`segments` stands on one line.", where = sprintf("'%s'.", file_path),
      fix = "Write each segment on a line of its own below it.", class = "settings")
  } else {
    lines <- c(lines, "segments:", one_line)
  }
  # Tried aside first: what would not be read again is not written.
  aside <- tempfile("settings")
  dir.create(aside)
  on.exit(unlink(aside, recursive = TRUE))
  write_lines(lines, file.path(aside, "inktide.yml"))
  added <- tide_settings(aside)$segments
  write_whole(file_path, function(path) write_lines(lines, path))
  added
}
