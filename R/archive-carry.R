# An export that its filter limits to a vertical, a country, a device or a page is a part of its
# days. It replaces that part; what the archive holds of the same days besides stays with them.

# In: a table to store, as newest_rows() has it. Out: the same, with the rows that stay.
with_carried <- function(con, store, import, grain, table) {
  current <- held_slices(con, import, grain, table)
  other <- current$scope != table$scope
  if (nzchar(first_given(table$scope, "")) && any(other)) abort_part_of(table, current[other])
  if (!length(table$limits) || !nrow(current)) return(table)
  parts <- setDT(DBI::dbGetQuery(con, "SELECT file, import, grain, month, checksum FROM parts"))
  read <- read_slices(store, current, parts, grain_dimensions(grain))
  if (length(read$damaged)) abort_all_damaged(store, read$damaged)
  days <- row_days(read$rows)
  exported <- current$exported[match(days, current$day)]
  own <- last_by(data.table(day = row_days(table$rows), exported = as.integer(table$rows$exported)),
    "day", "exported")
  newer <- exported > own$exported[match(days, own$day)]
  # Of days that a newer export holds, only what that lacks is added.
  stays <- newer | !is_covered(read$rows, days, table$limits)
  again <- if (any(newer)) table$rows[read$rows[newer], on = table$dimensions, which = TRUE,
    nomatch = NULL]
  rows <- if (length(again)) table$rows[-again] else table$rows
  set(read$rows, j = "exported", value = as.IDate(pmax(exported,
    own$exported[match(days, own$day)])))
  table$rows <- rbind(rows, read$rows[stays], use.names = TRUE)
  table
}

# What counted for the days of a table before an import: of days without dates only of the same
# window.
held_slices <- function(con, import, grain, table) {
  in_index <- setDT(DBI::dbGetQuery(con, paste(
    "SELECT d.import, d.grain, d.day, d.exported, d.first, d.last, coalesce(d.scope, '') AS scope",
    "FROM days d JOIN imports i ON i.id = d.import WHERE i.undone = 0 AND d.grain = ?",
    "AND d.import < ?"), list(grain, import)))
  in_index <- in_index[in_index$day %in% row_days(table$rows)]
  setorderv(in_index, c("day", "exported", "import"))
  in_index <- in_index[!duplicated(in_index$day, fromLast = TRUE)]
  span <- as.integer(unlist(table$window[c("from", "to")]))
  same <- if (length(span)) {
    in_index$first %in% span[1] & in_index$last %in% span[2]
  } else {
    is.na(in_index$first)
  }
  in_index[in_index$day > 0 | same]
}

# Which rows are of the day and the part that a limited export holds.
is_covered <- function(rows, days, limits) {
  Reduce(`|`, lapply(limits, function(limit) {
    inside <- days %in% limit$days
    for (dimension in intersect(names(limit$values), names(rows))) {
      key <- if (dimension == "page") page_key else function(text) tolower(trimws(text))
      name_texts <- as.character(rows[[dimension]])
      once <- unique(name_texts)
      value <- sub("^=", "", limit$values[[dimension]])
      inside <- inside & (key(once) == key(value))[match(name_texts, once)]
    }
    inside
  }))
}

# What a pattern limits cannot be told row by row, so it is kept apart from all else.
abort_part_of <- function(table, held) {
  abort_tide("An export of a part would replace days that the archive holds.",
    where = sprintf("It is limited to %s; of %s the archive holds %s.", table$scope,
      format_plural(nrow(held), "day"),
      if (nzchar(held$scope[1])) held$scope[1] else "rows without that filter"),
    fix = paste("Load all parts in one call, store it in a project of its own, or export without",
      "that filter."), class = "repeats",
    file = table$scope)
}
