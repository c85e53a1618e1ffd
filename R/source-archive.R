# The archive as a source: the months of the table with queries one after the other, small ones
# together.

# As rows_source(), of a tide_months object.
archive_source <- function(data) {
  plan <- data$plan
  wanted <- copy(plan$wanted)
  set(wanted, j = "month", value = month_start(wanted$day))
  grains <- wanted[, .(rows = sum(rows), dated = any(day > 0)), by = "grain"]
  dimensions_of <- lapply(grains$grain, grain_dimensions)
  kept <- lapply(dimensions_of, intersect, plan$dimensions)
  best <- month_grains(kept, grains$rows)
  if (!length(best)) {
    abort_no_queries(list(tables = stats::setNames(nm = grains$grain), left_out = plan$left_out))
  }
  # Each day rests on the finest table that has it.
  slices <- wanted[wanted$grain %in% grains$grain[best]]
  set(slices, j = "turn", value = match(slices$grain, grains$grain[best]))
  setorderv(slices, c("turn", "day"))
  slices <- slices[!duplicated(slices$day)]
  used <- best[grains$grain[best] %in% slices$grain]
  dimensions <- Reduce(intersect, kept[used])
  grain <- grain_label(dimensions)
  ledger <- list()
  by_chunk <- split(slices, read_months(slices, data$at_once))
  read <- function(k) {
    own <- lapply(split(by_chunk[[k]], by = "grain"),
      function(part) read_slices(plan$store, part, plan$parts, dimensions))
    damaged <- unlist(lapply(own, `[[`, "damaged"))
    if (length(damaged)) ledger[[paste("damaged", k)]] <<- damaged_lines(damaged, grain)
    rows <- rbindlist(lapply(own, `[[`, "rows"), use.names = TRUE)
    if (!nrow(rows)) return(NULL)
    kept <- filter_rows(rows, data$segments, data$rules, grain)
    ledger[[k]] <<- kept$left_out
    kept$rows
  }
  chunks <- lapply(names(by_chunk), function(k) {
    last <- max(by_chunk[[k]]$day)
    function(from = NULL) if (is.null(from) || last >= as.integer(from)) read(k)
  })
  if (length(chunks) == 1) chunks <- list(read_once(chunks[[1]]))
  filtered <- function() NULL
  left_out <- function() sum_left_out(rbindlist(c(list(plan$left_out), ledger, list(filtered()))))
  origin <- new_source(
    table = c(list(dimensions = dimensions), with_days_said(slice_days(slices, plan$exported),
      plan$days_said),
      list(rests_on = rests_on(slices))),
    chunks = chunks, totals = month_totals(plan, dimensions_of, grains, data$segments, data$rules),
    grains = grains$grain, left_out = left_out, held = length(chunks) == 1,
    if_empty = function() check_all_damaged(plan$store, left_out()))
  sums <- if (inherits(plan$store, "tide_source")) {
    database_sums(plan$store, slices, dimensions, data$segments, chunks)
  }
  if (is.null(sums)) return(origin)
  filtered <- sums$left_out
  utils::modifyList(origin, sums[names(sums) != "left_out"])
}

# Which grains the rows may come from, the best first: with pages before without; with dates all
# that have them, without dates one.
month_grains <- function(dimensions, rows) {
  for (needed in list(c("query", "page"), "query")) {
    fits <- which(vapply(dimensions, function(d) all(needed %in% d), NA))
    if (!length(fits)) next
    best <- fits[order_grains(dimensions[fits], rows[fits])]
    dated <- vapply(dimensions[best], function(d) "date" %in% d, NA)
    return(if (dated[1]) best[dated] else best[1])
  }
  integer()
}

# The days that slices of the archive stand for: those of their dates, or the window that a table
# without dates have.
slice_days <- function(slices, until) {
  new_table(setDT(list(date = if (all(slices$day > 0)) as.IDate(slices$day))),
    if (all(slices$day > 0)) "date", until, slice_window(slices))[c("from", "to", "days", "each")]
}

rests_on <- function(slices) {
  slices[, .(from = as.IDate(min(day)), to = as.IDate(max(day)), days = .N), by = "grain"]
}

# For each day of a table the number of its chunk: months in order, as many together as stay within
# the rows.
read_months <- function(slices, at_once) {
  month_rows <- sums_by(slices, "month", "rows")
  setorderv(month_rows, "month")
  chunk <- integer(nrow(month_rows))
  filled <- 0
  for (i in seq_len(nrow(month_rows))) {
    new <- i > 1 && filled + month_rows$rows[i] > at_once
    chunk[i] <- if (i == 1) 1L else chunk[i - 1] + new
    filled <- if (new) month_rows$rows[i] else filled + month_rows$rows[i]
  }
  sprintf("%04d", chunk[match(slices$month, month_rows$month)])
}

# A single chunk is kept for the second time it is asked for.
read_once <- function(chunk) {
  force(chunk)
  rows <- NULL
  function(from = NULL) {
    if (is.null(rows)) rows <<- chunk()
    rows
  }
}

# The tables without queries are small and read at once.
month_totals <- function(plan, held, grains, segments, rules) {
  small <- grains$grain[!vapply(held, function(d) "query" %in% d, NA)]
  by_grain <- split(plan$wanted, by = "grain")
  tables <- lapply(stats::setNames(small, small), function(grain) {
    own <- read_slices(plan$store, by_grain[[grain]], plan$parts, plan$dimensions)
    if (!nrow(own$rows)) return(NULL)
    kept <- filter_rows(own$rows, segments, rules, grain)$rows
    if (nrow(kept)) {
      with_days_said(new_table(kept, own$dimensions, plan$exported,
        slice_window(by_grain[[grain]])), plan$days_said)
    }
  })
  new_tide_data(finest_tables(Filter(Negate(is.null), tables))$tables, plan_source(plan),
    sum_left_out(data.table()))
}

# Those of data that nobody has gone through yet.
stored_totals <- function(data) {
  grains <- data.table(grain = unique(data$plan$wanted$grain))
  month_totals(data$plan, lapply(grains$grain, grain_dimensions), grains, data$segments, data$rules)
}
