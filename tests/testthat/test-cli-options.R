# Every option of the program does what its help says: called as the program calls it, in this
# process.

pairs_file <- tide_example()[["pairs"]]
rows_of <- function(command, ...) {
  run <- program(command, pairs_file, "--brand", "fernmoor", "--quiet", "--format", "csv",
    "--exported", "2026-12-01", ...)
  expect_equal(run$status, 0L, label = paste(command, paste(c(...), collapse = " ")))
  fread(text = c(run$out, ""))
}
listed <- local({
  made <- NULL
  function() {
    if (is.null(made)) made <<- rows_of("find")
    made
  }
})

test_that("--verbose says time and memory on standard error", {
  said <- program("curve", tide_example()[["pairs"]], "--verbose", "--format", "csv")
  expect_match(said$err, "^  took [0-9.]+ s, [0-9.]+ s of it CPU; most memory [0-9,]+ MB$",
    all = FALSE)
  expect_equal(names(fread(text = said$out))[1], "segment")
})

test_that("filters keep what they say and nothing else", {
  path <- function(rows) sub("^https://[^/]+", "", rows$page)
  words <- function(rows) lengths(strsplit(rows$query, " "))
  has <- function(rows, word) grepl(sprintf("\\b%s\\b", word), rows$query)
  cases <- list(list(c("--query", "^how"), function(rows) grepl("^how", rows$query)),
    list(c("--not-query", "seeds"), function(rows) !grepl("seeds", rows$query)),
    list(c("--page", "/guides/"), function(rows) grepl("/guides/", rows$page)),
    list(c("--not-page", "/guides/"), function(rows) !grepl("/guides/", rows$page)),
    list(c("--has-any", "grow,seeds"), function(rows) has(rows, "grow") | has(rows, "seeds")),
    list(c("--has-all", "how,grow"), function(rows) has(rows, "how") & has(rows, "grow")),
    list(c("--has-none", "seeds"), function(rows) !has(rows, "seeds")),
    list(c("--words", "2:3"), function(rows) words(rows) %in% 2:3),
    list(c("--characters", "5:16"), function(rows) nchar(rows$query) %in% 5:16),
    list(c("--page-group", "/guides/"), function(rows) startsWith(path(rows), "/guides/")),
    list(c("--min-impressions", "40"), function(rows) rows$impressions >= 40),
    list(c("--min-clicks", "5"), function(rows) rows$clicks >= 5),
    list(c("--position", "5:12"), function(rows) rows$position >= 5 & rows$position <= 12))
  for (case in some(cases, 5)) {
    # Ideas for pages and contests stand for several pairs.
    rows <- rows_of("find", case[[1]], "--min-gain", "0", "--kind", "low_ctr,striking_distance")
    told <- paste(case[[1]], collapse = " ")
    expect_gt(nrow(rows), 0, label = told)
    expect_true(all(case[[2]](rows)), label = told)
  }
  intent <-
    rows_of("find", "--intent", "informational", "--min-gain", "0", "--kind", "striking_distance")
  expect_gt(nrow(intent), 0)
  expect_lt(nrow(intent), nrow(rows_of("find", "--min-gain", "0", "--kind", "striking_distance")))
})

test_that("parts of the data are those days, devices and countries", {
  skip_unless_studies()
  whole <- fread(pairs_file)
  sums <- function(...) sum(rows_of("follow", "--top", "1000", ...)$clicks, na.rm = TRUE)
  days <- as.IDate(whole$Date)
  plain <- !grepl("fern ?moor", whole$Query)
  expect_equal(sums("--by", "day"), sum(whole$Clicks))
  expect_equal(sums("--by", "day", "--from", "2026-10-01"), sum(whole$Clicks[days >= "2026-10-01"]))
  expect_equal(sums("--by", "day", "--to", "2026-09-30"), sum(whole$Clicks[days <= "2026-09-30"]))
  expect_equal(sums("--by", "day", "--days", "14"), sum(whole$Clicks[days > max(days) - 14]))
  expect_equal(sums("--by", "day", "--without", "2026-09-10..2026-09-12"),
    sum(whole$Clicks[!days %between% as.IDate(c("2026-09-10", "2026-09-12"))]))
  expect_equal(sums("--by", "day", "--device", "mobile"),
    sum(whole$Clicks[whole$Device == "mobile"]))
  more <- copy(whole)[, c("Country", "Vertical", "Search appearance") := list(
    fifelse(seq_len(.N) %% 2 == 0, "nor", "deu"), "web",
    fifelse(seq_len(.N) %% 5 == 0, "recipe", ""))]
  file <- withr::local_tempfile(fileext = ".csv")
  fwrite(more, file)
  of_file <- function(...) {
    run <- program("follow", file, "--format", "csv", "--quiet", "--exported", "2026-12-01", "--by",
      "day", "--top", "1000", ...)
    expect_equal(run$status, 0L)
    sum(fread(text = run$out)$clicks, na.rm = TRUE)
  }
  expect_equal(of_file("--country", "nor"), sum(more$Clicks[more$Country == "nor"]))
  expect_equal(of_file("--vertical", "web"), sum(more$Clicks))
})

