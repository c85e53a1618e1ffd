# What a service answers, read into rows. Nothing of it is believed before it was checked.

# The body as text: "" for none.
answer_text <- function(spec, asked, answer) {
  bytes <- answer$body
  if (!is.raw(bytes) || !length(bytes)) return("")
  wide <- length(bytes) > 1 && (identical(bytes[1:2], as.raw(c(0xff, 0xfe))) ||
    identical(bytes[1:2], as.raw(c(0xfe, 0xff))))
  if (!wide && any(bytes == 0)) {
    abort_answer(spec, asked, "The answer is no text.",
      sprintf("%s with NUL among them", format_plural(length(bytes), "byte")),
      "Check the address and `format`.")
  }
  named <- if (wide) "UTF-16" else answer_charset(answer)
  text <- if (is.null(named)) rawToChar(bytes) else iconv(list(bytes), named, "UTF-8")
  as_utf8(if (is.na(text)) rawToChar(bytes[bytes != 0]) else text)
}

# The encoding that an answer names, other than UTF-8, where it is known here; NULL for none.
answer_charset <- function(answer) {
  type <- first_given(httr2::resp_header(answer, "Content-Type"), "")
  named <- sub("^.*charset\\s*=\\s*\"?([A-Za-z0-9._-]+).*$", "\\1", type, ignore.case = TRUE)
  if (named == type || toupper(named) %in% c("UTF-8", "UTF8")) return(NULL)
  if (toupper(named) %in% toupper(iconvlist())) named
}

# NULL where the text is cut off and may be asked for again.
read_answer <- function(spec, asked, answer, last) {
  text <- answer_text(spec, asked, answer)
  if (grepl("^\\s*<(!doctype|html)", text, ignore.case = TRUE)) {
    abort_answer(spec, asked, sprintf("A page came, not %s.", toupper(spec$format)), text,
      "Check the address: this is what a browser would show, such as a page to sign in.")
  }
  if (httr2::resp_status(answer) == 204) return(list(rows = data.table()))
  if (!nzchar(trimws(text))) {
    if (!last) return(NULL)
    abort_answer(spec, asked, "The answer is empty.", "",
      "Check the address; a service without rows says so by status 204 or an empty list.")
  }
  if (spec$format == "csv") {
    tbl <- tryCatch(fread(text = text, colClasses = "character", header = TRUE, na.strings = ""),
      error = function(e) NULL, warning = function(w) NULL)
    if (is.null(tbl)) {
      if (!last) return(NULL)
      abort_answer(spec, asked, "The answer is no CSV.", text, "Check `format`.")
    }
    return(list(rows = csv_rows(spec, asked, tbl)))
  }
  value <- parse_json(text)
  if (is.null(value)) {
    if (!last) return(NULL)
    abort_answer(spec, asked, "The answer is no JSON.", text, "Check the address and `format`.")
  }
  rows <- json_at(value, spec$rows)
  # A day without rows has no list of them on some services; one without any is a wrong pointer.
  if (is.null(rows) && isTRUE(spec$seen)) rows <- list()
  if (!is.list(rows) || !is.null(names(rows))) {
    abort_answer(spec, asked, sprintf("No list of rows at '%s'.", spec$rows), text,
      "Point `rows` to the list, as in /rows (JSON Pointer).")
  }
  list(rows = json_rows(spec, asked, rows), count = answer_count(spec, asked, value, text),
    next_value = answer_next(spec, asked, value, text))
}

# How many rows there are, where an answer says so: NULL for none.
answer_count <- function(spec, asked, value, text) {
  if (is.null(spec$count)) return(NULL)
  count <- json_at(value, spec$count)
  if (is.null(count)) return(NULL)
  number <- if (is.atomic(count) && length(count) == 1) suppressWarnings(as.numeric(count))
  if (length(number) && is.finite(number) && number >= 0) return(number)
  abort_answer(spec, asked, sprintf("The count at '%s' is no number of rows.", spec$count), text,
    "Point `count` to the number of rows, or leave it out.")
}

