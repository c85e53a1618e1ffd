# Keeps the order of R/ honest: a file calls functions of its own layer or of lower ones, and only
# the upper layers print, draw, or touch options, clock and environment. Prints each violation;
# status 1 if any.
layers <- c(inktide = 0, check = 0, condition = 0, utils = 0, stat = 1, export = 1, url = 1,
  project = 4, store = 1, segment = 2,
  summary = 2,
  curve = 3, demo = 3, event = 4, follow = 4, fact = 3, compare = 3, trace = 3, finding = 4,
  rank = 4, decide = 4,
  move = 4, plot = 5, report = 5, cli = 6)
# What the core (layers 0 to 4) never calls; print methods use cat and are exempt.
faces <- c("print", "message", "writeLines", "readline", "commandArgs", "quit", "Sys.time",
  "Sys.Date", "Sys.getenv",
  "options")
# The time of an import and the day of a decision are arguments, with the clock as its default.
touching_files <- c(Sys.time = "store-load.R", Sys.time = "store-rebuild.R",
  Sys.Date = "decide-class.R")

files <- list.files("R", "[.]R$", full.names = TRUE)
area <- sub("[-.].*", "", basename(files))
if (any(!area %in% names(layers))) stop("No layer for: ",
  paste(basename(files)[!area %in% names(layers)], collapse = ", "))

defined <- do.call(rbind, lapply(files, function(file) {
  names <- Filter(nzchar, vapply(parse(file), function(e) {
    if (is.call(e) && as.character(e[[1]])[1] == "<-" &&
      is.name(e[[2]])) as.character(e[[2]]) else ""
  }, ""))
  if (length(names)) data.frame(name = names, file = file)
}))
called <- function(file) {
  data <- utils::getParseData(parse(file, keep.source = TRUE))
  data[data$token == "SYMBOL_FUNCTION_CALL", c("text", "line1")]
}

violations <- character()
for (i in seq_along(files)) {
  calls <- called(files[i])
  own <- layers[[area[i]]]
  target <- defined$file[match(calls$text, defined$name)]
  up <- which(!is.na(target) & layers[sub("-.*", "", basename(target))] > own)
  violations <- c(violations, sprintf("%s:%d calls %s() of the higher layer in %s", files[i],
    calls$line1[up],
    calls$text[up], basename(target[up])))
  if (own <= 4) {
    face <- which(calls$text %in% faces &
      !(calls$text %in% names(touching_files)[touching_files == basename(files[i])]))
    violations <- c(violations, sprintf("%s:%d calls %s(), which belongs to the faces", files[i],
      calls$line1[face],
      calls$text[face]))
  }
}
# No text of the core speaks of options, commands or the width of a terminal.
for (i in which(layers[area] < 6)) {
  data <- utils::getParseData(parse(files[i], keep.source = TRUE))
  texts <- data[data$token == "STR_CONST", c("text", "line1")]
  speaks <- grep("(^|[^-[:alnum:]])--[a-z]|\\binktide (demo|init|load|check|enrich|curve|find|decide|outcome|trace|follow|compare|report|help)\\b", texts$text)
  violations <- c(violations, sprintf("%s:%d speaks of the command line: %s", files[i],
    texts$line1[speaks], substr(texts$text[speaks], 1, 60)))
}

# Every class of condition stands on its help page.
told <- readLines("R/condition.R")
for (file in files) {
  for (class in unlist(regmatches(text <- readLines(file),
    gregexpr("class = (c\\()?\"[a-z_]+\"(, \"[a-z_]+\")*", text)))) {
    for (one in regmatches(class, gregexpr("(?<=\")[a-z_]+(?=\")", class, perl = TRUE))[[1]]) {
      if (startsWith(one, "tide_") || one %in% c("drawn", "factor", "error", "condition",
        "follow")) next
      if (!any(grepl(sprintf("`tide_error_%s`", one), told, fixed = TRUE))) violations <-
        c(violations, sprintf("%s: class '%s' is not on the page of conditions", file, one))
    }
  }
}
writeLines(violations)
quit(status = as.integer(length(violations) > 0))
