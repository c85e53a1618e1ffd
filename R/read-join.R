# Several exports of one grain are one table: what more than one of them holds counts from the one
# exported last.

# Out: list(tables, joined: newest_rows() of each grain, left_out). Only `dimensions` are kept of
# each table; all that the files had tell rows apart first.
join_tables <- function(parts, dimensions, repeats) {
  joined <- lapply(split_by_grain(parts), newest_rows, repeats = repeats)
  rich <- by_rich_result(names(joined), dimensions)
  unasked <- if (!all(rich)) {
    lapply(names(joined)[rich], function(grain) {
      rows <- joined[[grain]]$rows
      left_out_line(rich_reason, grain, rows, seq_len(nrow(rows)), "asked")
    })
  }
  if (!all(rich)) joined <- joined[!rich]
  tables <- lapply(joined, function(table) {
    until <- if (nrow(table$rows)) max(table$rows$exported)
    days <- table$days
    away <- setdiff(c(table$dimensions, "exported"), dimensions)
    if (length(away)) set(table$rows, j = intersect(away, names(table$rows)), value = NULL)
    table <- new_table(table$rows, intersect(table$dimensions, dimensions), until, table$window)
    if (is.na(table$days) && length(days)) table$days <- days
    table
  })
  tables <- Filter(function(table) nrow(table$rows) > 0, tables)
  if (!length(tables)) abort_no_rows(parts)
  finest <- finest_tables(tables)
  list(tables = finest$tables, joined = joined,
    left_out = c(lapply(joined, `[[`, "left_out"), unasked, finest$left_out))
}

# Files of which every row was left out.
abort_no_rows <- function(parts) {
  reasons <- rbindlist(lapply(parts, `[[`, "left_out"))
  abort_tide("No row can be used.", where = sprintf("'%s': %s.", parts[[1]]$source$file,
    paste(sprintf("%s, %s", reasons$reason, format_plural(reasons$rows, "row")), collapse = "; ")),
    fix = "Export again with these figures, or a window that is finished.", class = "nothing_left",
    left_out = reasons)
}

split_by_grain <- function(parts) {
  grains <- vapply(parts, function(part) part$source$grain, "")
  split(parts, factor(grains, unique(grains)))
}

# Tables of one grain; of files exported on one day the one that sorts last by name counts, so that
# the order of naming them does not matter. Out: list(rows, with the `exported` day of each;
# dimensions; left_out; kept: how many rows of each file).
newest_rows <- function(parts, repeats) {
  patterns <- part_patterns(parts)
  in_order <- order(!nzchar(patterns),
    vapply(parts, function(part) as.integer(part$source$exported), 0L),
    source_labels(parts), decreasing = TRUE)
  parts <- parts[in_order]
  patterns <- patterns[in_order]
  used <- parts[[1]]$dimensions
  limits <- part_limits(parts)
  scope <- paste(sort(unique(patterns)), collapse = "; ")
  if (length(parts) == 1) {
    return(list(rows = set(parts[[1]]$rows, j = "exported", value = parts[[1]]$source$exported),
      dimensions = used, window = parts[[1]]$window, days = parts[[1]]$days, left_out = NULL,
      limits = limits, scope = scope))
  }
  rows <- rbindlist(lapply(seq_along(parts),
    function(i) data.table(parts[[i]]$rows, exported = parts[[i]]$source$exported, turn = i)),
    use.names = TRUE)
  if (repeats == "add") {
    rows <- rows[, !"turn"]
    return(list(rows = rows, dimensions = used,
      window = joined_window(lapply(parts, `[[`, "window")), left_out = NULL, limits = limits,
      scope = scope))
  }
  # Parts of one whole that patterns cut out: rows of two of them are no repeats.
  set(rows, j = "part", value = match(patterns, unique(patterns))[rows$turn])
  apart <- are_apart(setdiff(patterns, ""))
  keys <- c(used, if (apart) "part")
  if (repeats == "ask" && length(used) && (!"date" %in% used || length(unique(patterns)) > 1)) {
    ask_repeats(rows, keys, sprintf("'%s'", source_labels(parts))[rows$turn],
      if (!apart && any(nzchar(patterns))) patterns)
  }
  first <- if (length(used)) rows[, .(first = min(turn)), by = keys] else data.table(first = 1L)
  older <- if (length(used)) first[rows, on = keys]$first != rows$turn else rows$turn > 1
  # The whole holds its parts.
  whole <- which(patterns == "")
  if (length(whole) && length(whole) < length(parts) && length(used)) {
    first_same <- rows[rows$turn %in% whole][rows, on = used, which = TRUE, mult = "first"]
    older <- older | !rows$turn %in% whole & !is.na(first_same)
  }
  left_out <- if (any(older)) {
    left_out_line("in several files (the newest export counts)", parts[[1]]$source$grain, rows,
      which(older))
  }
  kept <- tabulate(rows$turn[!older], length(parts))
  rows <- rows[!older, !c("turn", "part")]
  setorderv(rows, used)
  list(rows = rows, dimensions = used, window = joined_window(lapply(parts, `[[`, "window")),
    left_out = left_out, limits = limits, scope = scope,
    kept = stats::setNames(kept, source_labels(parts)))
}

# What patterns limit each part to, in words; "" for none.
part_patterns <- function(parts) {
  vapply(parts, function(part) paste(sort(part$filters$patterns), collapse = ", "), "")
}

