# Simulation study of brand queries: a brand with a diacritic, named as people type it, and its
# misspellings (letters left out, doubled, changed, swapped, a space, two letters for one) beside
# words, on a site with nothing planted and on one with a topic near the name. Brand queries that
# are listed, and plain queries that count as brand.
#   R_LIBS=.build/library Rscript bench/simulate-brand.R [SEEDS]
source("bench/simulate-helpers.R")
source("bench/simulate-changed-site.R")

brand_kinds <- list(`named plainly` = "harlund", `named with its diacritic` = "h\u00e4rlund",
  `longer name` = "fernmoor")

misspelt <- function(name) {
  letters <- strsplit(name, "")[[1]]
  n <- length(letters)
  drop <- vapply(3:5, function(i) paste(letters[-i], collapse = ""), "")
  double <- paste(append(letters, letters[4], 4), collapse = "")
  swap <- paste(letters[c(1:2, 4, 3, 5:n)], collapse = "")
  change <- paste(replace(letters, 5, "o"), collapse = "")
  spaced <- paste(substr(name, 1, 3), substring(name, 4))
  two <- gsub("\u00e4", "ae", name)
  unique(c(name, drop, double, swap, change, spaced, two, gsub("\u00e4", "a", name)))
}

one <- function(kind, seed) {
  site <- changed_site("nothing", seed)
  set.seed(seed)
  name <- brand_kinds[[kind]]
  all <- misspelt(if (kind == "longer name") name else "h\u00e4rlund")
  words <- c("", " seeds", " catalogue", " delivery", " contact", " tomato seeds")
  brand <- CJ(spelling = all, word = words, sorted = FALSE)
  brand[, c("query", "page", "demand") := list(paste0(spelling, word),
    c("", "", "catalogue/", "delivery/", "contact/", "tomato/")[match(word, words)],
    exp(rnorm(.N, 0, 0.6)) * ifelse(spelling == name, 8, 0.6))]
  rows <- brand[rep(seq_len(nrow(brand)), each = 90)]
  rows[, "date" := as.IDate("2026-01-01") + rep(1:90, nrow(brand))]
  rows[, "impressions" := rpois(.N, demand)]
  rows <- rows[impressions > 0]
  rows[, c("clicks", "position", "page") := list(rbinom(.N, impressions, 0.5), 1,
    paste0("https://www.fernmoor.example/", page))]
  summary <- tide_summary(as_data(rbind(site$rows, rows[, names(site$rows), with = FALSE])),
    brand = if (kind == "named plainly") "harlund" else name)
  found <- tidy(tide_find(summary))
  counted <- summary$queries$query[summary$queries$segment == "brand"]
  data.table(kind, seed, spellings = length(all), listed = sum(found$query %in% brand$query),
    missed = mean(!brand$query[brand$query %in% summary$queries$query] %in% counted),
    wrongly = sum(!counted %in% brand$query))
}
kinds <- names(brand_kinds)
means_by_kind(one)
