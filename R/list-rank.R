# Score, one finding for each click, pieces of work, order, ids.
rank_findings <- function(found, options) {
  found <- claim_once(set_score(found))
  if (options$by_line) found <- found[found$gain >= options$least]
  set(found, j = "id", value = finding_id(found$kind, found$identity))
  found <- set_tasks(set_score(found))
  found <- found[found$task_gain >= options$least]
  setorderv(found, c("score", "gain", "identity"), c(-1L, -1L, 1L))
  set(found, j = "rank", value = seq_len(nrow(found)))
  found[]
}

# Worth is money where it is known, else clicks.
set_score <- function(found) {
  worth <- if (is.null(found[["gain_value"]])) found$gain else found$gain_value
  set(found, j = "score", value = worth * found$confidence / found$hours)
  setorderv(found, c("score", "identity"), c(-1L, 1L))
}

# One rewrite mends several findings: the largest of them leads, has the score of the whole piece of
# work and its hours; the others come along.
set_tasks <- function(found) {
  if (!nrow(found)) return(found[, c("task", "task_gain") := list(character(), numeric())])
  setorderv(found, c("gain", "identity"), c(-1L, 1L))
  found[, c("task", "task_gain", "together") := list(id[1], sum(gain), sum(score)), by = "work"]
  leads <- found$task == found$id
  set(found, which(leads), "score", found$together[leads])
  set(found, which(!leads), "hours", 0)
  found[, !"together"]
}

# Greedy from the best score, sure cannibalized queries first, since nothing else about a query can
# be judged while its pages compete. A finding whose pairs are claimed already leaves the list and
# is named in the reason of the one that stays, whose gain becomes the largest of the merged:
# mending both wins at least that, and adding them up would promise clicks twice. Where pages
# compete, what else is said of their places does not count.
claim_once <- function(found) {
  pair <- unlist(found$claims)
  if (!anyDuplicated(pair)) return(found)
  owner <- integer(max(pair))
  stays <- integer(nrow(found))
  compete <- found$kind == "cannibalized" & found$confidence > 0.5
  for (i in order(!compete)) {
    claimed <- owner[found$claims[[i]]]
    stays[i] <- if (any(claimed > 0)) claimed[claimed > 0][1] else i
    if (stays[i] == i) owner[found$claims[[i]]] <- i
  }
  merged <- which(stays != seq_along(stays))
  for (into in unique(stays[merged])) {
    from <- merged[stays[merged] == into]
    counted <- c(into, if (compete[into]) from[!kind_fact(found$kind[from], "of_place")] else from)
    most <- counted[which.max(found$gain[counted])]
    for (column in c("gain", "gain_low", "gain_high", intersect(worth_columns, names(found)))) {
      set(found, into, column, found[[column]][most])
    }
    if (most != into) {
      set(found, into, "how", list(list(c(
        found$how[[into]],
        sprintf("merged with %s about the same clicks, whose gain is the larger:",
          kind_label(found$kind[most])),
        found$how[[most]]))))
    }
    set(found, into, "reason", sprintf("%s Also %s, counted here once.", found$reason[into],
      paste(unique(kind_label(found$kind[from])), collapse = " and ")))
  }
  found[-merged]
}

# Stable across runs: from the kind and the compared forms of query and page, never from figures.
finding_id <- function(kind, identity) {
  if (!length(identity)) return(character())
  text <- enc2utf8(identity)
  sprintf("%s-%08x%02x", kind_fact(kind, "initial"), digest::digest2int(text, 0L),
    bitwAnd(digest::digest2int(text, 1L), 255L))
}
