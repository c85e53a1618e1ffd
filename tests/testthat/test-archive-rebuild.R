test_that(
  "a lost, empty, foreign or damaged index is told, nothing is swept, and it can be rebuilt",
  {
  skip_unless_studies()
    dir <- withr::local_tempdir()
    store <- tide_store(dir)
    tide_load(store, export(rows_of(0:40, 10)), exported = "2026-05-01")
    tide_load(store, export(rows_of(30:50, 20)), exported = "2026-05-10")
    tide_load(store, export(rows_of(0:3, 99)), exported = "2026-05-11")
    tide_undo(store, 3)
    tide_load(store, tide_facts(csv("query,volume", "kale,900")))
    before <- held(store)
    history <- summary(store)
    index <- file.path(store$dir, "archive.sqlite")
    other <- withr::local_tempdir()
    tide_load(tide_store(other), export(rows_of(0:3, 1)), exported = "2026-05-01")
    breaks <- list(function() unlink(index), function() writeBin(raw(), index),
      function() writeBin(as.raw(1:200), index),
      function() file.copy(file.path(other, "archive", "archive.sqlite"), index, overwrite = TRUE))
    for (way in breaks) {
      parts <- list.files(file.path(store$dir, "parts"))
      way()
      expect_error(tide_load(tide_store(dir), export(rows_of(60:61, 5)), exported = "2026-06-01"),
        "rebuild|Rebuild", class = "tide_error_store_index")
      expect_equal(list.files(file.path(store$dir, "parts")), parts)
      again <- tide_rebuild(dir)
      expect_equal(held(again), before)
      expect_equal(summary(again), history)
      expect_equal(tide_facts(again)[[1]]$rows$volume, 900)
    }
    # Archives of earlier versions have no records: their parts say what they hold.
    unlink(c(index, file.path(store$dir, "records")), recursive = TRUE)
    expect_error(tide_store(dir), class = "tide_error_store_index")
    expect_equal(sum(summary(tide_rebuild(dir))$rows), 41 + 21 + 4)
    expect_error(tide_rebuild(withr::local_tempdir()), class = "tide_error_store")
  })

test_that("damaged parts are written anew when loaded again; without any, every command says so", {
  dir <- withr::local_tempdir()
  store <- tide_store(dir)
  file <- export(rows_of(0:40, 10))
  tide_load(store, file, exported = "2026-05-01")
  for (hurt in list(function(part) unlink(part), function(part) writeLines("x", part))) {
    for (part in list.files(file.path(store$dir, "parts"), full.names = TRUE)) hurt(part)
    expect_error(held(store), "can be read", class = "tide_error_store")
    expect_error(tide_summary(tide_stored(store, by_month = TRUE)), "can be read",
      class = "tide_error_store")
    expect_true(any(tide_check(store)$problems$problem == "damaged part"))
    expect_equal(tide_load(store, file, exported = "2026-05-01")$repaired, 2)
    expect_equal(sum(held(store)$clicks), 410)
    expect_equal(tide_load(store, file, exported = "2026-05-01")$repaired, 0)
  }
})
