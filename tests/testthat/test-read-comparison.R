# An export of two windows made from daily rows: each figure twice, windows named by `labels`.
comparison_export <- function(rows, windows, labels,
    figures = c("Clicks", "Impressions", "Position")) {
  sums <- lapply(windows, function(window) {
    own <- rows[date >= window[1] & date <= window[2]]
    own[, .(Clicks = sum(clicks), Impressions = sum(impressions),
      Position = sum(position * impressions) / sum(impressions)),
      by = c("query", "page")]
  })
  both <- merge(sums[[1]], sums[[2]], by = c("query", "page"), all = TRUE, suffixes = c("_1", "_2"))
  for (of in c("Clicks", "Impressions")) {
    for (side in 1:2) setnafill(both, fill = 0, cols = paste0(of, "_", side))
  }
  out <- both[, c("query", "page"), with = FALSE]
  for (of in figures) {
    for (side in 1:2) {
      set(out, j = sprintf(labels[side], of), value = both[[paste0(of, "_", side)]])
    }
    set(out, j = sprintf("%s Difference", of),
      value = both[[paste0(of, "_1")]] - both[[paste0(of, "_2")]])
  }
  file <- file.path(withr::local_tempdir(.local_envir = parent.frame()), "compared.csv")
  fwrite(out, file)
  file
}

test_that("a comparison export gives the changes, signs and order of the daily data", {
  skip_unless_studies()
  rows <- made_site(queries = 200, days = 56)
  last <- max(rows$date)
  rows[as.integer(sub("\\D+", "", query)) %% 20 == 0 & date > last - 28,
    impressions := 3L * impressions]
  windows <- list(c(last - 27, last), c(last - 55, last - 28))
  labels <- vapply(windows, function(w) paste(paste(w, collapse = " - "), "%s"), "")
  data <- tide_read(comparison_export(rows, windows, labels), lag = 0)
  daily <- as_data(rows)
  for (level in c("query", "page", "site")) {
    from_days <- tide_compare(daily, by = level, all_days = TRUE)$moves
    compared <- tide_compare(data, by = level)
    own <- compared$moves[match(from_days$name, compared$moves$name)]
    expect_equal(own$change, from_days$change)
    # Positions of single days are lost: parts of small changes may turn, those that count do not.
    for (part in c("by_demand", "by_position", "by_ctr")) {
      clear <- from_days$significant & abs(from_days[[part]]) >= 5
      expect_equal(sign(own[[part]][clear]), sign(from_days[[part]][clear]))
    }
  }
  expect_equal(as.character(compared$windows$from), as.character(c(last - 55, last - 27)))
  expect_equal(compared$windows$days, c(28L, 28L))
  # What is significant without days is what was planted.
  by_sums <- tide_compare(data)$moves
  marked <- as.integer(sub("\\D+", "", by_sums$name[by_sums$significant]))
  expect_gt(length(marked), 0)
  expect_gte(mean(marked %% 20 == 0), 0.8)
})

test_that("which window is the later shows in dates or words, or is asked for", {
  head <- function(first, second) paste(c("Query",
    vapply(c("Clicks", "Impressions", "Position"),
      function(of) paste(sprintf(c(first, second), of), collapse = ","), "")),
    collapse = ",")
  later <- function(header, ...) {
    data <- tide_read(csv(header, "kale,10,8,100,90,3,4"), ...)
    data$tables$query$rows$clicks
  }
  expect_equal(later(head("Last 28 days %s", "Previous 28 days %s")), 10)
  expect_equal(later(head("%s (previous period)", "%s")), 8)
  expect_equal(later(head("%s 1.7.2026 - 28.7.2026", "%s 29.7.2026 - 25.8.2026")), 8)
  expect_error(later(head("%s A", "%s B")), "does not show which is the later",
    class = "tide_error_columns_twice")
  expect_equal(later(head("%s A", "%s B"), columns = c(clicks = "Clicks B")), 8)
  data <- tide_read(csv(head("Last 28 days %s", "Previous 28 days %s"), "kale,10,8,100,90,3,4"))
  expect_equal(data$tables$query$days, 28L)
  expect_equal(data$earlier$query$rows$clicks, 8)
  expect_equal(nrow(data$sources), 2)
  # Filters hold for both windows.
  few <- tide_filter(data, query = "kale")
  expect_equal(nrow(few$earlier$query$rows), 1)
  expect_match(paste(format(data), collapse = "\n"), "query, earlier window: 1 row")
})

test_that("the program compares and lists a comparison export, and does not store it", {
  skip_if(Sys.which("zip") == "")
  dir <- withr::local_tempdir()
  writeLines(c(paste0("Query,Clicks,Clicks (previous),Impressions,Impressions (previous),",
    "Position,Position (previous)"),
    "kale,10,8,100,90,3,4",
    "pea,0,5,0,50,,6"),
    file.path(dir, "Queries.csv"))
  writeLines(c("Filter,Value", "Date,2026-08-01 - 2026-08-28 vs 2026-07-04 - 2026-07-31"),
    file.path(dir, "Filters.csv"))
  withr::with_dir(dir, utils::zip("both.zip", c("Queries.csv", "Filters.csv"), "-q"))
  run <- function(...) program(..., dir = dir)
  said <- paste(run("compare", "both.zip")$out, collapse = " ")
  expect_match(said, "2026-08-01 to 2026-08-28 against 2026-07-04 to 2026-07-31 (28 days each)",
    fixed = TRUE)
  expect_match(said, "The site lost 3 clicks (13 to 10)", fixed = TRUE)
  listed <- fread(text = run("list", "both.zip", "--format", "csv", "--quiet")$out)
  expect_equal(listed$change, 2)
  expect_equal(listed$clicks_before, 8)
  dated <- paste(run("compare", "Queries.csv", "--after", "2026-08-01..2026-08-28", "--before",
    "2026-06-01..2026-06-14")$out,
    collapse = " ")
  expect_match(dated, "28 days and 14", fixed = TRUE)
  # The report tells the change, too.
  expect_equal(run("report", "both.zip", "--out", "r.html", "--quiet")$status, 0)
  refused <- run("load", "both.zip", "--project", ".")
  expect_false(refused$status == 0)
})

