# Hours and chance of a task as the analyst knows them better: kept with decisions, in place of what
# is assumed of the kind.

# The last of each that was said of a task. In: decisions, the oldest first; 0 takes back what was
# said. Out: list(hours, chance), missing where the kind's count.
last_estimates <- function(rows) {
  last_of <- function(name) {
    set_at <- which(!is.na(rows[[name]]))
    set_at <- set_at[!duplicated(rows$task[set_at], fromLast = TRUE)]
    value <- rows[[name]][set_at][match(rows$task, rows$task[set_at])]
    replace(value, value %in% 0, NA)
  }
  list(hours = last_of("hours"), chance = last_of("chance"))
}

# The findings with gain, score and rank by the analyst's own hours and chances; what was assumed
# stays beside as `assumed`, so that it can come back.
with_estimates <- function(findings, decisions) {
  own <- unique(as.data.table(decisions)[, c("task", "hours", "chance")], by = "task")
  if (is.null(findings$assumed) && all(is.na(c(own$hours, own$chance)))) return(findings)
  found <- copy(findings$findings)
  findings$assumed <- first_given(findings$assumed, found[, c("id", "hours", "chance")])
  before <- findings$assumed[match(found$id, findings$assumed$id)]
  at_row <- match(found$task, own$task)
  own_hours <- ifelse(before$hours > 0, own$hours[at_row], NA)
  own_chance <- own$chance[at_row]
  set(found, j = c("hours", "chance"),
    value = list(fcoalesce(own_hours, before$hours), fcoalesce(own_chance, before$chance)))
  found <- set_gain(found)
  set(found, j = "gain_share", value = share_of(found$gain, site_clicks(findings$summary)))
  set(found, j = "score", value = ifelse(found$hours > 0,
    task_total(sorted_by(found), found$task) / found$hours, 0))
  own_codes <- c("own_hours", "own_chance")
  findings$facts <- c(Filter(function(batch) !batch$code %in% own_codes, findings$facts),
    new_facts("derivation", ifelse(is.na(own_hours), "", "own_hours"), found$id,
      hours = own_hours, assumed = before$hours),
    new_facts("derivation", ifelse(is.na(own_chance), "", "own_chance"), found$id,
      chance = own_chance, assumed = before$chance))
  findings$findings <- by_rank(found, found$id)
  findings
}
