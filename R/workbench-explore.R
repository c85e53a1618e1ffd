# Explore: a table by anything under any stack of conditions. What is shown is a sentence whose
# parts can be changed, turned round and taken out; what it leaves out is always on the page.

explored_each <- 50L

# What rows can stand for, in words.
explore_words <- c(query = "queries", page = "pages", pair = "pairs of query and page",
  folder = "folders", topic = "topics", country = "countries", device = "devices",
  vertical = "verticals", rich_result = "rich results", day = "days", week = "weeks",
  month = "months")

explore_view <- function(held, state) {
  if (is.null(held$explorer)) {
    return(empty_state("There are no rows to explore.",
      "Open a project, or files, with a table by query (best by date, query and page)."))
  }
  kind <- explored_by(state)
  conditions <- lapply(state$c, read_condition)
  view <- explored(held, state)
  fault <- inherits(view, "condition")
  sprintf(paste0("<h1 class='visually-hidden' tabindex='-1'>Explore %s</h1>%s%s",
    "<div class='tools'>%s</div>%s"),
    explore_words[[kind]], trail_steps(state), view_sentence(held, state, kind, conditions),
    saved_box(held, state, conditions),
    if (fault) {
      sprintf("<p class='empty'>%s %s</p>", escape(view$what), escape(view$fix))
    } else {
      view_table(held, state, view)
    })
}

# The table of a state; an error is handed back, since it is shown where the table would be.
explored <- function(held, state) {
  segments <- Filter(Negate(is.null), lapply(lapply(state$c, read_condition), `[[`, "segment"))
  if (nzchar(state$segment) && state$segment %in% names(held$segments)) {
    segments <- c(segments, held$segments[state$segment])
  }
  sort_by <- if (state$sort %in% setdiff(explored_figures, "missed")) state$sort
  view <- tryCatch(tide_explore(held$explorer, explored_by(state), segments,
    state_day(state$from), state_day(state$to), sort_by), tide_error = identity)
  if (inherits(view, "condition")) return(view)
  set(view$rows, j = "missed",
    value = missed_clicks(view$rows$clicks, view$rows$expected_ctr * view$rows$impressions))
  if (state$sort == "missed") setorderv(view$rows, "missed", -1L)
  view
}

explored_figures <- c("clicks", "impressions", "ctr", "expected_ctr", "missed", "lost", "position",
  "share", "queries", "pages")

# Those that the table shows; unless somebody chose, all.
shown_figures <- function(state) {
  chosen <- intersect(state_parts(state$cols), explored_figures)
  if (length(chosen)) chosen else explored_figures
}

# All figures as buttons, those that are shown pressed.
columns_box <- function(state, rows) {
  known <- intersect(explored_figures, names(rows))
  on <- intersect(shown_figures(state), known)
  sprintf("<details class='choice'%s><summary>Columns</summary>%s</details>",
    if (nzchar(state$cols)) " open" else "",
    paste(vapply(known, function(name) {
      left <- if (name %in% on) setdiff(on, name) else known[known %in% c(on, name)]
      link_button(column_words(name, "label"), go_to(cols = if (length(left)) {
        paste(left, collapse = "|")
      }), "facet", name %in% on)
    }, ""), collapse = ""))
}

explored_by <- function(state) if (state$by %in% explore_kinds) state$by else "query"

# The way walked: each step can be gone back to, or cut.
trail_steps <- function(state) {
  if (!length(state$trail)) return("")
  label_texts <- ifelse(nzchar(state$trail), state$trail, "step")
  items <- sprintf(paste0("<li><button type='button' class='plain' data-back='%d'>%s</button>",
    "<button type='button' class='cut' data-cut='%d' aria-label='cut %s'>&#215;</button></li>"),
    seq_along(label_texts) - 1L, escape(substr(label_texts, 1, 60)), seq_along(label_texts) - 1L,
    escape_attribute(substr(label_texts, 1, 60)))
  sprintf("<nav aria-label='way walked'><ol class='trail'>%s</ol></nav>",
    paste(items, collapse = ""))
}

