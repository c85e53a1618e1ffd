# Made-up pages by day, and events about them.

# Pages of a made-up site by day: page 1 to 3 change at day 57 by the given factors.
paged <- function(seed = 1, days = 112, clicks = 1, position = 1, demand = 1, pages = 40) {
  set.seed(seed)
  d <- data.table::CJ(page = seq_len(pages), day = seq_len(days))
  later <- d$page <= 3 & d$day > 56
  home <- 1 + d$page %% 5
  at <- pmin(20, ifelse(later, home * position, home))
  impressions <- rpois(nrow(d), 120 * exp(rnorm(pages, 0, 0.4))[d$page] *
    (1 + 0.3 * sin(d$day / 30)) * ifelse(later, demand, 1)) + 1L
  rate <- approx(seq_along(made_curve), made_curve, at, rule = 2)$y * ifelse(later, clicks, 1)
  data.table::data.table(date = as.IDate("2026-01-01") + d$day, query = sprintf("query %d", d$page),
    page = sprintf("https://www.fernmoor.example/%s/p%d/", ifelse(d$page <= 3, "a", "b"), d$page),
    clicks = rbinom(nrow(d), impressions, pmin(0.9, rate)), impressions = impressions,
    position = at)
}

events_file <- function(lines) {
  withr::local_tempfile(lines = lines, fileext = ".csv", .local_envir = parent.frame())
}

marks <- function(pages = "/a/*", day = "2026-02-27") {
  tide_events(events_file(c("date,event,pages", sprintf("%s,Rewritten,%s", day, pages))))
}
