# Simulation study of leading pages that do not answer their query: what is listed where addresses
# alone tell which page matches, and where the pages were read, too. Of 60 queries each another page
# answers and searchers pass the leader by (0.5 of its clicks); the leader answers; or both do. Half
# of the addresses are numbers; a third of the pages name the other's words in their text.
#   R_LIBS=.build/library Rscript bench/simulate-wrong-leaders.R [SEEDS]
source("bench/simulate-helpers.R")

one <- function(seed) {
  set.seed(seed)
  curve <- approxfun(c(1:10, 11, 80),
    c(0.29, 0.155, 0.105, 0.075, 0.056, 0.043, 0.034, 0.028, 0.023, 0.02, 0.009, 0.001), rule = 2)
  cases <- c("other answers", "leader answers", "both answer")
  q <- data.table(case = c(rep(cases, each = 60), rep("one page", 800)))
  n <- nrow(q)
  q[, c("id", "demand", "home", "factor") := list(seq_len(n), pmin(60, 2 + exp(rnorm(n, 1, 1))),
    exp(runif(n, log(2), log(8))), exp(rnorm(n, -0.03, 0.25)))]
  words <- outer(c("red", "early", "dwarf", "giant", "tall"), c("bean", "pea", "kale", "leek"),
    paste)
  q[, "query" := sprintf("%s q%dx", sample(words, n, TRUE), id)]
  site <- "https://www.fernmoor.example"
  address <- function(query, id, named, letter) {
    ifelse(named, sprintf("%s/%s-%s/", site, gsub(" ", "-", query), letter),
      sprintf("%s/%s%d/", site, letter, id))
  }
  other_words <- sprintf("%s z%dx", sample(words, n, TRUE), q$id)
  first_says <- ifelse(q$case == "other answers", other_words, q$query)
  second_says <- ifelse(q$case %in% c("other answers", "both answer"), q$query, other_words)
  named <- runif(n) < 0.5
  first <- address(first_says, q$id, named, "a")
  second <- address(second_says, q$id, named, "b")
  several <- q$case != "one page"
  html <- function(own, other) {
    sprintf(paste0("<html lang='en'><head><title>%s</title></head><body><h1>%s</h1>",
      "<p>All that there is to say of %s, and what to mind.</p>%s</body></html>"), own, own, own,
      ifelse(runif(length(own)) < 1 / 3, sprintf("<p>Some look for %s, too.</p>", other), ""))
  }
  dir <- tempfile("site")
  write <- function(address, text) {
    for (i in seq_along(address)) {
      folder <- file.path(dir, sub(site, "", address[i], fixed = TRUE))
      dir.create(folder, recursive = TRUE)
      writeLines(text[i], file.path(folder, "index.html"))
    }
  }
  write(first, html(first_says, second_says))
  write(second[several], html(second_says, first_says)[several])
  d <- q[rep(seq_len(n), each = 91)]
  day <- rep(1:91, n)
  place <- pmax(1, d$home + rnorm(nrow(d), 0, 0.3))
  kept <- ifelse(d$case == "other answers", 0.5, 1)
  rows <- rbind(
    data.table(d[, "query"], day, page = first[d$id], position = place,
      rate = curve(place) * d$factor * kept, demand = d$demand),
    data.table(d[, "query"], day, page = second[d$id], position = place + 4,
      rate = curve(place + 4) * d$factor, demand = d$demand)[several[d$id]])
  rows[, "impressions" := rpois(.N, demand)]
  rows <- rows[impressions > 0]
  rows[, "clicks" := rbinom(.N, impressions, pmin(0.9, rate))]
  data <- as_data(rows[, .(date = as.IDate("2026-01-01") + day, query, page, clicks, impressions,
    position = round(position, 1))])
  summary <- tide_summary(data, brand = "fernmoor")
  pages <- tide_pages_read(dir, paste0(site, "/"))
  unlink(dir, recursive = TRUE)
  listed <- function(pages) {
    list <- tidy(tide_find(summary, kind = "cannibalized", pages = pages, min_gain = 0))
    right <- list$page == second[match(list$query, q$query)]
    q[, .(listed = mean(query %in% list$query[right])), by = "case"]
  }
  merge(listed(NULL), listed(pages), by = "case", sort = FALSE,
    suffixes = c("_by_address", "_by_text"))[, "seed" := seed][]
}
results <- rbindlist(parallel::mclapply(seeds, one, mc.cores = parallel::detectCores()))
print(results[, .(by_address = round(mean(listed_by_address), 3),
  by_text = round(mean(listed_by_text), 3)), by = "case"])
