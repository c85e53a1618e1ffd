finding <- function(kind, gain, claims, confidence = 0.9, low = gain / 2, high = gain * 2,
    work = paste(kind, claims[1])) {
  data.table(kind = kind, query = paste(kind, gain), page = "/a", pages = "/a", clicks = 1,
    impressions = 10, ctr = 0.1, position = 5, expected_ctr = 0.2, gain = gain, gain_low = low,
    gain_high = high, confidence = confidence, action = "Do.", reason = "Because.",
    claims = list(claims), identity = paste(kind, paste(claims, collapse = "-")), work = work,
    how = list("by hand"),
    hours = c(low_ctr = 1, striking_distance = 4, cannibalized = 3, falling = 2)[[kind]])
}
rank <- function(..., least = 0, by_line = TRUE) {
  inktide:::rank_findings(rbind(...), list(least = least, by_line = by_line))
}

test_that("what is too small is told by line or by piece of work", {
  lines <- rbind(finding("low_ctr", 0.4, 1L, work = "a"), finding("low_ctr", 0.3, 2L, work = "a"),
    finding("low_ctr", 0.4, 3L))
  expect_equal(sort(rank(lines, least = 0.5, by_line = FALSE)$gain), c(0.3, 0.4))
  expect_equal(rank(lines, least = 0.4)$gain, c(0.4, 0.4))
})

test_that("score is gain x confidence / hours, best first", {
  ranked <- rank(finding("low_ctr", 10, 1L), finding("striking_distance", 60, 2L),
    finding("cannibalized", 15, 3:4))
  expect_equal(ranked$kind, c("striking_distance", "low_ctr", "cannibalized"))
  expect_equal(ranked$score, c(60 * 0.9 / 4, 10 * 0.9, 15 * 0.9 / 3))
  expect_equal(ranked$rank, 1:3)
})

test_that("a click has one owner, who names the others and carries the largest gain", {
  ranked <- rank(finding("low_ctr", 20, 1L), finding("striking_distance", 30, 1L),
    finding("striking_distance", 5, 2L))
  expect_equal(nrow(ranked), 2)
  expect_equal(ranked$kind[1], "low_ctr")
  expect_equal(ranked$gain[1], 30)
  expect_match(ranked$reason[1], "Also in striking distance, counted here once", fixed = TRUE)
  expect_equal(ranked$reason[2], "Because.")
})

test_that("a sure cannibalized query comes before whatever else is said of its pages, a doubtful one does not",
  {
    sure <-
      rank(finding("cannibalized", 1, 1:2), finding("low_ctr", 50, 1L), finding("low_ctr", 40, 2L))
    expect_equal(sure$kind, "cannibalized")
    expect_equal(sure$gain, 50)
    # While pages compete, what is said of their places besides does not count.
    expect_equal(rank(finding("cannibalized", 1, 1:2), finding("falling", 50, 1L))$gain, 1)
    doubtful <- rank(finding("cannibalized", 1, 1:2, confidence = 0.3), finding("low_ctr", 50, 1L),
      finding("low_ctr", 40, 2L))
    expect_equal(doubtful$kind, c("low_ctr", "low_ctr"))
  })

test_that("what one step mends is one task: its hours count once and its scores together", {
  ranked <- rank(finding("low_ctr", 10, 1L, work = "snippet"),
    finding("low_ctr", 6, 2L, work = "snippet"), finding("low_ctr", 12, 3L))
  expect_equal(ranked$gain, c(10, 12, 6))
  expect_equal(ranked$task[c(1, 3)], rep(ranked$id[1], 2))
  expect_equal(ranked$score[1:2], c(16, 12) * 0.9)
  expect_equal(ranked$hours, c(1, 1, 0))
  expect_equal(ranked$task_gain, c(16, 12, 16))
  expect_equal(inktide:::tasks_within(data.table(task = c("a", "b", "c"), hours = c(3, 4, 1)), 4),
    c("a", "c"))
})

test_that("ids depend on what the finding is about, never on its figures", {
  a <- rank(finding("low_ctr", 10, 1L))$id
  expect_equal(rank(finding("low_ctr", 99, 1L, confidence = 0.5))$id, a)
  expect_false(rank(finding("low_ctr", 10, 2L))$id == a)
  expect_match(a, "^L-[0-9a-f]{10}$")
})

test_that("independent gains add in squares, those that share an assumption in full", {
  of <- function(...) inktide:::total_gain(rbind(...))
  low <- of(finding("low_ctr", 10, 1L, low = 7, high = 13),
    finding("low_ctr", 20, 2L, low = 16, high = 24))
  expect_equal(unlist(low), c(gain = 30, low = 25, high = 35))
  near <- of(finding("striking_distance", 10, 1L, low = 7, high = 13),
    finding("striking_distance", 20, 2L, low = 16, high = 24))
  expect_equal(unlist(near), c(gain = 30, low = 23, high = 37))
})

