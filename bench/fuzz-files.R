# Exports of every kind with bytes changed, cut out, put in, doubled or cut off: none may crash,
# warn, fail with an error that is not ours, or lose a row without a reason.
#   R_LIBS=.build/library Rscript bench/fuzz-files.R [SEED] [FILES]
suppressPackageStartupMessages({
  library(inktide)
  library(data.table)
})
words <- c(commandArgs(TRUE), "1", "500")
set.seed(as.integer(words[1]))
dir.create(folder <- tempfile())
at <- function(name) file.path(folder, name)

rows <- fread(tide_example()[["pairs"]])[1:60]
fwrite(rows, at("a.csv"))
lines <- readLines(at("a.csv"))
quoted <- copy(rows)[, Query := sprintf("\"%s\"", Query)]
writeLines(c(paste(names(rows), collapse = ";"), do.call(paste, c(quoted, sep = ";"))), at("b.csv"))
writeBin(iconv(list(charToRaw(paste(c("\ufeff", lines), collapse = "\r\n"))), "UTF-8", "UTF-16LE",
  toRaw = TRUE)[[1]],
  at("c.csv"))
con <- gzfile(at("d.gz"), "wb")
writeLines(lines, con)
close(con)
zip::zip(at("e.zip"), "a.csv", root = folder)
openxlsx::write.xlsx(as.data.frame(rows), at("f.xlsx"))
con <- file(at("g.ndjson"), "wb")
jsonlite::stream_out(as.data.frame(rows), con, verbose = FALSE)
close(con)
writeLines(jsonlite::toJSON(as.data.frame(rows)), at("h.json"))
nanoparquet::write_parquet(as.data.frame(rows), at("i.parquet"))
seeds <- lapply(list.files(folder, full.names = TRUE),
  function(file) list(file = file, bytes = readBin(file, "raw", 1e6)))

odd <- c(lapply(c("\n", "\r", "\"", "\"\"", ",", ";", "\t", "-", "%", "1e9", "2.000", "1,5", "NA",
  "Total", "=", ",,,,,,,\n", " - ", "9999-12-31", "\033[2J", "{", "[", "}"),
  charToRaw),
  list(as.raw(0xe9), as.raw(0xff), as.raw(0)))
changed <- function(bytes) {
  for (step in seq_len(sample(3, 1))) {
    from <- sample(length(bytes), 1)
    bytes <- switch(sample(5, 1), replace(bytes, from, as.raw(sample(0:255, 1))),
      bytes[-(from:min(length(bytes), from + sample(0:40, 1)))],
      append(bytes, odd[[sample(length(odd), 1)]], from),
      append(bytes, bytes[from:min(length(bytes), from + 60)], sample(length(bytes), 1)),
      if (runif(1) < 0.3) bytes[1:from] else bytes)
  }
  bytes
}

count <- c(read = 0, refused = 0, wrong = 0)
for (turn in seq_len(as.integer(words[2]))) {
  seed <- seeds[[sample(length(seeds), 1)]]
  file <- at(paste0("changed.", tools::file_ext(seed$file)))
  writeBin(changed(seed$bytes), file)
  warned <- NULL
  data <- tryCatch(withCallingHandlers(tide_read(file, lag = 0, exported = "2026-12-01"),
    warning = function(w) {
      warned <<- conditionMessage(w)
      invokeRestart("muffleWarning")
    }),
    error = identity)
  wrong <- if (!is.null(warned)) {
    warned
  } else if (inherits(data, "tide_error")) {
    NULL
  } else if (inherits(data, "error")) {
    conditionMessage(data)
  } else if (sum(data$sources$rows) != sum(data$sources$kept) + sum(data$left_out$rows)) {
    "rows are lost"
  }
  if (!is.null(wrong)) cat(turn, basename(seed$file), wrong, "\n")
  how <- if (!is.null(wrong)) "wrong" else if (inherits(data, "error")) "refused" else "read"
  count[how] <- count[how] + 1
}
print(count)
