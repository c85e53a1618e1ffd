test_that("the share-out of a change is exact, symmetric in order, and zero for what did not move (Shapley value)",
  {
    set.seed(1)
    n <- 300
    draw <- function() rpois(n, 3) * sample(0:1, n, TRUE, c(0.2, 0.8))
    d1 <- draw()
    d2 <- draw()
    e1 <- d1 * runif(n)
    e2 <- d2 * runif(n)
    c1 <- rpois(n, e1) * (d1 > 0)
    c2 <- rpois(n, e2) * (d2 > 0)
    factor <- runif(n, 0.5, 2)
    parts <- inktide:::change_parts(c1, c2, e1, e2, d1, d2, factor)
    expect_equal(rowSums(parts), c2 - c1)
    back <- inktide:::change_parts(c2, c1, e2, e1, d2, d1, factor)
    expect_equal(as.matrix(back), -as.matrix(parts))
    # By hand, the mean over both orders of demand 2 -> 3 and clicks for each 5 -> 7, at a factor of
    # 1.1; 23 clicks are had, 20 before.
    one <- inktide:::change_parts(20, 23, 2 * 5, 3 * 7, 2, 3, 1.1)
    expect_equal(one$demand, 1.1 * mean(c(1 * 5, 1 * 7)))
    expect_equal(one$position, 1.1 * mean(c(2 * 2, 2 * 3)))
    expect_equal(one$click_through, 3 - 1.1 * 11)
    still <- inktide:::change_parts(10, 20, 5, 10, 50, 100, 2)
    expect_equal(unlist(still), c(demand = 10, position = 0, click_through = 0, mix = 0))
  })

test_that("parts add up from pair to site on every level, to the last click", {
  data <- as_data(made_site(queries = 120, days = 70))
  curve <- tide_curve(tide_summary(data))
  site <- tide_compare(data, by = "site", curve = curve)$moves
  for (level in c("pair", "query", "page", "folder", "topic")) {
    moves <- tide_compare(data, by = level, curve = curve)$moves
    expect_equal(rowSums(moves[, c("demand", "position", "click_through", "mix")]), moves$change)
    for (column in c("change", "demand", "position", "click_through", "mix", "clicks_before")) {
      expect_equal(sum(moves[[column]]), site[[column]])
    }
  }
})

test_that("each planted cause carries its change, and what stands still is no mover", {
  rows <- made_site(queries = 150, days = 56, demand = rep(30, 150))
  later <- rows$date > as.IDate("2026-01-29")
  take <- function(name) rows$query == name & later
  at <- take("query 0004")
  rows[at, c("position", "clicks") := list(9, rbinom(.N, impressions, made_curve[9]))]
  rows[query == "query 0004" & !later,
    c("position", "clicks") := list(2, rbinom(.N, impressions, made_curve[2]))]
  less <- take("query 0010")
  rows[less, c("impressions", "clicks") :=
    list(impressions %/% 4L, rbinom(.N, impressions %/% 4L, made_curve[pmax(1, position)]))]
  snippet <- rows$query == "query 0016"
  rows[snippet, position := 2]
  rows[snippet, clicks :=
    rbinom(.N, impressions, made_curve[2] * ifelse(date > as.IDate("2026-01-29"), 0.3, 1))]
  rows <- rows[!take("query 0022")]
  moves <- tide_compare(as_data(rows))$moves
  cause <- c("query 0004" = "position", "query 0010" = "demand", "query 0016" = "click_through",
    "query 0022" = "mix")
  for (name in names(cause)) {
    own <- which(moves$name == name)
    line <- moves[own]
    expect_gt(line[[cause[[name]]]] / line$change, 0.8)
  }
  expect_true(all(moves$real[moves$name %in% c("query 0004", "query 0016", "query 0022")]))
  expect_lt(mean(moves$real[!moves$name %in% names(cause)]), 0.03)
  expect_equal(moves$status[moves$name == "query 0022"], "lost")
  expect_match(paste(format(tide_compare(as_data(rows))), collapse = " "), " 1 lost \\(-")
})

