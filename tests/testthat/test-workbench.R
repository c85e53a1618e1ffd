# The workbench without a browser: states, views, decisions, who may ask.

bench <- function() {
  made <- workbench_parts()
  inktide:::workbench_data(made$found, made$data, tide_store(tempfile("project")))
}

test_that("a state is what the page says where that makes sense, else the list", {
  expect_equal(state_of(view = "explore", by = "page")$by, "page")
  expect_equal(state_of(view = "nowhere")$view, "list")
  expect_equal(state_of(view = list("a", "b"), c = list(1, TRUE, "x"))$view, "list")
  expect_equal(inktide:::read_state("no JSON")$view, "list")
  expect_equal(inktide:::read_state("[1, 2]")$view, "list")
  expect_length(state_of(c = as.list(rep("device~mobile", 500)))$c, 30)
  cases <- list(`device~mobile` = "on mobile", `!device~mobile` = "not on mobile",
    `position~4:20` = "position 4 to 20", `position~4:` = "position 4 and more",
    `ctr~0.01:0.05` = "CTR 1.0% to 5.0%", `ctr~1:5` = "CTR 1.0% to 5.0%",
    `ctr~1%:5%` = "CTR 1.0% to 5.0%", `brand~yes` = "brand: yes")
  for (text in names(cases)) {
    condition <- inktide:::read_condition(text)
    expect_equal(condition$said, cases[[text]])
    expect_s3_class(condition$segment, "tide_segment")
    expect_equal(condition$segment$not, startsWith(text, "!"))
  }
  for (text in c("", "device", "device~", "nothing~1", "position~a", "query~(", "min_clicks~-1")) {
    expect_false(is.null(inktide:::read_condition(text)$fault), label = text)
  }
})

test_that("the workbench and the program show the same figures, with events and units", {
  dir <- withr::local_tempdir()
  tide_demo(dir)
  options <- list(quiet = TRUE, all = TRUE, project = dir)
  input <- inktide:::resolve_input(options, character())
  data <- inktide:::read_input(options, input)
  held <- inktide:::workbench_data(inktide:::month_findings(options, input), data,
    settings = input$settings, events = inktide:::events_input(options, input))
  shown <- inktide:::compared_state(held, state_of(view = "changes"))$site
  site <- fread(text = program("compare", "--level", "site", "--format", "csv", dir = dir)$out)
  figures <- c("clicks_before", "clicks_after", "by_demand", "by_position", "by_ctr",
    "position_before", "position_after")
  expect_equal(unlist(shown[, figures, with = FALSE]), unlist(site[, figures, with = FALSE]),
    tolerance = 1e-6)
  changes <- view_of(held, view = "changes")
  expect_match(changes, "<g class='event'><title>7 Sep 2026: Journal redesigned", fixed = TRUE)
  expect_match(changes, "<g class='event unusual'>", fixed = TRUE)
  expect_match(changes, "Clicks are those of 28 days")
  # Figures of a task multiply, whatever query of it is looked at.
  tasks <- held$tasks[held$tasks$lines > 1][1:3]
  for (id in tasks$id) {
    line <- view_of(held, view = "line", id = id)
    told <- function(name) {
      text <- sub("</dd>.*$", "", sub(sprintf("^.*<dt>%s</dt><dd>", name), "", line))
      as.numeric(sub("^[^0-9]*([0-9.]+).*$", "\\1", text))
    }
    product <- told("If done") * told("Confidence") / 100 * told("Chance") / 100
    expect_equal(product, told("Gain"), tolerance = 0.06)
  }
  # Cannibalized queries are the list's, no more and no fewer.
  rows <- lengths(regmatches(contests <- view_of(held, view = "contests"),
    gregexpr("<tr class='' data-id|<tr data-id", contests)))
  of_list <- inktide:::chosen_tasks(held, state_of(kind = "cannibalized"))$tasks
  expect_equal(rows, nrow(of_list))
  expect_equal(inktide:::shown_window(held)$to, format(held$findings$summary$recent$to))
})

