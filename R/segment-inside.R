# Which rows a stack of segments holds: one test for rows of a table, sums by query and page, and
# the rows of an explorer. Names are tried once each; sums by query and page come last, over the
# rows that pass all else.

# What a test needs to know of rows. size: how many; coded(on): list(texts, code) of queries, pages,
# devices ..., each text once; figure(name): clicks, impressions, weighted (x position) of each row;
# pairs(): list(code, first) of queries and pages, or NULL; absent(name): called where rows have
# nothing that a condition is on, for TRUE or FALSE of all; named(name, value, coded): which texts
# meet a condition.
new_rows_seen <- function(size, coded, figure, pairs, rules, absent = function(name) FALSE,
    named = function(name, value, coded) {
      segment_conditions[[name]]$test(coded$texts, value, rules) %in% TRUE
    }) {
  as.list(environment())
}

rows_seen <- function(rows, rules) {
  coded <- function(on) {
    if (!on %in% names(rows)) return(NULL)
    texts <- as_levels(rows[[on]])
    list(texts = levels(texts), code = as.integer(texts))
  }
  new_rows_seen(nrow(rows), coded,
    figure = function(name) {
      if (name == "weighted") rows$impressions * rows$position else as.numeric(rows[[name]])
    },
    pairs = function() {
      # Spellings of one name are one.
      key_codes <- lapply(c("query", "page"), function(on) {
        own <- coded(on)
        if (is.null(own)) return(NULL)
        keys <- name_key(on, own$texts)
        match(keys, keys)[own$code]
      })
      key_codes <- Filter(Negate(is.null), key_codes)
      if (!length(key_codes)) return(NULL)
      found <- .Call(pair_codes, key_codes[[1]], key_codes[[length(key_codes)]])
      list(code = found[[1]], first = found[[2]])
    },
    rules = rules)
}

# sums: by codes of the summary's queries and pages.
sums_seen <- function(summary, sums, rules) {
  if (!is.null(summary$brand)) rules$brand <- summary$brand
  new_rows_seen(nrow(sums),
    coded = function(on) switch(on,
      query = list(texts = summary$queries$query, code = sums$query),
      page = list(texts = summary$pages$page, code = sums$page)),
    figure = function(name) {
      if (name == "weighted") sums$impressions * sums$position else sums[[name]]
    },
    pairs = function() list(code = seq_len(nrow(sums)), first = seq_len(nrow(sums))), rules = rules,
    absent = function(name) {
      abort_tide(sprintf("`%s` is summed up already.", name), where = "rows by query and page.",
        fix = "Filter the data with tide_filter() before tide_summary().", class = "grain",
        fault = "call")
    })
}

# Rows in all segments, by number; NULL where that is all. use: those looked at, NULL for all. told:
# is called with a label and the rows that fail there and nowhere before.
rows_inside <- function(seen, segments, use = NULL, told = function(...) NULL) {
  last <- vapply(segments, about_pairs, NA)
  for (segment in c(segments[!last], segments[last])) {
    use <- segment_inside(seen, segment, use, told)
  }
  use
}

about_pairs <- function(segment) "pair" %in% conditions_on(segment)

# All conditions of segments, those of their alternatives included: list(name = value), by name.
all_conditions <- function(segments) {
  unlist(lapply(segments, function(segment) {
    c(segment$conditions, all_conditions(segment$all_of), all_conditions(segment$any_of))
  }), recursive = FALSE)
}

# What each of them is on.
conditions_on <- function(segment) names_on(names(all_conditions(list(segment))))

names_on <- function(condition_names) {
  vapply(segment_conditions[as.character(condition_names)], `[[`, "", "on")
}

segment_inside <- function(seen, segment, use, told) {
  inside <- use
  on <- names_on(names(segment$conditions))
  tell <- if (segment$not) function(...) NULL else told
  meeting <- function(condition_names) {
    for (name in condition_names) {
      value <- segment$conditions[[name]]
      hit <- condition_hits(seen, name, value, inside)
      if (all(hit)) next
      # The least sums are not seen on a row: what goes by them is worth saying.
      tell(condition_label(name, value), chosen(inside, !hit),
        if (segment_conditions[[name]]$value == "number") "rows" else "asked")
      inside <<- chosen(inside, hit)
    }
  }
  meeting(names(on)[on != "pair"])
  sums_in <- any(vapply(segment$any_of, about_pairs, NA))
  if (!sums_in) inside <- inside_any(seen, segment$any_of, inside, tell)
  inside <- rows_inside(seen, segment$all_of, inside, tell)
  if (sums_in) inside <- inside_any(seen, segment$any_of, inside, tell)
  meeting(names(on)[on == "pair"])
  if (!segment$not) return(inside)
  inside <- if (is.null(inside)) seq_len(seen$size) else inside
  told(sprintf("in '%s'", segment$name), inside)
  left <- rep(TRUE, seen$size)
  left[inside] <- FALSE
  chosen(use, if (is.null(use)) left else left[use])
}