# "Queries on phones, position 4 to 20, since 1 Aug 2026", part by part.
view_sentence <- function(held, state, by, conditions) {
  kinds <- Filter(function(kind) offers_kind(held$explorer, kind), explore_kinds)
  parts <- vapply(seq_along(conditions), function(i) condition_chip(conditions[[i]], i - 1L), "")
  sprintf("<div class='sentence'>%s%s%s%s</div>",
    select_box("by", "Show", kinds, explore_words[kinds], by), paste(parts, collapse = ""),
    days_chip(held, state), paste0(add_condition(held, length(parts) > 0), if (length(parts) > 1) {
      link_button("clear all", go_to(c = NULL, page = NULL))
    }))
}

offers_kind <- function(explorer, kind) {
  needs <- line_kinds[[kind]]
  all(needs %in% explorer$dimensions)
}

# A condition with its alternatives, each of which can be changed, inverted and taken out by itself.
condition_chip <- function(condition, i) {
  chips <- vapply(seq_along(condition$parts), function(k) {
    alternative_chip(condition$parts[[k]], sprintf("%d.%d", i, k - 1L))
  }, "")
  if (length(chips) == 1) return(chips)
  sprintf("<span class='either'>%s</span>", paste(chips, collapse = " or "))
}

# at: which condition of the address, and which of its alternatives, from 0.
alternative_chip <- function(part, at) {
  chip_text <- first_given(part$said, part$text)
  sprintf(paste0("<span class='chip%s'><button type='button' data-edit='%s' data-value='%s' ",
    "aria-label='change: %s'>%s</button><button type='button' data-invert='%s' ",
    "aria-label='invert: %s' title='invert'>&#8644;</button><button type='button' ",
    "data-remove='%s' aria-label='take out: %s' title='take out'>&#215;</button>%s</span>"),
    if (is.null(part$fault)) "" else " fault", at, escape_attribute(part$value),
    escape_attribute(chip_text), escape(chip_text), at, escape_attribute(chip_text), at,
    escape_attribute(chip_text),
    if (is.null(part$fault)) "" else sprintf(" %s", escape(part$fault)))
}

days_chip <- function(held, state) {
  if (!"date" %in% held$explorer$dimensions) return("")
  day <- function(set, label, value, default) {
    sprintf(paste0("<label>%s <input type='date' data-set='%s' id='set-%s' value='%s' min='%s' ",
      "max='%s'></label>"),
      label, set, set, escape_attribute(if (nzchar(value)) value else format(default)),
      format(held$explorer$from), format(held$explorer$to))
  }
  paste0(day("from", "from", state$from, held$explorer$from),
    day("to", "to", state$to, held$explorer$to))
}

add_condition <- function(held, more) {
  offered <- condition_words[vapply(condition_words$arg, function(arg) {
    on <- segment_conditions[[arg]]$on
    on %in% c("pair", "query") || on %in% held$explorer$dimensions
  }, NA)]
  condition_names <- trimws(gsub("%s|\"|:", "", offered$is))
  condition_names[offered$arg == "words"] <- "length in words"
  condition_names[offered$arg == "device"] <- "device"
  condition_names[offered$arg %in% c("min_impressions", "min_clicks")] <-
    c("at least so many impressions", "at least so many clicks")
  # What is added narrows further, or is another way to meet the last condition.
  sprintf(paste0("<span class='add'>%s<label><span class='visually-hidden'>condition</span>",
    "<select id='add-arg'>%s</select></label>",
    "<label class='visually-hidden' for='add-value'>value</label>",
    "<input id='add-value' type='text' placeholder='4:20, CTR 2%%:5%%' style='width:11em'>",
    "<button type='button' data-add='1'>add</button></span>"),
    if (more) {
      paste0("<select id='add-how' aria-label='and, or'><option value='and'>and</option>",
        "<option value='or'>or</option></select> ")
    } else {
      "where "
    },
    paste(sprintf("<option value='%s'>%s</option>", offered$arg, escape(condition_names)),
      collapse = ""))
}

# Saved under a name as a segment of the project; those that are there can be put on.
saved_box <- function(held, state, conditions) {
  own <- names(held$segments)
  paste0(if (length(own)) {
    select_box("segment", "Segment", c("", own), c("none", own), state$segment)
  } else {
    ""
  },
    if (!held$read_only && !is.null(held$folder) && length(conditions)) {
      paste0("<label>Save as segment <input id='segment-name' type='text' maxlength='60' ",
        "style='width:9em'></label><button type='button' data-save='1'>save</button>")
    } else {
      ""
    })
}

