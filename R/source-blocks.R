# A large file as a source: texts have one code in all blocks, so that sums are added up in place,
# and what needs single rows takes those of a sample out of each block.

# As rows_source(), of a tide_blocks object.
blocks_source <- function(data) {
  ledger <- list()
  note <- function(k, left_out) ledger[[k]] <<- left_out
  new_source(
    table = c(list(dimensions = data$dimensions), table_days(data$days$date, data$until),
      list(rests_on = NULL)),
    chunks = block_chunks(data, say = note),
    levels = data$store$levels,
    sum_up = function(recent_from, split) {
      if (!length(data$segments) && is.null(split)) sum_stored(data, recent_from)
    },
    of_queries = function(reduced, codes, from) {
      block_chunks(data, rows_alone(data, reduced, codes))
    },
    of_days = function(days) {
      data$days <- data$days[data$days$date %in% days]
      block_chunks(data)
    },
    totals = new_tide_data(data$totals, data$sources, data$left_out),
    grains = c(grain_label(data$dimensions), names(data$totals)),
    left_out = function() sum_left_out(rbindlist(c(list(data$left_out), ledger))))
}

# As sum_chunks(), of all rows that count, without making vectors of them.
sum_stored <- function(data, recent_from) {
  store <- data$store
  queries <- query_dictionary(store$levels$query)
  pages <- page_dictionary(store$levels$page)
  cells <- begin_cells(recent_from)
  read <- .Call(sum_blocks, what_to_read(data, seq_along(store$blocks$rows)),
    match("position", store$columns), cells, queries$code,
    if (!is.null(store$levels$page)) pages$code, bin_of_half, as.integer(recent_from))
  see_texts(queries, seq_along(queries$texts), read$queries$weight, read$queries$first)
  if (is.null(store$levels$page)) {
    learn_texts(pages, "")
    see_texts(pages, 1L, sum(read$queries$weight), min(read$queries$first, na.rm = TRUE))
  } else {
    see_texts(pages, seq_along(pages$texts), read$pages$weight, read$pages$first)
  }
  by_day <- setDT(c(list(date = as.IDate(first_stored(data) + seq_along(read$days$clicks) - 1L)),
    read$days))
  list(queries = queries, pages = pages, cells = end_cells(cells),
    by_day = finish_days(by_day[by_day$impressions > 0]),
    samples = function(reduced) block_samples(data, reduced))
}

# Rows alone that are needed: those of some queries, by code, and of a share of all pairs (one in so
# many; 0: of none). Out: by thread that coded the rows, what src/blocks.c takes for its blocks.
rows_alone <- function(data, reduced, codes, share = 0L) {
  coded <- data$store$codes
  of <- lapply(reduced$dictionaries, `[[`, "code")
  flags <- as.raw(fcoalesce(replace(logical(length(reduced$queries$keys)), codes, TRUE)[of$queries],
    FALSE))
  list(share = as.integer(share), threads = lapply(seq_along(coded$query), function(thread) {
    query <- coded$query[[thread]]
    list(flags[query], of$queries[query], of$pages[coded$page[[thread]]])
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
