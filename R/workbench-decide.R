# What a click or a key stores: decisions, own hours and chances of a task, and the way back.

nothing_stored <-
  "Nothing was stored: there is no archive, or the workbench was opened to read only."

# Decisions of the page, at once in the archive. Out: a line of what happened.
workbench_decide <- function(held, ids, decision, note = "") {
  if (held$read_only) return(nothing_stored)
  ids <- intersect(ids, held$tasks$id)
  if (!length(ids) || !decision %in% names(decision_kinds)) return("Nothing was chosen.")
  held$undo <- c(held$undo, list(decided_before(held, ids)))
  tide_decide(held$store, held$findings, ids, decision, note = note)
  held$decided_at <- NULL
  sprintf("%s: %s. Undo with u.", format_plural(length(ids), "task"), decision_kinds[[decision]])
}

# A task's own hours and chance (in percent), typed on its page; an empty field is as assumed. The
# decision stays as it is.
workbench_estimate <- function(held, id, hours, chance) {
  if (held$read_only) return(nothing_stored)
  if (!id %in% held$tasks$id) return("Nothing was chosen.")
  typed <- trimws(c(hours, sub("%$", "", trimws(chance))))
  figures <- suppressWarnings(as.numeric(sub(",", ".", typed, fixed = TRUE)))
  if (any(is.na(figures) & nzchar(typed)) ||
    any(figures <= 0 | figures > c(10000, 100), na.rm = TRUE)) {
    return("Hours are above 0, the chance is above 0 and at most 100 %; empty is as assumed.")
  }
  before <- decided_before(held, id)
  held$undo <- c(held$undo, list(before))
  decide_again(held, replace(before, c("hours", "chance"), list(figures[1], figures[2] / 100)))
  count_again(held)
  at_row <- match(id, held$tasks$id)
  task <- held$tasks[at_row]
  sprintf("Gain %s a month in %s, rank %s. Undo with u.", format_gain(task$gain),
    format_hours(task$hours), format_count(task$rank))
}

workbench_undo <- function(held) {
  last <- utils::tail(held$undo, 1)
  if (!length(last)) return("Nothing to undo.")
  held$undo <- utils::head(held$undo, -1)
  now <- decided_before(held, last[[1]]$id)
  decide_again(held, last[[1]])
  # A decision alone moves no figure.
  own <- c("hours", "chance")
  if (!identical(now[, own, with = FALSE], last[[1]][, own, with = FALSE])) count_again(held)
  sprintf("Undone: %s as before.", format_plural(nrow(last[[1]]), "task"))
}

# All that is stored of tasks, a row each.
decided_before <- function(held, ids) {
  decisions <- workbench_decisions(held)
  at_row <- match(held$tasks$task[match(ids, held$tasks$id)], decisions$task)
  own <- decisions[at_row, c("decision", "note", "at", "until", "hours", "chance")]
  set(own, j = c("id", "decision", "note"), value = list(ids, fcoalesce(own$decision, "open"),
    fcoalesce(own$note, "")))[]
}

# Stores it again, tasks of the same days and figures at once.
decide_again <- function(held, rows) {
  rows <- as.data.table(rows)
  same <- do.call(paste, rows[, c("at", "until", "hours", "chance")])
  for (one in unique(same)) {
    own <- rows[same == one]
    tide_decide(held$store, held$findings, own$id, own$decision, note = own$note,
      at = if (is.na(own$at[1])) Sys.Date() else own$at[1],
      until = if (!is.na(own$until[1])) own$until[1],
      hours = fcoalesce(own$hours[1], 0), chance = fcoalesce(own$chance[1], 0))
  }
  held$decided_at <- NULL
}

# Hours and chance by hand, on a task's page; empty fields are as assumed.
estimate_fields <- function(held, id) {
  if (held$read_only) return("")
  own <- decided_before(held, id)
  at_row <- match(id, held$tasks$id)
  task <- held$tasks[at_row]
  at_line <- match(id, held$findings$assumed$id)
  before <- held$findings$assumed[at_line]
  field <- function(name, label, value, assumed) {
    sprintf(paste0("<label>%s <input id='own-%s' type='text' inputmode='decimal' size='5' ",
      "maxlength='8' value='%s' placeholder='%s'></label>"), label, name,
      if (is.na(value)) "" else format(value), format(assumed))
  }
  sprintf(paste("<p class='estimate'>Yours: %s %s",
    "<button type='button' data-estimate='%s'>count with these</button>",
    "<span class='soft'>in place of those assumed; empty is as assumed</span></p>"),
    field("hours", "hours", own$hours, first_given(before$hours, task$hours)),
    field("chance", "chance, %", round(100 * own$chance, 1),
      round(100 * first_given(before$chance, task$chance))), id)
}
