# One session of the workbench: what the page says comes in as messages, what it shows goes out as
# HTML. All that is remembered is the data and, on the page, the state.

serve_session <- function(input, session, work, token, hosts) {
  if (!known_origin(session$request) || !known_host(session$request$HTTP_HOST, hosts)) {
    return(session$close())
  }
  allowed <- shiny::reactiveVal(FALSE)
  # A render of this session's own making, after a decision.
  turn <- shiny::reactiveVal(0L)
  stale <- shiny::reactiveVal(FALSE)
  files <- new.env(parent = emptyenv())
  shiny::observeEvent(input$token, {
    if (identical(input$token, token)) allowed(TRUE) else session$close()
  })
  shiny::observe({
    shiny::req(allowed(), input$state)
    turn()
    state <- read_state(input$state)
    show <- function(html, view, title = "", window = NULL) {
      session$sendCustomMessage("show", list(html = html, view = view, title = title,
        sites = length(work$sites) > 0, window = window))
    }
    if (length(work$sites) && !state$site %in% work$sites) {
      return(show(sites_page(work$sites), "sites"))
    }
    held <- work$held(state$site)
    if (is.null(held)) {
      shiny::invalidateLater(300, session)
      return(show(waiting_page(work$progress(state$site)), "wait"))
    }
    files$state <- state
    # A window that was dragged out is seen at once, and what changed in it when it is worked out.
    if (waits_for_comparison(held, state) && !identical(files$waits, input$state)) {
      files$waits <- input$state
      shiny::invalidateLater(1, session)
      return(show(changes_view(held, state, at_once = TRUE), state$view, held$title,
        shown_window(held)))
    }
    html <- shown_view(held, state)
    # Asked again until a part that is worked out beside is there; drawn again only then.
    waiting <- isTRUE(attr(html, "waiting"))
    if (waiting) shiny::invalidateLater(500, session)
    if (waiting && identical(files$waits, input$state)) return()
    files$waits <- if (waiting) input$state
    show(paste0(if (stale()) stale_note, html), state$view, held$title, shown_window(held))
  })
  shiny::observe({
    shiny::req(allowed(), input$state)
    shiny::invalidateLater(looked_again, session)
    stale(isTRUE(tryCatch(work$changed(read_state(input$state)$site), error = identity)))
  })
  shiny::observeEvent(input$again, {
    if (!allowed() || !stale()) return()
    tryCatch(work$again(read_state(input$state)$site), tide_error = function(e) {
      session$sendCustomMessage("say", list(text = paste(condition_lines(e)[1], e$fix)))
    })
    stale(FALSE)
    turn(turn() + 1L)
  })
  current <- function() if (!is.null(files$state)) work$held(files$state$site)
  act <- function(name, run) {
    shiny::observeEvent(input[[name]], {
      held <- current()
      if (!allowed() || is.null(held)) return()
      outcome <- tryCatch(run(held, input[[name]]),
        tide_error = function(e) paste(condition_lines(e)[1], e$fix),
        error = function(e) paste("Nothing was done:", plain_cause(e)))
      session$sendCustomMessage("say", list(text = outcome))
      turn(shiny::isolate(turn()) + 1L)
    })
  }
  act("decide", function(held, message) {
    workbench_decide(held, message_texts(message, "ids"), message_text(message, "decision"),
      substr(message_text(message, "note"), 1, 300))
  })
  act("estimate", function(held, message) {
    workbench_estimate(held, message_text(message, "id"), message_text(message, "hours"),
      message_text(message, "chance"))
  })
  act("undo", function(held, message) workbench_undo(held))
  act("save", function(held, message) save_view(held, message))
  shiny::observeEvent(input$cancel, {
    if (allowed()) work$cancel(read_state(input$state)$site)
  })
  # Files of what is shown, under an address of this session alone.
  urls <- lapply(stats::setNames(nm = hand_formats), function(format) {
    session$registerDataObj(paste0("file-", format), NULL,
      function(data, request) download_handler(current(), files$state, format))
  })
  session$sendCustomMessage("files", urls)
}

download_handler <- function(held, state, format) {
  if (is.null(held) || is.null(state)) {
    return(shiny::httpResponse(404L, "text/plain", "Nothing is shown yet."))
  }
  path <- tryCatch(hand_file(held, state, format), error = identity)
  if (inherits(path, "error")) {
    return(shiny::httpResponse(404L, "text/plain; charset=utf-8", conditionMessage(path)))
  }
  shiny::httpResponse(200L, path$type, path$content,
    headers = list(`Content-Disposition` = sprintf("attachment; filename=\"%s\"", path$name),
      `X-Content-Type-Options` = "nosniff"))
}

shown_view <- function(held, state) {
  view <- switch(state$view, line = line_view, explore = explore_view, curve = curve_view,
    map = map_view, changes = changes_view, contests = contests_view, ahead = ahead_view,
    pages = pages_view, outcomes = outcomes_view, data = data_view, list_view)
  tryCatch(view(held, state), tide_error = function(e) {
    empty_state(e$what, first_given(e$fix, ""))
  },
    error = function(e) {
      empty_state("Something went wrong inside.",
        paste0("Please report it with the address of this page: ", conditionMessage(e)))
    })
}

# Milliseconds after which it is looked whether data were loaded meanwhile.
looked_again <- 10000

stale_note <- paste0("<p class='stale' role='status'>The data changed since this list was worked ",
  "out. <button type='button' data-again='1'>work it out again</button></p>")

waiting_page <- function(progress) {
  sprintf(paste0("<section class='empty'><h1 tabindex='-1'>Working out the list</h1>",
    "<p aria-live='polite'>%s</p><p><button type='button' data-cancel='1'>stop</button></p>",
    "</section>"),
    escape(first_given(progress, "")))
}

sites_page <- function(sites) {
  sprintf("<section class='empty'><h1 tabindex='-1'>Which site?</h1><ul>%s</ul></section>",
    paste(sprintf("<li>%s</li>", vapply(sites, function(site) {
      link_button(site, go_to(site = site, fresh = TRUE))
    }, "")), collapse = ""))
}

# Parts of a message as texts: what is none of them is left out.
message_texts <- function(message, name) {
  parts <- if (is.list(message)) as.list(message[[name]])
  as.character(unlist(Filter(one_text, parts)))
}

message_text <- function(message, name) {
  text <- message_texts(message, name)
  if (length(text) == 1) text else ""
}

save_view <- function(held, message) {
  if (held$read_only || is.null(held$folder)) return("Nothing was saved: there is no project.")
  conditions <- lapply(utils::head(message_texts(message, "c"), 30), read_condition)
  if (!length(conditions)) return("There is no condition to save.")
  faults <- unlist(lapply(conditions, `[[`, "fault"))
  if (length(faults)) return(paste("Nothing was saved:", faults[1]))
  name <- trimws(message_text(message, "name"))
  if (!nzchar(name)) return("Give the segment a name, then save.")
  held$segments <- keep_segment(held$folder, name, saved_conditions(conditions))
  sprintf("Saved as segment '%s' in inktide.yml.", name)
}
