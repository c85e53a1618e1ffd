# One number per question: R, the program's table, CSV and JSON, the workbook and the report say the
# same of the same data, figure by figure, and columns add up to the totals that are printed.

# Projects of made-up sites: one with phones, private queries and a day of bots; among the studies
# one `more`, too: another with a gap and queries that come and go, or the demo.
face_projects <- function(dir, more) {
  made <- function(name, rows, hidden) {
    to <- file.path(dir, name)
    dir.create(to)
    fwrite(rows, file.path(to, "rows.csv"))
    days <- rows[, .(clicks = sum(clicks), impressions = sum(impressions),
      position = sum(position * impressions) / sum(impressions)),
      by = "date"]
    fwrite(days[, "clicks" := clicks + hidden][, "impressions" := impressions + 3L * hidden],
      file.path(to, "days.csv"))
    writeLines(c("brand: [zzz]", "exports: [rows.csv, days.csv]"), file.path(to, "inktide.yml"))
    to
  }
  bots <- made_site(queries = 150, days = 100, seed = 4)
  bots[date == as.IDate("2026-04-01"), "impressions" := impressions * 4L]
  bots <- c(bots = made("bots", bots, 5L))
  if (!with_studies()) return(bots)
  if (more == "demo") {
    inktide::tide_demo(file.path(dir, "demo"))
    return(c(bots, demo = file.path(dir, "demo")))
  }
  gap <- made_site(queries = 150, days = 120, seed = 5)
  last <- max(gap$date)
  gap <- gap[!(date == last - 12 | (query == "query 0007" & date > last - 25) |
    (query == "query 0010" & date < last - 25))]
  c(bots, gap = made("gap", gap, 2L))
}

number_in <- function(text) as.numeric(gsub(",", "", text, fixed = TRUE))

html_text <- function(file) {
  text <- gsub("<[^>]+>", " ", paste(readLines(file, encoding = "UTF-8"), collapse = " "))
  gsub("&[lg]t;|\\s+", " ", text)
}

# The rows of a table in the terminal, two lines each: the name with its causes, then numbers.
table_numbers <- function(lines) {
  at <- grep("before +after +change", lines)[1]
  end <- at + which(!nzchar(trimws(lines[-seq_len(at)])))[1] - 1
  rows <- lines[(at + 1):min(end, length(lines), na.rm = TRUE)]
  figures <- rows[seq(2, length(rows), by = 2)]
  t(vapply(strsplit(trimws(figures), " +"), function(x) number_in(x[1:6]), numeric(6)))
}

test_that("what changed is the same in every face, on every level, and adds up", {
  skip_unless_studies()
  dir <- withr::local_tempdir()
  for (project in face_projects(dir, "gap")) {
    run <- function(...) program("compare", "--project", project, "--quiet", ...)
    rows_of <- function(...) fread(text = run("--format", "csv", ...)$out)
    site <- rows_of("--level", "site")
    parts <- inktide:::part_names
    expect_equal(sum(site[, parts, with = FALSE]), site$change, tolerance = 1e-6)
    figures <- c("clicks_before", "clicks_after", "change", parts)
    for (level in some(c("query", "page", "folder", "topic", "pair"))) {
      lines <- rows_of("--level", level)
      expect_equal(colSums(lines[, figures, with = FALSE]), unlist(site[, figures, with = FALSE]),
        tolerance = 1e-6, label = paste(project, level))
    }
    several <- rows_of("--windows", "7,28", "--level", "query")
    expect_equal(colSums(several[several$days == 28, figures, with = FALSE]),
      unlist(site[, figures, with = FALSE]), tolerance = 1e-6)
    # R, from files as they are.
    settings <- tide_settings(project)
    data <- tide_read(settings$exports)
    change <- tide_compare(data, by = "page", rules = settings$rules)
    expect_equal(unlist(change$site[, figures, with = FALSE]),
      unlist(site[, figures, with = FALSE]), tolerance = 1e-6)
    # Raw clicks of both windows, counted by hand.
    own <- data$tables[[which(grepl("query", names(data$tables)))[1]]]$rows
    by_hand <- function(i) {
      w <- change$windows[i]
      sum(own$clicks[own$date >= w$from & own$date <= w$to & !own$date %in% change$unusual$date])
    }
    expect_equal(change$windows$clicks, c(by_hand(1), by_hand(2)))
    # Sentences: the terminal's is the report's, and its parts add up to what it says.
    sentence <- c(inktide:::site_sentences(change), inktide:::private_line(change))
    shown <- paste(run("--level", "page")$out, collapse = " ")
    report <- file.path(dir, "r.html")
    expect_equal(program("report", "--project", project, "--out", report, "--quiet")$status, 0)
    html <- html_text(report)
    for (line in sentence) {
      expect_match(gsub(" +", " ", shown), line, fixed = TRUE)
      expect_match(html, line, fixed = TRUE)
    }
    whole <- inktide:::whole_lines(change$site)
    expect_equal(sum(unlist(whole[, parts, with = FALSE])), whole$change)
    # Tables: each row and each column adds up.
    for (level in some(c("page", "folder", "query"), 1)) {
      at <- table_numbers(run("--level", level, "--top", "7")$out)
      expect_equal(at[, 2] - at[, 1], at[, 3])
      expect_equal(at[, 5] - at[, 4], at[, 6])
      expect_equal(colSums(at[-nrow(at), 1:3, drop = FALSE]), at[nrow(at), 1:3],
        label = paste(project, level))
    }
    # The workbook.
    skip_if_not_installed("readxl")
    book <- file.path(dir, "c.xlsx")
    expect_equal(run("--level", "page", "--format", "xlsx", "--out", book)$status, 0)
    sheet <- readxl::read_excel(book, 1)
    expect_equal(colSums(sheet[figures]), unlist(site[, figures, with = FALSE]), tolerance = 1e-6)
  }
})

