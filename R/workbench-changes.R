# What changed between two windows, or between two segments at equal position.

# at_once: only what costs nothing, where the comparison is still to be worked out.
changes_view <- function(held, state, at_once = FALSE) {
  if (!has_days(held)) {
    return(empty_state("Windows need days.", "Open data by date, query and page."))
  }
  level <- compared_level(state)
  presets <- c(list(`last 28 days` = list(days = "28"), `3 months` = list(days = "91"),
    `28 days, a year before` = list(days = "28", before = "year")), event_presets(held))
  none <- list(from = NULL, to = NULL, before_from = NULL, before_to = NULL, before = NULL,
    days = NULL, one = NULL, other = NULL)
  sides <- side_segments(held)
  compared <- if (!at_once) compared_state(held, state, sides)
  sprintf(paste0("<h1 class='visually-hidden' tabindex='-1'>What changed</h1>",
    "<div class='tools'>%s</div><div class='tools'>%s %s %s %s</div>%s<p class='soft'>Drag over ",
    "days to choose the later window, with Shift the earlier one.</p>%s"),
    paste(vapply(names(presets), function(name) {
      link_button(name, do.call(go_to, utils::modifyList(none, presets[[name]], keep.null = TRUE)),
        "plain")
    }, ""), collapse = " "),
    window_boxes(state, compared),
    select_box("level", "By", moved_by, moved_by, level),
    select_box("one", "Segment", c("", names(sides)), c("none", names(sides)), state$one),
    select_box("other", "compared with", c("", names(sides)), c("the rest", names(sides)),
      state$other),
    day_trend(held, shown_windows(held, state, compared)),
    if (at_once) {
      part_html(list(ready = FALSE))
    } else if (inherits(compared, "condition")) {
      sprintf("<p class='empty'>%s %s</p>", escape(compared$what), escape(compared$fix))
    } else {
      change_table(held, compared, level, state)
    })
}

# The windows that a figure of days shades: list(from, to), or NULL.
shown_windows <- function(held, state, compared) {
  if (is.null(compared)) {
    asked <- compared_window_days(held, state)[c("before", "after")]
    chosen <- unname(Filter(function(days) inherits(days, "IDate"), asked))
    return(list(from = do.call(c, lapply(chosen, `[`, 1)), to = do.call(c, lapply(chosen, `[`, 2))))
  }
  if (inherits(compared, "tide_change") && is.null(compared$sides)) as.list(compared$windows)
}

moved_by <- c("query", "page", "folder", "topic", "device", "country")

# Segments that can stand side by side: those of the project, brand, devices, intents.
side_segments <- function(held) {
  devices <- tolower(first_given(levels(held$explorer$rows[["device"]]), character()))
  c(held$segments, if (length(held$rules$brand)) {
    list(brand = tide_segment("brand", brand = TRUE))
  },
    lapply(stats::setNames(devices, sprintf("on %s", devices)), function(device) {
      tide_segment(sprintf("on %s", device), device = device)
    }))
}

# The days since each of the latest events, beside as many before it.
event_presets <- function(held, most = 3, least = 14) {
  marks <- held$events$marks
  days <- held$explorer
  if (!NROW(marks)) return(NULL)
  marks <- marks[marks$date <= days$to - least + 1L & marks$date >= days$from + least]
  marks <- utils::tail(marks[order(marks$date)], most)
  stats::setNames(lapply(seq_len(nrow(marks)), function(i) {
    since <- min(as.integer(days$to - marks$date[i]) + 1L, as.integer(marks$date[i] - days$from))
    list(from = format(marks$date[i]), to = format(marks$date[i] + since - 1L))
  }), sprintf("since %s (%s)", marks$event, format_day(marks$date)))
}

# First and last days of both windows, as they are compared.
window_boxes <- function(state, compared) {
  if (!inherits(compared, "tide_change") || !is.null(compared$sides)) return("")
  windows <- compared$windows
  if (!"from" %in% names(windows)) return("")
  box <- function(set, label, value) text_box(set, label, format(value), "date", 9)
  paste(box("from", "Days from", windows$from[2]), box("to", "to", windows$to[2]),
    box("before_from", "against", windows$from[1]), box("before_to", "to", windows$to[1]))
}

compared_level <- function(state) if (state$level %in% moved_by) state$level else "query"

# list(days, after, before): as they are asked for; NULL where they are those of every comparison.
compared_window_days <- function(held, state) {
  # Whole days, of ten years at most.
  days <- max(1, round(state_number(state$days, 28, 3660)))
  after <- state_window(state$from, state$to, held$explorer$to, days)
  before <- if (state$before == "year") "year" else {
    earlier <- first_given(after, c(held$explorer$to - days + 1, held$explorer$to))
    long <- as.integer(earlier[2] - earlier[1]) + 1L
    state_window(state$before_from, state$before_to, earlier[1] - 1L, long)
  }
  list(days = days, after = after, before = before)
}

