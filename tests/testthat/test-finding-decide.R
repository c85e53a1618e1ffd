test_that("what was decided stays away until its facts change, and says why it is back", {
  found <- demo()$found
  store <- tide_store(withr::local_tempdir())
  leads <- found$findings[found$findings$hours > 0]
  ids <- leads$id
  tide_decide(store, found, ids[1:4], c("harmless", "later", "done", "fix"), note = "seen",
    by = "Ada", at = "2026-10-01")
  decisions <- tide_decisions(store)
  # A decision is about all lines of the task, with what they bring.
  own <- found$findings[found$findings$task %in% leads$task[1:4]]
  expect_setequal(decisions$id, own$id)
  expect_equal(decisions$if_done, own$if_done[match(decisions$id, own$id)])
  expect_error(tide_decide(store, found, ids[1], "fix", at = Sys.Date() + 1),
    class = "tide_error_argument")
  expect_error(tide_decide(store, found, ids[1], "later", until = Sys.Date() - 1),
    class = "tide_error_argument")
  left <- tide_find(found$summary, found$curve, decisions = decisions, today = "2026-10-10")
  expect_setequal(left$decided$task, leads$task[1:3])
  expect_false(any(left$findings$task %in% leads$task[1:3]))
  expect_equal(left$findings$decision[left$findings$id == ids[4]], "fix")
  expect_equal(left$findings$rank, seq_len(nrow(left$findings)))
  later <- tide_find(found$summary, found$curve, decisions = decisions, today = "2026-11-10")
  expect_true(ids[2] %in% later$findings$id)
  changed <- found
  changed$findings <- copy(found$findings)[task == leads$task[1], if_done := if_done_high * 2]
  back <- lines_of(inktide:::leave_decided(changed, decisions, as.Date("2026-10-10")))
  expect_match(back$reason[back$id == ids[1]], "Back: harmless on 2026-10-01")
  # By rank, and by page.
  tide_decide(store, found, "1", "fix")
  expect_equal(subset(tide_decisions(store), id == ids[1])$decision, "fix")
  page <- leads$page[1]
  tide_decide(store, found, page, "harmless")
  all <- tide_decisions(store)
  expect_setequal(all$task[all$decision == "harmless"], leads$task[leads$page == page])
  expect_error(tide_decide(store, found, "L-0000000000", "fix"), "Name an id, a page or a rank",
    class = "tide_error_finding")
})

test_that("the workbook holds every view and its decisions are read back by the program", {
  skip_unless_studies()
  dir <- withr::local_tempdir()
  file.copy(tide_example()[["pairs"]], file.path(dir, "export.csv"))
  writeLines(c("brand: [fernmoor]", "exports: [export.csv]"), file.path(dir, "inktide.yml"))
  run <-
    program("find", "--format", "xlsx", "--out", "list.xlsx", "--exported", "2026-12-01", dir = dir)
  expect_equal(run$status, 0)
  sheets <- readxl::excel_sheets(file.path(dir, "list.xlsx"))
  expect_setequal(intersect(sheets, c("List", "By page", "By query", "By topic")),
    c("List", "By page", "By query", "By topic"))
  list <- as.data.frame(readxl::read_excel(file.path(dir, "list.xlsx")))
  expect_true("About" %in% sheets)
  tasks <- which(!is.na(list$rank))
  list$decision <- replace(rep("", nrow(list)), tasks[1:2], c("harmless", "fix"))
  fwrite(list, file.path(dir, "decided.csv"))
  expect_equal(program("decide", "--sheet", "decided.csv", "--by", "Ada", "--exported",
    "2026-12-01", dir = dir)$status,
    0)
  now <- program("find", "--format", "csv", "--exported", "2026-12-01", dir = dir)
  rows <- fread(text = now$out)
  expect_false(list$id[1] %in% rows$id)
  expect_equal(rows$decision[rows$id == list$id[tasks[2]]], "fix")
  expect_match(paste(now$err, collapse = "\n"), "decided and not shown: 1 task")
  bad <- program("decide", list$id[1], "perhaps", dir = dir)
  expect_equal(bad$status, 2)
  list$decision[3] <- "perhaps"
  fwrite(list, file.path(dir, "decided.csv"))
  wrong <- program("decide", "--sheet", "decided.csv", dir = dir)
  expect_equal(wrong$status, 1)
  expect_match(paste(wrong$err, collapse = "\n"), "line 4")
  text <- program("find", "--format", "markdown", "--exported", "2026-12-01", dir = dir)$out
  expect_true(any(grepl("^- \\[ \\] ", text)))
  expect_equal(program("trace", rows$id[1], "--exported", "2026-12-01", dir = dir)$status, 0)
  # A rank is that of the list shown last, whatever its options were.
  few <- fread(text = program("find", "--kind", "striking-distance", "--format", "csv",
    "--exported", "2026-12-01", dir = dir)$out)
  said <- program("decide", "1", "later", "--exported", "2026-12-01", dir = dir)
  expect_match(said$out, sprintf("%s  later", few$id[1]), all = FALSE)
})