test_that("the list is cut, ordered and turned as asked", {
  all <- listed()
  expect_equal(unique(rows_of("find", "--kind", "new_page,striking_distance")$kind),
    "striking_distance")
  day <- rows_of("find", "--hours", "8")
  expect_lte(sum(day$hours), 8)
  expect_true(all(day$id %in% all$id))
  expect_false(anyDuplicated(rows_of("find", "--per-page", "1")$page) > 0)
  large <- rows_of("find", "--min-gain", "2")
  done <- function(rows) tapply(rows$if_done, rows$task, sum)
  expect_true(nrow(large) > 0 && all(done(large) >= 2))
  expect_setequal(large$task, names(which(done(all) >= 2)))
  strict <- rows_of("find", "--fdr", "0.01", "--kind", "low_ctr")
  expect_gte(nrow(rows_of("find", "--fdr", "0.4", "--kind", "low_ctr")), nrow(strict))
  expect_true(nrow(strict) == 0 || mean(strict$confidence) >= 0.95)
  far <- rows_of("find", "--band", "11:20", "--kind", "striking_distance")
  expect_true(nrow(far) > 0 && all(far$position >= 11 & far$position <= 20))
  step <- function(target) rows_of("find", "--target", target, "--kind", "striking_distance",
    "--min-gain", "0")
  expect_gt(sum(step("1")$gain), 0)
  expect_match(step("+3")$reason, "3", all = FALSE)
  for (view in some(c("page", "query", "folder", "topic"))) {
    turned <- rows_of("find", "--view", view)
    expect_equal(sum(turned$gain), sum(all$gain), label = view)
  }
  expect_equal(rows_of("find", "--page-view"), rows_of("find", "--view", "page"))
})

test_that("curves are shown, compared and checked by every option", {
  skip_unless_studies()
  fitted <- rows_of("curve", "--until", "6")
  expect_equal(max(fitted$position), 6)
  for (method in c("pivot", "power")) {
    other <- rows_of("curve", "--method", method)
    expect_true(nrow(other) > 5 && all(other$ctr >= 0 & other$ctr <= 1, na.rm = TRUE),
      label = method)
  }
  for (by in some(c("device", "intent", "page_group", "words", "month"))) {
    parts <- rows_of("curve", "--by", by)
    expect_gt(
      length(unique(parts[[setdiff(intersect(c("segment", "part", by), names(parts)), "")[1]]])), 1,
      label = by)
  }
  prior <- withr::local_tempfile(fileext = ".csv",
    lines = c("position,ctr", sprintf("%d,%g", 1:10, 0.3 / 1:10)))
  expect_gt(nrow(rows_of("curve", "--prior", prior)), 5)
  for (flag in c("--compare", "--diagnose")) {
    expect_gt(nrow(rows_of("curve", flag)), 0, label = flag)
  }
  figure <- withr::local_tempfile(fileext = ".svg")
  rows_of("curve", "--figure", figure)
  expect_match(readLines(figure, n = 2), "svg", all = FALSE)
})

