#' Take data out of the archive
#'
#' Reads the rows that count for a window: only the months and columns asked for are touched.
#' Days within `lag` days of the newest export are unfinished and left out; see [tide_read()] for
#' which day that is. Days that were unfinished in an older export and not exported since are kept;
#' [tide_check()] names them.
#'
#' @param store A `tide_store` object, or a [tide_source()].
#' @param from,to First and last day; `NULL` for all.
#' @param days The last so many finished days (up to `to`); not with `from`.
#' @param lag,dimensions As in [tide_read()].
#' @param exported The day of the newest export; `NULL` for what each load knows of it.
#' @param by_month `TRUE` only promises the rows: [tide_summary()] then goes through them a month
#'   at a time, so that memory follows the largest month and the answer, and never the whole
#'   archive.
#' @param at_once By month, small months are taken together up to so many rows, which is quicker.
#' @return A `tide_data` object, as from [tide_read()]; with `by_month` a `tide_months` object,
#'   for [tide_filter()] (segments on single rows) and [tide_summary()]: a list with the `plan`
#'   of what to read, its `sources`, the `segments` and `rules` that filter it, and `at_once`.
#'   Parts that are damaged are left out, named in `left_out`; [tide_check()] tells more.
#' @section Errors: `tide_error_store`; `tide_error_nothing_left` where the window holds nothing.
#' @examplesIf requireNamespace("nanoparquet", quietly = TRUE)
#' store <- tide_store(tempfile("project"))
#' tide_load(store, tide_example()[["pairs"]])
#' tide_stored(store, days = 28)
#' tide_summary(tide_stored(store, days = 28, by_month = TRUE), brand = "fernmoor")
#' @export
tide_stored <- function(store, from = NULL, to = NULL, days = NULL, lag = 3, dimensions = NULL,
    by_month = FALSE, at_once = 2e6, exported = NULL) {
  check_number(at_once, "at_once", min = 1)
  plan <- plan_window(store, from, to, days, lag, dimensions, exported)
  if (isTRUE(by_month)) return(stored_by_month(plan, at_once))
  read <- lapply(split(plan$wanted, by = "grain"),
    function(slices) read_slices(store, slices, plan$parts, plan$dimensions))
  damaged <- unlist(lapply(read, `[[`, "damaged"))
  read <- Filter(function(table) nrow(table$rows) > 0, read)
  if (!length(read)) abort_all_damaged(store, damaged)
  finest <- finest_tables(lapply(read, function(table) with_days_said(new_table(table$rows,
    table$dimensions, plan$exported, table$window), days)))
  ledger <- rbindlist(c(list(plan$left_out), finest$left_out,
    if (length(damaged)) list(damaged_lines(damaged, names(finest$tables)[1]))))
  new_tide_data(finest$tables, plan_source(plan), sum_left_out(ledger))
}

# The data that a function is given; of a source or an archive in their place what tide_stored()
# gives. promised: whether rows may be gone through instead of held.
data_of <- function(data, ..., promised = FALSE) {
  if (inherits(data, c("tide_source", "tide_store"))) {
    return(tide_stored(data, ..., by_month = promised))
  }
  if (!promised || !inherits(data, "tide_promised")) check_class(data, "tide_data", "data")
  data
}

abort_all_damaged <- function(store, damaged) {
  abort_store(store$dir, "No part of the archive that is needed here can be read.",
    "Load the exports of that window again: damaged parts are then written anew.",
    sprintf("%s missing or damaged, the first '%s'", format_plural(length(damaged), "part"),
      damaged[1]))
}

# Where nothing could be read, damage goes before filters.
check_all_damaged <- function(store, left_out) {
  damaged <- grep("^damaged part ", left_out$reason, value = TRUE)
  if (length(damaged)) abort_all_damaged(store, sub("^damaged part ", "", damaged))
}

# The window that tables without dates have, NULL where any did not.
slice_window <- function(slices) {
  if (any(slices$day > 0) || anyNA(slices$first)) return(NULL)
  list(from = as.IDate(min(slices$first)), to = as.IDate(max(slices$last)))
}

