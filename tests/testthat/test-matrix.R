# Every command on a table of small and odd data: a result or one error of ours, never a warning,
# never NA.

head_of <- list(pairs = "date,query,page,clicks,impressions,position",
  undated = "query,page,clicks,impressions,position", queries = "query,clicks,impressions,position",
  pages = "page,clicks,impressions,position", days = "date,clicks,impressions,position",
  devices = "date,query,page,device,clicks,impressions,position")
days_from <- function(n) format(as.IDate("2026-08-01") + seq_len(n) - 1L)

odd_data <- list(
  `one row` = c(head_of$pairs, "2026-08-01,kale,/a,1,10,2"),
  `one row without clicks` = c(head_of$undated, "kale,/a,0,10,2"),
  `nine undated rows without clicks` = c(head_of$undated,
    sprintf("q%d,/p%d,0,%d,%d", 1:9, 1:9, 10 * 1:9, 1:9)),
  `six days` = c(head_of$pairs,
    sprintf("%s,kale seeds,https://x.example/a,%d,%d,3.2", days_from(6), 1:6, 10 * 1:6)),
  `one query for months` = c(head_of$pairs, sprintf("%s,kale seeds,https://x.example/a,%d,100,%.3f",
    days_from(120), rep(9:5, each = 24), 3 + (1:120 %/% 93) / 16)),
  `queries only` = c(head_of$queries,
    sprintf("q%d,%d,%d,%g", 1:30, 30:1, 300 + 1:30, 1 + 1:30 / 3)),
  `pages only` = c(head_of$pages,
    sprintf("https://x.example/p%d,%d,%d,%g", 1:20, 20:1, 200 + 1:20, 1 + 1:20 / 3)),
  weeks = c(head_of$pairs, sprintf("%s,query %d,https://x.example/p%d,%d,%d,%g",
    rep(format(as.IDate("2026-06-01") + 7 * 0:11), each = 20), 1:20, 1:20 %/% 4, 1:20 %% 6,
    40 + 1:20, 1 + 1:20 / 2)),
  months = c(head_of$pairs, sprintf("2026-%02d-01,query %d,https://x.example/p%d,%d,%d,%g",
    rep(3:8, each = 30), 1:30, 1:30 %/% 4, 1:30 %% 9 + rep(0:5, each = 30), 200 + 1:30,
    1 + 1:30 / 2)),
  `five months` = c(head_of$pairs, sprintf("%s,query %d,https://x.example/f%d/p%d,%d,%d,%g",
    rep(days_from(160), each = 8), 1:8, 1:8 %/% 4, 1:8 %/% 2, 1:8 %% 3, 20 + 1:8, 1 + 1:8)),
  `two months without a click` = c(head_of$pairs,
    sprintf("%s,query %d,https://x.example/p%d,0,%d,%g", rep(days_from(60), each = 6), 1:6,
      1:6 %/% 3, 20 + 1:6, 1 + 1:6)),
  `clicks of late` = c(head_of$pairs,
    sprintf("%s,query %d,https://x.example/p%d,%d,%d,%g", rep(days_from(60), each = 6), 1:6,
      1:6 %/% 3, rep(0:1, each = 180), 20 + 1:6, 1 + 1:6)),
  `days and pages` = c("date,page,clicks,impressions,position",
    sprintf("%s,https://x.example/p%d,%d,50,4", rep(days_from(40), 3), 1:3, 1:3)),
  `days only` = c(head_of$days, sprintf("%s,%d,%d,4", days_from(40), 40:1, 300L)),
  `all at position one` = c(head_of$undated,
    sprintf("q%d,/p%d,%d,%d,1", 1:40, 1:40, 1:40, 100 + 1:40)),
  `all beyond fifty` = c(head_of$undated,
    sprintf("q%d,/p%d,0,%d,%d", 1:40, 1:40, 100 + 1:40, 51:90)),
  `one query on many pages` = c(head_of$pairs,
    sprintf("%s,kale,https://x.example/p%d,%d,50,%d", rep(days_from(20), 4), rep(1:4, each = 20),
      1:4, rep(3:6, each = 20))),
  `one page, many queries` = c(head_of$undated,
    sprintf("query %d,https://x.example/a,%d,%d,%g", 1:50, 1:50 %/% 10, 20 + 1:50, 1 + 1:50 / 4)),
  `all clicked` = c(head_of$undated, sprintf("q%d,/p%d,%d,%d,2", 1:20, 1:20, 100L, 100L)),
  `huge counts` = c(head_of$undated, sprintf("q%d,/p%d,%.0f,%.0f,%d", 1:20, 1:20, 3e9, 9e10, 1:20)),
  `blank positions` = c(head_of$undated, "a,/a,1,10,", "b,/b,2,20,"),
  `empty texts` = c(head_of$undated, ",/a,1,10,2", "kale,,2,30,3", "\"  \",\" \",1,10,4"),
  `short brand in the host` = c(head_of$undated, "abc shoes,https://abc.example/,50,100,1",
    "abc,https://abc.example/,90,100,1", "shoes,https://abc.example/s,1,300,7"),
  `all brand` = c(head_of$undated, "fernmoor,https://fernmoor.example/,50,100,1"),
  `other scripts` = c(head_of$undated,
    "\u0442\u043e\u043c\u0430\u0442\u044b,https://x.example/\u0442\u043e\u043c\u0430\u0442,3,90,2",
    "\u30c8\u30de\u30c8 \u7a2e,https://x.example/t,1,90,4",
    "\ud55c\uad6d\uc5b4,https://x.example/k,0,90,9"),
  `signs that are obeyed` = c(
    head_of$undated,
    paste0("a", intToUtf8(c(27, 91, 50, 74, 0x202e)), "b,https://x.example/",
      intToUtf8(c(0x9b, 0x2066)), ",3,90,2"),
    "=1+1,https://x.example/b,0,90,2"),
  `same position, same rate` = c(head_of$undated, sprintf("q%d,/p%d,5,100,4", 1:60, 1:60)))

