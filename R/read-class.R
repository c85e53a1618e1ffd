# Class tide_data: what was read, held apart by grain, with a ledger of what was left out.

# earlier: of exports that compare two windows, the tables of the earlier one.
new_tide_data <- function(tables, sources, left_out, earlier = NULL) {
  structure(list(tables = tables, sources = sources, left_out = left_out, earlier = earlier),
    class = c("tide_data", "tide_result"))
}

# One grain. from, to, days: the days that its dates stand for, none after `until`, the day of the
# export; without dates those of `window`, list(from, to), or NA. each: how many days a date stands
# for, where it is known. rests_on: the grains that its days come from, where they are several.
new_table <- function(rows, dimensions, until, window = NULL, rests_on = NULL, each = NULL) {
  dated <- "date" %in% dimensions && nrow(rows)
  days <- table_days(if (dated) rows$date, until, each)
  if (!is.null(window)) {
    days[c("from", "to")] <-
      list(min(days$from, window$from, na.rm = TRUE), max(days$to, window$to, na.rm = TRUE))
    days$days <- as.integer(days$to - days$from) + 1L
  }
  c(list(rows = rows, dimensions = dimensions), days, list(rests_on = rests_on))
}

# Of a table without dates whose window is not known, somebody may say how many days it stands for.
with_days_said <- function(table, days) {
  if (is.na(table$days) && !is.null(days)) table$days <- as.integer(days)
  table
}

grain_label <- function(dimensions) {
  if (length(dimensions)) paste(dimensions, collapse = " x ") else "total"
}

grain_dimensions <- function(grain) {
  if (grain == "total") character() else strsplit(grain, " x ", fixed = TRUE)[[1]]
}

# Whether tables of these grains are the one that is used under another: dates, queries and pages
# tell, since what else a file has may not have been asked for.
same_table <- function(grains, grain) {
  telling <- function(of) {
    paste(intersect(grain_dimensions(of), c("date", "query", "page")), collapse = " ")
  }
  vapply(grains, telling, "", USE.NAMES = FALSE) == telling(grain)
}

# cause: "asked" (by the call, or what a table cannot have), "window" (days that the call did not
# ask for), "unfinished" (days that are not whole yet), "rows" (something is wrong with them, or
# with their sums).
left_out_line <- function(reason, grain, rows, which, cause = "rows") {
  data.table(grain = grain, reason = reason, rows = length(which),
    clicks = sum(as.numeric(rows$clicks[which]), na.rm = TRUE),
    impressions = sum(as.numeric(rows$impressions[which]), na.rm = TRUE), cause = cause)
}

# Counted grain by grain: figures of different grain are never added up.
sum_left_out <- function(ledger) {
  if (!nrow(ledger)) {
    return(data.table(grain = character(), reason = character(), rows = integer(),
      clicks = numeric(), impressions = numeric(), cause = character()))
  }
  sums <- sums_by(ledger, c("grain", "reason", "cause"), c("rows", "clicks", "impressions"))
  setcolorder(sums, c(setdiff(names(sums), "cause"), "cause"))
}

# The table that has all `needed` dimensions: with dates before without, then the finest, then the
# largest. Days that it lacks come from the next finest that has them, by the dimensions that all of
# these have.
pick_table <- function(data, needed, refused = character()) {
  tables <- data$tables
  dimensions <- lapply(tables, `[[`, "dimensions")
  fits <- which(vapply(dimensions, function(d) all(needed %in% d) && !any(refused %in% d), NA))
  rich <- by_rich_result(names(tables)[fits], c(needed, refused))
  if (!all(rich)) fits <- fits[!rich]
  if (!length(fits)) return(NULL)
  in_order <- fits[order_grains(dimensions[fits],
    vapply(tables[fits], function(t) nrow(t$rows), 0L))]
  tables <- tables[in_order]
  if (!"date" %in% tables[[1]]$dimensions) return(tables[[1]])
  tables <- Filter(function(table) "date" %in% table$dimensions, tables)
  if (length(tables) == 1) return(tables[[1]])
  shared <- share_days(tables)
  if (length(shared$used) == 1) return(tables[[1]])
  join_days(tables[shared$used], shared$days[shared$used])
}

