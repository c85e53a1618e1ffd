# Workbooks for people: header rows that stay, filters, colours on the extremes, links to the
# pages, a note on every column. Of findings one sheet per view (the list, by page, by query, by
# topic, what was checked and left out, about it), with a column `decision` to be chosen by hand; of
# comparisons a sheet each, and one with the windows and the sum of the site.

write_workbook <- function(x, file) {
  book <- openxlsx::createWorkbook(creator = "Ink Tide")
  if (inherits(x, "tide_findings")) {
    fill_findings(book, x)
  } else if (inherits(x, "tide_inventory")) {
    fill_inventory(book, x)
  } else if (inherits(x, "tide_forecast")) {
    fill_forecast(book, x)
  } else {
    fill_changes(book, x)
  }
  made <- tempfile(fileext = ".xlsx")
  on.exit(unlink(made))
  write_whole(file, function(path) {
    openxlsx::saveWorkbook(book, made)
    copy_bytes(made, path)
  })
}

fill_findings <- function(book, findings) {
  list_of <- task_rows(in_sentences(findings))
  add_sheet(book, "List", list_of[, !c("lead")])
  choose_decisions(book, "List", list_of)
  group_tasks(book, "List", list_of)
  for (view in c("page", "query", "topic")) {
    add_sheet(book, sprintf("By %s", view),
      in_words(as.data.table(tide_group(findings, view))))
  }
  if (NROW(findings$excluded)) {
    add_sheet(book, "Checked and left out", in_words(as.data.table(findings$excluded)))
  }
  if (!is.null(findings$site_pages)) fill_site_pages(book, findings)
  add_sheet(book, "About", about_findings(findings))
}

# The site's own pages with what they earn; lengths that are cut off, and what is missing, coloured.
fill_site_pages <- function(book, findings) {
  own <- findings$site_pages$pages
  shown <- sums_of_pages(findings$summary)
  at <- match(own$key, shown$key)
  status <- tide_page_status(findings$summary, findings$site_pages)
  rows <- data.table(page = own$page, clicks = fcoalesce(shown$clicks[at], 0),
    impressions = fcoalesce(shown$impressions[at], 0), title = own$title,
    title_length = own$title_length, description = own$description,
    description_length = own$description_length, heading = own$heading, words = own$words,
    linking = own$linking, depth = own$depth, noindex = ifelse(own$noindex, "noindex", ""),
    problem = fcoalesce(status$problem[match(own$page, status$page)], ""))
  setorderv(rows, c("impressions", "page"), c(-1L, 1L))
  add_sheet(book, "Pages", rows)
  mark <- function(column, rule) {
    openxlsx::conditionalFormatting(book, "Pages", cols = match(column, names(rows)),
      rows = seq_len(nrow(rows)) + 1, type = "expression", rule = rule,
      style = openxlsx::createStyle(bgFill = "#F3D9B8"))
  }
  for (column in names(longest_shown)) {
    mark(column, sprintf(">%d", longest_shown[[column]]))
    mark(column, "==0")
  }
  mark("depth", ">3")
  mark("linking", "==0")
}

# The rows with their weeks as small lines, made of text so that every program shows them.
fill_inventory <- function(book, x) {
  rows <- copy(x$rows)
  trend <- inventory_trend(x, nrow(rows))
  if (!is.null(trend)) set(rows, j = "weeks", value = trend)
  if (!is.null(rows[["trend"]])) set(rows, j = "trend", value = trend_bars(rows$trend))
  add_sheet(book, sprintf("By %s", gsub("_", " ", x$by)), rows)
  if (!is.null(x$beneath)) add_sheet(book, "Leading queries", x$beneath)
  add_sheet(book, "About", data.table(what = c("Days", "Clicks", "Impressions", "Coverage"),
    meaning = c(if (is.na(x$to)) "no dates" else format_days(x$from, x$to),
      format_count(x$total$clicks), format_count(x$total$impressions),
      if (is.na(x$coverage)) "not known" else format_share(x$coverage))))
}

