# Keeps the order of R/ honest: a file calls functions of its own layer or of lower ones, and only the upper
# layers print, draw, or touch options, clock and environment. Prints each violation; status 1 if any.
layers <- c(inktide = 0, check = 0, cnd = 0, utils = 0, export = 1, url = 1, project = 3, store = 1, segment = 2,
  summary = 2,
  curve = 3, demo = 3, event = 4, follow = 4, fact = 3, compare = 3, trace = 3, finding = 4, rank = 4, decide = 4,
  move = 4, plot = 5, report = 5, cli = 6)
# What the core (layers 0 to 4) never calls; print methods use cat and are exempt.
faces <- c("print", "message", "writeLines", "readline", "commandArgs", "quit", "Sys.time", "Sys.Date", "Sys.getenv",
  "options")
# The time of an import and the day of a decision are arguments, with the clock as its default.
touching_files <- c(Sys.time = "store-load.R", Sys.time = "store-rebuild.R", Sys.Date = "decide-class.R")

files <- list.files("R", "[.]R$", full.names = TRUE)
area <- sub("-.*", "", basename(files))
if (any(!area %in% names(layers))) stop("No layer for: ",
  paste(basename(files)[!area %in% names(layers)], collapse = ", "))

defined <- do.call(rbind, lapply(files, function(file) {
  names <- Filter(nzchar, vapply(parse(file), function(e) {
    if (is.call(e) && as.character(e[[1]])[1] == "<-" && is.name(e[[2]])) as.character(e[[2]]) else ""
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
  violations <- c(violations, sprintf("%s:%d calls %s() of the higher layer in %s", files[i], calls$line1[up],
    calls$text[up], basename(target[up])))
  if (own <= 4) {
    face <- which(calls$text %in% faces &
      !(calls$text %in% names(touching_files)[touching_files == basename(files[i])]))
    violations <- c(violations, sprintf("%s:%d calls %s(), which belongs to the faces", files[i], calls$line1[face],
      calls$text[face]))
  }
}
writeLines(violations)
quit(status = as.integer(length(violations) > 0))
