# Pages that are seen no more: nothing is to be gained by work on them. How likely a page is still
# there, by how long ago it was last seen beside how often it had been (as the chance that a
# customer who stays away is gone is told in models of repeat buying: Schmittlein, Morrison, Colombo
# 1987, here with weeks seen or not).

# Per page (code) the chance that it is alive; 1 where nothing tells.
alive_chances <- function(summary) {
  out <- rep(1, nrow(summary$pages))
  weekly <- summary$weekly[summary$weekly$week > 0]
  last <- summary$recent$days %/% 7L
  if (is.null(summary$weekly) || last < 4) return(out)
  seen <- weekly[, .(seen = uniqueN(week), first = min(week), ends = max(week)), by = "page"]
  gap <- last - seen$ends
  often <- (seen$seen + 1) / (seen$ends - seen$first + 3)
  stays <- (1 - assumed("page_ends"))^gap
  quiet <- stays * (1 - often)^gap
  out[seen$page] <- quiet / (quiet + 1 - stays)
  out
}

# Findings of pages that are likely gone are left out, those of others weighed by the chance.
judge_gone <- function(looked, summary) {
  found <- looked$found
  page_at <- chmatch(found$page, summary$pages$page)
  alive <- fcoalesce(alive_chances(summary)[page_at], 1)
  gone <- alive < data_limits$page_gone
  set(found, j = "confidence", value = found$confidence * alive)
  doubtful <- which(alive < 0.95 & !gone)
  looked$facts <- c(looked$facts, new_facts("doubt", "doubt_gone", found$line[doubtful],
    alive = alive[doubtful]))
  looked$found <- found[!gone]
  if (any(gone)) {
    codes <- split(chmatch(found$query[gone], summary$queries$query), found$page[gone])
    looked$excluded <- c(looked$excluded,
      new_excluded("", "page_gone", list(unique(unlist(codes)))))
  }
  looked
}
