# One table: list(rows, dimensions, window, source, left_out), and of an export that compares two
# windows `earlier`, the same of the earlier one. Rows keep their number until all that is left out
# is known.
read_part <- function(part, how) {
  if (!nzchar(part$path)) abort_no_table("The table is empty.", part$label, "Export it again.")
  layout <- find_header(part$path, part$label, how$columns)
  sides <- comparison_sides(layout$header, part, how)
  if (!is.null(sides)) return(read_comparison(part, how, layout, sides))
  read_table(part, how, layout)
}

# header: what its columns are called, where they are not read under the names of the file.
read_table <- function(part, how, layout, header = layout$header) {
  all_columns <- match_columns(header, part$label, how$columns)
  # All dimensions tell rows apart; those that nobody asked for go once it is known that no row
  # stands twice.
  columns <- all_columns[names(all_columns) %in% c(dimension_names, figure_names)]
  text <- intersect(names(columns), setdiff(dimension_names, "date"))
  read <- read_plain_table(part, layout, all_columns, columns)
  if (is.null(read)) read <- read_any_table(part, layout, columns, text)
  place <- read$place
  rows <- read$rows
  for (column in text) set(rows, j = column, value = fold_levels(as_levels(rows[[column]])))
  # Totals may come without.
  if (!"position" %in% names(columns)) set(rows, j = "position", value = NA_real_)
  add_filter_columns(rows, part$filters)
  headers <- header_rows(rows, layout$header, all_columns)
  figures <- resolve_figures(rows, place, all_columns, headers, how$decimal)
  totals <- setdiff(totals_rows(rows, text, headers), headers)
  aside <- c(headers, totals)
  span <- resolve_dates(rows, place, how$date_order, aside)
  if (is.null(span) && !"date" %in% names(rows)) span <- part$filters[["window"]]
  check_figures(rows, place, how$clicks_above, aside)

  exported <- if (is.null(how$exported)) {
    as.IDate(as.Date(file.mtime(part$file), tz = "UTC"))
  } else {
    how$exported
  }
  repeats <- if (read$twice) {
    repeated_rows(rows, place, layout$header,
      all_columns[names(all_columns) %in% c(names(rows), "ctr")], aside, how$repeats)
  }
  away <- setdiff(intersect(dimension_names, names(rows)), how$dimensions)
  if (length(away)) set(rows, j = away, value = NULL)
  used <- intersect(dimension_names, names(rows))
  check_filtered_totals(used, part$filters, part$label)
  grain <- grain_label(used)
  odd <- if ("query" %in% used) repair_queries(rows) else 0L
  out <- drop_rows(rows, c(list(`the header again` = headers, `row of totals` = totals), repeats,
    unusable_rows(rows, how$clicks_above)),
    grain)
  empty <- length(place$empty)
  if (empty) {
    out$left_out <- rbind(out$left_out,
      data.table(grain = grain, reason = "empty row", rows = empty, clicks = 0, impressions = 0,
        cause = "rows"))
  }
  check_ledger(out, place)
  setcolorder(out$rows, c(used, "clicks", "impressions", "position"))
  list(
    rows = out$rows,
    dimensions = used,
    header = layout$header,
    window = span,
    left_out = out$left_out,
    filters = part$filters,
    source = data.table(file = part$label, rows = place$all, kept = nrow(out$rows), grain = grain,
      exported = exported, ctr = figures$ctr, decimal = figures$decimal, odd_queries = odd,
      capped = looks_capped(rows), filters = filter_words(part$filters), skipped = ""))
}

# A table of any form, as read_plain_table() gives the plain ones.
read_any_table <- function(part, layout, columns, text) {
  place <- open_records(part, layout)
  if (!place$records) {
    abort_no_table("The file has a header but no rows.", part$label,
      "Export again with a window that holds data.")
  }
  list(rows = read_cells(place, columns, text), place = place, twice = TRUE)
}

# Every record of the file is kept or left out with a reason.
check_ledger <- function(out, place) {
  counted <- nrow(out$rows) + if (nrow(out$left_out)) sum(out$left_out$rows) else 0
  if (counted != place$all) {
    abort_tide("The rows kept and those left out are not all rows of the file.",
      where = sprintf("'%s': %s of %s.", place$label, format_count(counted),
        format_plural(place$all, "row")),
      fix = "Please report this with the file; nothing was read.", class = "layout",
      file = place$label)
  }
}

check_file <- function(file) {
  lacking <- !file.exists(file)
  problem <- if (lacking) {
    c("There is no such file.", "Check the spelling and the folder.")
  } else if (dir.exists(file)) {
    c("This is a folder, not a file.", "Name the files in it.")
  } else if (file.access(file, 4) != 0) {
    c("The file cannot be read.", "Give yourself the right to read it.")
  } else if (!path_facts(file)$kind %in% c("file", "pipe", "device")) {
    c("This is no file.", "Name a file.")
  }
  if (!is.null(problem)) {
    abort_tide(problem[1], where = sprintf("'%s'.", shown_name(file)), fix = problem[2],
      class = c(if (lacking) "missing", "file"), file = file)
  }
}

