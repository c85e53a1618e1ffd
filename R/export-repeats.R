# Rows that stand several times in one file, as stacked exports leave them. Two rows are the same when every column
# but the figures agrees, those that are not read included: a device that nobody asked for still tells rows apart.

# Out: list(rows: indices to leave out; other: which of them have figures other than the row that stays). The last
# one stays, since newer exports are pasted below older ones.
repeated_rows <- function(rows, place, header, columns, skipped) {
  none <- list(rows = integer(), other = logical())
  by <- setdiff(names(rows), figure_names)
  unread <- setdiff(seq_along(header), unname(columns))
  if (!length(by) && !length(unread)) return(none)
  key <- row_key(rows[, by, with = FALSE])
  if (uniqueN(key) == length(key)) return(none)
  twice <- which(duplicated(key) | duplicated(key, fromLast = TRUE))
  if (length(unread)) {
    others <- fread_strict(place, select = unread, colClasses = "character")
    if (length(skipped)) others <- others[-skipped]
    others <- others[twice]
    for (column in seq_along(others)) set(others, j = column, value = as_levels(others[[column]]))
    key <- row_key(data.table(first = as_levels(as.character(key[twice])), others))
  } else key <- key[twice]
  again <- duplicated(key, fromLast = TRUE)
  if (!any(again)) return(none)
  kept <- rev(seq_along(key))[match(key[again], rev(key))]
  figures <- rows[twice, figure_names, with = FALSE]
  same <- Reduce(`&`, lapply(figures, function(x) (x[again] == x[kept]) %in% TRUE | (is.na(x[again]) & is.na(x[kept]))))
  list(rows = twice[again], other = !same)
}

# One number for each combination of the columns (factors and dates); of group numbers where those do not fit a double.
row_key <- function(columns) {
  key <- numeric(nrow(columns))
  size <- 1
  for (column in columns) {
    code <- as.integer(column)
    code <- code - min(code, 0L, na.rm = TRUE)
    code[is.na(code)] <- 0L
    range <- max(code) + 1
    size <- size * range
    if (size > 2^53) return(group_number(columns))
    key <- key * range + code
  }
  key
}

group_number <- function(columns) copy(columns)[, "group" := .GRP, by = names(columns)]$group

repeat_lines <- function(rows, repeats, grain) {
  rbind(
    if (any(!repeats$other)) left_out_line("same row again in one file", grain, rows, repeats$rows[!repeats$other]),
    if (any(repeats$other)) left_out_line("given again in one file with other figures (the last counts)", grain, rows, repeats$rows[repeats$other]))
}
