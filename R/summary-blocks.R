# The reduction of a large file, block by block: texts have one code in all blocks, so that sums are
# added up in place, and what needs single rows takes those of a sample out of each block.

# As query_rows(), for tide_blocks.
block_rows <- function(data) {
  grain <- grain_label(data$dimensions)
  ledger <- list()
  chunks <- block_chunks(data, function(k, left_out) ledger[[k]] <<- left_out)
  if (length(chunks) == 1) chunks <- list(read_once(chunks[[1]]))
  list(
    table = c(list(dimensions = data$dimensions),
      table_days(data$days$date, data$until), list(rests_on = NULL)),
    access = list(
      reduce = function(recent_from, split) reduce_blocks(data, chunks, recent_from, split),
      of_queries = function(reduced, codes, from) chunks, of_days = function(days) chunks),
    totals = new_tide_data(list(), data$sources, data$left_out),
    grains = grain,
    left_out = function() sum_left_out(rbindlist(c(list(data$left_out), ledger))))
}

# As reduce_chunks(), with `of_levels`.
reduce_blocks <- function(data, chunks, recent_from, split) {
  levels <- data$store$levels
  texts <- list(queries = code_levels(levels$query, clean_query, fold_case),
    pages = if (!is.null(levels$page)) code_levels(levels$page, clean_url, url_key))
  sums <- begin_cells(recent_from)
  seen <- lapply(texts, first_seen)
  days <- parts <- list()
  for (chunk in chunks) {
    rows <- chunk()
    if (is.null(rows) || !nrow(rows)) next
    work <- c(codes_of(rows, list(of_levels = list(query = texts$queries$code,
      page = texts$pages$code))), rows[, figure_names, with = FALSE])
    put_cells(sums, work, rows$date, recent_from)
    seen$queries <- see_levels(seen$queries, rows$query, rows)
    if (!is.null(texts$pages)) seen$pages <- see_levels(seen$pages, rows$page, rows)
    days[[length(days) + 1]] <- reduce_by(rows, "date")
    if (!is.null(split)) {
      parts[[length(parts) + 1]] <- reduce_split(work, split_labels(rows, split))
    }
  }
  if (!length(days)) {
    abort_tide("No row is left after filtering.", where = "all rows of the window",
      fix = "Loosen the filters.", class = "nothing_left")
  }
  settled <- Map(settle_levels, texts, seen)
  code <- list(query = settled$queries$code,
    page = if (is.null(texts$pages)) 1L else settled$pages$code)
  recode <- function(cells) {
    if (is.null(cells)) return(NULL)
    set(cells, j = "query", value = code$query[cells$query])
    set(cells, j = "page", value = code$page[cells$page])
  }
  cells <- finish_cells(lapply(end_cells(sums), recode))
  of_texts <- function(of) of[c("names", "keys", "spellings", "first")]
  reduced <- list(queries = of_texts(settled$queries),
    pages = if (is.null(texts$pages)) {
      list(names = "", keys = "", spellings = 1L, first = min(settled$queries$first))
    } else {
      of_texts(settled$pages)
    },
    all = cells$all, recent = cells$recent,
    split_cells = if (length(parts)) sum_split(recode(rbindlist(parts))),
    by_day = reduce_by(rbindlist(days), "date"),
    of_levels = list(query = code$query[texts$queries$code], page = code$page[texts$pages$code]))
  c(reduced, block_samples(chunks, reduced))
}

# Of each distinct text the impressions and the first day: what blocks add up to.
first_seen <- function(texts) {
  list(weight = numeric(length(texts$code)), first = rep(NA_integer_, length(texts$code)))
}

see_levels <- function(seen, level, rows) {
  level <- as.integer(level)
  size <- length(seen$weight)
  list(weight = seen$weight + sum_codes(rows$impressions, level, size),
    first = pmin(seen$first, .Call(least_by, as.integer(rows$date), level, size), na.rm = TRUE))
}

# Texts that no row has any more go: list(code: of the codes until now; names, keys, spellings,
# first).
settle_levels <- function(texts, seen) {
  if (is.null(texts)) return(NULL)
  used <- which(seen$weight > 0)
  many <- length(texts$known)
  held <- tabulate(texts$code[used], many) > 0
  code <- cumsum(held)
  code[!held] <- NA
  own <- code[texts$code[used]]
  first <- .Call(least_by, seen$first[used], own, sum(held))
  list(code = code, names = heaviest_names(texts$names[used], own, sum(held), seen$weight[used]),
    keys = texts$known[held], spellings = length(used), first = first)
}

# What is learnt from single rows, those of a sample of pairs and of queries.
block_samples <- function(chunks, reduced) {
  n <- sum(reduced$all$rows)
  keys <- reduced$queries$keys
  sampled <- digest::digest2int(keys) <= course_upto(keys)
  blend <- course <- list()
  for (chunk in chunks) {
    rows <- chunk()
    if (is.null(rows) || !nrow(rows)) next
    work <- setDT(c(codes_of(rows, reduced), rows[, c("impressions", "position", "date")]))
    blend[[length(blend) + 1]] <- work[blend_sample(work, n)]
    course[[length(course) + 1]] <- work[which(sampled[work$query])]
  }
  blend <- rbindlist(blend)
  course <- rbindlist(course)
  list(blend = blend_sums(blend, blend$date, seq_len(nrow(blend))),
    course = course_sums(course, course$date, keys, reduced$pages$keys))
}