# A header that stands again between the rows, as stacked files leave it.
header_rows <- function(rows, header, all_columns) {
  figures <- intersect(figure_names, names(all_columns))
  text <- vapply(figures, function(column) is.character(rows[[column]]), NA)
  if (!all(text)) return(integer())
  same <- lapply(figures, function(column) trimws(rows[[column]]) == header[all_columns[[column]]])
  which(Reduce(`&`, same))
}

# Makes the figures numbers. Plain columns are numbers already; where one is text, or counts are not
# whole numbers as written (a point that was meant for thousands), the figures are read again as
# text and the file's convention is found.
resolve_figures <- function(rows, place, all_columns, headers, decimal) {
  plain <- vapply(figure_names, function(column) {
    is.numeric(rows[[column]]) || all(is.na(rows[[column]]))
  }, NA)
  whole <- vapply(figure_names[1:2], function(column) {
    is.integer(rows[[column]]) || all(is.na(rows[[column]]))
  }, NA)
  if (all(plain) && all(whole) && is.null(decimal)) {
    for (column in figure_names) {
      if (is.logical(rows[[column]])) set(rows, j = column, value = as.numeric(rows[[column]]))
    }
    ctr <- if ("ctr" %in% names(all_columns)) first_ctr(rows, place, all_columns) else "none"
    return(list(ctr = ctr, decimal = "point"))
  }
  wanted <- all_columns[intersect(c(figure_names, "ctr"), names(all_columns))]
  texts <- read_cells(place, wanted, names(wanted))
  if (length(headers)) for (column in names(texts)) set(texts, headers, column, NA_character_)
  parsed <- parse_figures(as.list(texts), place, decimal)
  for (column in intersect(figure_names, names(wanted))) {
    set(rows, j = column, value = parsed$columns[[column]])
  }
  ctr <- if (is.null(parsed$columns$ctr)) {
    "none"
  } else {
    ctr_convention(parsed$columns$ctr, rows$clicks / rows$impressions)
  }
  list(ctr = ctr, decimal = parsed$decimal)
}

# How the file writes CTR, decided by its own clicks and impressions in the first thousand rows. The
# column itself is not kept: CTR is derived from sums.
first_ctr <- function(rows, place, all_columns) {
  ctr <- read_cells(place, all_columns["ctr"], "ctr", nrows = 1000L)$ctr
  first <- seq_along(ctr)
  read <- lapply(c(".", ","), function(decimal) {
    percent <- endsWith(ctr, "%") & !is.na(ctr)
    number <- read_number(sub("\\s*%$", "", ctr), decimal)
    ctr_convention(ifelse(percent, number / 100, number),
      rows$clicks[first] / rows$impressions[first])
  })
  c(intersect(c("fraction", "percent", "disagrees"), unlist(read)), "none")[1]
}

# The plain export (whole counts, numbers with a point, dates as 2026-03-31, UTF-8, no quote inside
# a cell) is read in one walk, several times as fast as others, since texts are coded as they pass.
# What is not plain anywhere is left to the general reader, which says what it is.

plain_kinds <- c(stats::setNames(rep(0L, length(dimension_names)), dimension_names), clicks = 1L,
  impressions = 1L, position = 2L)
plain_kinds[["date"]] <- 3L

# In: a part and its layout; all columns that are known, and those that are wanted. Out: NULL, or
# list(rows, texts as factors; place, as open_records() gives it; twice: whether a row may stand
# twice).
read_plain_table <- function(part, layout, all_columns, columns) {
  read <- code_plain(part, layout, all_columns, columns)
  if (is.null(read)) return(NULL)
  rows <- read$columns
  names(rows) <- names(columns)
  for (name in names(columns)[plain_kinds[names(columns)] == 0L]) {
    rows[[name]] <- coded_levels(rows[[name]], read$texts[[name]]$levels)
  }
  if (!is.null(rows[["date"]])) class(rows$date) <- c("IDate", "Date")
  list(rows = setDT(rows)[], place = plain_place(part, layout, length(rows[[1]])),
    twice = read$twice)
}

# The walk itself, see src/plain.c. rows_path: a file for the rows, "" for none. above: whether rows
# with more clicks than impressions count.
code_plain <- function(part, layout, all_columns, columns, rows_path = "", above = FALSE) {
  kinds <- plain_kinds[names(columns)]
  if (anyNA(kinds)) return(NULL)
  telling <- !seq_along(layout$header) %in% all_columns[c(figure_names, "ctr")]
  read <- .Call(read_plain, enc2native(path.expand(part$path)), as.integer(layout$line), layout$sep,
    length(layout$header), as.integer(columns), kinds, telling,
    match(c("clicks", "impressions", "date"), names(columns), nomatch = 0L), as.integer(above),
    getDTthreads(), rows_path, tempfile("keys", part$scratch))
  if (is.null(read)) return(NULL)
  names(read$texts) <- names(columns)
  read
}

# Every line is a record.
plain_place <- function(part, layout, records) {
  list(label = part$label, path = part$path, sep = layout$sep, skip = layout$line,
    records = records, cells = length(layout$header), escaped = FALSE, unit = part$unit,
    header = layout$line, lines = part$lines, all = records, empty = integer(), jump_record = 1L,
    jump_line = layout$line + 1L)
}