calls <- function(file, dir) {
  worth <- file.path(dir, "worth.csv")
  writeLines(c("page,sessions,conversions,value", sprintf("https://x.example/p%d,%d,%d,%d", 0:3,
    100 + 0:3, 0:3, 50 * 0:3)), worth)
  # What is odd here is the plan: a short history is forecast quickly.
  months <- file.path(dir, "months.csv")
  writeLines(c("month,clicks", sprintf("2026-%02d,%d", 1:9, 900 + 1:9)), months)
  list(curve = c("curve", file), diagnose = c("curve", file, "--diagnose"),
    parts = c("curve", file, "--by", "words"), find = c("find", file, "--view", "page"),
    compare = c("compare", file, "--days", "7"), segments = c("compare", file, "--by", "intent"),
    `compare windows` = c("compare", file, "--windows", "7,28"),
    `compare sites` = c("compare", file, "--level", "site"),
    pivot = c("curve", file, "--method", "pivot", "--brand", "fernmoor"),
    power = c("curve", file, "--method", "power"),
    `list leads` = c("list", file, "--by", "page", "--lead", "2"),
    `forecast folders` = c("forecast", file, "--by", "folder"),
    `forecast a plan` = c("forecast", file, "--history", months, "--do", "3"),
    worth = c("value", file, "--by", "folder", "--facts", worth), follow = c("follow", file),
    `follow gain` = c("follow", file, "--view", "lines", "--leading", "gain"),
    `follow lines` = c("follow", file, "--view", "lines"), `trace query` = c("trace", "kale", file),
    `trace site` = c("trace", "/*", file),
    report = c("report", file, "--brand", "fernmoor", "--out", file.path(dir, "r.html")),
    load = c("load", file, "--project", file.path(dir, "p")),
    `check, stored` = c("check", "--project", file.path(dir, "p")),
    `find, stored` = c("find", "--project", file.path(dir, "p"), "--format", "csv"),
    init = c("init", file, "--project", file.path(dir, "i")))
}

# All of them among the studies, one with each change.
odd_names <- function() if (with_studies()) names(odd_data) else "nine undated rows without clicks"

