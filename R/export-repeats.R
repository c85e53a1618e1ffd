# Rows that stand several times in one file, as stacked exports leave them. Two rows are the same
# when every column but the figures agrees, those that are not read included: a device that nobody
# asked for still tells rows apart.

# aside: rows that are no data. Out: by reason, the rows to leave out: the same again, and with
# figures other than those of the row that stays. The last one stays, since newer exports are pasted
# below older ones.
repeated_rows <- function(rows, place, header, columns, aside) {
  by <- setdiff(names(rows), figure_names)
  unread <- setdiff(seq_along(header), unname(columns))
  if (!length(by) && !length(unread)) return(list())
  if (length(by) && !repeats_any(rows[, by, with = FALSE])) return(list())
  key <- row_key(rows[, by, with = FALSE])
  twice <- setdiff(which(duplicated(key) | duplicated(key, fromLast = TRUE)), aside)
  key <- key[twice]
  if (length(unread)) {
    others <- fread_strict(place, select = unread, colClasses = "character")[twice]
    for (column in seq_along(others)) set(others, j = column, value = as_levels(others[[column]]))
    key <- row_key(data.table(first = as_levels(as.character(key)), others))
  }
  again <- duplicated(key, fromLast = TRUE)
  kept <- rev(seq_along(key))[match(key[again], rev(key))]
  figures <- rows[twice, figure_names, with = FALSE]
  same <- Reduce(`&`, lapply(figures,
    function(x) (x[again] == x[kept]) %in% TRUE | (is.na(x[again]) & is.na(x[kept]))))
  list(`same row again in one file` = twice[again][same],
    `given again in one file with other figures (the last counts)` = twice[again][!same])
}

# Does any combination of the columns (factors, dates) stand twice?
repeats_any <- function(columns) {
  ranges <- code_ranges(columns)
  if (prod(ranges$size) > 2^63) return(anyDuplicated(group_number(columns)) > 0)
  .Call(any_repeat, lapply(columns, as.integer), ranges$low, ranges$size)
}

# One number for each combination of the columns; of group numbers where those do not fit a double.
row_key <- function(columns) {
  ranges <- code_ranges(columns)
  if (prod(ranges$size) > 2^53) return(group_number(columns))
  key <- numeric(nrow(columns))
  for (i in seq_along(columns)) key <- key * ranges$size[i] +
    (as.integer(columns[[i]]) - ranges$low[i])
  key
}

# The lowest whole number in each column and how many there are from it up.
code_ranges <- function(columns) {
  ends <- vapply(columns, function(x) if (is.factor(x)) c(1L,
    max(1L, nlevels(x))) else range(as.integer(x)),
    integer(2))
  list(low = ends[1, ], size = as.numeric(ends[2, ]) - ends[1, ] + 1)
}

group_number <- function(columns) copy(columns)[, "group" := .GRP, by = names(columns)]$group
