# Pieces of the workbench's pages. All text is escaped here; what a click changes travels as JSON in
# `data-go`.

# An attribute that says which parts of the state a click sets. fresh: nothing else stays.
go_to <- function(..., fresh = FALSE) {
  parts <- c(list(...), if (fresh) list(fresh = TRUE))
  sprintf("data-go=\"%s\"", escape_attribute(state_json(parts)))
}

state_json <- function(x) as.character(jsonlite::toJSON(x, auto_unbox = TRUE, null = "null"))

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

# Boxes that choose a task.
pick_boxes <- function(ids, queries) {
  as_html(sprintf("<input type='checkbox' data-pick='%s' aria-label='choose %s'>", ids,
    escape_attribute(queries)))
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

# Heads of columns, of which some sort. sorts: what the state's `sort` is then, by name of the
# column.
sort_heads <- function(columns, wide, sorts, sort) {
  heads <- html_heads(columns, wide)
  for (i in seq_along(columns)) {
    sort_key <- sorts[first_given(attr(columns[[i]], "column"), "")]
    if (is.na(sort_key)) next
    button <- sprintf("\\1<button type='button' %s>\\2</button>\\3",
      go_to(sort = unname(sort_key), page = NULL))
    heads[i] <- sub("^(<th[^>]*>)(.*)(</th>)$", button, heads[i])
    if (sort_key == sort) heads[i] <- sub("^<th", "<th aria-sort='descending'", heads[i])
  }
  heads
}

# Where a long table is: which rows of how many, with the way to the others.
page_buttons <- function(state, n, each) {
  page_at <- max(1, min(floor(state_number(state$page, 1)), ceiling(n / each)))
  from <- (page_at - 1) * each + 1
  to <- min(n, page_at * each)
  list(rows = if (n) seq.int(from, to) else integer(), html = if (n <= each) "" else {
    sprintf("<nav class='pages' aria-label='rows'>%s <span>%s to %s of %s</span> %s</nav>",
      if (page_at > 1) link_button("previous", go_to(page = format(page_at - 1))) else "",
      format_count(from), format_count(to), format_count(n),
      if (to < n) link_button("next", go_to(page = format(page_at + 1))) else "")
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
