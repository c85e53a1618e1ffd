# A plain file that is too large to hold: its rows are coded once, put into a file of the session's
# own, and taken out again some blocks at a time. Memory follows the queries and pages and the block
# at hand, and never the rows.

# How many rows a file has is estimated from its size and the length of so many first lines.
lines_looked_at <- 200L

# Out: a tide_blocks object; NULL where no file is large, where it is not plain all through, or
# where others tell of queries, too.
read_in_blocks <- function(files, how, at_once, progress) {
  inputs <- expand_inputs(files)$path
  if (!all(file.exists(inputs)) || !is.null(how$decimal)) return(NULL)
  scratch <- new_scratch()
  on.exit(unlink(scratch, recursive = TRUE))
  tryCatch({
    parts <- lapply(inputs, large_part, scratch, at_once)
    large <- which(lengths(parts) > 0)
    if (length(large) != 1) return(NULL)
    beside <- totals_beside(inputs, large, how, progress)
    if (is.null(beside)) return(NULL)
    part <- parts[[large]]
    if (!is.null(progress)) progress(sprintf("Reading %s", part$label))
    blocks_of(part, beside, how, at_once)
  },
    # The general reader says what is wrong.
    tide_error = function(e) NULL)
}

# What is read before the large file and after it, as read_inputs() gives it: tables without
# queries. NULL where there is anything else.
totals_beside <- function(inputs, large, how, progress) {
  # Beside others, rows of a table differ by all that it has.
  how$dimensions <- dimension_names
  turn <- seq_along(inputs)
  beside <- lapply(list(before = inputs[turn < large], after = inputs[turn > large]),
    function(files) if (length(files)) read_inputs(files, how, progress))
  totals <- vapply(unlist(unname(beside), recursive = FALSE), function(part) {
    !is.null(part$rows) && is.null(part$earlier) && !nzchar(part$source$filters) &&
      !"query" %in% part$dimensions
  }, NA)
  if (all(totals)) beside
}

# Other forms than text would be turned into it twice, and so would what is packed and small: no row
# packs into less than a few bytes.
large_part <- function(path, scratch, at_once) {
  least <- if (!dir.exists(path)) c(text = 20, gz = 8)[file_kind(path)]
  if (!isTRUE(file.size(path) >= at_once * least)) return(NULL)
  parts <- open_parts(path, scratch)
  if (length(parts) != 1 || !is.null(parts[[1]]$source)) return(NULL)
  part <- parts[[1]]
  lines <- readLines(part$path, n = lines_looked_at, warn = FALSE, skipNul = TRUE)
  how_long <- mean(nchar(lines, "bytes") + 1)
  if (file.size(part$path) > at_once * how_long) part
}

blocks_of <- function(part, beside, how, at_once) {
  layout <- find_header(part$path, part$label, how$columns)
  if (!is.null(comparison_sides(layout$header, part, how))) return(NULL)
  known <- match_columns(layout$header, part$label, how$columns)
  used <- intersect(dimension_names, intersect(names(known), how$dimensions))
  fits <- all(c("date", "query") %in% used, figure_names %in% names(known)) &&
    !"rich_result" %in% names(known)
  if (!fits) return(NULL)
  columns <- known[c(used, figure_names)]
  path <- tempfile("rows")
  read <- code_plain(part, layout, known, columns, path, how$clicks_above == "keep")
  usable <- !is.null(read) && !(read$twice && how$repeats != "add") &&
    plain_levels(lapply(Filter(Negate(is.null), read$texts), `[[`, "levels")) &&
    !(how$clicks_above == "refuse" && read$sums[[2]]$rows[2] > 0)
  if (!usable) {
    unlink(path)
    return(NULL)
  }
  store <- new_block_store(path, read, columns)
  check_mapped(how$columns, c(beside$before, list(list(header = layout$header)), beside$after))
  days <- setDT(read$sums[[1]])
  setnames(days, "place", "date")
  set(days, j = "date", value = as.IDate(days$date))
  left <- setDT(c(list(grain = rep(grain_label(used), 2),
    reason = c("no impressions", "more clicks than impressions")),
    read$sums[[2]][c("rows", "clicks", "impressions")], list(cause = rep("rows", 2))))
  origin <- block_source(part, layout, known, store, how)
  set(origin, j = "grain", value = grain_label(if (length(unlist(beside, recursive = FALSE))) {
    intersect(dimension_names, names(known))
  } else {
    used
  }))
  new_blocks(store, used, days, left[left$rows > 0], origin, beside, how, at_once)
}

# What the general reader would fold, take for totals or leave out.
plain_levels <- function(levels) {
  texts <- unlist(levels, use.names = FALSE)
  bytes <- nchar(texts, "bytes")
  all(vapply(levels, function(own) identical(fold_blanks(own), own), NA)) &&
    all(bytes <= longest_text) &&
    !any(totals_names %in% tolower(trimws(texts[bytes < 2 * max(nchar(totals_names))]))) &&
    !all(vapply(levels, function(own) any(!nzchar(own)), NA))
}