test_that("the list shows the tasks that its facets and words leave, with their sums", {
  held <- bench()
  all <- held$tasks
  for (facet in c("kind", "folder", "intent", "brand", "band", "size")) {
    for (value in unique(all[[facet]])) {
      state <- do.call(state_of, stats::setNames(list(value), facet))
      chosen <- inktide:::chosen_tasks(held, state)
      expect_setequal(chosen$tasks$id, all$id[all[[facet]] == value])
      expect_equal(chosen$counts[[facet]][[value]], sum(all[[facet]] == value))
    }
  }
  found <- inktide:::chosen_tasks(held, state_of(q = "SEEDS"))$tasks
  expect_setequal(found$id, all$id[grepl("seeds", all$text)])
  by_gain <- inktide:::chosen_tasks(held, state_of(sort = "gain", small = "shown"))
  expect_equal(by_gain$tasks$gain, sort(all$gain, decreasing = TRUE))
  # The tail is folded, and nothing is lost by it.
  folded <- inktide:::chosen_tasks(held, state_of())
  expect_setequal(c(folded$tasks$id, folded$tail$id), all$id)
  expect_true(all(folded$tail$gain < 0.3) && all(folded$tasks$gain >= 0.3))
  expect_match(view_of(held), sprintf("%d small tasks", nrow(folded$tail)))
  expect_match(view_of(held), paste0(">[A-Z][a-z ]+: [^<]+</button> <span class='soft'>[^<]+",
    "</span></td><td[^>]*>position [0-9.]+, CTR [0-9.]+% for [0-9.]+%</td>"))
  # It opens with the report's first sentence.
  moves <- inktide:::compared_state(held, state_of(level = "page"))
  expect_match(view_of(held), inktide:::opening_sentences(moves, NULL)[1], fixed = TRUE)
  # The sums of tasks are those of the list.
  expect_equal(sum(all$gain), sum(held$findings$findings$gain))
  expect_match(view_of(held), "In 8 hours")
})

test_that("several names of a facet are one choice, and each is taken back by itself", {
  held <- bench()
  of <- function(kind) inktide:::chosen_tasks(held, state_of(kind = kind, small = "shown"))$tasks
  both <- of("low_ctr|striking_distance")
  expect_setequal(unique(both$kind), c("low_ctr", "striking_distance"))
  expect_equal(nrow(both), nrow(of("low_ctr")) + nrow(of("striking_distance")))
  expect_equal(inktide:::toggled_part("low_ctr|striking_distance", "low_ctr"), "striking_distance")
  expect_null(inktide:::toggled_part("low_ctr", "low_ctr"))
  expect_match(view_of(held, kind = "low_ctr"),
    "&quot;kind&quot;:&quot;low_ctr|striking_distance&quot;", fixed = TRUE)
  shown <- view_of(held, kind = "low_ctr|striking_distance")
  expect_equal(lengths(regmatches(shown, gregexpr("aria-pressed='true'", shown))), 2)
})

test_that("the table of Explore shows the columns that are chosen", {
  held <- bench()
  heads <- function(...) {
    drawn <- view_of(held, view = "explore", ...)
    sub("<.*", "", regmatches(drawn, gregexpr("(?<=data-label=')[^']+", drawn, perl = TRUE))[[1]])
  }
  expect_setequal(unique(heads(cols = "clicks|lost")), c("Query", "Clicks",
    inktide:::column_words("lost", "label")))
  expect_true(all(c("CTR", "Missed") %in% heads()))
})

test_that("every view is drawn, and nothing there is said kindly", {
  held <- bench()
  ids <- held$findings$findings[!duplicated(held$findings$findings$kind)]$id
  for (id in ids) {
    drawn <- view_of(held, view = "line", id = id)
    expect_match(drawn, "gain = if done x confidence x chance", fixed = TRUE)
  }
  for (view in c("explore", "curve", "map", "changes", "contests")) {
    expect_match(view_of(held, view = view), "<h1", label = view)
    expect_no_match(view_of(held, view = view), "went wrong inside")
  }
  for (by in inktide:::explore_kinds) {
    expect_no_match(view_of(held, view = "explore", by = by), "went wrong inside", label = by)
  }
  expect_match(view_of(held, view = "line", id = "L-none"), "not in the list")
  expect_match(view_of(held, view = "explore", c = list("query_text~zzzz")), "No row is left")
  sides <- view_of(held, view = "changes", one = "on mobile", other = "on desktop")
  expect_match(sides, "on desktop")
  bare <- inktide:::workbench_data(held$findings)
  for (view in c("explore", "changes")) expect_match(view_of(bare, view = view), "class='empty'")
  found <- tide_find(held$findings$summary, min_gain = 1e9, kind = "low_ctr")
  none <- inktide:::workbench_data(found)
  expect_match(view_of(none), "The list is empty")
})

