# The archive as chunks for the reduction: the months of the table with queries one after the other, small ones
# together.

# Out: as query_rows().
month_rows <- function(data) {
  plan <- data$plan
  wanted <- copy(plan$wanted)
  set(wanted, j = "month", value = month_of(wanted$day))
  grains <- wanted[, .(rows = sum(rows), dated = any(day > 0)), by = "grain"]
  held <- lapply(grains$grain, grain_dimensions)
  kept <- lapply(held, intersect, plan$dimensions)
  best <- best_grain(kept, grains$rows, c("query", "page"))
  if (is.na(best)) best <- best_grain(kept, grains$rows, "query")
  if (is.na(best)) abort_no_queries(grains$grain)
  slices <- wanted[wanted$grain == grains$grain[best]]
  dimensions <- intersect(held[[best]], plan$dimensions)
  grain <- grain_label(dimensions)
  ledger <- list()
  by_chunk <- split(slices, chunk_of_months(slices, data$at_once))
  read <- function(k) {
    own <- read_slices(plan$store, by_chunk[[k]], plan$parts, plan$dimensions)
    if (length(own$damaged)) ledger[[paste("damaged", k)]] <<- damaged_lines(own$damaged, grain)
    if (!nrow(own$rows)) return(NULL)
    kept <- filter_rows(own$rows, data$segments, data$rules, grain)
    ledger[[k]] <<- kept$left_out
    kept$rows
  }
  chunks <- lapply(names(by_chunk), function(k) {
    last <- max(by_chunk[[k]]$day)
    function(from = NULL) if (is.null(from) || last >= as.integer(from)) read(k)
  })
  if (length(chunks) == 1) chunks <- list(read_once(chunks[[1]]))
  list(table = c(list(dimensions = dimensions), days_of(if (all(slices$day > 0)) as.IDate(slices$day),
    plan$exported)),
    chunks = chunks, totals = month_totals(plan, held, grains, data$segments, data$rules), grains = grains$grain,
    left_out = function() sum_left_out(rbindlist(c(list(plan$left_out), ledger))))
}

# For each day of a table the number of its chunk: months in order, as many together as stay within the rows.
chunk_of_months <- function(slices, at_once) {
  months <- slices[, .(rows = sum(rows)), by = "month"]
  setorderv(months, "month")
  chunk <- integer(nrow(months))
  filled <- 0
  for (i in seq_len(nrow(months))) {
    new <- i > 1 && filled + months$rows[i] > at_once
    chunk[i] <- if (i == 1) 1L else chunk[i - 1] + new
    filled <- if (new) months$rows[i] else filled + months$rows[i]
  }
  sprintf("%04d", chunk[match(slices$month, months$month)])
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
    if (nrow(kept)) new_table(kept, own$dimensions, plan$exported)
  })
  new_tide_data(finest_tables(Filter(Negate(is.null), tables))$tables, plan_source(plan), sum_left_out(data.table()))
}