test_that("the list, its total, the curve and what was left out are the same in every face", {
  skip_unless_studies()
  dir <- withr::local_tempdir()
  for (project in face_projects(dir, "demo")) {
    run <- function(...) program(..., "--project", project)
    csv <- fread(text = run("find", "--format", "csv", "--quiet")$out)
    json <- jsonlite::fromJSON(paste(run("find", "--format", "json", "--quiet")$out, collapse = ""))
    settings <- tide_settings(project)
    data <- tide_read(settings$exports,
      dimensions = c("date", "query", "page", "country", "device", "vertical"))
    summary <- tide_summary(data, brand = settings$rules$brand)
    found <- tide_find(summary, rules = settings$rules)
    expect_equal(sum(found$findings$gain), sum(csv$gain), tolerance = 1e-6)
    expect_equal(sum(json$gain), sum(csv$gain), tolerance = 1e-6)
    expect_equal(csv$clicks, found$findings$clicks)
    total <- inktide:::format_clicks(sum(csv$gain))
    for (view in some(c("page", "query", "folder", "topic"))) {
      own <- fread(text = run("find", "--view", view, "--format", "csv", "--quiet")$out)
      expect_equal(sum(own$gain), sum(csv$gain), tolerance = 1e-6)
    }
    shown <- run("find")
    expect_match(paste(shown$out, collapse = " "),
      sprintf("tasks?: [+]%s clicks per 30 days", total))
    # The rows and the line beneath them add up to the total that is printed.
    lines <- shown$out[-seq_len(which(!nzchar(shown$out))[1])]
    shape <- "(?<= [+])[0-9,.]+(?= +[+])|(?<=tasks, [+])[0-9,.]+|(?<=task, [+])[0-9,.]+"
    gains <- regmatches(lines, regexpr(shape, lines, perl = TRUE))
    expect_equal(sum(number_in(gains)), number_in(total))
    report <- file.path(dir, "r.html")
    run("report", "--out", report, "--quiet")
    html <- html_text(report)
    expect_match(html, sprintf("worth about %s more clicks per 30 days", total))
    expect_match(html, inktide:::data_window(summary), fixed = TRUE)
    book <- file.path(dir, "l.xlsx")
    run("find", "--format", "xlsx", "--out", book, "--quiet")
    about <- unlist(readxl::read_excel(book, "About", col_names = FALSE, .name_repair = "minimal"))
    expect_true(any(grepl(sprintf("^%s \\(", total), about)))
    # What was left out: notes of each command, the summary and the report.
    left <- summary$left_out
    expect_gt(nrow(left), 0)
    for (command in some(c("find", "curve", "compare", "follow"))) {
      err <- gsub(" +", " ", paste(run(command, "--details")$err, collapse = " "))
      for (i in seq_len(nrow(left))) {
        expect_match(err,
          sprintf("%s, %s", left$reason[i], inktide:::format_plural(left$rows[i], "row")),
          fixed = TRUE, label = command)
      }
    }
    expect_match(html,
      sprintf("%s +%s", gsub("[()]", ".", left$reason[1]), inktide:::format_count(left$rows[1])))
    # The curve.
    curve <- fread(text = run("curve", "--format", "csv", "--quiet")$out)
    expect_equal(curve$ctr, tidy(found$curve)$ctr, tolerance = 1e-6)
    # A segment that no query is of is not shown.
    first <- curve[curve$position == 1 & curve$impressions > 0]
    expect_match(html, sprintf("%s +1 +%s", first$segment[1], inktide:::format_rate(first$ctr[1])))
  }
})
