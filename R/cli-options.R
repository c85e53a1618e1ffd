# Options of the program: one table for all commands, parsed by optparse, checked here.

# An option: its flag, what stands behind it (`metavar`), what it is for, its value where it is not
# given, and how its text is read: as `text`, a `range` A:B, a `list` (comma separated), `words`
# (the same, or @FILE), a `mapping` name=header, or a `choice` among `choices`.
text_option <- function(flag, metavar, help, default = NULL, reads = "text", choices = NULL) {
  list(flag = flag, type = "character", metavar = metavar, help = help, default = default,
    reads = reads, choices = choices)
}

choice_option <- function(flag, metavar, choices, help, default = NULL) {
  text_option(flag, metavar, help, default, "choice", choices)
}

list_option <- function(flag, help, metavar = "NAMES") {
  text_option(flag, metavar, help, reads = "list")
}

range_option <- function(flag, help) text_option(flag, "A:B", help, reads = "range")

number_option <- function(flag, metavar, help, default = NULL) {
  list(flag = flag, type = "double", metavar = metavar, help = help, default = default)
}

switch_option <- function(flag, help) {
  list(flag = flag, type = "logical", metavar = "", help = help, default = FALSE)
}

# The value of an option from its text.
read_option <- function(one, value) {
  switch(first_given(one$reads, "as it is"), range = parse_range(value, one$flag),
    list = split_words(value), words = word_list(value), mapping = parse_mapping(value),
    choice = check_choice(as_choice(value, one$choices), one$choices, one$flag),
    days = read_days(value, one$flag), value)
}

# A number of days; Inf for all.
read_days <- function(text, flag) {
  if (tolower(text) == "all") return(Inf)
  days <- suppressWarnings(as.numeric(text))
  if (is.na(days)) {
    abort_call("Not a number of days.", sprintf("%s %s", flag, text),
      sprintf("Give a number, such as %s 30, or all.", flag))
  }
  days
}

# What people write for a choice: in capitals, with spaces or hyphens, in the plural, or with
# another word of the trade.
as_choice <- function(value, choices) {
  plain <- gsub("[ -]+", "_", tolower(value))
  tries <- c(value, plain, sub("ies$", "y", plain), sub("s$", "", plain), trade_words[plain])
  known <- match(tries, gsub("[ -]+", "_", tolower(choices)))
  known <- known[!is.na(known)]
  if (length(known)) choices[known[1]] else value
}

trade_words <- c(date = "day", dates = "day", url = "page", urls = "page", keyword = "query",
  keywords = "query", search_term = "query", search_terms = "query", directory = "folder",
  directories = "folder", search_type = "vertical", search_types = "vertical")

# Only options that are given are made for the parser: making one costs it a millisecond.
parser_option <- function(one) {
  action <- if (one$type == "logical") "store_true" else "store"
  optparse::make_option(one$flag, type = one$type, metavar = one$metavar, help = one$help,
    action = action, default = one$default)
}

flags_of <- function(options) vapply(options, `[[`, "", "flag")

# Those of the options that have these names, or all `but` those.
options_named <- function(options, names, but = FALSE) {
  Filter(function(one) one$flag %in% names != but, options)
}

reading_options <- function(shared) {
  options_named(shared, c("--exported", "--date-order", "--decimal", "--clicks-above", "--repeats",
    "--columns", "--project", "--details", "--quiet", "--verbose"))
}