damaged_lines <- function(files, grain) {
  data.table(grain = grain, reason = sprintf("damaged part %s", files), rows = NA_integer_,
    clicks = NA_real_, impressions = NA_real_, cause = "rows")
}

# Which days of which imports a window is made of, before any part is read.
plan_window <- function(store, from, to, days, lag, dimensions, exported = NULL) {
  exported <- check_date(exported, "exported")
  from <- check_date(from, "from")
  to <- check_date(to, "to")
  check_number(days, "days", min = 1, null = TRUE)
  check_number(lag, "lag", min = 0)
  if (is.null(dimensions)) dimensions <- dimension_names
  stored <- if (inherits(store, "tide_source")) {
    list(current = source_days(store), parts = NULL)
  } else {
    archived_days(store)
  }
  current <- stored$current
  if (!nrow(current)) {
    abort_tide("The archive is empty.", where = sprintf("'%s'.", store$dir),
      fix = "Load exports first.", class = "nothing_left")
  }
  dated <- current$day > 0
  exported_on <- first_given(exported, stored_export_day(current))
  unfinished <- dated & lag > 0 & current$day >= exported_on - lag
  if (!is.null(days) && is.null(from) && any(dated)) {
    known <- current$day[dated & !unfinished]
    if (!is.null(to)) known <- known[known <= as.integer(to)]
    from <- as.IDate(max(known, 0L)) - as.integer(days) + 1L
  }
  check_dates_known(any(dated), list(from = from, to = to),
    sprintf("The archive holds tables by %s.", paste(unique(current$grain), collapse = "; ")))
  # Where there are dates, a table without them counts where all its days are within.
  first <- ifelse(dated, current$day, fcoalesce(as.integer(current$first), 0L))
  last <- ifelse(dated, current$day, fcoalesce(as.integer(current$last), .Machine$integer.max))
  outside <- any(dated) & (first < max(as.integer(from), 0L) |
    last > min(as.integer(to), .Machine$integer.max))
  rich <- by_rich_result(current$grain, dimensions)
  if (all(rich[!unfinished & !outside])) rich[] <- FALSE
  wanted <- current[!unfinished & !outside & !rich]
  if (!nrow(wanted)) {
    abort_tide("The archive holds nothing in this window.",
      where = sprintf("It holds %s.",
        format_days(as.IDate(min(current$day)), as.IDate(max(current$day)))),
      fix = "Ask for another window.", class = "nothing_left")
  }
  left_out <- rbind(day_ledger(current[unfinished & !outside & !rich], unfinished_words(lag),
    "unfinished"),
    day_ledger(current[outside & dated & !rich], "outside the window", "window"),
    day_ledger(current[outside & !dated & !rich], no_days_reason),
    day_ledger(current[rich], rich_reason), ledger_above(wanted))
  # A grain is named by the dimensions that are read of it.
  set(left_out, j = "grain", value = vapply(left_out$grain,
    function(grain) grain_label(intersect(grain_dimensions(grain), dimensions)), ""))
  list(store = store, wanted = wanted, parts = stored$parts, dimensions = dimensions,
    left_out = left_out, days_said = days, held = sum(current$rows), exported = as.IDate(max(
      current$exported)))
}

# As many last days as nobody has chosen; none of a store whose queries have no dates.
days_unless_undated <- function(store, days) {
  grains <- if (inherits(store, "tide_source")) names(store$tables) else {
    unique(archived_days(store)$current$grain)
  }
  dated <- vapply(grains, function(grain) all(c("date", "query") %in% grain_dimensions(grain)), NA)
  if (any(dated)) days
}

# Which days an archive holds, and in which parts.
archived_days <- function(store) {
  check_class(store, "tide_store", "store")
  need_parquet(store)
  read_index(store, "days", function(con) list(current = setDT(DBI::dbGetQuery(con,
    paste("SELECT c.import, c.grain, c.day, c.exported, c.rows, c.clicks, c.impressions, c.first,",
      "c.last, i.stated FROM current c JOIN imports i ON i.id = c.import"))),
    parts = setDT(DBI::dbGetQuery(con, "SELECT file, import, grain, month, checksum FROM parts"))))
}

