# Gain and score, one finding for each click, tasks, order, ids.
# Out: looked, with `steps`: by task the id of the line whose step it is.
rank_findings <- function(looked, options, summary) {
  looked$most <- max(0L, looked$found$line)
  contested <- unique(looked$found$query[looked$found$kind == "cannibalized"])
  looked <- drop_double_counted(looked, set_gain(looked$found))
  found <- looked$found
  set(found, j = "id", value = finding_id(found$kind, found$finding_key))
  found <- filter_min_gain(set_tasks(found), options)
  lead <- found$hours > 0
  looked$steps <- stats::setNames(found$id[lead], found$task[lead])
  looked$found <- by_rank(found, found$finding_key)
  # Every contest is in the list or among what was left out.
  away <- setdiff(contested, found$query)
  looked$excluded <- c(looked$excluded, contests_excluded(data.table(
    query = chmatch(away, summary$queries$query), reason = rep("little_to_gain", length(away)))))
  looked
}

# gain = if done x confidence x chance, of clicks and of what they are worth.
set_gain <- function(found) {
  expected <- found$confidence * found$chance
  set(found, j = "gain", value = found$if_done * expected)
  for (name in intersect(c("conversions", "value", "cost"), sub("^if_done_", "", names(found)))) {
    set(found, j = paste0("gain_", name), value = found[[paste0("if_done_", name)]] * expected)
  }
  found[]
}

# What the list is sorted by: money where it is known, else clicks.
sorted_by <- function(found) {
  if (is.null(found[["gain_value"]])) found$gain else fcoalesce(found$gain_value, 0)
}

# Lines in the order of the list, those that lead a task first; names tell equal ones apart.
by_rank <- function(found, names_of) {
  place <- order(found$hours == 0, -found$score, -found$gain, order_of_ties(found$gain, names_of))
  set(found[place], j = "rank", value = seq_along(place))[]
}

# Lines that one step serves are one task: the largest of them leads and has the hours and the score
# of all, the others come along.
set_tasks <- function(found) {
  set(found, j = "task", value = finding_id(sub(" .*", "", found$task_key), found$task_key))
  set(found, j = "score", value = sorted_by(found) / found$hours)
  if (!nrow(found)) return(found)
  largest_first <- order(-found$if_done, order_of_ties(found$if_done, found$finding_key))
  found <- found[largest_first]
  together <- task_total(found$score, found$task)
  along <- duplicated(found$task)
  set(found, j = "score", value = ifelse(along, 0, together))
  set(found, which(along), "hours", 0)[]
}

# Tasks of which at least so much is to be had if they work. Pages that cost each other clicks are
# shown however little it is, unless somebody asked for more.
filter_min_gain <- function(found, options) {
  if (!nrow(found)) return(found)
  shown <- task_total(found$if_done, found$task) >= options$least |
    !options$asked & kind_is(found$kind, "contest")
  found[shown]
}

# The sum over the lines of each one's task.
task_total <- function(x, task) {
  tasks <- unique(task)
  code <- match(task, tasks)
  sum_codes(x, code, length(tasks))[code]
}

# The lines that lead a task.
task_leads <- function(found) found[found$hours > 0]

# Greedy from the best score, sure cannibalized queries first, since nothing else about a query can
# be judged while its pages compete. A finding whose pairs are claimed already leaves the list and
# is a fact of the one that stays: adding both up would promise clicks twice.
drop_double_counted <- function(looked, found) {
  contest <- kind_is(found$kind, "contest")
  score <- after_contests(found, contest, -sorted_by(found) / found$hours)
  best_first <- order(!(contest & found$confidence > 0.5), score,
    order_of_ties(score, found$finding_key))
  found <- found[best_first]
  stays <- .Call(first_claims, as.integer(unlist(found$claims)), lengths(found$claims))
  merged <- which(stays != seq_along(stays))
  if (length(merged)) {
    into <- unique(stays[merged])
    kinds <- lapply(into, function(one) unique(found$kind[merged[stays[merged] == one]]))
    looked$facts <- c(looked$facts,
      new_facts("points_to", "counted_once", found$line[into], also = kinds))
    found <- found[-merged]
  }
  looked$found <- found
  looked
}

# A page is not supported before it is settled which page shall be found, however unsure a contest
# is: bench/accuracy.md, contests without dates. score: the least comes first.
after_contests <- function(found, contest, score) {
  supports <- which(kind_is(found$kind, "links"))
  if (!any(contest) || !length(supports)) return(score)
  pairs <- unlist(found$claims[contest])
  by <- rep(score[contest], lengths(found$claims[contest]))
  # Of the contests that claim a pair the first, which is written last.
  last <- order(by, decreasing = TRUE)
  first <- rep(-Inf, max(unlist(found$claims)))
  first[pairs[last]] <- by[last]
  held_up <- vapply(found$claims[supports], function(pairs) max(first[pairs]), 0)
  replace(score, supports, pmax(score[supports], held_up + abs(held_up) * 1e-9))
}

# Ranks of texts among those that share a number, 0 for all others: sorting by many texts takes
# longer than by numbers.
order_of_ties <- function(number, text) {
  out <- integer(length(number))
  tied <- which(number %in% number[duplicated(number)])
  out[tied] <- match(text[tied], sorted_texts(text[tied]))
  out
}

# Stable across runs: from the kind and the compared forms of query and page, never from figures.
finding_id <- function(kind, key) {
  if (!length(key)) return(character())
  text <- enc2utf8(key)
  sprintf("%s-%08x%02x", kind_fact(kind, "initial"), digest::digest2int(text, 0L),
    bitwAnd(digest::digest2int(text, 1L), 255L))
}