test_that("a task shows its page as it is, words to try in a title, and its neighbours", {
  held <- bench()
  ids <- inktide:::chosen_tasks(held, state_of(small = "shown"))$tasks$id
  lead <- held$findings$findings[match(ids[2], held$findings$findings$id)]
  said <- data.table(page = c("https://www.fernmoor.example/none/", lead$page))
  said[, c("title", "description", "heading") := list(c("Other", "Old <title>"), "", "Seeds")]
  said[, "key" := inktide:::page_key(page)]
  held$pages <- list(pages = said)
  drawn <- inktide:::line_page(held, lead)
  expect_match(drawn, "Old &lt;title&gt;", fixed = TRUE)
  expect_no_match(drawn, "Other")
  expect_match(drawn, "<dt>Description</dt><dd>none", fixed = TRUE)
  # What a word has at stake: the clicks that queries with it miss.
  summary <- held$findings$summary
  pairs <- held$findings$pairs[held$findings$pairs$page == match(lead$page, summary$pages$page)]
  pairs <- pairs[pairs$expected > pairs$clicks]
  words <- strsplit(summary$queries$key[pairs$query], " ")
  stake <- function(word) {
    sum((pairs$expected - pairs$clicks)[vapply(words, function(own) word %in% own, NA)])
  }
  first <- regmatches(drawn, regexec("data-word='([^']+)' data-stake='([0-9.]+)'", drawn))[[1]]
  expect_equal(as.numeric(first[3]), stake(first[2]), tolerance = 1e-3)
  ways <- inktide:::line_neighbours(held, state_of(), ids[2])
  for (id in ids[c(1, 3)]) expect_match(ways, id, fixed = TRUE)
  expect_match(ways, sprintf("task 2 of %d", length(ids)))
  expect_no_match(inktide:::line_neighbours(held, state_of(), ids[1]), "data-previous")
  # What is noted with a decision stands in the checklist.
  inktide:::workbench_decide(held, ids[2], "fix", "title: Garlic to plant in autumn")
  expect_match(inktide:::checklist_lines(inktide:::hand_findings(held, state_of())),
    "Noted: title: Garlic to plant in autumn", all = FALSE)
})

test_that("a table has its course above it, and can be sorted by what is missed", {
  held <- bench()
  state <- state_of(view = "explore", by = "page", sort = "missed", c = list("intent~commercial"))
  rows <- inktide:::explored(held, state)$rows
  expect_equal(rows$missed, sort(pmax(0, rows$expected_ctr * rows$impressions - rows$clicks), TRUE))
  drawn <- inktide:::explored_chart(held, state, inktide:::explored(held, state))
  expect_match(drawn, "aria-label='clicks by week'")
  # As many points as weeks.
  weeks <- inktide:::explored(held, replace(state, "by", "week"))$rows
  path <- regmatches(drawn, regexpr("(?<=d=')[^']+", drawn, perl = TRUE))
  expect_length(gregexpr("[ML]", path)[[1]], nrow(weeks))
  expect_match(inktide:::explored_chart(held, state, inktide:::explored(held,
    replace(state, "by", "day"))), "clicks by day")
  undated <- inktide:::workbench_data(held$findings, tide_read(csv(
    "query,page,clicks,impressions,position", sprintf("seeds %d,/p%d,%d,100,3", 1:12, 1:12, 12:1))))
  view <- inktide:::explored(undated, state_of(view = "explore"))
  bars <- inktide:::explored_chart(undated, state_of(view = "explore"), view)
  expect_length(gregexpr("<rect", bars)[[1]], 10)
  expect_match(bars, ">seeds 1</text>", fixed = TRUE)
})

