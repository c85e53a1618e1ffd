# The table of sentences: whole, well-formed with every number and code, and open to a file over it.

words <- inktide:::usual_words()

# The holes of a template: each a list(field, forms, chosen, print), with `optional`.
holes_of <- function(template) {
  pieces <- inktide:::template_pieces(template)
  unlist(recursive = FALSE, lapply(pieces, function(piece) {
    inside <- if (is.list(piece) && !is.null(piece$pieces)) piece$pieces else list(piece)
    lapply(Filter(is.list, inside), function(hole) {
      c(hole, list(optional = is.list(piece) && !is.null(piece$pieces)))
    })
  }))
}

# Values that a field may have: numbers, codes, names, several names.
field_values <- function(hole) {
  format <- if (length(hole$forms) || !is.null(hole$print)) "count" else {
    inktide:::first_given(words$formats[[hole$field]], "count")
  }
  if (format %in% names(words$terms)) return(as.list(names(words$terms[[format]])))
  switch(format, day = , date = list(as.IDate("2026-09-12")), text = list("kale"),
    path = list("https://www.fernmoor.example/kale/"), page = list("",
      "https://www.fernmoor.example/k/"),
    window = list(1, 90, NA_real_), kinds = list(list("rising"), list(c("rising", "low_ctr"))),
    paths = list(list("/a/"), list(c("/a/", "/b/"))), sources = list(list(character()), list(
      "/a/")),
    quoted = , quoted_or = list(list("kale"), list(c("kale", "leek"))), list(0, 1, 2, 1234.5))
}

# What begins with a name, though it is no sentence of a line.
no_sentence <- c("results_page", "shift_seen", "ctr_repaired", "topic_taken")

test_that("every sentence is whole with every number, code and name, and with what is not known", {
  own <- function(rows) setDT(lapply(rows, function(value) if (is.list(value)) I(value) else value))
  for (code in names(words$sentences)) {
    template <- words$sentences[[code]]
    holes <- holes_of(template)
    names(holes) <- vapply(holes, `[[`, "", "field")
    # Terms have holes of their own.
    terms <- unlist(words$terms[unlist(words$formats[names(holes)])])
    for (term in terms) {
      more <- holes_of(term)
      holes <- c(holes, stats::setNames(more, vapply(more, `[[`, "", "field")))
    }
    most <- 6
    rows <- lapply(holes[!duplicated(names(holes))], function(hole) {
      values <- rep_len(field_values(hole), most)
      if (hole$optional) values[most] <- if (is.list(values[[1]])) list(list(NA_character_)) else NA
      if (is.list(values[[1]])) unlist(values, recursive = FALSE) else do.call(c, values)
    })
    rows <- if (length(rows)) setDT(rows) else data.table(line = seq_len(most))
    said <- inktide:::told_facts(code, rows, words)
    expect_false(any(grepl("[][{}]|  | [.,;:]|\\bNA\\b|NULL|\\(\\)|\"\"", said)), label = paste(
      code, said))
    # What is told of a finding is a sentence; what is worked out may be a formula.
    formula <- !grepl("^[A-Z0-9{]", template)
    if (!formula) expect_true(all(grepl("[.]$", said) | code %in% no_sentence), label = code)
  }
})

test_that("every sentence is asked for somewhere, and no code is without one", {
  code <- unlist(lapply(ls(asNamespace("inktide")), function(name) {
    object <- get(name, asNamespace("inktide"))
    if (is.function(object)) deparse(object) else if (is.character(object)) deparse(object)
  }))
  literals <- unique(unlist(regmatches(code, gregexpr("(?<=\")[a-z_0-9]+(?=\")", code,
    perl = TRUE))))
  asked <- names(words$sentences) %in% literals |
    sub("(some|both|all)$", "", names(words$sentences)) %in% literals
  expect_equal(names(words$sentences)[!asked], character())
  told <- unlist(lapply(demo()$found$facts, `[[`, "code"))
  expect_true(length(told) > 20 && all(told %in% names(words$sentences)))
  # A share that is written as a count is none.
  shares <- grep("(^|_)(share|ctr|chance)$", unlist(lapply(words$sentences, function(template) {
    vapply(Filter(function(hole) is.null(hole$print), holes_of(template)), `[[`, "", "field")
  })), value = TRUE)
  expect_true(all(unlist(words$formats[unique(shares)]) %in% c("share", "rate")) &&
    all(shares %in% names(words$formats)))
  # Formats are there, and only for fields of some sentence.
  formats <- unique(unlist(words$formats))
  expect_true(all(formats %in% c(names(inktide:::field_formats), names(words$terms))))
  expect_setequal(names(words$kinds), names(inktide:::finding_kinds()))
})