# The day of the newest export of what an archive holds.
stored_export_day <- function(current) {
  dated <- current[current$day > 0]
  if (!nrow(dated)) return(as.IDate(NA))
  ends <-
    vapply(split(dated$day, dated$grain), function(days) as.integer(last_day(as.IDate(days))), 0L)
  export_day(current$exported, current$stated, min(dated$day), max(ends))
}

plan_source <- function(plan) {
  data.table(file = plan$store$dir, rows = plan$held, kept = sum(plan$wanted$rows),
    grain = paste(unique(plan$wanted$grain), collapse = "; "), exported = plan$exported,
    ctr = "none", decimal = "point", odd_queries = 0L, capped = FALSE, skipped = "")
}

# Promises the rows of a window without reading them: tide_summary() goes through them.
stored_by_month <- function(plan, at_once) {
  structure(list(plan = plan, sources = plan_source(plan), segments = list(), rules = NULL,
    at_once = at_once),
    class = c("tide_months", "tide_promised", "tide_result"))
}

#' @export
format.tide_months <- function(x, ...) {
  days <- x$plan$wanted$day[x$plan$wanted$day > 0]
  sprintf("<tide_months> %s in %s, not read yet", format_plural(sum(x$plan$wanted$rows), "row"),
    if (length(days)) {
      format_days(as.IDate(min(days)), as.IDate(max(days)))
    } else {
      "tables without dates"
    })
}

month_start <- function(days) {
  known <- unique(days)
  ifelse(known > 0, format(as.Date(as.IDate(known)), "%Y-%m"), "undated")[match(days, known)]
}

# Rows of a source that make no CTR, left out as in files.
ledger_above <- function(wanted) {
  if (is.null(wanted[["above"]]) || !any(wanted$above > 0)) return(NULL)
  sums <- sums_by(wanted[wanted$above > 0], "grain", "above")
  data.table(grain = sums$grain, reason = "more clicks than impressions", rows = sums$above,
    clicks = NA_real_, impressions = NA_real_, cause = "rows")
}

# The rows of one grain that count, part by part.
read_slices <- function(store, slices, parts, dimensions) {
  if (inherits(store, "tide_source")) return(query_slices(store, slices, dimensions))
  # A grain's name tells its dimensions, so that only the wanted columns are read.
  of_grain <- grain_dimensions(slices$grain[1])
  used <- intersect(of_grain, dimensions)
  span <- slice_window(slices)
  slices <- copy(slices)
  set(slices, j = "month", value = month_start(slices$day))
  needed <- merge(unique(slices[, c("import", "grain", "month")]), parts,
    by = c("import", "grain", "month"))
  damaged <- character()
  rows <- lapply(seq_len(nrow(needed)), function(i) {
    path <- file.path(store$dir, "parts", needed$file[i])
    part <- if (part_whole(store, needed[i])) {
      null_if_it_fails(setDT(as.list(nanoparquet::read_parquet(path,
        col_select = c(union(used, intersect("date", of_grain)), figure_names)))))
    }
    if (is.null(part)) {
      damaged <<- c(damaged, needed$file[i])
      return(NULL)
    }
    if (!"date" %in% names(part)) return(part)
    set(part, j = "date", value = as.IDate(part$date))
    days <- slices$day[slices$import == needed$import[i] & slices$month == needed$month[i]]
    keep <- as.integer(part$date) %in% days
    if (all(keep)) part else part[keep]
  })
  rows <- rbindlist(rows, use.names = TRUE)
  if (nrow(rows) && !"date" %in% used && "date" %in% names(rows)) {
    set(rows, j = "date", value = NULL)
  }
  list(rows = rows, dimensions = used, window = span, damaged = damaged)
}