# Which tables there are, and which file could not be one.
tables_read <- function(data) {
  skipped <- data$sources[which(nzchar(data$sources[["skipped"]]) &
    data$sources$skipped != filters_are_told)]
  paste(c(sprintf("The tables read are: %s.", paste(names(data$tables), collapse = "; ")),
    if (NROW(skipped)) {
      sprintf("Not read: '%s': %s.", skipped$file, lower_first(sub("[.]$", "", skipped$skipped)))
    }),
    collapse = " ")
}

# Days can only be chosen where a table has any.
check_dates_known <- function(dated, window, where) {
  asked <- names(Filter(Negate(is.null), window))
  if (dated || !length(asked)) return(invisible())
  abort_tide("No table has dates, so days cannot be chosen.",
    where = where,
    fix = sprintf("Export by date, or leave `%s` out.", asked[1]), class = "grain", fault = "call",
    argument = asked[1])
}

any_dated <- function(data) {
  any(vapply(data$tables, function(table) "date" %in% table$dimensions, NA))
}

no_days_reason <- "no dates, so its days cannot be chosen"

# What a call needs may be in a table of which no days could be chosen.
check_days_were_there <- function(data, needed) {
  gone <- data$left_out[data$left_out$reason == no_days_reason]
  at <- which(vapply(gone$grain, function(grain) all(needed %in% grain_dimensions(grain)), NA))
  if (!length(at)) return(invisible())
  abort_tide(sprintf("The table by %s has no dates, so its days cannot be chosen.",
    gone$grain[at[1]]),
    where = sprintf("Tables that have days: %s.", paste(names(data$tables), collapse = "; ")),
    fix = "Leave the choice of days out, or export by date.", class = "grain", fault = "call")
}

# A table without dates has the window of the totals by date that came with it, from one archive or
# folder, where their clicks are those of the queries and not more than private ones could add.
window_beside <- function(table, data, most = 3) {
  if (!is.na(table$days) || is.null(table[["rows"]])) return(table)
  totals <- pick_table(data, "date", refused = c(no_totals, "page"))
  if (is.null(totals)) return(table)
  place <- function(grain) unique(source_place(data$sources$file[same_table(data$sources$grain,
    grain)]))
  clicks <- c(sum(table$rows$clicks), sum(totals$rows$clicks))
  together <- identical(place(grain_label(table$dimensions)), place(grain_label(totals$dimensions)))
  if (!together || clicks[2] < 0.98 * clicks[1] || clicks[2] > most * clicks[1]) return(table)
  table[c("from", "to", "days")] <- totals[c("from", "to", "days")]
  table
}

# One result may be rich in several ways, or in none: rows by rich result are totals of nothing and
# count only where rich results are asked for.
by_rich_result <- function(grains, asked) {
  vapply(grains, function(grain) {
    "rich_result" %in% grain_dimensions(grain) && !"rich_result" %in% asked
  }, NA, USE.NAMES = FALSE)
}

rich_reason <- "no totals, since a result may be rich in several ways"

# What sums of a table would miss or count twice.
no_totals <- c("query", "rich_result")

# In: tables with dates, the finest first. Out: list(days: those that each supplies, none twice;
# used: which supply any).
share_days <- function(tables) {
  taken <- integer()
  days <- lapply(tables, function(table) {
    own <- setdiff(unique(as.integer(table$rows$date)), taken)
    taken <<- c(taken, own)
    own
  })
  list(days = days, used = which(lengths(days) > 0))
}

