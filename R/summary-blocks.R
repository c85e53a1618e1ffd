# The reduction of a large file, block by block: texts have one code in all blocks, so that sums are
# added up in place, and what needs single rows takes those of a sample out of each block.

# As query_rows(), for tide_blocks.
block_rows <- function(data) {
  ledger <- list()
  list(
    table = c(list(dimensions = data$dimensions),
      table_days(data$days$date, data$until), list(rests_on = NULL)),
    access = list(
      reduce = function(recent_from, split) {
        reduce_blocks(data, recent_from, split, function(k, left_out) ledger[[k]] <<- left_out)
      },
      of_queries = function(reduced, codes, from) {
        block_chunks(data, rows_alone(data, reduced, codes))
      },
      of_days = function(days) {
        data$days <- data$days[data$days$date %in% days]
        block_chunks(data)
      }),
    totals = new_tide_data(data$totals, data$sources, data$left_out),
    grains = c(grain_label(data$dimensions), names(data$totals)),
    left_out = function() sum_left_out(rbindlist(c(list(data$left_out), ledger))))
}

# As reduce_chunks(), with `of_levels`. say: as block_chunks() calls it.
reduce_blocks <- function(data, recent_from, split, say) {
  levels <- data$store$levels
  texts <- list(queries = code_levels(levels$query, clean_query, fold_case),
    pages = if (!is.null(levels$page)) code_levels(levels$page, clean_url, url_key))
  filtered <- length(data$segments) > 0
  sums <- if (filtered || !is.null(split)) {
    sum_chunks(block_chunks(data, say = say), texts, recent_from, split)
  } else {
    sum_stored(data, texts, recent_from)
  }
  settled <- Map(resolve_levels, texts, sums$seen)
  code <- list(query = settled$queries$code,
    page = if (is.null(texts$pages)) 1L else settled$pages$code)
  recode <- function(cells) {
    if (is.null(cells)) return(NULL)
    set(cells, j = "query", value = code$query[cells$query])
    set(cells, j = "page", value = code$page[cells$page])
  }
  cells <- finish_cells(lapply(sums$cells, recode))
  of_texts <- function(of) of[c("names", "keys", "spellings", "first")]
  reduced <- list(queries = of_texts(settled$queries),
    pages = if (is.null(texts$pages)) {
      list(names = "", keys = "", spellings = 1L, first = min(settled$queries$first))
    } else {
      of_texts(settled$pages)
    },
    all = cells$all, recent = cells$recent,
    split_cells = if (!is.null(split)) sum_split(recode(sums$parts)),
    by_day = sums$by_day,
    of_levels = list(query = code$query[texts$queries$code], page = code$page[texts$pages$code]))
  c(reduced, block_samples(data, reduced))
}

# In: chunks of rows; what the levels of their texts become. Out: list(cells: of those codes; seen:
# of each level of queries and pages its impressions and its first day; by_day; parts, where split).
sum_chunks <- function(chunks, texts, recent_from, split) {
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
  list(cells = end_cells(sums), seen = seen, by_day = reduce_by(rbindlist(days), "date"),
    parts = if (length(parts)) rbindlist(parts))
}

# The same of all rows that count, without making vectors of them.
sum_stored <- function(data, texts, recent_from) {
  sums <- begin_cells(recent_from)
  store <- data$store
  read <- .Call(sum_blocks, what_to_read(data, seq_along(store$blocks$rows)),
    match("position", store$columns), sums, texts$queries$code, texts$pages$code, bin_of_half,
    as.integer(recent_from))
  by_day <- setDT(c(list(date = as.IDate(first_stored(data) + seq_along(read$days$clicks) - 1L)),
    read$days))
  list(cells = end_cells(sums), seen = read[c("queries", "pages")],
    by_day = finish_days(by_day[by_day$impressions > 0]))
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
resolve_levels <- function(texts, seen) {
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

# Rows alone that are needed: those of some queries, by code, and of a share of all pairs (one in so
# many; 0: of none). Out: by thread that coded the rows, what src/blocks.c takes for its blocks.
rows_alone <- function(data, reduced, codes, share = 0L) {
  of <- reduced$of_levels
  flags <- as.raw(fcoalesce(replace(logical(length(reduced$queries$keys)), codes, TRUE)[of$query],
    FALSE))
  coded <- data$store$codes
  list(share = as.integer(share), threads = lapply(seq_along(coded$query), function(thread) {
    query <- coded$query[[thread]]
    list(flags[query], of$query[query], of$page[coded$page[[thread]]])
  }))
}

# What is learnt from single rows, those of a sample of pairs and of queries.
block_samples <- function(data, reduced) {
  n <- sum(reduced$all$rows)
  keys <- reduced$queries$keys
  sampled <- digest::digest2int(keys) <= course_upto(keys)
  blend <- course <- list()
  for (chunk in block_chunks(data, rows_alone(data, reduced, which(sampled), blend_share(n)))) {
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