test_that("every command gives a result or one error of ours on small and odd data", {
  withr::local_options(warn = 1)
  for (name in odd_names()) {
    file <- csv(odd_data[[name]])
    dir <- withr::local_tempdir()
    for (call in names(calls(file, dir))) {
      if (grepl("stored|load|check", call)) skip_if_not_installed("nanoparquet")
      run <- program(calls(file, dir)[[call]],
        if (!grepl("trace|load|check|init", call)) c("--exported", "2027-02-01"))
      said <- paste(c(run$out, run$err), collapse = "\n")
      told <- sprintf("%s on %s", call, name)
      expect_true(run$status %in% 0:2, label = told)
      expect_false(grepl("went wrong inside|Warning|Error in", said), label = paste(told, said))
      expect_false(grepl("(^|[^[:alnum:]/._-])(NA|NaN|-?Inf|NULL)($|[^[:alnum:]/._-])", said),
        label = paste(told, said))
      if (run$status > 0) expect_match(said, "inktide: .*\n  where: .*\n  fix: ", label = told)
      page <- file.path(dir, "r.html")
      if (call == "report" && run$status == 0L) {
        text <- gsub("<script>.*?</script>|<style>.*?</style>|<[^>]*>", " ",
          paste(readLines(page), collapse = " "), perl = TRUE)
        expect_false(grepl("[^[:alnum:]/._-](NA|NaN|-?Inf|NULL)[^[:alnum:]/._-]", text),
          label = paste(told, "in the page"))
      }
    }
  }
})

test_that("every function gives what prints and draws, or an error of ours, on the same data", {
  skip_unless_studies()
  events <- tide_events(csv("date,event,pages", "2026-08-10,Titles rewritten,"))
  withr::local_pdf(nullfile())
  # The figure's library tells of lines that it cannot draw.
  drawn <- function(figure) {
    withCallingHandlers(ggplot2::ggplotGrob(figure),
      message = function(m) fail(conditionMessage(m)))
  }
  # What one call gives, held to print without a figure that is none and to be drawn.
  held <- function(said, call) {
    x <- tryCatch(call, tide_error = function(e) NULL)
    if (is.null(x)) return(NULL)
    printed <- paste(utils::capture.output(print(x)), collapse = "\n")
    expect_false(grepl("(^|[^[:alnum:]/._-])(NaN|-?Inf|NULL)", printed),
      label = paste(said, printed))
    draw <- utils::getS3method("autoplot", class(x)[1], TRUE, asNamespace("ggplot2"))
    figure <- if (!is.null(draw)) tryCatch(draw(x), tide_error = function(e) NULL)
    if (inherits(figure, "ggplot")) {
      expect_s3_class(drawn(figure), "gtable")
    }
    x
  }
  for (name in odd_names()) {
    data <- held(paste(name, "data"), tide_read(csv(odd_data[[name]]), exported = "2027-02-01"))
    if (is.null(data)) next
    found <- held(paste(name, "summary"), tide_summary(data))
    if (!is.null(found)) found <- held(paste(name, "find"), tide_find(found, min_gain = 0))
    if (NROW(found$findings)) held(paste(name, "line"), tide_trace(found, found$findings$id[1]))
    for (by in c("query", "page", "folder", "topic", "pair", "site", "intent", "band", "words")) {
      held(paste(name, "compare", by), tide_compare(data, by = by, days = 3))
    }
    for (by in names(inktide:::line_kinds)) held(paste(name, "list", by), tide_inventory(data, by))
    for (by in c("brand", "folder", "page")) {
      rules <- tide_rules(brand = "kale")
      held(paste(name, "months", by), tide_history(data, by = by, rules = rules))
    }
    held(paste(name, "follow"), tide_follow(data, events = events))
    held(paste(name, "events"), tide_event_effects(data, events))
    held(paste(name, "watched"), tide_watched(data, "kale seeds"))
    held(paste(name, "unusual"), tide_unusual(data))
    explorer <- held(paste(name, "explorer"), tide_explorer(data))
    if (!is.null(explorer)) {
      for (by in c("query", "page", "week")) held(paste(name, by), tide_explore(explorer, by))
    }
    for (what in c("kale", "/a", "/*")) held(paste(name, what), tide_trace(data, what))
  }
})

test_that("no figure of the list is above what its demand allows", {
  skip_unless_studies()
  for (name in names(odd_data)) {
    found <- tryCatch(tide_find(
      tide_summary(tide_read(csv(odd_data[[name]]), lag = 0), undated_days = 30), min_gain = 0),
      tide_error = function(e) NULL)
    if (is.null(found)) next
    list <- found$findings
    most <- 4 * list$impressions * 30 / found$summary$recent$days
    expect_true(all(list$if_done_low <= list$if_done & list$if_done <= list$if_done_high &
      list$if_done_high <= most),
      label = name)
  }
})
