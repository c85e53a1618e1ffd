# The list: tasks by score, facets with counts, the running sum of what is chosen.

facet_names <- c(kind = "Kind", folder = "Folder", intent = "Intent", brand = "Brand",
  band = "Position", size = "Clicks if done", decided = "Decided")

tasks_each <- 100L

# The tasks that a state shows, and the counts of each facet (under all the others).
chosen_tasks <- function(held, state) {
  tasks <- copy(held$tasks)
  made <- tasks_decided(held)
  set(tasks, j = c("decision", "note", "away"), value = made)
  set(tasks, j = "decided", value = ifelse(nzchar(made$decision), made$decision, "open"))
  hits <- lapply(stats::setNames(nm = names(facet_names)), function(facet) {
    wanted <- state[[facet]]
    if (facet == "decided") {
      if (wanted == "all") return(rep(TRUE, nrow(tasks)))
      if (!nzchar(wanted)) return(!tasks$away)
    }
    if (!nzchar(wanted)) rep(TRUE, nrow(tasks)) else tasks[[facet]] %in% wanted
  })
  found <- if (nzchar(state$q)) grepl(tolower(state$q), tasks$text, fixed = TRUE) else TRUE
  counts <- lapply(stats::setNames(nm = names(facet_names)), function(facet) {
    others <- Reduce(`&`, hits[names(hits) != facet], found)
    own <- table(tasks[[facet]][which(rep_len(others, nrow(tasks)))])
    if (facet == "kind") own <- own[intersect(names(finding_kinds()), names(own))]
    if (facet == "band") own <- own[intersect(band_names(held$rules$bands), names(own))]
    if (facet == "size") own <- own[intersect(size_names, names(own))]
    if (facet %in% c("folder", "intent")) own <- sort(own, decreasing = TRUE)
    own
  })
  sort_by <- if (state$sort %in% intersect(c("score", "gain", "if_done", "chance", "hours",
    "position",
    "clicks", "value"), names(tasks))) state$sort else "score"
  rows <- which(Reduce(`&`, hits, found))
  direction <- if (sort_by %in% c("position", "hours")) 1 else -1
  rows <- rows[order(direction * tasks[[sort_by]][rows], tasks$rank[rows])]
  list(tasks = tasks[rows], counts = counts, sort = sort_by)
}

list_view <- function(held, state) {
  if (!nrow(held$tasks)) {
    return(empty_state("The list is empty.",
      "Nothing to fix was found in these data. More days, or more queries, tell more."))
  }
  chosen <- chosen_tasks(held, state)
  tasks <- chosen$tasks
  hours <- state_number(state$hours, 8)
  fits <- tasks$task %in% tasks_within(tasks, hours)
  at <- page_buttons(state, nrow(tasks), tasks_each)
  sprintf(paste0("<h1 class='visually-hidden' tabindex='-1'>List of tasks</h1>",
    "<div class='with-sidebar'><aside aria-label='choose'><details class='facets' open>",
    "<summary>Choose</summary><div>%s</div></details></aside><section>",
    "<div class='tools'>%s %s <span class='soft'>%s</span></div>%s%s%s</section></div>"),
    facet_boxes(chosen$counts, state),
    text_box("q", "Search", state$q, "search", 16),
    text_box("hours", "What fits in hours", format(hours), "number", 5),
    list_sums(tasks, fits, hours), task_table(tasks[at$rows], fits[at$rows], chosen$sort, held),
    at$html, decide_bar(held))
}

list_sums <- function(tasks, fits, hours) {
  sprintf("%s, +%s clicks a month in %s; in %s: %s, +%s clicks",
    format_plural(nrow(tasks), "task"), format_clicks(sum(tasks$gain)),
    format_hours(sum(tasks$hours)), format_hours(hours), format_plural(sum(fits), "task"),
    format_clicks(sum(tasks$gain[fits])))
}

