# One task: its reason, its course, its cells on the curve, its arithmetic, what pages say.

line_view <- function(held, state) {
  found <- held$findings$findings
  at_row <- match(state$id, found$id)
  if (is.na(at_row)) {
    return(empty_state("This finding is not in the list.",
      "The data have changed since, or the address is of another project: see the list."))
  }
  one_line <- in_sentences(held$findings, found[at_row])
  traced <- tide_trace(held$findings, state$id)
  made <- tasks_decided(held)
  task <- match(one_line$task, held$tasks$task)
  id <- held$tasks$id[task]
  sprintf(paste0("<article class='line' data-id='%s'><header>%s<p class='soft'>%s</p>",
    "<h1 tabindex='-1'>%s</h1><p><b>%s</b></p></header>%s<p>%s</p><p><b>%s</b></p>%s%s",
    "<div class='columns'><section><h2>By week</h2>%s</section>",
    "<section><h2>On the curve</h2>%s</section></div>%s<p class='ways'>%s</p>",
    "<details open><summary>Arithmetic</summary><ol>%s</ol></details></article>%s"),
    id, line_neighbours(held, state, id), line_place(one_line, made$decision[task],
      made$note[task]), escape(held$tasks$todo[task]), escape(one_line$query),
    paste0(line_figures(one_line, held$tasks[task], found, per_month(held$findings$summary)),
      estimate_fields(held, id)),
    escape(one_line$reason), escape(one_line$action), line_along(found, one_line),
    paste0(line_contest(held, one_line), line_outcomes(held, one_line),
      line_page(held, one_line)),
    line_courses(held, one_line), cells_figure(held, traced$cells),
    line_words(held, one_line), line_links(one_line),
    paste(sprintf("<li>%s</li>", escape(traced$steps)), collapse = ""), decide_bar(held))
}

line_place <- function(line, decision, note) {
  sprintf("<span class='kind %s'>%s</span>%s", line$kind, escape(kind_label(line$kind)),
    if (!nzchar(decision)) "" else {
      sprintf(", decided: %s%s", escape(decision), if (nzchar(note)) {
        sprintf(" (%s)", escape(note))
      } else {
        ""
      })
    })
}

line_links <- function(line) {
  pages <- strsplit(line$pages, " ", fixed = TRUE)[[1]]
  paste(c(link_button("its pages", step_to("page", "queries", line$query)),
    vapply(pages[nzchar(pages)], function(page) {
      link_button(sprintf("queries of %s", format_path(page)), step_to("query", "pages", page))
    }, "")),
    collapse = " ")
}

# A step of the walk: a table by something, narrowed by one name.
step_to <- function(by, arg, value) {
  sprintf("data-step=\"%s\"", escape_attribute(state_json(list(by = by, arg = arg, value = value))))
}

# The query's figures, then those of the task: what its queries bring together, so that if done x
# confidence x chance is the gain.
line_figures <- function(line, task, found, month) {
  worth <- intersect(c("if_done_conversions", "if_done_value"), names(line))
  leading <- match(task$id, found$id)
  sums <- task_lines(found, found[leading], month)
  figures_list(c(Clicks = format_count(line$clicks), Impressions = format_count(line$impressions),
    CTR = format_rate(line$ctr), `Expected CTR` = format_rate(line$expected_ctr),
    Position = format_position(line$position),
    `If done` = sprintf("%s a month (%s)%s", format_gain(sums$done),
      gain_range(sums$done_low, sums$done_high), if (task$lines > 1) {
        sprintf(" with %s", format_plural(task$lines, "query", "queries"))
      } else {
        ""
      }),
    Confidence = format_sure(min(1, sums$confidence)), Chance = format_share(sums$chance),
    Gain = sprintf("%s a month", format_gain(task$gain)), Hours = format(task$hours),
    vapply(worth, function(name) format_count(line[[name]]), "") |>
      stats::setNames(sub("if_done_", "if done: ", worth))))
}

# Other lines that the same step serves.
line_along <- function(found, line) {
  others <- found[found$task == line$task & found$id != line$id]
  if (!nrow(others)) return("")
  shown <- utils::head(others, 12)
  sprintf("<p>Also served by this step: %s%s.</p>",
    paste(sprintf("<button type='button' class='plain' %s>%s</button>",
      go_each("line", "id", shown$id), escape(shown$query)), collapse = ", "),
    if (nrow(others) > 12) sprintf(" and %d more", nrow(others) - 12L) else "")
}