test_that("windows, levels and events of a comparison are those asked for", {
  skip_unless_studies()
  apart <- rows_of("compare", "--after", "2026-10-11..2026-10-17", "--before",
    "2026-09-13..2026-09-19", "--level", "site")
  whole <- fread(pairs_file)
  week <- function(from) {
    sum(whole$Clicks[as.IDate(whole$Date) %between% (as.IDate(from) + c(0, 6))])
  }
  expect_equal(c(apart$clicks_before, apart$clicks_after),
    c(week("2026-09-13"), week("2026-10-11")))
  lengths <- rows_of("compare", "--windows", "7,14", "--level", "site")
  expect_equal(lengths$days, c(7, 14))
  loose <- rows_of("compare", "--fdr", "0.5", "--level", "page")
  expect_gte(sum(loose$significant), sum(rows_of("compare", "--fdr", "0.01", "--level",
    "page")$significant))
  none <- program("compare", pairs_file, "--year", "--quiet", "--exported", "2026-12-01")
  expect_equal(none$status, 2L)
  expect_match(none$err, "outside the data", all = FALSE)
  why <- program("compare", pairs_file, "--level", "folder", "--why", "/guides/", "--quiet",
    "--exported", "2026-12-01")
  expect_match(why$out, "lost 18 clicks", all = FALSE)
  events <-
    withr::local_tempfile(fileext = ".csv", lines = c("date,event", "2026-10-20,Newsletter"))
  told <- program("compare", pairs_file, "--days", "21", "--events", events, "--exported",
    "2026-12-01", "--level", "page")
  expect_match(paste(told$out, collapse = " "), "only in the later window: Newsletter")
})

test_that("pages are followed by the step, queries and figures asked for", {
  skip_unless_studies()
  by_day <- rows_of("follow", "--by", "day", "--of", "/guides/*", "--top", "2")
  expect_equal(length(unique(by_day$page)), 2)
  expect_true(all(grepl("/guides/", by_day$page)))
  one <- rows_of("follow", "--view", "lines", "--lines", "1", "--top", "3")
  expect_equal(nrow(unique(one[, c("page", "query")])), 3)
  clicks <-
    rows_of("follow", "--view", "lines", "--lines", "1", "--top", "3", "--leading", "clicks")
  expect_setequal(unique(clicks$page), unique(one$page))
  for (view in c("bands", "days", "changes")) expect_silent(rows_of("follow", "--view", view))
  for (draw in some(c("positions", "ctr", "queries"), 1)) {
    figure <- withr::local_tempfile(fileext = ".svg")
    rows_of("follow", "--top", "2", "--draw", draw, "--figure", figure)
    expect_gt(file.size(figure), 2000, label = draw)
  }
})

test_that("decisions are kept with note, name and day, shown, put away and brought back", {
  skip_unless_studies()
  dir <- withr::local_tempdir()
  file.copy(pairs_file, file.path(dir, "export.csv"))
  writeLines(c("brand: [fernmoor]", "exports: [export.csv]"), file.path(dir, "inktide.yml"))
  own <- function(...) program(..., "--project", dir, "--exported", "2026-12-01")
  ids <- fread(text = own("find", "--format", "csv", "--quiet")$out)$id
  expect_equal(own("decide", ids[1], "harmless", "--note", "answered above", "--by", "Ada", "--at",
    "2026-10-20")$status,
    0L)
  expect_equal(own("decide", ids[2], "later", "--until", "2027-02-01")$status, 0L)
  shown <- fread(text = own("decide", "--list", "--format", "csv", "--quiet")$out)
  expect_equal(shown[match(ids[1], shown$id), c("decision", "note", "by")],
    data.table(decision = "harmless", note = "answered above", by = "Ada"))
  expect_equal(as.character(shown$at[match(ids[1], shown$id)]), "2026-10-20")
  left <- fread(text = own("find", "--format", "csv", "--quiet")$out)$id
  expect_false(any(ids[1:2] %in% left))
  expect_true(all(
    ids[1:2] %in% fread(text = own("find", "--all", "--format", "csv", "--quiet")$out)$id))
  # Own hours and chance count in the next list, and go back by 0.
  listed <- function() fread(text = own("find", "--format", "csv", "--quiet")$out)[id == ids[4]]
  assumed <- listed()[, c("hours", "chance", "gain")]
  expect_match(own("decide", ids[4], "open", "--hours", "7", "--chance", "0.05")$out,
    "7 hours by hand, chance 5% by hand")
  expect_equal(listed()[, c("hours", "chance")], data.table(hours = 7, chance = 0.05))
  own("decide", ids[4], "open", "--hours", "0", "--chance", "0")
  expect_equal(listed()[, c("hours", "chance", "gain")], assumed)
  expect_equal(own("decide", ids[3], "done", "--at", "2026-10-10")$status, 0L)
  since <- fread(text = own("outcome", "--since", "14", "--format", "csv", "--quiet")$out)
  expect_equal(c(since$id, since$days), c(ids[3], 14))
  kept <- function() inktide:::kept_outcomes(tide_store(dir))
  before <- kept()
  short <- fread(text = own("outcome", "--days", "20", "--format", "csv", "--quiet")$out)
  expect_false(short$verdict == before$verdict)
  expect_equal(kept(), before)
})