facet_boxes <- function(counts, state, most = 8) {
  paste(unlist(lapply(names(facet_names), function(facet) {
    own <- counts[[facet]]
    wanted <- state[[facet]]
    if (length(own) < 2 && !nzchar(wanted) && facet != "decided") return(NULL)
    hidden <- max(0, length(own) - most)
    own <- own[seq_len(min(length(own), most))]
    if (nzchar(wanted) && !wanted %in% c(names(own), "all")) {
      own <- c(own, stats::setNames(0L, wanted))
    }
    label <- if (facet == "kind") kind_label(names(own)) else names(own)
    buttons <- vapply(seq_along(own), function(i) {
      on <- names(own)[i] == wanted
      go <- do.call(go_to, c(list(page = NULL), stats::setNames(list(if (on) NULL else
        names(own)[i]), facet)))
      facet_button(label[i], own[[i]], go, on)
    }, "")
    if (facet == "decided") {
      shows_all <- wanted == "all"
      buttons <- c(buttons, facet_button("all", NULL, do.call(go_to, list(page = NULL,
        decided = if (shows_all) NULL else "all")), shows_all))
    }
    sprintf("<fieldset><legend>%s</legend>%s%s</fieldset>", facet_names[[facet]],
      paste(buttons, collapse = ""),
      if (hidden) sprintf("<p class='soft'>and %d more: search for them</p>", hidden) else "")
  })), collapse = "")
}

facet_button <- function(label, count, go, on) {
  sprintf("<button type='button' class='facet' %s aria-pressed='%s'>%s%s</button>", go, tolower(on),
    escape(label), if (is.null(count)) "" else sprintf(" <span>%s</span>", format_count(count)))
}

task_table <- function(tasks, fits, sort, held) {
  if (!nrow(tasks)) {
    return("<p class='empty'>No task is left. Take a filter away, or search for less.</p>")
  }
  decided <- ifelse(tasks$decided == "open", "", sprintf("%s%s", escape(tasks$decided),
    ifelse(nzchar(tasks$note), sprintf(" <span class='soft'>%s</span>", escape(tasks$note)), "")))
  columns <- c(list(` ` = pick_boxes(tasks$id, tasks$query)),
    shown_columns(tasks, c("rank", "kind", "task", "position", "gain", "if_done", "chance",
      "confidence", "hours", "value", "decision"),
      text = list(kind = as_html(sprintf("<span class='kind %s'>%s</span>", tasks$kind,
        escape(kind_label(tasks$kind)))),
        task = as_html(sprintf(paste0("<button type='button' class='row' %s>%s</button> ",
          "<span class='soft'>%s%s</span>"), go_each("line", "id", tasks$id), escape(tasks$todo),
          escape(tasks$query),
          ifelse(tasks$lines > 1, sprintf(" and %d more", tasks$lines - 1L), ""))),
        decision = as_html(decided))))
  sorts <- c("position", "gain", "if_done", "chance", "hours", "value")
  heads <- sort_heads(columns, "task", c(stats::setNames(nm = sorts), rank = "score"), sort)
  html_table(columns, sprintf("class='%s%s' data-id='%s' data-gain='%.4f' data-hours='%g'",
    ifelse(fits, "fits", ""), ifelse(tasks$away, " away", ""), tasks$id, tasks$gain, tasks$hours),
    look = "data", heads = heads, wide = "task")
}

# What is chosen, and what to decide about it. The sums are the page's own.
decide_bar <- function(held) {
  keys <- c(fix = "f", later = "l", harmless = "h", done = "d")
  sprintf(paste0("<div class='decide' role='group' aria-label='decide'>",
    "<output id='picked'>nothing chosen</output>%s</div>"),
    if (held$read_only) {
      "<span class='soft'>read only: decisions are not stored</span>"
    } else {
      paste0("<label>Note <input id='note' type='text' maxlength='300' style='width:14em'></label>",
        paste(sprintf("<button type='button' data-decide='%s'>%s <kbd>%s</kbd></button>",
          names(keys), names(keys), keys), collapse = ""),
        "<button type='button' data-undo='1'>undo <kbd>u</kbd></button>")
    })
}
