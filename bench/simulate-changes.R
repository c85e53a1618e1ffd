# Simulation study of sites that changed within the window: pages that became weak, pages that were
# mended, pages weak throughout; besides, rankings of the whole
# site that move, an outage of three days, or a results page that takes clicks everywhere. What is
# listed, and how much of what can be won back is found.
#   R_LIBS=.build/library Rscript bench/simulate-changes.R [SEEDS]
source("bench/simulate-helpers.R")
source("bench/simulate-changed-site.R")

one_changed <- function(what, seed) {
  site <- changed_site(what, seed)
  found <- tidy(tide_find(tide_summary(as_data(site$rows)), kind = c("low_ctr", "falling")))
  truth <- site$truth
  truth[is.na(truth$won), "won" := 0]
  case <- truth$case[match(found$query, truth$query)]
  low <- found$kind == "low_ctr"
  won <- truth$won[match(found$query, truth$query)]
  weak <- truth[truth$case == "became weak"]
  mended <- truth[truth$case == "mended"]
  good <- low & case %in% c("became weak", "weak")
  data.table(
    kind = what,
    seed = seed,
    lines = sum(low),
    right = mean(case[low] %in% c("became weak", "weak")),
    found_new = sum(weak$won[weak$query %in% found$query]) / sum(weak$won),
    found_weak = sum(truth[truth$case == "weak" & truth$query %in% found$query]$won) /
      sum(truth[truth$case == "weak"]$won),
    mended = mean(mended$query %in% found$query[low]),
    promised = sum((found$if_done * found$confidence)[low]) / sum(won[low]),
    held = mean(found$if_done_low[good] < won[good] & won[good] < found$if_done_high[good]),
    falling = sum(!low))
}

kinds <- if (length(given) > 1) strsplit(given[2], "/")[[1]] else names(changes)
means_by_kind(one_changed)
