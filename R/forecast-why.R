# Why a forecast missed, and how far its plan has come.

why_columns <- c(part_names, "by_rest", "by_plan")

# In: months that came, see match_actuals(). Out: the same with `why_columns`.
why_missed <- function(rows, history, data, rules, most = 3L) {
  rows <- copy(rows)
  set(rows, j = why_columns, value = rep(list(rep(NA_real_, nrow(rows))), length(why_columns)))
  tbl <- if (!is.null(data)) pick_table(data, c("date", "query", "page"))
  if (is.null(tbl) || history$of != "clicks" || !nrow(rows)) return(rows)
  days <- range(tbl$rows$date)
  known <- rows$segment == "all" & rows$made >= first_of_month(days[1] + 27L) &
    months_after(rows$month, 1L) - 1L <= days[2]
  nearest <- rows$horizon == stats::ave(rows$horizon, rows$month, FUN = min)
  last <- utils::tail(sort(unique(rows$month[known])), most)
  for (month in as.list(last)) {
    at <- which(known & nearest & rows$month == month)
    if (!length(at)) next
    change <- tryCatch(month_change(data, rows$made[at[1]], rows$month[at[1]], rules),
      tide_error = function(e) NULL)
    if (is.null(change)) next
    for (i in at) set(rows, i, why_columns, miss_parts(rows[i], change, history))
  }
  rows
}

# Two whole months against each other, by cause, as shares of the earlier one's clicks.
month_change <- function(data, before, after, rules) {
  whole <- function(month) c(month, months_after(month, 1L) - 1L)
  change <-
    tide_compare(data, by = "page", before = whole(before), after = whole(after), rules = rules)
  lapply(change$site[, part_names, with = FALSE], `/`, change$site$clicks_before)
}

# The parts add up to what came less what was expected.
miss_parts <- function(row, change, history) {
  known <- history$months[history$months$segment == "all"]
  last <-
    known$value[match(row$made, known$month)] / days_in_month(row$made) * days_in_month(row$month)
  parts <- lapply(change, `*`, last)
  rest <- row$came - last - sum(unlist(parts))
  added <- row$expected - row$baseline
  # What was expected without the plan is demand and its season.
  parts$by_demand <- parts$by_demand - (row$baseline - last)
  c(parts, list(by_rest = rest, by_plan = -added))
}

# How far each line of the newest plan has come.
plan_states <- function(store, data) {
  plan <- newest_plan(store)
  now <- if (!is.null(data)) positions_now(data)
  if (!NROW(plan) || is.null(now)) return(data.table())
  set(plan, j = c("month", "position_then"), value = list(as.IDate(plan$month), plan$position))
  at <- match(paste(query_key(plan$query), page_key(plan$page)), now$key)
  set(plan, j = c("position", "ctr"), value = list(now$position[at], now$ctr[at]))
  waited <- month_number(now$last) - month_number(plan$month)
  reached <- plan$position <= plan$target + 0.5 | plan$ctr >= plan$target_ctr
  state <- fcase(is.na(plan$target) & is.na(plan$target_ctr), "no target", is.na(plan$position),
    "not shown", reached %in% TRUE, "reached", waited < 0, "not begun", waited >= 3, "late",
    default = "not yet")
  set(plan, j = "state", value = state)
  plan[, c("plan", "id", "query", "page", "month", "target", "target_ctr", "position_then",
    "position", "ctr", "state")]
}

# Position and CTR of the last 28 days by query and page.
positions_now <- function(data) {
  tbl <- pick_table(data, c("date", "query", "page"))
  if (is.null(tbl)) return(NULL)
  last <- max(tbl$rows$date)
  rows <- tbl$rows[tbl$rows$date > last - 28L]
  sums <- sums_by(setDT(list(query = as.character(rows$query), page = as.character(rows$page),
    clicks = rows$clicks, impressions = rows$impressions,
    weighted = rows$position * rows$impressions)),
    c("query", "page"), c("clicks", "impressions", "weighted"))
  set(sums, j = "key", value = paste(query_key(sums$query), page_key(sums$page)))
  # Spellings of one page.
  sums <- sums_by(sums, "key", c("clicks", "impressions", "weighted"))
  list(key = sums$key, position = sums$weighted / sums$impressions,
    ctr = sums$clicks / sums$impressions, last = last)
}

# Lines of the first plan of the newest forecast that had one.
newest_plan <- function(store) {
  planned <- Filter(function(one) length(one$plans) > 0, kept_forecasts(store))
  if (!length(planned)) return(NULL)
  newest <- planned[[length(planned)]]
  lines <- as.data.table(newest$plans[[1]])
  # A forecast of an earlier version kept no targets.
  for (column in c("target", "target_ctr", "position")) {
    own <- lines[[column]]
    set(lines, j = column, value = if (is.null(own)) NA_real_ else as.numeric(own))
  }
  set(lines, j = "plan", value = names(newest$plans)[1])
}