test_that("movers have four figures, can be sorted and narrowed, and the file follows the screen", {
  held <- bench()
  moves <- inktide:::compared_state(held, state_of(view = "changes"))$moves
  named <- function(...) {
    drawn <- view_of(held, view = "changes", ...)
    cells <- regmatches(drawn, gregexpr("(?<=<tr><td class='wide' data-label='Query'>).*?(?=</td>)",
      drawn, perl = TRUE))[[1]]
    gsub("<[^>]*>", "", cells)
  }
  first <- function(own) utils::head(own$name, 20)
  expect_equal(utils::head(named(), 20), first(moves[order(-abs(change), name)]))
  expect_equal(utils::head(named(side = "lost", sort = "by_position"), 20),
    first(moves[change < 0][order(-abs(by_position), name)]))
  state <- state_of(view = "changes", side = "gained", sort = "clicks")
  expect_equal(inktide:::hand_rows(held, state)$name,
    moves[change > 0][order(-abs(clicks_after), name)]$name)
  drawn <- view_of(held, view = "changes")
  top <- moves[order(-abs(change), name)][1]
  for (name in c("clicks", "impressions", "ctr", "position")) {
    expect_match(drawn, sprintf("%s <span class='range soft'>from %s</span>",
      inktide:::column_text(name, top[[paste0(name, "_after")]]),
      inktide:::column_text(name, top[[paste0(name, "_before")]])), fixed = TRUE)
  }
  expect_match(view_of(held, view = "changes", level = "device"), "<table")
  expect_no_match(view_of(held, view = "changes", level = "device"), "<pre>")
})

test_that("markup in names stays text in every view", {
  odd <- c("<script>x</script>", "\"'><img src=x>", "plain seeds", "a & b")
  rows <- CJ(date = as.IDate("2026-05-01") + 0:60, query = odd)
  rows[, c("page", "clicks", "impressions", "position") := list(
    "https://www.fernmoor.example/<i>/\"'/", 3, 40, 6)]
  data <- as_data(rows)
  held <- inktide:::workbench_data(tide_find(tide_summary(data), min_gain = 0), data)
  expect_gt(nrow(held$tasks), 0)
  drawn <- c(view_of(held), vapply(c("explore", "changes", "contests", "map"),
    function(view) view_of(held, view = view), ""),
    vapply(held$tasks$id, function(id) view_of(held, view = "line", id = id), ""),
    view_of(held, view = "explore", c = list("query_text~<script>x"),
      trail = list(list(label = "<script>x"))))
  for (html in drawn) expect_false(grepl("<script|<img|<i>", html))
})

test_that("decisions are stored at once, undone, and refused where nothing may be stored", {
  held <- bench()
  id <- held$tasks$id[1]
  expect_match(inktide:::workbench_decide(held, id, "harmless", "answered above"), "1 task")
  expect_equal(tide_decisions(held$store)$decision[1], "harmless")
  expect_false(id %in% inktide:::chosen_tasks(held, state_of())$tasks$id)
  expect_equal(inktide:::chosen_tasks(held, state_of(decided = "harmless"))$tasks$note,
    "answered above")
  expect_match(inktide:::workbench_undo(held), "Undone")
  expect_true(id %in% inktide:::chosen_tasks(held, state_of())$tasks$id)
  # As if nothing had been decided, for the program as well.
  again <- tide_find(held$findings$summary, decisions = tide_decisions(held$store))
  expect_true(id %in% again$findings$id)
  expect_equal(inktide:::workbench_undo(held), "Nothing to undo.")
  expect_match(inktide:::workbench_decide(held, "L-none", "fix"), "Nothing was chosen")
  # Another window's decision is seen.
  tide_decide(held$store, held$findings, held$tasks$id[2], "done")
  expect_false(held$tasks$id[2] %in% inktide:::chosen_tasks(held, state_of())$tasks$id)
  held$read_only <- TRUE
  before <- nrow(tide_decisions(held$store))
  expect_match(inktide:::workbench_decide(held, id, "fix"), "Nothing was stored")
  expect_equal(nrow(tide_decisions(held$store)), before)
})

test_that("the steps of a change lead from the clicks before to those after", {
  site <- data.table(clicks_before = 100, clicks_after = 90, by_demand = 30, by_position = -50,
    by_ctr = 10, by_new_lost = 0)
  drawn <- inktide:::change_steps(site)
  part <- function(name) {
    as.numeric(regmatches(drawn, gregexpr(sprintf("(?<= %s=')[0-9.]+(?=')", name), drawn,
      perl = TRUE))[[1]])
  }
  # 100, 130, 80, 90, 90 on 190 to 800.
  at <- 190 + (c(100, 130, 80, 90, 90) - 80) / 50 * 610
  expect_equal(part("x")[seq(2, 11, 3)], pmin(at[-5], at[-1]), tolerance = 1e-3)
  expect_equal(part("width"), pmax(1, abs(diff(at))), tolerance = 1e-3)
  expect_equal(part("x1"), at[c(1, 5)], tolerance = 1e-3)
  expect_equal(inktide:::change_steps(replace(site, "clicks_after", 100)), "")
})

