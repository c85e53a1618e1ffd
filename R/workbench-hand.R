# What is on the screen as files: list(content, type, name).

hand_file <- function(held, state, format) {
  name <- sprintf("ink-tide-%s.%s", state$view, format)
  file <- tempfile(fileext = paste0(".", format))
  on.exit(unlink(file))
  switch(format, png = save_figure(hand_figure(held, state), file, 10, 6),
    html = tide_report(hand_findings(held, state), file, title = held$title),
    md = tide_write(hand_findings(held, state), file), xlsx = if (state$view == "list") {
      tide_write(hand_findings(held, state), file)
    } else {
      write_whole(file, function(path) openxlsx::write.xlsx(hand_rows(held, state), path))
    },
    tide_write(hand_rows(held, state), file))
  types <- c(png = "image/png", html = "text/html; charset=utf-8", md = "text/markdown",
    xlsx = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    csv = "text/csv; charset=utf-8")
  list(content = readBin(file, "raw", file.size(file)), type = types[[format]], name = name)
}

hand_formats <- c("csv", "xlsx", "png", "html", "md")

# The findings of the tasks that the list shows.
hand_findings <- function(held, state) {
  findings <- held$findings
  keep_lines(findings, findings$findings$task %in% chosen_tasks(held, state)$tasks$task)
}

hand_rows <- function(held, state) {
  switch(state$view, list = , map = in_sentences(hand_findings(held, state)),
    line = tide_trace(held$findings, state$id)$cells,
    curve = setDT(as.data.frame(tidy(held$findings$curve))),
    changes = setDT(as.data.frame(tidy(compared_state(held, state)))),
    contests = {
      found <- in_sentences(held$findings)
      found[kind_is(found$kind, "contest")]
    },
    explored(held, state)$rows)
}

hand_figure <- function(held, state) {
  switch(state$view, map = ggplot2::autoplot(hand_findings(held, state)),
    contests = ggplot2::autoplot(held$findings, what = "contests"),
    changes = ggplot2::autoplot(compared_state(held, state)),
    ggplot2::autoplot(held$findings$curve))
}