# What most commands take, as their help lists it.
shared_groups <- function() {
  list(
    `Which days, queries and pages` = list(
      text_option("--brand", "WORDS",
        "brand words, comma separated, or @FILE; none [what the queries show]",
        reads = "words"),
      switch_option("--brand-exact",
        "only these words, not the misspellings that the queries show"),
      text_option("--from", "DATE", "first day, such as 2026-03-01"),
      text_option("--to", "DATE", "last day"),
      text_option("--days", "N", paste("the last N days, or all [90 where a window is needed];",
        "without dates: how many days the figures stand for"), reads = "days"),
      text_option("--without", "DAYS",
        "leave days out: dates, comma separated, A..B for several, or 'unusual'"),
      text_option("--query", "RE", "only queries that match; @FILE: only those listed, one a line"),
      text_option("--not-query", "RE", "no queries that match"),
      text_option("--page", "RE", "only pages that match; @FILE: only those listed"),
      text_option("--not-page", "RE", "no pages that match"),
      list_option("--country", "only these, comma separated"),
      list_option("--device", "only these, comma separated"),
      list_option("--vertical", "only these, comma separated"),
      list_option("--rich-result", "only these, comma separated"),
      list_option("--has-any", "only queries with one of these words", "WORDS"),
      list_option("--has-all", "only queries with all of these words", "WORDS"),
      list_option("--has-none", "no queries with one of these words", "WORDS"),
      range_option("--words", "only queries of A to B words (5: for 5 and more)"),
      range_option("--characters", "only queries of A to B characters"),
      list_option("--intent", "commercial, informational, other or your own"),
      list_option("--page-group", "only these groups of pages; folders where none are named"),
      text_option("--segment", "NAMES",
        "brand, non-brand, all, or segments of inktide.yml; not:NAME for all but it"),
      range_option("--position", "only average positions from A to B"),
      number_option("--min-impressions", "N", "only query x page pairs with so many"),
      number_option("--min-clicks", "N", "only query x page pairs with so many")),
    `How exports are read` = list(
      list_option("--facts", "volumes, titles, values by query or page, to add", "FILES"),
      text_option("--exported", "DATE",
        "date of the export [the file's, no later than the newest day allows]"),
      number_option("--lag", "N", "unfinished days before the export to leave out [3]"),
      choice_option("--date-order", "ORDER", c("dmy", "mdy"),
        "dmy or mdy, where dates like 3/4/2026 leave it open"),
      choice_option("--decimal", "SIGN", c("point", "comma"),
        "point or comma, where figures like 2.000 leave it open"),
      text_option("--clicks-above", "RULE",
        "rows with more clicks than impressions: leave out, keep or refuse"),
      text_option("--repeats", "RULE",
        "rows again with other figures and no dates: ask, newest (counts) or add [ask]"),
      text_option("--columns", "MAP",
        "headers not known by themselves, such as 'query=What people typed'", reads = "mapping")),
    `Project and output` = list(
      text_option("--project", "DIR", "folder that holds inktide.yml"),
      text_option("--source", "NAME", "a database that inktide.yml describes, in place of files"),
      text_option("--format", "FORMAT", "table, csv or json [table, or what --out ends with]",
        "table"),
      text_option("--out", "FILE", "write the result there"),
      switch_option("--details", "all that was left out and should be known, beneath the answer"),
      switch_option("--quiet", "say nothing but results and errors"),
      switch_option("--verbose", "say how long it took and how much memory")))
}

shared_options <- function() unlist(unname(shared_groups()), recursive = FALSE)

abort_call <- function(what, where, fix) {
  abort_tide(what, where, fix, class = "call", fault = "call")
}

# Each option is used or refused: those of `flags` that were given have no meaning in this call.
refuse_given <- function(options, flags, what, fix) {
  found <- intersect(options$given, flags)
  if (length(found)) abort_call(what, paste(found, collapse = ", "), fix)
}

# Options that choose rows: days, and queries, pages and parts of them.
window_flags <- c("--from", "--to", "--days", "--without")
filter_flags <- c("--query", "--not-query", "--page", "--not-page", "--country", "--device",
  "--vertical", "--rich-result", "--has-any", "--has-all", "--has-none", "--words", "--characters",
  "--intent", "--page-group", "--segment", "--position", "--min-impressions", "--min-clicks")
brand_flags <- c("--brand", "--brand-exact")
# How a file is read: of what is stored, that was settled when it was loaded.
file_flags <- c("--date-order", "--decimal", "--clicks-above", "--repeats",
  "--columns")

option_name <- function(flag) gsub("-", "_", sub("^--", "", flag))

# Out: list(options: those given; args: the words besides).
parse_given <- function(words, options) {
  if (!any(startsWith(words, "-"))) return(list(options = list(), args = words))
  optparse::parse_args(
    optparse::OptionParser(option_list = lapply(options, parser_option), add_help_option = FALSE),
    args = words, positional_arguments = TRUE, convert_hyphens_to_underscores = TRUE)
}

