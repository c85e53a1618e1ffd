# What a table by page alone tells: how many low-CTR lines are pages with a weak title or a feature
# that takes clicks, and which pages are taken for further links beneath another result, on the demo
# site (four such links beneath the home page) and on sites of readers (none).
#   R_LIBS=.build/library Rscript bench/simulate-pages-alone.R [SEEDS]
suppressPackageStartupMessages(library(inktide))
source("bench/read-rows.R")
source("bench/simulate-reader-site.R")
given <- commandArgs(TRUE)
seeds <- seq_len(if (length(given)) as.integer(given[1]) else 3)

list_of <- function(rows) {
  tide_find(tide_summary(inktide:::pages_for_queries(as_data(rows))))
}
beneath <- function(found) found$summary$pages$page[inktide:::shown_beneath(found$summary)]
demo_site <- function(seed) {
  site <- tide_demo(seed = seed)
  rows <- as.data.table(site$daily)
  pages <- rows[, .(clicks = sum(clicks), impressions = sum(impressions),
    position = sum(position * impressions) / sum(impressions)), by = "page"]
  found <- list_of(pages)
  truth <- site$truth$queries[rows[, .(impressions = sum(impressions)), by = c("query", "page")],
    on = "query", nomatch = NULL]
  weak <- truth[, .(weak = weighted.mean(weak < 1 | feature < 1, impressions) > 0.3), by = "page"]
  links <- beneath(found)
  named <- sub("^https://[^/]*", "", links)
  right <- weak$weak[match(found$findings$page, weak$page)]
  data.table(site = "demo", seed = seed, pages = nrow(pages), low = length(right),
    right = mean(right, na.rm = TRUE), beneath = length(links),
    beneath_right = sum(named %in% c("/catalogue/", "/delivery/", "/contact/", "/gift-vouchers/")))
}
readers <- function(situation, seed) {
  site <- reader_site(situation, seed)
  pages <- as.data.table(site$rows)[, .(clicks = sum(clicks), impressions = sum(impressions),
    position = sum(position * impressions) / sum(impressions)), by = "page"]
  found <- list_of(pages)
  weak <- site$truth[, .(weak = any(weak)), by = "page"]
  right <- weak$weak[match(found$findings$page, weak$page)]
  data.table(site = situation, seed = seed, pages = nrow(pages), low = length(right),
    right = mean(right, na.rm = TRUE), beneath = length(beneath(found)), beneath_right = 0)
}
all <- rbindlist(c(lapply(seeds, demo_site), unlist(lapply(names(situations)[1:6], function(s) {
  lapply(seeds, function(seed) readers(s, seed))
}), FALSE)))
print(all[, lapply(.SD, function(x) round(mean(x, na.rm = TRUE), 2)), by = "site",
  .SDcols = -"seed"])
