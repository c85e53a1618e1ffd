# A large file that is filtered while it is gone through.

#' @rdname tide_filter
#' @export
tide_filter.tide_blocks <- function(data, from = NULL, to = NULL, days = NULL, ...,
    segments = NULL, rules = tide_rules(), without = NULL) {
  from <- check_date(from, "from")
  to <- check_date(to, "to")
  check_number(days, "days", min = 1, null = TRUE)
  segments <- stacked_segments(segments, ...)
  check_class(rules, "tide_rules", "rules")
  # Sums by pair, and spellings of the brand, need all rows.
  if (about_sums(segments) || about_brand(segments)) {
    return(tide_filter(held_data(data), from = from, to = to, days = days, segments = segments,
      rules = rules, without = without))
  }
  codes <- lapply(data$store$levels, function(own) factor(character(), own))
  check_values(list(tables = list(list(rows = codes))), segments)
  steps <- window_steps(from, to, days, listed_days(without))
  ledger <- list()
  for (step in steps) {
    gone <- step(data$days)
    ledger <- c(ledger, list(day_ledger(data$days[gone[[1]]], names(gone))))
    data$days <- data$days[!seq_len(nrow(data$days)) %in% gone[[1]]]
    if (!nrow(data$days)) break
  }
  if (!nrow(data$days)) {
    abort_tide("No row is left after filtering.",
      where = paste(rbindlist(ledger)$reason, collapse = "; "),
      fix = "Loosen one of these filters.", class = "nothing_left")
  }
  window <- list(from = from, to = to, days = days, without = listed_days(without))
  totals <- lapply(data$totals, window_beside,
    list(tables = data$totals, sources = data$sources))
  totals <- lapply(totals, table_filter(segments, rules, window, beside_dated = TRUE))
  data["totals"] <- list(filled_tables(totals))
  ledger <- c(ledger, lapply(unname(totals), `[[`, "left_out"))
  data$left_out <- sum_left_out(rbindlist(c(list(data$left_out), ledger)))
  data[c("segments", "rules")] <- list(c(data$segments, segments), rules)
  data
}

# Functions of the first day needed (or NULL) that give rows, some blocks each. only: see
# rows_alone(). say: called with the number of the chunk and what its filters left out.
block_chunks <- function(data, only = NULL, say = function(k, left_out) NULL) {
  blocks <- data$store$blocks
  chunk <- cumsum(as.numeric(blocks$rows)) %/% data$at_once
  grain <- grain_label(data$dimensions)
  lapply(unname(split(seq_along(chunk), chunk)), function(own) {
    function(from = NULL) {
      kept <- filter_rows(stored_rows(data, own, from, only), data$segments, data$rules, grain)
      say(own[1], kept$left_out)
      kept$rows
    }
  })
}

# All rows at once, as tide_read() gives them.
held_data <- function(data) {
  if (!inherits(data, "tide_blocks")) return(data)
  ledger <- list()
  rows <- rbindlist(lapply(
    block_chunks(data, say = function(k, left_out) ledger[[k]] <<- left_out),
    function(chunk) chunk()))
  grain <- grain_label(data$dimensions)
  own <- stats::setNames(list(new_table(rows, data$dimensions, data$until)), grain)
  new_tide_data(c(own, data$totals), data$sources,
    sum_left_out(rbindlist(c(list(data$left_out), ledger))))
}
