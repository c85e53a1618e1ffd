# Is what is said to be likely as often true? Low-CTR lines of all study sites, by what they rest on
# (the whole page, or one query) and by what is said of them. A line is right where clicks are truly
# missed by its page or query.
#   R_LIBS=.build/library Rscript bench/calibrate-confidence.R [SEEDS] [KIND/...]
source("bench/simulate-helpers.R")

one <- function(kind, seed) {
  site <- make_site(kind, seed)
  found <- as.data.table(tidy(tide_find(
    tide_summary(as_data(site$rows), brand = if (site$brand) "fernmoor"), kind = "low_ctr",
    fdr = 0.5, min_gain = 0)))
  if (!nrow(found)) return(NULL)
  key <- function(query, page) paste(query, page)
  worth <- site$low$gain[match(key(found$query, found$page), key(site$low$query, site$low$page))]
  data.table(kind, seed, said = found$confidence, real = as.numeric(fcoalesce(worth, 0) > 0),
    whole = ifelse(found$chance > 0.5, "page", "query"), done = found$if_done)
}
all <- rbindlist(parallel::mclapply(seq_len(length(kinds) * length(seeds)), function(i) {
  one(kinds[(i - 1) %/% length(seeds) + 1], seeds[(i - 1) %% length(seeds) + 1])
}, mc.cores = parallel::detectCores()))
# Each site counts alike, however many lines it has.
all[, "weight" := 1 / .N, by = c("kind", "seed")]
all[, "tenth" := pmin(9, floor(said * 10)) / 10]
table_by <- function(by) {
  all[, .(lines = .N, said = round(weighted.mean(said, weight), 3),
    real = round(weighted.mean(real, weight), 3), plain = round(mean(real), 3)),
    keyby = by]
}
print(table_by(c("whole", "tenth")))
print(table_by(c("kind", "whole")), nrows = 60)
