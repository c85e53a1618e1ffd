# Pieces of the workbench's pages. All text is escaped here; what a click changes travels as JSON in
# `data-go`.

# An attribute that says which parts of the state a click sets. fresh: nothing else stays.
go_to <- function(..., fresh = FALSE) {
  parts <- c(list(...), if (fresh) list(fresh = TRUE))
  sprintf("data-go=\"%s\"", escape_attribute(state_json(parts)))
}

state_json <- function(x) as.character(jsonlite::toJSON(x, auto_unbox = TRUE, null = "null"))

escape_attribute <- function(x) htmltools::htmlEscape(visible_text(x), attribute = TRUE)

# For many rows at once: `values` is a vector.
go_each <- function(view, name, values) {
  sprintf("data-go=\"{&quot;view&quot;:&quot;%s&quot;,&quot;%s&quot;:&quot;%s&quot;}\"", view, name,
    escape_attribute(json_text(values)))
}

# Text as it stands between the quotes of JSON.
json_text <- function(x) {
  x <- gsub("\\", "\\\\", x, fixed = TRUE)
  gsub("\"", "\\\"", visible_text(x), fixed = TRUE)
}

# Names that lead on to a table `by` something, narrowed by the name.
step_each <- function(by, arg, values, shown) {
  as_html(sprintf(paste0("<button type='button' class='row' data-step=\"{&quot;by&quot;:&quot;%s",
    "&quot;,&quot;arg&quot;:&quot;%s&quot;,&quot;value&quot;:&quot;%s&quot;}\">%s</button>"), by,
    arg, escape_attribute(json_text(values)), escape(shown)))
}

# The condition that a name of each table narrows by.
step_args <- c(query = "queries", page = "pages", folder = "page_group", country = "country",
  device = "device", vertical = "vertical", rich_result = "rich_result")

# A query leads to its pages, anything else to its queries.
leading_names <- function(by, values) {
  shown <- if (by == "page") format_path(values) else values
  if (!by %in% names(step_args)) return(shown)
  step_each(if (by == "query") "page" else "query", step_args[[by]], values, shown)
}

link_button <- function(label, go, look = "plain", pressed = NULL) {
  sprintf("<button type='button' class='%s' %s%s>%s</button>", look, go,
    if (is.null(pressed)) "" else sprintf(" aria-pressed='%s'", tolower(pressed)), escape(label))
}

# A choice among names; `set` is the part of the state that it sets.
select_box <- function(set, label, values, shown, chosen) {
  sprintf("<label>%s <select data-set='%s'>%s</select></label>", escape(label), set,
    paste(sprintf("<option value='%s'%s>%s</option>", escape_attribute(values),
      ifelse(values == chosen, " selected", ""), escape(shown)), collapse = ""))
}

text_box <- function(set, label, value, type = "text", width = 10) {
  sprintf(paste("<label>%s <input type='%s' id='set-%s' data-set='%s' value='%s'",
    "style='width:%dem' autocomplete='off'></label>"),
    escape(label), type, set, set, escape_attribute(value), as.integer(width))
}

# In: named list of columns of text (escaped already where they are HTML). numbers:
# names of those that stand to the right. wide: the one that takes what room is left. rows:
# attributes of each row.
data_table <- function(columns, numbers = character(), rows = "", heads = NULL, wide = "") {
  class <- ifelse(names(columns) %in% numbers, " class='n'",
    ifelse(names(columns) == wide, " class='wide'", ""))
  head <- first_given(heads, sprintf("<th scope='col'%s>%s</th>", class, escape(names(columns))))
  cells <- Map(function(x, k, name) sprintf("<td%s data-label='%s'>%s</td>", k,
    escape_attribute(name), if (inherits(x, "drawn")) unclass(x) else escape(x)),
    unname(columns), class, names(columns))
  body <- if (length(columns[[1]])) {
    paste0("<tr ", rows, ">", do.call(paste0, unname(cells)), "</tr>", collapse = "")
  } else {
    ""
  }
  sprintf("<table class='data%s'><thead><tr>%s</tr></thead><tbody>%s</tbody></table>",
    if (nzchar(wide)) "" else " narrow", paste(head, collapse = ""), body)
}

as_html <- function(x) structure(x, class = "drawn")

# Heads that sort: the state's `sort` is the column's name.
sort_heads <- function(names, columns, sort, numbers) {
  sprintf("<th scope='col'%s%s><button type='button' %s>%s</button></th>",
    ifelse(names %in% numbers, " class='n'", ""),
    ifelse(columns == sort, " aria-sort='descending'", ""),
    vapply(columns, function(column) go_to(sort = column, page = NULL), ""), escape(names))
}

# Where a long table is: which rows of how many, with the way to the others.
page_buttons <- function(state, n, each) {
  page <- max(1, min(floor(state_number(state$page, 1)), ceiling(n / each)))
  from <- (page - 1) * each + 1
  to <- min(n, page * each)
  list(rows = if (n) seq.int(from, to) else integer(), html = if (n <= each) "" else {
    sprintf("<nav class='pages' aria-label='rows'>%s <span>%s to %s of %s</span> %s</nav>",
      if (page > 1) link_button("previous", go_to(page = format(page - 1))) else "",
      format_count(from), format_count(to), format_count(n),
      if (to < n) link_button("next", go_to(page = format(page + 1))) else "")
  })
}

figures_list <- function(figures) {
  sprintf("<dl class='figures'>%s</dl>", paste(sprintf("<div><dt>%s</dt><dd>%s</dd></div>",
    escape(names(figures)), escape(figures)), collapse = ""))
}

empty_state <- function(what, todo) {
  sprintf("<section class='empty'><h1 tabindex='-1'>%s</h1><p>%s</p></section>", escape(what),
    escape(todo))
}
