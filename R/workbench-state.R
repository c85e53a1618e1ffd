# What the workbench shows, as plain data: a list that travels in the address of the page. Nothing
# in it is trusted: what is no view, no condition, no number becomes its default.

workbench_views <- c("list", "line", "explore", "changes", "contests", "curve", "map", "ahead",
  "pages", "outcomes", "data")

# What stays of a state; each is text.
state_texts <- c("view", "q", "kind", "folder", "intent", "brand", "band", "size", "decided",
  "sort", "hours", "page", "id", "by", "from", "to", "level", "before", "before_from", "before_to",
  "days", "one", "other", "segment", "site", "small", "side",
  "axes", "cols")

# In: JSON of the page. Out: list of texts, with `c` (conditions) and `trail`.
read_state <- function(json) {
  given <- parse_json(json)
  if (!is.list(given)) given <- list()
  text <- function(x, most = 500) if (one_text(x)) substr(enc2utf8(x), 1, most) else ""
  state <- lapply(stats::setNames(state_texts, state_texts), function(name) text(given[[name]]))
  if (!state$view %in% workbench_views) state$view <- "list"
  state$c <- Filter(nzchar, vapply(utils::head(as.list(given[["c"]]), 30), text, "", 2000,
    USE.NAMES = FALSE))
  # The page keeps the steps of its way; here only their names are shown.
  steps <- utils::head(Filter(is.list, as.list(given[["trail"]])), 30)
  state$trail <- vapply(steps, function(step) text(step[["label"]]), "", USE.NAMES = FALSE)
  state
}

# Several names in one text of the state: "low_ctr|falling".
state_parts <- function(text) strsplit(text, "|", fixed = TRUE)[[1]]

# The same with a name more, or without it; NULL for none.
toggled_part <- function(text, name) {
  parts <- state_parts(text)
  parts <- if (name %in% parts) setdiff(parts, name) else c(parts, name)
  if (length(parts)) paste(parts, collapse = "|")
}

state_number <- function(text, default, most = 1e6) {
  number <- suppressWarnings(as.numeric(text))
  if (length(number) == 1 && is.finite(number) && number >= 0) min(number, most) else default
}

state_day <- function(text) {
  day <- if (grepl("^\\d{4}-\\d\\d-\\d\\d$", text)) as.IDate(text, format = "%Y-%m-%d")
  if (length(day) && !is.na(day)) day
}

# Conditions travel as "device~mobile" or "!page_text~/guides/".

# Those that can be put together on the page, in words: what a row must be, what it must not.
condition_words <- rbind(
  data.table(arg = "queries", is = "query is %s", isnt = "query is not %s"),
  data.table(arg = "pages", is = "page is %s", isnt = "page is not %s"),
  data.table(arg = "query_text", is = "query holds \"%s\"", isnt = "query does not hold \"%s\""),
  data.table(arg = "page_text", is = "on pages with %s", isnt = "not on pages with %s"),
  data.table(arg = "has_any", is = "query has a word of: %s", isnt = "query has no word of: %s"),
  data.table(arg = "query", is = "query matches %s", isnt = "query does not match %s"),
  data.table(arg = "page", is = "page matches %s", isnt = "page does not match %s"),
  data.table(arg = "words", is = "%s words long", isnt = "not %s words long"),
  data.table(arg = "intent", is = "%s intent", isnt = "not %s intent"),
  data.table(arg = "brand", is = "brand: %s", isnt = "brand: not %s"),
  data.table(arg = "page_group", is = "in folder %s", isnt = "not in folder %s"),
  data.table(arg = "country", is = "in country %s", isnt = "not in country %s"),
  data.table(arg = "device", is = "on %s", isnt = "not on %s"),
  data.table(arg = "vertical", is = "vertical %s", isnt = "not vertical %s"),
  data.table(arg = "rich_result", is = "rich result %s", isnt = "not rich result %s"),
  data.table(arg = "position", is = "position %s", isnt = "position not %s"),
  data.table(arg = "ctr", is = "CTR %s", isnt = "CTR not %s"),
  data.table(arg = "min_impressions", is = "at least %s impressions",
    isnt = "fewer than %s impressions"),
  data.table(arg = "min_clicks", is = "at least %s clicks", isnt = "fewer than %s clicks"))

