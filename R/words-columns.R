# The dictionary of columns: what each is called, what it means and how it is written, in terminal,
# report, workbench and workbook alike. It stands in inst/words/en.yml.

# `label`, `short`, `meaning`, `format` or `width` of columns; NA where the dictionary says nothing.
column_words <- function(names, what) {
  columns <- words_in_use()$columns
  out <- vapply(names, function(name) {
    as.character(first_given(columns[[name]][[what]], NA_character_))
  }, "")
  if (what == "short") {
    lacking <- is.na(out)
    out[lacking] <- column_words(names[lacking], "label")
  }
  if (what %in% c("label", "short")) {
    out <- ifelse(is.na(out), sub("^(.)", "\\U\\1", gsub("_", " ", names), perl = TRUE), out)
  }
  unname(out)
}

# How columns are written, besides the formats of fields.
column_formats <- list(
  gain = function(x, words) {
    ifelse(is.na(x), "", in_numbers_of(format_gain(x), words))
  },
  change = function(x, words) in_numbers_of(signed_count(x), words),
  sure = function(x, words) format_sure(x),
  hours = function(x, words) in_numbers_of(sprintf("%.3g", x), words),
  score = function(x, words) in_numbers_of(sprintf("%.2f", x), words),
  ratio = function(x, words) in_numbers_of(format_ratio(x), words),
  month = function(x, words) format_month(x, unlist(words$months)),
  mark = function(x, words) ifelse(x %in% TRUE, words$answers[1], ""),
  yes_no = function(x, words) {
    ifelse(is.na(x), "", ifelse(x, words$answers[1], words$answers[2]))
  },
  times_said = function(x, words) ifelse(x > 0, in_numbers_of(format_count(x), words), "\u2013"),
  kind = function(x, words) kind_label(x),
  trend = function(x, words) trend_bars(x))

text_formats <- c("text", "path", "kind", "mark", "yes_no", "trend", "month")

column_format <- function(name, values = NULL) {
  how_written <- column_words(name, "format")
  if (!is.na(how_written)) return(how_written)
  # Windows of several lengths stand in columns such as clicks_28.
  if (startsWith(name, "change_")) return("change")
  if (startsWith(name, "clicks_")) return("count")
  if (is.numeric(values)) "clicks" else "text"
}

# A column in texts, as it is written.
column_text <- function(name, values) {
  how_written <- column_format(name, values)
  first_given(column_formats[[how_written]], field_formats[[how_written]])(values, words_in_use())
}

# A column as a face shows it: its texts, with its name, whether they stand to the right, and what
# it means. text: where a face has more to say than the value.
column_cells <- function(name, values, text = column_text(name, values)) {
  attr(text, "column") <- name
  attr(text, "right") <- !column_format(name, values) %in% text_formats
  attr(text, "meaning") <- column_words(name, "meaning")
  text
}

# The columns of a table that are there, named by their heads: list of column_cells(). text: of some
# columns, by their names.
shown_columns <- function(rows, names, text = list(), heads = "label") {
  names <- intersect(names, c(names(rows), names(text)))
  cells <- lapply(names, function(name) {
    if (is.null(text[[name]])) return(column_cells(name, rows[[name]]))
    column_cells(name, rows[[name]], text[[name]])
  })
  stats::setNames(cells, column_words(names, heads))
}