test_that("a file over the words changes what it holds, in tables and in the program", {
  file <- csv("numbers: {decimal: ',', thousands: '.'}", "day: [Tag, Tage]",
    "months: [Jan, Feb, Mrz, Apr, Mai, Jun, Jul, Aug, Sep, Okt, Nov, Dez]", "sentences:",
    paste("  position_and_target: 'Position {position}, {impressions} Impressionen in {window}. An",
      "Position {target} etwa {clicks_then|Klick|Klicks}[, {wider%.1f}-mal].'"),
    "kinds: {striking_distance: {label: in Reichweite}}", name = "de.yml")
  found <- demo()$found
  german <- tidy(found, words = tide_words(file))
  english <- tidy(found)
  near <- which(english$kind == "striking_distance")[1]
  expect_match(german$reason[near],
    "^Position [0-9]+,[0-9], [0-9.]+ Impressionen in 90 Tage. An Position")
  expect_equal(german$if_done, english$if_done)
  low <- which(english$kind == "low_ctr")[1]
  expect_match(german$reason[low], "^CTR [0-9,]+% at position [0-9]+,[0-9]")
  # Nothing of it stays.
  expect_equal(tidy(found), english)
  expect_match(format(tide_words(file)), "<tide_words> [0-9]+ sentences")
  for (case in list(c("sentences: {nosuch: 'x'}", "Unknown setting 'nosuch'"),
    c("sentences: {ctr_above: '{clicks} more'}", "holes among \\{times\\}, not \\{clicks\\}"),
    c("months: {a: b}", "months"), c("months: [a, b]", "12 words"),
    c("formats: {ctr: nosuch}", "Unknown setting 'formats'"),
    c("numbers: {decimal: ab}", "one sign"),
    c("sentences: {ctr_above: '{times%s} up'}", "without the hole"),
    c("sentences: {title_lacks: '{words|word} lacking'}", "without the hole"),
    c("sentences: {title_lacks: 'Lacks [{words}.'}", "brackets close"),
    c("terms: {cause: {demand: '{nosuch}'}}", "holes among"),
    c("nosuch: x", "Unknown setting 'nosuch'"))) {
    expect_error(tide_words(csv(case[1], name = "own.yml")), case[2], class = "tide_error_settings")
  }
  dir <- withr::local_tempdir()
  file.copy(file, file.path(dir, "de.yml"))
  writeLines(c("site: https://www.fernmoor.example/", "brand: fernmoor", "words: de.yml"),
    file.path(dir, "inktide.yml"))
  withr::defer(inktide:::use_words(NULL))
  run <- function(...) program("find", tide_example()[["pairs"]], "--exported", "2026-12-01",
    "--kind", "striking_distance", "--details", ...)
  expect_match(run("--project", dir)$out, "Impressionen in 56 Tage", all = FALSE)
  expect_match(run("--project", dir, "--format", "csv")$out, "Impressionen", all = FALSE)
  expect_false(any(grepl("Impressionen", run("--brand", "fernmoor")$out)))
})

test_that("a new kind is a function, an entry and words: it runs through every face", {
  space <- asNamespace("inktide")
  kinds <- inktide:::finding_kinds
  finder <- function(summary, curve, pairs, options) {
    rows <- which(pairs$tested)[1:3]
    list(found = inktide:::pair_findings("seasonal", summary, pairs, rows,
      list(done = c(9, 8, 7), low = 1, high = 20), 0.8, 0.5),
      facts = c(inktide:::new_facts("evidence", "in_season", 1:3, clicks = c(1, 2, 1234)),
        inktide:::new_facts("step", "sow", 1:3, page = "https://www.fernmoor.example/kale/"),
        inktide:::new_facts("derivation", "sown", 1:3, seeds = 0.25)))
  }
  assignInNamespace("finding_kinds", function() {
    c(kinds(), list(seasonal = inktide:::finding_kind(finder, "Z", 2, colour = "#000000", mark = 8,
      sign = "*")))
  }, space)
  withr::defer(assignInNamespace("finding_kinds", kinds, space))
  table <- utils::modifyList(inktide:::usual_words(), list(
    kinds = list(seasonal = list(label = "in season", short = "season",
      meaning = "Now is the time.")),
    sentences = list(in_season = "It is the season: {clicks|click}.", sow = "Sow on {page}.",
      sown = "{seeds%.2f} of the seeds")))
  inktide:::use_words(table)
  withr::defer(inktide:::use_words(NULL))
  found <- tide_find(tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor"),
    kind = c("seasonal", "low_ctr"))
  own <- tidy(found)[found$kind == "seasonal", ]
  expect_equal(own$gain, own$if_done * 0.8 * 0.5)
  expect_setequal(own$reason, sprintf("It is the season: %s.", c("1 click", "2 clicks",
    "1,234 clicks")))
  expect_true(all(own$hours == 2 & startsWith(own$id, "Z-") & own$action == "Sow on /kale/."))
  traced <- format(tide_trace(found, own$id[1]))
  expect_match(traced, "0.25 of the seeds", all = FALSE)
  dir <- withr::local_tempdir()
  for (name in c("list.xlsx", "list.csv", "list.md")) tide_write(found, file.path(dir, name))
  tide_report(found, file.path(dir, "report.html"))
  book <- readxl::read_excel(file.path(dir, "list.xlsx"), 1)
  expect_equal(sum(book$kind == "in season", na.rm = TRUE), 3)
  for (name in c("list.csv", "list.md", "report.html")) {
    expect_match(readLines(file.path(dir, name), warn = FALSE), "It is the season: 1,234 clicks",
      all = FALSE, label = name)
  }
  expect_match(readLines(file.path(dir, "report.html"), warn = FALSE), "Now is the time.",
    all = FALSE)
  expect_s3_class(ggplot2::autoplot(found), "ggplot")
  expect_equal(nrow(tide_group(found)), length(unique(found$page)))
})
