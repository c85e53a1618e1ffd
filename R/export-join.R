# Several exports of one grain are one table: what more than one of them holds counts from the one exported last.

# Out: list(tables, left_out). Only `dimensions` are kept of each table; all that the files had tell rows apart first.
join_tables <- function(parts, dimensions) {
  joined <- lapply(split_by_grain(parts), newest_rows)
  tables <- lapply(joined, function(table) {
    until <- if (nrow(table$rows)) max(table$rows$exported)
    away <- setdiff(c(table$dimensions, "exported"), dimensions)
    if (length(away)) set(table$rows, j = intersect(away, names(table$rows)), value = NULL)
    new_table(table$rows, intersect(table$dimensions, dimensions), until)
  })
  finest <- finest_tables(tables)
  list(tables = finest$tables, left_out = c(lapply(joined, `[[`, "left_out"), finest$left_out))
}

split_by_grain <- function(parts) {
  grains <- vapply(parts, function(part) part$source$grain, "")
  split(parts, factor(grains, unique(grains)))
}

# Tables of one grain; of files exported on one day the one that sorts last by name counts, so that the order of
# naming them does not matter. Out: list(rows, with the `exported` day of each; dimensions; left_out).
newest_rows <- function(parts) {
  order <- order(vapply(parts, function(part) as.integer(part$source$exported), 0L),
    vapply(parts, function(part) part$source$file, ""), decreasing = TRUE)
  parts <- parts[order]
  used <- parts[[1]]$dimensions
  if (length(parts) == 1) {
    return(list(rows = set(parts[[1]]$rows, j = "exported", value = parts[[1]]$source$exported), dimensions = used,
      left_out = NULL))
  }
  rows <- rbindlist(lapply(seq_along(parts), function(i) data.table(parts[[i]]$rows,
    exported = parts[[i]]$source$exported, turn = i)), use.names = TRUE)
  first <- if (length(used)) rows[, .(first = min(turn)), by = used] else data.table(first = 1L)
  older <- if (length(used)) first[rows, on = used]$first != rows$turn else rows$turn > 1
  left_out <- if (any(older)) left_out_line("in several files (the newest export counts)", parts[[1]]$source$grain,
    rows, which(older))
  rows <- rows[!older, !"turn"]
  setorderv(rows, used)
  list(rows = rows, dimensions = used, left_out = left_out)
}

# Two tables that became one grain, since a dimension was not asked for, tell of the same clicks: the first that had
# more dimensions stays, the other is left out and counted.
finest_tables <- function(tables) {
  grains <- vapply(tables, function(table) grain_label(table$dimensions), "")
  finer <- order(-nchar(names(tables)))
  again <- finer[duplicated(grains[finer])]
  left_out <- lapply(again, function(i) left_out_line(sprintf("the table by %s tells of the same clicks",
    names(tables)[finer[match(grains[i], grains[finer])]]),
    grains[i], tables[[i]]$rows, seq_len(nrow(tables[[i]]$rows))))
  names(tables) <- grains
  list(tables = if (length(again)) tables[-again] else tables, left_out = left_out)
}