# One table of the days that each of several supplies, by the dimensions that all have.
join_days <- function(tables, days) {
  dimensions <- Reduce(intersect, lapply(tables, `[[`, "dimensions"))
  rows <- rbindlist(Map(function(table, own) {
    keep <- as.integer(table$rows$date) %in% own
    table$rows[keep, c(dimensions, figure_names), with = FALSE]
  }, tables, days),
    use.names = TRUE)
  rests_on <- rbindlist(Map(function(table, own) {
    data.table(grain = grain_label(table$dimensions), from = as.IDate(min(own)),
      to = as.IDate(max(own)), days = length(own))
  }, tables, days))
  new_table(rows, dimensions, max(do.call(c, lapply(tables, `[[`, "to"))), rests_on = rests_on)
}

rests_on_lines <- function(table) {
  if (NROW(table$rests_on) < 2) return(NULL)
  sprintf("    %s (%s) from the table by %s", format_days(table$rests_on$from, table$rests_on$to),
    format_plural(table$rests_on$days, "day"), table$rests_on$grain)
}

# With dates before without, then the finest, then the largest.
order_grains <- function(dimensions, rows) {
  dated <- vapply(dimensions, function(d) "date" %in% d, NA)
  order(-dated, -lengths(dimensions), -rows)
}

#' @export
format.tide_data <- function(x, ...) {
  grains <-
    c(lapply(x$tables, grain_lines), lapply(x$earlier, grain_lines, which = ", earlier window"))
  c(
    sprintf("<tide_data> %s from %s", format_plural(sum(x$sources$rows), "row"),
      format_plural(nrow(x$sources), "file")),
    unlist(grains, use.names = FALSE),
    left_out_lines(x$left_out, kept_by_grain(x)),
    source_lines(x$sources),
    capped_lines(x$sources),
    further_line(read_grains(x)))
}

grain_lines <- function(table, which = "") {
  span <- if (is.na(table$days)) {
    "no dates"
  } else {
    sprintf("%s (%s)", format_days(table$from, table$to), format_plural(table$days, "day"))
  }
  c(sprintf("  %s%s: %s, %s; %s, %s", grain_label(table$dimensions), which,
    format_plural(nrow(table$rows), "row"), span,
    format_plural(sum(as.numeric(table$rows$clicks)), "click"),
    format_plural(sum(as.numeric(table$rows$impressions)), "impression")),
    rests_on_lines(table))
}

# kept: clicks and impressions by grain that are not left out, for the shares.
left_out_lines <- function(ledger, kept = NULL) {
  if (!nrow(ledger)) return("  left out: nothing")
  several <- length(unique(ledger$grain)) > 1
  share <- function(of) {
    if (is.null(kept)) return("")
    shown_rows <- kept[[of]][match(ledger$grain, kept$grain)] +
      stats::ave(ledger[[of]], ledger$grain, FUN = function(x) sum(x, na.rm = TRUE))
    ifelse(is.na(shown_rows) | shown_rows == 0 | is.na(ledger[[of]]), "",
      sprintf(", %s", format_share(ledger[[of]] / shown_rows)))
  }
  figures <- ifelse(ledger$clicks %in% 0 & ledger$impressions %in% 0, "",
    sprintf(" (%s%s; %s%s)", format_plural(ledger$clicks, "click"), share("clicks"),
      format_plural(ledger$impressions, "impression"), share("impressions")))
  figures[is.na(ledger$clicks)] <- ""
  rows <- ifelse(is.na(ledger$rows), "", paste0(", ", format_plural(ledger$rows, "row")))
  sprintf("  left out%s: %s%s%s", if (several) paste0(" of ", ledger$grain) else "", ledger$reason,
    rows, figures)
}

kept_by_grain <- function(data) {
  sums_for <- function(grain, rows) {
    data.table(grain = grain, clicks = sum(as.numeric(rows$clicks)),
      impressions = sum(as.numeric(rows$impressions)))
  }
  tables <- first_given(data$tables, data$totals)
  rbind(if (inherits(data, "tide_blocks")) sums_for(grain_label(data$dimensions), data$days),
    rbindlist(lapply(names(tables), function(grain) sums_for(grain, tables[[grain]]$rows))))
}

