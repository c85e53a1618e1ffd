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
