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
  help <- unlist(lapply(inktide:::cli_commands(), `[[`, "example"))
  begin <- c("inktide load exports/*.csv", "inktide load exports/*.csv --project my-site",
    "inktide find",
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

# Packages that code names: pkg::name, library(pkg) and what asks whether one is there.
named_packages <- function(lines) {
  tokens <- utils::getParseData(parse(text = lines, keep.source = TRUE))
  tokens <- tokens[tokens$terminal, c("token", "text")]
  asks <- which(tokens$text %in% c("library", "require", "requireNamespace", "loadNamespace",
    "skip_if_not_installed") & tokens$token == "SYMBOL_FUNCTION_CALL")
  asked <- tokens[asks + 2L, ]
  library <- tokens$text[asks] %in% c("library", "require")
  asked <- asked$text[asked$token == "STR_CONST" | asked$token == "SYMBOL" & library]
  unique(c(tokens$text[tokens$token == "SYMBOL_PACKAGE"], gsub("[\"']", "", asked)))
}

# The R code of a vignette.
chunk_lines <- function(lines) {
  inside <- cumsum(grepl("^```", lines)) %% 2 == 1
  opens <- which(grepl("^```\\{r", lines))
  block <- cumsum(grepl("^```", lines))
  lines[inside & block %in% block[opens] & !grepl("^```", lines)]
}

test_that("set-up installs every package that is named, recommended ones included", {
  skip_if(is.null(document("tools", "setup.sh")), "the sources are not at hand")
  root <- Sys.getenv("INKTIDE_SOURCE", testthat::test_path("..", ".."))
  setup <- document("tools", "setup.sh")
  list_of <- function(name) {
    line <- grep(sprintf("^%s=\"", name), setup, value = TRUE)[1]
    strsplit(sub("^[a-z]+=\"(.*)\"$", "\\1", line), " ")[[1]]
  }
  mode <- function(name) {
    line <- grep(sprintf("^  %s\\) ", name), setup, value = TRUE)
    setdiff(unlist(regmatches(line, gregexpr("[A-Za-z][A-Za-z0-9]+(?=[ \"])", line, perl = TRUE))),
      c("must", "test", name))
  }
  # What README's commands call is there after `make demo` and `make install`.
  run <- c(list_of("run"), list_of("archive"), list_of("commands"), list_of("workbench"))
  databases <- c("RPostgres", "RPostgreSQL", "RClickhouse")
  tests <- c(run, list_of("test"), databases)
  allowed <- list(R = c(run, databases), exec = run, vignettes = run, tests = c(tests, mode(
    "docs")),
    tools = c(tests, mode("lint"), mode("docs"), mode("site")), bench = c(tests, mode("bench")))
  with_r <- c(unlist(tools:::.get_standard_package_names()$base), "inktide")
  for (folder in names(allowed)) {
    files <- list.files(file.path(root, folder), "[.](R|Rmd)$|^inktide$", recursive = TRUE,
      full.names = TRUE)
    expect_gt(length(files), 0, label = folder)
    for (file in files) {
      lines <- readLines(file, encoding = "UTF-8", warn = FALSE)
      if (endsWith(file, ".Rmd")) lines <- chunk_lines(lines)
      lacking <- setdiff(named_packages(lines), c(with_r, allowed[[folder]]))
      expect_equal(lacking, character(), label = sprintf("not set up, in %s", file))
    }
  }
  dcf <- read.dcf(file.path(root, "DESCRIPTION"))
  field <- function(name) setdiff(trimws(sub("\\(.*", "", strsplit(dcf[, name], ",")[[1]])), with_r)
  expect_setequal(list_of("run"), field("Imports"))
  expect_equal(setdiff(field("Suggests"), tests), character())
})
