# The demo site as data, with its known truth.

demo_site <- function(seed, days, to, share) {
  check_number(seed, "seed")
  check_number(days, "days", min = 7)
  check_number(share, "share", min = 0.01, max = 1)
  to <- check_date(to, "to", null = FALSE)
  with_seed(seed, {
    pages <- demo_pages()
    queries <- plant_demo(demo_queries(pages), pages)
    if (share < 1) queries <- queries[sort(sample(nrow(queries), ceiling(share * nrow(queries))))]
    queries <- place_by_words(queries)
    rows <- draw_demo_rows(queries, pages, to - as.integer(days) + 1L, as.integer(days))
  })
  setorderv(rows, c("date", "query", "page", "device"))
  seen <- sums_by(rows, c("date", "query"), "impressions")
  private <- seen[seen$impressions < 2]
  daily <- rows[!private, on = c("date", "query")]
  list(
    daily = daily,
    totals = reduce_by(rows, "date"),
    page_totals = reduce_pages(rows)[, c("page", "clicks", "impressions", "ctr", "position")],
    capped = cap_queries(daily[daily$date > to - 90]),
    truth = list(curve = average_curve(queries), queries = queries, events = demo_events(),
      odd_days = demo_unusual_days()))
}

# The curve of an average query: the base curve, times the mean of what stands in the way of it.
average_curve <- function(queries) {
  truth <- demo_curve()
  factor <- queries[, .(factor = mean(pmin(factor, 3))), by = "segment"]
  lift <- sum(demo_device$share * demo_device$ctr)
  truth[, "ctr" := truth$ctr * lift * factor$factor[match(truth$segment, factor$segment)]]
  truth[]
}

cap_queries <- function(daily, rows = 1000L) {
  out <- reduce_by(daily, "query")
  setorderv(out, c("clicks", "impressions", "query"), c(-1L, -1L, 1L))
  utils::head(out, rows)
}

# The truth behind the demo: the CTR by position that clicks are drawn from, and what is planted
# where. The curve is a hand-set table with kinks and a step at the page break, of no parametric
# family.

demo_curve <- function() {
  plain <- c(0.245, 0.138, 0.098, 0.070, 0.0515, 0.0395, 0.032, 0.027, 0.024, 0.0225, 0.0125,
    0.0115, 0.0108, 0.0100, 0.0094, 0.0089, 0.0083, 0.0078, 0.0074, 0.0070)
  brand <- c(0.520, 0.215, 0.120, 0.085, 0.066, 0.052, 0.044, 0.038, 0.034, 0.032, rep(0.018, 10))
  deep <- 0.0035 * exp(-0.03 * (0:79))
  rbind(data.table(segment = "non-brand", position = 1:100, ctr = c(plain, deep)),
    data.table(segment = "brand", position = 1:100, ctr = c(brand, 2 * deep)))
}

demo_device <-
  data.table(device = c("mobile", "desktop"), share = c(0.62, 0.38), ctr = c(0.95, 1.08))

# Share of searchers who see a results page, so that deep queries have fewer impressions than
# demand.
demo_seen <- function(position) ifelse(position < 10.5, 1, ifelse(position < 20.5, 0.35, 0.2))

# What happened to the site when: two events with an effect on some pages and one with none.
demo_events <- function() {
  data.table(
    date = as.IDate(c("2026-04-20", "2026-07-06", "2026-09-07")),
    event = c("Titles of three guides rewritten", "Search-engine update", "Journal redesigned"),
    pages = c("/guides/how-to-grow-bean/ /guides/how-to-grow-pea/ /guides/how-to-grow-squash/",
      "/shop/tomato/* /shop/pepper/* /shop/chilli/*", "/journal/*"),
    clicks = c(1.5, 1, 1),
    position = c(1, 1.4, 1))
}

# Days that are not as they seem: tracking that stood still, bots that see and never click.
demo_unusual_days <- function() {
  data.table(date = as.IDate(c("2026-05-20", "2026-08-11", "2026-08-12")),
    clicks = c(0.03, 0.25, 0.25), impressions = c(1, 4, 4))
}

# Adds to the queries: demand a day, season, base position, factor on the curve, and what is
# planted.
plant_demo <- function(queries, pages) {
  n <- nrow(queries)
  brand <- queries$segment == "brand"
  demand <- exp(stats::rnorm(n, log(0.6), 1.6))
  demand[brand] <- sort(exp(stats::rnorm(sum(brand), log(8), 1.2)), decreasing = TRUE)
  position <- exp(stats::runif(n, log(1.2), log(45)))
  position[brand] <- stats::runif(sum(brand), 1, 1.6)
  topics <- unique(queries$topic)
  # Sowing times: most crops peak in March, counted in days from the first of July.
  peak <- stats::rnorm(length(topics), 258, 30)

  weak <- sample(pages$page[pages$folder %in% c("shop", "guide", "variety")], 22)
  weak_factor <- stats::runif(22, 0.3, 0.55)
  page_effect <- exp(stats::rnorm(nrow(pages), 0, 0.1))[match(queries$page, pages$page)]
  planted <- data.table(queries, demand = demand, position = position,
    season = ifelse(brand, 0.15, 0.6), peak = peak[match(queries$topic, topics)],
    query_effect = exp(stats::rnorm(n, -0.03, 0.24)) * page_effect,
    weak = ifelse(brand, 1, c(weak_factor, 1)[match(queries$page, weak, nomatch = 23)]),
    feature = ifelse(queries$template %in% c("when to sow %s", "%s spacing"), 0.5, 1))
  planted[, "factor" := planted$query_effect * planted$weak * planted$feature]
  plant_pages(planted, pages)
}

# Pages stand better for queries that their title or a heading says, worse for those they do not.
demo_said <- c(title = 0.9, heading = 0.9, text = 1.15, none = 1.4)

place_by_words <- function(queries) {
  stands <- demo_phrases(queries)
  factor <- demo_said[stands$stands[match(paste(queries$query, queries$page),
    paste(stands$query, stands$page))]]
  use <- which(queries$case == "one_page" & !is.na(factor))
  set(queries, use, "position", queries$position[use] * factor[use])
}

# Queries for which a second page is shown, harmful or not. `case` names the kind, `other` the
# second page.
plant_pages <- function(queries, pages) {
  queries[, c("case", "other") := list("one_page", "")]
  twin <- function(folder, topic) pages$page[match(paste(folder, topic),
    paste(pages$folder, pages$topic))]
  free <- which(queries$folder %in% c("shop", "guide") & queries$demand > 1.2)
  free <- sample(free)
  take <- function(k) {
    out <- utils::head(free, k)
    free <<- utils::tail(free, -k)
    out
  }
  place <- function(k, case, position, demand = 4) {
    rows <- take(k)
    other <- ifelse(queries$folder[rows] == "shop", twin("guide", queries$topic[rows]),
      twin("shop", queries$topic[rows]))
    set(queries, rows, "case", case)
    set(queries, rows, "other", other)
    if (!is.null(position)) set(queries, rows, "position", position(length(rows)))
    set(queries, rows, "demand", pmax(queries$demand[rows], demand))
  }
  place(20, "swap", function(k) stats::runif(k, 3, 9), demand = 30)
  place(10, "split", function(k) stats::runif(k, 9, 16))
  place(60, "far_second", function(k) stats::runif(k, 2, 9))
  place(25, "blip", function(k) stats::runif(k, 2, 12))
  place(12, "both_top", function(k) stats::runif(k, 1, 1.4))
  queries[queries$segment == "brand", "case" := "brand_links"]
  queries[]
}
