# Days and rows of a source, in the form that those of an archive have.

# Conditions of all rows: usable ones, as for files.
source_where <- function(source, table, from = NULL, to = NULL) {
  column <- function(name) source_column(source, table, name)
  conditions <- c(sprintf("%s > 0", column("impressions")),
    if ("query" %in% table$dimensions) sprintf("%s IS NOT NULL", column("position")),
    if (!is.null(source$where)) sprintf("(%s)", source$where),
    if (!is.null(from)) sprintf("%s >= %s", column("date"), source_day(source, from)),
    if (!is.null(to)) sprintf("%s <= %s", column("date"), source_day(source, to)))
  paste(conditions, collapse = " AND ")
}

# A row a table and day, as the index of an archive has them; asked for once.
source_days <- function(source) {
  if (is.null(source$state$days)) source$state$days <- ask_days(source)
  copy(source$state$days)
}

ask_days <- function(source) {
  days <- rbindlist(lapply(names(source$tables), function(grain) {
    tbl <- source$tables[[grain]]
    column <- function(name) source_column(source, tbl, name)
    above <- sprintf("%s > %s", column("clicks"), column("impressions"))
    # Totals may have no position.
    place <- if ("position" %in% names(tbl$columns)) column("position") else "1"
    sums <- ask_blocks(source, sprintf(paste(
      "SELECT %s AS day_of, count(*) AS many, sum(CASE WHEN %s THEN 0 ELSE %s END) AS sum_clicks,",
      "sum(CASE WHEN %s THEN 0 ELSE %s END) AS sum_shown,",
      "sum(CASE WHEN %s THEN 1 ELSE 0 END) AS many_above, min(%s) AS least_clicks,",
      "min(%s) AS least_place FROM %s WHERE %s GROUP BY %s"),
      column("date"), above, column("clicks"), above, column("impressions"), above,
      column("clicks"), place, quote_table(source_con(source), tbl$table),
      source_where(source, tbl), column("date")))
    if (!nrow(sums)) return(NULL)
    check_source_days(sums, tbl)
    data.table(import = 0L, grain = grain, day = as.integer(source_dates(sums$day_of, tbl)),
      exported = as.integer(source$today), rows = as.numeric(sums$many - sums$many_above),
      clicks = as.numeric(sums$sum_clicks), impressions = as.numeric(sums$sum_shown),
      first = NA_integer_, last = NA_integer_, stated = 0L, above = as.numeric(sums$many_above))
  }))
  if (!nrow(days)) {
    abort_tide("The source holds no rows.", where = sprintf("'%s'.", source$dir),
      fix = "Check the table and the condition.", class = "nothing_left")
  }
  days[days$rows > 0]
}

check_source_days <- function(sums, table) {
  if (!is.numeric(sums$sum_clicks) || anyNA(sums$sum_clicks) || any(sums$least_clicks < 0)) {
    abort_tide("Clicks are no counts.",
      where = sprintf("'%s', column '%s'.", table$table, table$columns[["clicks"]]),
      fix = "Name the column that holds clicks by `columns`.", class = "source")
  }
  if (any(sums$least_place < 1, na.rm = TRUE)) {
    abort_tide("Positions below 1.",
      where = sprintf("'%s', column '%s'.", table$table, table$columns[["position"]]),
      fix = "Positions start at 1: a view of the table can add what is missing.", class = "source")
  }
}

source_dates <- function(values, table) {
  if (inherits(values, "Date")) return(as.IDate(values))
  known <- unique(values)
  text <- substr(as.character(known), 1, 10)
  dates <- as.IDate(text, format = "%Y-%m-%d")
  if (anyNA(dates)) {
    abort_tide("Dates are none.", where = sprintf("'%s', column '%s': '%s'.", table$table,
      table$columns[["date"]], text[is.na(dates)][1]),
      fix = "Name a column of dates (or of text such as 2026-03-31) by `columns`.",
      class = "source")
  }
  dates[match(values, known)]
}

# Sums by columns (SQL by name); NULL for none. Texts come as factors. Aggregates have names of
# their own: some databases take a column's name inside for theirs.
ask_sums <- function(source, table, by, where, also = NULL) {
  column <- function(name) source_column(source, table, name)
  sums <- c(sum_clicks = sprintf("sum(%s)", column("clicks")),
    sum_shown = sprintf("sum(%s)", column("impressions")),
    # Totals may have no position.
    sum_weighted = if ("position" %in% names(table$columns)) {
      sprintf("sum(1.0 * %s * %s)", column("position"), column("impressions"))
    },
    also)
  named <- c(stats::setNames(by, paste0("by_", names(by))), sums)
  rows <- ask_blocks(source, sprintf("SELECT %s FROM %s WHERE %s GROUP BY %s",
    paste(named, "AS", names(named), collapse = ", "),
    quote_table(source_con(source), table$table), where, paste(by, collapse = ", ")))
  if (!nrow(rows)) return(NULL)
  setnames(rows, c(paste0("by_", names(by)), "sum_clicks", "sum_shown"),
    c(names(by), "clicks", "impressions"))
  if (is.null(rows[["sum_weighted"]])) set(rows, j = "sum_weighted", value = NA_real_)
  setnames(rows, "sum_weighted", "weighted")
  for (figure in c("clicks", "impressions", "weighted")) {
    set(rows, j = figure, value = as.numeric(rows[[figure]]))
  }
  if ("date" %in% names(by)) set(rows, j = "date", value = source_dates(rows$date, table))
  # The database is asked again by its own spelling.
  spelt <- rows[["query"]]
  fold_texts(rows)
  if ("query" %in% names(by)) repair_queries(rows)
  if (!is.null(spelt)) set(rows, j = "spelt", value = spelt)
  rows[]
}

# Impressions by page as spelt.
source_pages <- function(source, grain) {
  tbl <- source$tables[[grain]]
  sums <- ask_sums(source, tbl, c(page = source_column(source, tbl, "page")),
    source_where(source, tbl))
  set(sums, j = "page", value = as.character(sums$page))
  sums[, c("page", "impressions"), with = FALSE]
}

# The rows of one grain, summed by the dimensions of the table: as read_slices() gives them.
query_slices <- function(source, slices, dimensions) {
  tbl <- source$tables[[slices$grain[1]]]
  used <- intersect(tbl$dimensions, dimensions)
  # What nobody asks for keeps rows apart all the same: a position is that of one device.
  columns <- vapply(stats::setNames(nm = tbl$dimensions),
    function(name) source_column(source, tbl, name), "")
  rows <- ask_sums(source, tbl, columns, paste(source_where(source, tbl, min(slices$day),
    max(slices$day)), "AND", source_column(source, tbl, "clicks"), "<=",
    source_column(source, tbl, "impressions")))
  for (name in setdiff(used, "date")) {
    if (!is.factor(rows[[name]])) set(rows, j = name, value = as_levels(as.character(rows[[name]])))
  }
  set(rows, j = "position", value = rows$weighted / rows$impressions)
  rows <- rows[as.integer(rows$date) %in% slices$day, c(union("date", used), figure_names),
    with = FALSE]
  if (!"date" %in% used) set(rows, j = "date", value = NULL)
  list(rows = rows, dimensions = used, window = NULL, damaged = character())
}