test_that("a season that moves all makes no movers, windows are checked and missing days said", {
  rows <- made_site(queries = 150, days = 56, demand = rep(30, 150))
  rows <- rbind(rows[date <= as.IDate("2026-01-29")],
    rows[date > as.IDate("2026-01-29")][,
      c("clicks", "impressions") := list(2L * clicks, 2L * impressions)])
  moves <- tide_compare(as_data(rows[date != as.IDate("2026-02-10")]))
  expect_lt(mean(moves$moves$real), 0.05)
  expect_equal(moves$windows$missing, c(0L, 1L))
  expect_gt(moves$site$demand / moves$site$change, 0.9)
  expect_match(paste(format(moves), collapse = " "), "a season does too")
  data <- as_data(rows)
  expect_error(tide_compare(data, after = c("2030-01-01", "2030-01-28")), class = "tide_error_window")
  expect_error(
    tide_compare(data, after = c("2026-02-01", "2026-02-14"), before = c("2026-01-20", "2026-02-01")),
    class = "tide_error_window")
  expect_error(tide_compare(data, before = "year"), class = "tide_error_window")
})

test_that("drivers tell a page's one query, a folder's every page, and a topic without a page", {
  set.seed(1)
  d <- data.table::CJ(id = 1:60, day = 1:56)
  later <- d$day > 28
  folder <- c("rest", "deep")[1 + (d$id %in% 13:24)]
  page <- ifelse(d$id <= 4, "/one/p/", sprintf("/%s/p%d/", folder, d$id %/% 3))
  topic <- ifelse(d$id %in% 30:41, "fennel", "kale")
  fall <- ifelse(later & d$id == 1, 0.2,
    ifelse(later & d$id %in% 13:24, 0.5, ifelse(later & topic == "fennel", 3, 1)))
  impressions <- rpois(nrow(d), 60 * fall)
  rows <- data.table::data.table(date = as.IDate("2026-01-01") + d$day,
    query = sprintf("%s kind%d", topic, d$id), page = paste0("https://www.fernmoor.example", page),
    clicks = rbinom(nrow(d), impressions, 0.15), impressions = impressions, position = 3)
  drivers <- tide_compare(as_data(rows[impressions > 0]), by = "site")$drivers
  told <- function(wanted) drivers[which(drivers$kind == wanted)]
  expect_true("kale kind1" %in% told("one query")$by)
  expect_equal(told("whole folder")$name, "/deep/")
  expect_equal(told("topic without a page")$name, "fennel")
  expect_match(told("whole folder")$told, "look for what they share")
  quiet <- tide_compare(as_data(made_site(queries = 60, days = 56)), by = "page")$drivers
  expect_lte(nrow(quiet), 1)
})

test_that("the program compares windows, several at once, and tells why", {
  dir <- withr::local_tempdir()
  fwrite(made_site(queries = 60, days = 56), file.path(dir, "a.csv"))
  run <- program("compare", "a.csv", "--level", "page", "--lag", "0", "--format", "csv", dir = dir)
  expect_equal(run$status, 0)
  rows <- fread(text = run$out)
  expect_equal(rows$demand + rows$position + rows$click_through + rows$mix, rows$change,
    tolerance = 1e-6)
  several <- fread(text = program("compare", "a.csv", "--windows", "7,28", "--lag", "0", "--format",
    "csv", dir = dir)$out)
  expect_setequal(several$days, c(7, 28))
  why <- program("compare", "a.csv", "--why", "query 0004", "--lag", "0", dir = dir)
  expect_match(paste(why$out, collapse = " "), "clicks a month")
  expect_equal(program("compare", "a.csv", "--after", "2026-02-30", dir = dir)$status, 2)
  sides <- fread(text = program("compare", "a.csv", "--segments", "brand", "--brand", "query 0004",
    "--level", "site", "--lag", "0", "--format", "csv", dir = dir)$out)
  expect_equal(sides$clicks_after - sides$clicks_before, sides$mix, tolerance = 1e-6)
  told <- program("compare", "a.csv", "--segments", "brand", "--brand", "query 0004", "--level",
    "page", "--why", "/p1/", "--lag", "0", dir = dir)
  expect_match(gsub(" +", " ", paste(told$out, collapse = " ")),
    "clicks a month in brand than in the rest")
})

test_that(
  "luck goes along with the cause that moved, sums stay, and what did not move is left alone",
  {
    parts <- data.table::data.table(demand = c(-20, -20, -4, 6), position = c(-5, 5, 0, 0),
      click_through = c(-4, 3, -9, 2), mix = 0)
    tests <- data.table::data.table(p_visible = c(1e-6, 1e-6, 0.4, 1e-6),
      p_clicked = c(0.6, 0.6, 0.6, 0.01))
    shared <- inktide:::share_luck(data.table::copy(parts), tests, common = c(1, 0, 0, 0))
    expect_equal(rowSums(shared), rowSums(parts))
    expect_equal(unlist(shared[1]), c(demand = -24, position = -6, click_through = 1, mix = 0))
    expect_equal(unlist(shared[2]), c(demand = -17, position = 5, click_through = 0, mix = 0))
    expect_equal(shared[3:4], parts[3:4])
  })