test_that("usual part and shortfall share out what is seen by their variances (normal posteriors, checked by simulation)",
  {
    groups <- list(weight = c(0.9, 0.08, 0.02), mean = c(0, -0.8, 0.8), sd = c(0.3, 0.5, 0.5),
      seen = c(1e6, 1e6, 1e6))
    set.seed(9)
    usual <- rnorm(2e5, 0, 0.3)
    today <- usual + rnorm(2e5, -0.8, 0.4)
    z <- today + rnorm(2e5, 0, 0.2)
    near <- abs(z + 1.2) < 0.02
    level <- inktide:::low_levels(-1.2, 0.04, groups)
    expect_equal(c(level$usual, level$today), c(mean(usual[near]), mean(today[near])),
      tolerance = 0.03)
    expect_equal(c(level$usual_var, level$today_var, level$shared),
      c(var(usual[near]), var(today[near]), cov(usual[near], today[near])), tolerance = 0.06)
  })

test_that("two groups planted in log factors are told apart", {
  set.seed(3)
  low <- rep(c(TRUE, FALSE), c(150, 1350))
  noise <- rep(0.02, 1500)
  z <- rnorm(1500, ifelse(low, -0.9, 0), ifelse(low, 0.4, 0.25)) + rnorm(1500, 0, sqrt(noise))
  groups <- inktide:::fit_two_groups(inktide:::measured_over_factors(z, noise))
  expect_equal(groups$sd[1], 0.25, tolerance = 0.1)
  expect_equal(groups$mean[2], -0.9, tolerance = 0.25)
  expect_equal(groups$weight[[2]], 0.1, tolerance = 0.4)
})

test_that("the chance of a step falls with its length, and no target is number one", {
  expect_true(all(diff(inktide:::default_reach(4:20, 3)) < 0))
  expect_true(all(inktide:::next_step(seq(3.6, 20, 0.1)) >= 3))
  expect_equal(inktide:::next_step(c(10, 10.1)), c(3, 8))
})

test_that("where a step leads can be told, and what cannot be meant is refused", {
  expect_equal(inktide:::next_step(c(5, 12.5), inktide:::check_target("+3")), c(2, 9.5))
  expect_equal(inktide:::next_step(c(5, 12.5), inktide:::check_target("4")), c(4, 4))
  for (wrong in list("top", 0, "+x", c("3", "4"), NA)) {
    expect_error(tide_find(demo()$summary, demo()$found$curve, target = wrong),
      class = "tide_error_argument")
  }
  steps <- function(target) subset(tidy(tide_find(demo()$summary, demo()$found$curve,
    target = target, kind = "striking_distance")),
    kind == "striking_distance")
  three <- steps("+3")
  expect_match(three$reason[1],
    sprintf("position %s", inktide:::format_place(three$position[1] - 3)), fixed = TRUE)
  top <- steps(2)
  expect_true(all(top$position >= 4) && all(grepl("(position 2)", top$reason, fixed = TRUE)))
})

test_that("intent is told by whole words", {
  expect_equal(inktide:::query_intent(c("best kale seeds", "how to sow kale", "kale", "showcase",
    "how to buy kale")),
    c("commercial", "informational", "uncategorised", "uncategorised", "commercial"))
})

test_that(
  "the chance of a step is learnt from what queries did, and keeps to the default without history",
  {
    set.seed(4)
    walk <- function(rise) {
      d <- data.table::CJ(id = 1:400, month = 1:10)
      start <- runif(400, 4, 19)[d$id]
      up <- (runif(400) < rise)[d$id] & d$month > 6
      target <- ifelse(start > 10, 8, 3)
      list(sums = data.table::data.table(query = d$id, page = d$id %% 40, month = d$month,
        impressions = 50, weighted = 50 * ifelse(up, target - 0.5, start)),
        upto = 400L)
    }
    fits <- lapply(c(0.05, 0.8), function(rise) inktide:::learn_reach(walk(rise)))
    chance <- function(fit, position, target) plogis(qlogis(inktide:::default_reach(position,
      target)) + as.vector(inktide:::reach_features(position, target, 0, 10) %*% fit$coefficients))
    expect_lt(chance(fits[[1]], 12, 8), 0.1)
    expect_gt(chance(fits[[2]], 12, 8), 2 * chance(fits[[1]], 12, 8))
    # Of seven months that can be judged, those three before the rise reach it.
    expect_equal(fits[[2]]$reached, 0.8 * 3 / 6, tolerance = 0.2)
    expect_null(inktide:::learn_reach(NULL))
    short <- walk(0.5)
    short$sums <- short$sums[short$sums$month <= 3]
    expect_null(inktide:::learn_reach(short))
    one <- inktide:::add_courses(walk(0.5), list(sums = walk(0.5)$sums, upto = 100L))
    expect_true(all(one$sums$query <= 100) && all(one$sums$impressions == 100))
  })

test_that("findings are a table where one expects one", {
  found <- demo()$found
  expect_equal(nrow(found), nrow(found$findings))
  expect_equal(head(found, 2)$findings, found$findings[1:2])
  expect_s3_class(found[1:3], "tide_findings")
  expect_equal(as.data.frame(found[1:3])$id, found$findings$id[1:3])
  expect_length(format(head(found, 2)), 3)
  expect_error(predict(found$curve, newdata = data.frame(position = 3)), "newdata",
    class = "tide_error_argument")
})
