test_that("views by page, query, folder and topic add up to the list", {
  found <- demo()$found
  for (by in c("page", "query", "folder", "topic")) {
    view <- tide_group(found, by)
    expect_equal(sum(view$gain), sum(found$findings$gain))
    expect_equal(sum(view$findings), nrow(found$findings))
    expect_equal(sum(view$hours), sum(found$findings$hours))
  }
  day <- tide_choose(found, budget = 8)$findings
  expect_lte(sum(day$hours), 8)
  some <- tide_choose(found, per_page = 1)
  expect_true(all(table(some$findings$page[some$findings$hours > 0]) == 1))
  expect_equal(sum(tide_group(some)$gain), sum(some$findings$gain))
  expect_equal(sum(inktide:::task_sums(some$findings, unique(some$findings$task))$gain),
    glance(some)$gain)
})

test_that("the interval of a total is that of simulated lines and tasks",
  {
    found <- rbind(finding("low_ctr", 10, 1L, chance = 0.6, task_key = "low_ctr a", low = 7,
      high = 13),
      finding("low_ctr", 20, 2L, chance = 0.6, task_key = "low_ctr a", low = 16, high = 24),
      finding("striking_distance", 30, 3L, chance = 0.2, low = 20, high = 40))
    ranked <- inktide:::rank_findings(looked_at(found), list(least = 0, asked = TRUE),
      no_queries)$found
    total_under <- function(set) {
      inktide:::local_assumptions(set)
      inktide:::total_gain(ranked)
    }
    total <- total_under(list(chance_sd = 1e-9))
    expect_equal(c(total$if_done, total$gain), c(60, 30 * 0.9 * 0.6 + 30 * 0.9 * 0.2))
    set.seed(4)
    one <- function(done, low, high) {
      (runif(2e5) < 0.9) * rnorm(2e5, done, (high - low) / 2 / qnorm(0.95))
    }
    won <-
      (runif(2e5) < 0.6) * (one(10, 7, 13) + one(20, 16, 24)) + (runif(2e5) < 0.2) * one(30, 20, 40)
    expect_equal((total$high - total$gain) / qnorm(0.95), sd(won), tolerance = 0.01)
    # How far a chance is off is shared by all tasks of a kind.
    shared <- total_under(list(chance_sd = 0.35))
    expect_equal(((shared$high - shared$gain) / qnorm(0.95))^2,
      var(won) + sum((0.35 * c(16.2, 5.4))^2), tolerance = 0.01)
  })

test_that("the tasks shown at first bring four fifths of the gain", {
  found <- demo()$found
  useful <- inktide:::useful_tasks(found)$findings
  leads <- sum(useful$hours > 0)
  expect_gte(sum(useful$gain), 0.8 * sum(found$findings$gain))
  expect_lt(sum(tide_choose(found, top = leads - 1)$findings$gain), 0.8 * sum(found$findings$gain))
})
