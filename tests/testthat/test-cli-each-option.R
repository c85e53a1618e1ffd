# The whole table of options and commands: on a call where it can matter, each option changes what
# comes back, or is refused by its name. Commands that only write (demo, init, load, pull, enrich,
# decide) and faces of the same rows (report, open) have their own tests.

# A project whose rows, facts, pages and decisions give every option something to do.
busy_project <- function(dir) {
  rows <- fread(tide_example()[["pairs"]])
  set.seed(2)
  rows[, c("Country", "Vertical") := list(c("nor", "deu", "swe")[1 + seq_len(.N) %% 3],
    fifelse(seq_len(.N) %% 7 == 0, "image", "web"))]
  rows[seq_len(.N) %% 9 == 0, "Query" := "fernmor seeds"]
  rows <- rows[, .(Clicks = sum(Clicks), Impressions = sum(Impressions),
    Position = round(sum(Position * Impressions) / sum(Impressions), 2)),
    by = c("Date", "Query", "Page", "Device", "Country", "Vertical")]
  top <- rows[!grepl("fern", Query), .(clicks = sum(Clicks)), by = "Query"][order(-clicks)]$Query
  file <- function(name, ...) {
    path <- file.path(dir, name)
    fwrite(data.table(...), path)
    path
  }
  fwrite(rows, file.path(dir, "rows.csv"))
  pages <- sub("https://www.fernmoor.example", "", unique(rows$Page))
  page <- sub("https://www.fernmoor.example", "", rows[Query == top[1]]$Page[1])
  writeLines(c("site: https://www.fernmoor.example/", "brand: [fernmoor]",
    sprintf("watched: {ours: [%s]}", paste(c(top[1:30], page), collapse = ", ")),
    "segments:", "  guides: {page: /guides/}", "  phones: {device: mobile}"),
    file.path(dir, "inktide.yml"))
  html <- file.path(dir, "html")
  for (name in pages[seq_len(60)]) {
    dir.create(file.path(html, name), recursive = TRUE, showWarnings = FALSE)
    writeLines(sprintf("<title>%s</title><p>Seeds.</p>", basename(name)),
      file.path(html, name, "index.html"))
  }
  volume <- file("volume.csv", query = unique(rows$Query), volume = 10 * seq_along(unique(
    rows$Query)))
  run <- function(...) {
    done <- program(..., "--project", dir, "--quiet")
    if (done$status != 0) stop(paste(done$err, collapse = " "))
    done
  }
  run("load", file.path(dir, "rows.csv"), tide_example()[["totals"]], "--exported", "2026-11-03")
  run("pages", html)
  run("enrich", volume)
  ids <- fread(text = run("find", "--format", "csv")$out)$id
  run("decide", ids[1], "done", "--at", "2026-09-28")
  run("decide", ids[2], "harmless")
  list(dir = dir, top = top, page = page, volume = volume,
    values = file("values.csv", page = unique(rows$Page), sessions = 1000, conversions = 30,
      value = 500),
    events = file("events.csv", date = "2026-10-01", event = "update", pages = ""),
    results = file("results.csv", query = rep(top[1:40], each = 2), place = 1:2,
      address = "https://other.example/", title = "Seeds", features = "answer"))
}

test_that("each option of each command changes what comes back, or is refused by its name", {
  skip_unless_studies()
  dir <- withr::local_tempdir()
  site <- busy_project(dir)
  prior <- file.path(dir, "prior.csv")
  writeLines(c("position,ctr", sprintf("%d,%g", 1:10, 0.3 / 1:10)), prior)
  word <- "grow"
  # A value that matters on this site; "" for a switch.
  values <- c("--brand" = "grow", "--brand-exact" = "", "--from" = "2026-09-25",
    "--to" = "2026-10-20", "--days" = "21", "--without" = "2026-10-05..2026-10-09",
    "--query" = word, "--not-query" = word, "--page" = "/guides/", "--not-page" = "/guides/",
    "--country" = "nor", "--device" = "mobile", "--vertical" = "image", "--rich-result" = "recipe",
    "--has-any" = word, "--has-all" = word, "--has-none" = word, "--words" = "2:3",
    "--characters" = "1:16", "--intent" = "informational", "--page-group" = "/guides/",
    "--segment" = "brand", "--position" = "3:6", "--min-impressions" = "150",
    "--min-clicks" = "12", "--facts" = site$values, "--exported" = "2026-10-20", "--lag" = "9",
    "--columns" = "query=Page", "--format" = "json", "--out" = file.path(dir, "o.csv"),
    "--verbose" = "", "--source" = "nosuch", "--kind" = "low_ctr", "--hours" = "3",
    "--view" = "page", "--target" = "3", "--per-page" = "1", "--min-gain" = "3", "--fdr" = "0.01",
    "--band" = "8:12", "--top" = "2", "--sort" = "impressions", "--all" = "", "--page-view" = "",
    "--figure" = file.path(dir, "o.svg"), "--by" = "device", "--lead" = "2", "--windows" = "7",
    "--ascending" = "", "--after" = "2026-10-05..2026-10-14", "--before" = "2026-09-08..2026-09-17",
    "--year" = "", "--level" = "page", "--all-days" = "", "--why" = site$top[1],
    "--events" = site$events, "--results-pages" = site$results, "--segments" = "guides,phones",
    "--prior" = prior, "--months" = "2", "--do" = "2", "--budget" = "3", "--draw" = "ctr",
    "--details" = "", "--legend" = "", "--losers" = "", "--gainers" = "", "--axes" = "log",
    "--target-ctr" = "0.3", "--leading" = "clicks", "--lines" = "1",
    "--of" = site$page, "--against" = "phones")
  in_project <- c("--project", dir)
  calls <- list(find = in_project, curve = in_project, list = in_project, compare = in_project,
    trace = c(site$page, in_project), follow = in_project, watched = in_project,
    value = c(in_project, "--facts", site$values), pages = c("--missing", in_project),
    outcome = in_project)
  # All days are the same where none is unusual; a trace by query has no facts of pages.
  idle <- list(follow = "--all-days", compare = "--all-days", watched = c("--all-days",
    "--brand", "--brand-exact"),
    trace = "--facts")
  # Refused by what the data lack.
  elsewhere <- "No table is by rich result|A window lies outside the data"
  dropped <- character()
  tried <- 0
  for (command in names(calls)) {
    run <- function(...) {
      unlink(file.path(dir, c("o.csv", "o.svg")))
      done <- program(command, calls[[command]], ...)
      done$files <- tools::md5sum(Filter(file.exists, file.path(dir, c("o.csv", "o.svg"))))
      done
    }
    usual <- run()
    expect_equal(usual$status, 0, label = paste(command, paste(usual$err, collapse = " ")))
    flags <- inktide:::flags_of(inktide:::cli_commands()[[command]]$options)
    for (flag in setdiff(intersect(flags, names(values)), c(calls[[command]], idle[[command]]))) {
      value <- values[[flag]]
      own <- run(flag, if (nzchar(value)) value)
      said <- paste(own$err, collapse = " ")
      tried <- tried + 1
      same <- identical(own$out, usual$out) && identical(own$files, usual$files) &&
        identical(own$err, usual$err)
      # What leaves nothing was used; what has no meaning is named.
      ok <- if (own$status == 0) !same else {
        own$status == 1 || grepl(flag, said, fixed = TRUE) || grepl(elsewhere, said)
      }
      if (!ok) dropped <- c(dropped, paste(command, flag, own$status, said))
    }
  }
  expect_gt(tried, 300)
  expect_equal(dropped, character())
})