# Rows in at least one of the segments; without segments all.
inside_any <- function(seen, segments, use, told) {
  if (!length(segments)) return(use)
  looked <- if (is.null(use)) seq_len(seen$size) else use
  held <- lapply(segments, function(segment) {
    first_given(segment_inside(seen, segment, use, function(...) NULL), looked)
  })
  hit <- looked %in% unlist(held)
  if (all(hit)) return(use)
  told(sprintf("not %s", paste(segment_words(segments), collapse = " or ")), looked[!hit])
  looked[hit]
}

chosen <- function(use, hit) if (is.null(use)) which(hit) else use[hit]

# Which of the rows in use meet a condition.
condition_hits <- function(seen, name, value, use) {
  on <- segment_conditions[[name]]$on
  if (on == "pair") {
    pairs <- seen$pairs()
    if (is.null(pairs)) return(rep(FALSE, length(some_rows(seq_len(seen$size), use))))
    code <- some_rows(pairs$code, use)
    sum_of <- function(figure) {
      sum_codes(some_rows(seen$figure(figure), use), code, length(pairs$first))
    }
    sums <- list(clicks = sum_of("clicks"), impressions = sum_of("impressions"))
    sums$position <- sum_of("weighted") / sums$impressions
    return((segment_conditions[[name]]$test(sums, value, seen$rules) %in% TRUE)[code])
  }
  coded <- seen$coded(on)
  if (is.null(coded)) return(rep(seen$absent(name), length(some_rows(seq_len(seen$size), use))))
  seen$named(name, value, coded)[some_rows(coded$code, use)]
}

# Rows that are left, and what was left out on the way: list(rows, left_out). steps: functions of
# rows that give list(label = rows that fail).
filter_rows <- function(rows, segments, rules, grain, steps = list()) {
  ledger <- list()
  told <- function(label, failed, cause = "asked") {
    if (length(failed)) {
      ledger[[length(ledger) + 1]] <<- left_out_line(label, grain, rows, failed, cause)
    }
  }
  for (test in steps) {
    failed <- test(rows)
    gone <- unlist(failed, use.names = FALSE)
    for (label in names(failed)) told(label, failed[[label]])
    if (length(gone)) rows <- rows[-gone]
    if (!nrow(rows)) break
  }
  if (length(segments) && nrow(rows)) {
    use <- rows_inside(rows_seen(rows, rules), segments, told = told)
    if (!is.null(use)) rows <- rows[use]
  }
  list(rows = rows, left_out = rbindlist(ledger))
}

segment_title <- function(segment) paste0(if (segment$not) "not ", segment$name)

# Which rows are in each of two segments, or in one and the rest: a list of two, named.
segments_inside <- function(rows, segments, rules) {
  seen <- rows_seen(rows, rules)
  inside <- lapply(segments, function(segment) {
    use <- rows_inside(seen, list(segment))
    if (is.null(use)) rep(TRUE, nrow(rows)) else seq_len(nrow(rows)) %in% use
  })
  if (length(segments) == 1) inside[[2]] <- !inside[[1]]
  names(inside) <- c(vapply(segments, segment_title, ""), if (length(segments) == 1) "the rest")
  empty <- !vapply(inside, any, NA)
  if (any(empty)) {
    abort_tide("A segment holds no rows.", where = sprintf("'%s'.", names(inside)[empty][1]),
      fix = "Loosen its conditions.", class = "nothing_left")
  }
  inside
}

abort_nothing_inside <- function(segments) {
  abort_tide("No row is left after filtering.",
    where = paste(vapply(segments, `[[`, "", "name"), collapse = "; "),
    fix = "Loosen one of these filters.", class = "nothing_left")
}
