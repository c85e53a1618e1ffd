files <- tide_example()
as_table <- function(run) fread(text = c(run$out, ""), sep = ",")

test_that("help and version answer at once, with use and an example", {
  expect_match(process("--version")$out, "^inktide [0-9.]+$")
  for (command in c("demo", "curve", "find", "report")) {
    help <- program("help", command)
    expect_equal(help$status, 0)
    expect_match(help$out, paste0("^  inktide ", command, " [^[]"), all = FALSE)
    expect_equal(program(command, "--help")$out, help$out)
  }
  expect_true(all(vapply(c("curve", "find", "report", "demo"),
    function(x) any(grepl(paste0("^  ", x), program()$out)), NA)))
})

test_that("find prints the same numbers as R, in every format, and nothing else on standard output",
  {
    found <- tidy(tide_find(tide_summary(tide_read(files[["pairs"]]), brand = "fernmoor")))
    csv <- program("find", files[["pairs"]], "--brand", "fernmoor", "--format", "csv")
    expect_equal(csv$status, 0)
    table <- as_table(csv)
    expect_equal(names(table), names(found))
    expect_equal(table$id, found$id)
    expect_equal(table$gain, found$gain, tolerance = 1e-6)
    expect_match(csv$err, "left out", all = FALSE)
    expect_match(csv$err, "^next: inktide", all = FALSE)
    json <- jsonlite::fromJSON(
      program("find", files[["pairs"]], "--brand", "fernmoor", "--format", "json", "--quiet")$out)
    expect_equal(json$score, found$score, tolerance = 1e-6)
    people <-
      program("find", files[["pairs"]], "--brand=fernmoor", "--top", "5", env = "COLUMNS=80")
    expect_true(all(nchar(people$out, "width") <= 80))
    expect_match(people$out[1], "^[0-9]+ tasks: [+]")
    expect_lte(length(people$out) + length(people$err), 30)
    expect_no_match(people$out, "gain = if done")
    detailed <- program("find", files[["pairs"]], "--brand=fernmoor", "--details", "--legend")
    for (part in c("First steps", "Checked and left out", "gain = if done")) {
      expect_match(detailed$out, part, all = FALSE)
    }
  })

test_that("curve has the agreed columns, with brand and non-brand where brand words are given", {
  table <- as_table(program("curve", files[["pairs"]], "--brand", "fernmoor,fern moor", "--format",
    "csv", "--quiet"))
  expect_equal(names(table)[1:8],
    c("segment", "position", "ctr", "ctr_low", "ctr_high", "clicks", "impressions", "pairs"))
  expect_setequal(table$segment, c("brand", "non-brand"))
  expect_equal(unique(table$position), 1:20)
  plain <- program("curve", files[["pairs"]], "--until", "5", "--format", "csv")
  expect_equal(unique(as_table(plain)$segment), "all")
  expect_match(plain$err, "no brand words", all = FALSE)
})

test_that("faults of the call end with 2, of the data with 1, in one message without a trace", {
  bad <- csv("query,clicks,impressions,position", "a,x,2,3")
  cases <- list(list(2, c("fnd", files[["pairs"]]), "Did you mean 'find'"),
    list(2, c("find", files[["pairs"]], "--brnd", "x"), "Did you mean '--brand'"),
    list(2, c("find", files[["pairs"]], "--format", "xml"), "table, csv, json, xlsx or markdown"),
    list(2, c("find", files[["pairs"]], "--position", "9"), "4:20"),
    list(2, c("find", files[["pairs"]], "--query", "(a"), "regular expression"),
    list(2, c("find", files[["pairs"]], "--days", "soon"), "days"),
    list(2, c("find", files[["pairs"]], "--from", "soon"), "one date"),
    list(2, c("find"), "inktide demo"), list(1, c("find", bad), "line 2 has 'x'"),
    list(1, c("find", "nowhere.csv"), "no such file"),
    list(1, c("find", files[["pairs"]], "--query", "zzzz"), "No row is left"),
    list(1, c("find", "--project", tempdir()), "inktide.yml"))
  for (case in cases) {
    run <- do.call(program, c(as.list(case[[2]]), dir = withr::local_tempdir()))
    expect_equal(run$status, case[[1]])
    expect_length(run$out, 0)
    expect_match(paste(run$err, collapse = "\n"), case[[3]], fixed = TRUE)
    expect_false(any(grepl("Error in|Calls:|Execution halted", run$err)))
  }
})

test_that("filters, segments and output files work as said", {
  dir <- withr::local_tempdir()
  run <- program("find", files[["pairs"]], "--brand", "fernmoor", "--query", "seeds", "--device",
    "mobile", "--position", "4:20", "--min-impressions", "20", "--format", "csv", "--out",
    file.path(dir, "list.csv"))
  expect_equal(run$status, 0)
  expect_length(run$out, 0)
  list <- fread(file.path(dir, "list.csv"))
  expect_true(all(grepl("seeds", list$query) & list$impressions >= 20))
  pairs_only <- list[kind != "cannibalized"]
  expect_true(all(pairs_only$position >= 4 & pairs_only$position <= 20))
  brand <- as_table(program("find", files[["pairs"]], "--brand", "fernmoor", "--segment", "brand",
    "--min-gain", "0", "--format", "csv", "--quiet"))
  expect_true(all(grepl("fern ?moor", brand$query)))
  expect_equal(program("find", files[["pairs"]], "--out", file.path(dir, "no", "x.csv"))$status, 1)
})