# The months, the plan as a sheet that can be read back as one, what each line adds, the back-test.
fill_forecast <- function(book, x) {
  as_text <- function(rows) set(copy(rows), j = "month", value = format(rows$month, "%Y-%m"))
  # The plan stands first, where it is looked for when it is read back.
  for (name in names(x$plans)) {
    lines <- x$plans[[name]]$lines[, c("id", "query", "page", "target", "month", "confidence",
      "chance", "hours",
      "ramp", "done", "done_low", "done_high", "remark")]
    set(lines, j = "target", value = plan_target_text(x$plans[[name]]$lines))
    add_sheet(book, if (length(x$plans) > 1) sprintf("Plan %s", name) else "Plan", as_text(lines))
  }
  add_sheet(book, "Forecast", as_text(x$months))
  if (!is.null(x$tasks)) add_sheet(book, "What each line adds", as_text(x$tasks))
  add_sheet(book, "Months known", as_text(x$history$months))
  add_sheet(book, "Back-test", as.data.table(x$backtest))
}

# A row a task with the sums of its lines; beneath it, where there are several, its other lines,
# without what is in the sums already. What each line brings alone stands in a column of its own, so
# that every column adds up to the list's total.
task_rows <- function(found) {
  first <- c("rank", "decision", "note", "kind", "query", "page", "gain", "if_done", "confidence",
    "chance", "hours", "impressions", "position", "ctr", "expected_ctr", "action", "reason",
    "line_if_done")
  found <- copy(found)
  set(found, j = "line_if_done", value = found$if_done)
  if (is.null(found[["decision"]])) set(found, j = "decision", value = "")
  set(found, j = c("note", "lead"), value = list(rep("", nrow(found)), found$hours > 0))
  leads <- copy(found[found$hours > 0])
  sums <- task_sums(found, leads$task)
  worth <- intersect(c("gain_conversions", "gain_value", "gain_cost"), names(found))
  set(leads, j = c("gain", "if_done", worth),
    value = as.list(task_sums(found, leads$task, c("gain", "if_done", worth))[,
      c("gain", "if_done", worth), with = FALSE]))
  set(leads, j = "query", value = ifelse(sums$lines > 1,
    sprintf("%s (and %d more)", leads$query, sums$lines - 1L), leads$query))
  several <- found[!found$id %in% leads$id]
  set(several, j = c("lead", "decision", "hours"), value = list(FALSE, "", 0))
  set(several, j = c("action", "rank"), value = list("", NA_integer_))
  blank <- c("gain", "if_done", "gain_conversions", "gain_value", "gain_cost", "score")
  set(several, j = intersect(blank, names(found)), value = NA_real_)
  out <- rbind(leads, several)
  place <- match(out$task, leads$task)
  out <- out[order(place, !out$lead, -out$line_if_done)]
  in_words(out[, c(first, setdiff(names(out), first)), with = FALSE])
}

in_words <- function(rows) {
  for (column in intersect(c("kind", "kinds"), names(rows))) {
    words <- vapply(strsplit(rows[[column]], " "),
      function(kinds) paste(kind_label(kinds), collapse = ", "), "")
    set(rows, j = column, value = words)
  }
  rows[]
}

# Decisions are chosen from a list, in the rows of tasks.
choose_decisions <- function(book, sheet, rows) {
  at <- which(rows$lead) + 1L
  if (!length(at)) return(invisible())
  # The library's own format of a list has one argument too many, which R warns of.
  suppressWarnings(openxlsx::dataValidation(book, sheet, cols = match("decision", names(rows)),
    rows = at, type = "list",
    value = sprintf("\"%s\"", paste(names(decision_kinds), collapse = ","))))
}

# The queries of a task fold away beneath it.
group_tasks <- function(book, sheet, rows) {
  under <- which(!rows$lead) + 1L
  if (length(under)) openxlsx::groupRows(book, sheet, under, hidden = TRUE)
}

about_findings <- function(findings) {
  site_summary <- findings$summary
  total <- list_total(findings)
  found <- findings$findings
  facts <- c(
    Window = if (site_summary$window$dated) {
      format_days(site_summary$recent$from, site_summary$recent$to)
    } else {
      format_plural(site_summary$window$days, "day")
    },
    `Rests on the table by` = site_summary$grain,
    Files = paste(unique(basename(site_summary$sources$file)), collapse = ", "),
    `Left out` = paste(trimws(sub("left out: ", "", left_out_lines(site_summary$left_out))),
      collapse = "; "),
    Tasks = format_count(sum(found$hours > 0)),
    Hours = format_count(sum(found$hours)),
    `Gain of all, clicks per 30 days` = sprintf("%s (90 %% interval %s)", format_clicks(total$gain),
      gain_range(total$low, total$high)),
    `Decide` = paste("Choose fix, later, harmless or done in the column decision, save, and have",
      "the sheet read back as decisions. One decision counts for all queries of a task."),
    explained_columns(c("gain", "if_done", "confidence", "chance", "hours", "score",
      "expected_ctr")))
  data.table(what = sub("_", " ", names(facts)), meaning = unname(facts))
}