test_that("events that only one window has are told, those of both are not", {
  file <- withr::local_tempfile(fileext = ".csv",
    lines = c("date,event,pages", "2026-01-10,Easter,", "2026-02-20,easter,",
      "2026-02-25,Titles rewritten,/p1/", "2026-01-12,Sale,", "2025-05-01,Relaunch,"))
  windows <- list(before = as.IDate(c("2026-01-01", "2026-01-31")),
    after = as.IDate(c("2026-02-01", "2026-02-28")))
  apart <- inktide:::events_apart(tide_events(file), windows)
  expect_equal(apart[, c("event", "window")],
    data.table(event = c("Sale", "Titles rewritten"), window = c("before", "after")))
  expect_equal(inktide:::events_line(list(events = apart)),
    "only in the later window: Titles rewritten (2026-02-25, some pages); only in the earlier window: Sale (2026-01-12)")
  expect_null(inktide:::events_line(list(events = apart[0])))
  data <- as_data(made_site(queries = 40, days = 60))
  last <- max(data$tables[[1]]$rows$date)
  writeLines(c("date,event", sprintf("%s,New shop", format(last - 3))), file)
  expect_match(paste(format(tide_compare(data, events = tide_events(file))), collapse = " "),
    "only in the later window: New shop")
})

test_that("the season is what the same weekdays did a year before, where they are held", {
  days <- data.table::data.table(date = as.IDate("2025-01-01") + 0:450)
  days[,
    "clicks" := ifelse(date >= as.IDate("2025-03-03") & date < as.IDate("2025-03-31"), 150, 100)]
  windows <- list(before = as.IDate(c("2026-02-02", "2026-03-01")),
    after = as.IDate(c("2026-03-02", "2026-03-29")))
  expect_equal(inktide:::last_season(days, windows)$ratio, 1.5)
  expect_null(inktide:::last_season(days[date > as.IDate("2025-02-20")], windows))
  expect_null(inktide:::last_season(NULL, windows))
  weeks <- inktide:::week_number(as.IDate("2026-02-02") + 0:55, windows)
  expect_equal(weeks, rep(1:8, each = 7))
  uneven <- list(before = as.IDate(c("2026-02-01", "2026-02-10")),
    after = as.IDate(c("2026-02-11", "2026-02-24")))
  expect_equal(sum(is.na(inktide:::week_number(as.IDate("2026-02-01") + 0:23, uneven))), 3)
})

test_that(
  "two segments are held against each other line by line, and a planted difference is found",
  {
    rows <- made_site(queries = 200, days = 40, demand = rep(20, 200))
    rows[query == "query 0030",
      c("position", "clicks") := list(2, rbinom(.N, impressions, made_curve[2]))]
    phone <- copy(rows)[, c("device", "clicks") := list("mobile",
      rbinom(.N, impressions, 0.6 * made_curve[position] * ifelse(query == "query 0030", 0.2, 1)))]
    both <- as_data(rbind(phone, rows[, "device" := "desktop"]))
    segments <-
      list(tide_segment("phone", device = "mobile"), tide_segment("computer", device = "desktop"))
    moves <- tide_compare(both, "query", segments = segments)
    expect_equal(moves$sides, c("computer", "phone"))
    clicks <- function(own) sum(own$clicks) * 30 / 40
    expect_equal(moves$site$clicks_before, clicks(rows))
    expect_equal(moves$site$clicks_after, clicks(phone))
    # All are clicked less on phones, which is the segments' difference; one is clicked less than
    # that.
    expect_gt(moves$site$click_through / moves$site$change, 0.95)
    expect_equal(moves$moves$name[moves$moves$real], "query 0030")
    for (level in c("page", "folder", "site")) {
      expect_equal(sum(tide_compare(both, segments = segments, by = level)$moves$change),
        moves$site$change)
    }
    told <- paste(format(moves), collapse = " ")
    expect_match(told, "phone against computer")
    expect_match(told, "fewer clicks a month in phone than in computer")
    # Exchanged, everything has the other sign; one segment is held against the rest, which is the
    # other here.
    turned <- tide_compare(both, "query", segments = rev(segments))$moves
    expect_equal(turned$change[match(moves$moves$name, turned$name)], -moves$moves$change)
    expect_equal(tide_compare(both, "query", segments = segments[[1]])$moves$change,
      moves$moves$change)
    # Without dates the days are said to be assumed.
    undated <- as_data(rbind(phone, rows, fill = TRUE)[,
      .(clicks = sum(clicks), impressions = sum(impressions),
        position = sum(position * impressions) / sum(impressions)),
      by = c("query", "page", "device")])
    expect_match(format(tide_compare(undated, "query", segments = segments))[1],
      "no dates, taken as 30 days")
    # A table without pages is compared too, query by query.
    no_pages <- as_data(rbind(phone, rows)[, !"page"])
    expect_equal(tide_compare(no_pages, "query", segments = segments)$site$change, moves$site$change)
    expect_error(tide_compare(both, segments = rep(segments, 2)), class = "tide_error_argument")
    expect_error(tide_compare(both, "query", segments = tide_segment("none", query = "^nobody")),
      class = "tide_error_nothing_left")
    expect_error(tide_compare(as_data(rows[, !"device"]), "query", segments = segments),
      class = "tide_error_grain")
  })