test_that("a project folder is found upwards, its settings used, its mistakes named by line", {
  dir <- withr::local_tempdir()
  tide_demo(dir, seed = 2, days = 60, share = 0.15)
  inner <- file.path(dir, "exports")
  run <- program("curve", "--format", "csv", "--quiet", dir = inner)
  expect_setequal(as_table(run)$segment, c("brand", "non-brand"))
  write("brnad: [x]", file.path(dir, "inktide.yml"), append = TRUE)
  wrong <- program("curve", dir = dir)
  expect_equal(wrong$status, 1)
  last <- length(readLines(file.path(dir, "inktide.yml")))
  expect_match(paste(wrong$err, collapse = " "), sprintf("line %d.*Did you mean 'brand'", last))
})

test_that("every command has help, and its examples are calls that it understands", {
  shared <- program("help", "filters")$out
  for (name in names(inktide:::cli_commands())) {
    command <- c(inktide:::cli_commands()[[name]], name = name)
    help <- program("help", name)
    expect_equal(help$status, 0)
    expect_lte(length(help$out), 30)
    for (option in command$options) {
      expect_match(c(help$out, shared), option$flag, fixed = TRUE, all = FALSE)
    }
    for (example in command$example) {
      words <- scan(text = example, what = "", quiet = TRUE)
      expect_equal(words[1:2], c("inktide", name))
      parsed <- inktide:::parse_call(command, words[-(1:2)])
      given <- sub("=.*", "", words[startsWith(words, "--")])
      expect_true(all(gsub("-", "_", sub("^--", "", given)) %in% names(parsed$options)))
      if (!length(given)) expect_equal(parsed$files, words[-(1:2)])
    }
  }
  expect_match(paste(program("help", "nosuch")$err, collapse = " "), "Known are demo, .* filters")
})

test_that("a shell completes commands, options and choices from the same table", {
  file <- withr::local_tempfile()
  writeLines(program("completion", "bash")$out, file)
  completes <- function(...) {
    words <- c("inktide", ...)
    script <- sprintf("source %s; COMP_WORDS=(%s); COMP_CWORD=%d; _inktide; echo ${COMPREPLY[@]}",
      file, paste(shQuote(words), collapse = " "), length(words) - 1L)
    strsplit(system2("bash", c("-c", shQuote(script)), stdout = TRUE), " ")[[1]]
  }
  expect_setequal(completes("fo"), c("forecast", "follow"))
  expect_setequal(completes("compare", "--lo"), "--losers")
  expect_setequal(completes("find", "--sort", ""), inktide:::list_orders)
  expect_equal(program("completion", "fish")$status, 2)
})

test_that("windows, lengths and ranges are read as written, and what cannot be meant is refused", {
  expect_equal(inktide:::parse_window("2026-03-01..2026-03-28", "--before"),
    c("2026-03-01", "2026-03-28"))
  expect_equal(inktide:::parse_lengths("7, 28,90"), c(7, 28, 90))
  expect_equal(inktide:::parse_range("4:20", "--band"), c(4, 20))
  expect_equal(inktide:::parse_range("5:", "--words"), c(5, Inf))
  wrong <- list(quote(inktide:::parse_window("2026-03-01", "--before")),
    quote(inktide:::parse_window("2026-03-28..2026-03-01", "--before")),
    quote(inktide:::parse_lengths("7,soon")), quote(inktide:::parse_lengths("0")),
    quote(inktide:::parse_range("nine", "--band")))
  for (call in wrong) {
    expect_equal(expect_error(eval(call), class = "tide_error_call")$fault, "call")
  }
})

test_that("curve shows how parts differ, how methods compare and whether the fit is fine", {
  skip_unless_studies()
  parts <- program("curve", files[["pairs"]], "--by", "device", "--until", "3", "--quiet",
    "--legend")
  expect_equal(parts$status, 0)
  expect_match(parts$out,
    "^(desktop|mobile) against (desktop|mobile): x[0-9.]+ \\([0-9.]+ to [0-9.]+\\) at 1",
    all = FALSE)
  expect_match(parts$out, "pooled by band, non-brand|pooled by band, all", all = FALSE)
  rivals <- as_table(program("curve", files[["pairs"]], "--compare", "--format", "csv", "--quiet"))
  expect_setequal(rivals$method, c("fitted", "pivot", "power"))
  expect_false(is.unsorted(-rivals$log_likelihood))
  fit <- program("curve", files[["pairs"]], "--diagnose", "--quiet")
  expect_match(fit$out, "each folder predicted by the others: off by", all = FALSE)
  prior <- csv("position,ctr", "1,40%", "10,2%")
  leaning <-
    as_table(program("curve", files[["capped"]], "--prior", prior, "--format", "csv", "--quiet"))
  expect_equal(leaning$position, 1:20)
  expect_equal(program("curve", files[["pairs"]], "--by", "weather")$status, 2)
  expect_equal(program("curve", files[["pairs"]], "--prior", csv("a,b", "1,2"))$status, 1)
})
