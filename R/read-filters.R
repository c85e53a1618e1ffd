# An export carries its filter beside its rows: a small table in the same zip, workbook or folder
# that says for which page, query, vertical, country, device or window it was made. Without it, rows
# of two exports look like repeats.

# Most rows and bytes of a table of filters.
filter_rows_most <- 30L

filter_bytes_most <- 20000

# What a part says as a table of filters, or NULL where it is none: list(values: by dimension, those
# that hold for every row; patterns: what the rows are a part of, in words; window: list(from, to),
# or windows: list(later, earlier) of such).
part_filters <- function(part, how) {
  if (!nzchar(part$path) || file.size(part$path) > filter_bytes_most) return(NULL)
  cells <- filter_cells(part)
  if (is.null(cells)) return(NULL)
  dimension <- vapply(cells$name, function(name) {
    found <- find_columns(name)[c(dimension_names, figure_names)]
    c(names(found)[lengths(found) > 0], "")[1]
  }, "")
  if (!any(dimension %in% dimension_names) || any(dimension %in% figure_names)) return(NULL)
  known <- which(dimension %in% dimension_names & nzchar(cells$value))
  values <- stats::setNames(cells$value[known], dimension[known])
  windows <- filter_windows(unname(values[names(values) == "date"]), part, how)
  values <- values[names(values) != "date"]
  whole <- vapply(seq_along(values), function(i) is_whole_value(names(values)[i], values[[i]]), NA)
  words <- sprintf("%s %s", gsub("_", " ", names(values)), values)
  c(list(values = values[whole & !duplicated(names(values))], patterns = words[!whole]), windows)
}

# Two columns of texts, a line each; of lines with a header of its own, that too.
filter_cells <- function(part) {
  lines <- tryCatch(readLines(part$path, n = filter_rows_most + 1L, warn = FALSE, skipNul = TRUE),
    error = function(e) character())
  lines <- as_utf8(lines)
  if (length(lines)) lines[1] <- sub("^\ufeff", "", lines[1])
  lines <- lines[nzchar(trimws(lines))]
  if (!length(lines) || length(lines) > filter_rows_most) return(NULL)
  for (sep in c(",", ";", "\t")) {
    cells <- lapply(lines, function(line) trimws(split_cells(line, sep)))
    # Cells after the second are empty, as workbooks have them.
    filled <- vapply(cells, function(own) max(which(nzchar(own)), 0L), 0L)
    if (all(lengths(cells) >= 2) && all(filled <= 2)) {
      return(list(name = vapply(cells, `[`, "", 1), value = vapply(cells, `[`, "", 2)))
    }
  }
  NULL
}

# Whether a value holds for every row, or is a pattern: a sign for "holds" or "holds not", or a text
# in an address that is none.
is_whole_value <- function(dimension, value) {
  if (dimension %in% c("country", "device", "vertical", "rich_result")) {
    return(!grepl("[*+|,;]", value))
  }
  if (dimension == "page") {
    return(grepl(paste0("^", exactly_words, "https?://[^*|\\s]+$"), value, perl = TRUE,
      ignore.case = TRUE))
  }
  grepl("^=", value)
}

# How tables of filters say that a value is meant as it stands.
exactly_words <- "(=|(exact(ly)?|equals|is|exact url|genau)\\b:?)?\\s*"

# The window that the filter names, where it is two dates; of four, `windows`, the later and the
# earlier one.
filter_windows <- function(text, part, how) {
  dates <- if (length(text)) regmatches(text[1], gregexpr(date_shape, text[1]))[[1]]
  if (length(dates) == 2) return(list(window = window_of(dates, part, how)))
  if (length(dates) != 4) return(NULL)
  two <- list(window_of(dates[1:2], part, how), window_of(dates[3:4], part, how))
  if (any(lengths(two) == 0)) return(NULL)
  in_order <- order(vapply(two, function(own) as.integer(own$to), 0L), decreasing = TRUE)
  list(windows = stats::setNames(two[in_order], c("later", "earlier")))
}

# The parts of one zip or workbook, each with what their table of filters says.
# Several tables of filters in one place say nothing of any one.
with_filters <- function(parts, how) {
  found <- lapply(parts, function(part) if (is.null(part$source)) part_filters(part, how))
  at <- which(lengths(found) > 0)
  if (length(at) != 1 || length(parts) < 2) return(parts)
  parts[[at]] <- list(source = filter_source(parts[[at]]$label))
  lapply(parts, function(part) {
    if (is.null(part$source)) part$filters <- found[[at]]
    part
  })
}

filters_are_told <- "it says what the others are limited to"

# How a table of filters stands in the record of what was read.
filter_source <- function(label) {
  data.table(file = label, rows = 0L, kept = 0L, grain = "", ctr = "none", capped = FALSE,
    filters = "", skipped = filters_are_told)
}

# The same of folders whose files lie loose: list(folder, file, filters) of those with one table of
# filters beside others.
folder_filters <- function(inputs, scratch, how) {
  small <- which(inputs$gathered & file.exists(inputs$path) & !dir.exists(inputs$path) &
    file.size(inputs$path) <= filter_bytes_most)
  small <- small[vapply(inputs$path[small], file_kind, "") == "text"]
  filters_read <- lapply(inputs$path[small], function(file) {
    tryCatch(part_filters(open_parts(file, scratch)[[1]], how), tide_error = function(e) NULL)
  })
  at <- small[lengths(filters_read) > 0]
  folder <- dirname(inputs$path[at])
  several <- vapply(folder, function(own) sum(dirname(inputs$path) == own) > 1, NA)
  once <- which(!folder %in% folder[duplicated(folder)] & several)
  list(folder = folder[once], file = inputs$path[at][once],
    filters = filters_read[lengths(filters_read) > 0][once])
}

# Columns of constant values, for dimensions that the table lacks.
add_filter_columns <- function(rows, filters) {
  for (dimension in setdiff(names(filters$values), names(rows))) {
    value <- sub(paste0("^", exactly_words), "", filters$values[[dimension]], perl = TRUE,
      ignore.case = TRUE)
    set(rows, j = dimension, value = factor(rep(value, nrow(rows))))
  }
}

# What an export is limited to, in words; "" without filters.
filter_words <- function(filters) {
  if (is.null(filters)) return("")
  whole <- sprintf("%s %s", gsub("_", " ", names(filters$values)), filters$values)
  paste(c(whole, filters$patterns), collapse = ", ")
}

# Sums of an export that a pattern limits are totals of nothing.
check_filtered_totals <- function(dimensions, filters, label) {
  if (!length(filters$patterns) || "query" %in% dimensions) return(invisible())
  abort_no_table(
    sprintf("It is no total, but of a part: %s.", paste(filters$patterns, collapse = ", ")), label,
    "Export it without that filter.")
}
