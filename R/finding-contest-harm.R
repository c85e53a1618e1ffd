# What two pages of one query do to each other, told by who led when, by how close they stand and by whose words match
# the query. Each kind of harm has its test; what passes none is harmless.

# Pages swap where each led for so many days and so large a share of them.
least_led <- c(days = 7, share = 0.1)
# Pages that take turns stand level where neither leads by more than this share of its position, or both are on page two:
# neither shows where one page would stand. At the top they both do well.
level_swap <- c(share = 0.25, top = 3.5, page_two = 10.5)
# Pages are shown together where most weeks have both and neither has all impressions, near each other, none near the
# top.
together_least <- c(weeks = 0.5, share = 0.25, places = 6, position = 7)
# The wrong page leads where the other matches so much more of the query's words and searchers pass the leader by.
wrong_least <- c(words = 0.5, factor = 0.8, places = 15)

# A page and one beneath it do each other no harm where both are on page one and clicked nearly as usual.
well_off <- c(position = 10.5, factor = 0.8)

# In: rival_days(), lead_course() of them, fit of page and query, spread by query, `beneath`: whether one of the two
# lies beneath the other (beneath_other()). Out: one row a query: which page to keep (`keep`, `other`), the position one
# page would hold (`held`), what harm is done ("" for none) and how sure that is.
judge_contests <- function(rivals, course, fits, spread, beneath) {
  of <- contest_figures(rivals, course, fits, spread)
  done <- harm_done(of, course, beneath)
  harm <- done$harm
  splitting <- harm == "splitting"
  wrong <- harm == "wrong page leads"
  merged <- splitting | done$level
  keep_first <- !wrong & of$held1 <= of$held2
  either <- function(first, second) ifelse(keep_first, of[[first]], of[[second]])
  nearest <- ifelse(splitting, pmin(of$held1, of$held2, of$position1, of$position2), pmin(of$held1, of$held2))
  data.table(of[, c("query", "days", "changes", "clicks", "expected")], done[, c("harm", "level")],
    confidence = fcase(harm == "swapping", done$swapping, splitting, 0.7, rep(TRUE, length(harm)),
      stats::pgamma(wrong_least["factor"], 1 / spread + of$clicks1, 1 / spread + of$expected1)),
    keep = either("page1", "page2"), other = either("page2", "page1"),
    held = fcase(merged, nearest * merged_rise, wrong, of$position1, rep(TRUE, length(harm)), either("held1", "held2")),
    stands = ifelse(splitting, pmin(of$position1, of$position2), either("held1", "held2")),
    held_other = ifelse(splitting, pmax(of$position1, of$position2), either("held2", "held1")),
    led_keep = either("led1", "led2"), led_other = either("led2", "led1"), together = of$weeks_together,
    since = rivals$dates[of$last_change], keep_leads = keep_first == of$first_leads,
    searches = ifelse(splitting, of$searches_together, of$searches), chance = ifelse(merged, merged_chance, 1),
    reason = fcase(done$family, "a page and one beneath it that both do well",
      done$level | pmin(of$position1, of$position2) < 3 & of$places < 3, "two pages that both do well at the top",
      rep(TRUE, length(harm)), "two pages, one of which leads throughout"))
}

# One row a query: `harm`, how likely the pages swap (`swapping`), whether they do so at one `level`, and whether they are
# a page and one beneath it that both do well (`family`).
harm_done <- function(of, course, beneath) {
  swapping <- pmax(course$swaps, ifelse(of$apart_by_day, course$by_chance, 0))
  lasting <- pmin(of$led1, of$led2) >= pmax(least_led["days"], least_led["share"] * (of$led1 + of$led2))
  near <- pmax(of$places, of$gap, na.rm = TRUE) < together_least["places"]
  beside <- near & of$weeks_together > together_least["weeks"] & of$share_second > together_least["share"] &
    pmin(of$position1, of$position2) > together_least["position"]
  # Shown together and near each other day by day, which of the two is ahead is chance.
  swap <- lasting & swapping >= 0.5 & !(beside & of$side_by_side)
  better <- of$fit2 - of$fit1 >= wrong_least["words"]
  passed_by <- of$factor < wrong_least["factor"] & of$position2 < of$position1 + wrong_least["places"]
  harm <- fcase(swap, "swapping", beside, "splitting", better & passed_by & !is.na(better), "wrong page leads",
    rep(TRUE, nrow(of)), "")
  nearest <- pmin(of$held1, of$held2)
  level <- harm == "swapping" & (nearest > level_swap["page_two"] |
    (abs(of$held1 - of$held2) < level_swap["share"] * nearest) %in% TRUE)
  family <- harm == "splitting" & beneath & pmax(of$position1, of$position2) <= well_off["position"] &
    pmin(of$factor, of$factor2) >= well_off["factor"]
  data.table(harm = ifelse(family | level & nearest < level_swap["top"], "", harm), swapping, level, family)
}