# The day of each row, 0 without dates.
row_days <- function(rows) {
  if ("date" %in% names(rows)) as.integer(rows$date) else rep(0L, nrow(rows))
}

# What each part is limited to and its days; NULL where one holds whole days.
part_limits <- function(parts) {
  limited <- vapply(parts, function(part) {
    length(part$filters$values) > 0 && !length(part$filters$patterns)
  }, NA)
  if (!all(limited)) return(NULL)
  lapply(parts, function(part) {
    list(values = part$filters$values, days = unique(row_days(part$rows)))
  })
}

# Whether no address can be in two of the parts: each is limited to pages whose address holds a
# whole one, and none of these begins with another.
are_apart <- function(patterns) {
  shape <- "^page \\+?(https?://[^*|,[:space:]]+)$"
  patterns <- unique(patterns)
  if (length(patterns) < 2 || !all(grepl(shape, patterns))) return(FALSE)
  keys <- page_key(sub(shape, "\\1", patterns))
  !any(vapply(seq_along(keys), function(i) any(startsWith(keys[-i], keys[i])), NA))
}

# Without dates, one query (or page) with different figures stands for two pages, devices or windows
# that nothing names: whether its figures add up or one replaces the other cannot be known. place:
# where each row stands, in words. patterns: what each file (`turn`) is limited to: rows of two
# parts may stand for different clicks though their figures agree.
ask_repeats <- function(rows, by, place, patterns = NULL) {
  group <- group_number(rows[, by, with = FALSE])
  shared <- which(duplicated(group) | duplicated(group, fromLast = TRUE))
  part <- if (is.null(patterns)) "" else patterns[rows$turn]
  # What a whole export holds, too, is known.
  whole <- unique(group[part == ""])
  if (!is.null(patterns)) shared <- shared[!group[shared] %in% whole]
  told <- if ("date" %in% by) part else paste(rows$clicks, rows$impressions, part)
  differ <- tapply(rep_len(told, nrow(rows))[shared], group[shared], function(figures) {
    length(unique(figures)) > 1
  })
  differ <- as.integer(names(differ)[differ])
  if (!length(differ)) return(invisible())
  # The one with the most impressions is the example.
  at <- which(group %in% differ)
  at <- which(group == group[at[which.max(rows$impressions[at])]])[1:2]
  abort_tide("Rows stand twice with different figures, and no column tells why.",
    where = sprintf("%s; the first: '%s', %s in %s, %s in %s.",
      format_plural(length(differ), "row"),
      do.call(paste, lapply(rows[at[1], by, with = FALSE], as.character)),
      format_plural(rows$clicks[at[1]], "click"), place[at[1]], format_count(rows$clicks[at[2]]),
      place[at[2]]),
    fix = paste("Add the column that tells them apart (page, device, country, date), or keep each",
      "table of filters with its rows. Or say by `repeats`: add, where they are parts of one",
      "whole; newest, where the later replaces the earlier."),
    class = "repeats", argument = "repeats")
}

source_labels <- function(parts) vapply(parts, function(part) part$source$file, "")

# How many rows of each file count in the end.
count_kept <- function(sources, joined) {
  kept <- unlist(unname(lapply(joined, `[[`, "kept")))
  at <- match(names(kept), sources$file)
  if (length(kept)) set(sources, at, "kept", as.integer(kept))
  sources
}

# Of tables without dates that are one, the window is known only where all tell it.
joined_window <- function(windows) {
  if (any(lengths(windows) == 0)) return(NULL)
  list(from = min(do.call(c, lapply(windows, `[[`, "from"))),
    to = max(do.call(c, lapply(windows, `[[`, "to"))))
}

# Tables that became one grain, since a dimension was not asked for, tell of the same clicks: each
# day rests on the one that had most dimensions, and what the others say of it is left out and
# counted. Without dates one table stays.
finest_tables <- function(tables) {
  grains <- vapply(tables, function(table) grain_label(table$dimensions), "")
  groups <- split(tables, factor(grains, unique(grains)))
  joined <- lapply(groups, finest_days)
  list(tables = lapply(joined, `[[`, "table"),
    left_out = unlist(lapply(joined, `[[`, "left_out"), recursive = FALSE))
}

finest_days <- function(tables) {
  if (length(tables) == 1) return(list(table = tables[[1]], left_out = list()))
  tables <- tables[order(-lengths(lapply(names(tables), grain_dimensions)), names(tables))]
  dated <- "date" %in% tables[[1]]$dimensions
  days <- if (dated) share_days(tables)$days
  left_out <- lapply(seq_along(tables)[-1], function(i) {
    rows <- tables[[i]]$rows
    again <- if (dated) which(!as.integer(rows$date) %in% days[[i]]) else seq_len(nrow(rows))
    if (length(again)) {
      left_out_line(sprintf("the same clicks as in the table by %s", names(tables)[1]),
        grain_label(tables[[i]]$dimensions), rows, again)
    }
  })
  if (!dated) return(list(table = tables[[1]], left_out = left_out))
  # What each day rests on is named by all that its table had.
  tbl <- join_days(tables, days)
  supplies <- lengths(days) > 0
  tbl$rests_on <- data.table(grain = names(tables), from = end_days(days, min),
    to = end_days(days, max), days = lengths(days))[supplies]
  list(table = tbl, left_out = left_out)
}

end_days <- function(days, which) {
  as.IDate(vapply(days, function(own) if (length(own)) which(own) else NA_integer_, 0L))
}