# What the next page is asked with: NULL at the end.
answer_next <- function(spec, asked, value, text) {
  if (!identical(spec$paging$by, "field")) return(NULL)
  found <- json_at(value, spec$paging$at)
  if (is.null(found) || identical(found, FALSE)) return(NULL)
  if (is.atomic(found) && length(found) == 1 && !is.na(found)) {
    text <- plain_scalar(found)
    return(if (nzchar(text)) text)
  }
  abort_answer(spec, asked, sprintf("'%s' is no text that says what comes next.", spec$paging$at),
    text, "Correct `at` of `paging`.")
}

plain_scalar <- function(value) {
  if (is.numeric(value)) format(value, digits = 15, scientific = FALSE) else as.character(value)
}

# Rows have a column `same`: what a row says besides its figures. A row that comes again replaces
# the one before, whatever page brought it; what differs in a name that no field holds does not.
csv_rows <- function(spec, asked, table) {
  lacking <- setdiff(unlist(spec$fields), names(table))
  if (length(lacking)) abort_field(spec, asked, lacking[1], paste(names(table), collapse = ", "))
  out <- table[, unlist(spec$fields), with = FALSE]
  setnames(out, names(spec$fields))
  others <- setdiff(names(table), unlist(spec$fields))
  texts <- others[vapply(others, function(name) {
    anyNA(suppressWarnings(as.numeric(table[[name]]))) && !all(is.na(table[[name]]))
  }, NA)]
  typed_rows(out, if (length(texts)) do.call(paste, c(table[, texts, with = FALSE], sep = "\r")))
}

json_rows <- function(spec, asked, rows) {
  if (!length(rows)) return(data.table())
  columns <- Map(function(pointer, name) {
    values <- lapply(rows, json_at, pointer)
    given <- lengths(values) > 0
    # Facts may be unknown of a name; a figure that is nowhere is a wrong pointer.
    if (!any(given) || (is.null(spec$by) && !all(given))) {
      lacking <- which(!given)[1]
      abort_field(spec, asked, pointer, row_text(rows[[lacking]]), lacking)
    }
    wrong <- which(given & !vapply(values, is_field_value, NA))
    if (length(wrong)) {
      abort_answer(spec, asked, sprintf("A row's '%s' is neither a text nor a number.", pointer),
        sprintf("row %s: %s", format_count(wrong[1]), row_text(rows[[wrong[1]]])),
        "Correct `fields`: for each column where it is in a row.")
    }
    text <- rep(NA_character_, length(values))
    text[given] <- vapply(values[given], plain_scalar, "")
    text
  }, spec$fields, names(spec$fields))
  typed_rows(setDT(columns), vapply(rows, function(row) {
    texts <- unlist(rapply(row, identity, classes = "character", how = "unlist"))
    paste(texts[is.na(suppressWarnings(as.numeric(texts)))], collapse = "\r")
  }, ""))
}

is_field_value <- function(value) {
  (is.character(value) || is.numeric(value)) && length(value) == 1 && is.null(names(value))
}

row_text <- function(row) as.character(jsonlite::toJSON(row, auto_unbox = TRUE))

typed_rows <- function(rows, same = NULL) {
  for (column in intersect(figure_names, names(rows))) {
    set(rows, j = column, value = suppressWarnings(as.numeric(rows[[column]])))
  }
  named <- intersect(dimension_names, names(rows))
  key <- do.call(paste, c(lapply(named, function(name) rows[[name]]), sep = "\r"))
  set(rows, j = "same", value = if (is.null(same)) key else paste(key, same, sep = "\n"))
  rows[]
}

abort_field <- function(spec, asked, field, came, row = NULL) {
  if (!is.null(row)) came <- sprintf("row %s: %s", format_count(row), came)
  abort_answer(spec, asked, sprintf("A row has no '%s'.", field), came,
    "Correct `fields`: for each column where it is in a row.")
}