test_that("own hours and chances count at once, survive decisions, and go back", {
  held <- bench()
  first <- held$tasks[2]
  own <- function() held$tasks[match(first$id, id)]
  inktide:::workbench_decide(held, first$id, "done")
  # What a matcher looks at is evaluated twice.
  said <- inktide:::workbench_estimate(held, first$id, "4", "20 %")
  expect_match(said, "4 hours")
  lines <- held$findings$findings[task == first$task]
  expect_equal(unique(lines$chance), 0.2)
  expect_equal(own()$gain, sum(lines$if_done * lines$confidence * 0.2))
  expect_equal(own()$score, own()$gain / 4, tolerance = 1e-9)
  stored <- subset(tide_decisions(held$store), task == first$task)
  expect_equal(unique(stored$decision), "done")
  # The program counts with them, and says so; the order is that of the score.
  again <- tide_find(held$findings$summary, decisions = tide_decisions(held$store))
  expect_equal(again$decided$chance[again$decided$task == first$task], lines$chance)
  again <- tide_find(held$findings$summary,
    decisions = transform(tide_decisions(held$store), decision = "open"))
  expect_match(tide_trace(again, first$id)$steps, "set by hand: 4", all = FALSE)
  expect_false(is.unsorted(-again$findings$score[again$findings$hours > 0]))
  for (wrong in list(c("0", ""), c("x", ""), c("", "120"))) {
    expect_match(inktide:::workbench_estimate(held, first$id, wrong[1], wrong[2]), "above 0")
  }
  # Back to what was assumed: by hand, and by undo.
  inktide:::workbench_estimate(held, first$id, "", "")
  expect_equal(own()[, c("gain", "hours", "chance")], first[, c("gain", "hours", "chance")])
  inktide:::workbench_undo(held)
  expect_equal(own()$hours, 4)
  for (turn in 1:2) inktide:::workbench_undo(held)
  expect_equal(own(), first)
  expect_equal(unique(tide_decisions(held$store)$decision), "open")
})

test_that("what is on the screen can be handed over", {
  skip_unless_studies()
  skip_if_not_installed("shiny")
  held <- bench()
  read <- function(format, ...) inktide:::hand_file(held, state_of(...), format)$content
  tasks <- inktide:::chosen_tasks(held, state_of(kind = "low_ctr"))$tasks
  listed <- fread(text = rawToChar(read("csv", kind = "low_ctr")))
  # The file is the screen, row by row.
  expect_equal(listed$id, tasks$id)
  expect_equal(listed$gain, tasks$gain, tolerance = 1e-6)
  contests <- fread(text = rawToChar(read("csv", view = "contests")))
  expect_equal(contests$id, inktide:::chosen_tasks(held, state_of(kind = "cannibalized"))$tasks$id)
  pages <- fread(text = rawToChar(read("csv", view = "explore", by = "page")))
  expect_equal(sum(pages$clicks), tide_explore(held$explorer, "page")$total$clicks)
  expect_equal(read("png", view = "map")[2:4], charToRaw("PNG"))
  for (view in c("list", "explore")) {
    expect_equal(read("xlsx", view = view)[1:2], charToRaw("PK"))
  }
  expect_match(rawToChar(read("md")), "[ ]", fixed = TRUE)
})

