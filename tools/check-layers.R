# Keeps the order of R/ honest. Areas stand in one line, from left to right: what a file uses, as a
# function or as a value, stands in its own area or in one to the left, so there are no cycles.
# Only some areas touch files; only the faces print, draw, or read options, clock and environment.
# Prints each violation; status 1 if there are any.
areas <- c("text", "condition", "check", "stat", "file", "forks", "assumptions", "table", "print",
  "read", "database", "archive", "segment", "sum", "source", "summary", "site", "curve", "change",
  "words", "finding", "explore", "forecast", "project", "pull", "plot", "sheet", "report",
  "workbench", "cli", "inktide")
faces <- c("print", "plot", "sheet", "report", "workbench", "cli")
touch_files <- c("file", "read", "database", "archive", "site", "project", "pull",
  "sheet", "report", "workbench", "cli")

never_in_core <- c("print", "message", "cat", "writeLines", "readline", "commandArgs", "quit",
  "Sys.time", "Sys.Date", "Sys.getenv", "options")
on_files <- c("file", "gzfile", "readLines", "writeLines", "readRDS", "saveRDS", "fread", "fwrite",
  "unlink", "file.exists", "file.remove", "file.rename", "file.copy", "dir.create", "list.files",
  "tempfile", "file.info", "readBin", "writeBin", "unzip", "dbConnect")
# The clock is the default of an argument: the time of an import, the day of a decision. A line is
# written to a connection that the caller has opened.
allowed <- list(Sys.time = c("archive-load.R", "archive-rebuild.R", "site-walk.R",
  "site-walk-ask.R",
  "site-walk-steps.R", "pull-token.R", "pull-device.R"),
  Sys.Date = c("finding-decide.R", "finding-find.R", "pull.R", "pull-facts.R", "project-demo.R",
    "database.R"),
  # A secret comes from the environment alone.
  Sys.getenv = c("pull-secrets.R", "pull-token.R"),
  writeLines = c("file.R", "read-files.R", "read-records.R",
    "archive-records.R"))

paths <- list.files("R", "[.]R$", full.names = TRUE)
area_of <- function(file) sub("[-.].*", "", file)
if (any(!area_of(basename(paths)) %in% areas)) {
  stop("No area for: ",
    paste(basename(paths)[!area_of(basename(paths)) %in% areas], collapse = ", "))
}

# Every top-level definition: its name, its file and all that it uses.
definitions <- unlist(recursive = FALSE, lapply(paths, function(path) {
  Filter(Negate(is.null), lapply(parse(path), function(e) {
    if (!is.call(e) || as.character(e[[1]])[1] != "<-" || !is.name(e[[2]])) return(NULL)
    uses <- codetools::findGlobals(eval(call("function", NULL, e[[3]])), merge = FALSE)
    list(name = as.character(e[[2]]), file = basename(path), uses = unlist(uses),
      calls = uses$functions)
  }))
}))
home <-
  stats::setNames(vapply(definitions, `[[`, "", "file"), vapply(definitions, `[[`, "", "name"))
if (anyDuplicated(names(home))) {
  stop("Defined twice: ", paste(unique(names(home)[duplicated(names(home))]), collapse = ", "))
}

# What can be called without naming its package.
imported <- c(ls(baseenv(), all.names = TRUE), getNamespaceExports("data.table"), "tidy", "glance",
  ".", "head", "update")

violations <- unlist(lapply(definitions, function(one) {
  own <- area_of(one$file)
  used <- setdiff(intersect(one$uses, names(home)), one$name)
  right <- used[match(area_of(home[used]), areas) > match(own, areas)]
  face <- if (!own %in% faces) intersect(one$uses, setdiff(never_in_core, names(home)))
  access <- if (!own %in% touch_files) intersect(one$uses, setdiff(on_files, names(home)))
  outside <- Filter(function(name) !one$file %in% allowed[[name]], union(face, access))
  unknown <- setdiff(one$calls, c(names(home), imported))
  c(
    sprintf("%s: %s() uses %s of %s, which stands to the right", one$file, one$name, right,
      home[right]),
    sprintf("%s: %s() calls %s(), which is not its area's", one$file, one$name, outside),
    sprintf("%s: %s() calls %s(), which is nowhere", one$file, one$name, unknown))
}))

# No text of the core speaks of options, commands or the width of a terminal.
for (path in paths[area_of(basename(paths)) != "cli"]) {
  data <- utils::getParseData(parse(path, keep.source = TRUE))
  texts <- data[data$token == "STR_CONST", c("text", "line1")]
  speaks <- grep(paste0("(^|[^-[:alnum:]])--[a-z]|\\binktide (demo|init|load|check|enrich|curve|",
    "find|decide|outcome|trace|follow|compare|report|help)\\b"),
    texts$text)
  violations <- c(violations, sprintf("%s:%d speaks of the command line: %s", path,
    texts$line1[speaks], substr(texts$text[speaks], 1, 60)))
}

# What takes an address or a path for a text would fetch or open it: parse_json() and
# absolute_urls() do not.
fetching <- c("fromJSON", "read_json", "url_absolute", "url_parse")
for (path in paths) {
  data <- utils::getParseData(parse(path, keep.source = TRUE))
  calls <- data[data$token == "SYMBOL_FUNCTION_CALL" & data$text %in% fetching, ]
  violations <- c(violations, sprintf("%s:%d calls %s()", path, calls$line1, calls$text))
}

# Every class of condition stands on its help page.
page <- readLines("R/condition.R")
not_conditions <- c("drawn", "factor", "error", "condition", "follow")
for (path in paths) {
  text <- readLines(path)
  given <- unlist(regmatches(text, gregexpr("class = (c\\()?\"[a-z_]+\"(, \"[a-z_]+\")*", text)))
  for (class in unlist(regmatches(given, gregexpr("(?<=\")[a-z_]+(?=\")", given, perl = TRUE)))) {
    if (startsWith(class, "tide_") || class %in% not_conditions) next
    if (!any(grepl(sprintf("`tide_error_%s`", class), page, fixed = TRUE))) {
      violations <-
        c(violations, sprintf("%s: class '%s' is not on the page of conditions", path, class))
    }
  }
}
writeLines(violations)
quit(status = as.integer(length(violations) > 0))