test_that("reading follows what the call says of dates, clicks and headers", {
  lines <- c("Day,What people typed,Page,Clicks,Impressions,Position",
    sprintf("%02d/%02d/2026,query %d,https://www.fernmoor.example/p%d/,%d,%d,%d", rep(1:12, 8),
      rep(3:10, each = 12), 1:96, 1:96 %% 9, c(50, rep(2:3, 48))[1:96], 40, 1 + 1:96 %% 9))
  file <- withr::local_tempfile(fileext = ".csv", lines = lines)
  read <- function(...) program("follow", file, "--columns", "query=What people typed", "--format",
    "csv", "--by", "day", "--top", "20", "--quiet", "--exported", "2027-02-01", ...)
  refused <- read("--date-order", "dmy", "--clicks-above", "refuse")
  expect_equal(refused$status, 1L)
  expect_match(paste(refused$err, collapse = " "), "line 2")
  days <- function(...) sort(unique(as.character(fread(text = read(...)$out)[clicks > 0]$period)))
  expect_equal(range(days("--date-order", "dmy", "--clicks-above", "leave out", "--days", "all")),
    c("2026-03-02", "2026-10-12"))
  # Half a year where no days are chosen, of a file as of an archive.
  expect_equal(min(days("--date-order", "dmy", "--clicks-above", "leave out")), "2026-05-01")
  expect_equal(max(days("--date-order", "mdy", "--clicks-above", "keep")), "2026-12-10")
})

