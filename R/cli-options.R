# Options of the program: one table for all commands, parsed by optparse, checked here.

option <- function(flag, type, metavar, help, ...) {
  optparse::make_option(flag, type = type, metavar = metavar, help = help, ...)
}

reading_options <- function() Filter(function(o) o@long_flag %in% c("--exported", "--date-order", "--clicks-above",
  "--columns", "--project", "--quiet"), shared_options())

project_options <- function() Filter(function(o) o@long_flag %in% c("--project", "--format", "--out", "--quiet"),
  shared_options())

shared_options <- function() {
  list(
    option("--brand", "character", "WORDS", "brand words, comma separated, or @FILE with one per line"),
    option("--from", "character", "DATE", "first day, such as 2026-03-01"),
    option("--to", "character", "DATE", "last day"),
    option("--days", "double", "N", "the last N days; without dates: how many days the figures stand for"),
    option("--without", "character", "DAYS", "leave days out: dates, comma separated, A..B for several, or 'unusual'"),
    option("--query", "character", "RE", "only queries that match"),
    option("--not-query", "character", "RE", "no queries that match"),
    option("--page", "character", "RE", "only pages that match"),
    option("--not-page", "character", "RE", "no pages that match"),
    option("--country", "character", "NAMES", "only these, comma separated"),
    option("--device", "character", "NAMES", "only these, comma separated"),
    option("--vertical", "character", "NAMES", "only these, comma separated"),
    option("--rich-result", "character", "NAMES", "only these, comma separated"),
    option("--has-any", "character", "WORDS", "only queries with one of these words"),
    option("--has-all", "character", "WORDS", "only queries with all of these words"),
    option("--has-none", "character", "WORDS", "no queries with one of these words"),
    option("--words", "character", "A:B", "only queries of A to B words (5: for 5 and more)"),
    option("--characters", "character", "A:B", "only queries of A to B characters"),
    option("--intent", "character", "NAMES", "commercial, informational, uncategorised or your own"),
    option("--page-group", "character", "NAMES", "only these groups of pages; folders where none are named"),
    option("--segment", "character", "NAMES",
      "brand, non-brand, all, or segments of inktide.yml; not:NAME for all but it"),
    option("--position", "character", "A:B", "only average positions from A to B"),
    option("--min-impressions", "double", "N", "only query x page pairs with so many"),
    option("--min-clicks", "double", "N", "only query x page pairs with so many"),
    option("--facts", "character", "FILES", "volumes, titles, values by query or page, to put beside"),
    option("--exported", "character", "DATE", "date of the export [the file's]"),
    option("--lag", "double", "N", "unfinished days before the export to leave out [3]"),
    option("--date-order", "character", "ORDER", "dmy or mdy, where dates like 3/4/2026 leave it open"),
    option("--clicks-above", "character", "RULE", "rows with more clicks than impressions: leave out, keep or refuse"),
    option("--columns", "character", "MAP", "headers not known by themselves, such as 'query=What people typed'"),
    option("--project", "character", "DIR", "folder that holds inktide.yml"),
    option("--format", "character", "FORMAT", "table, csv or json [table]", default = "table"),
    option("--out", "character", "FILE", "write the result there"),
    option("--quiet", "logical", "", "say nothing but results and errors", action = "store_true", default = FALSE)
  )
}

abort_call <- function(what, where, mend) abort_tide(what, where, mend, class = "call", fault = "call")

# In: the words after the command. Out: list(options, files).
parse_call <- function(command, words) {
  parser <- optparse::OptionParser(option_list = command$options, add_help_option = FALSE)
  known <- unlist(lapply(command$options, function(o) o@long_flag))
  given <- sub("=.*$", "", words[startsWith(words, "--")])
  unknown <- setdiff(given, c(known, "--"))
  if (length(unknown)) {
    abort_call(sprintf("Unknown option '%s'.", unknown[1]), sprintf("in 'inktide %s'", command$name),
      sprintf("Did you mean '%s'? 'inktide help %s' lists all.", nearest_name(unknown[1], known), command$name))
  }
  parsed <- tryCatch(optparse::parse_args(parser, args = words, positional_arguments = TRUE,
    convert_hyphens_to_underscores = TRUE),
    error = function(e) abort_call("The call cannot be understood.",
      sprintf("%s", gsub("\\s+", " ", conditionMessage(e))),
      sprintf("See 'inktide help %s'.", command$name)),
    warning = function(w) abort_value(words, conditionMessage(w), command$name))
  # Every option has its entry, given or not: `$` completes names, and "to" must never find "top".
  options <- stats::setNames(vector("list", length(known)), gsub("-", "_", sub("^--", "", known)))
  options[names(parsed$options)] <- parsed$options
  formats <- c("table", "csv", "json", command$formats)
  if (!is.null(options$format) && !options$format %in% formats) {
    abort_call("Unknown format.", sprintf("--format %s", options$format),
      sprintf("Use %s or %s.", paste(formats[-length(formats)], collapse = ", "), formats[length(formats)]))
  }
  for (name in c("position", "band", "words", "characters")) options[[name]] <- parse_range(options[[name]],
    paste0("--", name))
  for (name in c("country", "device", "vertical", "rich_result", "has_any", "has_all", "has_none", "intent",
    "page_group", "facts", "kind")) options[[name]] <- split_words(options[[name]])
  options$brand <- brand_words(options$brand)
  options$columns <- parse_mapping(options$columns)
  list(options = options, files = parsed$args)
}

# optparse tells the value but not the option that it was given to.
abort_value <- function(words, message, command) {
  value <- sub('.*got "?\u201c?([^"\u201d]*)["\u201d].*', "\\1", message)
  at <- which(words == value | endsWith(words, paste0("=", value)))[1]
  flag <- if (is.na(at)) "" else if (startsWith(words[at], "--")) sub("=.*", "", words[at]) else words[at - 1]
  abort_call("Not a number.", sprintf("%s %s", flag, value),
    sprintf("Give a number, such as %s 30. See 'inktide help %s'.", flag, command))
}

split_words <- function(text) if (!is.null(text)) trimws(strsplit(text, ",", fixed = TRUE)[[1]])

parse_range <- function(text, flag) {
  if (is.null(text)) return(NULL)
  ends <- as_range(text)
  if (is.null(ends)) abort_call("Not a range.", sprintf("%s %s", flag, text),
    sprintf("Write it as from:to, such as %s 4:20.", flag))
  ends
}

parse_mapping <- function(text) {
  if (is.null(text)) return(NULL)
  pairs <- split_words(text)
  if (!all(grepl("^[a-z_0-9]+=.", pairs))) {
    abort_call("Not a mapping of columns.", sprintf("--columns %s", text),
      "Write it as name=header, comma separated, such as query=Suchwort.")
  }
  stats::setNames(sub("^[^=]*=", "", pairs), sub("=.*", "", pairs))
}

brand_words <- function(text) {
  if (is.null(text)) return(NULL)
  if (!startsWith(text, "@")) return(split_words(text))
  file <- substring(text, 2)
  check_file(file)
  words <- trimws(readLines(file, encoding = "UTF-8", warn = FALSE))
  words[nzchar(words)]
}