# Alternatives of one condition stand behind each other with this between them, which nobody types.
or_mark <- "\u001f"

# In: "arg~value", or several with or_mark between. Out: list(parts, segment, said), each part a
# list(arg, value, not, segment, said); with `fault` where it is none.
read_condition <- function(text) {
  parts <- lapply(c(strsplit(text, or_mark, fixed = TRUE)[[1]], if (!nzchar(text)) ""),
    read_alternative)
  fault <- unlist(lapply(parts, `[[`, "fault"))[1]
  if (length(fault) && !is.na(fault)) return(list(parts = parts, fault = fault))
  said <- paste(vapply(parts, `[[`, "", "said"), collapse = " or ")
  segments <- lapply(parts, `[[`, "segment")
  list(parts = parts, said = said,
    segment = if (length(parts) == 1) segments[[1]] else tide_segment(said, any_of = segments))
}

read_alternative <- function(text) {
  not <- startsWith(text, "!")
  arg <- sub("~.*", "", sub("^!", "", text))
  value <- if (grepl("~", text, fixed = TRUE)) sub("^[^~]*~", "", text) else ""
  at_row <- match(arg, condition_words$arg)
  out <- list(text = text, arg = arg, value = value, not = not)
  if (is.na(at_row) || !nzchar(value)) return(c(out, list(fault = "no such condition")))
  condition_text <- sprintf(condition_words[[if (not) "isnt" else "is"]][at_row],
    shown_value(arg, value))
  out$said <- condition_text
  tryCatch(c(out, list(segment = do.call(tide_segment,
    c(list(condition_text), stats::setNames(list(condition_value(arg, value)), arg), not = not)))),
    tide_error = function(e) c(out, list(fault = e$what)))
}

# Conditions as a segment of the project holds them: each kind once as it is, all others as segments
# that it is made of.
saved_conditions <- function(conditions) {
  of_part <- function(part) {
    own <- stats::setNames(list(condition_value(part$arg, part$value)), part$arg)
    if (part$not) c(own, list(not = TRUE)) else own
  }
  alone <- vapply(conditions, function(one) length(one$parts) == 1 && !one$parts[[1]]$not, NA)
  kinds <- vapply(conditions, function(one) one$parts[[1]]$arg, "")
  plain <- alone & !duplicated(replace(kinds, !alone, NA), incomparables = NA)
  made_of <- lapply(conditions[!plain], function(one) {
    if (length(one$parts) > 1) return(list(any_of = lapply(one$parts, of_part)))
    of_part(one$parts[[1]])
  })
  c(unlist(lapply(conditions[plain], function(one) of_part(one$parts[[1]])), recursive = FALSE),
    if (length(made_of)) list(all_of = made_of))
}

shown_value <- function(arg, value) {
  if (arg == "pages") return(format_path(value))
  if (arg == "queries") return(sprintf("\"%s\"", value))
  if (segment_conditions[[arg]]$value != "range") return(value)
  ends <- if (arg == "ctr") ctr_range(value) else as_range(value)
  if (is.null(ends)) return(value)
  said <- if (arg == "ctr") format_rate(ends) else sprintf("%g", ends)
  if (is.infinite(ends[2])) sprintf("%s and more", said[1]) else paste(said, collapse = " to ")
}

# CTR is typed in percent, with the sign or without: 2:5, 2%:5%. What is no more than 1 is a share.
ctr_range <- function(value) {
  ends <- as_range(gsub("%", "", value, fixed = TRUE))
  if (is.null(ends)) return(NULL)
  percent <- grepl("%", value, fixed = TRUE) || any(ends[is.finite(ends)] > 1)
  if (percent) ends / 100 else ends
}

condition_value <- function(arg, value) {
  if (arg == "ctr") return(first_given(ctr_range(value), NA))
  kind <- segment_conditions[[arg]]$value
  switch(kind, words = trimws(strsplit(value, ",", fixed = TRUE)[[1]]), list = value,
    range = first_given(as_range(value), NA), number = suppressWarnings(as.numeric(value)),
    flag = tolower(value) %in% c("yes", "true"), value)
}