test_that("every wrong call is one clear error: what, where, how to fix it, and status 2", {
  here <- withr::local_tempdir()
  file.copy(pairs_file, file.path(here, "export.csv"))
  dir.create(file.path(here, "full"))
  writeLines("x", file.path(here, "full", "notes.txt"))
  withr::local_dir(here)
  # The call, and what of it the message must show.
  cases <- list(
    list(c("fnd", "export.csv"), c("Unknown command 'fnd'", "find")),
    list(c("help", "curv"), c("Unknown command", "curve")),
    list(c("find", "export.csv", "--tpo", "3"), c("Unknown option '--tpo'", "Did you mean")),
    list(c("find", "export.csv", "--top", "many"), c("Not a number", "--top many")),
    list(c("find", "export.csv", "--format", "pdf"), c("Unknown format", "csv")),
    list(c("find", "export.csv", "--format", "xlsx"), c("A workbook needs a file", "--out")),
    list(c("curve", "export.csv", "--out", "c.xlsx"),
      c("'inktide curve' writes no such file", "csv")),
    list(c("compare", "export.csv", "--by", "band", "--figure", "b.png"),
      c("inktide: These parts are not compared at equal position", "where: band")),
    list(c("find", "export.csv", "--position", "9:5"), c("--position", "9:5")),
    list(c("find", "export.csv", "--words", "a:b"), c("--words", "a:b")),
    list(c("find", "export.csv", "--segment", "phones"),
      c("No such segment 'phones'", "--segment")),
    list(c("list", "export.csv", "--brand", "none", "--segment", "non-brand"),
      c("No brand words are known", "--segment non-brand", "--brand")),
    list(c("find", "export.csv", "--columns", "query"), c("--columns", "query")),
    list(c("find", "export.csv", "--from", "soon"), c("--from", "soon")),
    list(c("find", "export.csv", "--kind", "low"), c("--kind", "low_ctr")),
    list(c("find", "export.csv", "--fdr", "2"), c("--fdr", "0.5")),
    list(c("find", "export.csv", "--hours", "-1"), c("--hours")),
    list(c("find", "export.csv", "--target", "+x"), c("--target", "+x")),
    list(c("find", "export.csv", "--view", "site"), c("--view", "folder")),
    list("find", c("No data to work on")),
    list("trace", c("Nothing to trace")),
    list("load", c("No file")),
    list("enrich", c("No project")),
    list("check", c("No data to work on")),
    list(c("demo", "full"), c("full")),
    list(c("demo", "one", "two"), c("Too many folders")),
    list(c("compare", "export.csv", "--windows", "7,x"), c("Not lengths of windows", "7,28,90")),
    list(c("compare", "export.csv", "--after", "October"),
      c("Not a window", "2026-03-01..2026-03-28")),
    list(c("compare", "export.csv", "--after", "2026-10-20..2026-10-10"),
      c("ends before it begins")),
    list(c("compare", "export.csv", "--after", "2026-10-01..2026-10-20", "--before",
      "2026-09-20..2026-10-05"),
      c("share days")),
    list(c("compare", "export.csv", "--by", "device", "--segments", "a,b"),
      c("Two comparisons at once")),
    list(c("compare", "export.csv", "--by", "device", "--level", "page"), c("line by line")),
    list(c("compare", "export.csv", "--by", "device", "--format", "xlsx", "--out", "x.xlsx"),
      c("no workbook")),
    list(c("compare", "export.csv", "--why", "no such query at all"), c("No such line", "--why")),
    list(c("follow", "export.csv", "--view", "events"), c("No events are known", "--events")),
    list(c("follow", "export.csv", "--by", "month"), c("--by", "week")),
    list(c("curve", "export.csv", "--method", "guess"), c("--method", "pivot")),
    list(c("curve", "export.csv", "--by", "moon"), c("--by", "device")))
  for (case in cases) {
    told <- paste(case[[1]], collapse = " ")
    run <- program(case[[1]])
    message <- paste(run$err, collapse = " ")
    expect_equal(run$status, 2L, label = told)
    expect_match(message, "inktide: ", fixed = TRUE, label = told)
    expect_no_match(message, "something went wrong inside", label = told)
    expect_match(message, "fix: ", label = told)
    for (part in case[[2]]) expect_match(message, part, fixed = TRUE, label = told)
    expect_length(run$out, 0)
  }
  expect_setequal(list.files(here, recursive = TRUE), c("export.csv", "full/notes.txt"))
})

test_that("every command tells the same in CSV and in JSON, and writes it to a file just so", {
  skip_unless_studies()
  cases <- list(c("find", pairs_file), c("find", pairs_file, "--view", "page"),
    c("curve", pairs_file), c("compare", pairs_file, "--level", "folder"),
    c("compare", pairs_file, "--by", "device"), c("follow", pairs_file, "--top", "3"),
    c("follow", pairs_file, "--view", "lines"), c("trace", "radish spacing", pairs_file),
    c("trace", "/guides/*", pairs_file))
  shared <- c("--brand", "fernmoor", "--exported", "2026-12-01", "--quiet")
  for (case in some(cases, 4)) {
    told <- paste(basename(case), collapse = " ")
    csv <- program(case, shared, "--format", "csv")
    json <- program(case, shared, "--format", "json")
    expect_equal(c(csv$status, json$status), c(0L, 0L), label = told)
    rows <- fread(text = c(csv$out, ""), na.strings = "", keepLeadingZeros = TRUE)
    other <- jsonlite::fromJSON(paste(json$out, collapse = "\n"))
    expect_equal(nrow(other), nrow(rows), label = told)
    for (column in names(rows)[vapply(rows, is.numeric, NA)]) {
      expect_equal(as.numeric(other[[column]]), as.numeric(rows[[column]]), tolerance = 1e-6,
        label = paste(told, column))
    }
  }
  # All write their results through one function.
  file <- withr::local_tempfile(fileext = ".csv")
  written <- program(case, shared, "--format", "csv", "--out", file)
  expect_equal(written$status, 0L)
  expect_equal(readLines(file), csv$out)
})