view_table <- function(held, state, view) {
  at <- page_buttons(state, nrow(view$rows), explored_each)
  rows <- view$rows[at$rows]
  kind <- view$by
  columns <- shown_columns(rows, c(kind, shown_figures(state)),
    text = stats::setNames(list(explored_names(rows, kind)), kind))
  heads <- sort_heads(columns, kind, stats::setNames(nm = explored_figures),
    if (state$sort %in% names(rows)) state$sort else if (!kind %in% times) "clicks" else "")
  paste0(view_total(view), columns_box(state, rows), explored_chart(held, state, view),
    html_table(columns, look = "data", heads = heads, wide = kind), at$html)
}

# Clicks of what is shown over time: by the days, weeks or months of the table, else by week.
# Without days the ten largest rows.
explored_chart <- function(held, state, view) {
  if (!nrow(view$rows)) return("")
  if (!"date" %in% held$explorer$dimensions) return(largest_bars(view))
  each <- if (view$by %in% times) view$by else "week"
  course <- if (each == view$by) view else {
    kept_result(held, list("course", state[c("c", "segment", "from", "to")]), function() {
      explored(held, replace(state, c("by", "sort"), list("week", "")))
    })
  }
  if (inherits(course, "condition") || nrow(course$rows) < 3) return(largest_bars(view))
  starts <- course$rows[[each]]
  starts <- as.Date(if (each == "month") paste0(starts, "-01") else as.character(starts))
  clicks <- course$rows$clicks[order(starts)]
  starts <- sort(starts)
  x <- figure_scale(as.numeric(range(starts)), c(50, 890))
  y <- figure_scale(c(0, max(clicks, 1) * 1.05), c(66, 8))
  begun <- month_starts(starts, 12)
  ticks <- pretty(y$domain, 2)
  title <- paste("clicks by", each)
  figure_svg(x, y, paste0(svg_path(x$at(as.numeric(starts)), y$at(clicks), "line"),
    sprintf("<text x='890' y='10' text-anchor='end'>%s</text>", title)), as.numeric(begun), ticks,
    format(begun, "%Y-%m"), format_count(ticks), title, height = 88)
}

largest_bars <- function(view, most = 10L) {
  rows <- utils::head(view$rows[order(-view$rows$clicks)], most)
  names_shown <- if (view$by == "pair") rows$query else rows[[view$by]]
  width <- round(420 * rows$clicks / max(rows$clicks, 1), 1)
  at <- 15 * seq_len(nrow(rows))
  sprintf(paste0("<svg class='figure' viewBox='0 0 900 %d' role='img' ",
    "aria-label='clicks of the largest %d'>%s</svg>"),
    15L * nrow(rows) + 8L, nrow(rows), paste(sprintf(paste0(
      "<text x='300' y='%s' text-anchor='end'>%s</text>",
      "<rect class='first' x='308' y='%s' width='%s' height='10'></rect>",
      "<text x='%s' y='%s'>%s</text>"), at, escape(trimws(fit_text(format_path(names_shown), 42))),
      at - 9, width, 314 + width, at, format_count(rows$clicks)), collapse = ""))
}

explored_names <- function(rows, by) {
  if (by != "pair") return(leading_names(by, rows[[by]]))
  as_html(sprintf("%s <span class='soft'>%s</span>", escape(rows$query),
    escape(format_path(rows$page))))
}

view_total <- function(view) {
  total <- view$total
  out <- outside_words(view$outside)
  sprintf("<p class='total'><b>%s</b>: %s, %s, CTR %s (expected %s), position %s. %s%s</p>",
    format_plural(total$rows, "row"), format_plural(total$clicks, "click"),
    format_plural(total$impressions, "impression"), format_rate(total$ctr),
    format_rate(total$expected_ctr), format_position(total$position),
    if (length(out)) sprintf("%s. ", sub("^not", "Not", out)) else "All rows are shown. ",
    if (!is.null(view$queries_known)) {
      sub("^p(.*)$", "P\\1.", private_words(view$queries_known))
    } else if (is.na(view$coverage)) {
      ""
    } else {
      sprintf("Queries explain %s of all clicks of these days; the rest is private.",
        format_share(view$coverage))
    })
}
