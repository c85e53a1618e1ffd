# Simulation study of striking distance: what a query would bring at the stated target, beside what
# is said of it (`if_done`), and the intervals that hold it. Truth: its demand, seen in full on page
# one and by six in ten on page two, times the true curve at the target, times its own factor, less
# what it brings today.
#   R_LIBS=.build/library Rscript bench/simulate-steps.R [SEEDS]
source("bench/simulate-helpers.R")

one <- function(kind, seed) {
  site <- simulate_otherwise(kind, seed)
  found <- as.data.table(tidy(tide_find(tide_summary(as_data(site$rows)),
    kind = "striking_distance")))
  at <- match(found$query, site$queries$query)
  q <- site$queries[at]
  steady <- q$case == "one page" & q$low == ""
  target <- ifelse(found$position > 10.5, 8, 3)
  month <- 30 / 90
  today <- site$known[match(paste(q$id, found$page), paste(site$known$id, site$known$page))]
  truth <- 30 * q$demand * site$curve(target) * q$factor - month * today$expected * q$factor
  of <- function(use) {
    list(lines = sum(use), ratio = sum(found$if_done[use]) / sum(truth[use]),
      held = mean((found$if_done_low <= truth & truth <= found$if_done_high)[use]))
  }
  near <- of(steady & target == 3)
  far <- of(steady & target == 8)
  data.table(kind, seed, lines = near$lines, top_three = near$ratio, held_top_three = near$held,
    lines_far = far$lines, page_one = far$ratio, held_page_one = far$held)
}
kinds <- c("otherwise, alike", "otherwise", "otherwise, gamma", "otherwise, apart",
  "otherwise, close")
means_by_kind(one)