# In: the words after the command. Out: list(options, files).
parse_call <- function(command, words) {
  # What follows a bare -- is a file or a query, whatever it begins with.
  last_at <- match("--", words, nomatch = length(words) + 1L)
  literal <- words[seq_along(words) > last_at]
  words <- words[seq_along(words) < last_at]
  known <- flags_of(command$options)
  given <- sub("=.*$", "", words[startsWith(words, "--")])
  unknown <- setdiff(given, known)
  if (length(unknown)) {
    abort_call(sprintf("Unknown option '%s'.", unknown[1]),
      sprintf("in 'inktide %s'", command$name),
      sprintf("Did you mean '%s'? 'inktide help %s' lists all.", nearest_name(unknown[1], known),
        command$name))
  }
  check_given(words, command)
  parsed <- tryCatch(parse_given(words, options_named(command$options, given)),
    error = function(e) abort_call("The call cannot be understood.",
      sprintf("%s", gsub("\\s+", " ", conditionMessage(e))),
      sprintf("See 'inktide help %s'.", command$name)),
    warning = function(w) abort_value(words, conditionMessage(w), command$name))
  # Every option has its entry, given or not: `$` completes names, and "to" must never find "top".
  named <- option_name(flags_of(c(shared_options(), command$options)))
  choices <- stats::setNames(vector("list", length(unique(named))), unique(named))
  for (one in command$options) choices[option_name(one$flag)] <- list(one$default)
  choices[names(parsed$options)] <- parsed$options
  choices$given <- unique(given)
  formats <- c("table", "csv", "json", command$formats)
  # Another ending would promise what the file does not hold.
  ending <- tolower(tools::file_ext(first_given(choices$out, "")))
  if (!is.null(choices$format) && !ending %in% c("", "txt", "csv", "json", "xlsx", "md")) {
    abort_call(sprintf("'inktide %s' writes no such file.", command$name),
      sprintf("--out %s", choices$out), "Name a file that ends in .csv, .json or .txt.")
  }
  # A file says by its ending what it holds.
  if (identical(choices$format, "table") && !is.null(choices$out)) {
    ending <- c(csv = "csv", json = "json", xlsx = "xlsx", md = "markdown")
    named <- ending[tolower(tools::file_ext(choices$out))]
    if (!is.na(named) && !named %in% formats) {
      abort_call(sprintf("'inktide %s' writes no such file.", command$name),
        sprintf("--out %s", choices$out), "Name a file that ends in .csv, .json or .txt.")
    }
    if (!is.na(named)) choices$format <- unname(named)
  }
  if (!is.null(choices$format) && !choices$format %in% formats) {
    abort_call("Unknown format.", sprintf("--format %s", choices$format),
      sprintf("Use %s or %s.", paste(formats[-length(formats)], collapse = ", "),
        formats[length(formats)]))
  }
  if (identical(choices$format, "xlsx") && is.null(choices$out)) {
    abort_call("A workbook needs a file.", "--format xlsx", "Add --out FILE.xlsx.")
  }
  for (one in options_named(command$options, given)) {
    name <- option_name(one$flag)
    choices[name] <- list(read_option(one, choices[[name]]))
  }
  # All days are no window, but one that was asked for.
  choices$every_day <- identical(choices$days, Inf)
  if (choices$every_day) choices["days"] <- list(NULL)
  for (of in c("query", "page")) {
    if (!startsWith(first_given(choices[[of]], ""), "@")) next
    choices[[c(query = "queries", page = "pages")[[of]]]] <- listed_lines(choices[[of]])
    choices[of] <- list(NULL)
  }
  list(options = choices, files = c(parsed$args, literal))
}

# An option that wants a value has one, before the next option.
check_given <- function(words, command) {
  wants <- flags_of(Filter(function(o) o$type != "logical", command$options))
  after <- c(words[-1], "--")
  bare <- which(words %in% wants & startsWith(after, "--"))
  if (length(bare)) {
    abort_call(sprintf("Option '%s' needs a value.", words[bare[1]]),
      sprintf("in 'inktide %s'", command$name),
      sprintf("Give it after the option. See 'inktide help %s'.", command$name))
  }
}

# optparse tells the value but not the option that it was given to.
abort_value <- function(words, message, command) {
  value <- sub('.*got "?\u201c?([^"\u201d]*)["\u201d].*', "\\1", message)
  at <- which(words == value | endsWith(words, paste0("=", value)))[1]
  flag <- if (is.na(at)) {
    ""
  } else if (startsWith(words[at], "--")) {
    sub("=.*", "", words[at])
  } else {
    words[at - 1]
  }
  abort_call("Not a number.", sprintf("%s %s", flag, value),
    sprintf("Give a number, such as %s 30. See 'inktide help %s'.", flag, command))
}

split_words <- function(text) if (!is.null(text)) trimws(strsplit(text, ",", fixed = TRUE)[[1]])

parse_range <- function(text, flag) {
  if (is.null(text)) return(NULL)
  ends <- as_range(text)
  if (is.null(ends)) {
    abort_call("Not a range.", sprintf("%s %s", flag, text),
      sprintf("Write it as from:to, such as %s 4:20.", flag))
  }
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

word_list <- function(text) {
  if (is.null(text)) return(NULL)
  if (startsWith(text, "@")) listed_lines(text) else split_words(text)
}

# The lines of a file that is named as @FILE, without a head such as "query" or "URL".
listed_lines <- function(text) {
  path <- substring(text, 2)
  check_file(path)
  words <- trimws(readLines(path, encoding = "UTF-8", warn = FALSE))
  words <- sub("^\ufeff", "", words)
  words <- words[nzchar(words)]
  heads <- c("query", "queries", "page", "pages", "address", "addresses",
    gsub("_", " ", names(trade_words)))
  if (length(words) > 1 && tolower(words[1]) %in% heads) words <- words[-1]
  if (!length(words)) abort_call("The list is empty.", text, "Write one a line.")
  words
}
