# Simulation study of the list: what is found, beside what was planted and beside the spreadsheet's
# habits.
#   R_LIBS=.build/library Rscript bench/simulate-findings.R [SEEDS] [KIND/...]
source("bench/simulate-helpers.R")

# Of all that is planted and worth a click a month, or as many as were found.
average_precision <- function(right, planted) {
  sum(cumsum(right) / seq_along(right) * right) / max(1, planted, sum(right))
}

one <- function(kind, seed) {
  site <- make_site(kind, seed)
  summary <- tide_summary(as_data(site$rows), brand = if (site$brand) "fernmoor")
  found <- tide_find(summary, min_gain = 0)
  list <- as.data.table(tidy(found))
  key <- function(query, page) paste(query, page)
  worth_low <- site$low$gain[match(key(list$query, list$page), key(site$low$query, site$low$page))]
  worth_swap <- site$swaps$gain[match(list$query, site$swaps$query)]
  worth <- fcoalesce(ifelse(list$kind == "cannibalized", worth_swap, worth_low), 0)
  case <- site$queries$case[match(list$query, site$queries$query)]
  low <- list$kind == "low_ctr"
  rivals <- list$kind == "cannibalized"
  harmful <- c("swap", "split")
  promise <- list$if_done * list$confidence
  # What merging two pages brings nobody can simulate: such queries are left out of every ranking.
  set(list, j = "worth", value = worth)
  # In the order of what is promised: hours and chances are no matter of truth.
  ranked <- order(-promise)
  ranked <- ranked[(low | rivals)[ranked] & !case[ranked] %in% "split"]
  truth <- list[ranked]
  weak <- site$queries$low[match(list$query, site$queries$query)]
  # Worth the work: at least a click a month.
  planted <- site$low[site$low$gain >= 1]
  all_worth <- c(site$low$gain, pmax(site$swaps$gain, 0))

  pairs <- found$pairs
  pairs[,
    c("asked", "shown") := list(summary$queries$query[pairs$query], summary$pages$page[pairs$page])]
  two <- pairs[segment != "brand", .N, by = "asked"][N > 1]$asked
  pairs <- pairs[!pairs$asked %in% site$queries$query[site$queries$case == "split"]]
  pivot <- found$curve$evidence[segment != "brand"]
  pairs[, "below" := pivot$pivot_ctr[match(round(pairs$position), pivot$position)]]
  below <- pairs[impressions >= 100 & position <= 20 & ctr < below & segment != "brand"][order(
    -(impressions * below - clicks))]
  worth_of <- function(rows) {
    fcoalesce(site$low$gain[match(key(rows$asked, rows$shown), key(site$low$query, site$low$page))],
      0) + pmax(0, fcoalesce(site$swaps$gain[match(rows$asked, site$swaps$query)], 0)) *
        !duplicated(rows$asked)
  }
  top <- max(pivot$pivot_ctr[pivot$position == 1])
  habits <- list(`below pivot` = below, `top ctr` = pairs[order(-(impressions * top - clicks))],
    `impr/pos` = pairs[order(-impressions / position)])
  f1 <- function(listed, case_of) {
    precision <- mean(case_of %in% harmful)
    recall <- mean(site$queries[case %in% harmful]$query %in% listed)
    c(precision, recall, 2 * precision * recall / (precision + recall))
  }
  ours <- f1(list$query[rivals], case[rivals])
  harmless <- site$queries[!site$queries$case %in% c(harmful, "one page")]
  swapped_row <- rivals & case == "swap"
  swapped <- which(swapped_row)
  gained <- c(which(low & worth > 0), swapped)
  data.table(
    kind = kind,
    seed = seed,
    low = sum(low),
    low_right = mean(worth[low] > 0),
    first_50 = mean(head(worth[low], 50) > 0),
    low_ap = average_precision(worth[low] > 0, nrow(planted)),
    low_found = sum(worth[low]) / sum(site$low$gain),
    pivot_right = mean(worth_of(below) > 0),
    pivot_50 = mean(worth_of(head(below, 50)) > 0),
    pivot_ap = average_precision(worth_of(below) > 0, nrow(planted)),
    stated = 1 - mean(list$confidence[low]),
    rivals_p = ours[1],
    rivals_r = ours[2],
    rivals_f1 = ours[3],
    habit_f1 = f1(two, site$queries$case[match(two, site$queries$query)])[3],
    harmless = mean(harmless$query %in% list$query[rivals]),
    ndcg = ndcg(truth$worth, all_worth),
    pivot_ndcg = ndcg(worth_of(habits[[1]]), all_worth),
    top_ndcg = ndcg(worth_of(habits[[2]]), all_worth),
    impr_ndcg = ndcg(worth_of(habits[[3]]), all_worth),
    promised_low = sum(promise[low]) / sum(worth[low]),
    promised_right = sum(list$if_done[low & worth > 0]) / sum(worth[low]),
    promised = sum(promise[low | swapped_row]) / sum(worth[low | swapped_row]),
    promised_swap = sum(promise[swapped]) / sum(worth[swapped]),
    held = mean(
      list$if_done_low[gained] <= worth[gained] & worth[gained] <= list$if_done_high[gained]))
}
means_by_kind(one)