explained_columns <- function(names) stats::setNames(column_words(names, "meaning"), names)

fill_changes <- function(book, compared) {
  if (inherits(compared, "tide_change")) compared <- list(compared)
  for (moves in compared) {
    add_sheet(book, sprintf("By %s, %d days", moves$level, moves$windows$days[2]),
      as.data.frame(moves$moves))
  }
  sites <- lapply(compared, function(moves) {
    windows <- format_days(moves$windows$from, moves$windows$to)
    named <- if (is.null(moves$sides)) windows else paste(moves$sides, windows, sep = ", ")
    data.table(after = named[2], before = named[1], days_missing = sum(moves$windows$missing),
      moves$site[, !"name"])
  })
  add_sheet(book, "Site", as.data.frame(rbindlist(sites)))
}

# A cell of a workbook holds no more.
most_signs <- 32767L

add_sheet <- function(book, name, table) {
  table <- as.data.frame(visible_rows(table))
  for (column in names(table)[vapply(table, is.character, NA)]) {
    long <- which(nchar(table[[column]]) > most_signs)
    table[[column]][long] <- paste0(substr(table[[column]][long], 1, most_signs - 1), "\u2026")
  }
  openxlsx::addWorksheet(book, name)
  if ("page" %in% names(table)) {
    class(table$page) <- ifelse(all(grepl("^https?://", table$page)), "hyperlink", "character")
  }
  head_style <- openxlsx::createStyle(textDecoration = "bold", border = "bottom", wrapText = TRUE)
  openxlsx::writeData(book, name, table, headerStyle = head_style, withFilter = nrow(table) > 0)
  openxlsx::freezePane(book, name, firstRow = TRUE)
  for (i in seq_along(table)) {
    column <- names(table)[i]
    wide <- column_words(column, "width")
    openxlsx::setColWidths(book, name, i, if (is.na(wide)) 12 else as.numeric(wide))
    meaning <- column_words(column, "meaning")
    if (!is.na(meaning) && nzchar(meaning)) {
      note <- openxlsx::createComment(meaning, author = "Ink Tide", visible = FALSE, width = 3,
        height = 3)
      openxlsx::writeComment(book, name, col = i, row = 1, comment = note)
    }
    if (nrow(table)) style_column(book, name, table[[i]], column, i)
  }
}

# Formats of numbers, wrapped texts, colours on the extremes.
style_column <- function(book, sheet, values, column, at) {
  rows <- seq_along(values) + 1
  add <- function(style) {
    openxlsx::addStyle(book, sheet, style, rows = rows, cols = at, gridExpand = TRUE)
  }
  how_written <- number_format(column, values)
  if (!is.null(how_written)) add(openxlsx::createStyle(numFmt = how_written))
  if (column %in% c("action", "reason")) {
    add(openxlsx::createStyle(wrapText = TRUE, valign = "top"))
  }
  if (length(values) < 3) return(invisible())
  make_scale <- function(...) openxlsx::conditionalFormatting(book, sheet, cols = at, rows = rows,
    type = "colourScale", ...)
  if (grepl("^change", column) || column %in% part_names) {
    # Zero is white on both sides of it.
    reach <- max(abs(values), 1, na.rm = TRUE)
    make_scale(style = c("#E3A868", "#FFFFFF", "#9DC3C1"), rule = c(-reach, 0, reach))
  }
  if (column %in% c("gain", "score", "impressions")) make_scale(style = c("#FFFFFF", "#9DC3C1"))
}

number_format <- function(column, values) {
  how_written <- column_format(column, values)
  if (!is.numeric(values)) return(NULL)
  switch(how_written, rate = , share = , sure = "0.0%", count = , change = "#,##0", "#,##0.0")
}