test_that("options are checked before any file is touched", {
  parse <- function(...) inktide:::parse_call(c(inktide:::cli_commands()$find, name = "find"),
    c(...))
  call <- parse("a.csv", "--brand", "x, y z", "--position", "4:20", "--device", "mobile",
    "--columns", "query=Words,page=Where")
  expect_equal(call$files, "a.csv")
  expect_equal(call$options$brand, c("x", "y z"))
  expect_equal(call$options$position, c(4, 20))
  expect_equal(call$options$columns, c(query = "Words", page = "Where"))
  expect_null(call$options$to)
  words <- tempfile()
  writeLines(c("fernmoor", "", " fern moor "), words)
  expect_equal(parse("--brand", paste0("@", words))$options$brand, c("fernmoor", "fern moor"))
  for (bad in list(c("--position", "20:4"), c("--columns", "Words"), c("--brand", "@nowhere"),
      c("--days", "x"), c("--frmat", "csv"))) {
    expect_error(parse(bad), class = "tide_error")
  }
})

test_that("a line of the last list is explained from it, and worked out again where data changed", {
  dir <- withr::local_tempdir()
  fwrite(made_site(queries = 200, days = 40, factor = rep(c(0.3, 1, 1, 1), 50)),
    file.path(dir, "a.csv"))
  writeLines("exports: a.csv", file.path(dir, "inktide.yml"))
  run <- function(...) program(..., "--project", dir, "--quiet")
  rows <- fread(text = run("find", "--format", "csv")$out)
  expect_gt(nrow(rows), 0)
  quick <- run("trace", rows$id[1])
  expect_equal(run("trace", "1")$out, quick$out)
  expect_true(file.exists(file.path(dir, ".inktide-list.json")))
  unlink(file.path(dir, ".inktide-list.json"))
  expect_equal(run("trace", rows$id[1])$out, quick$out)
  # Another list with other data: what was kept is not taken for it.
  run("find")
  fwrite(made_site(queries = 200, days = 41, factor = rep(c(0.3, 1, 1, 1), 50)),
    file.path(dir, "a.csv"))
  fresh <- run("trace", rows$id[1])
  expect_false(identical(fresh$out, quick$out))
})

test_that(
  "a list of queries or pages is a filter, and names that no row has are refused with those it has",
  {
    dir <- withr::local_tempdir()
    rows <- made_site(queries = 60, days = 30)[,
      "device" := c("mobile", "desktop")[1 + as.integer(date) %% 2]]
    fwrite(rows, file.path(dir, "a.csv"))
    writeLines(c("Query  0004", "", "query 0010"), file.path(dir, "list.txt"))
    run <- function(...) program(..., "--lag", "0", "--quiet", dir = dir)
    traced <-
      fread(text = run("trace", "/*", "a.csv", "--query", "@list.txt", "--format", "csv")$out)
    expect_equal(sum(traced$clicks), rows[query %in% c("query 0004", "query 0010"), sum(clicks)])
    expect_equal(run("find", "a.csv", "--query", "@none.txt")$status, 1)
    wrong <- run("find", "a.csv", "--device", "mobil")
    expect_equal(wrong$status, 2)
    expect_match(paste(wrong$err, collapse = " "), "desktop, mobile.*Did you mean 'mobile'")
    same <- function(...) fread(
      text = run("curve", "a.csv", "--brand", "0004", "--format", "csv", ...)$out)
    expect_equal(same("--segment", "not:brand"), same("--segment", "non-brand"))
  })

test_that("every choice of an option stands in its help, and another is refused before all else", {
  commands <- inktide:::cli_commands()
  for (name in names(commands)) {
    for (one in commands[[name]]$options) {
      if (is.null(one$choices)) next
      of <- paste(name, one$flag)
      if (!is.null(one$default)) expect_true(one$default %in% one$choices, label = of)
      for (choice in one$choices) expect_match(one$help, choice, fixed = TRUE, label = of)
      refused <- program(name, one$flag, "no-such-thing", "nowhere.csv")
      expect_equal(refused$status, 2, label = of)
      expect_match(refused$err, paste0("inktide: ", one$flag, " must be one of"), all = FALSE,
        label = of)
    }
  }
})