compared_mark <- function(held, state) {
  list("changes", compared_level(state), compared_window_days(held, state), state$one, state$other)
}

# Whether a comparison that a view needs is still to be worked out, which takes a second and more.
waits_for_comparison <- function(held, state) {
  state$view == "changes" && has_days(held) && !is_kept(held, compared_mark(held, state))
}

compared_state <- function(held, state, sides = side_segments(held)) {
  level <- compared_level(state)
  asked <- compared_window_days(held, state)
  segments <- unname(sides[intersect(c(state$one, state$other), names(sides))])
  kept_result(held, compared_mark(held, state),
    function() {
      tryCatch(if (length(segments)) {
        tide_compare(held$data, segments = segments, by = level, rules = held$rules,
          brand = held$rules$brand)
      } else {
        # The same rows, and so the same curve, as the program compares.
        rows <- do.call(tide_filter, c(list(held$data),
          compared_days(asked$after, asked$before, asked$days)))
        tide_compare(rows, site_days = site_days_table(held$data), by = level,
          after = asked$after, before = asked$before, days = asked$days, rules = held$rules,
          brand = held$rules$brand, events = held$events)
      },
        tide_error = identity)
    })
}

# Two days, or NULL where neither is given; one alone goes on to `last`, or so many days back.
state_window <- function(from, to, last, days) {
  from <- state_day(from)
  to <- state_day(to)
  if (is.null(from) && is.null(to)) return(NULL)
  if (is.null(to)) to <- if (from <= last) last else from + days - 1
  if (is.null(from)) from <- to - days + 1
  if (from <= to) as.IDate(c(from, to))
}

# Clicks by day with a mean of seven days; windows shaded, events marked. A dragged region becomes
# the later window, where there is a brush.
# windows: list(from, to), or NULL.
day_trend <- function(held, windows, width = 900, height = 180, brush = "days") {
  days <- held$explorer$site_days
  if (is.null(days)) return("")
  days <- days[order(days$date)]
  span <- as.numeric(range(days$date))
  x <- figure_scale(span, c(50, width - 10))
  foot <- height - 20
  y <- figure_scale(c(0, max(days$clicks) * 1.05), c(foot, 8))
  shade <- if (!length(windows$from)) "" else {
    from <- as.numeric(as.IDate(windows$from))
    to <- as.numeric(as.IDate(windows$to))
    paste(sprintf("<rect class='window' x='%s' y='8' width='%s' height='%s'></rect>", x$at(from),
      pmax(2, x$at(to) - x$at(from)), foot - 8), collapse = "")
  }
  odd <- days_not_usual(held)
  marks <- paste0(day_marks(held$events$marks, x, span, "event", held$events$marks$event, foot),
    day_marks(odd, x, span, "event unusual", odd$likely, foot))
  begun <- month_starts(as.Date(days$date), width / 75)
  ticks <- pretty(y$domain, if (height < 100) 2 else 3)
  figure_svg(x, y, paste0(shade, svg_path(x$at(as.numeric(days$date)), y$at(days$clicks), "thin"),
    svg_path(x$at(as.numeric(days$date)), y$at(weekly_mean(days$date, days$clicks)), "line"),
    marks),
    as.numeric(begun), ticks, format(begun, "%Y-%m"), format_count(ticks), "clicks by day",
    brush = brush, width = width, height = height)
}

# The months that begin within days in order; of many every so manyth.
month_starts <- function(days, most) {
  starts <- seq(as.Date(cut(days[1], "month")), max(days), by = "month")
  starts <- starts[starts >= days[1]]
  each <- max(1, ceiling(length(starts) / most))
  starts[seq_along(starts) %% each == 1 %% each]
}

# Days that the site was not as usual: an outage, bots, a surge.
days_not_usual <- function(held) {
  kept_result(held, "unusual", function() {
    tryCatch(setnames(copy(site_unusual_runs(held$data)), "from", "date"),
      tide_error = function(e) NULL)
  })
}

# days: with `date`; said: of each, in words.
day_marks <- function(days, x, span, look, said, foot) {
  use <- which(days$date >= span[1] & days$date <= span[2])
  if (!length(use)) return("")
  at <- x$at(as.numeric(days$date[use]))
  paste(sprintf(paste0("<g class='%s'><title>%s</title>",
    "<line x1='%s' x2='%s' y1='8' y2='%s'></line></g>"), look,
    escape(sprintf("%s: %s", format_day(days$date[use]), said[use])), at, at, foot), collapse = "")
}