# The file of rows, and what its codes mean. It goes with the last object that rests on it.
new_block_store <- function(path, read, columns) {
  store <- new.env(parent = emptyenv())
  reg.finalizer(store, function(store) unlink(store$path), onexit = TRUE)
  texts <- Filter(Negate(is.null), read$texts)
  store$path <- path
  store$columns <- names(columns)
  store$blocks <- read$blocks
  store$levels <- lapply(texts, `[[`, "levels")
  store$codes <- lapply(texts, `[[`, "codes")
  repaired <- setDT(list(query = coded_levels(seq_along(store$levels$query), store$levels$query)))
  store$odd_queries <- repair_queries(repaired)
  store$levels$query <- levels(repaired$query)
  store$codes$query <- lapply(store$codes$query, function(own) as.integer(repaired$query)[own])
  store
}

block_source <- function(part, layout, known, store, how) {
  records <- sum(as.numeric(store$blocks$rows))
  place <- plain_place(part, layout, records)
  first <- read_cells(place, known[c("clicks", "impressions")], character(), nrows = 1000L)
  data.table(file = part$label, rows = records, kept = NA_real_, grain = "",
    exported = first_given(how$exported, as.IDate(as.Date(file.mtime(part$file), tz = "UTC"))),
    ctr = if ("ctr" %in% names(known)) first_ctr(first, place, known) else "none",
    decimal = "point", odd_queries = store$odd_queries, capped = FALSE, filters = "", skipped = "")
}

# days: rows, clicks and impressions by date; of those within `lag` days of the export none counts.
# beside: as totals_beside() has them.
new_blocks <- function(store, dimensions, days, left_out, source, beside, how, at_once) {
  set(days, j = "grain", value = grain_label(dimensions))
  stated <- !is.null(how$exported)
  own <- list(dimensions = dimensions, rows = days, source = source)
  first <- first_unfinished(c(beside$before, list(own), beside$after), how$lag, stated)
  gone <- as.integer(days$date) >= first
  left_out <- rbind(left_out, day_ledger(days[gone], unfinished_words(how$lag), "unfinished"))
  days <- days[!gone]
  if (!nrow(days)) return(NULL)
  set(source, j = "kept", value = sum(days$rows))
  beside <- lapply(beside, drop_unfinished, how$lag, stated, first)
  parts <- unlist(unname(beside), recursive = FALSE)
  totals <- if (length(parts)) join_tables(parts, how$dimensions, how$repeats)
  each <- function(of, own) {
    c(lapply(beside$before, `[[`, of), list(own), lapply(beside$after, `[[`, of))
  }
  structure(list(store = store, dimensions = dimensions, days = days, until = source$exported,
    totals = totals$tables,
    sources = count_kept(rbindlist(each("source", source), fill = TRUE), totals$joined),
    left_out = sum_left_out(of_kept_grains(
      rbindlist(c(each("left_out", left_out), totals$left_out)), how$dimensions)),
    segments = list(), rules = NULL, above = how$clicks_above == "keep", at_once = at_once),
    class = c("tide_blocks", "tide_promised", "tide_result"))
}

# Rows of some blocks that count, of the days that are wanted. only: as rows_alone() has it.
stored_rows <- function(data, own, from = NULL, only = NULL) {
  store <- data$store
  rows <- .Call(read_blocks, what_to_read(data, own, from, only))
  names(rows) <- store$columns
  for (name in names(store$levels)) {
    rows[[name]] <- structure(rows[[name]], levels = store$levels[[name]], class = "factor")
  }
  class(rows$date) <- c("IDate", "Date")
  setDT(rows)[]
}

# As src/blocks.c takes it.
what_to_read <- function(data, own, from = NULL, only = NULL) {
  store <- data$store
  days <- as.integer(data$days$date)
  if (!is.null(from)) days <- days[days >= as.integer(from)]
  first <- first_stored(data)
  keep <- raw(max(as.integer(data$days$date)) - first + 1)
  keep[days - first + 1] <- as.raw(1)
  maps <- lapply(store$blocks$thread[own], function(thread) {
    lapply(store$columns, function(name) store$codes[[name]][[thread]])
  })
  list(store$path, store$blocks$rows[own], store$blocks$at[own], maps,
    unname(plain_kinds[store$columns]),
    match(c("clicks", "impressions", "date", "query", "page"), store$columns, nomatch = 0L),
    first, keep, as.integer(data$above),
    if (!is.null(only)) list(only$threads[store$blocks$thread[own]], only$share))
}

first_stored <- function(data) min(as.integer(data$days$date))

#' @export
format.tide_blocks <- function(x, ...) {
  c(sprintf("<tide_blocks> %s in %s, not in memory", format_plural(sum(x$days$rows), "row"),
    format_days(min(x$days$date), max(x$days$date))),
    unlist(lapply(unname(x$totals), grain_lines)),
    left_out_lines(x$left_out, kept_by_grain(x)),
    source_lines(x$sources))
}
