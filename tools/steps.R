# docs/steps.md: the job, step by step: each command with the first lines of its answer on the demo
# site. Run from the project's root after `make build`; a test runs the same commands.
library(inktide, lib.loc = file.path(".build", "library"))
root <- getwd()
steps <- utils::read.csv(file.path("tests", "testthat", "fixtures", "steps.csv"))
folder <- file.path(tempfile("steps"), "demo-site")
tide_demo(folder)
setwd(folder)
system2(file.path(root, "exec", "inktide"), c("load", Sys.glob("exports/*.csv"), "--quiet"))
answer <- function(command) {
  words <- shQuote(scan(text = command, what = "", quiet = TRUE)[-1])
  out <- system2(file.path(root, "exec", "inktide"), words, stdout = TRUE, stderr = FALSE)
  out <- out[nzchar(trimws(out))]
  c(utils::head(out, 7), if (length(out) > 7) "...")
}
lines <- unlist(lapply(unique(steps$part), function(part) {
  own <- steps[steps$part == part, ]
  c("", paste("##", part), unlist(Map(function(step, command) {
    c("", paste0(step, ":"), "", "```", paste("$", command), answer(command), "```")
  }, own$step, own$command)))
}))
writeLines(c("# The job, step by step", "",
  "Each step is one command, with the first lines of its answer on the demo site (`inktide demo`)",
  "once its exports are loaded (`inktide load exports/*.csv`). Made by `Rscript tools/steps.R`",
  "from `tests/testthat/fixtures/steps.csv`.", lines),
  file.path(root, "docs", "steps.md"))