# What the reader decided or noticed that a person should know.
source_lines <- function(sources) {
  named <- function(which, text) {
    if (any(which, na.rm = TRUE)) sprintf(text, basename(sources$file[base::which(which)]))
  }
  if (is.null(sources$skipped)) return(character())
  odd <- sources[base::which(sources$odd_queries > 0)]
  c(
    named(sources$decimal == "comma", "  '%s' writes decimals with a comma"),
    named(sources$ctr == "disagrees",
      "  '%s': its CTR column is not clicks / impressions; it is not used"),
    if (nrow(odd)) {
      sprintf(
        "  '%s': %s look like dates or numbers made by a spreadsheet; import as text to keep them",
        basename(odd$file), format_plural(odd$odd_queries, "query", "queries"))
    },
    filter_lines(sources),
    named(nzchar(sources$skipped), sprintf("  '%%s' was not read: %s",
      sub("%", "%%", lower_first(sources$skipped[nzchar(sources$skipped)]), fixed = TRUE))))
}

filter_lines <- function(sources) {
  limited <- sources[base::which(nzchar(sources[["filters"]]))]
  if (!nrow(limited)) return(NULL)
  words <- unique(limited$filters)
  sprintf("  limited to %s: %s", words, vapply(words, function(one) {
    paste0("'", basename(limited$file[limited$filters == one]), "'", collapse = ", ")
  }, ""))
}

capped_lines <- function(sources) {
  capped <- sources[which(sources$capped), ]
  if (!nrow(capped)) return(character())
  sprintf(paste("  capped: '%s' stops at exactly %s rows sorted by clicks, so rows with",
    "few clicks are missing and CTR reads too high"),
    basename(capped$file), format_count(capped$rows))
}

#' @rdname tide_read
#' @param x A `tide_data` object.
#' @param grain Which of its tables, as `names(x$tables)` has them.
#' @param ... Not used.
#' @export
tidy.tide_data <- function(x, grain = names(x$tables)[1], ...) {
  tibble::as_tibble(x$tables[[check_choice(grain, names(x$tables), "grain")]]$rows)
}

#' @export
summary.tide_data <- function(object, ...) object$left_out

day_ledger <- function(slices, reason, cause = "asked") {
  if (!nrow(slices)) return(sum_left_out(data.table()))
  sums <- sums_by(slices, "grain", c("rows", "clicks", "impressions"))
  data.table(grain = sums$grain, reason = reason, sums[, !"grain"], cause = cause)
}

# What exports of other grain would add, in one line; nothing where little is missing. grains: the
# dimensions of each table.
further_exports <- function(grains) {
  has <- function(...) any(vapply(grains, function(own) all(c(...) %in% own), NA))
  totals <- any(vapply(grains, function(own) "date" %in% own && !"query" %in% own, NA))
  wanted <- if (!has("query")) {
    c("date, query and page", "the curve, what to fix, and why clicks change")
  } else if (!has("query", "page") && !has("query", "date")) {
    c("date, query and page", "competing pages, low CTR by page, and what changed since when")
  } else if (!has("query", "page")) {
    c("query and page", "competing pages and low CTR by page")
  } else if (!has("query", "date")) {
    c("date", "what changed since when, and unusual days")
  } else if (!totals) {
    c("date without queries", "how many clicks are of private queries")
  }
  if (length(wanted)) sprintf("An export by %s would add %s.", wanted[1], wanted[2])
}

# Dimensions of the tables that were read, also of those that a filter left nothing of.
read_grains <- function(data) first_given(data$grains, lapply(data$tables, `[[`, "dimensions"))

further_line <- function(grains) {
  would_add <- further_exports(grains)
  if (length(would_add)) paste0("  a", substring(would_add, 2))
}
