# The list: tasks by score, facets with counts, the running sum of what is chosen.

facet_names <- c(kind = "Kind", folder = "Folder", intent = "Intent", brand = "Brand",
  band = "Position", size = "Clicks if done", decided = "Decided")

tasks_each <- 50L

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
    if (!nzchar(wanted)) rep(TRUE, nrow(tasks)) else tasks[[facet]] %in% state_parts(wanted)
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
  known <- intersect(c(names(task_orders), "chance", "position", "clicks"), names(tasks))
  sort_by <- if (state$sort %in% known) state$sort else "score"
  rows <- which(Reduce(`&`, hits, found))
  direction <- if (sort_by %in% c("position", "hours")) 1 else -1
  rows <- rows[order(direction * tasks[[sort_by]][rows], tasks$rank[rows])]
  # The tail is folded until somebody asks for it, or for something in particular.
  asked <- nzchar(state$small) || any(nzchar(unlist(state[c("q", names(facet_names))])))
  folded <- if (asked || all(tasks$small[rows])) integer() else rows[tasks$small[rows]]
  list(tasks = tasks[setdiff(rows, folded)], counts = counts, sort = sort_by,
    tail = tasks[folded])
}

# What tasks can be put in order by, and its name.
task_orders <- c(score = "gain per hour", gain = "gain", value = "value", if_done = "if done",
  confidence = "confidence", hours = "hours, the fewest first")

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
  orders <- task_orders[names(task_orders) %in% names(tasks)]
  sprintf(paste0("<h1 class='visually-hidden' tabindex='-1'>List of tasks</h1>%s",
    "<div class='with-sidebar'><aside aria-label='choose'><details class='facets' open>",
    "<summary>Choose</summary><div>%s</div></details></aside><section>",
    "<div class='tools'>%s %s %s %s</div>%s%s%s%s</section></div>"),
    list_opening(held, chosen, fits, hours), facet_boxes(chosen$counts, state),
    text_box("q", "Search", state$q, "search", 16),
    select_box("sort", "Order", names(orders), orders, chosen$sort),
    text_box("hours", "What fits in hours", format(hours), "number", 5),
    if (held$read_only) "" else "<button type='button' data-fitting='1'>choose these</button>",
    task_table(tasks[at$rows], fits[at$rows], chosen$sort, held), at$html,
    folded_tail(chosen$tail), decide_bar(held))
}

# What happened, how much can be had and of which days, beside clicks by day.
list_opening <- function(held, chosen, fits, hours) {
  said <- kept_result(held, "opening", function() workbench_opening(held))
  sprintf("<div class='opening'><p>%s%s</p>%s</div>",
    if (length(said)) {
      paste(escape(said[1]), link_button("why", go_to(view = "changes", fresh = TRUE)), "")
    } else {
      ""
    },
    list_sums(held, chosen, fits, hours),
    day_trend(held, NULL, width = 400, height = 58, brush = ""))
}

list_sums <- function(held, chosen, fits, hours) {
  whole <- rbind(chosen$tasks, chosen$tail)
  sprintf(paste("<b>%s: +%s clicks a month</b> in %s, from the data of %s.",
    "In %s: %s, +%s clicks."),
    format_plural(nrow(whole), "task"), format_clicks(sum(whole$gain)),
    format_hours(sum(whole$hours)), list_window(held$findings$summary), format_hours(hours),
    format_plural(sum(fits), "task"), format_clicks(sum(chosen$tasks$gain[fits])))
}

folded_tail <- function(small) {
  if (!nrow(small)) return("")
  sprintf("<p>%s</p>", link_button(sprintf("%s, +%s clicks a month in %s",
    format_plural(nrow(small), "small task"), format_clicks(sum(small$gain)),
    format_hours(sum(small$hours))), go_to(small = "shown")))
}

facet_boxes <- function(counts, state, most = 8) {
  paste(unlist(lapply(names(facet_names), function(facet) {
    own <- counts[[facet]]
    wanted <- if (facet == "decided") state[[facet]] else state_parts(state[[facet]])
    if (length(own) < 2 && !any(nzchar(wanted)) && facet != "decided") return(NULL)
    hidden <- max(0, length(own) - most)
    own <- own[seq_len(min(length(own), most))]
    gone <- setdiff(wanted[nzchar(wanted)], c(names(own), "all"))
    own <- c(own, stats::setNames(integer(length(gone)), gone))
    label <- if (facet == "kind") kind_label(names(own)) else names(own)
    buttons <- vapply(seq_along(own), function(i) {
      on <- names(own)[i] %in% wanted
      # Of most facets several can be chosen at once.
      then <- if (facet != "decided") {
        toggled_part(state[[facet]], names(own)[i])
      } else if (!on) {
        names(own)[i]
      }
      go <- do.call(go_to, c(list(page = NULL), stats::setNames(list(then), facet)))
      facet_button(label[i], own[[i]], go, on, if (facet == "kind") names(own)[i])
    }, "")
    if (facet == "decided") {
      shows_all <- identical(wanted, "all")
      buttons <- c(buttons, facet_button("all", NULL, do.call(go_to, list(page = NULL,
        decided = if (shows_all) NULL else "all")), shows_all))
    }
    sprintf("<fieldset><legend>%s</legend>%s%s</fieldset>", facet_names[[facet]],
      paste(buttons, collapse = ""),
      if (hidden) sprintf("<p class='soft'>and %d more: search for them</p>", hidden) else "")
  })), collapse = "")
}

# kind: whose sign stands before the label.
facet_button <- function(label, count, go, on, kind = NULL) {
  sprintf("<button type='button' class='facet' %s aria-pressed='%s'><span%s>%s</span>%s</button>",
    go, tolower(on), if (is.null(kind)) "" else sprintf(" class='kind %s'", kind), escape(label),
    if (is.null(count)) "" else sprintf(" <span class='count'>%s</span>", format_count(count)))
}

task_table <- function(tasks, fits, sort, held) {
  if (!nrow(tasks)) {
    return("<p class='empty'>No task is left. Take a filter away, or search for less.</p>")
  }
  decided <- ifelse(tasks$decided == "open", "", sprintf("%s%s", escape(tasks$decided),
    ifelse(nzchar(tasks$note), sprintf(" <span class='soft'>%s</span>", escape(tasks$note)), "")))
  columns <- c(list(` ` = pick_boxes(tasks$id, tasks$query)),
    shown_columns(tasks, c("rank", "kind", "task", "why", "gain", "if_done", "confidence",
      "chance", "hours", "value", if (any(nzchar(decided))) "decision"),
      text = list(kind = as_html(sprintf(
        "<span class='kind %s' title='%s'><span class='visually-hidden'>%s</span></span>",
        tasks$kind, kind_label(tasks$kind), kind_label(tasks$kind))),
        task = as_html(sprintf(paste0("<button type='button' class='row' %s>%s</button> ",
          "<span class='soft'>%s%s</span>"), go_each("line", "id", tasks$id), escape(tasks$todo),
          escape(tasks$query),
          ifelse(tasks$lines > 1, sprintf(" and %d more", tasks$lines - 1L), ""))),
        decision = as_html(decided))))
  sorts <- c("gain", "if_done", "confidence", "chance", "hours", "value")
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
