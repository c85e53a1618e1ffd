# Every line that a reader of README, vignettes and help can type works in the demo's folder, and
# what is printed beneath it is what it prints.

document <- function(...) {
  file <- file.path(Sys.getenv("INKTIDE_SOURCE", testthat::test_path("..", "..")), ...)
  if (file.exists(file)) readLines(file, encoding = "UTF-8", warn = FALSE)
}

# The README, with the demo as the working folder until the test ends.
local_readme <- function(test = parent.frame()) {
  skip_unless_studies()
  skip_if_not_installed("nanoparquet")
  readme <- document("README.md")
  skip_if(is.null(readme), "the sources are not at hand")
  dir <- withr::local_tempdir(.local_envir = test)
  inktide::tide_demo(dir)
  withr::local_dir(dir, .local_envir = test)
  readme
}

# Lines in fences, in indented blocks and in backticks that call the program, as words of a shell.
typed_lines <- function(text) {
  spans <- unlist(regmatches(text, gregexpr("(?<=`)inktide [^`]+(?=`)", text, perl = TRUE)))
  blocks <-
    sub("^( {4}|\\$ )(inktide .*)$", "\\2", grep("^( {4}|\\$ )inktide ", text, value = TRUE))
  lines <- unique(c(spans, blocks))
  # Lines that name no command, or a place to be filled in, cannot be typed as they stand.
  names <- paste("inktide", c("load", "trace", "enrich"))
  lines[grepl("^inktide [a-z]", lines) & !lines %in% names &
    !grepl("\\[|\\bFILE\\b|\\bN\\b|A\\.\\.B|QUERY-OR|\\.\\.\\.", lines)]
}

words_of <- function(line) {
  words <- scan(text = sub("^inktide ", "", line), what = "", quote = "\"", quiet = TRUE)
  unlist(lapply(words, function(word) {
    if (grepl("[*]", word) && length(Sys.glob(word))) Sys.glob(word) else word
  }))
}

test_that("each line of README, vignettes and help that can be typed works in the demo's folder", {
  readme <- local_readme()
  # The names of a reader's own files.
  file.copy(inktide::tide_example()[["pairs"]], "export.csv")
  vignettes <-
    list.files(testthat::test_path("..", "..", "vignettes"), "[.]Rmd$", full.names = TRUE)
  help <- vapply(inktide:::cli_commands(), `[[`, "", "example")
  begin <- c("inktide load exports/*.csv --project my-site", "inktide find",
    "inktide decide 1 done --at 2026-08-20", "inktide find --project my-site",
    "inktide decide 1 done --at 2026-08-20 --project my-site")
  lines <- unique(c(begin, help, typed_lines(readme),
    unlist(lapply(vignettes, function(file) typed_lines(readLines(file))))))
  # What asks a service is tried in test-pull.R, what serves a page in test-workbench-browser.R.
  lines <- setdiff(lines, grep("^inktide (demo|init|pull|open)", lines, value = TRUE))
  expect_gt(length(lines), 15)
  for (line in lines) {
    run <- program(words_of(line), "--quiet")
    expect_equal(run$status, 0, label = paste0(line, ": ", paste(run$err, collapse = " ")))
  }
})

test_that("what README prints beneath its lines is what they print, and its R code runs", {
  readme <- local_readme()
  at <- grep("^\\$ inktide ", readme)
  expect_gt(length(at), 0)
  for (i in at) {
    end <- i + which(startsWith(readme[-seq_len(i)], "```"))[1] - 1
    run <- program(words_of(sub("^\\$ ", "", readme[i])), "--quiet")
    expect_equal(utils::head(run$out, end - i), readme[(i + 1):end])
  }
  fences <- grep("^```", readme)
  code <- which(readme == "```r")
  for (i in code) {
    text <- readme[(i + 1):(fences[fences > i][1] - 1)]
    world <- new.env()
    expect_no_error(withr::with_output_sink(tempfile(),
      for (one in parse(text = text)) print(eval(one, world))))
  }
  # The settings shown are settings.
  yaml <- which(readme == "```yaml")[1]
  writeLines(readme[(yaml + 1):(fences[fences > yaml][1] - 1)], "inktide.yml")
  expect_s3_class(tide_settings(".")$segments[[1]], "tide_segment")
})

test_that("the settings on their help page are settings", {
  source <- document("R", "project-settings.R")
  skip_if(is.null(source), "the sources are not at hand")
  from <- which(source == "#' ```yaml")
  lines <- source[(from + 1):(which(source == "#' ```")[1] - 1)]
  dir <- withr::local_tempdir()
  writeLines(sub("^#' ?", "", lines), file.path(dir, "inktide.yml"))
  settings <- tide_settings(dir)
  expect_equal(names(settings$segments), "long questions")
  expect_length(settings$rules$ignore, 2)
  expect_equal(settings$thresholds$striking_distance, c(4, 20))
})

test_that("set-up installs what the package imports", {
  setup <- file.path("..", "..", "tools", "setup.sh")
  skip_if_not(file.exists(setup))
  listed <- sub("^run=\"(.*)\"$", "\\1", grep("^run=", readLines(setup), value = TRUE))
  imports <- read.dcf(file.path("..", "..", "DESCRIPTION"))[, "Imports"]
  needed <- trimws(sub("\\(.*", "", strsplit(imports, ",")[[1]]))
  with_r <- rownames(installed.packages(priority = "base"))
  expect_setequal(strsplit(listed, " ")[[1]], setdiff(needed, with_r))
})
