# Facts of findings: what is known of each line, as numbers and codes. No sentence stands in the
# core: words.R makes them of facts where lines are shown, from a table that can be translated.

# Facts are a list of batches in the order in which they are told. A batch: list(slot, code, rows),
# `rows` a data.table with the `line` each is about (its number among the finder's lines, its id
# once the list is made) and the fields that the code's sentence names. What was checked and left
# out is told the same way (slot `excluded`), its line being the kind, with the number of `queries`
# and the clicks that they have.
fact_slots <- c("evidence", "comparison", "points_to", "doubt", "step", "derivation", "excluded")

# Facts of one slot. code: one for all lines, or one a line, "" or NA where there is nothing to
# tell; ...: fields, a value a line.
new_facts <- function(slot, code, line, ...) {
  fields <- Filter(Negate(is.null), list(line = line, ...))
  rows <- setDT(lapply(fields, rep_len, length(line)))
  code <- fcoalesce(rep_len(as.character(code), length(line)), "")
  lapply(setdiff(unique(code), ""), function(one) {
    of_code <- which(code == one)
    list(slot = slot, code = one, rows = rows[of_code])
  })
}

# What was checked and left out, a row a reason. codes: a list of the queries of each.
new_excluded <- function(kind, code, codes, ...) {
  if (!length(codes)) return(NULL)
  new_facts("excluded", code, rep(kind, length(codes)), queries = lengths(codes), codes = codes,
    ...)
}

# The clicks at stake: those that the queries of each reason have in the window.
count_stakes <- function(excluded, summary) {
  clicks <- sum_codes(summary$pairs$clicks, summary$pairs$query, nrow(summary$queries))
  lapply(excluded, function(batch) {
    at_stake <- vapply(batch$rows$codes, function(own) sum(clicks[unique(own)]), 0)
    set(batch$rows, j = c("clicks", "codes"), value = list(at_stake, NULL))
    batch
  })
}

# Facts whose lines have other numbers: line 1 becomes to[1]; those of NA go.
renumber_facts <- function(facts, to) {
  lapply(facts, function(batch) {
    rows <- copy(batch$rows)
    set(rows, j = "line", value = to[rows$line])
    batch$rows <- rows[which(!is.na(rows$line))]
    batch
  })
}

# Without what these lines have in a slot.
drop_facts <- function(facts, slot, lines) {
  lapply(facts, function(batch) {
    if (batch$slot == slot) batch$rows <- batch$rows[which(!batch$rows$line %in% lines)]
    batch
  })
}

# A field of what these lines have in a slot becomes unknown, so that nothing is said of it.
forget_field <- function(facts, slot, field, lines) {
  lapply(facts, function(batch) {
    if (batch$slot != slot || is.null(batch$rows[[field]])) return(batch)
    at <- which(batch$rows$line %in% lines)
    rows <- copy(batch$rows)
    set(rows, at, field, if (is.list(rows[[field]])) rep(list(NA_character_), length(at)) else NA)
    batch$rows <- rows
    batch
  })
}

# Lines and facts of several finders as one.
bind_found <- function(parts) {
  found <- lapply(parts, `[[`, "found")
  sizes <- vapply(found, NROW, 0L)
  before <- cumsum(c(0L, sizes))[seq_along(sizes)]
  list(found = rbindlist(c(list(empty_findings()), found), use.names = TRUE),
    facts = unlist(recursive = FALSE, Map(function(part, size, offset) {
      renumber_facts(part$facts, offset + seq_len(size))
    }, unname(parts), sizes, before)),
    excluded = unlist(recursive = FALSE, lapply(unname(parts), `[[`, "excluded")))
}

# A field of several texts, of which nothing is said where there are none.
empty_unknown <- function(texts) replace(texts, lengths(texts) == 0, list(NA_character_))

# What figures of the window are of: its days with data; NA where nobody knows how many it has.
window_days <- function(summary) {
  if (summary$window$assumed) NA_real_ else as.numeric(summary$recent$with_data)
}
