# Daily exports of a made-up shop of any size: query x page x device by day over 91 days. A tenth of
# the rows belong to a few large queries; position follows each query, clicks a power law of it. No
# row stands twice.
# More rows than `at_once` come window by window of the days, so that the generator stays small.
make_export <- function(rows, file, days = 91, seed = 1, from = "2026-07-01",
    queries = max(300, 4 * rows %/% days), at_once = 1e7) {
  set.seed(seed)
  pages <- max(50, queries %/% 10)
  crop <- c("tomato", "bean", "pea", "kale", "leek", "squash", "carrot")
  q <- data.table::data.table(
    query = paste("heirloom", sample(crop, queries, TRUE), "seeds variety", seq_len(queries)),
    page = sprintf("https://www.fernmoor.example/%s/item-%d/",
      sample(c("shop", "guides", "journal"), queries, TRUE), sample(pages, queries, TRUE)),
    position = exp(stats::runif(queries, 0, log(60))), demand = stats::rgamma(queries, 0.5))
  windows <- ceiling(rows / at_once)
  for (window in seq_len(windows)) {
    ends <- (window - 1:0) / windows
    part <- export_rows(q, diff(round(rows * ends)),
      round(days * ends[1]):(round(days * ends[2]) - 1), as.Date(from))
    data.table::fwrite(part, file, append = window > 1)
  }
}

export_rows <- function(q, rows, days, from) {
  draw <- function(n) data.table::data.table(day = days[sample(length(days), n, TRUE)],
    i = sample(nrow(q), n, TRUE, prob = q$demand + 0.05),
    device = sample(c("mobile", "desktop", "tablet"), n, TRUE, c(0.6, 0.35, 0.05)))
  d <- draw(rows)
  while (nrow(d <- unique(d)) < rows) d <- rbind(d, draw(rows))
  d <- d[seq_len(rows)]
  i <- d$i
  d <- data.table::data.table(date = data.table::as.IDate(from) + d$day, query = q$query[i],
    page = q$page[i], device = d$device)
  d[, impressions := 1L + stats::rpois(rows, 6 * q$demand[i])]
  d[, position := round(pmax(1, q$position[i] + stats::rnorm(rows)), 2)]
  d[, clicks := stats::rbinom(rows, impressions, 0.28 / position^1.1)]
  d[, ctr := round(clicks / impressions, 4)]
  data.table::setcolorder(d,
    c("date", "query", "page", "device", "clicks", "impressions", "ctr", "position"))
  d
}