test_that(
  "luck goes along with a cause that is clear, and stays click-through where that is clear too",
  {
    parts <- data.table(demand = c(-30, -30, -30, 0), position = c(-10, -10, 0, 0),
      click_through = c(-8, -8, -8, -8), mix = 0)
    tests <- list(p_visible = c(0.001, 0.001, 0.2, 0.2), p_clicked = c(0.05, 0.001, 0.5, 0.5))
    out <- inktide:::share_luck(copy(parts), tests, common = rep(-2, 4))
    # By hand: of 8 lost clicks 2 are the site's; the other 6 go as 30 to 10.
    expect_equal(unlist(out[1]), c(demand = -34.5, position = -11.5, click_through = -2, mix = 0))
    expect_equal(out[2:4], parts[2:4])
    expect_equal(rowSums(out), rowSums(parts))
  })

test_that("lines of any level are the sums of their pairs, whatever the names", {
  set.seed(3)
  pairs <- data.table(name = sample(c("b", "a", "c"), 60, TRUE))
  for (column in c(outer(c("clicks_", "expected_", "demand_", "impressions_", "weighted_"), 1:2,
      paste0))) {
    set(pairs, j = column, value = rpois(60, 20) + 0.5)
  }
  for (column in inktide:::part_names) set(pairs, j = column, value = rnorm(60))
  lines <- inktide:::move_lines(inktide:::named_sums(pairs, pairs$name), c(28, 28), 0.1)
  plain <- pairs[, lapply(.SD, sum), by = "name",
    .SDcols = c("clicks_1", "clicks_2", "demand", "mix")][match(lines$name, name)]
  expect_equal(lines$clicks_before, plain$clicks_1 * 30 / 28)
  expect_equal(lines$demand, plain$demand)
  expect_equal(lines$mix, plain$mix)
  expect_false(is.unsorted(-abs(lines$change)))
  whole <- inktide:::move_lines(inktide:::named_sums(pairs, rep("all", 60)), c(28, 28), 0.1)
  expect_equal(sum(lines$change), whole$change)
})

test_that("how far things waver is told from the middle half, also of very many", {
  set.seed(5)
  noise <- runif(40000, 0.01, 0.05)
  x <- rnorm(40000, 0, sqrt(noise + 0.09))
  expect_equal(inktide:::middle_variance(x, noise), 0.09, tolerance = 0.08)
  # A tenth that truly moved does not widen it much.
  x[1:4000] <- x[1:4000] + 3
  expect_lt(inktide:::middle_variance(x, noise), 0.14)
  expect_equal(inktide:::middle_variance(rnorm(500, 0, 0.01), rep(0.05, 500)), 0)
})

test_that("at a terminal with colours noise is grey, losses are red and gains blue", {
  withr::local_options(cli.num_colors = 8L)
  moves <- tide_compare(as_data(made_site(queries = 60, days = 56)), days = 28)
  set(moves$moves, j = "real", value = seq_len(nrow(moves$moves)) <= 6)
  set(moves$moves, j = "change", value = rep(c(-5, 5), length.out = nrow(moves$moves)))
  lines <- inktide:::coloured(format(moves, n = 8), moves, list(format = "table"))
  plain <- cli::ansi_strip(lines)
  expect_equal(plain, format(moves, n = 8))
  first <- which(startsWith(plain, "query"))[1]
  expect_equal(lines[first + 1:2],
    c(cli::col_red(plain[first + 1]), cli::col_blue(plain[first + 2])), ignore_attr = TRUE)
  expect_equal(lines[first + 8], cli::col_grey(plain[first + 8]), ignore_attr = TRUE)
  # Files and other formats stay plain.
  expect_equal(inktide:::coloured(plain, moves, list(format = "table", out = "x")), plain)
})