line_courses <- function(held, line) {
  if (is.null(held$explorer) || !"date" %in% held$explorer$dimensions) {
    return("<p class='soft'>The data have no days.</p>")
  }
  weeks <- tryCatch(tide_explore(held$explorer, "week", line_segments(line))$rows,
    tide_error = function(e) NULL)
  if (is.null(weeks) || nrow(weeks) < 2) return("<p class='soft'>Too few weeks.</p>")
  weeks <- weeks[order(weeks$week)]
  begins <- as.IDate(seq(as.Date(weeks$week[1]), as.Date(weeks$week[nrow(weeks)]), by = 7))
  at <- match(format(begins), weeks$week)
  column_at <- function(column) weeks[[column]][at]
  last <- nrow(weeks)
  course <- function(title, now, ...) {
    sprintf("<figure><figcaption>%s <b>%s</b></figcaption>%s</figure>", title, now,
      course_figure(held, begins, ...))
  }
  paste0(course("clicks", format_count(weeks$clicks[last]),
    list(line = fcoalesce(column_at("clicks"), 0)), "clicks by week"),
    course("position", format_position(weeks$position[last]), list(line = column_at("position")),
      "position by week", write = format, places = TRUE),
    course("CTR (grey: expected)", format_rate(weeks$ctr[last]),
      list(pale = column_at("expected_ctr"), line = column_at("ctr")),
      "CTR by week, and expected", write = format_rate),
    sprintf("<p class='soft'>%s, from %s; shaded: the days of the list%s</p>",
      format_plural(length(begins), "week"), format_day(begins[1]),
      if (NROW(held$events$marks)) "; dashed: events" else ""))
}

line_segments <- function(line) {
  pages <- strsplit(line$pages, " ", fixed = TRUE)[[1]]
  c(list(tide_segment("query", queries = line$query)),
    if (any(nzchar(pages))) list(tide_segment("pages", pages = pages)))
}

# Where the impressions of the pair stood, and the curve there.
cells_figure <- function(held, cells) {
  cells <- cells[cells$impressions > 0]
  if (!nrow(cells)) return("")
  last <- min(100, max(12, cells$position) * 1.1)
  x <- figure_scale(c(1, last), c(46, 690), log = TRUE)
  one_line <- curve_at(held$findings$curve, seq(1, last, length.out = 80),
    setdiff(names(held$findings$curve$fits), "brand")[1])
  rate <- cells$clicks / cells$impressions
  y <- figure_scale(c(0, max(one_line$ctr, rate[cells$impressions >= 5], 0.02, na.rm = TRUE)),
    c(250, 12))
  size <- round(2 + 8 * sqrt(cells$impressions / max(cells$impressions)), 1)
  points <- sprintf("<circle class='point' cx='%s' cy='%s' r='%s'><title>%s</title></circle>",
    x$at(cells$position), y$at(rate), size, escape(sprintf(
      "position %s: %s of %s, expected %.1f", format_position(cells$position),
      format_plural(cells$clicks, "click"), format_plural(cells$impressions, "impression"),
      cells$expected)))
  ticks <- pretty(y$domain, 4)
  figure_svg(x, y, paste0(svg_path(x$at(one_line$position), y$at(one_line$ctr), "line"),
    paste(points, collapse = ""),
    "<text x='690' y='278' text-anchor='end'>position</text><text x='50' y='10'>CTR</text>"),
    position_ticks, ticks, format(position_ticks),
    format_rate(ticks), "CTR by position: the line is expected, dots are this line's cells",
    width = 700, height = 280)
}

# What the pages say of the query, and which could link: where pages were read.
line_words <- function(held, line) {
  if (is.null(held$pages)) return("")
  words <- kept_result(held, "words", function() {
    setDT(as.data.frame(tide_page_words(held$findings$summary, held$pages)))
  })
  own <- words[words$query == line$query]
  if (!nrow(own)) return("")
  tbl <- html_table(shown_columns(own, c("page", "in_title", "in_heading", "in_first", "in_text",
    "in_description", "in_links", "in_address", "missing")), look = "data narrow")
  paste0("<section><h2>Is the query said on its pages?</h2>", tbl, "</section>",
    line_linking(held, line))
}

line_linking <- function(held, line, most = 6) {
  links <- tryCatch(setDT(as.data.frame(tide_page_links(held$findings$summary, held$pages,
    line$page))),
    tide_error = function(e) NULL)
  if (!NROW(links)) return("")
  shown <- utils::head(links, most)
  sprintf("<section><h2>Pages that could link here</h2>%s</section>",
    html_table(shown_columns(shown, c("page", "query", "sentence", "clicks")), look = "data",
      wide = "sentence"))
}
