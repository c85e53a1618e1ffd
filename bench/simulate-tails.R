# Simulation study of long tails: 200 pages of three queries with some sixty impressions in thirty
# days and forty with some six, 16 pages whose snippet is weak. What is listed with the program's
# defaults, of the pages and of their lost clicks.
#   R_LIBS=.build/library Rscript bench/simulate-tails.R [SEEDS]
source("bench/simulate-helpers.R")

one <- function(seed) {
  set.seed(seed)
  q <- CJ(page = 1:200, k = 1:43)
  q[, "demand" := exp(rnorm(.N, log(ifelse(k <= 3, 60, 6)), 0.6))]
  q[, c("position", "factor") := list(runif(.N, 2, 9), exp(rnorm(.N, -0.03, 0.25)))]
  weak <- sample(200, 16)
  kept <- runif(16, 0.3, 0.6)
  q[, "keep" := ifelse(page %in% weak, kept[match(page, weak)], 1)]
  q[, "impressions" := rpois(.N, demand)]
  q <- q[q$impressions > 0]
  q[, "usual" := pmin(0.9, 0.3 * position^-1.1 * factor)]
  q[, c("clicks", "gain") :=
    list(rbinom(.N, impressions, usual * keep), impressions * usual * (1 - keep))]
  words <- c("sow", "grow", "buy", "store", "best", "red", "early", "dwarf", "giant", "white")
  q[, "query" := paste(sample(words, .N, TRUE), sample(words, .N, TRUE), .I)]
  file <- tempfile(fileext = ".csv")
  fwrite(q[, .(query, page = sprintf("https://www.fernmoor.example/p/%d/", page), clicks,
    impressions, position = round(position, 1))],
    file)
  list <- tidy(tide_find(tide_summary(tide_read(file), undated_days = 30), kind = "low_ctr"))
  pages <- unique(as.integer(sub(".*/p/(\\d+)/", "\\1", list$page)))
  data.table(lines = nrow(list), pages = length(pages), right = mean(pages %in% weak),
    found = mean(weak %in% pages), clicks_found = sum(q$gain[q$page %in% pages]) / sum(q$gain),
    promised = sum(list$gain) / sum(q$gain[q$query %in% list$query]))
}
results <- rbindlist(parallel::mclapply(seeds, one, mc.cores = parallel::detectCores()))
print(results[, lapply(.SD, mean, na.rm = TRUE)], digits = 2)