test_that("rows that stand twice without dates are asked for, added or replaced, never guessed", {
  one <- csv("query,clicks,impressions,position", "kale,30,500,4", "pea,10,200,6")
  two <- file.path(dirname(one), "two.csv")
  writeLines(c("query,clicks,impressions,position", "kale,12,400,8", "pea,10,200,6"), two)
  asked <- expect_error(tide_read(c(one, two)), class = "tide_error_repeats")
  expect_match(conditionMessage(asked), "'kale', 12 clicks in '.*two.csv', 30 in '.*export.csv'")
  clicks <- function(...) sum(tide_read(...)$tables$query$rows$clicks)
  expect_equal(clicks(c(one, two), repeats = "add"), 62)
  expect_equal(clicks(c(one, two), repeats = "newest"), 22)
  stacked <- csv("query,clicks,impressions,position", "kale,30,500,4", "kale,12,400,8")
  expect_match(conditionMessage(expect_error(tide_read(stacked), class = "tide_error_repeats")),
    "in line 2 of")
  expect_equal(clicks(stacked, repeats = "add"), 42)
  # The same figures again are a repeat, and with dates the newest export counts.
  expect_equal(
    clicks(c(one, csv("query,clicks,impressions,position", "kale,30,500,4", name = "again.csv"))),
    40)
  dated <- csv("date,query,clicks,impressions,position", "2026-08-01,kale,30,500,4",
    "2026-08-01,kale,12,400,8")
  expect_equal(sum(tide_read(dated)$tables[[1]]$rows$clicks), 12)
})

test_that("dates stand in headers in any usual form, and two devices are rows", {
  exported <- function(labels) {
    figures <- c("Clicks", "Impressions", "Position")
    header <- c("Top queries", unlist(lapply(figures, function(of) sprintf(labels, of))))
    csv(paste(sprintf('"%s"', header), collapse = ","),
      sprintf("kale %d,%d,%d,%d,%d,3,4", 1:30, 40:69, 30:59, 500, 600))
  }
  forms <- list(c("10/1/26 - 10/28/26 %s", "9/3/26 - 9/30/26 %s"),
    c("%s 9/3/26 - 9/30/26", "%s 10/1/26 - 10/28/26"),
    c("Oct 1, 2026 - Oct 28, 2026 %s", "Sep 3, 2026 - Sep 30, 2026 %s"),
    c("01.10.2026 - 28.10.2026 %s", "03.09.2026 - 30.09.2026 %s"))
  for (form in forms) {
    data <- tide_read(exported(form), lag = 0)
    moves <- tide_compare(data, by = "query")
    expect_equal(as.character(moves$windows$from), c("2026-09-03", "2026-10-01"))
    later <- if (grepl("10", form[1]) || grepl("Oct", form[1])) 40 else 30
    expect_equal(moves$moves[name == "kale 1"]$clicks_after, later)
  }
  # Where day and month cannot be told apart, both windows are equally long.
  unclear <- tide_read(exported(c("10/1/26 - 10/7/26 %s", "9/1/26 - 9/7/26 %s")), lag = 0)
  expect_equal(tide_compare(unclear)$windows$days, c(7, 7))
  devices <- tide_read(exported(c("Desktop %s", "Mobile %s")), lag = 0)
  expect_equal(names(devices$tables), "query x device")
  listed <- as.data.table(tidy(tide_inventory(devices, by = "device")))
  expect_equal(listed[tolower(device) == "mobile"]$clicks, sum(30:59))
  for (two in list(c("United Kingdom", "Ireland"), c("Frankreich", "Spanien"), c("USA", "CAN"))) {
    countries <- tide_read(exported(paste(two, "%s")), lag = 0)
    listed <- as.data.table(tidy(tide_inventory(countries, by = "country")))
    expect_equal(listed$clicks[match(tolower(two), tolower(listed$country))],
      c(sum(40:69), sum(30:59)))
  }
})

test_that("a comparison by page alone has what changed and why", {
  pages <- csv(paste0("Top pages,Last 28 days Clicks,Previous 28 days Clicks,",
    "Last 28 days Impressions,Previous 28 days Impressions,Last 28 days Position,",
    "Previous 28 days Position"),
    sprintf("https://www.fernmoor.example/p%d/,%d,100,2000,1000,3,3", 1:40, 200))
  moves <- tide_compare(tide_read(pages, lag = 0))
  expect_equal(moves$level, "page")
  expect_equal(moves$site$change, 40 * 100)
  expect_gt(moves$site$by_demand, 0.9 * moves$site$change)
})