# What the kinds of harm are told by, one row a query; the two rivals' figures end in 1 and 2.
contest_figures <- function(rivals, course, fits, spread) {
  seen <- rivals$seen
  any_day <- seen[[1]] + seen[[2]] > 0
  first_led <- course$leads > 0.5
  one <- rivals$first
  two <- rivals$second
  fit_of <- function(rival) fits$fit[match(paste(rival$query, rival$page), paste(fits$query, fits$page))]
  factor_of <- function(rival) (1 / spread + rival$clicks) / (1 / spread + rival$expected)
  last <- ncol(first_led)
  changed <- first_led[, -1, drop = FALSE] != first_led[, -last, drop = FALSE]
  together <- weeks_together(seen, rivals$dates)
  searches <- rowSums(pmax(seen[[1]], seen[[2]]))
  gap <- median_gap(rivals$position)
  data.table(query = rivals$queries, rivals$totals[, .(clicks = sum(clicks), expected = sum(expected)),
    by = "query"][, c("clicks", "expected")],
    page1 = one$page, page2 = two$page, position1 = one$position, position2 = two$position,
    places = abs(one$position - two$position),
    clicks1 = one$clicks, expected1 = one$expected, factor = factor_of(one), factor2 = factor_of(two),
    fit1 = fit_of(one), fit2 = fit_of(two), days = rowSums(any_day),
    held1 = position_held(seen[[1]], rivals$position[[1]], first_led),
    held2 = position_held(seen[[2]], rivals$position[[2]], !first_led),
    led1 = rowSums(any_day & first_led), led2 = rowSums(any_day & !first_led),
    changes = rowSums(changed), last_change = max.col(cbind(TRUE, changed), "last"), first_leads = first_led[, last],
    together, gap, side_by_side = !is.na(gap) & gap < 4 & together$larger_share < 0.7,
    apart_by_day = apart_by_day(seen),
    # Shown together, one search gives both pages an impression: searches are the larger of the two, or both less what
    # the weeks together have twice.
    searches_together = searches, searches = pmax(searches,
      rowSums(seen[[1]] + seen[[2]]) * (1 - 0.5 * together$weeks_together)))
}

# Share of weeks that have both pages, and the mean share of the second and of the larger in a week.
weeks_together <- function(seen, dates) {
  week <- as.integer(dates - dates[1]) %/% 7L
  by_week <- lapply(seen, function(side) t(rowsum(t(side), week)))
  any_week <- by_week[[1]] + by_week[[2]] > 0
  share <- ifelse(any_week, by_week[[2]] / (by_week[[1]] + by_week[[2]]), NA)
  data.table(weeks_together = rowMeans(ifelse(any_week, by_week[[1]] > 0 & by_week[[2]] > 0, NA), na.rm = TRUE),
    share_second = rowMeans(share, na.rm = TRUE), larger_share = rowMeans(pmax(share, 1 - share), na.rm = TRUE))
}

# Position of a page over the days in which it leads; Inf where it never does.
position_held <- function(seen, position, leads) {
  use <- leads & seen > 0
  held <- rowSums(ifelse(use, seen * position, 0)) / rowSums(ifelse(use, seen, 0))
  ifelse(is.nan(held), Inf, held)
}

# Places between the two on the middle one of the days that have both; NA where none has.
median_gap <- function(position) apply(abs(position[[1]] - position[[2]]), 1, stats::median, na.rm = TRUE)

# Whether days have one page or the other: impressions of both on one day are fewer than if each search showed either by
# chance, by a good part and by more than luck.
apart_by_day <- function(seen) {
  all <- seen[[1]] + seen[[2]]
  share <- rowSums(seen[[1]]) / rowSums(all)
  by_chance <- rowSums(all * pmax(all - 1, 0)) * share * (1 - share)
  rowSums(seen[[1]] * seen[[2]]) < pmin(0.6 * by_chance, by_chance - 2.2 * sqrt(by_chance))
}
