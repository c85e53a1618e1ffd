# Workbooks for people: header rows that stay, filters, colours on the extremes, links to the
# pages, a note on every column. Of findings one sheet per view (the list, by page, by query, by
# topic, what was checked and left out), with a column `decision` to be filled in by hand; of
# comparisons a sheet each, and one with the windows and the sum of the site.

write_workbook <- function(x, file) {
  book <- openxlsx::createWorkbook(creator = "Ink Tide")
  if (inherits(x, "tide_findings")) fill_findings(book, x) else fill_changes(book, x)
  made <- tempfile(fileext = ".xlsx")
  on.exit(unlink(made))
  write_whole(file, function(path) {
    openxlsx::saveWorkbook(book, made)
    copy_bytes(made, path)
  })
}

fill_findings <- function(book, findings) {
  list <- as.data.frame(findings$findings)
  if (is.null(list$decision)) list$decision <- rep("", nrow(list))
  list$note <- rep("", nrow(list))
  first <- c("rank", "decision", "note", "kind", "query", "page", "gain", "gain_low", "gain_high",
    "confidence", "hours", "action", "reason")
  add_sheet(book, "List", list[c(first, setdiff(names(list), first))])
  for (by in c("page", "query", "topic")) {
    add_sheet(book, sprintf("By %s", by), as.data.frame(tide_group(findings, by)))
  }
  if (NROW(findings$aside)) add_sheet(book, "No findings", as.data.frame(findings$aside))
}

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

# What each column says, as a note on its header.
column_notes <- c(
  rank = "1 is the best use of the next hour",
  decision = paste("Fill in: fix, later, harmless or done, and have the workbook read back",
    "as a sheet of decisions"),
  note = "What to remember about the decision",
  kind = "Kind of finding",
  query = "The query; of a task the one with the largest gain",
  page = "The page to work on",
  gain = "Expected extra clicks per 30 days",
  gain_low = "Lower end of the 90 % interval of the gain",
  gain_high = "Upper end of the 90 % interval of the gain",
  confidence = "Chance that the finding is real",
  hours = "Hours of work; 0 where it comes along with the task's first finding",
  action = "The next step",
  reason = "Why",
  id = "Stays the same in the next list",
  pages = "All pages that compete",
  clicks = "Clicks in the window",
  impressions = "Impressions in the window",
  ctr = "Clicks / impressions",
  position = "Average position, weighted by impressions",
  expected_ctr = "What this site's queries earn at these positions",
  score = "Worth x confidence / hours; of a task's first finding, that of all of it",
  task = "Id of the finding that leads this piece of work",
  task_gain = "Expected extra clicks per 30 days of the whole piece of work",
  findings = "How many findings",
  kinds = "Of which kinds",
  ids = "Their ids",
  topic = "The word the queries are about",
  queries = "How many queries",
  gain_conversions = "Expected extra conversions per 30 days",
  gain_value = "Expected extra value per 30 days",
  name = "What moved",
  clicks_before = "Clicks for 30 days, earlier window",
  clicks_after = "Clicks for 30 days, later window",
  change = "Clicks for 30 days gained or lost; the next four columns add up to it",
  demand = "Of the change: more or fewer searches",
  click_through = "Of the change: clicked more or less at equal position",
  mix = "Of the change: queries shown in one window only",
  ratio = "Clicks after to before",
  ratio_low = "Lower end of its 90 % interval",
  ratio_high = "Upper end of its 90 % interval",
  q = "False-discovery rate at which it counts as real",
  real = "More than the site and the usual wavering")

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
    wide <- column_widths[column]
    openxlsx::setColWidths(book, name, i, if (is.na(wide)) 12 else wide)
    if (column %in% names(column_notes)) {
      note <- openxlsx::createComment(column_notes[[column]], author = "Ink Tide", visible = FALSE,
        width = 3, height = 3)
      openxlsx::writeComment(book, name, col = i, row = 1, comment = note)
    }
    if (nrow(table)) style_column(book, name, table[[i]], column, i)
  }
}

column_widths <- c(name = 46, query = 32, page = 46, action = 60, reason = 80, pages = 40,
  kinds = 24, ids = 20, note = 24, topic = 20)

# Formats of numbers, wrapped texts, colours on the extremes.
style_column <- function(book, sheet, values, column, at) {
  rows <- seq_along(values) + 1
  add <- function(style) {
    openxlsx::addStyle(book, sheet, style, rows = rows, cols = at, gridExpand = TRUE)
  }
  format <- number_format(column, values)
  if (!is.null(format)) add(openxlsx::createStyle(numFmt = format))
  if (column %in% c("action", "reason")) {
    add(openxlsx::createStyle(wrapText = TRUE, valign = "top"))
  }
  if (length(values) < 3) return(invisible())
  scale <- function(...) openxlsx::conditionalFormatting(book, sheet, cols = at, rows = rows,
    type = "colourScale", ...)
  if (column %in% c("change", "demand", "click_through", "mix")) {
    # Zero is white on both sides of it.
    reach <- max(abs(values), 1)
    scale(style = c("#E3A868", "#FFFFFF", "#9DC3C1"), rule = c(-reach, 0, reach))
  }
  if (column %in% c("gain", "score", "impressions")) scale(style = c("#FFFFFF", "#9DC3C1"))
}

number_format <- function(column, values) {
  if (column %in% c("ctr", "expected_ctr", "confidence")) return("0.0%")
  if (column %in% c("rank", "clicks", "impressions", "findings", "queries")) return("#,##0")
  if (is.numeric(values)) "#,##0.0"
}
