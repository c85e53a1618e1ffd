# Tables in HTML, for report and workbench alike. Cells are escaped here and nowhere else.

escape <- function(x) htmltools::htmlEscape(visible_text(x))

escape_attribute <- function(x) htmltools::htmlEscape(visible_text(x), attribute = TRUE)

# Text that is HTML already.
as_html <- function(x) structure(x, class = "drawn")

# columns: list by head of column_cells() or texts. look: the class of the table; in the workbench's
# each cell names its head for narrow screens. rows: attributes of each row. wide: the name of the
# column that takes what room is left, whatever its head is called.
html_table <- function(columns, rows = "", look = "plain", wide = "",
    heads = html_heads(columns, wide)) {
  named <- startsWith(look, "data")
  cells <- Map(function(x, name) html_cells(x, wide, if (named) name), unname(columns),
    names(columns))
  body_rows <- if (length(columns[[1]])) {
    paste0("<tr", ifelse(nzchar(rows), " ", ""), rows, ">", do.call(paste0, cells), "</tr>",
      collapse = "")
  }
  sprintf("<table class='%s'><thead><tr>%s</tr></thead><tbody>%s</tbody></table>", look,
    paste(heads, collapse = ""), paste0(body_rows, ""))
}

# The cells of one column.
html_cells <- function(x, wide = "", head = NULL) {
  sprintf("<td%s%s>%s</td>", class_of(x, wide),
    if (is.null(head)) "" else sprintf(" data-label='%s'", escape_attribute(head)),
    if (inherits(x, "drawn")) unclass(x) else escape(x))
}

# What a head says of itself stands in its title.
html_heads <- function(columns, wide = "") {
  one_head <- function(cells, name) {
    meaning <- attr(cells, "meaning")
    title <- if (length(meaning) && !is.na(meaning)) {
      sprintf(" title='%s'", escape_attribute(meaning))
    } else {
      ""
    }
    shown <- if (name == " ") "<span class='visually-hidden'>choose</span>" else escape(name)
    sprintf("<th scope='col'%s%s>%s</th>", class_of(cells, wide, NULL), title, shown)
  }
  unlist(Map(one_head, columns, names(columns)))
}

# Figures stand to the right; changes may have a colour each.
class_of <- function(x, wide, sign = attr(x, "sign")) {
  classes <- trimws(paste(if (isTRUE(attr(x, "right"))) "n" else "",
    if (identical(attr(x, "column"), wide)) "wide" else "",
    if (is.null(sign)) "" else ifelse(sign > 0, "up", ifelse(sign < 0, "down", ""))))
  ifelse(nzchar(classes), sprintf(" class='%s'", classes), "")
}

# A table whose rows open, that can be sorted and searched. details: HTML that a row opens to.
# choose: kinds to choose among. first: so many rows are shown until somebody asks for all. printed:
# so many rows have their details on paper.
sortable_table <- function(id, caption, columns, details, kinds = "", choose = NULL, first = NULL,
    wide = "", printed = 0L) {
  heads <- sub("^(<th[^>]*>)(.*)(</th>)$", "\\1<button type='button'>\\2</button>\\3",
    html_heads(columns, wide))
  choices <- sprintf("<option value='%s'>%s</option>", choose, kind_label(choose))
  cells <- lapply(unname(columns), html_cells, wide)
  body_rows <- sprintf(
    "<tr data-kind='%s'>%s</tr><tr class='more%s'><td colspan='%d'>%s</td></tr>", kinds,
    do.call(paste0, cells), ifelse(seq_along(details) <= printed, " printed", ""),
    length(columns), details)
  paste0(paste("<div class='tools'><label>Search <input type='search'",
    "placeholder='query, page or words' aria-controls='"),
    id, "'></label>", if (length(choose)) {
      paste0("<label>Kind <select aria-controls='", id, "'><option value=''>every kind</option>",
        paste(choices, collapse = ""), "</select></label>")
    },
    "<output class='soft' aria-live='polite'></output></div>", "<table class='cards' id='", id,
    if (!is.null(first)) sprintf("' data-first='%d", first), "'><caption>", caption,
    "</caption><thead><tr>", paste(heads, collapse = ""), "</tr></thead><tbody>",
    paste(body_rows, collapse = "\n"), "</tbody></table>")
}

html_list <- function(lines) {
  if (length(lines)) {
    paste0("<ul>", paste0("<li>", escape(lines), "</li>", collapse = ""), "</ul>")
  }
}
