# Pages and queries first seen within the window are judged on their life so far: their clicks of 30
# days come from the days since, not from days before they existed.

# Days since the page or query of each finding was first seen, NA for those that are not young.
# Young is what had been seen often enough before, had it been there at the rate it has since.
young_days <- function(summary) {
  recent <- summary$recent
  of <- function(table, column) {
    first <- summary[[table]][["first"]]
    if (is.null(first) || !isTRUE(summary$window$dated)) {
      return(rep(NA_real_, nrow(summary[[table]])))
    }
    lived <- as.numeric(recent$to - first) + 1
    before <- as.numeric(first - summary$window$from)
    seen <- sum_codes(summary$pairs$impressions, summary$pairs[[column]], nrow(summary[[table]]))
    missed <- seen / pmin(lived, recent$days) * before
    ifelse(first > recent$from & lived >= assumed("young_days_least") &
      missed >= assumed("young_missed"),
      lived, NA_real_)
  }
  list(query = of("queries", "query"), page = of("pages", "page"))
}

# Days with data that clicks of pairs are of: those since they were first seen, where they are
# young.
days_lived <- function(summary, pairs) {
  days <- young_days(summary)
  pmin(days$query[pairs$query], days$page[pairs$page], summary$recent$with_data, na.rm = TRUE)
}

# Findings of what is young, with their clicks for 30 days of life.
judge_young <- function(looked, summary) {
  found <- looked$found
  days <- young_days(summary)
  if (all(is.na(unlist(days, use.names = FALSE))) || !nrow(found)) return(looked)
  of_query <- days$query[chmatch(found$query, summary$queries$query)]
  of_page <- days$page[chmatch(found$page, summary$pages$page)]
  lived <- pmin(of_query, of_page, na.rm = TRUE)
  own <- which(kind_is(found$kind, "young") & !is.na(lived))
  if (!length(own)) return(looked)
  lived <- lived[own]
  # Clicks of the whole window, unlike those of low CTR, whose pairs have days of their own.
  whole <- kind_is(found$kind[own], "window")
  times <- ifelse(whole, summary$recent$with_data / pmin(lived, summary$recent$with_data), 1)
  for (column in c("if_done", "if_done_low", "if_done_high")) {
    set(found, own, column, found[[column]][own] * times)
  }
  what <- ifelse(fcoalesce(of_page[own], Inf) <= fcoalesce(of_query[own], Inf), "page", "query")
  since <- summary$recent$to - as.integer(lived) + 1L
  line <- found$line[own]
  looked$facts <- c(looked$facts,
    new_facts("points_to", "first_seen", line, what = what, since = since, days_lived = lived),
    new_facts("derivation", ifelse(whole, "first_seen_scaled", ""), line, what = what,
      since = since, days = summary$recent$with_data, days_lived = lived,
      if_done = found$if_done[own]))
  looked
}