test_that("a stack is saved as a segment of the project, and its file stays as it was", {
  dir <- withr::local_tempdir()
  writeLines(c("site: https://www.fernmoor.example/ # the shop", "segments:",
    "  long: {words: \"5:\"}"), file.path(dir, "inktide.yml"))
  held <- bench()
  held$folder <- dir
  said <- inktide:::save_view(held, list(name = "phones: \"near\"", c = c("device~mobile",
    "position~4:20")))
  expect_match(said, "Saved")
  settings <- tide_settings(dir)
  expect_named(settings$segments, c("phones: \"near\"", "long"), ignore.order = TRUE)
  expect_equal(settings$segments[["phones: \"near\""]]$conditions,
    list(device = "mobile", position = c(4, 20)))
  expect_equal(readLines(file.path(dir, "inktide.yml"))[1],
    "site: https://www.fernmoor.example/ # the shop")
  # What is inverted, twice there or has alternatives leaves the same rows from the settings.
  or <- inktide:::or_mark
  stacks <- list("!query_text~seeds", "!device~mobile", "!position~4:20", "!brand~yes",
    c("query_text~grow", "query_text~how", "device~mobile"),
    paste0("query_text~pea", or, "!page_text~/shop/"),
    c(paste0("position~1:3", or, "min_clicks~20"), "!device~mobile", "words~2:"))
  for (i in seq_along(stacks)) {
    name <- sprintf("stack %d", i)
    said <- inktide:::save_view(held, list(name = name, c = stacks[[i]]))
    expect_match(said, "Saved")
    own <- inktide:::explored(held, state_of(view = "explore", by = "pair",
      c = as.list(stacks[[i]])))
    saved <- tide_explore(held$explorer, "pair", tide_settings(dir)$segments[[name]])
    expect_equal(saved$total, own$total, label = name)
    expect_gt(saved$total$rows, 0)
  }
  expect_error(inktide:::keep_segment(dir, "long", list(device = "mobile")),
    class = "tide_error_argument")
})

test_that("nobody is answered without the token, under another name or from another page", {
  skip_if_not_installed("shiny")
  ask <- function(query, host = "127.0.0.1:8170") {
    inktide:::refused_request(list(QUERY_STRING = query, HTTP_HOST = host), "abc")
  }
  expect_null(ask("?token=abc"))
  expect_null(ask("?token=abc", "localhost:1"))
  for (query in c("", "?token=", "?token=ab", "?other=abc")) expect_equal(ask(query)$status, 403L)
  expect_equal(ask("?token=abc", "evil.example")$status, 403L)
  origin <- function(origin) {
    inktide:::known_origin(list(HTTP_ORIGIN = origin, HTTP_HOST = "127.0.0.1:8170"))
  }
  expect_true(origin("http://127.0.0.1:8170"))
  expect_false(origin("http://evil.example"))
  expect_true(inktide:::known_host("a.example:1", "*"))
  expect_true(inktide:::known_host("a.example:1", "a.example"))
  expect_match(inktide:::random_token(), "^[0-9a-f]{32}$")
  expect_s3_class(tide_workbench(bench()$findings), "shiny.appobj")
  expect_equal(program("open", tide_example()[["pairs"]], "--port", "0")$status, 2)
})

test_that("of more rows than memory takes, tables hold the newest days", {
  skip_if_not_installed("nanoparquet")
  dir <- withr::local_tempdir()
  writeLines("brand: [fernmoor]", file.path(dir, "inktide.yml"))
  tide_load(tide_store(dir), tide_example()[["pairs"]])
  input <- inktide:::resolve_input(list(project = dir), character())
  expect_null(inktide:::within_memory(list(project = dir), input)$days)
  days <- inktide:::within_memory(list(project = dir), input, most = 2000)$days
  rows <- tide_stored(input$store, days = days)$tables[[1]]$rows
  expect_lte(nrow(rows), 2000)
  more <- tide_stored(input$store, days = days + 1)$tables[[1]]$rows
  expect_gt(nrow(more), 2000)
})

test_that("data loaded meanwhile are noticed, and the list is worked out from them", {
  skip_unless_studies()
  skip_if_not_installed("callr")
  dir <- withr::local_tempdir()
  writeLines("brand: [fernmoor]", file.path(dir, "inktide.yml"))
  load <- function(days) {
    file <- file.path(withr::local_tempdir(), "a.csv")
    fwrite(made_site(queries = 120, days = days), file)
    tide_load(tide_store(dir), file, exported = "2026-12-01")
  }
  load(40)
  call <- inktide:::parse_call(c(inktide:::cli_commands()$open, name = "open"),
    c("--project", dir, "--read-only"))
  work <- inktide:::background_work(call$options, character(),
    inktide:::resolve_input(call$options, character()))
  withr::defer(work$cancel(""))
  worked_out <- function() {
    for (i in 1:600) if (is.null(held <- work$held(""))) Sys.sleep(0.1) else return(held)
    stop(work$progress(""))
  }
  expect_equal(worked_out()$findings$summary$window$days, 40)
  expect_false(work$changed(""))
  load(50)
  expect_true(work$changed(""))
  work$again("")
  expect_false(work$changed(""))
  expect_equal(worked_out()$findings$summary$window$days, 50)
  expect_true(work$held("")$read_only)
  expect_false(work$changed(""))
})
