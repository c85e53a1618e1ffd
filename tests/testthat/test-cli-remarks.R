test_that("the answer stands first, and at most three remarks beneath it", {
  pairs <- tide_example()[["pairs"]]
  for (command in c("list", "find", "compare", "curve")) {
    short <- program(command, pairs, "--lag", "3")
    remarks <- grep("^ ", short$err, invert = TRUE, value = TRUE)
    expect_lte(length(remarks), 3, label = command)
    expect_match(remarks[length(remarks)], "^next: ", label = command)
    whole <- program(command, pairs, "--lag", "3", "--details")
    expect_gt(length(whole$err), length(short$err), label = command)
    expect_length(program(command, pairs, "--quiet")$err, 0)
  }
})

test_that("of what should be known the weightiest is said, with how many more", {
  said <- list(remarks = inktide:::new_remarks())
  inktide:::remark(said, "  small", weight = 1)
  inktide:::remark(said, "  large", weight = 3)
  inktide:::remark(said, "  asked for", weight = 0)
  told <- inktide:::most_important(said$remarks$known, said$remarks$weight)
  expect_equal(told, "large; 2 more with --details")
  expect_null(inktide:::most_important("asked for", 0))
})

test_that("whoever reads no further ends the program quietly", {
  file <- tide_example()[["pairs"]]
  program_file <- system.file("exec", "inktide", package = "inktide")
  script <- sprintf("%s %s list %s --top 5000 --format csv --quiet 2>&1 >&3 | cat >&2",
    file.path(R.home("bin"), "Rscript"), program_file, file)
  out <- system2("bash", c("-c", shQuote(sprintf(
    "set -o pipefail; { %s; } 3>&1 | head -1", script))), stdout = TRUE, stderr = TRUE)
  expect_length(out, 1)
  expect_match(out, "^query,clicks")
})
